"""Whom a finding hits: hosts, and claims it puts at stake.

A claim is at stake where the finding joins VLANs of two of its segments, or cuts one of them; and where the claim is broken,
and what the finding blames is what the way that breaks it goes by, or where it stops.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from itertools import combinations

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Campus, Claim, Segment
from inkov.model.names import PortRef
from inkov.model.vlanset import NONE, Vid, VlanSet
from inkov.rules.finding import Finding


def impact(network: Network, blamed: Mapping[tuple[str, str], Collection[str]]) -> Callable[[Finding], Finding]:
    """Returns what adds to a finding the hosts and the claims of a campus that it hits.

    Args:
        network: the campus with its forwarding.
        blamed: broken claims by what breaks them; of others, what a finding joins and cuts tells.
    """
    campus = network.campus
    if not campus.hosts and not campus.claims:
        return lambda finding: finding
    host_at: dict[PortRef, list[str]] = {}
    for name, host in campus.hosts.items():
        host_at.setdefault(host.port, []).append(name)
    stakes = _Stakes(campus)

    def hit(finding: Finding) -> Finding:
        refs = finding.members or [PortRef(c.holder, c.port) for c in finding.causes if c.port]
        hosts = dict.fromkeys(name for ref in refs for name in host_at.get(ref, ())) if host_at else {}
        own = {name for c in finding.causes for name in blamed.get((c.holder, c.port or c.entry), ())}
        own.update(stakes.of(finding))
        claims = tuple(c.name for c in campus.claims if c.name in own) if own else ()
        return replace(finding, hosts=tuple(hosts), claims=claims)

    return hit


class _Stakes:
    """The claims of a campus by what findings name: the ports and the VLANs of their segments."""

    def __init__(self, campus: Campus) -> None:
        self.segments = campus.segments
        self._at_port: dict[PortRef, list[str]] = defaultdict(list)
        self._in_vlan: dict[Vid, list[str]] = defaultdict(list)
        self._about: dict[str, list[Claim]] = defaultdict(list)
        for name, segment in campus.segments.items():
            for ref in segment.ports or ():
                self._at_port[ref].append(name)
            for vid in segment.vlans if segment.ports is None else ():
                self._in_vlan[vid].append(name)
        for claim in campus.claims:
            for name in claim.segments:
                self._about[name].append(claim)

    def of(self, finding: Finding) -> set[str]:
        """Returns the claims at stake: VLANs of two of its segments are joined, or one of its segments is cut."""
        members = frozenset(finding.members)
        vlans = finding.joins | (finding.vlans if finding.parts else NONE)
        near = {n for v in vlans for n in self._in_vlan.get(v, ())}
        near |= {n for ref in members for n in self._at_port.get(ref, ())} if vlans else set()
        joined = {n for n in near if _touched(self.segments[n], finding.joins, members)}
        cut = {n for n in near if finding.parts and _cut(self.segments[n], finding.vlans, members)}
        asked = {c.name: c for n in joined | cut for c in self._about[n]}
        return {name for name, claim in asked.items() if _breaks(claim, joined, cut)}


def _breaks(claim: Claim, joined: Collection[str], cut: Collection[str]) -> bool:
    if isinstance(claim, Apart):
        return 2 in claim.layers and any(
            claim.parts(a, b) for a, b in combinations([n for n in claim.segments if n in joined], 2)
        )
    return any(n in cut for n in claim.segments)


def _touched(segment: Segment, vlans: VlanSet, members: frozenset[PortRef]) -> bool:
    return bool(segment.vlans & vlans) and (segment.ports is None or not members.isdisjoint(segment.ports))


def _cut(segment: Segment, vlans: VlanSet, members: frozenset[PortRef]) -> bool:
    """Tells whether some of a segment is on the smaller side; where it is stated by its ports, some but not all of them."""
    if segment.ports is None:
        return bool(segment.vlans & vlans)
    return bool(segment.vlans & vlans) and not members.isdisjoint(segment.ports) and not members >= set(segment.ports)
