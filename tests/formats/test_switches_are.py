"""What the campus file states of switches whose own files cannot say it, or do not."""

import json

import inkov
from conftest import write_files

EXPORT = {
    "openconfig-system:system": {"config": {"hostname": "hall-1"}},
    "openconfig-vlan:vlans": {"vlan": [{"vlan-id": v, "config": {"vlan-id": v, "name": "x"}} for v in (310, 390)]},
    "openconfig-interfaces:interfaces": {
        "interface": [
            {
                "name": name,
                "config": {"name": name, "type": "ethernetCsmacd"},
                "ethernet": {"switched-vlan": {"config": {"interface-mode": mode, **more}}},
            }
            for name, mode, more in (
                ("1", "ACCESS", {"access-vlan": 310}),
                ("2", "ACCESS", {"access-vlan": 310}),
                ("u", "TRUNK", {"trunk-vlans": [310]}),
            )
        ]
    },
}
OURS = "inkov: switch\nname: pier\nrole: core\ntree: {protocol: mstp}\nvlans: {310: x}\nports: {1: {access: 310}}\n"


def campus(folder, are):
    text = f"inkov: campus\nname: x\nswitches-are:\n{are}"
    return write_files(folder, {"campus.yaml": text, "hall-1.json": json.dumps(EXPORT), "pier.yaml": OURS})


def test_facts_reach_the_switches_that_fit_and_show_where_they_are_stated(tmp_path):
    are = (
        "  'hall-*':\n    role: edge\n    tree: {protocol: rstp, priority: 61440}\n    stance: silent\n    edge: true\n"
        "    voice: {1: 390}\n    lacks: private-vlans\n    limits: {vid: 1000}\n    assume: {own-tag: drop}\n"
        "  edge:\n    limits: {vlans: 64}\n"
        "  core: {role: rim, tree: {protocol: rstp}}\n"
    )
    made = inkov.load(campus(tmp_path, are)).switches
    hall, pier = made["hall-1"], made["pier"]
    assert (hall.role, hall.tree.protocol.value, hall.tree.priority) == ("edge", "rstp", 61440)
    assert {p.stance.value for p in hall.ports.values()} == {"silent"}
    assert hall.ports["1"].switching.voice == 390
    assert hall.ports["2"].switching.voice is None
    assert all(p.tree.edge for p in hall.ports.values())
    assert (hall.lacks, hall.limits) == (("private-vlans",), {"vlans": 64, "vid": 1000})
    assert "own_tag" not in hall.unstated_habits
    assert not hall.habits.own_tag
    assert (pier.role, pier.tree.protocol.value) == ("core", "mstp")  # its own file says so


def test_the_place_of_such_a_fact_is_in_the_campus_file(tmp_path, inkov):
    folder = campus(tmp_path, "  'hall-*': {limits: {vid: 300}}\n")
    ran = inkov("audit", folder, "--only", "platform", "--format", "json")
    (found,) = json.loads(ran.out)["findings"]
    assert found["what"] == "hall-1 has VLAN 310 and 390, and its box knows none above 300."
    assert [(e["fact"], e["place"]) for e in found["evidence"]] == [("limits: vid 300", "campus.yaml:4")]


def test_names_that_fit_nothing_and_features_that_are_none_are_errors(tmp_path, inkov):
    folder = campus(tmp_path, "  'hal-1': {role: edge}\n  pier: {lacks: magic}\n")
    ran = inkov("audit", folder)
    assert ran.code == 2
    assert "campus.yaml:5: switches-are/pier/lacks" in ran.err
    ran = inkov("audit", campus(tmp_path, "  'hal-1': {role: edge}\n"))
    assert ran.err == (
        "campus.yaml:4: switches-are/hal-1: no switch is called 'hal-1' or has that role; did you mean 'hall-1'?\n"
    )
