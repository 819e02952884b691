"""A site (a folder, a campus file or one switch file) to a campus. Files are recognised by content."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from inkov.formats import folder, jsontext, registry
from inkov.formats.entry import PART, WHOLE, Entries
from inkov.formats.format import Content, Format, Given, Part
from inkov.formats.grouping import Piece, devices, two_boxes
from inkov.formats.merging import Merged, merged
from inkov.formats.openconfig import exports
from inkov.formats.parsed import Parsed, Shared
from inkov.formats.partly import as_partly, in_part
from inkov.formats.reading import Reading
from inkov.model.campus import Campus, Common
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.identity import device_named, same_name
from inkov.model.names import natural
from inkov.model.source import Source
from inkov.store.places import real

if TYPE_CHECKING:
    from inkov.formats.ours.campus_file import CampusFile

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
    shared: Shared | None = None,
) -> tuple[Campus, Mapping[str, Path]]:
    """Reads a campus as `load` does, and further switch files with it.

    Args:
        site: as for `load`.
        more: further switch files.
        progress: as for `load`.
        cache: folder of what earlier runs read; files that are as they were then are not read again.
        strict: raise for a switch file that cannot be read; otherwise go on without it, and tell in `Campus.unread`.
        allow_outside: read lists and switch files that a campus file names outside its folder, too.
        shared: what was read of other sites, by what files hold; files that hold the same are not read again.

    Returns:
        The campus, and every file that it was made from, by the name that sources give it.

    Raises:
        BadInput: as `load`.
    """
    with _no_garbage_collection():
        parsed = Parsed.of_site(cache, Path(site), shared)
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
    pieces: list[Piece] = field(default_factory=list)
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
        if not (self.pieces or self.problems or self.unread):
            raise self._only(f"no switch configuration found here; expected {registry.EXPECTED}")
        made = self._assemble()
        if self.problems or (self.unread and (self.strict or not made.switches)):
            raise BadInput([*self.unread, *self.problems])
        return made

    def _siblings(self) -> list[str]:
        try:
            return [p.name for p in self.site.parent.iterdir() if p.name != self.site.name][:1000]
        except OSError:
            return []

    def _only(self, what: str) -> BadInput:
        return BadInput([Problem(Source(self.site.as_posix()), what)])

    def _reading(self, path: Path) -> Reading:
        """Returns a reading of a file whose problems leave that file out."""
        return Reading(folder.shown(path, self.base), self.unread, self.notes)

    def _read_folder(self) -> None:
        """Looks for the campus file first: it says which other files belong, and what holds for all of them."""
        found = folder.walk(self.site, self._reading)
        own = [p for p in found if folder.says_campus(p)]
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
            if found is None:
                found = [p for p in folder.walk(self.base, self._reading) if not folder.says_campus(p)]
            others = [p for p in found if p != own and p not in self.saved_paths]
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
            lasting = not jsontext.is_json(data)  # which is read anew as quickly as it is looked up
            key = self.parsed.key(reading.file, self.assumed, data, lasting=lasting)
            entries = self.parsed.find(key)
            if entries is None:
                problems, notes = len(self.unread), len(self.notes)
                read = chosen.read(data, reading, self._given(path))
                wrong = self.unread[problems:]
                if not isinstance(read, tuple) or isinstance(read, Part):
                    if not wrong:
                        self._keep(read, path, chosen, reading, data, asked_for=asked_for)
                    return
                if wrong:
                    if self._in_part(chosen, wrong, read):
                        self._add(in_part(read, wrong), path, chosen, reading)
                    return
                said = tuple(self.notes[notes:])
                entries = tuple(entry._replace(notes=said if n == 0 else ()) for n, entry in enumerate(read))
                if entries:
                    self.parsed.keep(key, entries, lasting=lasting)
            else:
                self.notes.extend(note for entry in entries for note in entry.notes)
            self._add(entries, path, chosen, reading)
        except OSError as exc:
            reading.wrong(f"cannot be read: {exc.strerror or 'error'}")
        except BadInput as exc:
            self.unread.extend(exc.problems)

    def _in_part(self, chosen: Format, wrong: Sequence[Problem], read: Entries) -> bool:
        """Tells whether the rest of a file counts, some values of which cannot be read."""
        some = bool(read) and not chosen.typed and all(p.source.path for p in wrong)
        if some:
            self.unread[-len(wrong) :] = map(as_partly, wrong)
        return some

    def _given(self, path: Path) -> Given:
        above = path.parent.name if path.parent != self.base else ""
        assume = self.campus_file.document.assume if self.campus_file is not None else None
        return Given(exports.device_name(path.stem, above), assume)

    def _keep(
        self, read: Content, path: Path, chosen: Format, reading: Reading, data: bytes, *, asked_for: bool
    ) -> None:
        """Takes what is no switch: a campus file, or a part of a device."""
        if isinstance(read, Part):
            self.exports.append(_Exported(path, read.name, data, chosen))
        elif read is None:
            if asked_for:
                raise reading.fail(f"this is not a configuration; expected {registry.EXPECTED}")
            reading.note("passed over; it is not a switch configuration")
        elif not isinstance(read, tuple):
            self.campus_file = read
            read.allow_outside = self.allow_outside
            self.assumed = read.document.assume.model_dump_json()
            self.files[reading.file] = path
            for listed in (read.document.hosts, read.document.plan):
                if isinstance(listed, str):
                    self.files[listed] = path.parent / listed

    def _add(self, entries: Entries, path: Path, chosen: Format, reading: Reading) -> None:
        rank = registry.FORMATS.index(chosen)
        for entry in entries:
            saved = entry._replace(saved=True) if path in self.saved_paths else entry
            self.pieces.append(Piece(saved, reading.file, chosen.name, rank, chosen.whole))
            self.notes += [f"{reading.file}: {what}" for what in entry.short]
        self.files[reading.file] = path

    def _join_parts(self) -> None:
        """Reads files that hold parts of a device together with the file that has its ports, or alone where none has."""
        if not self.exports:
            return
        waiting: dict[Path | None, list[_Exported]] = {}
        ports = [p for p in self.pieces if registry.FORMATS[p.rank].joins and not p.entry.saved and p.switch.ports]
        owners = _Owners({p.switch.name: self.files[p.file] for p in ports}, self._given)
        known = {d for group in devices(self.pieces) for d in (p.switch.name.casefold() for p in group)}
        for part in self.exports:
            waiting.setdefault(owners.of(part), []).append(part)
        for owner, parts in waiting.items():
            if owner is not None:
                self._join(owner, parts)
                continue
            for part in parts:
                name = part.name or self._given(part.path).name
                if any(same_name(name, n) for n in known):
                    given = self._given(part.path)._replace(alone=True)
                    self._read_again(part.path, part.format, part.data, given)
                else:
                    self._reading(part.path).wrong(
                        "this export holds no interfaces, and no file here holds those of its device"
                    )

    def _join(self, owner: Path, parts: list[_Exported]) -> None:
        reading = self._reading(owner)
        given = self._given(owner)._replace(parts=tuple((p.data, self._reading(p.path)) for p in parts))
        found = folder.content(owner, reading, asked_for=True)
        if found is None:
            return
        before = [p for p in self.pieces if p.file == reading.file]
        self.pieces = [p for p in self.pieces if p.file != reading.file]
        if self._read_again(owner, found[1], found[0], given):
            self.notes = [n for n in self.notes if not n.startswith(f"{reading.file}: no VLAN table")]
            self.files.update({self._reading(p.path).file: p.path for p in parts})
        else:
            self.pieces += before

    def _read_again(self, path: Path, chosen: Format, data: bytes, given: Given) -> bool:
        reading, problems = self._reading(path), len(self.unread)
        try:
            read = chosen.read(data, reading, given)
        except BadInput as exc:
            self.unread.extend(exc.problems)
            return False
        wrong = self.unread[problems:]
        if not isinstance(read, tuple) or isinstance(read, Part) or (wrong and not self._in_part(chosen, wrong, read)):
            return False
        self._add(in_part(read, wrong), path, chosen, reading)
        return True

    def _merged(self, *, saved: bool) -> Merged:
        """Makes one switch of all that is told of each device; records what cannot be made one."""
        pieces = [p for p in self.pieces if p.entry.saved is saved]
        for group in devices(pieces):
            first: dict[str, Piece] = {}
            for p, other in two_boxes(group):
                what = f"{p.switch.name!r} is another device than the one of {other.file}, though called the same: their addresses are {p.switch.mac} and {other.switch.mac}; give each a name of its own"
                self.unread.append(Problem(Source(p.file), what))
                pieces.remove(p)
                group.remove(p)
            for p in group:
                if p.entry.standing != WHOLE or not registry.FORMATS[p.rank].whole:
                    continue
                if (other := first.setdefault(p.format, p)) is not p:
                    what = f"a second switch named {p.switch.name!r}; the first is in {other.file}"
                    self.unread.append(Problem(Source(p.file), what))
                    pieces.remove(p)
            if all(p.entry.standing == PART for p in group) and any(registry.FORMATS[p.rank].whole for p in group):
                for p in group:
                    what = "key 'vlans' is missing; 'vlans: as used' says that the box keeps no table"
                    self.unread.append(Problem(Source(p.file, 1), what))
                    pieces.remove(p)
        return merged(pieces)

    def _assemble(self) -> Campus:
        running, saved = self._merged(saved=False), self._merged(saved=True)
        for name, switch in saved.switches.items():
            if name not in running.switches:
                what = f"this is what {name} has saved; no file says what it runs"
                self.unread.append(Problem(Source(switch.origin.file), what))
        common: Common = {
            "switches": {n: running.switches[n] for n in sorted(running.switches, key=natural)},
            "saved": saved.switches,
            "files": {name: path.as_posix() for name, path in self.files.items()},
            "notes": tuple(self.notes),
            "unread": tuple(self.unread),
            "told": (*running.told, *saved.told),
            "contradictions": running.contradictions,
            "twins": running.twins,
        }
        if self.campus_file is None:
            return Campus(name=real(self.site).name if self.site.is_dir() else self.site.stem, **common)
        return self.campus_file.campus(common, self.files[self.campus_file.reading.file].parent)


class _Exported(NamedTuple):
    """A file that holds a part of a device."""

    path: Path
    name: str
    data: bytes
    format: Format


class _Owners:
    """Finds the file that holds the ports of a device: by the name of the device, case and domain aside, or by files' names."""

    def __init__(self, files: Mapping[str, Path], given: Callable[[Path], Given]) -> None:
        self.given = given
        self.by_name = files
        self.by_file = {(path.parent, given(path).name): path for path in files.values()}

    def of(self, part: _Exported) -> Path | None:
        own = self.by_name.get(device_named(part.name, self.by_name)) if part.name else None
        return own or self.by_file.get((part.path.parent, self.given(part.path).name))
