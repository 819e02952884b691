"""The files of a site: which there are, what they are called, and what they hold."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable
from pathlib import Path

from inkov.formats import jsontext, registry
from inkov.formats.format import MEGABYTE, Format
from inkov.formats.ours import reader as ours
from inkov.formats.patterns import distinct
from inkov.formats.reading import Reading
from inkov.formats.text import encoding, utf8

_HEAD = 4096
_MAX_OURS = 4 * MEGABYTE


def walk(folder: Path, reading: Callable[[Path], Reading]) -> list[Path]:
    """Returns the files below a folder in a fixed order; hidden folders and links to folders are left out.

    Args:
        folder: where to look.
        reading: makes what is told of folders that cannot be looked into, and of links.
    """

    def unreadable(exc: OSError) -> None:
        reading(Path(exc.filename)).wrong(f"cannot be read: {exc.strerror or 'error'}")

    found: list[Path] = []
    for where, folders, files in os.walk(folder, onerror=unreadable, followlinks=False):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in folders:
            if (Path(where) / name).is_symlink():
                reading(Path(where) / name).note("passed over; it is a link to a folder")
        for name in sorted(files):
            path = Path(where) / name
            if path.is_file():
                found.append(path)
            elif path.suffix.lower() in registry.ENDINGS and not path.exists():
                reading(path).wrong("cannot be read: it is a link that leads nowhere")
    return distinct(found)


def counts(folder: Path, enough: int = 10_000) -> tuple[dict[str, int], bool]:
    """Looks at what a folder holds by the first bytes of its files, and reads none.

    Args:
        folder: where to look, below it too.
        enough: files after which it stops.

    Returns:
        How many files there are of each format that is found, and whether a campus file is among them.
    """
    found: dict[str, int] = {}
    campus = False
    for n, path in enumerate(walk(folder, lambda path: Reading(path.as_posix()))):
        if n >= enough:
            break
        try:
            if says_campus(path):
                campus = True
            elif path.suffix.lower() in registry.ENDINGS:
                with path.open("rb") as file:
                    kind = registry.format_of(file.read(_MAX_OURS))
                found |= {kind.name: found.get(kind.name, 0) + 1} if kind else {}
        except (OSError, UnicodeDecodeError):
            continue
    return found, campus


def shown(path: Path, base: Path) -> str:
    """Returns a file's name as sources give it: below the site's folder, with forward slashes, and always text."""
    name = path.as_posix().removeprefix(f"{base.as_posix()}/")
    return os.fsencode(name).decode("utf-8", "backslashreplace")


def is_campus_file(path: Path) -> bool:
    """Tells whether a path is a file that says at its top that it is a campus file; what cannot be read says nothing."""
    return path.is_file() and says_campus(path)


def says_campus(path: Path) -> bool:
    """Tells whether a file says at its top that it is a campus file; what cannot be read says nothing."""
    try:
        with path.open("rb") as file:
            data = file.read(_HEAD)
            if b"\0" in data and encoding(data)[1] == b"":
                return False
            if len(data) == _HEAD and b"inkov" not in data and any(f.recognise(data) for f in registry.FORMATS[1:]):
                return False
            if os.fstat(file.fileno()).st_size > _MAX_OURS:
                return ours.kind(utf8(data)) == "campus"
            data += file.read(_MAX_OURS)
    except (OSError, UnicodeDecodeError):
        return False
    return ours.kind(utf8(data)) == "campus"


def content(path: Path, reading: Reading, *, asked_for: bool) -> tuple[bytes, Format] | None:
    """Returns the content of a file and its format; None for a file that nobody asked for and that is none of ours.

    Raises:
        BadInput: it is a configuration that is too large or in no certain encoding, or was asked for and is none.
        OSError: it cannot be read.
    """
    state = path.stat()
    if not stat.S_ISREG(state.st_mode):
        raise reading.fail("this is no file")
    with path.open("rb") as file:
        data = file.read(_HEAD)
        binary = b"\0" in data and encoding(data)[1] == b""
        if (not binary or registry.binary(data)) and state.st_size <= registry.most(data):
            data += file.read()
    try:
        found = registry.binary(data) or registry.format_of(data.replace(b"\0", b"") if binary else data)
    except UnicodeDecodeError:
        raise reading.fail("this is not text in the encoding that its first bytes name") from None
    if found is None:
        _pass_over(path, data, reading, asked_for=asked_for)
        return None
    if state.st_size > found.most:
        raise reading.fail(f"larger than {found.most // MEGABYTE} MB; this is no switch configuration")
    if binary and not found.binary:
        raise reading.fail("this is not UTF-8 text; save it as UTF-8")
    return data, found


def _pass_over(path: Path, data: bytes, reading: Reading, *, asked_for: bool) -> None:
    if asked_for:
        if path.stat().st_size > registry.MOST:
            raise reading.fail(f"larger than {registry.MOST // MEGABYTE} MB; this is no switch configuration")
        raise reading.fail(f"this is not a configuration; expected {registry.EXPECTED}")
    if path.suffix.lower() not in registry.ENDINGS or ours.of_runs(data):
        return
    if path.stat().st_size > registry.MOST:
        reading.note(f"passed over; larger than {registry.MOST // MEGABYTE} MB and no switch configuration")
        return
    if path.suffix.lower() == ".json":
        jsontext.values(utf8(data), reading)  # what is cut short may have been an export
    reading.note("passed over; it is not a switch configuration")


def is_configuration(path: Path) -> bool:
    """Tells whether a file is there that a site may be made of, or the start of one; what cannot be read is not known."""
    try:
        if not path.is_file():
            return False
        with path.open("rb") as file:
            return registry.format_of(file.read(registry.MOST)) is not None
    except (OSError, UnicodeDecodeError):
        return False
