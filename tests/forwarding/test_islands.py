"""Islands of a VLAN, gaps on the way, and what reports them."""

import pytest
from hypothesis import given

import inkov
from inkov.api import network
from inkov.model.vlanset import VlanSet
from strategies import MEMBERS, trunked


def row(*switches, vlan=10, far_list="all"):
    """A row of switches, each cabled to the next: `x` has a member of the VLAN, `o` relays it, `.` does not."""
    files = {}
    for i, kind in enumerate(switches):
        table = "{20: other}" if kind == "." else f"{{{vlan}: }}"
        member = f"1: {{access: {vlan}}}, " if kind == "x" else ""
        ends = f"a: {{trunk: {far_list}}}, b: {{trunk: all}}"
        heard = f"{{b: s{i + 1} a}}" if i + 1 < len(switches) else "{}"
        files[f"s{i}.yaml"] = (
            f"inkov: switch\nname: s{i}\nvlans: {table}\nports: {{{member}{ends}}}\nneighbours: {heard}\n"
        )
    return files


@pytest.mark.parametrize(
    ("chain", "inhabited", "gaps"),
    [
        ("xox", [{"s0", "s1", "s2"}], []),
        ("x.x", [{"s0"}, {"s2"}], [{"s1"}]),
        ("x..x", [{"s0"}, {"s3"}], [{"s1", "s2"}]),
        ("x.o.x", [{"s0"}, {"s4"}], [{"s1", "s3"}]),
        ("x.o", [{"s0"}], []),
        ("x.xx.x", [{"s0"}, {"s2", "s3"}, {"s5"}], [{"s1"}, {"s4"}]),
        (".x.", [{"s1"}], []),
    ],
)
def test_islands_and_gaps_of_a_row(site, chain, inhabited, gaps):
    islands = network(inkov.load(site(row(*chain)))).islands
    assert [set(i) for i in islands.inhabited(10)] == inhabited
    assert [set(group) for group, _ in islands.missing_on_the_way(10)] == gaps
    assert islands.split == (VlanSet([10]) if len(inhabited) > 1 else VlanSet())


def test_two_gaps_with_an_empty_island_between_are_one_finding(site):
    found = inkov.audit(inkov.load(site(row(*"x.o.x"))))
    assert [(f.rule, f.place) for f in found if f.severity.value == "outage"] == [("vlan/missing", "s1 and s3")]


def test_dead_ends_of_a_gap_are_not_blamed(site):
    files = row(*"x.x")
    files["s1.yaml"] = (
        files["s1.yaml"]
        .replace("b: {trunk: all}", "b: {trunk: all}, c: {trunk: all}")
        .replace("{b: s2 a}", "{b: s2 a, c: s9 a}")
    )
    files["s9.yaml"] = row(".")["s0.yaml"].replace("name: s0", "name: s9")
    found = inkov.audit(inkov.load(site(files)))
    assert [(f.rule, f.place) for f in found if f.severity.value == "outage"] == [("vlan/missing", "s1")]


def test_one_finding_for_all_vlans_that_one_gap_cuts(site):
    files = {
        n: t.replace("{10: }", "{10: , 30: }").replace("1: {access: 10}", "1: {access: 10}, 2: {access: 30}")
        for n, t in row(*"x.x").items()
    }
    found = [f for f in inkov.audit(inkov.load(site(files))) if f.severity.value == "outage"]
    assert [(f.rule, f.place, f.vlans) for f in found] == [("vlan/missing", "s1", VlanSet([10, 30]))]
    assert found[0].what == "s1 does not relay VLANs 10,30, and stands between its members: that cuts off s0 from s2."


def test_a_ring_that_is_cut_once_is_whole(site):
    files = row(*"xxx")
    files["s2.yaml"] = files["s2.yaml"].replace("neighbours: {}", "neighbours: {b: s0 a}")
    files["s1.yaml"] = files["s1.yaml"].replace("a: {trunk: all}", "a: {trunk: '20'}")
    islands = network(inkov.load(site(files))).islands
    assert not islands.split
    found = inkov.audit(inkov.load(site({})))
    told = [g for f in found for g in (f, *f.also)]
    assert [(f.rule, f.severity.value) for f in told if f.rule == "list/differs"] == [("list/differs", "risk")]


@given(trunked())
def test_islands_with_members_are_those_of_all_that_hold_some(campus):
    islands = network(campus).islands
    for vid in MEMBERS:
        homes = islands.plant.homes(vid)
        whole = [island for island in islands.of(vid) if not island.isdisjoint(homes)]
        assert {*islands.inhabited(vid)} == {*whole}
        assert (vid in islands.split) is (len(whole) > 1)
