"""Dynamic pruning: a VLAN is sent over a link only where the far end announced interest in it.

A switch that takes part announces, out of each link, the VLANs it has member ports or gateways in, and
those that were announced to it by its other links, or are never pruned there (IEEE 802.1Q-2022, 10.3 and
11.2). A switch that takes no part announces nothing.
"""

from __future__ import annotations

from collections import defaultdict, deque
from functools import cached_property

from inkov.forwarding.bridging import Bridging
from inkov.forwarding.trees import Trees
from inkov.kinds.relay import Mask, View
from inkov.model.names import PortRef
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import FULL_MASK


class Pruning:
    """What is pruned where."""

    def __init__(self, plant: Bridging, trees: Trees) -> None:
        self.plant = plant
        self.trees = trees

    def own_interest(self, switch: str, view: View = View.USUAL) -> Mask:
        """Returns the VLANs a switch itself has enabled members or gateways in, whether or not it says so."""
        found = sum(1 << v for v in self.plant.switches[switch].own_vlans)
        for ref in self.plant.station_ports.get(switch, ()):
            found |= self.plant.stations(ref) if view is View.USUAL else self.plant.relay(ref, view).sends
        for link in self.plant.links_at.get(switch, ()):
            found |= self.plant.routed.get(link.end_at(switch), 0)
        return found & self.plant.active(switch, view)

    def announced(self, view: View) -> dict[PortRef, Mask]:
        """Returns the VLANs announced to each end of a link by the switch at the other, surely or at most."""
        return self._at_most if view is View.MAY else self._surely

    @cached_property
    def _surely(self) -> dict[PortRef, Mask]:
        return self._announced(View.USUAL)

    @cached_property
    def _at_most(self) -> dict[PortRef, Mask]:
        return self._announced(View.MAY)

    def _open(self, ref: PortRef, view: View) -> Mask:
        """Returns the VLANs that the tree leaves open at a port: those it surely does, or may."""
        return ~self.trees.blocks(ref, view) if view is View.MAY else self.trees.allows(ref)

    def _announced(self, view: View) -> dict[PortRef, Mask]:
        plant = self.plant
        takes_part = {n for n, s in plant.switches.items() if s.prunes}
        if not takes_part:
            return {}
        ends = {end: far for k in plant.joins if k.up for end, far in ((k.a, k.b), (k.b, k.a))}
        at: dict[str, list[PortRef]] = defaultdict(list)
        for end in ends:
            at[end.switch].append(end)
        own = {n: self.own_interest(n, view) for n in takes_part}
        heard: dict[PortRef, Mask] = dict.fromkeys(ends, 0)
        todo = deque(sorted(takes_part))
        while todo:
            switch = todo.popleft()
            for out in at[switch]:
                wanted = own[switch]
                for other in at[switch]:
                    if other != out:
                        wanted |= self._wanted_at(other, heard[other], view)
                far = ends[out]
                relay = plant.relay(out, view)
                said = wanted & relay.takes & self._open(out, view) & self._open(far, view)
                if said & ~heard[far]:
                    heard[far] |= said
                    if far.switch in takes_part:
                        todo.append(far.switch)
        return heard

    def _wanted_at(self, ref: PortRef, heard: Mask, view: View) -> Mask:
        """Returns the VLANs that leave by a port because they were announced there, or are never pruned there."""
        port = self.plant.port(ref)
        fixed = FULL_MASK & ~port.registration.normal.mask | 1 << DEFAULT_VLAN
        sends = self.plant.relay(ref, view).sends & self._open(ref, view)
        return (heard | fixed) & ~port.registration.forbidden.mask & sends

    def pruned(self, ref: PortRef, view: View = View.USUAL) -> Mask:
        """Returns the VLANs that a port does not send although its list allows them; in *may*, those it surely does not."""
        port = self.plant.port(ref)
        forbidden = port.registration.forbidden.mask
        announced = self.announced(view)
        if not self.plant.switches[ref.switch].prunes or ref not in announced:
            return forbidden
        normal = port.registration.normal.mask & ~(1 << DEFAULT_VLAN)
        return forbidden | (normal & ~announced[ref] & FULL_MASK)
