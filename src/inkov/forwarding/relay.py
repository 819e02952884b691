"""Relay maps: what a port does with frames, in one form for every kind of port.

Inside a switch a frame is always in exactly one relay domain, here numbered like its VLAN. A port is fully
described by which domain an arriving frame enters and how a frame of each domain leaves (IEEE 802.1Q-2022,
6.9 and 8.6.1 to 8.6.4). Every kind of port compiles to a `RelayMap`; nothing else in Inkov knows kinds.

A map holds sets, not single values, so that the same type serves both views: in `must` a set has what
surely happens, in `may` all that could.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import TypeAlias, assert_never

from inkov.model.switch import Access, Port, Routed, Switching, Trunk, Unstated
from inkov.model.vlanset import bits

Mask: TypeAlias = int
"""A set of relay domains: bit *d* stands for domain *d*."""

Domain: TypeAlias = int

Tags: TypeAlias = tuple[int, ...]
"""The VIDs on a frame, outermost first."""


class View(Enum):
    """Which facts count: what surely passes, or everything that could."""

    MUST = "must"
    MAY = "may"


@dataclass(frozen=True, slots=True)
class RelayMap:
    """What one port does with frames.

    Attributes:
        in_untagged: domains an untagged or priority-tagged frame may enter; empty means it is dropped.
        in_tagged: tags that are accepted, each into the domain of its number.
        out_untagged: domains whose frames leave untagged.
        out_tagged: domains whose frames leave with the tag of their number.
    """

    in_untagged: Mask = 0
    in_tagged: Mask = 0
    out_untagged: Mask = 0
    out_tagged: Mask = 0

    def accept(self, tags: Tags) -> list[tuple[Domain, Tags]]:
        """Returns the domains a frame may enter, each with the tags left inside; empty when it is dropped."""
        if not tags:
            return [(d, ()) for d in bits(self.in_untagged)]
        outer, inner = tags[0], tags[1:]
        if outer == 0:
            return [(d, inner) for d in bits(self.in_untagged)]
        return [(outer, inner)] if self.in_tagged >> outer & 1 else []

    def send(self, domain: Domain, inner: Tags = ()) -> list[Tags]:
        """Returns the tags a frame of a domain may leave with; empty when it does not leave here."""
        sent: list[Tags] = []
        if self.out_untagged >> domain & 1:
            sent.append(inner)
        if self.out_tagged >> domain & 1:
            sent.append((domain, *inner))
        return sent


NOTHING = RelayMap()


def relay_map(port: Port, active: Mask, view: View) -> RelayMap:
    """Compiles a port or LAG.

    Args:
        port: the port; a member of a LAG compiles like any other, its LAG is what frames pass.
        active: VLANs defined and active on its switch, in this view.
        view: which facts count.
    """
    return _compiled(port.switching, active, view) if port.enabled else NOTHING


def _compiled(switching: Switching, active: Mask, view: View) -> RelayMap:
    """The handbook's port table, a row a case."""
    match switching:
        case Access(vid=vid):
            if vid is None:
                return NOTHING if view is View.MUST else RelayMap(in_untagged=active, out_untagged=active)
            own = 1 << vid & active
            return RelayMap(in_untagged=own, out_untagged=own)
        case Trunk(native=native, allowed=allowed):
            listed = allowed.mask & active
            untagged = listed & (1 << native) if native is not None else 0
            return RelayMap(untagged, listed, untagged, listed & ~untagged)
        case Routed():
            return NOTHING
        case Unstated():
            return NOTHING if view is View.MUST else RelayMap(active, active, active, active)
        case _:
            assert_never(switching)


def unknown(port: Port) -> str | None:
    """Names the fact about a port that the input does not state and forwarding depends on, if there is one."""
    match port.switching:
        case Unstated():
            return "its mode is not stated"
        case Access(vid=None):
            return "the VLAN of this access port is not stated"
        case _:
            return None


def memberships(switching: Switching) -> Mask:
    """Returns the VLANs a station behind the port belongs to, whether or not the switch defines them."""
    match switching:
        case Access(vid=int(vid)):
            return 1 << vid
        case Trunk(allowed=allowed):
            return allowed.mask
        case _:
            return 0
