"""The election against real bridges, of the kernel and of Open vSwitch: same root, costs, and role of every port."""

import random
import time

import pytest

import openvswitch
from inkov.forwarding.election import BridgeId, Port, Role, elect
from inkov.model.names import PortRef
from kernel_bridges import NOT_HERE, KernelBridges

TOPOLOGIES = 12
HUB = "hub"


def topology(seed):
    """Three to seven bridges in a ring with further cables across, some parallel; a third of them around a hub."""
    rng = random.Random(seed)
    names = [f"s{i}" for i in range(rng.randint(3, 7))]
    macs = rng.sample(range(1, 200), len(names))
    bridges = {
        n: (rng.choice([4096, 8192, 32768, 32768]), f"02:00:00:00:00:{m:02x}") for n, m in zip(names, macs, strict=True)
    }
    pairs = list(zip(names, names[1:] + names[:1], strict=True))
    pairs += [tuple(rng.sample(names, 2)) for _ in range(rng.randint(0, 4))]
    pairs += [rng.choice(pairs) for _ in range(rng.randint(0, 2))]
    if seed % 3 == 0:
        bridges[HUB] = None
        pairs += [(rng.choice(names), HUB) for _ in range(rng.randint(2, 4))]
    rng.shuffle(pairs)
    used = dict.fromkeys(bridges, 0)

    def end(name):
        used[name] += 1
        return name, used[name], rng.choice([4, 4, 4, 10, 19]), rng.choice([128, 128, 64])

    return bridges, [(end(a), end(b)) for a, b in pairs]


def elected(bridges, links):
    ids = {n: BridgeId(said[0], said[1], n) for n, said in bridges.items() if said}
    ports = {PortRef(n, str(i)): Port(priority, i, cost) for link in links for n, i, cost, priority in link}
    lans = [tuple(PortRef(n, str(i)) for n, i, *_ in link) for link in links]
    hub = tuple(p for lan in lans for p in lan if p.switch != HUB and any(q.switch == HUB for q in lan))
    lans = [lan for lan in lans if all(p.switch != HUB for p in lan)] + ([hub] if hub else [])
    return elect(ids, lans, ports), ids


@pytest.mark.skipif(bool(NOT_HERE), reason=f"no real bridges: {NOT_HERE}")
def test_election_agrees_with_the_kernel(capsys):
    kernel = KernelBridges()
    made = {seed: topology(seed) for seed in range(TOPOLOGIES)}
    compared = blocked = 0
    try:
        for seed, (bridges, links) in made.items():
            kernel.build(seed, bridges, links)
        kernel.settle(made)
        for seed, (bridges, links) in made.items():
            found, ids = elected(bridges, links)
            shown_bridges, shown_ports = kernel.shown(seed)
            for name in ids:
                assert shown_bridges[name]["root_path_cost"] == found.cost[name], (seed, name)
            for ref, role in found.role.items():
                shown = shown_ports[f"{ref.switch}p{ref.port}"]
                root = ids[found.root[ref.switch]]
                assert _id(shown["root_id"]) == (root.priority, root.mac), (seed, ref)
                own = int(shown["id"], 16)
                if shown["state"] == "blocking":
                    real = Role.BACKUP if role is Role.BACKUP else Role.ALTERNATE
                elif shown_bridges[ref.switch]["root_port"] == int(shown["no"], 16):
                    real = Role.ROOT
                else:
                    real = Role.DESIGNATED if shown["designated_port"] == own else None
                assert role is real, (seed, ref)
                compared += 1
                blocked += not role.forwards
    finally:
        kernel.close()
    assert blocked > TOPOLOGIES
    with capsys.disabled():
        print(f"\nKernel bridges: {TOPOLOGIES} topologies, {compared} ports compared, {blocked} blocked; all agree")


@pytest.mark.long
@pytest.mark.skipif(bool(openvswitch.NOT_HERE), reason=f"no Open vSwitch here: {openvswitch.NOT_HERE}")
def test_election_agrees_with_open_vswitch(tmp_path, capsys):
    """The same topologies, those without a hub, under RSTP."""
    made = {seed: topology(seed) for seed in range(TOPOLOGIES) if seed % 3}
    switch = openvswitch.OpenVSwitch(tmp_path)
    compared = 0
    try:
        for seed, (bridges, links) in made.items():
            switch.build_ring(seed, bridges, links)
        real = settled(switch, made)
        for seed, (bridges, links) in made.items():
            found, _ = elected(bridges, links)
            for name in bridges:
                roles, cost = real[seed, name]
                assert cost == found.cost[name], (seed, name)
                assert roles == {p.port: r.value for p, r in found.role.items() if p.switch == name}, (seed, name)
                compared += len(roles)
    finally:
        switch.stop()
    with capsys.disabled():
        print(f"\nOpen vSwitch RSTP: {len(made)} topologies, {compared} ports compared; all agree")


def settled(switch, made, seconds=40):
    """Waits until no role has changed for a while; RSTP needs a few seconds."""
    before, quiet, deadline = None, 0, time.monotonic() + seconds
    while time.monotonic() < deadline and quiet < 4:
        time.sleep(1)
        now = {(seed, n): switch.roles(seed, n) for seed, (bridges, _) in made.items() for n in bridges}
        quiet = quiet + 1 if now == before else 0
        before = now
    return before


def _id(text):
    priority, _, mac = text.partition(".")
    return int(priority, 16), ":".join(f"{int(x, 16):02x}" for x in mac.split(":"))
