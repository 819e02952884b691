"""Small inputs that cost much: time and memory of one command each, and how they grow when the input doubles.

`python benchmarks/hostile.py` prints a row a shape: seconds and megabytes at full size, and the ratio to half the size.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

TOOL = Path(sys.executable).parent / "inkov"
Files = dict[str, str]


def switch(name: str, vlans: str, ports: str, **more: str) -> str:
    extra = "".join(f"{k}: {v}\n" for k, v in more.items())
    return f"inkov: switch\nname: {name}\nvlans: {vlans}\nports: {ports}\n{extra}"


def patterns(n: int) -> Files:
    return {
        "a.yaml": switch("a", "{310: x}", "{" + ", ".join(['"1-4096"'] * 1) + ": {access: 310}}").replace(
            '"1-4096"', '"' + ",".join(["1-4096"] * n) + '"'
        )
    }


def port_lines(n: int) -> Files:
    return {"a.yaml": switch("a", "{310: x}", "\n" + "".join(f"  p{i}: {{access: 310}}\n" for i in range(n)))}


def digits(n: int) -> Files:
    return {"a.yaml": switch("a", "{" + "1" * n + ": x}", "{1: {access: 310}}")}


def excepted(n: int) -> Files:
    return {"a.yaml": switch("a", "{310: x}", "{1: {trunk: '" + "all but " * n + "310'}}")}


def planned(n: int) -> Files:
    made = {f"s{i}.yaml": switch(f"s{i}", "{310: x}", "{1: {access: 310}}") for i in range(n)}
    return made | {"campus.yaml": "inkov: campus\nname: x\nplan: [{switch: 's*', ports: 1-4096, vlan: 310}]\n"}


def silent(n: int) -> Files:
    ports = "{1-4: {access: 310}, 5-8: {access: 320}, u: {trunk: '310,320'}}"
    return {f"s{i}.yaml": switch(f"s{i}", "{310: x, 320: y}", ports) for i in range(n)}


def vlans(n: int) -> Files:
    table = "{" + ", ".join(f"{v}: n{v}" for v in range(2, n + 2)) + "}"
    ports = "{" + ", ".join(f"{v}: {{access: {v}}}" for v in range(2, n + 2)) + "}"
    return {"a.yaml": switch("a", table, ports)}


def filters(n: int) -> Files:
    rows = ", ".join(f"{{action: drop, from: 10.{i}.0.0/16, to: 10.{i + 1}.0.0/16}}" for i in range(n))
    core = switch(
        "core",
        "{10: a, 20: b}",
        "{1: {access: 10}, 2: {access: 20}}",
        gateways="{10: {address: 192.0.2.1/27, in: f}, 20: {address: 192.0.2.33/27, in: g}}",
        filters=f"{{f: [{rows}, {{action: drop}}], g: [{rows}, {{action: drop}}]}}",
        routing="true",
    )
    claims = "segments: {a: {vlan: 10}, b: {vlan: 20}}\nclaims: [{apart: [a, b], facing: hostile}]\n"
    return {"core.yaml": core, "campus.yaml": f"inkov: campus\nname: x\n{claims}"}


def chords(n: int) -> Files:
    made = {}
    for i in range(n):
        heard = f"{{u1: s{(i + 1) % n} u2, u3: s{(i + 7) % n} u4}}"
        ports = "{1: {access: 10}, u1: {trunk: '10'}, u2: {trunk: '10'}, u3: {trunk: '10'}, u4: {trunk: '10'}}"
        made[f"s{i}.yaml"] = switch(
            f"s{i}", "{10: a}", ports, neighbours=heard, mac=f"'02:00:00:00:00:{i:02x}'", tree="{protocol: rstp}"
        )
    claims = "segments: {a: {vlan: 10}}\nclaims: [{together: [a], surviving: 2}]\n"
    return made | {"campus.yaml": f"inkov: campus\nname: x\n{claims}"}


def tunnels(n: int) -> Files:
    ports = "{" + ", ".join(f"{i}: {{tunnel: {100 + i}}}" for i in range(n)) + ", 99: {access: 10}, 98: {access: 20}}"
    table = "{10: a, 20: b, " + ", ".join(f"{100 + i}: t" for i in range(n)) + "}"
    return {"a.yaml": switch("a", table, ports)}


def crowd(n: int) -> Files:
    made = {}
    for i in range(n):
        heard = f"{{u1: s{i + 1} u2}}" if i + 1 < n else "{}"
        ports = "{1-46: {access: 310}, u1: {trunk: '310'}, u2: {trunk: '310'}}"
        made[f"s{i}.yaml"] = switch(f"s{i}", "{310: x}", ports, neighbours=heard)
    return made


def announcers(n: int) -> Files:
    def heard(i: int) -> dict[str, object]:
        chassis = {"id": {"type": "mac", "value": f"02:00:00:00:{i // 256:02x}:{i % 256:02x}"}}
        return {"e0": {"via": "LLDP", "chassis": chassis, "port": {"id": {"type": "ifname", "value": f"u{i}"}}}}

    ports = "{e0: {trunk: '10,20'}, 2: {access: 10}, 3: {access: 20}}"
    return {
        "a.json": json.dumps({"lldp": {"interface": [heard(i) for i in range(n)]}}),
        "b.yaml": switch("a", "{10: x, 20: y}", ports),
    }


def end_marks(n: int) -> Files:
    return {"a.xml": '<hello xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"/>' + "]]>]]>" * n}


def nested(n: int) -> Files:
    inner = "<interface>" * n + "</interface>" * n
    return {"a.xml": f'<interfaces xmlns="http://openconfig.net/yang/interfaces">{inner}</interfaces>'}


def ring(n: int) -> Files:
    made = {}
    for i in range(n):
        ports = "{1-8: {access: 10}, 9-16: {access: 20}, u1: {trunk: '10,20'}, u2: {trunk: '10,20'}}"
        heard = f"{{u1: s{(i + 1) % n} u2}}"
        made[f"s{i}.yaml"] = switch(f"s{i}", "{10: a, 20: b}", ports, neighbours=heard, tree="{protocol: rstp}")
    claims = "segments: {a: {vlan: 10}, b: {vlan: 20}}\nclaims: [{apart: [a, b]}, {together: [a]}]\n"
    return made | {"campus.yaml": f"inkov: campus\nname: x\n{claims}"}


SHAPES: list[tuple[str, Callable[[int], Files], int, list[str]]] = [
    ("port patterns repeated", patterns, 400, ["audit"]),
    ("port lines", port_lines, 8000, ["audit"]),
    ("a key of many digits", digits, 40000, ["audit"]),
    ("'all but' again and again", excepted, 2000, ["audit"]),
    ("a plan of ports that are not there", planned, 28, ["audit"]),
    ("switches without discovery", silent, 600, ["audit"]),
    ("access VLANs, drafted", vlans, 2000, ["draft"]),
    ("filters, hostile", filters, 200, ["prove"]),
    ("a ring with chords, surviving 2", chords, 60, ["prove", "--budget", "4"]),
    ("tunnels", tunnels, 18, ["prove"]),
    ("who hears whom, as JSON", crowd, 100, ["flood", "--format", "json"]),
    ("announcers on one port", announcers, 800, ["prove"]),
    ("end marks of a session", end_marks, 500000, ["audit"]),
    ("nested elements", nested, 200000, ["audit"]),
    ("a ring, each cable cut", ring, 300, ["failures", "--cuts", "--budget", "8"]),
    ("a ring, a stranger at each port", ring, 300, ["failures", "--plugs", "--budget", "8"]),
]


def cost(files: Files, command: list[str], limit: float = 120) -> tuple[float, float, int]:
    """Returns seconds, megabytes and exit code of one run."""
    with tempfile.TemporaryDirectory() as folder:
        for name, text in files.items():
            (Path(folder) / name).write_text(text, "utf-8")
        before = time.perf_counter()
        with Path("/dev/null").open("wb") as nowhere:
            running = subprocess.Popen(
                [TOOL, command[0], folder, "--no-cache", *command[1:]], stdout=nowhere, stderr=nowhere
            )
            try:
                code = running.wait(limit)
            except subprocess.TimeoutExpired:
                running.kill()
                code = running.wait()
        seconds = time.perf_counter() - before
        return seconds, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024, code


def alone(index: int, size: int) -> None:
    _, make, _, command = SHAPES[index]
    seconds, megabytes, code = cost(make(size), command)
    print(seconds, megabytes, code)


def main() -> int:
    if len(sys.argv) == 3:
        alone(int(sys.argv[1]), int(sys.argv[2]))
        return 0
    print(f"{'shape':38} {'size':>6} {'s':>6} {'MB':>6} {'exit':>4}  to half")
    for i, (name, _, size, _) in enumerate(SHAPES):
        rows = []
        for n in (size // 2, size):  # each in a process of its own, so that peaks of memory do not mix
            text = subprocess.run(
                [sys.executable, __file__, str(i), str(n)], capture_output=True, text=True, check=True
            )
            rows.append(text.stdout.split())
        (half, _, _), (seconds, megabytes, code) = rows
        print(
            f"{name:38} {size:6} {float(seconds):6.1f} {float(megabytes):6.0f} {code:>4}  {float(seconds) / float(half):.1f}",
            flush=True,
        )
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
