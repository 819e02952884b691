"""What a rule yields, and how findings that share a cause become one."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields, replace
from enum import Enum
from typing import NamedTuple

from inkov.model.names import PortRef, natural
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.vlanset import NONE, VlanSet
from inkov.steps.steps import Step


class Cause(NamedTuple):
    """A setting that is to blame.

    Attributes:
        holder: the switch, host or segment that has it; empty where it is the campus.
        setting: which.
        port: the port it is of; empty where it is the whole holder's.
        entry: the entry of a setting that has entries, such as a VID.
    """

    holder: str
    setting: Setting
    port: str = ""
    entry: str = ""

    @property
    def parts(self) -> tuple[str, ...]:
        """What it is known by from run to run."""
        return tuple(filter(None, (self.holder, self.port, *self.setting.cause.split("/"), self.entry)))


class Severity(Enum):
    """How bad it is, worst first. The order of the members is the order of reports."""

    BREACH = "breach"
    OUTAGE = "outage"
    RISK = "risk"
    TIDY = "tidy"

    @property
    def rank(self) -> int:
        """0 for the worst."""
        return list(Severity).index(self)


@dataclass(frozen=True, slots=True)
class Evidence:
    """One fact a finding rests on.

    Attributes:
        fact: what is set, in a few words.
        source: where.
    """

    fact: str
    source: Source


Cure = tuple[Step, ...]
"""Steps that may put right what a finding blames."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """One thing wrong, as only its rule can tell it; name, usual severity and fix stand in the rule's declaration.

    Attributes:
        place: `switch:ports`, a link, or a VLAN.
        what: one sentence on what happens because of it.
        mend: one sentence on what to do here; empty where the declaration's says it.
        evidence: the facts, each with its place.
        causes: settings to blame, the likeliest first; findings with a cause in common are grouped.
        severity: how bad, where it is not the worst that the rule reports.
        vlans: VLANs it affects.
        members: member ports it hits: those it cuts off from the larger part of their VLAN, or all it lets meet.
        ports: how many ports it hits, where they are no members of the VLANs.
        parts: it cuts its VLANs into parts.
        joins: VLANs whose stations it lets meet.
        follows: it follows from a setting that a rule of its own blames, and comes after what that rule says.
        cure: steps that may put it right, where the rule itself knows them; they are tried before anybody hears of them.
    """

    place: str
    what: str
    mend: str = ""
    evidence: tuple[Evidence, ...] = ()
    causes: tuple[Cause, ...] = ()
    severity: Severity | None = None
    vlans: VlanSet = NONE
    members: tuple[PortRef, ...] = ()
    ports: int = 0
    parts: bool = False
    joins: VlanSet = NONE
    follows: bool = False
    cure: Cure = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding(Fault):
    """A fault with what its rule says of all of that kind, and whom it hits.

    Attributes:
        rule: name of the rule.
        severity: how bad.
        hosts: hosts it hits, by name.
        claims: claims it puts at stake, by name.
        also: weaker findings with the same cause.
    """

    rule: str
    severity: Severity
    hosts: tuple[str, ...] = ()
    claims: tuple[str, ...] = ()
    also: tuple[Finding, ...] = ()

    @classmethod
    def of(cls, fault: Fault, rule: str, severity: Severity, mend: str) -> Finding:
        """Returns a fault as a finding.

        Args:
            fault: what the rule found.
            rule: its name.
            severity: how bad faults of the rule are, unless the fault says.
            mend: what to do about all of them, unless the fault says.
        """
        own = {f.name: getattr(fault, f.name) for f in fields(Fault)}
        return cls(**own | {"rule": rule, "severity": fault.severity or severity, "mend": fault.mend or mend})

    @property
    def order(self) -> tuple[object, ...]:
        """Sort key of reports: worst first, causes before what follows, what breaks claims and hits most, then by place."""
        hit = -len(self.claims), -(len(self.members) or self.ports)
        return self.severity.rank, self.follows, *hit, self.rule, natural(self.place), self.what


def grouped(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Sorts findings, worst first, and folds each into a worse one that blames the same setting.

    A finding is folded when any of its causes is among those of one finding before it, so one finding never
    pulls together two others that have nothing in common.
    """
    heads: list[tuple[Finding, list[Finding]]] = []
    owner: dict[Cause, int] = {}
    for finding in sorted(findings, key=lambda f: f.order):
        at = next((owner[c] for c in finding.causes if c in owner), None)
        if at is not None:
            heads[at][1].append(finding)
            continue
        for cause in finding.causes:
            owner[cause] = len(heads)
        heads.append((finding, []))
    return _shared(tuple(replace(head, also=tuple(also)) for head, also in heads))


_MANY = 10


def _shared(findings: tuple[Finding, ...]) -> tuple[Finding, ...]:
    """Folds what many places share into one: housekeeping of one rule becomes a finding with its places, once it is much."""
    by_rule: dict[str, list[Finding]] = {}
    for finding in findings:
        if finding.severity is Severity.TIDY and not finding.also:
            by_rule.setdefault(finding.rule, []).append(finding)
    many = {rule: some for rule, some in by_rule.items() if len(some) > _MANY}
    shared = {id(finding) for some in many.values() for finding in some}
    made: list[Finding] = []
    for finding in findings:
        if id(finding) not in shared:
            made.append(finding)
        elif finding is (some := many[finding.rule])[0]:
            places = ", ".join(f.place for f in some[1:4])
            more = f" The same at {len(some) - 1} more places: {places} and {len(some) - 4} more."
            made.append(replace(finding, what=finding.what + more, also=tuple(some[1:])))
    return tuple(made)
