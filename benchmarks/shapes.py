"""Campuses of the shapes that hurt: time and memory of the commands they hurt, and growth when all doubles.

Usage: python benchmarks/shapes.py [WORD]; only the shapes whose names hold WORD. Ratios to half the size: 2 is linear.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable, Iterable
from itertools import combinations
from pathlib import Path

from campus import NATIVE, PARKING, compact, name_of
from run import inkov, timed

PORTS = 46
Files = dict[str, str]


def tree(
    parents: list[int | None], vlans: Callable[[int], list[int]], listed: list[int], faults: int = 0, **more: bool
) -> Files:
    """Returns switches, each but the first below another, all with the same lists; the last uplinks leave a VLAN out."""
    below: dict[int, list[int]] = {}
    for child, parent in enumerate(parents):
        if parent is not None:
            below.setdefault(parent, []).append(child)
    made = {}
    for i, parent in enumerate(parents):
        ours = listed if i < len(parents) - faults else [v for v in listed if v != vlans(i)[0]]
        up = {"u": (ours, name_of(parent), f"d{i}")} if parent is not None else {}
        trunks = {**up, **{f"d{c}": (listed, name_of(c), "u") for c in below.get(i, [])}}
        own = vlans(i)
        access = {f"p{n}": own[n % len(own)] for n in range(1, PORTS + 1)}
        made[f"{name_of(i)}.json"] = compact(name_of(i), trunks, access, listed, **more)
    return made


def wide(switches: int) -> list[int | None]:
    """Returns the parents of a tree that forks twenty times at every switch."""
    return [None, *((i - 1) // 20 for i in range(1, switches))]


def campus(switches: int, more: str, faults: int = 0, **others: str) -> Files:
    """Returns a tree of switches with some twenty VLANs, and a campus file."""
    vids = list(range(10, 30))
    made = tree(wide(switches), lambda i: [vids[i % 20], vids[i * 7 % 20]], vids, faults)
    return made | others | {"campus.yaml": f"inkov: campus\nname: x\nparking: {PARKING}\n{more}"}


def one_vlan(n: int) -> Files:
    return tree(wide(n), lambda _: [10], [10])


def many_vlans(n: int) -> Files:
    """Each table names one VLAN twice, so that it is read with care."""
    vids = [v for v in range(2, 4095) if v not in (NATIVE, PARKING)][:n]
    return tree(wide(200), lambda i: [vids[(i * PORTS + k) % n] for k in range(PORTS)], [*vids, vids[0]])


def star(n: int) -> Files:
    return tree([None] + [0] * (n - 1), lambda i: [10 + i % 20], list(range(10, 30)))


def chain(n: int) -> Files:
    return tree([None, *range(n - 1)], lambda i: [10 + i % 20], list(range(10, 30)))


def lags(n: int) -> Files:
    return tree(wide(n), lambda i: [10 + i % 20], list(range(10, 30)), lags=True)


def phones(n: int) -> Files:
    return tree(wide(n), lambda i: [10 + i % 20], list(range(10, 30)), phones=True)


def radios(n: int) -> Files:
    vids = list(range(10, 210))
    return tree(wide(n), lambda i: [vids[(i * 3 + k) % 200] for k in range(6)], vids, radios=True)


def labelled(n: int) -> Files:
    vids = list(range(10, 210))
    return tree(wide(n), lambda i: [vids[(i * 3 + k) % 200] for k in range(6)], vids, labels=True)


def joined(links: Iterable[tuple[int, int, list[int]]], n: int) -> list[dict[str, tuple[list[int], str, str]]]:
    """Returns the uplinks of each switch, from links with their lists."""
    ends: list[dict[str, tuple[list[int], str, str]]] = [{} for _ in range(n)]
    for a, b, listed in links:
        ends[a][f"u{b}"] = (listed, name_of(b), f"u{a}")
        ends[b][f"u{a}"] = (listed, name_of(a), f"u{b}")
    return ends


def twins(n: int) -> Files:
    """Two cores, pairs of switches on both, and edge switches on a pair each, with the lists of their own VLANs."""
    vids, pairs = list(range(10, 310)), n // 40
    own = {i: sorted({vids[(i * 3 + k) % 300] for k in range(4)}) for i in range(2 + 2 * pairs, n)}
    links = [(0, 1, vids), *((d, core, vids) for d in range(2, 2 + 2 * pairs) for core in (0, 1))]
    links += [(d, d + 1, vids) for d in range(2, 2 + 2 * pairs, 2)]
    links += [(i, 2 + 2 * (i % pairs) + side, own[i]) for i in own for side in (0, 1)]
    made = {}
    for i, ends in enumerate(joined(links, n)):
        access = {f"p{k}": own[i][k % 4] for k in range(1, PORTS + 1)} if i in own else {}
        made[f"{name_of(i)}.json"] = compact(name_of(i), ends, access, own.get(i, vids))
    first = "".join(f"  {name_of(i)}: {{tree: {{protocol: rstp, priority: {4096 * (1 + i)}}}}}\n" for i in (0, 1))
    return made | {
        "campus.yaml": f"inkov: campus\nname: x\nswitches-are:\n{first}  '*': {{tree: {{protocol: rstp}}}}\n"
    }


def mesh(n: int) -> Files:
    ends = joined(((a, b, [10, 20]) for a, b in combinations(range(n), 2)), n)
    made = {f"{name_of(i)}.json": compact(name_of(i), ends[i], {"p1": 10, "p2": 20}, [10, 20]) for i in range(n)}
    return made | {"campus.yaml": "inkov: campus\nname: x\nswitches-are: {'sw-*': {tree: {protocol: rstp}}}\n"}


def hosts(n: int) -> Files:
    rows = [f"h{i},{name_of(i // PORTS)}:p{1 + i % PORTS},10.{i >> 8 & 255}.{i & 255}.9/16\n" for i in range(n)]
    files = {"hosts.csv": "name,port,address\n" + "".join(rows)}
    more = "segments: {a: {hosts: [h2]}, b: {hosts: [h3]}}\nclaims: [{together: [h0, h1]}, {apart: [a, b]}]\n"
    return campus(n // PORTS + 1, f"hosts: hosts.csv\n{more}", 200, **files)


def claims(n: int) -> Files:
    ports = [f"{name_of(i)}:p{1 + k}" for i in range(120) for k in range(PORTS)]
    segments = "".join(f"  s{i}: {{ports: '{port}'}}\n" for i, port in enumerate(ports[: 2 * n : 2]))
    made = "".join(f"  - {{name: c{i}, apart: [s{i}, s{(i + 1) % (n // 2)}]}}\n" for i in range(n // 2))
    made += "".join(f"  - {{name: t{i}, together: [s{i}, s{(i + 20) % (n // 2)}]}}\n" for i in range(n // 2))
    return campus(300, f"segments:\n{segments}claims:\n{made}", 200)


def plan(n: int) -> Files:
    rows = [
        f"{name_of(i)},p{k},{10 + (i * 7 if k % 2 else i) % 20}\n"
        for i in range(n // PORTS)
        for k in range(1, PORTS + 1)
    ]
    return campus(n // PORTS + 1, "plan: plan.csv\n", **{"plan.csv": "switch,ports,vlan\n" + "".join(rows)})


def waivers(n: int) -> Files:
    """Half name a place, half have a pattern; of these a few waive what there is."""
    rows = [f"  - {{rule: 'list/*', at: '{name_of(i)}:u', why: later}}\n" for i in range(n // 2)]
    rows += [f"  - {{rule: 'list/*', at: '{name_of(i)}:*', why: later}}\n" for i in range(n // 2)]
    return campus(n // 4, "waive:\n" + "".join(rows), n // 5)


def alike(n: int) -> Files:
    """Every switch lacks one VLAN that its ports are in: a finding each."""
    made = tree(wide(n), lambda _: [10, 20], [10])
    return made | {"campus.yaml": "inkov: campus\nname: x\n"}


SHAPES: list[tuple[str, Callable[[int], Files], int, tuple[str, ...]]] = [
    (
        "one VLAN everywhere",
        one_vlan,
        1500,
        ("audit", "vlans", "prove", "flood --format json", "map --vlan 10 -o {out}"),
    ),
    ("4,000 VLANs on 200 switches", many_vlans, 4000, ("audit", "vlans", "prove", "trim", "draft")),
    ("a star of 1,500", star, 1500, ("audit", "prove", "tree", "mend", "map -o {out}")),
    ("a chain of 1,000", chain, 1000, ("audit", "prove", "tree", "trim", "map -o {out}")),
    ("two uplinks each", twins, 1500, ("audit", "trim", "tree", "prove", "mend", "map -o {out}")),
    ("a mesh of 60", mesh, 60, ("audit", "tree", "prove", "failures --fails", "map -o {out}")),
    ("LAGs on 1,500 switches", lags, 1500, ("audit", "prove --certificate {out}", "links", "trim", "map -o {out}")),
    ("70,000 phones by LLDP", phones, 1500, ("audit", "prove --certificate {out}", "links", "sources", "map -o {out}")),
    ("12,000 trunks to stations", radios, 1500, ("audit", "prove --certificate {out}", "draft", "trim", "mend")),
    ("cabled by labels alone", labelled, 1500, ("audit", "prove", "links", "tree", "draft", "map -o {out}")),
    ("50,000 hosts", hosts, 50_000, ("audit", "audit --format json", "prove")),
    ("5,000 claims", claims, 5_000, ("audit", "prove", "mend")),
    ("70,000 planned ports", plan, 70_000, ("audit", "mend")),
    ("5,000 waivers", waivers, 5_000, ("audit", "audit --format sarif")),
    ("500 equal findings", alike, 500, ("audit", "audit --full", "audit --format csv", "report -o {out}.html", "mend")),
]


def cost(files: Files, words: list[str]) -> tuple[float, float]:
    """Returns the seconds and the megabytes of one command on a folder of files."""
    with tempfile.TemporaryDirectory() as made:
        site = Path(made) / "site"
        site.mkdir()
        for name, text in files.items():
            (site / name).write_text(text)
        args = [words[0], str(site), "--no-cache", *(w.format(out=f"{made}/map.svg") for w in words[1:])]
        peaks: list[int] = []
        took = timed(lambda: peaks.append(inkov(*args)), 1)
        return took, max(peaks) / 1e6


def main() -> None:
    word = sys.argv[1] if len(sys.argv) > 1 else ""
    print(f"{'shape':<28} {'command':<24} {'seconds':>8} {'MB':>6}  to half")
    for name, make, size, commands in SHAPES:
        for command in commands if word in name else ():
            half, _ = cost(make(size // 2), command.split())
            took, peak = cost(make(size), command.split())
            print(f"{name:<28} {command:<24} {took:>8.2f} {peak:>6.0f}  {took / half:>6.2f}", flush=True)


if __name__ == "__main__":
    main()
