"""Random campuses realised in Open vSwitch and asked who hears whom, untagged and tagged, against `inkov.flood`.

LAGs are bonds there, of a member that carries frames and a spare one; that they are formed is a matter of today.
"""

import dataclasses
import random

import inkov
from inkov.model.campus import Cable, Campus
from inkov.model.names import PortRef
from inkov.model.switch import Access, FrameTypes, General, Habits, Lacp, Port, Switch, Trunk, Tunnel, Vlan
from inkov.model.vlanset import ALL, VlanSet
from openvswitch import refs
from strategies import VLANS, origin, source

CAMPUSES = 60


def a_port(rng, name, own_tag):
    some = VlanSet(rng.sample(VLANS, rng.randint(0, 4)))
    kind = rng.choice(["access", "access", "voice", "trunk", "trunk", "trunk", "tagged", "general", "tunnel"])
    switching = Access(rng.choice(VLANS))
    if kind == "voice" and own_tag:
        data, phone = rng.sample(VLANS, 2)
        switching = Access(data, phone)
    elif kind == "trunk":
        switching = Trunk(rng.choice([None, *VLANS]), rng.choice([ALL, some]))
    elif kind == "tagged":
        switching = Trunk(rng.choice(VLANS), some, native_tagged=True)
    elif kind == "general":
        pvid = rng.choice(VLANS)
        switching = General(pvid, VlanSet([pvid]), some - VlanSet([pvid]), FrameTypes.ALL)
    elif kind == "tunnel":
        switching = Tunnel(rng.choice(VLANS))
    is_lag = rng.random() < 0.25
    enabled = rng.random() > 0.1
    return Port(
        name=name,
        switching=switching,
        enabled=enabled,
        is_lag=is_lag,
        lacp=Lacp.STATIC if is_lag else None,
        origin=origin,
    )


def a_campus(seed):
    """A tree of two to five switches; trees, because a bridge without a tree protocol would loop for ever."""
    rng = random.Random(seed)
    switches, cables = {}, []
    for i in range(rng.randint(2, 5)):
        habits = Habits(own_tag=rng.random() < 0.4, native_outside_list=rng.random() < 0.4)
        table = {v: Vlan(v, "", rng.random() > 0.15) for v in rng.sample(VLANS, rng.randint(2, 4))}
        ports = {f"p{n}": a_port(rng, f"p{n}", habits.own_tag) for n in range(rng.randint(3, 5))}
        switches[f"s{i}"] = Switch(
            name=f"s{i}", vlans=rng.choice([table, table, None]), ports=ports, habits=habits, origin=origin
        )
        if i:
            used = {end for c in cables for end in (c.a, c.b)}
            free = [
                PortRef(f"s{k}", p)
                for k in range(i)
                for p in switches[f"s{k}"].ports
                if PortRef(f"s{k}", p) not in used
            ]
            if free:
                cables.append(Cable(rng.choice(free), PortRef(f"s{i}", rng.choice(list(ports))), source))
    for ref in {end for c in cables for end in (c.a, c.b)}:
        port = switches[ref.switch].ports[ref.port]
        if isinstance(port.switching, Tunnel):  # see `sendable`
            switches[ref.switch].ports[ref.port] = dataclasses.replace(port, switching=Access(port.switching.vid))
        elif switches[ref.switch].habits.native_outside_list and outside(port):
            plain = dataclasses.replace(port.switching, native=None)
            switches[ref.switch].ports[ref.port] = dataclasses.replace(port, switching=plain)
    return Campus(name=f"random {seed}", switches=switches, cables=tuple(cables))


def outside(port):
    """Tells whether a port is a trunk whose native VLAN is not in its list."""
    kind = port.switching
    return isinstance(kind, Trunk) and kind.native is not None and kind.native not in kind.allowed


def sendable(campus, sender):
    """Yields the tags to try. Two are left out, because Open vSwitch has habits of its own:

    its access ports do not send a frame that still holds a tag, so none is sent into a tunnel; and it lets a native VLAN
    in tagged whether it is listed or not. Recorded answers of real switches cover such frames.
    """
    yield ()
    port = campus.switches[sender.switch].ports[sender.port]
    if not isinstance(port.switching, Tunnel):
        yield from ((v,) for v in (*VLANS, 99) if not (outside(port) and v == port.switching.native))


def test_real_switch_software_agrees(ovs, capsys):
    pairs = asked = 0
    for seed in range(CAMPUSES):
        campus = a_campus(seed)
        ports = ovs.build(campus, seed)
        cabled = {end for c in campus.cables for end in (c.a, c.b)}
        edges = [r for r in refs(campus) if r not in cabled and campus.switches[r.switch].ports[r.port].enabled]
        for sender in edges:
            for tags in sendable(campus, sender):
                mine = {PortRef.parse(h.at): h.tags for h in inkov.flood(campus, str(sender), *tags)}
                theirs = ovs.heard(campus, seed, ports, sender, tags) if sender in ports else {}
                assert mine == theirs, (seed, str(sender), tags)
                asked += 1
                pairs += len(edges) - 1
        ovs.clear(campus, seed)
    with capsys.disabled():
        print(f"\nOpen vSwitch: {CAMPUSES} campuses, {asked} frames, {pairs} pairs of ports compared; all agree")
