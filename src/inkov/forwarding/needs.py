"""What every link must carry: the VLANs that have members on both sides of it.

Where there is one way only, "both sides" is what it says. In a ring any link may be the one the tree opens, so
a VLAN that has members at two places of a ring, or behind them, is needed on every link of it; but for those of a
switch that no tree leads others through (`transit`), which need what it has itself, or behind it.

VLANs that change into others on the way (a translation, a fault) are known as mixed: a frame may need any of
its numbers anywhere, even to come back to where it started.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Hashable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import chain

from inkov.forwarding.blocks import Block, behind, blocks, once_and_twice
from inkov.forwarding.bridging import Bridging
from inkov.forwarding.cabling import Link, components, finder
from inkov.forwarding.graph import Graph
from inkov.forwarding.transit import NO_ENDS, Ends, Transit
from inkov.forwarding.trees import Trees
from inkov.kinds.relay import Mask, View
from inkov.kinds.table import is_tunnel, memberships, unknown, untagged_vlan
from inkov.model.names import PortRef, natural
from inkov.model.remembered import remembered
from inkov.model.switch import Kind
from inkov.model.vlanset import FULL_MASK, Vid, bits


@dataclass(frozen=True, slots=True)
class Side:
    """One place of a block and all that is behind it.

    Attributes:
        at: the switch of the block.
        members: switches there or behind that have members of a VLAN, with how many, the most first.
    """

    at: str
    members: tuple[tuple[str, int], ...]


class _Tour:
    """A walk over all switches from block to block, so that what is behind a switch stands together in it.

    Attributes:
        below: the switches of each block but its top, in the order of the walk.
        at: the number of each switch in it.
        last: the number of the last switch behind each, seen from where the walk began.
        start: where the walk of its part of the campus began.
    """

    def __init__(self, blocks: list[Block]) -> None:
        self._tops = [str(block.top) for block in blocks]
        self.below = [[str(n) for n in block.nodes if n != block.top] for block in blocks]
        self.at: dict[str, int] = {}
        self.last: dict[str, int] = {}
        self.start: dict[str, str] = {}
        next_: dict[str, list[str]] = defaultdict(list)
        above: dict[str, str] = {}
        for top, others in zip(self._tops, self.below, strict=True):
            next_[top] += others
            above.update(dict.fromkeys(others, top))
        for start in next_.keys() - above.keys():
            todo = [start]
            while todo:
                here = todo.pop()
                self.at[here] = self.last[here] = len(self.at)
                self.start[here] = start
                todo += next_.get(here, ())
        for n in reversed(self.at):
            if n in above:
                self.last[above[n]] = max(self.last[above[n]], self.last[n])
        for others in self.below:
            others.sort(key=self.at.__getitem__)

    def place(self, name: str, block: int) -> str | None:
        """Returns the switch of a block that a switch is, or is behind; None where no way leads there."""
        top, below = self._tops[block], self.below[block]
        if self.start.get(name) != self.start[top]:
            return None
        n = bisect_right(below, self.at[name], key=self.at.__getitem__)
        return below[n - 1] if n and self.at[name] <= self.last[below[n - 1]] else top


class Needs:
    """The needs of all links of a campus."""

    def __init__(self, plant: Bridging, graph: Graph, trees: Trees) -> None:
        self.plant = plant
        self._graph = graph
        self._transit = Transit(plant, trees)

    @cached_property
    def own(self) -> dict[Hashable, Mask]:
        """The VLANs each switch has members of: stations, gateways, routers, and trunks that face a station.

        A gateway of a primary serves its secondaries, too; a port of which it is not stated in what VLAN it is may need any.
        """
        plant = self.plant
        found: dict[Hashable, Mask] = defaultdict(int)
        for vid, switches in plant.members.items():
            for name in switches:
                found[name] |= 1 << vid
        for name, switch in plant.switches.items():
            for vid in switch.own_vlans:
                found[name] |= 1 << vid | self.secondaries.get(vid, 0)
        for ref in plant.wide_ports:  # of the others, members say all
            found[ref.switch] |= plant.stations(ref)
        for ref in filter(self._anywhere, plant.uncommon):
            found[ref.switch] |= plant.used & plant.relay(ref, View.MAY).sends
        for ref, mask in [*plant.routed.items(), *self._tunnelled()]:
            found[ref.switch] |= mask
        return found

    def _tunnelled(self) -> Iterator[tuple[PortRef, Mask]]:
        """Yields the ends of links that are tunnels, with the VLAN they put everything into."""
        for link in self.plant.links:
            for end in (link.a, link.b):
                if link.up and is_tunnel(self.plant.port(end).switching):
                    yield end, memberships(self.plant.port(end).switching)

    def _anywhere(self, ref: PortRef) -> bool:
        """Tells whether it is not stated in what VLAN a port is."""
        port = self.plant.settled(ref)
        return bool(unknown(port)) and untagged_vlan(port.switching) is None

    @cached_property
    def secondaries(self) -> Mapping[Vid, Mask]:
        """The secondaries of each primary, as any table ties them."""
        found: dict[Vid, Mask] = defaultdict(int)
        for table, _ in self.plant.tables:
            for vid, entry in table.items():
                if entry.primary is not None:
                    found[entry.primary] |= 1 << vid
        return found

    @cached_property
    def blocks(self) -> list[Block]:
        """The blocks of the links that are up; routers left out, and links into tunnels, which end their VLANs."""
        plant = self.plant
        routers = {n for n, s in plant.switches.items() if s.kind is Kind.ROUTER}
        links = [
            k
            for k in plant.links
            if k.up
            and routers.isdisjoint((k.a.switch, k.b.switch))
            and not any(is_tunnel(plant.port(e).switching) for e in (k.a, k.b))
        ]
        return blocks(links, lambda k: (k.a.switch, k.b.switch))

    @cached_property
    def block_of(self) -> Mapping[int, int]:
        """The number of the block a link is in, by the identity of the link."""
        return {id(k): i for i, block in enumerate(self.blocks) for k in block.links}

    @cached_property
    def mixed(self) -> Mapping[Vid, Mask]:
        """For VLANs that change into others somewhere, all that mix with them."""
        parent: dict[Vid, Vid] = {}
        find = finder(parent)
        leaks = (out | into for edges in self._graph.edges.values() for e in edges for out, into in e.hop.leaks)
        for mask in chain(leaks, (mask for near, _, mask in self._uncovered if not self._is_tunnel(near))):
            some = list(bits(mask & FULL_MASK & self.plant.used))
            for v in some:
                parent.setdefault(v, v)
            for v in some[1:]:
                parent[find(v)] = find(some[0])
        groups: dict[Vid, Mask] = defaultdict(int)
        for v in parent:
            groups[find(v)] |= 1 << v
        return {v: groups[find(v)] for v in parent}

    def _is_tunnel(self, ref: PortRef) -> bool:
        return ref.switch in self.plant.switches and is_tunnel(self.plant.port(ref).switching)

    def let_out(self, link: Link) -> Mask:
        """Returns the VLANs whose frames a tunnel may let out somewhere on the same side of all tunnels as a link.

        They come from stations at its other end, which may have any VLAN; no link need carry them, and each may be wanted to.
        """
        return self._let_out.get(self._side_of.get(link.a.switch, ""), 0) if self._let_out else 0

    @cached_property
    def _side_of(self) -> Mapping[str, str]:
        """A switch for all that are joined without a tunnel."""
        plain = [k for k in self.plant.links if not (self._is_tunnel(k.a) or self._is_tunnel(k.b))]
        parts = components(self.plant.switches, plain)
        return {name: first for part in parts for first in [min(part, key=natural)] for name in part}

    @cached_property
    def _let_out(self) -> Mapping[str, Mask]:
        found: dict[str, Mask] = defaultdict(int)
        for near, far, mask in self._uncovered:
            if self._is_tunnel(near):
                found[self._side_of.get(far.switch, "")] |= mask
        return found

    @cached_property
    def _uncovered(self) -> list[tuple[PortRef, PortRef, Mask]]:
        """Where tags come to light on a link, with the VLANs into which they lead, and those they were hidden in."""
        edges = [e for some in self._graph.edges.values() for e in some]
        starts: dict[str, Mask] = defaultdict(int)
        for e in edges if self._graph.stacked else ():
            starts[e.far.switch] |= e.hop.far.in_untagged if e.hop.stacks else 0
        for ref in self.plant.uncommon:
            relay = self.plant.relay(ref, View.MAY)
            starts[ref.switch] |= relay.in_untagged if relay.keeps else 0
        hiding = self._graph.spread(starts, armed=True) if any(starts.values()) else {}
        found = []
        for near, far, hop in edges:
            out = hiding.get(near.switch, 0) & hop.near.out_untagged
            if out and not hop.blind:
                found.append((near, far, out | hop.far.takes_tagged))
        return found

    @cached_property
    def _needed(self) -> list[Mask]:
        """For each block, the VLANs that have members at or behind two of its places at least."""
        return [once_and_twice(at.values())[1] & FULL_MASK for at in self._behind]

    @cached_property
    def _behind(self) -> list[dict[Hashable, Mask]]:
        return behind(self.blocks, self.own)

    def needed(self, link: Link) -> Mask:
        """Returns the VLANs a link must carry; those of a router's subinterfaces where one is at an end."""
        at = self.block_of.get(id(link))
        if at is not None:
            found = self._needed[at]
            ends, vlans = self._ends_of(at)
            for end in (link.a, link.b):
                if end.switch in ends:
                    found &= self._behind[at][end.switch] | ~vlans
            return found
        return sum(self.plant.routed.get(end, 0) for end in (link.a, link.b)) if link.up else 0

    def ever_needed(self, link: Link) -> Mask:
        """Returns the VLANs a link must carry if any tree whatever may lead over it, after however many failures."""
        at = self.block_of.get(id(link))
        return self.needed(link) if at is None else self._needed[at]

    @remembered
    def _ends_of(self, at: int) -> Ends:
        """Returns the switches of a ring that no tree leads others through, as far as one failure goes."""
        block = self.blocks[at]
        place = partial(self._tour.place, block=at)
        return self._transit.ends(block, place) if block.ring else NO_ENDS

    def ring(self, link: Link) -> tuple[Link, ...]:
        """Returns the links of the ring a link is in; none when it is the only way."""
        at = self.block_of.get(id(link))
        return self.blocks[at].links if at is not None and self.blocks[at].ring else ()

    def sides(self, link: Link, vid: Vid) -> list[Side]:
        """Returns the places of a link's block that have members of a VLAN, or members behind them, the fullest first.

        Cost is the number of switches with members.
        """
        at = self.block_of.get(id(link))
        if at is None:
            return []
        found: dict[str, list[tuple[str, int]]] = defaultdict(list)
        for name, count in self._members(vid).items():
            if (place := self._tour.place(name, at)) is not None:
                found[place].append((name, count))
        sides = [Side(n, tuple(held)) for n, held in found.items()]
        return sorted(sides, key=lambda s: (-sum(n for _, n in s.members), natural(s.at)))

    @cached_property
    def _tour(self) -> _Tour:
        return _Tour(self.blocks)

    @remembered
    def _members(self, vid: Vid) -> dict[str, int]:
        """Returns how many member ports of a VLAN each switch has, the most first; a gateway or a router counts as one."""
        members = self.plant.members.get(vid, {})
        own = {str(n) for n, mask in self.own.items() if mask >> vid & 1}
        counts = {n: max(len(members.get(n, ())), 1) for n in own}
        return dict(sorted(counts.items(), key=lambda m: (-m[1], natural(m[0]))))
