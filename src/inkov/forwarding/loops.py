"""Loops: rings of links that all carry a VLAN while no tree keeps one of them shut."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from inkov.forwarding.blocks import Block, once_and_twice
from inkov.forwarding.cabling import Link, finder
from inkov.forwarding.network import Network
from inkov.kinds.relay import Mask, View
from inkov.model.names import PortRef
from inkov.model.switch import Kind
from inkov.model.vlanset import FULL_MASK, VlanSet


@dataclass(frozen=True, slots=True)
class Loop:
    """A ring that nothing breaks.

    Attributes:
        links: the links of the rings, all that are joined to each other by a second way.
        vlans: the VLANs that go round in it.
    """

    links: tuple[Link, ...]
    vlans: VlanSet


def loops(network: Network, view: View = View.USUAL) -> Iterator[Loop]:
    """Yields the loops of a network as far as its trees are known. Cost is linear in the links of rings."""
    trees = network.trees if view is View.USUAL else network.sure_trees
    for block in network.needs.blocks:
        if block.ring and not any(trees.doubt(e) for k in block.links for e in (k.a, k.b)):
            carried = {i: _carried(network, k) for i, k in enumerate(block.links)}
            looping = sum(c for c in _classes(carried) if _goes_round(block, carried, c))
            if looping:
                yield Loop(block.links, VlanSet.from_mask(looping))


def perhaps_loops(network: Network) -> Iterator[Loop]:
    """Yields the rings that are loops if the switches run no tree, where it is not stated which tree they run."""
    for block in network.needs.blocks:
        ends = [e for k in block.links for e in (k.a, k.b)]
        unstated = any(network.switches[e.switch].tree.protocol is None for e in ends)
        if block.ring and unstated and any(network.sure_trees.doubt(e) for e in ends):
            carried = {i: _carried(network, k) for i, k in enumerate(block.links)}
            looping = sum(c for c in _classes(carried) if _goes_round(block, carried, c))
            if looping:
                yield Loop(block.links, VlanSet.from_mask(looping))


def _carried(network: Network, link: Link) -> Mask:
    """Returns the VLANs a link carries today; an unmanaged end takes what the other sends."""
    if network.lag_failure(link) or link.doubt:
        return 0
    ends = (link.a, link.b)
    looking = [e for e in ends if network.switches[e.switch].kind is Kind.SWITCH]
    if len(looking) == 2:
        return network.ladder(link).carried.mask
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
    parent = {str(n): str(n) for n in block.nodes}
    find = finder(parent)
    for i, link in enumerate(block.links):
        if carried[i] & some:
            a, b = find(link.a.switch), find(link.b.switch)
            if a == b:
                return True
            parent[a] = b
    return False
