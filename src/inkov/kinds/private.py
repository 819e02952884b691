"""Ports of private VLANs (RFC 5517): stations that may not hear each other, and the port all of them can reach."""

from __future__ import annotations

from inkov.kinds.kind import Box, Faces, Fixed, bit
from inkov.kinds.relay import Mask, RelayMap, View
from inkov.model.settings import Setting
from inkov.model.switch import PrivateHost, Promiscuous, Stance, VlanType
from inkov.model.vlanset import Vid, bits


class PrivateHostKind(Fixed[PrivateHost]):
    """A station's port: it sends in its secondary and hears its primary; in a community its neighbours, too."""

    word = "private"
    faces = Faces.STATION
    setting = Setting.PRIVATE
    habits = ()
    joins_vlans = True

    def relay(self, port: PrivateHost, box: Box) -> RelayMap:
        own = bit(port.secondary) & box.active
        heard = bit(port.primary) | (own if self._is_community(port, box) else 0)
        return RelayMap(in_untagged=own, out_untagged=heard & box.active)

    @staticmethod
    def _is_community(port: PrivateHost, box: Box) -> bool:
        """Tells whether ports of its secondary hear each other; not known for one that has no type."""
        entries = [(table or {}).get(port.secondary) for table in box.tables]
        types = [VlanType.PLAIN if entry is None else entry.type for entry in entries]
        if box.view is View.MAY:
            return any(t in {VlanType.COMMUNITY, VlanType.PLAIN} for t in types)
        return all(t is VlanType.COMMUNITY for t in types)

    def members(self, port: PrivateHost) -> Mask:
        return bit(port.secondary)

    def heard_by_station(self, port: PrivateHost) -> list[Vid]:
        return sorted({port.primary, port.secondary})

    def untagged(self, port: PrivateHost) -> Vid | None:
        return port.secondary

    def vlans(self, port: PrivateHost) -> str:
        return f"{port.secondary} in {port.primary}"

    def unknown(self, port: PrivateHost, stance: Stance | None) -> str:
        return "whether its secondary VLAN is isolated or a community is not stated"


class PromiscuousKind(Fixed[Promiscuous]):
    """A port that every station of a private VLAN can reach."""

    word = "promiscuous"
    faces = Faces.STATION
    setting = Setting.PROMISCUOUS
    habits = ()
    joins_vlans = True

    def relay(self, port: Promiscuous, box: Box) -> RelayMap:
        return RelayMap(in_untagged=bit(port.primary) & box.active, out_untagged=self.members(port) & box.active)

    def members(self, port: Promiscuous) -> Mask:
        return bit(port.primary) | port.secondaries.mask

    def heard_by_station(self, port: Promiscuous) -> list[Vid]:
        return sorted(bits(self.members(port)))

    def untagged(self, port: Promiscuous) -> Vid | None:
        return port.primary

    def vlans(self, port: Promiscuous) -> str:
        return f"{port.primary} with {port.secondaries}"
