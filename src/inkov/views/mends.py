"""Cures that are certain: each tried on the campus and kept only if its finding is gone and nothing else is worse."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from inkov.kinds.edit import CannotChange
from inkov.kinds.steps import Step
from inkov.model.campus import Campus, Claim
from inkov.rules.choice import fits, identity
from inkov.rules.cures import CURABLE, cures
from inkov.rules.finding import Finding, Severity
from inkov.views.drifts import Side
from inkov.views.rehearsals import rank

_ORDER = list(Severity)
_BROKEN = 2  # the worst `rank`


@dataclass(frozen=True, slots=True)
class CureRow:
    """A finding that a few steps cure for certain."""

    rule: str
    severity: str
    place: str
    steps: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class LeftRow:
    """A finding without a certain cure, and why; `decide` where a person has to choose, by what `mend` says."""

    rule: str
    severity: str
    place: str
    decide: bool
    why: str
    mend: str


@dataclass(frozen=True, slots=True)
class MendView:
    """Cures in the order in which they were tried, each on the campus that those before it leave; and what is left."""

    campus: str
    cures: tuple[CureRow, ...]
    left: tuple[LeftRow, ...]
    claims: tuple[str, ...]


Refuses = Callable[[Sequence[Step], Campus], str]
"""Says why a cure cannot be used on a campus; nothing where it can."""


def mended(
    campus: Campus, only: Sequence[str] = (), at: str = "", refuses: Refuses = lambda *_: ""
) -> tuple[MendView, list[Step], Campus]:
    """Finds the cures that are certain.

    Args:
        campus: as it is.
        only: names of rules, or patterns; all when empty.
        at: a place that findings must name; anywhere when empty.
        refuses: says why a cure that was found is not to be used.

    Returns:
        What was found, the steps, and the campus after them.
    """
    now = before = Side(campus, campus.claims)
    done: list[CureRow] = []
    left: list[LeftRow] = []
    steps: list[Step] = []
    seen: set[str] = set()
    while (finding := _next(now, seen, only, at)) is not None:
        seen.add(identity(finding))
        better = _cured(now, finding)
        if better is None or (refused := refuses(better[1], now.campus)):
            decide = finding.rule not in CURABLE
            why = "somebody has to decide" if decide else "no change was found that harms nothing"
            why = refused if better is not None else why
            left.append(LeftRow(finding.rule, finding.severity.value, finding.place, decide, why, finding.mend))
            continue
        now, cure = better
        steps += cure
        done.append(CureRow(finding.rule, finding.severity.value, finding.place, tuple(s.what for s in cure)))
    turned = tuple(
        f"{c.name}: {type(before.outcome(c)).__name__} → {type(now.outcome(c)).__name__}"
        for c in campus.claims
        if rank(before.outcome(c)) != rank(now.outcome(c))
    )
    return MendView(campus.name, tuple(done), tuple(left), turned), steps, now.campus


def _next(now: Side, seen: set[str], only: Sequence[str], at: str) -> Finding | None:
    for finding in now.findings:
        if identity(finding) in seen or (only and not fits(finding.rule, only)):
            continue
        if not at or at in finding.place:
            return finding
    return None


def _cured(now: Side, finding: Finding) -> tuple[Side, tuple[Step, ...]] | None:
    """Returns the campus after the first cure that is certain, and the cure; None where there is none."""
    known = {identity(f) for f in now.findings}
    for cure in cures(now.network, finding):
        campus = now.campus
        try:
            for step in cure:
                campus = step.done(campus)
        except CannotChange:
            continue
        after = Side(campus, now.claims)
        if identity(finding) in {identity(f) for f in after.findings}:
            continue
        worse = [f for f in after.findings if identity(f) not in known and _weight(f) <= _weight(finding)]
        if not worse and not any(_worse(now, after, c) for c in now.claims):
            return after, cure
    return None


def _worse(now: Side, after: Side, claim: Claim) -> bool:
    """Tells whether a claim is worse off; of one that is broken already, nothing has to be decided again."""
    was = rank(now.outcome(claim))
    return was < _BROKEN and rank(after.outcome(claim)) > was


def _weight(finding: Finding) -> int:
    return _ORDER.index(finding.severity)
