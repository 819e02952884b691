"""What every reader shares: one file's text and the list its problems and notes go to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source, Touch, Touches

MAX_TEXT = 255
"""Names and labels of devices are no longer, as discovery carries them (IEEE 802.1AB-2016, 8.5)."""


@dataclass(slots=True)
class Reading:
    """One file being read.

    Attributes:
        file: path as the site shows it.
        problems: errors found so far, in any file of the run; shared between readings.
        notes: guesses made so far; shared between readings.
        touches: what this file states and its reader does not follow, by path without keys and port.
        partly: other files of the site could not be read, so that a name may lead nowhere for that reason.
        elsewhere: the file of each top member that another file of the same device holds.
    """

    file: str
    problems: list[Problem] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    elsewhere: Mapping[str, str] = field(default_factory=dict)
    partly: bool = False
    touches: dict[tuple[str, str], Touch] = field(default_factory=dict)

    def source(self, path: str, line: int | None = None) -> Source:
        """Returns the place of a data path, in the file that holds it."""
        if self.elsewhere:
            top = path.lstrip("/").partition("/")[0]
            return Source(self.elsewhere.get(top, self.file), line, path)
        return Source(self.file, line, path)

    def place(self, path: str) -> str | Source:
        """Returns a data path from the root as an origin keeps it: with its file where that is not the object's own."""
        found = self.source(path)
        return path if found.file == self.file else found

    def wrong(self, what: str, path: str = "", line: int | None = None) -> None:
        """Records an error and goes on, so that one run shows all of them."""
        self.problems.append(Problem(self.source(path, line), what))

    def unknown(self, what: str, path: str = "", line: int | None = None) -> None:
        """Records a name that leads nowhere, unless it may lead into what could not be read."""
        if not self.partly:
            self.wrong(what, path, line)

    def touch(
        self,
        path: str,
        touches: Touches,
        at: str = "",
        line: int | None = None,
        *,
        port: str = "",
        why: str = "",
        now: tuple[tuple[str, Any], ...] = (),
        wired: bool = False,
    ) -> None:
        """Records what is stated and not followed; of one path the first place is kept, or the first of each port."""
        path, at = path[:MAX_TEXT], (at or path)[: 2 * MAX_TEXT]
        self.touches.setdefault((path, port), Touch(path, touches, self.source(at, line), port, why, now, wired=wired))

    def down_today(self, path: str, port: str, at: str = "", line: int | None = None) -> None:
        """Records a port that is on, and of which the device says that nothing passes it now."""
        why = f"{port} is on, and today nothing passes it"
        self.touch(path, Touches.STOPS, at, line, port=port, why=why, wired=True)

    def touched(self) -> tuple[Touch, ...]:
        """Returns what was recorded as not followed since this was last asked; a file may hold several devices."""
        found = tuple(self.touches.values())
        self.touches.clear()
        return found

    def fail(self, what: str, line: int | None = None) -> BadInput:
        """Returns the exception for a file in which nothing more can be read."""
        return BadInput([Problem(Source(self.file, line), what)])

    def note(self, what: str) -> None:
        """Records that something was guessed or passed over."""
        self.notes.append(f"{self.file}: {what}")
