"""The directed graph of a campus on (switch, domain), and how far frames get in it.

A bridge never sends a frame back out of the port it came in by (IEEE 802.1Q-2022, 8.6.1). So a state of
the search is (switch, domain, tags inside, port of arrival); since the union over two ports of arrival is
already "every port", each (switch, domain, tags) is expanded at most twice and a search stays linear in
the number of links.
"""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Callable, Collection, Hashable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from inkov.forwarding.classes import Classes
from inkov.forwarding.hop import Crossing, Hop
from inkov.kinds.relay import Domain, Mask, Tags, vid_of
from inkov.model.names import PortRef
from inkov.model.vlanset import bits

_MOST_KEPT = 200_000
"""How many arrivals across links a graph keeps."""
_MOST_MORE = 3
"""How many tags a frame may gather on its way in a search: round a loop with a tunnel in it, it gathers them for ever."""
_MOST_TRIED = 4_000_000
_FEW_TRIED = 100_000
_TRIED_EACH = 20
"""How many crossings a search tries: so many at most, so few at least, and for each start so many a link. Where modes are
not stated at both ends, each frame may get into thousands of VLANs, and following them all tells no more than that."""
_MOST_ANSWERS = 64
"""How many answers a graph keeps: claims of one campus ask from and to the same places again and again."""


class Edge(NamedTuple):
    """One direction of a link."""

    near: PortRef
    far: PortRef
    hop: Hop


class State(NamedTuple):
    """A frame inside a switch: where it is, and by which port it came. `by` is None where it started."""

    switch: str
    domain: Domain
    inner: Tags
    by: PortRef | None


class Step(NamedTuple):
    """How a state was reached: from which state, out of which port, with which tags on the wire."""

    before: State
    out: PortRef
    wire: Tags | None


class Flow(NamedTuple):
    """Where frames got to: the domains on each switch, and those that came in by each port."""

    total: Mapping[str, Mask]
    came_by: Mapping[PortRef, Mask]


@dataclass(slots=True)
class Reach:
    """Everything a set of frames gets to.

    Attributes:
        states: every state, in order of distance, with the step that reached it first; None for a start.
        cut: frames that gathered too many tags, or might be anywhere, were not followed further: there may be more states.
    """

    states: dict[State, Step | None] = field(default_factory=dict)
    cut: bool = False

    def places(self) -> Iterator[tuple[str, Domain, Tags]]:
        """Yields each (switch, domain, tags inside) once, in order of distance."""
        seen: set[tuple[str, Domain, Tags]] = set()
        for state in self.states:
            if (place := state[:3]) not in seen:
                seen.add(place)
                yield place

    def first(self, places: Collection[tuple[str, Domain]]) -> State | None:
        """Returns the nearest state in some domains of switches; None where there is none."""
        return next((s for s in self.states if s[:2] in places), None)

    def path(self, end: State) -> list[tuple[State, Step | None]]:
        """Returns the states from a start to `end`, each with the step that led to it."""
        back: list[tuple[State, Step | None]] = []
        at: State | None = end
        while at is not None:
            step = self.states[at]
            back.append((at, step))
            at = step.before if step else None
        return back[::-1]


class Graph:
    """Links as pairs of directed edges.

    Attributes:
        sure: it has what surely passes alone, so that less may be told of it and never more; else the other way round.
        stacked: some port keeps tags inside frames, so that a frame is more than its domain.
        edges: the edges out of each switch.
    """

    def __init__(self, *, sure: bool = False) -> None:
        self.sure = sure
        self.stacked = False
        self._wide = False
        self._turns: dict[Domain, Mask] | None = None
        self._both: dict[str, list[tuple[str, Mask]]] = {}
        self._crossed: dict[tuple[int, Domain, Tags, Mask], tuple[Crossing, ...]] = {}
        self._answers: dict[Hashable, Mapping[str, Mask]] = {}
        self._kept = 0
        self.edges: dict[str, list[Edge]] = defaultdict(list)

    def join(self, a: PortRef, b: PortRef, there: Hop, back: Hop) -> None:
        """Adds a link: what crosses from `a` to `b`, and what crosses back."""
        self.stacked |= there.stacks or back.stacks
        self._wide |= there.wide or back.wide
        self._answers.clear()
        self.edges[a.switch].append(Edge(a, b, there))
        self.edges[b.switch].append(Edge(b, a, back))

    def with_edges(self, others: Mapping[str, list[Edge]]) -> Graph:
        """Returns a graph with other edges out of some switches; both ends of each link that differs are among these."""
        made = Graph(sure=self.sure)
        made.edges.update({n: edges for n, edges in {**self.edges, **others}.items() if edges})
        plain = not (self.stacked or self._wide)
        hops = [e.hop for edges in (others if plain else made.edges).values() for e in edges]
        made._both = {n: ways for n, ways in self._both.items() if n not in others}
        made.stacked, made._wide = any(h.stacks for h in hops), any(h.wide for h in hops)
        return made

    def joined(self, start: str, domain: Domain) -> set[str]:
        """Returns the switches around one that links join which carry a domain both ways and keep it what it is.

        Frames of any of them reach all others, whichever starts: one search tells what a search from each would.
        """
        found, todo = {start}, [start]
        while todo:
            for far, mask in self._both_ways(todo.pop()):
                if mask >> domain & 1 and far not in found:
                    found.add(far)
                    todo.append(far)
        return found

    def _both_ways(self, switch: str) -> list[tuple[str, Mask]]:
        """Returns the switches that links of one lead to, with the domains that cross both ways and stay what they are."""
        if switch not in self._both:
            ways = ((e, self.hops.get((e.far, e.near))) for e in self.edges.get(switch, ()))
            self._both[switch] = [(e.far.switch, mask) for e, back in ways if back and (mask := e.hop.same & back.same)]
        return self._both[switch]

    def becomes(self, domains: Mask, *, tagged: bool = False) -> Mask:
        """Returns the domains that frames of some may ever be in, on whatever switch; all where tags are kept inside.

        What frames really reach is never more than this, and on most campuses it is no more than `domains`.
        """
        if self.stacked or tagged:
            return -1
        if self._turns is None:
            self._turns = {}
            for bundle in {b for edges in self.edges.values() for e in edges for b in e.hop.leaks}:
                for d in bits(bundle.out):
                    self._turns[d] = self._turns.get(d, 0) | bundle.into
        found, new = domains, domains
        turning = sum(1 << d for d in self._turns)
        while new & turning:
            into = 0
            for d in bits(new & turning):
                into |= self._turns[d]
            new = into & ~found
            found |= new
        return found

    def reach(
        self, starts: Iterable[tuple[str, Domain, Tags]], until: Collection[tuple[str, Domain]] = frozenset()
    ) -> Reach:
        """Follows frames that start inside switches, by edge ports, as far as they get.

        Cost is linear in the edges of the switches reached.

        Args:
            starts: switch, domain, and the tags inside.
            until: domains of switches that are looked for; the search ends at the nearest of them, the last state found,
                and follows nothing that cannot lead to any. Of domains that no port tells apart it follows one.
        """
        starts = list(starts)
        return self._search(starts, until, self.classes(starts, until).few if until and self._wide else -1)

    def classes(self, starts: Iterable[tuple[str, Domain, Tags]], goals: Iterable[tuple[str, Domain]] = ()) -> Classes:
        """Returns the domains that no port tells apart, nor the starts and goals of a search."""
        sets: dict[Hashable, Mask] = defaultdict(int)
        for switch, domain, inner in starts:
            sets[switch, inner] |= 1 << domain
            sets.update((tag, 1 << vid_of(tag)) for tag in inner if tag >= 0)
        for switch, domain in goals:
            sets[switch] |= 1 << domain
        return self._classes.refined(sets.values())

    @cached_property
    def _classes(self) -> Classes:
        hops = [e.hop for edges in self.edges.values() for e in edges]
        relays = {relay for hop in hops for relay in (hop.near, hop.far)}
        return Classes(
            {s for relay in relays for s in relay.sets} | {s for hop in hops for b in hop.bundles for s in b}
        )

    def _search(
        self, starts: Collection[tuple[str, Domain, Tags]], until: Collection[tuple[str, Domain]], few: Mask
    ) -> Reach:
        """Follows frames; of all domains, only some, and those that they start in."""
        reach = Reach()
        leading = self._once(frozenset(until), lambda: self.leading(until)) if until else None
        arrivals: dict[tuple[str, Domain, Tags], int] = {}
        todo: deque[State] = deque()
        most, tried = _MOST_MORE, 0
        alone = [State(*start, None) for start in starts]
        links = sum(map(len, self.edges.values()))
        enough = min(_MOST_TRIED, max(_FEW_TRIED, _TRIED_EACH * links * len({s[1:3] for s in alone})))
        for state in alone:
            if state not in reach.states:
                most = max(most, len(state.inner) + _MOST_MORE)
                reach.states[state] = None
                arrivals[state[:3]] = 2  # started here: every link is a way out at once
                todo.append(state)
                if state[:2] in until:
                    return reach
        while todo and tried <= enough:
            state = todo.popleft()
            for edge, (domain, inner, wire) in self._onward(state, leading, few):
                place = (edge.far.switch, domain, inner)
                came = arrivals.get(place, 0)
                new = State(*place, edge.far)
                tried += 1
                if len(inner) > most or tried > enough:
                    reach.cut = True
                elif came < 2 and new not in reach.states:
                    arrivals[place] = came + 1
                    reach.states[new] = Step(state, edge.near, wire)
                    todo.append(new)
                    if place[:2] in until:
                        return reach
        return reach

    def _onward(self, state: State, leading: Mapping[str, Mask] | None, few: Mask) -> Iterator[tuple[Edge, Crossing]]:
        """Yields where a frame may go next, but nowhere from where it leads to no goal."""
        if leading is not None and not leading.get(state.switch, 0) >> state.domain & 1:
            return
        for edge in self.edges.get(state.switch, ()):
            if edge.near != state.by:
                for crossing in self._cross(edge.hop, state.domain, state.inner, few):
                    yield edge, crossing

    def leading(self, goals: Iterable[tuple[str, Domain]]) -> dict[str, Mask]:
        """Returns, by switch, the domains whose frames may get to some goal, whatever tags they hold; no less than do."""
        found: dict[str, Mask] = defaultdict(int)
        for switch, domain in goals:
            found[switch] |= 1 << domain
        todo = deque(found)
        waiting = set(todo)
        while todo:
            switch = todo.popleft()
            waiting.discard(switch)
            for edge in self._arriving.get(switch, ()):
                near = edge.near.switch
                new = edge.hop.origin(found[switch]) & ~found[near]
                if new:
                    found[near] |= new
                    if near not in waiting:
                        waiting.add(near)
                        todo.append(near)
        return found

    def telling(self, goals: Collection[tuple[str, Domain]]) -> Mask:
        """Returns the tags which, uncovered on some link, are recognised at its far end and may lead on to a goal.

        Any other tag inside a frame gets it nowhere that it would not get without.
        """
        leading = self.leading(goals)
        found = 0
        for edges in self.edges.values():
            for _, far, hop in edges:
                into = leading.get(far.switch, 0)
                if into and not hop.blind and hop.near.out_untagged:
                    found |= into & hop.far.in_tagged
                    found |= sum(1 << t for t in {t for t, d in hop.far.in_mapped if into >> d & 1})
        return found

    @cached_property
    def hops(self) -> Mapping[tuple[PortRef, PortRef], Hop]:
        """What crosses each link, by its ends; of a graph to which no more are added."""
        return {(e.near, e.far): e.hop for edges in self.edges.values() for e in edges}

    @cached_property
    def _arriving(self) -> dict[str, list[Edge]]:
        made: dict[str, list[Edge]] = defaultdict(list)
        for edges in self.edges.values():
            for edge in edges:
                made[edge.far.switch].append(edge)
        return made

    def _cross(self, hop: Hop, domain: Domain, inner: Tags, few: Mask) -> Iterable[Crossing]:
        """Returns where one frame arrives; the answer is kept, as searches from other starts ask the same."""
        if hop.blind:
            return hop.cross(domain, inner, few)
        key = (id(hop), domain, inner, few)
        found = self._crossed.get(key)
        if found is None:
            found = tuple(hop.cross(domain, inner, few))
            self._kept += len(found)
            if self._kept > _MOST_KEPT:
                self._crossed.clear()
                self._kept = len(found)
            self._crossed[key] = found
        return found

    def spread(
        self, starts: Mapping[str, Mask], tagged: Iterable[tuple[str, Domain, Tags]] = (), *, armed: bool = False
    ) -> Mapping[str, Mask]:
        """Returns the domains reached on every switch, for a set of starts at once and without paths.

        The same answer as `reach` with no tags inside, for thousands of domains in one pass: the sets travel
        as masks. Cost is linear in links times the few passes until nothing changes.

        Args:
            starts: the domains that frames start in on each switch.
            tagged: further starts, with tags inside; where there are any, paths are followed after all.
            armed: frames may hold any tags inside, as many as there are hops; as only a hostile station sends them.
        """
        if not armed and (self.stacked or tagged):  # tags inside a frame do not fit into masks
            places: list[tuple[str, Domain, Tags]] = [
                (switch, d, ()) for switch, mask in starts.items() for d in bits(mask)
            ]
            places += tagged
            classes = self.classes(places) if self._wide else None
            reach = self._search(places, (), classes.few if classes else -1)
            if reach.cut and not self.sure:
                return self.beyond(places)
            masks = masks_of(reach.places())
            return {switch: classes.whole(mask) for switch, mask in masks.items()} if classes else masks
        key = armed, frozenset(starts.items())
        return self._once(key, lambda: {s: mask for s, mask in self.flow(starts, armed=armed).total.items() if mask})

    def _once(self, key: Hashable, answer: Callable[[], Mapping[str, Mask]]) -> Mapping[str, Mask]:
        if key not in self._answers:
            if len(self._answers) >= _MOST_ANSWERS:
                self._answers.clear()
            self._answers[key] = answer()
        return self._answers[key]

    def beyond(self, starts: Iterable[tuple[str, Domain, Tags]]) -> Mapping[str, Mask]:
        """Returns no less than what frames reach, however many tags they gather: as if they could hold any from the start."""
        return self.spread(masks_of(starts), armed=True)

    def flow(self, starts: Mapping[str, Mask], *, armed: bool = False) -> Flow:
        """Follows untagged or singly tagged frames, or armed ones, as masks, and keeps by which port they came."""
        total: dict[str, Mask] = defaultdict(int)
        everywhere: dict[str, Mask] = defaultdict(int)  # started here or came by two ports: leaves by every port
        came_by: dict[PortRef, Mask] = defaultdict(int)
        todo: deque[str] = deque()
        waiting: set[str] = set()
        for switch, mask in starts.items():
            total[switch] |= mask
            everywhere[switch] |= mask
            todo.append(switch)
            waiting.add(switch)
        while todo:
            switch = todo.popleft()
            waiting.discard(switch)
            for near, far, hop in self.edges.get(switch, ()):
                leaving = everywhere[switch] | (total[switch] & ~came_by[near])
                new = (hop.carry_any(leaving) if armed else hop.carry(leaving)) & ~came_by[far]
                if not new:
                    continue
                came_by[far] |= new
                everywhere[far.switch] |= new & total[far.switch]
                total[far.switch] |= new
                if far.switch not in waiting:
                    waiting.add(far.switch)
                    todo.append(far.switch)
        return Flow(total, came_by)


def masks_of(places: Iterable[tuple[str, Domain, Tags]]) -> dict[str, Mask]:
    """Returns the domains of some places by switch, whatever tags are inside."""
    masks: dict[str, Mask] = defaultdict(int)
    for switch, domain, _ in places:
        masks[switch] |= 1 << domain
    return masks
