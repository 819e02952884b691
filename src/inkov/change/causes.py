"""Which of the changes between two campuses bring an effect about."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from itertools import combinations
from typing import TypeAlias

from inkov.change.side import Side
from inkov.model.names import ports_text
from inkov.plan.change import Change, Key, changes, folded, shortest, smallest, with_some
from inkov.proof.outcome import Broken, CannotTell, Outcome, Passage

_TRIES = 3000
"""Campuses that are tried at most to find which change did what."""

Leads: TypeAlias = Callable[[Side], Iterable[str]]
"""Tells of a campus where to look next, as `switch:port`, `switch`, or the text of a place."""

_OF_PACKETS = frozenset({"gateway", "filter", "routes", "routing", "host", "segment"})
"""Settings that change no frame inside a VLAN, so that nobody hears another station by them."""

_FEW = 6
"""Of so many changes, every smaller set is tried."""

_EACH = 200
"""Up to so many changes, each is tried alone for what it does to reach."""


def placed(at: str, some: Sequence[Change]) -> str:
    """Returns where some like changes are: the device with all their ports."""
    ports = [c.at.partition(":")[2] for c in some if ":" in c.at]
    return f"{at}:{ports_text(ports)}" if ports else at


class Causes:
    """Finds the changes that bring an effect about, by making some of them and looking."""

    def __init__(self, before: Side, after: Side, found: Sequence[Change]) -> None:
        self.before, self.after = before, after
        self.found = {c.key: c for c in found}
        self._sides: dict[frozenset[Key], Side] = {frozenset(): before}
        if found and not changes(with_some(before.campus, after.campus, self.found), after.campus):
            self._sides[frozenset(self.found)] = after

    def of(
        self,
        shows: Callable[[Side], bool],
        near: Sequence[str] = (),
        leads: Leads = lambda _: (),
        *,
        silent: bool = False,
    ) -> list[Key]:
        """Returns the fewest changes that bring an effect about alone and without which it is gone.

        None where there are no such changes. Of several that each bring it about, all are named: without one it is still there.

        Args:
            shows: tells whether a campus shows it.
            near: places where to look first, as `switch:port`, `switch`, or the text of a place.
            leads: names places where a campus is to be changed next for it to show, or not to show.
            silent: changes of text are as likely as others to bring it about; else they come last, as a label may name a cable.
        """
        at = {place: -n for n, place in enumerate(reversed(near))}
        far = {key: (c.silent and not silent, _distance(key, at)) for key, c in self.found.items()}
        candidates = sorted(far, key=far.__getitem__)

        def brings(keys: Sequence[Key]) -> bool:
            return shows(self._side(keys))

        def ends(keys: Sequence[Key]) -> bool:
            return not shows(self._without(keys))

        if not candidates or not brings(candidates):
            return []
        some = smallest(_grown(candidates, brings, lambda keys: {*near, *leads(self._side(keys))}), brings)
        among = some
        if not ends(some):
            several = smallest(_grown(candidates, ends, lambda keys: {*near, *leads(self._without(keys))}), ends)
            some = several if brings(several) else some
            among = candidates if len(candidates) <= _FEW else several
        # what some changes do others may undo, so that a set of which none can be left out may still hold a smaller one
        sizes = range(1, len(among)) if len(among) <= _FEW else ()
        sets = (list(keys) for size in sizes for keys in combinations(among, size))
        return next((keys for keys in sets if brings(keys) and ends(keys)), some)

    def each(self, shows: Callable[[Side], bool]) -> list[Key]:
        """Returns all changes with each of which alone an effect shows; where there is none, the fewest that do together."""
        loud = [key for key, c in self.found.items() if not c.silent and key[1] not in _OF_PACKETS]
        alone = [k for k in loud if shows(self._side([k]))] if len(loud) <= _EACH else []
        return alone or self.of(shows)

    def words(self, keys: Sequence[Key]) -> tuple[str, ...]:
        """Returns changes in words, like ones together."""
        rows = folded(c for k, c in self.found.items() if k in keys)
        return tuple(f"{placed(at, some)}: {what}".removeprefix(": ") for at, what, some in rows)

    def _without(self, keys: Sequence[Key]) -> Side:
        """Returns the campus after the changes, but for some."""
        return self._side(self.found.keys() - set(keys))

    def _side(self, keys: Collection[Key]) -> Side:
        """Returns the campus before the changes, with some of them made."""
        wanted = frozenset(keys)
        if wanted not in self._sides:
            if len(self._sides) >= _TRIES:
                return self.before
            campus = with_some(self.before.campus, self.after.campus, wanted)
            self._sides[wanted] = Side(campus, self.before.claims, like=self.before)
        return self._sides[wanted]


def _grown(
    candidates: list[Key], brings: Callable[[list[Key]], bool], leads: Callable[[list[Key]], set[str]]
) -> list[Key]:
    """Returns some changes that bring an effect about: those at the places where each campus on the way leads.

    Where it leads nowhere, the change is searched for that is needed beside those; all changes, where it never leads anywhere.
    """
    some: list[Key] = []
    while not brings(some):
        places = leads(some)
        left = [k for k in candidates if k not in some]
        if not left or not places:
            return candidates
        more = [k for k in left if _exact(k) in places]
        if not more:
            devices = {p.partition(":")[0] for p in places}
            nearest = [k for k in left if k[0] in devices]
            left = [*nearest, *(k for k in left if k[0] not in devices)]
            more = [left[shortest(some, left, brings) - 1]]
        some += more
    return [k for k in candidates if k in some]


def _exact(key: Key) -> str:
    """Returns the place of a setting: its port, its device, or what it is of."""
    holder, part, one, _ = key
    return f"{holder}:{one}" if part == "port" else holder or str(one)


def _distance(key: Key, near: Mapping[str, int]) -> int:
    """Returns how far a setting is from some places: the number of its port or device there, none above 0, then others on such a device."""
    holder = key[0]
    if (exact := _exact(key)) in near:
        return near[exact]
    return 1 if holder and any(holder in n for n in near) else 2


def places(outcome: Outcome | None) -> Iterator[str]:
    """Yields the ports and devices that an outcome shows: where its ways go, and where what it is about stops."""
    match outcome:
        case Broken(witnesses=witnesses, stop=stop):
            yield from (*stop.link.split(" <-> "), str(stop.sender), str(stop.hearer)) if stop else ()
        case CannotTell(missing=missing, witnesses=witnesses):
            yield from (word.strip(".,;") for sentence in missing for word in sentence.split())
        case _:
            witnesses = ()
    for passed in (p for w in witnesses for p in w.way):
        if isinstance(passed, Passage):
            yield from (str(r) for r in (passed.by, passed.out) if r is not None)
        else:
            yield passed.device
