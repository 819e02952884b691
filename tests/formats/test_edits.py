"""Settings set in the text of files: what was meant is what is read, and every other character stays."""

import json

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from inkov.formats.edits import CannotEdit, Edits
from inkov.formats.openconfig.json_edits import in_export
from inkov.formats.ours.yaml_edits import in_switch_file
from inkov.model.switch import Vlan

FLOW = "inkov: switch\nname: a\nvlans: {10: x}  # two\nports:\n  1-3: {access: 10, voice: 20}  # desks\n  u1:  {trunk: '10', native: 99}\n"
BLOCK = "inkov: switch\nname: a\nvlans:\n  10: x\n\n# ports\nports:\n  1:\n    access: 10\n    label: desk\n\n  u1:\n    native: 99\n"


@pytest.mark.parametrize(
    ("text", "edits", "before", "after"),
    [
        (FLOW, {"u1": {"native": "none"}}, "native: 99", "native: none"),
        (FLOW, {"u1": {"trunk": "10,20"}}, "trunk: '10'", 'trunk: "10,20"'),
        (FLOW, {"u1": {"stance": "silent"}}, "{trunk", "{stance: silent, trunk"),
        (FLOW, {"u1": {"native": None}}, ", native: 99}", "}"),
        (FLOW, {"u1": {"trunk": None}}, "{trunk: '10', native", "{native"),
        (FLOW, {"u1": {"trunk": None, "native": None, "access": "10"}}, "{trunk: '10', native: 99}", "{access: 10}"),
        (
            FLOW,
            {"2": {"access": "30"}},
            "  1-3: {access: 10, voice: 20}  # desks",
            "  1,3: {access: 10, voice: 20}\n  2: {access: 30, voice: 20}  # desks",
        ),
        (BLOCK, {"1": {"access": "30"}}, "    access: 10\n", "    access: 30\n"),
        (BLOCK, {"1": {"voice": "30"}}, "    access: 10\n", "    voice: 30\n    access: 10\n"),
        (BLOCK, {"1": {"access": None}}, "    access: 10\n    label", "    label"),
        (BLOCK, {"1": {"label": None}}, "10\n    label: desk\n", "10\n"),
    ],
)
def test_keys_of_a_switch_file(text, edits, before, after):
    assert text.count(before) == 1
    assert in_switch_file(text, Edits(edits)) == text.replace(before, after)


@pytest.mark.parametrize(
    ("text", "vlans", "before", "after"),
    [
        (FLOW, {30: Vlan(30, "vet records")}, "{10: x}", "{10: x, 30: vet records}"),
        (FLOW, {30: Vlan(30, "a, b: c")}, "{10: x}", "{10: x, 30: 'a, b: c'}"),
        (FLOW, {30: Vlan(30, "")}, "{10: x}", "{10: x, 30: ''}"),
        (BLOCK, {30: Vlan(30, "y"), 20: Vlan(20, "")}, "  10: x\n", "  10: x\n  20:\n  30: y\n"),
        (FLOW.replace("{10: x}", "{}"), {30: Vlan(30, "y")}, "{}", "{30: y}"),
        (
            FLOW.replace("10: x}", "10: {name: x, state: suspended}}"),
            {10: Vlan(10, "x")},
            "state: suspended",
            "state: active",
        ),
    ],
)
def test_vlans_of_a_switch_file(text, vlans, before, after):
    assert text.count(before) == 1
    assert in_switch_file(text, Edits(vlans=vlans)) == text.replace(before, after)


@pytest.mark.parametrize(
    ("edits", "message"),
    [
        (Edits({"9": {"access": "10"}}), "port '9' is not written in this file"),
        (Edits(vlans={10: Vlan(10, "x")}), "VLAN 10 is in the table already"),
    ],
)
def test_what_a_switch_file_has_no_place_for(edits, message):
    with pytest.raises(CannotEdit, match=message):
        in_switch_file(FLOW, edits)
    with pytest.raises(CannotEdit, match="the VLAN table is not written in this file"):
        in_switch_file("inkov: switch\nname: a\nvlans: as used\n", Edits(vlans={10: Vlan(10, "x")}))


def interface(name, **config):
    switched = {"openconfig-vlan:switched-vlan": {"config": config}}
    return {"name": name, "config": {"name": name, "enabled": True}, "openconfig-if-ethernet:ethernet": switched}


def export(*interfaces, vlans=()):
    instance = {"name": "default", "vlans": {"vlan": list(vlans)}}
    return json.dumps(
        {
            "openconfig-interfaces:interfaces": {"interface": list(interfaces)},
            "openconfig-network-instance:network-instances": {"network-instance": [instance]},
        },
        indent=1,
    )


ACCESS = {"interface-mode": "ACCESS", "access-vlan": 10}
TRUNK = {"interface-mode": "TRUNK", "native-vlan": 99, "trunk-vlans": [10]}


@pytest.mark.parametrize(
    ("keys", "changed"),
    [
        ({"access": "30"}, {**ACCESS, "access-vlan": 30}),
        ({"native": "99"}, {**ACCESS, "native-vlan": 99}),
        ({"trunk": "10-12", "access": None}, {"interface-mode": "TRUNK", "access-vlan": 10, "trunk-vlans": ["10..12"]}),
    ],
)
def test_leaves_of_an_export(keys, changed):
    text = export(interface("p1", **ACCESS), interface("u1", **TRUNK))
    made = in_export(text, Edits({"p1": keys}))
    assert json.loads(made) == json.loads(export(interface("p1", **changed), interface("u1", **TRUNK)))


@pytest.mark.parametrize(
    ("keys", "leaves"),
    [
        ({"enabled": "false"}, {"enabled": False}),
        ({"label": '"quay \\"3\\""'}, {"description": 'quay "3"'}),
        ({"tags": "802.1ad"}, {"openconfig-vlan:tpid": "openconfig-vlan-types:TPID_0X88A8"}),
        ({"tags": "802.1Q"}, {"openconfig-vlan:tpid": "openconfig-vlan-types:TPID_0X8100"}),
    ],
)
@pytest.mark.parametrize("there", [{}, {"description": "x", "openconfig-vlan:tpid": "TPID_0X9100"}])
def test_leaves_of_an_interface_in_an_export(keys, leaves, there):
    before = [interface("p1", **ACCESS), interface("u1", **TRUNK)]
    before[1]["config"] |= there
    after = json.loads(in_export(export(*before), Edits({"u1": keys})))["openconfig-interfaces:interfaces"]["interface"]
    before[1]["config"] |= leaves
    assert after == before


def entry(vid, name, status="ACTIVE"):
    return {"vlan-id": vid, "config": {"vlan-id": vid, "name": name, "status": status}}


@pytest.mark.parametrize("before", [[], [entry(10, "x")], [entry(30, "y", "SUSPENDED")]])
def test_vlans_of_an_export(before):
    text = export(interface("p1", **ACCESS), vlans=before)
    after = [e for e in before if e["vlan-id"] != 30] + [entry(30, "y")]
    assert json.loads(in_export(text, Edits(vlans={30: Vlan(30, "y")}))) == json.loads(
        export(interface("p1", **ACCESS), vlans=after)
    )


@pytest.mark.parametrize(
    ("edits", "message"),
    [
        (Edits({"p9": {"access": "10"}}), "port 'p9' is not written in a form that can be edited"),
        (Edits({"p1": {"stance": "silent"}}), "the open models have no leaf for 'stance' of port 'p1'"),
        (Edits({"p1": {"tags": "another"}}), "the open models have no identity for the tag format 'another'"),
        (Edits({"p1": {"native": "none"}}), "an export cannot say 'native' none"),
        (Edits({"p1": {"trunk": "none"}}), "an empty list in an export means all VLANs"),
    ],
)
def test_what_an_export_cannot_say(edits, message):
    with pytest.raises(CannotEdit, match=message):
        in_export(export(interface("p1", **ACCESS)), edits)
    with pytest.raises(CannotEdit, match="the VLAN table is not written in this file"):
        in_export('{"openconfig-interfaces:interfaces": {}}', Edits(vlans={10: Vlan(10, "")}))


KEYS = st.dictionaries(
    st.sampled_from(["access", "voice", "native", "label", "stance"]),
    st.none() | st.sampled_from(["7", "none", "x"]),
    min_size=1,
)
FLOWS = st.booleans()


@given(
    st.lists(
        st.dictionaries(st.sampled_from(["access", "voice", "native", "label"]), st.integers(1, 99)),
        min_size=1,
        max_size=3,
    ),
    FLOWS,
    FLOWS,
    st.dictionaries(st.integers(0, 5), KEYS, min_size=1),
)
def test_whatever_is_set_is_what_is_read_and_nothing_else(entries, outer, inner, wanted):
    """Entries of two ports each, in either style of YAML; the file read by a YAML parser is what was asked for."""
    said = {f"{2 * i}-{2 * i + 1}": e for i, e in enumerate(entries)}
    body = {k: yaml.safe_dump(v, default_flow_style=True).strip() for k, v in said.items()}
    if outer:
        text = "ports: {" + ", ".join(f"{k}: {v}" for k, v in body.items()) + "}\n"
    elif inner:
        text = "ports:\n" + "".join(f"  {k}: {v}  # note\n" for k, v in body.items())
    else:
        text = yaml.safe_dump({"ports": said})
    wanted = {str(p): keys for p, keys in wanted.items() if p < 2 * len(entries)}
    before = ports_of(text)
    expected = {
        p: {k: str(v) for k, v in {**e, **wanted.get(p, {})}.items() if v is not None} for p, e in before.items()
    }
    assert ports_of(in_switch_file(text, Edits(wanted))) == expected


def ports_of(text):
    found = {}
    for name, keys in yaml.safe_load(text)["ports"].items():
        for part in str(name).split(","):
            first, _, last = part.partition("-")
            for p in range(int(first), int(last or first) + 1):
                found[str(p)] = {k: str(v) for k, v in (keys or {}).items()}
    return found
