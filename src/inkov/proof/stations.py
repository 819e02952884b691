"""Segments as sets of stations: which (switch, domain) their frames start in and are heard in."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

from inkov.forwarding.network import Network
from inkov.forwarding.relay import Domain, Mask
from inkov.model.campus import Segment
from inkov.model.errors import nearest
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.vlanset import VID_MAX, VlanSet, bits


class UnknownSegment(LookupError):
    """A claim names something that is neither a segment, nor a VLAN number, nor a VLAN name."""


class Stations:
    """The stations of one segment.

    Attributes:
        name: the segment's.
        ports: for each (switch, domain), the edge ports whose stations are there, in natural order.
        masks: the domains of each switch, as one mask.
    """

    def __init__(self, network: Network, segment: Segment) -> None:
        self.name = segment.name
        found: dict[tuple[str, Domain], list[PortRef]] = defaultdict(list)
        for vid in segment.vlans & VlanSet(network.members):
            for refs in network.live_members(vid).values():
                found[refs[0].switch, vid] += refs
        for ref in network.open_trunks:
            relay = network.relay(ref)
            for vid in bits((relay.out_tagged | relay.out_untagged) & segment.vlans.mask):
                found[ref.switch, vid].append(ref)
        self.ports: Mapping[tuple[str, Domain], list[PortRef]] = dict(
            sorted(found.items(), key=lambda item: (item[1][0].order, item[0][1]))
        )
        self.masks: dict[str, Mask] = defaultdict(int)
        for switch, domain in self.ports:
            self.masks[switch] |= 1 << domain

    def __bool__(self) -> bool:
        return bool(self.ports)

    def heard_in(self, reached: Mapping[str, Mask]) -> bool:
        """Tells whether any station is where frames got to."""
        return any(reached.get(switch, 0) & mask for switch, mask in self.masks.items())


def segment_named(network: Network, name: str) -> Segment:
    """Returns a segment of the campus, or a VLAN given by number or by name as one.

    Raises:
        UnknownSegment: there is none; the message holds a hint.
    """
    segments = network.campus.segments
    if name in segments:
        return segments[name]
    if name.isascii() and name.isdecimal() and len(name) < 5 and 0 < int(name) <= VID_MAX:
        return Segment(name, VlanSet([int(name)]), Source(""))
    tables = [s.vlans for s in network.switches.values() if s.vlans]
    numbers = {v for table in tables for v, entry in table.items() if entry.name == name}
    if numbers:
        return Segment(name, VlanSet(numbers), Source(""))
    known = set(segments) or {entry.name for table in tables for entry in table.values() if entry.name}
    raise UnknownSegment(f"there is no segment {name!r}{nearest(name, known)}")
