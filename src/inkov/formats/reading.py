"""What every reader shares: one file's text and the list its problems and notes go to."""

from __future__ import annotations

from dataclasses import dataclass, field

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source

MAX_TEXT = 255
"""Names and labels of devices are no longer, as discovery carries them (IEEE 802.1AB-2016, 8.5)."""


@dataclass(slots=True)
class Reading:
    """One file being read.

    Attributes:
        file: path as the site shows it.
        problems: errors found so far, in any file of the run; shared between readings.
        notes: guesses made so far; shared between readings.
    """

    file: str
    problems: list[Problem] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def wrong(self, what: str, path: str = "", line: int | None = None) -> None:
        """Records an error and goes on, so that one run shows all of them."""
        self.problems.append(Problem(Source(self.file, line, path), what))

    def fail(self, what: str, line: int | None = None) -> BadInput:
        """Returns the exception for a file in which nothing more can be read."""
        return BadInput([Problem(Source(self.file, line), what)])

    def note(self, what: str) -> None:
        """Records that something was guessed or passed over."""
        self.notes.append(f"{self.file}: {what}")
