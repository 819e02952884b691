"""Bridges of a real Open vSwitch in every VLAN mode, dumped from its database and read, against its own flow tracer."""

import random
import subprocess

import pytest

import inkov
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.names import PortRef

BRIDGES = 60
VLANS = (10, 20, 30)
FRAMES = ((), (10,), (20,), (30,), (99,))


def columns(rng):
    """Returns random VLAN columns of a port, as the database has them."""
    mode = rng.choice([None, "access", "trunk", "native-tagged", "native-untagged", "dot1q-tunnel"])
    tag = rng.choice([None, *VLANS])
    if mode == "dot1q-tunnel":
        tag = tag or 10
    trunks = rng.choice([None, None, rng.sample([0, *VLANS], rng.randint(1, 3))])
    found = [] if mode is None else [f"vlan_mode={mode}"]
    found += [] if tag is None else [f"tag={tag}"]
    found += [] if trunks is None else [f"trunks={','.join(map(str, trunks))}"]
    if mode == "dot1q-tunnel" and rng.random() < 0.3:
        found.append(f"cvlans={rng.choice(VLANS)}")
    return found


def build(ovs, rng, number):
    """Makes a bridge; returns the columns of each port, and its port of the datapath."""
    ports = {f"b{number}p{i}": columns(rng) for i in range(rng.randint(3, 6))}
    args = ["add-br", f"b{number}", "--", "set", "bridge", f"b{number}", "datapath_type=dummy"]
    for name, own in ports.items():
        args += ["--", "add-port", f"b{number}", name, *own, "--", "set", "interface", name, "type=dummy"]
    ovs.vsctl(*args)
    return ports


def dumped(ovs, folder):
    done = subprocess.run(
        ["ovsdb-client", "dump", "-f", "json", ovs.db],
        env=ovs.env, capture_output=True, check=True, timeout=30,
    )  # fmt: skip
    (folder / "host.json").write_bytes(done.stdout)
    return inkov.load(folder / "host.json")


def passed(network, switch, sender, tags, view):
    """Returns what ports let out of a frame, by the relay maps of one reading: (port, VIDs of its tags)."""
    found = set()
    for domain, inner in network.relay(PortRef(switch, sender), view).accept(tags):
        for name in network.switches[switch].ports:
            if name not in {sender, switch, "b"}:
                found |= {(name, sent) for sent in network.relay(PortRef(switch, name), view).send(domain, inner)}
    return found


def test_every_vlan_mode_does_what_the_software_does(ovs, tmp_path):
    rng = random.Random(18)
    compared, modes = 0, set()
    for number in range(BRIDGES):
        ports = build(ovs, rng, number)
        modes |= {(own[0] if own else "none") for own in ports.values()}
        campus = dumped(ovs, tmp_path)
        (name,) = campus.switches
        network = Network(campus)
        numbers = ovs.datapath_ports()
        for sender in ports:
            tunnel = any("tunnel" in c for c in ports[sender])  # its access ports send no frame that still holds a tag
            for tags in FRAMES[:1] if tunnel else FRAMES:
                heard = ovs.passed(f"b{number}", numbers, sender, tags)
                heard = {(p, t) for p, t in heard if p in ports}
                must, may = (passed(network, name, sender, tags, v) for v in (View.MUST, View.MAY))
                must, may = ({(p, t) for p, t in some if p in ports} for some in (must, may))
                told = f"{sender} {ports} {tags}"
                assert must <= heard <= may, told
                if not any("cvlans" in c for own in ports.values() for c in own):
                    assert must == heard == may, told
                compared += 1
        ovs.vsctl("del-br", f"b{number}")
    assert compared > 1000
    assert len(modes) > 6


@pytest.mark.parametrize("lacp", ["active", "off"])
def test_a_bond_and_a_patch_cable(ovs, tmp_path, lacp):
    two = ["--", "set", "interface", "m1", "type=dummy", "--", "set", "interface", "m2", "type=dummy"]
    ovs.vsctl(
        *("add-br", "x", "--", "set", "bridge", "x", "datapath_type=dummy", "--", "add-br", "y"),
        *("--", "set", "bridge", "y", "datapath_type=dummy", "--", "add-bond", "x", "bond", "m1", "m2", f"lacp={lacp}"),
        *("trunks=10,20", *two, "--", "add-port", "x", "xy", "--", "set", "interface", "xy", "type=patch"),
        *("options:peer=yx", "--", "add-port", "y", "yx", "tag=10", "--", "set", "interface", "yx", "type=patch"),
        "options:peer=xy",
    )
    campus = dumped(ovs, tmp_path)
    ovs.vsctl("del-br", "x", "--", "del-br", "y")
    bond = campus.switches["host.x"].ports["bond"]
    assert (bond.members, bond.lacp.value) == (("m1", "m2"), {"active": "active", "off": "static"}[lacp])
    assert [str(k) for k in Network(campus).links] == ["host.x:xy <-> host.y:yx"]
