"""`together` of several segments and hosts: each whole by itself, and any two meet, by frames or by way of gateways."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import permutations

from inkov.forwarding.network import Network
from inkov.forwarding.relay import Mask, View
from inkov.model.names import PortRef
from inkov.proof.layer3 import Layer3, Speaker, honest
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved, Stop
from inkov.proof.packets import Packet
from inkov.proof.stations import Stations
from inkov.proof.together import together


def between(network: Network, layer3: Layer3, groups: Sequence[Stations], layers: Iterable[int]) -> Outcome:
    """Decides whether all stations of some groups reach each other.

    Args:
        network: the campus with its forwarding.
        layer3: its layer 3.
        groups: segments or hosts.
        layers: where two groups may meet: 2, 3 or either.
    """
    alone = [together(network, group) for group in groups]
    if worse := next((o for o in alone if not isinstance(o, Proved)), None):
        return worse
    if len(groups) == 1:
        return alone[0]
    for a, b in permutations(groups, 2):
        frames = _frames(network, a, b) if 2 in layers else None
        if isinstance(frames, Proved):
            continue
        packets = _packets(network, layer3, a, b) if 3 in layers else None
        if isinstance(packets, Proved):
            continue
        known = [o for o in (frames, packets) if o is not None]
        unsure = [o for o in known if isinstance(o, CannotTell)]
        return unsure[0] if unsure else known[-1]
    names = ", ".join(g.name for g in groups)
    return Proved(f"each of {names} is whole, and a frame or packet of each surely gets to every other")


def _frames(network: Network, a: Stations, b: Stations) -> Outcome:
    """Decides whether every port of one group surely hears every port of another at layer 2."""
    everyone = {ref for refs in b.hearers.values() for ref in refs}
    for (switch, domain), refs in a.senders.items():
        start = {switch: 1 << domain}
        deaf = everyone - _hearing(b, network.graph(View.MUST).spread(start))
        if not deaf:
            continue
        if everyone <= _hearing(b, network.graph(View.MAY).spread(start)):
            return _unsure(a, b)
        last = min(deaf, key=lambda r: r.order)
        return Broken(stop=Stop(refs[0], last, why="no frame gets from the one to the other"))
    return Proved("")


def _hearing(group: Stations, reached: Mapping[str, Mask]) -> set[PortRef]:
    return {ref for (s, d), refs in group.hearers.items() if reached.get(s, 0) >> d & 1 for ref in refs}


def _packets(network: Network, layer3: Layer3, a: Stations, b: Stations) -> Outcome:
    """Decides whether packets of every class surely get from one group to every port of another."""
    speakers = {
        view: honest(a, layer3, lambda v: network.graph(v).spread(a.masks, a.tagged))[0]
        for view in (View.MUST, View.MAY)
    }
    prefixes = layer3.prefixes(a), layer3.prefixes(b)
    start, end = (next(iter(g.values()))[0] for g in (a.senders, b.hearers))
    for packet in layer3.packets(*prefixes):
        if _arrives(layer3, speakers[View.MUST], b, packet, View.MUST):
            continue
        if _arrives(layer3, speakers[View.MAY], b, packet, View.MAY):
            return _unsure(a, b)
        if not layer3.entered(speakers[View.MAY], View.MAY):
            why = f"no gateway that is up takes packets of {a.name}"
        else:
            why = f"no gateway passes packets from {packet.source} on to {packet.target}"
        return Broken(stop=Stop(start, end, why=why))
    return Proved("")


def _arrives(layer3: Layer3, a: Speaker, b: Stations, packet: Packet, view: View) -> bool:
    routing = layer3.routing[view]
    for arrival in routing.follow(layer3.entered(a, view), packet, frozenset()):
        reached = routing.emitted(arrival.out)
        if all(reached.get(s, 0) >> d & 1 for s, d in b.hearers):
            return True
    return False


def _unsure(a: Stations, b: Stations) -> CannotTell:
    return CannotTell((f"whether all of {b.name} hear {a.name}",))
