"""Ports whose mode nothing states: an access port in any VLAN, a trunk, or one that negotiates."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, Side
from inkov.kinds.relay import NOTHING, Mask, RelayMap, View
from inkov.model.settings import Setting
from inkov.model.switch import Stance, Unstated
from inkov.model.vlanset import Vid


class UnstatedKind(Fixed[Unstated]):
    """A port that might do anything."""

    word = "not stated"
    faces = Faces.UNKNOWN
    setting = Setting.MODE
    habits = ()

    def relay(self, port: Unstated, box: Box) -> RelayMap:
        return RelayMap(box.active, box.active, box.active, box.active) if box.view is View.MAY else NOTHING

    def members(self, port: Unstated) -> Mask:
        return 0

    def heard_by_station(self, port: Unstated) -> list[Vid]:
        return []

    def untagged(self, port: Unstated) -> Vid | None:
        return None

    def vlans(self, port: Unstated) -> str:
        return ""

    def unknown(self, port: Unstated, stance: Stance | None) -> str:
        return "its mode is not stated"

    def sides(self, port: Unstated, stance: Stance | None) -> list[Side]:
        return list(Side)
