"""Sets of VLANs as values.

The universe is fixed by IEEE 802.1Q-2022, 9.6: VIDs 1 to 4094. A set is one integer used as a bit mask
(bit *v* stands for VLAN *v*), so that it is canonical by construction and all set algebra is one machine
operation. Range text (`310-330,305`, `all`, `none`, `all but 320`) is only a view of it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache
from typing import Final, TypeAlias

Vid: TypeAlias = int
"""A VLAN identifier, 1 to 4094."""

VID_MIN: Final = 1
VID_MAX: Final = 4094
FULL_MASK: Final = ((1 << (VID_MAX + 1)) - 1) & ~1

_ITEM = re.compile(r"(\d+)(?:\s*-\s*(\d+))?\Z", re.ASCII)
_BUT = re.compile(r"all\s+but\s+(.*)\Z", re.DOTALL)


class VlanTextError(ValueError):
    """Text that is not a VLAN list. The message says what was found and what was expected."""


def bits(mask: int) -> Iterator[int]:
    """Yields the positions of the set bits of a mask, ascending."""
    if not mask & (mask - 1):  # one bit, as of most segments, or none
        if mask:
            yield mask.bit_length() - 1
        return
    text = bin(mask)[:1:-1]
    at = text.find("1")
    while at >= 0:
        yield at
        at = text.find("1", at + 1)


def vid(value: int) -> Vid:
    """Returns a number as a VID.

    Raises:
        VlanTextError: it is outside 1 to 4094.
    """
    if not VID_MIN <= value <= VID_MAX:
        raise VlanTextError(f"{value} is not a VLAN number; expected {VID_MIN} to {VID_MAX}")
    return value


class VlanSet:
    """An immutable set of VIDs.

    Supports `in`, `len`, iteration (ascending), `==`, hash, `&`, `|`, `-`, `^`, `<=`, and `~`, which is
    relative to VLANs 1 to 4094. `VlanSet.parse(str(s)) == s` for every set.
    """

    __slots__ = ("_mask",)
    _mask: int

    def __init__(self, vids: Iterable[Vid] = ()) -> None:
        mask = 0
        for v in vids:
            mask |= 1 << vid(v)
        object.__setattr__(self, "_mask", mask)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError(f"a VlanSet cannot be changed: {name}")

    def __reduce__(self) -> tuple[Callable[[int], VlanSet], tuple[int]]:
        return vlan_set, (self._mask,)

    @classmethod
    def from_mask(cls, mask: int) -> VlanSet:
        """Returns the set of the bits of `mask` that are VIDs; bits outside 1 to 4094 are dropped."""
        made = cls.__new__(cls)
        object.__setattr__(made, "_mask", mask & FULL_MASK)
        return made

    @classmethod
    def span(cls, low: Vid, high: Vid) -> VlanSet:
        """Returns VLANs `low` to `high`, both included.

        Raises:
            VlanTextError: an end is no VID, or the ends are backwards.
        """
        if vid(low) > vid(high):
            raise VlanTextError(f"range {low}-{high} runs backwards; expected {high}-{low}")
        return cls.from_mask((1 << (high + 1)) - (1 << low))

    @classmethod
    def parse(cls, text: str) -> VlanSet:
        """Reads a VLAN list: `310`, `310-330,305`, `all`, `none`, `all but 320,340`.

        Raises:
            VlanTextError: the text is no such list.
        """
        text = text.strip()
        if text == "all":
            return ALL
        if text == "none":
            return NONE
        if (rest := _BUT.match(text)) and not _BUT.match(rest[1]):
            return ~cls.parse(rest[1])
        made = NONE
        for item in text.split(","):
            found = _ITEM.match(item.strip())
            if found is None or len(item) > 40:
                shown = item.strip()[:40]
                raise VlanTextError(
                    f"{shown!r} is not a VLAN list; expected numbers and ranges such as 310-330,305, "
                    "or all, none, all but 320"
                )
            low = int(found[1])
            made |= cls.span(low, int(found[2]) if found[2] else low)
        return made

    @property
    def mask(self) -> int:
        """The set as an integer: bit *v* is set when VLAN *v* is in it."""
        return self._mask

    def ranges(self) -> Iterator[tuple[Vid, Vid]]:
        """Yields the runs of the set, ascending, as (first, last)."""
        return _runs(self._mask)

    def __str__(self) -> str:
        if not self._mask:
            return "none"
        if self._mask == FULL_MASK:
            return "all"
        if len(self) > (VID_MAX - VID_MIN + 1) // 2:
            return f"all but {~self}"
        return self.exact

    @property
    def exact(self) -> str:
        """The set as numbers and ranges only; `none` when it is empty."""
        return _exact(self._mask)

    def __repr__(self) -> str:
        return f"VlanSet.parse({str(self)!r})"

    def __eq__(self, other: object) -> bool:
        return self._mask == other._mask if isinstance(other, VlanSet) else NotImplemented

    def __hash__(self) -> int:
        return hash(self._mask)

    def __contains__(self, v: object) -> bool:
        return isinstance(v, int) and v > 0 and bool(self._mask >> v & 1)

    def __len__(self) -> int:
        return self._mask.bit_count()

    def __bool__(self) -> bool:
        return self._mask != 0

    def __iter__(self) -> Iterator[Vid]:
        return bits(self._mask)

    def __and__(self, other: VlanSet) -> VlanSet:
        return VlanSet.from_mask(self._mask & other._mask)

    def __or__(self, other: VlanSet) -> VlanSet:
        return VlanSet.from_mask(self._mask | other._mask)

    def __sub__(self, other: VlanSet) -> VlanSet:
        return VlanSet.from_mask(self._mask & ~other._mask)

    def __xor__(self, other: VlanSet) -> VlanSet:
        return VlanSet.from_mask(self._mask ^ other._mask)

    def __invert__(self) -> VlanSet:
        return VlanSet.from_mask(~self._mask)

    def __le__(self, other: VlanSet) -> bool:
        return not self._mask & ~other._mask


def _runs(mask: int) -> Iterator[tuple[Vid, Vid]]:
    text = bin(mask)[:1:-1] + "0"
    at = text.find("1")
    while at >= 0:
        end = text.find("0", at)
        yield at, end - 1
        at = text.find("1", end)


@lru_cache(maxsize=8192)
def _exact(mask: int) -> str:
    return ",".join(str(a) if a == b else f"{a}-{b}" for a, b in _runs(mask)) or "none"


NONE: Final = VlanSet.from_mask(0)
ALL: Final = VlanSet.from_mask(FULL_MASK)


def vlan_set(mask: int) -> VlanSet:
    """Returns `VlanSet.from_mask(mask)`; a function of the module, which pickling can name."""
    return VlanSet.from_mask(mask)
