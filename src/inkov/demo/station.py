"""Writes the demo campus: `as-found` with its faults, `before` last night's, `mended` without any, and changes to rehearse."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Any

from inkov.demo.sources import rewritten
from inkov.formats.ours.yamltext import load
from inkov.formats.reading import Reading
from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source
from inkov.store.writing import write_set


def faults() -> list[dict[str, Any]]:
    """Returns the planted faults: each with `name`, `story`, `edits` of `file`, `mended` and `found` text, perhaps `night`."""
    text = (files("inkov.demo") / "faults.yaml").read_text("utf-8")
    return list(load(text, Reading("faults.yaml"))[0])


def mended() -> dict[str, str]:
    """Returns the files of the station put right: relative path to content."""
    return rewritten(_truth())


def _truth() -> dict[str, str]:
    return dict(_texts(files("inkov.demo") / "quillfin", ""))


def as_found(names: Collection[str] | None = None) -> dict[str, str]:
    """Returns the files of the station with its faults; all of them, or only those named."""
    content = _truth()
    for fault in faults():
        if names is not None and fault["name"] not in names:
            continue
        for edit in fault["edits"]:
            text = content[edit["file"]]
            if text.count(edit["mended"]) != 1:
                raise ValueError(f"{fault['name']}: the mended text is not in {edit['file']} exactly once")
            content[edit["file"]] = text.replace(edit["mended"], edit["found"] or "")
    return rewritten(content)


def before() -> dict[str, str]:
    """Returns the files of the station before last night's edits."""
    return as_found([f["name"] for f in faults() if not f.get("night")])


def _texts(folder: Traversable, base: str) -> Iterator[tuple[str, str]]:
    for entry in sorted(folder.iterdir(), key=lambda e: e.name):
        if entry.is_dir():
            yield from _texts(entry, f"{base}{entry.name}/")
        elif entry.name.endswith((".yaml", ".json", ".csv")):
            yield base + entry.name, entry.read_text("utf-8")


def write(folder: Path) -> None:
    """Writes the stations and the changes below a folder. Running it again changes nothing.

    Raises:
        BadInput: a file there has other content; nothing is written then.
    """
    sides = {
        "as-found": as_found(),
        "before": before(),
        "mended": mended(),
        "changes": dict(_texts(files("inkov.demo") / "changes", "")),
    }
    wanted = {folder / side / name: text for side, content in sides.items() for name, text in content.items()}
    other = [p for p, text in wanted.items() if p.exists() and _read(p) != text]
    if other:
        what = "is there already with other content; name another folder, or remove it"
        raise BadInput(Problem(Source(p.as_posix()), what) for p in other)
    write_set(wanted)


def _read(path: Path) -> str:
    try:
        return path.read_text("utf-8")
    except (OSError, UnicodeDecodeError):
        return ""
