"""A private Open vSwitch in userspace: campuses become bridges, and its flow tracer says who hears a frame."""

import json
import os
import re
import shutil
import socket
import subprocess
import time
from pathlib import Path

from inkov.model.switch import Access, General, Trunk, Tunnel

NOT_HERE = next(
    (p for p in ("ovsdb-server", "ovs-vswitchd", "ovs-vsctl", "ovsdb-tool") if shutil.which(p) is None), None
)
SCHEMA = Path("/usr/share/openvswitch/vswitch.ovsschema")
NO_VLAN = "4094"
"""Stands for "no VLAN" where an empty list would mean all; random campuses never use it."""


class OpenVSwitch:
    """Starts with its own database and sockets in a folder, far from any other instance."""

    def __init__(self, folder):
        self.folder = folder
        self.env = {**os.environ, "OVS_RUNDIR": str(folder), "OVS_LOGDIR": str(folder), "OVS_DBDIR": str(folder)}
        self.db = f"unix:{folder}/db.sock"
        self.pids = [folder / "ovsdb.pid", folder / "vsw.pid"]
        self.run("ovsdb-tool", "create", folder / "conf.db", SCHEMA)
        daemon = ["--no-chdir", "--detach", "--log-file=/dev/null"]
        self.run("ovsdb-server", folder / "conf.db", "--remote=punix:db.sock", f"--pidfile={self.pids[0]}", *daemon)
        self.run("ovs-vsctl", f"--db={self.db}", "--no-wait", "init")
        self.run("ovs-vswitchd", self.db, "--enable-dummy", "--disable-system", f"--pidfile={self.pids[1]}", *daemon)
        self.socket = socket.socket(socket.AF_UNIX)
        self.socket.connect(str(folder / f"ovs-vswitchd.{self.pids[1].read_text().strip()}.ctl"))

    def run(self, *args):
        done = subprocess.run(
            [str(a) for a in args],
            cwd=self.folder,
            env=self.env,
            check=False,
            capture_output=True,
            text=True,
            timeout=60,
        )
        assert done.returncode == 0, done.stderr

    def vsctl(self, *args):
        self.run("ovs-vsctl", "--timeout=15", f"--db={self.db}", *args)

    def call(self, method, *params):
        """Asks the daemon over its control socket (JSON-RPC)."""
        self.socket.sendall(json.dumps({"id": 0, "method": method, "params": list(params)}).encode())
        text = ""
        while True:
            text += self.socket.recv(65536).decode()
            try:
                answer = json.loads(text)
            except json.JSONDecodeError:
                continue
            assert answer["error"] is None, answer["error"]
            return answer["result"]

    def stop(self):
        self.socket.close()
        for pid in self.pids:
            os.kill(int(pid.read_text()), 15)
        time.sleep(0.2)

    def build(self, campus, number):
        """Realises a campus; returns the datapath port of each edge port that exists there."""
        name = {ref: f"c{number}{ref.switch}{ref.port}" for ref in refs(campus)}
        far = {end: other for c in campus.cables for end, other in ((c.a, c.b), (c.b, c.a))}
        args = []
        for switch in campus.switches.values():
            bridge = f"c{number}{switch.name}"
            args += [
                "--",
                "add-br",
                bridge,
                "--",
                "set",
                "bridge",
                bridge,
                "datapath_type=dummy",
                "fail_mode=standalone",
            ]
            for ref in refs(campus):
                if ref.switch != switch.name:
                    continue
                settings = vlan_columns(switch, switch.ports[ref.port])
                if settings is None or not switch.ports[ref.port].enabled:
                    continue
                if switch.ports[ref.port].is_lag:
                    args += ["--", "add-bond", bridge, f"{name[ref]}-lag", name[ref], f"{name[ref]}-spare", *settings]
                    args += ["bond_mode=active-backup", f"other_config:bond-primary={name[ref]}"]
                    args += ["--", "set", "interface", f"{name[ref]}-spare", "type=dummy"]
                else:
                    args += ["--", "add-port", bridge, name[ref], *settings]
                args += ["--", "set", "interface", name[ref]]
                args += ["type=patch", f"options:peer={name[far[ref]]}"] if ref in far else ["type=dummy"]
        self.vsctl(*args[1:])
        ports = self.datapath_ports()
        return {ref: (n, ports[n]) for ref, n in name.items() if n in ports}

    def build_ring(self, number, bridges, links):
        """Makes bridges that run RSTP, joined by streams; `bridges` and `links` as `kernel_bridges` takes them."""
        args = []
        for name, (priority, mac) in bridges.items():
            bridge = f"r{number}{name}"
            args += ["--", "add-br", bridge, "--", "set", "bridge", bridge, "datapath_type=dummy"]
            args += ["fail_mode=standalone", "rstp_enable=true", f"other_config:hwaddr={mac}"]
            args += [f"other_config:rstp-priority={priority}", f"other_config:rstp-address={mac}"]
        for k, ends in enumerate(links):
            for side, (name, i, cost, priority) in zip(("pstream=punix:", "stream=unix:"), ends, strict=True):
                port = f"r{number}{name}p{i}"
                args += ["--", "add-port", f"r{number}{name}", port, "--", "set", "interface", port, "type=dummy"]
                args += [f"options:{side.partition('=')[0]}={side.partition('=')[2]}{self.folder}/r{number}-{k}.s"]
                args += ["--", "set", "port", port, f"other_config:rstp-path-cost={cost}"]
                args += [f"other_config:rstp-port-priority={priority}", f"other_config:rstp-port-num={i}"]
        self.vsctl(*args[1:])

    def roles(self, number, name):
        """Returns the role of each port of a bridge by number, and its root path cost."""
        shown = self.call("rstp/show", f"r{number}{name}")
        cost = re.search(r"root-path-cost\s+(\d+)", shown)
        rows = re.findall(r"^  \S+p(\d+)\s+(Root|Designated|Alternate|Backup|Disabled)", shown, re.MULTILINE)
        return {i: role.lower() for i, role in rows}, int(cost[1]) if cost else 0

    def clear(self, campus, number):
        self.vsctl(*[a for s in campus.switches for a in ("--", "del-br", f"c{number}{s}")][1:])

    def datapath_ports(self):
        """Returns the number in the datapath of each port, by name."""
        shown = self.call("dpif/show")
        return {n: int(k) for n, k in re.findall(r"^\s+(\S+) \d+/(\d+): \(dummy", shown, re.MULTILINE)}

    def heard(self, campus, number, ports, sender, tags):
        """Returns {port: tags} of everyone who hears a broadcast."""
        by_name = {name: ref for ref, (name, _) in ports.items()}
        numbers = dict(ports.values())
        found = self.passed(f"c{number}{sender.switch}", numbers, ports[sender][0], tags)
        return {by_name[name]: sent for name, sent in found}

    def passed(self, bridge, numbers, sender, tags):
        """Returns (port, tags) for each port that a broadcast leaves by; `numbers` are those of the datapath."""
        flow = f"in_port={sender},dl_type=0x88b5,dl_src=00:00:5e:00:53:01,dl_dst=ff:ff:ff:ff:ff:ff"
        flow += "".join(f",dl_vlan={t}" for t in tags)
        trace = self.call("ofproto/trace", bridge, flow)
        actions = trace.rpartition("Datapath actions: ")[2].splitlines()[0]
        by_number = {number: name for name, number in numbers.items()}
        stack, found = list(tags), set()
        for action in re.findall(r"[a-z_]+\([^)]*\)|\w+", actions):
            if action.isdecimal():
                if int(action) in by_number:
                    found.add((by_number[int(action)], tuple(stack)))
            elif action == "pop_vlan":
                stack.pop(0)
            elif action.startswith("push_vlan"):
                stack.insert(0, int(re.search(r"vid=(\d+)", action)[1]))
            else:
                assert action == "drop", actions
        return found


def refs(campus):
    from inkov.model.names import PortRef

    return [PortRef(s.name, p) for s in campus.switches.values() for p in s.ports]


def vlan_columns(switch, port):
    """Says in the database's words what a port is; None for one that is dead. There is no VLAN table there."""

    def live(vids):
        return [v for v in vids if switch.vlans is None or (v in switch.vlans and switch.vlans[v].active)]

    def trunks(vids):
        return "trunks=" + (",".join(map(str, vids)) or NO_VLAN)

    match port.switching:
        case Access(vid=v, voice=w):
            if not live([v]):
                return ["vlan_mode=trunk", trunks(live([w]))] if w else None
            own = [v] if switch.habits.own_tag else []
            if w and live([w]):
                return ["vlan_mode=native-untagged", f"tag={v}", trunks([w])]
            return ["vlan_mode=native-untagged", f"tag={v}", trunks(own)] if own else ["vlan_mode=access", f"tag={v}"]
        case Trunk(native=n, allowed=allowed, native_tagged=tagged):
            listed = live(v for v in (1, 10, 20, 30, 99) if v in allowed)
            if n and not tagged and (n in listed or (switch.habits.native_outside_list and live([n]))):
                return ["vlan_mode=native-untagged", f"tag={n}", trunks(listed)]
            return ["vlan_mode=trunk", trunks(listed)]
        case General(pvid=p, untagged=u, tagged=t):
            assert list(u) == [p]
            tagged = live(t)
            return (
                ["vlan_mode=native-untagged", f"tag={p}", trunks(tagged)]
                if live([p])
                else ["vlan_mode=trunk", trunks(tagged)]
            )
        case Tunnel(vid=v):
            return ["vlan_mode=dot1q-tunnel", f"tag={v}", "other_config:qinq-ethtype=802.1q"] if live([v]) else None
