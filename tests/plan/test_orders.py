"""An advised order is that order: done step by step it ends where the change as written ends, and nothing breaks on the way."""

from collections import Counter
from ipaddress import ip_interface

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import run_inkov, write_files
from inkov.change.drift import Side
from inkov.change.rehearsal import Rehearsal
from inkov.model.names import PortRef
from inkov.model.routing import Gateway, gateway_key
from inkov.model.switch import Vlan
from inkov.model.vlanset import VlanSet
from inkov.steps.edit import CannotChange
from inkov.steps.settings import PortChange
from inkov.steps.steps import Cut, SetPorts, SetSwitch, conflict
from strategies import MEMBERS, often, trunked

vids = st.sampled_from(MEMBERS)
lists = st.sets(vids, min_size=1).map(VlanSet)
port_changes = st.one_of(
    st.builds(PortChange, trunk=lists),
    st.builds(PortChange, allow=lists),
    st.builds(PortChange, disallow=lists),
    st.builds(PortChange, native=st.none() | vids),
    st.builds(PortChange, access=vids),
    st.builds(PortChange, enabled=st.booleans()),
)


@st.composite
def changed(draw):
    """A campus and some steps on few ports and VLANs of it, so that they write over each other."""
    campus = draw(trunked())
    every = [PortRef(s.name, p) for s in campus.switches.values() for p in s.ports]
    few = draw(st.lists(st.sampled_from(every), min_size=1, max_size=3, unique=True))
    steps = []
    for n in range(draw(st.integers(2, 5))):
        ref = draw(st.sampled_from(few))
        match draw(st.sampled_from(["port"] * 6 + ["vlan", "vlan", "gateway", "cut", "cut"])):
            case "port":
                steps.append(SetPorts(what=f"{n}", ports=(ref,), settings=draw(port_changes)))
            case "vlan":
                vid = draw(vids)
                steps.append(
                    SetSwitch(what=f"{n}", switch=ref.switch, vlans={vid: draw(st.sampled_from([None, Vlan(vid)]))})
                )
            case "gateway":
                vid = draw(vids)
                own = Gateway(vid, (ip_interface(f"192.0.{vid}.{draw(st.integers(1, 3))}/24"),))
                new = draw(st.sampled_from([None, own]))
                steps.append(SetSwitch(what=f"{n}", switch=ref.switch, gateways={gateway_key("", vid): new}))
            case "cut":
                steps.append(Cut(what=f"{n}", ports=(ref,)))
    return campus, steps


def done(campus, steps):
    """The campuses after each of some steps, one after the other."""
    states = []
    for step in steps:
        campus = step.done(campus)
        states.append(campus)
    return states


def heard(campus):
    """Who hears whom, each port by itself, on a network of its own."""
    side = Side(campus)
    return {ref: side.hearing.of(ref) for ref in side.hearing.edges()}


def test_an_advised_order_ends_where_the_change_ends_and_breaks_nothing_on_the_way():
    tried = Counter()

    @settings(max_examples=often(200), suppress_health_check=list(HealthCheck))
    @given(changed())
    def holds(case):
        campus, steps = case
        try:
            written = done(campus, steps)
        except CannotChange:
            return
        order = Rehearsal(campus, steps).order()
        tried["none" if not order else "as written" if order == tuple(range(len(steps))) else "another"] += 1
        if not order:
            return
        states = done(campus, [steps[i] for i in order])
        assert states[-1] == written[-1]
        was, will = heard(campus), heard(written[-1])
        for state in states[:-1]:
            now = heard(state)
            for ref in {*was, *will}:
                before, after, here = (h.get(ref, frozenset()) - {ref} for h in (was, will, now))
                assert (before & after) <= here <= (before | after)

    holds()
    assert tried["another"] and tried["as written"] > 10, tried  # noqa: PT018


@settings(max_examples=often(60), suppress_health_check=list(HealthCheck))
@given(changed())
def test_steps_that_write_nothing_of_each_other_may_be_done_in_either_order(case):
    campus, steps = case
    for a in steps:
        for b in steps:
            if a is not b and not conflict(a, b):
                try:
                    one = done(campus, [a, b])[-1]
                except CannotChange:
                    continue
                assert one == done(campus, [b, a])[-1]


TWO = {
    "a.yaml": "inkov: switch\nname: a\nvlans: {201: x, 202: y}\nports: {1: {access: 201}, 2: {access: 202}, 3: {access: 202}, "
    "u1: {trunk: '201,202', native: none}}\nneighbours: {u1: b u1}\n",
    "b.yaml": "inkov: switch\nname: b\nvlans: {201: x, 202: y}\nports: {1: {access: 201}, 2: {access: 202}, "
    "u1: {trunk: '201,202', native: none}}\nneighbours: {u1: a u1}\n",
}


@pytest.mark.parametrize(
    ("steps", "head", "stops"),
    [
        (["a:u1 trunk 201", "a:u1 allow 202"], "NOT SAFE", []),
        (["a:1 enabled false", "a:1 enabled true"], "NOT SAFE", []),
        (
            ["a:u1 trunk 201"],
            "NOT SAFE AS IT ENDS",
            [
                "new outage: list/differs at a:u1 <-> b:u1: The two lists differ (a:u1 leaves out 202): "
                "VLAN 202 cannot cross and its members are cut apart.",
                "y (202): a:2, a:3 and b:2 no longer hear all that they heard",
            ],
        ),
        (
            ["a:1 access 220"],
            "NOT SAFE AS IT ENDS",
            [
                "new outage: access/undefined at a:1: Port 1 of a is in VLAN 220, which a does not define: "
                "nothing sent there goes anywhere.",
                "a:1 is then in VLAN 220, and hears nobody there",
            ],
        ),
        (["a:3 access 201"], "SAFE", []),
        (["a:3 enabled false"], "SAFE", []),
    ],
)
def test_safe_means_that_nothing_that_works_stops(tmp_path, steps, head, stops):
    write_files(tmp_path, TWO)
    ran = run_inkov("rehearse", tmp_path, *(part for text in steps for part in ("--set", text)))
    lines = ran.out.splitlines()
    assert lines[0].endswith(f"   {head}"), lines[0]
    assert [line.removeprefix("Stops").strip() for line in lines if line.startswith("Stops")] == stops
    assert ran.code == (head != "SAFE")


def test_a_gateway_that_goes_is_told(tmp_path):
    core = TWO["a.yaml"] + "routing: true\ngateways: {201: 192.0.2.1/27, 202: 192.0.2.33/27}\n"
    write_files(
        tmp_path, {**TWO, "a.yaml": core, "change.txt": "inkov: change\nsteps: [{at: a, gateways: {202: none}}]\n"}
    )
    lines = run_inkov("rehearse", tmp_path, tmp_path / "change.txt").out.splitlines()
    assert lines[0].endswith("NOT SAFE AS IT ENDS")
    assert "Stops  the gateway 192.0.2.33 of y (202) on a is no longer there" in lines


def test_an_outage_where_a_risk_was_is_new(tmp_path):
    """The same rule at the same place, and worse."""
    wide = {
        name: text.replace("'201,202'", "'201-203'").replace("202: y}", "202: y, 203: z}") for name, text in TWO.items()
    }
    narrow = wide["a.yaml"].replace("'201-203'", "'201-202'").replace("{access: 202}, u1", "{access: 202}, u1")
    write_files(tmp_path, {**wide, "a.yaml": narrow})
    out = run_inkov("rehearse", tmp_path, "--set", "a:u1 trunk 201").out
    assert "   New    list/differs at a:u1 <-> b:u1\n" in out


def test_cutting_what_leads_outside_takes_no_proof_away(tmp_path):
    write_files(
        tmp_path,
        {
            "fence.yaml": "inkov: switch\nname: fence\nkind: router\nports:\n  e0: {subinterfaces: {untagged: 203.0.113.2/30}}\n"
            "  e1: {subinterfaces: {50: {address: 10.0.50.1/24, in: f, out: f}}}\nfilters: {f: [{action: drop}]}\n"
            "routes: [{to: 0.0.0.0/0, via: 203.0.113.1}]\nneighbours: {e1: sw u1}\n",
            "sw.yaml": "inkov: switch\nname: sw\nvlans: {50: tills}\nports: {1-2: {access: 50}, u1: {trunk: '50', native: none}}\n"
            "routing: false\nassume: {own-tag: drop, tagged-native: accept}\n",
            "campus.yaml": "inkov: campus\nname: x\nsegments: {tills: {vlan: 50}, internet: {outside: true}}\n"
            "claims: [{name: tills stay in, apart: [tills, internet]}]\n",
        },
    )
    assert run_inkov("rehearse", tmp_path, "--cut", "fence:e0").out.splitlines()[0] == "x   1 step    SAFE"
