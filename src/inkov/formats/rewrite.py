"""Writes a site with some lists changed into a new folder: all of it, or nothing."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path, PurePosixPath

from inkov.formats.edits import CannotEdit
from inkov.formats.registry import FORMATS, format_of
from inkov.formats.text import encoding
from inkov.model.campus import Campus
from inkov.model.errors import BadInput, Problem
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.source import Source

Check = Callable[[Path], None]
"""Called with the folder before it gets its name; raises BadInput when it is not to stay."""


def settable(campus: Campus, refs: Iterable[PortRef]) -> tuple[list[PortRef], list[str]]:
    """Parts ports by whether their lists stand in files that can be edited, or in what devices told of themselves.

    Returns:
        The ports of the first kind, and the names of the files of the second.
    """
    homes = {ref: file_of(campus, ref) for ref in refs}
    known = {f for f in set(homes.values()) if _editable(Path(campus.files[f]))}
    return [r for r, f in homes.items() if f in known], sorted({f for f in homes.values() if f not in known})


def _editable(path: Path) -> bool:
    chosen = format_of(path.read_bytes()) if path.is_file() else None
    return chosen is not None and chosen.edit is not None


def file_of(campus: Campus, ref: PortRef) -> str:
    """Returns the name of the file that has the allowed list of a port."""
    return campus.switches[ref.switch].ports[ref.port].origin.of(Setting.ALLOWED).file


def rewrite(
    campus: Campus, files: Mapping[str, Path], lists: Mapping[PortRef, str], folder: Path, check: Check
) -> list[str]:
    """Writes a campus with other allowed lists.

    Args:
        campus: as it is now.
        files: its files by the name that sources give them.
        lists: the lists to set, as text.
        folder: where to write; must not exist, or be an empty folder.
        check: looks at the result before it is kept.

    Returns:
        The names of the files that differ, sorted.

    Raises:
        BadInput: the folder is taken, a file cannot be edited, or the check refused. Nothing is left behind.
    """
    edits: dict[str, dict[str, str]] = {}
    for ref, said in lists.items():
        edits.setdefault(file_of(campus, ref), {})[ref.port] = said
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise _problem(folder.as_posix(), "is there already; name a new folder")
    outside = [name for name in files if PurePosixPath(name).is_absolute() or ".." in PurePosixPath(name).parts]
    if outside:
        raise BadInput(
            [
                Problem(Source(name), "lies outside the site's folder, so the copy has no place for it")
                for name in outside
            ]
        )
    folder.parent.mkdir(parents=True, exist_ok=True)
    made = Path(tempfile.mkdtemp(prefix=".inkov-", dir=folder.parent))
    try:
        _write(files, edits, made)
        check(made)
        if folder.exists():
            folder.rmdir()
        made.chmod(0o755)
        made.rename(folder)
    except OSError as exc:
        raise _problem(folder.as_posix(), f"cannot be written: {exc.strerror or 'error'}") from None
    finally:
        shutil.rmtree(made, ignore_errors=True)
    return sorted(edits)


def _write(files: Mapping[str, Path], edits: Mapping[str, Mapping[str, str]], made: Path) -> None:
    problems: list[Problem] = []
    for name, path in files.items():
        data = path.read_bytes()
        if name in edits:
            coding, mark = encoding(data)
            chosen = format_of(data) or FORMATS[0]
            if chosen.edit is None:
                what = f"{chosen.name} tell what a device has; they cannot be edited"
                problems.append(Problem(Source(name), what))
                continue
            try:
                data = mark + chosen.edit(data.removeprefix(mark).decode(coding), edits[name]).encode(coding)
            except CannotEdit as exc:
                problems.append(Problem(Source(name), str(exc)))
        target = made / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
        shutil.copymode(path, target)
    if problems:
        raise BadInput(problems)


def _problem(place: str, what: str) -> BadInput:
    return BadInput([Problem(Source(place), what)])
