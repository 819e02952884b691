"""What stations reach, in a form that two campuses can be compared by."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass

from inkov.forwarding.islands import Islands
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Blocking
from inkov.kinds.relay import View
from inkov.model.vlanset import NONE, Vid, VlanSet, bits

Pairs = frozenset[tuple[Hashable, Hashable]]


@dataclass(frozen=True, slots=True)
class Change:
    """VLANs whose stations reach each other differently in two campuses.

    Attributes:
        lost: VLANs some station of which no longer reaches another.
        gained: VLANs some station of which now reaches one it did not.
    """

    lost: VlanSet
    gained: VlanSet


def change(before: Network, after: Network, extra: VlanSet = NONE) -> Change:
    """Compares who reaches whom, VLAN by VLAN; where VLANs mix, by following every frame.

    Args:
        before: one campus.
        after: the same with other settings.
        extra: VLANs to look at besides those that have members in either.
    """
    one, other = before.islands, after.islands
    mixed = set(before.needs.mixed) | set(after.needs.mixed)
    lost, gained = set(), set()
    for vid in VlanSet({*before.members, *after.members}) | extra:
        if vid in mixed:
            continue
        was, now = _parts(before, one, vid), _parts(after, other, vid)
        if any(not any(p <= q for q in now) for p in was):
            lost.add(vid)
        if any(not any(q <= p for p in was) for q in now):
            gained.add(vid)
    for vid in mixed:
        was_pairs, now_pairs = _pairs(before, vid), _pairs(after, vid)
        if was_pairs - now_pairs:
            lost.add(vid)
        if now_pairs - was_pairs:
            gained.add(vid)
    return Change(VlanSet(lost), VlanSet(gained))


def _parts(network: Network, islands: Islands, vid: Vid) -> list[frozenset[str]]:
    """Returns the switches with members of a VLAN, those that reach each other together."""
    homes = network.homes(vid).keys()
    if vid not in islands.split:
        return [frozenset(homes)] if homes else []
    return [part & homes for part in islands.inhabited(vid)]


def _pairs(network: Network, vid: Vid) -> Pairs:
    """Returns every (place a frame of a VLAN starts, place with stations that it gets to)."""
    graph = network.graph(View.USUAL, Blocking.KNOWN)
    hearing = dict.fromkeys(network.switches, 0)
    for name, refs in network.station_ports.items():
        for ref in refs:
            hearing[name] |= network.stations(ref)
    found: set[tuple[Hashable, Hashable]] = set()
    for name, mask in hearing.items():
        if mask >> vid & 1:
            for far, reached in graph.spread({name: 1 << vid}).items():
                found |= {(name, (far, d)) for d in bits(reached & hearing.get(far, 0))}
    return frozenset(found)
