"""Where results go: one place decides what may be written over.

What somebody wrote is never written over, and nothing forces it: a file that this run has read, a configuration, a change, a list, or any
file that is there and that Inkov did not write as it is now.
"""

from __future__ import annotations

import tempfile
from collections.abc import Collection, Mapping
from pathlib import Path
from typing import Final

from inkov.formats.folder import is_configuration
from inkov.formats.ours import reader as ours
from inkov.formats.text import utf8
from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source
from inkov.store import ledger
from inkov.store.baselines import is_unchanged
from inkov.store.places import real
from inkov.store.writing import write_bytes, write_set

_KEPT: Final = frozenset({"switch", "campus", "change", "baseline", "certificate"})
"""The kinds of our own files that a result of another kind never replaces."""

_NOT_OURS: Final = "is there already, and Inkov did not write it or somebody has changed it since; name another file"


def write_result(path: Path, data: bytes, *, kind: str = "", read: Collection[Path] = ()) -> None:
    """Writes a result into a file: whole or not at all.

    Args:
        path: the file; of a link, what it leads to.
        data: its content.
        kind: which of our own files it is; empty for a result.
        read: the files that this run has read.

    Raises:
        BadInput: it cannot be written, or would write over what is not Inkov's.
    """
    if why := _refused(path, kind, read):
        raise BadInput([Problem(Source(path.as_posix()), why)])
    write_bytes(path, data)
    if path.is_file():
        ledger.remember(path, data)


def write_results(texts: Mapping[Path, str], *, kind: str) -> None:
    """Writes files that belong together: all of them or none.

    Raises:
        BadInput: as `write_result`; with all that stands in the way.
    """
    refused = [Problem(Source(p.as_posix()), why) for p in texts if (why := _refused(p, kind, ()))]
    if refused:
        raise BadInput(refused)
    _write_all(texts)


def _write_all(texts: Mapping[Path, str]) -> None:
    write_set(texts)
    for path, text in texts.items():
        ledger.remember(path, text.encode("utf-8"))


def write_folder(folder: Path, texts: Mapping[str, str], *, read: Collection[Path]) -> None:
    """Writes a folder of configurations, once it is sure that they can be read back.

    A folder that is there must hold nothing but what was written so before.

    Raises:
        BadInput: the folder holds something else, cannot be written, or what it would hold cannot be read.
    """
    _read_back(texts)
    old = [p for p in sorted(folder.rglob("*")) if not p.is_dir()] if folder.exists() else []
    own = {real(p) for p in read}
    foreign = next((p for p in old if real(p) in own or not ledger.wrote(p)), None)
    if foreign is not None or (folder.exists() and not folder.is_dir()):
        what = f"and holds {foreign.name}, which Inkov did not write so" if foreign else "and is no folder"
        raise BadInput([Problem(Source(folder.as_posix()), f"is there already, {what}; name a new folder")])
    files = {folder / name: text for name, text in texts.items()}
    _write_all(files)
    for path in old:
        if path not in files:
            path.unlink()


def _read_back(texts: Mapping[str, str]) -> None:
    from inkov.formats.site import load_files

    with tempfile.TemporaryDirectory(prefix="inkov-") as made:
        for name, text in texts.items():
            (Path(made) / name).write_text(text, "utf-8", newline="\n")
        load_files(made)


def _refused(path: Path, kind: str, read: Collection[Path]) -> str:
    """Says why a file is not written over; empty where it may be."""
    try:
        if not path.is_file() or not path.stat().st_size:
            return ""
        if real(path) in {real(p) for p in read}:
            return "was read by this run, which would write over it; name another file"
        there = ours.kind(utf8(path.read_bytes()))
    except (OSError, UnicodeDecodeError):
        there = None
    if there in _KEPT and there != kind:
        word = "configuration" if there in {"switch", "campus"} else there
        return f"holds a {word}, which this would write over; name another file"
    if there is None and is_configuration(path):
        return "holds a configuration, which this would write over; name another file"
    if ledger.wrote(path) or (kind == there == "certificate"):
        return ""
    return "" if kind == there == "baseline" and is_unchanged(path) else _NOT_OURS
