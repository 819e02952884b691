"""The prover. `apart` is decided on the *may* graph, `together` on the *must* graph.

Everything that could pass is in *may*, so what cannot happen there cannot happen at all: blocking by a
tree, pruning and failures only take edges away. Everything in *must* surely passes, so a way there breaks
an `apart` for certain. A way that is only in *may* decides nothing, and the unknown on it is named.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Final

from inkov.forwarding.graph import Reach, State
from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Mask, View
from inkov.model.campus import Apart, Claim, Facing, Together
from inkov.model.names import PortRef
from inkov.model.remembered import remembered
from inkov.model.touching import assumptions_of_together
from inkov.model.vlanset import VlanSet, bits
from inkov.proof.between import between
from inkov.proof.group import Group
from inkov.proof.hostile import ARGUMENT as HOSTILE_ARGUMENT
from inkov.proof.hostile import HostileProver
from inkov.proof.layer3 import Layer3, Listener, Speaker, honest
from inkov.proof.outcome import Ask, Broken, CannotTell, Fact, Outcome, Passage, Proved, Verdict, Witness
from inkov.proof.outside import NO_WAY, ONLY_PACKETS
from inkov.proof.stations import Place, Stations, dead_words, segment_named
from inkov.proof.surviving import surviving
from inkov.proof.unknowns import MORE_TAGS, assumed, at_ends, some, unknowns
from inkov.proof.way import passages, starting

IN_EVERY_TREE: Final = (
    "Trees, pruning and failures only take frame paths away, so the proof holds in every state of them."
)
AS_OF_TODAY: Final = "At layer 3 the proof holds for the gateways, routes and filters of today."

Late = Callable[[], bool]
"""Tells that there is no more time."""


def prove(
    network: Network, claims: Sequence[Claim] | None = None, *, strict: bool = False, late: Late = lambda: False
) -> list[Verdict]:
    """Decides claims.

    Args:
        network: the campus with its forwarding.
        claims: what to decide; by default the campus file's claims, or without any, that every VLAN with
            members is apart from every other.
        strict: assume nothing that is not stated; a proof that would rests on what would have to be.
        late: tells that there is no more time; what is not decided by then cannot be told.

    Returns:
        One verdict a claim, in their order. What claims have in common is worked out once.
    """
    prover = Prover(network, late)
    if claims is None:
        claims = network.campus.claims or [every_vlan_apart(network)]
    outcomes = [without_unread(network, prover.decide(claim)) for claim in claims]
    return [Verdict(c, without_assumptions(o) if strict else o) for c, o in zip(claims, outcomes, strict=True)]


def without_unread(network: Network, outcome: Outcome) -> Outcome:
    """Returns an outcome for a campus of which some files could not be read: whatever they hold, no more than a way is certain."""
    files = list(dict.fromkeys(p.source.file for p in network.campus.unread if not p.partly))
    if not files:
        return outcome
    fact = f"what {some(files)} says: it could not be read"
    match outcome:
        case Proved():
            return CannotTell((fact,))
        case CannotTell():
            return replace(outcome, missing=(*outcome.missing, fact))
        case Broken(witnesses=()):
            return CannotTell((fact,))  # what is cut here may be joined there
        case Broken():
            return outcome


def without_assumptions(outcome: Outcome) -> Outcome:
    """Returns an outcome for whoever assumes nothing: what a proof rests on is then what is missing."""
    if isinstance(outcome, Proved) and outcome.assumed:
        return CannotTell(tuple(f"whether {fact}" for fact in outcome.assumed))
    return outcome


def every_vlan_apart(network: Network) -> Apart:
    """Returns the claim that is tried when nobody made one; the VLANs of a private VLAN count as one."""
    names = tuple(str(v) for v in sorted(network.members))
    of_one = {
        frozenset((str(v), str(w)))
        for table, _ in network.tables
        for v, entry in table.items()
        for w in (entry.primary, *(o for o, e in table.items() if e.primary == entry.primary and o != v))
        if entry.primary is not None
    }
    return Apart("every VLAN apart from every other", names, frozenset(of_one), layers=frozenset({2}))


class Prover:
    """Decides claims about one campus; what they have in common is worked out once."""

    def __init__(self, network: Network, late: Late = lambda: False) -> None:
        self.network = network.doubted
        self._late = late
        self._stations: dict[tuple[str, View], Stations] = {}
        self._spread: dict[tuple[str, View], Mapping[str, Mask]] = {}
        self._sides: dict[str, tuple[Speaker, Listener]] = {}

    @cached_property
    def hostile(self) -> HostileProver:
        """Decides claims that face hostile stations, once no honest ones break them."""
        return HostileProver(self.network, self.stations, self.layer3, self.side)

    @cached_property
    def layer3(self) -> Layer3:
        """Layer 3 between honest stations."""
        return Layer3(self.network)

    def decide(self, claim: Claim, ask: Ask = Ask.WHOLE) -> Outcome:
        """Decides one claim, an `apart` as far as is asked."""
        match claim:
            case Apart():
                return self.apart(claim, ask)
            case Together(surviving=0):
                return self._resting(self.together(claim))
            case Together():
                today = surviving(self.network, claim, lambda net, left: Prover(net).together(left), self._late)
                return self._resting(today)

    def _resting(self, outcome: Outcome) -> Outcome:
        """Adds what a proof of `together` takes for granted."""
        taken = assumptions_of_together(self.network.switches)
        return replace(outcome, assumed=(*outcome.assumed, *taken)) if isinstance(outcome, Proved) else outcome

    def together(self, claim: Together) -> Outcome:
        """Decides `together` as things are today."""
        return between(self.network, self.layer3, [Group(self.members, n) for n in claim.segments], claim.layers)

    def stations(self, name: str, view: View = View.USUAL) -> Stations:
        """Returns the stations of a segment, host or VLAN, in a view."""
        if (name, view) not in self._stations:
            self._stations[name, view] = Stations(self.network, segment_named(self.network, name), view, whole=True)
        return self._stations[name, view]

    @remembered
    def members(self, name: str, view: View) -> Stations:
        """Returns the stations that are to reach each other for a segment to be whole: those that its VLANs are set for."""
        return Stations(self.network, segment_named(self.network, name), view)

    def spread(self, name: str, view: View = View.MAY) -> Mapping[str, Mask]:
        """Returns everywhere that frames of a segment may get to, or surely get to."""
        if (name, view) not in self._spread:
            stations = self.stations(name, view)
            self._spread[name, view] = self.network.graph(view).spread(stations.masks, stations.tagged)
        return self._spread[name, view]

    def side(self, name: str) -> tuple[Speaker, Listener]:
        """Returns a segment as it speaks and listens at layer 3."""
        if name not in self._sides and segment_named(self.network, name).outside:
            self._sides[name] = self.layer3.outsiders(name)
        if name not in self._sides:
            self._sides[name] = honest(
                lambda view: self.stations(name, view), self.layer3, lambda view: self.spread(name, view)
            )
        return self._sides[name]

    def apart(self, claim: Apart, ask: Ask = Ask.WHOLE) -> Outcome:
        """Decides `apart` and `only`, as far as is asked."""
        found, late = self._met(self.suspects(claim), lambda a, b: self.meetings(claim, a, b, ask), ask)
        certain = tuple(w for w in found if not w.unknown)
        if claim.facing is Facing.HOSTILE and not certain and not late and not (found and ask is Ask.ANY):
            found, late = self._met(claim.pairs, lambda a, b: self.hostile.meetings(claim, a, b, ask), ask)
            certain = tuple(w for w in found if not w.unknown)
        if certain:
            return Broken(certain)
        if late:
            return CannotTell((late,), tuple(found))
        if found:
            return CannotTell(tuple(dict.fromkeys(u for w in found for u in w.unknown)), tuple(found))
        out = [n for n in claim.segments if self.stations(n, View.MAY).segment.outside]
        if out and (3 not in claim.layers or not self.layer3.outside.known):
            return CannotTell((NO_WAY if 3 in claim.layers else ONLY_PACKETS,))
        if 3 in claim.layers and (silent := self.silent_on_gateways):
            has, routes = ("has", "it routes") if len(silent) == 1 else ("have", "they route")
            text = f"which addresses {some(silent)} {has} in VLANs, and whether {routes}"
            return CannotTell((Fact(text, {s: {"routing": False} for s in silent}),))
        if 3 in claim.layers and (strange := self.strange_gateways(claim)):
            return CannotTell(strange)
        nobody = [n for n in claim.segments if n not in out and not self.stations(n, View.MAY)]
        if unknown := [n for n in nobody if not self.stations(n, View.MAY).empty]:
            return CannotTell(tuple(f"no port of {n} is known" for n in unknown))
        taken = assumed(self.network, lambda n: self.stations(n, View.MAY), claim.segments)
        empty = (f"{n} is empty: {dead_words(self.stations(n, View.MAY))}." for n in nobody)
        return Proved((*self.argument(claim), *empty), (*taken, *self.without_gateway(claim)))

    def strange_gateways(self, claim: Apart) -> tuple[str, ...]:
        """Returns what is not known where hosts send through an address that is no device's here: it may send packets anywhere.

        That decides where the segments of a pair both have a way to such a device: a host that sends there, or a gateway.
        """
        found = {n: self._through_strangers(n) for n in claim.segments}
        facts: dict[str, None] = {}
        for a, b in claim.pairs:
            for one, other in ((a, b), (b, a)):
                if found[one] and (found[other] or self.served(other)):
                    facts.update(dict.fromkeys(found[one]))
        return tuple(facts)

    def _through_strangers(self, name: str) -> list[str]:
        known = {ip for i in self.layer3.gateways.all for ip in i.gateway.answers}
        hosts = self.stations(name, View.MAY).hosts
        strange = [h for h in hosts if h.gateway is not None and h.gateway not in known]
        return [
            f"what {h.gateway} does with packets: {h.name} sends through it, and no device here has it" for h in strange
        ]

    @cached_property
    def silent_on_gateways(self) -> list[str]:
        """The switches that may be the gateway of any VLAN, as nothing tells which addresses they have."""
        switches = self.network.switches.values()
        return [s.name for s in switches if not s.gateways_stated and s.routing is not False]

    def _met(
        self, pairs: Sequence[tuple[str, str]], meet: Callable[[str, str], list[Witness]], ask: Ask
    ) -> tuple[list[Witness], str]:
        """Returns how some pairs meet, or one that does where that is enough, and a fact that is missing where there was no time for all."""
        found: list[Witness] = []
        for n, (a, b) in enumerate(pairs):
            if self._late():
                tried = f"{n} of {len(pairs)} pairs were tried"
                return found, f"not decided in time: {tried}; a larger --budget may decide it"
            found += meet(a, b)
            if found and ask is not Ask.WHOLE:
                break
        return found, ""

    def suspects(self, claim: Apart) -> list[tuple[str, str]]:
        """Returns the pairs of a claim that may meet, by the VLANs that frames of each may ever be in; no less than do.

        Where packets count and there are gateways, that is every pair.
        """
        if 3 in claim.layers and self.layer3.gateways.all:
            return claim.pairs
        hearing: dict[Domain, list[str]] = {}
        for n in claim.segments:
            for domain in bits(self.stations(n, View.MAY).heard):
                hearing.setdefault(domain, []).append(n)
        place = {n: i for i, n in enumerate(claim.segments)}
        found: set[tuple[str, str]] = set()
        for a in claim.segments:
            becomes = self._becomes(a)
            for b in {b for d in (bits(becomes) if becomes >= 0 else hearing) for b in hearing.get(d, ())} - {a}:
                if claim.parts(a, b):
                    found.add((a, b) if place[a] < place[b] else (b, a))
        return sorted(found, key=lambda pair: (place[pair[0]], place[pair[1]]))

    def meetings(self, claim: Apart, a: str, b: str, ask: Ask = Ask.WHOLE) -> list[Witness]:
        """Finds how two segments meet: at layer 2, or else at layer 3."""
        ab, ba = self.meet(a, b) if 2 in claim.layers else (False, False)
        found = self.witnesses(a, b, ab=ab, ba=ba, ask=ask) if ab or ba else []
        if 3 in claim.layers and not any(ask is Ask.ANY or not w.unknown for w in found):
            without = frozenset(claim.through)
            there = self.layer3.way(self.side(a)[0], self.side(b)[1], without, ask)
            back = self.layer3.way(self.side(b)[0], self.side(a)[1], without, ask)
            found += _one_for_both(there, back)
        return found

    def without_gateway(self, claim: Apart) -> Iterable[str]:
        """Says which segments have no gateway in the input, and may have one elsewhere."""
        if 3 not in claim.layers:
            return
        names = [n for n in claim.segments if not self.served(n)]
        segments = {n: self.stations(n, View.MAY).segment for n in names}
        open_ = [n for n, segment in segments.items() if not (segment.closed or segment.outside)]
        if open_:
            yield f"segments without a gateway in the input have none: {some(open_)}"

    def served(self, name: str) -> bool:
        """Tells whether a segment has a gateway in the input; an address for managing a switch is none."""
        gateways = self.layer3.gateways
        own = (i for v in self.stations(name, View.MAY).vlans for i in gateways.by_vlan.get(v, ()))
        return any(map(gateways.serves, own))

    def meet(self, a: str, b: str) -> tuple[bool, bool]:
        """Tells whether frames of `a` may be heard in `b`, and the other way round."""
        return self.hears(b, a), self.hears(a, b)

    def hears(self, listener: str, speaker: str, view: View = View.MAY) -> bool:
        """Tells whether frames of one segment may be heard in another, or surely are; most pairs cost a look at two masks."""
        overlap = self._becomes(speaker) & self.stations(listener, View.MAY).heard
        return bool(overlap) and self.stations(listener, view).heard_in(self.spread(speaker, view))

    @remembered
    def _becomes(self, name: str) -> Mask:
        """Returns all domains that frames of a segment may ever be in, on whatever switch: no less than they are."""
        stations = self.stations(name, View.MAY)
        return self.network.graph(View.MAY).becomes(stations.sent, tagged=bool(stations.tagged))

    def witnesses(self, a: str, b: str, *, ab: bool, ba: bool, ask: Ask = Ask.WHOLE) -> list[Witness]:
        """Finds a way for one pair: certain ones if there are any, and one for both directions if it serves both."""
        return _one_for_both(self.way(a, b, ask) if ab else None, self.way(b, a, ask) if ba else None)

    def way(self, a: str, b: str, ask: Ask = Ask.WHOLE) -> Witness | None:
        """Finds a shortest way from a segment to another that may hear it: a certain one if there is one."""
        for view in ask.views:
            speakers, hearers = self.stations(a, view), self.stations(b, view).hearers
            reach = self.network.graph(view).reach(speakers.starts, hearers)
            end = reach.first(hearers)
            if end is not None:
                way = self.passages(speakers, hearers, reach, end)
                unknown = (*unknowns(self.network, reach, end), *at_ends(self.network, way))
                if view is View.MUST:
                    return Witness(a, b, way)
                return Witness(a, b, way, unknown=tuple(dict.fromkeys(unknown)) or ("which VLANs its ports are in",))
        return Witness(a, b, (), unknown=(MORE_TAGS,)) if ask is not Ask.SURE else None

    def passages(
        self, speakers: Stations, hearing: Mapping[Place, list[PortRef]], reach: Reach, end: State
    ) -> tuple[Passage, ...]:
        """Returns the way from a segment to a state, with the ports at both ends."""
        first = reach.path(end)[0][0]
        start = starting(self.network, speakers.senders[first.switch, first.domain], first)
        hearers = hearing[end.switch, end.domain]
        last = next((p for p in hearers if p not in {end.by, start}), hearers[0])
        return passages(self.network, reach, end, start, last)

    def argument(self, claim: Apart) -> Iterator[str]:
        """Yields why nothing meets, a short sentence each."""
        if 2 in claim.layers:
            hostile = claim.facing is Facing.HOSTILE
            yield from (HOSTILE_ARGUMENT,) if hostile else self.frames_argument(claim.segments)
            yield IN_EVERY_TREE
        if 3 in claim.layers:
            yield from self.packets_argument(claim)

    def frames_argument(self, names: Iterable[str]) -> Iterator[str]:
        """Yields what the frames reach, and that they keep their VLAN on the way."""
        listed = list(names)
        starts: dict[str, Mask] = {}
        reached = own = 0
        for n in listed:
            stations = self.stations(n, View.MAY)
            own |= stations.vlans.mask
            for switch, mask in stations.masks.items():
                starts[switch] = starts.get(switch, 0) | mask
        tagged = [t for n in listed for t in self.stations(n, View.MAY).tagged]
        switches = self.network.graph(View.MAY).spread(starts, tagged)  # of all at once
        for mask in switches.values():
            reached |= mask
        crossed = sum(1 for k in self.network.followed.links if k.a.switch in switches and k.b.switch in switches)
        links, boxes = ("1 link" if crossed == 1 else f"{crossed} links"), len(switches)
        yield (
            f"All frames were followed over {links} and {boxes} {'switch' if boxes == 1 else 'switches'}; "
            "each segment stays in its own VLANs."
        )
        if strayed := VlanSet.from_mask(reached & ~own):
            yield f"They also reach VLAN {strayed}, from which no way leads into another segment."

    def packets_argument(self, claim: Apart) -> Iterator[str]:
        """Yields which gateways hear the segments, and that none passes packets on to another of them."""
        layer3 = self.hostile.layer3 if claim.facing is Facing.HOSTILE else self.layer3
        side = self.hostile.attacking if claim.facing is Facing.HOSTILE else lambda n: self.side(n)[0]
        devices = dict.fromkeys(i.device for n in claim.segments for i in layer3.entered(side(n), View.MAY))
        if not devices:
            yield "No gateway hears any of the segments."
            return
        around = f", except through {some(list(claim.through))}, which the claim allows" if claim.through else ""
        yield f"Gateways that hear them: {some(list(devices))}. Routes and filters let no packet pass between them{around}."
        yield AS_OF_TODAY


def _one_for_both(there: Witness | None, back: Witness | None) -> list[Witness]:
    """Returns the certain ones of two ways, or else both; one for both directions if it serves both."""
    found = [w for w in (there, back) if w is not None]
    chosen = [w for w in found if not w.unknown] or found
    if len(chosen) == 2:
        return [replace(chosen[0], both=True)]
    return [replace(w, both=None) for w in chosen] if len(found) == 2 else chosen
