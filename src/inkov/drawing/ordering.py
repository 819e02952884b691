"""Orders of layers with few crossings, and places along them: sweeps by barycentre, then swaps of neighbours.

Crossings between two layers are counted as inversions (Barth, Jünger, Mutzel 2002), in time that grows as E log E.
"""

from __future__ import annotations

import itertools
from bisect import bisect_right, insort
from collections.abc import Callable, Mapping, Sequence

_SWEEPS = 24
_SETTLE = 30
_MANY = 250
"""Layers with more than so many members are not tried swap by swap."""


def ordered(layers: Sequence[Sequence[str]], edges: Sequence[tuple[str, str]]) -> list[list[str]]:
    """Returns the layers in an order with few crossings; the first of equally good ones.

    Args:
        layers: names of what is in each.
        edges: between neighbouring layers, or within one.
    """
    level = {n: k for k, layer in enumerate(layers) for n in layer}
    near: dict[str, list[str]] = {n: [] for n in level}
    for a, b in edges:
        near[a].append(b)
        near[b].append(a)
    best = now = _first(layers, near, level)
    least = crossings(now, near)
    for sweep in range(_SWEEPS):
        now = _swept(now, near, level, down=sweep % 2 == 0)
        now = _swapped(now, near)
        count = crossings(now, near)
        if count < least:
            best, least = [list(row) for row in now], count
        if not least:
            break
    return best


def _first(layers: Sequence[Sequence[str]], near: Mapping[str, list[str]], level: Mapping[str, int]) -> list[list[str]]:
    """Returns an order in which what hangs on one thing stands together: that of a walk from the top."""
    rows: list[list[str]] = [[] for _ in layers]
    seen: set[str] = set()
    for layer in layers:
        for start in layer:
            stack = [start]
            while stack:
                name = stack.pop()
                if name in seen:
                    continue
                seen.add(name)
                rows[level[name]].append(name)
                stack += [o for o in reversed(near[name]) if o not in seen and level[o] >= level[name]]
    return rows


def _swept(
    rows: list[list[str]], near: Mapping[str, list[str]], level: Mapping[str, int], *, down: bool
) -> list[list[str]]:
    """Orders each layer by the mean place of what its members are joined to on the other side."""
    made = [list(row) for row in rows]
    place = {n: k / max(len(row), 1) for row in made for k, n in enumerate(row)}
    for row in made if down else reversed(made):

        def wish(name: str) -> float:
            others = [place[o] for o in near[name] if (level[o] < level[name] if down else level[o] > level[name])]
            beside = [place[o] for o in near[name] if level[o] == level[name]]
            if others:
                return sum(others) / len(others)
            return (place[name] + sum(beside)) / (1 + len(beside))

        row.sort(key=wish)
        for k, n in enumerate(row):
            place[n] = k / max(len(row), 1)
    return made


def _swapped(rows: list[list[str]], near: Mapping[str, list[str]]) -> list[list[str]]:
    """Swaps neighbours of a layer where that takes crossings away."""
    place = {n: k for row in rows for k, n in enumerate(row)}
    level = {n: k for k, row in enumerate(rows) for n in row}

    def crossed(left: str, right: str) -> int:
        total = 0
        for step in (-1, 1):
            a = sorted(place[o] for o in near[left] if level[o] - level[left] == step)
            b = sorted(place[o] for o in near[right] if level[o] - level[right] == step)
            total += sum(len(a) - bisect_right(a, p) for p in b)
        return total

    for row in rows:
        if len(row) > _MANY:
            continue
        for _ in range(4):
            better = False
            for k in range(len(row) - 1):
                left, right = row[k], row[k + 1]
                if crossed(left, right) > crossed(right, left):
                    row[k], row[k + 1] = right, left
                    place[left], place[right] = k + 1, k
                    better = True
            if not better:
                break
    return rows


def crossings(rows: Sequence[Sequence[str]], near: Mapping[str, list[str]]) -> int:
    """Returns how often lines between neighbouring layers cross."""
    total = 0
    for upper, lower in itertools.pairwise(rows):
        place = {n: k for k, n in enumerate(lower)}
        seen: list[int] = []
        for name in upper:
            ends = sorted(place[o] for o in near[name] if o in place)
            total += sum(len(seen) - bisect_right(seen, p) for p in ends)
            for p in ends:
                insort(seen, p)
    return total


def spread(
    rows: Sequence[Sequence[str]], near: Mapping[str, list[str]], size: Callable[[str], float], gap: float
) -> dict[str, float]:
    """Returns the middle of everything along its layer: in order, apart, and close to what it is joined to.

    Args:
        rows: the layers in their order.
        near: what each is joined to.
        size: how wide something is.
        gap: between two of a layer.
    """
    x: dict[str, float] = {}
    for row in rows:
        at = 0.0
        for name in row:
            x[name] = at + size(name) / 2
            at += size(name) + gap
    widest = max((x[row[-1]] + size(row[-1]) / 2 for row in rows if row), default=0.0)
    for row in rows:
        if row:
            shift = (widest - x[row[-1]] - size(row[-1]) / 2) / 2
            for name in row:
                x[name] += shift
    level = {n: k for k, row in enumerate(rows) for n in row}
    for turn in range(_SETTLE):
        for row in rows if turn % 2 == 0 else reversed(rows):
            wish = {}
            for name in row:
                others = [x[o] for o in near.get(name, ()) if level[o] != level[name]]
                wish[name] = sum(others) / len(others) if others else x[name]
            x |= dict(zip(row, _apart([wish[n] for n in row], [size(n) for n in row], gap), strict=True))
    left = min((x[n] - size(n) / 2 for n in x), default=0.0)
    return {n: at - left for n, at in x.items()}


def _apart(wish: list[float], sizes: list[float], gap: float) -> list[float]:
    """Returns places as near to those wished as they can be, in order and apart (pool adjacent violators)."""
    offsets: list[float] = []
    at = 0.0
    for k, size in enumerate(sizes):
        at += (sizes[k - 1] + size) / 2 + gap if k else 0.0
        offsets.append(at)
    pools: list[tuple[float, int]] = []
    for want, offset in zip(wish, offsets, strict=True):
        mean, count = want - offset, 1
        while pools and pools[-1][0] > mean:
            other, n = pools.pop()
            mean, count = (mean * count + other * n) / (count + n), count + n
        pools.append((mean, count))
    base = [mean for mean, count in pools for _ in range(count)]
    return [b + o for b, o in zip(base, offsets, strict=True)]
