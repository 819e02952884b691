"""Times every command and every format on campuses shaped like real ones, as ratios to a bare decode of the same files.

Compact exports with LLDP on the uplinks, VLANs spread unevenly, ports without labels; with few findings and with many.

Usage: python benchmarks/commands.py [--only WORD] [switches …]; the last size is timed in full, those before for growth.
"""

from __future__ import annotations

import json
import random
import subprocess
import sys
import tempfile
from pathlib import Path

from campus import PARKING, compact, name_of
from run import inkov, timed

VLANS = 300
PORTS = 48
FANOUT = 20


def write(folder: Path, switches: int, faults: int = 0) -> list[Path]:
    """Writes a tree of switches; `faults` of the leaves' uplinks have a list that lacks a VLAN in use there."""
    rng = random.Random(7)
    vids = sorted(rng.sample(range(100, 3900), VLANS))
    parents = [0] + [(i - 1) // FANOUT for i in range(1, switches)]
    children: dict[int, list[int]] = {}
    for child in range(1, switches):
        children.setdefault(parents[child], []).append(child)
    own = [sorted({vids[min(int(rng.expovariate(1 / 40)), VLANS - 1)] for _ in range(6)}) for _ in range(switches)]
    needed = [set(o) for o in own]
    for i in range(switches - 1, 0, -1):
        needed[parents[i]] |= needed[i]
    leaves = [i for i in range(1, switches) if i not in children]
    broken = set(leaves[:faults])
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for i in range(switches):
        ups = {"p1": (parents[i], i)} if i else {}
        links = {**ups, **{f"p{2 + n}": (c, c) for n, c in enumerate(children.get(i, []))}}
        ports = [f"p{n}" for n in range(1, PORTS + 1)]
        trunks = {}
        for port, (far, below) in links.items():
            carried = sorted(needed[below])
            listed = carried[1:] if port == "p1" and i in broken else carried
            trunks[port] = (listed, name_of(far), f"p{2 + children[far].index(i)}" if port == "p1" else "p1")
        shut = {f"p{n}" for n in range(12, PORTS + 1, 12)} - links.keys()
        access = {
            port: PARKING if port in shut else own[i][n % len(own[i])]
            for n, port in enumerate(ports, 1)
            if port not in links
        }
        path = folder / f"{name_of(i)}.json"
        path.write_text(compact(name_of(i), trunks, access, sorted(needed[i]), shut))
        paths.append(path)
    return paths


def decode(paths: list[Path]) -> list[object]:
    """Decodes files, and keeps what is in them, as whoever compares switches must."""
    return [json.loads(path.read_bytes()) for path in paths]


RUNS = {
    **{f"audit {f}": ("audit", "{site}", "--format", f) for f in ("text", "json", "csv", "md", "junit", "sarif")},
    **{
        f"{c} text": (c, "{site}")
        for c in ("ports", "vlans", "links", "trim", "tree", "gateways", "sources", "mend", "draft")
    },
    "ports csv": ("ports", "{site}", "--format", "csv"),
    "prove all apart": ("prove", "{site}"),
    "prove certificate": ("prove", "{site}", "--certificate", "{out}/proofs"),
    "prove --grid": ("prove", "{site}", "--grid"),
    "recheck": ("recheck", "{out}/proofs/every-vlan-apart-from-every-other.json", "{site}"),
    "flood of a port": ("flood", "{site}", f"{name_of(30)}:p20"),
    "drift from itself": ("drift", "{site}", "{site}"),
    "map svg": ("map", "{site}", "-o", "{out}/map.svg"),
    "map png": ("map", "{site}", "-o", "{out}/map.png"),
    "report html": ("report", "{site}", "-o", "{out}/report.html"),
    "report xlsx": ("report", "{site}", "-o", "{out}/report.xlsx"),
    "flood json": ("flood", "{site}", "--format", "json"),
}
AIMS = {"audit sarif": 5} | {f"audit {f}": 4 for f in ("text", "json", "csv", "md", "junit")}


def measured(label: str, site: Path, out: Path) -> tuple[float, float]:
    """Returns the seconds and the peak memory in bytes of one run, cold."""
    args = [a.format(site=site, out=out) for a in RUNS[label]]
    peaks: list[float] = []
    took = timed(lambda: peaks.append(inkov(*args, "--no-cache")), 2)
    return took, max(peaks)


def main() -> None:
    words = sys.argv[1:]
    only = words.pop(words.index("--only") + 1) if "--only" in words else ""
    sizes = [int(w) for w in words if w.isdigit()] or [375, 750, 1500]
    with tempfile.TemporaryDirectory() as made:
        before: dict[str, float] = {}
        for n in sizes:
            for faults in (0, n * 14 // 15) if n == sizes[-1] else (0,):
                site, out = Path(made) / f"{n}-{faults}", Path(made) / f"out-{n}-{faults}"
                paths = write(site, n, faults)
                out.mkdir()
                size = sum(p.stat().st_size for p in paths)
                bare = timed(lambda paths=paths: decode(paths))
                print(f"\n{n} switches, {size / 1e6:.1f} MB, {faults} faults; bare decode {bare:.2f} s")
                print(f"{'':<20} {'seconds':>8} {'ratio':>6} {'aim':>4} {'growth':>7} {'peak/files':>10}", flush=True)
                for label in RUNS:
                    if only not in label or (
                        faults and not label.startswith(("audit", "trim", "links", "report", "mend"))
                    ):
                        continue
                    took, peak = measured(label, site, out)
                    growth = f"{took / before[label]:.2f}" if label in before and not faults else "-"
                    before |= {} if faults else {label: took}
                    print(
                        f"{label:<20} {took:>8.2f} {took / bare:>6.1f} {AIMS.get(label, 5):>4} {growth:>7} {peak / size:>10.1f}",
                        flush=True,
                    )
        again(Path(made) / f"{sizes[-1]}-0")


def again(site: Path) -> None:
    """Times a second run: with nothing changed, and with one file changed."""
    script = (
        "import hashlib, pathlib, sys; [hashlib.blake2b(p.read_bytes()) for p in pathlib.Path(sys.argv[1]).iterdir()]"
    )
    hashed = timed(lambda: subprocess.run([sys.executable, "-c", script, str(site)], check=True))
    bare = timed(lambda: inkov("--version"))
    first = timed(lambda: inkov("audit", str(site)), 1)
    second = timed(lambda: inkov("audit", str(site)))
    changed = max(site.iterdir())
    changed.write_text(changed.read_text() + "\n")
    third = timed(lambda: inkov("audit", str(site)), 1)
    print(
        f"\nreading and hashing the files {hashed:.2f} s, start-up {bare:.2f} s; "
        f"first {first:.2f} s, nothing changed {second:.2f} s, one file {third:.2f} s"
    )


if __name__ == "__main__":
    main()
