"""Connected parts of each VLAN. A healthy VLAN has one island that holds all its members.

All VLANs are checked in one pass with their sets as masks; only those found split are taken apart one by
one, so that the cost for a healthy campus is linear in its links.
"""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Collection, Iterable, Mapping, Sequence
from functools import cached_property
from typing import Final, NamedTuple

from inkov.forwarding.bridging import Bridging
from inkov.forwarding.cabling import Link, components, links_by_switch
from inkov.forwarding.ladder import Ladders, Rung
from inkov.kinds.relay import Mask
from inkov.model.names import PortRef
from inkov.model.remembered import remembered
from inkov.model.vlanset import Vid, VlanSet, bits


class _LivedIn(NamedTuple):
    """The islands of a VLAN that hold members: them, the number of the one each switch is on, and who is on each."""

    islands: list[frozenset[str]]
    at: dict[str, int]
    members: list[list[PortRef]]


class _ByVlan(NamedTuple):
    """Of each VLAN, the switches that relay it, and the links that carry it and that have it in one list at least."""

    relaying: dict[Vid, list[str]]
    carrying: dict[Vid, list[Link]]
    allowing: dict[Vid, list[Link]]


_ONE_LIST: Final = frozenset({Rung.LISTED, Rung.DEFINED, Rung.ACTIVE})
"""Where VLANs are lost that one list has at least."""


class Islands:
    """The islands of every VLAN of a campus."""

    def __init__(self, plant: Bridging, ladders: Ladders) -> None:
        self.plant = plant
        self._ladders = ladders

    @cached_property
    def _reached(self) -> dict[str, Mask]:
        """For each switch, the VLANs whose first member's island it is on."""
        reached: dict[str, Mask] = defaultdict(int)
        for vid in self.plant.inhabited_vlans:
            homes = self.plant.homes(vid)
            if homes:
                reached[next(iter(homes))] |= 1 << vid
        todo = deque(reached)
        joins_at = links_by_switch(self.plant.joins)
        while todo:
            switch = todo.popleft()
            for link in joins_at.get(switch, ()):
                far = link.far_switch(switch)
                new = reached[switch] & self._ladders.of(link).carried.mask & ~reached[far]
                if new:
                    reached[far] |= new
                    todo.append(far)
        return reached

    @cached_property
    def split(self) -> VlanSet:
        """VLANs whose live members are on more than one island; never the parking VLAN, which is no network."""
        reached, parking = self._reached, self.plant.campus.parking
        return VlanSet(
            vid
            for vid in self.plant.inhabited_vlans
            if vid != parking and any(not reached.get(name, 0) >> vid & 1 for name in self.plant.homes(vid))
        )

    def numbered(self, vid: Vid) -> Mapping[str, int]:
        """Returns the number of the island each switch is on, from 0, counting islands with members only."""
        if vid not in self.split:
            return {name: 0 for name, mask in self._reached.items() if mask >> vid & 1}
        return self._lived_in(vid).at

    @remembered
    def of(self, vid: Vid) -> list[frozenset[str]]:
        """Returns the islands of a VLAN: sets of switches that relay it and are joined; members or not."""
        by_vlan = self._sorted_of(vid)
        return components(by_vlan.relaying.get(vid, ()), by_vlan.carrying.get(vid, ()))

    def inhabited(self, vid: Vid) -> list[frozenset[str]]:
        """Returns the islands of a VLAN that hold members."""
        return self._lived_in(vid).islands

    @remembered
    def _lived_in(self, vid: Vid) -> _LivedIn:
        homes = self.plant.homes(vid)
        if vid in self.split:
            islands = [island for island in self.of(vid) if not island.isdisjoint(homes)]
        else:
            islands = [frozenset(n for n, mask in self._reached.items() if mask >> vid & 1)] if homes else []
        at = {name: n for n, island in enumerate(islands) for name in island}
        members: list[list[PortRef]] = [[] for _ in islands]
        for name, refs in homes.items():
            members[at[name]] += refs
        return _LivedIn(islands, at, members)

    def count(self, vid: Vid) -> int:
        """Returns how many islands of a VLAN hold members."""
        return len(self.inhabited(vid)) if vid in self.split else int(bool(self.plant.homes(vid)))

    def parted(self, link: Link, vlans: VlanSet) -> VlanSet:
        """Returns which of some VLANs have members on different islands at the two ends of a link."""
        found = []
        for vid in vlans & self.split:
            at = self._lived_in(vid).at
            a, b = at.get(link.a.switch), at.get(link.b.switch)
            if (a is not None and b is not None and a != b) or any(link in chain for chain in self.chains(vid)):
                found.append(vid)
        return VlanSet(found)

    @remembered
    def chains(self, vid: Vid) -> list[tuple[Link, ...]]:
        """Finds links that lose a VLAN one after another between islands that hold members, with none on those between them.

        Returns:
            The links of each such group, in natural order.
        """
        parts = self.of(vid) if vid in self.split else []
        losing = [k for k in self.plant.joins if k.up and self._loses(k, vid)] if len(parts) > 2 else []
        return rows_between(parts, self.plant.homes(vid), losing)

    def _loses(self, link: Link, vid: Vid) -> bool:
        ladder = self._ladders.of(link)
        blocked = any(vid in loss.vlans and loss.rung is Rung.BLOCKED for loss in ladder.lost)
        return vid not in ladder.carried and not blocked

    def cut_off(self, link: Link, vlans: VlanSet) -> tuple[PortRef, ...]:
        """Returns the members of some VLANs at the end of a link that has fewer of them."""
        found: list[PortRef] = []
        for vid in vlans & self.split:
            _, at, members = self._lived_in(vid)
            ends = sorted({at[end.switch] for end in (link.a, link.b) if end.switch in at})
            if len(ends) > 1:
                found += members[min(ends, key=lambda n: len(members[n]))]
            elif any(link in chain for chain in self.chains(vid)):
                found += self.beside_largest(VlanSet([vid]))
        return tuple(found)

    def beside_largest(self, vlans: VlanSet) -> tuple[PortRef, ...]:
        """Returns the members of some VLANs that are not on the island with most of them."""
        found: list[PortRef] = []
        for vid in vlans:
            for refs in sorted(self._lived_in(vid).members, key=len, reverse=True)[1:]:
                found += refs
        return tuple(found)

    @remembered
    def missing_on_the_way(self, vid: Vid) -> list[tuple[frozenset[str], list[frozenset[str]]]]:
        """Finds switches that do not relay a VLAN and stand between islands of it that hold members.

        Returns:
            Each group of such switches, joined by links or by islands without members, with the islands that it
            would join, were it to relay the VLAN.
        """
        return self._missing_on_the_way(vid)

    def _missing_on_the_way(self, vid: Vid) -> list[tuple[frozenset[str], list[frozenset[str]]]]:
        inhabited, island_of, _ = self._lived_in(vid)
        by_vlan = self._sorted_of(vid)
        open_links = by_vlan.allowing.get(vid, ())
        beside: dict[str, set[str]] = defaultdict(set)
        for link in open_links:
            beside[link.a.switch].add(link.b.switch)
            beside[link.b.switch].add(link.a.switch)
        groups = components((n for n in sorted(beside) if n not in island_of), open_links)
        relaying = by_vlan.relaying.get(vid, ())
        found = []
        for group in groups:
            shore = set[str]().union(*(beside[s] for s in group if s in beside)) - group
            touched = [inhabited[n] for n in sorted({island_of[s] for s in shore if s in island_of})]
            lacking = self._on_the_way(group, touched, beside).difference(relaying)
            if len(touched) > 1 and lacking:  # where all relay it, a link loses it
                found.append((lacking, touched))
        return found

    def _sorted_of(self, vid: Vid) -> _ByVlan:
        return self._of_split if vid in self.split else self._sorted_out(1 << vid)

    @cached_property
    def _of_split(self) -> _ByVlan:
        return self._sorted_out(self.split.mask)

    def _sorted_out(self, among: Mask) -> _ByVlan:
        """Goes through switches and links once for all VLANs that are asked about."""
        made = _ByVlan(defaultdict(list), defaultdict(list), defaultdict(list))
        for name in self.plant.switches:
            for vid in bits(self.plant.active(name) & among):
                made.relaying[vid].append(name)
        for link in self.plant.joins:
            ladder = self._ladders.of(link)
            for vid in bits(ladder.carried.mask & among):
                made.carrying[vid].append(link)
            wanted = ladder.allowed.mask
            for loss in ladder.lost:
                wanted |= loss.vlans.mask if loss.rung in _ONE_LIST else 0
            for vid in bits(wanted & among if link.up else 0):
                made.allowing[vid].append(link)
        return made

    @staticmethod
    def _on_the_way(
        group: frozenset[str], islands: list[frozenset[str]], beside: Mapping[str, set[str]]
    ) -> frozenset[str]:
        """Drops dead ends from a group: switches with fewer than two neighbours among the rest and the islands."""
        inside = set(group)
        land = frozenset().union(*islands)
        count = {s: sum(n in inside or n in land for n in beside[s]) for s in group}
        ends = [s for s in group if count[s] < 2]
        while ends:
            end = ends.pop()
            inside.discard(end)
            for s in beside[end] & inside:
                count[s] -= 1
                if count[s] == 1:
                    ends.append(s)
        return frozenset(inside) or group


def rows_between(
    parts: Sequence[frozenset[str]], homes: Collection[str], links: Iterable[Link]
) -> list[tuple[Link, ...]]:
    """Finds links that would join parts with members of a VLAN by way of parts without, if all of them carried it.

    Args:
        parts: switches that a VLAN joins.
        homes: switches with members of it.
        links: the links between parts that do not carry it.

    Returns:
        The links of each such group, in their order.
    """
    part_of = {name: n for n, part in enumerate(parts) for name in part}
    lived_in = {part_of[name] for name in homes if name in part_of}
    edges: dict[int, list[tuple[int, Link]]] = defaultdict(list)
    for link in links:
        a, b = part_of.get(link.a.switch), part_of.get(link.b.switch)
        if a is not None and b is not None and a != b:
            edges[a].append((b, link))
            edges[b].append((a, link))
    empty = set(edges) - lived_in
    while ends := {n for n in empty if sum(far in empty or far in lived_in for far, _ in edges[n]) < 2}:
        empty -= ends
    found = []
    while empty:
        group, todo = set[int](), [empty.pop()]
        while todo:
            group.add(at := todo.pop())
            todo += {far for far, _ in edges[at]} & empty
            empty -= {*todo}
        ways = [(far, link) for at in sorted(group) for far, link in edges[at] if far in lived_in or far in group]
        if len({far for far, _ in ways} & lived_in) > 1:
            found.append(tuple(dict.fromkeys(link for _, link in ways)))
    return found
