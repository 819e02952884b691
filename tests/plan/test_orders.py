"""An advised order is that order: done step by step it ends where the change as written ends, and nothing breaks on the way."""

from collections import Counter
from itertools import accumulate

import pytest
from hypothesis import HealthCheck, given, settings

from conftest import run_inkov, write_files
from inkov.change.rehearsal import Rehearsal
from inkov.change.side import Side
from inkov.steps.edit import CannotChange
from inkov.steps.steps import conflict
from stepping import changed, done
from strategies import often


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
        plan = Rehearsal(campus, steps).ordering.plan()
        order = tuple(i for group in plan for i in group)
        kind = "none" if not order else "as written" if order == tuple(range(len(steps))) else "another"
        tried[kind if len(plan) == len(order) else "at once"] += 1
        if not order:
            return
        every = done(campus, [steps[i] for i in order])
        assert every[-1] == written[-1]
        ends = accumulate(len(group) for group in plan)
        states = [every[n - 1] for n in ends]
        was, will = heard(campus), heard(written[-1])
        for state in states[:-1]:
            now = heard(state)
            for ref in {*was, *will}:
                before, after, here = (h.get(ref, frozenset()) - {ref} for h in (was, will, now))
                assert (before & after) <= here <= (before | after)

    holds()
    assert tried["another"] and tried["at once"] and tried["as written"] > 10, tried  # noqa: PT018


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
        (["a:u1 trunk 201", "a:u1 allow 202"], "SAFE WITH STEPS AT ONCE", []),
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


def rehearsed(site, *typed):
    ran = run_inkov("rehearse", site, *(part for text in typed for part in ("--set", text)))
    return ran, ran.out.splitlines()


def test_what_is_done_at_once_bears_one_number(tmp_path):
    """The two ends of a link that takes its native VLAN from one VLAN into another."""
    native = {n: text.replace("native: none", "native: 202") for n, text in TWO.items()}
    write_files(tmp_path, native)
    ran, lines = rehearsed(tmp_path, "a:u1 native 201", "b:u1 native 201")
    assert ran.code == 1
    assert lines[:5] == [
        f"{tmp_path.name}   2 steps    SAFE WITH STEPS AT ONCE",
        "",
        "do it in this order",
        "  1.  a:u1: native 201",
        "      b:u1: native 201   at the same time",
    ]


def test_the_least_outage_is_said_where_no_order_is_safe(tmp_path):
    """Two stations that move by themselves, of which each loses the other until both have moved: at two devices that are not neighbours."""
    write_files(tmp_path, TWO)
    _, lines = rehearsed(tmp_path, "a:2 access 201", "b:2 access 201", "a:3 access 201")
    assert lines[0].endswith("NOT SAFE")
    at = lines.index(next(line for line in lines if line.startswith("least outage")))
    assert lines[at : at + 3] == [
        "least outage: the steps in the order 1, 2, 3",
        "  Broken  after step 1 until step 2: a:2, a:3 and b:2 lose each other in between",
        "  Broken  after step 2 until step 3: a:2, a:3 and b:2 lose each other in between",
    ]


def test_a_change_that_ends_where_it_began_says_so(tmp_path):
    text = "inkov: change\nsteps:\n  - {at: 'a:1', enabled: false}\n  - {at: 'a:1', enabled: true}\n"
    write_files(tmp_path, {**TWO, "change.txt": text})
    lines = run_inkov("rehearse", tmp_path, tmp_path / "change.txt").out.splitlines()
    assert "It ends where it began: after " in lines[2]
    assert lines[2].endswith("change.txt:4 nothing is set otherwise than before.")


def test_what_is_meant_to_stop_is_counted_and_no_reason_against_the_change(tmp_path):
    campus = "inkov: campus\nname: two\nsegments: {left: {ports: ['a:2-3']}, right: {ports: ['b:2']}}\n"
    claims = "claims: [{name: both are one, together: [left, right]}, {together: left}]\n"
    write_files(tmp_path, {**TWO, "campus.yaml": campus + claims})
    off = ("rehearse", tmp_path, "--set", "a:u1 trunk 201")
    assert run_inkov(*off).out.splitlines()[0].endswith("NOT SAFE AS IT ENDS")
    ran = run_inkov(*off, "--meant", "apart left right")
    lines = ran.out.splitlines()
    assert lines[0].endswith("SAFE"), ran.out
    assert lines[2] == "Meant  apart left right: proved after it; 2 pairs of ports no longer hear each other"
    assert ran.code == 0
    text = "inkov: change\nmeant: both are one\nsteps: [{at: 'a:u1', trunk: 201}]\n"
    write_files(tmp_path, {"change.txt": text})
    assert run_inkov("rehearse", tmp_path, tmp_path / "change.txt").out.splitlines()[0].endswith("SAFE")
    wrong = run_inkov(*off, "--meant", "apart left wrong")
    assert (wrong.code, "there is no segment" in wrong.err) == (2, True)


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
