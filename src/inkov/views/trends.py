"""A campus over its revisions: findings by severity, claims, what each revision opened and closed, and how old the oldest is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.model.campus import Campus
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved
from inkov.proof.prove import Prover
from inkov.rules.catalogue import audit
from inkov.rules.choice import identity
from inkov.rules.finding import Severity


@dataclass(frozen=True, slots=True)
class State:
    """What a revision is called, when it was made, its subject, and the campus it holds; none where it cannot be read."""

    revision: str
    date: str
    subject: str
    campus: Campus | None
    why: str = ""


@dataclass(frozen=True, slots=True)
class TrendRow:
    """One revision.

    `counts` are findings by severity, `claims` verdicts by name, `opened` and `closed` how many findings came and went with
    it, `turned` the claims whose verdict it changed, `oldest` for how many revisions the oldest finding has been there.
    `why` says why it could not be read; the others are empty then.
    """

    revision: str
    date: str
    subject: str
    counts: dict[str, int]
    claims: dict[str, str]
    opened: int
    closed: int
    turned: tuple[str, ...]
    oldest: int
    why: str


@dataclass(frozen=True, slots=True)
class TrendView:
    """Revisions, the oldest first; `broke` is the first after which a claim that was asked for no longer held, and stayed so."""

    campus: str
    rows: tuple[TrendRow, ...]
    claim: str
    broke: str


def trend_view(states: Sequence[State], claim: str = "") -> TrendView:
    """Returns a campus over its revisions.

    Args:
        states: the oldest first.
        claim: name of a claim; which revision broke it is told.
    """
    rows: list[TrendRow] = []
    before: set[str] | None = None
    said: dict[str, str] = {}
    since: dict[str, int] = {}
    for n, state in enumerate(states):
        if state.campus is None:
            rows.append(TrendRow(state.revision, state.date, state.subject, {}, {}, 0, 0, (), 0, state.why))
            continue
        network = Network(state.campus)
        findings = audit(network, decides=False)
        ids = {identity(f) for f in findings}
        since = {i: since.get(i, n) for i in ids}
        prover = Prover(network)
        claims = {c.name: word(prover.decide(c)) for c in state.campus.claims}
        turned = tuple(f"{name}: {said[name]} → {now}" for name, now in claims.items() if said.get(name, now) != now)
        rows.append(
            TrendRow(
                *(state.revision, state.date, state.subject),
                counts={s.value: sum(f.severity is s for f in findings) for s in Severity},
                claims=claims,
                opened=len(ids - before) if before is not None else 0,
                closed=len(before - ids) if before is not None else 0,
                turned=turned,
                oldest=n - min(since.values()) if since else 0,
                why="",
            )
        )
        before, said = ids, {**said, **claims}
    name = next((s.campus.name for s in reversed(states) if s.campus), "")
    return TrendView(name, tuple(rows), claim, _broke(rows, claim))


def _broke(rows: Sequence[TrendRow], claim: str) -> str:
    """Returns the revision from which on a claim has not held to the end; empty when it holds now, or never did."""
    first = ""
    for row in reversed([r for r in rows if claim in r.claims]):
        if row.claims[claim] == "proved":
            return first
        first = row.revision
    return ""


def word(outcome: Outcome) -> str:
    """Returns an outcome in words."""
    match outcome:
        case Proved():
            return "proved"
        case Broken():
            return "broken"
        case CannotTell():
            return "cannot tell"
