"""Whether packets of one segment get to another by way of gateways, and the way they take."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from inkov.forwarding.gateways import Gateways, Interface
from inkov.forwarding.graph import Reach, State
from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Mask, Tags, View
from inkov.model.names import PortRef
from inkov.model.routing import Ip, Prefix
from inkov.model.vlanset import bits
from inkov.proof.outcome import Ask, Passage, Turn, Witness
from inkov.proof.outside import Outside
from inkov.proof.packets import ANYWHERE, Classes, Packet
from inkov.proof.routing import Arrival, Routing
from inkov.proof.stations import Place, Stations
from inkov.proof.together import Rings
from inkov.proof.unknowns import all_open, at_ends, unknowns
from inkov.proof.way import passages, starting

Ports = Mapping[Place, list[PortRef]]


@dataclass(eq=False)
class Speaker:
    """Who sends.

    Attributes:
        name: the segment.
        reached: everywhere its frames get to, in a view.
        starts: the states its frames start in.
        senders: the ports they come from.
        prefixes: the source addresses it uses.
        forges: it uses addresses of devices, too.
        outside: it is outside of the campus.
    """

    name: str
    reached: Callable[[View], Mapping[str, Mask]]
    starts: Callable[[View], Iterable[tuple[str, Domain, Tags]]]
    senders: Callable[[View], Ports]
    prefixes: tuple[Prefix, ...]
    forges: bool = False
    outside: bool = False
    entered: dict[View, list[Interface]] = field(default_factory=dict)


@dataclass(eq=False)
class Listener:
    """Who hears: the segment, the ports in each place, the addresses it answers to, and whether it is outside."""

    name: str
    hearers: Callable[[View], Ports]
    prefixes: tuple[Prefix, ...]
    outside: bool = False
    masks: dict[View, Mapping[str, Mask]] = field(default_factory=dict)


class Layer3:
    """Layer 3 of a campus."""

    def __init__(self, network: Network) -> None:
        self.network = network
        self.routing = {view: Routing(network, view) for view in (View.MUST, View.MAY)}
        self.classes = Classes.of(network.gateways)
        self._packets: dict[tuple[tuple[Prefix, ...], tuple[Prefix, ...], bool], list[Packet]] = {}
        self.known: list[Ip] = [h.address.ip for h in network.campus.hosts.values() if h.address]

    @property
    def gateways(self) -> Gateways:
        """The gateways as the input has them."""
        return self.network.gateways

    @cached_property
    def rings(self) -> Rings:
        """The loops of the campus."""
        return Rings(self.network)

    @cached_property
    def outside(self) -> Outside:
        """What lies outside of the campus."""
        return Outside(self.network, self.routing)

    def outsiders(self, name: str, *, forging: bool = False) -> tuple[Speaker, Listener]:
        """Returns the outside as speaker and as listener.

        Args:
            name: the segment that stands for it.
            forging: it sends from addresses of the campus, too.
        """
        speaker = Speaker(name, lambda _: {}, lambda _: [], lambda _: {}, ANYWHERE, forging, outside=True)
        speaker.entered = {view: self._let_in(view) for view in self.routing}
        return speaker, Listener(name, lambda _: {}, ANYWHERE, outside=True)

    def _let_in(self, view: View) -> list[Interface]:
        """Returns the gateways that hear what comes from outside: where it leaves, and those in the same VLAN perhaps."""
        exits, routing = self.outside.exits[view], self.routing[view]
        beside = [
            i for e in exits if view is View.MAY for i in self.gateways.all if routing.hears(i, routing.emitted(e))
        ]
        return list(dict.fromkeys([*exits, *beside]))

    @cached_property
    def listened(self) -> Mask:
        """The domains in which some gateway listens, on whatever switch."""
        found = 0
        gateways = self.gateways
        for interface in gateways.all:
            for mask in gateways.hears_in(interface, View.MAY).values():
                found |= mask
        return found

    def prefixes(self, stations: Stations) -> tuple[Prefix, ...]:
        """Returns the addresses of a segment: as it declares, else those of its gateways, with those of its hosts."""
        found: dict[Prefix, None] = dict.fromkeys(stations.segment.subnets)
        if not found:
            own = [i for v in stations.vlans for i in self.gateways.by_vlan.get(v, ())]
            nets = [a.network for i in own for a in i.gateway.addresses]
            found.update((n, None) for n in nets if n.num_addresses > 1)
            known = {n.version for n in found}  # a subnet of a single address holds no station: theirs are not known
            found.update((ANYWHERE[n.version == 6], None) for n in nets if n.version not in known)
        for host in stations.hosts:
            if host.address and not any(host.address in p for p in found):
                found[type(host.address.network)(host.address.ip)] = None
        return tuple(found) or ANYWHERE

    def entered(self, speaker: Speaker, view: View) -> list[Interface]:
        """Returns the gateways that are up and hear a segment."""
        if view not in speaker.entered:
            routing = self.routing[view]
            everyone = routing.gateways.all
            reached = speaker.reached(view) if everyone else {}
            speaker.entered[view] = [i for i in everyone if routing.hears(i, reached)]
        return speaker.entered[view]

    def way(
        self, a: Speaker, b: Listener, without: frozenset[str] = frozenset(), ask: Ask = Ask.WHOLE
    ) -> Witness | None:
        """Finds a way of the fewest turns from one segment to another, a certain one if there is one."""
        found: dict[View, Arrival] = {}
        for view in reversed(ask.views):  # what does not get there in *may* does not surely, so that is tried first
            arrival = self._arrival(a, b, without, view)
            if arrival is None:
                break
            found[view] = arrival
        ways = (self._witness(a, b, found[view], view) for view in ask.views if view in found)
        return next((way for way in ways if way is not None), None)

    def packets(
        self, sources: tuple[Prefix, ...], targets: tuple[Prefix, ...], *, forged: bool = False
    ) -> list[Packet]:
        """Returns a packet of each class between some sources and some destinations."""
        key = (sources, targets, forged)
        if key not in self._packets:
            self._packets[key] = list(self.classes.packets(sources, targets, self.known, forged=forged))
        return self._packets[key]

    def _arrival(self, a: Speaker, b: Listener, without: frozenset[str], view: View) -> Arrival | None:
        entered = self.entered(a, view)
        if not entered:
            return None
        if view not in b.masks:
            b.masks[view] = _masks(b.hearers(view))
        best: Arrival | None = None
        for packet in self._between(a, b):
            for arrival in self._arrivals(b, entered, packet, without, view):
                if best is None or _cost(arrival) < _cost(best):
                    best = arrival
                break
            if best is not None and _cost(best) == (0, 1):
                break  # no way is shorter, or surer
        return best

    def _between(self, a: Speaker, b: Listener) -> list[Packet]:
        """Returns a packet of each class that one sends to the other."""
        if a.outside:
            return self.outside.incoming(b.prefixes, forged=a.forges)
        if b.outside:
            return self.outside.outgoing(a.prefixes, forged=a.forges)
        return self.packets(a.prefixes, b.prefixes, forged=a.forges)

    def _arrivals(
        self, b: Listener, entered: list[Interface], packet: Packet, without: frozenset[str], view: View
    ) -> Iterator[Arrival]:
        """Yields where a packet goes out to be heard."""
        if b.outside:
            yield from self.outside.arrivals(entered, packet, without, view)
            return
        heard, routing = b.masks[view], self.routing[view]
        for arrival in routing.follow(entered, packet, without):
            reached = routing.emitted(arrival.out)
            if any(reached.get(switch, 0) & mask for switch, mask in heard.items()):
                yield arrival

    # -- the way in full -----------------------------------------------------------------------------

    def _witness(self, a: Speaker, b: Listener, found: Arrival, view: View) -> Witness | None:
        """Returns the way in full; None in *must* where no single frame is known to take it."""
        account, gateways = _Account(self.network, view), self.gateways
        reach, sender = self.network.graph(view).reach(a.starts(view)), None
        for n, turn in enumerate(found.turns):
            if n or not a.outside:
                into = self._by_gateway[turn.device, id(turn.into)]
                end = _first(reach, gateways.hears_in(into, view))
                if end is not None and not n:
                    sender = _sender(self.network, reach, end, a.senders(view))
                if not account.leg(reach, end, sender, gateways.far_ends(into, view)):
                    return None
            account.way.append(turn)
            reach, sender = self._sent_on(turn, view)
        if not b.outside:
            hearers = b.hearers(view)
            end = reach.first(hearers)
            ports = hearers[end.switch, end.domain] if end else []
            if not account.leg(reach, end, sender, [*(p for p in ports if end and p != end.by), *ports]):
                return None
        return Witness(a.name, b.name, tuple(account.way), unknown=account.unknown(found.doubts))

    def _sent_on(self, turn: Turn, view: View) -> tuple[Reach, PortRef | None]:
        """Returns how far frames get that a device sends on, and the port by which they enter layer 2."""
        out = self._by_gateway[turn.device, id(turn.out)] if turn.out else None
        graph = self.network.graph(view)
        if out is None:
            return graph.reach([]), None
        starts = self.gateways.starts(out, view)
        places = [(s, d, ()) for s, mask in starts.masks.items() for d in bits(mask)]
        first = next(iter(self.gateways.far_ends(out, view)), None) if out.port else None
        return graph.reach([*places, *starts.tagged]), first

    @cached_property
    def _by_gateway(self) -> Mapping[tuple[str, int], Interface]:
        return {(i.device, id(i.gateway)): i for i in self.gateways.all}


class _Account:
    """A way told leg by leg, with what is not known on it."""

    def __init__(self, network: Network, view: View) -> None:
        self.network = network
        self.view = view
        self.way: list[Passage | Turn] = []
        self._missing: dict[str, None] = {}

    def leg(self, reach: Reach, end: State | None, sender: PortRef | None, listeners: Iterable[PortRef]) -> bool:
        """Adds the way to an end, told up to a listener there; false where there is none, and there must be one."""
        if end is None:
            return self.view is View.MAY
        listener = next((ref for ref in listeners if ref.switch == end.switch), None)
        self.way += passages(self.network, reach, end, sender, listener)
        if self.view is View.MAY:
            self._missing.update(dict.fromkeys(unknowns(self.network, reach, end)))
        return True

    def unknown(self, doubts: Iterable[str]) -> tuple[str, ...]:
        """Returns what decides whether the way exists: nothing in *must*."""
        if self.view is View.MUST:
            return ()
        found = dict.fromkeys([*self._missing, *doubts, *at_ends(self.network, self.way)])
        return tuple(found) or all_open(self.network, self.way) or ("whether such packets pass",)


def honest(
    stations: Callable[[View], Stations], layer3: Layer3, reached: Callable[[View], Mapping[str, Mask]]
) -> tuple[Speaker, Listener]:
    """Returns the honest stations of a segment as speaker and as listener.

    Args:
        stations: the stations, in a view.
        layer3: layer 3 of their campus.
        reached: everywhere their frames get to, in a view.
    """
    some = stations(View.MAY)
    prefixes = layer3.prefixes(some)
    return (
        Speaker(some.name, reached, lambda v: stations(v).starts, lambda v: stations(v).senders, prefixes),
        Listener(some.name, lambda v: stations(v).hearers, prefixes),
    )


def _cost(arrival: Arrival) -> tuple[int, int]:
    return len(arrival.doubts), len(arrival.turns)


def _masks(places: Iterable[Place]) -> Mapping[str, Mask]:
    masks: dict[str, Mask] = {}
    for switch, domain in places:
        masks[switch] = masks.get(switch, 0) | 1 << domain
    return masks


def _first(reach: Reach, heard: Mapping[str, Mask]) -> State | None:
    return next((s for s in reach.states if not s.inner and heard.get(s.switch, 0) >> s.domain & 1), None)


def _sender(network: Network, reach: Reach, end: State, senders: Ports) -> PortRef | None:
    first = reach.path(end)[0][0]
    ports = senders.get((first.switch, first.domain))
    return starting(network, ports, first) if ports else None
