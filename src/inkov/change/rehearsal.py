"""What a change does step by step, whether each switch stays in reach, and in which order nothing breaks, as plain data."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import chain

from inkov.change.drift import DriftView, drift_of
from inkov.change.hearing import shifts
from inkov.change.losses import by_host, stopped
from inkov.change.meant import Meant, MeantRow
from inkov.change.ordering import EXACT, Ordering
from inkov.change.side import Side
from inkov.forwarding.network import Network
from inkov.model.campus import Campus, Claim, Together
from inkov.model.names import PortRef
from inkov.model.remembered import remembered
from inkov.plan.change import changes
from inkov.proof.ends import end_named
from inkov.proof.outcome import Broken
from inkov.proof.trace import trace
from inkov.steps.between import between
from inkov.steps.edit import CannotChange
from inkov.steps.steps import Step


@dataclass(frozen=True, slots=True)
class StepView:
    """A step in the order given.

    `breaks` says what it breaks that the whole change does not, `out_of_reach` which switches of it or of later steps can
    no longer be reached from where it is done, each with the reason; `did` is what it does, as `drift` tells it.
    """

    what: str
    source: str
    breaks: tuple[str, ...]
    out_of_reach: tuple[str, ...]
    did: DriftView


@dataclass(frozen=True, slots=True)
class BrokenView:
    """What is broken after a step until another is done."""

    after: int
    until: int
    what: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class LeastView:
    """An order that is not safe, and in which least is broken: its step numbers from 1, and what is broken when."""

    order: tuple[int, ...]
    broken: tuple[BrokenView, ...]


@dataclass(frozen=True, slots=True)
class BackView:
    """The change that restores the state before: its verdict and steps from the end, what it stops, and what no step restores."""

    verdict: str
    steps: tuple[str, ...]
    stops: tuple[str, ...]
    left: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class RehearsalView:
    """A change, tried out.

    `verdict` is `safe`, `safe in another order`, `safe with steps at once`, `not safe`, or `not safe as it ends`; `spoils` are
    claims that are worse off after all of it than before, `stops` what else worked before and does not after it, `meant` what
    the change says is meant to stop. `order` is the order in which it is safe, by step numbers from 1, `at_once` those of its
    steps that are done at the same time; `exact` tells that every order was tried, `least` which breaks least where none is safe.
    `unknown` are the switches of which it is not known whether they stay in reach, as the input has no address of them. `idle`:
    it ends where it began. `back` is the way back, where it was asked for.
    """

    name: str
    campus: str
    start: str
    unknown: tuple[str, ...]
    verdict: str
    spoils: tuple[str, ...]
    stops: tuple[str, ...]
    meant: tuple[MeantRow, ...]
    order: tuple[int, ...]
    at_once: tuple[tuple[int, ...], ...]
    exact: bool
    least: LeastView | None
    idle: bool
    steps: tuple[StepView, ...]
    whole: DriftView
    back: BackView | None = None


class Rehearsal:
    """A change on one campus; the states between steps are worked out once."""

    def __init__(self, campus: Campus, steps: Sequence[Step], start: str = "", meant: Sequence[Claim] = ()) -> None:
        self.before = campus
        self.steps = steps
        self.start = start
        self.meant = meant
        self._claims = [replace(c, surviving=0) if isinstance(c, Together) else c for c in campus.claims]
        self._halts: dict[tuple[int, str], str] = {}

    @remembered
    def campus(self, done: frozenset[int]) -> Campus:
        """Returns the campus after some steps, in the order of the change."""
        if not done:
            return self.before
        last = max(done)
        return self.steps[last].done(self.campus(done - {last}))

    @remembered
    def side(self, done: frozenset[int]) -> Side:
        """Returns that campus with what is asked of it."""
        before = self.side(frozenset()) if done else None
        claims = self._claims if done in {frozenset(), self._all} else self._in_between
        return Side(self.campus(done), claims, like=before)

    @cached_property
    def _in_between(self) -> Sequence[Claim]:
        """The claims that are worth deciding between two steps: those that are broken before and after cannot be worse there."""
        ends = self.side(frozenset()), self.side(self._all)
        return [c for c in self._claims if min(side.badness(c) for side in ends) < Broken.badness]

    @property
    def _all(self) -> frozenset[int]:
        return frozenset(range(len(self.steps)))

    @remembered
    def breaks(self, done: frozenset[int]) -> tuple[str, ...]:
        """Says what is worse after some steps than before the change and than after all of it; nothing at both ends."""
        if done in {frozenset(), self._all}:
            return ()
        ends = self.side(frozenset()), self.side(self._all)
        turned = (c for c in self.side(done).claims if _worse(self.side(done), ends, c))
        found = [f"the claim {c.name!r} does not hold in between" for c in turned]
        for ports, what in zip(self._heard_otherwise(done), ("lose", "hear"), strict=True):
            found += [f"{by_host(ends[0], ports)} {what} each other in between"] if ports else []
        return tuple(found)

    @property
    def spoils(self) -> tuple[str, ...]:
        """The claims that are worse off after all of it than before."""
        first, last = self.side(frozenset()), self.side(self._all)
        return tuple(c.name for c in last.claims if last.worse(c, first.badness(c)) and not self._meant.breaks(c))

    @cached_property
    def _meant(self) -> Meant:
        return Meant(self.side(frozenset()), self.meant)

    @property
    def stops(self) -> tuple[str, ...]:
        """What worked before and does not after all of it: of bystanders, gateways, and switches that are managed from where it is done."""
        every, here = range(len(self.steps)), self.side(frozenset()).followed.switches
        was, now = self._unreached(frozenset(), every), self._unreached(self._all, every)
        cut = {name: why for name, why in now.items() if name in here and name not in was}
        lost = (f"{name} can no longer be reached from {self.start}: {why}" for name, why in cut.items())
        return (*lost, *stopped(self.side(frozenset()), self.side(self._all), self.steps, self._meant))

    @remembered
    def disturbs(self, done: frozenset[int]) -> bool:
        """Tells whether `breaks` says anything, by what is quick to find out first."""
        if done in {frozenset(), self._all}:
            return False
        ends = self.side(frozenset()), self.side(self._all)
        return any(self._heard_otherwise(done)) or any(_worse(self.side(done), ends, c) for c in self.side(done).claims)

    @remembered
    def _heard_otherwise(self, done: frozenset[int]) -> tuple[set[PortRef], set[PortRef]]:
        """Returns the ports that lose each other after some steps and not after all, and those that hear each other so."""
        first, last, now = self.side(frozenset()), self.side(self._all), self.side(done)
        lost: set[PortRef] = set()
        gained: set[PortRef] = set()
        for ref in chain.from_iterable(s.refs for s in shifts(first.hearing, now.hearing)):
            here, was, will = (side.hearing.of(ref) for side in (now, first, last))
            for ports, others in ((lost, (was & will) - here - {ref}), (gained, here - was - will - {ref})):
                ports.update(others, [ref] if others else [])
        return lost, gained

    def unreached(self, done: frozenset[int], left: Sequence[int]) -> tuple[str, ...]:
        """Says which switches of some steps cannot be reached from where the change is done, and why.

        A switch without an address in the input is left out: `unknown` names it.
        """
        return tuple(f"{name}: {why}" for name, why in self._unreached(done, left).items())

    def _unreached(self, done: frozenset[int], left: Iterable[int]) -> dict[str, str]:
        if not self.start:
            return {}
        network = self.side(done).followed
        names = dict.fromkeys(n for i in left for n in self.steps[i].touched)
        known = (
            n for n in names if n in network.switches and n not in self.unknown
        )  # who is to come, is not there yet
        return {name: why for name in known if (why := self._halt(network, name))}

    def _halt(self, network: Network, name: str) -> str:
        key = (id(network), name)
        if key not in self._halts:
            way = trace(network, end_named(network, self.start), end_named(network, name))
            halt = way.there.halt or way.back.halt
            self._halts[key] = halt.why if halt else ""
        return self._halts[key]

    @cached_property
    def unknown(self) -> tuple[str, ...]:
        """The switches to be touched of which nothing says by which address they are reached."""
        switches = self.campus(self._all).switches
        touched = dict.fromkeys(n for step in self.steps for n in step.touched) if self.start else ()
        return tuple(n for n in touched if n in switches and not switches[n].gateways)

    @cached_property
    def ordering(self) -> Ordering:
        """In which order nothing breaks."""
        return Ordering(self.steps, self.campus, self.unreached, self.disturbs, self._beside)

    def _beside(self, one: Step, other: Step) -> bool:
        """Tells whether two steps may be done at once: on one device, or at the two ends of a link.

        Of two that write the same only a list is written whole; what is set and set again is no step at all.
        """
        if any(name != "switching" for _, _, name in one.writes & other.writes):
            return False
        a, b = ({(device, port or "") for device, port, _ in step.writes} for step in (one, other))
        if {device for device, _ in a} & {device for device, _ in b}:
            return True
        ends = {(end.switch, end.port) for end in (self._far_end(PortRef(*at)) for at in a) if end is not None}
        return bool(ends & b)

    def _far_end(self, ref: PortRef) -> PortRef | None:
        network = self.side(frozenset()).followed
        link = next((k for k in network.links_at.get(ref.switch, ()) if ref in {k.a, k.b}), None)
        return (link.b if link.a == ref else link.a) if link else None

    @property
    def least(self) -> LeastView | None:
        """The order with the fewest states in which something is broken, with what breaks; None where it was not looked for."""
        order = self.ordering.least()
        if not order:
            return None
        rows = []
        for n in range(1, len(order)):
            done = frozenset(order[:n])
            broken = (*self.breaks(done), *self.unreached(frozenset(order[: n - 1]), [order[n - 1]]))
            if broken:
                rows.append(BrokenView(order[n - 1] + 1, order[n] + 1, broken))
        return LeastView(tuple(i + 1 for i in order), tuple(rows))

    def view(self, name: str = "") -> RehearsalView:
        """Returns all of it as plain data.

        Args:
            name: what the change is called.
        """
        spoils, stops = self.spoils, self.stops
        plan = () if spoils or stops else self.ordering.plan()
        order, given = tuple(i for group in plan for i in group), tuple(range(len(self.steps)))
        at_once = tuple(tuple(i + 1 for i in group) for group in plan if len(group) > 1)
        verdict = (
            "safe with steps at once"
            if at_once
            else "safe"
            if order == given
            else "safe in another order"
            if order
            else "not safe"
        )
        first, last = self.side(frozenset()), self.side(self._all)
        moves = list(shifts(first.hearing, last.hearing)) if self.meant else []
        return RehearsalView(
            name=name,
            campus=self.before.name,
            start=self.start,
            unknown=self.unknown,
            verdict="not safe as it ends" if spoils or stops else verdict,
            spoils=spoils,
            stops=stops,
            meant=self._meant.rows(last, moves),
            order=tuple(i + 1 for i in order),
            at_once=at_once,
            exact=len(self.steps) <= EXACT,
            least=None if plan or spoils or stops else self.least,
            idle=not changes(first.campus, last.campus),
            steps=tuple(self._step(i) for i in given),
            whole=drift_of(first, last, ("before", "after"), causes=False),
        )

    def _step(self, i: int) -> StepView:
        every = range(len(self.steps))
        before, after = frozenset(every[:i]), frozenset(every[: i + 1])
        already = set(self.unreached(before, every[i + 1 :]))
        cut = [o for o in self.unreached(after, every[i + 1 :]) if o not in already]
        out = (*self.unreached(before, [i]), *cut)
        did = drift_of(self.side(before), self.side(after), ("before", "after"), causes=False)
        step = self.steps[i]
        return StepView(step.what, str(step.source), self.breaks(after), tuple(dict.fromkeys(out)), did)


def _worse(now: Side, ends: tuple[Side, Side], claim: Claim) -> bool:
    """Tells whether a claim is worse off than at both ends."""
    return now.worse(claim, max(side.badness(claim) for side in ends))


def rehearsal_view(
    campus: Campus, steps: Sequence[Step], start: str = "", name: str = "", meant: Sequence[Claim] = ()
) -> RehearsalView:
    """Tries a change out.

    Args:
        campus: as it is.
        steps: the steps in the order given; none of them can fail to apply.
        start: the host from which it is done; empty where that does not matter.
        name: what the change is called.
        meant: what is meant to stop: segments that are to be apart, claims that are to hold no longer.
    """
    return Rehearsal(campus, steps, start, meant).view(name)


def way_back(
    campus: Campus, steps: Sequence[Step], order: Sequence[int], start: str, writable: Callable[[Step], bool]
) -> tuple[list[Step], BackView]:
    """Finds the change that restores the state before another one, and tries it out from where that ends.

    Args:
        campus: as it is before the change.
        steps: the steps of the change.
        order: their numbers from 0 as they are done; each is taken back in turn, the last first.
        start: as for `rehearsal_view`.
        writable: tells whether a change file has words for a step.
    """
    states = [campus]
    for i in order:
        states.append(steps[i].done(states[-1]))
    now, back = states[-1], list[Step]()
    for state, before in zip(states[:0:-1], states[-2::-1], strict=True):
        for step in filter(writable, between(state, before)):
            try:
                now = step.done(now)
            except CannotChange:
                continue
            back.append(step)
    left = tuple(f"{c.at}: {c.what}".removeprefix(": ") for c in changes(campus, now) if not c.silent)
    if not back:
        return [], BackView("safe", (), (), left)
    found = Rehearsal(states[-1], back, start).view()
    ordered = [back[i - 1] for i in found.order] or back
    verdict = "safe" if found.verdict == "safe in another order" else found.verdict
    return ordered, BackView(verdict, tuple(s.what for s in ordered), (*found.spoils, *found.stops), left)
