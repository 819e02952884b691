"""Blocks of a network of cables: the parts in which there are two ways, and the cables that are the only one.

A block is a set of links of which any two lie on a common ring (a biconnected component); a link that is
the only way between two places is a block alone. Whatever a spanning tree blocks, it blocks inside blocks,
and for every link of a block there is a tree that uses it and one that does not.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass

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

    Args:
        found: from `blocks`, in its order.
        own: what each place has itself.

    Returns:
        One mapping a block, in the same order.
    """
    below: dict[Hashable, Mask] = dict(own)  # a place with everything that hangs on it, further from the start
    hanging: dict[Hashable, list[int]] = defaultdict(list)
    sums: list[Mask] = []
    for i, block in enumerate(found):
        total = 0
        for node in block.nodes - {block.top}:
            total |= below.get(node, 0)
        below[block.top] = below.get(block.top, 0) | total
        hanging[block.top].append(i)
        sums.append(total)
    among = {top: once_and_twice([sums[j] for j in siblings]) for top, siblings in hanging.items()}
    above: dict[Hashable, Mask] = {}  # what reaches a place from the block that it hangs on
    result: list[dict[Hashable, Mask]] = [{} for _ in found]
    for i in range(len(found) - 1, -1, -1):
        block = found[i]
        once, twice = among[block.top]
        others = twice | (once & ~sums[i])
        sides = {n: below.get(n, 0) for n in block.nodes - {block.top}}
        sides[block.top] = own.get(block.top, 0) | others | above.get(block.top, 0)
        once, twice = once_and_twice(sides.values())
        for node, mask in sides.items():
            if node != block.top:
                above[node] = twice | (once & ~mask)
        result[i] = sides
    return result


def once_and_twice(masks: Iterable[Mask]) -> tuple[Mask, Mask]:
    """Returns what is in one mask at least, and what is in two at least."""
    once = twice = 0
    for mask in masks:
        twice |= once & mask
        once |= mask
    return once, twice
