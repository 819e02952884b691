"""What a change is meant to stop, in the words of claims: it is counted, and no reason not to make the change."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations

from inkov.change.hearing import Shift
from inkov.change.side import Side
from inkov.kinds.relay import View
from inkov.model.campus import Apart, Claim, Together
from inkov.model.names import PortRef
from inkov.model.vlanset import NONE, Vid, VlanSet
from inkov.proof.stations import Stations, segment_named


@dataclass(frozen=True, slots=True)
class MeantRow:
    """What is meant to stop, what comes of it as a claim after the change, and how many pairs of ports no longer hear each other for it."""

    what: str
    after: str
    pairs: int


@dataclass(frozen=True)
class Meant:
    """What a change is meant to stop.

    Attributes:
        before: the campus before it.
        claims: what is to be apart, or no longer together.
    """

    before: Side
    claims: Sequence[Claim] = ()

    @cached_property
    def _sides(self) -> list[tuple[frozenset[PortRef], frozenset[PortRef]]]:
        return [side for claim in self.claims for side in self._sides_of(claim)]

    def _sides_of(self, claim: Claim) -> list[tuple[frozenset[PortRef], frozenset[PortRef]]]:
        pairs = claim.pairs if isinstance(claim, Apart) else list(combinations(claim.segments, 2))
        pairs = pairs or [(name, name) for name in claim.segments]
        return [(self._ports(a), self._ports(b)) for a, b in pairs]

    def _stations(self, name: str) -> Stations:
        return Stations(self.before.followed, segment_named(self.before.followed, name), View.MAY)

    def _ports(self, name: str) -> frozenset[PortRef]:
        return self._stations(name).ports

    @cached_property
    def _vlans(self) -> VlanSet:
        names = {n for claim in self.claims for n in claim.segments}
        return VlanSet(v for n in names for v in self._stations(n).vlans)

    def parts(self, a: PortRef, b: PortRef) -> bool:
        """Tells whether two ports are meant to lose each other."""
        return any((a in one and b in other) or (a in other and b in one) for one, other in self._sides)

    def ends(self, vids: Iterable[Vid]) -> bool:
        """Tells whether what stops is of VLANs that are meant alone."""
        some = VlanSet(vids)
        return bool(some) and some <= (self._vlans if self.claims else NONE)

    def breaks(self, claim: Claim) -> bool:
        """Tells whether a claim is meant to hold no longer: it is named, or what it wants together is meant to be apart."""
        if any(claim.name == c.name for c in self.claims):
            return True
        wanted = [{*pair} for pair in combinations(claim.segments, 2)] if isinstance(claim, Together) else []
        apart = [{*pair} for c in self.claims if isinstance(c, Apart) for pair in c.pairs]
        return any(pair in apart for pair in wanted)

    def rows(self, after: Side, moves: Sequence[Shift]) -> tuple[MeantRow, ...]:
        """Returns what is meant, with what comes of it."""
        return tuple(MeantRow(claim.name, after.word(claim), self._count(claim, moves)) for claim in self.claims)

    def _count(self, claim: Claim, moves: Sequence[Shift]) -> int:
        found: set[frozenset[PortRef]] = set()
        for one, other in self._sides_of(claim):
            for ref, lost in ((r, m.lost) for m in moves for r in m.refs):
                theirs = other if ref in one else one if ref in other else frozenset()
                found |= {frozenset({ref, far}) for far in lost & theirs if far != ref}
        return len(found)
