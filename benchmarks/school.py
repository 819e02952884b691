"""A school of forty switches, other than the demo: exports of two model generations and switch files, healthy.

`School` is plain data that faults are planted into; `write` makes the files of it. Nothing here knows what the rules are.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

STAFF, PUPILS, LABS, PHONES, WIFI, GUESTS, CAMERAS, DOORS, SERVERS = 110, 120, 130, 140, 150, 160, 170, 180, 200
MANAGEMENT, PARKING, NATIVE = 60, 998, 997
NAMES = {
    STAFF: "staff",
    PUPILS: "pupils",
    LABS: "labs",
    PHONES: "phones",
    WIFI: "wifi",
    GUESTS: "guests",
    CAMERAS: "cameras",
    DOORS: "doors",
    SERVERS: "servers",
    MANAGEMENT: "management",
    PARKING: "parking",
    NATIVE: "native",
}
USERS = (STAFF, PUPILS, LABS, PHONES, WIFI, GUESTS, CAMERAS, DOORS)
ROUTED = (*USERS, SERVERS, MANAGEMENT)


@dataclass
class Port:
    """One port or LAG; None is what the file does not say."""

    mode: str | None = None
    vlan: int | None = None
    native: int | None = None
    allowed: list[int] | None = None
    voice: int | None = None
    enabled: bool = True
    label: str = ""
    lag: str | None = None
    edge: bool | None = None
    speed: str | None = None
    lacp: str | None = None
    stance: str | None = None
    heard: tuple[str, str] | None = None
    more: dict[str, Any] = field(default_factory=dict)

    @property
    def is_lag(self) -> bool:
        """It bundles ports."""
        return self.lacp is not None


@dataclass
class Gateway:
    """An address in a VLAN; `virtual` is shared with another device."""

    address: str
    virtual: str | None = None
    enabled: bool = True
    filter_in: str | None = None


@dataclass
class Box:
    """One switch."""

    name: str
    kind: str
    role: str
    number: int
    vlans: dict[int, str] = field(default_factory=dict)
    suspended: set[int] = field(default_factory=set)
    ports: dict[str, Port] = field(default_factory=dict)
    gateways: dict[int, Gateway] = field(default_factory=dict)
    routing: bool | None = None
    protocol: str | None = None
    priority: int | None = None
    filters: dict[str, list[tuple[str, str, str]]] = field(default_factory=dict)
    more: dict[str, Any] = field(default_factory=dict)
    saved: str = ""


@dataclass
class School:
    """All of it: boxes by name, and lines of the campus file."""

    boxes: dict[str, Box]
    hosts: list[dict[str, str]]
    extra: dict[str, Any] = field(default_factory=dict)


def _uplink(label: str, lag: str | None = None) -> Port:
    carried = [*USERS, SERVERS, MANAGEMENT]
    if lag:
        return Port(label=label, lag=lag, speed="SPEED_10GB")
    return Port("trunk", native=NATIVE, allowed=[*carried, NATIVE], label=label, speed="SPEED_10GB")


def wire(  # noqa: PLR0917 - two ends
    boxes: dict[str, Box], a: str, pa: str, b: str, pb: str, lag: tuple[str, str] | None = None
) -> None:
    """Cables two ports, as members of LAGs where these are named."""
    for own, port, far, far_port, whole in ((a, pa, b, pb, 0), (b, pb, a, pa, 1)):
        name = lag[whole] if lag else None
        boxes[own].ports[port] = _uplink(f"to {far} {far_port}", name)
        boxes[own].ports[port].heard = (far, far_port)
        if name and name not in boxes[own].ports:
            boxes[own].ports[name] = Port(
                "trunk", native=NATIVE, allowed=[*USERS, SERVERS, MANAGEMENT, NATIVE], label=f"to {far}", lacp="active"
            )


def school() -> School:
    """Returns the healthy school."""
    boxes: dict[str, Box] = {}
    for i, name in enumerate(
        ["core-1", "core-2", *(f"house-{h}" for h in "abcd"), *(f"floor-{h}{n}" for h in "abcd" for n in range(1, 8))]
    ):
        role = name.partition("-")[0]
        kind = "late" if role == "floor" and name[-1] in "4567" else "early"
        boxes[name] = Box(name, kind, role, i + 1, dict(NAMES), protocol=None if kind == "late" else "RSTP")
    for n in range(1, 5):
        boxes[f"shed-{n}"] = Box(f"shed-{n}", "own", "shed", 60 + n, dict(NAMES), protocol="rstp")
    boxes["plant-1"] = Box("plant-1", "late", "plant", 70, dict(NAMES))
    boxes["plant-2"] = Box("plant-2", "early", "plant", 71, dict(NAMES), protocol="RSTP")
    for n in (1, 2):
        wire(boxes, "core-1", f"et{n}", "core-2", f"et{n}", ("po1", "po1"))
    for h, house in enumerate("abcd"):
        wire(boxes, "core-1", f"et{10 + h}", f"house-{house}", "et1")
        wire(boxes, "core-2", f"et{10 + h}", f"house-{house}", "et2")
        for n in range(1, 8):
            floor = f"floor-{house}{n}"
            for k in (0, 1):
                wire(boxes, f"house-{house}", f"et{10 + 2 * n + k}", floor, f"ge{25 + k}", (f"po{n}", "po1"))
        wire(boxes, f"house-{house}", "et40", f"shed-{h + 1}", "u1")
    wire(boxes, "core-1", "et30", "plant-1", "ge25")
    wire(boxes, "plant-1", "ge26", "plant-2", "ge25")
    _stations(boxes)
    _layer3(boxes)
    boxes["core-1"].priority, boxes["core-2"].priority = 4096, 8192
    hosts = [
        {"name": f"pc-{box.name}", "port": f"{box.name}:{'1' if box.kind == 'own' else 'ge1'}", "n": str(box.number)}
        for box in boxes.values()
        if box.role in {"floor", "shed", "plant"}
    ]
    for host in hosts:
        n = host.pop("n")
        host["address"], host["gateway"] = f"10.0.{STAFF}.{100 + int(n)}/24", f"10.0.{STAFF}.1"
    return School(boxes, hosts)


def _stations(boxes: dict[str, Box]) -> None:
    for box in boxes.values():
        if box.role in {"floor", "shed", "plant"}:
            for n in range(1, 25):
                name = str(n) if box.kind == "own" else f"ge{n}"
                box.ports[name] = _socket(box, n)
        if box.role == "house":
            for n in (1, 2):
                box.ports[f"ge{n}"] = Port(
                    "trunk",
                    native=MANAGEMENT,
                    allowed=[SERVERS, MANAGEMENT],
                    label=f"hypervisor {box.name[-1]}{n}",
                    edge=True,
                )
            box.ports["ge3"] = Port("access", vlan=SERVERS, label="file server", edge=True)
            for n in range(4, 9):
                box.ports[f"ge{n}"] = Port("access", vlan=PARKING, enabled=False)


def _socket(box: Box, n: int) -> Port:
    floor = box.name[-1]
    if n <= 8:
        return Port("access", vlan=STAFF, label=f"desk {n}", edge=True)
    if n <= 12:
        if box.kind == "own":
            return Port("access", vlan=STAFF, voice=PHONES, label=f"desk and phone {n}", edge=True)
        return Port("trunk", native=STAFF, allowed=[STAFF, PHONES], label=f"desk and phone {n}", edge=True)
    if n <= 16:
        lab = floor in "357"
        return Port("access", vlan=LABS if lab else PUPILS, label=f"{'lab ' if lab else ''}bench {n}", edge=True)
    if n == 17:
        return Port("trunk", native=MANAGEMENT, allowed=[MANAGEMENT, WIFI, GUESTS], label="access point", edge=True)
    if n == 18:
        return Port("access", vlan=CAMERAS, label="camera", edge=True)
    if n == 19:
        return Port("access", vlan=DOORS, label="door", edge=True)
    return Port("access", vlan=PARKING, enabled=False)


def _layer3(boxes: dict[str, Box]) -> None:
    for box in boxes.values():
        box.gateways[MANAGEMENT] = Gateway(f"10.0.{MANAGEMENT}.{box.number + 10}/24")
    for n, name in enumerate(("core-1", "core-2")):
        core = boxes[name]
        core.routing = True
        core.filters["guests"] = [("drop", "10.0.0.0/8", ""), ("accept", "0.0.0.0/0", "")]
        for vid in ROUTED:
            guests = vid == GUESTS
            core.gateways[vid] = Gateway(
                f"10.0.{vid}.{2 + n}/24", f"10.0.{vid}.1", filter_in="guests" if guests else None
            )


# -- files ---------------------------------------------------------------------------------------------


def write(made: School, folder: Path, *, campus: bool) -> None:
    """Writes a school: a file a switch, and with `campus` the campus file."""
    folder.mkdir(parents=True, exist_ok=True)
    for box in made.boxes.values():
        if box.kind == "own":
            (folder / f"{box.name}.yaml").write_text(own_file(box), "utf-8")
            if box.saved:
                (folder / f"{box.name}-saved.yaml").write_text(box.saved, "utf-8")
        else:
            (folder / f"{box.name}.json").write_text(json.dumps(_export(made, box), indent=1), "utf-8")
    if campus:
        (folder / "campus.yaml").write_text(json.dumps(_campus(made), indent=1), "utf-8")


def _campus(made: School) -> dict[str, Any]:
    segments: dict[str, Any] = {NAMES[v]: {"vlan": v, "subnet": f"10.0.{v}.0/24"} for v in ROUTED}
    claims = [{"together": [NAMES[v]]} for v in ROUTED] + [
        {"apart": ["guests", "doors"], "name": "guests never open doors"},
        {"apart": ["staff", "pupils"], "layer": 2},
    ]
    base: dict[str, Any] = {
        "inkov": "campus",
        "name": "Tallow Mill School",
        "segments": segments,
        "hosts": made.hosts,
        "claims": claims,
        "parking": PARKING,
    }
    return base | made.extra


def own_file(box: Box) -> str:  # noqa: C901 - a key a line
    """Returns a switch file of ours."""
    ports = {}
    neighbours = {}
    for name, port in box.ports.items():
        said: dict[str, Any] = {}
        if port.mode == "access":
            said["access"] = port.vlan
            if port.voice:
                said["voice"] = port.voice
        elif port.mode == "trunk":
            said["trunk"] = ",".join(map(str, port.allowed)) if port.allowed is not None else "all"
            said["native"] = port.native if port.native is not None else "none"
        if port.stance:
            said["stance"] = port.stance
        if not port.enabled:
            said["enabled"] = False
        if port.label:
            said["label"] = port.label
        if port.edge is not None:
            said["edge"] = port.edge
        ports[name] = said | port.more
        if port.heard:
            neighbours[name] = " ".join(port.heard)
    gateways = {v: {"address": g.address, "enabled": g.enabled} for v, g in box.gateways.items()}
    table = {v: {"name": n, "state": "suspended" if v in box.suspended else "active"} for v, n in box.vlans.items()}
    tree = {"protocol": box.protocol} if box.protocol else {}
    if box.priority is not None:
        tree["priority"] = str(box.priority)
    document = {
        "inkov": "switch",
        "name": box.name,
        "role": "edge",
        "mac": _mac(box),
        "vlans": table,
        "ports": ports,
        "neighbours": neighbours,
        "gateways": gateways,
        "tree": tree,
        "starts-as": {"stance": "silent"},
    }
    return json.dumps(document | box.more, indent=1)


def _mac(box: Box) -> str:
    return f"02:00:00:00:01:{box.number:02x}"


def _vlans(box: Box) -> dict[str, Any]:
    rows = []
    for v, name in box.vlans.items():
        leaf = {"vlan-id": v, "name": name, "status": "SUSPENDED" if v in box.suspended else "ACTIVE"}
        rows.append(
            {"vlan-id": v, "config": leaf} if box.kind == "early" else {"vlan-id": v, "config": leaf, "state": leaf}
        )
    return {"vlan": rows}


def _switched(port: Port, *, early: bool) -> dict[str, Any]:
    if port.mode == "access":
        return {"interface-mode": "ACCESS", "access-vlan": port.vlan}
    leaf: dict[str, Any] = {"interface-mode": "TRUNK"}
    if port.native is not None:
        leaf["native-vlan"] = port.native
    if port.allowed is not None:
        leaf["trunk-vlans"] = sorted(port.allowed) if early else _ranges(port.allowed)
    return leaf


def _ranges(some: list[int]) -> list[int | str]:
    """Returns a list as exporters of the later generation write it: neighbours as ranges, in text."""
    made: list[int | str] = []
    for v in sorted(set(some)):
        if v - 1 in some and made:
            low = str(made[-1]).partition("..")[0]
            made[-1] = f"{low}..{v}"
        else:
            made.append(v)
    return made


def _export(made: School, box: Box) -> dict[str, Any]:
    early = box.kind == "early"
    interfaces = []
    for name, port in box.ports.items():
        kind = "ieee8023adLag" if port.is_lag else "ethernetCsmacd"
        config: dict[str, Any] = {"name": name, "type": f"iana-if-type:{kind}", "enabled": port.enabled}
        if port.label:
            config["description"] = port.label
        holder: dict[str, Any] = {"config": {}}
        if port.lag:
            holder["config"]["openconfig-if-aggregate:aggregate-id"] = port.lag
        if port.speed:
            holder["config"]["port-speed"] = f"openconfig-if-ethernet:{port.speed}"
        if port.is_lag:
            holder["config"]["lag-type"] = "STATIC" if port.lacp == "static" else "LACP"
        if port.mode:
            side = {"config": _switched(port, early=early)}
            holder["openconfig-vlan:switched-vlan"] = side if early else {**side, "state": dict(side["config"])}
        where = "openconfig-if-aggregate:aggregation" if port.is_lag else "openconfig-if-ethernet:ethernet"
        interfaces.append({"name": name, "config": config, where: holder})
    interfaces += [_routed(v, g) for v, g in box.gateways.items()]
    document: dict[str, Any] = {
        "openconfig-interfaces:interfaces": {"interface": interfaces},
        "openconfig-lldp:lldp": {"interfaces": {"interface": list(_heard(made, box))}},
        "openconfig-system:system": {"config": {"hostname": box.name}},
        "openconfig-spanning-tree:stp": _stp(box),
        "openconfig-lacp:lacp": {
            "interfaces": {
                "interface": [
                    {"name": n, "config": {"name": n, "lacp-mode": str(p.lacp).upper()}}
                    for n, p in box.ports.items()
                    if p.is_lag and p.lacp != "static"
                ]
            }
        },
    }
    if box.filters:
        document["openconfig-acl:acl"] = _acl(box)
    instance: dict[str, Any] = {"name": "default", "config": {"name": "default", "type": "DEFAULT_INSTANCE"}}
    if early:
        instance["vlans"] = _vlans(box)
    else:
        document["openconfig-vlan:vlans"] = _vlans(box)
    if box.routing is not None:
        instance["config"]["enabled-address-families"] = ["IPV4"] if box.routing else []
        instance["config"]["enabled"] = box.routing
    document["openconfig-network-instance:network-instances"] = {"network-instance": [instance]}
    return document


def _routed(vid: int, gateway: Gateway) -> dict[str, Any]:
    ip, _, length = gateway.address.partition("/")
    address: dict[str, Any] = {"ip": ip, "config": {"ip": ip, "prefix-length": int(length)}}
    if gateway.virtual:
        group = {
            "virtual-router-id": vid % 255,
            "config": {"virtual-router-id": vid % 255, "virtual-address": [gateway.virtual]},
        }
        address["openconfig-if-ip:vrrp"] = {"vrrp-group": [group]}
    return {
        "name": f"vlan{vid}",
        "config": {"name": f"vlan{vid}", "type": "iana-if-type:l3ipvlan", "enabled": gateway.enabled},
        "openconfig-vlan:routed-vlan": {
            "config": {"vlan": vid},
            "openconfig-if-ip:ipv4": {"addresses": {"address": [address]}},
        },
    }


def _heard(made: School, box: Box) -> Iterator[dict[str, Any]]:
    for name, port in box.ports.items():
        if port.heard:
            far, far_port = port.heard
            state = {
                "id": "1",
                "system-name": far,
                "port-id": far_port,
                "port-id-type": "INTERFACE_NAME",
                "chassis-id": _mac(made.boxes[far]) if far in made.boxes else "",
            }
            yield {"name": name, "neighbors": {"neighbor": [{"id": "1", "state": state}]}}


def _stp(box: Box) -> dict[str, Any]:
    if box.protocol is None:
        return {}
    leaf: dict[str, Any] = {"bridge-address": _mac(box)}
    if box.priority is not None:
        leaf["bridge-priority"] = box.priority
    edges = [
        {
            "name": n,
            "config": {
                "name": n,
                "edge-port": f"openconfig-spanning-tree-types:EDGE_{'ENABLE' if p.edge else 'DISABLE'}",
            },
        }
        for n, p in box.ports.items()
        if p.edge is not None
    ]
    return {
        "global": {"config": {"enabled-protocol": [f"openconfig-spanning-tree-types:{box.protocol}"]}},
        "rstp": {"config": leaf},
        "interfaces": {"interface": edges},
    }


def _acl(box: Box) -> dict[str, Any]:
    sets, bound = [], []
    for name, rows in box.filters.items():
        made = []
        for n, (action, target, source) in enumerate(rows, 1):
            ipv4 = {"destination-address": target} | ({"source-address": source} if source else {})
            made.append(
                {
                    "sequence-id": n * 10,
                    "config": {"sequence-id": n * 10},
                    "ipv4": {"config": ipv4},
                    "actions": {"config": {"forwarding-action": f"openconfig-acl:{action.upper()}"}},
                }
            )
        sets.append(
            {
                "name": name,
                "type": "openconfig-acl:ACL_IPV4",
                "config": {"name": name, "type": "openconfig-acl:ACL_IPV4"},
                "acl-entries": {"acl-entry": made},
            }
        )
    for vid, gateway in box.gateways.items():
        if gateway.filter_in:
            one = {"set-name": gateway.filter_in, "type": "openconfig-acl:ACL_IPV4"}
            bound.append(
                {
                    "id": f"vlan{vid}",
                    "config": {"id": f"vlan{vid}"},
                    "interface-ref": {"config": {"interface": f"vlan{vid}"}},
                    "ingress-acl-sets": {"ingress-acl-set": [{**one, "config": one}]},
                }
            )
    return {"acl-sets": {"acl-set": sets}, "interfaces": {"interface": bound}}
