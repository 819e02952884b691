"""Stations of a segment in hostile hands: what they can make of their ports, and what they then send and hear.

A hostile station sends any frame: with any tag, with tags inside tags; it answers negotiation or starts it,
and it may be a switch. In *may* every habit that nothing states is taken both ways.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping
from typing import Final

from inkov.forwarding.graph import Reach, State
from inkov.forwarding.network import Network
from inkov.forwarding.uncover import ANY, any_of, stack_towards
from inkov.kinds.relay import Domain, Mask, Tag, Tags, View, tag_of
from inkov.model.campus import Apart
from inkov.model.names import PortRef
from inkov.model.remembered import remembered
from inkov.model.vlanset import FULL_MASK, bits
from inkov.proof.layer3 import Layer3, Listener, Speaker
from inkov.proof.outcome import Ask, Witness
from inkov.proof.packets import ANYWHERE
from inkov.proof.stations import Place, Stations
from inkov.proof.unknowns import MORE_TAGS, all_open, at_ends, declared, unknowns
from inkov.proof.way import passages, starting

ARGUMENT: Final = "No station gets a frame to another segment, or hears one of it, with any tag, with tags inside tags, or by negotiation."
"""Why hostile stations of one segment do not meet those of another."""


class Attackers:
    """The stations of one segment, hostile.

    Attributes:
        senders: for each place where their frames can start, the ports they come in by.
        hearers: for each place whose frames they can hear, the ports.
        plain: domains they enter untagged, with no tag left inside, by switch.
        armed: domains they enter with any tags left inside, by switch.
        payload: domains they enter with tags left inside of which the first is of a format, by switch and format.
    """

    def __init__(self, network: Network, stations: Stations, view: View) -> None:
        self.name = stations.name
        self.network = network
        self.senders: dict[Place, list[PortRef]] = defaultdict(list)
        self.hearers: dict[Place, list[PortRef]] = defaultdict(list)
        self.plain: dict[str, Mask] = defaultdict(int)
        self.armed: dict[str, Mask] = defaultdict(int)
        self.heard: dict[str, Mask] = defaultdict(int)
        self.payload: dict[tuple[str, Tag], Mask] = defaultdict(int)
        for ref in sorted(reachable(network, stations), key=lambda r: r.order):
            relay = network.obeying(ref, view)
            armed = relay.takes if relay.keeps else relay.takes_tagged
            if takes_zero(network, ref, view):  # a frame tagged 0, with a tag inside, counts as untagged
                armed |= relay.in_untagged
            for number in network.formats.values():
                if number not in relay.formats or relay.unsure:
                    self.payload[ref.switch, number] |= relay.in_untagged & FULL_MASK
            self.plain[ref.switch] |= relay.in_untagged & FULL_MASK
            self.armed[ref.switch] |= armed & FULL_MASK
            self.heard[ref.switch] |= relay.sends & FULL_MASK
            for domain in bits(relay.takes & FULL_MASK):
                self.senders[ref.switch, domain].append(ref)
            for domain in bits(relay.sends & FULL_MASK):
                self.hearers[ref.switch, domain].append(ref)

        for ref, interface in stations.managed.items():  # the switches themselves are honest, and hear what they hear
            place = interface.device, interface.gateway.vid or 0
            if ref in stations.hearers.get(place, ()):
                self.plain[place[0]] |= 1 << place[1]
                self.heard[place[0]] |= 1 << place[1]
                self.senders[place].append(ref)
                self.hearers[place].append(ref)

    def starts(self, inner: Mask) -> Iterator[tuple[str, Domain, Tags]]:
        """Yields the states their frames can start in; where tags may be inside, with one of some VLANs."""
        tags = {n: [(tag_of(v, n),) for v in bits(inner)] for n in self.network.formats.values()}
        for switch in dict.fromkeys([*self.plain, *self.armed]):
            armed = self.armed.get(switch, 0)
            for domain in bits(self.plain.get(switch, 0) | armed):
                yield switch, domain, ()
            for number, some in tags.items():
                mask = armed | self.payload.get((switch, number), 0)
                yield from ((switch, domain, tag) for domain in bits(mask) for tag in some)

    def any_starts(self) -> Iterator[tuple[str, Domain, Tags]]:
        """Yields the states their frames can start in, with what stands for any tags where tags may be inside."""
        for masks, inner in ((self.plain, ()), (self.armed, (ANY,))):
            for switch, mask in masks.items():
                yield from ((switch, domain, inner) for domain in bits(mask))
        for (switch, number), mask in self.payload.items():
            yield from ((switch, domain, (any_of(number),)) for domain in bits(mask))

    def reached(self, network: Network, view: View) -> dict[str, Mask]:
        """Returns everywhere that their frames get to, with any number of tags inside."""
        graph = network.graph(view)
        made = dict(graph.spread(self.plain))
        for switch, mask in graph.spread(self.all_armed, armed=True).items():
            made[switch] = made.get(switch, 0) | mask
        return made

    @property
    def all_armed(self) -> dict[str, Mask]:
        """The domains they enter with tags left inside, of whatever format, by switch."""
        made = dict(self.armed)
        for (switch, _), mask in self.payload.items():
            made[switch] = made.get(switch, 0) | mask
        return made


def reachable(network: Network, stations: Stations) -> frozenset[PortRef]:
    """Returns the ports that hostile stations of a segment can plug into: those that are dead as they are set, too.

    A port that passes nothing as an access port still becomes a trunk for whoever asks, or takes tags.
    """
    found = stations.ports.union(r for r in stations.named if r in network.station_ports.get(r.switch, ()))
    if stations.view is View.MAY and stations.segment.ports is None:
        found |= network.of_any_vlan
    return found - stations.managed.keys()


def takes_zero(network: Network, ref: PortRef, view: View) -> bool:
    """Tells whether a port may take a frame tagged 0 as untagged, and leave a tag inside it alone; never said of *must*."""
    switch = network.switches[ref.switch]
    return view is View.MAY and (switch.habits.own_tag or "own_tag" in switch.unstated_habits)


class HostileProver:
    """Decides `apart` where any station of a segment may be hostile, as sender or as listener."""

    def __init__(
        self,
        network: Network,
        stations: Callable[[str, View], Stations],
        layer3: Layer3,
        side: Callable[[str], tuple[Speaker, Listener]],
    ) -> None:
        self.network = network
        self.stations = stations
        self.layer3 = layer3
        self.side = side
        self._speakers: dict[str, Speaker] = {}

    @remembered
    def attackers(self, name: str, view: View) -> Attackers:
        """Returns a segment's stations as attackers in a view."""
        return Attackers(self.network, self.stations(name, view), view)

    def meetings(self, claim: Apart, a: str, b: str, ask: Ask = Ask.WHOLE) -> list[Witness]:
        """Finds how two segments meet when a station of either is hostile, at layer 2 or else at layer 3."""
        found = []
        for x, y in ((a, b), (b, a)):
            way = self.by_frames(x, y, ask) if 2 in claim.layers else None
            if 3 in claim.layers and (way is None or (way.unknown and ask is not Ask.ANY)):
                way = self.by_packets(x, y, frozenset(claim.through), ask) or way
            found += [way] if way else []
            if found and ask is not Ask.WHOLE:
                break
        return found

    def by_frames(self, a: str, b: str, ask: Ask = Ask.WHOLE) -> Witness | None:
        """Finds how frames of `a` get to `b` when either is hostile: sent on purpose, or overheard; a certain way if there is one."""
        sent = self.attack(a, b, ask)
        if sent is not None and (not sent.unknown or ask is Ask.ANY):
            return sent
        heard = self.overhear(a, b, ask)
        return heard if sent is None or (heard is not None and not heard.unknown) else sent

    def attacking(self, name: str) -> Speaker:
        """Returns a segment in hostile hands as it speaks at layer 3: from any address it likes."""
        if name not in self._speakers and self.stations(name, View.MAY).segment.outside:
            self._speakers[name] = self.layer3.outsiders(name, forging=True)[0]
        if name not in self._speakers:
            self._speakers[name] = Speaker(
                name,
                lambda view: self.attackers(name, view).reached(self.network, view),
                lambda view: self.attackers(name, view).starts(self.layer3.listened),
                lambda view: self.attackers(name, view).senders,
                ANYWHERE,
                forges=True,
            )
        return self._speakers[name]

    def by_packets(self, a: str, b: str, without: frozenset[str], ask: Ask = Ask.WHOLE) -> Witness | None:
        """Finds how packets of `a` get to `b` when either is hostile: sent from any address, or overheard."""
        (speaker, _), (_, listener) = self.side(a), self.side(b)
        attack = self.layer3.way(self.attacking(a), listener, without, ask)
        if attack is not None and not attack.unknown:
            return attack
        ears = listener
        if not listener.outside:
            ears = Listener(b, lambda view: self.attackers(b, view).hearers, ANYWHERE)
        heard = self.layer3.way(speaker, ears, without, ask)
        return heard if attack is None or (heard is not None and not heard.unknown) else attack

    @remembered
    def reached(self, name: str, *, hostile: bool) -> Mapping[str, Mask]:
        """Returns everywhere that frames of a segment may get to, from hostile stations or from honest ones."""
        attackers = self.attackers(name, View.MAY) if hostile else None
        return attackers.reached(self.network, View.MAY) if attackers else self.spread(name, View.MAY)

    def spread(self, name: str, view: View) -> Mapping[str, Mask]:
        """Returns everywhere that frames of a segment's honest stations get to."""
        stations = self.stations(name, view)
        return self.network.graph(view).spread(stations.masks, stations.tagged)

    def attack(self, a: str, b: str, ask: Ask = Ask.WHOLE) -> Witness | None:
        """Finds a frame by which a hostile station of `a` is heard in `b`; None when there can be none."""
        if not self.stations(b, View.MAY).heard_in(self.reached(a, hostile=True)):
            return None
        for view in ask.views:
            attackers, victims = self.attackers(a, view), self.stations(b, view)
            if not victims.heard_in(attackers.reached(self.network, view)):
                continue
            graph = self.network.graph(view)
            start = stack_towards(graph, attackers.any_starts(), victims.hearers, self.network.formats.values())
            reach = graph.reach([start] if start else [], victims.hearers)
            if end := reach.first(victims.hearers):
                return self._witness(reach, end, (attackers.senders, victims.hearers), (a, b), view)
        return Witness(a, b, (), unknown=(MORE_TAGS,)) if ask is not Ask.SURE else None

    def overhear(self, a: str, b: str, ask: Ask = Ask.WHOLE) -> Witness | None:
        """Finds a way by which a hostile station of `b` hears an honest one of `a`, beyond what an honest one would."""
        heard = self.attackers(b, View.MAY).heard
        reached = self.reached(a, hostile=False)
        if not any(reached.get(switch, 0) & mask for switch, mask in heard.items()):
            return None
        for view in ask.views:
            speakers, hearers = self.stations(a, view), self.attackers(b, view).hearers
            reach = self.network.graph(view).reach(speakers.starts, hearers)
            if end := reach.first(hearers):
                return self._witness(reach, end, (speakers.senders, hearers), (a, b), view)
        return Witness(a, b, (), unknown=(MORE_TAGS,)) if ask is not Ask.SURE else None

    def _witness(
        self,
        reach: Reach,
        end: State,
        ports: tuple[Senders, Senders],
        names: tuple[str, str],
        view: View,
    ) -> Witness:
        first = reach.path(end)[0][0]
        start = starting(self.network, ports[0][first.switch, first.domain], first)
        hearers = ports[1][end.switch, end.domain]
        last = next((p for p in hearers if p not in {end.by, start}), hearers[0])
        way = passages(self.network, reach, end, start, last)
        missing: tuple[str, ...] = ()
        if view is View.MAY:
            missing = (
                *unknowns(self.network, reach, end),
                *at_ends(self.network, way),
                *declared(self.network, way),
            )
            missing = (
                missing
                or all_open(self.network, way)
                or (f"whether {start or first.switch} can be made to take such a frame",)
            )
        return Witness(*names, way, unknown=missing)


Senders = Mapping[Place, list[PortRef]]
