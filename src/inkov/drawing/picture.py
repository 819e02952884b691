"""A drawing as plain data: boxes with lines of text, wires with labels at their ends, a legend; what shows it is elsewhere."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum
from typing import Final

from inkov.drawing.layout import Box, Route

TITLE_SIZE: Final = 8.0
TEXT_SIZE: Final = 6.5
LABEL_SIZE: Final = 6.0
PAD: Final = 5.0
ISLAND: Final = 16.0
"""Width of the strip of a box that has the letter of its part."""

_LINE: Final = 1.25

# Advance widths of DejaVu Sans in hundredths of its size, from blank to tilde; regular, then bold.
_REGULAR: Final = (
    *(
        32,
        40,
        46,
        84,
        64,
        95,
        78,
        27,
        39,
        39,
        50,
        84,
        32,
        36,
        32,
        34,
        64,
        64,
        64,
        64,
        64,
        64,
        64,
        64,
        64,
        64,
        34,
        34,
        84,
        84,
    ),
    *(
        84,
        53,
        100,
        68,
        69,
        70,
        77,
        63,
        58,
        77,
        75,
        29,
        29,
        66,
        56,
        86,
        75,
        79,
        60,
        79,
        69,
        63,
        61,
        73,
        68,
        99,
        69,
        61,
        69,
    ),
    *(
        39,
        34,
        39,
        84,
        50,
        50,
        61,
        63,
        55,
        63,
        62,
        35,
        63,
        63,
        28,
        28,
        58,
        28,
        97,
        63,
        61,
        63,
        63,
        41,
        52,
        39,
        63,
        59,
        82,
        59,
    ),
    *(59, 52, 64, 34, 64, 84),
)
_BOLD: Final = (
    *(
        35,
        46,
        52,
        84,
        70,
        100,
        87,
        31,
        46,
        46,
        52,
        84,
        38,
        42,
        38,
        37,
        70,
        70,
        70,
        70,
        70,
        70,
        70,
        70,
        70,
        70,
        40,
        40,
        84,
        84,
    ),
    *(
        84,
        58,
        100,
        77,
        76,
        73,
        83,
        68,
        68,
        82,
        84,
        37,
        37,
        77,
        64,
        100,
        84,
        85,
        73,
        85,
        77,
        72,
        68,
        81,
        77,
        110,
        77,
        72,
        73,
    ),
    *(
        46,
        37,
        46,
        84,
        50,
        50,
        67,
        72,
        59,
        72,
        68,
        44,
        72,
        71,
        34,
        34,
        67,
        34,
        104,
        71,
        69,
        72,
        72,
        49,
        60,
        48,
        71,
        65,
        92,
        65,
    ),
    *(65, 58, 71, 37, 71, 84),
)


class Tone(Enum):
    """What a line or a box is to say; never by colour alone."""

    PLAIN = "plain"
    FAINT = "faint"
    CARRIES = "carries"
    LOST = "lost"
    BLOCKED = "blocked"
    WAY = "way"
    TOUCHED = "touched"
    UNKNOWN = "unknown"


LOUD: Final = frozenset({Tone.LOST, Tone.WAY, Tone.TOUCHED})
"""Labels that are in bold."""


@dataclass(frozen=True, slots=True)
class Label:
    """A text beside the end of a wire."""

    text: str
    tone: Tone = Tone.PLAIN


@dataclass(frozen=True, slots=True)
class Drawn:
    """A box.

    Attributes:
        name: of what it stands for.
        box: where.
        kind: switch, router, unmanaged, or bundle.
        lines: below its name.
        tone: what it is to say.
        island: letter of the part of a VLAN that it is on; empty for none.
        title: all there is to say of it.
    """

    name: str
    box: Box
    kind: str
    lines: tuple[str, ...]
    tone: Tone = Tone.PLAIN
    island: str = ""
    title: str = ""


@dataclass(frozen=True, slots=True)
class Line:
    """A wire.

    Attributes:
        route: where.
        a: label at its first end.
        b: at the other.
        tone: what it is to say.
        count: cables in it.
        title: all there is to say of it.
    """

    route: Route
    a: Label
    b: Label
    tone: Tone = Tone.PLAIN
    count: int = 1
    title: str = ""


@dataclass(frozen=True, slots=True)
class Picture:
    """A drawing; `legend` has what its signs mean, of those that it has."""

    title: str
    subtitle: str
    boxes: tuple[Drawn, ...]
    lines: tuple[Line, ...]
    legend: tuple[tuple[Tone, str], ...]
    islands: tuple[tuple[str, str], ...]
    width: float
    height: float


def width_of(text: str, size: float, *, bold: bool = False) -> float:
    """Returns how wide a text is in points, in the font that drawings are in."""
    table = _BOLD if bold else _REGULAR
    total = sum(table[ord(c) - 32] if 32 <= ord(c) < 127 else 105 for c in text)
    return total * size / 100


def height_of(lines: int) -> float:
    """Returns how high a box is with a name and some lines below it."""
    return 2 * PAD + TITLE_SIZE * _LINE + lines * TEXT_SIZE * _LINE


def shortened(text: str, most: int) -> str:
    """Returns a text cut to a number of characters, its control characters made harmless."""
    plain = "".join(c if c.isprintable() else "·" for c in text)
    return plain if len(plain) <= most else f"{plain[: most - 1]}…"
