"""Sets ports and VLANs in the text of an OpenConfig export."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from inkov.formats.edits import CannotEdit, Cut, Edits, apply
from inkov.formats.openconfig.vlans import identity_of
from inkov.formats.openconfig.wrappers import local
from inkov.formats.spans import Spanned, spanned
from inkov.model.names import natural
from inkov.model.switch import Vlan, VlanType
from inkov.model.vlanset import ALL, Vid, VlanSet

_LEAVES = {"access": "access-vlan", "native": "native-vlan", "trunk": "trunk-vlans"}
"""The leaf of `switched-vlan` for each key of a switch file that it has."""

_OF_INTERFACE: Mapping[str, Callable[[str], tuple[str, Any]]] = {
    "enabled": lambda said: ("enabled", said == "true"),
    "label": lambda said: ("description", json.loads(said)),
    "tags": lambda said: ("openconfig-vlan:tpid", _tag_protocol(said)),
}
"""The leaf of an interface, and its value, for each key of a switch file that it has."""


def in_export(text: str, edits: Edits) -> str:
    """Returns an OpenConfig export with some settings set.

    Raises:
        CannotEdit: a port's `switched-vlan` is not in the file as one object, as in answers of gNMI, or the models have no
            leaf for a setting.
    """
    root = spanned(text)
    cuts: list[Cut] = []
    found: set[str] = set()
    for name, interface, switched in _interfaces(root):
        if name in edits.ports:
            found.add(name)
            cuts += _port_cuts(name, interface, switched, edits.ports[name])
    if lost := edits.ports.keys() - found:
        raise CannotEdit(f"port {min(lost, key=natural)!r} is not written in a form that can be edited")
    if edits.vlans:
        cuts += _vlan_cuts(root, edits.vlans)
    for path, value in edits.keys.items():
        if path != ("tree", "priority") or not isinstance(value, int):
            raise CannotEdit(f"'{'/'.join(path)}' cannot be written into exports yet")
        cuts += _priority_cuts(root, value)
    return apply(text, cuts)


def _interfaces(node: Spanned) -> Iterator[tuple[str, Spanned, Spanned]]:
    """Yields every interface's name, the interface, and the object that holds its list, wherever the interfaces are."""
    if isinstance(node.value, list):
        for item in node.value:
            yield from _interfaces(item)
    if not isinstance(node.value, dict):
        return
    members = {local(k): v for k, v in node.value.items()}
    name = members.get("name") or _within(node, "config", "name") or _within(node, "state", "name")
    for holder in ("ethernet", "aggregation"):
        config = _within(node, holder, "switched-vlan", "config")
        if config is not None and name is not None and isinstance(name.value, str):
            yield name.value, node, config
            return
    for item in node.value.values():
        yield from _interfaces(item)


def _within(node: Spanned, *names: str) -> Spanned | None:
    at: Spanned | None = node
    for wanted in names:
        if at is None or not isinstance(at.value, dict):
            return None
        at = next((v for k, v in at.value.items() if local(k) == wanted), None)
    return at


def _port_cuts(name: str, interface: Spanned, switched: Spanned, keys: Mapping[str, str | None]) -> Iterator[Cut]:
    leaves: dict[str, Any] = {}
    own: dict[str, Any] = {}
    config: Spanned | None = None
    for key, said in keys.items():
        if said is None:  # a key of another mode: nothing looks at it once the mode is this one
            continue
        if key in _OF_INTERFACE:
            config = _within(interface, "config")
            if config is None:
                raise CannotEdit(f"port {name!r} has no `config` to say {key!r} in")
            own.update([_OF_INTERFACE[key](said)])
        elif key in _LEAVES:
            leaves[_LEAVES[key]] = _list(said) if key == "trunk" else _vlan(key, said)
        else:
            raise CannotEdit(f"the open models have no leaf for {key!r} of port {name!r}")
    if "access" in keys and "trunk" in keys:
        leaves["interface-mode"] = "ACCESS" if keys["access"] is not None else "TRUNK"
    if config is not None:
        yield from _member_cuts(config, own)
    yield from _member_cuts(switched, leaves)


def _tag_protocol(said: str) -> str:
    if (found := identity_of(said)) is None:
        raise CannotEdit(f"the open models have no identity for the tag format {said!r}")
    return found


def _vlan(key: str, said: str) -> int:
    if not said.isdigit():
        raise CannotEdit(f"an export cannot say {key!r} {said}")
    return int(said)


def _list(said: str) -> list[int | str]:
    vlans = VlanSet.parse(said)
    if not vlans:
        raise CannotEdit(
            "an empty list in an export means all VLANs, so it cannot say that a trunk carries none; shut the port"
        )
    return [] if vlans == ALL else [a if a == b else f"{a}..{b}" for a, b in vlans.ranges()]


def _member_cuts(node: Spanned, wanted: Mapping[str, Any]) -> Iterator[Cut]:
    """Yields what sets some members of an object."""
    there = {local(k): v for k, v in node.value.items()}
    new = []
    for name, value in wanted.items():
        if (known := there.get(local(name))) is not None:
            yield Cut(known.start, known.end, json.dumps(value))
        else:
            new.append(f'"{name}": {json.dumps(value)}')
    if new and not there:
        yield Cut(node.start, node.end, "{" + ", ".join(new) + "}")
    elif new:
        last = list(node.value.values())[-1]
        yield Cut(last.end, last.end, "".join(f", {one}" for one in new))


def _priority_cuts(root: Spanned, priority: int) -> Iterator[Cut]:
    """Yields what sets the bridge priority of the one tree for all VLANs."""
    for protocol in ("rstp", "mstp"):
        for holder in ("stp", "spanning-tree"):
            config = _within(root, holder, protocol, "config")
            if config is not None and any(local(k) == "bridge-priority" for k in config.value):
                yield from _member_cuts(config, {"bridge-priority": priority})
                return
    raise CannotEdit("the bridge priority is not written in a form that can be edited")


def _vlan_cuts(root: Spanned, vlans: Mapping[Vid, Vlan | None]) -> Iterator[Cut]:
    """Yields what defines some VLANs in the one table of the export, or makes them active."""
    tables = list(_tables(root))
    if len(tables) != 1:
        raise CannotEdit(
            "the VLAN table is not written in this file" if not tables else "there are several VLAN tables"
        )
    (table,) = tables
    there = {_number(item): item for item in table.value}
    new = []
    for vid, entry in sorted(vlans.items()):
        if entry is None:
            raise CannotEdit(f"VLAN {vid} is not taken out of an export")
        status = "ACTIVE" if entry.active else "SUSPENDED"
        if entry.type is not VlanType.PLAIN:
            raise CannotEdit(f"the open models cannot say that VLAN {vid} is {entry.type.value}")
        if vid not in there:
            config = {"vlan-id": vid, **({"name": entry.name} if entry.name else {}), "status": status}
            new.append(json.dumps({"vlan-id": vid, "config": config}, ensure_ascii=False))
            continue
        config_of = _within(there[vid], "config")
        if config_of is None:
            raise CannotEdit(f"VLAN {vid} is in the table without a `config`")
        named = {"name": entry.name} if entry.name else {}
        yield from _member_cuts(config_of, {**named, "status": status})
    if not new:
        return
    if table.value:
        yield Cut(table.value[-1].end, table.value[-1].end, "".join(f", {one}" for one in new))
    else:
        yield Cut(table.start, table.end, "[" + ", ".join(new) + "]")


def _tables(node: Spanned) -> Iterator[Spanned]:
    """Yields every list `vlans/vlan`."""
    if isinstance(node.value, list):
        for item in node.value:
            yield from _tables(item)
    elif isinstance(node.value, dict):
        table = _within(node, "vlans", "vlan")
        if table is not None and isinstance(table.value, list):
            yield table
        for key, item in node.value.items():
            if local(key) != "vlans":
                yield from _tables(item)


def _number(item: Spanned) -> int | None:
    number = _within(item, "vlan-id") or _within(item, "config", "vlan-id")
    return number.value if number is not None and isinstance(number.value, int) else None
