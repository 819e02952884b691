"""Relay maps: what a port does with frames, in one form for every kind of port.

Inside a switch a frame is always in exactly one relay domain, here numbered like its VLAN. A port is fully
described by which domain an arriving frame enters and how a frame of each domain leaves (IEEE 802.1Q-2022,
6.9 and 8.6.1 to 8.6.4).

A map holds sets, not single values, so that the same type serves every view of what is not stated: in *may* a set has
what any reading of it passes, in *must* what all of them do.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import Enum
from typing import Final, TypeAlias

from inkov.model.vlanset import Vid, bits

Mask: TypeAlias = int
"""A set of relay domains: bit *d* stands for domain *d*."""

Domain: TypeAlias = int

Tag: TypeAlias = int
"""A tag on the wire: its VID, and above the lowest twelve bits the number of its format; 0 is that of IEEE 802.1Q."""

Tags: TypeAlias = tuple[Tag, ...]
"""The tags on a frame, outermost first."""

_VID_BITS: Final = 12


class View(Enum):
    """How what is not stated is read.

    *Must* has what passes in every campus that agrees with what is stated, *may* what passes in any; proofs take these
    two. *Usual* has what passes where platforms do as most do; tables and rules take that.
    """

    MUST = "must"
    USUAL = "usual"
    MAY = "may"

    __hash__ = object.__hash__  # it is in the key of all that is kept, and an enum's own is a call of Python


def vid_of(tag: Tag) -> Vid:
    """Returns the VID of a tag."""
    return tag & (1 << _VID_BITS) - 1


def format_of(tag: Tag) -> int:
    """Returns the number of a tag's format."""
    return tag >> _VID_BITS


def tag_of(vid: Vid, format_number: int) -> Tag:
    """Returns a tag of a format."""
    return vid | format_number << _VID_BITS


@dataclass(frozen=True, slots=True)
class RelayMap:
    """What one port does with frames.

    A tag is bytes: the port recognises tags of its own format only, and a frame with any other tag is to it an untagged
    frame with payload.

    Attributes:
        in_untagged: domains an untagged or priority-tagged frame may enter; empty means it is dropped.
        in_tagged: VIDs that are accepted, each into the domain of its number.
        out_untagged: domains whose frames leave untagged.
        out_tagged: domains whose frames leave with the tag of their number.
        in_mapped: (VID, domain) for tags that lead into the domain of another number.
        out_mapped: (domain, VID) for domains that leave with another number's tag.
        keeps: frames whose tag leads nowhere enter like untagged ones, with their tags kept inside.
        swallows: VIDs that lead nowhere all the same: their subinterface takes them, and passes them on to nobody.
        formats: the formats of tags it may send and recognise; one, unless that is left to negotiation.
        unsure: it recognises one of `formats` only, and which is not known.
    """

    in_untagged: Mask = 0
    in_tagged: Mask = 0
    out_untagged: Mask = 0
    out_tagged: Mask = 0
    in_mapped: tuple[tuple[Vid, Domain], ...] = ()
    out_mapped: tuple[tuple[Domain, Vid], ...] = ()
    keeps: bool = False
    swallows: Mask = 0
    formats: tuple[int, ...] = (0,)
    unsure: bool = False

    def accept(self, tags: Tags, among: Mask = -1) -> list[tuple[Domain, Tags]]:
        """Returns the domains a frame may enter, each with the tags left inside; empty when it is dropped.

        Args:
            tags: on the frame, outermost first.
            among: those domains alone that are looked for.
        """
        payload = [(d, tags) for d in bits(self.in_untagged & among)]
        if not tags:
            return payload
        outer, inner = tags[0], tags[1:]
        if format_of(outer) not in self.formats:
            return payload
        vid = vid_of(outer)
        if self._leads(vid):
            found = [(d, inner) for d in self._entered(vid, among)]
        else:
            found = payload if self.keeps and not self.swallows >> vid & 1 else []
        return [*found, *payload] if self.unsure else found

    def _leads(self, vid: Vid) -> bool:
        """Tells whether a tag leads somewhere: it is a priority tag, or names a VLAN that the port takes."""
        return vid == 0 or bool(self.in_tagged >> vid & 1) or any(t == vid for t, _ in self.in_mapped)

    def _entered(self, vid: Vid, among: Mask) -> Iterator[Domain]:
        if vid == 0:
            yield from bits(self.in_untagged & among)
            return
        own = self.in_tagged & among & 1 << vid
        yield from bits(own | _union(d for t, d in self.in_mapped if t == vid) & among)

    def send(self, domain: Domain, inner: Tags = ()) -> list[Tags]:
        """Returns the tags a frame of a domain may leave with; empty when it does not leave here."""
        sent: list[Tags] = [inner] if self.out_untagged >> domain & 1 else []
        vids = [t for d, t in self.out_mapped if d == domain]
        if self.out_tagged >> domain & 1:
            vids.insert(0, domain)
        return sent + [(tag_of(v, f), *inner) for v in vids for f in self.formats]

    @property
    def sets(self) -> Iterator[Mask]:
        """The sets of domains and of VIDs that the port treats alike: those of one, and in no other, are all one to it."""
        yield from (self.in_untagged, self.in_tagged, self.out_untagged, self.out_tagged, self.swallows)
        yield from (1 << one for pair in (*self.in_mapped, *self.out_mapped) for one in pair)

    @property
    def sends(self) -> Mask:
        """Domains that leave here at all."""
        return self.out_untagged | self.sends_tagged

    @property
    def sends_tagged(self) -> Mask:
        """Domains that leave here with a tag."""
        return self.out_tagged | _union(d for d, _ in self.out_mapped)

    @property
    def takes(self) -> Mask:
        """Domains that frames may enter here."""
        return self.in_untagged | self.takes_tagged

    @property
    def takes_tagged(self) -> Mask:
        """Domains that tagged frames enter by their tag."""
        return self.in_tagged | _union(d for _, d in self.in_mapped)

    @property
    def unanswered(self) -> Mask:
        """Domains that leave here with a tag by which no frame enters."""
        pairs = [*((d, d) for d in bits(self.out_tagged & ~self.in_tagged)), *self.out_mapped]
        return _union(d for d, vid in pairs if not any(self.accept((tag_of(vid, f),)) for f in self.formats))

    def limited(self, out: Mask, into: Mask) -> RelayMap:
        """Returns what is left where only some domains leave and only some are entered; -1 stands for all."""
        return replace(
            self,
            in_untagged=self.in_untagged & into,
            in_tagged=self.in_tagged & into,
            out_untagged=self.out_untagged & out,
            out_tagged=self.out_tagged & out,
            in_mapped=tuple((t, d) for t, d in self.in_mapped if into >> d & 1),
            out_mapped=tuple((d, t) for d, t in self.out_mapped if out >> d & 1),
        )

    def untagged_of(self, formats: tuple[int, ...]) -> RelayMap:
        """Returns what it surely does where it recognises tags of one of some formats, and which is not known.

        No tag of any of them surely leads somewhere, nor is surely no tag.
        """
        return RelayMap(self.in_untagged, out_untagged=self.out_untagged, formats=formats)

    def __or__(self, other: RelayMap) -> RelayMap:
        """Returns what either map does: for a port that could be one or the other, in *may*."""
        return RelayMap(
            self.in_untagged | other.in_untagged,
            self.in_tagged | other.in_tagged,
            self.out_untagged | other.out_untagged,
            self.out_tagged | other.out_tagged,
            tuple(dict.fromkeys(self.in_mapped + other.in_mapped)),
            tuple(dict.fromkeys(self.out_mapped + other.out_mapped)),
            self.keeps or other.keeps,
            self.swallows & other.swallows,
            tuple(dict.fromkeys(self.formats + other.formats)),
            self.unsure or other.unsure or self.formats != other.formats,
        )

    def __and__(self, other: RelayMap) -> RelayMap:
        """Returns what both maps do: for a port that could be one or the other, in *must*."""
        if set(self.formats) != set(other.formats):
            formats = tuple(dict.fromkeys(self.formats + other.formats))
            return self.untagged_of(formats) & other.untagged_of(formats)
        return RelayMap(
            self.in_untagged & other.in_untagged,
            self.in_tagged & other.in_tagged,
            self.out_untagged & other.out_untagged,
            self.out_tagged & other.out_tagged,
            tuple(p for p in self.in_mapped if p in other.in_mapped),
            tuple(p for p in self.out_mapped if p in other.out_mapped),
            self.keeps and other.keeps,
            self.swallows | other.swallows,
            self.formats,
        )


def _union(domains: Iterator[Domain]) -> Mask:
    made = 0
    for d in domains:
        made |= 1 << d
    return made


AS_IT_IS: Final[Mask] = 1
"""The one domain of an unmanaged device: number 0, which is no VLAN."""

NOTHING: Final = RelayMap()
