"""Names of places: a port on a switch, and the order people expect of them."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Container, Iterable
from functools import lru_cache, partial
from itertools import repeat
from typing import NamedTuple

_DIGITS = re.compile(r"(\d+)", re.ASCII)
_LABEL_WORDS = re.compile(r"[A-Za-z0-9_.:/-]+")


@lru_cache(maxsize=65536)
def natural(name: str) -> tuple[tuple[int, int, str], ...]:
    """Returns a sort key that puts `p2` before `p10`. Total: different names have different keys."""
    parts = _DIGITS.split(name)
    key = [(0, int(p), p) if i % 2 else (1, 0, p) for i, p in enumerate(parts) if p]
    return tuple(key)


class PortRef(NamedTuple):
    """A port of a switch, written `switch:port`."""

    switch: str
    port: str

    def __str__(self) -> str:
        return f"{self.switch}:{self.port}"

    @classmethod
    def parse(cls, text: str) -> PortRef | None:
        """Reads `switch:port`; the port may hold further colons and spaces. None when it is no such text."""
        switch, colon, port = text.partition(":")
        return cls(switch.strip(), port.strip()) if colon and switch.strip() and port.strip() else None

    @property
    def order(self) -> tuple[object, object]:
        """Sort key: natural order of switch, then of port."""
        return natural(self.switch), natural(self.port)


def unknown_port(end: PortRef, taken: Container[str]) -> str:
    """Returns a name for the port that is not known at the other end of a cable: none of those that its device has.

    Args:
        end: the known end.
        taken: the names of the device's ports, which its file may choose as it likes.
    """
    name = f"? towards {end}"
    while name in taken:
        name += "?"
    return name


def refs_of(switch: str, ports: Iterable[str]) -> list[PortRef]:
    """Returns many ports of a switch, without a call of Python for each."""
    return list(map(_REF, zip(repeat(switch), ports)))


_REF: Callable[[tuple[str, str]], PortRef] = partial(tuple.__new__, PortRef)


def ports_text(names: Iterable[str]) -> str:
    """Returns port names with runs written short: `1-3,7,u1-u2`."""
    parts: list[tuple[str, str]] = []
    for name in sorted(names, key=natural):
        if parts and _follows(parts[-1][1], name):
            parts[-1] = (parts[-1][0], name)
        else:
            parts.append((name, name))
    return ",".join(first if first == last else f"{first}-{last}" for first, last in parts)


def _follows(before: str, after: str) -> bool:
    stem = before.rstrip("0123456789")
    number = before[len(stem) :]
    return bool(number) and after == f"{stem}{int(number) + 1}"


# Letters of other scripts that look like a Latin one (UTS 39, section 4, cut to what names are made of).
_LOOKS = str.maketrans(
    "аеорсухіјѕԁһкмтвнгαορνικτυχεβηγ",
    "aeopcyxijsdhkmtbhraopviktyxebhy",
)


def looks(name: str) -> str:
    """Returns what a name looks like: two names that a reader cannot tell apart give the same text (UTS 39, section 4).

    Case counts: names that differ in nothing else are different names.
    """
    text = unicodedata.normalize("NFKC", name)
    text = "".join(c for c in text if unicodedata.category(c) != "Cf")
    return "".join(c.translate(_LOOKS) if c.islower() else c.lower().translate(_LOOKS).upper() for c in text)


def by_look(names: Iterable[str]) -> dict[str, str]:
    """Returns the first of some names for everything that they look like."""
    made: dict[str, str] = {}
    for name in names:
        made.setdefault(looks(name), name)
    return made


def label_words(label: str) -> list[str]:
    """Returns what may be names of switches and ports in a label."""
    return _LABEL_WORDS.findall(label)


def stem(name: str) -> str:
    """Returns a name without the number at its end: `hall` of `hall-3`, `hall-a` of `hall-a3`."""
    return name.rstrip("0123456789").rstrip("-_./ ")
