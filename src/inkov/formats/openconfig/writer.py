"""A switch as OpenConfig JSON (RFC 7951), as far as the models go; what they cannot say is told."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import orjson

from inkov.formats.openconfig.vlans import identity_of
from inkov.kinds.accounts import is_stated
from inkov.kinds.spell import leaves
from inkov.kinds.table import subinterfaces
from inkov.model.names import ports_text
from inkov.model.routing import Gateway
from inkov.model.switch import ALL_HABITS, DOT1Q, Kind, Lacp, Port, Switch, VlanType
from inkov.model.tree import Protocol

_PROTOCOLS = {Protocol.RSTP: "RSTP", Protocol.MSTP: "MSTP", Protocol.PER_VLAN: "RAPID_PVST"}


def text(switch: Switch) -> tuple[str, list[str]]:
    """Returns the export of a switch, and what it has that OpenConfig cannot say, each as a part of a sentence."""
    left_out: dict[str, list[str]] = {}
    document = {
        "openconfig-system:system": {"config": {"hostname": switch.name}},
        "openconfig-interfaces:interfaces": {
            "interface": [_interface(switch, p, left_out) for p in switch.ports.values()]
            + [_vlan_interface(g) for g in switch.gateways if not g.port and g.vid]
        },
    }
    if switch.vlans is not None:
        document["openconfig-network-instance:network-instances"] = {"network-instance": [_instance(switch)]}
    if switch.heard or switch.mac:
        document["openconfig-lldp:lldp"] = _lldp(switch)
    if switch.tree.protocol in _PROTOCOLS:
        document["openconfig-spanning-tree:stp"] = _stp(switch)
    modes = {p.name: p.lacp.name for p in switch.ports.values() if p.lacp in {Lacp.ACTIVE, Lacp.PASSIVE} and p.lacp}
    if modes:
        rows = [{"name": n, "config": {"name": n, "lacp-mode": m}} for n, m in modes.items()]
        document["openconfig-lacp:lacp"] = {"interfaces": {"interface": rows}}
    said = [f"{what}: {ports_text(names)}" if names != [""] else what for what, names in left_out.items()]
    said += list(_of_switch(switch))
    return orjson.dumps(document, option=orjson.OPT_INDENT_2).decode() + "\n", said


def _interface(switch: Switch, port: Port, left_out: dict[str, list[str]]) -> dict[str, Any]:
    kind = "ieee8023adLag" if port.is_lag else "ethernetCsmacd"
    config: dict[str, Any] = {"name": port.name, "type": f"iana-if-type:{kind}", "enabled": port.enabled}
    if port.label:
        config["description"] = port.label
    protocol = identity_of(port.tag_format)
    if protocol and port.tag_format != DOT1Q:
        config["openconfig-vlan:tpid"] = protocol
    made: dict[str, Any] = {"name": port.name, "config": config}
    holder: dict[str, Any] = {"config": held} if (held := _held(port)) else {}
    switched = leaves(port.switching) if port.lag is None else None
    if switched is not None and protocol is None:
        left_out.setdefault("tag formats that the models do not know", []).append(port.name)
    elif switched is not None:
        holder["openconfig-vlan:switched-vlan"] = {"config": switched}
    elif port.lag is None and is_stated(port.switching) and subinterfaces(port.switching) is None:
        left_out.setdefault("what a port does that is neither an access port nor a trunk", []).append(port.name)
    if port.stance is not None and switch.kind is Kind.SWITCH:
        left_out.setdefault("how a port negotiates", []).append(port.name)
    if tags := subinterfaces(port.switching):
        made["subinterfaces"] = {"subinterface": [_subinterface(switch, port, n, t) for n, t in enumerate(tags)]}
    if holder:
        made["openconfig-if-aggregate:aggregation" if port.is_lag else "openconfig-if-ethernet:ethernet"] = holder
    return made


def _held(port: Port) -> dict[str, Any]:
    """Returns the leaves about aggregation and speed."""
    if port.is_lag:
        return {} if port.lacp is None else {"lag-type": "STATIC" if port.lacp is Lacp.STATIC else "LACP"}
    found: dict[str, Any] = {} if port.lag is None else {"openconfig-if-aggregate:aggregate-id": port.lag}
    if port.speed:
        speed = f"{port.speed // 1000}GB" if port.speed % 1000 == 0 else f"{port.speed}MB"
        found["port-speed"] = f"openconfig-if-ethernet:SPEED_{speed}"
    return found


def _subinterface(switch: Switch, port: Port, index: int, tag: int | None) -> dict[str, Any]:
    own = [g for g in switch.gateways if g.port == port.name and g.vid == tag]
    label = next(({"description": g.label} for g in own if g.label), {})
    off = {} if all(g.enabled for g in own) else {"enabled": False}
    made: dict[str, Any] = {"index": index, "config": {"index": index, **off, **label}}
    if tag is not None:
        match = {"single-tagged": {"config": {"vlan-id": tag}}}
        made["openconfig-vlan:vlan"] = {"match": match}
    addresses = [str(a) for g in own for a in g.addresses]
    return {**made, **_addresses(addresses)}


def _vlan_interface(gateway: Gateway) -> dict[str, Any]:
    name = f"vlan{gateway.vid}"
    label = {"description": gateway.label} if gateway.label else {}
    addresses = _addresses([str(a) for a in gateway.addresses])
    return {
        "name": name,
        "config": {"name": name, "type": "iana-if-type:l3ipvlan", "enabled": gateway.enabled, **label},
        "openconfig-vlan:routed-vlan": {"config": {"vlan": gateway.vid}, **addresses},
    }


def _addresses(addresses: list[str]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for family, own in (("ipv4", [a for a in addresses if ":" not in a]), ("ipv6", [a for a in addresses if ":" in a])):
        if own:
            rows = [{"ip": a.partition("/")[0], "config": _address(a)} for a in own]
            found[f"openconfig-if-ip:{family}"] = {"addresses": {"address": rows}}
    return found


def _address(text: str) -> dict[str, Any]:
    ip, _, length = text.partition("/")
    return {"ip": ip, "prefix-length": int(length)}


def _instance(switch: Switch) -> dict[str, Any]:
    rows = [
        {
            "vlan-id": v,
            "config": {"vlan-id": v, "name": entry.name, "status": "ACTIVE" if entry.active else "SUSPENDED"},
        }
        for v, entry in (switch.vlans or {}).items()
    ]
    kind = "openconfig-network-instance-types:DEFAULT_INSTANCE"
    return {"name": "default", "config": {"name": "default", "type": kind}, "vlans": {"vlan": rows}}


def _lldp(switch: Switch) -> dict[str, Any]:
    found: dict[str, list[dict[str, Any]]] = {}
    for n, heard in enumerate(switch.heard, 1):
        state: dict[str, Any] = {"id": str(n), "port-id": heard.far_port, "port-id-type": "INTERFACE_NAME"}
        state |= {"system-name": heard.system} if heard.system else {}
        state |= {"chassis-id": heard.chassis} if heard.chassis else {}
        found.setdefault(heard.port, []).append({"id": str(n), "state": state})
    rows = [{"name": port, "neighbors": {"neighbor": some}} for port, some in found.items()]
    made: dict[str, Any] = {"config": {"system-name": switch.name}, "interfaces": {"interface": rows}}
    if switch.mac:
        made["config"]["chassis-id"] = switch.mac
    return made


def _stp(switch: Switch) -> dict[str, Any]:
    tree = switch.tree
    name = _PROTOCOLS[tree.protocol] if tree.protocol else ""
    made: dict[str, Any] = {"global": {"config": {"enabled-protocol": [f"openconfig-spanning-tree-types:{name}"]}}}
    edges = [
        {"name": p.name, "config": {"name": p.name, "edge-port": f"EDGE_{'ENABLE' if p.tree.edge else 'DISABLE'}"}}
        for p in switch.ports.values()
        if p.tree.edge is not None
    ]
    if edges:
        made["interfaces"] = {"interface": edges}
    if tree.protocol is Protocol.RSTP:
        costs = [
            {
                "name": p.name,
                "config": {"name": p.name, "port-priority": p.tree.priority}
                | ({"cost": p.tree.cost} if p.tree.cost else {}),
            }
            for p in switch.ports.values()
            if p.tree.cost is not None or p.tree.priority != 128
        ]
        made["rstp"] = {"config": {"bridge-priority": tree.priority}} | (
            {"interfaces": {"interface": costs}} if costs else {}
        )
    elif tree.protocol is Protocol.PER_VLAN:
        rows = [{"vlan-id": v, "config": {"vlan-id": v, "bridge-priority": n}} for v, n in tree.own.items()]
        made["rapid-pvst"] = {"vlan": rows}
    elif tree.region is not None:
        region = tree.region
        rows = [
            {"mst-id": n, "config": {"mst-id": n, "vlan": list(some), "bridge-priority": tree.priority_in(n)}}
            for n, some in region.instances
        ]
        made["mstp"] = {
            "config": {"name": region.name, "revision": region.revision},
            "mst-instances": {"mst-instance": rows},
        }
    return made


def _of_switch(switch: Switch) -> Iterator[str]:
    said = {
        "habits of its platform": switch.unstated_habits != ALL_HABITS,
        f"its role, {switch.role}": switch.role,
        "what its files state and Inkov does not follow": switch.touches,
        "its sync group": switch.sync is not None,
        "dynamic pruning": switch.prunes,
        "address filters": switch.filters,
        "static routes": switch.routes,
        "that it learns routes": switch.learns,
        "routing tables of their own for gateways": any(g.vrf for g in switch.gateways),
        "private VLANs": any(e.type is not VlanType.PLAIN for e in (switch.vlans or {}).values()),
        f"spanning tree {switch.tree.protocol.value if switch.tree.protocol else ''}": switch.tree.protocol
        in {Protocol.STP, Protocol.OFF},
        "that it may have addresses of another family": any(g.untold for g in switch.gateways),
        "shared addresses and filters of gateways": any(g.virtual or g.inward or g.outward for g in switch.gateways),
    }
    yield from (text for text, there in said.items() if there)
