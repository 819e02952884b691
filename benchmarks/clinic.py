"""Plants faults of gateways, pairs, stations and tags into a clinic, one at a time, and counts which the audit finds.

`python benchmarks/clinic.py` prints every fault that is not the first new finding, and the table by family. A fault is found
when a new finding names its place and says a word of what is wrong; it is first when no other new one stands before it.
`--full` prints all, and words pick faults by name.
"""

from __future__ import annotations

import copy
import sys
import tempfile
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import yaml

import inkov
from inkov import api
from inkov.rules.catalogue import cures
from inkov.rules.finding import Finding

Files = dict[str, dict[str, Any]]
"""The files of the clinic: switch files and the campus file, by name."""

DESKS, PHONES, CAMERAS, GUESTS, TILLS, PRINTERS, SERVERS, LAB, SCANNERS, LINK = 20, 30, 40, 50, 60, 70, 100, 80, 90, 200
PARKING, MANAGEMENT = 999, 10
NAMES = {
    10: "management",
    20: "desks",
    30: "phones",
    40: "cameras",
    50: "guests",
    60: "tills",
    70: "printers",
    80: "lab",
    90: "scanners",
    100: "servers",
    200: "to-gate",
    999: "parking",
}
ROUTED = (MANAGEMENT, DESKS, PHONES, CAMERAS, GUESTS, TILLS, PRINTERS, SERVERS)
WARDS = [f"ward-{n}" for n in range(1, 7)]
ALL = ",".join(str(v) for v in NAMES if v != PARKING)
BELOW = "10,20,30,40,50,60,70,80,90"


def subnet(vid: int, host: int, prefix: int = 24) -> str:
    return f"10.9.{vid}.{host}/{prefix}"


def core(n: int) -> dict[str, Any]:
    gateways: dict[int, dict[str, Any]] = {v: {"address": subnet(v, n + 1), "virtual": f"10.9.{v}.1"} for v in ROUTED}
    gateways[GUESTS]["in"] = "guests-in"
    gateways[TILLS]["in"] = "tills-in"
    gateways[LINK] = {"address": subnet(LINK, n + 1)}
    ports: dict[str, Any] = {f"w{i}": {"trunk": BELOW, "native": "none", "label": f"to ward-{i}"} for i in range(1, 7)}
    ports["x1"] = {"trunk": ALL, "native": "none", "label": f"to core-{3 - n}"}
    ports["s1"] = {"trunk": "10,100", "native": "none", "label": "to store"}
    if n == 1:
        ports["x9"] = {"trunk": "80,90,200", "native": "none", "label": "to gate"}
    return {
        "inkov": "switch",
        "name": f"core-{n}",
        "role": "core",
        "mac": f"00:00:5e:00:53:0{n}",
        "vlans": dict(NAMES),
        "tree": {"protocol": "rstp", "priority": 4096 * n},
        "routing": True,
        "gateways": gateways,
        "routes": [{"to": "0.0.0.0/0", "via": "10.9.200.1"}],
        "filters": {
            "guests-in": [{"action": "drop", "to": "10.9.0.0/16"}, {"action": "accept"}],
            "tills-in": [
                {"action": "accept", "from": "10.9.60.0/24", "to": "10.9.100.0/24"},
                {"action": "drop"},
            ],
        },
        "ports": ports,
        "assume": {"own-tag": "drop"},
    }


def ward(n: int) -> dict[str, Any]:
    def edge(vid: int, label: str, **more: object) -> dict[str, Any]:
        return {"access": vid, "label": label, "edge": True, "stance": "silent", **more}

    ports: dict[str, Any] = {str(i): edge(DESKS, f"desk {n}-{i:02}", voice=PHONES) for i in range(1, 9)}
    ports |= {str(i): edge(CAMERAS, f"camera {n}-{i:02}") for i in (9, 10)}
    ports |= {"11": edge(PRINTERS, f"printer {n}-11"), "12": edge(TILLS, f"till {n}-12")}
    ports |= {str(i): edge(GUESTS, f"guest socket {n}-{i}") for i in (13, 14)}
    ports |= {"15": edge(SCANNERS, f"scanner {n}-15"), "16": edge(LAB, f"lab bench {n}-16")}
    ports |= {str(i): {"access": PARKING, "enabled": False, "stance": "silent"} for i in range(17, 25)}
    ports |= {f"u{i}": {"trunk": BELOW, "native": "none", "label": f"to core-{i}"} for i in (1, 2)}
    return {
        "inkov": "switch",
        "name": f"ward-{n}",
        "role": "edge",
        "mac": f"00:00:5e:00:53:1{n}",
        "vlans": {v: NAMES[v] for v in (10, 20, 30, 40, 50, 60, 70, 80, 90, 999)},
        "tree": {"protocol": "rstp"},
        "routing": False,
        "gateways": {MANAGEMENT: subnet(MANAGEMENT, 10 + n)},
        "routes": [{"to": "0.0.0.0/0", "via": "10.9.10.1"}],
        "ports": ports,
        "assume": {"own-tag": "drop"},
    }


def clinic() -> Files:
    """Returns the healthy clinic: two cores that route, six wards on both, a router, a store of servers, an annex."""
    files: Files = {f"core-{n}": core(n) for n in (1, 2)} | {w: ward(n) for n, w in enumerate(WARDS, 1)}
    files["gate"] = {
        "inkov": "switch",
        "name": "gate",
        "kind": "router",
        "ports": {
            "e1": {
                "subinterfaces": {v: subnet(v, 1) for v in (LAB, SCANNERS, LINK)},
                "label": "to core-1",
            },
            "e2": {"subinterfaces": {"untagged": "203.0.113.2/30"}, "label": "provider"},
        },
        "routes": [{"to": "0.0.0.0/0", "via": "203.0.113.1"}, {"to": "10.9.0.0/16", "via": "10.9.200.2"}],
    }
    files["store"] = {
        "inkov": "switch",
        "name": "store",
        "mac": "00:00:5e:00:53:21",
        "vlans": {10: "management", 100: "servers", 999: "parking"},
        "tree": {"protocol": "rstp"},
        "routing": False,
        "gateways": {MANAGEMENT: subnet(MANAGEMENT, 30)},
        "routes": [{"to": "0.0.0.0/0", "via": "10.9.10.1"}],
        "ports": {
            **{
                str(i): {"access": SERVERS, "label": f"server {i}", "edge": True, "stance": "silent"}
                for i in range(1, 7)
            },
            "7": {"trunk": "100", "native": "none", "label": "host of virtual servers", "edge": True},
            "8-12": {"access": PARKING, "enabled": False},
            "u1": {"trunk": "10,100", "native": "none", "label": "to core-1"},
            "u2": {"trunk": "10,100", "native": "none", "label": "to core-2"},
        },
        "assume": {"own-tag": "drop"},
    }
    files["annex"] = {
        "inkov": "switch",
        "name": "annex",
        "mac": "00:00:5e:00:53:31",
        "tree": {"protocol": "rstp"},
        "ports": {"1-4": {"label": "desk"}, "5-6": {"label": "camera"}, "u1": {"label": "to ward-6"}},
        "domains": {
            DESKS: {"name": "desks", "untagged": "1-4", "tagged": {"u1": DESKS}},
            CAMERAS: {"name": "cameras", "untagged": "5-6", "tagged": {"u1": CAMERAS}},
        },
        "routing": False,
        "gateways": {},
    }
    files["ward-6"]["ports"]["d1"] = {"trunk": "20,40", "native": "none", "label": "to annex"}
    cables = [f"core-{c} w{n} - ward-{n} u{c}" for n in range(1, 7) for c in (1, 2)]
    cables.append("ward-6 d1 - annex u1")
    cables += ["core-1 x1 - core-2 x1", "core-1 x9 - gate e1", "core-1 s1 - store u1", "core-2 s1 - store u2"]
    kinds = {1: DESKS, 9: CAMERAS, 11: PRINTERS, 12: TILLS, 13: GUESTS, 15: SCANNERS, 16: LAB}
    hosts = [
        {
            "name": f"{NAMES[v]}-{n}",
            "port": f"ward-{n}:{p}",
            "address": subnet(v, 100 + n),
            "gateway": f"10.9.{v}.1",
        }
        for n in range(1, 7)
        for p, v in kinds.items()
    ]
    hosts += [
        {"name": f"server-{i}", "port": f"store:{i}", "address": subnet(SERVERS, 100 + i), "gateway": "10.9.100.1"}
        for i in (1, 2)
    ]
    files["campus"] = {
        "inkov": "campus",
        "name": "Tern Point Clinic",
        "cables": cables,
        "hosts": hosts,
        "parking": PARKING,
        "segments": {NAMES[v]: {"vlan": v} for v in NAMES if v not in {PARKING, LINK}} | {"outer": {"outside": True}},
        "claims": [{"apart": ["guests", "tills"]}, {"apart": ["guests", "cameras"]}],
    }
    return files


Plant = Callable[[Files], Any]


class Fault(NamedTuple):
    """One fault: its family, what was done, and what the finding's place and words must hold, each any of several."""

    family: str
    name: str
    plant: Plant
    places: tuple[str, ...]
    words: tuple[str, ...] = ("",)


def port(box: str, name: str, **keys: object) -> Plant:
    """Changes keys of a port; None takes one away."""

    def plant(files: Files) -> None:
        made = files[box]["ports"][name]
        made.update(keys)
        for key in [k for k, v in made.items() if v is None]:
            del made[key]

    return plant


def entry(path: str, value: object) -> Plant:
    """Sets something in a file: `core-2/gateways/20/address`; None takes it away."""

    def plant(files: Files) -> None:
        *way, last = path.split("/")
        at: Any = files
        for step in way:
            at = at[int(step)] if isinstance(at, list) or (step.isdigit() and int(step) in at) else at[step]
        name: Any = int(last) if isinstance(at, list) or last.isdigit() else last
        if value is None:
            del at[name]
        else:
            at[name] = value

    return plant


def every(*plants: Plant) -> Plant:
    """Plants several things that are one fault."""
    return lambda files: [p(files) for p in plants]


def host(name: str, **keys: object) -> Plant:
    """Changes what the list of hosts says of one."""
    return lambda files: next(h for h in files["campus"]["hosts"] if h["name"] == name).update(keys)


def without(text: str, *vids: int) -> str:
    """Returns a list without some VLANs."""
    return ",".join(v for v in text.split(",") if int(v) not in vids)


def faults() -> Iterator[Fault]:  # noqa: PLR0915 - a list, one fault after another
    """Yields every fault, the same in every run."""
    f = "router on a trunk"
    yield Fault(
        f, "list in front of gate lacks lab", port("core-1", "x9", trunk="90,200"), ("core-1:x9", "gate"), ("80",)
    )
    yield Fault(
        f, "list in front of gate lacks the link", port("core-1", "x9", trunk="80,90"), ("core-1:x9",), ("200",)
    )
    yield Fault(f, "core-1 does not define scanners", entry("core-1/vlans/90", None), ("core-1",), ("90",))
    yield Fault(
        f, "scanners leave untagged to gate", port("core-1", "x9", native=90), ("core-1:x9", "gate:e1"), ("90",)
    )
    yield Fault(
        f,
        "port to gate is an access port",
        port("core-1", "x9", trunk=None, native=None, access=200),
        ("core-1:x9", "gate:e1"),
        ("80", "tag"),
    )
    yield Fault(
        f,
        "gate tags 81 for lab",
        every(entry("gate/ports/e1/subinterfaces/80", None), entry("gate/ports/e1/subinterfaces/81", subnet(80, 1))),
        ("gate",),
        ("81",),
    )
    yield Fault(f, "port to gate is off", port("core-1", "x9", enabled=False), ("core-1:x9", "gate"), ("",))
    yield Fault(f, "another tag format to gate", port("core-1", "x9", tags="802.1ad"), ("core-1:x9", "gate"), ("",))

    f = "pair"
    yield Fault(
        f,
        "virtual addresses differ",
        entry("core-2/gateways/20/virtual", "10.9.20.254"),
        ("core-2", "VLAN 20"),
        ("10.9.20.254",),
    )
    yield Fault(
        f,
        "prefix lengths differ",
        entry("core-2/gateways/30/address", subnet(30, 3, 25)),
        ("core-2", "VLAN 30"),
        ("/25",),
    )
    yield Fault(
        f, "one lacks the filter", entry("core-2/gateways/50/in", None), ("core-2", "VLAN 50"), ("guests-in", "filter")
    )
    yield Fault(
        f,
        "filters differ in content",
        entry(
            "core-2/filters/tills-in",
            [{"action": "accept", "from": "10.9.60.0/24", "to": "10.9.0.0/16"}, {"action": "drop"}],
        ),
        ("core-2", "VLAN 60"),
        ("tills-in",),
    )
    yield Fault(
        f,
        "filter in the other direction on one",
        every(entry("core-2/gateways/50/in", None), entry("core-2/gateways/50/out", "guests-in")),
        ("core-2", "VLAN 50"),
        ("filter", "guests-in"),
    )
    yield Fault(f, "gateway of one is off", entry("core-2/gateways/70/enabled", False), ("core-2", "VLAN 70"), ("",))
    yield Fault(f, "one does not route", entry("core-2/routing", False), ("core-2",), ("rout",))
    yield Fault(f, "next hop nobody has", entry("core-2/routes/0/via", "10.9.200.77"), ("core-2",), ("10.9.200.77",))
    yield Fault(f, "one has no way out", entry("core-2/routes", []), ("core-2",), ("route", "way out"))
    yield Fault(
        f, "no virtual address on one", entry("core-2/gateways/20/virtual", None), ("core-2", "VLAN 20"), ("10.9.20.1",)
    )
    yield Fault(
        f,
        "one address on both",
        entry("core-2/gateways/40/address", subnet(40, 2)),
        ("core-1", "core-2", "VLAN 40", "10.9.40.2"),
        ("10.9.40.2",),
    )
    yield Fault(
        f,
        "one in another subnet",
        entry("core-2/gateways/40/address", "10.9.41.3/24"),
        ("core-2", "VLAN 40"),
        ("10.9.41",),
    )
    yield Fault(f, "one misses the gateway", entry("core-2/gateways/70", None), ("core-2", "VLAN 70"), ("70",))

    f = "filter"
    six = [["10.9.50.2/24", "2001:db8:50::2/64"], ["10.9.50.3/24", "2001:db8:50::3/64"]]
    yield Fault(
        f,
        "IPv6 beside a filter of IPv4",
        every(*(entry(f"core-{n}/gateways/50/address", six[n - 1]) for n in (1, 2))),
        ("core-1", "core-2", "VLAN 50"),
        ("IPv6",),
    )
    yield Fault(
        f,
        "filter in the direction that stops nothing",
        every(
            *(
                e
                for n in (1, 2)
                for e in (
                    entry(f"core-{n}/gateways/60/in", None),
                    entry(f"core-{n}/gateways/60/out", "shield"),
                    entry(
                        f"core-{n}/filters/shield",
                        [{"action": "drop", "from": "10.9.60.0/24", "to": "10.9.40.0/24"}, {"action": "accept"}],
                    ),
                )
            )
        ),
        ("core-1", "core-2", "VLAN 60"),
        ("shield",),
    )
    yield Fault(
        f,
        "accepts all before it drops",
        every(
            *(
                entry(f"core-{n}/filters/guests-in", [{"action": "accept"}, {"action": "drop", "to": "10.9.0.0/16"}])
                for n in (1, 2)
            )
        ),
        ("core-1", "guests"),
        ("",),
    )

    f = "way out"
    yield Fault(
        f,
        "both to a hop nobody has",
        every(*(entry(f"core-{n}/routes/0/via", "10.9.200.9") for n in (1, 2))),
        ("core-1", "core-2"),
        ("10.9.200.9",),
    )
    yield Fault(f, "gate knows no way back", entry("gate/routes/1", None), ("gate",), ("",))
    yield Fault(
        f, "a ward's own gateway is nobody", entry("ward-4/routes/0/via", "10.9.10.9"), ("ward-4",), ("10.9.10.9",)
    )
    yield Fault(f, "a ward has no way out", entry("ward-4/routes", []), ("ward-4",), ("",))
    yield Fault(
        f,
        "a ward is managed from a wrong subnet",
        entry("ward-4/gateways/10", "10.9.11.14/24"),
        ("ward-4",),
        ("10.9.11",),
    )
    yield Fault(
        f,
        "two wards have one address",
        entry("ward-4/gateways/10", subnet(10, 15)),
        ("ward-4", "ward-5", "10.9.10.15"),
        ("10.9.10.15",),
    )

    f = "gateway and hosts"
    yield Fault(
        f,
        "hosts contradict the gateways",
        every(
            *(
                e
                for n in (1, 2)
                for e in (
                    entry(f"core-{n}/gateways/70/address", f"10.9.71.{n + 1}/24"),
                    entry(f"core-{n}/gateways/70/virtual", "10.9.71.1"),
                )
            )
        ),
        ("core-1", "core-2", "VLAN 70"),
        ("10.9.7",),
    )
    yield Fault(
        f,
        "subnets of two VLANs swapped on gate",
        every(
            entry("gate/ports/e1/subinterfaces/80", subnet(90, 1)),
            entry("gate/ports/e1/subinterfaces/90", subnet(80, 1)),
        ),
        ("gate",),
        ("80", "90"),
    )
    yield Fault(
        f,
        "a host has the gateway's address",
        host("desks-3", address="10.9.20.1/24"),
        ("desks-3", "10.9.20.1"),
        ("10.9.20.1",),
    )
    yield Fault(
        f,
        "a host has another one's address",
        host("desks-3", address=subnet(20, 104)),
        ("desks-3", "desks-4"),
        ("10.9.20.104",),
    )
    yield Fault(
        f, "a host's mask is too short", host("desks-3", address=subnet(20, 103, 16)), ("desks-3",), ("/16", "mask")
    )
    yield Fault(
        f, "a host's gateway is nobody", host("printers-3", gateway="10.9.70.9"), ("printers-3",), ("10.9.70.9",)
    )
    yield Fault(f, "a host has no gateway", host("printers-3", gateway=None), ("printers-3",), ("gateway",))
    yield Fault(
        f,
        "a host uses the gateway of another VLAN",
        host("printers-3", gateway="10.9.20.1"),
        ("printers-3",),
        ("10.9.20.1",),
    )

    f = "station"
    yield Fault(f, "a desk is among cameras", port("ward-3", "5", access=40, voice=None), ("ward-3:5",), ("40",))
    yield Fault(f, "a desk with a host is among cameras", port("ward-3", "1", access=40), ("ward-3:1",), ("40", "20"))
    yield Fault(f, "a printer is among desks", port("ward-2", "11", access=20), ("ward-2:11",), ("20", "70"))
    yield Fault(f, "a till is among guests", port("ward-2", "12", access=50), ("ward-2:12",), ("50", "60"))
    yield Fault(f, "a desk without a phone's VLAN", port("ward-2", "4", voice=None), ("ward-2:4",), ("30", "voice"))
    yield Fault(f, "a phone among cameras", port("ward-2", "4", voice=40), ("ward-2:4",), ("40",))
    yield Fault(
        f, "a camera's port is off", port("ward-2", "10", enabled=False), ("ward-2:10",), ("off", "disabled", "shut")
    )
    yield Fault(
        f,
        "a server's port is a trunk of all",
        port("store", "3", access=None, trunk="all", native="none"),
        ("store:3",),
        ("",),
    )
    yield Fault(f, "a server is a station of management", port("store", "3", access=10), ("store:3",), ("10",))
    yield Fault(
        f,
        "two sockets are patched",
        lambda files: files["campus"]["cables"].append("ward-2 6 - ward-5 10"),
        ("ward-2:6", "ward-5:10"),
        ("",),
    )
    yield Fault(f, "a spare port is on", port("ward-2", "18", enabled=True), ("ward-2:18",), ("",))
    yield Fault(
        f, "a spare port is on and default", port("ward-2", "18", enabled=True, access=1), ("ward-2:18",), ("",)
    )
    yield Fault(
        f,
        "a desk's port takes negotiation",
        port("ward-2", "3", access=20, mode="negotiated", trunk="all", native=1, stance="passive"),
        ("ward-2:3",),
        ("",),
    )

    yield Fault(
        f,
        "two hosts of another subnet in the lab",
        every(
            host("lab-2", address="10.9.81.102/24", gateway="10.9.81.1"),
            host("lab-3", address="10.9.81.103/24", gateway="10.9.81.1"),
        ),
        ("lab-2", "lab-3"),
        ("10.9.81",),
    )
    yield Fault(
        f,
        "a host that sits where another one's VLAN is",
        host("cameras-4", port="ward-4:12"),
        ("cameras-4",),
        ("40", "60"),
    )
    yield Fault(
        f,
        "ports in a VLAN of the register that nobody defines",
        every(
            entry("campus/register", dict(NAMES) | {110: "doors"}),
            port("ward-2", "15", access=110, label="door 2-15"),
            host("scanners-2", port="ward-2:20"),
        ),
        ("ward-2:15",),
        ("Define VLAN 110",),
    )
    yield Fault(f, "a server's trunk without its VLAN", port("store", "7", trunk="110"), ("store:7",), ("110",))

    f = "on the way"
    yield Fault(
        f,
        "cameras on neither uplink",
        every(port("ward-6", "u1", trunk=without(BELOW, 40)), port("ward-6", "u2", trunk=without(BELOW, 40))),
        ("ward-6", "VLAN 40"),
        ("40",),
    )
    yield Fault(
        f,
        "guests on no list to one ward",
        every(*(port(f"core-{n}", "w5", trunk=without(BELOW, 50)) for n in (1, 2))),
        ("ward-5", "w5", "VLAN 50"),
        ("50",),
    )
    yield Fault(
        f,
        "tills not defined on both cores",
        every(*(entry(f"core-{n}/vlans/60", None) for n in (1, 2))),
        ("core-1", "core-2", "VLAN 60"),
        ("60",),
    )
    yield Fault(
        f,
        "lab not on the link of the cores",
        every(*(port(f"core-{n}", "x1", trunk=without(ALL, 80)) for n in (1, 2))),
        ("core-1:x1", "core-2:x1", "VLAN 80"),
        ("80",),
    )
    yield Fault(
        f, "one uplink carries no phones", port("ward-3", "u2", trunk=without(BELOW, 30)), ("ward-3:u2",), ("30",)
    )

    f = "tags"
    yield Fault(
        f, "native at one end only, in use", port("core-1", "w2", native=20), ("core-1:w2", "ward-2:u1"), ("20",)
    )
    yield Fault(
        f,
        "natives differ, in neither list",
        every(port("core-1", "w2", native=301), port("ward-2", "u1", native=302)),
        ("core-1:w2", "ward-2:u1"),
        ("301",),
    )
    yield Fault(
        f,
        "an uplink is general with no PVID there",
        port(
            "ward-2",
            "7",
            access=None,
            voice=None,
            general={"pvid": 345, "untagged": "20", "tagged": "30", "filtering": True, "frames": "all"},
        ),
        ("ward-2:7",),
        ("345",),
    )
    yield Fault(
        f,
        "PVID outside the untagged set",
        port(
            "ward-2",
            "7",
            access=None,
            voice=None,
            general={"pvid": 40, "untagged": "20", "tagged": "30", "filtering": True, "frames": "all"},
        ),
        ("ward-2:7",),
        ("40", "20"),
    )
    yield Fault(
        f,
        "a routed port where the far end has a list",
        port("ward-2", "u1", trunk=None, native=None, mode="routed"),
        ("ward-2:u1", "core-1:w2"),
        ("rout",),
    )
    yield Fault(f, "an empty table of VLANs", entry("ward-2/vlans", {}), ("ward-2",), ("",))
    yield Fault(
        f, "an edge port's native is default", port("core-1", "w2", native=1), ("core-1:w2", "ward-2:u1"), ("",)
    )
    yield Fault(
        f,
        "two names swapped",
        every(entry("ward-2/vlans/40", "guests"), entry("ward-2/vlans/50", "cameras")),
        ("ward-2", "VLAN 40", "VLAN 50"),
        ("swapped",),
    )
    yield Fault(f, "a name of another VLAN", entry("ward-2/vlans/40", "guests"), ("ward-2", "VLAN 40"), ("guests",))

    yield Fault(
        f,
        "a bridge of its own with an unlike tag",
        entry("annex/domains/40/tagged/u1", 400),
        ("annex:u1", "ward-6:d1"),
        ("400",),
    )
    yield Fault(
        f,
        "two tags of a bridge swapped",
        every(entry("annex/domains/40/tagged/u1", 20), entry("annex/domains/20/tagged/u1", 40)),
        ("annex:u1", "ward-6:d1"),
        ("20",),
    )
    yield Fault(f, "a port in no bridge", entry("annex/domains/40/untagged", "5"), ("annex:6",), ("",))
    yield Fault(f, "a bridge without its uplink", entry("annex/domains/40/tagged", {}), ("annex", "ward-6:d1"), ("40",))

    f = "one template"
    yield Fault(
        f,
        "phones left out on every ward",
        every(*(port(w, str(i), voice=None) for w in WARDS for i in (1, 2))),
        ("ward-1", "6 switches", "12 ports"),
        ("30", "voice"),
    )
    yield Fault(
        f, "a spare port on, on every ward", every(*(port(w, "20", enabled=True) for w in WARDS)), ("ward-1",), ("",)
    )
    yield Fault(
        f,
        "five VLANs left over in a table",
        every(*(entry(f"ward-3/vlans/{v}", f"old-{v}") for v in range(501, 506))),
        ("ward-3",),
        ("501",),
    )

    f = "tree and LAG"
    yield Fault(
        f,
        "nobody chose the root",
        every(*(entry(f"core-{n}/tree", {"protocol": "rstp"}) for n in (1, 2))),
        ("core-1", "core-2", "ward", "store", "campus", "Tern"),
        ("root",),
    )
    yield Fault(f, "a ward is the root", entry("ward-4/tree/priority", 0), ("ward-4",), ("root",))
    yield Fault(f, "an uplink is an edge port", port("ward-4", "u1", edge=True), ("ward-4:u1",), ("edge",))
    yield Fault(f, "a desk waits before it forwards", port("ward-4", "5", edge=None), ("ward-4:5",), ("edge",))
    yield Fault(f, "no tree on one ward", entry("ward-4/tree/protocol", "off"), ("ward-4",), ("",))


def written(files: Files, folder: Path) -> Path:
    """Writes the files of a clinic."""
    folder.mkdir()
    for name, held in files.items():
        (folder / f"{name}.yaml").write_text(yaml.safe_dump(held, sort_keys=False), "utf-8")
    return folder


def findings(folder: Path) -> list[Finding]:
    return list(inkov.audit(inkov.load(folder)))


def names(f: Finding, fault: Fault) -> bool:
    """Tells whether a finding is about a fault."""
    text = f"{f.place} {f.what} {f.mend}"
    return any(p in f.place or p in f.what for p in fault.places) and any(w in text for w in fault.words)


def main() -> int:
    full, only = "--full" in sys.argv, [a for a in sys.argv[1:] if not a.startswith("-")]
    table: dict[str, Counter[str]] = defaultdict(Counter)
    with tempfile.TemporaryDirectory() as scratch:
        healthy = findings(written(clinic(), Path(scratch) / "healthy"))
        print(f"healthy: {len(healthy)} findings")
        for f in healthy:
            print(f"    {f.severity.value} {f.rule} {f.place}: {f.what}")
        before = {(f.rule, f.place, f.what) for f in healthy}
        for n, fault in enumerate(faults()):
            if only and not any(o in f"{fault.family} {fault.name}" for o in only):
                continue
            files = copy.deepcopy(clinic())
            fault.plant(files)
            campus = inkov.load(written(files, Path(scratch) / str(n)))
            new = [f for f in inkov.audit(campus) if (f.rule, f.place, f.what) not in before]
            at = next((i for i, f in enumerate(new) if names(f, fault)), None)
            folded = at is None and any(names(g, fault) for f in new for g in f.also)
            outcome = "first" if at == 0 else "found" if at is not None else "folded" if folded else "MISSED"
            table[fault.family][outcome] += 1
            table[fault.family]["cure"] += at is not None and any(True for _ in cures(api.network(campus), new[at]))
            if outcome != "first" or full:
                print(f"{outcome:6}  {fault.family}: {fault.name}")
                for f in new[:4]:
                    print(f"            {f.severity.value} {f.rule} {f.place}: {f.what}\n                → {f.mend}")
    print(f"\n{'family':20} faults  first  found  folded  missed  with a cure")
    table["all"] = sum(table.values(), Counter())
    for family, row in table.items():
        count = sum(row[k] for k in ("first", "found", "folded", "MISSED"))
        told = f"{row['first']:5}  {row['found']:5}  {row['folded']:6}  {row['MISSED']:6}  {row['cure']:11}"
        print(f"{family:20} {count:6}  {told}")
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
