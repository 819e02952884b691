"""Ports that pass frames as they are: tunnels (stacked tags, IEEE 802.1ad) and ports of unmanaged devices."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, bit
from inkov.kinds.relay import AS_IT_IS, NOTHING, Mask, RelayMap, View
from inkov.model.settings import Setting
from inkov.model.switch import Plain, Stance, Tunnel
from inkov.model.vlanset import Vid


class TunnelKind(Fixed[Tunnel]):
    """A port that puts all it gets into its VLAN, with its tags of whatever format kept inside.

    What the tags inside must be for it to pass is not followed: with such a list it may pass all, and surely nothing.
    """

    word = "tunnel"
    faces = Faces.WHOLE
    setting = Setting.TUNNEL
    habits = ()

    def relay(self, port: Tunnel, box: Box) -> RelayMap:
        own = bit(port.vid) & box.active
        if port.inner is not None and box.view is View.MUST:
            return NOTHING
        return RelayMap(in_untagged=own, out_untagged=own, keeps=True)

    def members(self, port: Tunnel) -> Mask:
        return bit(port.vid)

    def heard_by_station(self, port: Tunnel) -> list[Vid]:
        return [port.vid]

    def untagged(self, port: Tunnel) -> Vid | None:
        return port.vid

    def vlans(self, port: Tunnel) -> str:
        return str(port.vid) + ("" if port.inner is None else f", inside {port.inner}")

    def unknown(self, port: Tunnel, stance: Stance | None) -> str:
        return "" if port.inner is None else "which tags its frames have inside is not known"


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
