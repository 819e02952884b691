"""What changed between two campuses, what it did, and which change did it, as plain data."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from typing_extensions import TypedDict

from inkov.change.causes import Causes, placed, places
from inkov.change.hearing import shifts
from inkov.change.side import Side, word
from inkov.change.states import StateRow, states
from inkov.model.campus import Apart, Campus, Claim
from inkov.plan.change import Change, changes, folded
from inkov.plan.renames import renamed
from inkov.proof.outcome import Ask, Broken, Outcome, Proved, Verdict
from inkov.rules.choice import identity, worse
from inkov.views.findings import FindingView, finding_view
from inkov.views.reports import VerdictView, verdict_views


@dataclass(frozen=True, slots=True)
class ChangeRow:
    """A setting that differs; `at` where, `what` became of it, `ports` how many it is of. `silent`: no frame heeds it."""

    at: str
    what: str
    ports: int
    silent: bool


Heard = TypedDict("Heard", {"from": str, "at": tuple[str, ...]})
"""Edge ports that hear untagged frames of a port. A mapping, as `from` is no name for an attribute."""


@dataclass(frozen=True, slots=True)
class ReachView:
    """Who hears whom that did not, and who no longer does."""

    gained: tuple[Heard, ...]
    lost: tuple[Heard, ...]


@dataclass(frozen=True, slots=True)
class Turned:
    """A claim whose verdict is another; `by` are the changes that turn it, `now` is the verdict with its way."""

    name: str
    before: str
    after: str
    by: tuple[str, ...]
    now: VerdictView


@dataclass(frozen=True, slots=True)
class FoundView:
    """A finding that is new, and the changes that bring it about."""

    finding: FindingView
    by: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class FindingsView:
    """Findings that are new, worst first, and those that are gone."""

    new: tuple[FoundView, ...]
    gone: tuple[FindingView, ...]


@dataclass(frozen=True, slots=True)
class PortsView:
    """Edge ports that only one of the two has."""

    new: tuple[str, ...]
    gone: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class DriftView:
    """What differs from `before` to `after`, and what that does.

    `gained_by` and `lost_by` are the changes that bring reach gained or lost about.
    """

    before: str
    after: str
    changes: tuple[ChangeRow, ...]
    reach: ReachView
    gained_by: tuple[str, ...]
    lost_by: tuple[str, ...]
    states: tuple[StateRow, ...]
    claims: tuple[Turned, ...]
    findings: FindingsView
    ports: PortsView


def drift_view(before: Campus, after: Campus, names: tuple[str, str], *, causes: bool = True) -> DriftView:
    """Compares two campuses.

    Args:
        before: how it was; its names, hosts, segments and claims count where the other has none.
        after: how it is.
        names: what the two are called.
        causes: find out which change did it; of one step that is no question.
    """
    claims = after.claims or before.claims
    before, others = renamed(before, after)
    first = Side(before, claims)
    return drift_of(first, Side(after, claims, like=first), names, causes=causes, others=others)


def drift_of(
    one: Side, other: Side, names: tuple[str, str], *, causes: bool = True, others: Sequence[Change] = ()
) -> DriftView:
    """Compares two campuses of which some things may be worked out already; else as `drift_view`.

    Args:
        one: how it was.
        other: how it is.
        names: what the two are called.
        causes: as for `drift_view`.
        others: changes that are not to be found in them any more, such as of names.
    """
    found, claims = changes(one.campus, other.campus), other.claims
    gained, lost = reach(one, other)
    cause = Causes(one, other, found if causes else ())
    return DriftView(
        before=names[0],
        after=names[1],
        changes=tuple(
            ChangeRow(placed(at, some), what, len(some), some[0].silent) for at, what, some in folded([*others, *found])
        ),
        reach=ReachView(gained, lost),
        gained_by=cause.words(cause.each(lambda side: side.parted[0])) if gained else (),
        lost_by=cause.words(cause.each(lambda side: side.parted[1])) if lost else (),
        states=tuple(states(one.followed, other.followed)),
        claims=tuple(_turned(one, other, claims, cause)),
        findings=_findings(one, other, cause),
        ports=PortsView(_edges(other, one), _edges(one, other)),
    )


def _edges(side: Side, but: Side) -> tuple[str, ...]:
    """Returns the edge ports of a campus that are none of another."""
    mine, theirs = side.followed.edge_ports, but.followed.edge_ports
    found = {r for name, refs in mine.items() if refs != theirs.get(name) for r in {*refs} - {*theirs.get(name, ())}}
    return tuple(map(str, sorted(found, key=lambda r: r.order)))


# -- effects -----------------------------------------------------------------------------------------


def reach(before: Side, after: Side) -> tuple[tuple[Heard, ...], tuple[Heard, ...]]:
    """Returns who hears whom that did not, and who no longer does, a sending port a row."""
    gained: list[Heard] = []
    lost: list[Heard] = []
    found = [(ref, shift) for shift in shifts(before.hearing, after.hearing) for ref in shift.refs]
    for ref, shift in sorted(found, key=lambda f: f[0].order):
        for rows, some in ((gained, shift.gained), (lost, shift.lost)):
            if others := some - {ref}:
                rows.append({"from": str(ref), "at": tuple(map(str, sorted(others, key=lambda r: r.order)))})
    return tuple(gained), tuple(lost)


def _turned(before: Side, after: Side, claims: Sequence[Claim], cause: Causes) -> Iterator[Turned]:
    for claim in claims:
        if before.word(claim) == after.word(claim):
            continue
        was, now = before.outcome(claim), after.outcome(claim)
        if now is None:
            continue
        near = [*places(now), *places(was)]
        by = _brought_by(_where_broken(claim, now), word(now), near, cause)
        (view,) = verdict_views([Verdict(claim, now)])
        yield Turned(claim.name, word(was), word(now), by, view)


def _brought_by(claim: Claim, now: str, near: Sequence[str], cause: Causes) -> tuple[str, ...]:
    """Returns the changes that bring a verdict about."""
    ask = {Proved.word: Ask.ANY, Broken.word: Ask.SURE}.get(now, Ask.WHOLE)

    def outcome(side: Side) -> Outcome | None:
        return side.outcome(claim, ask)

    return cause.words(cause.of(lambda side: word(outcome(side)) == now, near, lambda side: places(outcome(side))))


def _where_broken(claim: Claim, outcome: Outcome) -> Claim:
    """Returns of a broken `apart` what is broken, so that the other pairs are not decided again and again."""
    if not isinstance(claim, Apart) or not isinstance(outcome, Broken):
        return claim
    met = {frozenset((w.start, w.end)) for w in outcome.witnesses}
    allowed = frozenset(map(frozenset, claim.pairs)) - met
    return replace(
        claim,
        segments=tuple(n for n in claim.segments if any(n in pair for pair in met)),
        allowed=claim.allowed | allowed,
    )


def _findings(before: Side, after: Side, cause: Causes) -> FindingsView:
    still = {identity(f) for f in after.findings}
    new = []
    for finding in worse(before.findings, after.findings):
        own = identity(finding)
        at = (":".join(filter(None, (c.holder, c.port))) for c in finding.causes)
        near = [*at, *finding.place.split(" <-> ")]
        by = cause.of(lambda side, own=own, rule=finding.rule: own in side.found(rule), near, silent=True)  # type: ignore[misc]
        new.append(FoundView(finding_view(finding), cause.words(by)))
    return FindingsView(tuple(new), tuple(finding_view(f) for f in before.findings if identity(f) not in still))
