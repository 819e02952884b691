"""Times `drift` with three changed files, and `failures --cuts`, as ratios to an audit of the same campus with a warm cache.

Asked anew, both find what was read, but not what was answered; asked again, the answer, too.

Usage: python benchmarks/changing.py [switches of drift …]; all cuts are tried on a third of them, with rings.
"""

from __future__ import annotations

import json
import shutil
import sys
import tempfile
from pathlib import Path

from campus import Shape, write_openconfig
from commands import write
from platformdirs import user_cache_path
from run import inkov, timed


def edited(site: Path, copy: Path) -> None:
    """Copies a campus, and moves one port of three switches into another VLAN of theirs."""
    shutil.copytree(site, copy)
    files = sorted(copy.iterdir())
    for path in (files[len(files) * n // 10] for n in (3, 5, 8)):
        document = json.loads(path.read_bytes())
        ports = document["openconfig-interfaces:interfaces"]["interface"]
        configs = [p["openconfig-if-ethernet:ethernet"]["openconfig-vlan:switched-vlan"]["config"] for p in ports]
        access = [c for c in configs if c["interface-mode"] == "ACCESS"]
        others = [c["access-vlan"] for c in access if c["access-vlan"] != access[0]["access-vlan"]]
        access[0]["access-vlan"] = others[0]
        path.write_text(json.dumps(document, separators=(",", ":")))


def asked_anew(*args: str) -> None:
    """Runs the program with what was read before, but without what it answered."""
    for answer in (user_cache_path("inkov", appauthor=False) / "read").glob("*/*.answer"):
        answer.unlink()
    inkov(*args)


def main() -> None:
    sizes = [int(w) for w in sys.argv[1:]] or [375, 750, 1500]
    before: dict[str, float] = {}
    print(
        f"{'':<40} {'audit':>6} {'seconds':>8} {'ratio':>6} {'aim':>4} {'growth':>7} {'again':>6} {'ratio':>6}",
        flush=True,
    )
    with tempfile.TemporaryDirectory() as made:
        for n in sizes:
            one, other = Path(made) / f"{n}-before", Path(made) / f"{n}-after"
            write(one, n)
            edited(one, other)
            rings = Path(made) / f"{n}-rings"
            write_openconfig(rings, Shape(n // 3, rings=True))
            cables = sum(path.read_text().count('"neighbor": [') for path in rings.iterdir()) // 2
            runs = (
                ("drift", f"drift, {n} switches, 3 files changed", 1.5, one, ("drift", str(one), str(other))),
                (
                    "cuts",
                    f"all cuts, {n // 3} switches, {cables} cables",
                    40,
                    rings,
                    ("failures", str(rings), "--cuts"),
                ),
            )
            for key, what, aim, site, args in runs:
                inkov("audit", str(site))
                audit = timed(lambda site=site: asked_anew("audit", str(site)))
                took = timed(lambda args=args: asked_anew(*args), 2 if key == "drift" else 1)
                inkov("audit", str(site))
                inkov(*args)
                again = timed(lambda args=args: inkov(*args), 2)
                to_it = again / timed(lambda site=site: inkov("audit", str(site)), 2)
                growth = f"{took / before[key]:.2f}" if key in before else "-"
                before[key] = took
                anew = f"{audit:>6.2f} {took:>8.2f} {took / audit:>6.1f} {aim:>4} {growth:>7}"
                print(f"{what:<40} {anew} {again:>6.2f} {to_it:>6.1f}", flush=True)


if __name__ == "__main__":
    main()
