"""How packets get from gateway to gateway: filters, the longest matching route, the next device.

A packet comes in by a gateway, past its filter; the device picks the routes with the longest prefix that holds its
destination; it goes out by a gateway, past that filter, into the VLAN there, or on to the next device.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Mapping
from graphlib import CycleError, TopologicalSorter
from typing import Final, NamedTuple

from inkov.forwarding.gateways import Interface
from inkov.forwarding.network import Network
from inkov.kinds.relay import Mask, View
from inkov.model.remembered import remembered
from inkov.model.routing import Filter, Route
from inkov.model.source import Source
from inkov.proof.outcome import Turn
from inkov.proof.packets import Packet


class Passed(NamedTuple):
    """A filter that may let a packet pass: the entry in words, where it stands, and why it is not sure."""

    by: str = ""
    source: Source | None = None
    doubt: str = ""


def passes(filters: Mapping[str, Filter], name: str, packet: Packet) -> Passed | None:
    """Tells how a filter lets a packet pass; None when it surely drops it.

    Entries that match by more than addresses stand for some packets between the two, not for all: one that accepts
    lets some through, one that drops does not stop all.
    """
    if not name:
        return Passed()
    if name not in filters:
        return Passed(doubt=f"filter {name} is not in the input")
    some_dropped = False
    for entry in filters[name].entries:
        if (entry.origin and packet.source not in entry.origin) or (entry.target and packet.target not in entry.target):
            continue
        if entry.accepts:
            doubt = (
                f"whether filter {name} drops what its entry '{entry}' accepts" if some_dropped and entry.only else ""
            )
            return Passed(f"{name}: {entry}", entry.source, doubt)
        if not entry.only:
            return None
        some_dropped = True
    return Passed(
        doubt=f"what filter {name} does with packets that no entry matches is not stated", source=filters[name].source
    )


class Arrival(NamedTuple):
    """A packet that goes out by a gateway, and the turns it took to get there."""

    out: Interface
    turns: tuple[Turn, ...]

    @property
    def doubts(self) -> tuple[str, ...]:
        """What is not sure on the way."""
        return tuple(dict.fromkeys(d for t in self.turns for d in t.doubts))


class Way(NamedTuple):
    """One way on from a device: a gateway to go out by, the next device, and what that rests on."""

    out: Interface | None
    via: str
    source: Source | None
    doubt: str = ""
    onto: bool = False
    """It is put on the wire for whoever answers for its destination."""


_UNRANKED: Final = "which of the routes for one prefix counts is not stated: some have a metric, and some have none"


def _has_circle(then: Mapping[Interface, Iterable[Interface]]) -> bool:
    """Tells whether a packet that goes on from gateway to gateway may come by one again."""
    try:
        TopologicalSorter(then).prepare()
    except CycleError:
        return True
    return False


class Routing:
    """The routing of a campus in one view: *may* follows what is doubtful and says so, *must* does not."""

    def __init__(self, network: Network, view: View) -> None:
        self.network = network
        self.gateways = network.gateways
        self.view = view

    @remembered
    def emitted(self, interface: Interface) -> Mapping[str, Mask]:
        """Returns everywhere that the frames a gateway sends get to."""
        starts = self.gateways.starts(interface, self.view)
        return self.network.graph(self.view).spread(starts.masks, starts.tagged)

    def hears(self, interface: Interface, reached: Mapping[str, Mask]) -> bool:
        """Tells whether frames that got so far reach a gateway that is up."""
        heard = self.gateways.hears_in(interface, self.view)
        return self.gateways.up(interface, self.view) and any(reached.get(s, 0) & mask for s, mask in heard.items())

    def follow(self, entered: list[Interface], packet: Packet, without: frozenset[str]) -> Iterator[Arrival]:
        """Yields where a packet goes out, by the fewest turns.

        Args:
            entered: gateways that hear it at first.
            packet: its addresses.
            without: devices whose routing does not count.
        """
        for way, turns in self.walk(entered, packet, without):
            if way.out is not None and (not way.via or self.view is View.MAY):
                yield Arrival(way.out, turns)

    def walk(
        self, entered: list[Interface], packet: Packet, without: frozenset[str]
    ) -> Iterator[tuple[Way, tuple[Turn, ...]]]:
        """Yields every way that devices may pass a packet on by, with the turns up to it; what `follow` takes, too."""
        todo: deque[tuple[Interface, tuple[Turn, ...]]] = deque((i, ()) for i in entered)
        seen = set(entered)
        while todo:
            into, turns = todo.popleft()
            routing = self.network.switches[into.device].routing
            if into.device in without or routing is False or (routing is None and self.view is View.MUST):
                continue
            for way, turn in self._turns(into, packet):
                path = (*turns, turn)
                yield way, path
                for then, doubt in self._next(way, into):
                    if then not in seen:
                        seen.add(then)
                        last = turn if not doubt else turn.doubting(doubt)
                        todo.append((then, (*turns, last)))

    def surely(
        self,
        into: Interface,
        packet: Packet,
        heard: Callable[[Interface], bool],
        gone: Callable[[Way], bool] = lambda _: False,
    ) -> bool:
        """Tells whether a packet that a gateway takes surely arrives: by every way that its devices may choose, and in no circle.

        Args:
            into: the gateway it comes in by.
            packet: its addresses.
            heard: tells whether all it is for hear what a gateway sends.
            gone: tells whether it has arrived by being sent that way, out of the campus.
        """
        then: dict[Interface, list[Interface]] = {}
        todo = [into]
        while todo:
            here = todo.pop()
            if here in then:
                continue
            then[here] = []
            if self.network.switches[here.device].routing is not True:
                return False
            turns, ways = self._turns(here, packet), list(self._ways(here, packet))
            if not turns or len(turns) < len(ways):
                return False
            for way in (way for way, _ in turns if not gone(way)):
                onward = [i for i, _ in self._next(way, here)]
                if way.via and not onward:
                    return False
                if not way.via and (way.out is None or not heard(way.out)):
                    return False
                then[here] += onward
                todo += onward
        return not _has_circle(then)

    @remembered
    def _turns(self, into: Interface, packet: Packet) -> tuple[tuple[Way, Turn], ...]:
        """Returns the ways a device may pass a packet on by, past its filters."""
        return tuple(self._turned(into, packet))

    def _turned(self, into: Interface, packet: Packet) -> Iterator[tuple[Way, Turn]]:
        switch = self.network.switches[into.device]
        came, family = passes(switch.filters, into.gateway.inward, packet), packet.source.version
        takes = into.gateway.takes(family)
        if came is None or takes is False:
            return
        for way in self._ways(into, packet):
            went = passes(switch.filters, way.out.gateway.outward if way.out else "", packet)
            if went is None:
                continue
            unstated = f"whether {into.device} routes is not stated" if switch.routing is None else ""
            address = f"whether {into} has an IPv{family} address is not stated" if takes is None else ""
            silent = [
                f"which filters {i} has is not told"
                for i in dict.fromkeys((into, way.out))
                if i and "filters" in i.gateway.untold
            ]
            states = [self.gateways.state(i).why for i in (into, way.out) if i and self.gateways.state(i).up is None]
            doubts = tuple(filter(None, (unstated, address, came.doubt, went.doubt, way.doubt, *silent, *states)))
            if doubts and self.view is View.MUST:
                continue
            unfiltered = "" if came.by or silent else "no filter stands there"
            out = way.out.gateway.source if way.out else None
            led = f"route via {way.via}" if way.via else f"route by {way.out}" if way.onto else ""
            yield (
                way,
                Turn(
                    into.device,
                    into.gateway,
                    way.out.gateway if way.out else None,
                    packet.source,
                    packet.target,
                    tuple(filter(None, (came.by, led, went.by or unfiltered))),
                    (into.gateway.source, came.source, way.source, out, went.source),
                    doubts,
                ),
            )

    def _ways(self, into: Interface, packet: Packet) -> Iterator[Way]:
        """Yields the ways out by the longest prefix; in *may*, by shorter ones too where the longest may be down."""
        own = [
            i
            for i in self.gateways.of(into.device)
            if i.gateway.vrf == into.gateway.vrf and self.gateways.state(i).up is not False
        ]
        tiers = self._tiers(into, own, packet)
        for rank in sorted(tiers, reverse=True):
            routes = [best for best in tiers[rank] if isinstance(best, Route)]
            mixed = len({r.metric for r in routes}) > 1  # those that all state one are in tiers of their own
            for best in tiers[rank]:
                if not isinstance(best, Route):
                    if self.gateways.up(best, self.view):
                        yield Way(best, "", None)
                else:
                    way = self._by_route(best, own)
                    yield way._replace(doubt=way.doubt or _UNRANKED) if mixed else way
            if self.view is View.MUST or any(self._stands(best, own) for best in tiers[rank]):
                break
        learns = self.network.switches[into.device].learns
        if learns:  # a learned route may be more specific than any prefix in sight
            doubt = f"which other routes {into.device} has is not known ({learns})"
            yield Way(None, "a learned route", None, doubt)

    def _stands(self, best: Interface | Route, own: list[Interface]) -> bool:
        """Tells whether a way surely counts, so that no shorter prefix does."""
        if isinstance(best, Route):
            out = None if best.drops else self._by_route(best, own).out
            return best.drops or (out is not None and self.gateways.up(out, View.MUST))
        return self.gateways.up(best, View.MUST)

    def _tiers(
        self, into: Interface, own: list[Interface], packet: Packet
    ) -> dict[tuple[int, int], list[Interface | Route]]:
        """Returns the gateways and static routes of a device that lead to a destination, by length of prefix, then by metric."""
        tiers: dict[tuple[int, int], list[Interface | Route]] = {}
        for interface in own:
            for address in interface.gateway.addresses:
                if packet.target in address.network:
                    tiers.setdefault((address.network.prefixlen, 0), []).append(interface)
            if "subnet" in interface.gateway.untold and self.view is View.MAY:  # as small as any
                tiers.setdefault((packet.target.max_prefixlen, 0), []).append(interface)
        fits = [
            r
            for r in self.network.switches[into.device].routes
            if r.vrf == into.gateway.vrf and packet.target in r.prefix and not self._withdrawn(r, into, own)
        ]
        unranked = {r.prefix.prefixlen for r in fits if r.metric is None}
        for route in fits:
            length = route.prefix.prefixlen
            tiers.setdefault((length, 0 if length in unranked else -(route.metric or 0)), []).append(route)
        return tiers

    def _withdrawn(self, route: Route, into: Interface, own: list[Interface]) -> bool:
        """Tells whether a route leads out by gateways that are all down, so that the device does not use it."""
        leads = [i for i in self.gateways.of(into.device) if route.leads_by(i.gateway)]
        return bool(leads) and not any(i in own for i in leads)

    def _by_route(self, route: Route, own: list[Interface]) -> Way:
        if route.drops:
            return Way(None, "", route.source)
        if route.out:
            out = next((i for i in own if i.gateway.key == route.out), None)
            doubt = "" if out else f"where the {route} leads is not known"
            return Way(out, str(route.via or ""), route.source, doubt, onto=route.via is None)
        ways = [
            (a.network.prefixlen, n) for n, i in enumerate(own) for a in i.gateway.addresses if route.via in a.network
        ]
        if not ways:
            return Way(None, str(route.via), route.source, f"where the route via {route.via} leads is not known")
        return Way(own[max(ways)[1]], str(route.via), route.source)

    def _next(self, way: Way, into: Interface) -> Iterator[tuple[Interface, str]]:
        """Yields the gateways at which a packet comes in next, each with a doubt about that."""
        if not way.via:
            if way.onto and way.out is not None and self.view is View.MAY:
                others = self._hearing(way.out, [i for i in self.gateways.all if i.device != into.device])
                yield from ((i, f"whether {i} answers for addresses of others is not known") for i in others)
            return
        owners = [i for i in self.gateways.all if any(str(ip) == way.via for ip in i.gateway.answers)]
        if way.out is not None:
            owners = self._hearing(way.out, owners)
        if owners and way.out is not None:
            yield from ((i, "") for i in owners)
        elif self.view is View.MAY:
            doubt = way.doubt or f"what the device at {way.via} does with packets is not known"
            others = [i for i in self.gateways.all if i != into and self.gateways.up(i, View.MAY)]
            yield from ((i, doubt) for i in others)

    def _hearing(self, out: Interface, some: Iterable[Interface]) -> list[Interface]:
        """Returns those of some gateways that hear what another one sends."""
        reached, beside = self.emitted(out), self.gateways.beside(out, self.view)
        return [i for i in some if i in beside or self.hears(i, reached)]
