"""The prover. `apart` is decided on the *may* graph, `together` on the *must* graph.

Everything that could pass is in *may*, so what cannot happen there cannot happen at all: blocking by a
tree, pruning and failures only take edges away. Everything in *must* surely passes, so a way there breaks
an `apart` for certain. A way that is only in *may* decides nothing, and the unknown on it is named.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import combinations

from inkov.forwarding.graph import Reach, State
from inkov.forwarding.network import Network
from inkov.forwarding.relay import Mask, View, unknown
from inkov.model.campus import Apart, Claim, Segment, Together
from inkov.model.names import PortRef
from inkov.model.switch import Kind, Trunk
from inkov.model.vlanset import VlanSet
from inkov.proof.outcome import Broken, CannotTell, Outcome, Passage, Proved, Verdict, Witness
from inkov.proof.stations import Stations, segment_named
from inkov.proof.together import together
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

    def decide(self, claim: Claim) -> Outcome:
        match claim:
            case Apart():
                return self.apart(claim)
            case Together(segment=name):
                return together(self.network, self.stations(name))

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
            return Proved(self.argument(claim.segments), self.assumed(claim.segments))
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
                return Witness(a, b, way, unknown=self.unknowns(reach, end) if view is View.MAY else ())
        return None

    def passages(self, a: str, b: str, reach: Reach, end: State) -> tuple[Passage, ...]:
        first = reach.path(end)[0][0]
        start = self.stations(a).senders[first.switch, first.domain][0]
        hearers = self.stations(b).hearers[end.switch, end.domain]
        last = next((p for p in hearers if p not in {end.by, start}), hearers[0])
        return passages(self.network, reach, end, start, last)

    def unknowns(self, reach: Reach, end: State) -> tuple[str, ...]:
        """Names what is not known on a way that only may be open."""
        network = self.network
        found: dict[str, None] = {}
        for state, step in reach.path(end):
            if step is None:
                continue
            sure = network.graph(View.MUST).edges.get(step.before.switch, ())
            if any(
                e.near == step.out and e.far == state.by and e.hop.carry(1 << step.before.domain) >> state.domain & 1
                for e in sure
            ):
                continue
            for fact in _missing_facts(network, step.out, state.by):
                found[fact] = None
        return tuple(found)

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

    def assumed(self, names: Iterable[str]) -> tuple[str, ...]:
        """Lists what a proof takes for granted: what is behind ports whose far side the input does not describe."""
        network = self.network
        listed = list(names)
        open_ends = [
            str(ref)
            for ref in network.open_trunks
            if sum(any(ref in refs for refs in self.stations(n).senders.values()) for n in listed) > 1
        ]
        found: list[str] = []
        if open_ends:
            found.append(f"the station behind each of these trunks keeps its VLANs apart: {_some(open_ends)}")
        outside = [
            f"{o.port} ({o.heard.system or o.heard.chassis})" for o in network.cabling.outside if not o.known_switch
        ]
        if outside:
            found.append(f"no device that is not in the campus joins VLANs by itself: {_some(outside)}")
        unnamed = [
            str(end)
            for k in network.links
            for end in (k.a, k.b)
            if isinstance(s := network.port(end).switching, Trunk)
            and s.native is None
            and network.port(end).origin.of("native").default
        ]
        if unnamed:
            found.append(f"trunks without a native VLAN drop untagged frames: {_some(unnamed)}")
        tableless = [s.name for s in network.switches.values() if s.vlans is None and s.kind is Kind.SWITCH]
        if tableless:
            found.append(f"switches without a VLAN table relay every VLAN their ports allow: {_some(tableless)}")
        return tuple(found)


def _some(names: list[str]) -> str:
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def _missing_facts(network: Network, out: PortRef, into: PortRef | None) -> list[str]:
    found: list[str] = []
    for ref in (out, into):
        if ref is None:
            continue
        if not network.has(ref):
            found.append(f"what {ref.switch} does is not known: its file, or the cable, is missing")
        elif (why := unknown(network.port(ref))) is not None:
            found.append(f"{ref}: {why} ({network.port(ref).origin.of()})")
        elif kept_off := _kept_off(network, ref, sending=ref == out):
            found.append(kept_off)
        elif not network.switches[ref.switch].default_vlan_listed:
            found.append(f"whether {ref.switch} has the default VLAN, which its export does not list")
    for link in network.links:
        if {out, into} == {link.a, link.b}:
            found += [link.doubt] if link.doubt else []
            if reason := network.lag_failure(link):
                found.append(f"whether ports of {link} pass frames one by one, as its LAG does not form: {reason}")
    return found or [f"whether frames pass from {out} to {into}"]


def _kept_off(network: Network, ref: PortRef, *, sending: bool) -> str:
    """Says what keeps frames off a port today and may let them through tomorrow; empty when nothing does."""
    if doubt := network.trees.doubt(ref):
        return f"whether the tree blocks {ref}: {doubt}"
    if network.trees.allows(ref) != -1:
        return f"the tree blocks {ref} today, and opens it when a link fails"
    return (
        f"pruning keeps VLANs off {ref} today, and may let them through tomorrow"
        if sending and network.pruning.pruned(ref)
        else ""
    )
