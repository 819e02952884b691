"""Times Inkov against bare references in the same run, and prints ratios. Nothing here is a test.

Usage: python benchmarks/run.py [switches …]
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from campus import Shape, write_openconfig, write_yaml


def timed(run: Callable[[], object], repeat: int = 3) -> float:
    """Returns the best of a few runs, in seconds."""
    best = float("inf")
    for _ in range(repeat):
        start = time.perf_counter()
        run()
        best = min(best, time.perf_counter() - start)
    return best


def inkov(*args: str) -> None:
    done = subprocess.run(
        [Path(sys.executable).with_name("inkov"), *args], capture_output=True, text=True, check=False, timeout=600
    )
    if done.returncode not in {0, 1}:
        sys.exit(done.stderr)


def decode(paths: list[Path]) -> None:
    for path in paths:
        json.loads(path.read_bytes())


def main() -> None:
    sizes = [int(a) for a in sys.argv[1:]] or [100, 200, 400]
    print(f"{'switches':>8} {'MB':>6} {'audit s':>8} {'growth':>7} {'bare decode s':>14} {'ratio':>6}  aim 2.2, 5.0")
    with tempfile.TemporaryDirectory() as made:
        before = 0.0
        for n in sizes:
            folder = Path(made) / str(n)
            paths = write_openconfig(folder, Shape(n))
            size = sum(p.stat().st_size for p in paths) / 1e6
            bare = timed(lambda paths=paths: decode(paths))
            audit = timed(lambda folder=folder: inkov("audit", str(folder), "-o", str(folder) + ".txt"))
            growth = f"{audit / before:.2f}" if before else "-"
            print(f"{n:>8} {size:>6.1f} {audit:>8.2f} {growth:>7} {bare:>14.2f} {audit / bare:>6.2f}")
            before = audit
        yaml_folder = Path(made) / "yaml"
        write_yaml(yaml_folder, Shape(100))
        print(f"100 switches as YAML: {timed(lambda: inkov('audit', str(yaml_folder)), 1):.2f} s")
    bare_typer = timed(lambda: subprocess.run([sys.executable, "-c", "import typer"], check=True), 10)
    version = timed(lambda: inkov("--version"), 10)
    print(f"start-up {version:.3f} s, bare typer {bare_typer:.3f} s, ratio {version / bare_typer:.2f}  aim 1.5")


if __name__ == "__main__":
    main()
