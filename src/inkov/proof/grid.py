"""Who meets whom, segment against segment, as one table: proofs of `apart` in bulk, from shared reachability."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum
from itertools import permutations

from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.proof.outcome import Turn
from inkov.proof.prove import Prover


class Meets(Enum):
    """How frames or packets of one segment get to another."""

    APART = "apart"
    JOINED = "joined"
    ROUTED = "routed"
    MAYBE = "cannot tell"


@dataclass(frozen=True, slots=True)
class Grid:
    """The relation of all segments.

    Attributes:
        names: the segments, in the order of the campus file.
        heard: for each (sender, listener), how the one is heard in the other.
        through: for each pair that is routed, the devices on the way.
        empty: segments without a port, of which nothing can be said.
    """

    names: tuple[str, ...]
    heard: Mapping[tuple[str, str], Meets]
    through: Mapping[tuple[str, str], tuple[str, ...]]
    empty: frozenset[str]


def grid(network: Network, names: list[str] | None = None) -> Grid:
    """Works out the relation of some segments; by default all of the campus file, or else every VLAN with members.

    Cost is one spread a segment in either view and a comparison a pair; and where gateways hear both, a search a pair.
    """
    if names is None:
        names = list(network.campus.segments) or [str(v) for v in sorted(network.members)]
    prover = Prover(network)
    heard: dict[tuple[str, str], Meets] = {}
    through: dict[tuple[str, str], tuple[str, ...]] = {}
    for a, b in permutations(names, 2):
        if prover.hears(b, a, View.MUST):
            heard[a, b] = Meets.JOINED
            continue
        routed = prover.layer3.way(prover.side(a)[0], prover.side(b)[1])
        if routed is not None and not routed.unknown:
            heard[a, b] = Meets.ROUTED
            through[a, b] = tuple(dict.fromkeys(s.device for s in routed.way if isinstance(s, Turn)))
        else:
            heard[a, b] = Meets.MAYBE if routed or prover.hears(b, a) else Meets.APART
    return Grid(
        tuple(names),
        heard,
        through,
        frozenset(n for n in names if not (s := prover.stations(n, View.MAY)) and not s.empty),
    )
