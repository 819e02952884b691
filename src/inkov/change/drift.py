"""What changed between two campuses, what it did, and which change did it, as plain data."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

from typing_extensions import TypedDict

from inkov.change.hearing import Hearing, Plugged, pairs, shifts
from inkov.change.states import StateRow, states
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Campus, Claim
from inkov.model.names import ports_text
from inkov.plan.change import Change, Key, changes, folded, smallest, with_some
from inkov.plan.renames import renamed
from inkov.proof.outcome import Broken, CannotTell, Outcome, Passage, Proved, Verdict
from inkov.proof.outside import NO_WAY
from inkov.proof.prove import Prover
from inkov.rules.catalogue import audit
from inkov.rules.choice import Choice, identity, worse
from inkov.rules.finding import Finding
from inkov.views.findings import FindingView, finding_view
from inkov.views.reports import VerdictView, verdict_views

_TRIES = 3000
"""Campuses that are tried at most to find which change did what."""

_OF_PACKETS = frozenset({"gateway", "filter", "routes", "routing", "host", "segment"})
"""Settings that change no frame inside a VLAN, so that nobody hears another station by them."""

_EACH = 200
"""Up to so many changes, each is tried alone for what it does to reach."""


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


@dataclass
class Side:
    """One of the two campuses, with what is asked of both worked out once."""

    campus: Campus
    claims: Sequence[Claim] = ()
    failed: frozenset[str] = frozenset()
    like: Side | None = None
    plugged: Plugged | None = None
    network: Network = field(init=False)

    def __post_init__(self) -> None:
        """Makes its network."""
        self.network = Network(self.campus, self.failed, self.like.network if self.like else None)
        self._prover = Prover(self.network)
        self._outcomes: dict[Claim, Outcome] = {}
        self._findings: list[Finding] | None = None
        self._found: dict[str, set[str]] = {}

    def outcome(self, claim: Claim) -> Outcome | None:
        """Returns what comes of a claim; None where it names what is not here."""
        if claim not in self._outcomes:
            try:
                outcome = self._prover.decide(claim)
            except LookupError:
                return None
            led_out = self.like is not None and self.like.leads_out
            if (
                led_out
                and isinstance(claim, Apart)
                and isinstance(outcome, CannotTell)
                and outcome.missing == (NO_WAY,)
            ):
                outcome = Proved(("Nothing leads out of the campus any more.",))  # what was cut off takes no proof away
            self._outcomes[claim] = outcome
        return self._outcomes[claim]

    @property
    def leads_out(self) -> bool:
        """Some route or cable leads out of the campus."""
        return self._prover.layer3.outside.known

    def badness(self, claim: Claim) -> int:
        """Returns how bad the outcome of a claim is, to be compared; one that names what is not here cannot be told."""
        outcome = self.outcome(claim)
        return CannotTell.badness if outcome is None else outcome.badness

    @property
    def findings(self) -> list[Finding]:
        """What an audit finds."""
        if self._findings is None:
            self._findings = list(audit(self.followed, decides=False))
        return self._findings

    def found(self, rule: str) -> set[str]:
        """Returns what the findings of one rule are known by."""
        if rule not in self._found:
            self._found[rule] = {identity(f) for f in audit(self.followed, Choice(only=(rule,)), decides=False)}
        return self._found[rule]

    @cached_property
    def followed(self) -> Network:
        """Its network with the cables that labels alone name."""
        return self.network.followed if self.like is None else self.network.followed_from(self.like.followed)

    @cached_property
    def hearing(self) -> Hearing:
        """Who hears untagged broadcasts of whom."""
        return Hearing(self.followed, self.like.hearing if self.like else None, self.plugged)

    @cached_property
    def parted(self) -> tuple[bool, bool]:
        """Tells whether somebody hears a port who does not on the campus this is like, and whether somebody no longer does."""
        gained = lost = False
        for s in shifts(self.like.hearing, self.hearing) if self.like else ():
            gained, lost = gained or pairs(s.refs, s.gained) > 0, lost or pairs(s.refs, s.lost) > 0
            if gained and lost:
                break
        return gained, lost


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
    cause = _Cause(one, other, found if causes else ())
    return DriftView(
        before=names[0],
        after=names[1],
        changes=tuple(
            ChangeRow(_place(at, some), what, len(some), some[0].silent) for at, what, some in folded([*others, *found])
        ),
        reach=ReachView(gained, lost),
        gained_by=cause.each(lambda side: side.parted[0]) if gained else (),
        lost_by=cause.each(lambda side: side.parted[1]) if lost else (),
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


def _place(at: str, some: Sequence[Change]) -> str:
    ports = [c.at.partition(":")[2] for c in some if ":" in c.at]
    return f"{at}:{ports_text(ports)}" if ports else at


# -- which change did it -----------------------------------------------------------------------------


class _Cause:
    """Finds the changes that bring an effect about, by making some of them and looking."""

    def __init__(self, before: Side, after: Side, found: Sequence[Change]) -> None:
        self.before, self.after = before, after
        self.found = {c.key: c for c in found}
        self._sides: dict[frozenset[Key], Side] = {}
        if found and not changes(with_some(before.campus, after.campus, self.found), after.campus):
            self._sides[frozenset(self.found)] = after

    def of(self, shows: Callable[[Side], bool], near: Sequence[str] = (), *, silent: bool = False) -> tuple[str, ...]:
        """Returns the fewest changes that bring an effect about alone and without which it is gone, in words.

        None where there are no such changes. Of several that each bring it about, all are named: without one it is still there.

        Args:
            shows: tells whether a campus shows it.
            near: places where to look first, as `switch:port`, `switch`, or the text of a place.
            silent: changes of text are as likely as others to bring it about; else they come last, as a label may name a cable.
        """
        at = {place: -n for n, place in enumerate(reversed(near))}
        far = {key: (c.silent and not silent, _distance(key, at)) for key, c in self.found.items()}
        candidates = sorted(far, key=far.__getitem__)
        if not candidates or not self._shows(shows, candidates):
            return ()
        some = smallest(candidates, lambda some: self._shows(shows, some))
        if self._gone_without(shows, some):
            return self._words(some)
        several = smallest(candidates, lambda some: self._gone_without(shows, some))
        return self._words(several if self._shows(shows, several) else some)

    def _gone_without(self, shows: Callable[[Side], bool], keys: Sequence[Key]) -> bool:
        """Tells whether an effect is gone once some changes are taken back."""
        taken = set(keys)
        return not self._shows(shows, [k for k in self.found if k not in taken])

    def each(self, shows: Callable[[Side], bool]) -> tuple[str, ...]:
        """Returns all changes with each of which alone an effect shows; where there is none, the fewest that do together."""
        loud = [key for key, c in self.found.items() if not c.silent and key[1] not in _OF_PACKETS]
        alone = [k for k in loud if self._shows(shows, [k])] if len(loud) <= _EACH else []
        return self._words(alone) or self.of(shows)

    def _words(self, keys: Sequence[Key]) -> tuple[str, ...]:
        rows = folded(c for k, c in self.found.items() if k in keys)
        return tuple(f"{_place(at, some)}: {what}".removeprefix(": ") for at, what, some in rows)

    def _shows(self, shows: Callable[[Side], bool], keys: Sequence[Key]) -> bool:
        wanted = frozenset(keys)
        if wanted not in self._sides:
            if len(self._sides) >= _TRIES:
                return False
            campus = with_some(self.before.campus, self.after.campus, wanted)
            self._sides[wanted] = Side(campus, self.before.claims, like=self.before)
        return shows(self._sides[wanted])


def _distance(key: Key, near: Mapping[str, int]) -> int:
    """Returns how far a setting is from some places: the number of its port or device there, none above 0, then others on such a device."""
    holder, part, one, _ = key
    exact = f"{holder}:{one}" if part == "port" else holder or str(one)
    if exact in near:
        return near[exact]
    return 1 if holder and any(holder in n for n in near) else 2


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


def word(outcome: Outcome | None) -> str:
    """Returns an outcome in words; "not here" for a claim that names what is not here."""
    return "not here" if outcome is None else outcome.word


def _turned(before: Side, after: Side, claims: Sequence[Claim], cause: _Cause) -> Iterator[Turned]:
    for claim in claims:
        was, now = before.outcome(claim), after.outcome(claim)
        if now is None or word(was) == word(now):
            continue
        near = [*_places(now), *_places(was)]
        asked = _where_broken(claim, now)
        by = cause.of(lambda side, asked=asked, now=now: word(side.outcome(asked)) == word(now), near)  # type: ignore[misc]
        (view,) = verdict_views([Verdict(claim, now)])
        yield Turned(claim.name, word(was), word(now), by, view)


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


def _places(outcome: Outcome | None) -> Iterator[str]:
    """Yields the ports and devices that an outcome shows: where its ways go, and where what it is about stops."""
    match outcome:
        case Broken(witnesses=witnesses, stop=stop):
            yield from (*stop.link.split(" <-> "), str(stop.sender), str(stop.hearer)) if stop else ()
        case CannotTell(witnesses=witnesses):
            pass
        case _:
            witnesses = ()
    for passed in (p for w in witnesses for p in w.way):
        if isinstance(passed, Passage):
            yield from (str(r) for r in (passed.by, passed.out) if r is not None)
        else:
            yield passed.device


def _findings(before: Side, after: Side, cause: _Cause) -> FindingsView:
    still = {identity(f) for f in after.findings}
    new = []
    for finding in worse(before.findings, after.findings):
        own = identity(finding)
        at = (":".join(filter(None, (c.holder, c.port))) for c in finding.causes)
        near = [*at, *finding.place.split(" <-> ")]
        by = cause.of(lambda side, own=own, rule=finding.rule: own in side.found(rule), near, silent=True)  # type: ignore[misc]
        new.append(FoundView(finding_view(finding), by))
    return FindingsView(tuple(new), tuple(finding_view(f) for f in before.findings if identity(f) not in still))
