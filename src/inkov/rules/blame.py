"""What breaks the claims of a campus: where the way that breaks one changes its VLAN, the gateways it goes by, or where it stops."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Final, NamedTuple

from inkov.forwarding.network import Network
from inkov.model.campus import Claim, Together
from inkov.proof.outcome import Broken, Passage, Turn
from inkov.proof.prove import Prover

_MOST_DECIDED: Final = 50
"""Up to so many claims are decided to find what breaks them; of more, finding by finding what it joins and cuts tells."""


class Blamed(NamedTuple):
    """The claims of a campus that are broken.

    Attributes:
        claims: them, in the order of the campus file.
        places: their names by what breaks them: a switch with a port of it, one of its VLANs, or a gateway's VLAN.
    """

    claims: tuple[Claim, ...] = ()
    places: Mapping[tuple[str, str], Collection[str]] = {}


def blamed(network: Network) -> Blamed:
    """Decides the claims of a campus, and finds what breaks those that are broken."""
    claims, broken = network.campus.claims, list[Claim]()
    found: dict[tuple[str, str], set[str]] = defaultdict(set)
    if len(claims) > _MOST_DECIDED:
        return Blamed()
    prover = Prover(network)
    for claim in claims:
        plain = replace(claim, surviving=0) if isinstance(claim, Together) else claim
        try:
            outcome = prover.decide(plain)
        except LookupError:  # it names what is not here
            continue
        if isinstance(outcome, Broken):
            broken.append(claim)
            for place in _places(outcome):
                found[place].add(claim.name)
    return Blamed(tuple(broken), found)


def _places(outcome: Broken) -> Iterator[tuple[str, str]]:
    for witness in outcome.witnesses:
        yield from _on_the_way(witness.way)
    if (stop := outcome.stop) is None:
        return
    if stop.lost is not None:
        yield from ((stop.lost.end.switch, str(v)) for v in stop.lost.vlans)
        yield from (tuple(end.partition(":")[::2]) for end in stop.link.split(" <-> "))  # type: ignore[misc]
    else:
        yield from ((ref.switch, ref.port) for ref in stop.blames or (stop.sender, stop.hearer))


def _on_the_way(way: Sequence[Passage | Turn]) -> Iterator[tuple[str, str]]:
    """Yields where a frame changes its VLAN, and by which gateways a packet goes; its ends where nothing of that happens."""
    none = True
    for here, there in pairwise(way):
        if isinstance(there, Turn):
            none = False
            gateways = [g for g in (there.into, there.out) if g is not None]
            yield from ((there.device, g.port or str(g.vid)) for g in gateways)
        elif isinstance(here, Passage) and here.domain != there.domain:
            none = False
            yield from ((ref.switch, ref.port) for ref in (here.out, there.by) if ref is not None)
    first, last = way[0], way[-1]
    if none and isinstance(first, Passage) and isinstance(last, Passage):
        yield from ((ref.switch, ref.port) for ref in (first.by, last.out) if ref is not None)
