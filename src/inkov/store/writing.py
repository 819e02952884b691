"""Files that are written whole or not at all."""

from __future__ import annotations

import errno
import os
import stat
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source
from inkov.store.places import real


def write_text(path: Path, text: str) -> None:
    """Writes a text file as `write_bytes` does, in UTF-8."""
    write_bytes(path, text.encode("utf-8"))


def write_set(texts: Mapping[Path, str]) -> None:
    """Writes text files that belong together, in UTF-8: all of them appear or none, and no folder stays for nothing.

    Raises:
        BadInput: they cannot be written.
    """
    made: list[Path] = []
    scratches: dict[Path, Path] = {}
    here = Path()
    try:
        for name, text in texts.items():
            here = _target(name)
            missing = [p for p in here.parents if not p.exists()]
            for folder in reversed(missing):
                if folder.is_symlink():
                    raise BadInput([Problem(Source(folder.as_posix()), "this link leads nowhere; nothing was written")])
                folder.mkdir()
                made.append(folder)
            if here.is_dir():
                raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
            scratches[here] = scratch = here.with_name(f".{here.name[:100]}.{os.getpid()}")
            scratch.write_text(text, "utf-8", newline="\n")
        for here, scratch in scratches.items():
            scratch.replace(here)
        made.clear()
    except OSError as exc:
        raise BadInput([Problem(Source(here.as_posix()), f"cannot be written: {exc.strerror or 'error'}")]) from None
    finally:
        for undo in [*(s.unlink for s in scratches.values()), *(f.rmdir for f in reversed(made))]:
            with suppress(OSError):
                undo()


def write_bytes(path: Path, data: bytes, mode: int | None = None) -> None:
    """Writes a file through a temporary one beside it, of a link what it leads to; into devices and pipes it writes as it is.

    Args:
        path: the file.
        data: its content.
        mode: who may read and write it; as it is now, or as the user's mask has it for a new file, when left out.

    Raises:
        BadInput: it cannot be written.
    """
    scratch = ""
    try:
        path = _target(path)
        if path.exists() and not path.is_file():
            with path.open("wb") as file:
                file.write(data)
            return
        if mode is None:
            mode = stat.S_IMODE(path.stat().st_mode) if path.exists() else 0o666 & ~_mask()
        with tempfile.NamedTemporaryFile("wb", dir=path.parent, prefix=f".{path.name[:100]}.", delete=False) as made:
            scratch = made.name
            made.write(data)
        Path(scratch).chmod(mode)
        Path(scratch).replace(path)
        scratch = ""
    except OSError as exc:
        raise BadInput([Problem(Source(path.as_posix()), f"cannot be written: {exc.strerror or 'error'}")]) from None
    finally:
        if scratch:
            Path(scratch).unlink(missing_ok=True)


def _target(path: Path) -> Path:
    """Returns the file that is replaced: of a link to a file, or to where none is yet, what it leads to.

    Raises:
        OSError: the link leads to itself.
    """
    if not path.is_symlink() or (path.exists() and not path.is_file()):
        return path
    if (found := real(path)).is_symlink():
        raise OSError(errno.ELOOP, os.strerror(errno.ELOOP))
    return found


def _mask() -> int:
    """Returns the user's mask for new files; there is no way to ask but to set it."""
    mask = os.umask(0o077)
    os.umask(mask)
    return mask
