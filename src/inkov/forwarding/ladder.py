"""The carriage ladder of a link: what it carries, and for every other VLAN the first rung that fails.

The rungs, in order, are the handbook's: both ports enabled, LAG formed, trunk formed on both ends, in the
near list, defined and active near, in the far list, defined and active far, the same native VLAN, carried.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import TYPE_CHECKING

from inkov.forwarding.forming import formats_agree
from inkov.forwarding.hop import Hop
from inkov.forwarding.relay import Mask, View, memberships
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.switch import (
    Access,
    Bridged,
    General,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Routed,
    Trunk,
    Tunnel,
    Unstated,
)
from inkov.model.vlanset import NONE, VlanSet, bits

if TYPE_CHECKING:
    from inkov.forwarding.cabling import Link
    from inkov.forwarding.network import Network


class Rung(Enum):
    """Where a VLAN can be lost; the value completes "... at the near end"."""

    ENABLED = "a port is disabled"
    LAG = "LAG not formed"
    TRUNK = "no trunk"
    FORMAT = "tag formats differ"
    LISTED = "not in the list"
    DEFINED = "not defined"
    ACTIVE = "suspended"
    NATIVE = "native differs"


@dataclass(frozen=True, slots=True)
class Lost:
    """VLANs that fail at one rung, at one end."""

    vlans: VlanSet
    rung: Rung
    end: PortRef
    source: Source

    def __str__(self) -> str:
        match self.rung:
            case Rung.ENABLED:
                return f"{self.end} is disabled"
            case Rung.LAG:
                return f"the LAG of {self.end} does not form"
            case Rung.FORMAT:
                return f"{self.end} tags in another format than the far end"
            case Rung.TRUNK:
                return f"{self.end} is no trunk"
            case Rung.LISTED:
                return f"not in the list of {self.end}"
            case Rung.DEFINED:
                return f"not defined on {self.end.switch}"
            case Rung.ACTIVE:
                return f"suspended on {self.end.switch}"
            case Rung.NATIVE:
                return f"untagged at {self.end}, another VLAN at the far end"


@dataclass(frozen=True, slots=True)
class Ladder:
    """A link's VLANs after every stage.

    Attributes:
        allowed: in the lists of both ends (for an access port, its own VLAN).
        carried: frames of these VLANs arrive in the same VLAN, both ways.
        lost: allowed at one end at least and used in the campus (where an end is no trunk: used on both
            switches), yet not carried; grouped by reason.
        there: what crosses from end a to end b.
        back: what crosses from end b to end a.
    """

    allowed: VlanSet
    carried: VlanSet
    lost: tuple[Lost, ...]
    there: Hop
    back: Hop

    @property
    def leaks(self) -> bool:
        """Frames change their VLAN here, in one direction at least."""
        return bool(self.there.leaks or self.back.leaks)


def ladder(network: Network, link: Link) -> Ladder:
    """Climbs the ladder of one link for all VLANs at once."""
    there = network.hop(link.a, link.b, View.MUST)
    back = network.hop(link.b, link.a, View.MUST)
    lists = [memberships(network.settled(end).switching) for end in (link.a, link.b)]
    carried = there.kept & back.kept if link.up and not network.lag_failure(link) else 0
    wanted = (lists[0] | lists[1]) & network.used
    wanted &= network.active(link.a.switch) | network.active(link.b.switch)
    ends = (link.a, link.b)
    if not all(passes_vlans(network.port(end)) for end in ends):
        return Ladder(NONE, NONE, (), Hop(0, ()), Hop(0, ()))
    if not all(carries_tags(network.settled(end)) for end in ends):
        wanted |= network.active(link.a.switch) & network.active(link.b.switch) & network.inhabited
    lost = tuple(_lost(network, link, wanted & ~carried, lists))
    return Ladder(VlanSet.from_mask(lists[0] & lists[1]), VlanSet.from_mask(carried), lost, there, back)


def _lost(network: Network, link: Link, remaining: Mask, lists: list[Mask]) -> list[Lost]:
    found: list[Lost] = []

    def fail(mask: Mask, rung: Rung, end: PortRef, source: Source) -> None:
        nonlocal remaining
        if remaining & mask:
            found.append(Lost(VlanSet.from_mask(remaining & mask), rung, end, source))
            remaining &= ~mask

    ends = (link.a, link.b)
    if not link.up:
        down = [end for wire in link.wires for end in (wire.a, wire.b) if not network.port(end).enabled]
        down += [end for end in ends if not network.port(end).enabled]
        end = down[0] if down else link.a
        fail(-1, Rung.ENABLED, end, network.port(end).origin.of("enabled"))
        return found
    if network.lag_failure(link):
        fail(-1, Rung.LAG, link.a, network.port(link.a).origin.of("lacp"))
    for end in ends:
        port = network.settled(end)
        if not carries_tags(port):
            fail(-1, Rung.TRUNK, end, port.origin.of(mode_setting(port)))
    if not formats_agree(network.port(link.a), network.port(link.b)):
        fail(-1, Rung.FORMAT, link.a, network.port(link.a).origin.of("tags"))
    for end, listed in zip(ends, lists, strict=True):
        fail(~listed, Rung.LISTED, end, network.port(end).origin.of("allowed"))
        switch = network.switches[end.switch]
        fail(~network.defined(end.switch), Rung.DEFINED, end, switch.origin.of("vlans"))
        suspended = network.defined(end.switch) & ~network.active(end.switch)
        first = next(bits(remaining & suspended), 0)
        fail(suspended, Rung.ACTIVE, end, vlan_source(network, end.switch, first))
    for end in ends:
        fail(network.relay(end).out_untagged, Rung.NATIVE, end, network.port(end).origin.of("native"))
    return found


def carries_tags(port: Port) -> bool:
    """Tells whether a port, as it is after negotiation, carries VLANs tagged."""
    return isinstance(port.switching, Trunk | General | Bridged)


def passes_vlans(port: Port) -> bool:
    """Tells whether a port has VLANs of its own; one of a router or an unmanaged device, or a tunnel, has not."""
    return not isinstance(port.switching, Routed | Plain | Tunnel)


def mode_setting(port: Port) -> str:
    """Returns the name of the setting that makes a port what it is."""
    match port.switching:
        case Access():
            return "access"
        case Trunk():
            return "allowed"
        case PrivateHost():
            return "private"
        case General() | Promiscuous() | Tunnel() | Bridged():
            return type(port.switching).__name__.lower()
        case Negotiated() | Routed() | Plain() | Unstated():
            return "mode"


def vlan_source(network: Network, switch: str, vid: int) -> Source:
    """Returns where a switch defines a VLAN, or where its table is when it does not."""
    origin = network.switches[switch].origin
    return origin.of(f"vlans/{vid}") if f"vlans/{vid}" in origin.places else origin.of("vlans")
