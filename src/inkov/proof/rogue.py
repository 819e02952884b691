"""What a switch of somebody's own gets, plugged into a host's port: any tag, tags inside tags, and negotiation."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.kinds.relay import Mask, View
from inkov.kinds.table import memberships
from inkov.model.campus import Segment
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.vlanset import ALL, FULL_MASK, Vid, VlanSet
from inkov.proof.hostile import Attackers
from inkov.proof.stations import Stations


@dataclass(frozen=True, slots=True)
class Gain:
    """What a rogue switch gets on some ports that are alike.

    Attributes:
        ports: ports of one switch.
        own: the VLANs a station there belongs to, or hears as the port is set.
        sends: VLANs with members that its frames get into.
        hears: VLANs whose frames leave there.
        members: how many member ports are in the VLANs beyond its own.
    """

    ports: tuple[PortRef, ...]
    own: VlanSet
    sends: VlanSet
    hears: VlanSet
    members: int

    @property
    def beyond(self) -> VlanSet:
        """What is more than the port's own VLANs."""
        return (self.sends | self.hears) - self.own


def rogue(network: Network) -> list[Gain]:
    """Works out what a rogue switch gets on each host port, worst first.

    Ports of a switch that do the same are one row. Cost is a spread a row.
    """
    alike: dict[tuple[object, ...], list[PortRef]] = {}
    for switch, refs in network.station_ports.items():
        for ref in refs:
            own = memberships(network.settled(ref).switching)
            alike.setdefault((switch, own, network.relay(ref, View.MAY)), []).append(ref)
    homes = homes_of(network)
    gains = [_gain(network, refs, homes) for refs in alike.values()]
    return sorted(gains, key=lambda g: (-g.members, -len(g.beyond), g.ports[0].order))


def homes_of(network: Network) -> Mapping[str, Mask]:
    """Returns the VLANs with live members on each switch."""
    homes: dict[str, Mask] = {}
    for vid in network.members:
        for switch in network.live_members(vid):
            homes[switch] = homes.get(switch, 0) | 1 << vid
    return homes


def got(reached: Mapping[str, Mask], homes: Mapping[str, Mask]) -> Mask:
    """Returns the VLANs with members where frames got to."""
    found = 0
    for switch, mask in reached.items():
        found |= mask & homes.get(switch, 0)
    return found


def _gain(network: Network, refs: list[PortRef], homes: Mapping[str, Mask]) -> Gain:
    segment = Segment(str(refs[0]), ALL, Source(""), frozenset(refs[:1]))
    attackers = Attackers(network, Stations(network, segment, View.MAY), View.MAY)
    sends = VlanSet.from_mask(got(attackers.reached(network, View.MAY), homes))
    own = VlanSet.from_mask(memberships(network.settled(refs[0]).switching) | network.relay(refs[0]).sends)
    hears = VlanSet.from_mask(network.relay(refs[0], View.MAY).sends & FULL_MASK)
    beyond = (sends | hears) - own
    members = sum(len(some) for v in beyond for some in network.live_members(v).values())
    return Gain(tuple(refs), own, sends, hears, members)


def jumps(network: Network, natives: VlanSet) -> dict[Vid, VlanSet]:
    """Returns, for each of some native VLANs, the VLANs that its stations get into by a tag inside a tag alone."""
    homes = homes_of(network)
    made: dict[Vid, VlanSet] = {}
    for vid in natives:
        attackers = Attackers(
            network, Stations(network, Segment(str(vid), VlanSet([vid]), Source("")), View.MAY), View.MAY
        )
        plain = {s: mask | attackers.armed.get(s, 0) for s, mask in attackers.plain.items()}
        straight = got(network.graph(View.MAY).spread(plain), homes)
        inside = got(network.graph(View.MAY).spread(attackers.armed, armed=True), homes)
        made[vid] = VlanSet.from_mask(inside & ~straight)
    return made
