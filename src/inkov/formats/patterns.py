"""Which files are meant: by patterns of names, as a campus file lists its switches, and each once by whatever names it has."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from inkov.store.places import real


def matching(home: Path, pattern: str) -> list[Path]:
    """Returns the files that a pattern fits; it does not follow links to folders, which a path that is no pattern does."""
    try:
        found = [p for p in home.glob(pattern) if p.is_file()]
    except (ValueError, NotImplementedError):
        return []
    is_pattern = any(c in pattern for c in "*?[")
    return [p for p in found if not (is_pattern and _through_link(p, home))]


def _through_link(path: Path, home: Path) -> bool:
    return any(p.is_symlink() for p in path.parents if p != home and home in p.parents)


def distinct(paths: Iterable[Path]) -> list[Path]:
    """Returns files in the order of their paths, each once: one that links lead to goes by its own path.

    Numbers of files are believed of hard links alone, as some file systems have one number for many files.
    """
    own: dict[object, Path] = {}
    for path in sorted(paths, key=lambda p: (p.is_symlink(), p)):
        with suppress(FileNotFoundError):  # it went away meanwhile
            state = path.stat()
            own.setdefault((state.st_dev, state.st_ino) if state.st_nlink > 1 else real(path), path)
    return sorted(own.values())
