"""Ports that pass frames as they are: tunnels (stacked tags, IEEE 802.1ad) and ports of unmanaged devices."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, bit
from inkov.kinds.relay import AS_IT_IS, Mask, RelayMap
from inkov.model.settings import Setting
from inkov.model.switch import Plain, Tunnel
from inkov.model.vlanset import Vid


class TunnelKind(Fixed[Tunnel]):
    """A port that puts all it gets into its VLAN, with its tags of whatever format kept inside."""

    word = "tunnel"
    faces = Faces.WHOLE
    setting = Setting.TUNNEL
    habits = ()

    def relay(self, port: Tunnel, box: Box) -> RelayMap:
        own = bit(port.vid) & box.active
        return RelayMap(in_untagged=own, out_untagged=own, keeps=True)

    def members(self, port: Tunnel) -> Mask:
        return bit(port.vid)

    def heard_by_station(self, port: Tunnel) -> list[Vid]:
        return [port.vid]

    def untagged(self, port: Tunnel) -> Vid | None:
        return port.vid

    def vlans(self, port: Tunnel) -> str:
        return str(port.vid)


class PlainKind(Fixed[Plain]):
    """A port of an unmanaged device. It passes negotiation, too; what is behind it negotiates with what is around."""

    word = "unmanaged"
    faces = Faces.WHOLE
    setting = Setting.MODE
    habits = ()

    def relay(self, port: Plain, box: Box) -> RelayMap:
        return RelayMap(in_untagged=AS_IT_IS, out_untagged=AS_IT_IS, keeps=True)

    def members(self, port: Plain) -> Mask:
        return 0

    def heard_by_station(self, port: Plain) -> list[Vid]:
        return []

    def untagged(self, port: Plain) -> Vid | None:
        return None

    def vlans(self, port: Plain) -> str:
        return ""
