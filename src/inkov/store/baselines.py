"""Baselines: what an audit found before, so that the next reports only what is new."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source
from inkov.store.documents import json_text, read_json


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


def baseline_text(findings: Iterable[Known]) -> str:
    """Returns findings as a baseline, sorted, so that it can be kept and compared, with the digest of what it says."""
    rows = [f._asdict() for f in sorted(findings, key=lambda f: (f.rule, f.place))]
    return json_text({"inkov": "baseline", "digest": _digest(rows), "findings": rows})


def is_unchanged(path: Path) -> bool:
    """Tells whether nobody has changed a baseline since it was written."""
    try:
        ((_, document),) = read_json([path], "a baseline")
        return path.read_text("utf-8") == json_text({**document, "digest": _digest(document["findings"])})
    except (BadInput, OSError, TypeError, KeyError, ValueError):
        return False


def _digest(rows: object) -> str:
    return hashlib.sha256(json_text(rows).encode()).hexdigest()
