"""300 walks of 52-port switches with 100 VLANs: time and memory of reading, as ratios to splitting the same files into lines.

python benchmarks/walks.py [SWITCHES]
"""

from __future__ import annotations

import random
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

PORTS, VLANS = 52, 100
_COUNTERS = (10, 11, 12, 13, 14, 16, 17, 18, 19, 20)


def walk(number: int, rng: random.Random) -> str:
    """Writes a walk of everything an agent has, most of which nobody needs here."""
    base = ".1.3.6.1.2.1"
    rows = [f'{base}.1.5.0 = STRING: "hall-{number}"']
    ports = range(1, PORTS + 1)
    rows += [f'{base}.2.2.1.2.{100 + p} = STRING: "Ethernet {p}"' for p in ports]
    rows += [f"{base}.2.2.1.3.{100 + p} = INTEGER: 6" for p in ports]
    rows += [f"{base}.2.2.1.7.{100 + p} = INTEGER: 1" for p in ports]
    for column in _COUNTERS:
        rows += [f"{base}.2.2.1.{column}.{100 + p} = Counter32: {rng.randrange(1 << 32)}" for p in ports]
    rows += [f"{base}.17.1.4.1.2.{p} = INTEGER: {100 + p}" for p in ports]
    uplinks = bytes([0, 0, 0, 0, 0, 0, 0xF0])
    own = {p: 100 + rng.randrange(VLANS) for p in ports}
    for column in (1, 2, 3, 4, 5):
        for v in range(100, 100 + VLANS):
            members = bytearray(7)
            for p in ports:
                if own[p] == v and p <= 48:
                    members[(p - 1) // 8] |= 0x80 >> (p - 1) % 8
            egress = bytes(a | b for a, b in zip(members, uplinks, strict=True))
            value = {
                1: f'STRING: "net-{v}"',
                2: f"Hex-STRING: {egress.hex(' ').upper()} ",
                3: "Hex-STRING: 00 00 00 00 00 00 00 ",
                4: f"Hex-STRING: {bytes(members).hex(' ').upper()} ",
                5: "INTEGER: 1",
            }[column]
            rows.append(f"{base}.17.7.1.4.3.1.{column}.{v} = {value}")
    rows += [f"{base}.17.7.1.4.5.1.1.{p} = Gauge32: {own[p] if p <= 48 else 1}" for p in ports]
    rows += [f"{base}.17.7.1.4.5.1.2.{p} = INTEGER: {1 if p <= 48 else 2}" for p in ports]
    rows += [f"{base}.17.7.1.4.5.1.3.{p} = INTEGER: 1" for p in ports]
    rows += [f'{base}.31.1.1.1.1.{100 + p} = STRING: "{p}"' for p in ports]
    for column in (6, 10):
        rows += [f"{base}.31.1.1.1.{column}.{100 + p} = Counter64: {rng.randrange(1 << 60)}" for p in ports]
    rows += [f'{base}.31.1.1.1.18.{100 + p} = STRING: "desk {p}"' for p in ports]
    return "\n".join(rows) + "\n"


_SPLIT = (
    "import sys; from pathlib import Path; [p.read_bytes().split(b'\\n') for p in sorted(Path(sys.argv[1]).iterdir())]"
)
_READ = "import sys, inkov; inkov.load(sys.argv[1])"


def measured(code: str, folder: str) -> tuple[float, int]:
    """Returns the CPU seconds and the peak bytes of a program of its own, without what starting it costs."""
    best, peak = 1e9, 0
    for _ in range(3):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        started = time.perf_counter()
        done = subprocess.run(
            [
                sys.executable,
                "-c",
                f"{code}\nimport resource; print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)",
                folder,
            ],
            capture_output=True,
            text=True,
            check=True,
        )
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        best = min(best, after.ru_utime - before.ru_utime, time.perf_counter() - started)
        peak = int(done.stdout.split()[-1]) * 1024
    return best, peak


def main(switches: int) -> None:
    """Prints a row."""
    rng = random.Random(18)
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryDirectory() as empty:
        size = 0
        for n in range(switches):
            text = walk(n, rng)
            size += len(text)
            (Path(folder) / f"{n}.walk").write_text(text)
        idle, idle_peak = measured(_SPLIT, empty)
        split, _ = measured(_SPLIT, folder)
        start, start_peak = measured("import sys, inkov.formats.site, inkov.formats.snmp.walk", empty)
        read, peak = measured(_READ, folder)
        ratio = (read - start) / max(split - idle, 1e-3)
        print(
            f"{switches} walks, {size / 1e6:.1f} MB: split {split - idle:.2f} s, read {read - start:.2f} s, {ratio:.1f} times"
        )
        print(
            f"memory {(peak - start_peak) / 1e6:.0f} MB, {(peak - start_peak) / size:.1f} times the files (idle {idle_peak / 1e6:.0f} MB)"
        )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 300)
