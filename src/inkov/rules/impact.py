"""Whom a finding hits: hosts, and claims it puts at stake.

A claim is at stake where the finding joins VLANs of two of its segments, or cuts one of them; and where the claim is broken,
and what the finding blames is what the way that breaks it goes by, or where it stops.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Final

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Campus, Claim, Segment, Together
from inkov.model.names import PortRef
from inkov.model.vlanset import VlanSet
from inkov.proof.outcome import Broken, Passage, Turn
from inkov.proof.prove import Prover
from inkov.rules.finding import Finding


def impact(network: Network, *, decides: bool = True) -> Callable[[Finding], Finding]:
    """Returns what adds to a finding the hosts and the claims of a campus that it hits.

    Args:
        network: the campus with its forwarding.
        decides: claims are decided for that; else only what a finding joins and cuts tells.
    """
    campus = network.campus
    if not campus.hosts and not campus.claims:
        return lambda finding: finding
    host_at: dict[PortRef, list[str]] = {}
    for name, host in campus.hosts.items():
        host_at.setdefault(host.port, []).append(name)
    blamed = _blamed(network) if decides else {}

    def hit(finding: Finding) -> Finding:
        refs = finding.members or [PortRef(c.holder, c.port) for c in finding.causes if c.port]
        hosts = dict.fromkeys(name for ref in refs for name in host_at.get(ref, ()))
        own = {name for c in finding.causes for name in blamed.get((c.holder, c.port or c.entry), ())}
        claims = tuple(c.name for c in campus.claims if c.name in own or _breaks(campus, finding, c))
        return replace(finding, hosts=tuple(hosts), claims=claims)

    return hit


_MOST_DECIDED: Final = 50
"""Up to so many claims are decided to find what breaks them; of more, finding by finding what it joins and cuts tells."""


def _blamed(network: Network) -> dict[tuple[str, str], set[str]]:
    """Returns the broken claims by what breaks them: a switch with a port of it, one of its VLANs, or a gateway's VLAN."""
    claims = network.campus.claims
    found: dict[tuple[str, str], set[str]] = defaultdict(set)
    if len(claims) > _MOST_DECIDED:
        return found
    prover = Prover(network)
    for claim in claims:
        plain = replace(claim, surviving=0) if isinstance(claim, Together) else claim
        try:
            outcome = prover.decide(plain)
        except LookupError:  # it names what is not here
            continue
        if isinstance(outcome, Broken):
            for place in _places(outcome):
                found[place].add(claim.name)
    return found


def _places(outcome: Broken) -> Iterator[tuple[str, str]]:
    for witness in outcome.witnesses:
        yield from _on_the_way(witness.way)
    if (stop := outcome.stop) is None:
        return
    if stop.lost is not None:
        yield from ((stop.lost.end.switch, str(v)) for v in stop.lost.vlans)
        yield from (tuple(end.partition(":")[::2]) for end in stop.link.split(" <-> "))  # type: ignore[misc]
    else:
        yield from ((ref.switch, ref.port) for ref in (stop.sender, stop.hearer))


def _on_the_way(way: Sequence[Passage | Turn]) -> Iterator[tuple[str, str]]:
    """Yields where a frame changes its VLAN, and by which gateways a packet goes; its ends where nothing of that happens."""
    none = True
    for here, there in pairwise(way):
        if isinstance(there, Turn):
            none = False
            gateways = [g for g in (there.into, there.out) if g is not None]
            yield from ((there.device, g.port or str(g.vid)) for g in gateways)
        elif isinstance(here, Passage) and here.domain != there.domain:
            none = False
            yield from ((ref.switch, ref.port) for ref in (here.out, there.by) if ref is not None)
    first, last = way[0], way[-1]
    if none and isinstance(first, Passage) and isinstance(last, Passage):
        yield from ((ref.switch, ref.port) for ref in (first.by, last.out) if ref is not None)


def _breaks(campus: Campus, finding: Finding, claim: Claim) -> bool:
    """Tells whether a claim is at stake: VLANs of two of its segments are joined, or one of its segments is cut."""
    members = frozenset(finding.members)
    known = campus.segments
    if isinstance(claim, Apart):
        return 2 in claim.layers and any(
            all(name in known and _touched(known[name], finding.joins, members) for name in pair)
            for pair in claim.pairs
        )
    return finding.parts and any(name in known and _cut(known[name], finding.vlans, members) for name in claim.segments)


def _touched(segment: Segment, vlans: VlanSet, members: frozenset[PortRef]) -> bool:
    return bool(segment.vlans & vlans) and (segment.ports is None or not members.isdisjoint(segment.ports))


def _cut(segment: Segment, vlans: VlanSet, members: frozenset[PortRef]) -> bool:
    """Tells whether some of a segment is on the smaller side; where it is stated by its ports, some but not all of them."""
    if segment.ports is None:
        return bool(segment.vlans & vlans)
    return bool(segment.vlans & vlans) and not members.isdisjoint(segment.ports) and not members >= set(segment.ports)
