"""What hears whose tree frames: a link between two switches, or all that a group of unmanaged devices joins."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from functools import cached_property

from inkov.forwarding.bridging import Bridging
from inkov.forwarding.cabling import Link, components
from inkov.forwarding.election import Lan
from inkov.model.names import PortRef
from inkov.model.switch import Kind
from inkov.model.tree import Protocol


class Lans:
    """The LANs of a campus, each known by the ports that are on it."""

    def __init__(self, plant: Bridging) -> None:
        self.plant = plant

    @cached_property
    def lans(self) -> dict[Lan, tuple[Link, ...]]:
        """All LANs between switches, with the links that make each: one, or those of a group of unmanaged devices."""
        switches = self.plant.switches
        found: dict[Lan, tuple[Link, ...]] = {}
        boxes = [n for n, s in switches.items() if s.kind is Kind.UNMANAGED]
        hubs: dict[str, list[Link]] = defaultdict(list)
        up = [k for k in self.plant.links if k.up]
        cluster = {b: first for part in components(boxes, up) for first in [min(part)] for b in part}
        for link in up:
            kinds = {switches[end.switch].kind for end in (link.a, link.b)}
            if kinds == {Kind.SWITCH}:
                found[link.a, link.b] = (link,)
            elif Kind.ROUTER not in kinds:
                box = link.a.switch if link.a.switch in cluster else link.b.switch
                hubs[cluster[box]].append(link)
        for links in hubs.values():
            ends = [e for k in links for e in (k.a, k.b) if switches[e.switch].kind is Kind.SWITCH]
            if ends:
                found[tuple(sorted(ends, key=lambda e: e.order))] = tuple(links)
        return found

    @cached_property
    def lan_of(self) -> Mapping[PortRef, Lan]:
        """The LAN each port is on."""
        return {end: lan for lan in self.lans for end in lan}

    def _takes_part(self, ref: PortRef) -> bool:
        return self.plant.switches[ref.switch].tree.protocol is not Protocol.OFF and self.plant.port(ref).tree.runs

    @cached_property
    def heard(self) -> dict[Lan, Lan]:
        """Each LAN by the ports of it that send tree frames."""
        return {taking: lan for lan in self.lans if (taking := tuple(e for e in lan if self._takes_part(e)))}
