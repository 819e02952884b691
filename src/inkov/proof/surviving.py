"""`together` under failures: a segment stays whole when any few cables or switches fail, trees elected anew.

What can only be parted by failing where there is no second way is seen from the cabling; inside rings every
failure is tried. A failed switch takes its own stations with it; they do not count as parted.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Sequence
from dataclasses import dataclass, replace

from inkov.forwarding.blocks import behind, blocks
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.campus import Campus, Together
from inkov.model.names import PortRef, natural
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved
from inkov.proof.stations import Stations, segment_named


@dataclass(frozen=True, slots=True)
class Failure:
    """A cable, named by its ends, or a switch."""

    ports: tuple[PortRef, ...] = ()
    switch: str = ""

    def __str__(self) -> str:
        return f"switch {self.switch}" if self.switch else f"cable {self.ports[0]} - {self.ports[1]}"


def surviving(
    network: Network,
    claim: Together,
    today: Callable[[Network, Together], Outcome],
    late: Callable[[], bool] = lambda: False,
) -> Outcome:
    """Decides `together` under every set of failures up to the claim's size, the smallest first.

    Args:
        network: the campus with its forwarding.
        claim: what to decide.
        today: decides a claim on a network as it is.
        late: tells that there is no more time.
    """
    first = today(network, claim)
    if not isinstance(first, Proved):
        return first
    trial = _Trial(claim, today, late)
    for size in range(1, claim.surviving + 1):
        broken = trial.run(network, size, ())
        if broken is not None:
            return broken
    many = (
        "failure of a cable or switch" if claim.surviving == 1 else f"{claim.surviving} failures of cables and switches"
    )
    tried = (
        f"It holds after any {many}: {trial.tried} were tried, each with new trees. No cable or switch is the only way."
    )
    return Proved((*first.why, tried))


class _Trial:
    """Tries failures; counts those of one cable or switch."""

    def __init__(
        self, claim: Together, today: Callable[[Network, Together], Outcome], late: Callable[[], bool]
    ) -> None:
        self.claim = claim
        self.today = today
        self.late = late
        self.tried = 0

    def run(self, network: Network, size: int, before: tuple[Failure, ...]) -> Outcome | None:
        """Tries all sets of failures of one size; None when the claim survives them."""
        for failure in candidates(network, homes(network, self.claim.segments)):
            if self.late():
                done = f"{self.tried} failures of one cable or switch were tried"
                return CannotTell((f"not decided in time: {done}; a larger --budget may decide it",))
            after = after_failure(network, failure)
            self.tried += size == 1
            failed = (*before, failure)
            broken = self.run(after, size - 1, failed) if size > 1 else self._outcome(after, failed)
            if broken is not None:
                return broken
        return None

    def _outcome(self, after: Network, failed: tuple[Failure, ...]) -> Outcome | None:
        """Decides the claim for what is left of it; None when it holds, or nothing is left that could be parted."""
        left = tuple(n for n in self.claim.segments if stations_on(after, n))
        if not left:
            return None
        outcome = self.today(after, replace(self.claim, segments=left))
        if isinstance(outcome, Broken):
            return replace(outcome, failures=tuple(map(str, failed)))
        if isinstance(outcome, CannotTell) and len(homes(after, self.claim.segments)) > 1:
            text = " and ".join(map(str, failed))
            return CannotTell(tuple(f"with {text} failed: {fact}" for fact in outcome.missing))
        return None


def homes(network: Network, names: Sequence[str]) -> list[str]:
    """Returns the devices that what becomes of some segments hangs on.

    Those with stations; where there are several segments, those that may route between them; and where a tree has a ring
    to open, its roots, because who is root decides where it opens.
    """
    found = {s for n in names for s in stations_on(network, n)}
    if len(names) > 1:
        found |= {s.name for s in network.switches.values() if s.gateways}
    for part in network.sure_trees.parts:
        if part.ring:
            found |= {root for tree in part.trees for root in tree.election.root.values()}
    return sorted(found, key=natural)


def stations_on(network: Network, name: str) -> set[str]:
    """Returns the switches with stations of a segment that are still there."""
    stations = Stations(network, segment_named(network, name), View.MAY)
    return {switch for switch, _ in (*stations.senders, *stations.hearers)}


def candidates(network: Network, homes: list[str]) -> Iterator[Failure]:
    """Yields the failures that might part some devices: cables first, then devices, in natural order.

    Outside the blocks that lie between two of them nothing matters.
    """
    links = [k for k in network.links if k.up]
    parts = blocks(links, lambda k: (k.a.switch, k.b.switch))
    own: dict[Hashable, int] = dict.fromkeys(homes, 1)
    switches: set[str] = set(homes)
    cables: list[tuple[PortRef, PortRef]] = []
    for block, sides in zip(parts, behind(parts, own), strict=True):
        if sum(1 for mask in sides.values() if mask) < 2:
            continue
        for link in block.links:
            cables += [(w.a, w.b) for w in link.wires if network.port(w.a).enabled and network.port(w.b).enabled]
        switches.update(map(str, block.nodes))
    yield from (Failure(ends) for ends in sorted(cables, key=lambda e: (e[0].order, e[1].order)))
    yield from (Failure(switch=n) for n in sorted(switches - network.failed, key=natural))


def after_failure(network: Network, failure: Failure) -> Network:
    """Returns the network in which one more thing has failed."""
    gone = network.failed | {failure.switch} if failure.switch else network.failed
    return Network(without(network.campus, failure), gone, network)


def without(campus: Campus, failure: Failure) -> Campus:
    """Returns a campus in which something has failed: its ports are dead, and what was cabled to them stays cabled."""
    switches = dict(campus.switches)
    dead = failure.ports or [PortRef(failure.switch, p) for p in switches[failure.switch].ports]
    for ref in dead:
        switch = switches[ref.switch]
        port = replace(switch.ports[ref.port], enabled=False)
        switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: port})
    return replace(campus, switches=switches)
