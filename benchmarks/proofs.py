"""Times "all VLANs apart" against a plain networkx program on the same model in the same run; prints ratios and memory.

Usage: python benchmarks/proofs.py [switches …]
"""

from __future__ import annotations

import gc
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import networkx as nx
from campus import Shape, write_openconfig

from inkov import api
from inkov.forwarding.network import Network
from inkov.model.campus import Campus
from inkov.model.switch import Access, Trunk
from inkov.proof.outcome import Proved
from inkov.proof.prove import prove

VLANS = 400


def links(campus: Campus) -> list[tuple[str, str, frozenset[int], int | None, int | None]]:
    """Returns (switch, other switch, VLANs that cross tagged, native VLAN at either end), for both directions."""
    made = []
    for switch in campus.switches.values():
        for heard in switch.heard:
            far = campus.switches[heard.system]
            near, there = switch.ports[heard.port].switching, far.ports[heard.far_port].switching
            if isinstance(near, Trunk) and isinstance(there, Trunk):
                tagged = set(near.allowed & there.allowed) & switch.vlans.keys() & far.vlans.keys()
                tagged -= {near.native, there.native}
                made.append((switch.name, far.name, frozenset(tagged), near.native, there.native))
    return made


def plain(campus: Campus) -> bool:
    """Proves all VLANs apart with a graph library: a graph a VLAN, an edge a link that carries it, and untagged edges."""
    members: dict[int, set[tuple[str, int]]] = {}
    for switch in campus.switches.values():
        for port in switch.ports.values():
            if port.enabled and isinstance(port.switching, Access) and port.switching.vid in switch.vlans:
                members.setdefault(port.switching.vid, set()).add((switch.name, port.switching.vid))
    cables = links(campus)
    for v, places in members.items():
        graph = nx.DiGraph()
        for near, far, tagged, native, far_native in cables:
            if v in tagged:
                graph.add_edge((near, v), (far, v))
            if native is not None and far_native is not None:
                graph.add_edge((near, native), (far, far_native))
        graph.add_edges_from((("start", v), place) for place in places)
        reached = nx.descendants(graph, ("start", v))
        if any(w != v and not reached.isdisjoint(others) for w, others in members.items()):
            return False
    return True


def timed(run: object, *args: object) -> float:
    start = time.perf_counter()
    assert run(*args)
    return time.perf_counter() - start


def inkov(campus: Campus) -> bool:
    """Proves all VLANs apart: everything from the model on, nothing remembered."""
    (verdict,) = prove(Network(campus))
    return isinstance(verdict.outcome, Proved)


def main() -> None:
    gc.disable()  # as the program does
    if sys.argv[1:2] == ["--memory"]:
        inkov(api.load(sys.argv[2]))
        print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
        return
    sizes = [int(a) for a in sys.argv[1:]] or [125, 250, 500]
    print(
        f"all of {VLANS} VLANs apart\n{'switches':>8} {'plain s':>8} {'inkov s':>8} {'ratio':>6} {'growth':>7} {'peak MB':>8}  aim 50, 2.2"
    )
    before = 0.0
    with tempfile.TemporaryDirectory() as made:
        for n in sizes:
            folder = Path(made) / str(n)
            write_openconfig(folder, Shape(n, vlans=VLANS))
            campus = api.load(folder)
            slow = timed(plain, campus)
            fast = min(timed(inkov, campus) for _ in range(5))
            memory = subprocess.run(
                [sys.executable, __file__, "--memory", folder], capture_output=True, text=True, check=True
            )
            growth = f"{fast / before:.2f}" if before else "-"
            print(f"{n:>8} {slow:>8.2f} {fast:>8.3f} {slow / fast:>6.0f} {growth:>7} {memory.stdout.strip():>8}")
            before = fast


if __name__ == "__main__":
    main()
