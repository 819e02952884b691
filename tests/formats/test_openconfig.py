"""OpenConfig as exporters write it: strict, sloppy, and wrapped by each transport."""

import base64
import json

import pytest

import inkov
from inkov.formats.openconfig.wrappers import is_openconfig
from inkov.model.names import PortRef
from inkov.model.switch import Access, Routed, Trunk, Unstated, Vlan
from inkov.model.vlanset import ALL, VlanSet

STRICT = {
    "openconfig-system:system": {"config": {"hostname": "kelp"}},
    "openconfig-interfaces:interfaces": {
        "interface": [
            {
                "name": "p1",
                "config": {
                    "name": "p1",
                    "type": "iana-if-type:ethernetCsmacd",
                    "description": "tank",
                    "enabled": False,
                },
                "openconfig-if-ethernet:ethernet": {
                    "openconfig-vlan:switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": 10}}
                },
            },
            {
                "name": "p2",
                "config": {"name": "p2", "type": "iana-if-type:ethernetCsmacd"},
                "openconfig-if-ethernet:ethernet": {
                    "openconfig-vlan:switched-vlan": {
                        "config": {"interface-mode": "TRUNK", "native-vlan": 5, "trunk-vlans": [5, "10..12", 20]}
                    }
                },
            },
        ]
    },
    "openconfig-network-instance:network-instances": {
        "network-instance": [
            {
                "name": "default",
                "config": {"name": "default", "type": "openconfig-network-instance-types:DEFAULT_INSTANCE"},
                "vlans": {
                    "vlan": [
                        {"vlan-id": 5, "config": {"vlan-id": 5, "name": "native"}},
                        {"vlan-id": 10, "config": {"vlan-id": 10, "name": "tanks", "status": "SUSPENDED"}},
                    ]
                },
            }
        ]
    },
}


def read(tmp_path, document, name="x.json"):
    text = document if isinstance(document, str) else json.dumps(document)
    (tmp_path / name).write_text(text)
    (switch,) = inkov.load(tmp_path / name).switches.values()
    return switch


def facts(switch):
    return {n: (p.switching, p.enabled, p.label) for n, p in switch.ports.items()}, switch.vlans, switch.name


def test_strict_document(tmp_path):
    ports, vlans, name = facts(read(tmp_path, STRICT))
    assert name == "kelp"
    assert ports == {
        "p1": (Access(10), False, "tank"),
        "p2": (Trunk(5, VlanSet.parse("5,10-12,20")), True, ""),
    }
    assert vlans == {5: Vlan(5, "native"), 10: Vlan(10, "tanks", active=False)}


def renamed(node, rename):
    if isinstance(node, dict):
        return {rename(k): renamed(v, rename) for k, v in node.items()}
    return [renamed(v, rename) for v in node] if isinstance(node, list) else node


@pytest.mark.parametrize(
    "rename",
    [
        lambda k: k.rpartition(":")[2],
        lambda k: k if ":" in k else f"oc-x:{k}",
        lambda k: k.replace("openconfig-", "oc-"),
    ],
    ids=["no modules", "modules everywhere", "short prefixes"],
)
def test_names_may_be_qualified_in_any_way(tmp_path, rename):
    assert facts(read(tmp_path, renamed(STRICT, rename))) == facts(read(tmp_path, STRICT))


def test_state_fills_what_config_leaves_out(tmp_path):
    def to_state(k):
        return "state" if k == "config" else k

    assert facts(read(tmp_path, renamed(STRICT, to_state))) == facts(read(tmp_path, STRICT))


@pytest.mark.parametrize(
    ("said", "tags"),
    [
        ("TPID_0X8100", "802.1Q"),
        ("openconfig-vlan-types:TPID_0x88a8", "802.1ad"),
        ("oc-vlan-types:TPID_0x8A88", "802.1ad"),
        ("TPID_0x9100", "0x9100"),
        ("TPID_0X9200", "0x9200"),
        ("TPID_ANY", "negotiated"),
    ],
)
def test_tag_protocols_of_ports_and_of_whole_tables(tmp_path, said, tags):
    document = json.loads(json.dumps(STRICT))
    p1, p2 = document["openconfig-interfaces:interfaces"]["interface"]
    p2["config"]["openconfig-vlan:tpid"] = said
    assert [p.tag_format for p in read(tmp_path, document).ports.values()] == ["802.1Q", tags]
    del p2["config"]["openconfig-vlan:tpid"]
    p1["config"]["openconfig-vlan:tpid"] = "TPID_0X9100"
    (instance,) = document["openconfig-network-instance:network-instances"]["network-instance"]
    for vlan in instance["vlans"]["vlan"]:
        vlan["config"]["tpid"] = said
    assert [p.tag_format for p in read(tmp_path, document).ports.values()] == ["0x9100", tags]


def test_tag_protocols_that_nobody_knows_or_that_differ_within_a_table_are_told(tmp_path):
    document = json.loads(json.dumps(STRICT))
    document["openconfig-interfaces:interfaces"]["interface"][1]["config"]["tpid"] = "TPID_0X1234"
    (instance,) = document["openconfig-network-instance:network-instances"]["network-instance"]
    instance["vlans"]["vlan"][1]["config"]["tpid"] = "TPID_0X88A8"
    with pytest.raises(inkov.BadInput) as told:
        read(tmp_path, document)
    assert [p.what for p in told.value.problems] == [
        "'TPID_0X1234' is not a tag protocol; expected one of: "
        "TPID_0X8100, TPID_0X88A8, TPID_0X9100, TPID_0X9200, TPID_ANY",
        "VLANs of one switch are tagged in several formats, 802.1Q and 802.1ad: only one a switch, or one a port, can be followed",
    ]


def test_lists_may_be_objects_or_single_entries(tmp_path):
    document = json.loads(json.dumps(STRICT))
    interfaces = document["openconfig-interfaces:interfaces"]
    interfaces["interface"] = {i["name"]: {k: v for k, v in i.items() if k != "name"} for i in interfaces["interface"]}
    instances = document["openconfig-network-instance:network-instances"]
    instances["network-instance"] = instances["network-instance"][0]
    assert facts(read(tmp_path, document)) == facts(read(tmp_path, STRICT))


def gnmi(encode):
    prefix = {"target": "kelp"}
    updates = [
        {
            "path": "/interfaces/interface[name=p1]/config",
            "val": encode({"openconfig-interfaces:name": "p1", "enabled": False, "description": "tank"}),
        },
        {
            "path": {
                "elem": [
                    {"name": "interfaces"},
                    {"name": "interface", "key": {"name": "p1"}},
                    {"name": "ethernet"},
                    {"name": "openconfig-vlan:switched-vlan"},
                ]
            },
            "val": encode({"config": {"interface-mode": "ACCESS", "access-vlan": 10}}),
        },
        {
            "path": "/interfaces/interface[name=p2]/ethernet/switched-vlan/config/interface-mode",
            "val": {"stringVal": "TRUNK"},
        },
        {"path": "/interfaces/interface[name=p2]/ethernet/switched-vlan/config/native-vlan", "val": {"uintVal": "5"}},
        {
            "path": "/interfaces/interface[name=p2]/ethernet/switched-vlan/config/trunk-vlans",
            "val": {"leaflistVal": {"element": [{"uintVal": 5}, {"stringVal": "10..12"}, {"uintVal": 20}]}},
        },
        {
            "path": "/network-instances/network-instance[name=default]/vlans",
            "val": encode(STRICT["openconfig-network-instance:network-instances"]["network-instance"][0]["vlans"]),
        },
    ]
    return {"prefix": prefix, "timestamp": "1", "update": updates}


def as_is(value):
    return {"jsonIetfVal": value}


def in_base64(value):
    return {"jsonIetfVal": base64.b64encode(json.dumps(value).encode()).decode()}


WRAPPED = {
    "restconf data": {"ietf-restconf:data": STRICT},
    "plain data": {"data": STRICT},
    "two roots in a stream": "\n".join(json.dumps({k: v}) for k, v in STRICT.items()),
    "gnmi get": {"notification": [gnmi(as_is)]},
    "gnmi get, base64": {"notification": [gnmi(in_base64)]},
    "gnmi subscribe": json.dumps({"update": gnmi(as_is)}) + '\n{"syncResponse": true}',
    "gnmi, a notification a line": json.dumps(gnmi(as_is)),
}


@pytest.mark.parametrize("form", WRAPPED)
def test_wrappers_of_the_transports(tmp_path, form):
    assert facts(read(tmp_path, WRAPPED[form])) == facts(read(tmp_path, STRICT))


def test_restconf_resource_takes_its_name_from_the_file(tmp_path):
    one = {"openconfig-interfaces:interface": STRICT["openconfig-interfaces:interfaces"]["interface"]}
    switch = read(tmp_path, one, "pump-loft.json")
    assert switch.name == "pump-loft"
    assert switch.vlans is None
    assert list(switch.ports) == ["p1", "p2"]


def test_what_is_not_said_is_not_guessed(tmp_path):
    switch = read(
        tmp_path,
        {
            "openconfig-interfaces:interfaces": {
                "interface": [
                    {"name": "bare", "config": {"name": "bare"}},
                    {"name": "open", "ethernet": {"switched-vlan": {"config": {"interface-mode": "TRUNK"}}}},
                    {
                        "name": "empty",
                        "ethernet": {"switched-vlan": {"config": {"interface-mode": "TRUNK", "trunk-vlans": []}}},
                    },
                    {"name": "unsaid", "ethernet": {"switched-vlan": {"config": {"interface-mode": "ACCESS"}}}},
                    {
                        "name": "r",
                        "subinterfaces": {
                            "subinterface": [{"index": 0, "ipv4": {"addresses": {"address": [{"ip": "192.0.2.1"}]}}}]
                        },
                    },
                    {"name": "v10", "config": {"type": "iana-if-type:l3ipvlan"}},
                ]
            }
        },
    )
    assert {n: p.switching for n, p in switch.ports.items()} == {
        "bare": Unstated(),
        "open": Trunk(None, ALL, native_stated=False),
        "empty": Trunk(None, ALL, native_stated=False),
        "unsaid": Access(None),
        "r": Routed((None,)),
    }


def test_text_for_numbers_is_read_with_a_note(tmp_path, inkov):
    text = json.dumps(STRICT).replace('"access-vlan": 10', '"access-vlan": "10"').replace('"10..12"', '"10-12"')
    strict = facts(read(tmp_path, STRICT))
    assert facts(read(tmp_path, text)) == strict
    at = "/interfaces/interface[name={}]/ethernet/switched-vlan/config"
    assert inkov("ports", "x.json").err.splitlines() == [
        f"note: x.json: {at.format('p1')}/access-vlan is text, read as a number",
        f"note: x.json: {at.format('p2')}/trunk-vlans: '10-12' is not the standard form; expected \"310..330\" for a range",
    ]


def test_aggregate_takes_its_members_from_the_ports(tmp_path):
    lag = {"name": "lag1", "config": {"name": "lag1", "type": "iana-if-type:ieee8023adLag"}}
    lag["openconfig-if-aggregate:aggregation"] = {
        "openconfig-vlan:switched-vlan": {"config": {"interface-mode": "TRUNK"}}
    }
    ports = [
        {"name": n, "openconfig-if-ethernet:ethernet": {"config": {"openconfig-if-aggregate:aggregate-id": "lag1"}}}
        for n in ("p10", "p9")
    ]
    switch = read(tmp_path, {"openconfig-interfaces:interfaces": {"interface": [*ports, lag]}})
    assert switch.ports["lag1"].members == ("p9", "p10")
    assert switch.ports["p9"].lag == "lag1"


@pytest.mark.parametrize("value", [[], {}, {"edge_ports": {}}, {"interfaces": []}, {"update": [1]}, 7, [[["x"]]]])
def test_other_json_is_not_taken_for_openconfig(value):
    assert not is_openconfig(value)


def test_neighbour_names_may_be_full_or_short(tmp_path):
    def switch(name, far, far_port):
        return {
            "openconfig-system:system": {"config": {"hostname": name}},
            "openconfig-interfaces:interfaces": {"interface": [{"name": "p1"}]},
            "openconfig-lldp:lldp": {
                "interfaces": {
                    "interface": [
                        {
                            "name": "p1",
                            "neighbors": {
                                "neighbor": [{"id": "1", "state": {"system-name": far, "port-id": far_port}}]
                            },
                        }
                    ]
                }
            },
        }

    (tmp_path / "a.json").write_text(json.dumps(switch("a.campus.example", "B", "p1")))
    (tmp_path / "b.json").write_text(json.dumps(switch("b.campus.example", "nobody", "x")))
    from inkov.api import network

    links = network(inkov.load(tmp_path)).links
    assert [(k.a, k.b) for k in links] == [(PortRef("a.campus.example", "p1"), PortRef("b.campus.example", "p1"))]
