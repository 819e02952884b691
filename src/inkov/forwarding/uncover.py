"""Which tags a frame must hold inside to get somewhere: for hostile stations, that may send any.

A tag inside makes no difference until the frame leaves a switch untagged; only then the next switch reads it. So a frame
that may hold any tags is followed as one, and the tags that were read on the way are those it must have set out with.
Tags that are put around others on the way are known, and followed as they are.
"""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Collection, Iterable, Iterator, Mapping
from typing import Final, NamedTuple

from inkov.forwarding.graph import Graph
from inkov.forwarding.hop import Hop
from inkov.kinds.relay import Domain, Mask, RelayMap, Tag, Tags, tag_of
from inkov.model.names import PortRef
from inkov.model.vlanset import bits

ANY: Final = -1
"""Stands as the last tag inside a frame for as many tags, of whatever kind, as it takes."""

_MOST_KNOWN: Final = 3
"""How many tags may be put around a frame on its way: round a loop with a tunnel in it, it gathers them for ever."""

Start = tuple[str, Domain, Tags]
"""Where a frame sets out: switch, domain, tags inside."""


def any_of(number: int) -> int:
    """Returns what stands for any tags of which the first is of a format."""
    return ANY - 1 - number


class _State(NamedTuple):
    """A frame inside a switch, and the port it came by."""

    switch: str
    domain: Domain
    inner: Tags
    by: PortRef | None


Before = dict[_State, tuple[_State, Tag | None] | None]
"""For each state the one before it, and the tag that was read from inside the frame in between; None for a start."""


def stack_towards(
    graph: Graph, starts: Iterable[Start], goals: Collection[tuple[str, Domain]], formats: Collection[int]
) -> Start | None:
    """Returns where a frame sets out, and the tags inside it, outermost first, that bring it to the nearest goal.

    Args:
        graph: the campus in a view.
        starts: where frames may set out; what stands for tags of any kind is the last of the tags inside, if anywhere.
        goals: domains of switches that are looked for.
        formats: the numbers of the tag formats in use.
    """
    starts = list(starts)
    search = _Search(graph, goals, formats, graph.classes(starts, goals).few)
    before: Before = {}
    arrivals: dict[Start, int] = defaultdict(int)
    todo: deque[_State] = deque()
    for start in starts:
        if not search.few >> start[1] & 1:
            continue
        state = _State(*start, None)
        before[state] = None
        arrivals[start] = 2  # started here: every link is a way out at once
        todo.append(state)
    while todo:
        state = todo.popleft()
        if state[:2] in goals:
            return _set_out(before, state)
        for new, tag in search.onward(state):
            if arrivals[new[:3]] < 2 and new not in before:
                arrivals[new[:3]] += 1
                before[new] = state, tag
                todo.append(new)
    return None


class _Search:
    """How frames go on towards goals; of domains, and of tags, that no port tells apart one is followed."""

    def __init__(
        self, graph: Graph, goals: Collection[tuple[str, Domain]], formats: Collection[int], few: Mask
    ) -> None:
        self.graph = graph
        self.formats = formats
        self.few = few
        self.leading = {switch: mask & few for switch, mask in graph.leading(goals).items()}
        self.telling = graph.telling(goals) & few

    def onward(self, state: _State) -> Iterator[tuple[_State, Tag | None]]:
        """Yields the states that may come next, each with the tag that is read from inside on the way there."""
        if not self.leading.get(state.switch, 0) >> state.domain & 1:
            return
        for near, far, hop in self.graph.edges.get(state.switch, ()):
            if near == state.by:
                continue
            wanted = self.leading.get(far.switch, 0)
            for domain, inner, tag in self._crossings(hop, state, wanted):
                if len(inner) <= _MOST_KNOWN + 1:
                    yield _State(far.switch, domain, inner, far), tag

    def _crossings(self, hop: Hop, state: _State, wanted: Mask) -> Iterator[tuple[Domain, Tags, Tag | None]]:
        if hop.blind or not state.inner or state.inner[0] >= 0:
            for crossing in hop.cross(state.domain, state.inner, wanted):
                yield crossing.domain, crossing.inner, None
            return
        for wire in hop.near.send(state.domain, state.inner):
            if wire[0] >= 0:
                for domain, inner in hop.far.accept(wire, wanted):
                    yield domain, inner, None
            else:
                yield from self._read(hop.far, wire[0], wanted)

    def _read(self, far: RelayMap, what: Tag, wanted: Mask) -> Iterator[tuple[Domain, Tags, Tag | None]]:
        """Yields where a frame arrives of which any tag may come to light, or none."""
        if what == ANY:
            yield from ((d, (), None) for d in bits(far.in_untagged & wanted))
        for number in self.formats if what == ANY else (ANY - 1 - what,):
            if number in far.formats:
                mapped = (t for t, d in far.in_mapped if wanted >> d & 1)
                vids = dict.fromkeys((0, *bits(far.in_tagged & wanted), *mapped))  # 0 hangs on no habit
                kept = [v for v in bits(self.telling) if v not in vids] if far.keeps else ()
                for vid in (*vids, *kept):
                    tag = tag_of(vid, number)
                    for domain, inner in far.accept((tag, ANY), wanted):
                        yield domain, inner, tag
            if number not in far.formats or far.unsure:
                yield from ((d, (any_of(number),), None) for d in bits(far.in_untagged & wanted))


def _set_out(before: Mapping[_State, tuple[_State, Tag | None] | None], end: _State) -> Start:
    """Returns the start of the way to a state, with the tags that were read on it."""
    read: list[Tag] = []
    at = end
    while (step := before[at]) is not None:
        at, tag = step
        read += [tag] if tag is not None else []
    return at.switch, at.domain, tuple(reversed(read))
