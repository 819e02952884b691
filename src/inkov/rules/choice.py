"""What an audit is to report: which rules, how severe, what is waived, and what was known before."""

from __future__ import annotations

import fnmatch
import hashlib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import date

from inkov.model.campus import Waiver
from inkov.rules.finding import Evidence, Finding, Severity

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
        return next((s for p, s in reversed(list(self.severities.items())) if fnmatch.fnmatchcase(rule, p)), "")


def fits(rule: str, patterns: Iterable[str]) -> bool:
    """Tells whether a rule's name matches any of some patterns."""
    return any(fnmatch.fnmatchcase(rule, p) for p in patterns)


def identity(finding: Finding) -> str:
    """Returns what a finding is known by from run to run: its rule, its place and the setting it blames first.

    Line numbers, counts and wording are left out, so that edits elsewhere do not change it.
    """
    parts = (finding.rule, finding.place, *(finding.causes[0] if finding.causes else ()))
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()[:16]


def waive(
    findings: Iterable[Finding], waivers: tuple[Waiver, ...], today: date | None
) -> tuple[list[Finding], list[Finding], list[Finding]]:
    """Parts findings into those that stand and those that are waived, and says which waivers are over or unused.

    Returns:
        The findings that stand, those that are waived, and what is to be said of the waivers.
    """
    stand: list[Finding] = []
    waived: list[Finding] = []
    used: set[int] = set()
    for finding in findings:
        at = [i for i, w in enumerate(waivers) if _covers(w, finding)]
        used.update(at)
        alive = [i for i in at if not _over(waivers[i], today)]
        (waived if alive else stand).append(finding)
    return stand, waived, list(_about(waivers, used, today))


def _covers(waiver: Waiver, finding: Finding) -> bool:
    return fnmatch.fnmatchcase(finding.rule, waiver.rule) and (
        fnmatch.fnmatchcase(finding.place, waiver.at)
        or any(fnmatch.fnmatchcase(end.strip(), waiver.at) for end in finding.place.split(" <-> "))
    )


def _over(waiver: Waiver, today: date | None) -> bool:
    return waiver.until is not None and today is not None and waiver.until < today


def _about(waivers: tuple[Waiver, ...], used: set[int], today: date | None) -> Iterator[Finding]:
    for i, waiver in enumerate(waivers):
        over = _over(waiver, today)
        if not over and i in used:
            continue
        by = f" ({waiver.owner})" if waiver.owner else ""
        what = (
            f"The waiver of {waiver.rule} at {waiver.at} ended on {waiver.until}{by}; what it waived counts again."
            if over
            else f"The waiver of {waiver.rule} at {waiver.at}{by} waives nothing."
        )
        yield Finding(
            rule="waiver/over" if over else "waiver/unused",
            severity=Severity.RISK if over and i in used else Severity.TIDY,
            place=f"{waiver.rule} at {waiver.at}",
            what=what,
            mend="Mend what it was for, or take the waiver out of the campus file."
            if over
            else "Take it out of the campus file.",
            evidence=(Evidence(waiver.why, waiver.source),),
            causes=(("waive", str(i)),),
        )
