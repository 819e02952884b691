"""Our own switch file (YAML) to a switch. The document type checks each value; this module what spans several."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace
from typing import Any

from inkov.formats.entry import OVER, PART, WHOLE, Entry
from inkov.formats.ours.fields import port_names
from inkov.formats.ours.port_kinds import stance, switching
from inkov.formats.ours.switch_document import Assume, LagEntry, PortEntry, SwitchDocument, Switched, VlanEntry
from inkov.formats.ours.switch_routing import layer3
from inkov.formats.ours.tree_document import port_tree, registration
from inkov.formats.ours.validated import validated
from inkov.formats.ours.yamltext import Lines, Path
from inkov.formats.reading import Reading
from inkov.kinds.accounts import as_stated, only_voice
from inkov.kinds.table import MODES, access_of
from inkov.model.errors import nearest
from inkov.model.habits import HABIT_WORDS
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.source import Origin, Source, Touch, Touches
from inkov.model.switch import (
    ALL_HABITS,
    DEFAULT_VLAN,
    DOT1Q,
    Bridged,
    Habits,
    Heard,
    Kind,
    Lacp,
    Port,
    Switch,
    Vlan,
    VlanType,
)
from inkov.model.vlanset import Vid


def read(data: Any, lines: Lines, reading: Reading, assume: Assume | None = None) -> Entry | None:
    """Reads one switch, or what is to be added to what other files say of one; None after recording what is wrong.

    Args:
        data: the file as plain data.
        lines: the lines of its paths.
        reading: takes problems.
        assume: habits that the campus file states for all switches.
    """
    document = validated(SwitchDocument, data, lines, reading)
    if document is None:
        return None
    switch = _Builder(document, lines, reading, assume or Assume()).switch()
    open_ = document.rest == "unknown"
    standing = OVER if document.overrides else PART if document.adds and not open_ else WHOLE
    if open_ or standing != WHOLE:
        known = "gateways" in document.model_fields_set or document.kind != "switch"
        ports = {n: _as_stated(p) if document.kind == "switch" else p for n, p in switch.ports.items()}
        switch = replace(switch, ports=ports, gateways_stated=known)
    return Entry(switch, saved=document.saved, standing=standing)


def _as_stated(port: Port) -> Port:
    """Returns a port with nothing but what the file says of it; what it leaves out, other files may say."""
    states = port.origin.states
    known = any(map(states, MODES))
    return replace(
        port,
        switching=as_stated(port.switching, states) if known else only_voice(port.switching),
        stance=port.stance if states(Setting.STANCE) or states(Setting.MODE) else None,
    )


def habits(*stated: Assume) -> tuple[Habits, frozenset[str]]:
    """Returns habits: each as the first block that states it says, else the usual; and which of them nothing states."""
    said = {key: v for a in reversed(stated) for key in HABIT_WORDS if (v := getattr(a, key)) is not None}
    return Habits(**{key: v == HABIT_WORDS[key][True] for key, v in said.items()}), ALL_HABITS - frozenset(said)


class _Builder:
    def __init__(self, document: SwitchDocument, lines: Lines, reading: Reading, inherited: Assume) -> None:
        self.document = document
        self.inherited = inherited
        self.kind = Kind(document.kind)
        self.lines = lines
        self.reading = reading
        self.below: dict[Path, list[tuple[Path, int]]] = defaultdict(list)
        """The keys below each port, LAG and `starts-as`, with their lines."""
        for written, line in lines.items():
            holder = 1 if written[:1] == ("starts-as",) else 2
            if len(written) > holder and (holder == 1 or written[0] in {"ports", "lags"}):
                self.below[written[:holder]].append((written[holder:], line))
        self.untouched = self.origin(("starts-as",), {"allowed": Setting.ALLOWED.key})

    def origin(self, path: Path, rename: dict[str, str] | None = None, defaults: Origin | None = None) -> Origin:
        """Returns the origin of the object at a path; `rename` maps keys that are written otherwise than usual."""
        places: dict[str, int | str] = {"": self.lines.near(path)}
        for written, line in self.below.get(path, ()):
            key = "/".join(map(str, written))
            places[(rename or {}).get(key, key)] = line
        return Origin(self.reading.file, "/".join(map(str, path)), places, defaults)

    def switch(self) -> Switch:
        ports = self.ports()
        vlans = self.document.vlans
        table, listed = None, True
        if self.document.domains:
            table = {v: Vlan(v, e.name) for v, e in sorted(self.document.domains.items())}
        elif vlans is not None:
            table = {v: self.vlan(v, e) for v, e in sorted(vlans.items()) if e.state != "absent"}
            listed = DEFAULT_VLAN in vlans or self.document.rest == "usual"
            if listed and DEFAULT_VLAN not in vlans:
                table = {DEFAULT_VLAN: Vlan(DEFAULT_VLAN, "default"), **table}
        own_habits, unstated = habits(self.document.assume, self.inherited)
        registration, open_ = self.document.registration, self.document.rest == "unknown" and self.kind is Kind.SWITCH
        return Switch(
            name=self.document.name,
            vlans=table,
            ports=ports,
            heard=self.heard(ports),
            mac=self.document.mac or "",
            kind=self.kind,
            default_vlan_listed=listed,
            habits=own_habits,
            unstated_habits=unstated,
            touches=tuple(
                Touch(path, Touches(what), Source(self.reading.file, self.lines.near(("not-followed", what))))
                for what, paths in self.document.not_followed.items()
                for path in paths
            ),
            without_effect=tuple(self.document.assume.without_effect),
            role=self.document.role,
            lacks=tuple(self.document.lacks),
            limits=self.document.limits.model() if self.document.limits else {},
            tree=self.document.tree.model(),
            sync=self.document.sync.model() if self.document.sync else None,
            prunes=self.document.pruning,
            registration=None if open_ and registration is None else bool(registration),
            **layer3(self.document, self.lines, self.reading),
            origin=Origin(self.reading.file, "", self.switch_places()),
        )

    def switch_places(self) -> dict[str, int | str]:
        """Returns the line of each key of the switch itself; ports and LAGs have origins of their own."""
        places: dict[str, int | str] = {"": self.lines.get(("name",), 1), "vlans": self.lines.near(("vlans",))}
        for written, line in self.lines.items():
            if written and written[0] not in {"ports", "lags"} and len(written) < (4 if written[0] == "tree" else 3):
                places["/".join(map(str, written))] = line
        for v in self.document.domains:
            places[f"vlans/{v}"] = self.lines.near(("domains", str(v)))
        return places

    @staticmethod
    def vlan(v: Vid, entry: VlanEntry) -> Vlan:
        return Vlan(v, entry.name, entry.state == "active", VlanType(entry.type), entry.primary)

    def ports(self) -> dict[str, Port]:
        made: dict[str, Port] = {}
        first_line: dict[str, int] = {}
        for name, lag_entry in self.document.lags.items():
            made[name] = self.port(name, lag_entry, ("lags", name))
            first_line[name] = self.lines.near(("lags", name))
        for pattern, port_entry in self.document.ports.items():
            path: Path = ("ports", pattern)
            line = self.lines.near(path)
            try:
                names = port_names(pattern)
            except ValueError as exc:
                self.reading.wrong(str(exc), "ports", line)
                continue
            port = self.port("", port_entry, path)
            for name in names:
                if name in made:
                    self.reading.wrong(
                        f"port {name!r} is configured twice; the first time in line {first_line[name]}", "ports", line
                    )
                    continue
                first_line[name] = line
                made[name] = replace(port, name=name)
            if port_entry.lag is not None and port_entry.lag not in self.document.lags:
                hint = nearest(port_entry.lag, self.document.lags)
                self.reading.wrong(
                    f"LAG {port_entry.lag!r} is not defined under lags{hint}",
                    f"ports/{pattern}/lag",
                    self.lines.near((*path, "lag")),
                )
        self.bridge(made)
        return {n: self.finished(made[n], made) for n in sorted(made, key=natural)}

    def bridge(self, ports: dict[str, Port]) -> None:
        """Puts the ports that `domains` names into bridges of their own."""
        untagged: dict[str, Vid] = {}
        tagged: dict[str, list[tuple[Vid, Vid]]] = {}
        for v, entry in self.document.domains.items():
            path: Path = ("domains", str(v))
            try:
                plain = port_names(entry.untagged) if entry.untagged else []
            except ValueError as exc:
                self.reading.wrong(str(exc), f"domains/{v}/untagged", self.lines.near((*path, "untagged")))
                continue
            for name in (*plain, *entry.tagged):
                if name not in ports:
                    hint = nearest(name, ports)
                    self.reading.wrong(f"port {name!r} is not under ports{hint}", f"domains/{v}", self.lines.near(path))
            for name in plain:
                if untagged.setdefault(name, v) != v:
                    self.reading.wrong(
                        f"port {name!r} is untagged in {untagged[name]} too", f"domains/{v}", self.lines.near(path)
                    )
            for name, tag in entry.tagged.items():
                tagged.setdefault(name, []).append((tag, v))
        for name in {*untagged, *tagged} & ports.keys():
            first = next(v for v in (untagged.get(name), *(v for _, v in tagged.get(name, ()))) if v is not None)
            ports[name] = replace(
                ports[name],
                switching=Bridged(untagged.get(name), tuple(tagged.get(name, ()))),
                origin=ports[name].origin.also({Setting.BRIDGED: self.lines.near(("domains", str(first)))}),
            )
        if self.document.domains:
            ports |= {name: self.unbridged(port) for name, port in ports.items()}

    def unbridged(self, port: Port) -> Port:
        """Returns a port of a box of bridges that nothing puts into one: there is no VLAN for it."""
        if any(map(port.origin.states, MODES)) or port.lag or access_of(port.switching) is None:
            return port
        places = {Setting.BRIDGED: self.lines.near(("domains",))}
        return replace(port, switching=Bridged(), origin=port.origin.also(places))

    def finished(self, port: Port, ports: dict[str, Port]) -> Port:
        if not port.is_lag:
            return port
        members = sorted((p.name for p in ports.values() if p.lag == port.name), key=natural)
        return replace(port, members=tuple(members))

    def port(self, name: str, entry: Switched, path: Path) -> Port:
        starts = self.document.starts_as

        def complain(what: str, key: str) -> None:
            self.reading.wrong(what, "/".join(map(str, (*path, key))), self.lines.near((*path, key)))

        return Port(
            name=name,
            switching=switching(entry, starts, self.kind, complain),
            stance=stance(entry, starts),
            tag_format=entry.tags or DOT1Q,
            lacp=Lacp(entry.lacp) if isinstance(entry, LagEntry) and entry.lacp else None,
            enabled=starts.enabled if entry.enabled is None else entry.enabled,
            label=entry.label,
            is_lag=isinstance(entry, LagEntry),
            lag=entry.lag if isinstance(entry, PortEntry) else None,
            speed=(entry.speed or 0) if isinstance(entry, PortEntry) else 0,
            tree=port_tree(entry.tree, entry.edge if "edge" in entry.model_fields_set else starts.edge),
            registration=registration(entry.registration),
            origin=self.origin(path, defaults=self.untouched),
        )

    def heard(self, ports: dict[str, Port]) -> tuple[Heard, ...]:
        found: list[Heard] = []
        for port, text in self.document.neighbours.items():
            line = self.lines.near(("neighbours", port))
            path = f"neighbours/{port}"
            if port not in ports:
                self.reading.wrong(f"port {port!r} is not on this switch{nearest(port, ports)}", path, line)
                continue
            system, _, far = text.strip().partition(" ")
            if not system:
                self.reading.wrong("no neighbour named; expected 'switch port'", path, line)
                continue
            found.append(Heard(port, system, far.strip(), "", Source(self.reading.file, line, path)))
        return tuple(sorted(found, key=lambda h: (natural(h.port), h.system, h.far_port)))
