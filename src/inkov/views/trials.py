"""What may happen, each thing tried alone: cables that are cut, devices that fail, switches of somebody's own; worst first."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

from inkov.forwarding.graph import Graph
from inkov.forwarding.hop import Hop
from inkov.forwarding.network import Network
from inkov.kinds.relay import Mask, View
from inkov.kinds.steps import Arrival, Step
from inkov.model.campus import Campus, Claim, Together
from inkov.model.names import PortRef
from inkov.views.drifts import Side, reach
from inkov.views.rehearsals import rank

_BROKEN: Final = 2
"""The worst `rank`."""
_NOBODY: Final = frozenset[PortRef]()


@dataclass(frozen=True, slots=True)
class TrialRow:
    """What may happen, tried alone: pairs of ports that lose or gain each other, and claims that are worse off."""

    what: str
    lost: int
    gained: int
    claims: tuple[str, ...]
    alike: tuple[str, ...]


def trials(campus: Campus, steps: Sequence[Step], progress: Callable[[int, int], None] | None = None) -> list[TrialRow]:
    """Tries each step alone, worst first; those that do the same are one row."""
    tried = _Trials(campus, [replace(c, surviving=0) if isinstance(c, Together) else c for c in campus.claims])
    rows: dict[Hashable, TrialRow] = {}
    for n, step in enumerate(steps, 1):
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
        self.whole = [c for c in claims if rank(self.before.outcome(c)) < _BROKEN]  # of others nothing is left to break
        self.alike: dict[tuple[str, Mask], list[PortRef]] = defaultdict(list)  # frames of these start alike
        for ref in self.before.heard:
            self.alike[ref.switch, self.before.flooding.domains(ref)].append(ref)

    def of(self, step: Step) -> tuple[Hashable, TrialRow]:
        """Tries a step; those with equal keys do the same."""
        failed = frozenset([step.switch]) if step.fails else frozenset[str]()
        after = Side(step.done(self.campus), self.claims, failed, self.before)
        socket = None
        if isinstance(step, Arrival) and step.plugged:
            socket = step.plugged
            after.take_for(socket, {d.name for d in step.devices})
        touched = None if isinstance(step, Arrival) else _touched(self.before.network, after.network, failed)
        if touched is None:
            changed = reach(self.before, after)
            gained, lost = (sum(len(row["at"]) for row in some) for some in changed)
            effect: Hashable = str(changed)
        else:
            rows = list(self._changed(after, touched, failed))
            gained = sum(len(some - {ref}) for ref, some, _ in rows)
            lost = sum(len(some - {ref}) for ref, _, some in rows)
            effect = frozenset(rows)
        worse = tuple(c.name for c in self.whole if rank(after.outcome(c)) > rank(self.before.outcome(c)))
        if socket and (gained or lost or worse):
            effect = socket.switch  # whoever plugs in beside gets as much
        return (lost, gained, worse, effect), TrialRow(step.what, lost, gained, worse, ())

    def _changed(
        self, after: Side, touched: Mask, failed: frozenset[str]
    ) -> Iterator[tuple[PortRef, frozenset[PortRef], frozenset[PortRef]]]:
        """Yields the ports that are heard by others than before, with whom they gain and lose.

        Only ports whose frames may ever be in a touched domain are looked at.
        """
        graphs = [side.network.graph(View.USUAL) for side in (self.before, after)]
        strays: dict[Mask, Mask] = {}
        for (switch, domains), refs in self.alike.items():
            if domains not in strays:
                strays[domains] = graphs[0].becomes(domains) | graphs[1].becomes(domains)
            if not touched & strays[domains]:
                continue
            was = self.before.heard[refs[0]]
            now = _NOBODY if switch in failed else after.flooding.ports(refs[0])
            if was != now:
                gained, lost = now - was, was - now
                yield from ((ref, gained, lost) for ref in refs if gained - {ref} or lost - {ref})


def _touched(before: Network, after: Network, failed: frozenset[str]) -> Mask | None:
    """Returns the domains whose frames may take other ways; None where that cannot be told by domains alone."""
    one, other = before.graph(View.USUAL), after.graph(View.USUAL)
    differ = [n for n, refs in before.edge_ports.items() if n not in failed and after.edge_ports.get(n) != refs]
    if one.stacked or other.stacked or differ:
        return None
    found = 0
    was, now = _hops(one), _hops(other)
    for ends in was.keys() | now.keys():
        if was.get(ends) != now.get(ends):
            for hop in filter(None, (was.get(ends), now.get(ends))):
                found |= hop.same
                for out, into in hop.bundles:
                    found |= out | into
    for name in failed:
        for ref in before.edge_ports[name]:
            found |= before.relay(ref).sends | before.relay(ref).takes
    return found


def _hops(graph: Graph) -> Mapping[tuple[PortRef, PortRef], Hop]:
    return {(e.near, e.far): e.hop for edges in graph.edges.values() for e in edges}
