"""What a change does step by step, whether each switch stays in reach, and in which order nothing breaks, as plain data."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import chain

from inkov.change.drift import DriftView, Side, drift_of
from inkov.change.hearing import shifts
from inkov.change.losses import stopped
from inkov.forwarding.network import Network
from inkov.model.campus import Campus, Together
from inkov.model.names import PortRef
from inkov.model.remembered import remembered
from inkov.proof.ends import end_named
from inkov.proof.trace import trace
from inkov.steps.edit import CannotChange
from inkov.steps.steps import Step, conflict

_EXACT = 8
"""Up to so many steps every order is tried; beyond, the next step is the first that breaks nothing."""


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
class RehearsalView:
    """A change, tried out.

    `verdict` is `safe`, `safe in another order`, `not safe`, or `not safe as it ends`; `spoils` are claims that are worse off
    after all of it than before, `stops` what else worked before and does not after it; `order` is the order in which it is safe, by step numbers from 1; `exact` tells that every order was tried. `unknown` are the switches of which it is not known whether they stay
    in reach, as the input has no address of them.
    """

    name: str
    campus: str
    start: str
    unknown: tuple[str, ...]
    verdict: str
    spoils: tuple[str, ...]
    stops: tuple[str, ...]
    order: tuple[int, ...]
    exact: bool
    steps: tuple[StepView, ...]
    whole: DriftView


class Rehearsal:
    """A change on one campus; the states between steps are worked out once."""

    def __init__(self, campus: Campus, steps: Sequence[Step], start: str = "") -> None:
        self.before = campus
        self.steps = steps
        self.start = start
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
        return Side(self.campus(done), self._claims, like=before)

    @property
    def _all(self) -> frozenset[int]:
        return frozenset(range(len(self.steps)))

    @remembered
    def breaks(self, done: frozenset[int]) -> tuple[str, ...]:
        """Says what is worse after some steps than before the change and than after all of it; nothing at both ends."""
        ends = self.side(frozenset()), self.side(self._all)
        return () if done in {frozenset(), self._all} else tuple(self._worse(self.side(done), ends))

    @property
    def spoils(self) -> tuple[str, ...]:
        """The claims that are worse off after all of it than before."""
        first, last = self.side(frozenset()), self.side(self._all)
        return tuple(c.name for c in last.claims if last.badness(c) > first.badness(c))

    @property
    def stops(self) -> tuple[str, ...]:
        """What worked before and does not after all of it: of bystanders, gateways, and switches that are managed from where it is done."""
        every, here = range(len(self.steps)), self.side(frozenset()).followed.switches
        was, now = self._unreached(frozenset(), every), self._unreached(self._all, every)
        cut = {name: why for name, why in now.items() if name in here and name not in was}
        lost = (f"{name} can no longer be reached from {self.start}: {why}" for name, why in cut.items())
        return (*lost, *stopped(self.side(frozenset()), self.side(self._all), self.steps))

    @staticmethod
    def _worse(now: Side, ends: tuple[Side, Side]) -> Sequence[str]:
        found = []
        for claim in now.claims:
            words = [side.badness(claim) for side in (now, *ends)]
            if words[0] > max(words[1:]):
                found.append(f"the claim {claim.name!r} does not hold in between")
        lost: set[PortRef] = set()
        gained: set[PortRef] = set()
        for ref in chain.from_iterable(s.refs for s in shifts(ends[0].hearing, now.hearing)):
            here, was, will = (side.hearing.of(ref) for side in (now, *ends))
            for ports, others in ((lost, (was & will) - here - {ref}), (gained, here - was - will - {ref})):
                ports.update(others, [ref] if others else [])
        found += [
            f"{_ports(ports)} {what} each other in between"
            for ports, what in ((lost, "lose"), (gained, "hear"))
            if ports
        ]
        return found

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

    def safe(self, order: Sequence[int]) -> bool:
        """Tells whether nothing breaks in an order, and each switch is in reach when its turn comes."""
        done: frozenset[int] = frozenset()
        for i in order:
            if not self._fits(done, i):
                return False
            done |= {i}
        return True

    @cached_property
    def _first(self) -> list[frozenset[int]]:
        """The steps that must be done before each: those before it that write something it writes, too.

        Whatever order keeps to that ends in the same campus, and so does each set of steps that it does first.
        """
        return [frozenset(j for j in range(i) if conflict(self.steps[j], step)) for i, step in enumerate(self.steps)]

    def _fits(self, done: frozenset[int], i: int) -> bool:
        """Tells whether a step can come after some: it can be done then, in reach, and nothing breaks."""
        if not self._first[i] <= done:
            return False
        try:
            self.campus(done | {i})
        except CannotChange:
            return False
        return not self.unreached(done, [i]) and not self.breaks(done | {i})

    def order(self) -> tuple[int, ...]:
        """Returns an order in which nothing breaks: the given one if it will do; nothing where there is none."""
        given = tuple(range(len(self.steps)))
        if self.safe(given):
            return given
        if len(self.steps) > _EXACT:
            return self._greedy()
        dead: set[frozenset[int]] = set()

        def onward(done: frozenset[int]) -> tuple[int, ...] | None:
            if done == self._all:
                return ()
            if done in dead:
                return None
            for i in sorted(self._all - done):
                if self._fits(done, i):
                    rest = onward(done | {i})
                    if rest is not None:
                        return (i, *rest)
            dead.add(done)
            return None

        return onward(frozenset()) or ()

    def _greedy(self) -> tuple[int, ...]:
        done: frozenset[int] = frozenset()
        order: list[int] = []
        while done != self._all:
            chosen = next((i for i in sorted(self._all - done) if self._fits(done, i)), None)
            if chosen is None:
                return ()
            order.append(chosen)
            done |= {chosen}
        return tuple(order)


def _ports(ports: Iterable[PortRef]) -> str:
    refs = sorted(ports, key=lambda r: r.order)
    shown = ", ".join(map(str, refs[:4]))
    return shown + (f" and {len(refs) - 4} more ports" if refs[4:] else "")


def rehearsal_view(campus: Campus, steps: Sequence[Step], start: str = "", name: str = "") -> RehearsalView:
    """Tries a change out.

    Args:
        campus: as it is.
        steps: the steps in the order given; none of them can fail to apply.
        start: the host from which it is done; empty where that does not matter.
        name: what the change is called.
    """
    rehearsal = Rehearsal(campus, steps, start)
    spoils, stops = rehearsal.spoils, rehearsal.stops
    order = () if spoils or stops else rehearsal.order()
    given = tuple(range(len(steps)))
    views = []
    for i, step in enumerate(steps):
        before, after = frozenset(given[:i]), frozenset(given[: i + 1])
        already = set(rehearsal.unreached(before, given[i + 1 :]))
        cut = [o for o in rehearsal.unreached(after, given[i + 1 :]) if o not in already]
        out = (*rehearsal.unreached(before, [i]), *cut)
        did = drift_of(rehearsal.side(before), rehearsal.side(after), ("before", "after"), causes=False)
        views.append(StepView(step.what, str(step.source), rehearsal.breaks(after), tuple(dict.fromkeys(out)), did))
    verdict = "safe" if order == given else "safe in another order" if order else "not safe"
    if spoils or stops:
        verdict = "not safe as it ends"
    ends = rehearsal.side(frozenset()), rehearsal.side(frozenset(given))
    whole = drift_of(*ends, ("before", "after"), causes=False)
    exact = len(steps) <= _EXACT
    return RehearsalView(
        name,
        campus.name,
        start,
        rehearsal.unknown,
        verdict,
        spoils,
        stops,
        tuple(i + 1 for i in order),
        exact,
        tuple(views),
        whole,
    )
