"""Configuration of software switches in their database (RFC 7047): dumps of tables, and answers to `select`.

A bridge is a switch. Frames that no tag and no PVID puts into a VLAN stay in VLAN 0, which is a VLAN like any other there.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any, Final

from inkov.formats import jsontext
from inkov.formats.entry import Entry
from inkov.formats.format import Content, Given
from inkov.formats.ovsdb import columns, shapes, unfollowed
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.formats.text import utf8
from inkov.kinds.general import plainest
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.source import Origin, Source
from inkov.model.switch import (
    FrameTypes,
    General,
    Habits,
    Heard,
    Lacp,
    Port,
    Stance,
    Switch,
    Switching,
    Tunnel,
    Unstated,
)
from inkov.model.tree import NO_PORT_TREE, BridgeTree, PortTree, Protocol
from inkov.model.vlanset import ALL, NONE, VID_MAX, VID_MIN, VlanSet

Row = Mapping[str, Any]

_TABLES: Final = ("Bridge", "Port", "Interface", "Mirror", "Open_vSwitch")
_LOOKS: Final = re.compile(
    rb'\A\s*(?:\{[^{}]{0,200}"headings"\s*:\s*\[|\{[^{}]{0,400}"caption"\s*:|\{[^{}]{0,300}"result"\s*:\s*\[|\[\s*\{\s*"rows"\s*:)'
)
_MARKS: Final = re.compile(
    rb'"(?:Port table|Bridge table|Interface table|Open_vSwitch table|fake_bridge|vlan_mode|_uuid)"'
)
_HABITS: Final = Habits(own_tag=False, native_outside_list=False, tagged_native=True)
_LACP: Final = {"active": Lacp.ACTIVE, "passive": Lacp.PASSIVE, "off": Lacp.STATIC}
_COLUMNS: Final = {
    Setting.MODE: "vlan_mode",
    Setting.ACCESS: "tag",
    Setting.NATIVE: "tag",
    Setting.GENERAL: "vlan_mode",
    Setting.TUNNEL: "vlan_mode",
    Setting.ALLOWED: "trunks",
    Setting.STANCE: "vlan_mode",
}


def recognise(data: bytes) -> bool:
    """Tells whether a file is a dump of tables, or an answer, of such a database."""
    return _LOOKS.match(data[:2048]) is not None and _MARKS.search(data) is not None


def read(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads the bridges of a dump or an answer.

    Raises:
        BadInput: it is no JSON, or the server refused to answer.
    """
    tables = _tables(jsontext.values(utf8(data), reading), reading)
    if "Port" not in tables or "Bridge" not in tables:
        missing = " and ".join(t for t in ("Bridge", "Port") if t not in tables)
        reading.wrong(f"the table {missing} is not in this dump; dump all tables")
        return None
    if lacking := columns.lacking(tables):
        reading.wrong(f"this dump lacks columns that say what belongs to what: {', '.join(lacking)}; dump all columns")
        return None
    database = _Database(tables, reading)
    found = tuple(database.switches(given.name))
    if not found:
        reading.note("no bridge in this dump")
    return found


# -- encodings ---------------------------------------------------------------------------------------


def values(value: Any) -> list[Any]:
    """Returns a column as a list: a set, a reference, or a bare value, which is a set of one (RFC 7047, 5.1)."""
    if isinstance(value, list) and len(value) == 2 and value[0] == "set" and isinstance(value[1], list):
        return [a for inner in value[1] for a in _atom(inner)]
    return list(_atom(value))


def _atom(value: Any) -> Iterator[Any]:
    if isinstance(value, list) and len(value) == 2 and value[0] in ("uuid", "named-uuid"):  # a tuple: it may be a list
        yield str(value[1])
    elif isinstance(value, str | int | float):
        yield value


def mapping(value: Any) -> dict[str, str]:
    """Returns a map column; its values are text whatever they look like."""
    if isinstance(value, list) and len(value) == 2 and value[0] == "map" and isinstance(value[1], list):
        pairs = (p for p in value[1] if isinstance(p, list) and len(p) == 2)
        return {str(k): str(v) for k, v in pairs}
    return {}


def _tables(found: list[Any], reading: Reading) -> dict[str, list[Row]]:
    """Returns the rows of each table, from dumps (a value a table), listings, and answers; without captions by their columns."""
    tables: dict[str, list[Row]] = {}
    for value in found:
        for rows, name in _row_sets(value, reading):
            own = name or columns.table_of(rows)
            if own in _TABLES:
                shapes.checked(own, rows, reading)
                tables.setdefault(own, []).extend(rows)
    for own, rows in tables.items():
        shapes.told_twice(own, rows, reading)
    return tables


def _row_sets(value: Any, reading: Reading) -> Iterator[tuple[list[Row], str]]:
    if isinstance(value, list):
        for inner in value:
            yield from _row_sets(inner, reading)
        return
    if not isinstance(value, dict):
        return
    if value.get("error") and "rows" not in value:
        said = value["error"].get("error") if isinstance(value["error"], dict) else value["error"]
        details = value.get("details") or ""
        raise reading.fail(f"the server refused to answer: {said!s:.100}{f' ({details!s:.100})' if details else ''}")
    if isinstance(value.get("result"), list):
        yield from _row_sets(value["result"], reading)
    if isinstance(value.get("rows"), list):
        yield [r for r in value["rows"] if isinstance(r, dict)], ""
    headings, data = value.get("headings"), value.get("data")
    if isinstance(headings, list) and isinstance(data, list):
        names = [str(h) for h in headings]
        whole = [r for r in data if isinstance(r, list) and len(r) == len(names)]
        if len(whole) < len(data):
            reading.wrong(f"{len(data) - len(whole)} rows do not have the columns of their table")
        rows: list[Row] = [dict(zip(names, r, strict=True)) for r in whole if not _is_change(names, r)]
        yield rows, str(value.get("caption", "")).removesuffix(" table")


def _is_change(names: list[str], row: list[Any]) -> bool:
    """Tells whether a row of a monitor says what was, not what is."""
    return "action" in names and row[names.index("action")] in {"delete", "old"}


# -- bridges -----------------------------------------------------------------------------------------


class _Database:
    def __init__(self, tables: Mapping[str, list[Row]], reading: Reading) -> None:
        self.reading = reading
        self.tables = tables
        self.ports = _by_uuid(tables.get("Port", []))
        self.interfaces = _by_uuid(tables.get("Interface", []))
        self.root: Row = next(iter(tables.get("Open_vSwitch", [])), {})
        self.patches = self._patches()

    def switches(self, fallback_name: str) -> Iterator[Entry]:
        """Yields a switch a bridge; one that is alone goes by the name of its host, several by host and bridge."""
        bridges = self.tables["Bridge"]
        if "bridges" in self.root:
            listed = set(values(self.root["bridges"]))
            bridges = [b for b in bridges if not values(b.get("_uuid")) or values(b["_uuid"])[0] in listed]
        ids = mapping(self.root.get("external_ids"))
        host = ids.get("hostname", "")
        for bridge in sorted(bridges, key=lambda b: natural(str(b.get("name", "")))):
            if not isinstance(bridge.get("name"), str):
                self.reading.wrong("a bridge has no name")
                continue
            name = host or fallback_name
            if len(bridges) > 1:
                name = f"{name}.{bridge['name']}" if name else bridge["name"]
            self.names = self.bridge_names(bridges, host or fallback_name)
            yield Entry(self._switch(bridge, name[:MAX_TEXT]), named=bool(host), short=tuple(self._short()))

    @staticmethod
    def bridge_names(bridges: list[Row], host: str) -> dict[str, str]:
        """Returns what the switch of each bridge is called."""
        several = len(bridges) > 1
        return {str(b.get("name")): f"{host}.{b.get('name')}" if several else host for b in bridges}

    def _short(self) -> Iterator[str]:
        if lacking := columns.of_vlans_lacking(self.tables["Port"]):
            yield f"does not tell what ports do with VLANs: the table Port has no {', '.join(lacking)}"
        if "Interface" not in self.tables:
            yield "no Interface table: patch cables, and ports that could not be opened, are not known"

    def _switch(self, bridge: Row, name: str) -> Switch:
        path = f"/Bridge[name={bridge['name']}]"
        dark = self._not_normal(bridge, path)
        ports: dict[str, Port] = {}
        members: dict[str, Port] = {}
        heard: list[Heard] = []
        rows = [self.ports[u] for u in values(bridge.get("ports")) if u in self.ports]
        if len(rows) < len(values(bridge.get("ports"))):
            self.reading.wrong("the bridge has ports that are not in the table Port", path)
        for row in rows:
            port, bundled, links = self._port(row, dark=dark)
            if port.name in ports:
                self.reading.wrong(f"two ports of this bridge are called {port.name!r:.40}", path)
            ports[port.name] = port
            members |= {m.name: m for m in bundled}
            heard += links
        ports = {**members, **ports}
        tree, address = self._tree(bridge)
        below = [self.interfaces[u] for row in rows for u in values(row.get("interfaces")) if u in self.interfaces]
        unfollowed.record(bridge, rows, below, self.tables.get("Mirror", ()), self.reading)
        return Switch(
            name=name,
            vlans=None,
            ports={n: ports[n] for n in sorted(ports, key=natural)},
            heard=tuple(sorted(heard, key=lambda h: natural(h.port))),
            mac=address,
            habits=_HABITS,
            unstated_habits=frozenset({"uneven_link"}),
            tree=tree,
            gateways_stated=False,
            touches=self.reading.touched(),
            origin=Origin(
                self.reading.file,
                "",
                {
                    "": path,
                    Setting.TREE_PROTOCOL.key: f"{path}/rstp_enable",
                    Setting.TREE_PRIORITY.key: f"{path}/other_config",
                },
            ),
        )

    def _not_normal(self, bridge: Row, path: str) -> bool:
        """Tells whether flows may pass frames otherwise than VLAN settings say; which do is not in the database."""
        controlled = bool(values(bridge.get("controller")))
        secure = values(bridge.get("fail_mode")) == ["secure"]
        if controlled or secure:
            why = "has a controller" if controlled else "forwards by flows alone"
            self.reading.note(f"{path}: this bridge {why}; what its ports do with frames is not known from here")
        return controlled or secure

    def _tree(self, bridge: Row) -> tuple[BridgeTree, str]:
        other = mapping(bridge.get("other_config"))
        for column, key, protocol in (
            ("rstp_enable", "rstp-priority", Protocol.RSTP),
            ("stp_enable", "stp-priority", Protocol.STP),
        ):
            if bridge.get(column) is True:
                priority = other.get(key, "32768")
                number = int(priority) if priority.isdecimal() and len(priority) < 6 else 32768
                return BridgeTree(protocol, number), _mac(other.get("hwaddr", ""))
        told = "stp_enable" in bridge or "rstp_enable" in bridge
        return BridgeTree(Protocol.OFF if told else None), _mac(other.get("hwaddr", ""))

    # -- ports -----------------------------------------------------------------------------------------

    def _port(self, row: Row, *, dark: bool) -> tuple[Port, list[Port], list[Heard]]:
        name = str(row.get("name", ""))[:MAX_TEXT]
        path = f"/Port[name={name}]"
        interfaces = [self.interfaces.get(u, {}) for u in values(row.get("interfaces"))]
        bond = len(interfaces) > 1
        other = mapping(row.get("other_config"))
        in_tree = other.get("rstp-enable") != "false" and not bond
        places = {s.key: f"{path}/{column}" for s, column in _COLUMNS.items()}
        port = Port(
            name=name,
            switching=Unstated() if dark else self._switching(row, path),
            enabled=any(map(_works, interfaces)) if interfaces else True,
            stance=Stance.SILENT,
            is_lag=bond,
            lacp=_LACP.get(str((values(row.get("lacp")) or ["off"])[0])) if bond else None,
            members=tuple(sorted((str(i.get("name")) for i in interfaces if i.get("name")), key=natural))
            if bond
            else (),
            speed=0 if bond else _speed(interfaces),
            tree=_port_tree(other, runs=in_tree),
            known_as=tuple(dict.fromkeys(str(m) for i in interfaces for m in values(i.get("mac_in_use")) if not bond)),
            origin=Origin(self.reading.file, "", {"": path, Setting.LACP.key: f"{path}/lacp", **places}),
        )
        bundled = [self._member(i, name) for i in interfaces if bond and i.get("name")]
        heard = [h for i in interfaces for h in self._patch(str(i.get("name", "")), "" if bond else name)]
        return port, bundled, heard

    def _member(self, interface: Row, lag: str) -> Port:
        name = str(interface["name"])[:MAX_TEXT]
        path = f"/Interface[name={name}]"
        return Port(
            name=name,
            switching=Unstated(),
            enabled=_works(interface),
            stance=Stance.SILENT,
            lag=lag,
            speed=_speed([interface]),
            origin=Origin(self.reading.file, "", {"": path, Setting.LAG.key: f"/Port[name={lag}]/interfaces"}),
        )

    def _switching(self, row: Row, path: str) -> Switching:
        """Returns what a port does with frames, as the software does it (see the table in `docs/formats.md`)."""
        if columns.of_vlans_lacking([row]):
            return Unstated()
        tags, listed, inner = values(row.get("tag")), values(row.get("trunks")), values(row.get("cvlans"))
        numbers = [*tags, *listed, *inner]
        if any(type(n) is not int or not 0 <= n <= VID_MAX + 1 for n in numbers):
            self.reading.wrong("a VLAN here is no number from 0 to 4095", f"{path}/tag")
            return Unstated()
        tag = tags[0] if tags else 0
        mode = (values(row.get("vlan_mode")) or ["access" if tags else "trunk"])[0]
        if mode not in _MODES:
            self.reading.wrong(f"{mode!r:.40} is no VLAN mode", f"{path}/vlan_mode")
            return Unstated()
        trunks = VlanSet(v for v in listed if VID_MIN <= v <= VID_MAX) if listed else ALL
        if mode == "dot1q-tunnel":
            return (
                Tunnel(tag, VlanSet(v for v in inner if VID_MIN <= v <= VID_MAX) if inner else None)
                if tag
                else Unstated()
            )
        return plainest(_general(mode, tag, trunks, zero=not listed or 0 in listed), _HABITS.own_tag)

    # -- patch cables ----------------------------------------------------------------------------------

    def _patches(self) -> dict[str, str]:
        """Returns the pairs of patch interfaces that name each other, both ways."""
        said = {
            str(i.get("name")): mapping(i.get("options")).get("peer", "")
            for i in self.interfaces.values()
            if i.get("type") == "patch"
        }
        return {a: b for a, b in said.items() if said.get(b) == a}

    def _patch(self, interface: str, port: str) -> Iterator[Heard]:
        peer = self.patches.get(interface)
        if peer is None or not port:
            return
        for other in self.tables["Bridge"]:
            for u in values(other.get("ports")):
                row = self.ports.get(u, {})
                own = [str(self.interfaces.get(i, {}).get("name")) for i in values(row.get("interfaces"))]
                if peer in own and len(own) == 1:
                    name = self.names.get(str(other.get("name")), "")
                    source = Source(self.reading.file, None, f"/Interface[name={interface}]/options")
                    yield Heard(port, name, str(row.get("name")), "", source)


_MODES: Final = frozenset({"access", "trunk", "native-tagged", "native-untagged", "dot1q-tunnel"})


def _general(mode: str, tag: int, trunks: VlanSet, *, zero: bool) -> General:
    """Returns a mode as sets; `zero` tells that VLAN 0 is among those that the port carries."""
    own = VlanSet([tag]) if VID_MIN <= tag <= VID_MAX else NONE
    match mode:
        case "access":
            return General(tag, own, NONE, FrameTypes.UNTAGGED, plain=not tag)
        case "trunk":
            return General(0 if zero else None, NONE, trunks, FrameTypes.ALL if zero else FrameTypes.TAGGED, plain=zero)
        case "native-tagged":
            return General(tag, NONE, trunks | own, plain=zero and not tag)
        case _:
            return General(tag, own, trunks - own, plain=zero and not tag)


def _by_uuid(rows: list[Row]) -> dict[str, Row]:
    return {str(u): row for row in rows for u in values(row.get("_uuid") or row.get("row"))[:1]}


def _works(interface: Row) -> bool:
    """Tells whether an interface is part of its switch, and not shut down; what is not said is no reason against it."""
    numbers = values(interface.get("ofport")) if "ofport" in interface else [1]
    broken = numbers in ([], [-1]) or bool("".join(map(str, values(interface.get("error")))))
    return not broken and values(interface.get("admin_state")) != ["down"]


def _speed(interfaces: list[Row]) -> int:
    speeds = [v for i in interfaces for v in values(i.get("link_speed")) if type(v) is int]
    return speeds[0] // 1_000_000 if speeds else 0


def _port_tree(other: Mapping[str, str], *, runs: bool) -> PortTree:
    cost, priority = (
        other.get(f"rstp-{key}") or other.get(f"stp-{key}") or "" for key in ("path-cost", "port-priority")
    )
    edge = {"true": True, "false": False}.get(other.get("rstp-port-admin-edge", ""))
    if runs and not cost and not priority and edge is None:
        return NO_PORT_TREE
    return PortTree(
        edge=edge,
        cost=int(cost) if cost.isdecimal() and len(cost) < 10 else None,
        priority=int(priority) if priority.isdecimal() and len(priority) < 4 else 128,
        runs=runs,
    )


def _mac(text: str) -> str:
    return text.lower() if re.fullmatch(r"[0-9a-fA-F]{2}(?::[0-9a-fA-F]{2}){5}", text) else ""
