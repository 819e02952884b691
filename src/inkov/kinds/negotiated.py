"""Negotiated ports: access ports until somebody asks, or answers."""

from __future__ import annotations

from inkov.kinds.access import AccessKind
from inkov.kinds.kind import Box, Faces, PortKind, Side
from inkov.kinds.relay import Mask, RelayMap
from inkov.kinds.trunk import TrunkKind
from inkov.model.settings import Setting
from inkov.model.switch import Negotiated, Stance, Switching
from inkov.model.vlanset import Vid


class NegotiatedKind(PortKind[Negotiated]):
    """A negotiated port as it is alone: an access port. What it becomes is found out with its far end."""

    word = "negotiated"
    faces = Faces.ANYONE
    setting = Setting.MODE
    habits = AccessKind.habits
    _access = AccessKind()
    _trunk = TrunkKind()

    def relay(self, port: Negotiated, box: Box) -> RelayMap:
        return self._access.relay(port.access, box)

    def members(self, port: Negotiated) -> Mask:
        return self._access.members(port.access)

    def heard_by_station(self, port: Negotiated) -> list[Vid]:
        return self._access.heard_by_station(port.access)

    def untagged(self, port: Negotiated) -> Vid | None:
        return port.access.vid

    def vlans(self, port: Negotiated) -> str:
        return f"{self._access.vlans(port.access)} or trunk {self._trunk.vlans(port.trunk)}"

    def unknown(self, port: Negotiated, stance: Stance | None) -> str:
        return "how it negotiates is not stated" if stance is None else "what it negotiates is not known"

    def sides(self, port: Negotiated, stance: Stance | None) -> list[Side]:
        if stance is None:
            return [Side.ACCESS, Side.PASSIVE, Side.ACTIVE]
        return [{Stance.PASSIVE: Side.PASSIVE, Stance.ACTIVE: Side.ACTIVE}.get(stance, Side.ACCESS)]

    def becomes(self, port: Negotiated) -> tuple[Switching, Switching] | None:
        return port.access, port.trunk
