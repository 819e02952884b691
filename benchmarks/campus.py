"""Makes campuses of any size: a tree of switches, three levels deep, healthy and the same for the same seed."""

from __future__ import annotations

import json
import random
from collections.abc import Container
from dataclasses import dataclass
from pathlib import Path

NATIVE = 4000
PARKING = 4001


@dataclass(frozen=True)
class Shape:
    """How large a campus to make.

    Attributes:
        switches: how many switches; each but the first has one uplink.
        ports: ports a switch, uplinks and downlinks included.
        vlans: VLANs every switch defines.
        seed: which of the many campuses of this size.
        fanout: how many switches hang on one.
        rings: neighbours below one switch are joined in pairs.
    """

    switches: int
    ports: int = 48
    vlans: int = 200
    seed: int = 1
    fanout: int = 20
    rings: bool = False


def documents(shape: Shape) -> list[tuple[str, dict[str, object]]]:
    """Returns (name, what the switch is), in plain terms both writers understand."""
    rng = random.Random(shape.seed)
    vids = sorted(rng.sample(range(100, 4000), shape.vlans))
    parents = [None] + [(i - 1) // shape.fanout for i in range(1, shape.switches)]
    children: dict[int, list[int]] = {}
    for child, parent in enumerate(parents):
        if parent is not None:
            children.setdefault(parent, []).append(child)
    made = []
    for i in range(shape.switches):
        links = []
        if (parent := parents[i]) is not None:
            links.append(("p1", name_of(parent), f"p{2 + children[parent].index(i)}"))
        links += [(f"p{2 + n}", name_of(child), "p1") for n, child in enumerate(children.get(i, []))]
        if shape.rings and parent is not None and (mate := _mate(i, children[parent])) is not None:
            links.append((f"p{shape.ports}", name_of(mate), f"p{shape.ports}"))
        used = {port for port, _, _ in links}
        own = rng.sample(vids, min(6, len(vids)))
        ports = {}
        for n in range(1, shape.ports + 1):
            port = f"p{n}"
            if port in used:
                ports[port] = ("trunk", [*vids, NATIVE])
            elif n % 12 == 0:
                ports[port] = ("parked", PARKING)
            else:
                ports[port] = ("access", own[n % len(own)])
        made.append((name_of(i), {"vlans": vids, "ports": ports, "links": links, "number": i}))
    return made


def _mate(i: int, siblings: list[int]) -> int | None:
    at = siblings.index(i)
    other = at ^ 1
    return siblings[other] if other < len(siblings) else None


def name_of(i: int) -> str:
    return f"sw-{i:04d}"


def write_openconfig(folder: Path, shape: Shape) -> list[Path]:
    """Writes the campus as OpenConfig JSON, indented as exporters do."""
    paths = []
    folder.mkdir(parents=True, exist_ok=True)
    for name, switch in documents(shape):
        path = folder / f"{name}.json"
        path.write_text(json.dumps(_openconfig(name, switch), indent=1))
        paths.append(path)
    return paths


def _openconfig(name: str, switch: dict[str, object]) -> dict[str, object]:
    interfaces = []
    for port, (kind, value) in switch["ports"].items():
        if kind == "trunk":
            config = {"interface-mode": "TRUNK", "native-vlan": NATIVE, "trunk-vlans": _ranges(value)}
        else:
            config = {"interface-mode": "ACCESS", "access-vlan": value}
        interfaces.append(
            {
                "name": port,
                "config": {
                    "name": port,
                    "type": "iana-if-type:ethernetCsmacd",
                    "enabled": kind != "parked",
                    "description": f"{kind} {port}",
                },
                "openconfig-if-ethernet:ethernet": {
                    "config": {"port-speed": "openconfig-if-ethernet:SPEED_1GB"},
                    "openconfig-vlan:switched-vlan": {"config": config},
                },
            }
        )
    table = [(v, f"vlan-{v}") for v in switch["vlans"]] + [(NATIVE, "native-unused"), (PARKING, "parking")]
    lldp = [
        {
            "name": port,
            "config": {"name": port, "enabled": True},
            "neighbors": {
                "neighbor": [
                    {
                        "id": "1",
                        "state": {
                            "id": "1",
                            "system-name": far,
                            "port-id": far_port,
                            "port-id-type": "INTERFACE_NAME",
                        },
                    }
                ]
            },
        }
        for port, far, far_port in switch["links"]
    ]
    return {
        "openconfig-system:system": {"config": {"hostname": name}},
        "openconfig-interfaces:interfaces": {"interface": interfaces},
        "openconfig-network-instance:network-instances": {
            "network-instance": [
                {
                    "name": "default",
                    "config": {"name": "default", "type": "openconfig-network-instance-types:DEFAULT_INSTANCE"},
                    "vlans": {
                        "vlan": [
                            {"vlan-id": v, "config": {"vlan-id": v, "name": n, "status": "ACTIVE"}} for v, n in table
                        ]
                    },
                }
            ]
        },
        "openconfig-lldp:lldp": {
            "config": {
                "enabled": True,
                "system-name": name,
                "chassis-id": f"02:00:00:00:{switch['number'] >> 8:02x}:{switch['number'] & 255:02x}",
            },
            "interfaces": {"interface": lldp},
        },
    }


def _ranges(vids: list[int]) -> list[object]:
    runs: list[list[int]] = []
    for v in sorted(vids):
        if runs and v == runs[-1][1] + 1:
            runs[-1][1] = v
        else:
            runs.append([v, v])
    return [a if a == b else f"{a}..{b}" for a, b in runs]


def write_yaml(folder: Path, shape: Shape) -> list[Path]:
    """Writes the campus as Inkov switch files."""
    paths = []
    folder.mkdir(parents=True, exist_ok=True)
    for name, switch in documents(shape):
        lines = ["inkov: switch", f"name: {name}", "vlans:"]
        lines += [f"  {v}: vlan-{v}" for v in switch["vlans"]]
        lines += [f"  {NATIVE}: native-unused", f"  {PARKING}: parking", "ports:"]
        for port, (kind, value) in switch["ports"].items():
            if kind == "trunk":
                listed = ",".join(str(r).replace("..", "-") for r in _ranges(value))
                lines.append(f'  {port}: {{trunk: "{listed}", native: {NATIVE}, label: {kind} {port}}}')
            else:
                off = ", enabled: false" if kind == "parked" else ""
                lines.append(f"  {port}: {{access: {value}{off}, label: {kind} {port}}}")
        lines.append("neighbours:")
        lines += [f"  {port}: {far} {far_port}" for port, far, far_port in switch["links"]]
        path = folder / f"{name}.yaml"
        path.write_text("\n".join(lines) + "\n")
        paths.append(path)
    return paths


def compact(
    name: str,
    trunks: dict[str, tuple[list[int], str, str]],
    access: dict[str, int],
    table: list[int],
    shut: Container[str] = (),
    *,
    lags: bool = False,
    phones: bool = False,
    radios: bool = False,
    labels: bool = False,
) -> str:
    """Returns a switch as most devices export it: compact, LLDP on uplinks, ports without labels.

    Args:
        name: its name.
        trunks: uplinks, each with its list, the far switch and the far port.
        access: ports with the VLAN that each is in.
        table: the VLANs it defines.
        shut: ports that are off.
        lags: uplinks are LAGs of two ports each, at both ends.
        phones: each access port hears a phone, which no file describes.
        radios: every sixth access port is a trunk to a station, with all VLANs of the access ports.
        labels: nothing but labels says where uplinks lead.
    """
    modes: dict[str, dict[str, object]] = {
        port: {"interface-mode": "TRUNK", "native-vlan": NATIVE, "trunk-vlans": _ranges([*listed, NATIVE])}
        for port, (listed, _, _) in trunks.items()
    }
    modes |= {port: {"interface-mode": "ACCESS", "access-vlan": vid} for port, vid in access.items()}
    own = _ranges(sorted(set(access.values())))
    for port in [*access][::6] if radios else ():
        modes[port] = {"interface-mode": "TRUNK", "native-vlan": access[port], "trunk-vlans": own}
    told = {port: {"description": f"to {far} {end}"} for port, (_, far, end) in trunks.items()} if labels else {}
    interfaces = [
        {
            "name": port,
            "config": {"name": port, "enabled": port not in shut, **told.get(port, {})},
            "openconfig-if-aggregate:aggregation" if lags and port in trunks else "openconfig-if-ethernet:ethernet": {
                "openconfig-vlan:switched-vlan": {"config": mode}
            },
        }
        for port, mode in modes.items()
    ]
    members = {f"{port}{half}": port for port in trunks for half in "ab"} if lags else {}
    interfaces += [
        {
            "name": member,
            "config": {"name": member, "enabled": True},
            "openconfig-if-ethernet:ethernet": {"config": {"openconfig-if-aggregate:aggregate-id": port}},
        }
        for member, port in members.items()
    ]
    far = {} if labels else {port: (switch, end) for port, (_, switch, end) in trunks.items()}
    if lags:
        far = {m: (far[port][0], f"{far[port][1]}{m[-1]}") for m, port in members.items()}
    if phones:
        far |= {port: (f"phone-{name}-{port}", "1") for port in access}
    heard = [
        {
            "name": port,
            "neighbors": {"neighbor": [{"id": "1", "state": {"id": "1", "system-name": who, "port-id": end}}]},
        }
        for port, (who, end) in far.items()
    ]
    vlans = [{"vlan-id": v, "config": {"vlan-id": v, "name": f"vlan-{v}"}} for v in (*table, NATIVE, PARKING)]
    document = {
        "openconfig-system:system": {"config": {"hostname": name}},
        "openconfig-interfaces:interfaces": {"interface": interfaces},
        "openconfig-vlan:vlans": {"vlan": vlans},
        "openconfig-lldp:lldp": {"interfaces": {"interface": heard}},
    }
    return json.dumps(document, separators=(",", ":"))
