"""Files of one device are merged by the table of facts: parts add up, contradictions are not known, names of files decide nothing."""

import json
from dataclasses import fields, replace

import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
from conftest import write_files
from inkov.formats.entry import Entry
from inkov.formats.grouping import Piece
from inkov.formats.merging import merged
from inkov.kinds.accounts import with_voice
from inkov.model.facts import TABLES
from inkov.model.routing import Gateway
from inkov.model.settings import Setting
from inkov.model.source import Origin
from inkov.model.switch import Access, Port, Trunk
from inkov.model.vlanset import VlanSet
from strategies import managed

WHOLE = """\
inkov: switch
name: S
role: edge
mac: 00:00:5e:00:53:01
vlans: {10: a, 20: b, 30: c}
tree: {protocol: rstp, priority: 4096}
sync: {group: g, role: relay}
routing: true
routes: [{to: 203.0.113.0/24, via: 192.0.2.2}, {to: 198.51.100.0/24, via: 192.0.2.2}]
filters: {in: [{action: drop, from: 192.0.2.0/27}], out: [{action: accept}]}
gateways: {10: 192.0.2.1/27, 20: 192.0.2.33/27, 30: 192.0.2.65/27}
neighbours: {3: T 1, 4: T 2}
lacks: [private-vlans, tunnels]
limits: {vid: 1000, lags: 4}
pruning: true
assume: {own-tag: drop, tagged-native: accept}
ports: {1: {access: 10}, 2: {access: 20}, 3: {trunk: '10,20', native: none}, 4: {trunk: all, native: 30}}
"""
KEYS = [k for k in yaml.safe_load(WHOLE) if k not in {"inkov", "name", "vlans", "ports", "neighbours", "filters"}]
LISTED = ["routes", "lacks"]
KEYED = ["gateways", "limits", "assume"]


@pytest.mark.parametrize("holder", TABLES, ids=lambda c: c.__name__)
def test_every_field_of_the_model_has_a_row(holder):
    assert [f.field for f in TABLES[holder] if f.field not in {x.name for x in fields(holder)}] == []
    missing = {f.name for f in fields(holder)} - {f.field for f in TABLES[holder]}
    assert missing <= {"name", "origin"}


@st.composite
def cut(draw):
    """A switch file cut into two: each key on one side, or its entries on both."""
    one, other = yaml.safe_load(WHOLE), {"inkov": "switch", "name": "S"}
    for key in KEYS:
        whole = one[key]
        if key in LISTED:
            taken = [x for x in whole if draw(st.booleans())]
            kept = [x for x in whole if x not in taken]
        elif key in KEYED:
            taken = {k: v for k, v in whole.items() if draw(st.booleans())}
            kept = {k: v for k, v in whole.items() if k not in taken}
        else:
            taken, kept = (whole, None) if draw(st.booleans()) else (None, whole)
        for part, some in ((other, taken), (one, kept)):
            part.pop(key, None)
            if some:
                part[key] = some
    return one, other


@settings(max_examples=60)
@given(cut(), st.permutations(["a.yaml", "b.yaml"]))
def test_a_file_cut_into_two_parts_is_the_device(tmp_path_factory, parts, names):
    folder = write_files(
        tmp_path_factory.mktemp("cut"), {n: yaml.safe_dump(p) for n, p in zip(names, parts, strict=True)}
    )
    whole = inkov.load(write_files(tmp_path_factory.mktemp("whole"), {"s.yaml": WHOLE})).switches["S"]
    campus = inkov.load(folder)
    assert campus.contradictions == ()
    got = campus.switches["S"]
    in_order = {"routes": str, "gateways": lambda g: g.key, "lacks": str}
    for name, key in in_order.items():
        got = replace(got, **{name: tuple(sorted(getattr(got, name), key=key))})
        whole = replace(whole, **{name: tuple(sorted(getattr(whole, name), key=key))})
    assert got == whole


WRITTEN = {"": "", **{s.key: s.key for s in Setting if s.key}}
"""The places of an object of which all is written."""


@settings(max_examples=60)
@given(managed(), st.data())
def test_names_and_order_of_files_decide_nothing(campus, data):
    """Three accounts of each device, under names in any order, make the same switch."""
    pieces = []
    for switch in campus.switches.values():
        for n, told in enumerate(
            data.draw(st.lists(st.sampled_from(list(campus.switches.values())), min_size=3, max_size=3))
        ):
            ports = {k: replace(p, origin=Origin(f"{n}", "", WRITTEN)) for k, p in told.ports.items()}
            entry = Entry(replace(told, name=switch.name, ports=ports, origin=Origin(f"{n}", "", WRITTEN)))
            pieces.append((entry, n))
    made = []
    for names in (data.draw(st.permutations("abc")), data.draw(st.permutations("abc"))):
        some = [Piece(entry, names[n], "SNMP walks", 6) for entry, n in data.draw(st.permutations(pieces))]
        made.append(merged(some))
    for name, switch in made[0].switches.items():
        one, other = _unworded(switch), _unworded(made[1].switches[name])
        differ = {f.name: (getattr(one, f.name), getattr(other, f.name)) for f in fields(one) if f.name != "origin"}
        assert {n: pair for n, pair in differ.items() if pair[0] != pair[1]} == {}


def _unworded(switch):
    """A switch without the words of its doubts, which name files, and with the tables that it may have in any order."""
    ports = {n: replace(p, doubt=bool(p.doubt)) for n, p in switch.ports.items()}
    tables = sorted(str(sorted(t.items())) for t in switch.other_tables)
    gateways = tuple(sorted((replace(g, doubt=bool(g.doubt)) for g in switch.gateways), key=lambda g: g.key))
    return replace(switch, ports=ports, other_tables=tuple(tables), doubt=bool(switch.doubt), gateways=gateways)


def test_an_export_cut_by_its_containers_is_the_device(tmp_path, quillfin):
    export = json.loads((quillfin / "mended" / "exports" / "watchtower-a.json").read_text("utf-8"))
    whole = inkov.load(write_files(tmp_path / "whole", {"watchtower-a.json": json.dumps(export)}))
    for n, name in enumerate(export):
        rest = {k: v for k, v in export.items() if k != name}
        part = f"watchtower-a-{name.partition(':')[2]}.json"
        files = {"watchtower-a.json": json.dumps(rest), part: json.dumps({name: export[name]})}
        campus = inkov.load(write_files(tmp_path / f"{n}", files))
        assert campus.switches == whole.switches, name


FILTERS = "filters: {f: [{action: drop}], g: [{action: accept}]}\n"
A, B = (
    "inkov: switch\nname: S\nvlans: {10: a, 20: b}\nports: {1: {access: 10}, 2: {access: 20}}\n",
    "inkov: switch\nname: S\n",
)


@pytest.mark.parametrize(
    ("first", "second", "says"),
    [
        ("ports: {1: {enabled: true}}\n", "ports: {1: {enabled: false}}\n", "S:1 enabled on off"),
        ("ports: {1: {stance: active}}\n", "ports: {1: {stance: silent}}\n", "S:1 stance active silent"),
        ("ports: {1: {tags: a}}\n", "ports: {1: {tags: b}}\n", "S:1 tags a b"),
        ("tree: {priority: 4096}\n", "tree: {priority: 8192}\n", "S tree/priority 4096 8192"),
        ("routing: true\n", "routing: false\n", "S routing on off"),
        ("sync: {group: g}\n", "sync: {group: h}\n", "S sync/group g h"),
        ("assume: {own-tag: drop}\n", "assume: {own-tag: accept}\n", "S assume own-tag off own-tag on"),
        (
            "filters: {f: [{action: drop}]}\n",
            "filters: {f: [{action: accept}]}\n",
            "S filters f: ✗ any → any f: ✓ any → any",
        ),
        (
            f"gateways: {{10: {{address: 192.0.2.1/27, in: f}}}}\n{FILTERS}",
            f"gateways: {{10: {{address: 192.0.2.1/27, in: g}}}}\n{FILTERS}",
            "S gateways vlan 10: inward f vlan 10: inward g",
        ),
    ],
)
def test_what_contradicts_is_not_known_and_told_whatever_the_files_are_called(tmp_path, first, second, says):
    for n, names in enumerate((("a.yaml", "b.yaml"), ("b.yaml", "a.yaml"))):
        files = {"s.yaml": A, **{name: B + more for name, more in zip(names, (first, second), strict=True)}}
        (found,) = inkov.load(write_files(tmp_path / f"{n}", files)).contradictions
        told = [
            found.place,
            found.setting.key,
            *(sorted((found.says[0], found.but[0])) if n else (found.says[0], found.but[0])),
        ]
        assert sorted(" ".join(told).split()) == sorted(says.split())
        assert not found.settled
    over = {"s.yaml": A, "a.yaml": B + first, "b.yaml": B + "overrides: true\n" + second}
    assert inkov.load(write_files(tmp_path / "over", over)).contradictions == ()


def test_a_proof_does_not_rest_on_what_contradicts(tmp_path):
    joined = "inkov: switch\nname: T\nvlans: {20: b}\nports: {1: {access: 20}, 2: {access: 20}}\n"
    campus = "inkov: campus\nname: x\ncables: [S 1 - T 1]\n"
    for n, (first, second) in enumerate((("true", "false"), ("false", "true"))):
        files = {"campus.yaml": campus, "t.yaml": joined, "s.yaml": A.replace("1: {", "3: {access: 10}, 1: {")}
        files |= {f"{k}.yaml": f"{B}ports: {{1: {{enabled: {v}}}}}\n" for k, v in (("a", first), ("b", second))}
        (verdict,) = inkov.prove(inkov.load(write_files(tmp_path / f"{n}", files)), ["apart 10 20 layer 2"])
        assert isinstance(verdict.outcome, inkov.CannotTell)
        off, on = ("b", "a") if n == 0 else ("a", "b")
        assert verdict.outcome.missing == (f"S:1: enabled: {off}.yaml:3 says off, {on}.yaml:3 says on",)


def test_two_boxes_of_one_name_and_two_addresses_are_two(tmp_path):
    walk = (
        '.1.3.6.1.2.1.1.5.0 = STRING: "hall"\n.1.3.6.1.2.1.17.1.1.0 = Hex-STRING: 00 00 5E 00 53 {0}\n'
        '.1.3.6.1.2.1.31.1.1.1.1.1 = STRING: "1"\n'
    )
    campus = inkov.load(write_files(tmp_path, {"a.walk": walk.format("01"), "b.walk": walk.format("02")}), strict=False)
    assert [(p.source.file, p.what) for p in campus.unread] == [
        (
            "b.walk",
            "'hall' is another device than the one of a.walk, though called the same: their addresses are 00:00:5e:00:53:02 and "
            "00:00:5e:00:53:01; give each a name of its own",
        )
    ]


@pytest.mark.parametrize(
    "listed",
    [Trunk(10, VlanSet([10, 30])), Access(10)],
    ids=["a trunk of its native VLAN and one tag", "an access port"],
)
def test_a_port_with_a_voice_vlan_is_an_access_port_with_a_phone(listed):
    port = Port(name="1", switching=listed, origin=Origin("", "", {}))
    assert with_voice(port, 30).switching == Access(10, 30)


def test_a_walk_that_lists_a_phones_vlan_contradicts_nothing(tmp_path):
    export = {
        "openconfig-system:system": {"config": {"hostname": "S"}},
        "openconfig-vlan:vlans": {"vlan": [{"vlan-id": v, "config": {"vlan-id": v}} for v in (10, 30)]},
        "openconfig-interfaces:interfaces": {
            "interface": [
                {
                    "name": "1",
                    "config": {"name": "1", "type": "ethernetCsmacd"},
                    "ethernet": {
                        "switched-vlan": {
                            "config": {"interface-mode": "TRUNK", "native-vlan": 10, "trunk-vlans": [10, 30]}
                        }
                    },
                }
            ]
        },
    }
    files = {"s.json": json.dumps(export), "s.yaml": B + "ports: {1: {voice: 30}}\n"}
    campus = inkov.load(write_files(tmp_path, files))
    assert (campus.switches["S"].ports["1"].switching, campus.contradictions) == (Access(10, 30), ())


@pytest.mark.parametrize("swapped", [False, True])
def test_the_most_specific_pattern_wins_key_by_key(tmp_path, swapped):
    are = [
        "  '*': {role: any, tree: {protocol: rstp, priority: 61440}}\n",
        "  S: {role: core, tree: {priority: 4096}}\n",
    ]
    files = {
        "campus.yaml": "inkov: campus\nname: x\nswitches-are:\n" + "".join(are[::-1] if swapped else are),
        "s.yaml": A,
        "t.yaml": A.replace("name: S", "name: T\ntree: {priority: 8192}"),
    }
    made = inkov.load(write_files(tmp_path, files)).switches
    assert [(s.role, s.tree.protocol.value, s.tree.priority) for s in made.values()] == [
        ("core", "rstp", 4096),
        ("any", "rstp", 8192),
    ]


def test_gateways_of_several_files_add_up():
    rows = {f.field for f in TABLES[Gateway]}
    assert {"inward", "outward", "addresses", "virtual", "enabled", "vrf"} <= rows
