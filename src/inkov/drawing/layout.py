"""Where things go in a drawing of a network: layers from the top, orders with few crossings, a slot for every end of a link.

Nothing overlaps by construction. Every end has a slot of its own at its box, wide enough for its label, which stands upright
beside the line; lines cross only between the layers, and a line that skips layers has columns of its own in them
(Sugiyama, Tagawa, Toda 1981).

Lengths are points of 1/72 inch; y grows downwards.
"""

from __future__ import annotations

import itertools
from collections import defaultdict, deque
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from inkov.drawing import ordering

SLOT: Final = 10.0
"""Width of the slot of one end: a line, and its label beside it."""

_COLUMN: Final = 9.0
_GAP: Final = 16.0
_LANE: Final = 6.0
_CHANNEL: Final = 34.0
_WIDEST: Final = 1500.0
"""Layers wider than this are broken into rows, where nothing is below their boxes."""

Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Thing:
    """Something to be placed: its name, and the room it takes without its ends.

    Attributes:
        name: what wires call it.
        width: of its text.
        height: of its text.
    """

    name: str
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class Wire:
    """A line between two things, with the room that the labels of its ends take.

    Attributes:
        a: one end.
        b: the other; empty for a stub, which leads nowhere.
        label_a: length of the label at `a`.
        label_b: length of the label at `b`.
    """

    a: str
    b: str
    label_a: float
    label_b: float


@dataclass(frozen=True, slots=True)
class Box:
    """Where a thing is: its upper left corner and its size."""

    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class End:
    """Where a label stands: beside the line, from the box on, downwards or upwards."""

    x: float
    y: float
    down: bool


@dataclass(frozen=True, slots=True)
class Route:
    """A wire as it is drawn: its corners from `a` to `b`, and where the labels of its ends are."""

    points: tuple[Point, ...]
    a: End
    b: End | None


@dataclass(slots=True)
class Layout:
    """A drawing, without what is in it."""

    boxes: dict[str, Box] = field(default_factory=dict)
    routes: list[Route] = field(default_factory=list)
    width: float = 0.0
    height: float = 0.0


def placed(things: Sequence[Thing], wires: Sequence[Wire], tops: Iterable[str]) -> Layout:
    """Places things and wires. The same input gives the same drawing.

    Args:
        things: in an order that decides where nothing else does.
        wires: between them; stubs, too.
        tops: things that belong to the top, the most important first; parts of the network without one begin at
            whatever has most wires.
    """
    by_name = {t.name: t for t in things}
    near = _neighbours(things, wires)
    depth = _depths(things, near, list(tops))
    widths = {t.name: _width(t, wires_of) for t, wires_of in _by_thing(things, wires)}
    rows = _rows(depth, near, widths)
    return _Placing(by_name, wires, rows, widths).layout()


def _neighbours(things: Sequence[Thing], wires: Sequence[Wire]) -> dict[str, list[str]]:
    near: dict[str, dict[str, None]] = {t.name: {} for t in things}
    for wire in wires:
        if wire.b and wire.a != wire.b:
            near[wire.a][wire.b] = None
            near[wire.b][wire.a] = None
    return {n: list(others) for n, others in near.items()}


def _by_thing(things: Sequence[Thing], wires: Sequence[Wire]) -> list[tuple[Thing, int]]:
    count: dict[str, int] = defaultdict(int)
    for wire in wires:
        count[wire.a] += 1
        if wire.b:
            count[wire.b] += 1
    return [(t, count[t.name]) for t in things]


def _width(thing: Thing, ends: int) -> float:
    return max(thing.width, min(ends, 400) * SLOT + 4)


def _depths(things: Sequence[Thing], near: Mapping[str, list[str]], tops: list[str]) -> dict[str, int]:
    """Returns the layer of each thing: how far it is from the top of its part of the network."""
    depth: dict[str, int] = {}
    order = [*tops, *sorted((t.name for t in things), key=lambda n: -len(near[n]))]
    for top in order:
        if top in depth or top not in near:
            continue
        first = [top, *_twins(top, near)]
        depth |= dict.fromkeys(first, 0)
        todo = deque(first)
        while todo:
            here = todo.popleft()
            for other in near[here]:
                if other not in depth:
                    depth[other] = depth[here] + 1
                    todo.append(other)
    return depth


def _twins(top: str, near: Mapping[str, list[str]]) -> list[str]:
    """Returns what stands beside the top as its equal: what has most of its neighbours in common with it."""
    own = set(near[top])
    candidates = {other for n in near[top] for other in near[n]} | own
    found = []
    for other in sorted(candidates - {top}):
        common = own & set(near[other])
        rest = set(near[other]) - {top}
        if len(common) > 1 and 2 * len(common) >= len(rest) and 2 * len(common) >= len(own - {other}):
            found.append(other)
    return found[:1]


def _rows(depth: Mapping[str, int], near: Mapping[str, list[str]], widths: Mapping[str, float]) -> list[list[str]]:
    """Returns the things row by row: a layer a row, or several where it is too wide and nothing is below."""
    layers: dict[int, list[str]] = defaultdict(list)
    for name, level in depth.items():
        layers[level].append(name)
    rows: list[list[str]] = []
    for level in sorted(layers):
        inner = [n for n in layers[level] if any(depth[o] > level for o in near[n])]
        outer = [n for n in layers[level] if n not in set(inner)]
        room = _WIDEST - sum(widths[n] + _GAP for n in inner)
        count = max(1, -(-int(sum(widths[n] + _GAP for n in outer)) // int(max(room, _WIDEST / 2))))
        if count == 1:
            rows.append(layers[level])
            continue
        per_row = -(-len(outer) // count)
        rows.append([*inner, *outer[:per_row]])
        rows += [outer[k : k + per_row] for k in range(per_row, len(outer), per_row)]
    return rows


class _Placing:
    """Turns rows into a drawing: columns for lines that skip rows, an order, places, slots, and lines."""

    def __init__(
        self, things: Mapping[str, Thing], wires: Sequence[Wire], rows: list[list[str]], widths: Mapping[str, float]
    ) -> None:
        self.things, self.wires, self.widths = things, wires, widths
        self.row_of = {n: k for k, row in enumerate(rows) for n in row}
        self.chains: list[list[str]] = []
        nodes: list[list[str]] = [list(row) for row in rows]
        edges: list[tuple[str, str]] = []
        self.column_row: dict[str, int] = {}
        for k, wire in enumerate(wires):
            chain = [wire.a, *self._columns(k, wire, nodes), wire.b] if wire.b else [wire.a]
            self.chains.append(chain)
            edges += list(itertools.pairwise(chain))
        self.rows = ordering.ordered(nodes, edges)
        self.level = {n: k for k, row in enumerate(self.rows) for n in row}
        self.near: dict[str, list[str]] = defaultdict(list)
        for a, b in edges:
            self.near[a].append(b)
            self.near[b].append(a)

    def _columns(self, number: int, wire: Wire, nodes: list[list[str]]) -> list[str]:
        """Adds a column in each row that a wire passes, and returns them from `a` to `b`."""
        low, high = sorted((self.row_of[wire.a], self.row_of[wire.b]))
        made = [f"\0{number}/{row}" for row in range(low + 1, high)]
        for name, row in zip(made, range(low + 1, high), strict=True):
            nodes[row].append(name)
            self.column_row[name] = row
        return made if self.row_of[wire.a] < self.row_of[wire.b] else made[::-1]

    def _size(self, name: str) -> float:
        return _COLUMN if name in self.column_row else self.widths[name]

    def layout(self) -> Layout:
        """Returns the drawing."""
        x = ordering.spread(self.rows, self.near, self._size, _GAP)
        slots = self._slots(x)
        tops, heights, bands = self._heights(slots)
        made = Layout()
        made.width = max((x[n] + self._size(n) / 2 for n in x), default=0.0)
        for name, thing in self.things.items():
            row = self.level[name]
            width = self.widths[name]
            made.boxes[name] = Box(
                x[name] - width / 2, tops[row] + (heights[row] - thing.height) / 2, width, thing.height
            )
        lanes = self._lanes(slots)
        for k, wire in enumerate(self.wires):
            made.routes.append(self._route(k, wire, x, slots, tops, heights, bands, lanes, made))
        made.height = (tops[-1] + heights[-1] + bands[-1][1] + _CHANNEL) if tops else 0.0
        return made

    def _slots(self, x: Mapping[str, float]) -> dict[tuple[int, str], tuple[float, bool]]:
        """Returns the place of each end at its thing: (wire, thing) to x and whether it is at the lower side."""
        below: dict[str, list[tuple[float, int]]] = defaultdict(list)
        above: dict[str, list[tuple[float, int]]] = defaultdict(list)
        for k, (wire, chain) in enumerate(zip(self.wires, self.chains, strict=True)):
            if not wire.b:
                below[wire.a].append((x[wire.a] + 1e6, k))
                continue
            for own, other in ((wire.a, chain[1]), (wire.b, chain[-2])):
                side = above if self.level[other] < self.level[own] else below
                side[own].append((x[other], k))
        found: dict[tuple[int, str], tuple[float, bool]] = {}
        for side, down in ((below, True), (above, False)):
            for name, ends in side.items():
                ends.sort()
                start = x[name] - (len(ends) - 1) * SLOT / 2
                for n, (_, k) in enumerate(ends):
                    found.setdefault((k, name), (start + n * SLOT, down))
        return found

    def _heights(
        self, slots: Mapping[tuple[int, str], tuple[float, bool]]
    ) -> tuple[list[float], list[float], list[tuple[float, float]]]:
        """Returns of each row its y, the height of its boxes, and the room for labels above and below them."""
        bands = [[4.0, 4.0] for _ in self.rows]
        for k, wire in enumerate(self.wires):
            for name, length in ((wire.a, wire.label_a), (wire.b, wire.label_b)):
                if name:
                    _, down = slots[k, name]
                    side = bands[self.level[name]]
                    side[down] = max(side[down], length + 6)
        heights = [max((self.things[n].height for n in row if n in self.things), default=0.0) for row in self.rows]
        tops: list[float] = []
        y = 0.0
        for row, (above, below) in enumerate(bands):
            y += above + (self._channel(row) if row else 0.0)
            tops.append(y)
            y += heights[row] + below
        return tops, heights, [(a, b) for a, b in bands]

    def _channel(self, row: int) -> float:
        """Returns the room between a row and the one above it: more where many lines cross it, or run along it."""
        crossing = sum(1 for n in self.rows[row] for o in self.near[n] if self.level[o] < row)
        beside = sum(1 for n in self.rows[row - 1] for o in self.near[n] if self.level[o] == row - 1) // 2
        return min(_CHANNEL + 2.0 * crossing, 150.0) + _LANE * beside

    def _lanes(self, slots: Mapping[tuple[int, str], tuple[float, bool]]) -> dict[int, int]:
        """Returns how deep a wire between two things of one row runs: the shorter, the closer to its boxes."""
        by_row: dict[int, list[tuple[float, int]]] = defaultdict(list)
        for k, wire in enumerate(self.wires):
            if wire.b and self.level[wire.a] == self.level[wire.b]:
                span = abs(slots[k, wire.a][0] - slots[k, wire.b][0])
                by_row[self.level[wire.a]].append((span, k))
        return {k: n for spans in by_row.values() for n, (_, k) in enumerate(sorted(spans))}

    def _route(  # noqa: PLR0917 - all that places a line
        self,
        k: int,
        wire: Wire,
        x: Mapping[str, float],
        slots: Mapping[tuple[int, str], tuple[float, bool]],
        tops: Sequence[float],
        heights: Sequence[float],
        bands: Sequence[tuple[float, float]],
        lanes: Mapping[int, int],
        made: Layout,
    ) -> Route:
        def leave(name: str) -> tuple[list[Point], End]:
            at, down = slots[k, name]
            box, row = made.boxes[name], self.level[name]
            edge = box.y + box.height if down else box.y
            out = tops[row] + heights[row] + bands[row][1] if down else tops[row] - bands[row][0]
            return [(at, edge), (at, out)], End(at, edge, down)

        start, end_a = leave(wire.a)
        if not wire.b:
            return Route(tuple(start), end_a, None)
        stop, end_b = leave(wire.b)
        if self.level[wire.a] == self.level[wire.b]:
            deep = max(start[1][1], stop[1][1]) + _LANE * (1 + lanes[k])
            return Route((*start, (start[1][0], deep), (stop[1][0], deep), *stop[::-1]), end_a, end_b)
        middle: list[Point] = []
        for name in self.chains[k][1:-1]:
            row = self.level[name]
            ends = [(x[name], tops[row] - bands[row][0]), (x[name], tops[row] + heights[row] + bands[row][1])]
            middle += ends if self.level[wire.a] < self.level[wire.b] else ends[::-1]
        return Route((*start, *middle, *stop[::-1]), end_a, end_b)
