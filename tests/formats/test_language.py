"""Every example of docs/language.md is read as it stands, and means what the text around it says."""

import json
import re
from pathlib import Path

import jsonschema
import pytest
import yaml

import inkov
from inkov.formats.ours.change_file import read, steps
from inkov.formats.ours.fields import port_names
from inkov.model.campus import Apart, Facing, Together
from inkov.model.errors import BadInput
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.switch import Access, Bridged, Habits, Kind, Trunk, Vlan
from inkov.model.tree import PortTree, Protocol, SyncRole
from inkov.model.vlanset import VlanSet

DOCS = Path(__file__).parents[2] / "docs" / "language.md"
EXAMPLES = re.findall(r"```yaml\n(.*?)```", DOCS.read_text("utf-8"), re.DOTALL)
(
    SEAL_WARD,
    ADDS,
    KINDS,
    TREE,
    SYNC,
    ROUTES,
    LAB_BRIDGE,
    NET_LOFT,
    LIGHTHOUSE,
    POOL_HUB,
    HABITS,
    SMALL_BOX,
    CAMPUS,
    ARE,
    CHANGE,
) = EXAMPLES
SWITCHES = [SEAL_WARD, KINDS, TREE, SYNC, ROUTES, LAB_BRIDGE, NET_LOFT, LIGHTHOUSE, POOL_HUB, HABITS, SMALL_BOX]


def load(site, text):
    return inkov.load(site({"x.yaml": text}))


def test_a_file_that_adds_to_a_walk(site):
    walk = '.1.3.6.1.2.1.1.5.0 = STRING: "kelp-hall"\n' + "".join(
        f'.1.3.6.1.2.1.31.1.1.1.1.{n} = STRING: "{n}"\n.1.3.6.1.2.1.17.1.4.1.2.{n} = INTEGER: {n}\n'
        for n in range(1, 25)
    )
    switch = inkov.load(site({"adds.yaml": ADDS, "kelp-hall.walk": walk})).switches["kelp-hall"]
    assert (switch.role, len(switch.ports)) == ("edge", 24)
    assert {(p.stance.value, p.tree.edge, p.switching) for p in switch.ports.values()} == {
        ("silent", True, Access(None, 390))
    }


def test_tree_example(site):
    switch = load(site, TREE).switches["watchtower"]
    tree = switch.tree
    assert (tree.protocol, tree.priority, tree.own, tree.wide_costs) == (Protocol.MSTP, 4096, {2: 8192}, True)
    assert str(tree.region.vlans(2)) == "340,390"
    assert 305 in tree.region.vlans(0)
    port = switch.ports["u1"]
    assert (port.speed, port.tree) == (10_000, PortTree(None, 1500, 64, 7, runs=True, own=((2, 900, None),)))
    assert switch.ports["3"].tree.edge
    assert not switch.ports["u2"].tree.runs


def test_examples_of_what_a_box_lacks(site):
    switch = load(site, SMALL_BOX).switches["small-box"]
    assert (switch.lacks, switch.limits) == (("private-vlans", "tunnels"), {"vid": 1000, "vlans": 64, "lags": 4})
    hall = "inkov: switch\nname: kelp-hall-1\nvlans: {310: x, 390: y}\nports: {1-9: {access: 310}}\n"
    made = inkov.load(site({"campus.yaml": ARE, "x.yaml": hall})).switches["kelp-hall-1"]
    assert (made.role, made.tree.protocol, made.lacks) == ("edge", Protocol.RSTP, ("private-vlans",))
    assert [p.switching.voice for p in made.ports.values()] == [390] * 8 + [None]


def test_sync_example(site):
    switch = load(site, SYNC).switches["harbour-core"]
    assert (switch.sync.group, switch.sync.role, switch.sync.generation) == ("quillfin", SyncRole.AUTHOR, 41)
    assert "low tide" not in repr(switch)
    assert str(switch.sync.spread) == "1-1000"
    assert switch.prunes
    registration = switch.ports["u1"].registration
    assert (str(registration.normal), str(registration.forbidden)) == ("370", "350")


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("tree: {protocol: rstp, region: {name: a}}", "'region' belongs to protocol mstp"),
        ("tree: {protocol: fast}", "'fast' is not"),
        ("tree: {priority: 99999}", "99999 is no bridge priority"),
        ("tree: {protocol: mstp, region: {name: a, instances: {1: 10, 2: 10-20}}}", "VLAN 10 in two instances"),
        ("sync: {group: a, role: king}", "'king' is not"),
        ("ports: {1: {speed: fast}}", "'fast' is not a speed"),
        ("ports: {1: {edge: 7}}", "'7' is none of true, false and auto"),
        ("ports: {1: {tree: {cost: 0}}}", "0 is no path cost"),
        ("ports: {1: {registration: {fixed: 10, forbidden: 10}}}", "VLAN 10 both fixed and forbidden"),
    ],
)
def test_wrong_trees_and_groups_say_so(site, text, what):
    with pytest.raises(BadInput) as error:
        load(site, f"inkov: switch\nname: a\nvlans: {{10: }}\n{text}\n")
    assert what in str(error.value)
    assert "x.yaml:4" in str(error.value)


def test_switch_example(site):
    switch = load(site, SEAL_WARD).switches["seal-ward"]
    assert switch.vlans[330] == Vlan(330, "vet-records", active=False)
    assert switch.vlans[1].active
    assert list(switch.ports)[:15] == [str(n) for n in range(1, 16)]
    assert switch.ports["12"].switching == Access(310)
    assert switch.ports["12"].label == "tank rail"
    assert switch.ports["14"].switching == Access(1)
    assert switch.ports["14"].origin.of(Setting.ACCESS).default
    assert switch.ports["u1"].switching == Trunk(990, VlanSet.parse("310-330,340"))
    assert switch.ports["u1"].switching.spelling == "310-330,340"
    assert switch.ports["u1"].origin.of(Setting.ALLOWED).line == 16
    assert switch.ports["u2"].switching == Trunk(None, VlanSet.parse("all but 320"))
    assert not switch.ports["u2"].enabled
    assert switch.ports["core"].members == ("u3", "u4")
    assert (switch.heard[0].system, switch.heard[0].far_port) == ("watchtower", "a3")


def test_every_kind_of_port_of_the_example(site):
    ports = load(site, KINDS).switches["kinds"].ports
    assert [type(p.switching).__name__ for p in ports.values()] == [
        *("Access", "Trunk", "Trunk", "Negotiated", "Trunk", "General", "PrivateHost", "Promiscuous", "Tunnel")
    ]
    assert not inkov.audit(load(site, HABITS))


def test_other_devices_of_the_examples(site):
    assert load(site, NET_LOFT).switches["net-loft"].ports["u1"].switching == Bridged(None, ((370, 370), (1380, 380)))
    assert load(site, LIGHTHOUSE).switches["lighthouse"].kind is Kind.ROUTER
    assert load(site, POOL_HUB).switches["pool-hub"].kind is Kind.UNMANAGED
    assert load(site, HABITS).switches["habits"].habits == Habits()


def test_routes_and_filters_of_the_example(site):
    switch = load(site, ROUTES).switches["harbour-core"]
    assert [(g.vid, g.shown, g.inward, g.outward, g.vrf) for g in switch.gateways] == [
        (305, "192.0.2.3/27", "", "", ""),
        (340, "198.51.100.33/27, 2001:db8:340::1/64", "", "guard-research", ""),
        (350, "192.0.2.97/27", "visitors", "", "guests"),
    ]
    assert [str(e) for e in switch.filters["visitors"].entries] == [
        "✗ any → 198.51.100.0/24",
        "✓ any → 192.0.2.0/24, tcp to 443",
        "✗ any → any",
    ]
    assert (str(switch.routes[0].prefix), str(switch.routes[0].via), switch.routing) == ("0.0.0.0/0", "192.0.2.1", True)


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("gateways: {10: 192.0.2.1}", "'192.0.2.1' has no prefix length; expected one such as 192.0.2.1/27"),
        ("gateways: {10: {address: 192.0.2.1/27, in: nix}}", "filter 'nix' is not under filters"),
        ("routes: [{to: 192.0.2.1/27, via: 192.0.2.2}]", "'192.0.2.1/27' is no prefix; 192.0.2.0/27 was meant?"),
        ("routes: [{to: 192.0.2.0/27, via: next}]", "'next' is not an address"),
        ("filters: {a: [{action: pass}]}", "'pass' is not allowed; expected 'accept' or 'drop'"),
    ],
)
def test_wrong_layer_3_says_so(site, text, what):
    with pytest.raises(BadInput) as error:
        load(site, f"inkov: switch\nname: a\nvlans: {{10: }}\n{text}\n")
    assert what in str(error.value)
    assert "x.yaml:4" in str(error.value)


def test_box_without_a_table(site):
    assert load(site, LAB_BRIDGE).switches["lab-bridge"].vlans is None


def test_campus_example(site):
    ends = {"watchtower": ("a1", "x"), "kelp-hall": ("u1", "y")}
    files = {
        f"switches/{name}.yaml": f"inkov: switch\nname: {name}\nvlans: {{360: tills}}\nports: {{{port}: {{trunk: all}}}}\n"
        for name, (port, _) in ends.items()
    }
    export = {
        "openconfig-system:system": {"config": {"hostname": "z"}},
        "openconfig-interfaces:interfaces": {"interface": []},
    }
    campus = inkov.load(site({**files, "exports/z.json": json.dumps(export), "campus.yaml": CAMPUS}))
    assert campus.name == "Quillfin Marine Station"
    assert str(campus.hosts["till-1"].port) == "kelp-hall:u1"
    assert campus.switches["z"].habits.own_tag
    assert [(str(c.a), str(c.b)) for c in campus.cables] == [("kelp-hall:u1", "watchtower:a1")]
    assert [c.name for c in campus.claims] == [
        "card data stays apart",
        "all segments apart",
        "tills together",
        "archive, tills, kiosks apart",
        "tills, archive only through watchtower",
        "till-1, kiosks together",
        "tills, internet apart",
    ]
    assert campus.claims[3].pairs == [("archive", "tills"), ("archive", "kiosks")]
    assert campus.claims[4].through == ("watchtower",)
    assert campus.segments["desk"].ports == {PortRef("kelp-hall", "u1")}
    assert campus.claims[1] == Apart(
        "all segments apart",
        ("tills", "kiosks", "archive", "desk"),
        frozenset({frozenset({"kiosks", "archive"}), frozenset({"tills", "desk"})}),
        layers=frozenset({2}),
    )
    assert campus.claims[0].facing is Facing.HOSTILE
    assert campus.claims[2] == Together("tills together", ("tills",), 1)
    assert (str(campus.keep), campus.parking) == ("305", 999)


@pytest.mark.few(3)
@pytest.mark.parametrize(("example", "kind"), [*((text, "switch") for text in SWITCHES), (CAMPUS, "campus")])
def test_schema_accepts_the_example_and_refuses_a_slip(example, kind, inkov):
    schema = json.loads(inkov("schema", kind).out)
    jsonschema.Draft202012Validator.check_schema(schema)
    document = yaml.safe_load(example)
    document = json.loads(json.dumps(document, default=str))  # keys become text, as in JSON
    jsonschema.validate(document, schema)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({**document, "nmae": "x"}, schema)


def test_words_that_yaml_would_change_stay_text(site):
    text = "inkov: switch\nname: on\nvlans: {10: no, 20: 12:30, 30: 0x1F}\nports: {1: {access: 10, label: yes}}\n"
    switch = load(site, text).switches["on"]
    assert [v.name for v in switch.vlans.values() if v.vid > 1] == ["no", "12:30", "0x1F"]
    assert switch.ports["1"].label == "yes"


@pytest.mark.parametrize(
    ("pattern", "names"),
    [
        ("7", ["7"]),
        ("1-3", ["1", "2", "3"]),
        ("u2-u3", ["u2", "u3"]),
        ("1/0/1-2", ["1/0/1", "1/0/2"]),
        ("1,4,u1-2", ["1", "4", "u1", "u2"]),
        ("sfp-1", ["sfp-1"]),
        ("a1-b2", ["a1-b2"]),
    ],
)
def test_port_patterns(pattern, names):
    assert port_names(pattern) == names


def test_change_example(site, tmp_path):
    """Every step of the example is read; what this small site does not have is told step by step."""
    site({"a.yaml": SMALL})
    (tmp_path / "change.txt").write_text(CHANGE)
    document, lines, reading = read(tmp_path / "change.txt")
    assert document.from_ == "engineers-desk"
    with pytest.raises(inkov.BadInput) as caught:
        steps(document, lines, inkov.load(tmp_path), reading)
    assert [p.source.line for p in caught.value.problems] == list(range(6, 21))


SMALL = "inkov: switch\nname: a\nvlans: {10: x}\nports: {1: {access: 10}}\n"
