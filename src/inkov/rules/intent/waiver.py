"""Waivers: findings somebody has decided to live with, for now; and waivers that are over or for nothing."""

from __future__ import annotations

import fnmatch
import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from datetime import date

from inkov.model.campus import Waiver
from inkov.model.remembered import remembered
from inkov.model.settings import Setting
from inkov.rules.finding import Cause, Evidence, Finding, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text


def _one(waive: str) -> dict[str, str]:
    return {
        "a.yaml": switch_text("archive", "{310: tanks}", "{1: {access: 310}, 2: {access: 330}}"),
        "campus.yaml": f"inkov: campus\nname: x\nwaive:\n  - {waive}\n",
    }


_HELD = Example(_one("{rule: access/undefined, at: 'archive:2', why: moves in spring, until: 2999-03-31}"))


@rule(
    "waiver/over",
    Severity.RISK,
    looks_for="A waiver whose last day has passed while what it waives is still there.",
    why="Somebody meant to mend it by then.",
    mend="Mend what it was for, or give the waiver another day.",
    breaks=Example(
        _one("{rule: access/undefined, at: 'archive:2', why: moves in spring, until: 2001-03-31}"),
        place="access/undefined at archive:2",
    ),
    passes=_HELD,
)
@rule(
    "waiver/unused",
    Severity.TIDY,
    looks_for="A waiver that waives nothing.",
    why="What it was for is mended, or was never there. The next fault at that place would be waived unseen.",
    mend="Take it out of the campus file.",
    breaks=Example(
        _one("{rule: access/undefined, at: 'boat:*', why: moves in spring}"), place="access/undefined at boat:*"
    ),
    passes=_HELD,
)
def nothing(_: Facts) -> Iterator[Finding]:
    """Yields nothing: only `waive` knows what was waived, once the other rules have run."""
    return iter(())


def waive(
    findings: Iterable[Finding], waivers: tuple[Waiver, ...], today: date | None
) -> tuple[list[Finding], list[Finding], list[Finding]]:
    """Parts findings into those that stand and those that are waived, and says which waivers are over or unused.

    Returns:
        The findings that stand, those that are waived, and what is to be said of the waivers.
    """
    stand: list[Finding] = []
    waived: list[Finding] = []
    used: set[int] = set()
    places = _Places(waivers)
    for finding in findings:
        at = places.covering(finding)
        used.update(at)
        alive = [i for i in at if not _over(waivers[i], today)]
        (waived if alive else stand).append(finding)
    return stand, waived, list(_about(waivers, used, today))


class _Places:
    """Waivers by the places they are about: those that name one are looked up, patterns are made ready once."""

    def __init__(self, waivers: tuple[Waiver, ...]) -> None:
        self.waivers = waivers
        self._named: dict[str, list[int]] = defaultdict(list)
        self._patterns: list[tuple[int, Callable[[str], object]]] = []
        for i, waiver in enumerate(waivers):
            if _WILD.isdisjoint(waiver.at):
                self._named[waiver.at].append(i)
            else:
                self._patterns.append((i, re.compile(fnmatch.translate(waiver.at)).match))

    def covering(self, finding: Finding) -> list[int]:
        """Returns the numbers of the waivers that are about a finding: its rule, and its place or an end of that."""
        places = dict.fromkeys([finding.place, *(end.strip() for end in finding.place.split(" <-> "))])
        named = {i for place in places for i in self._named.get(place, ())}
        fit = {i for i, fits in self._patterns if any(map(fits, places))}
        return sorted(i for i in named | fit if self._about(finding.rule, self.waivers[i].rule))

    @remembered
    def _about(self, rule: str, pattern: str) -> bool:
        return fnmatch.fnmatchcase(rule, pattern)


_WILD = frozenset("*?[")


def _over(waiver: Waiver, today: date | None) -> bool:
    return waiver.until is not None and today is not None and waiver.until < today


def _about(waivers: tuple[Waiver, ...], used: set[int], today: date | None) -> Iterator[Finding]:
    for i, waiver in enumerate(waivers):
        over = _over(waiver, today)
        if not over and i in used:
            continue
        by = f" ({waiver.owner})" if waiver.owner else ""
        what = (
            f"The waiver of {waiver.rule} at {waiver.at} ended on {waiver.until}{by}; what it waived counts again."
            if over
            else f"The waiver of {waiver.rule} at {waiver.at}{by} waives nothing."
        )
        yield Finding(
            rule="waiver/over" if over else "waiver/unused",
            severity=Severity.RISK if over and i in used else Severity.TIDY,
            place=f"{waiver.rule} at {waiver.at}",
            what=what,
            mend="Mend what it was for, or take the waiver out of the campus file."
            if over
            else "Take it out of the campus file.",
            evidence=(Evidence(waiver.why, waiver.source),),
            causes=(Cause("", Setting.WAIVE, entry=str(i)),),
        )
