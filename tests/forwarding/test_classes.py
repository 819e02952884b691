"""Domains that no port tells apart: one stands for all, in partitions and in searches."""

import random
from collections import Counter
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkov import load
from inkov.forwarding.classes import Classes
from inkov.forwarding.flood import Flooding
from inkov.forwarding.graph import masks_of
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.campus import Cable, Campus
from inkov.model.names import PortRef
from inkov.model.source import Origin, Source
from inkov.model.switch import Access, Port, Switch, Unstated
from strategies import VLANS, open_campuses

compared = Counter()
masks = st.lists(st.integers(0, 2**12), max_size=6)


@pytest.fixture(scope="module", autouse=True)
def counted():
    yield
    assert compared["whole"] >= 2 * compared["cut"]


@given(masks, masks)
def test_two_of_a_class_are_in_the_same_sets(sets, more):
    classes = Classes(sets).refined(more)
    used = [1, *sets, *more]
    for d in range(12):
        alike = {e for e in range(12) if all((s >> d & 1) == (s >> e & 1) for s in used)}
        known = {e for e in range(12) if classes.whole(1 << d) >> e & 1}
        assert known - {d} <= alike
        if any(s >> d & 1 for s in used):
            assert len([e for e in alike if classes.few >> e & 1]) == 1
            assert alike <= known


@given(open_campuses(), st.sampled_from(list(View)), st.integers(0, 2**32))
def test_a_search_of_few_finds_what_a_search_of_all_does(campus, view, seed):
    rng = random.Random(seed)
    graph = Network(campus).graph(view)
    start = (rng.choice(list(campus.switches)), rng.choice(VLANS), ())
    whole = graph.reach([start])
    compared["cut" if whole.cut else "whole"] += 1
    if whole.cut:
        return
    reached = masks_of(whole.places())
    assert graph.spread({start[0]: 1 << start[1]}) == reached
    for vid in (*VLANS, rng.randrange(1, 4095)):
        goal = (rng.choice(list(campus.switches)), vid)
        found = graph.reach([start], [goal]).first([goal])
        assert (found is not None) == bool(reached.get(goal[0], 0) >> vid & 1)


def test_a_port_of_a_negotiated_tag_format_usually_sends_what_its_far_end_recognises(site):
    head = "inkov: switch\nname: NAME\nvlans: {1: , 10: }\n"
    s0, s1 = head.replace("NAME", "s0"), head.replace("NAME", "s1")
    folder = site(
        {
            "s0.yaml": f"{s0}ports: {{p: {{trunk: 1, native: 10, tags: negotiated}}, q: {{trunk: 1, tags: other}}}}\nneighbours: {{p: s1 p}}\n",
            "s1.yaml": f"{s1}ports: {{p: {{access: 1}}}}\n",
        }
    )
    for view in View:
        graph = Network(load(folder)).graph(view)
        found = graph.spread({"s0": 1 << 1})
        assert found == masks_of(graph.reach([("s0", 1, ())]).places())
        assert ("s1" in found) == (view is View.MAY)


WILD = (
    "inkov: switch\nname: NAME\nvlans: {10: , 20: }\nassume: {own-tag: accept}\n"
    "ports: {1: {access: 10}, 2: {access: 20}, a: {access: 10}, b: {access: 10}, t: {tunnel: 20}}\nneighbours: {NEXT}\n"
)


def test_ports_of_unstated_mode_beside_a_tunnel_are_decided_at_once(site):
    folder = site(
        {
            f"{n}.yaml": WILD.replace("NAME", n).replace("NEXT", far)
            for n, far in (("x", "a: y b"), ("y", "a: z b"), ("z", "a: x b, t: y t"))
        }
    )
    campus = load(folder)
    switches = {
        name: replace(
            s, ports={n: replace(p, switching=Unstated()) if n in {"a", "b"} else p for n, p in s.ports.items()}
        )
        for name, s in campus.switches.items()
    }
    graph = Network(replace(campus, switches=switches)).graph(View.MAY)
    goal = ("z", 10)
    reach = graph.reach([("x", 20, (10, 20))], [goal])
    assert graph.stacked
    assert reach.first([goal]) is not None
    assert len(reach.states) < 1000
    assert graph.spread({"x": 1 << 20})["z"] >> 10 & 1


@pytest.mark.long
def test_a_flood_over_a_link_of_unstated_modes_leaves_out_nobody_who_may_hear_it():
    """Each of thousands of VLANs may turn into each other on that link; the one that gets on is among them."""

    origin = Origin("", "", {})

    def box(name, **ports):
        made = {n: Port(name=n, switching=switching, origin=origin) for n, switching in ports.items()}
        return Switch(name=name, vlans=None, ports=made, origin=origin)

    switches = {
        s.name: s
        for s in (
            box("x", edge=Unstated(), u=Unstated()),
            box("y", d=Unstated(), u=Access(10)),
            box("z", d=Access(20), edge=Access(20)),
        )
    }
    cables = tuple(Cable(PortRef(a, "u"), PortRef(b, "d"), Source("")) for a, b in ("xy", "yz"))
    network = Network(Campus(name="three", switches=switches, cables=cables))
    edges = {"x": PortRef("x", "edge"), "z": PortRef("z", "edge")}
    heard = {view: Flooding(network, view).ports(edges["x"]) - {edges["x"]} for view in (View.MUST, View.MAY)}
    assert heard == {View.MUST: set(), View.MAY: {edges["z"]}}
    assert [h.at for h in Flooding(network, View.MAY).heard(edges["x"])] == [edges["z"]]
