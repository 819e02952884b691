"""Dynamic pruning: a VLAN is sent over a link only where the far end announced interest in it.

A switch that takes part announces, out of each link, the VLANs it has member ports or gateways in, and
those that were announced to it by its other links, or are never pruned there (IEEE 802.1Q-2022, 10.3 and
11.2). A switch that takes no part announces nothing.
"""

from __future__ import annotations

from collections import defaultdict, deque
from functools import cached_property
from typing import TYPE_CHECKING

from inkov.forwarding.relay import Mask, View
from inkov.model.names import PortRef
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import FULL_MASK

if TYPE_CHECKING:
    from inkov.forwarding.network import Network


class Pruning:
    """What is pruned where."""

    def __init__(self, network: Network) -> None:
        self.network = network

    def own_interest(self, switch: str) -> Mask:
        """Returns the VLANs a switch itself has enabled members or gateways in, whether or not it says so."""
        found = sum(1 << v for v in self.network.switches[switch].own_vlans)
        for ref in self.network.station_ports.get(switch, ()):
            found |= self.network.stations(ref)
        for link in self.network.links_at.get(switch, ()):
            found |= self.network.routed.get(link.end_at(switch), 0)
        return found & self.network.active(switch)

    @cached_property
    def announced(self) -> dict[PortRef, Mask]:
        """The VLANs announced to each end of a link by the switch at the other."""
        network = self.network
        takes_part = {n for n, s in network.switches.items() if s.prunes}
        if not takes_part:
            return {}
        ends = {end: far for k in network.joins if k.up for end, far in ((k.a, k.b), (k.b, k.a))}
        at: dict[str, list[PortRef]] = defaultdict(list)
        for end in ends:
            at[end.switch].append(end)
        own = {n: self.own_interest(n) for n in takes_part}
        heard: dict[PortRef, Mask] = dict.fromkeys(ends, 0)
        todo = deque(sorted(takes_part))
        while todo:
            switch = todo.popleft()
            for out in at[switch]:
                wanted = own[switch]
                for other in at[switch]:
                    if other != out:
                        wanted |= self._wanted_at(other, heard[other])
                far = ends[out]
                relay = network.relay(out, View.MUST)
                said = wanted & relay.takes & network.trees.allows(out) & network.trees.allows(far)
                if said & ~heard[far]:
                    heard[far] |= said
                    if far.switch in takes_part:
                        todo.append(far.switch)
        return heard

    def _wanted_at(self, ref: PortRef, heard: Mask) -> Mask:
        """Returns the VLANs that leave by a port because they were announced there, or are never pruned there."""
        port = self.network.port(ref)
        fixed = FULL_MASK & ~port.registration.eligible.mask | 1 << DEFAULT_VLAN
        sends = self.network.relay(ref, View.MUST).sends & self.network.trees.allows(ref)
        return (heard | fixed) & ~port.registration.forbidden.mask & sends

    def pruned(self, ref: PortRef) -> Mask:
        """Returns the VLANs that a port does not send although its list allows them."""
        port = self.network.port(ref)
        forbidden = port.registration.forbidden.mask
        if not self.network.switches[ref.switch].prunes or ref not in self.announced:
            return forbidden
        eligible = port.registration.eligible.mask & ~(1 << DEFAULT_VLAN)
        return forbidden | (eligible & ~self.announced[ref] & FULL_MASK)
