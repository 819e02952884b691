"""Where a data path is in the text of a JSON export: its line, for those who mark lines."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator

from inkov.formats.spans import Spanned, spanned

_STEP = re.compile(r"/?([^/\[]+)((?:\[[^=\]]+=(?:[^\]\\]|\\.)*\])*)")
_KEY = re.compile(r"\[([^=\]]+)=([^\]]*)\]")


class Positions:
    """The text of one export, with its lines."""

    def __init__(self, text: str) -> None:
        """Takes the text; it is one valid JSON value, or nothing is found in it."""
        self.flat = "\n" not in text.rstrip()
        self.root: Spanned | None = None
        if self.flat:  # all of it is on one line
            return
        try:
            self.root = spanned(text)
        except (ValueError, IndexError, RecursionError):
            self.root = None
        self.starts = [0, *(m.end() for m in re.finditer("\n", text))]

    def line(self, path: str) -> int | None:
        """Returns the line a path leads to; of a path that is not all there, as far as it leads."""
        if self.root is None:
            return 1 if self.flat else None
        here = self.root
        for name, keys in _steps(path):
            found = _member(here, name)
            if found is None:
                break
            here = found
            for key, value in keys:
                entry = next((e for e in _items(here) if _is(e, key, value)), None)
                if entry is None:
                    return self._of(here)
                here = entry
        return self._of(here)

    def _of(self, node: Spanned) -> int:
        return bisect_right(self.starts, node.start)


def _steps(path: str) -> Iterator[tuple[str, list[tuple[str, str]]]]:
    for found in _STEP.finditer(path):
        yield found[1], _KEY.findall(found[2])


def _items(node: Spanned) -> list[Spanned]:
    return node.value if isinstance(node.value, list) else []


def _member(node: Spanned, name: str) -> Spanned | None:
    """Returns a member by local name."""
    members: dict[str, Spanned] = node.value if isinstance(node.value, dict) else {}
    return next((value for key, value in members.items() if key.rpartition(":")[2] == name), None)


def _is(entry: Spanned, key: str, value: str) -> bool:
    own = _member(entry, key)
    if own is None and (config := _member(entry, "config")) is not None:
        own = _member(config, key)
    return own is not None and str(own.value).rpartition(":")[2] == value
