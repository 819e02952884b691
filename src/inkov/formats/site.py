"""A site (a folder, a campus file or one switch file) to a campus. Files are recognised by content."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from inkov.formats import exports, folder, registry
from inkov.formats.format import Content, Given, Part
from inkov.formats.reading import Reading
from inkov.model.campus import Campus, Common
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.names import natural
from inkov.model.source import Source
from inkov.model.switch import Switch
from inkov.store.parsed import Entry, Parsed

if TYPE_CHECKING:
    from inkov.formats.campus_file import CampusFile

Progress = Callable[[int, int], None]
"""Called with (files read, files in all)."""


def load(site: str | os.PathLike[str], progress: Progress | None = None) -> Campus:
    """Reads a campus from a folder, a campus file or a single switch file.

    A folder with one campus file is that campus; a folder without one is a campus of all switches in it.
    Cost is linear in the size of the files.

    Args:
        site: the folder or file.
        progress: called after each file.

    Raises:
        BadInput: anything wrong in any file; all problems at once, in file order.
    """
    return load_files(site, progress=progress)[0]


def load_files(
    site: str | os.PathLike[str],
    more: Iterable[Path] = (),
    progress: Progress | None = None,
    cache: Path | None = None,
    *,
    strict: bool = True,
    allow_outside: bool = False,
) -> tuple[Campus, Mapping[str, Path]]:
    """Reads a campus as `load` does, and further switch files with it.

    Args:
        site: as for `load`.
        more: further switch files.
        progress: as for `load`.
        cache: folder of what earlier runs read; files that are as they were then are not read again.
        strict: raise for a switch file that cannot be read; otherwise go on without it, and tell in `Campus.unread`.
        allow_outside: read lists and switch files that a campus file names outside its folder, too.

    Returns:
        The campus, and every file that it was made from, by the name that sources give it.

    Raises:
        BadInput: as `load`.
    """
    with _no_garbage_collection():
        parsed = Parsed.of_site(cache, Path(site))
        loader = _Loader(Path(site), progress, parsed, strict, allow_outside, tuple(more))
        loader.notes += [parsed.note] if parsed.note else []
        made = loader.campus()
        parsed.close()
        return made, loader.files


@contextmanager
def _no_garbage_collection() -> Iterator[None]:
    """Reading makes a million small objects and no cycles; collecting them in between doubles the time."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


@dataclass(slots=True)
class _Loader:
    site: Path
    progress: Progress | None
    parsed: Parsed
    strict: bool = True
    allow_outside: bool = False
    more: tuple[Path, ...] = ()
    problems: list[Problem] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    switches: dict[str, Switch] = field(default_factory=dict)
    saved: dict[str, Switch] = field(default_factory=dict)
    saved_paths: frozenset[Path] = frozenset()
    campus_file: CampusFile | None = None
    assumed: str = ""
    base: Path = Path()
    files: dict[str, Path] = field(default_factory=dict)
    exports: list[_Exported] = field(default_factory=list)
    unread: list[Problem] = field(default_factory=list)

    def campus(self) -> Campus:
        if not self.site.exists():
            raise self._only(f"there is no such file or folder{nearest(self.site.name, self._siblings(), listed=0)}")
        self.base = self.site if self.site.is_dir() else self.site.parent
        if self.site.is_dir():
            self._read_folder()
        else:
            self._read_meant(self.site)
        self._read_all(self.more, asked_for=True)
        self._join_parts()
        if not (self.switches or self.saved or self.problems or self.unread):
            raise self._only(f"no switch configuration found here; expected {registry.EXPECTED}")
        made = self._assemble()
        if self.problems or (self.unread and (self.strict or not made.switches)):
            raise BadInput([*self.unread, *self.problems])
        return made

    def _siblings(self) -> list[str]:
        try:
            return [p.name for p in self.site.parent.iterdir()][:1000]
        except OSError:
            return []

    def _only(self, what: str) -> BadInput:
        return BadInput([Problem(Source(self.site.as_posix()), what)])

    def _reading(self, path: Path) -> Reading:
        """Returns a reading of a file whose problems leave that file out."""
        return Reading(folder.shown(path, self.base), self.unread, self.notes)

    def _read_folder(self) -> None:
        """Looks for the campus file first: it says which other files belong, and what holds for all of them."""
        found = list(folder.walk(self.site, self._reading))
        own = [p for p in found if folder.is_campus_file(p)]
        if len(own) > 1:
            names = ", ".join(folder.shown(p, self.base) for p in own)
            raise self._only(f"several campus files ({names}); name the one that is meant")
        if own:
            self._read_meant(own[0], found)
        else:
            self._read_all(found, asked_for=False)

    def _read_meant(self, path: Path, found: list[Path] | None = None) -> None:
        """Reads the file that the site is about, and what it names; nothing makes up for a broken campus file."""
        unread, self.unread = self.unread, self.problems if folder.is_campus_file(path) else self.unread
        self._read(path, asked_for=True)
        self.unread = unread
        if self.problems:
            raise BadInput(self.problems)
        if self.campus_file is not None:
            self._read_listed(path, self.campus_file, found)

    def _read_listed(self, own: Path, campus: CampusFile, found: list[Path] | None) -> None:
        home, document = own.parent, campus.document
        self.saved_paths = frozenset(campus.listed(home, "saved", document.saved)) - {own}
        if document.switches is None:
            walked = found if found is not None else folder.walk(self.base, self._reading)
            others = [p for p in walked if p != own and p not in self.saved_paths and not folder.is_campus_file(p)]
            self._read_all(others, asked_for=False)
        else:
            listed = campus.listed(home, "switches", document.switches)
            self._read_all([p for p in listed if p not in self.saved_paths], asked_for=True)
        self._read_all(sorted(self.saved_paths), asked_for=True)

    def _read_all(self, paths: Iterable[Path], *, asked_for: bool) -> None:
        todo = list(paths)
        for done, path in enumerate(todo, 1):
            self._read(path, asked_for=asked_for)
            if self.progress is not None:
                self.progress(done, len(todo))

    def _read(self, path: Path, *, asked_for: bool) -> None:
        reading = self._reading(path)
        try:
            found = folder.content(path, reading, asked_for=asked_for)
            if found is None:
                return
            data, chosen = found
            key = self.parsed.key(reading.file, self.assumed, data)
            entry = self.parsed.find(key)
            if entry is None:
                problems, notes = len(self.unread), len(self.notes)
                read = chosen.read(data, reading, self._given(path))
                if len(self.unread) > problems:
                    return
                if not isinstance(read, Entry):
                    self._keep(read, path, reading, data, asked_for=asked_for)
                    return
                entry = read._replace(notes=tuple(self.notes[notes:]))
                self.parsed.keep(key, entry)
            else:
                self.notes.extend(entry.notes)
            self._add(entry, path, reading)
        except OSError as exc:
            reading.wrong(f"cannot be read: {exc.strerror or 'error'}")
        except BadInput as exc:
            self.unread.extend(exc.problems)

    def _given(self, path: Path) -> Given:
        above = path.parent.name if path.parent != self.base else ""
        assume = self.campus_file.document.assume if self.campus_file is not None else None
        return Given(exports.device_name(path.stem, above), assume)

    def _keep(self, read: Content, path: Path, reading: Reading, data: bytes, *, asked_for: bool) -> None:
        """Takes what is no switch: a campus file, or a part of a device."""
        if isinstance(read, Part):
            self.exports.append(_Exported(path, read.name, data))
        elif read is None:
            if asked_for:
                raise reading.fail(f"this is not a configuration; expected {registry.EXPECTED}")
            reading.note("passed over; it is not a switch configuration")
        elif not isinstance(read, Entry):
            self.campus_file = read
            read.allow_outside = self.allow_outside
            self.assumed = read.document.assume.model_dump_json()
            self.files[reading.file] = path
            for listed in (read.document.hosts, read.document.plan):
                if isinstance(listed, str):
                    self.files[listed] = path.parent / listed

    def _add(self, entry: Entry, path: Path, reading: Reading) -> None:
        switch = entry.switch
        table = self.saved if entry.saved or path in self.saved_paths else self.switches
        other = table.get(switch.name)
        if other is not None:
            reading.wrong(f"a second switch named {switch.name!r}; the first is in {other.origin.file}")
        else:
            table[switch.name] = switch
            self.files[reading.file] = path

    def _join_parts(self) -> None:
        """Reads files that hold parts of a device together with the file that has its ports."""
        waiting: dict[Path | None, list[_Exported]] = {}
        owners = _Owners({s.name: self.files[s.origin.file] for s in self.switches.values()}, self._given)
        for part in self.exports:
            waiting.setdefault(owners.of(part), []).append(part)
        for owner, parts in waiting.items():
            if owner is None:
                for part in parts:
                    self._reading(part.path).wrong(
                        "this export holds no interfaces, and no file here holds those of its device"
                    )
                continue
            self._join(owner, parts)

    def _join(self, owner: Path, parts: list[_Exported]) -> None:
        reading = self._reading(owner)
        before = next(s for s in self.switches.values() if s.origin.file == reading.file)
        given = self._given(owner)._replace(parts=tuple((p.data, self._reading(p.path)) for p in parts))
        try:
            data, chosen = folder.content(owner, reading, asked_for=True) or (b"", registry.FORMATS[-1])
            read = chosen.read(data, reading, given)
        except BadInput as exc:
            self.unread.extend(exc.problems)
            return
        if isinstance(read, Entry):
            del self.switches[before.name]
            self.notes = [n for n in self.notes if not n.startswith(f"{reading.file}: no VLAN table")]
            self._add(read, owner, reading)
            self.files.update({self._reading(p.path).file: p.path for p in parts})

    def _runs(self, name: str) -> bool:
        """Tells whether it is known what a switch runs; records where only what it has saved is."""
        if name not in self.switches:
            self.unread.append(
                Problem(
                    Source(self.saved[name].origin.file), f"this is what {name} has saved; no file says what it runs"
                )
            )
        return name in self.switches

    def _assemble(self) -> Campus:
        switches = {
            name: self.switches[name]
            for name in sorted({**self.saved, **self.switches}, key=natural)
            if self._runs(name)
        }
        common: Common = {
            "switches": switches,
            "saved": self.saved,
            "files": {name: path.as_posix() for name, path in self.files.items()},
            "notes": tuple(self.notes),
            "unread": tuple(self.unread),
        }
        if self.campus_file is None:
            return Campus(name=self.site.resolve().name if self.site.is_dir() else self.site.stem, **common)
        return self.campus_file.campus(common, self.files[self.campus_file.reading.file].parent)


class _Exported(NamedTuple):
    """A file that holds a part of a device."""

    path: Path
    name: str
    data: bytes


class _Owners:
    """Finds the file that holds the ports of a device: by the name of the device, case and domain aside, or by files' names."""

    def __init__(self, files: Mapping[str, Path], given: Callable[[Path], Given]) -> None:
        self.given = given
        self.by_name = {_bare(name): path for name, path in files.items()}
        self.by_file = {(path.parent, given(path).name): path for path in files.values()}

    def of(self, part: _Exported) -> Path | None:
        own = self.by_name.get(_bare(part.name)) if part.name else None
        return own or self.by_file.get((part.path.parent, self.given(part.path).name))


def _bare(name: str) -> str:
    return name.partition(".")[0].casefold()
