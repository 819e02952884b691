"""Bad input, as data: everything wrong in one run, each with its place and what was expected instead."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from inkov.model.source import Source

_MAX_SHOWN = 400
_MAX_LIKE = 200


class InkovError(Exception):
    """Base of all errors that are the input's fault. Anything else that escapes is a bug of Inkov."""


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing wrong in the input.

    Attributes:
        source: where.
        what: what is wrong and what was expected, in one sentence without a full stop.
    """

    source: Source
    what: str

    def __str__(self) -> str:
        place = f"{self.source.file}:{self.source.line}" if self.source.line else self.source.file
        path = f" {_short(self.source.path)}:" if self.source.path else ""
        return f"{place}:{path} {_short(self.what)}"


def _short(text: str) -> str:
    """Returns a text that fits a screen, whatever was quoted in it."""
    return text if len(text) <= _MAX_SHOWN else f"{text[: _MAX_SHOWN // 2]} … {text[-_MAX_SHOWN // 2 :]}"


class BadInput(InkovError):
    """The input cannot be used; carries every problem found, in file order."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems: tuple[Problem, ...] = tuple(
            sorted(set(problems), key=lambda p: (p.source.file, p.source.line or 0, p.source.path, p.what))
        )
        super().__init__("\n".join(map(str, self.problems)))


def nearest(name: str, known: Iterable[str], listed: int = 16) -> str:
    """Returns a hint: the most similar known name, or all of them when there are no more than `listed`, or nothing."""
    import difflib  # noqa: PLC0415 - only bad input needs it

    names: Sequence[str] = sorted(known)
    if len(name) > _MAX_LIKE:
        return ""
    if close := difflib.get_close_matches(name, names, n=1):
        return f"; did you mean {close[0]!r}?"
    return f"; expected one of: {', '.join(names)}" if 0 < len(names) <= listed else ""
