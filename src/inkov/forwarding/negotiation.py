"""What two ends of a link make of each other: the handbook's result table, literally.

A port's side of the table is its mode and stance. The table gives what each end becomes; the words say how
it came to be, for people who look at the link.
"""

from __future__ import annotations

from dataclasses import replace
from enum import Enum
from typing import NamedTuple

from inkov.model.switch import Access, Negotiated, Port, Stance, Trunk


class Side(Enum):
    """How an end enters negotiation."""

    ACCESS = "access"
    TRUNK_SILENT = "trunk, silent"
    TRUNK_ANNOUNCING = "trunk, announcing"
    PASSIVE = "negotiated, passive"
    ACTIVE = "negotiated, active"


A, T = False, True
_RESULT: dict[tuple[Side, Side], tuple[bool, bool]] = {
    (Side.ACCESS, Side.ACCESS): (A, A),
    (Side.ACCESS, Side.TRUNK_SILENT): (A, T),
    (Side.ACCESS, Side.TRUNK_ANNOUNCING): (A, T),
    (Side.ACCESS, Side.PASSIVE): (A, A),
    (Side.ACCESS, Side.ACTIVE): (A, A),
    (Side.TRUNK_SILENT, Side.TRUNK_SILENT): (T, T),
    (Side.TRUNK_SILENT, Side.TRUNK_ANNOUNCING): (T, T),
    (Side.TRUNK_SILENT, Side.PASSIVE): (T, A),
    (Side.TRUNK_SILENT, Side.ACTIVE): (T, A),
    (Side.TRUNK_ANNOUNCING, Side.TRUNK_ANNOUNCING): (T, T),
    (Side.TRUNK_ANNOUNCING, Side.PASSIVE): (T, T),
    (Side.TRUNK_ANNOUNCING, Side.ACTIVE): (T, T),
    (Side.PASSIVE, Side.PASSIVE): (A, A),
    (Side.PASSIVE, Side.ACTIVE): (T, T),
    (Side.ACTIVE, Side.ACTIVE): (T, T),
}
RESULT = {**_RESULT, **{(b, a): (y, x) for (a, b), (x, y) in _RESULT.items()}}
"""Trunk or not, at either end, for every pair of sides."""


class Formed(NamedTuple):
    """What an end of a link became.

    Attributes:
        surely: the port as it surely is; as it would be alone where that is not known.
        maybe: what it could also be; None when it is known.
        how: the words for it, empty for a port that does not negotiate.
    """

    surely: Port
    maybe: Port | None
    how: str


def contradicts(port: Port) -> bool:
    """Tells whether a port is to negotiate and to stay silent; it counts as access then."""
    return isinstance(port.switching, Negotiated) and port.stance is Stance.SILENT


def _sides(port: Port) -> list[Side]:
    """Returns the sides a port may be; several when its stance is not stated."""
    match port.switching, port.stance:
        case Trunk(), None:
            return [Side.TRUNK_SILENT, Side.TRUNK_ANNOUNCING]
        case Trunk(), Stance.SILENT:
            return [Side.TRUNK_SILENT]
        case Trunk(), _:
            return [Side.TRUNK_ANNOUNCING]
        case Negotiated(), Stance.PASSIVE:
            return [Side.PASSIVE]
        case Negotiated(), Stance.ACTIVE:
            return [Side.ACTIVE]
        case Negotiated(), None:
            return [Side.PASSIVE, Side.ACTIVE]
        case _:
            return [Side.ACCESS]


def as_access(port: Port) -> Port:
    """Returns a port as it is when it formed no trunk."""
    return replace(port, switching=port.switching.access) if isinstance(port.switching, Negotiated) else port


def _as_trunk(port: Port) -> Port:
    return replace(port, switching=port.switching.trunk) if isinstance(port.switching, Negotiated) else port


def form(port: Port, far: Port | None, *, same_group: bool = True) -> Formed:
    """Works out what a port becomes.

    Args:
        port: the end in question.
        far: the other end; None when nothing is known about it, as for an open end.
        same_group: both ends are in one sync group, or one of them in none.
    """
    if not isinstance(port.switching, Negotiated):
        return Formed(port, None, "")
    if contradicts(port):
        return Formed(as_access(port), None, "told to stay silent, so it never asks")
    asks = port.stance is Stance.ACTIVE
    if far is None:
        return Formed(as_access(port), _as_trunk(port), "asks, nobody known there" if asks else "waits")
    if not same_group:
        return Formed(as_access(port), None, "refused: the ends are in different sync groups")
    results = {RESULT[mine, theirs][0] for mine in _sides(port) for theirs in _sides(far)}
    formed = results == {T}
    surely, maybe = (_as_trunk(port) if formed else as_access(port)), (_as_trunk(port) if len(results) > 1 else None)
    if maybe is not None:
        return Formed(surely, maybe, "not known whether the far end announces itself")
    if formed:
        return Formed(surely, None, "asks, was answered" if asks else "waits, was asked")
    nobody = isinstance(far.switching, Access | Trunk) or contradicts(far)
    return Formed(surely, None, "asks, nobody answered" if asks and nobody else "waits, nobody asked")
