"""JSON documents that runs keep, such as certificates."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import orjson

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source

_MAX_BYTES = 256 * 1024 * 1024


def digest(path: Path) -> str:
    """Returns the SHA-256 digest of a file."""
    return hashlib.sha256(path.read_bytes()).hexdigest()


def json_text(document: object) -> str:
    """Returns a document as it is kept: indented, for people and for what compares lines."""
    return orjson.dumps(document, option=orjson.OPT_INDENT_2).decode() + "\n"


def read_json(paths: Iterable[Path], what: str) -> list[tuple[Path, Any]]:
    """Reads JSON files that should be something, such as a certificate.

    Raises:
        BadInput: some cannot be read, or are no JSON; all of them at once.
    """
    made: list[tuple[Path, Any]] = []
    problems: list[Problem] = []
    for path in paths:
        try:
            if path.stat().st_size > _MAX_BYTES:
                problems.append(Problem(Source(path.as_posix()), f"larger than 256 MB; this is not {what}"))
                continue
            made.append((path, json.loads(path.read_text("utf-8"))))
        except OSError as exc:
            problems.append(Problem(Source(path.as_posix()), f"cannot be read: {exc.strerror or 'error'}"))
        except (ValueError, RecursionError):
            problems.append(Problem(Source(path.as_posix()), f"this is no JSON; expected {what}"))
    if problems:
        raise BadInput(problems)
    return made
