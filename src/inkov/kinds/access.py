"""Access ports: one VLAN untagged, and perhaps a phone's tagged."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, bit
from inkov.kinds.relay import Mask, RelayMap, View
from inkov.model.settings import Setting
from inkov.model.switch import Access, Stance
from inkov.model.vlanset import Vid, bits


class AccessKind(Fixed[Access]):
    """An access port. One whose VLAN is not stated may be in any."""

    word = "access"
    faces = Faces.STATION
    setting = Setting.ACCESS
    habits = ("own_tag",)

    def relay(self, port: Access, box: Box) -> RelayMap:
        phone = bit(port.voice) & box.active
        if port.vid is not None:
            own = bit(port.vid) & box.active
            phone &= ~own
        else:
            own = box.active if box.view is View.MAY else 0
        return RelayMap(own, phone | (own if box.habits.own_tag else 0), own, phone)

    def members(self, port: Access) -> Mask:
        return bit(port.vid) | bit(port.voice)

    def heard_by_station(self, port: Access) -> list[Vid]:
        return sorted(bits(self.members(port)))

    def untagged(self, port: Access) -> Vid | None:
        return port.vid

    def vlans(self, port: Access) -> str:
        voice = "" if port.voice is None else f" voice {port.voice}"
        return ("not stated" if port.vid is None else str(port.vid)) + voice

    def words(self, port: Access) -> str:
        if port.vid is None:
            return "access, VLAN not stated"
        return f"access {port.vid}" + ("" if port.voice is None else f", voice {port.voice}")

    def unknown(self, port: Access, stance: Stance | None) -> str:
        return "" if port.vid is not None else "the VLAN of this access port is not stated"
