"""Dumps of a switch database: encodings, effective modes, and bridges of which nothing can be said."""

import json

import pytest

import inkov
from conftest import run_inkov, write_files
from inkov.kinds.table import setting_words
from inkov.model.switch import Access, Trunk, Unstated
from inkov.model.vlanset import VlanSet

NONE = ["set", []]


def dump(port, bridge=None, interface=None, root=None):
    """Writes a dump of a bridge with one port."""
    tables = {
        "Bridge": {
            "_uuid": ["uuid", "b"],
            "name": "br0",
            "ports": ["uuid", "p"],
            "rstp_enable": False,
            "stp_enable": False,
        }
        | (bridge or {}),
        "Interface": {"_uuid": ["uuid", "i"], "name": "q1", "type": "", "ofport": 1, "error": NONE} | (interface or {}),
        "Open_vSwitch": {"bridges": ["uuid", "b"], "external_ids": ["map", [["hostname", "quay"]]]} | (root or {}),
        "Port": {
            "_uuid": ["uuid", "p"],
            "name": "q1",
            "interfaces": ["uuid", "i"],
            "tag": NONE,
            "trunks": NONE,
            "vlan_mode": NONE,
        }
        | port,
    }
    lines = [
        json.dumps({"caption": f"{n} table", "headings": list(r), "data": [list(r.values())]})
        for n, r in tables.items()
    ]
    return "\n".join(lines) + "\n"


def q1(tmp_path, text):
    return inkov.load(write_files(tmp_path, {"d.json": text})).switches["quay"].ports["q1"]


@pytest.mark.parametrize(
    ("columns", "said"),
    [
        ({"tag": 10, "trunks": ["set", [20, 30]]}, "access 10"),
        ({"vlan_mode": "trunk", "tag": 10, "trunks": 20}, "trunk, no native"),
        ({"vlan_mode": "native-untagged", "tag": 10, "trunks": ["set", [20]]}, "trunk, native 10"),
        ({"vlan_mode": "native-tagged", "tag": 10, "trunks": 20}, "general pvid 10, untagged none, tagged 10,20"),
        ({}, "general pvid 0, untagged none, tagged all"),
        ({"vlan_mode": "access"}, "general pvid 0, untagged none, tagged none, only untagged"),
        ({"vlan_mode": "dot1q-tunnel", "tag": 10}, "tunnel 10"),
        ({"vlan_mode": "dot1q-tunnel", "tag": 10, "cvlans": 20}, "tunnel 10, inside 20"),
    ],
)
def test_the_effective_mode_decides(tmp_path, columns, said):
    """A tag without a mode is access, whatever trunks says; nothing at all is a trunk of everything, VLAN 0 too."""
    assert setting_words(q1(tmp_path, dump(columns))) == said


def test_a_set_of_one_is_bare_and_a_reference_is_one(tmp_path):
    assert q1(tmp_path, dump({"vlan_mode": "trunk", "trunks": 20})).switching == Trunk(None, VlanSet([20]))
    assert q1(tmp_path, dump({"vlan_mode": "trunk", "trunks": ["set", [20, 30]]})).switching == Trunk(
        None, VlanSet([20, 30])
    )


@pytest.mark.parametrize("bridge", [{"fail_mode": "secure"}, {"controller": ["uuid", "c"]}])
def test_of_a_bridge_that_flows_rule_nothing_is_known(tmp_path, bridge):
    assert q1(tmp_path, dump({"tag": 10}, bridge=bridge)).switching == Unstated()


@pytest.mark.parametrize(
    "interface", [{"ofport": -1}, {"ofport": NONE}, {"error": "could not open network device"}, {"admin_state": "down"}]
)
def test_a_port_that_is_not_there_passes_nothing(tmp_path, interface):
    assert not q1(tmp_path, dump({"tag": 10}, interface=interface)).enabled


def test_answers_over_the_wire_and_listings(tmp_path):
    rows = [json.loads(line) for line in dump({"tag": 10}).splitlines()]
    result = [{"rows": [dict(zip(t["headings"], t["data"][0], strict=True))]} for t in rows]
    for text in (json.dumps({"id": 1, "result": result, "error": None}), json.dumps(result)):
        assert q1(tmp_path, text).switching == Access(10)


@pytest.mark.parametrize(
    ("answer", "said"),
    [
        (
            {"id": 5, "result": [{"error": "constraint", "details": "No table named Harbour."}], "error": None},
            "constraint (No table named Harbour.)",
        ),
        ({"id": 5, "result": [], "error": {"error": "unknown database", "x": "fake_bridge"}}, "unknown database"),
    ],
)
def test_a_refusal_is_an_error(tmp_path, answer, said):
    text = json.dumps({**answer, "note": "vlan_mode"}).replace('"note": "vlan_mode"', '"vlan_mode": 1')
    write_files(tmp_path, {"d.json": text})
    done = run_inkov("audit", tmp_path)
    assert (done.code, f"d.json: the server refused to answer: {said}" in done.err) == (2, True), done.err


def test_bridges_that_are_gone_are_not_read(tmp_path):
    other = "inkov: switch\nname: boat\nvlans: {}\nports: {u2: }\n"
    campus = inkov.load(write_files(tmp_path, {"d.json": dump({"tag": 10}, root={"bridges": NONE}), "b.yaml": other}))
    assert sorted(campus.switches) == ["boat"]


def test_a_tag_out_of_range_is_said_and_the_port_not_guessed(
    tmp_path,
):
    write_files(tmp_path, {"d.json": dump({"tag": "ten"})})
    done = run_inkov("audit", tmp_path)
    assert done.err.splitlines()[-1:] == ["d.json: /Port[name=q1]/tag: 'ten' is not a whole number, or a set of them"]
