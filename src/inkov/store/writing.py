"""Files that are written whole or not at all."""

from __future__ import annotations

import tempfile
from pathlib import Path

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source


def write_text(path: Path, text: str) -> None:
    """Writes a text file as `write_bytes` does, in UTF-8."""
    write_bytes(path, text.encode("utf-8"))


def write_bytes(path: Path, data: bytes) -> None:
    """Writes a file through a temporary one beside it.

    Raises:
        BadInput: it cannot be written.
    """
    try:
        with tempfile.NamedTemporaryFile("wb", dir=path.parent, prefix=f".{path.name}.", delete=False) as file:
            file.write(data)
        Path(file.name).chmod(0o644)
        Path(file.name).replace(path)
    except OSError as exc:
        raise BadInput([Problem(Source(path.as_posix()), f"cannot be written: {exc.strerror or 'error'}")]) from None
