"""Blocks of a network of cables: the parts in which there are two ways, and the cables that are the only one.

A block is a set of links of which any two lie on a common ring (a biconnected component); a link that is
the only way between two places is a block alone. Whatever a spanning tree blocks, it blocks inside blocks,
and for every link of a block there is a tree that uses it and one that does not.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from operator import or_

from inkov.forwarding.cabling import Link
from inkov.kinds.relay import Mask


@dataclass(frozen=True, slots=True)
class Block:
    """One block.

    Attributes:
        links: its links.
        nodes: the places they join.
        top: the place by which it hangs on the rest, seen from where its part was entered.
    """

    links: tuple[Link, ...]
    nodes: frozenset[Hashable]
    top: Hashable

    @property
    def ring(self) -> bool:
        """There are two ways inside it."""
        return len(self.links) >= len(self.nodes)


def blocks(links: Sequence[Link], ends: Callable[[Link], tuple[Hashable, Hashable]]) -> list[Block]:
    """Returns the blocks of some links, those further from where the search began first.

    Cost is linear in the links.

    Args:
        links: the links, parallel ones included.
        ends: the places a link joins.
    """
    at: dict[Hashable, list[tuple[Hashable, int]]] = defaultdict(list)
    found: list[Block] = []
    for i, link in enumerate(links):
        a, b = ends(link)
        if a == b:
            found.append(Block((link,), frozenset([a]), a))
            continue
        at[a].append((b, i))
        at[b].append((a, i))
    order: dict[Hashable, int] = {}
    low: dict[Hashable, int] = {}
    for start in at:
        if start not in order:
            _search(start, at, order, low, links, found)
    return found


def _search(  # noqa: PLR0917 - the state of a search that is not to recurse
    start: Hashable,
    at: Mapping[Hashable, list[tuple[Hashable, int]]],
    order: dict[Hashable, int],
    low: dict[Hashable, int],
    links: Sequence[Link],
    found: list[Block],
) -> None:
    """Searches one connected part in depth, without recursion."""
    order[start] = low[start] = len(order)
    waiting: list[tuple[Hashable, Hashable, int]] = []
    path = [(start, -1, iter(at[start]))]
    while path:
        node, came_by, steps = path[-1]
        for to, link in steps:
            if link == came_by:
                continue
            if to not in order:
                order[to] = low[to] = len(order)
                waiting.append((node, to, link))
                path.append((to, link, iter(at[to])))
                break
            if order[to] < order[node]:
                waiting.append((node, to, link))
                low[node] = min(low[node], order[to])
        else:
            path.pop()
            if not path:
                return
            parent = path[-1][0]
            low[parent] = min(low[parent], low[node])
            if low[node] >= order[parent]:
                cut = next(k for k in range(len(waiting) - 1, -1, -1) if waiting[k][2] == came_by)
                part = waiting[cut:]
                del waiting[cut:]
                nodes = frozenset(n for a, b, _ in part for n in (a, b))
                found.append(Block(tuple(links[k] for k in sorted(k for _, _, k in part)), nodes, parent))


def behind(found: Sequence[Block], own: Mapping[Hashable, Mask]) -> list[dict[Hashable, Mask]]:
    """Returns for each block and each of its places what lies at that place or behind it, away from the block.

    Two passes over the tree that blocks make: what hangs below each place is gathered from the furthest blocks inwards,
    and what is above it handed down again.

    Args:
        found: from `blocks`, in its order.
        own: what each place has itself.

    Returns:
        One mapping a block, in the same order.
    """
    below: dict[Hashable, Mask] = defaultdict(int, own)  # what a place has, with all that hangs on it
    hangs: dict[Hashable, list[Mask]] = defaultdict(list)  # what each of the blocks on a place adds to that
    for block in found:
        added = union(below[n] for n in block.nodes if n != block.top)
        below[block.top] |= added
        hangs[block.top].append(added)
    beside = {top: each_without(masks) for top, masks in hangs.items()}
    above: dict[Hashable, Mask] = defaultdict(int)  # what reaches a place from the block that it hangs in
    result: list[dict[Hashable, Mask]] = []
    for block in reversed(found):
        others = beside[block.top].pop()
        at = {n: below[n] for n in block.nodes if n != block.top}
        at[block.top] = own.get(block.top, 0) | others | above[block.top]
        above |= {n: rest for n, rest in zip(at, each_without(list(at.values())), strict=True) if n != block.top}
        result.append(at)
    return result[::-1]


def union(masks: Iterable[Mask]) -> Mask:
    """Returns what is in one mask at least."""
    return reduce(or_, masks, 0)


def each_without(masks: Sequence[Mask]) -> list[Mask]:
    """Returns for each mask the union of the others; cost is linear in their number."""
    once, twice = once_and_twice(masks)
    return [twice | (once & ~mask) for mask in masks]


def once_and_twice(masks: Iterable[Mask]) -> tuple[Mask, Mask]:
    """Returns what is in one mask at least, and what is in two at least."""
    once = twice = 0
    for mask in masks:
        twice |= once & mask
        once |= mask
    return once, twice
