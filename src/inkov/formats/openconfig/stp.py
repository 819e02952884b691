"""Spanning tree of OpenConfig data: `/stp`, which has one container a protocol; the enabled one counts."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any, NamedTuple

from inkov.formats.openconfig.tree import Node, child, entries, flag, leaves_of, pick, vlan_number
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import Reading
from inkov.model.settings import Setting
from inkov.model.switch import Port
from inkov.model.tree import BRIDGE_PRIORITY, PORT_PRIORITY, BridgeTree, Protocol, Region
from inkov.model.vlanset import VlanSet

_PROTOCOLS = {"RSTP": Protocol.RSTP, "MSTP": Protocol.MSTP, "RAPID_PVST": Protocol.PER_VLAN}
_CONTAINERS = {Protocol.RSTP: "rstp", Protocol.MSTP: "mstp", Protocol.PER_VLAN: "rapid-pvst"}
_EDGE = {"EDGE_ENABLE": True, "EDGE_DISABLE": False}


class Bridge(NamedTuple):
    """How a switch takes part in the spanning tree, its bridge address where the state says it, and where that stands."""

    tree: BridgeTree
    address: str
    places: dict[str, int | str]


def bridge_tree(document: Node, reading: Reading) -> Bridge:
    """Returns how a switch takes part in the spanning tree.

    What is absent is not stated: an export without a protocol may run any.
    """
    stp = child(document, "stp")
    enabled = leaves_of(child(stp, "global")).get("enabled-protocol")
    names = [local(str(n)) for n in (enabled if isinstance(enabled, list) else [enabled]) if n]
    protocol = next((_PROTOCOLS[n] for n in names if n in _PROTOCOLS), None)
    for name in names:
        if name not in _PROTOCOLS:
            reading.wrong(f"{name!r:.40} is no spanning tree protocol", "/stp/global/config/enabled-protocol")
    places: dict[str, int | str] = {Setting.TREE_PROTOCOL.key: Setting.TREE_PROTOCOL.path} if names else {}
    if protocol is None:
        return Bridge(BridgeTree(), "", places)
    holder = child(stp, _CONTAINERS[protocol])
    leaves = leaves_of(holder)
    address = str(leaves.get("bridge-address") or "").lower()
    priority = _number(leaves.get("bridge-priority"), BRIDGE_PRIORITY, reading, "/stp bridge-priority")
    below = f"stp/{_CONTAINERS[protocol]}"
    if "bridge-priority" in leaves:
        places[Setting.TREE_PRIORITY.key] = f"{below}/config/bridge-priority"
    if protocol is Protocol.RSTP:
        return Bridge(BridgeTree(protocol, priority), address, places)
    if protocol is Protocol.PER_VLAN:
        own = _by_vlan(holder, reading)
        for vid in own:
            places[f"{Setting.TREE_OWN.key}/{vid}"] = f"{below}/vlan[vlan-id={vid}]/config/bridge-priority"
        return Bridge(BridgeTree(protocol, own=own), address, places)
    tree = _mstp(holder, leaves, reading)
    if leaves.keys() & {"name", "revision"} or tree.region != Region(""):
        places[Setting.TREE_REGION.key] = Setting.TREE_REGION.path
    for number in tree.own:
        where = f"{below}/mst-instances/mst-instance[mst-id={number}]/config/bridge-priority"
        places[f"{Setting.TREE_OWN.key}/{number}"] = where
    return Bridge(tree, address, places)


def _by_vlan(holder: Node, reading: Reading) -> dict[int, int]:
    """Returns the priority in the tree of each VLAN that has one of its own."""
    own: dict[int, int] = {}
    for entry in entries(holder, "vlan", "vlan-id", reading, "/stp/rapid-pvst/vlan"):
        vid, said = _key(entry, "vlan-id"), leaves_of(entry).get("bridge-priority")
        if vid is not None and said is not None:
            own[vid] = _number(said, BRIDGE_PRIORITY, reading, f"/stp/rapid-pvst/vlan[vlan-id={vid}]")
    return own


def _mstp(holder: Node, leaves: Node, reading: Reading) -> BridgeTree:
    instances: list[tuple[int, VlanSet]] = []
    own: dict[int, int] = {}
    for entry in entries(child(holder, "mst-instances"), "mst-instance", "mst-id", reading, "/stp/mstp/mst-instances"):
        number, said = _key(entry, "mst-id"), leaves_of(entry)
        if number is None:
            continue
        path = f"/stp/mstp/mst-instances/mst-instance[mst-id={number}]"
        instances.append((number, _vlans(said.get("vlan"), reading, f"{path}/config/vlan")))
        if "bridge-priority" in said:
            own[number] = _number(said["bridge-priority"], BRIDGE_PRIORITY, reading, path)
    revision = _number(leaves.get("revision"), 0, reading, "/stp/mstp/config/revision")
    region = Region(str(leaves.get("name") or ""), revision, tuple(sorted(instances, key=lambda i: i[0])))
    return BridgeTree(Protocol.MSTP, own=own, region=region)


def _vlans(value: Any, reading: Reading, path: str) -> VlanSet:
    made = VlanSet()
    for item in value if isinstance(value, list) else [] if value is None else [value]:
        low, dots, high = str(item).partition("..")
        first = vlan_number(int(low) if low.isdecimal() else item, reading, path)
        last = vlan_number(int(high) if high.isdecimal() else item, reading, path) if dots else first
        if first and last:
            made |= VlanSet.span(min(first, last), max(first, last))
    return made


def _key(entry: Node, name: str) -> int | None:
    value = pick(entry, name)
    value = leaves_of(entry).get(name) if value is None else value
    return int(str(value)) if str(value).isdecimal() else None


def _number(value: Any, default: int, reading: Reading, path: str) -> int:
    if value is None:
        return default
    if str(value).isdecimal() and not isinstance(value, bool):
        return int(value)
    reading.wrong(f"{value!r:.40} is not a number", path)
    return default


def with_port_trees(ports: dict[str, Port], document: Node, tree: BridgeTree, reading: Reading) -> dict[str, Port]:
    """Returns the ports with what `/stp` says of each; the very same where it says nothing."""
    stp = child(document, "stp")
    if not stp:
        return ports
    made = dict(ports)
    for name, leaves in _interfaces(stp, reading, "/stp/interfaces"):
        if name in made:
            edge = _EDGE.get(local(str(leaves.get("edge-port", ""))))
            where = f"/stp/interfaces/interface[name={name}]/config/bpdu-filter"
            runs = not flag(leaves.get("bpdu-filter"), False, reading, where)
            origin = made[name].origin
            if "edge-port" in leaves:
                where = f"/stp/interfaces/interface[name={name}]/config/edge-port"
                origin = origin.also({Setting.EDGE: reading.place(where)})
            made[name] = replace(made[name], tree=replace(made[name].tree, edge=edge, runs=runs), origin=origin)
    for number, name, leaves in _settings(stp, tree.protocol, reading):
        if name not in made:
            continue
        before = made[name].tree
        cost, priority = _costs(leaves, reading, name)
        made[name] = replace(
            made[name],
            origin=made[name].origin.also(
                {Setting.PORT_TREE: reading.place(f"/stp/{_CONTAINERS[tree.protocol]}/interfaces")}
            )
            if tree.protocol in _CONTAINERS
            else made[name].origin,
            tree=replace(before, own=(*before.own, (number, cost, priority)))
            if number
            else replace(before, cost=cost, priority=before.priority if priority is None else priority),
        )
    return made


def _settings(stp: Node, protocol: Protocol | None, reading: Reading) -> Iterator[tuple[int, str, Node]]:
    """Yields (VLAN or instance, 0 for the one tree; port; its leaves) of the enabled protocol."""
    holder = child(stp, _CONTAINERS[protocol]) if protocol in _CONTAINERS else {}
    if protocol is Protocol.RSTP:
        yield from ((0, *found) for found in _interfaces(holder, reading, "/stp/rstp/interfaces"))
    for entry in entries(holder, "vlan", "vlan-id", reading, "/stp/rapid-pvst/vlan"):
        yield from ((_key(entry, "vlan-id") or 0, *found) for found in _interfaces(entry, reading, "/stp/rapid-pvst"))
    for entry in entries(child(holder, "mst-instances"), "mst-instance", "mst-id", reading, "/stp/mstp"):
        yield from ((_key(entry, "mst-id") or 0, *found) for found in _interfaces(entry, reading, "/stp/mstp"))


def _interfaces(holder: Node, reading: Reading, path: str) -> Iterator[tuple[str, Node]]:
    for entry in entries(child(holder, "interfaces"), "interface", "name", reading, path):
        leaves = leaves_of(entry)
        name = pick(entry, "name") or leaves.get("name")
        if isinstance(name, str):
            yield name, leaves


def _costs(leaves: Node, reading: Reading, name: str) -> tuple[int | None, int | None]:
    cost, priority = leaves.get("cost"), leaves.get("port-priority")
    path = f"/stp interface {name}"
    return (
        None if cost is None else _number(cost, 1, reading, path),
        None if priority is None else _number(priority, PORT_PRIORITY, reading, path),
    )


_SPEEDS = {"MB": 1, "GB": 1000}


def speed(held: Node) -> int:
    """Returns the speed of a port in Mb/s: what the link runs at, else what is set; 0 when neither is said."""
    for leaf in ("negotiated-port-speed", "port-speed"):
        text = local(str(held.get(leaf, ""))).removeprefix("SPEED_")
        if (unit := _SPEEDS.get(text[-2:])) and text[:-2].isdecimal():
            return int(text[:-2]) * unit
    return 0
