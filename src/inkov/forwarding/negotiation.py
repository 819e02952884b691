"""What two ends of a link make of each other: the table of docs/frames.md, section 3, literally.

A port's side of the table is its mode and stance. The table gives what each end becomes; the words say how
it came to be, for people who look at the link.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from inkov.kinds.kind import Side
from inkov.kinds.table import as_access, as_trunk, contradicts, knows_its_mode, negotiates, sides
from inkov.model.switch import Port, Stance

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
        usual: the port as it is where that is known, else as it would be alone.
        outcomes: all that it may be; one where that is known.
        how: the words for it, empty for a port that does not negotiate.
    """

    usual: Port
    outcomes: tuple[Port, ...]
    how: str

    @property
    def sure(self) -> bool:
        """It is known what it became."""
        return len(self.outcomes) == 1

    def or_either(self, port: Port) -> Formed:
        """Returns what became of a port where it may also have found nobody, or somebody else."""
        return self._replace(outcomes=(as_access(port), as_trunk(port)))


def form(port: Port, far: Port | None, *, same_group: bool = True) -> Formed:
    """Works out what a port becomes.

    Args:
        port: the end in question.
        far: the other end; None when nothing is known about it, as for an open end.
        same_group: both ends are in one sync group, or one of them in none.
    """
    if not negotiates(port):
        return Formed(port, (port,), "")
    access, trunk = as_access(port), as_trunk(port)
    if contradicts(port):
        return Formed(access, (access,), "told to stay silent, so it never asks")
    asks = port.stance is Stance.ACTIVE
    if far is None:
        return Formed(access, (access, trunk), "asks, nobody known there" if asks else "waits")
    if not same_group:
        return Formed(access, (access,), "refused: the ends are in different sync groups")
    results = {RESULT[mine, theirs][0] for mine in sides(port) for theirs in sides(far)}
    if len(results) > 1:
        return Formed(access, (access, trunk), "not known whether the far end announces itself")
    if results == {T}:
        return Formed(trunk, (trunk,), "asks, was answered" if asks else "waits, was asked")
    nobody = knows_its_mode(far)
    return Formed(access, (access,), "asks, nobody answered" if asks and nobody else "waits, nobody asked")


def form_among(port: Port, others: Sequence[tuple[Port, bool]]) -> Formed:
    """Works out what a port becomes behind a hub, which passes negotiation on to all that is around it.

    Args:
        port: the end in question.
        others: the other ends around the hub, each with whether sync groups let the two agree.
    """
    if contradicts(port):
        return form(port, None)
    each = [form(port, far, same_group=same) for far, same in others]
    if not each:
        asks = port.stance is Stance.ACTIVE
        return form(port, None)._replace(how="asks, nobody answered" if asks else "waits, nobody asked")
    agreed = len({f.usual for f in each}) == 1
    how = each[0].how if agreed else "not known which of several ends it heeds"
    return Formed(each[0].usual, (as_access(port), as_trunk(port)), how)
