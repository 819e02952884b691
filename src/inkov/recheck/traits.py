"""What the checker must know of each kind of port beside its row of the port table; a kind without a row here is an error of types."""

from __future__ import annotations

from typing import NamedTuple, assert_never

from inkov.model.switch import (
    Access,
    Bridged,
    General,
    Negotiated,
    Plain,
    PrivateHost,
    Promiscuous,
    Routed,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
)


class Traits(NamedTuple):
    """Traits of a kind of port.

    Attributes:
        joins: its one untagged station may be in several VLANs.
        wide: a station on it may be in several VLANs.
        whole: it takes frames with tags that it does not know as they are.
    """

    joins: bool = False
    wide: bool = False
    whole: bool = False


def traits(kind: Switching) -> Traits:
    """Returns the traits of a kind of port."""
    match kind:
        case General():
            return Traits(joins=True, wide=True)
        case Trunk():
            return Traits(wide=True)
        case Unstated(general=general):
            return Traits(joins=general, wide=True)
        case PrivateHost() | Promiscuous():
            return Traits(joins=True)
        case Bridged():
            return Traits(wide=True, whole=True)
        case Tunnel() | Plain():
            return Traits(whole=True)
        case Access() | Negotiated() | Routed():
            return Traits()
        case _:
            assert_never(kind)
