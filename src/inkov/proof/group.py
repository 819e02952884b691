"""A segment of a `together` claim in both views: who surely belongs to it, who may, and who hears what got how far."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property

from inkov.kinds.relay import Mask, View
from inkov.model.names import PortRef
from inkov.proof.stations import Place, Stations


class Group:
    """The stations of a segment.

    Attributes:
        name: the segment's.
        must: those that surely belong to it, in what their ports surely do.
        may: those that may, in all that their ports could do.
    """

    def __init__(self, stations: Callable[[str, View], Stations], name: str) -> None:
        self.name = name
        self.must = stations(name, View.MUST)
        self.may = stations(name, View.MAY)

    @cached_property
    def _sure(self) -> dict[PortRef, set[Place]]:
        return _places(self.must.hearers)

    @cached_property
    def _maybe(self) -> dict[PortRef, set[Place]]:
        return _places(self.may.hearers)

    @property
    def all_hear(self) -> bool:
        """Every port surely hears something; one that only sends, as ports with sets of their own may, does not."""
        return self.may.ports <= self._sure.keys()

    def hears_anything(self, ref: PortRef) -> bool:
        """Tells whether a port may hear some station of the segment, wherever that is."""
        return ref in self._maybe

    def may_hear_at(self, ref: PortRef) -> set[Place]:
        """Returns where frames are that a port may hear."""
        return self._maybe.get(ref, set())

    @cached_property
    def settling(self) -> set[PortRef]:
        """Ports that may be in one of several VLANs of the segment, or in none; one that is set to be in one is no such.

        Nor is one that may hear and not send.
        """
        if self.may.segment.ports is not None:
            return set()
        some = self._maybe.keys() - self._sure.keys() - self.may.named
        return {ref for ref in some if not self.may.of_any_kind(ref)}

    def deaf(self, senders: list[PortRef], reached: Mapping[str, Mask]) -> PortRef | None:
        """Returns the first port, other than a lone sender, that might hear nothing of what surely got so far."""
        only = senders[0] if len(senders) == 1 else None
        deaf = (ref for ref in self.may.ports if ref != only and not self._hears(ref, reached))
        return min(deaf, key=lambda r: r.order, default=None)

    def _hears(self, ref: PortRef, reached: Mapping[str, Mask]) -> bool:
        """Tells whether a port surely hears: in a place it surely hears, or in every place that it may be in.

        One that surely belongs to the segment, and of which it is not known whether it hears, may hear nothing.
        """
        if any(_in(reached, place) for place in self._sure.get(ref, ())):
            return True
        if ref in self.must.ports:
            return False
        places = self._maybe.get(ref, set())
        return bool(places) and all(_in(reached, place) for place in places)

    def surely_deaf(self, place: Place, reached: Mapping[str, Mask]) -> PortRef | None:
        """Returns the first port that surely belongs to the segment, and to which nothing of a sure sender may have got."""
        sure = self.must.senders.get(place, ())
        if not sure:
            return None
        return self.surely_deaf_to(reached, sure[0] if len(sure) == 1 else None)

    def surely_deaf_to(self, reached: Mapping[str, Mask], but: PortRef | None = None) -> PortRef | None:
        """Returns the first port, other than one, that surely belongs to the segment and hears nothing of what got so far."""
        deaf = (r for r in self.must.ports if r != but and not any(_in(reached, at) for at in self._maybe.get(r, ())))
        return min(deaf, key=lambda r: r.order, default=None)


def _places(hearers: Mapping[Place, list[PortRef]]) -> dict[PortRef, set[Place]]:
    found: dict[PortRef, set[Place]] = {}
    for place, refs in hearers.items():
        for ref in refs:
            found.setdefault(ref, set()).add(place)
    return found


def _in(reached: Mapping[str, Mask], place: Place) -> bool:
    return bool(reached.get(place[0], 0) >> place[1] & 1)
