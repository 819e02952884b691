"""A site (a folder, a campus file or one switch file) to a campus. Files are recognised by content."""

from __future__ import annotations

import gc
import os
import re
import stat
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from inkov.formats import jsontext, openconfig
from inkov.formats.openconfig_wrappers import is_openconfig
from inkov.formats.reading import Reading
from inkov.model.campus import Campus
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.names import natural
from inkov.model.source import Source
from inkov.model.switch import Switch
from inkov.store.parsed import Entry, Parsed

if TYPE_CHECKING:
    from inkov.formats.campus_file import CampusFile

Progress = Callable[[int, int], None]
"""Called with (files read, files in all)."""

_ENDINGS = frozenset({".json", ".yaml", ".yml"})
_MAX_JSON = 64 * 1024 * 1024
_MAX_YAML = 4 * 1024 * 1024
_OURS = re.compile(r"^[\"']?inkov[\"']?[ \t]*:", re.MULTILINE)


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
) -> tuple[Campus, Mapping[str, Path]]:
    """Reads a campus as `load` does, and further switch files with it.

    Args:
        site: as for `load`.
        more: further switch files.
        progress: as for `load`.
        cache: folder of what earlier runs read; files that are as they were then are not read again.

    Returns:
        The campus, and every file that it was made from, by the name that sources give it.

    Raises:
        BadInput: as `load`.
    """
    with _no_garbage_collection():
        parsed = Parsed.of_site(cache, Path(site))
        loader = _Loader(Path(site), progress, parsed, more=tuple(more))
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
    problems: list[Problem] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    switches: dict[str, Switch] = field(default_factory=dict)
    saved: dict[str, Switch] = field(default_factory=dict)
    saved_paths: frozenset[Path] = frozenset()
    assumed: str = ""
    campus_files: list[tuple[Path, CampusFile]] = field(default_factory=list)
    base: Path = Path()
    more: tuple[Path, ...] = ()
    files: dict[str, Path] = field(default_factory=dict)
    reading_from: Path = Path()

    def campus(self) -> Campus:
        if not self.site.exists():
            raise self._only(f"there is no such file or folder{nearest(self.site.name, self._siblings(), listed=0)}")
        if self.site.is_dir():
            self.base = self.site
            self._read_folder()
        else:
            self.base = self.site.parent
            self._read(self.site, asked_for=True)
            if self.campus_files:
                self._read_listed(self.campus_files[0][1])
        self._read_all(self.more, asked_for=True)
        if not self.switches and not self.saved and not self.problems:
            raise self._only("no switch configuration found here; expected Inkov switch files or OpenConfig JSON")
        made = self._assemble()
        if self.problems:
            raise BadInput(self.problems)
        return made

    def _siblings(self) -> list[str]:
        try:
            return [p.name for p in self.site.parent.iterdir()][:1000]
        except OSError:
            return []

    def _only(self, what: str) -> BadInput:
        return BadInput([Problem(Source(self.site.as_posix()), what)])

    def _read_folder(self) -> None:
        """Reads the top of the folder first: a campus file there says which other files belong."""
        top = [p for p in sorted(self.site.iterdir()) if p.suffix in {".yaml", ".yml"} and p.is_file()]
        campus_paths = [p for p in top if _announces(p, "campus")]
        if len(campus_paths) > 1:
            names = ", ".join(p.name for p in campus_paths)
            raise self._only(f"several campus files ({names}); name the one that is meant")
        if campus_paths:
            self._read(campus_paths[0], asked_for=True)
            if self.campus_files:
                self._read_listed(self.campus_files[0][1])
        else:
            self._read_all(_walk(self.site), asked_for=False)

    def _read_listed(self, campus: CampusFile) -> None:
        own = self.campus_files[0][0]
        self.saved_paths = frozenset(self._listed(campus, "saved", campus.document.saved)) - {own}
        if campus.document.switches is None:
            self._read_all([p for p in _walk(self.base) if p != own and p not in self.saved_paths], asked_for=False)
        else:
            listed = self._listed(campus, "switches", campus.document.switches)
            self._read_all([p for p in listed if p not in self.saved_paths], asked_for=True)
        self._read_all(sorted(self.saved_paths), asked_for=True)

    def _listed(self, campus: CampusFile, key: str, patterns: list[str]) -> list[Path]:
        """Returns the files that the patterns of a key match; records those that match none."""
        paths: dict[Path, None] = {}
        for i, pattern in enumerate(patterns):
            found = sorted(_matching(self.base, pattern))
            if not found:
                campus.reading.wrong(f"no file matches {pattern!r}", f"{key}/{i}", campus.lines.near((key, i)))
            paths.update(dict.fromkeys(found))
        return list(paths)

    def _read_all(self, paths: Iterable[Path], *, asked_for: bool) -> None:
        todo = list(paths)
        for done, path in enumerate(todo, 1):
            self._read(path, asked_for=asked_for)
            if self.progress is not None:
                self.progress(done, len(todo))

    def _read(self, path: Path, *, asked_for: bool) -> None:
        shown = path.as_posix().removeprefix(f"{self.base.as_posix()}/")
        reading = Reading(shown, self.problems, self.notes)
        self.reading_from = path
        try:
            if (data := self._content(path, reading, asked_for=asked_for)) is None:
                return
            key = self.parsed.key(shown, self.assumed, data)
            entry = self.parsed.find(key)
            if entry is None:
                problems, notes = len(self.problems), len(self.notes)
                entry = self._entry(data, path, reading, asked_for=asked_for)
                if entry is None:
                    return
                if len(self.problems) == problems:
                    self.parsed.keep(key, entry._replace(notes=tuple(self.notes[notes:])))
            else:
                self.notes.extend(entry.notes)
            self._add(entry.switch, reading, saved=entry.saved or path in self.saved_paths)
        except OSError as exc:
            reading.wrong(f"cannot be read: {exc.strerror or 'error'}")
        except BadInput as exc:
            self.problems.extend(exc.problems)

    @staticmethod
    def _content(path: Path, reading: Reading, *, asked_for: bool) -> bytes | None:
        """Returns the content of a file; None after saying why a file that nobody asked for is passed over."""
        limit = _MAX_JSON if path.suffix.lower() == ".json" else _MAX_YAML
        state = path.stat()
        if not stat.S_ISREG(state.st_mode):
            raise reading.fail("this is no file")
        if state.st_size > limit:
            what = f"larger than {limit // 1024 // 1024} MB; this is no switch configuration"
            if asked_for:
                raise reading.fail(what)
            reading.note(f"passed over; {what}")
            return None
        return path.read_bytes()

    def _entry(self, data: bytes, path: Path, reading: Reading, *, asked_for: bool) -> Entry | None:
        if data.lstrip()[:1] in {b"{", b"["} or path.suffix == ".json":
            return self._read_json(data, path, reading, asked_for=asked_for)
        return self._read_yaml(data, path, reading, asked_for=asked_for)

    def _read_json(self, data: bytes, path: Path, reading: Reading, *, asked_for: bool) -> Entry | None:
        found = jsontext.values(data, reading)
        if not any(map(is_openconfig, found)):
            self._not_ours(reading, asked_for=asked_for)
            return None
        switch = openconfig.read(found, reading, path.stem)
        if self.campus_files:
            from inkov.formats.switch_file import habits
            from inkov.kinds.table import without_native

            assume = self.campus_files[0][1].document.assume
            stated, unstated = habits(assume)
            switch = replace(switch, habits=stated, unstated_habits=unstated)
            if assume.unstated_native == "none":
                switch = replace(switch, ports={n: without_native(p) for n, p in switch.ports.items()})
        return Entry(switch, saved=False, notes=())

    def _read_yaml(self, data: bytes, path: Path, reading: Reading, *, asked_for: bool) -> Entry | None:
        """Reads a switch file and returns it, or a campus file and takes it."""
        # pydantic and the YAML reader cost a fifth of a second to import; a folder of exports needs neither.
        from inkov.formats import switch_file, yamltext
        from inkov.formats.campus_file import CampusFile

        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            self._not_ours(reading, asked_for=asked_for)
            return None
        if not asked_for and not _OURS.search(text):
            self._not_ours(reading, asked_for=False)
            return None
        content, lines = yamltext.load(text, reading)
        kind = content.get("inkov") if isinstance(content, dict) else None
        if kind == "switch":
            assume = self.campus_files[0][1].document.assume if self.campus_files else None
            switch = switch_file.read(content, lines, reading, assume)
            return None if switch is None else Entry(switch, content.get("saved") == "true", ())
        if kind == "campus":
            campus = CampusFile.read(content, lines, reading)
            if campus is not None:
                self.campus_files.append((path, campus))
                self.assumed = campus.document.assume.model_dump_json()
                self.files[reading.file] = path
                for listed in (campus.document.hosts, campus.document.plan):
                    if isinstance(listed, str):
                        self.files[listed] = self.base / listed
        elif kind is not None:
            reading.wrong(f"{kind!r:.40} is not a kind of file; expected 'switch' or 'campus'", "inkov", 1)
        else:
            self._not_ours(reading, asked_for=asked_for)
        return None

    def _not_ours(self, reading: Reading, *, asked_for: bool) -> None:
        if asked_for:
            reading.wrong("this is not a configuration; expected an Inkov switch or campus file, or OpenConfig JSON")
        else:
            reading.note("passed over; it is not a switch configuration")

    def _add(self, switch: Switch, reading: Reading, *, saved: bool = False) -> None:
        table = self.saved if saved else self.switches
        other = table.get(switch.name)
        if other is not None:
            reading.wrong(f"a second switch named {switch.name!r}; the first is in {other.origin.file}")
        else:
            table[switch.name] = switch
            self.files[reading.file] = self.reading_from

    def _runs(self, name: str) -> bool:
        """Tells whether it is known what a switch runs; records where only what it has saved is."""
        if name not in self.switches:
            file = self.saved[name].origin.file
            self.problems.append(Problem(Source(file), f"this is what {name} has saved; no file says what it runs"))
        return name in self.switches

    def _assemble(self) -> Campus:
        switches = {
            name: self.switches[name]
            for name in sorted({**self.saved, **self.switches}, key=natural)
            if self._runs(name)
        }
        files = {name: path.as_posix() for name, path in self.files.items()}
        if not self.campus_files:
            name = self.site.resolve().name if self.site.is_dir() else self.site.stem
            return Campus(name=name, switches=switches, saved=self.saved, files=files, notes=tuple(self.notes))
        file = self.campus_files[0][1]
        hosts = file.hosts(switches, self.base) if switches else {}
        segments = file.segments(switches, hosts)
        return Campus(
            name=file.document.name,
            switches=switches,
            cables=file.cables(switches) if switches else (),
            hosts=hosts,
            segments=segments,
            claims=file.claims(segments, hosts, switches),
            keep=file.document.keep.vlans,
            parking=file.document.parking,
            saved=self.saved,
            register=file.register(),
            plan=file.plan(switches, self.base) if switches else (),
            waivers=file.waivers(),
            settings=file.settings(),
            files=files,
            notes=tuple(self.notes),
        )


def _announces(path: Path, kind: str) -> bool:
    """Tells whether a YAML file says at its top what it is, without reading it whole."""
    try:
        with path.open("rb") as file:
            head = file.read(4096).decode("utf-8-sig", "replace")
    except OSError:
        return False
    return any(line.split("#")[0].split() == ["inkov:", kind] for line in head.splitlines())


def _walk(folder: Path) -> Iterator[Path]:
    """Yields candidate files below a folder in a fixed order; links to folders and hidden folders are left out."""
    for where, folders, files in os.walk(folder, followlinks=False):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in sorted(files):
            path = Path(where) / name
            if path.suffix.lower() in _ENDINGS and path.is_file():
                yield path


def _matching(base: Path, pattern: str) -> list[Path]:
    try:
        return [p for p in base.glob(pattern) if p.is_file()]
    except (ValueError, NotImplementedError):
        return []
