"""The carriage ladder of a link: what it carries, and for every other VLAN the first rung that fails.

The rungs, in order, are those of docs/frames.md, section 4: both ports enabled, LAG formed, trunk formed on both ends, in the
near list, defined and active near, in the far list, defined and active far, the same native VLAN, not
blocked by the tree, not pruned, carried.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum, auto
from functools import partial
from typing import Protocol

from inkov.forwarding.bridging import Bridging
from inkov.forwarding.cabling import Link
from inkov.forwarding.forming import formats_agree
from inkov.forwarding.hop import Hop
from inkov.forwarding.pruning import Pruning
from inkov.forwarding.trees import Trees
from inkov.kinds.relay import Mask, View
from inkov.kinds.table import carries_tags, memberships, mode_setting, passes_vlans
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Port, Switch
from inkov.model.vlanset import NONE, VlanSet, bits


class Rung(Enum):
    """Where a VLAN can be lost, in the order of climbing."""

    ENABLED = auto()
    LAG = auto()
    TRUNK = auto()
    FORMAT = auto()
    LISTED = auto()
    DEFINED = auto()
    ACTIVE = auto()
    NATIVE = auto()
    BLOCKED = auto()
    PRUNED = auto()

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
        carried: those whose frames arrive in the same VLAN, both ways, today; where the tree is not known, those that may.
        lost: allowed at one end at least and used in the campus (where an end is no trunk: used on both
            switches), yet not carried; grouped by reason.
        there: what crosses from end a to end b, tree and pruning aside.
        back: what crosses from end b to end a.
    """

    allowed: VlanSet
    carried: VlanSet
    lost: tuple[Lost, ...]
    there: Hop
    back: Hop


class Fail(Protocol):
    """Takes the VLANs that fail at a rung."""

    def __call__(self, mask: Mask, rung: Rung, end: PortRef, source: Callable[[], Source], why: str = "") -> None:
        """Notes those of them that got this far; where it is written is asked for those alone."""


class Ladders:
    """The ladders of all links, each climbed once and when first asked for."""

    def __init__(self, plant: Bridging, trees: Trees, pruning: Pruning) -> None:
        self.plant = plant
        self.trees = trees
        self.pruning = pruning
        self._climbed: dict[int, Ladder] = {}  # by identity: links live as long as their campus

    def of(self, link: Link) -> Ladder:
        """Returns what a link carries and why the rest is lost."""
        if id(link) not in self._climbed:
            self._climbed[id(link)] = self._climb(link)
        return self._climbed[id(link)]

    def _climb(self, link: Link) -> Ladder:
        """Climbs the ladder of one link for all VLANs at once."""
        plant, ends = self.plant, (link.a, link.b)
        if not all(passes_vlans(plant.port(end)) for end in ends):
            return Ladder(NONE, NONE, (), Hop(0, ()), Hop(0, ()))
        lists = [memberships(plant.settled(end).switching) for end in ends]
        carried = plant.passes(link)
        for end in ends:
            carried &= ~(self.trees.blocks(end) | self.pruning.pruned(end))
        relayed = [plant.active(end.switch) for end in ends]
        wanted = (lists[0] | lists[1]) & plant.used & (relayed[0] | relayed[1])
        if not all(carries_tags(plant.settled(end)) for end in ends):
            wanted |= relayed[0] & relayed[1] & plant.inhabited
        gone = wanted & ~carried
        lost = tuple(self._lost(link, gone, lists)) if gone else ()
        there, back = plant.hop(link.a, link.b, View.USUAL), plant.hop(link.b, link.a, View.USUAL)
        return Ladder(VlanSet.from_mask(lists[0] & lists[1]), VlanSet.from_mask(carried), lost, there, back)

    def _lost(self, link: Link, remaining: Mask, lists: list[Mask]) -> list[Lost]:
        plant, found = self.plant, list[Lost]()

        def fail(mask: Mask, rung: Rung, end: PortRef, source: Callable[[], Source], why: str = "") -> None:
            nonlocal remaining
            if remaining & mask:
                found.append(Lost(VlanSet.from_mask(remaining & mask), rung, end, source(), why))
                remaining &= ~mask

        ends = (link.a, link.b)
        if not link.up:
            down = [end for wire in link.wires for end in (wire.a, wire.b) if not plant.port(end).enabled]
            down += [end for end in ends if not plant.port(end).enabled]
            end = down[0] if down else link.a
            fail(-1, Rung.ENABLED, end, _at(plant.port(end), Setting.ENABLED))
            return found
        if plant.lag_failure(link):
            fail(-1, Rung.LAG, link.a, _at(plant.port(link.a), Setting.LACP))
        for end in ends:
            port = plant.settled(end)
            if not carries_tags(port):
                fail(-1, Rung.TRUNK, end, _at(port, mode_setting(port)))
        if not formats_agree(plant.port(link.a), plant.port(link.b)):
            fail(-1, Rung.FORMAT, link.a, _at(plant.port(link.a), Setting.TAGS))
        for end, listed in zip(ends, lists, strict=True):
            fail(~listed, Rung.LISTED, end, _at(plant.port(end), Setting.ALLOWED))
            switch = plant.switches[end.switch]
            fail(~plant.defined(end.switch), Rung.DEFINED, end, _at(switch, Setting.VLANS))
            suspended = plant.defined(end.switch) & ~plant.active(end.switch)
            first = next(bits(remaining & suspended), 0)
            fail(suspended, Rung.ACTIVE, end, partial(vlan_source, plant, end.switch, first))
        for end in ends:
            fail(
                plant.relay(end).out_untagged & ~plant.passes(link),
                Rung.NATIVE,
                end,
                _at(plant.port(end), Setting.NATIVE),
            )
        self._kept_off(ends, fail)
        return found

    def _kept_off(self, ends: tuple[PortRef, PortRef], fail: Fail) -> None:
        """Climbs the last rungs: what the tree blocks, and what is pruned."""
        plant = self.plant
        for end in ends:
            fail(self.trees.blocks(end), Rung.BLOCKED, end, _at(plant.port(end), Setting.PORT_TREE))
        for end, far in (ends, ends[::-1]):
            port = plant.port(end)
            source = _at(port, Setting.REGISTRATION)
            fail(port.registration.forbidden.mask, Rung.PRUNED, end, source, "forbidden there")
            silent = (
                "nobody behind wants it" if plant.switches[far.switch].prunes else f"{far.switch} announces nothing"
            )
            fail(self.pruning.pruned(end), Rung.PRUNED, end, source, silent)


def _at(holder: Port | Switch, setting: Setting) -> Callable[[], Source]:
    """Returns what tells where a setting is written."""
    return partial(holder.origin.of, setting)


def vlan_source(plant: Bridging, switch: str, vid: int) -> Source:
    """Returns where a switch defines a VLAN, or where its table is when it does not."""
    return plant.switches[switch].origin.of(Setting.VLANS, vid)
