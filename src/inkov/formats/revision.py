"""Campuses of a revision: the files of a tree of a git repository, read through git itself; nothing is checked out."""

from __future__ import annotations

import io
import os
import re
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source

_REVISION = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_./@{}~^+-]*\Z")
_MOST = 512 * 1024 * 1024
_QUIET = {  # what reading objects could otherwise set off: fetching what is missing, asking for words, checking signatures
    "GIT_NO_LAZY_FETCH": "1",
    "GIT_TERMINAL_PROMPT": "0",
    "GIT_OPTIONAL_LOCKS": "0",
}


@contextmanager
def folder_of(text: str, like: str = "") -> Iterator[Path]:
    """Gives the folder or file that a text stands for: a path, or `REV` or `REV:path` of the repository one is in.

    A revision's files are put into a temporary folder, which is gone afterwards; what is wrong in them is told under the
    name that the text gives them.

    Args:
        text: what a person typed.
        like: what it is compared with: `REV` alone is the same folder or file in that revision, without one the folder
            one is in.

    Raises:
        BadInput: there is no such path and no such revision, or git is missing.
    """
    if Path(text).exists():
        yield Path(text)
        return
    revision, named, path = text.partition(":")
    if not _REVISION.match(revision) or ".." in revision:
        raise _problem(text, "there is no such file or folder")
    known = _git("rev-parse", "--verify", "--quiet", f"{revision}^{{commit}}")
    if known is None:
        raise _problem(text, "there is no such file, folder or revision")
    if like and not named and Path(like).exists():
        inside = _from_top(like)
    else:
        prefix = (_git("rev-parse", "--show-prefix") or b"").decode().strip().rstrip("/")
        inside = "/".join(part for part in (prefix, path.strip("/")) if part)
    tree = f"{known.decode().strip()}:{inside}"
    kind = _git("cat-file", "-t", tree)
    if kind is None:
        raise _problem(text, f"there is no {inside or 'folder'!r} in revision {revision}")
    with tempfile.TemporaryDirectory(prefix="inkov-") as made:
        target = Path(made) / (Path(inside).name or "site")
        if kind.strip() == b"blob":
            target.write_bytes(_git("cat-file", "blob", tree) or b"")
        else:
            target.mkdir()
            top = (_git("rev-parse", "--show-toplevel") or b".").decode().strip()  # from elsewhere it packs less
            packed = _git("-C", top or ".", "archive", "--format=tar", tree)
            if packed is None:
                raise _problem(text, "cannot be read by git")
            with tarfile.open(fileobj=io.BytesIO(packed)) as tar:
                tar.extractall(target, filter="data")
        try:
            yield target
        except BadInput as exc:
            named_so = (replace(p.source, file=p.source.file.replace(target.as_posix(), text)) for p in exc.problems)
            raise BadInput(map(Problem, named_so, (p.what for p in exc.problems))) from None


def log(site: str, most: int) -> list[tuple[str, str, str]]:
    """Returns the last revisions that touched a folder or file, the oldest first: (hash, date, subject).

    Args:
        site: inside of the repository one is in.
        most: how many.

    Raises:
        BadInput: there is no such path, no repository, no revision of it, or no git.
    """
    path = Path(site)
    if not path.exists():
        raise _problem(site, "there is no such file or folder")
    told = _git("log", "--no-show-signature", f"-{most}", "--format=%h%x00%cs%x00%s", "--", path.resolve().as_posix())
    if told is None:
        raise _problem(site, "is not in a git repository")
    rows = [line.split("\0") for line in told.decode("utf-8", "replace").splitlines()]
    found = [(r[0], r[1], r[2]) for r in rows if len(r) == 3]
    if not found:
        raise _problem(site, "no revision holds it")
    return found[::-1]


def _from_top(site: str) -> str:
    """Returns how trees of the repository one is in call a path; nothing for the whole, and for what is not in it."""
    top = (_git("rev-parse", "--show-toplevel") or b"").decode().strip()
    own, whole = Path(site).resolve(), Path(top).resolve()
    return own.relative_to(whole).as_posix() if top and whole in own.parents else ""


def _git(*args: str) -> bytes | None:
    """Runs git; None when it says no.

    Raises:
        BadInput: git is not there.
    """
    try:
        done = subprocess.run(  # noqa: S603 - fixed words
            ["git", *args],  # noqa: S607 - the git that is installed
            capture_output=True,
            check=False,
            timeout=120,
            env={**os.environ, **_QUIET},
        )
    except FileNotFoundError:
        raise _problem("git", "is not installed; revisions are read through it") from None
    except subprocess.TimeoutExpired:
        raise _problem("git", "did not answer within two minutes") from None
    return done.stdout if done.returncode == 0 and len(done.stdout) <= _MOST else None


def _problem(place: str, what: str) -> BadInput:
    return BadInput([Problem(Source(place), what)])
