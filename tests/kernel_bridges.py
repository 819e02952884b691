"""Real bridges of the Linux kernel, each in a network namespace of its own, joined by veth pairs."""

import json
import os
import shutil
import subprocess
import time


def _why_not():
    if shutil.which("ip") is None:
        return "the program ip is not here"
    if os.geteuid():
        return "network namespaces need root"
    probe = f"inkov-probe-{os.getpid()}"
    made = subprocess.run(["ip", "netns", "add", probe], check=False, capture_output=True)
    if made.returncode:
        return "network namespaces are not allowed here"
    added = subprocess.run(
        ["ip", "-n", probe, "link", "add", "probe", "type", "bridge"], check=False, capture_output=True
    )
    subprocess.run(["ip", "netns", "del", probe], check=False, capture_output=True)
    return "the kernel has no bridges" if added.returncode else None


NOT_HERE = _why_not()


class KernelBridges:
    """Builds many topologies at once, so that all of them settle in the same half minute."""

    def __init__(self):
        self.prefix = f"ink{os.getpid()}-"
        self.names = []

    def batch(self, namespace, lines):
        done = subprocess.run(
            ["ip", *(["-n", namespace] if namespace else []), "-batch", "-"],
            input="\n".join(lines) + "\n",
            text=True,
            capture_output=True,
            check=False,
            timeout=60,
        )
        assert done.returncode == 0, done.stderr

    def build(self, key, bridges, links):
        """Makes one topology.

        bridges: {name: (priority, mac)}, or None for one that runs no tree and floods all it gets; links: [((bridge, number, cost, priority), the same of the far end)].
        Ports are numbered by the kernel in the order they join their bridge, so numbers count from 1.
        """
        space = f"{self.prefix}{key}"
        subprocess.run(["ip", "netns", "add", space], check=True)
        self.names.append(space)
        lines = [
            f"link add {name} type bridge stp_state 0"
            if said is None
            else f"link add {name} address {said[1]} type bridge stp_state 1 priority {said[0]} forward_delay 200"
            " hello_time 100 max_age 600"
            for name, said in bridges.items()
        ]
        lines += [f"link add {a[0]}p{a[1]} type veth peer name {b[0]}p{b[1]}" for a, b in links]
        ends = sorted((end for link in links for end in link), key=lambda e: (e[0], e[1]))
        lines += [f"link set {n}p{i} master {n}" for n, i, _, _ in ends]
        lines += [
            f"link set {n}p{i} type bridge_slave cost {cost} priority {priority // 4}" for n, i, cost, priority in ends
        ]
        lines += [f"link set {n}p{i} up" for n, i, _, _ in ends] + [f"link set {n} up" for n in bridges]
        self.batch(space, lines)

    def shown(self, key):
        done = subprocess.run(
            ["ip", "-n", f"{self.prefix}{key}", "-json", "-details", "link", "show"],
            check=True,
            capture_output=True,
            text=True,
        )
        links = {entry["ifname"]: entry["linkinfo"] for entry in json.loads(done.stdout) if "linkinfo" in entry}
        bridges = {n: i["info_data"] for n, i in links.items() if i.get("info_kind") == "bridge"}
        ports = {n: i["info_slave_data"] for n, i in links.items() if i.get("info_slave_kind") == "bridge"}
        return bridges, ports

    def settle(self, keys, seconds=45):
        """Waits until no port is on its way any more, and nothing changed for a while."""
        before, quiet, deadline = None, 0, time.monotonic() + seconds
        while time.monotonic() < deadline and quiet < 3:
            now = [
                sorted(
                    (n, p["state"], p.get("designated_bridge"), p.get("designated_cost"))
                    for n, p in self.shown(k)[1].items()
                )
                for k in keys
            ]
            moving = any(state in {"listening", "learning"} for shown in now for _, state, *_ in shown)
            quiet = quiet + 1 if now == before and not moving else 0
            before = now
            time.sleep(1)
        assert quiet >= 3, "the trees did not settle"

    def close(self):
        for name in self.names:
            subprocess.run(["ip", "netns", "del", name], check=False)
