"""Our own switch file (YAML) to a switch. The document type checks each value; this module what spans several."""

from __future__ import annotations

from typing import Any

from inkov.formats.fields import port_names
from inkov.formats.reading import Reading
from inkov.formats.switch_document import LagEntry, PortEntry, StartsAs, SwitchDocument, Switched
from inkov.formats.validated import validated
from inkov.formats.yamltext import Lines, Path
from inkov.model.errors import nearest
from inkov.model.names import natural
from inkov.model.source import Origin, Source
from inkov.model.switch import DEFAULT_VLAN, Access, Heard, Port, Switch, Switching, Trunk, Vlan
from inkov.model.vlanset import ALL


def read(data: Any, lines: Lines, reading: Reading) -> Switch | None:
    """Reads one switch; None after recording what is wrong."""
    document = validated(SwitchDocument, data, lines, reading)
    return None if document is None else _Builder(document, lines, reading).switch()


class _Builder:
    def __init__(self, document: SwitchDocument, lines: Lines, reading: Reading) -> None:
        self.document = document
        self.lines = lines
        self.reading = reading
        self.untouched = self.origin(("starts-as",), {"mode": "mode", "allowed": "allowed"})

    def origin(self, path: Path, rename: dict[str, str] | None = None, defaults: Origin | None = None) -> Origin:
        """Returns the origin of the object at a path; `rename` maps written keys to settings."""
        places: dict[str, int | str] = {"": self.lines.near(path)}
        for written, line in self.lines.items():
            if len(written) == len(path) + 1 and written[: len(path)] == path:
                key = str(written[-1])
                places[(rename or {}).get(key, key)] = line
        return Origin(self.reading.file, "/".join(map(str, path)), places, defaults)

    def switch(self) -> Switch:
        ports = self.ports()
        vlans = self.document.vlans
        table = None
        if vlans is not None:
            table = {v: Vlan(v, e.name, e.state == "active") for v, e in sorted(vlans.items())}
            table.setdefault(DEFAULT_VLAN, Vlan(DEFAULT_VLAN, "default"))
        return Switch(
            name=self.document.name,
            vlans=table,
            ports=ports,
            heard=self.heard(ports),
            mac=self.document.mac or "",
            origin=Origin(self.reading.file, "", self.switch_places()),
        )

    def switch_places(self) -> dict[str, int | str]:
        places: dict[str, int | str] = {"": self.lines.get(("name",), 1), "vlans": self.lines.near(("vlans",))}
        for v in self.document.vlans or ():
            places[f"vlans/{v}"] = self.lines.near(("vlans", str(v)))
        return places

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
                made[name] = Port(
                    name=name,
                    switching=port.switching,
                    enabled=port.enabled,
                    label=port.label,
                    lag=port_entry.lag,
                    origin=port.origin,
                )
            if port_entry.lag is not None and port_entry.lag not in self.document.lags:
                hint = nearest(port_entry.lag, self.document.lags)
                self.reading.wrong(
                    f"LAG {port_entry.lag!r} is not defined under lags{hint}",
                    f"ports/{pattern}/lag",
                    self.lines.near((*path, "lag")),
                )
        return {n: self.finished(made[n], made) for n in sorted(made, key=natural)}

    def finished(self, port: Port, ports: dict[str, Port]) -> Port:
        if not port.is_lag:
            return port
        members = sorted((p.name for p in ports.values() if p.lag == port.name), key=natural)
        return Port(
            name=port.name,
            switching=port.switching,
            enabled=port.enabled,
            label=port.label,
            members=tuple(members),
            is_lag=True,
            origin=port.origin,
        )

    def port(self, name: str, entry: Switched, path: Path) -> Port:
        starts = self.document.starts_as
        rename = {"trunk": "allowed"}
        return Port(
            name=name,
            switching=self.switching(entry, starts, path),
            enabled=starts.enabled if entry.enabled is None else entry.enabled,
            label=entry.label,
            is_lag=isinstance(entry, LagEntry),
            lag=entry.lag if isinstance(entry, PortEntry) else None,
            origin=self.origin(path, rename, self.untouched),
        )

    def switching(self, entry: Switched, starts: StartsAs, path: Path) -> Switching:
        native_given = "native" in entry.model_fields_set
        is_trunk = entry.trunk is not None or (entry.access is None and starts.mode == "trunk")
        if not is_trunk:
            if native_given:
                self.reading.wrong(
                    "'native' belongs to a trunk, and this is an access port",
                    "/".join(map(str, (*path, "native"))),
                    self.lines.near((*path, "native")),
                )
            return Access(starts.access if entry.access is None else entry.access)
        listed = entry.trunk or starts.allowed
        return Trunk(
            entry.native if native_given else starts.native,
            listed.vlans if listed else ALL,
            listed.spelling if listed else "",
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
