"""Corners of rules that their examples do not reach."""

import json

import inkov
from conftest import write_files
from inkov.change.mending import mended
from inkov.rules.registry import switch_text


def found(folder, files, rule):
    campus = inkov.load(write_files(folder, files))
    return [(f.severity.value, f.place) for head in inkov.audit(campus) for f in (head, *head.also) if f.rule == rule]


def test_subnets_of_different_routing_tables_may_overlap(tmp_path):
    gateways = "{{340: 198.51.100.33/27, 350: {{address: 198.51.100.40/26, vrf: {}}}}}"
    text = "{340: research, 350: kiosks}", "{1: {access: 340}, 2: {access: 350}}"
    apart = {"a.yaml": switch_text("core", *text, gateways=gateways.format("guests"), routing="true")}
    assert found(tmp_path / "a", apart, "gateway/overlap") == []
    same = {"a.yaml": switch_text("core", *text, gateways=gateways.format("''"), routing="true")}
    assert found(tmp_path / "b", same, "gateway/overlap") == [("risk", "core")]


def test_a_suspended_voice_vlan_is_as_bad_as_none(tmp_path):
    table = "{340: research, 390: {name: phones, state: suspended}}"
    files = {"a.yaml": switch_text("archive", table, "{1-2: {access: 340, voice: 390}}")}
    assert found(tmp_path, files, "voice/undefined") == [("outage", "archive:1-2")]


def test_a_wiping_table_is_an_outage_once_it_is_joined_and_a_risk_before(tmp_path):
    ports = "{1: {access: 310}, 2: {access: 330}, u1: {trunk: '310,330'}}"
    sync = "{{group: g, role: {}, generation: {}, secret: s}}"

    def two(**cabled):
        return {
            "a.yaml": switch_text("a", "{310: x, 330: y}", ports, sync=sync.format("author", 7), **cabled),
            "b.yaml": switch_text("b", "{310: x}", ports, sync=sync.format("follower", 90)),
        }

    assert found(tmp_path / "now", two(neighbours="{u1: b u1}"), "sync/wipe") == [("outage", "b")]
    assert found(tmp_path / "later", two(), "sync/wipe") == [("risk", "b")]


def test_an_unstated_generation_wipes_nothing_for_sure(tmp_path):
    ports = "{{1: {{access: {0}}}, u1: {{trunk: '310,320'}}}}"

    def two(stated):
        return {
            "a.yaml": switch_text(
                "a",
                "{310: x}",
                ports.format(310),
                sync="{group: g, role: author, generation: 7}",
                neighbours="{u1: b u1}",
            ),
            "b.yaml": switch_text(
                "b", "{310: x, 320: y}", ports.format(320), sync=f"{{group: g, role: author{stated}}}"
            ),
        }

    assert found(tmp_path / "stated", two(", generation: 2"), "sync/wipe") == [("outage", "a")]
    assert found(tmp_path / "not", two(""), "sync/wipe") == []


def test_ports_left_as_they_came_on_one_switch_are_a_risk_and_on_several_alike_a_custom(tmp_path):
    def export(name, sockets):
        rows = [{"name": str(n), "config": {"name": str(n), "enabled": True}} for n in range(1, sockets + 1)]
        desk = {"ethernet": {"switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": 310}}}}
        rows.append({"name": "d", "config": {"name": "d"}, **desk})
        return json.dumps(
            {
                "openconfig-system:system": {"config": {"hostname": name}},
                "openconfig-vlan:vlans": {"vlan": [{"vlan-id": 310, "config": {"vlan-id": 310, "name": "x"}}]},
                "openconfig-interfaces:interfaces": {"interface": rows},
            }
        )

    alike = {f"{n}.json": export(n, 4) for n in ("a", "b", "c")}
    assert found(tmp_path / "one", {"d.json": export("d", 10)}, "spare/untouched") == [("risk", "d:1-10")]
    assert found(tmp_path / "three", alike, "spare/untouched") == [("tidy", "a, b and c")]
    assert found(tmp_path / "few", {"d.json": export("d", 3)}, "spare/untouched") == []


def test_one_number_in_two_places_has_gateways_of_its_own_in_each(tmp_path):
    """Two sites use VLAN 10, each with a shared gateway and a subnet of its own: they are no pair, and nobody is astray."""
    files = {}
    for site, net in (("east", "192.0.2"), ("west", "198.51.100")):
        for n in (1, 2):
            files[f"{site}-{n}.yaml"] = (
                f"inkov: switch\nname: {site}-{n}\nvlans: {{10: desks, 20: labs}}\nrouting: true\n"
                f"ports: {{1-4: {{access: 10}}, u1: {{trunk: '10', native: none}}}}\n"
                f"gateways: {{10: {{address: {net}.{n + 1}/24, virtual: {net}.1}}}}\n"
                + (f"neighbours: {{u1: {site}-2 u1}}\n" if n == 1 else "")
            )
    found = inkov.audit(inkov.load(write_files(tmp_path, files)))
    assert [f.rule for f in found if f.rule.partition("/")[0] in {"pair", "address"}] == []


def test_a_native_vlan_at_one_end_alone_parts_its_members_and_nobody_else(tmp_path):
    def two(native, far):
        ports = "{{1: {{access: 310}}, 2: {{access: 330}}, u1: {{trunk: '310,330', native: {}}}}}"
        return {
            "a.yaml": switch_text("a", "{310: x, 330: y}", ports.format(native), neighbours="{u1: b u1}"),
            "b.yaml": switch_text("b", "{310: x, 330: y}", ports.format(far)),
        }

    for name, ends, severity in (("a", (330, "none"), "outage"), ("b", ("none", 330), "outage")):
        assert found(tmp_path / name, two(*ends), "native/mismatch") == [(severity, "a:u1 <-> b:u1")]
        (head,) = inkov.audit(inkov.load(tmp_path / name))
        own, far = ("a:u1", "b:u1") if ends[0] == 330 else ("b:u1", "a:u1")
        assert (head.what, head.mend) == (
            f"{own} sends VLAN 330 untagged, as its native VLAN, and {far} has no native VLAN. y (330) does not get across, and is in parts.",
            f"Set the native VLAN of {own} to none, as at {far}.",
        )
        view, steps, _ = mended(inkov.load(tmp_path / name))
        assert ([s.what for s in steps], view.left) == ([f"{own}: native none"], ())
    assert found(tmp_path / "c", two("none", "none"), "native/mismatch") == []
    assert found(tmp_path / "d", two(999, "none"), "native/mismatch") == []


def test_the_register_says_which_of_two_swapped_names_is_wrong(tmp_path):
    files = {
        "a.yaml": switch_text(
            "a", "{310: y, 330: x}", "{1: {access: 310}, u: {trunk: '310,330'}}", neighbours="{u: b u}"
        ),
        "b.yaml": switch_text("b", "{310: x, 330: y}", "{1: {access: 310}, u: {trunk: '310,330'}}"),
        "campus.yaml": "inkov: campus\nname: x\nregister: {310: x, 330: y}\n",
    }
    head = inkov.audit(inkov.load(write_files(tmp_path, files)))[0]
    assert (head.rule, head.what, head.mend) == (
        "vlan/aliases",
        "VLAN 310 is 'x' on 1 switch but 'y' on a, which is the name of VLAN 330 elsewhere: the names of 310 and 330 are swapped there.",
        "Name it 'x' on a.",
    )
    assert {f.rule for f in head.also} >= {"vlan/aliases", "vlan/namesakes"}
