"""Ports that end at a router: they relay nothing."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed
from inkov.kinds.relay import NOTHING, Mask, RelayMap
from inkov.model.settings import Setting
from inkov.model.switch import Routed
from inkov.model.vlanset import Vid


class RoutedKind(Fixed[Routed]):
    """A routed port; what its subinterfaces send and take is the business of gateways."""

    word = "routed"
    faces = Faces.ROUTER
    setting = Setting.SUBINTERFACES
    habits = ()

    def relay(self, port: Routed, box: Box) -> RelayMap:
        return NOTHING

    def members(self, port: Routed) -> Mask:
        return 0

    def heard_by_station(self, port: Routed) -> list[Vid]:
        return []

    def untagged(self, port: Routed) -> Vid | None:
        return None

    def vlans(self, port: Routed) -> str:
        return ", ".join(f"tag {tag}" if tag else "untagged" for tag in port.tags)
