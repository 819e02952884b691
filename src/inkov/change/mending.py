"""Cures that are certain: each tried on the campus and kept only if its finding is gone and nothing else is worse."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from inkov.change.losses import harms
from inkov.change.side import Side
from inkov.forwarding.labels import BY_LABEL
from inkov.model.campus import Campus, Claim
from inkov.proof.outcome import Proved
from inkov.rules.catalogue import RULES, cures
from inkov.rules.choice import fits, identity
from inkov.rules.finding import Finding, Severity
from inkov.steps.edit import CannotChange
from inkov.steps.steps import Step

_ORDER = list(Severity)


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
    before = Side(campus, campus.claims)
    mending = _Mending(
        before, refuses, claims=False
    )  # nearly always no cure makes a claim worse: they are decided at the end
    mending.run(only, at)
    if not all(_as_well(before, mending.now, c) for c in campus.claims):
        mending = _Mending(before, refuses, claims=True)
        mending.run(only, at)
    now, done, left, steps = mending.now, mending.done, mending.left, mending.steps
    turned = tuple(
        f"{c.name}: {before.word(c)} → {now.word(c)}" for c in campus.claims if before.word(c) != now.word(c)
    )
    left = sorted(left, key=lambda row: Severity(row.severity).rank)
    return MendView(campus.name, tuple(done), tuple(left), turned), steps, now.campus


Tried = tuple[Finding, tuple[Step, ...]]
"""A finding and what may cure it."""


class _Mending:
    """A campus that is mended bit by bit.

    Attributes:
        now: as it is after the cures so far.
        done: the cures so far; `steps` are what they do.
        left: findings without a certain cure.
    """

    def __init__(self, before: Side, refuses: Refuses, *, claims: bool) -> None:
        """Takes the campus, what refuses cures, and whether each cure is tried for what it does to claims, too."""
        self.before = self.now = before
        self.refuses = refuses
        self._claims = self.now.claims if claims else ()
        self.done: list[CureRow] = []
        self.left: list[LeftRow] = []
        self.steps: list[Step] = []
        self._seen: set[str] = set()
        self._refused: dict[str, tuple[LeftRow, int]] = {}

    def run(self, only: Sequence[str], at: str) -> None:
        """Cures all there is to cure; a cure that was refused is tried again after others."""
        while True:
            while some := self.pending(only, at):
                self.settle(some)
            if not self.again():
                return

    def pending(self, only: Sequence[str], at: str) -> list[Finding]:
        """Returns the next finding, with those that follow of the same rule: most have cures that have nothing to do with each other."""
        found: list[Finding] = []
        for finding in self.now.findings:
            if identity(finding) in self._seen or (only and not fits(finding.rule, only)) or at not in finding.place:
                continue
            if found and finding.rule != found[0].rule:
                break
            found.append(finding)
        return found

    def again(self) -> bool:
        """Tells whether cures that were refused are worth another try, as others were made since; forgets their refusal."""
        waiting = {own: row for own, (row, done) in self._refused.items() if done < len(self.done)}
        self._refused.clear()
        self._seen -= waiting.keys()
        self.left = [row for row in self.left if row not in waiting.values()]
        return bool(waiting)

    def settle(self, some: Sequence[Finding]) -> None:
        """Cures findings of one rule or notes why not: all at once, or half by half where that harms."""
        still = {identity(f) for f in self.now.findings}
        some = [f for f in some if identity(f) in still and identity(f) not in self._seen]
        if len(some) < 2:
            for finding in some:
                self._settle_one(finding)
            return
        at_once = self._apart(some)
        after = self._after(at_once) if len(at_once) > 1 else None
        if after is not None:
            self._keep(at_once, after)
            return
        half = len(some) // 2
        self.settle(some[:half])
        self.settle(some[half:])

    def _apart(self, some: Sequence[Finding]) -> list[Tried]:
        """Returns the findings whose first cures are on switches of their own, with these cures."""
        found: list[Tried] = []
        touched: set[str] = set()
        for finding in some:
            cure = next(iter(cures(self.now.network, finding)), None)
            own = {name for step in cure or () for name in step.touched}
            if cure and own and own.isdisjoint(touched) and not self.refuses(cure, self.now.campus):
                touched |= own
                found.append((finding, cure))
        return found

    def _settle_one(self, finding: Finding) -> None:
        """Takes the first cure that is certain; where there is none, says why."""
        refused = ""
        for cure in cures(self.now.network, finding):
            after = self._after([(finding, cure)])
            if after is not None:
                refused = self.refuses(cure, self.now.campus)
                if not refused:
                    self._keep([(finding, cure)], after)
                    return
                break
        decide = RULES[finding.rule].cure is None and not finding.cure
        why = "somebody has to decide" if decide else self._why_not(finding)
        self._seen.add(identity(finding))
        row = LeftRow(finding.rule, finding.severity.value, finding.place, decide, refused or why, finding.mend)
        self.left.append(row)
        if not decide and not refused and next(iter(cures(self.now.network, finding)), None) is not None:
            self._refused[identity(finding)] = (row, len(self.done))

    def _why_not(self, finding: Finding) -> str:
        """Says why no cure of a finding is certain."""
        now = self.now.network
        if now.labelled and next(iter(cures(now, finding)), None) is None and any(cures(now.followed, finding)):
            return BY_LABEL
        return "no change was found that harms nothing"

    def _after(self, tried: Sequence[Tried]) -> Side | None:
        """Returns the campus after some cures; None where one of their findings is still there, or anything is worse."""
        campus = self.now.campus
        try:
            for _, cure in tried:
                for step in cure:
                    campus = step.done(campus)
        except CannotChange:
            return None
        after = Side(campus, self.now.claims, like=self.before)
        known = {identity(f) for top in self.now.findings for f in (top, *top.also)}  # what was folded away is not new
        still = {identity(f) for f in after.findings}
        if any(identity(finding) in still for finding, _ in tried):
            return None
        lightest = max(_weight(finding) for finding, _ in tried)
        if harms(self.now, after, [step for _, cure in tried for step in cure]):
            return None
        worse = any(identity(f) not in known and _weight(f) <= lightest for f in after.findings)
        return None if worse or any(after.worse(c, self.now.badness(c)) for c in self._claims) else after

    def _keep(self, tried: Sequence[Tried], after: Side) -> None:
        self.now = after
        for finding, cure in tried:
            self._seen.add(identity(finding))
            self.steps += cure
            what = tuple(s.what for s in cure)
            self.done.append(CureRow(finding.rule, finding.severity.value, finding.place, what))


def _as_well(before: Side, now: Side, claim: Claim) -> bool:
    """Tells whether a claim is proved after all cures, or what it was; of any other no cure on the way may be to blame unseen."""
    return now is before or now.badness(claim) in {Proved.badness, before.badness(claim)}


def _weight(finding: Finding) -> int:
    return _ORDER.index(finding.severity)
