"""Whom a finding hits: hosts, and claims it puts at stake.

A claim is at stake where the finding joins VLANs of two of its segments, or cuts one of them; and where the claim is broken,
and what the finding blames is what the way that breaks it goes by, or where it stops.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import replace

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Campus, Claim, Segment
from inkov.model.names import PortRef
from inkov.model.vlanset import VlanSet
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
    blamed = _blamed(network) if decides and campus.claims else {}

    def hit(finding: Finding) -> Finding:
        refs = finding.members or [PortRef(c.holder, c.port) for c in finding.causes if c.port]
        hosts = dict.fromkeys(name for ref in refs for name in host_at.get(ref, ()))
        own = {name for c in finding.causes for name in blamed.get((c.holder, c.port or c.entry), ())}
        claims = tuple(c.name for c in campus.claims if c.name in own or _breaks(campus, finding, c))
        return replace(finding, hosts=tuple(hosts), claims=claims)

    return hit


def _blamed(network: Network) -> Mapping[tuple[str, str], Collection[str]]:
    from inkov.rules.blame import blamed  # noqa: PLC0415 - brings the prover, which takes longer to import than small sites to audit

    return blamed(network)


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
