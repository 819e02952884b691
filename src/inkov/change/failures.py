"""What may happen, each thing tried alone: cables that are cut, devices that fail, switches of somebody's own; worst first."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final

from inkov.change.drift import reach
from inkov.change.hearing import Plugged, pairs
from inkov.change.side import Side
from inkov.forwarding.flood import Flooding
from inkov.model.campus import Campus, Claim, Together
from inkov.model.names import PortRef
from inkov.proof.outcome import Broken
from inkov.steps.steps import Arrival, Fail, Step

_NOBODY: Final = frozenset[PortRef]()


@dataclass(frozen=True, slots=True)
class TrialRow:
    """What may happen, tried alone: pairs of ports that lose or gain each other, and claims that are worse off."""

    what: str
    lost: int
    gained: int
    claims: tuple[str, ...]
    alike: tuple[str, ...]


def trials(
    campus: Campus,
    steps: Sequence[Step],
    progress: Callable[[int, int], None] | None = None,
    late: Callable[[], bool] = lambda: False,
) -> list[TrialRow]:
    """Tries each step alone, worst first; those that do the same are one row.

    Args:
        campus: on which.
        steps: what to try.
        progress: is told how many of how many were tried.
        late: tells that no further step is to be tried; those left have no row.
    """
    tried = _Trials(campus, [replace(c, surviving=0) if isinstance(c, Together) else c for c in campus.claims])
    rows: dict[Hashable, TrialRow] = {}
    for n, step in enumerate(steps, 1):
        if late():
            break
        key, row = tried.of(step)
        first = rows.setdefault(key, row)
        if first is not row:
            rows[key] = replace(first, alike=(*first.alike, step.what))
        if progress is not None:
            progress(n, len(steps))
    return sorted(rows.values(), key=lambda r: (-len(r.claims), -(r.lost + r.gained)))


class _Trials:
    """A campus on which things are tried; what they cannot touch is worked out once."""

    def __init__(self, campus: Campus, claims: Sequence[Claim]) -> None:
        self.campus = campus
        self.claims = claims
        self.before = Side(campus, claims)
        self.whole = [
            c for c in claims if self.before.badness(c) < Broken.badness
        ]  # of others nothing is left to break

    def of(self, step: Step) -> tuple[Hashable, TrialRow]:
        """Tries a step; those with equal keys do the same."""
        failed = frozenset([step.switch]) if isinstance(step, Fail) else frozenset[str]()
        socket = step.plugged if isinstance(step, Arrival) else None
        plugged = Plugged(socket, {d.name for d in step.devices}) if isinstance(step, Arrival) and socket else None
        after = Side(step.done(self.campus), self.claims, failed, self.before, plugged)
        effect: Hashable = 0  # what it does, shortened: the sets of ports themselves take gigabytes
        gained = lost = 0
        if isinstance(step, Arrival):
            changed = reach(self.before, after)
            gained, lost = (sum(len(row["at"]) for row in some) for some in changed)
            effect = hash(str(changed))
        else:
            seen: set[int] = set()
            for refs, more, fewer in self._changed(after, failed):
                gained += pairs(refs, more)
                lost += pairs(refs, fewer)
                seen.add(hash((tuple(refs), more, fewer)))
            effect = hash(frozenset(seen))
        worse = tuple(c.name for c in self.whole if after.worse(c, self.before.badness(c)))
        if socket and (gained or lost or worse):
            effect = socket.switch  # whoever plugs in beside gets as much
        return (lost, gained, worse, effect), TrialRow(step.what, lost, gained, worse, ())

    def _perhaps(self, flooding: Flooding, failed: frozenset[str]) -> Iterator[tuple[str, list[PortRef]]]:
        """Yields ports that may be heard by others than before, those of a switch that are heard alike at once."""
        for domains, by_switch in self.before.hearing.alike.items():
            if flooding.untouched(domains):
                continue
            alone = domains.bit_length() - 1 if domains.bit_count() == 1 else None
            some = flooding.elsewhere(alone) if alone is not None else None
            yield from (g for g in by_switch.items() if some is None or g[0] in some or g[0] in failed)

    def _changed(
        self, after: Side, failed: frozenset[str]
    ) -> Iterator[tuple[list[PortRef], frozenset[PortRef], frozenset[PortRef]]]:
        """Yields ports that are heard by others than before, those that are heard alike at once, with whom they gain and lose."""
        was_heard, flooding = self.before.hearing, after.hearing.flooding
        for switch, refs in self._perhaps(flooding, failed):
            was = was_heard.of(refs[0])
            now = _NOBODY if switch in failed else flooding.ports(refs[0])
            if was is not now and was != now:
                gained, lost = now - was, was - now
                if any(pairs(refs, some) for some in (gained, lost)):
                    yield refs, gained, lost
