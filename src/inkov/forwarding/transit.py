"""Which switches of a ring the spanning tree may lead others through: today, and after any one link or switch fails.

A switch with two uplinks is on a ring, and nobody's way unless it is the shortest one left. What none of these trees leads
through needs no VLAN but those of its own side.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import reduce
from heapq import heappop, heappush
from operator import and_
from typing import Final, NamedTuple

from inkov.forwarding.blocks import Block
from inkov.forwarding.bridging import Bridging
from inkov.forwarding.election import BridgeId, undecided
from inkov.forwarding.trees import Part, Trees
from inkov.kinds.relay import Mask
from inkov.kinds.table import is_tunnel
from inkov.model.names import PortRef
from inkov.model.tree import Protocol
from inkov.model.vlanset import FULL_MASK

_MOST: Final = 150
"""Switches that today's tree leads others through; of more, any may be led through after a failure."""


class Ends(NamedTuple):
    """Switches of a block that no tree leads others through, and the VLANs of which that is so."""

    switches: frozenset[Hashable]
    vlans: Mask


NO_ENDS: Final = Ends(frozenset(), 0)


class Transit:
    """Whom the trees of a campus lead through."""

    def __init__(self, plant: Bridging, trees: Trees) -> None:
        self.plant, self.trees = plant, trees
        self._orders: dict[int, list[list[BridgeId]]] = {}  # by the identity of parts, which the trees keep

    def ends(self, block: Block, place: Callable[[str], str | None]) -> Ends:
        """Returns the switches of a block that trees lead nobody through, today's and those after any one failure.

        None of them where it hangs on what is not known, or on more than costs and bridge identifiers.

        Args:
            block: links with more than one way.
            place: the switch of the block that a switch is, or is behind; None where no way leads there.
        """
        part = self.trees.part_of(str(block.top))
        if part is None or not self._comparable(block, part):
            return NO_ENDS
        found = block.nodes
        for order in self._orders_of(part):
            ring = Ring(order, place)
            for number, link in enumerate(block.links):
                ring.join(number, (link.a, link.b), (self.trees.cost(link.a), self.trees.cost(link.b)))
            led = ring.led_through()
            if led is None:
                return NO_ENDS
            found -= led
        return Ends(found, self._vlans(block, part, found))

    def _vlans(self, block: Block, part: Part, ends: frozenset[Hashable]) -> Mask:
        """Returns the VLANs whose tree has all links between the others: all, but where each VLAN has a tree of its own."""
        if self.plant.switches[part.switches[0]].tree.protocol is not Protocol.PER_VLAN:
            return -1
        between = [k for k in block.links if ends.isdisjoint((k.a.switch, k.b.switch))]
        return reduce(and_, map(self.plant.passes, between), FULL_MASK)

    def _comparable(self, block: Block, part: Part) -> bool:
        """Tells whether costs and bridge identifiers alone decide in a block, and it has all links that they decide about."""
        ends = [self.plant.port(e).tree for k in block.links for e in (k.a, k.b)]
        return (
            bool(self._orders_of(part))
            and all(self.trees.part_of(str(n)) is part for n in block.nodes)
            and all(tree.runs and not tree.own for tree in ends)
            and not any(k.doubt or self.plant.lag_failure(k) for k in block.links)
        )

    def _orders_of(self, part: Part) -> list[list[BridgeId]]:
        if id(part) not in self._orders:
            self._orders[id(part)] = self._ordered(part)
        return self._orders[id(part)]

    def _ordered(self, part: Part) -> list[list[BridgeId]]:
        """Returns the bridges, the first to become the root first: one order, or one for each that trees of VLANs have.

        No order where kinds of tree meet, or tree frames go where the VLANs of a block do not.
        """
        switches = [self.plant.switches[n] for n in part.switches]
        protocols = {s.tree.protocol for s in switches}
        mixed = None in protocols or (len(protocols) > 1 and Protocol.PER_VLAN in protocols)
        tunnels = any(is_tunnel(self.plant.port(e).switching) for lan in part.lans for e in lan)
        if mixed or tunnels or any(s.tree.region is not None for s in switches):
            return []
        own = [s for s in switches if s.tree.protocol is Protocol.PER_VLAN and s.tree.own]
        alike = {tuple(s.tree.own.get(v) for s in own): v for s in own for v in s.tree.own}
        numbers = (0, *alike.values())
        return [sorted(BridgeId(s.tree.priority_in(n), s.mac, s.name) for s in switches) for n in numbers]


class Way(NamedTuple):
    """A link as seen from one of its switches: where it leads, the path cost at the port there, and its number."""

    to: str
    cost: int
    link: int


@dataclass(slots=True)
class Ring:
    """A block of links with all that its trees hang on.

    Attributes:
        ways: of each switch, its links.
        order: all bridges that may become the root, here or behind a switch of the block, the first one first.
        place: the switch of the block that a bridge is, or is behind; None where no way leads there.
    """

    order: Sequence[BridgeId]
    place: Callable[[str], str | None]
    ways: dict[str, list[Way]] = field(default_factory=lambda: defaultdict(list))

    def join(self, number: int, ends: tuple[PortRef, PortRef], costs: tuple[int, int]) -> None:
        """Adds a link with the path costs of its ports."""
        (a, b), (cost_a, cost_b) = ends, costs
        self.ways[a.switch].append(Way(b.switch, cost_b, number))
        self.ways[b.switch].append(Way(a.switch, cost_a, number))

    def led_through(self) -> frozenset[str] | None:
        """Returns the switches that the tree may lead others through; None where that hangs on what is not known.

        Where costs are equal, each way counts. Cost is a search for each switch that today's tree leads others through.
        """
        start = self._root(None)
        if start is None:
            return None
        costs, before = self._tree(start)
        today = _inner(before)
        if len(today) > _MOST:
            return None
        found = set(today)
        for name, ways in before.items():
            if len({way.link for way in ways}) > 1:
                continue  # one of them may fail, and the others are there
            (lost,) = {way.link for way in ways}
            if name in today:
                found |= _inner(self._tree(start, link=lost)[1])
            else:
                found |= self._least(name, lost, costs)
        for name in today:
            other = self._root(name)
            if other is None:
                return None
            found |= _inner(self._tree(other, switch=name)[1])
            if name == start and self.order[0].name != start:  # the root is behind it, and may fail alone
                found |= _inner(self._tree(other)[1])
        return frozenset(found)

    def _root(self, failed: str | None) -> str | None:
        """Returns the switch of the block by which the root is reached; None where it is not known which one is the root."""
        left = (b for b in self.order if (at := self.place(b.name)) is not None and at != failed)
        first, second = next(left, None), next(left, None)
        if first is None or (second is not None and undecided(first, second)):
            return None
        return self.place(first.name)

    def _least(self, name: str, lost: int, costs: Mapping[str, int]) -> set[str]:
        """Returns by which switches one is reached once a link fails, where nobody else is led through it."""
        by = [
            (costs[far] + way.cost, far)
            for far in {w.to for w in self.ways[name] if w.link != lost}
            if far in costs
            for way in self.ways[far]
            if way.to == name and way.link != lost
        ]
        least = min((cost for cost, _ in by), default=0)
        return {far for cost, far in by if cost == least}

    def _tree(
        self, start: str, *, switch: str | None = None, link: int | None = None
    ) -> tuple[dict[str, int], dict[str, list[Way]]]:
        """Returns the root path cost of each switch, and the ways by which it is reached: `to` is where from."""
        costs: dict[str, int] = {}
        before: dict[str, list[Way]] = {}
        todo: list[tuple[int, str]] = [(0, start)]
        best = {start: 0}
        while todo:
            cost, name = heappop(todo)
            if name in costs:
                continue
            costs[name] = cost
            for to, more, number in self.ways.get(name, ()):
                if to == switch or number == link or to in costs:
                    continue
                total = cost + more
                if total < best.get(to, total + 1):
                    best[to] = total
                    before[to] = []
                    heappush(todo, (total, to))
                if total == best[to]:
                    before[to].append(Way(name, more, number))
        return costs, before


def _inner(before: Mapping[str, Iterable[Way]]) -> frozenset[str]:
    return frozenset(way.to for ways in before.values() for way in ways)
