"""What a value must be to be read: its shape, and a check that takes out and names each value that has another."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, MutableMapping
from typing import Any, Final, NamedTuple

from inkov.formats.reading import Reading


class Shape(NamedTuple):
    """What a value may be.

    Attributes:
        fits: tells whether a value is that.
        expected: what it is, in words.
    """

    fits: Callable[[Any], bool]
    expected: str


def _number(value: Any, least: int, most: int) -> bool:
    if isinstance(value, str) and value.strip().isdecimal() and len(value.strip()) < 20:
        value = int(value)
    return isinstance(value, int) and not isinstance(value, bool) and least <= value <= most


def number(least: int, most: int) -> Shape:
    """Returns the shape of a whole number, which some write as text."""
    return Shape(lambda value: _number(value, least, most), f"a number from {least} to {most}")


def one_of(words: Collection[str]) -> Shape:
    """Returns the shape of a word of a list; a module's name in front of it does not count."""
    return Shape(
        lambda value: isinstance(value, str) and value.rpartition(":")[2] in words, f"one of {', '.join(words)}"
    )


def each(shape: Shape) -> Shape:
    """Returns the shape of a value, or of a list of such values."""
    return Shape(
        lambda value: all(map(shape.fits, value)) if isinstance(value, list) else shape.fits(value), shape.expected
    )


TEXT: Final = Shape(lambda value: isinstance(value, str), "a text")
FLAG: Final = Shape(lambda value: isinstance(value, bool) or value in ("true", "false"), "true or false")
NODE: Final = Shape(lambda value: isinstance(value, dict), "an object")


def keep(node: MutableMapping[str, Any], shapes: Mapping[str, Shape], path: str, reading: Reading) -> None:
    """Takes the members out of a node that are not what they must be, and records each; what is absent stays absent."""
    for name in [n for n in node if n in shapes]:
        if not shapes[name].fits(node[name]):
            reading.wrong(f"{node[name]!r:.40} is not {shapes[name].expected}", f"{path}/{name}")
            del node[name]
