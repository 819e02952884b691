"""Where files truly lie, where a site is kept in the cache, and which of what lies there is the user's own."""

from __future__ import annotations

import os
import stat
from hashlib import blake2b
from pathlib import Path

_DIGEST = 32


def real(path: Path) -> Path:
    """Returns where a path leads over all links; a link that leads to itself leads nowhere else.

    `Path.resolve` raises `RuntimeError` for such links, which no caller expects.
    """
    return Path(os.path.realpath(path))


def site_folder(cache_folder: Path, site: Path) -> Path:
    """Returns the folder of what is kept of a site."""
    return cache_folder / blake2b(os.fsencode(real(site)), digest_size=12).hexdigest()


def private(path: Path) -> bool:
    """Tells whether a file or folder belongs to the user and nobody else may write to it."""
    state = path.lstat()
    return not stat.S_ISLNK(state.st_mode) and state.st_uid == os.geteuid() and not state.st_mode & 0o022
