"""Where results go and how a run ends: streams, files written whole or not at all, exit codes."""

from __future__ import annotations

import os
import sys
import threading
import time
from collections.abc import Callable
from enum import IntEnum, StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

if TYPE_CHECKING:
    from inkov.render.rows import Page, Wish
    from inkov.render.text import Block


V = TypeVar("V")


class Exit(IntEnum):
    """What a run ends with."""

    CLEAN = 0
    FOUND = 1
    BAD_INPUT = 2
    BUG = 70


class Format(StrEnum):
    """How a result is written."""

    TEXT = "text"
    JSON = "json"


class TableFormat(StrEnum):
    """How a table is written."""

    TEXT = "text"
    JSON = "json"
    CSV = "csv"
    TSV = "tsv"
    MD = "md"


class ChangeFormat(StrEnum):
    """How a comparison, or a history, is written; png and svg are of a history alone."""

    TEXT = "text"
    JSON = "json"
    MD = "md"
    JUNIT = "junit"
    PNG = "png"
    SVG = "svg"


class Said:
    """What this run has written so far, where its answer is kept, None where it is not; and the files that it has read."""

    out: list[str] | None = None
    err: list[str] | None = None
    read: tuple[Path, ...] = ()


def emit(
    kind: str,
    result_format: str,
    output: Path | None,
    value: V,
    render: Callable[[V], Block],
    rows: Callable[[V], Page] | None = None,
) -> None:
    """Writes a result to stdout, or to a file that appears only when it is complete.

    Args:
        kind: the name of its JSON document.
        result_format: text or JSON.
        output: the file; None for stdout.
        value: a view, or rows.
        render: makes the text of it; its JSON needs no telling.
        rows: makes a table of it, for the formats that only tables have.
    """
    if rows is not None and result_format not in {Format.TEXT, Format.JSON}:
        from inkov.render.rows import Wish

        emit_page(rows(value), Wish(), result_format, output)
        return
    if result_format == Format.JSON:
        from inkov.render.jsondoc import document

        put(document(kind, value), output)
        return
    from inkov.render.page import to_text

    width = screen_width(output)
    put(to_text(render(value), color=_color(output), width=width, ascii_only=_ascii(output)), output)


def emit_page(page: Page, wish: Wish, result_format: str, output: Path | None) -> None:
    """Writes a table as text, or for programs in one of the formats that every table has."""
    from inkov.render import rows
    from inkov.render.page import ascii_text

    if result_format in rows.WRITERS:
        put(rows.WRITERS[result_format](page, wish), output)
        return
    text = "".join(f"{line}\n" for line in rows.text(page, wish, screen_width(output), color=_color(output)))
    put(ascii_text(text) if _ascii(output) else text, output)


def screen_width(output: Path | None) -> int | None:
    """Returns the columns of the terminal that a result goes to; None when it goes to a pipe or a file."""
    if output is not None or not sys.stdout.isatty():
        return None
    from inkov.render.page import WIDTH

    return os.get_terminal_size(sys.stdout.fileno()).columns or WIDTH


def _color(output: Path | None) -> bool:
    on_screen = output is None and sys.stdout.isatty()
    return "FORCE_COLOR" in os.environ or (on_screen and "NO_COLOR" not in os.environ)


def _ascii(output: Path | None) -> bool:
    return output is None and "utf" not in (sys.stdout.encoding or "").lower()


def put(text: str, output: Path | None) -> None:
    """Writes text to stdout or, through a temporary file, to `output`.

    Raises:
        BadInput: the file cannot be written, or holds what somebody wrote.
    """
    Working.end()
    if output is None:
        sys.stdout.write(text)
        if Said.out is not None:
            Said.out.append(text)
        return
    put_bytes(text.encode("utf-8"), output)


def put_bytes(data: bytes, output: Path) -> None:
    """Writes data to a file, through a temporary one.

    Raises:
        BadInput: the file cannot be written, or holds what somebody wrote.
    """
    from inkov.formats.results import write_result

    write_result(output, data, read=Said.read)


class Working:
    """The one line on stderr, in a terminal only, that says what a run does while nothing is printed for half a second."""

    _lock = threading.Lock()
    _spoke = 0.0
    _shown = False
    _ended = threading.Event()

    @classmethod
    def start(cls, doing: str) -> None:
        """Shows from a thread of its own how long a command has been working, where nothing tells more."""
        if sys.stderr.isatty():
            cls._spoke = started = time.monotonic()
            cls._ended.clear()
            threading.Thread(target=cls._watch, args=(doing, started), daemon=True).start()

    @classmethod
    def _watch(cls, doing: str, started: float) -> None:
        while not cls._ended.wait(_PATIENCE):
            if time.monotonic() - cls._spoke >= _PATIENCE:
                cls.say(f"{doing}: working, {time.monotonic() - started:.0f} s")

    @classmethod
    def say(cls, text: str) -> None:
        """Shows a text in place of the last."""
        with cls._lock:
            if not cls._ended.is_set() and sys.stderr.isatty():
                cls._spoke, cls._shown = time.monotonic(), True
                sys.stderr.write(f"\r\x1b[K{text}")
                sys.stderr.flush()

    @classmethod
    def end(cls) -> None:
        """Takes the line away for good: what the run prints comes now."""
        cls._ended.set()
        cls.clear()

    @classmethod
    def clear(cls) -> None:
        """Takes the line away for now."""
        with cls._lock:
            cls._spoke = time.monotonic()
            if cls._shown:
                cls._shown = False
                sys.stderr.write("\r\x1b[K")
                sys.stderr.flush()


_PATIENCE = 0.5
"""Seconds without a word after which the line shows."""


class Progress:
    """How far some work has come, on the line on stderr, once it takes longer than half a second."""

    def __init__(self, doing: str = "reading", what: str = "files") -> None:
        self.doing, self.what = doing, what
        self.started = time.monotonic()

    def __call__(self, done: int, total: int) -> None:
        """Shows how far it has come."""
        if time.monotonic() - self.started >= _PATIENCE:
            Working.say(f"{self.doing} {done} of {total} {self.what}")


def complain(text: str) -> None:
    """Writes an error to stderr, its control characters made harmless."""
    from inkov.render.page import clean

    Working.clear()
    for line in text.splitlines():
        sys.stderr.write(clean(line) + "\n")
        if Said.err is not None:
            Said.err.append(clean(line) + "\n")
