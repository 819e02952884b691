"""Baselines: what an audit found before, so that the next reports only what is new."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source
from inkov.store.documents import json_text, read_json
from inkov.store.writing import write_text


class Known(NamedTuple):
    """A finding as a baseline keeps it: what it is known by, its rule and its place."""

    id: str
    rule: str
    place: str


def read_baseline(path: Path) -> frozenset[str]:
    """Returns the identities of the findings in a baseline.

    Raises:
        BadInput: the file is no baseline.
    """
    ((_, document),) = read_json([path], "a baseline")
    try:
        if document["inkov"] == "baseline":
            return frozenset(str(row["id"]) for row in document["findings"])
    except (TypeError, KeyError):
        pass
    raise BadInput([Problem(Source(path.as_posix()), "this is no baseline; 'inkov audit --write-baseline' writes one")])


def write_baseline(findings: Iterable[Known], path: Path) -> None:
    """Writes findings as a baseline, sorted, so that it can be kept and compared.

    Raises:
        BadInput: the file cannot be written.
    """
    rows = [f._asdict() for f in sorted(findings, key=lambda f: (f.rule, f.place))]
    write_text(path, json_text({"inkov": "baseline", "findings": rows}))
