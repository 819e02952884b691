"""What one file tells of one device, and which files tell of the same one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import Final, NamedTuple

from inkov.formats.entry import OVER, WHOLE, Entry
from inkov.model.identity import MAC, without_domain
from inkov.model.switch import Switch

_SEPARATORS: Final = "-_. "


class Piece(NamedTuple):
    """What one file tells of one device.

    Attributes:
        entry: what it was read as.
        file: its name, as sources give it.
        format: name of its format.
        rank: place of the format among all; of those that count alike, the first gives what needs no proof, like names.
        whole: a file of the format holds all that the device is set to, so that what it leaves out is not there.
    """

    entry: Entry
    file: str
    format: str
    rank: int
    whole: bool = False

    @property
    def switch(self) -> Switch:
        """The switch as this file has it."""
        return self.entry.switch

    @property
    def weight(self) -> tuple[bool, bool]:
        """Less is more: what overrides, what is configured, what is in force."""
        return self.entry.standing != OVER, self.entry.observed

    def counts_as(self, other: Piece) -> bool:
        """Tells whether it counts as much as another piece."""
        return (self.weight, self.rank) == (other.weight, other.rank)

    @property
    def order(self) -> tuple[bool, bool, int, str]:
        """The order of pieces of one device, whatever the order in which files were read."""
        return (*self.weight, self.rank, self.file)


def devices(pieces: Iterable[Piece]) -> list[list[Piece]]:
    """Parts what files tell by device: by the name in the content, case and domain aside; else by its address, else by the file's name."""
    ordered = sorted(pieces, key=lambda p: p.order)
    groups: dict[str, list[Piece]] = defaultdict(list)
    named = [p for p in ordered if p.entry.named]
    short = _short_names([p.switch.name for p in named])
    by_mac: dict[str, str] = {}
    for p in named:
        key = short[p.switch.name]
        groups[key].append(p)
        if p.switch.mac:
            by_mac.setdefault(p.switch.mac, key)
    for p in ordered:
        if not p.entry.named:
            own = p.switch.name.casefold()
            found = by_mac.get(p.switch.mac) if p.switch.mac else None
            groups[found or short.get(p.switch.name) or _start_of(own, groups) or own].append(p)
    return [sorted(group, key=lambda p: p.order) for group in groups.values()]


def two_boxes(group: Sequence[Piece]) -> list[tuple[Piece, Piece]]:
    """Returns the files of a name that are about another device than the first with an address, each with that first file.

    Two devices with two bridge addresses are two, whatever they call themselves.
    """
    told = [p for p in group if p.entry.standing == WHOLE and MAC.match(p.switch.mac)]
    return [(p, told[0]) for p in told[1:] if p.switch.mac != told[0].switch.mac]


def _short_names(names: Sequence[str]) -> dict[str, str]:
    """Maps names to what they have in common: without the domain, where only one device has that name then."""
    found: dict[str, str] = {}
    full: dict[str, set[str]] = defaultdict(set)
    for name in names:
        lower = name.casefold().rstrip(".")
        bare = without_domain(name)
        if bare != lower:
            full[bare].add(lower)
    for name in names:
        lower = name.casefold().rstrip(".")
        bare = without_domain(name)
        found[name] = bare if len(full[bare]) < 2 else lower
    return found


def _start_of(name: str, groups: Mapping[str, object]) -> str | None:
    """Returns the device whose name a file's name starts with; the longest."""
    fits = [g for g in groups if name.startswith(g) and name[len(g) : len(g) + 1] in _SEPARATORS]
    return max(fits, key=len, default=None)
