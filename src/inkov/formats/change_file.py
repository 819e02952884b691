"""Our own change file: steps of a change window, in YAML or JSON."""

from __future__ import annotations

import fnmatch
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Annotated, Any, Literal

import yaml
from pydantic import Field, WithJsonSchema, model_validator

from inkov.formats.campus_document import Names
from inkov.formats.fields import Document, Flag, Label, ListField, Number, VidField, port_names, wrong
from inkov.formats.reading import Reading
from inkov.formats.validated import validated
from inkov.formats.yamltext import Lines, load
from inkov.kinds.edit import CannotChange
from inkov.kinds.steps import Step
from inkov.model.campus import Campus
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.names import PortRef, port_in, ports_text
from inkov.model.source import Source
from inkov.model.switch import Vlan

_PORT_KEYS = ("access", "voice", "native", "trunk", "allow", "disallow", "enabled", "stance", "lacp", "label")


class TreeStep(Document):
    """What changes of a switch's tree."""

    priority: Number = Field(description="Bridge priority.")


class VlanStep(Document):
    """A VLAN as it is to be defined."""

    name: Label = ""
    state: Literal["active", "suspended"] = "active"


class StepEntry(Document):
    """One step: settings `at` a place, or something that happens."""

    at: Names = Field([], description="A switch, or switch:ports; both may be patterns.")
    access: VidField | None = None
    voice: VidField | None = None
    native: VidField | None = None
    trunk: ListField | None = Field(None, description="The whole allowed list.")
    allow: ListField | None = Field(None, description="VLANs to add to the list.")
    disallow: ListField | None = Field(None, description="VLANs to take off the list.")
    enabled: Flag | None = None
    stance: Literal["silent", "passive", "active"] | None = None
    lacp: Literal["static", "passive", "active"] | None = Field(None, description="How a LAG forms.")
    label: Label | None = None
    vlans: Annotated[dict[VidField, VlanStep | Label | None], WithJsonSchema({"type": "object"})] = Field(
        {}, description="VLANs to define: number to name, or to name and state; none removes it."
    )
    tree: TreeStep | None = None
    cut: Label = Field("", description="A cable, as switch:port - switch:port; one end is enough.")
    fail: Label = Field("", description="A device that fails.")

    @model_validator(mode="after")
    def _one_thing(self) -> StepEntry:
        if bool(self.at) + bool(self.cut) + bool(self.fail) != 1:
            raise wrong("a step has one of 'at', 'cut' and 'fail'")
        if not self.at and len(self.model_fields_set) > 1:
            raise wrong("a cut cable or a failing device has no further settings")
        if self.at and len(self.model_fields_set) == 1:
            raise wrong("a step 'at' a place needs something to change there")
        return self


class ChangeDocument(Document):
    """A change: who does it from where, and its steps in order."""

    inkov: Literal["change"]
    name: Label = ""
    from_: Label = Field(
        "", description="The host whose user does it; switches to be touched must stay in reach of it."
    )
    steps: list[StepEntry] = Field(min_length=1)


def read(path: Path) -> tuple[ChangeDocument, Lines, Reading]:
    """Reads a change file.

    Raises:
        BadInput: it cannot be read, or something in it is wrong.
    """
    reading = Reading(path.as_posix())
    try:
        text = path.read_text("utf-8-sig")
    except (OSError, UnicodeDecodeError, ValueError):
        raise reading.fail("cannot be read as a change file") from None
    data, lines = load(text, reading)
    document = validated(ChangeDocument, data, lines, reading)
    if document is None or reading.problems:
        raise BadInput(reading.problems)
    return document, lines, reading


def steps(document: ChangeDocument, lines: Lines, campus: Campus, reading: Reading) -> list[Step]:
    """Returns the steps of a change for a campus.

    Raises:
        BadInput: they name what is not there, or settings that a port does not have; all of them at once.
    """
    made: list[Step] = []
    now = campus
    for i, entry in enumerate(document.steps):
        source = Source(reading.file, lines.near(("steps", i)), f"steps/{i}")
        for step in _steps(entry, campus, source, reading):
            try:
                now = step.done(now)
            except CannotChange as exc:
                reading.wrong(f"{step.what}: {exc}", source.path, source.line)
            made.append(step)
    if reading.problems:
        raise BadInput(reading.problems)
    return made


def _steps(entry: StepEntry, campus: Campus, source: Source, reading: Reading) -> Iterator[Step]:
    if entry.cut:
        yield from cut_of(entry.cut, campus, source, reading)
        return
    if entry.fail:
        yield from fail_of(entry.fail, campus, source, reading)
        return
    settings = {k: v for k in _PORT_KEYS if (v := getattr(entry, k)) is not None}
    settings |= {k: settings[k].vlans for k in ("trunk", "allow", "disallow") if k in settings}
    by_switch: dict[str, list[PortRef]] = {}
    for text in entry.at:
        for ref in _places(text, campus, source, reading):
            by_switch.setdefault(ref.switch, []).extend([ref] if ref.port else [])
    for switch, refs in by_switch.items():
        if refs:
            if entry.vlans or entry.tree:
                reading.wrong("'vlans' and 'tree' are of a switch, not of its ports", source.path, source.line)
            said = ", ".join(f"{k} {_text(v)}" for k, v in settings.items())
            yield Step(f"{switch}:{ports_text(r.port for r in refs)}: {said}", tuple(refs), settings, source=source)
            continue
        if settings:
            reading.wrong(f"{next(iter(settings))!r} is of a port; say switch:port", source.path, source.line)
            continue
        table = {vid: _vlan(vid, e) for vid, e in entry.vlans.items()}
        tree = {"priority": entry.tree.priority} if entry.tree else {}
        parts = [f"{'define' if e else 'remove'} VLAN {v}" for v, e in table.items()]
        parts += [f"tree priority {entry.tree.priority}"] if entry.tree else []
        yield Step(f"{switch}: {', '.join(parts)}", switch=switch, vlans=table, tree=tree, source=source)


def _text(value: Any) -> str:
    return {True: "on", False: "off"}[value] if isinstance(value, bool) else str(value)


def _vlan(vid: int, entry: VlanStep | str | None) -> Vlan | None:
    if isinstance(entry, VlanStep):
        return Vlan(vid, str(entry.name), active=entry.state == "active")
    return None if entry == "none" else Vlan(vid, entry or "")


def _places(text: str, campus: Campus, source: Source, reading: Reading) -> Iterator[PortRef]:
    """Yields the ports of `switch:ports`, or of `switch` the switch itself as a reference without a port."""
    pattern, colon, names = text.partition(":")
    found = fnmatch.filter(campus.switches, pattern.strip())
    if not found:
        hint = nearest(pattern, campus.switches)
        reading.wrong(f"no switch matches {pattern!r:.60}{hint}", source.path, source.line)
    for switch in found:
        if not colon:
            yield PortRef(switch, "")
            continue
        try:
            wanted = port_names(names.strip())
        except ValueError as exc:
            reading.wrong(str(exc), source.path, source.line)
            return
        ports: Mapping[str, object] = campus.switches[switch].ports
        for port in wanted:
            if port in ports:
                yield PortRef(switch, port)
            else:
                reading.wrong(f"{switch} has no port {port!r:.60}{nearest(port, ports)}", source.path, source.line)


def cut_of(text: str, campus: Campus, source: Source, reading: Reading) -> Iterator[Step]:
    """Yields the step in which a cable is cut that is named by one end or both; records ends that are not there."""
    known = {n: s.ports for n, s in campus.switches.items()}
    ends = [port_in(side, known) for side in text.split(" - ")]
    if None in ends or not 1 <= len(ends) <= 2:
        what = f"{text!r:.60} is not a cable; expected switch:port, or switch:port - switch:port"
        reading.wrong(what, source.path, source.line)
        return
    yield Step(f"cut {text}", tuple(e for e in ends if e), cut=True, source=source)


def fail_of(name: str, campus: Campus, source: Source, reading: Reading) -> Iterator[Step]:
    """Yields the step in which a device fails; records one that is not there."""
    if name not in campus.switches:
        reading.wrong(f"there is no switch {name!r:.60}{nearest(name, campus.switches)}", source.path, source.line)
        return
    yield Step(f"{name} fails", switch=name, fails=True, source=source)


def on_the_spot(sets: list[str], cuts: list[str], fails: list[str], campus: Campus) -> list[Step]:
    """Returns steps that were typed: `PLACE KEY VALUE`, cables to cut, devices to fail.

    Raises:
        BadInput: something in them is not there, or is no setting.
    """
    reading = Reading("--set")
    entries: list[dict[str, Any]] = []
    for text in sets:
        place, key, value = ([*text.split(maxsplit=2), "", ""])[:3]
        outer, dot, inner = key.partition(".")
        entries.append({"at": place, outer: {inner: value} if dot else value})
    entries += [{"cut": text} for text in cuts] + [{"fail": text} for text in fails]
    document = validated(ChangeDocument, {"inkov": "change", "steps": entries}, Lines(), reading)
    if document is None:
        raise BadInput([Problem(Source("--set", None, p.source.path), p.what) for p in reading.problems])
    return steps(document, Lines(), campus, reading)


def every_cut(campus: Campus, cables: Iterable[tuple[PortRef, PortRef]]) -> list[Step]:
    """Returns a step for each cable, in which it is cut."""
    return [Step(f"cut {a} - {b}", (a, b), cut=True) for a, b in cables if a.switch in campus.switches]


def every_fail(campus: Campus) -> list[Step]:
    """Returns a step for each device, in which it fails."""
    return [Step(f"{name} fails", switch=name, fails=True) for name in campus.switches]


def written(steps: Iterable[Step], name: str) -> str:
    """Returns steps as a change file.

    Args:
        steps: those of ports, VLANs and trees.
        name: what the change is called.
    """
    entries = [_entry(step) for step in steps]
    head = yaml.safe_dump({"inkov": "change", "name": name}, sort_keys=False, allow_unicode=True, width=_NO_WRAP)
    lines = [
        yaml.safe_dump(e, default_flow_style=True, sort_keys=False, allow_unicode=True, width=_NO_WRAP) for e in entries
    ]
    return head + "steps:\n" + "".join(f"  - {line}" for line in lines)


_NO_WRAP = 1 << 20


def _entry(step: Step) -> dict[str, Any]:
    made: dict[str, Any] = {"at": [str(r) for r in step.ports] or step.switch}
    if len(step.ports) == 1:
        made["at"] = str(step.ports[0])
    made |= {k: v if isinstance(v, bool | int) else str(v) for k, v in step.settings.items()}
    if step.vlans:
        made["vlans"] = {v: _spelt(e) for v, e in step.vlans.items()}
    return made | ({"tree": dict(step.tree)} if step.tree else {})


def _spelt(entry: Vlan | None) -> Any:
    if entry is None:
        return "none"
    return entry.name if entry.active and entry.name != "none" else {"name": entry.name}
