"""In which order the steps of a change break nothing: one by one, some two of them at once, or with the least outage."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from heapq import heappop, heappush
from itertools import combinations
from typing import Final, TypeAlias

from inkov.steps.edit import CannotChange
from inkov.steps.steps import Step, conflict

EXACT: Final = 8
"""Up to so many steps every order is tried; beyond, the next step is the first that breaks nothing."""

_EVERY_STATE: Final = 6
"""Up to so many steps, every state on the way is looked at for the least outage."""

Done: TypeAlias = frozenset[int]
"""Steps that are done, by number from 0."""

Plan: TypeAlias = tuple[tuple[int, ...], ...]
"""Steps in order; those of one group are done at once."""


@dataclass(frozen=True)
class Ordering:
    """The steps of a change, and what tells how the campus stands once some of them are done.

    Attributes:
        steps: in the order in which they are written.
        possible: does some steps on a copy; raises `CannotChange` where they cannot be done.
        unreached: tells which switches of some steps cannot be reached after others.
        breaks: tells whether anything is broken after some steps that is not after all of them.
        beside: tells whether two steps may be done at once: at one device, or at the two ends of a link.
    """

    steps: Sequence[Step]
    possible: Callable[[Done], object]
    unreached: Callable[[Done, Sequence[int]], tuple[str, ...]]
    breaks: Callable[[Done], bool]
    beside: Callable[[Step, Step], bool]

    @cached_property
    def _all(self) -> Done:
        return frozenset(range(len(self.steps)))

    @cached_property
    def _first(self) -> list[Done]:
        """The steps that must be done before each: those before it that write something it writes, too.

        Whatever order keeps to that ends in the same campus, and so does each set of steps that it does first.
        """
        return [frozenset(j for j in range(i) if conflict(self.steps[j], step)) for i, step in enumerate(self.steps)]

    @cached_property
    def _pairs(self) -> list[tuple[int, int]]:
        every = combinations(range(len(self.steps)), 2)
        return [(i, j) for i, j in every if self.beside(self.steps[i], self.steps[j])]

    def plan(self) -> Plan:
        """Returns an order in which nothing breaks: the one given, another, or one with two steps at once; else nothing."""
        given = tuple((i,) for i in range(len(self.steps)))
        if self.safe(given):
            return given
        if len(self.steps) > EXACT:
            return self._greedy()
        return self._search(pairs=False) or self._search(pairs=True)

    def safe(self, plan: Plan) -> bool:
        """Tells whether nothing breaks in an order, and each switch is in reach when its turn comes."""
        done: Done = frozenset()
        for group in plan:
            if not self._fits(done, group):
                return False
            done |= {*group}
        return True

    def _can(self, done: Done, group: tuple[int, ...]) -> bool:
        """Tells whether steps can be done after others, by whoever is there."""
        now = done
        for i in group:
            if not self._first[i] <= now:
                return False
            now |= {i}
        try:
            self.possible(now)
        except CannotChange:
            return False
        return True

    def _fits(self, done: Done, group: tuple[int, ...]) -> bool:
        """Tells whether steps can come after others: they can be done then, in reach, and nothing breaks."""
        return self._can(done, group) and not self.unreached(done, group) and not self.breaks(done | frozenset(group))

    def _groups(self, done: Done, *, pairs: bool) -> Iterator[tuple[int, ...]]:
        yield from ((i,) for i in sorted(self._all - done))
        if pairs:
            yield from (pair for pair in self._pairs if done.isdisjoint(pair))

    def _search(self, *, pairs: bool) -> Plan:
        """Returns an order found by trying all, single steps first."""
        dead: set[Done] = set()

        def onward(done: Done) -> Plan | None:
            if done == self._all:
                return ()
            if done in dead:
                return None
            for group in self._groups(done, pairs=pairs):
                if self._fits(done, group):
                    rest = onward(done | frozenset(group))
                    if rest is not None:
                        return (group, *rest)
            dead.add(done)
            return None

        return onward(frozenset()) or ()

    def _greedy(self) -> Plan:
        done: Done = frozenset()
        plan: list[tuple[int, ...]] = []
        while done != self._all:
            chosen = next((g for g in self._groups(done, pairs=True) if self._fits(done, g)), None)
            if chosen is None:
                return ()
            plan.append(chosen)
            done |= frozenset(chosen)
        return tuple(plan)

    def least(self) -> tuple[int, ...]:
        """Returns the order in which something is broken after the fewest steps; nothing where there are too many to try."""
        if len(self.steps) > _EVERY_STATE:
            return ()
        todo: list[tuple[int, tuple[int, ...]]] = [(0, ())]
        seen: set[Done] = set()
        while todo:
            cost, order = heappop(todo)
            done = frozenset(order)
            if done == self._all:
                return order
            if done in seen:
                continue
            seen.add(done)
            for (i,) in (g for g in self._groups(done, pairs=False) if len(g) == 1):
                if self._can(done, (i,)):
                    after = done | {i}
                    heappush(todo, (cost + bool(self.breaks(after)) + bool(self.unreached(done, [i])), (*order, i)))
        return ()
