"""What crosses a link in one direction: for all relay domains at once, or for one frame with all its tags."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

from inkov.kinds.relay import NOTHING, Domain, Mask, RelayMap, Tags
from inkov.model.vlanset import bits


class Bundle(NamedTuple):
    """Frames of every domain of `out` may arrive in every domain of `into`."""

    out: Mask
    into: Mask


class Crossing(NamedTuple):
    """One frame that crossed: the domain it arrived in, tags left inside it, tags it had on the wire.

    `wire` is None where a device that is not described stands in the way.
    """

    domain: Domain
    inner: Tags
    wire: Tags | None


_WIDE = 8


@dataclass(frozen=True, slots=True)
class Hop:
    """The domains of the near switch and where their frames arrive at the far one.

    Attributes:
        same: domains that leave tagged and arrive in the domain of their own number.
        bundles: everything else; for most links the native VLANs only.
        near: the near port's map.
        far: the far port's map.
        blind: an end is a device that is not described; only `bundles` count.
        stacks: tags may stay inside frames, so that a frame is more than its domain.
    """

    same: Mask
    bundles: tuple[Bundle, ...]
    near: RelayMap = NOTHING
    far: RelayMap = NOTHING
    blind: bool = False
    stacks: bool = False

    @classmethod
    def between(cls, near: RelayMap, far: RelayMap) -> Hop:
        """Joins two ports by a cable. What the far end does not recognise as a tag is to it an untagged frame."""
        bundles = [Bundle(near.out_untagged, far.in_untagged)]
        common = tuple(f for f in near.formats if f in far.formats)
        shared = bool(common)
        if len(common) < len(near.formats) and shared and not near.unsure:
            near = replace(near, formats=common)  # it sends the tags that its far end asks for
        foreign = near.unsure or far.unsure or not shared
        same = near.out_tagged & far.in_tagged if shared else 0
        if shared and (near.out_mapped or far.in_mapped):
            bundles += _translated(near, far)
        if foreign or far.keeps:
            bundles.append(Bundle(near.sends_tagged, far.in_untagged))
        stacks = near.keeps or far.keeps or bool(foreign and near.sends_tagged and far.in_untagged)
        return cls(same, tuple(b for b in bundles if b.out and b.into), near, far, stacks=stacks)

    @classmethod
    def through_unknown(cls, out: Mask, into: Mask) -> Hop:
        """Joins a port and a device that is not described: any frame may arrive anywhere."""
        return cls(0, (Bundle(out, into),) if out and into else (), blind=True)

    @property
    def wide(self) -> bool:
        """One frame may get into more domains by it than a few, so that those that no port tells apart are followed as one."""
        return any(into.bit_count() > _WIDE for _, into in self.bundles) or self.far.in_untagged.bit_count() > _WIDE

    def carry(self, domains: Mask) -> Mask:
        """Returns the far domains that untagged or singly tagged frames of a set of near domains reach."""
        reached = domains & self.same
        for out, into in self.bundles:
            if domains & out:
                reached |= into
        return reached

    def carry_any(self, domains: Mask) -> Mask:
        """Returns the far domains that frames reach which may hold any tags inside, so that untagged they show any."""
        reached = self.carry(domains)
        if not self.blind and domains & self.near.out_untagged:
            reached |= self.far.takes
        return reached

    def origin(self, domains: Mask) -> Mask:
        """Returns the near domains from which `carry_any` reaches any of some far ones."""
        found = domains & self.same
        for out, into in self.bundles:
            if domains & into:
                found |= out
        if not self.blind and domains & self.far.takes:
            found |= self.near.out_untagged
        return found

    @property
    def kept(self) -> Mask:
        """Domains whose frames arrive in the domain of the same number."""
        kept = self.same
        for out, into in self.bundles:
            kept |= out & into
        return kept

    @property
    def leaks(self) -> tuple[Bundle, ...]:
        """The bundles through which frames change their domain."""
        return tuple(b for b in self.bundles if b.out != b.into or b.out.bit_count() > 1)

    def cross(self, domain: Domain, inner: Tags = (), among: Mask = -1) -> Iterator[Crossing]:
        """Yields where one frame arrives, of some domains; an untagged departure shows the tags that were inside."""
        if self.blind:
            for out, into in self.bundles:
                if out >> domain & 1:
                    yield from (Crossing(d, (), None) for d in bits(into & among))
            return
        for wire in self.near.send(domain, inner):
            for arrived, rest in self.far.accept(wire, among):
                yield Crossing(arrived, rest, wire)


def _translated(near: RelayMap, far: RelayMap) -> Iterator[Bundle]:
    """Yields what crosses by a tag that does not stand for the same domain at both ends."""
    wires = dict.fromkeys([t for _, t in near.out_mapped] + [t for t, _ in far.in_mapped])
    for tag in wires:
        out = near.out_tagged & 1 << tag
        for d, t in near.out_mapped:
            out |= 1 << d if t == tag else 0
        into = far.in_tagged & 1 << tag
        for t, d in far.in_mapped:
            into |= 1 << d if t == tag else 0
        yield Bundle(out, into)
