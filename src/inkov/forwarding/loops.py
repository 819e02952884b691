"""Loops: rings of links that all carry a VLAN while no tree keeps one of them shut."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Final, NamedTuple

from inkov.forwarding.blocks import Block, blocks, once_and_twice
from inkov.forwarding.cabling import Link, finder
from inkov.forwarding.hop import Hop
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Blocking
from inkov.kinds.relay import Mask, Tags, View
from inkov.kinds.table import is_tunnel
from inkov.model.names import PortRef
from inkov.model.switch import Kind
from inkov.model.vlanset import FULL_MASK, VlanSet, bits

_MOST_TAGS: Final = 2


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
        vlans: the VLANs that go round in it.
        hubs: unmanaged devices are a ring by themselves, so that all goes round that comes to one of them.
    """

    links: tuple[Link, ...]
    vlans: VlanSet
    hubs: bool = False


def loops(network: Network, view: View = View.USUAL) -> Iterator[Loop]:
    """Yields the loops of a network as far as its trees are known. Cost is linear in the links of rings."""
    trees = network.trees if view is View.USUAL else network.sure_trees
    for block in _blocks(network):
        if block.ring and not any(trees.doubt(e) for k in block.links for e in (k.a, k.b)):
            hubs = _among_hubs(network, block)
            looping = network.used if hubs else _looping(network, block, Blocking.SURE)
            if looping:
                yield Loop(block.links, VlanSet.from_mask(looping), hubs)


def perhaps_loops(network: Network) -> Iterator[Loop]:
    """Yields the rings that are loops if the switches run no tree, where it is not stated which tree they run."""
    for block in _blocks(network):
        ends = [e for k in block.links for e in (k.a, k.b)]
        unstated = any(network.switches[e.switch].tree.protocol is None for e in ends)
        if block.ring and unstated and any(network.sure_trees.doubt(e) for e in ends):
            hubs = _among_hubs(network, block)
            looping = network.used if hubs else _looping(network, block, Blocking.KNOWN)
            if looping:
                yield Loop(block.links, VlanSet.from_mask(looping), hubs)


def _blocks(network: Network) -> list[Block]:
    """Returns the blocks of the links by which frames may go round: those into tunnels, too."""
    if not any(is_tunnel(p.switching) for s in network.switches.values() for p in s.ports.values()):
        return network.needs.blocks
    ends = {n for n, s in network.switches.items() if s.kind is Kind.ROUTER}
    links = [k for k in network.links if k.up and ends.isdisjoint((k.a.switch, k.b.switch))]
    return blocks(links, lambda k: (k.a.switch, k.b.switch))


def _among_hubs(network: Network, block: Block) -> bool:
    """Tells whether unmanaged devices are a ring by themselves."""
    links = [k for k in block.links if all(network.unmanaged(e.switch) for e in (k.a, k.b))]
    return _closes((k.a.switch, k.b.switch) for k in links)


def _closes(pairs: Iterable[tuple[str, str]]) -> bool:
    """Tells whether some pairs of places join any two in more than one way."""
    parent: dict[str, str] = {}
    find = finder(parent)
    for one, other in pairs:
        a, b = (find(parent.setdefault(n, n)) for n in (one, other))
        if a == b:
            return True
        parent[a] = b
    return False


def _looping(network: Network, block: Block, tree: Blocking) -> Mask:
    """Returns the VLANs whose frames go round in a ring, whatever numbers they have at other places of it."""
    if any(_turns(network, k, tree) for k in block.links):
        return _followed(network, block, tree)
    carried = {i: _carried(network, k, tree) for i, k in enumerate(block.links)}
    return sum(c for c in _classes(carried) if _goes_round(block, carried, c))


def _turns(network: Network, link: Link, tree: Blocking) -> bool:
    """Tells whether frames of one VLAN become those of another at a link, are put into others, or cross it one way alone."""
    ends = (link.a, link.b)
    if any(is_tunnel(network.port(e).switching) for e in ends):
        return True
    there, back = _hops(network, link, tree)
    if any(network.unmanaged(e.switch) for e in ends):
        return (there.origin(-1) ^ back.carry(-1)) & network.used != 0
    return bool(there.leaks or back.leaks or (there.kept ^ back.kept) & network.used)


def _hops(network: Network, link: Link, tree: Blocking) -> tuple[Hop, Hop]:
    """Returns what crosses a link each way with today's trees."""
    there, back = (network.hop_today(*pair, View.USUAL, tree) for pair in ((link.a, link.b), (link.b, link.a)))
    return there, back


def _followed(network: Network, block: Block, tree: Blocking) -> Mask:
    """Returns the VLANs that go round, by following frames from link to link: by way of one VLAN or several, one way round or both."""
    ways: dict[str, list[tuple[int, str, Hop]]] = defaultdict(list)
    for n, link in enumerate(block.links):
        if not (network.lag_failure(link) or link.doubt):
            there, back = _hops(network, link, tree)
            ways[link.a.switch].append((n, link.b.switch, there))
            ways[link.b.switch].append((n, link.a.switch, back))
    todo = [Frame(name, d, (), -1) for name in ways for d in _domains(network, name)]
    onward: dict[Frame, list[Frame]] = {}
    while todo:
        frame = todo.pop()
        if frame not in onward:
            onward[frame] = [
                Frame(far, crossed.domain, crossed.inner, n)
                for n, far, hop in ways[frame.switch]
                if n != frame.came
                for crossed in hop.cross(frame.domain, frame.inner)
                if len(crossed.inner) <= _MOST_TAGS
            ]
            todo += onward[frame]
    vids = {f.domain for f in _in_circles(onward) if not network.unmanaged(f.switch)}
    return sum(1 << v for v in vids)


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


def _domains(network: Network, name: str) -> Iterable[int]:
    return [0] if network.unmanaged(name) else bits(network.used & network.active(name))


def _carried(network: Network, link: Link, tree: Blocking) -> Mask:
    """Returns the VLANs a link carries today; an unmanaged end takes what the other sends."""
    if network.lag_failure(link) or link.doubt:
        return 0
    ends = (link.a, link.b)
    looking = [e for e in ends if network.switches[e.switch].kind is Kind.SWITCH]
    if len(looking) == 2:
        there, back = _hops(network, link, tree)
        return there.kept & back.kept & network.used if link.up else 0
    return network.used & _open(network, looking[0]) if looking else network.used


def _open(network: Network, ref: PortRef) -> Mask:
    relay = network.relay(ref, View.USUAL)
    return relay.sends & relay.takes & ~network.trees.blocks(ref) & FULL_MASK


def _classes(carried: Mapping[int, Mask]) -> list[Mask]:
    """Returns the VLANs carried, in classes that every link treats alike."""
    once, _ = once_and_twice(carried.values())
    classes = [once] if once else []
    for split in dict.fromkeys(carried.values()):
        classes = [half for c in classes for half in (c & split, c & ~split) if half]
    return classes


def _goes_round(block: Block, carried: Mapping[int, Mask], some: Mask) -> bool:
    return _closes((k.a.switch, k.b.switch) for i, k in enumerate(block.links) if carried[i] & some)
