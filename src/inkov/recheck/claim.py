"""The claim of a certificate: whether it claims anything, what it says in full, and what a proof of it rests on."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from itertools import chain, combinations
from typing import Any

from inkov.model.campus import Campus
from inkov.model.switch import Kind
from inkov.model.touching import assumption
from inkov.recheck.frames import Malformed
from inkov.recheck.gateways import Gateways, served
from inkov.recheck.ports import Ports
from inkov.recheck.stations import Stations
from inkov.recheck.traits import traits
from inkov.recheck.wiring import Wiring


def checked(claim: Any) -> None:
    """Sees to it that a claim claims something.

    Raises:
        Malformed: it names nobody, no pair, no layer, or is of no kind that there is.
    """
    names = claim["segments"]
    if claim["kind"] not in {"apart", "only", "together"}:
        raise Malformed(f"{claim['kind']!r:.40} is no kind of claim")
    if not names or not isinstance(names, list) or len(set(names)) != len(names) or not all(map(str.strip, names)):
        raise Malformed("the claim names no segments, or one twice")
    if not claim["layers"] or not set(claim["layers"]) <= {2, 3}:
        raise Malformed("the claim is about no layer")
    if claim["kind"] == "together":
        if claim["surviving"] not in {0, 1, 2} or isinstance(claim["surviving"], bool):
            raise Malformed("the claim survives no number of failures that there is")
        return
    pairs, known = claim["pairs"], set(names)
    if len({frozenset(p) for p in pairs}) < len(pairs):
        raise Malformed("the claim has a pair twice")
    if not pairs or not all(len(p) == 2 and p[0] != p[1] and known.issuperset(p) for p in pairs):
        raise Malformed("the claim has no pairs of its segments")
    if claim["facing"] not in {"honest", "hostile"}:
        raise Malformed(f"{claim['facing']!r:.40} is no kind of station")
    if claim["kind"] == "only" and not claim["through"]:
        raise Malformed("the claim names nothing that its segments may meet through")


def sentence(claim: Any) -> str:
    """Returns what a claim says, whatever its title says."""
    layers = " and ".join(map(str, claim["layers"]))
    where = f"at layer{'s' if len(claim['layers']) > 1 else ''} {layers}"
    if claim["kind"] == "together":
        survives = f", surviving {claim['surviving']}" if claim["surviving"] else ""
        return f"together {', '.join(claim['segments'])}, {where}{survives}"
    pairs = _pairs(claim["segments"], claim["pairs"])
    through = f", but through {', '.join(claim['through'])}" if claim["through"] else ""
    return f"apart {pairs}, {where}, facing {claim['facing']} stations{through}"


def _pairs(names: list[str], pairs: list[list[str]]) -> str:
    """Returns pairs in words: those there are, or those there are not where these are fewer."""
    claimed = {frozenset(p) for p in pairs}
    left_out = [(a, b) for a, b in combinations(names, 2) if frozenset((a, b)) not in claimed]
    few = len(claimed) <= max(len(names), len(left_out))
    listed = ", ".join(f"{a} and {b}" for a, b in (pairs if few else left_out))
    return listed if few else f"each two of {', '.join(names)}" + (f", but not {listed}" if listed else "")


def assumptions(
    campus: Campus, made: Wiring, ports: Ports, stations: Mapping[str, Stations], layers: list[int]
) -> Iterator[str]:
    """Yields what a proof that segments are apart takes for granted, in words."""
    gateways = Gateways(campus, made, ports)
    several = (ref for ref, n in Counter(chain.from_iterable(s.ports for s in stations.values())).items() if n > 1)
    tagged = (
        ref
        for ref in several
        if (port := campus.switches[ref.switch].ports.get(ref.port)) is not None and traits(port.switching).wide
    )
    shared = [str(ref) for ref in sorted(tagged, key=lambda r: r.order)]
    if shared:
        yield f"the station behind each of these trunks keeps its VLANs apart: {_some(shared)}"
    if made.heard_outside:
        yield f"no device that is not in the campus joins VLANs by itself: {_some(made.heard_outside)}"
    cabled = {end.switch for link in made.links for end in link}
    awake = [s for s in campus.switches.values() if s.kind is Kind.SWITCH and any(p.enabled for p in s.ports.values())]
    deaf = [s.name for s in awake if s.name not in cabled and not s.heard]
    if len(awake) > 1 and deaf:
        yield f"no cable but those that are stated ends at {_some(deaf)}, where nothing was heard of neighbours"
    if tableless := [s.name for s in campus.switches.values() if s.vlans is None and s.kind is Kind.SWITCH]:
        yield f"switches without a VLAN table relay every VLAN their ports allow: {_some(tableless)}"
    if idle := assumption(campus.switches):
        yield idle
    if 3 in layers:
        by_vlan = served(gateways)
        alone = [n for n, s in stations.items() if not s.segment.closed and not is_served(s, by_vlan)]
        if alone:
            yield f"segments without a gateway in the input have none: {_some(alone)}"


def _some(names: list[str]) -> str:
    """Returns the first few of some names, and how many more there are."""
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def is_served(stations: Stations, by_vlan: Mapping[int, object]) -> bool:
    """Tells whether some gateway serves a VLAN of a segment, or one that its stations send in or hear."""
    domains = {d for _, (d, _) in stations.starts} | {d for _, d in stations.hearers}
    domains |= set(stations.segment.vlans) if stations.segment.ports is None else set()
    return any(by_vlan.get(d) for d in domains)
