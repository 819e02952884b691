"""What Inkov wrote, by path: the digest of each result, so that a file which somebody has changed since is theirs."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from pathlib import Path

from inkov.store.places import real
from inkov.store.writing import write_bytes

_MOST = 4000


def remember(path: Path, data: bytes) -> None:
    """Keeps what was written to a file; where that cannot be kept, the file counts as somebody else's from now on."""
    entry = _entry(path)
    with suppress(OSError):
        entry.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        _forget(entry.parent)
    with suppress(Exception):
        write_bytes(entry, _digest(data).encode(), mode=0o600)


def wrote(path: Path) -> bool:
    """Tells whether a file holds exactly what Inkov wrote into it last."""
    try:
        return _entry(path).read_text("utf-8") == _digest(path.read_bytes())
    except (OSError, UnicodeDecodeError):
        return False


def _entry(path: Path) -> Path:
    from platformdirs import user_state_path

    name = hashlib.sha256(bytes(real(path))).hexdigest()
    return user_state_path("inkov", appauthor=False) / "written" / name


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _forget(folder: Path) -> None:
    """Takes the oldest entries away where there are too many."""
    entries = list(folder.iterdir())
    if len(entries) > _MOST:
        for entry in sorted(entries, key=lambda e: e.stat().st_mtime)[: _MOST // 4]:
            entry.unlink()
