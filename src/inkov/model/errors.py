"""Bad input, as data: everything wrong in one run, each with its place and what was expected instead."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from inkov.model.source import Source

_MAX_SHOWN = 400
_MAX_LIKE = 200
_MAX_ALIKE = 100
_NAMED = re.compile(r"'[^']*'|\S*\d\S*|^\S+")
"""What tells errors of one kind apart: what is quoted, numbers, and the name in front; hints do, too."""


class InkovError(Exception):
    """Base of all errors that are the input's fault. Anything else that escapes is a bug of Inkov."""


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing wrong in the input.

    Attributes:
        source: where.
        what: what is wrong and what was expected, in one sentence without a full stop.
        partly: the rest of the file counts, and what is wrong is known to bear on its own device alone.
    """

    source: Source
    what: str
    partly: bool = False

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
        super().__init__("\n".join(_lines(self.problems)))


def _lines(problems: Iterable[Problem]) -> Iterator[str]:
    """Yields the problems as lines, of each kind in a file no more than a person reads, and how many more there are."""
    kinds: Counter[tuple[str, str]] = Counter()
    for problem in problems:
        kind = problem.source.file, _NAMED.sub("", problem.what.partition(";")[0])
        kinds[kind] += 1
        if kinds[kind] <= _MAX_ALIKE:
            yield str(problem)
    for (file, _), n in kinds.items():
        if n > _MAX_ALIKE:
            yield f"{file}: and {n - _MAX_ALIKE} more errors like these"


def nearest(name: str, known: Iterable[str], listed: int = 16) -> str:
    """Returns a hint: the most similar known name, or all of them when there are no more than `listed`, or nothing."""
    import difflib  # noqa: PLC0415 - only bad input needs it

    names: Sequence[str] = sorted(known)
    if len(name) > _MAX_LIKE:
        return ""
    if close := difflib.get_close_matches(name, names, n=1):
        return f"; did you mean {close[0]!r}?"
    return f"; expected one of: {', '.join(names)}" if 0 < len(names) <= listed else ""
