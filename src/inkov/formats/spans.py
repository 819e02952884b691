"""JSON with where each value stands in its text."""

from __future__ import annotations

import json
import re
from typing import Any, NamedTuple


class Spanned(NamedTuple):
    """A JSON value and where its text is; members and items are spanned, too."""

    value: Any
    start: int
    end: int


_BLANK = re.compile(r"[ \t\r\n]*")
_SCALAR = re.compile(r'"(?:[^"\\]|\\.)*"|[^\s,\]}]+')


def spanned(text: str) -> Spanned:
    """Returns the value of a JSON text with where everything in it stands; the text is known to be valid."""
    return _Spans(text).value()[0]


class _Spans:
    """Reads JSON that is known to be valid."""

    def __init__(self, text: str) -> None:
        self.text = text

    def _skip(self, at: int) -> int:
        found = _BLANK.match(self.text, at)
        return found.end() if found else at

    def value(self, at: int = 0) -> tuple[Spanned, int]:
        at = self._skip(at)
        opening = self.text[at]
        if opening not in "[{":
            found = _SCALAR.match(self.text, at)
            end = found.end() if found else at
            return Spanned(json.loads(self.text[at:end]), at, end), end
        members: dict[str, Spanned] = {}
        items: list[Spanned] = []
        start, at = at, self._skip(at + 1)
        while self.text[at] not in "]}":
            item, at = self.value(at)
            at = self._skip(at)
            if opening == "{":
                key = item.value
                item, at = self.value(at + 1)
                members[key] = item
                at = self._skip(at)
            else:
                items.append(item)
            at = self._skip(at + 1) if self.text[at] == "," else at
        return Spanned(members if opening == "{" else items, start, at + 1), at + 1
