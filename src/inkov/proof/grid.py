"""Who meets whom, segment against segment, as one table: proofs of `apart` in bulk, from shared reachability."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum

from inkov.forwarding.network import Network
from inkov.forwarding.relay import Mask, View
from inkov.proof.stations import Stations, segment_named


class Meets(Enum):
    """How frames of one segment get to another."""

    APART = "apart"
    JOINED = "joined"
    MAYBE = "cannot tell"


@dataclass(frozen=True, slots=True)
class Grid:
    """The relation of all segments.

    Attributes:
        names: the segments, in the order of the campus file.
        heard: for each (sender, listener), whether frames of the one are heard in the other.
        empty: segments without a port, of which nothing can be said.
    """

    names: tuple[str, ...]
    heard: Mapping[tuple[str, str], Meets]
    empty: frozenset[str]


def grid(network: Network, names: list[str] | None = None) -> Grid:
    """Works out the relation of some segments; by default all of the campus file, or else every VLAN with members.

    Cost is one spread a segment in either view, and a comparison a pair.
    """
    if names is None:
        names = list(network.campus.segments) or [str(v) for v in sorted(network.members)]
    stations = {n: Stations(network, segment_named(network, n)) for n in names}
    sure = {n: _spread(network, s, View.MUST) for n, s in stations.items()}
    maybe = {n: _spread(network, s, View.MAY) for n, s in stations.items()}
    heard = {}
    for a in names:
        for b, listeners in stations.items():
            if a != b:
                joined, possible = listeners.heard_in(sure[a]), listeners.heard_in(maybe[a])
                heard[a, b] = Meets.JOINED if joined else Meets.MAYBE if possible else Meets.APART
    return Grid(tuple(names), heard, frozenset(n for n, s in stations.items() if not s))


def _spread(network: Network, stations: Stations, view: View) -> Mapping[str, Mask]:
    return network.graph(view).spread(stations.masks, stations.tagged)
