"""OpenConfig JSON (RFC 7951) to a switch.

Reads VLAN definitions in both places the models have put them, `switched-vlan` on ports and aggregates,
`enabled`, `description`, aggregate membership, LLDP neighbours and the host name. `config` is what was
asked for and is read first; `state` is the fallback, leaf by leaf.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any, TypeAlias

from inkov.formats.openconfig_wrappers import local, unwrap
from inkov.formats.reading import Reading
from inkov.model.names import natural
from inkov.model.source import Origin, Source
from inkov.model.switch import DEFAULT_VLAN, Access, Heard, Port, Routed, Switch, Switching, Trunk, Unstated, Vlan
from inkov.model.vlanset import ALL, VID_MAX, VID_MIN, Vid, VlanSet, VlanTextError

Node: TypeAlias = Mapping[str, Any]

_LAG_TYPES = frozenset({"ieee8023adLag", "IF_AGGREGATE"})
_NOT_BRIDGED = frozenset({"l3ipvlan", "softwareLoopback", "tunnel", "propVirtual", "IF_ROUTED_VLAN", "IF_LOOPBACK"})
_NAMES_A_PORT = frozenset({"", "INTERFACE_NAME", "LOCAL", "INTERFACE_ALIAS", "PORT_COMPONENT"})
_SWITCHED = "switched-vlan/config"


def read(found: list[Any], reading: Reading, fallback_name: str) -> Switch:
    """Reads one switch from the decoded values of one file.

    Args:
        found: the JSON values of the file, in order.
        reading: takes problems and notes.
        fallback_name: name of the switch if the data does not hold one.

    Raises:
        BadInput: the file is an error answer of a device.
    """
    document, target = unwrap(found, reading)
    lldp = _node(document, "lldp")
    name = _text(document, "system", "hostname") or _text(document, "lldp", "system-name") or target or fallback_name
    ports = _ports(_node(document, "interfaces"), reading)
    vlans = _vlan_table(document, reading)
    if vlans is None:
        reading.note("no VLAN table in this export; a VLAN is taken to exist where a port is a member")
    return Switch(
        name=name,
        vlans=vlans,
        ports=ports,
        heard=tuple(_heard(lldp, reading)),
        mac=_text(document, "lldp", "chassis-id").lower(),
        default_vlan_listed=vlans is None or DEFAULT_VLAN in vlans,
        origin=Origin(reading.file, "", {"": "", "vlans": "network-instances/network-instance/vlans"}),
    )


# -- tolerant access ---------------------------------------------------------------------------------


def _pick(node: Node, name: str) -> Any:
    """Returns a member by local name, whatever module stands before it."""
    value = node.get(name)
    if value is None:
        for key in node:
            if key.endswith(name) and key[-len(name) - 1 : -len(name)] == ":":
                return node[key]
    return value


def _node(node: Node, name: str) -> Node:
    value = _pick(node, name)
    return value if isinstance(value, dict) else {}


_EMPTY: Node = {}


def _sides(node: Node) -> tuple[Node, Node]:
    """Returns the `config` and the `state` container of an object."""
    config, state = node.get("config", _EMPTY), node.get("state", _EMPTY)
    if not isinstance(config, dict) or not isinstance(state, dict):
        return _EMPTY, _EMPTY
    if not config and not state:
        return _node(node, "config"), _node(node, "state")
    return config, state


def _leaf(sides: tuple[Node, Node], name: str) -> Any:
    """Returns a leaf of `config`, else of `state`."""
    for side in sides:
        if side and (value := _pick(side, name)) is not None:
            return value
    return None


def _text(document: Node, container: str, leaf: str) -> str:
    value = _leaf(_sides(_node(document, container)), leaf)
    return value if isinstance(value, str) else ""


def _entries(container: Node, name: str, key: str, reading: Reading, path: str) -> Iterator[Node]:
    """Yields a list's entries: an array, a single entry, or an object keyed by the key."""
    value = _pick(container, name)
    if value is None:
        return
    if isinstance(value, dict):
        keyed = all(isinstance(v, dict) for v in value.values()) and _pick(value, key) is None
        value = [{key: k, **v} for k, v in value.items()] if keyed else [value]
    if not isinstance(value, list):
        reading.wrong(f"expected a list, found {type(value).__name__}", path)
        return
    for i, entry in enumerate(value):
        if isinstance(entry, dict):
            yield entry
        else:
            reading.wrong(f"entry {i} is not an object", path)


def _flag(value: Any, default: bool, reading: Reading, path: str) -> bool:
    if value is None:
        return default
    if isinstance(value, bool):
        return value
    if value in {"true", "false"}:
        reading.note(f"{path} is text, read as a boolean")
        return bool(value == "true")
    reading.wrong(f"{value!r:.40} is not a boolean; expected true or false", path)
    return default


def _vid(value: Any, reading: Reading, path: str) -> Vid | None:
    number = value
    if isinstance(value, str) and value.isdecimal() and value.isascii():
        number = int(value)
    if isinstance(number, int) and not isinstance(number, bool) and VID_MIN <= number <= VID_MAX:
        if number is not value:
            reading.note(f"{path} is text, read as a number")
        return number
    reading.wrong(f"{value!r:.40} is not a VLAN number; expected {VID_MIN} to {VID_MAX}", path)
    return None


# -- ports -------------------------------------------------------------------------------------------


def _ports(interfaces: Node, reading: Reading) -> dict[str, Port]:
    ports: dict[str, Port] = {}
    members: dict[str, list[str]] = {}
    for entry in _entries(interfaces, "interface", "name", reading, "/interfaces/interface"):
        sides = _sides(entry)
        name = _pick(entry, "name") or _leaf(sides, "name")
        if not isinstance(name, str) or not name:
            reading.wrong("an interface has no name", "/interfaces/interface")
            continue
        path = f"/interfaces/interface[name={name}]"
        if name in ports:
            reading.wrong("this interface is listed twice", path)
            continue
        port = _port(entry, name, sides, path, reading)
        if port is None:
            continue
        ports[name] = port
        if port.lag is not None:
            members.setdefault(port.lag, []).append(name)
    for lag, names in members.items():
        if lag not in ports:
            reading.wrong(
                f"aggregate {lag!r} is not an interface of this switch",
                f"/interfaces/interface[name={names[0]}]/ethernet/config/aggregate-id",
            )
    made = {name: ports[name] for name in sorted(ports, key=natural)}
    for name, port in made.items():
        if port.is_lag:
            made[name] = _with_members(port, members.get(name) or list(port.members), made)
    return made


def _with_members(port: Port, names: list[str], ports: Mapping[str, Port]) -> Port:
    return Port(
        name=port.name,
        switching=port.switching,
        enabled=port.enabled,
        label=port.label,
        members=tuple(sorted((n for n in names if n in ports), key=natural)),
        is_lag=True,
        origin=port.origin,
    )


def _port(entry: Node, name: str, sides: tuple[Node, Node], path: str, reading: Reading) -> Port | None:
    raw_type = _leaf(sides, "type")
    kind = local(raw_type) if isinstance(raw_type, str) else ""
    if kind in _NOT_BRIDGED:
        return None
    aggregation = _pick(entry, "aggregation")
    is_lag = kind in _LAG_TYPES or (not kind and aggregation is not None)
    holder_name = "aggregation" if is_lag else "ethernet"
    holder = aggregation if is_lag else _pick(entry, "ethernet")
    holder = holder if isinstance(holder, dict) else _EMPTY
    label = _leaf(sides, "description")
    lag = None if is_lag else _leaf(_sides(holder), "aggregate-id")
    switched = _pick(holder, "switched-vlan")
    if isinstance(switched, dict):
        own = _sides(switched)
        switching = _switching(own, f"{path}/{holder_name}/{_SWITCHED}", reading)
        places = _places(holder_name, tuple(own[0]), tuple(own[1]))
    else:
        switching = Routed() if _has_address(entry) else Unstated()
        places = _places(holder_name, (), ())
    stated_members = _leaf(_sides(holder), "member") if is_lag else None
    return Port(
        name=name,
        switching=switching,
        enabled=_flag(_leaf(sides, "enabled"), True, reading, f"{path}/config/enabled"),
        label=label if isinstance(label, str) else "",
        lag=lag if isinstance(lag, str) and lag else None,
        members=tuple(m for m in stated_members if isinstance(m, str)) if isinstance(stated_members, list) else (),
        is_lag=is_lag,
        origin=Origin(reading.file, path, places),
    )


_SETTINGS = {"interface-mode": "mode", "access-vlan": "access", "native-vlan": "native", "trunk-vlans": "allowed"}


@lru_cache(maxsize=1024)
def _places(holder: str, config: tuple[str, ...], state: tuple[str, ...]) -> Mapping[str, int | str]:
    """Maps the settings present on a port to their data paths; shared by all ports of like shape."""
    places: dict[str, int | str] = {"": "", "enabled": "config/enabled", "label": "config/description"}
    for side, leaves in (("state", state), ("config", config)):
        for leaf in leaves:
            if setting := _SETTINGS.get(local(leaf)):
                places[setting] = f"{holder}/switched-vlan/{side}/{local(leaf)}"
    return places


def _has_address(entry: Node) -> bool:
    for sub in _entries(_node(entry, "subinterfaces"), "subinterface", "index", Reading(""), ""):
        for family in ("ipv4", "ipv6"):
            if _node(_node(sub, family), "addresses"):
                return True
    return False


def _switching(sides: tuple[Node, Node], path: str, reading: Reading) -> Switching:
    mode = _leaf(sides, "interface-mode")
    if mode == "ACCESS":
        access = _leaf(sides, "access-vlan")
        return _access(None if access is None else _vid(access, reading, f"{path}/access-vlan"))
    if mode == "TRUNK":
        native = _leaf(sides, "native-vlan")
        allowed = _leaf(sides, "trunk-vlans")
        return _trunk(
            None if native is None else _vid(native, reading, f"{path}/native-vlan"),
            _trunk_vlans(allowed, reading, f"{path}/trunk-vlans"),
        )
    if mode is not None:
        reading.wrong(f"{mode!r:.40} is not an interface mode; expected ACCESS or TRUNK", f"{path}/interface-mode")
    return Unstated()


@lru_cache(maxsize=8192)
def _access(vid: Vid | None) -> Access:
    return Access(vid)


@lru_cache(maxsize=8192)
def _trunk(native: Vid | None, allowed: VlanSet) -> Trunk:
    return Trunk(native, allowed)


def _trunk_vlans(value: Any, reading: Reading, path: str) -> VlanSet:
    """Reads `trunk-vlans`; absent and empty both mean all (the model's description of the leaf-list)."""
    if value is None:
        return ALL
    items = value if isinstance(value, list) else [value]
    mask = 0
    for item in items:
        if isinstance(item, int) and not isinstance(item, bool) and VID_MIN <= item <= VID_MAX:
            mask |= 1 << item
        elif isinstance(item, str):
            mask |= _trunk_text(item, reading, path).mask
        else:
            _vid(item, reading, path)
    return VlanSet.from_mask(mask) if items else ALL


def _trunk_text(item: str, reading: Reading, path: str) -> VlanSet:
    low, dots, high = item.partition("..")
    if dots and low.isdecimal() and high.isdecimal():
        first, last = sorted((int(low), int(high)))
        if first >= VID_MIN and last <= VID_MAX:
            return VlanSet.span(first, last)
    try:
        made = VlanSet.parse(item)
    except VlanTextError:
        reading.wrong(f'{item!r:.40} is not a VLAN or a range; expected 310 or "310..330"', path)
        return VlanSet()
    reading.note(f'{path}: {item!r} is not the standard form; expected "310..330" for a range')
    return made


# -- VLAN table --------------------------------------------------------------------------------------


def _vlan_table(document: Node, reading: Reading) -> dict[Vid, Vlan] | None:
    instances = list(
        _entries(
            _node(document, "network-instances"),
            "network-instance",
            "name",
            reading,
            "/network-instances/network-instance",
        )
    )
    chosen = _default_instance(instances)
    for other in instances:
        if other is not chosen and _pick(other, "vlans") is not None:
            reading.note(
                f"VLANs of network instance {_pick(other, 'name')!r} are passed over; only the default one is read"
            )
    places = [
        (_pick(chosen, "vlans") if chosen else None, "/network-instances/network-instance/vlans"),
        (_pick(document, "vlans"), "/vlans"),
    ]
    if all(container is None for container, _ in places):
        return None
    table: dict[Vid, Vlan] = {}
    for container, path in places:
        if isinstance(container, dict):
            for entry in _entries(container, "vlan", "vlan-id", reading, f"{path}/vlan"):
                _vlan_entry(entry, table, path, reading)
    return table


def _vlan_entry(entry: Node, table: dict[Vid, Vlan], path: str, reading: Reading) -> None:
    sides = _sides(entry)
    raw = _leaf(sides, "vlan-id")
    if raw is None:
        raw = _pick(entry, "vlan-id")
    number = _vid(raw, reading, f"{path}/vlan/vlan-id")
    if number is None:
        return
    name = _leaf(sides, "name")
    status = _leaf(sides, "status")
    if status not in {None, "ACTIVE", "SUSPENDED"}:
        reading.wrong(
            f"{status!r:.40} is not a VLAN status; expected ACTIVE or SUSPENDED",
            f"{path}/vlan[vlan-id={number}]/config/status",
        )
    made = _vlan(number, name if isinstance(name, str) else "", status != "SUSPENDED")
    if number in table and table[number] != made:
        reading.wrong("this VLAN is defined twice, differently", f"{path}/vlan[vlan-id={number}]")
    table[number] = made


_vlan = lru_cache(maxsize=65536)(Vlan)


def _default_instance(instances: list[Node]) -> Node | None:
    for instance in instances:
        kind = _leaf(_sides(instance), "type")
        if isinstance(kind, str) and local(kind) == "DEFAULT_INSTANCE":
            return instance
    for instance in instances:
        if _pick(instance, "name") == "default":
            return instance
    return instances[0] if len(instances) == 1 else None


# -- discovery ---------------------------------------------------------------------------------------


def _heard(lldp: Node, reading: Reading) -> Iterator[Heard]:
    found: list[Heard] = []
    interfaces = _node(lldp, "interfaces")
    for entry in _entries(interfaces, "interface", "name", reading, "/lldp/interfaces/interface"):
        neighbours = _pick(entry, "neighbors")
        port = _pick(entry, "name") or _leaf(_sides(entry), "name")
        if not isinstance(neighbours, dict) or not isinstance(port, str):
            continue
        path = f"/lldp/interfaces/interface[name={port}]/neighbors/neighbor"
        for neighbour in _entries(neighbours, "neighbor", "id", reading, path):
            sides = _sides(neighbour)
            system, far = _leaf(sides, "system-name"), _leaf(sides, "port-id")
            if _leaf(sides, "port-id-type") not in _NAMES_A_PORT | {None}:
                far = _leaf(sides, "port-description") or far
            chassis = _leaf(sides, "chassis-id")
            found.append(
                Heard(
                    port,
                    system if isinstance(system, str) else "",
                    far if isinstance(far, str) else "",
                    chassis.lower() if isinstance(chassis, str) else "",
                    Source(reading.file, None, path),
                )
            )
    yield from sorted(found, key=lambda h: (natural(h.port), h.system, h.far_port, h.chassis))
