"""`together` of several segments and hosts: each whole by itself, and any two meet, by frames or by way of gateways."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import permutations
from typing import Final, NamedTuple

from inkov.forwarding.gateways import Interface
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Blocking
from inkov.kinds.relay import Mask, View
from inkov.model.campus import Host
from inkov.model.names import PortRef
from inkov.model.routing import Ip, Prefix
from inkov.model.vlanset import bits
from inkov.proof.group import Group
from inkov.proof.layer3 import Layer3
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved, Stop
from inkov.proof.outside import NO_WAY, ONLY_PACKETS
from inkov.proof.packets import Packet
from inkov.proof.stations import Place, Stations, host_domains
from inkov.proof.together import on_the_way, together
from inkov.proof.unknowns import of_port


def between(network: Network, layer3: Layer3, groups: Sequence[Group], layers: Iterable[int]) -> Outcome:
    """Decides whether all stations of some groups reach each other.

    Args:
        network: the campus with its forwarding.
        layer3: its layer 3.
        groups: segments or hosts.
        layers: where two groups may meet: 2, 3 or either.
    """
    outside = [g for g in groups if g.may.segment.outside]
    groups = [g for g in groups if g not in outside]
    if outside and not (3 in layers and layer3.outside.known):
        return CannotTell((NO_WAY if 3 in layers else ONLY_PACKETS,))
    alone = [together(network, group, layer3.rings) for group in groups]
    if worse := next((o for o in alone if isinstance(o, Broken)), None) or next(
        (o for o in alone if not isinstance(o, Proved)), None
    ):
        return worse
    beyond = [_beyond(network, layer3, group, out.name) for out in outside for group in groups]
    if failed := next((o for o in beyond if isinstance(o, Broken)), None):
        return failed
    if len(groups) == 1:
        return beyond[0] if beyond else alone[0]
    unsure: Outcome | None = next((o for o in beyond if not isinstance(o, Proved)), None)
    for a, b in permutations(groups, 2):
        outcome = _pair(network, layer3, a, b, layers)
        if isinstance(outcome, CannotTell):
            unsure = unsure or outcome
        elif not isinstance(outcome, Proved):
            return outcome
    if unsure is not None:
        return unsure
    names = ", ".join(g.name for g in (*groups, *outside))
    return Proved((f"Each of {names} is whole, and a frame or packet of each surely reaches every other.",))


def _pair(network: Network, layer3: Layer3, a: Group, b: Group, layers: Iterable[int]) -> Outcome:
    """Decides whether all stations of one group reach all of another."""
    hosts = [h for h in (named_host(network, a.may), named_host(network, b.may)) if h is not None and h.address]
    frames = _frames(network, a, b) if 2 in layers or len(hosts) == 2 else None
    strange = no_neighbours(*hosts) if 3 in layers and len(hosts) == 2 else ""
    if isinstance(frames, Proved) and not strange:
        return frames
    packets = _packets(network, layer3, a, b) if 3 in layers else None
    if isinstance(packets, Proved):
        return packets
    if isinstance(frames, Proved) and isinstance(packets, Broken):
        own = packets.stop.why if packets.stop and hosts[0].address != hosts[1].address else ""
        why = f"{FRAMES_ALONE}: {strange}" + (f", and {own}" if own else "")
        return Broken(stop=Stop(hosts[0].port, hosts[1].port, why=why))
    known = [o for o in (frames, packets) if o is not None and not isinstance(o, Proved)]
    return next((o for o in known if isinstance(o, CannotTell)), known[-1])


def _frames(network: Network, a: Group, b: Group) -> Outcome:
    """Decides whether every port of one group surely hears every port of another at layer 2."""
    for place, refs in a.may.senders.items():
        start = {place[0]: 1 << place[1]}
        deaf = b.deaf([], network.graph(View.MUST).spread(start))
        if deaf is None:
            continue
        reached = network.graph(View.MAY, Blocking.KNOWN).spread(start)
        if place not in a.must.senders or b.surely_deaf_to(reached) is None:
            facts = on_the_way(network, [(*place, ())], b.may_hear_at(deaf))
            return _unsure(a, b, (*facts, *_at_end(network, refs[0]), *_at_end(network, deaf)))
        return Broken(stop=Stop(refs[0], deaf, why="no frame gets from the one to the other"))
    return Proved(())


FRAMES_ALONE: Final = "frames pass between them, and no packet does"


def named_host(network: Network, stations: Stations) -> Host | None:
    """Returns the host that a segment is, where it is one host and nothing else."""
    segment = stations.segment
    host = network.campus.hosts.get(next(iter(segment.hosts))) if len(segment.hosts) == 1 else None
    return host if host is not None and segment.ports == frozenset({host.port}) else None


def no_neighbours(a: Host, b: Host) -> str:
    """Says why a host sends its packets for another one through no frame to it; empty where it does, or its mask is not known."""
    own, other = a.address, b.address
    if own is None or other is None or own.version != other.version:
        return ""
    if own.ip == other.ip:
        return f"{a.name} and {b.name} have the same address {own.ip}"
    if own.network.prefixlen == own.max_prefixlen or other.ip in own.network:
        return ""
    return f"{other.ip} of {b.name} is not in the subnet of {a.name}, {own.network}"


# -- by way of gateways ------------------------------------------------------------------------------


class Sender(NamedTuple):
    """Stations that send alike: a host with its own gateway, or all of a group of which no more is known.

    Attributes:
        name: the host, or the group.
        port: one of their ports.
        sources: their addresses.
        places: where their frames start, in a view.
        host: the host; None for others, which may use any gateway of their VLAN.
    """

    name: str
    port: PortRef
    sources: tuple[Prefix, ...]
    places: Mapping[View, Iterable[Place]]
    host: Host | None = None


class Target(NamedTuple):
    """Stations that answer to some addresses, and the places by which each of their ports hears."""

    port: PortRef
    addresses: tuple[Prefix, ...]
    ports: Mapping[View, Mapping[PortRef, set[Place]]]


def _packets(network: Network, layer3: Layer3, a: Group, b: Group) -> Outcome:
    """Decides whether packets of every class surely get from every station of one group to every port of another."""
    unsure: Outcome | None = None
    for sender in _senders(network, layer3, a):
        for target in _targets(network, layer3, b):
            for packet in layer3.packets(sender.sources, target.addresses):
                if _surely(network, layer3, sender, target, packet):
                    if isinstance(loop := _drowned(layer3, (sender, target), packet), Broken):
                        return loop
                    unsure = unsure or loop
                    continue
                entered = _entered(network, layer3, sender, packet, View.MAY)
                if any(_may(layer3, i, target, packet) for i in entered):
                    unsure = unsure or _unsure(a, b, _doubts(network, layer3, (sender, target), packet))
                    continue
                if entered and (open_ := _of_any_address(sender, target, b.name)):
                    unsure = unsure or CannotTell((f"which addresses stations of {open_} have",))
                    continue
                return Broken(stop=Stop(sender.port, target.port, why=_why(sender, packet, entered)))
    return unsure or Proved(())


def _drowned(
    layer3: Layer3,
    stations: tuple[Sender, Target],
    packet: Packet,
    entered: list[Interface] | None = None,
) -> Outcome | None:
    """Says that packets go out into a VLAN in which frames go round; they start at the sender, or come in by some gateways."""
    rings = layer3.rings
    if not (rings.sure or rings.perhaps):
        return None
    sender, target = stations
    if entered is None:
        entered = _entered(layer3.network, layer3, sender, packet, View.MUST)
    for out in {w.out: 0 for w, _ in layer3.routing[View.MUST].walk(entered, packet, frozenset()) if w.out}:
        starts = layer3.gateways.starts(out, View.MUST)
        if found := rings.drown((sender.port, target.port), starts, f"packets go out by {out}, where "):
            return found
    return None


def _of_any_address(sender: Sender, target: Target, name: str) -> str:
    """Returns who may have any address, as nothing tells their subnet; empty where the addresses of both are known."""
    if not all(p.prefixlen for p in sender.sources):
        return sender.name
    return "" if all(p.prefixlen for p in target.addresses) else name


def _beyond(network: Network, layer3: Layer3, group: Group, outside: str) -> Outcome:
    """Decides whether packets of every station of a group surely get out of the campus, and their answers back."""
    unsure: Outcome | None = None
    both = zip(_senders(network, layer3, group), _targets(network, layer3, group), strict=True)
    for sender, target in both:
        tries = layer3.outside.outgoing(sender.sources, answered=True)
        sure = [p for p in tries if _out_and_back(layer3, (sender, target), p, View.MUST)]
        drowned = [
            _drowned(layer3, (sender, target), p)
            or _drowned(layer3, (sender, target), p.back, layer3.outside.exits[View.MUST])
            for p in sure
        ]
        if sure:
            unsure = unsure if isinstance(unsure, Broken) or not all(drowned) else drowned[0]
            continue
        if any(_out_and_back(layer3, (sender, target), p, View.MAY) for p in tries):
            unsure = unsure or CannotTell((f"whether packets of {sender.name} get to {outside}, and answers back",))
            continue
        there = [i for p in tries[:1] for i in _entered(network, layer3, sender, p, View.MAY)]
        exits = layer3.outside.exits[View.MAY] or there
        if not exits:
            return CannotTell((NO_WAY,))
        leaving = PortRef(exits[0].device, exits[0].gateway.port or f"VLAN {exits[0].gateway.vid}")
        why = _why(sender, tries[0], there) if tries and not there else f"no packet gets to {outside} and back"
        return Broken(stop=Stop(sender.port, leaving, why=why))
    return unsure or Proved((f"Packets of each of its stations reach {outside}, and the answers come back.",))


def _out_and_back(layer3: Layer3, stations: tuple[Sender, Target], packet: Packet, view: View) -> bool:
    """Tells whether a packet leaves the campus, surely or perhaps, and whether its answer gets back."""
    network, (sender, target) = layer3.network, stations
    outside, routing, back = layer3.outside, layer3.routing[view], packet.back
    entered, exits = _entered(network, layer3, sender, packet, view), outside.exits[view]
    if view is View.MAY:
        gone = any(True for _ in outside.arrivals(entered, packet, frozenset(), view))
        return gone and any(_may(layer3, i, target, back) for i in exits)
    every = {*_entered(network, layer3, sender, packet, View.MAY), *outside.exits[View.MAY]}
    if not entered or not exits or every - {*entered, *exits}:
        return False
    leaves = all(routing.surely(i, packet, lambda _: False, lambda way: outside.leaves(way, view)) for i in entered)
    return leaves and all(routing.surely(i, back, lambda out: _heard_by_all(layer3, target, out)) for i in exits)


def _heard_by_all(layer3: Layer3, target: Target, out: Interface) -> bool:
    """Tells whether each port of a target surely hears what a gateway sends."""
    reached = layer3.routing[View.MUST].emitted(out)
    ports = target.ports[View.MUST]
    return all(any(reached.get(s, 0) >> d & 1 for s, d in places) for places in ports.values())


def _senders(network: Network, layer3: Layer3, group: Group) -> Iterator[Sender]:
    hosts = _hosts(group)
    for host in hosts:
        places = {v: list(_at_host(network, host, s.senders)) for v, s in _views(group)}
        yield Sender(host.name, host.port, _own(host), places, host)
    rest = group.may.ports - {r for h in hosts for r in network.seen_at(h.port)}
    if rest:
        places = {v: list(s.senders) for v, s in _views(group)}
        first = min(rest, key=lambda r: r.order)
        yield Sender(group.name, first, layer3.prefixes(group.may), places)


def _targets(network: Network, layer3: Layer3, group: Group) -> Iterator[Target]:
    hosts = _hosts(group)
    for host in hosts:
        seen_at = network.seen_at(host.port)
        heard = {v: _hearing(_at_host(network, host, s.hearers), seen_at) for v, s in _views(group)}
        yield Target(host.port, _own(host), heard)
    rest = group.may.ports - {r for h in hosts for r in network.seen_at(h.port)}
    if rest:
        first = min(rest, key=lambda r: r.order)
        yield Target(first, layer3.prefixes(group.may), {v: _hearing(s.hearers, rest) for v, s in _views(group)})


def _views(group: Group) -> list[tuple[View, Stations]]:
    return [(View.MUST, group.must), (View.MAY, group.may)]


def _hosts(group: Group) -> list[Host]:
    """Returns the hosts of a group of which the address is known."""
    return [h for h in group.may.hosts if h.address is not None]


def _at_host(network: Network, host: Host, places: Mapping[Place, list[PortRef]]) -> Mapping[Place, list[PortRef]]:
    """Returns those of some places that a host may send in or hear, with its ports there."""
    seen_at, mask = network.seen_at(host.port), host_domains(network, host)
    return {p: own for p, refs in places.items() if mask >> p[1] & 1 and (own := [r for r in refs if r in seen_at])}


def _own(host: Host) -> tuple[Prefix, ...]:
    assert host.address is not None  # noqa: S101 - hosts without one are left out
    return (type(host.address.network)(host.address.ip),)


def _hearing(hearers: Mapping[Place, list[PortRef]], ports: Collection[PortRef]) -> Mapping[PortRef, set[Place]]:
    found: dict[PortRef, set[Place]] = {ref: set() for ref in ports}
    for place, refs in hearers.items():
        for ref in refs:
            if ref in found:
                found[ref].add(place)
    return found


def _entered(network: Network, layer3: Layer3, sender: Sender, packet: Packet, view: View) -> list[Interface]:
    """Returns the gateways that may take a packet: a host sends through its own, and to its own subnet through none."""
    host = sender.host
    if not network.gateways.all:
        return []
    if host is not None and (host.gateway is None or (host.address and packet.target in host.address.network)):
        return []
    if view is View.MUST and host is not None and not _sends_beyond(host):
        return []
    masks: dict[str, Mask] = {}
    for switch, domain in sender.places[view]:
        masks[switch] = masks.get(switch, 0) | 1 << domain
    reached = network.graph(view).spread(masks)
    routing = layer3.routing[view]
    own: Ip | None = host.gateway if host else None
    found = [i for i in network.gateways.all if routing.hears(i, reached) and (own is None or own in i.gateway.answers)]
    shared = (i for i in found if own is None or own in i.gateway.virtual)
    idle = {i for i in shared if network.switches[i.device].routing is False}
    return [i for i in found if i not in idle] or found  # who does not route takes no shared address (RFC 9568, 1.6)


def _sends_beyond(host: Host) -> bool:
    """Tells whether a host surely sends packets to its gateway: this is in its own subnet, and another address than its own."""
    own, gateway = host.address, host.gateway
    if own is None or gateway is None or own.network.prefixlen == own.max_prefixlen:
        return True  # without a mask the subnet is not known
    return gateway in own.network and gateway != own.ip


def _surely(network: Network, layer3: Layer3, sender: Sender, target: Target, packet: Packet) -> bool:
    """Tells whether a packet surely arrives, whichever of its gateways takes it."""
    entered = _entered(network, layer3, sender, packet, View.MUST)
    possible = _entered(network, layer3, sender, packet, View.MAY)
    routing = layer3.routing[View.MUST]
    if not entered or set(possible) - set(entered):
        return False
    return all(routing.surely(into, packet, lambda out: _heard_by_all(layer3, target, out)) for into in entered)


def _may(layer3: Layer3, into: Interface, target: Target, packet: Packet) -> bool:
    routing = layer3.routing[View.MAY]
    for arrival in routing.follow([into], packet, frozenset()):
        reached = routing.emitted(arrival.out)
        ports = target.ports[View.MAY]
        if all(any(reached.get(s, 0) >> d & 1 for s, d in places) for places in ports.values()):
            return True
    return False


def _why(sender: Sender, packet: Packet, entered: list[Interface]) -> str:
    """Says why a packet does not arrive."""
    host = sender.host
    if host is not None and host.gateway is None:
        return f"{host.name} has no gateway"
    if host is not None and host.address and packet.target == host.address.ip:
        return f"{host.name} keeps packets for its own address"
    if host is not None and host.address and packet.target in host.address.network:
        return f"{host.name} takes {packet.target} for a neighbour, and no frame gets there"
    if not entered and host is not None:
        return f"{host.name} sends through {host.gateway}, and no gateway of that address hears it"
    if not entered:
        return f"no gateway that is up takes packets of {sender.name}"
    return f"no gateway passes packets from {packet.source} on to {packet.target}"


def _doubts(network: Network, layer3: Layer3, ends: tuple[Sender, Target], packet: Packet) -> Iterator[str]:
    """Yields what is not known on the ways by which a packet may arrive."""
    (sender, target), gateways = ends, network.gateways
    entered = _entered(network, layer3, sender, packet, View.MAY)
    if len(entered) > 1 and sender.host is not None:
        yield f"which of {', '.join(map(str, entered))} answers to {sender.host.gateway}: not all pass the packets on"
    for into in entered:
        heard = {(s, d) for s, mask in gateways.hears_in(into, View.MAY).items() for d in bits(mask)}
        yield from on_the_way(network, [(*place, ()) for place in sender.places[View.MAY]], heard)
        yield from _at_end(network, sender.port)
        yield from _in_front_of(network, into)
        for arrival in layer3.routing[View.MAY].follow([into], packet, frozenset()):
            yield from arrival.doubts
            starts = gateways.starts(arrival.out, View.MAY)
            places = [(s, d, ()) for s, mask in starts.masks.items() for d in bits(mask)]
            ears = {at for some in target.ports[View.MAY].values() for at in some}
            yield from on_the_way(network, [*places, *starts.tagged], ears)
            yield from _in_front_of(network, arrival.out)
            yield from _at_end(network, target.port)


def _at_end(network: Network, ref: PortRef) -> Iterator[str]:
    """Yields what is not known of the port of an honest station."""
    return of_port(network, ref, lambda relay: (relay.accept(()), relay.sends)) if network.has(ref) else iter(())


def _in_front_of(network: Network, gateway: Interface) -> Iterator[str]:
    """Yields what is not known of the ports that a gateway on a routed port is cabled to."""
    for far in network.gateways.far_ends(gateway, View.MAY):
        yield from of_port(network, far, lambda relay: (relay.accept(gateway.tags), relay.sends))


def _unsure(a: Group, b: Group, facts: Iterable[str]) -> CannotTell:
    return CannotTell(tuple(dict.fromkeys((f"whether all of {b.name} hear {a.name}", *facts))))
