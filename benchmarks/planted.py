"""Plants faults into the school, one at a time, and counts which the audit finds, how high, and whether it says why.

`python benchmarks/planted.py` prints a row a variant that is not found first, and the table by kind of fault (the numbers
are those of `docs/rules.md`). A variant is found when a new finding names its place; it is first when no other new one
stands before it.
"""

from __future__ import annotations

import random
import sys
import tempfile
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import school as made_up
from school import (
    CAMERAS,
    DOORS,
    GUESTS,
    LABS,
    MANAGEMENT,
    NATIVE,
    PARKING,
    PHONES,
    PUPILS,
    SERVERS,
    STAFF,
    School,
    school,
    write,
)

import inkov
from inkov.rules.finding import Finding


@dataclass
class Variant:
    """One fault: its kind, what was done, and texts of which one must be in the finding's place (or in what it says)."""

    fault: int
    name: str
    plant: Callable[[School], None]
    places: tuple[str, ...]
    worst: str = ""


def floors(rng: random.Random, n: int) -> list[str]:
    return rng.sample([f"floor-{h}{k}" for h in "abcd" for k in range(1, 8)], n)


def both(*plants: Callable[[School], None]) -> Callable[[School], None]:
    """Plants several things that are one fault."""

    def plant(s: School) -> None:
        for one in plants:
            one(s)

    return plant


def variants() -> Iterator[Variant]:  # noqa: C901, PLR0912, PLR0915 - a list, one fault after another
    """Yields every variant, the same in every run."""
    rng = random.Random(14)

    def port(box: str, name: str, **said: object) -> Callable[[School], None]:
        def plant(s: School) -> None:
            for key, value in said.items():
                setattr(s.boxes[box].ports[name], key, value)

        return plant

    for floor in floors(rng, 3):
        yield Variant(
            1, f"{floor} uplink LAG is an access port", port(floor, "po1", mode="access", vlan=STAFF), (f"{floor}:po1",)
        )
    for h in "ab":
        yield Variant(
            1,
            f"house-{h} uplink is an access port",
            port(f"house-{h}", "et1", mode="access", vlan=STAFF, native=None),
            (f"house-{h}:et1",),
        )
    for n in "12":
        yield Variant(
            1,
            f"shed-{n} uplink is an access port",
            port(f"shed-{n}", "u1", mode="access", vlan=STAFF),
            (f"shed-{n}:u1",),
        )
    for floor in floors(rng, 3):
        yield Variant(3, f"{floor} uplink has native staff", port(floor, "po1", native=STAFF), (f"{floor}:po1",))
    for h in "cd":
        yield Variant(3, f"house-{h}:et2 has native 1", port(f"house-{h}", "et2", native=1), (f"house-{h}:et2",))
    yield Variant(3, "shed-2:u1 has native pupils", port("shed-2", "u1", native=PUPILS), ("shed-2:u1",))
    yield Variant(
        3, "plant-2:ge25 has native management", port("plant-2", "ge25", native=MANAGEMENT), ("plant-2:ge25",)
    )

    def natives(vid: int, a: tuple[str, str], b: tuple[str, str]) -> Callable[[School], None]:
        def plant(s: School) -> None:
            for box, name in (a, b):
                s.boxes[box].ports[name].native = vid

        return plant

    yield Variant(
        4,
        "native staff at both ends",
        natives(STAFF, ("floor-a1", "po1"), ("house-a", "po1")),
        ("VLAN 110", "floor-a1:po1"),
    )
    yield Variant(4, "native 1 at both ends", natives(1, ("plant-1", "ge26"), ("plant-2", "ge25")), ("plant-1:ge26",))
    yield Variant(4, "native not defined", lambda s: s.boxes["floor-b2"].vlans.pop(NATIVE) and None, ("floor-b2",))

    def undefine(box: str, vid: int) -> Callable[[School], None]:
        return lambda s: s.boxes[box].vlans.pop(vid) and None

    def suspend(box: str, vid: int) -> Callable[[School], None]:
        return lambda s: s.boxes[box].suspended.add(vid)

    for floor, vid in zip(
        floors(rng, 8), (STAFF, PHONES, CAMERAS, DOORS, GUESTS, STAFF, MANAGEMENT, PHONES), strict=True
    ):
        yield Variant(5, f"{floor} does not define {vid}", undefine(floor, vid), (floor,), "outage")
    for box, vid in (
        ("house-b", PHONES),
        ("house-c", CAMERAS),
        ("house-d", GUESTS),
        ("plant-1", DOORS),
        ("plant-1", STAFF),
    ):
        yield Variant(5, f"{box} in the middle does not define {vid}", undefine(box, vid), (box,), "outage")
    for box, vid in (
        ("floor-c3", STAFF),
        ("house-a", DOORS),
        ("floor-d5", PHONES),
        ("shed-3", CAMERAS),
        ("plant-1", PUPILS),
    ):
        yield Variant(5, f"{box} has {vid} suspended", suspend(box, vid), (box,), "outage")
    for floor in floors(rng, 3):
        yield Variant(
            6, f"{floor} list replaced by one", port(floor, "po1", allowed=[DOORS, NATIVE]), (f"{floor}:po1",), "outage"
        )
    yield Variant(6, "house-a:po3 list replaced", port("house-a", "po3", allowed=[GUESTS]), ("house-a:po3",), "outage")
    yield Variant(
        6, "plant-1:ge25 list replaced", port("plant-1", "ge25", allowed=[STAFF]), ("plant-1:ge25",), "outage"
    )

    def without(vid: int, *ends: tuple[str, str]) -> Callable[[School], None]:
        def plant(s: School) -> None:
            for box, name in ends:
                s.boxes[box].ports[name].allowed = [v for v in s.boxes[box].ports[name].allowed or [] if v != vid]

        return plant

    for floor, vid in zip(floors(rng, 5), (PHONES, CAMERAS, GUESTS, MANAGEMENT, DOORS), strict=True):
        house, lag = f"house-{floor[6]}", f"po{floor[7]}"
        yield Variant(
            7,
            f"{vid} off both ends to {floor}",
            without(vid, (floor, "po1"), (house, lag)),
            (f"{floor}:po1", f"VLAN {vid}"),
            "outage",
        )
    for vid in (PHONES, DOORS):
        yield Variant(
            7,
            f"{vid} off both ends to plant-1",
            without(vid, ("plant-1", "ge25"), ("core-1", "et30")),
            ("plant-1:ge25", f"VLAN {vid}"),
            "outage",
        )
    for h, vid in (("a", STAFF), ("b", GUESTS)):
        yield Variant(
            7,
            f"{vid} off one link of the ring at house-{h}",
            without(vid, (f"house-{h}", "et1"), ("core-1", f"et{10 + 'abcd'.index(h)}")),
            (f"house-{h}:et1",),
        )
    for floor in floors(rng, 3):
        yield Variant(8, f"{floor}:ge8 is pupils", port(floor, "ge8", vlan=PUPILS), (f"{floor}:ge8",))
    for floor in floors(rng, 2):
        yield Variant(8, f"{floor}:ge18 is doors", port(floor, "ge18", vlan=DOORS), (f"{floor}:ge18",))
    for floor in floors(rng, 2):

        def swap(s: School, floor: str = floor) -> None:
            s.boxes[floor].ports["ge18"].vlan, s.boxes[floor].ports["ge19"].vlan = DOORS, CAMERAS

        yield Variant(8, f"{floor} cameras and doors swapped", swap, (f"{floor}:ge18", f"{floor}:ge19"))
    for floor in floors(rng, 2):

        def shift(s: School, floor: str = floor) -> None:
            s.boxes[floor].ports["ge9"].mode, s.boxes[floor].ports["ge9"].vlan = "access", STAFF

        yield Variant(8, f"{floor} range of desks one too long", shift, (f"{floor}:ge9",))
    for floor in floors(rng, 2):
        yield Variant(8, f"{floor}:ge5 mistyped 1110", port(floor, "ge5", vlan=1110), (f"{floor}:ge5",), "outage")
    for floor in floors(rng, 2):

        def new(s: School, floor: str = floor) -> None:
            s.boxes[floor].vlans[111] = ""
            s.boxes[floor].ports["ge6"].vlan = 111

        yield Variant(8, f"{floor}:ge6 in a new VLAN 111", new, (f"{floor}:ge6", "VLAN 111", floor))
    for floor in floors(rng, 2):
        yield Variant(8, f"{floor}:ge7 parked", port(floor, "ge7", vlan=PARKING, enabled=False), (f"{floor}:ge7",))
    for floor in floors(rng, 2):

        def untouched(s: School, floor: str = floor) -> None:
            for n in range(14, 24):
                s.boxes[floor].ports[f"ge{n}"] = made_up.Port()

        yield Variant(9, f"{floor} ten ports nobody configured", untouched, (floor,))
    for floor in floors(rng, 2):

        def default(s: School, floor: str = floor) -> None:
            for n in range(20, 25):
                s.boxes[floor].ports[f"ge{n}"] = made_up.Port("access", vlan=1)

        yield Variant(9, f"{floor} five ports in VLAN 1", default, (floor,))
    yield Variant(9, "shed-4 ports wait to be a trunk", _negotiate, ("shed-4",))
    yield Variant(
        9,
        "an open trunk labelled unused",
        port("floor-d2", "ge22", mode="trunk", native=1, allowed=None, enabled=True, label="unused"),
        ("floor-d2:ge22",),
    )

    def rename(box: str, vid: int, name: str) -> Callable[[School], None]:
        return lambda s: s.boxes[box].vlans.__setitem__(vid, name)

    yield Variant(10, "another name", rename("floor-a6", LABS, "kitchen"), ("VLAN 130", "labs"))
    yield Variant(
        10,
        "names swapped",
        both(rename("floor-b1", STAFF, "pupils"), rename("floor-b1", PUPILS, "staff")),
        ("VLAN 110", "VLAN 120", "staff", "pupils", "floor-b1"),
    )
    yield Variant(10, "no name", rename("floor-b3", CAMERAS, ""), ("floor-b3",))

    def gateway(vid: int, **said: object) -> Callable[[School], None]:
        def plant(s: School) -> None:
            for key, value in said.items():
                setattr(s.boxes["core-1"].gateways[vid], key, value)

        return plant

    yield Variant(12, "routing off at core-1", lambda s: setattr(s.boxes["core-1"], "routing", False), ("core-1",))
    yield Variant(
        12, "a gateway in the wrong subnet", gateway(LABS, address="10.0.131.2/24", virtual="10.0.131.1"), ("core-1",)
    )
    yield Variant(12, "a gateway twice", gateway(CAMERAS, address="10.0.170.3/24"), ("core-1", "core-2"))
    yield Variant(12, "a gateway lacks the filter", gateway(GUESTS, filter_in=None), ("core-1",))

    def both_shut(s: School) -> None:
        for core in ("core-1", "core-2"):
            s.boxes[core].gateways[STAFF].enabled = False

    yield Variant(12, "staff gateways shut", both_shut, ("core-1", "core-2"))
    yield Variant(12, "gateway VLAN not defined", lambda s: s.boxes["core-2"].vlans.pop(LABS) and None, ("core-2",))

    def swapped(s: School) -> None:
        g = s.boxes["core-2"].gateways
        g[CAMERAS], g[DOORS] = g[DOORS], g[CAMERAS]

    yield Variant(12, "routed interfaces of two VLANs swapped", swapped, ("core-2",))

    def host(n: int, **said: str) -> Callable[[School], None]:
        return lambda s: s.hosts[n].update(said)

    name = [h["name"] for h in school().hosts]
    yield Variant(12, "host with a wrong gateway", host(3, gateway="10.0.110.254"), (name[3],))
    yield Variant(12, "host with a wrong mask", host(5, address="10.0.110.140/16"), (name[5],))
    yield Variant(12, "host in another subnet", host(7, address="10.0.120.77/24"), (name[7],))
    yield Variant(12, "host with another's address", host(9, address=school().hosts[8]["address"]), (name[8], name[9]))
    yield Variant(12, "host with the gateway's address", host(2, address="10.0.110.1/24"), (name[2],))
    yield Variant(12, "host without gateway", lambda s: s.hosts[4].pop("gateway") and None, (name[4],))

    def no_tree(*names: str) -> Callable[[School], None]:
        def plant(s: School) -> None:
            for n in names:
                s.boxes[n].protocol = "off" if s.boxes[n].kind == "own" else None

        return plant

    def second_uplink(s: School) -> None:
        s.boxes["shed-1"].protocol = "off"
        made_up.wire(s.boxes, "house-a", "et41", "shed-1", "u2")

    yield Variant(13, "a second uplink and no tree at shed-1", second_uplink, ("shed-1",))
    yield Variant(
        14, "floor-a1 has the lowest priority", lambda s: setattr(s.boxes["floor-a1"], "priority", 0), ("floor-a1",)
    )
    yield Variant(
        14,
        "nobody chose the root",
        lambda s: [setattr(s.boxes[c], "priority", None) for c in ("core-1", "core-2")] and None,
        ("core", "house", "floor"),
    )
    for floor in ("floor-a3", "floor-d1"):
        yield Variant(
            15,
            f"{floor} uplink member is an edge port",
            port(floor, "ge25", edge=True),
            (f"{floor}:ge25", f"{floor}:po1"),
        )
    yield Variant(15, "house-c:et1 is an edge port", port("house-c", "et1", edge=True), ("house-c:et1",))
    yield Variant(15, "plant-2 desk waits", port("plant-2", "ge3", edge=False), ("plant-2:ge3", "plant-2"))

    def unbundle(box: str, name: str) -> Callable[[School], None]:
        def plant(s: School) -> None:
            own = s.boxes[box].ports
            own[name].lag, own[name].mode = None, "trunk"
            own[name].native, own[name].allowed = NATIVE, own["po1"].allowed

        return plant

    for floor in floors(rng, 2):
        yield Variant(
            16,
            f"{floor}:ge26 left the LAG",
            unbundle(floor, "ge26"),
            (f"{floor}:ge26", f"{floor}:po1", f"po{floor[7]}"),
        )

    def plain(box: str) -> Callable[[School], None]:
        def plant(s: School) -> None:
            for n in ("ge25", "ge26"):
                unbundle(box, n)(s)
            del s.boxes[box].ports["po1"]

        return plant

    yield Variant(16, "floor-c6 aggregates nothing, its far end does", plain("floor-c6"), ("floor-c6", "house-c:po6"))
    yield Variant(
        16,
        "both ends passive",
        both(port("floor-d4", "po1", lacp="passive"), port("house-d", "po4", lacp="passive")),
        ("floor-d4:po1",),
        "outage",
    )
    yield Variant(16, "static against LACP", port("floor-d6", "po1", lacp="static"), ("floor-d6:po1",))
    yield Variant(
        16,
        "unequal speeds in a LAG",
        port("floor-b6", "ge26", speed="SPEED_1GB"),
        ("floor-b6:po1", "floor-b6:ge26", "house-b:po6"),
    )

    def relabel(box: str, name: str, label: str) -> Callable[[School], None]:
        return port(box, name, label=label)

    yield Variant(22, "label names another switch", relabel("floor-a4", "po1", "to house-b"), ("floor-a4:po1",))
    yield Variant(22, "label names another port", relabel("plant-2", "ge25", "to plant-1 ge25"), ("plant-2:ge25",))

    def swap_cables(s: School) -> None:
        a, b = s.boxes["house-a"].ports["et40"], s.boxes["house-b"].ports["et40"]
        a.heard, b.heard = ("shed-2", "u1"), ("shed-1", "u1")
        s.boxes["shed-1"].ports["u1"].heard, s.boxes["shed-2"].ports["u1"].heard = (
            ("house-b", "et40"),
            ("house-a", "et40"),
        )

    yield Variant(22, "two cables swapped", swap_cables, ("house-a:et40", "house-b:et40", "shed-1:u1", "shed-2:u1"))

    def off(box: str, name: str) -> Callable[[School], None]:
        return port(box, name, enabled=False)

    yield Variant(1, "plant-1 uplink shut", off("plant-1", "ge25"), ("plant-1:ge25",))
    yield Variant(1, "floor-a7 LAG shut", off("floor-a7", "po1"), ("floor-a7:po1",))
    for floor in floors(rng, 2):
        yield Variant(
            5, f"phone list of {floor}:ge10 lacks the phones", port(floor, "ge10", allowed=[STAFF]), (f"{floor}:ge10",)
        )
    yield Variant(
        5, "access point lacks guests", port("floor-c2", "ge17", allowed=[MANAGEMENT, made_up.WIFI]), ("floor-c2:ge17",)
    )
    yield Variant(
        7,
        "servers off both cores at house-a",
        without(SERVERS, ("house-a", "et1"), ("core-1", "et10"), ("house-a", "et2"), ("core-2", "et10")),
        ("house-a", f"VLAN {SERVERS}"),
        "outage",
    )


def own_boxes() -> Iterator[Variant]:
    """Yields faults that only our own files can say."""

    def more(box: str, name: str, **said: object) -> Callable[[School], None]:
        return lambda s: s.boxes[box].ports[name].more.update(said)

    def whole(box: str, **said: object) -> Callable[[School], None]:
        return lambda s: s.boxes[box].more.update(said)

    yield Variant(11, "tags left to negotiation", more("shed-1", "u1", tags="negotiated"), ("shed-1:u1",))
    yield Variant(11, "tags of another format", more("shed-2", "u1", tags="other"), ("shed-2:u1",), "outage")
    yield Variant(11, "tags of another format at shed-4", more("shed-4", "u1", tags="other"), ("shed-4:u1",), "outage")

    def private(s: School, *, tied: bool) -> None:
        box = s.boxes["shed-3"]
        table = {v: {"name": n} for v, n in box.vlans.items()}
        table[500] = {"name": "rooms", "type": "primary"}
        table[501] = {"name": "room", "type": "isolated", **({"primary": 500} if tied else {})}
        box.more["vlans"] = table
        box.ports["21"] = made_up.Port(label="room 21", edge=True, more={"private": {"primary": 500, "secondary": 501}})

    yield Variant(19, "a secondary not tied", lambda s: private(s, tied=False), ("shed-3",), "outage")

    def unmapped(s: School) -> None:
        private(s, tied=True)
        s.boxes["shed-3"].more["vlans"][502] = {"name": "shop", "type": "community", "primary": 500}
        s.boxes["shed-3"].ports["22"] = made_up.Port(
            label="uplink 22", more={"promiscuous": {"primary": 500, "secondaries": 502}}
        )

    yield Variant(19, "a promiscuous port not mapped to all", unmapped, ("shed-3:22",), "outage")

    def saved(**said: object) -> Callable[[School], None]:
        def plant(s: School) -> None:
            other = school().boxes["shed-4"]
            for key, value in said.items():
                setattr(other.ports["7"], key, value)
            other.more["saved"] = True
            s.boxes["shed-4"].saved = made_up.own_file(other)

        return plant

    yield Variant(20, "another VLAN is saved", saved(vlan=PUPILS), ("shed-4",), "outage")
    yield Variant(20, "a port is saved shut", saved(enabled=False), ("shed-4",), "outage")
    for shed in ("shed-1", "shed-3"):
        yield Variant(5, f"{shed} phones in a VLAN nobody has", more(shed, "9", voice=141), (f"{shed}:9",), "outage")
    yield Variant(8, "shed-2 phones in the desks' VLAN", more("shed-2", "10", voice=STAFF), ("shed-2:10",))
    yield Variant(
        14, "a priority between the steps", whole("shed-1", tree={"protocol": "rstp", "priority": "5000"}), ("shed-1",)
    )
    yield Variant(
        9, "a desk port asks to be a trunk", more("shed-2", "4", mode="negotiated", stance="active"), ("shed-2:4",)
    )


def _negotiate(s: School) -> None:
    for n in ("20", "21", "22"):
        s.boxes["shed-4"].ports[n] = made_up.Port("access", vlan=1, stance="passive")


def findings(folder: Path) -> list[Finding]:
    return list(inkov.audit(inkov.load(folder)))


def key(f: Finding) -> tuple[str, str, str]:
    return f.rule, f.place, f.what


def main() -> int:
    full = "--full" in sys.argv
    only = [a for a in sys.argv[1:] if not a.startswith("-")]
    table: dict[int, Counter[str]] = defaultdict(Counter)
    with tempfile.TemporaryDirectory() as scratch:
        before: dict[bool, set[tuple[str, str, str]]] = {}
        for campus in (False, True):
            folder = Path(scratch) / f"healthy-{campus}"
            write(school(), folder, campus=campus)
            healthy = findings(folder)
            before[campus] = {key(f) for f in healthy}
            loud = [f for f in healthy if f.severity.value != "tidy"]
            print(
                f"healthy, {'with' if campus else 'without'} a campus file: {len(loud)} findings above tidy, {len(healthy)} in all"
            )
        for i, variant in enumerate([*variants(), *own_boxes()]):
            if only and not any(o in variant.name for o in only):
                continue
            planted = school()
            variant.plant(planted)
            folder = Path(scratch) / f"v{i}"
            write(planted, folder, campus=True)
            new = [f for f in findings(folder) if key(f) not in before[True]]
            at = next((n for n, f in enumerate(new) if _names(f, variant)), None)
            hidden = at is None and any(_names(g, variant) for f in new for g in f.also)
            worst = new[at].severity.value if at is not None else ""
            outcome = "first" if at == 0 else "found" if at is not None else "folded" if hidden else "MISSED"
            mild = bool(variant.worst and at is not None and worst not in {variant.worst, "breach"})
            table[variant.fault][outcome] += 1
            table[variant.fault]["too mild"] += mild
            if outcome != "first" or mild or full:
                print(f"{outcome:7} {variant.fault:2}  {variant.name}{f'  ({worst})' if mild else ''}")
                for f in new[:4]:
                    print(f"            {f.severity.value} {f.rule} {f.place}: {f.what}\n                → {f.mend}")
    print("\nfault  variants  first  found  folded  missed  too mild")
    total: Counter[str] = Counter()
    for fault, n in sorted(table.items()):
        total += n
        print(_row(str(fault), n))
    print(_row("all", total))
    return 0


def _names(f: Finding, variant: Variant) -> bool:
    return any(place in f.place or place in f.what for place in variant.places)


def _row(name: str, n: Counter[str]) -> str:
    some = sum(n[k] for k in ("first", "found", "folded", "MISSED"))
    return f"{name:5}  {some:8}  {n['first']:5}  {n['found']:5}  {n['folded']:6}  {n['MISSED']:6}  {n['too mild']:8}"


if __name__ == "__main__":
    raise SystemExit(main())
