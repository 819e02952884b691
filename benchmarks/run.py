"""Times Inkov against bare references in the same run, and prints ratios. Nothing here is a test.

Usage: python benchmarks/run.py [switches …]
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from campus import Shape, write_openconfig, write_yaml

from inkov.model.campus import Campus
from inkov.model.tree import BridgeTree, Protocol


def timed(run: Callable[[], object], repeat: int = 3) -> float:
    """Returns the best of a few runs, in seconds."""
    best = float("inf")
    for _ in range(repeat):
        start = time.perf_counter()
        run()
        best = min(best, time.perf_counter() - start)
    return best


def inkov(*args: str) -> int:
    """Runs the program and returns its peak memory in bytes; Python's compiled files are kept, as in real use."""
    env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    with tempfile.TemporaryFile() as said:
        program = Path(sys.executable).with_name("inkov")
        process = subprocess.Popen([program, *args], env=env, stdout=subprocess.DEVNULL, stderr=said)
        _, status, usage = os.wait4(process.pid, 0)
        if os.waitstatus_to_exitcode(status) not in {0, 1}:
            said.seek(0)
            sys.exit(said.read().decode())
    return usage.ru_maxrss * 1024


def decode(paths: list[Path]) -> None:
    for path in paths:
        json.loads(path.read_bytes())


def with_trees(campus: Campus) -> Campus:
    """Lets every switch run a tree per VLAN, the first two sharing the roots between them."""
    switches = {}
    for i, (name, switch) in enumerate(campus.switches.items()):
        own = {v: 4096 if n % 2 == i else 8192 for n, v in enumerate(switch.vlans)} if i < 2 else {}
        switches[name] = replace(switch, tree=BridgeTree(Protocol.PER_VLAN, own=own))
    return replace(campus, switches=switches)


def planning() -> None:
    """Times a tree per VLAN and the advice on lists in one process, so that reading files does not hide them."""
    from inkov import api
    from inkov.forwarding.network import Network
    from inkov.plan.trim import Trim
    from inkov.views.trees import trees_view
    from inkov.views.trims import trim_view

    print(f"{'switches':>8} {'tree s':>8} {'growth':>7} {'trim s':>8} {'growth':>7}  aim 2.3")
    before: tuple[float, float] | None = None
    with tempfile.TemporaryDirectory() as made:
        for n in (125, 250, 500):
            folder = Path(made) / str(n)
            write_openconfig(folder, Shape(n, rings=True))
            campus = with_trees(api.load(folder))
            took = (
                timed(lambda campus=campus: trees_view(Network(campus))),
                timed(lambda campus=campus: trim_view(Trim(Network(campus))), 2),
            )
            growth = [f"{now / then:.2f}" for now, then in zip(took, before, strict=True)] if before else ["-", "-"]
            print(f"{n:>8} {took[0]:>8.2f} {growth[0]:>7} {took[1]:>8.2f} {growth[1]:>7}")
            before = took


def kept(folder: Path, changed: Path, repeat: int = 3) -> tuple[float, float]:
    """Times a first run, and a second one after one file changed; the best of a few each, in seconds."""
    first = second = float("inf")
    for _ in range(repeat):
        with tempfile.TemporaryDirectory() as cache:
            os.environ["XDG_CACHE_HOME"] = cache
            first = min(first, timed(lambda: inkov("audit", str(folder)), 1))
            changed.write_text(changed.read_text() + "\n")
            second = min(second, timed(lambda: inkov("audit", str(folder)), 1))
    return first, second


def auditing(made: Path, sizes: list[int]) -> None:
    """Times audits of exports: against the bare decoder, with their peak memory."""
    print(
        f"{'switches':>8} {'MB':>6} {'audit s':>8} {'growth':>7} {'decode s':>9} {'ratio':>6} {'peak/size':>9} "
        f" aims 2.2, 5.0, 6.0"
    )
    before = 0.0
    for n in sizes:
        folder = made / str(n)
        paths = write_openconfig(folder, Shape(n, vlans=300))
        size = sum(p.stat().st_size for p in paths)
        bare = timed(lambda paths=paths: decode(paths))
        audit = timed(lambda folder=folder: inkov("audit", "--no-cache", str(folder)))
        peak = inkov("audit", "--no-cache", str(folder))
        growth = f"{audit / before:.2f}" if before else "-"
        print(
            f"{n:>8} {size / 1e6:>6.1f} {audit:>8.2f} {growth:>7} {bare:>9.2f} {audit / bare:>6.2f} {peak / size:>9.2f}",
            flush=True,
        )
        before = audit


def starting(made: Path) -> None:
    folder = made / "two"
    write_openconfig(folder, Shape(2, vlans=300))
    bare = timed(lambda: subprocess.run([sys.executable, "-c", "import typer"], check=True), 10)
    for what, aim, args in (
        ("--version", 1.15, ["--version"]),
        ("audit of two", 2, ["audit", "--no-cache", str(folder)]),
    ):
        took = timed(lambda args=args: inkov(*args), 10)
        print(
            f"{what}: {took:.3f} s, bare import of Typer {bare:.3f} s, ratio {took / bare:.2f}  aim {aim}", flush=True
        )


def main() -> None:
    sizes = [int(a) for a in sys.argv[1:]] or [375, 750, 1500]
    with tempfile.TemporaryDirectory() as made:
        starting(Path(made))
        auditing(Path(made), sizes)
        yaml_folder = Path(made) / "yaml"
        write_yaml(yaml_folder, Shape(100))
        first, again = kept(yaml_folder, max(yaml_folder.glob("*.yaml")))
        print(f"100 switches as YAML: {first:.2f} s; after one file changed {again / first:.2f} of it  aim 0.25")
    planning()


if __name__ == "__main__":
    main()
