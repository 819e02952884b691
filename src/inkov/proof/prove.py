"""The prover. `apart` is decided on the *may* graph, `together` on the *must* graph.

Everything that could pass is in *may*, so what cannot happen there cannot happen at all: blocking by a
tree, pruning and failures only take edges away. Everything in *must* surely passes, so a way there breaks
an `apart` for certain. A way that is only in *may* decides nothing, and the unknown on it is named.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from itertools import combinations

from inkov.forwarding.graph import Reach, State
from inkov.forwarding.network import Network
from inkov.forwarding.relay import Mask, View
from inkov.model.campus import Apart, Claim, Facing, Segment, Together
from inkov.model.vlanset import VlanSet
from inkov.proof.hostile import HostileProver
from inkov.proof.outcome import Broken, CannotTell, Outcome, Passage, Proved, Verdict, Witness
from inkov.proof.stations import Stations, segment_named
from inkov.proof.surviving import surviving
from inkov.proof.together import together
from inkov.proof.unknowns import assumed, unknowns
from inkov.proof.way import passages


def prove(network: Network, claims: Sequence[Claim] | None = None) -> list[Verdict]:
    """Decides claims.

    Args:
        network: the campus with its forwarding.
        claims: what to decide; by default the campus file's claims, or without any, that every VLAN with
            members is apart from every other.

    Returns:
        One verdict a claim, in their order. What claims have in common is worked out once.
    """
    prover = _Prover(network)
    if claims is None:
        claims = network.campus.claims or [every_vlan_apart(network)]
    return [Verdict(claim, prover.decide(claim)) for claim in claims]


def every_vlan_apart(network: Network) -> Apart:
    """Returns the claim that is tried when nobody made one."""
    return Apart("every VLAN apart from every other", tuple(str(v) for v in sorted(network.members)))


class _Prover:
    def __init__(self, network: Network) -> None:
        self.network = network
        self._stations: dict[str, Stations] = {}
        self._spread: dict[str, Mapping[str, Mask]] = {}

    @cached_property
    def hostile(self) -> HostileProver:
        """Decides claims that face hostile stations, once no honest ones break them."""
        return HostileProver(self.network, self.stations)

    def decide(self, claim: Claim) -> Outcome:
        match claim:
            case Apart(facing=Facing.HOSTILE):
                honest = self.apart(claim)
                return honest if isinstance(honest, Broken) else self.hostile.apart(claim)
            case Apart():
                return self.apart(claim)
            case Together(segment=name, surviving=0):
                return together(self.network, self.stations(name))
            case Together():
                return surviving(self.network, claim)

    def stations(self, name: str) -> Stations:
        if name not in self._stations:
            self._stations[name] = Stations(self.network, self.segment(name))
        return self._stations[name]

    def segment(self, name: str) -> Segment:
        return segment_named(self.network, name)

    def spread(self, name: str) -> Mapping[str, Mask]:
        """Returns everywhere that frames of a segment may get to."""
        if name not in self._spread:
            self._spread[name] = self.network.graph(View.MAY).spread(
                self.stations(name).masks, self.stations(name).tagged
            )
        return self._spread[name]

    def apart(self, claim: Apart) -> Outcome:
        pairs = [p for p in combinations(claim.segments, 2) if frozenset(p) not in claim.allowed]
        meeting = [(a, b, ab, ba) for a, b in pairs for ab, ba in [self.meet(a, b)] if ab or ba]
        if not meeting:
            empty = [n for n in claim.segments if not self.stations(n)]
            if empty and len(claim.segments) - len(empty) < 2:
                return CannotTell(tuple(f"no port of {n} is known" for n in empty))
            return Proved(self.argument(claim.segments), assumed(self.network, self.stations, claim.segments))
        found = [w for a, b, ab, ba in meeting for w in self.witnesses(a, b, ab=ab, ba=ba)]
        certain = tuple(w for w in found if not w.unknown)
        if certain:
            return Broken(certain)
        return CannotTell(tuple(dict.fromkeys(u for w in found for u in w.unknown)), tuple(found))

    def meet(self, a: str, b: str) -> tuple[bool, bool]:
        """Tells whether frames of `a` may be heard in `b`, and the other way round."""
        return self.stations(b).heard_in(self.spread(a)), self.stations(a).heard_in(self.spread(b))

    def witnesses(self, a: str, b: str, *, ab: bool, ba: bool) -> list[Witness]:
        """Finds a way for one pair: certain ones if there are any, and one for both directions if it serves both."""
        there = self.way(a, b) if ab else None
        back = self.way(b, a) if ba else None
        found = [w for w in (there, back) if w is not None]
        certain = [w for w in found if not w.unknown]
        chosen = certain or found
        if len(chosen) == 2:
            first = chosen[0]
            return [Witness(first.start, first.end, first.way, both=True, unknown=first.unknown)]
        return chosen

    def way(self, a: str, b: str) -> Witness | None:
        """Finds a shortest way from a segment to another: a certain one if there is one."""
        stations = self.stations(a)
        starts = [(switch, domain, ()) for switch, domain in stations.senders] + stations.tagged
        for view in (View.MUST, View.MAY):
            reach = self.network.graph(view).reach(starts)
            end = next((s for s in reach.states if (s.switch, s.domain) in self.stations(b).hearers), None)
            if end is not None:
                way = self.passages(a, b, reach, end)
                return Witness(a, b, way, unknown=unknowns(self.network, reach, end) if view is View.MAY else ())
        return None

    def passages(self, a: str, b: str, reach: Reach, end: State) -> tuple[Passage, ...]:
        first = reach.path(end)[0][0]
        start = self.stations(a).senders[first.switch, first.domain][0]
        hearers = self.stations(b).hearers[end.switch, end.domain]
        last = next((p for p in hearers if p not in {end.by, start}), hearers[0])
        return passages(self.network, reach, end, start, last)

    def argument(self, names: Iterable[str]) -> str:
        """Says why nothing meets: what the frames reach, and that they keep their VLAN on the way."""
        listed = list(names)
        switches = {s for n in listed for s in self.spread(n)}
        crossed = sum(1 for k in self.network.links if {k.a.switch, k.b.switch} <= switches)
        reached: Mask = 0
        own: Mask = 0
        for n in listed:
            own |= self.segment(n).vlans.mask
            for mask in self.spread(n).values():
                reached |= mask
        strayed = VlanSet.from_mask(reached & ~own)
        others = f", besides them only VLAN {strayed}, which leads back into none" if strayed else ""
        return (
            f"everything their frames could reach was followed, over {crossed} links and {len(switches)} switches: "
            f"each stays in its own VLANs{others}"
        )
