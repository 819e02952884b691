"""The audit as plain data, with every place and VLAN list as text."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.rules.choice import identity
from inkov.rules.finding import Evidence, Finding, Severity
from inkov.rules.wording import count, joined


@dataclass(frozen=True, slots=True)
class EvidenceView:
    """A fact and its place: as text, and as file, line where the format has lines, data path, and default or not."""

    fact: str
    place: str
    file: str
    line: int | None
    path: str
    default: bool


@dataclass(frozen=True, slots=True)
class FindingView:
    """A finding; `also` are weaker ones with the same cause, `id` is what it is known by from run to run.

    `ports`, `hosts` and `claims` are what it and those folded into it hit: how many ports, which hosts by name, and which
    claims they put at stake.
    """

    id: str
    rule: str
    severity: str
    place: str
    what: str
    mend: str
    evidence: tuple[EvidenceView, ...]
    vlans: str
    ports: int
    also: tuple[FindingView, ...]
    hosts: tuple[str, ...] = ()
    claims: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Size:
    """How much was looked at."""

    switches: int
    ports: int
    links: int
    vlans: int


@dataclass(frozen=True, slots=True)
class AuditView:
    """An audit: the campus, how many findings of each severity, and the findings, worst first.

    `summary` says it in one or two sentences. `broken` are the claims that are broken. `waived` is how many more are waived, and `known` how many more were in the
    baseline. `unread` are the files that could not be read, so that nothing is said of what they hold, `partly` those of which some
    values could not.
    """

    campus: str
    size: Size
    counts: dict[str, int]
    findings: tuple[FindingView, ...]
    waived: int = 0
    known: int = 0
    summary: str = ""
    unread: tuple[str, ...] = ()
    partly: tuple[str, ...] = ()
    broken: tuple[str, ...] = ()


def size(network: Network) -> Size:
    """Counts what a campus holds; LAGs do not count as ports."""
    ports = sum(not p.is_lag for s in network.switches.values() for p in s.ports.values())
    return Size(len(network.switches), ports, len(network.followed.links), network.used.bit_count())


def audit_view(
    network: Network, findings: Sequence[Finding], waived: int = 0, known: int = 0, broken: Sequence[str] = ()
) -> AuditView:
    """Returns an audit as plain data; `broken` are the names of claims that are."""
    counts = {s.value: sum(f.severity is s for f in findings) for s in Severity}
    views = tuple(map(finding_view, findings))
    wrong = network.campus.unread
    unread = tuple(dict.fromkeys(p.source.file for p in wrong if not p.partly))
    partly = tuple(dict.fromkeys(p.source.file for p in wrong if p.source.file not in unread))
    said = " ".join(filter(None, (_uncabled(network), _summary(counts, views, broken))))
    return AuditView(
        network.campus.name, size(network), counts, views, waived, known, said, unread, partly, tuple(broken)
    )


def _uncabled(network: Network) -> str:
    """Says that no cable is known, where there are several switches: then nothing between them was judged."""
    if not network.uncabled:
        return ""
    return (
        "No cable between switches is known, so nothing between them was judged: hand in what LLDP heard, "
        "or write `cables` into a campus file ('inkov draft' begins one)."
    )


def _summary(counts: Mapping[str, int], findings: Iterable[FindingView], broken: Sequence[str]) -> str:
    """Says what was found to somebody who will not read further."""
    parts = (
        [f"{count(len(broken), 'claim')} {'is' if len(broken) == 1 else 'are'} broken today ({joined(broken, 3)})"]
        if broken
        else []
    )
    if n := counts["breach"]:
        parts.append(f"stations that should be apart can meet in {count(n, 'place')}")
    if n := counts["outage"]:
        parts.append(f"{count(n, 'fault')} {'keeps' if n == 1 else 'keep'} stations from what they need today")
    if n := counts["risk"]:
        parts.append(
            f"{count(n, 'risk')}: {'works' if n == 1 else 'work'} today, {'breaks' if n == 1 else 'break'} at the next change"
        )
    if not parts:
        return "No breaches, outages or risks." if counts["tidy"] else ""
    text = "; ".join(parts)
    claims = list(dict.fromkeys(name for f in findings for name in f.claims if name not in broken))
    stake = f" At stake: {joined(claims, 3)}." if claims else ""
    return f"{text[0].upper()}{text[1:]}.{stake}"


def finding_view(finding: Finding) -> FindingView:
    """Returns one finding as plain data."""
    group = (finding, *finding.also)
    members = set[PortRef]().union(*{id(f.members): f.members for f in group}.values())  # many share theirs
    return FindingView(
        id=identity(finding),
        rule=finding.rule,
        severity=finding.severity.value,
        place=finding.place,
        what=finding.what,
        mend=finding.mend,
        evidence=tuple(map(_evidence, finding.evidence)),
        vlans=str(finding.vlans),
        ports=len(members) or max(f.ports for f in group),
        also=tuple(map(finding_view, finding.also)),
        hosts=tuple(dict.fromkeys(name for f in group for name in f.hosts)),
        claims=tuple(dict.fromkeys(name for f in group for name in f.claims)),
    )


def hits(finding: FindingView, named: int | None = None) -> str:
    """Returns whom a finding hits, in words: `VLAN 360, 1 host (till-1)`; `named` limits how many are named."""
    parts = []
    if finding.vlans != "none":
        parts.append(f"VLAN{'' if finding.vlans.isdecimal() else 's'} {finding.vlans}")
    if finding.ports:
        parts.append(count(finding.ports, "port"))
    if finding.hosts:
        parts.append(f"{count(len(finding.hosts), 'host')} ({joined(finding.hosts, named or len(finding.hosts))})")
    if finding.claims:
        quoted = [f"'{name}'" for name in finding.claims]
        parts.append(f"{count(len(quoted), 'claim')} ({joined(quoted, named or len(quoted))})")
    return ", ".join(parts)


def _evidence(evidence: Evidence) -> EvidenceView:
    s: Source = evidence.source
    return EvidenceView(evidence.fact, str(s), s.file, s.line, s.path, s.default)
