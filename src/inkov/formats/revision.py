"""Campuses of a revision: the files of a tree of a git repository, as its objects hold them; nothing is checked out.

Trees are listed and blobs are read one by one. No attribute, filter or link of the tree has a say in what they hold, no program
that the repository's configuration names is started, and sizes are known before anything is read.
"""

from __future__ import annotations

import os
import re
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from threading import Timer
from typing import Final, NamedTuple, Self

from inkov.formats import registry
from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source
from inkov.store.places import real

_REVISION = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_./@{}~^+-]*\Z")
_MOST: Final = 512 * 1024 * 1024
_MOST_FILES: Final = 100_000
_MOST_LISTED: Final = 64 * 1024 * 1024
_SECONDS: Final = 120
_LINK: Final = "120000"
_POINTER: Final = b"version https://git-lfs"
"""What a file begins with that stands for one in a store of large files."""

_QUIET: Final = {  # what reading objects could otherwise set off: fetching what is missing, asking for words, other objects
    "GIT_NO_LAZY_FETCH": "1",
    "GIT_ALLOW_PROTOCOL": "none",
    "GIT_TERMINAL_PROMPT": "0",
    "GIT_OPTIONAL_LOCKS": "0",
    "GIT_NO_REPLACE_OBJECTS": "1",
    "GIT_PAGER": "cat",
    "LC_ALL": "C",
}
_NO_PROGRAMS: Final = ("-c", "core.fsmonitor=false", "-c", "core.sshCommand=false", "-c", "protocol.allow=never")
"""What the configuration of a repository may name to be started."""


class Entry(NamedTuple):
    """A file of a tree: its mode, kind and object as git spells them, its size in bytes, and its path below the tree."""

    mode: str
    kind: str
    hash: str
    size: int
    path: str


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
        BadInput: there is no such path and no such revision, git is missing, or the revision holds a link, a submodule or a
            pointer where a configuration may be: these are not read.
    """
    if Path(text).exists():
        yield Path(text)
        return
    revision, named, path = text.partition(":")
    if not _REVISION.match(revision) or ".." in revision:
        raise _problem(text, "there is no such file or folder")
    known = _git("rev-parse", "--verify", "--quiet", "--end-of-options", f"{revision}^{{commit}}", place=text)
    if known is None:
        raise _problem(text, f"there is no such file, folder or revision{_shallow()}")
    if like and not named and Path(like).exists():
        inside = _from_top(like)
    else:
        prefix = os.fsdecode(_git("rev-parse", "--show-prefix", place=text) or b"").strip().rstrip("/")
        inside = "/".join(part for part in (prefix, path.strip("/")) if part)
    tree = f"{known.decode().strip()}:{inside}"
    kind = _git("cat-file", "-t", tree, place=text)
    if kind is None:
        raise _problem(text, f"there is no {inside or 'folder'!r} in revision {revision}")
    with tempfile.TemporaryDirectory(prefix="inkov-") as made:
        target = Path(made) / (Path(inside).name or "site")
        if kind.strip() == b"blob":
            own = (_git("rev-parse", "--verify", "--end-of-options", tree, place=text) or b"").decode().strip()
            _write(text, [Entry("100644", "blob", own, 0, "")], target)
        else:
            target.mkdir()
            _write(text, _listed(text, tree), target)
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
    words = ("log", "--no-show-signature", "--no-mailmap", f"-{most}", "--format=%h%x00%cs%x00%s", "--")
    told = _git(*words, real(path).as_posix(), place=site)
    if told is None:
        raise _problem(site, "is not in a git repository")
    rows = [line.split("\0") for line in told.decode("utf-8", "replace").splitlines()]
    found = [(r[0], r[1], r[2]) for r in rows if len(r) == 3]
    if not found:
        raise _problem(site, f"no revision holds it{_shallow()}")
    return found[::-1]


# -- trees -----------------------------------------------------------------------------------------------


def _listed(text: str, tree: str) -> list[Entry]:
    """Lists the files of a tree and of all below it.

    Raises:
        BadInput: it cannot be listed, holds too much, or a path that is no text or leads elsewhere.
    """
    told = _git("ls-tree", "-r", "-z", "-l", "--full-tree", tree, most=_MOST_LISTED, place=text)
    if told is None:
        raise _problem(text, "cannot be read by git, or lists too many files; name the folder of the site, as REV:path")
    found, problems = [], []
    for row in told.split(b"\0"):
        head, tab, name = row.partition(b"\t")
        if not tab:
            continue
        mode, kind, own, size = head.decode("ascii").split()
        try:
            path = name.decode("utf-8")
        except UnicodeDecodeError:
            shown = name.decode("utf-8", "backslashreplace")
            problems.append(Problem(Source(f"{text}/{shown}"), "this path is not UTF-8 text; rename the file"))
            continue
        if any(part in {"", ".", ".."} for part in path.split("/")):
            problems.append(Problem(Source(f"{text}/{path}"), "this path leads out of its folder"))
            continue
        found.append(Entry(mode, kind, own, int(size) if size.isdigit() else 0, path))
    if len(found) > _MOST_FILES or sum(e.size for e in found) > _MOST:
        most = f"{_MOST_FILES:,} files or {_MOST // 1024 // 1024} MB"
        raise _problem(text, f"holds more than {most}; name the folder of the site, as REV:path")
    if problems:
        raise BadInput(problems)
    return found


def _write(text: str, entries: list[Entry], target: Path) -> None:
    """Writes the files of a tree below a folder; one of no path is the folder itself, as a file.

    Raises:
        BadInput: some of them are not read, or cannot be written.
    """
    problems: list[Problem] = []

    def wrong(entry: Entry, what: str) -> None:
        problems.append(Problem(Source(f"{text}/{entry.path}" if entry.path else text), what))

    with _Blobs(text) as blobs:
        for entry in entries:
            if why := _left_out(entry):
                wrong(entry, why)
            elif entry.mode != _LINK:
                data = blobs.read(entry.hash)
                if data.startswith(_POINTER) and len(data) < 1024:
                    wrong(entry, "not read: it stands for a file in a store of large files")
                elif why := _put(data, target / entry.path if entry.path else target):
                    wrong(entry, why)
    if problems:
        raise BadInput(problems)


def _left_out(entry: Entry) -> str:
    """Says why an entry that may be a configuration is not read; empty where it is, or is none."""
    if entry.kind != "blob":
        return "not read: it is a submodule, whose files are in another repository"
    if entry.mode == _LINK and Path(entry.path).suffix.lower() in registry.ENDINGS:
        return "not read: it is a link, and links of revisions are not followed"
    return ""


def _put(data: bytes, path: Path) -> str:
    """Writes a file below the temporary folder; says why it cannot."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    except OSError as exc:
        return f"cannot be read: {exc.strerror or 'error'}"
    return ""


class _Blobs:
    """Reads blobs through one git that waits for their names."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._git = subprocess.Popen(  # noqa: S603 - fixed words
            ["git", *_NO_PROGRAMS, "cat-file", "--batch"],  # noqa: S607 - the git that is installed
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env={**os.environ, **_QUIET},
        )
        self._watch = Timer(_SECONDS, self._git.kill)
        self._watch.start()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._watch.cancel()
        self._git.kill()
        self._git.communicate()

    def read(self, name: str) -> bytes:
        """Returns what a blob holds.

        Raises:
            BadInput: it is not there.
        """
        into, out = self._git.stdin, self._git.stdout
        if into is None or out is None:
            raise _problem(self._text, "cannot be read by git")
        try:
            into.write(f"{name}\n".encode())
            into.flush()
            head = out.readline().split()
        except BrokenPipeError:
            head = []
        if len(head) != 3 or head[1] != b"blob" or int(head[2]) > _MOST:
            raise _problem(self._text, f"cannot be read by git{_shallow()}")
        data = out.read(int(head[2]))
        out.read(1)
        return data


# -- git -------------------------------------------------------------------------------------------------


def _from_top(site: str) -> str:
    """Returns how trees of the repository one is in call a path; nothing for the whole, and for what is not in it."""
    top = os.fsdecode(_git("rev-parse", "--show-toplevel", place=site) or b"").strip()
    own, whole = real(Path(site)), real(Path(top))
    return own.relative_to(whole).as_posix() if top and whole in own.parents else ""


def _shallow() -> str:
    """Says that a clone holds the last revisions only, where it does."""
    told = _git("rev-parse", "--is-shallow-repository", place="git")
    return (
        "; this clone holds the last revisions only: 'git fetch --unshallow' gets the others"
        if told == b"true\n"
        else ""
    )


def _git(*args: str, place: str, most: int = _MOST_LISTED) -> bytes | None:
    """Runs git; None when it says no, or says more than is read.

    Raises:
        BadInput: git is not there, or does not trust the repository.
    """
    try:
        with (
            tempfile.TemporaryFile() as complaints,
            subprocess.Popen(  # noqa: S603 - fixed words
                ["git", *_NO_PROGRAMS, *args],  # noqa: S607 - the git that is installed
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=complaints,
                env={**os.environ, **_QUIET},
            ) as git,
        ):
            watch = Timer(_SECONDS, git.kill)
            watch.start()
            try:
                told = git.stdout.read(most + 1) if git.stdout else b""
                if len(told) > most:
                    git.kill()
                code = git.wait()
            finally:
                watch.cancel()
            complaints.seek(0)
            why = complaints.read(4096)
    except FileNotFoundError:
        raise _problem("git", "is not installed; revisions are read through it") from None
    if b"dubious ownership" in why:
        folder = (re.search(rb"repository at '([^']*)'", why) or [b"", b"."])[1].decode("utf-8", "backslashreplace")
        raise _problem(
            place,
            f"git does not read {folder}, which belongs to another user; if you trust it: "
            f"git config --global --add safe.directory {folder}",
        )
    return told if code == 0 and len(told) <= most else None


def _problem(place: str, what: str) -> BadInput:
    return BadInput([Problem(Source(place), what)])
