"""What changed between two campuses, what it did, and which change did it, as plain data."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from typing_extensions import TypedDict

from inkov.forwarding.flood import Flooding
from inkov.forwarding.network import Network
from inkov.kinds.relay import Mask
from inkov.kinds.table import by_access_vlan
from inkov.model.campus import Campus, Claim
from inkov.model.names import PortRef, ports_text
from inkov.plan.change import Change, Key, changes, folded, smallest, with_some
from inkov.plan.renames import renamed
from inkov.proof.outcome import Outcome, Verdict
from inkov.proof.prove import Prover
from inkov.rules.catalogue import audit
from inkov.rules.choice import Choice, identity
from inkov.rules.finding import Finding
from inkov.views.findings import FindingView, finding_view
from inkov.views.reports import VerdictView, verdict_views
from inkov.views.states import StateRow, states
from inkov.views.trends import word

_TRIES = 3000
"""Campuses that are tried at most to find which change did what."""

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
    network: Network = field(init=False)

    def __post_init__(self) -> None:
        """Makes its network."""
        self.network = Network(self.campus, self.failed, self.like.network if self.like else None)
        self._prover = Prover(self.network)
        self._outcomes: dict[str, Outcome] = {}
        self._findings: list[Finding] | None = None
        self._found: dict[str, set[str]] = {}
        self._heard: dict[PortRef, frozenset[PortRef]] | None = None

    def outcome(self, claim: Claim) -> Outcome | None:
        """Returns what comes of a claim; None where it names what is not here."""
        if claim.name not in self._outcomes:
            try:
                self._outcomes[claim.name] = self._prover.decide(claim)
            except LookupError:
                return None
        return self._outcomes[claim.name]

    @property
    def findings(self) -> list[Finding]:
        """What an audit finds."""
        if self._findings is None:
            self._findings = list(audit(self.network, decides=False))
        return self._findings

    def found(self, rule: str) -> set[str]:
        """Returns what the findings of one rule are known by."""
        if rule not in self._found:
            self._found[rule] = {identity(f) for f in audit(self.network, Choice(only=(rule,)), decides=False)}
        return self._found[rule]

    @cached_property
    def flooding(self) -> Flooding:
        """Who hears untagged frames today."""
        return Flooding(self.network, like=self.like.flooding if self.like else None)

    @property
    def heard(self) -> Mapping[PortRef, frozenset[PortRef]]:
        """Who hears an untagged broadcast of each edge port; ports that are heard alike share one set, the sender in it."""
        if self._heard is None:
            if self.like is None:
                groups = (refs for by_switch in self.alike.values() for refs in by_switch.values())
                self._heard = {
                    ref: heard for refs in groups for heard in [self.flooding.ports(refs[0])] for ref in refs
                }
            else:
                self._heard = self._heard_like(self.like)
        return self._heard

    @cached_property
    def alike(self) -> Mapping[Mask, Mapping[str, list[PortRef]]]:
        """Edge ports by the domains that their untagged frames enter, and by switch: those of one list are heard alike."""
        found: dict[Mask, dict[str, list[PortRef]]] = defaultdict(lambda: defaultdict(list))
        for name, refs in self.network.edge_ports.items():
            ports, active = self.network.switches[name].ports, self.network.active(name)
            plain, others = by_access_vlan((ref, ports[ref.port]) for ref in refs)
            for vid, some in plain.items():
                found[1 << vid & active][name] += some
            for ref in others:
                found[self.flooding.domains(ref)][name].append(ref)
        return found

    def _heard_like(self, other: Side) -> dict[PortRef, frozenset[PortRef]]:
        """Returns who hears whom, from what another campus has: only what differs is followed."""
        heard, mine, theirs = dict(other.heard), self.network.edge_ports, other.network.edge_ports
        for name in {*mine, *theirs}:
            if name not in self.flooding.same or mine.get(name) != theirs.get(name):
                for ref in theirs.get(name, ()):
                    heard.pop(ref, None)
                heard.update((ref, self.flooding.ports(ref)) for ref in mine.get(name, ()))
        for domains, by_switch in other.alike.items():
            if not self.flooding.untouched(domains):
                some = (ref for refs in by_switch.values() for ref in refs if ref in heard)
                heard.update((ref, self.flooding.ports(ref)) for ref in some)
        return heard

    def take_for(self, ref: PortRef, devices: Collection[str]) -> None:
        """Takes the ports of some devices for one port, that they are plugged into: whoever hears them hears it."""

        def known(other: PortRef) -> PortRef:
            return ref if other.switch in devices else other

        merged: dict[PortRef, frozenset[PortRef]] = {}
        for source, heard in self.heard.items():
            at = known(source)
            merged[at] = merged.get(at, frozenset()) | frozenset(map(known, heard))
        self._heard = merged


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
    edges = [set(side.heard) for side in (one, other)]
    return DriftView(
        before=names[0],
        after=names[1],
        changes=tuple(
            ChangeRow(_place(at, some), what, len(some), some[0].silent) for at, what, some in folded([*others, *found])
        ),
        reach=ReachView(gained, lost),
        gained_by=cause.each(lambda side: bool(reach(one, side)[0])) if gained else (),
        lost_by=cause.each(lambda side: bool(reach(one, side)[1])) if lost else (),
        states=tuple(states(one.network, other.network)),
        claims=tuple(_turned(one, other, claims, cause)),
        findings=_findings(one, other, cause),
        ports=PortsView(
            *(tuple(map(str, sorted(x, key=lambda r: r.order))) for x in (edges[1] - edges[0], edges[0] - edges[1]))
        ),
    )


def _place(at: str, some: Sequence[Change]) -> str:
    ports = [c.at.partition(":")[2] for c in some if ":" in c.at]
    return f"{at}:{ports_text(ports)}" if ports else at


# -- which change did it -----------------------------------------------------------------------------


class _Cause:
    """Finds the changes that bring an effect about, by making some of them and looking."""

    def __init__(self, before: Side, after: Side, found: Sequence[Change]) -> None:
        self.before, self.after = before, after
        self.found = {c.key: c for c in found}
        self.loud = [c.key for c in found if not c.silent]
        self._sides: dict[frozenset[Key], Side] = {}

    def of(self, shows: Callable[[Side], bool], near: Sequence[str] = (), *, silent: bool = False) -> tuple[str, ...]:
        """Returns the fewest changes with which an effect shows, in words; none where it takes something else, too.

        Args:
            shows: tells whether a campus shows it.
            near: switches and ports where to look first.
            silent: changes of text may bring it about.
        """
        keys = list(self.found) if silent else self.loud
        first = [k for k in keys if any(k[0] and k[0] in n for n in near)]
        candidates = [*first, *(k for k in keys if k not in set(first))]
        if not candidates or not self._shows(shows, candidates):
            return ()
        return self._words(smallest(candidates, lambda some: self._shows(shows, some)))

    def each(self, shows: Callable[[Side], bool]) -> tuple[str, ...]:
        """Returns all changes with each of which alone an effect shows; where there is none, the fewest that do together."""
        alone = [k for k in self.loud if self._shows(shows, [k])] if len(self.loud) <= _EACH else []
        return self._words(alone) or self.of(shows)

    def _words(self, keys: Sequence[Key]) -> tuple[str, ...]:
        rows = folded(self.found[k] for k in keys)
        return tuple(f"{_place(at, some)}: {what}".removeprefix(": ") for at, what, some in rows)

    def _shows(self, shows: Callable[[Side], bool], keys: Sequence[Key]) -> bool:
        wanted = frozenset(keys)
        if wanted not in self._sides:
            if len(self._sides) >= _TRIES:
                return False
            campus = with_some(self.before.campus, self.after.campus, wanted)
            self._sides[wanted] = Side(campus, self.before.claims, like=self.before)
        return shows(self._sides[wanted])


# -- effects -----------------------------------------------------------------------------------------


def reach(before: Side, after: Side) -> tuple[tuple[Heard, ...], tuple[Heard, ...]]:
    """Returns who hears whom that did not, and who no longer does, a sending port a row."""
    gained: list[Heard] = []
    lost: list[Heard] = []
    known: dict[tuple[int, int], tuple[frozenset[PortRef], frozenset[PortRef]]] = {}
    nothing: frozenset[PortRef] = frozenset()
    was_heard, is_heard = before.heard, after.heard
    refs = {**was_heard, **is_heard}
    for ref in sorted((r for r in refs if was_heard.get(r) is not is_heard.get(r)), key=lambda r: r.order):
        was, now = was_heard.get(ref, nothing), is_heard.get(ref, nothing)
        if (id(was), id(now)) not in known:
            known[id(was), id(now)] = now - was, was - now
        for rows, some in zip((gained, lost), known[id(was), id(now)], strict=True):
            if others := some - {ref}:
                rows.append({"from": str(ref), "at": tuple(map(str, sorted(others, key=lambda r: r.order)))})
    return tuple(gained), tuple(lost)


def _word(outcome: Outcome | None) -> str:
    return "not here" if outcome is None else word(outcome)


def _turned(before: Side, after: Side, claims: Sequence[Claim], cause: _Cause) -> Iterator[Turned]:
    for claim in claims:
        was, now = before.outcome(claim), after.outcome(claim)
        if now is None or _word(was) == _word(now):
            continue
        by = cause.of(lambda side, claim=claim, now=now: _word(side.outcome(claim)) == _word(now))  # type: ignore[misc]
        (view,) = verdict_views([Verdict(claim, now)])
        yield Turned(claim.name, _word(was), _word(now), by, view)


def _findings(before: Side, after: Side, cause: _Cause) -> FindingsView:
    known = {identity(f) for f in before.findings}
    still = {identity(f) for f in after.findings}
    new = []
    for finding in after.findings:
        if identity(finding) not in known:
            own = identity(finding)
            near = [finding.place, *(str(c) for c in finding.causes)]
            by = cause.of(lambda side, own=own, rule=finding.rule: own in side.found(rule), near, silent=True)  # type: ignore[misc]
            new.append(FoundView(finding_view(finding), by))
    return FindingsView(tuple(new), tuple(finding_view(f) for f in before.findings if identity(f) not in still))
