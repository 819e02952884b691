"""OpenConfig JSON (RFC 7951) to a switch.

Reads VLAN definitions in both places the models have put them, `switched-vlan` on ports and aggregates,
`enabled`, `description`, aggregate membership, LLDP neighbours and the host name. `config` is what was
asked for and is read first; `state` is the fallback, leaf by leaf.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

import orjson

from inkov.formats.openconfig import routing as openconfig_routing
from inkov.formats.openconfig import stp as openconfig_stp
from inkov.formats.openconfig.leaves import record, record_roots
from inkov.formats.openconfig.neighbours import heard
from inkov.formats.openconfig.switched import record_today, switching_of
from inkov.formats.openconfig.tree import Node, child, entries, flag, leaves_of, pick, short, text_leaf
from inkov.formats.openconfig.vlans import default_instance, is_whole_bridge, tag_format, vlan_table
from inkov.formats.openconfig.wrappers import local, merge, unwrap
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.source import Origin, Touches
from inkov.model.switch import (
    DEFAULT_VLAN,
    DOT1Q,
    Lacp,
    Port,
    Routed,
    Switch,
    Unstated,
    Vlan,
)
from inkov.model.vlanset import Vid

_LAG_TYPES = frozenset({"ieee8023adLag", "IF_AGGREGATE"})
_NOT_BRIDGED = frozenset({"l3ipvlan", "softwareLoopback", "tunnel", "propVirtual", "IF_ROUTED_VLAN", "IF_LOOPBACK"})
_ROOTS = ("interfaces", "vlans", "network-instances", "lldp", "lacp", "stp", "acl", "local-routes")
_SWITCHED = "switched-vlan/config"


class Export:
    """The containers of one device, from one file or from several."""

    def __init__(self, found: list[Any], reading: Reading) -> None:
        """Takes the decoded values of a file, in order.

        Raises:
            BadInput: the file is an error answer of a device.
        """
        self.document, self.target = unwrap(found, reading)
        self.reading = reading

    def add(self, found: list[Any], reading: Reading) -> None:
        """Takes a further file of the same device; what both say comes from the first, but for entries of lists.

        Raises:
            BadInput: the file is an error answer of a device.
        """
        document, target = unwrap(found, reading)
        self.target = self.target or target
        new = dict.fromkeys(document.keys() - self.document.keys(), reading.file)
        self.reading.elsewhere = {**self.reading.elsewhere, **new}
        merge(document, self.document)
        self.document = document

    @property
    def name(self) -> str:
        """What the device is called in the data; empty when nothing there says it."""
        system, lldp = ("system", "hostname"), ("lldp", "system-name")
        return text_leaf(self.document, *system) or text_leaf(self.document, *lldp) or self.target

    def _roots(self) -> None:
        """Records roots that are no objects, and a list of interfaces that is not there."""
        for root in _ROOTS:
            if root in self.document and not isinstance(self.document[root], dict):
                self.reading.wrong(f"{self.document[root]!r:.40} is no object", f"/{root}")
        interfaces = child(self.document, "interfaces")
        if interfaces and pick(interfaces, "interface") is None:
            self.reading.wrong("no interface is listed here", "/interfaces")

    def switch(self, fallback_name: str) -> Switch:
        """Reads the switch.

        Args:
            fallback_name: its name if the data does not hold one.
        """
        document, reading = self.document, self.reading
        self._roots()
        lldp = child(document, "lldp")
        ports, routed = _ports(child(document, "interfaces"), _lacp_modes(document, reading), reading)
        vlans, tagged_as = vlan_table(document, reading)
        if tagged_as != DOT1Q:
            ports = {n: replace(p, tag_format=tagged_as) if p.tag_format == DOT1Q else p for n, p in ports.items()}
        if vlans is None:
            reading.note("no VLAN table in this export; a VLAN is taken to exist where a port is a member")
        tree, address, tree_places = openconfig_stp.bridge_tree(document, reading)
        record_roots(document, reading, whole_bridge=is_whole_bridge(document))
        top = isinstance(pick(document, "vlans"), dict)
        places = {Setting.VLANS.key: "vlans" if top else Setting.VLANS.path, **tree_places}
        return Switch(
            name=self.name or fallback_name,
            vlans=vlans,
            ports=openconfig_stp.with_port_trees(ports, document, tree, reading),
            heard=tuple(heard(lldp, reading)),
            mac=address or text_leaf(document, "lldp", "chassis-id").lower(),
            tree=tree,
            **_layer3(document, vlans, routed, reading),
            default_vlan_listed=vlans is None or DEFAULT_VLAN in vlans,
            touches=reading.touched(),
            origin=Origin(reading.file, "", {"": "", **{k: reading.place(f"/{v}") for k, v in places.items()}}),
        )


def _layer3(
    document: Node, vlans: Mapping[Vid, Vlan] | None, routed: Sequence[Node], reading: Reading
) -> dict[str, Any]:
    names = {entry.name: v for v, entry in vlans.items() if entry.name} if vlans and routed else {}
    layer3 = openconfig_routing.Layer3(document, routed, names, reading)
    return layer3.attributes(default_instance(layer3.instances))


# -- ports -------------------------------------------------------------------------------------------


def _ports(interfaces: Node, lacp: Mapping[str, Lacp], reading: Reading) -> tuple[dict[str, Port], list[Node]]:
    """Returns the ports and LAGs, and the interfaces that may have addresses, ports or not."""
    ports: dict[str, Port] = {}
    routed: list[Node] = []
    members: dict[str, list[str]] = {}
    fewest_links: dict[str, int] = {}
    for entry in entries(interfaces, "interface", "name", reading, "/interfaces/interface"):
        name = entry.get("name") or pick(entry, "name") or leaves_of(entry).get("name")
        if not isinstance(name, str) or not 0 < len(name) <= MAX_TEXT:
            what = (
                f"the name of an interface is longer than {MAX_TEXT} characters" if name else "an interface has no name"
            )
            reading.wrong(what, "/interfaces/interface")
            continue
        path = f"/interfaces/interface[name={name}]"
        if name in ports:
            reading.wrong("this interface is listed twice", path)
            continue
        port = _port_like(entry, name, path, reading, routed)
        if port is None:
            continue
        ports[name] = port
        if port.is_lag and isinstance(links := leaves_of(child(entry, "aggregation")).get("min-links"), int):
            fewest_links[name] = links
        if port.lag is not None:
            members.setdefault(port.lag, []).append(name)
    for lag, names in members.items():
        if lag not in ports:
            reading.wrong(
                f"aggregate {lag!r} is not an interface of this switch",
                f"/interfaces/interface[name={names[0]}]/ethernet/config/aggregate-id",
            )
    return _bundled(ports, members, fewest_links, lacp, reading), routed


def _bundled(
    ports: Mapping[str, Port],
    members: Mapping[str, Sequence[str]],
    fewest: Mapping[str, int],
    lacp: Mapping[str, Lacp],
    reading: Reading,
) -> dict[str, Port]:
    """Returns the ports in natural order, each LAG with its members; one with fewer than it needs to be up is recorded."""
    made = {name: ports[name] for name in sorted(ports, key=natural)}
    for name, port in made.items():
        if port.is_lag:
            names = members.get(name) or list(port.members)
            whole = replace(port, members=tuple(sorted((n for n in names if n in ports), key=natural)))
            made[name] = _with_mode(whole, lacp.get(name), reading)
            if sum(ports[n].enabled for n in whole.members) < fewest.get(name, 0):
                path, at = (
                    "/interfaces/interface/aggregation/min-links",
                    f"/interfaces/interface[name={name}]/aggregation",
                )
                reading.touch(path, Touches.STOPS, at, port=name)
    return made


def _with_mode(lag: Port, mode: Lacp | None, reading: Reading) -> Port:
    """Returns an aggregate with how it negotiates, where that is said and it does."""
    if mode is None or lag.lacp is not Lacp.ACTIVE:
        return lag
    where = f"/lacp/interfaces/interface[name={lag.name}]/config/lacp-mode"
    return replace(lag, lacp=mode, origin=lag.origin.also({Setting.LACP: reading.place(where)}))


def _lacp_modes(document: Node, reading: Reading) -> dict[str, Lacp]:
    """Returns how each aggregate negotiates, where it is said; the model's default is active."""
    modes: dict[str, Lacp] = {}
    interfaces = child(child(document, "lacp"), "interfaces")
    for entry in entries(interfaces, "interface", "name", reading, "/lacp/interfaces/interface"):
        name = pick(entry, "name")
        if isinstance(name, str):
            modes[name] = Lacp.PASSIVE if leaves_of(entry).get("lacp-mode") == "PASSIVE" else Lacp.ACTIVE
    return modes


_ALIKE: dict[bytes, Port] = {}
"""A port for each entry that ports of a campus have in common, by its bytes without the name; most have few dozen."""

_MANY = 20_000


def _port_like(entry: Node, name: str, path: str, reading: Reading, routed: list[Node]) -> Port | None:
    """Returns a port: as one that was read before and whose entry is the same but for the name, or read anew.

    An entry that may have addresses, of which what is said is said by its path, joins `routed`.
    """
    try:
        key = orjson.dumps(entry).replace(_named(name), b"")
    except TypeError:  # a number larger than 64 bits
        routed.append(entry)
        record(entry, "interfaces/interface", path, reading, port=name)
        record_today(entry, name, path, reading)
        return _port(entry, name, leaves_of(entry), path, reading)
    like = _ALIKE.get(key)
    if like is None:
        said = len(reading.problems) + len(reading.notes)
        made = _port(entry, name, leaves_of(entry), path, reading)
        plain = not record(entry, "interfaces/interface", path, reading, port=name)
        plain = not record_today(entry, name, path, reading) and plain
        if openconfig_routing.may_route(entry):
            routed.append(entry)
            plain = False
        if made is not None and plain and said == len(reading.problems) + len(reading.notes) and len(_ALIKE) < _MANY:
            _ALIKE[key] = made
        return made
    return like.renamed(name, Origin(reading.file, path, like.origin.places))


@lru_cache(maxsize=8192)
def _named(name: str) -> bytes:
    return b'"name":' + orjson.dumps(name)


_LAG_KINDS = {"LACP": Lacp.ACTIVE, "STATIC": Lacp.STATIC}


def _port(entry: Node, name: str, leaves: Node, path: str, reading: Reading) -> Port | None:
    raw_type = leaves.get("type")
    kind = _kind(raw_type) if isinstance(raw_type, str) else ""
    if kind in _NOT_BRIDGED:
        return None
    is_lag = kind in _LAG_TYPES or (not kind and pick(entry, "aggregation") is not None)
    holder_name = "aggregation" if is_lag else "ethernet"
    holder = child(entry, holder_name)
    held = leaves_of(holder)
    label, lag, members = leaves.get("description"), held.get("aggregate-id"), held.get("member")
    switched = pick(holder, "switched-vlan")
    if isinstance(switched, dict):
        switching = switching_of(leaves_of(switched), f"{path}/{holder_name}/{_SWITCHED}", reading)
    else:
        tags = tuple(sub.tag for sub in openconfig_routing.subinterfaces(entry, path, reading))
        switching = Routed(tags) if tags else Unstated()
    enabled = leaves.get("enabled")
    return Port(
        name=name,
        switching=switching,
        enabled=enabled if enabled is True else flag(enabled, True, reading, f"{path}/config/enabled"),
        label=short(label),
        lag=lag if isinstance(lag, str) and lag and not is_lag else None,
        members=tuple(m for m in members if isinstance(m, str)) if is_lag and isinstance(members, list) else (),
        is_lag=is_lag,
        lacp=_LAG_KINDS.get(str(held.get("lag-type", ""))) if is_lag else None,
        tag_format=tag_format(leaves["tpid"], reading, f"{path}/config/tpid") if "tpid" in leaves else DOT1Q,
        speed=openconfig_stp.speed(held) if "port-speed" in held or "negotiated-port-speed" in held else 0,
        origin=Origin(reading.file, path, _places(_shape(entry, holder_name, holder, switched))),
    )


_kind = lru_cache(maxsize=256)(local)


_LEAVES = {
    s.path.rpartition("/")[2]: s.key
    for s in (
        Setting.ENABLED,
        Setting.LABEL,
        Setting.MODE,
        Setting.ACCESS,
        Setting.NATIVE,
        Setting.ALLOWED,
        Setting.TAGS,
    )
} | {"aggregate-id": Setting.LAG.key, "port-speed": Setting.SPEED.key, "lag-type": Setting.LACP.key}

_Shape = tuple[tuple[str, tuple[str, ...]], ...]
"""Paths of containers below an interface, each with the leaves it has."""


def _shape(entry: Node, holder_name: str, holder: Node, switched: Any) -> _Shape:
    """Returns where an interface has which leaves: state first, so that what is configured comes after it."""
    nodes = (("", entry), (f"{holder_name}/", holder), (f"{holder_name}/switched-vlan/", switched))
    return tuple(
        (f"{where}{side}", tuple(held))
        for side in ("state", "config")
        for where, node in nodes
        if isinstance(node, dict) and isinstance(held := node.get(side), dict)
    )


@lru_cache(maxsize=1024)
def _places(shape: _Shape) -> Mapping[str, int | str]:
    """Maps the settings present on a port to their data paths; shared by all ports of like shape."""
    places: dict[str, int | str] = {"": ""}
    for where, leaves in shape:
        for leaf in leaves:
            if key := _LEAVES.get(local(leaf)):
                places[key] = f"{where}/{local(leaf)}"
    return places
