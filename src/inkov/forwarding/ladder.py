"""The carriage ladder of a link: what it carries, and for every other VLAN the first rung that fails.

The rungs, in order, are the handbook's: both ports enabled, LAG formed, trunk formed on both ends, in the
near list, defined and active near, in the far list, defined and active far, the same native VLAN, not
blocked by the tree, not pruned, carried.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import TYPE_CHECKING, Protocol

from inkov.forwarding.forming import formats_agree
from inkov.forwarding.hop import Hop
from inkov.forwarding.relay import Mask, View, memberships
from inkov.model.names import PortRef
from inkov.model.settings import Setting
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
    BLOCKED = "blocked by the tree"
    PRUNED = "pruned"

    @property
    def by_design(self) -> bool:
        """The VLAN is kept off the link on purpose, and comes back by itself when it is needed."""
        return self in {Rung.BLOCKED, Rung.PRUNED}


@dataclass(frozen=True, slots=True)
class Lost:
    """VLANs that fail at one rung, at one end; `why` adds what is known of it."""

    vlans: VlanSet
    rung: Rung
    end: PortRef
    source: Source
    why: str = ""

    def __str__(self) -> str:
        return _WORDS[self.rung].format(end=self.end, switch=self.end.switch, why=self.why)


_WORDS = {
    Rung.ENABLED: "{end} is disabled",
    Rung.LAG: "the LAG of {end} does not form",
    Rung.FORMAT: "{end} tags in another format than the far end",
    Rung.TRUNK: "{end} is no trunk",
    Rung.LISTED: "not in the list of {end}",
    Rung.DEFINED: "not defined on {switch}",
    Rung.ACTIVE: "suspended on {switch}",
    Rung.NATIVE: "untagged at {end}, another VLAN at the far end",
    Rung.BLOCKED: "blocked by the tree at {end}",
    Rung.PRUNED: "pruned at {end}: {why}",
}


@dataclass(frozen=True, slots=True)
class Ladder:
    """A link's VLANs after every stage.

    Attributes:
        allowed: in the lists of both ends (for an access port, its own VLAN).
        passed: frames of these VLANs arrive in the same VLAN, both ways, unless tree or pruning keep them off.
        carried: those of them that arrive today; where the tree is not known, those that may.
        lost: allowed at one end at least and used in the campus (where an end is no trunk: used on both
            switches), yet not carried; grouped by reason.
        there: what crosses from end a to end b, tree and pruning aside.
        back: what crosses from end b to end a.
    """

    allowed: VlanSet
    passed: VlanSet
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
    passed = network.passes(link)
    carried = passed
    for end in (link.a, link.b):
        carried &= ~(network.trees.blocks(end) | network.pruning.pruned(end))
    wanted = (lists[0] | lists[1]) & network.used
    wanted &= network.active(link.a.switch) | network.active(link.b.switch)
    ends = (link.a, link.b)
    if not all(passes_vlans(network.port(end)) for end in ends):
        return Ladder(NONE, NONE, NONE, (), Hop(0, ()), Hop(0, ()))
    if not all(carries_tags(network.settled(end)) for end in ends):
        wanted |= network.active(link.a.switch) & network.active(link.b.switch) & network.inhabited
    gone = wanted & ~carried
    lost = tuple(_lost(network, link, gone, lists)) if gone else ()
    allowed = VlanSet.from_mask(lists[0] & lists[1])
    return Ladder(allowed, VlanSet.from_mask(passed), VlanSet.from_mask(carried), lost, there, back)


class Fail(Protocol):
    """Takes the VLANs that fail at a rung."""

    def __call__(self, mask: Mask, rung: Rung, end: PortRef, source: Source, why: str = "") -> None:
        """Notes those of them that got this far."""


def _lost(network: Network, link: Link, remaining: Mask, lists: list[Mask]) -> list[Lost]:
    found: list[Lost] = []

    def fail(mask: Mask, rung: Rung, end: PortRef, source: Source, why: str = "") -> None:
        nonlocal remaining
        if remaining & mask:
            found.append(Lost(VlanSet.from_mask(remaining & mask), rung, end, source, why))
            remaining &= ~mask

    ends = (link.a, link.b)
    if not link.up:
        down = [end for wire in link.wires for end in (wire.a, wire.b) if not network.port(end).enabled]
        down += [end for end in ends if not network.port(end).enabled]
        end = down[0] if down else link.a
        fail(-1, Rung.ENABLED, end, network.port(end).origin.of(Setting.ENABLED))
        return found
    if network.lag_failure(link):
        fail(-1, Rung.LAG, link.a, network.port(link.a).origin.of(Setting.LACP))
    for end in ends:
        port = network.settled(end)
        if not carries_tags(port):
            fail(-1, Rung.TRUNK, end, port.origin.of(mode_setting(port)))
    if not formats_agree(network.port(link.a), network.port(link.b)):
        fail(-1, Rung.FORMAT, link.a, network.port(link.a).origin.of(Setting.TAGS))
    for end, listed in zip(ends, lists, strict=True):
        fail(~listed, Rung.LISTED, end, network.port(end).origin.of(Setting.ALLOWED))
        switch = network.switches[end.switch]
        fail(~network.defined(end.switch), Rung.DEFINED, end, switch.origin.of(Setting.VLANS))
        suspended = network.defined(end.switch) & ~network.active(end.switch)
        first = next(bits(remaining & suspended), 0)
        fail(suspended, Rung.ACTIVE, end, vlan_source(network, end.switch, first))
    for end in ends:
        fail(
            network.relay(end).out_untagged & ~network.passes(link),
            Rung.NATIVE,
            end,
            network.port(end).origin.of(Setting.NATIVE),
        )
    _kept_off(network, ends, fail)
    return found


def _kept_off(network: Network, ends: tuple[PortRef, PortRef], fail: Fail) -> None:
    """Climbs the last rungs: what the tree blocks, and what is pruned."""
    for end in ends:
        fail(network.trees.blocks(end), Rung.BLOCKED, end, network.port(end).origin.of(Setting.PORT_TREE))
    for end, far in (ends, ends[::-1]):
        port = network.port(end)
        source = port.origin.of(Setting.REGISTRATION)
        fail(port.registration.forbidden.mask, Rung.PRUNED, end, source, "forbidden there")
        silent = "nobody behind wants it" if network.switches[far.switch].prunes else f"{far.switch} announces nothing"
        fail(network.pruning.pruned(end), Rung.PRUNED, end, source, silent)


def carries_tags(port: Port) -> bool:
    """Tells whether a port, as it is after negotiation, carries VLANs tagged."""
    return isinstance(port.switching, Trunk | General | Bridged)


def passes_vlans(port: Port) -> bool:
    """Tells whether a port has VLANs of its own; one of a router or an unmanaged device, or a tunnel, has not."""
    return not isinstance(port.switching, Routed | Plain | Tunnel)


def mode_setting(port: Port) -> Setting:
    """Returns the setting that makes a port what it is."""
    match port.switching:
        case Access():
            return Setting.ACCESS
        case Trunk():
            return Setting.ALLOWED
        case PrivateHost():
            return Setting.PRIVATE
        case General():
            return Setting.GENERAL
        case Promiscuous():
            return Setting.PROMISCUOUS
        case Tunnel():
            return Setting.TUNNEL
        case Bridged():
            return Setting.BRIDGED
        case Negotiated() | Routed() | Plain() | Unstated():
            return Setting.MODE


def vlan_source(network: Network, switch: str, vid: int) -> Source:
    """Returns where a switch defines a VLAN, or where its table is when it does not."""
    return network.switches[switch].origin.of(Setting.VLANS, vid)
