"""Names of places: a port on a switch, and the order people expect of them."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

_DIGITS = re.compile(r"(\d+)", re.ASCII)


@lru_cache(maxsize=65536)
def natural(name: str) -> tuple[tuple[int, int, str], ...]:
    """Returns a sort key that puts `p2` before `p10`. Total: different names have different keys."""
    parts = _DIGITS.split(name)
    key = [(1, int(p), p) if i % 2 else (0, 0, p) for i, p in enumerate(parts) if p]
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
