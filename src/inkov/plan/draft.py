"""A first campus file from what the switches say: cables, segments, and claims that hold today, with what looks doubtful."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import combinations
from typing import TypeAlias

from inkov.forwarding.cabling import Wire
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Segment, Together
from inkov.model.names import PortRef, ports_text
from inkov.model.source import Source
from inkov.model.switch import DEFAULT_VLAN, Neighbour
from inkov.model.vlanset import Vid, VlanSet
from inkov.model.yamltext import dumped
from inkov.plan.parking import parking
from inkov.proof.grid import Meets, grid
from inkov.proof.layer3 import Layer3
from inkov.proof.outcome import CannotTell, Outcome, Proved
from inkov.proof.prove import Prover
from inkov.proof.settle import lines as settled_lines

_WORD = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_.-]*\Z")
_PLAIN_END = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_./-]* [A-Za-z0-9_][A-Za-z0-9_./-]*\Z")
_MANY = 300
_FEW = 6
"""So many pairs that meet are listed, however few others there are."""

_OF_STATIONS = frozenset({Neighbour.PHONE, Neighbour.ACCESS_POINT, Neighbour.STATION})
"""Neighbours of which there are a hundred: a line each kind is enough."""

OUTSIDE = "outside"
"""The segment of all that lies behind routes that lead out."""

Pair: TypeAlias = tuple[str, str]


def draft(network: Network) -> str:
    """Returns the text of a campus file; `audit` and `prove` take it as it is.

    Lines that somebody should look at end in a comment that starts with a question mark.
    """
    network = network.followed  # what is said below is to hold with these cables, as it will be read with them
    names = _names(network)
    lot = parking(network)
    segments = {name: vid for vid, name in names.items() if vid != lot}
    lines = [
        "# Drafted from the switches. Look first at what is marked with a question mark: it was guessed, or looks doubtful.",
        "inkov: campus",
        f"name: {_scalar(network.campus.name)}",
    ]
    if lot is not None:
        lines.append(f"parking: {lot}  # ? only disabled ports are in it")
    lines += ["", *_register(network)]
    lines += ["", *_cables(network), "", *_segments(network, segments), "", *_claims(network, segments)]
    return "\n".join(lines).rstrip() + "\n"


def _scalar(text: str) -> str:
    """Returns a text as a YAML writer writes it: names are data, whatever they hold."""
    if _WORD.match(text) and not text.isdigit() and text.lower() not in {"null", "true", "false"}:
        return text
    return dumped(text, style='"').strip()


def _comment(text: str) -> str:
    """Returns a text that stays within its line."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())


def _line(text: str, doubt: str) -> str:
    return f"{text}  # ? {_comment(doubt)}" if doubt else text


# -- cables ------------------------------------------------------------------------------------------


def _cables(network: Network) -> Iterator[str]:
    stated = {end for k in network.links if not k.doubt for w in k.wires for end in (w.a, w.b)}
    yield "cables:" if any(not k.doubt for k in network.links) else "cables: []"
    for link in network.links:
        for wire in link.wires:
            guessed = "by the labels at both ends alone" if wire.cable and wire.cable.inferred else _one_sided(wire)
            yield _cable(wire.a, wire.b, link.doubt or guessed, known=not link.doubt)
    beyond = [o for o in network.cabling.outside if o.port not in stated]
    for kind in Neighbour:
        some = [o for o in beyond if o.heard.kind is kind]
        if kind in _OF_STATIONS and len(some) > 1:
            ports = ", ".join(str(o.port) for o in some[:3]) + (f" and {len(some) - 3} more" if some[3:] else "")
            yield f"  # {_comment(f'{len(some)} {kind.value}s are heard, at {ports}')}"
            continue
        for outside in some:
            heard = outside.heard.system or outside.heard.chassis
            yield f"  # {_comment(f'{outside.port} hears {heard}, which is not here')}"


def _cable(a: PortRef, b: PortRef, doubt: str, *, known: bool = True) -> str:
    ends = [f"{e.switch} {e.port}" for e in (a, b)]
    text = " - ".join(ends)
    if not known:
        return f"  # - {_comment(f'{text}  ? {doubt}')}"
    return _line(f"  - {text if all(map(_PLAIN_END.match, ends)) else _scalar(text)}", doubt)


def _one_sided(wire: Wire) -> str:
    if wire.cable is not None or (wire.heard_a and wire.heard_b):
        return ""
    silent = wire.b if wire.heard_a else wire.a
    return f"{silent} did not hear the other end"


# -- segments ----------------------------------------------------------------------------------------


def _names(network: Network) -> dict[Vid, str]:
    """Returns a name for each VLAN with members, all different: the commonest, else its number."""
    made: dict[Vid, str] = {}
    for vid in sorted(network.members):
        name = next(iter(_called(network, vid)), "")
        slug = re.sub(r"[\s:,\[\]{}#&*!|>'\"%@`]+", "-", name).strip("-") or f"vlan-{vid}"
        made[vid] = f"{slug}-{vid}" if slug in made.values() or slug in {"all", "none"} or slug.isdigit() else slug
    return made


def _called(network: Network, vid: Vid) -> list[str]:
    """Returns the names a VLAN has, the commonest first."""
    seen: Counter[str] = Counter()
    for table, switches in network.tables:
        if vid in table and table[vid].name and (vid != DEFAULT_VLAN or table[vid].name != "default"):
            seen[table[vid].name] += len(switches)
    return sorted(seen, key=lambda n: (-seen[n], n))


def _register(network: Network) -> Iterator[str]:
    """Yields the VLANs that tables define: what else turns up later is none that anybody planned."""
    defined: dict[Vid, int] = Counter(v for table, names in network.tables for v in table for _ in names)
    listed = sorted(v for v in defined if v != DEFAULT_VLAN)
    yield "register:" if listed else "register: {}"
    for vid in listed:
        alone = defined[vid] == 1 and vid not in network.members and len(network.switches) > _ALONE
        name = next(iter(_called(network, vid)), f"vlan-{vid}")
        yield _line(f"  {vid}: {_scalar(name)}", "one switch alone defines it, and nobody is in it" if alone else "")


_ALONE = 2


def _segments(network: Network, segments: Mapping[str, Vid]) -> Iterator[str]:
    gateways = network.gateways.by_vlan
    leads_out = OUTSIDE not in segments and Layer3(network).outside.known
    yield "segments:" if segments or leads_out else "segments: {}"
    for name, vid in segments.items():
        subnets = dict.fromkeys(str(a.network) for i in gateways.get(vid, ()) for a in i.gateway.addresses)
        parts = [f"vlan: {vid}"]
        if subnets:
            parts.append(f"subnet: [{', '.join(json.dumps(s) for s in subnets)}]")
        elif gateways:
            parts.append("closed: true")
        yield _line(f"  {_scalar(name)}: {{{', '.join(parts)}}}", "; ".join(_doubts(network, vid)))
    if leads_out:
        yield f"  {OUTSIDE}: {{outside: true}}"


def _doubts(network: Network, vid: Vid) -> Iterator[str]:
    called = _called(network, vid)
    if len(called) > 1:
        yield f"also called {', '.join(called[1:4])}"
    if not called:
        yield "it has no name"
    homes = network.members[vid]
    if len(homes) == 1 and sum(map(len, homes.values())) == 1:
        switch, refs = next(iter(homes.items()))
        yield f"one port only, {switch}:{ports_text(r.port for r in refs)}"
    if vid == DEFAULT_VLAN:
        yield "the default VLAN has enabled ports"
    missing = [s for s in homes if not network.active(s) >> vid & 1]
    if missing:
        yield f"not defined on {', '.join(missing[:3])}, where it has ports"


# -- claims ------------------------------------------------------------------------------------------


def _claims(network: Network, segments: Mapping[str, Vid]) -> Iterator[str]:
    """Yields the claims that hold today: all apart but those that meet, and each segment that is whole."""
    source = Source("")
    known = {name: Segment(name, VlanSet([vid]), source) for name, vid in segments.items()}
    made = Network(replace(network.campus, segments=known, claims=()))
    prover = Prover(made)
    if len(known) > _MANY:  # as many pairs as a person reads are far fewer than there are
        yield from _claims_of_many(made, prover, known)
        return
    met = grid(made, list(known)).heard
    every = list(combinations(known, 2))
    pairs = [(a, b) for a, b in every if _meet(met, a, b)]
    decided = {n: prover.decide(Together(n, (n,))) for n in known}
    whole = [n for n, outcome in decided.items() if isinstance(outcome, Proved)]
    few = len(pairs) <= _FEW or 2 * len(pairs) <= len(every)
    apart = (
        [*_all_but(prover, known, pairs, met)] if few else [*_frames(prover, known, pairs, met), *_walls(every, pairs)]
    )
    outer = [*_outside(made, prover, known)]
    yield "claims:" if apart or outer or whole else "claims: []"
    yield from (*apart, *outer)
    yield from (f"  - {{together: {_scalar(n)}}}" for n in whole)
    for name, outcome in decided.items():
        if isinstance(outcome, CannotTell):
            yield f"  # - {{together: {_scalar(name)}}}  ? {_comment(f'cannot tell: {outcome.missing[0]}')}"
        elif name not in whole:
            yield f"  # - {{together: {_scalar(name)}}}  ? it is not whole today"
    yield from _to_state(decided.values())


def _all_but(
    prover: Prover, known: Mapping[str, Segment], pairs: Sequence[Pair], met: Mapping[Pair, Meets]
) -> Iterator[str]:
    """Yields the claim that all are apart but those that meet, if it holds."""
    apart = Apart("x", tuple(known), frozenset(map(frozenset, pairs))) if len(known) > 1 else None
    outcome = prover.decide(apart) if apart is not None and apart.pairs else None
    if isinstance(outcome, Proved):
        yield _line("  - name: what is apart stays apart", _rests_on(outcome))
        yield "    apart: all"
        if pairs:
            yield "    except:"
            yield from (_line(f"      - [{_scalar(a)}, {_scalar(b)}]", _how(met, a, b)) for a, b in pairs)


def _frames(
    prover: Prover, known: Mapping[str, Segment], pairs: Sequence[Pair], met: Mapping[Pair, Meets]
) -> Iterator[str]:
    """Yields the claim that frames stay in their segments, if it holds; where most packets pass, that is the wall there is."""
    joined = [
        (a, b)
        for a, b in pairs
        if {met[a, b], met[b, a]} != {Meets.ROUTED} and Meets.APART not in {met[a, b], met[b, a]}
    ]
    apart = Apart("x", tuple(known), frozenset(map(frozenset, joined)), layers=frozenset({2}))
    outcome = prover.decide(apart) if apart.pairs else None
    if isinstance(outcome, Proved):
        yield _line("  - name: frames stay in their segments", _rests_on(outcome))
        yield "    apart: all"
        yield "    layer: 2"
        if joined:
            yield "    except:"
            yield from (_line(f"      - [{_scalar(a)}, {_scalar(b)}]", _how(met, a, b)) for a, b in joined)


def _walls(every: Sequence[Pair], pairs: Sequence[Pair]) -> Iterator[str]:
    """Yields claims of the few segments that are apart at all layers, those with most such others first."""
    left = {frozenset(p) for p in every} - {frozenset(p) for p in pairs}
    while left:
        counted = Counter(n for p in left for n in sorted(p))
        name = min(counted, key=lambda n: (-counted[n], n))
        others = sorted(n for p in left if name in p for n in p - {name})
        yield f"  - {{apart: {_scalar(name)}, from: [{', '.join(map(_scalar, others))}]}}"
        left = {p for p in left if name not in p}


def _outside(network: Network, prover: Prover, known: Mapping[str, Segment]) -> Iterator[str]:
    """Yields the claim of segments that nothing leads from to what lies outside of the campus."""
    if not prover.layer3.outside.known or OUTSIDE in known:
        return
    away = Segment(OUTSIDE, VlanSet(), Source(""), outside=True)
    made = Prover(Network(replace(network.campus, segments={**known, OUTSIDE: away})))
    kept = [n for n in known if isinstance(made.decide(Apart("x", (n, OUTSIDE))), Proved)]
    if kept:
        yield f"  - {{apart: {OUTSIDE}, from: [{', '.join(map(_scalar, kept))}]}}"


def _to_state(outcomes: Iterable[Outcome]) -> Iterator[str]:
    """Yields what to state to decide most of what cannot be told, as comments."""
    counted = Counter(line for o in outcomes if isinstance(o, CannotTell) for line in settled_lines(o.missing))
    for line, n in counted.most_common(3):
        yield f"  # ? one file decides, or helps to decide, {n} of them: {_comment(line)}"


def _claims_of_many(network: Network, prover: Prover, known: Mapping[str, Segment]) -> Iterator[str]:
    """Yields the claims of a campus with very many VLANs: that frames stay apart, and who is whole."""
    apart = Apart("x", tuple(known), layers=frozenset({2}))
    outcome = prover.decide(apart) if not network.needs.mixed else None
    parted = network.islands.split
    whole = [name for name, segment in known.items() if not segment.vlans & parted]
    yield "claims:" if isinstance(outcome, Proved) or whole else "claims: []"
    if isinstance(outcome, Proved):
        yield _line("  - name: frames stay apart", _rests_on(outcome))
        yield "    apart: all"
        yield "    layer: 2"
    yield from (
        f"  - {{together: {_scalar(n)}}}" for n in whole if isinstance(prover.decide(Together(n, (n,))), Proved)
    )


def _rests_on(outcome: Proved) -> str:
    """Says what a proof assumes; empty for one that holds whatever is not stated."""
    return f"it assumes that {'; that '.join(outcome.assumed)}" if outcome.assumed else ""


def _meet(heard: Mapping[tuple[str, str], Meets], a: str, b: str) -> bool:
    return not heard[a, b] is heard[b, a] is Meets.APART


def _how(heard: Mapping[tuple[str, str], Meets], a: str, b: str) -> str:
    both = {heard[a, b], heard[b, a]}
    if Meets.JOINED in both:
        return "frames pass between them today; is that meant?"
    return "packets pass between them by a gateway" if Meets.ROUTED in both else "cannot be told apart"
