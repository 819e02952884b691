"""Loops: rings of links that all carry a VLAN while no tree keeps one of them shut."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import reduce
from operator import or_
from typing import Final, NamedTuple

from inkov.forwarding.blocks import Block, blocks, once_and_twice
from inkov.forwarding.cabling import Link, finder
from inkov.forwarding.hop import Hop
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Blocking
from inkov.kinds.accounts import is_stated
from inkov.kinds.relay import Mask, RelayMap, Tags, View
from inkov.kinds.table import is_tunnel
from inkov.model.names import PortRef
from inkov.model.switch import Kind
from inkov.model.vlanset import FULL_MASK, VlanSet, bits

_MOST_TAGS: Final = 2

_MOST_FOLLOWED: Final = 20_000
"""Up to so many VLANs times links of rings, all that links may do is followed; of more, what they usually do."""


class Frame(NamedTuple):
    """A frame inside a device: in a VLAN, or in the one domain of an unmanaged one, with tags inside, come by a link of some number."""

    switch: str
    domain: int
    inner: Tags
    came: int


@dataclass(frozen=True, slots=True)
class Loop:
    """A ring that nothing breaks.

    Attributes:
        links: the links of the rings, all that are joined to each other by a second way.
        at: the VLANs that go round in it, by switch.
        hubs: unmanaged devices are a ring by themselves, so that all goes round that comes to one of them.
    """

    links: tuple[Link, ...]
    at: Mapping[str, Mask]
    hubs: bool = False

    @property
    def vlans(self) -> VlanSet:
        """The VLANs that go round in it anywhere."""
        return VlanSet.from_mask(reduce(or_, self.at.values(), 0))


def loops(network: Network, view: View = View.USUAL) -> Iterator[Loop]:
    """Yields the loops of a network as far as its trees are known. Cost is linear in the links of rings."""
    trees = network.trees if view is View.USUAL else network.sure_trees
    sure = [b for b in _blocks(network) if not any(trees.doubt(e) for k in b.links for e in (k.a, k.b))]
    yield from _loops_of(network, sure, view)


def perhaps_loops(network: Network) -> Iterator[Loop]:
    """Yields what may be loops: where no tree is known to run, by what links may carry."""
    trees = network.sure_trees
    perhaps = []
    for block in _blocks(network):
        ends = [e for k in block.links for e in (k.a, k.b)]
        unstated = any(network.switches[e.switch].tree.protocol is None for e in ends)
        if unstated or not any(trees.doubt(e) for e in ends):  # else a tree runs, whichever it is
            perhaps.append(block)
    links = sum(len(b.links) for b in perhaps if b.ring)
    many = links > 0 and network.heeded(View.MAY).bit_count() * links > _MOST_FOLLOWED
    yield from _loops_of(network, perhaps, View.USUAL if many else View.MAY)


def _loops_of(network: Network, some: Sequence[Block], view: View) -> Iterator[Loop]:
    rings, found = [b for b in some if b.ring], list[Loop]()
    for block in rings:
        hubs = _among_hubs(network, block, view)
        nodes = {e.switch for k in block.links for e in (k.a, k.b)}
        looping = dict.fromkeys(nodes, network.heeded(view)) if hubs else _looping(network, block, view)
        if any(looping.values()):
            found.append(Loop(block.links, looping, hubs))
    yield from found
    if len(rings) > 1:  # frames that change their VLAN may go from ring to ring, and back by another VLAN
        links = [k for b in some for k in b.links]
        starts = [*_where_they_turn(network, links, view)]
        across = _followed(network, links, view, starts) if starts else {}
        new = {n: m for n, m in across.items() if m & ~reduce(or_, (k.at.get(n, 0) for k in found), 0)}
        if new:
            yield Loop(tuple(k for k in links if k.a.switch in new or k.b.switch in new), across)


def _where_they_turn(network: Network, links: Iterable[Link], view: View) -> Iterator[Frame]:
    """Yields frames that are about to change their VLAN on a link, or may in an unmanaged device."""
    for link in links:
        for end, hop in zip((link.a, link.b), _hops(network, link, view), strict=True):
            if network.unmanaged(end.switch):
                yield Frame(end.switch, 0, (), -1)
            elif is_tunnel(network.port(link.a).switching) or is_tunnel(network.port(link.b).switching):
                yield from (Frame(end.switch, d, (), -1) for d in _domains(network, end.switch, view))
            else:
                turned = (
                    reduce(or_, (out for out, _ in hop.leaks), 0)
                    & network.heeded(view)
                    & network.active(end.switch, view)
                )
                yield from (Frame(end.switch, d, (), -1) for d in bits(turned))


def ways_round(network: Network) -> list[Block]:
    """Returns the blocks of links by which frames may go round: those into tunnels, too."""
    return [b for b in _blocks(network) if b.ring]


def _blocks(network: Network) -> list[Block]:
    if not any(is_tunnel(p.switching) for s in network.switches.values() for p in s.ports.values()):
        return network.needs.blocks
    ends = {n for n, s in network.switches.items() if s.kind is Kind.ROUTER}
    links = [k for k in network.links if k.up and ends.isdisjoint((k.a.switch, k.b.switch))]
    return blocks(links, lambda k: (k.a.switch, k.b.switch))


def _among_hubs(network: Network, block: Block, view: View) -> bool:
    """Tells whether unmanaged devices are a ring by themselves."""
    links = [k for k in block.links if network.counts(k, view) and all(network.unmanaged(e.switch) for e in (k.a, k.b))]
    return any(True for _ in _rings((k.a.switch, k.b.switch) for k in links))


def _rings(pairs: Iterable[tuple[str, str]]) -> Iterator[str]:
    """Yields the places from which some pairs of places lead to a ring."""
    parent: dict[str, str] = {}
    find = finder(parent)
    closed = []
    for one, other in pairs:
        a, b = (find(parent.setdefault(n, n)) for n in (one, other))
        if a == b:
            closed.append(a)
        parent[a] = b
    rings = {find(n) for n in closed}
    yield from (n for n in parent if find(n) in rings)


def _looping(network: Network, block: Block, view: View) -> Mapping[str, Mask]:
    """Returns the VLANs whose frames go round in a ring, by switch: they may have other numbers at other places of it."""
    if _untagged_unlike(network, block, view) or any(_turns(network, k, view) for k in block.links):
        names = {e.switch for k in block.links for e in (k.a, k.b)}
        starts = (Frame(name, d, (), -1) for name in names for d in _domains(network, name, view))
        return _followed(network, block.links, view, starts)
    carried = {i: _carried(network, k, view) for i, k in enumerate(block.links)}
    found: dict[str, Mask] = defaultdict(int)
    for some in _classes(carried):
        for name in _rings((k.a.switch, k.b.switch) for i, k in enumerate(block.links) if carried[i] & some):
            found[name] |= some
    return found


def _untagged_unlike(network: Network, block: Block, view: View) -> bool:
    """Tells whether ports before unmanaged devices make different VLANs of frames without a tag, which each of them hears of the others."""
    pairs = [p for k in block.links for p in ((k.a, k.b), (k.b, k.a)) if network.unmanaged(p[1].switch)]
    relays = [network.relay(own, view) for own, _ in pairs if not network.unmanaged(own.switch)]
    return len({(r.in_untagged, r.out_untagged) for r in relays}) > 1


def _turns(network: Network, link: Link, view: View) -> bool:
    """Tells whether frames of one VLAN become those of another at a link, are put into others, or cross it one way alone."""
    ends = (link.a, link.b)
    if any(is_tunnel(network.port(e).switching) for e in ends):
        return True
    if view is View.MAY and not all(is_stated(network.port(e).switching) for e in ends):
        return True  # one of which nothing is known may be a tunnel
    there, back = _hops(network, link, view)
    if any(network.unmanaged(e.switch) for e in ends):
        return (there.origin(-1) ^ back.carry(-1)) & network.heeded(view) != 0
    return bool(there.leaks or back.leaks or (there.kept ^ back.kept) & network.heeded(view))


def _hops(network: Network, link: Link, view: View) -> tuple[Hop, Hop]:
    """Returns what crosses a link each way with today's trees."""
    tree = Blocking.SURE if view is View.MUST else Blocking.KNOWN
    there, back = (network.hop_today(*pair, view, tree) for pair in ((link.a, link.b), (link.b, link.a)))
    return there, back


def _followed(network: Network, links: Sequence[Link], view: View, starts: Iterable[Frame]) -> Mapping[str, Mask]:
    """Returns the VLANs that go round by switch, by following frames from link to link: by way of one VLAN or several, one way round or both."""
    ways: dict[str, list[tuple[int, str, Hop, RelayMap | None]]] = defaultdict(list)
    for n, link in enumerate(links):
        if network.counts(link, view):
            for near, far, hop in zip((link.a, link.b), (link.b, link.a), _hops(network, link, view), strict=True):
                pushes = view is View.MAY and not is_stated(network.port(far).switching)
                ways[near.switch].append((n, far.switch, hop, network.relay(near, view) if pushes else None))
    todo, among = list(starts), network.heeded(view) | 1
    onward: dict[Frame, list[Frame]] = {}
    while todo:
        frame = todo.pop()
        if frame not in onward:
            onward[frame] = [
                Frame(far, domain, inner, n)
                for n, far, hop, near in ways[frame.switch]
                if n != frame.came
                for domain, inner in (
                    *((c.domain, c.inner) for c in hop.cross(frame.domain, frame.inner, among)),
                    *_pushed(near, frame, among),
                )
                if len(inner) <= _MOST_TAGS
            ]
            todo += onward[frame]
    circles = _in_circles(onward)
    into = _leading_to([f for f in circles if f.inner], _turned(onward)) if any(f.inner for f in circles) else ()
    found: dict[str, Mask] = defaultdict(int)
    for frame in (*circles, *(f for f in into if f.came < 0)):  # those that gather tags go round with them
        if not (frame.inner or network.unmanaged(frame.switch)):
            found[frame.switch] |= 1 << frame.domain
    return found


def _pushed(near: RelayMap | None, frame: Frame, among: Mask) -> Iterator[tuple[int, Tags]]:
    """Yields what a far port of which nothing is known may make of a frame as a tunnel: a frame of any VLAN with its tags inside."""
    for tags in near.send(frame.domain, frame.inner) if near is not None else ():
        if tags:
            yield from ((d, tags) for d in bits(among & ~1))


def _leading_to(frames: Iterable[Frame], before: Mapping[Frame, Iterable[Frame]]) -> Collection[Frame]:
    """Returns the frames that become some others on their way."""
    todo = list(frames)
    found = set(todo)
    while todo:
        new = [f for f in before[todo.pop()] if f not in found]
        found.update(new)
        todo += new
    return found


def _in_circles(onward: Mapping[Frame, Collection[Frame]]) -> Collection[Frame]:
    """Returns the frames that come by where they were, and those on the way from one such to another."""
    left = dict(onward)
    for ways in (onward, _turned(onward)):
        before = _turned(ways)
        after = {f: sum(n in left for n in some) for f, some in ways.items() if f in left}
        ends = [f for f, n in after.items() if not n]
        while ends:
            frame = ends.pop()
            del left[frame]
            for one in before.get(frame, ()):
                if one in left:
                    after[one] -= 1
                    if not after[one]:
                        ends.append(one)
    return left


def _turned(onward: Mapping[Frame, Iterable[Frame]]) -> dict[Frame, list[Frame]]:
    found: dict[Frame, list[Frame]] = {f: [] for f in onward}
    for frame, some in onward.items():
        for one in some:
            found[one].append(frame)
    return found


def _domains(network: Network, name: str, view: View) -> Iterable[int]:
    return [0] if network.unmanaged(name) else bits(network.heeded(view) & network.active(name, view))


def _carried(network: Network, link: Link, view: View) -> Mask:
    """Returns the VLANs a link carries today; an unmanaged end takes what the other sends."""
    if not network.counts(link, view):
        return 0
    ends = (link.a, link.b)
    looking = [e for e in ends if network.switches[e.switch].kind is Kind.SWITCH]
    if len(looking) == 2:
        there, back = _hops(network, link, view)
        return there.kept & back.kept & network.heeded(view) if link.up else 0
    return network.heeded(view) & _open(network, looking[0], view) if looking else network.heeded(view)


def _open(network: Network, ref: PortRef, view: View) -> Mask:
    relay, trees = network.relay(ref, view), network.trees if view is View.USUAL else network.sure_trees
    return relay.sends & relay.takes & ~trees.blocks(ref, view) & FULL_MASK


def _classes(carried: Mapping[int, Mask]) -> list[Mask]:
    """Returns the VLANs carried, in classes that every link treats alike."""
    once, _ = once_and_twice(carried.values())
    classes = [once] if once else []
    for split in dict.fromkeys(carried.values()):
        classes = [half for c in classes for half in (c & split, c & ~split) if half]
    return classes
