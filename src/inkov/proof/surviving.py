"""`together` under failures: a segment stays whole when any few cables or switches fail, trees elected anew.

What can only be parted by failing where there is no second way is seen from the cabling; inside rings every
failure is tried. A failed switch takes its own stations with it; they do not count as parted.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from dataclasses import dataclass, replace

from inkov.forwarding.blocks import behind
from inkov.forwarding.needs import Needs
from inkov.forwarding.network import Network
from inkov.model.campus import Campus, Together
from inkov.model.names import PortRef, natural
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved
from inkov.proof.stations import Stations, segment_named
from inkov.proof.together import together


@dataclass(frozen=True, slots=True)
class Failure:
    """A cable, named by its ends, or a switch."""

    ports: tuple[PortRef, ...] = ()
    switch: str = ""

    def __str__(self) -> str:
        return f"switch {self.switch}" if self.switch else f"cable {self.ports[0]} - {self.ports[1]}"


def surviving(network: Network, claim: Together) -> Outcome:
    """Decides `together` under every set of failures up to the claim's size, the smallest first."""
    first = together(network, Stations(network, segment_named(network, claim.segment)))
    if not isinstance(first, Proved):
        return first
    tried: list[int] = [0]
    for size in range(1, claim.surviving + 1):
        broken = _try(network, claim.segment, size, (), tried)
        if broken is not None:
            return broken
    return Proved(
        f"{first.why}, also after any {'failure' if claim.surviving == 1 else f'{claim.surviving} failures'} of a cable or a "
        f"switch: {tried[0]} were tried, each with the trees elected anew, and no cable or switch is the only way"
    )


def _try(network: Network, segment: str, size: int, before: tuple[Failure, ...], tried: list[int]) -> Outcome | None:
    """Tries all sets of failures of one size; None when the segment survives them."""
    for failure in _candidates(network, segment):
        after = Network(_without(network.campus, failure))
        tried[0] += size == 1
        failed = (*before, failure)
        if size > 1:
            broken = _try(after, segment, size - 1, failed, tried)
            if broken is not None:
                return broken
            continue
        outcome = together(after, Stations(after, segment_named(after, segment)))
        if isinstance(outcome, Broken):
            return replace(outcome, failures=tuple(map(str, failed)))
        if isinstance(outcome, CannotTell) and len(_homes(after, segment)) > 1:
            text = " and ".join(map(str, failed))
            return CannotTell(tuple(f"with {text} failed: {fact}" for fact in outcome.missing))
    return None


def _homes(network: Network, segment: str) -> list[str]:
    """Returns the switches with stations of a segment."""
    stations = Stations(network, segment_named(network, segment))
    return sorted({switch for switch, _ in (*stations.senders, *stations.hearers)}, key=natural)


def _candidates(network: Network, segment: str) -> Iterator[Failure]:
    """Yields the failures that might part a segment: cables first, then switches, in natural order.

    Outside the blocks that lie between two of its homes nothing matters.
    """
    needs = Needs(network)
    own: dict[Hashable, int] = dict.fromkeys(_homes(network, segment), 1)
    switches: set[str] = set()
    cables: list[tuple[PortRef, PortRef]] = []
    for block, sides in zip(needs.blocks, behind(needs.blocks, own), strict=True):
        if sum(1 for mask in sides.values() if mask) < 2:
            continue
        for link in block.links:
            cables += [(w.a, w.b) for w in link.wires if network.port(w.a).enabled and network.port(w.b).enabled]
        switches.update(map(str, block.nodes))
    yield from (Failure(ends) for ends in sorted(cables, key=lambda e: (e[0].order, e[1].order)))
    yield from (Failure(switch=n) for n in sorted(switches, key=natural))


def _without(campus: Campus, failure: Failure) -> Campus:
    """Returns a campus in which something has failed: its ports are dead, and what was cabled to them stays cabled."""
    switches = dict(campus.switches)
    dead = failure.ports or [PortRef(failure.switch, p) for p in switches[failure.switch].ports]
    for ref in dead:
        switch = switches[ref.switch]
        port = replace(switch.ports[ref.port], enabled=False)
        switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: port})
    return replace(campus, switches=switches)
