"""Trimming: nothing needed goes, nothing surplus stays, and no station loses reach in any state of the tree."""

import random
from dataclasses import replace
from itertools import combinations

import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

import inkov
from concretise import fill
from conftest import write_files
from inkov.forwarding.cabling import components
from inkov.forwarding.network import Network
from inkov.model.names import PortRef
from inkov.model.switch import Trunk
from inkov.model.vlanset import VlanSet
from inkov.plan.reach import change
from inkov.plan.trim import Trim
from proof_sides import hearers, senders
from simulator import listeners
from strategies import MEMBERS as VIDS
from strategies import VLANS, campuses, often, open_campuses, trunked


def with_lists(campus, lists):
    """The campus with allowed lists replaced."""
    switches = dict(campus.switches)
    for ref, some in lists.items():
        switch = switches[ref.switch]
        port = switch.ports[ref.port]
        switching = port.switching
        new = (
            replace(switching, allowed=some)
            if isinstance(switching, Trunk)
            else replace(switching, trunk=replace(switching.trunk, allowed=some))
        )
        switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: replace(port, switching=new)})
    return replace(campus, switches=switches)


def only_surplus(trim):
    """The lists with what is surplus gone and nothing added, which must not change anything."""
    return {e.end: e.allowed - e.surplus for plan in trim.links for e in plan.ends if e.surplus}


@given(trunked(), st.integers(0, 9))
def test_the_sides_of_a_link_are_what_is_left_when_its_ring_is_taken_away(campus, most):
    network = Network(replace(campus, cables=campus.cables[: most + 1]))
    needs = network.needs
    for link in network.links:
        ring = {id(k) for k in needs.ring(link)} or {id(link)}
        left = components(network.switches, [k for k in network.links if id(k) not in ring])
        places = [n for block in needs.blocks if link in block.links for n in block.nodes]
        for vid in VIDS:
            homes = {n for n, mask in needs.own.items() if mask >> vid & 1}
            behind = {n: homes & next(part for part in left if n in part) for n in places}
            found = {side.at: {name for name, _ in side.members} for side in needs.sides(link, vid)}
            assert found == {n: some for n, some in behind.items() if some}


@settings(max_examples=often(80), suppress_health_check=[HealthCheck.too_slow])
@given(trunked())
def test_trimming_keeps_reach_in_every_state_of_the_tree_and_leaves_nothing_surplus(campus):
    trim = Trim(Network(campus))
    trimmed = with_lists(campus, only_surplus(trim))
    assert change(Network(campus), Network(trimmed)) == change(Network(campus), Network(campus))
    for open_cables in trees_of(campus):
        assert parts(replace(campus, cables=open_cables)) == parts(replace(trimmed, cables=open_cables))
    whole = with_lists(campus, trim.lists)
    again = Trim(Network(whole))
    assert not again.lists
    assert not change(Network(campus), Network(whole)).lost
    for plan in again.links:
        for end in plan.ends:
            assert end.needed <= end.allowed


def trees_of(campus):
    """Every set of cables that joins what all of them join and has no ring."""
    size = len(campus.switches) - 1
    for some in combinations(campus.cables, size):
        seen = {next(iter(campus.switches))}
        for _ in some:
            seen |= {e.switch for c in some for e in (c.a, c.b) if {c.a.switch, c.b.switch} & seen}
        if len(seen) == len(campus.switches):
            yield some


def parts(campus):
    """For each VLAN the sets of switches with members that reach each other."""
    network = Network(campus)
    islands = network.islands
    found = {}
    for vid in VIDS:
        homes = {n for n in network.plain_members.get(vid, {}) if network.active(n) >> vid & 1}
        found[vid] = {frozenset(i & homes) for i in islands.of(vid)} - {frozenset()}
    return found


@pytest.mark.long
@settings(max_examples=often(30), suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much])
@given(st.one_of(campuses(), open_campuses()), st.integers(0, 2**32))
def test_trimming_any_campus_never_costs_a_frame(campus, seed):
    """With every kind of port, mixing VLANs and all, however what is not stated is filled in: whoever heard still does."""
    lists = only_surplus(Trim(Network(campus)))
    assume(lists)
    trimmed = with_lists(campus, lists)
    for one in range(3):
        before, after = (fill(c, random.Random(seed + one)) for c in (campus, trimmed))
        for vid in VLANS:
            for at, tags in senders(before, vid):
                was = {(ref, v) for ref, v, _ in listeners(before, at, tags) if ref in hearers(before, v)}
                assert was <= {(ref, v) for ref, v, _ in listeners(after, at, tags)}


CHAIN = {
    "a.yaml": "inkov: switch\nname: archive\nvlans: {330: vet-records, 340: research}\n"
    "ports: {1-2: {access: 330}, u1: {trunk: '330,340'}}\nneighbours: {u1: kelp-hall u1}\n",
    "k.yaml": "inkov: switch\nname: kelp-hall\nvlans: {330: vet-records, 340: research}\n"
    "ports:\n  3: {access: 340}\n  u1-u2: {trunk: '340'}  # both the same\nneighbours: {u1: archive u1, u2: seal-ward u1}\n",
    "s.yaml": "inkov: switch\nname: seal-ward\nvlans: {330: vet-records, 340: research}\nports:\n  1-6: {access: 330}\n"
    "  u1:\n    trunk: '330,340'\n    label: home\nneighbours: {u1: kelp-hall u2}\n",
}


def test_transit_is_needed_and_says_who_needs_it(inkov, site):
    site(CHAIN)
    ran = inkov("trim", ".", "--why")
    assert ran.code == 1
    text = " ".join(ran.out.split())
    assert "archive:u1 ─── kelp-hall:u1" in text
    assert "missing 330 not in the list of kelp-hall:u1" in text
    assert "vet-records (330): seal-ward 6 members - archive 2 members; this is the only way" in text
    assert "costs 2 members cut off now" in text


def test_apply_splits_an_entry_and_leaves_everything_else_alone(inkov, site):
    folder = site({f"in/{name}": text for name, text in CHAIN.items()})
    before = {p.name: p.read_text() for p in folder.glob("in/*.yaml")}
    ran = inkov("trim", "in", "--apply", "out")
    assert "no station loses reach" in ran.err
    assert (folder / "out/a.yaml").read_text() == before["a.yaml"].replace("'330,340'", "330")
    assert (folder / "out/k.yaml").read_text() == before["k.yaml"].replace("{trunk: '340'}", "{trunk: 330}")
    assert (folder / "out/s.yaml").read_text() == before["s.yaml"].replace("'330,340'", "330")
    assert {p.name: p.read_text() for p in folder.glob("in/*.yaml")} == before
    assert inkov("trim", "out").code == 0
    assert "out: is there already" in inkov("trim", "in", "--apply", "out").err
    assert "lies in the site's own folder" in inkov("trim", "in", "--apply", "in/out").err
    assert sorted(p.name for p in folder.iterdir()) == ["in", "out"]


def test_planned_switches_say_what_trimming_would_hurt(inkov, site):
    plan = "inkov: switch\nname: cove\nvlans: {340: research}\nports: {1-3: {access: 340}, u1: {trunk: '340'}}\n"
    site({**CHAIN, "plan/cove.yaml": plan + "neighbours: {u1: seal-ward u9}\n"})
    spare = "  u9: {access: 330}\n"
    site(
        {
            "s.yaml": CHAIN["s.yaml"].replace("neighbours", spare + "neighbours"),
            "k.yaml": CHAIN["k.yaml"],
            "campus.yaml": "inkov: campus\nname: c\nswitches: ['*.yaml']\n".replace(
                "'*.yaml'", "a.yaml, k.yaml, s.yaml"
            ),
        }
    )
    ran = inkov("trim", ".", "--with", "plan/cove.yaml", "--switch", "seal-ward")
    assert "GROWTH" in ran.out
    assert "cove will have members of 340" in ran.out


def test_a_planned_switch_is_attached_by_a_cable_or_not_planned(inkov, site):
    plan = "inkov: switch\nname: cove\nvlans: {340: research}\nports: {1-3: {access: 340}, u1: {trunk: '340'}}\n"
    campus = "inkov: campus\nname: c\nswitches: [a.yaml, k.yaml, s.yaml]\n"
    spare = CHAIN["s.yaml"].replace("neighbours", "  u9: {access: 330}\nneighbours")
    site({**CHAIN, "plan/cove.yaml": plan, "campus.yaml": campus, "s.yaml": spare})
    ran = inkov("trim", ".", "--with", "plan/cove.yaml", "--cable", "cove u1 - seal-ward u9", "--switch", "seal-ward")
    assert "cove will have members of 340" in ran.out
    for more, what in (
        ([], "--cable: cove: attached nowhere; name the cable, such as 'cove u1 - SWITCH PORT'"),
        (["--cable", "cove u1 - seal-ward u99"], "--cable: 'cove u1 - seal-ward u99' is not a cable between two ports"),
    ):
        ran = inkov("trim", ".", "--with", "plan/cove.yaml", *more)
        assert ran.code == 2
        assert what in ran.err
        assert ran.out == ""
    assert "needs --with" in " ".join(inkov("trim", ".", "--cable", "a - b").err.split())


def test_lists_as_all_except(inkov, site):
    site(CHAIN)
    ran = inkov("trim", ".", "--style", "all-but", "--switch", "archive")
    assert "all but 1,340" in ran.out.replace(", ", ",")
    assert inkov("trim", ".", "--keep", "x").code == 2


def test_a_ring_keeps_a_vlan_on_every_link(tmp_path):
    from inkov.rules.triangle import triangle

    write_files(tmp_path, triangle(lists=("310,330", "310,330", "330")))
    trim = Trim(Network(inkov.load(tmp_path)))
    assert {str(p.link): str(p.missing) for p in trim.links if p.missing} == {"pump-loft:u2 <-> seal-ward:u2": "310"}


def test_a_vlan_whose_tags_come_to_light_on_the_way_is_left_in_the_list(tmp_path):
    """What sends tag 30 into the tunnel is heard in 30: the access port shows the tag, and the port beyond reads it."""
    ports = "1: {PORT}, up: {trunk: all, native: none}, back: {BACK}"
    switch = "inkov: switch\nname: NAME\nvlans: {1: , 30: }\nports: {PORTS}\n"
    files = {
        "a.yaml": switch.replace("NAME", "a").replace("PORTS", ports).replace("PORT", "tunnel: 1")
        + "neighbours: {up: b up, back: b back}\n",
        "b.yaml": switch.replace("NAME", "b").replace("PORTS", ports).replace("PORT", "trunk: all, native: none"),
    }
    files["a.yaml"] = files["a.yaml"].replace("BACK", "general: {pvid: 0, filtering: false}")
    files["b.yaml"] = files["b.yaml"].replace("BACK", "access: 1")
    write_files(tmp_path / "shown", files)
    assert only_surplus(Trim(Network(inkov.load(tmp_path / "shown")))) == {}
    tunnel = {**files, "b.yaml": files["b.yaml"].replace("access: 1}", "tunnel: 1}")}
    write_files(tmp_path / "out", tunnel)
    assert only_surplus(Trim(Network(inkov.load(tmp_path / "out")))) == {}
    files["a.yaml"] = files["a.yaml"].replace("filtering: false", "filtering: true")
    write_files(tmp_path / "hidden", files)
    assert only_surplus(Trim(Network(inkov.load(tmp_path / "hidden")))) == {
        PortRef(switch, "up"): VlanSet.parse("all but 30") for switch in ("a", "b")
    }
