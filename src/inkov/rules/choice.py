"""What an audit is to report: which rules, how severe, and what was known before."""

from __future__ import annotations

import fnmatch
import hashlib
from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date

from inkov.rules.finding import Finding, Severity

OFF = "off"
"""The severity of a rule that is not to be run."""


@dataclass(frozen=True, slots=True)
class Choice:
    """What one audit is to report.

    Attributes:
        only: patterns of rules to run; all when empty.
        skip: patterns of rules not to run.
        severities: pattern of rules to severity, or `off`; the last that fits counts.
        today: decides which waivers are over; none is when it is not known.
        known: identities of findings that are not new.
    """

    only: tuple[str, ...] = ()
    skip: tuple[str, ...] = ()
    severities: Mapping[str, str] = field(default_factory=dict)
    today: date | None = None
    known: frozenset[str] = frozenset()

    def runs(self, rule: str) -> bool:
        """Tells whether a rule is to be run."""
        chosen = not self.only or fits(rule, self.only)
        return chosen and not fits(rule, self.skip) and self._said(rule) != OFF

    def weighed(self, finding: Finding) -> Finding:
        """Returns a finding with the severity that is wanted."""
        said = self._said(finding.rule)
        return replace(finding, severity=Severity(said)) if said else finding

    def _said(self, rule: str) -> str:
        return next((s for p, s in reversed(list(self.severities.items())) if fits(rule, [p])), "")


def fits(rule: str, patterns: Iterable[str]) -> bool:
    """Tells whether a rule's name matches any of some patterns; the name of a theme stands for all its rules."""
    return any(fnmatch.fnmatchcase(rule, p) or rule.partition("/")[0] == p for p in patterns)


def identity(finding: Finding) -> str:
    """Returns what a finding is known by from run to run: rule, place, severity, what is joined or cut, the setting to blame.

    Line numbers, counts and wording are left out, so that edits elsewhere do not change it; but what was accepted as harmless
    does not hide that other VLANs meet there tomorrow.
    """
    hit = finding.joins or (finding.vlans if finding.parts else "")
    blamed = finding.causes[0].parts if finding.causes else ()
    parts = (finding.rule, finding.place, finding.severity.value, str(hit), *blamed)
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()[:16]


def worse(
    before: Iterable[Finding], after: Iterable[Finding], key: Callable[[Finding], Hashable] = identity
) -> list[Finding]:
    """Returns the findings that are new, and those that stood there as something milder; `key` is what they are known by."""
    known: dict[Hashable, int] = {}
    for f in before:
        known[key(f)] = min(f.severity.rank, known.get(key(f), f.severity.rank))
    return [f for f in after if f.severity.rank < known.get(key(f), f.severity.rank + 1)]
