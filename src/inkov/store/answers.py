"""What commands said, kept by all that it hangs on, so that the same question about the same files is answered at once.

An answer hangs on what was asked, on the code, and on every file of the site: their names and what they hold. Anything
that does not fit means that there is none. The folder is the site's folder of packs, safe to delete at any time.
"""

from __future__ import annotations

import contextlib
import json
import os
import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from hashlib import blake2b
from itertools import chain
from pathlib import Path
from typing import Final, NamedTuple

from inkov.model.errors import BadInput
from inkov.store.places import private, site_folder
from inkov.store.writing import write_bytes

_SUFFIX: Final = ".answer"
_DIGEST: Final = 32
_MOST_BYTES: Final = 32_000_000
"""Larger answers are not kept."""
_MOST_READ: Final = 1_000_000_000
"""Nothing is kept of folders that hold more."""
_MOST_KEPT: Final = 8
"""So many answers of a site are kept, the latest."""


class Answer(NamedTuple):
    """What a command wrote to stdout and to stderr, and its exit code."""

    out: str
    err: str
    code: int


@dataclass(frozen=True, slots=True)
class Question:
    """A question about the files of some folders.

    Attributes:
        place: the file that its answer is kept in.
        files: the files that the answer may hang on, as they were named.
    """

    place: Path
    files: frozenset[Path]

    def find(self) -> Answer | None:
        """Returns the answer, if an earlier run gave it."""
        try:
            if not private(self.place):
                return None
            data = self.place.read_bytes()
            body = data[_DIGEST:]
            if blake2b(body, digest_size=_DIGEST).digest() != data[:_DIGEST]:
                return None
            row = json.loads(body)
        except (OSError, ValueError, RecursionError):
            return None
        match row:
            case [str(out), str(err), int(code)]:
                return Answer(out, err, code)
            case _:
                return None

    def keep(self, answer: Answer) -> None:
        """Writes the answer; one that cannot be written is no error."""
        body = json.dumps(answer, ensure_ascii=True).encode()
        if len(body) > _MOST_BYTES:
            return
        folder = self.place.parent
        with contextlib.suppress(OSError, BadInput):
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            if not private(folder):
                return
            write_bytes(self.place, blake2b(body, digest_size=_DIGEST).digest() + body, mode=0o600)
            kept = sorted(folder.glob(f"*{_SUFFIX}"), key=lambda p: p.stat().st_mtime_ns, reverse=True)
            for old in kept[_MOST_KEPT:]:
                old.unlink(missing_ok=True)


def question(cache_folder: Path, sites: Sequence[Path], about: object) -> Question | None:
    """Returns a question; None where a file cannot be read, or there is more than is worth it, so that each run must look itself.

    Args:
        cache_folder: the folder of all sites.
        sites: the folders that are asked about; what is kept is kept with the first.
        about: all else that the answer hangs on.
    """
    folder = site_folder(cache_folder, sites[0])
    if any(p.exists() and not private(p) for p in (cache_folder, folder)):
        return None
    digest = blake2b(f"{_code()}\0{about!r}\0".encode("utf-8", "surrogatepass"), digest_size=16)
    seen = []
    left = _MOST_READ
    try:
        for path, linked in chain.from_iterable(map(_below, sites)):
            digest.update(os.fsencode(path) + (b"\0link\0" if linked else b"\0"))
            if not path.is_file():
                continue
            left -= path.stat().st_size
            if left < 0:
                return None
            data = path.read_bytes()
            digest.update(f"{len(data)}\0".encode())
            digest.update(data)
            seen.append(path)
    except OSError:
        return None
    return Question(folder / f"{digest.hexdigest()}{_SUFFIX}", frozenset(seen))


def _below(site: Path) -> Iterator[tuple[Path, bool]]:
    """Yields all that is below a folder but for hidden folders, in a fixed order, and whether it is a link.

    Raises:
        OSError: a folder cannot be looked into.
    """

    def unreadable(exc: OSError) -> None:
        raise exc

    for where, folders, files in os.walk(site, onerror=unreadable, followlinks=False):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in (*folders, *sorted(files)):
            path = Path(where) / name
            yield path, path.is_symlink()


@cache
def _code() -> str:
    """Returns what tells this code, and what runs it, from any other."""
    seen = []
    for where, folders, names in os.walk(Path(__file__).parent.parent):
        folders[:] = sorted(f for f in folders if f != "__pycache__")
        for name in sorted(names):
            state = (Path(where) / name).stat()
            seen.append((name, state.st_size, state.st_mtime_ns))
    return repr((sys.version, seen))
