"""Our own change file: steps of a change window, in YAML or JSON, or typed on the spot."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, NamedTuple

from inkov.formats.ours.change_document import PORT_FIELDS, TABLES, ChangeDocument, StepEntry, VlanStep
from inkov.formats.ours.fields import port_names
from inkov.formats.ours.port_kinds import of_one_key
from inkov.formats.ours.routing_document import FilterEntry
from inkov.formats.ours.tree_document import RegistrationEntry, SyncEntry, registration
from inkov.formats.ours.validated import validated
from inkov.formats.ours.yamltext import Lines
from inkov.formats.ours.yamltext import load as parsed
from inkov.formats.reading import Reading
from inkov.formats.site import load
from inkov.kinds.table import kind, station_vlans
from inkov.model.campus import Cable, Campus
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.identity import device_named, devices_matching, port_in
from inkov.model.names import PortRef, ports_text
from inkov.model.routing import Filter, Prefix, Route, gateway_key
from inkov.model.source import Source
from inkov.model.switch import Lacp, Stance, Switch, Vlan, VlanType
from inkov.model.vlanset import VlanSet
from inkov.steps.edit import CannotChange
from inkov.steps.plug import plugged
from inkov.steps.settings import KEEP, PORT_KEYS, SWITCH_KEYS, PortChange, SwitchChange, TreeChange, words
from inkov.steps.steps import Arrival, Cut, Fail, SetPorts, Step, set_switch


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
    return of_text(text, reading)


def of_text(text: str, reading: Reading) -> tuple[ChangeDocument, Lines, Reading]:
    """Reads the text of a change file.

    Raises:
        BadInput: something in it is wrong.
    """
    data, lines = parsed(text, reading)
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
        for step in _steps(entry, now, source, reading):
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
    elif entry.fail:
        yield from fail_of(entry.fail, campus, source, reading)
    elif entry.replace or entry.add:
        yield from arrivals(entry, campus, source, reading)
    elif entry.plug:
        for text in entry.plug:
            for ref in _places(text, campus, source, reading):
                if ref.port:
                    yield plugged(ref, campus, _inhabited(campus), f"somebody's switch in {ref}", source)
                else:
                    reading.wrong(f"{text!r:.60} is no port; say switch:port", source.path, source.line)
    else:
        yield from _settings(entry, campus, source, reading)


def _settings(entry: StepEntry, campus: Campus, source: Source, reading: Reading) -> Iterator[Step]:
    """Yields a step a switch: of its ports, or of itself."""
    by_switch: dict[str, list[PortRef]] = {}
    for text in entry.at:
        for ref in _places(text, campus, source, reading):
            by_switch.setdefault(ref.switch, []).extend([ref] if ref.port else [])
    for switch, refs in by_switch.items():
        if refs:
            yield from _of_ports(entry, switch, refs, source, reading)
        else:
            yield from _of_switch(entry, switch, source, reading)


def _of_ports(entry: StepEntry, switch: str, refs: list[PortRef], source: Source, reading: Reading) -> Iterator[Step]:
    said = {k: v for k in PORT_KEYS if (v := getattr(entry, k)) is not None}
    said |= {k: said[k].vlans for k in ("trunk", "allow", "disallow", "secondaries") if k in said}
    said |= {k: None for k in ("voice", "native", "lag") if said.get(k) == "none"}
    said |= {k: of(said[k]) for k, of in (("stance", Stance), ("lacp", Lacp)) if k in said}
    said |= {"translate": tuple(said["translate"].items())} if "translate" in said else {}
    tree, whole = entry.tree.change if entry.tree else KEEP, of_one_key(entry)
    if isinstance(own := said.get("registration"), RegistrationEntry):
        said["registration"] = registration(own)
    elif own is not None:
        reading.wrong("'registration' of a port says what is normal, fixed and forbidden", source.path, source.line)
    settings = PortChange(**said, tree=tree, switching=KEEP if whole is None else whole)
    of_switch = [k for k in TABLES if getattr(entry, k)]
    of_switch += [k for k in SWITCH_KEYS if k not in PORT_KEYS and getattr(entry, k) is not None]
    if of_switch or (tree is not KEEP and tree.protocol is not KEEP):
        reading.wrong(
            f"{(of_switch or ['tree.protocol'])[0]!r} is of a switch, not of its ports", source.path, source.line
        )
    if entry.subinterfaces:
        yield from _of_subinterfaces(entry, switch, refs, source, reading)
        if not settings:
            return
    parts = filter(None, (kind(whole).words(whole) if whole else "", words(settings)))
    what = f"{switch}:{ports_text(r.port for r in refs)}: {', '.join(parts)}"
    yield SetPorts(what=what, ports=tuple(refs), settings=settings, source=source)


def _of_switch(entry: StepEntry, switch: str, source: Source, reading: Reading) -> Iterator[Step]:
    asked = {k: getattr(entry, k) for k in SWITCH_KEYS if getattr(entry, k) is not None}
    of_port = [k for k in PORT_FIELDS if k not in SWITCH_KEYS and getattr(entry, k) is not None]
    of_port += ["subinterfaces"] if entry.subinterfaces else []
    of_port += ["registration.normal"] if isinstance(asked.get("registration"), RegistrationEntry) else []
    if of_port:
        reading.wrong(f"{of_port[0]!r} is of a port; say switch:port", source.path, source.line)
        return
    tree = entry.tree.change if entry.tree else TreeChange()
    if own := next((k for k, _ in tree.items() if k in {"cost", "edge"}), ""):
        reading.wrong(f"'tree.{own}' is of a port; say switch:port", source.path, source.line)
        return
    asked |= {k: None for k in ("routing", "registration", "sync") if asked.get(k) in ("not stated", "none")}
    asked |= {"sync": entry.sync.model()} if isinstance(entry.sync, SyncEntry) else {}
    gateways = {v: None if isinstance(e, str) else e.model(v, "", source) for v, e in entry.gateways.items()}
    routes: dict[tuple[str, Prefix], tuple[Route, ...]] = {}
    for e in entry.routes:
        before = routes.get((e.vrf, e.to), ())
        routes[e.vrf, e.to] = before if e.via == "none" else (*before, e.model(source))
    yield set_switch(
        switch,
        vlans={vid: _vlan(vid, e) for vid, e in entry.vlans.items()},
        settings=SwitchChange(**asked, tree=tree or KEEP),
        gateways={gateway_key("", v): g for v, g in gateways.items()},
        routes=routes,
        filters={n: None if isinstance(e, str) else _filter(n, e, source) for n, e in entry.filters.items()},
        source=source,
    )


def _filter(name: str, entries: list[FilterEntry], source: Source) -> Filter:
    return Filter(name, tuple(e.model(source) for e in entries), source)


def _of_subinterfaces(
    entry: StepEntry, switch: str, refs: list[PortRef], source: Source, reading: Reading
) -> Iterator[Step]:
    if len(refs) > 1:
        reading.wrong("'subinterfaces' are of one port; addresses differ", source.path, source.line)
        return
    port = refs[0].port
    told = {tag or None: e for tag, e in entry.subinterfaces.items()}
    made = {gateway_key(port, t): None if isinstance(e, str) else e.model(t, port, source) for t, e in told.items()}
    yield set_switch(switch, gateways=made, source=source)


def _vlan(vid: int, entry: VlanStep | str | None) -> Vlan | None:
    if isinstance(entry, VlanStep):
        type_ = VlanType(entry.type) if entry.type else VlanType.PLAIN
        return Vlan(vid, str(entry.name), entry.state == "active", type_, entry.primary)
    return None if entry == "none" else Vlan(vid, entry or "")


def _places(text: str, campus: Campus, source: Source, reading: Reading) -> Iterator[PortRef]:
    """Yields the ports of `switch:ports`, or of `switch` the switch itself as a reference without a port."""
    pattern, colon, names = text.partition(":")
    found = devices_matching(pattern.strip(), campus.switches)
    if not found:
        hint = nearest(pattern, campus.switches)
        reading.wrong(f"no switch matches {pattern!r:.60}{hint}", source.path, source.line)
    for switch in found:
        if not colon:
            yield PortRef(switch, "")
            continue
        try:
            wanted = port_names(names.lstrip())
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
    ends = _ends(text, campus.switches)
    if not 1 <= len(ends) <= 2 or None in ends:
        what = f"{text!r:.60} is not a cable; expected switch:port, or switch:port - switch:port"
        reading.wrong(what, source.path, source.line)
        return
    yield Cut(what=f"cut {text}", ports=tuple(e for e in ends if e), source=source)


def _ends(text: str, switches: Mapping[str, Switch]) -> list[PortRef | None]:
    known = {n: s.ports for n, s in switches.items()}
    return [port_in(side, known) for side in text.split(" - ")]


def arrivals(entry: StepEntry, campus: Campus, source: Source, reading: Reading) -> Iterator[Step]:
    """Yields the step in which devices come, read from files beside the change file; records what is wrong with them."""
    old = entry.replace and device_named(entry.replace, campus.switches)
    if old and old not in campus.switches:
        hint = nearest(old, campus.switches)
        reading.wrong(f"there is no switch {old!r:.60}{hint}", source.path, source.line)
        return
    devices: list[Switch] = []
    for name in [entry.with_] if old else entry.add:
        path = Path(reading.file).parent / name
        if not path.exists():
            beside = " beside the change file" if reading.file else ""
            reading.wrong(f"there is no file {name!r:.60}{beside}", source.path, source.line)
            continue
        try:
            devices += load(path).switches.values()
        except BadInput as exc:
            reading.problems += exc.problems
    if old and devices:
        if len(devices) > 1:
            reading.wrong(f"{entry.with_!r:.60} holds {len(devices)} devices; expected one", source.path, source.line)
        yield Arrival(
            what=f"{old} is replaced by {entry.with_}",
            switch=old,
            devices=(replace(devices[0], name=old),),
            source=source,
        )
    elif devices:
        cables = list(cables_of(entry.cables, {**campus.switches, **{d.name: d for d in devices}}, source, reading))
        names = ", ".join(d.name for d in devices)
        yield Arrival(what=f"{names} added", devices=tuple(devices), cables=tuple(cables), source=source)


def cables_of(
    texts: Sequence[str], switches: Mapping[str, Switch], source: Source, reading: Reading
) -> Iterator[Cable]:
    """Yields the cables between two ports each; records text that is none."""
    for text in texts:
        ends = _ends(text, switches)
        a, b = ends if len(ends) == 2 else (None, None)
        if a is None or b is None:
            what = f"{text!r:.60} is not a cable between two ports that are there; expected 'pier-2 u1 - pier-1 u3'"
            reading.wrong(what, source.path, source.line)
        else:
            yield Cable(a, b, source)


def fail_of(name: str, campus: Campus, source: Source, reading: Reading) -> Iterator[Step]:
    """Yields the step in which a device fails; records one that is not there."""
    name = device_named(name, campus.switches)
    if name not in campus.switches:
        reading.wrong(f"there is no switch {name!r:.60}{nearest(name, campus.switches)}", source.path, source.line)
        return
    yield Fail(what=f"{name} fails", switch=name, source=source)


class Typed(NamedTuple):
    """Steps as they are typed: `PLACE KEY VALUE`, `SWITCH FILE`, files and cables of what comes, ports, cables, devices."""

    sets: Sequence[str] = ()
    replaced: Sequence[str] = ()
    added: Sequence[str] = ()
    cables: Sequence[str] = ()
    plugs: Sequence[str] = ()
    cuts: Sequence[str] = ()
    fails: Sequence[str] = ()


def on_the_spot(typed: Typed, campus: Campus) -> list[Step]:
    """Returns steps that were typed, in this order.

    Raises:
        BadInput: something in them is not there, or is no setting.
    """
    entries = list(_entries(typed))
    reading = Reading("")

    def option(source: Source) -> Source:
        """Returns the option that a place among the steps stands for."""
        _, n, *inner = source.path.split("/")
        return Source(entries[int(n)][0], None, "/".join(inner))

    try:
        document = validated(ChangeDocument, {"inkov": "change", "steps": [e for _, e in entries]}, Lines(), reading)
        if document is None:
            raise BadInput(reading.problems)
        made = steps(document, Lines(), campus, reading)
    except BadInput as exc:
        own = [Problem(option(p.source), p.what) if not p.source.file else p for p in exc.problems]
        raise BadInput(own) from None
    return [replace(step, source=option(step.source)) for step in made]


def _entries(typed: Typed) -> Iterator[tuple[str, dict[str, Any]]]:
    """Yields each step with its option, in the words of a change file."""
    for text in typed.sets:
        place, key, value = [*text.split(maxsplit=2), "", "", ""][:3]
        outer, dot, inner = key.partition(".")
        if not outer:
            raise _no_step("--set", text, "PLACE KEY VALUE, such as 'hall:u1 native 990'")
        yield "--set", {"at": place, outer: {inner: value} if dot else value}
    for text in typed.replaced:
        name, _, file = text.partition(" ")
        if not file.strip():
            raise _no_step("--replace", text, "SWITCH FILE, such as 'hall new/hall.yaml'")
        yield "--replace", {"replace": name, "with": file.strip()}
    if typed.cables and not typed.added:
        raise BadInput([Problem(Source("--cable"), "needs --add: it connects the added devices")])
    if typed.added:
        yield "--add", {"add": list(typed.added), "cables": list(typed.cables)}
    for key, texts in (("plug", typed.plugs), ("cut", typed.cuts), ("fail", typed.fails)):
        for text in texts:
            if not text:
                raise BadInput([Problem(Source(f"--{key}"), f"is empty; expected {_EXPECTED[key]}")])
            yield f"--{key}", {key: text}


_EXPECTED = {"plug": "switch:port", "cut": "switch:port, or switch:port - switch:port", "fail": "a device"}


def _no_step(option: str, text: str, expected: str) -> BadInput:
    return BadInput([Problem(Source(option), f"{text!r:.60} is not a step; expected {expected}")])


def every_cut(campus: Campus, cables: Iterable[tuple[PortRef, PortRef]]) -> list[Step]:
    """Returns a step for each cable, in which it is cut."""
    return [Cut(what=f"cut {a} - {b}", ports=(a, b)) for a, b in cables if a.switch in campus.switches]


def every_plug(campus: Campus, refs: Iterable[PortRef]) -> list[Step]:
    """Returns a step for the ports of each switch that are set alike, in which somebody plugs a switch into the first."""
    alike: dict[tuple[object, ...], list[PortRef]] = {}
    for ref in refs:
        port = campus.switches[ref.switch].ports[ref.port]
        alike.setdefault((ref.switch, port.switching, port.stance, port.tag_format, port.tree), []).append(ref)
    inhabited = _inhabited(campus)
    return [
        plugged(some[0], campus, inhabited, f"somebody's switch in {some[0].switch}:{ports_text(r.port for r in some)}")
        for some in alike.values()
    ]


def _inhabited(campus: Campus) -> VlanSet:
    """Returns the VLANs that some port of a station is in."""
    return VlanSet(v for s in campus.switches.values() for p in s.ports.values() for v in station_vlans(p.switching))


def every_fail(campus: Campus) -> list[Step]:
    """Returns a step for each device, in which it fails."""
    return [Fail(what=f"{name} fails", switch=name) for name in campus.switches]
