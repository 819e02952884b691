"""Connected parts of each VLAN. A healthy VLAN has one island that holds all its members.

All VLANs are checked in one pass with their sets as masks; only those found split are taken apart one by
one, so that the cost for a healthy campus is linear in its links.
"""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Mapping
from functools import cached_property

from inkov.forwarding.bridging import Bridging
from inkov.forwarding.cabling import Link, components, links_by_switch
from inkov.forwarding.ladder import Ladders
from inkov.kinds.relay import Mask
from inkov.model.names import PortRef
from inkov.model.vlanset import Vid, VlanSet


class Islands:
    """The islands of every VLAN of a campus."""

    def __init__(self, plant: Bridging, ladders: Ladders) -> None:
        self.plant = plant
        self._ladders = ladders
        self._of: dict[Vid, list[frozenset[str]]] = {}

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
        """VLANs whose live members are on more than one island."""
        reached = self._reached
        return VlanSet(
            vid
            for vid in self.plant.inhabited_vlans
            if any(not reached.get(name, 0) >> vid & 1 for name in self.plant.homes(vid))
        )

    def numbered(self, vid: Vid) -> dict[str, int]:
        """Returns the number of the island each switch is on, from 0, counting islands with members only."""
        if vid not in self.split:
            return {name: 0 for name, mask in self._reached.items() if mask >> vid & 1}
        return {name: i for i, island in enumerate(self.inhabited(vid)) for name in island}

    def of(self, vid: Vid) -> list[frozenset[str]]:
        """Returns the islands of a VLAN: sets of switches that relay it and are joined; members or not."""
        if vid not in self._of:
            homes = [n for n in self.plant.switches if self.plant.active(n) >> vid & 1]
            carries = [k for k in self.plant.joins if vid in self._ladders.of(k).carried]
            self._of[vid] = components(homes, carries)
        return self._of[vid]

    def inhabited(self, vid: Vid) -> list[frozenset[str]]:
        """Returns the islands of a VLAN that hold members."""
        homes = self.plant.homes(vid)
        return [island for island in self.of(vid) if not island.isdisjoint(homes)]

    def count(self, vid: Vid) -> int:
        """Returns how many islands of a VLAN hold members."""
        return len(self.inhabited(vid)) if vid in self.split else int(bool(self.plant.homes(vid)))

    def parted(self, link: Link, vlans: VlanSet) -> VlanSet:
        """Returns which of some VLANs have members on different islands at the two ends of a link."""
        found = []
        for vid in vlans & self.split:
            inhabited = self.inhabited(vid)
            a = next((i for i, island in enumerate(inhabited) if link.a.switch in island), -1)
            b = next((i for i, island in enumerate(inhabited) if link.b.switch in island), -1)
            if a != b and a >= 0 and b >= 0:
                found.append(vid)
        return VlanSet(found)

    def cut_off(self, link: Link, vlans: VlanSet) -> tuple[PortRef, ...]:
        """Returns the members of some VLANs at the end of a link that has fewer of them."""
        found: list[PortRef] = []
        for vid in vlans & self.split:
            ends = [i for i in self.inhabited(vid) if link.a.switch in i or link.b.switch in i]
            if len(ends) > 1:
                found += self._on(min(ends, key=lambda i: len(self._on(i, vid))), vid)
        return tuple(found)

    def beside_largest(self, vlans: VlanSet) -> tuple[PortRef, ...]:
        """Returns the members of some VLANs that are not on the island with most of them."""
        found: list[PortRef] = []
        for vid in vlans:
            islands = sorted(self.inhabited(vid), key=lambda i: -len(self._on(i, vid)))
            found += [ref for island in islands[1:] for ref in self._on(island, vid)]
        return tuple(found)

    def _on(self, island: frozenset[str], vid: Vid) -> list[PortRef]:
        return [ref for name, refs in self.plant.homes(vid).items() if name in island for ref in refs]

    def missing_on_the_way(self, vid: Vid) -> list[tuple[frozenset[str], list[frozenset[str]]]]:
        """Finds switches that do not relay a VLAN and stand between islands of it that hold members.

        Returns:
            Each group of such switches, joined by links or by islands without members, with the islands that it
            would join, were it to relay the VLAN.
        """
        inhabited = self.inhabited(vid)
        lacking = {n for n in self.plant.switches if not self.plant.active(n) >> vid & 1}
        between = lacking.union(*(island for island in self.of(vid) if island not in inhabited))
        open_links = [k for k in self.plant.joins if self._would_carry(k, vid)]
        beside: dict[str, set[str]] = defaultdict(set)
        for link in open_links:
            beside[link.a.switch].add(link.b.switch)
            beside[link.b.switch].add(link.a.switch)
        groups = components(sorted(between), open_links)
        island_of = {s: n for n, island in enumerate(inhabited) for s in island}
        found = []
        for group in groups:
            shore = set[str]().union(*(beside[s] for s in group if s in beside)) - group
            touched = [inhabited[n] for n in sorted({island_of[s] for s in shore if s in island_of})]
            if len(touched) > 1:
                found.append((self._on_the_way(group, touched, beside) & lacking, touched))
        return found

    def _would_carry(self, link: Link, vid: Vid) -> bool:
        return link.up and vid in self._ladders.of(link).allowed

    @staticmethod
    def _on_the_way(
        group: frozenset[str], islands: list[frozenset[str]], beside: Mapping[str, set[str]]
    ) -> frozenset[str]:
        """Drops dead ends from a group: switches with fewer than two neighbours among the rest and the islands."""
        inside = set(group)
        land = frozenset().union(*islands)
        dropped = True
        while dropped:
            ends = {s for s in inside if len(beside.get(s, set()) & (inside | land)) < 2}
            dropped = bool(ends)
            inside -= ends
        return frozenset(inside) or group
