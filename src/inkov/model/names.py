"""Names of places: a port on a switch, and the order people expect of them."""

from __future__ import annotations

import fnmatch
import re
import unicodedata
from collections import defaultdict
from collections.abc import Callable, Collection, Container, Iterable, Mapping
from functools import lru_cache, partial
from itertools import chain, repeat
from typing import NamedTuple

_DIGITS = re.compile(r"(\d+)", re.ASCII)
_DOMAIN = re.compile(r"\.[A-Za-z][\w-]*(?:\.[\w-]+)*\.?\Z")

_PARTING = re.compile(r"\s*[:\s]\s*")
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


def refs_of(switch: str, ports: Iterable[str]) -> list[PortRef]:
    """Returns many ports of a switch, without a call of Python for each."""
    return list(map(_REF, zip(repeat(switch), ports)))


_REF: Callable[[tuple[str, str]], PortRef] = partial(tuple.__new__, PortRef)


def port_in(text: str, switches: Mapping[str, Container[str]]) -> PortRef | None:
    """Returns the port that `switch:port` or `switch port` stands for where both are known, wherever the names are parted.

    Args:
        text: as written; names may hold colons and blanks themselves.
        switches: the ports of each switch.
    """
    text = text.strip()
    parted = [PortRef(text[: m.start()].strip(), text[m.end() :].strip()) for m in _PARTING.finditer(text)]
    meant = (PortRef(device_named(switch, switches), port) for switch, port in parted)
    return next((r for r in chain(parted, meant) if r.switch in switches and r.port in switches[r.switch]), None)


def without_domain(name: str) -> str:
    """Returns a name in lower case, and without the domain that it ends with."""
    return _DOMAIN.sub("", name.casefold().rstrip("."))


def device_named(name: str, known: Collection[str]) -> str:
    """Returns which of some devices a name is meant for: the one of that name, or the only one but for case and the domain.

    Where there is none, or two domains differ, it is the name as it is.
    """
    if name in known:
        return name
    found = _by_bare_name(_Same(known)).get(without_domain(name), ())
    if len(found) != 1:
        return name
    lower, other = name.casefold().rstrip("."), found[0].casefold().rstrip(".")
    return found[0] if lower == other or without_domain(name) in {lower, other} else name


class _Same:
    """Some devices as a key: the very same object, as lists of hosts and ports ask about one campus a thousand times."""

    def __init__(self, known: Collection[str]) -> None:
        self.known, self.size = known, len(known)

    def __hash__(self) -> int:
        return id(self.known)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.known is self.known and other.size == self.size


@lru_cache(maxsize=4)
def _by_bare_name(known: _Same) -> Mapping[str, list[str]]:
    made: dict[str, list[str]] = defaultdict(list)
    for name in known.known:
        made[without_domain(name)].append(name)
    return made


def devices_matching(pattern: str, known: Collection[str]) -> list[str]:
    """Returns the devices whose names match a pattern, or the one that it names."""
    if _WILD.search(pattern) and (found := _matching(pattern, _Same(known))):
        return list(found)
    named = device_named(pattern, known)
    return [named] if named in known else []


_WILD = re.compile(r"[*?[]")


@lru_cache(maxsize=128)
def _matching(pattern: str, known: _Same) -> tuple[str, ...]:
    return tuple(fnmatch.filter(known.known, pattern))


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
