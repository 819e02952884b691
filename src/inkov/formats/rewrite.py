"""Writes a site with some settings changed into a new folder: all of it, or nothing."""

from __future__ import annotations

import difflib
import json
import shutil
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from enum import Enum
from pathlib import Path, PurePosixPath

from inkov.formats.edits import CannotEdit, Edits
from inkov.formats.ours.change_document import ONE_KEY
from inkov.formats.ours.switch_writer import entry_keys, gateway_keys, route_keys, sync_keys
from inkov.formats.registry import FORMATS, format_of
from inkov.formats.text import encoding
from inkov.kinds.spell import keys
from inkov.kinds.table import access_of, allowed_list, promiscuous_of, trunk_of
from inkov.model.campus import Campus
from inkov.model.errors import BadInput, Problem
from inkov.model.names import PortRef, natural
from inkov.model.routing import of_key
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Port, Switch
from inkov.model.tree import Sync
from inkov.model.yamltext import inline
from inkov.steps.edit import NEGOTIATED
from inkov.steps.settings import FILE_KEY, SETTING_OF, SETTING_OF_SWITCH, TreeChange
from inkov.steps.steps import OF_FRAMES, SetPorts, SetSwitch, Step

Check = Callable[[Path], None]
"""Called with the folder before it gets its name; raises BadInput when it is not to stay."""


def settable(campus: Campus, refs: Iterable[PortRef]) -> tuple[list[PortRef], list[str]]:
    """Parts ports by whether their lists stand in files that can be edited, or in what devices told of themselves.

    Returns:
        The ports of the first kind, and the names of the files of the second.
    """
    homes = {ref: file_of(campus, ref) for ref in refs}
    known = {f for f in set(homes.values()) if _editable(Path(campus.files[f]))}
    return [r for r, f in homes.items() if f in known], sorted({f for f in homes.values() if f not in known})


def _editable(path: Path) -> bool:
    chosen = format_of(path.read_bytes()) if path.is_file() else None
    return chosen is not None and chosen.edit is not None


def file_of(campus: Campus, ref: PortRef, setting: Setting = Setting.ALLOWED) -> str:
    """Returns the name of the file that has a setting of a port, without it the file of the port."""
    return campus.switches[ref.switch].ports[ref.port].origin.of(setting).file


ByFile = Mapping[str, Edits]
"""What is to be set in each file."""


def edits_of(step: Step, before: Campus, after: Campus) -> dict[str, Edits]:
    """Returns what a step sets in each file.

    Args:
        step: settings of ports or of a switch.
        before: the campus that it is done on.
        after: the campus after it.

    Raises:
        CannotEdit: files cannot say what it does.
    """
    match step:
        case SetPorts(ports=refs):
            ports: dict[str, dict[str, dict[str, str | None]]] = {}
            for ref in refs:
                was, now = (campus.switches[ref.switch].ports[ref.port] for campus in (before, after))
                for key, said in _keys(step, was, now).items():
                    setting = _SETTINGS.get(key, Setting.MODE)
                    ports.setdefault(file_of(before, ref, setting), {}).setdefault(ref.port, {})[key] = said
            return {name: Edits(some) for name, some in ports.items()}
        case SetSwitch():
            return _of_switch(step, before, after)
        case _:
            raise CannotEdit(f"{step.what}: this only happens; nothing is written of it")


def _of_switch(step: SetSwitch, before: Campus, after: Campus) -> dict[str, Edits]:
    origin = before.switches[step.switch].origin
    found: dict[str, Edits] = {origin.of(Setting.VLANS).file: Edits(vlans=step.vlans)} if step.vlans else {}
    for setting, path, value in _set_in(step, after.switches[step.switch]):
        own = found.setdefault(origin.of(setting).file, Edits())
        found[origin.of(setting).file] = replace(own, keys={**own.keys, path: value})
    return found


def _set_in(step: SetSwitch, now: Switch) -> Iterator[tuple[Setting, tuple[str, ...], object]]:
    """Yields each setting of a step with the path of its key in a switch file and its value there; None takes it away."""
    for name, value in step.settings.items():
        if isinstance(value, TreeChange):
            for part, own in value.items():
                yield SETTING_OF[part], ("tree", part), own.value if isinstance(own, Enum) else own
        else:
            yield SETTING_OF_SWITCH[name], (name,), sync_keys(value) if isinstance(value, Sync) else value
    for key, gateway in step.gateways.items():
        port, vid = of_key(key)
        path = ("ports", port, "subinterfaces", str(vid or "untagged")) if port else ("gateways", str(vid))
        yield Setting.GATEWAYS, path, gateway and gateway_keys(gateway)
    if step.routes:
        yield Setting.ROUTES, ("routes",), [route_keys(r) for r in now.routes] or None
    for name, rows in step.filters.items():
        yield Setting.FILTERS, ("filters", name), rows and [entry_keys(e) for e in rows.entries]


_WRITTEN = (
    *("access", "voice", "native", "trunk", "allow", "disallow", "enabled", "stance", "lacp", "label", "lag", "mode"),
    *("tags", "secondaries", "edge"),
)
"""What a step may set and files can be edited to say."""

_OF_FRAMES = ({FILE_KEY[name] for name in OF_FRAMES} | {*ONE_KEY}) - {"switching"}
"""The keys of a switch file that say together what a port does with frames."""

_WHOLE = frozenset({"switching", "native_tagged", "translate"})
"""Settings by which a port's keys are written whole."""

_SETTINGS = {FILE_KEY[name]: SETTING_OF[name] for name in _WRITTEN}


def _keys(step: SetPorts, was: Port, now: Port) -> dict[str, str | None]:
    """Returns the keys that a step sets at a port; None takes a key away, that only a port of another mode has."""
    asked = dict(step.settings.items())
    if isinstance(tree := asked.pop("tree", None), TreeChange):
        asked |= dict(tree.items())
    whole: dict[str, str | None] = {}
    if asked.keys() & _WHOLE or asked.get("mode") == NEGOTIATED:
        said = {k: inline(v) if isinstance(v, dict) else _said(v) for k, v in keys(now.switching).items()}
        whole = {**dict.fromkeys(_OF_FRAMES), **said}
        asked = {k: v for k, v in asked.items() if k not in OF_FRAMES}
    if unknown := asked.keys() - set(_WRITTEN):
        raise CannotEdit(f"{step.what}: '{min(FILE_KEY[k] for k in unknown)}' cannot be written into files yet")
    asked = {FILE_KEY[k]: v for k, v in asked.items()}
    made: dict[str, str | None] = {k: _said(v) for k, v in asked.items()}
    made |= {k: None for k in ("voice", "lag") if k in asked and asked[k] is None}
    if "trunk" in asked:
        made["trunk"] = allowed_list(now.switching).exact
    if (own := promiscuous_of(now.switching)) is not None and "promiscuous" in asked:
        made["promiscuous"] = f"{{primary: {own.primary}, secondaries: '{own.secondaries}'}}"
    made |= {k: json.dumps(asked[k], ensure_ascii=False) for k in ("lag", "label") if asked.get(k) is not None}
    if "mode" in asked:
        made |= dict.fromkeys(("trunk", "native") if access_of(now.switching) else ("access", "voice"))
        made["stance"] = "silent"
    return {**made, **_of_other_modes(was, now), **whole}


def _of_other_modes(was: Port, now: Port) -> dict[str, None]:
    """Returns the keys that go because only a port of the mode it had before has them."""
    if now.lag and not was.lag:
        return dict.fromkeys(("access", "voice", "trunk", "native"))
    if access_of(was.switching) and trunk_of(now.switching):
        return dict.fromkeys(("access", "voice"))
    return dict.fromkeys(("trunk", "native")) if trunk_of(was.switching) and access_of(now.switching) else {}


def _said(value: object) -> str:
    if isinstance(value, Enum):
        return str(value.value)
    return "none" if value is None else str(value).lower() if isinstance(value, bool) else str(value)


def edited(files: Mapping[str, Path], edits: Iterable[ByFile]) -> dict[str, bytes]:
    """Returns the files that some edits change, as they are to be.

    Args:
        files: where each file is, by the name that sources give it.
        edits: one after the other.

    Raises:
        BadInput: a file cannot be edited; all such files at once.
    """
    made: dict[str, bytes] = {}
    problems: list[Problem] = []
    for by_file in edits:
        for name, wanted in by_file.items():
            data = made.get(name) or files[name].read_bytes()
            coding, mark = encoding(data)
            chosen = format_of(data) or FORMATS[0]
            try:
                if chosen.edit is None:
                    raise CannotEdit(f"{chosen.name} tell what a device has; they cannot be edited")
                made[name] = mark + chosen.edit(data.removeprefix(mark).decode(coding), wanted).encode(coding)
            except CannotEdit as exc:
                problems.append(Problem(Source(name), str(exc)))
    if problems:
        raise BadInput(problems)
    return made


def difference(files: Mapping[str, Path], made: Mapping[str, bytes]) -> str:
    """Returns what differs from some files, as a unified diff."""
    lines: list[str] = []
    for name in sorted(made, key=natural):
        was, now = (data.decode(encoding(data)[0]).splitlines() for data in (files[name].read_bytes(), made[name]))
        lines += difflib.unified_diff(was, now, name, name, lineterm="")
    return "".join(f"{line}\n" for line in lines)


def rewrite(files: Mapping[str, Path], made: Mapping[str, bytes], folder: Path, check: Check) -> list[str]:
    """Writes a campus with some files changed.

    Args:
        files: its files by the name that sources give them.
        made: the content of those that change.
        folder: where to write; must not exist, or be an empty folder.
        check: looks at the result before it is kept.

    Returns:
        The names of the files that differ, sorted.

    Raises:
        BadInput: the folder is taken, a file has no place in it, or the check refused. Nothing is left behind.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise _problem(folder.as_posix(), "is there already; name a new folder")
    outside = [name for name in files if PurePosixPath(name).is_absolute() or ".." in PurePosixPath(name).parts]
    if outside:
        what = "lies outside the site's folder, so the copy has no place for it"
        raise BadInput([Problem(Source(name), what) for name in outside])
    folder.parent.mkdir(parents=True, exist_ok=True)
    copy = Path(tempfile.mkdtemp(prefix=".inkov-", dir=folder.parent))
    try:
        for name, path in files.items():
            target = copy / name
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(made.get(name) or path.read_bytes())
            shutil.copymode(path, target)
        check(copy)
        if folder.exists():
            folder.rmdir()
        copy.chmod(0o755)
        copy.rename(folder)
    except OSError as exc:
        raise _problem(folder.as_posix(), f"cannot be written: {exc.strerror or 'error'}") from None
    finally:
        shutil.rmtree(copy, ignore_errors=True)
    return sorted(made)


def _problem(place: str, what: str) -> BadInput:
    return BadInput([Problem(Source(place), what)])
