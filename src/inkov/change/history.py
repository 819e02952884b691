"""A campus over its revisions: findings by severity, claims, what each revision opened and closed, and how old the oldest is."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

from inkov.change.drift import drift_view
from inkov.forwarding.network import Network
from inkov.model.campus import Campus
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
class TurnRow:
    """A revision that turned a claim: its verdict before and after, and the edits that did it."""

    revision: str
    date: str
    subject: str
    before: str
    after: str
    by: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class TrendView:
    """Revisions, the oldest first, and each turn of a claim that was asked for.

    `broke` is the first revision after which that claim no longer held, and stayed so.
    """

    campus: str
    rows: tuple[TrendRow, ...]
    claim: str
    broke: str
    turns: tuple[TurnRow, ...] = ()


def trend_view(states: Sequence[State], claim: str = "") -> TrendView:
    """Returns a campus over its revisions.

    Args:
        states: the oldest first.
        claim: name of a claim; each revision that turned it is told, with the edits that did it.
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
        claims = {c.name: prover.decide(c).word for c in state.campus.claims}
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
    return TrendView(name, tuple(rows), claim, _broke(rows, claim), tuple(_turns(states, rows, claim)))


def _turns(states: Sequence[State], rows: Sequence[TrendRow], claim: str) -> Iterator[TurnRow]:
    """Yields each turn of a claim, the oldest first."""
    said = [
        (s, r.claims[claim]) for s, r in zip(states, rows, strict=True) if s.campus is not None and claim in r.claims
    ]
    for (was, before), (now, after) in pairwise(said):
        if before != after and was.campus is not None and now.campus is not None:
            turned = drift_view(was.campus, now.campus, (was.revision, now.revision)).claims
            by = next((t.by for t in turned if t.name == claim), ())
            yield TurnRow(now.revision, now.date, now.subject, before, after, by)


def _broke(rows: Sequence[TrendRow], claim: str) -> str:
    """Returns the revision from which on a claim has not held to the end; empty when it holds now, or never did."""
    first = ""
    for row in reversed([r for r in rows if claim in r.claims]):
        if row.claims[claim] == "proved":
            return first
        first = row.revision
    return ""
