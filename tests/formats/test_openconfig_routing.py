"""Layer 3 of OpenConfig data: gateways, routes, filters and where they are bound."""

import json
import random

import pytest

import inkov
import writers
from conftest import run_inkov, write_files
from inkov.model.source import Touches
from inkov.model.switch import Routed
from inkov.proof.outcome import Broken, CannotTell, Proved


def address(ip, length):
    return {"addresses": {"address": [{"ip": ip, "config": {"ip": ip, "prefix-length": length}}]}}


def access(name, vid):
    return {
        "name": name,
        "config": {"name": name, "type": "iana-if-type:ethernetCsmacd", "enabled": True},
        "ethernet": {"switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": vid}}},
    }


def entry(number, action, source="", target="", **more):
    ends = {"source-address": source, "destination-address": target}
    made = {"sequence-id": number, "actions": {"config": {"forwarding-action": action}}}
    if source or target:
        made["ipv4"] = {"config": {k: v for k, v in ends.items() if v}}
    return {**made, **more}


def document(entries=(), bound="v10", side="ingress", families=("IPV4",)):
    kind = "openconfig-acl:ACL_IPV4"
    return {
        "system": {"config": {"hostname": "core"}},
        "interfaces": {
            "interface": [
                access("p1", 10),
                access("p2", 20),
                {
                    "name": "v10",
                    "config": {"type": "iana-if-type:l3ipvlan"},
                    "routed-vlan": {"config": {"vlan": 10}, "ipv4": address("192.0.2.1", 29)},
                },
                {
                    "name": "v20",
                    "config": {"type": "iana-if-type:l3ipvlan"},
                    "routed-vlan": {
                        "config": {"vlan": "guests"},
                        "ipv4": address("192.0.2.65", 29),
                        "ipv6": address("2001:db8::1", 64),
                    },
                },
                {
                    "name": "r1",
                    "config": {"name": "r1"},
                    "subinterfaces": {
                        "subinterface": [
                            {"index": 0, "ipv4": address("192.0.2.129", 30)},
                            {"index": 7, "vlan": {"config": {"vlan-id": "100.5"}}, "ipv4": address("192.0.2.133", 30)},
                            {
                                "index": 8,
                                "vlan": {"match": {"single-tagged": {"config": {"vlan-id": 101}}}},
                                "ipv4": address("192.0.2.137", 30),
                            },
                        ]
                    },
                },
            ]
        },
        "network-instances": {
            "network-instance": [
                {
                    "name": "default",
                    "config": {"type": "DEFAULT_INSTANCE", "enabled-address-families": list(families)},
                    "vlans": {
                        "vlan": [
                            {"vlan-id": 10, "config": {"vlan-id": 10}},
                            {"vlan-id": 20, "config": {"vlan-id": 20, "name": "guests"}},
                        ]
                    },
                    "protocols": {
                        "protocol": [
                            {
                                "identifier": "openconfig-policy-types:STATIC",
                                "name": "static",
                                "static-routes": {
                                    "static": [
                                        {
                                            "prefix": "0.0.0.0/0",
                                            "next-hops": {
                                                "next-hop": [{"index": "a", "config": {"next-hop": "192.0.2.130"}}]
                                            },
                                        }
                                    ]
                                },
                            }
                        ]
                    },
                },
                {
                    "name": "guests",
                    "config": {"type": "L3VRF"},
                    "interfaces": {"interface": [{"id": "r1.7", "config": {"interface": "r1", "subinterface": 7}}]},
                },
            ]
        },
        "acl": {
            "acl-sets": {"acl-set": [{"name": "f", "type": kind, "acl-entries": {"acl-entry": list(entries)}}]},
            "interfaces": {
                "interface": [
                    {
                        "id": "any text",
                        "interface-ref": {"config": {"interface": bound}},
                        f"{side}-acl-sets": {f"{side}-acl-set": [{"set-name": "f", "type": kind}]},
                    }
                ]
            },
        },
    }


def load(tmp_path, made, **how):
    (tmp_path / "core.json").write_text(json.dumps(made), "utf-8")
    return inkov.load(tmp_path, **how)


def test_gateways_routes_and_tables_are_read(tmp_path):
    switch = load(tmp_path, document()).switches["core"]
    assert [(g.vid, g.shown, g.port, g.vrf, g.inward) for g in switch.gateways] == [
        (10, "192.0.2.1/29", "", "", "f"),
        (20, "192.0.2.65/29", "", "", ""),  # the instance does not list IPv6
        (None, "192.0.2.129/30", "r1", "", ""),
        (100, "192.0.2.133/30", "r1", "guests", ""),
        (101, "192.0.2.137/30", "r1", "", ""),
    ]
    assert [bool(g.doubt) for g in switch.gateways] == [
        False,
        False,
        False,
        True,
        False,
    ]  # an inner tag is not followed
    assert switch.ports["r1"].switching == Routed((None, 100, 101))
    assert (switch.routing, switch.learns) == (True, "")
    assert [(str(r.prefix), str(r.via), r.vrf) for r in switch.routes] == [("0.0.0.0/0", "192.0.2.130", "")]


DROP = entry(30, "openconfig-acl:DROP")
TO_GUESTS = entry(10, "DROP", target="192.0.2.64/29")


@pytest.mark.parametrize(
    ("entries", "outcome"),
    [
        ([DROP], Broken),  # only one way is shut
        ([entry(20, "ACCEPT"), entry(10, "DROP")], Broken),  # by number, whatever the order: shut one way
        ([entry(10, "ACCEPT", transport={"config": {"destination-port": 443}}), DROP], Broken),
    ],
)
def test_filters_shut_one_way(tmp_path, entries, outcome):
    campus = load(tmp_path, document(entries))
    (verdict,) = inkov.prove(campus, ["apart 10 20"])
    assert isinstance(verdict.outcome, outcome)
    both = verdict.outcome.witnesses[0].both
    assert both == any("transport" in e for e in entries)


def test_what_is_not_stated_is_not_known(tmp_path):
    campus = load(
        tmp_path, document([entry(10, "DROP", source="192.0.2.64/29")], bound="v10", side="egress", families=())
    )
    (verdict,) = inkov.prove(campus, ["apart 10 20"])
    assert isinstance(verdict.outcome, CannotTell)
    assert "whether core routes is not stated" in verdict.outcome.missing
    closed = document([DROP], families=("IPV4",))
    closed["acl"]["interfaces"]["interface"][0]["egress-acl-sets"] = {
        "egress-acl-set": [{"set-name": "f", "type": "ACL_IPV4"}]
    }
    (verdict,) = inkov.prove(load(tmp_path, closed), ["apart 10 20"])
    assert isinstance(verdict.outcome, Proved)
    learning = document()
    learning["network-instances"]["network-instance"][0]["protocols"]["protocol"].append(
        {"identifier": "OSPF", "name": "1"}
    )
    assert load(tmp_path, learning).switches["core"].learns == "OSPF"


@pytest.mark.parametrize(
    ("change", "what"),
    [
        (
            lambda d: d["interfaces"]["interface"][2]["routed-vlan"]["config"].update(vlan="nobody"),
            "'nobody' is neither a VLAN number nor the name of one",
        ),
        (
            lambda d: d["acl"]["acl-sets"]["acl-set"][0]["acl-entries"]["acl-entry"].append(entry(1, "MAYBE")),
            "'MAYBE' is not an action",
        ),
        (
            lambda d: d["acl"]["acl-sets"]["acl-set"][0]["acl-entries"]["acl-entry"].append(
                entry(1, "DROP", "nowhere")
            ),
            "'nowhere' is not a prefix",
        ),
        (
            lambda d: d["interfaces"]["interface"][2]["routed-vlan"].update(ipv4=address("192.0.2.1", 99)),
            "192.0.2.1/99 is not an address with prefix length",
        ),
    ],
)
def test_wrong_layer_3_says_where(tmp_path, change, what):
    made = document()
    change(made)
    with pytest.raises(inkov.BadInput) as caught:
        load(tmp_path, made)
    assert what in str(caught.value)
    assert "core.json" in str(caught.value)


def by(name, number=None):
    return {"interface-ref": {"config": {"interface": name} | ({} if number is None else {"subinterface": number})}}


def hop(number, to=None, *, ref=None, **leaves):
    return {"index": number, "config": leaves | ({"next-hop": to} if to else {}), **(ref or {})}


def routed(*hops):
    made = document()
    made["local-routes"] = {
        "static-routes": {"static": [{"prefix": "198.51.100.0/24", "next-hops": {"next-hop": list(hops)}}]}
    }
    return made


@pytest.mark.parametrize(
    ("hops", "routes"),
    [
        ([hop("a", "openconfig-local-routing:DROP")], [("that drops", None)]),
        ([hop("a", "192.0.2.130", ref=by("r1", 0))], [("via 192.0.2.130 by r1 untagged", None)]),
        ([hop("a", ref=by("v20"))], [("by vlan 20", None)]),
        ([hop("a", "LOCAL_LINK", ref=by("r1", 8))], [("by r1 101", None)]),
        ([hop("a", "192.0.2.130", metric=5), hop("b", "192.0.2.66", metric=9)], [("via 192.0.2.130", 5), ("via 192.0.2.66", 9)]),
        ([hop("a", "192.0.2.130", preference=1, metric=9), hop("b", "DROP", preference=200, metric=0)], [("via 192.0.2.130", (1 << 32) + 9), ("that drops", 200 << 32)]),
        ([hop("a", "192.0.2.130", preference=9), hop("b", "192.0.2.66", metric=1)], [("via 192.0.2.130", None), ("via 192.0.2.66", 1)]),
        ([hop("a", "192.0.2.130"), hop("b", "192.0.2.66", metric=1)], [("via 192.0.2.130", None), ("via 192.0.2.66", 1)]),
    ],
)  # fmt: skip
def test_next_hops_lead_by_an_address_or_an_interface_or_drop_and_the_lower_metric_counts(tmp_path, hops, routes):
    switch = load(tmp_path, routed(*hops)).switches["core"]
    assert [(r.way, r.metric) for r in switch.routes if r.prefix.prefixlen == 24] == routes
    assert switch.touches == ()


@pytest.mark.parametrize("lost", [hop("a"), hop("a", "LOCAL_LINK"), hop("a", ref=by("r9")), hop("a", ref=by("p1"))])
def test_a_next_hop_that_leads_nowhere_is_not_known(tmp_path, lost):
    (touch,) = load(tmp_path, routed(lost)).switches["core"].touches
    assert (touch.touches, touch.path.rpartition("/")[2]) == (Touches.PACKETS, "next-hop")


@pytest.mark.parametrize(
    ("condition", "only"),
    [
        ({"ipv4": {"icmpv4": {"config": {"type": "ECHO"}}}}, "type ECHO"),
        ({"input-interface": {"interface-ref": {"config": {"interface": "p1"}}}}, "interface p1"),
        ({"l2": {"config": {"source-mac": "00:00:5e:00:53:09"}}}, "source-mac 00:00:5e:00:53:09"),
        ({"acme:colour": {"config": {"colour": "red"}}}, "colour red"),
        ({"transport": {"config": {"destination-port": "ANY"}}}, ""),
    ],
)
def test_every_condition_of_an_entry_counts_so_that_it_stops_less_than_it_seems_to(tmp_path, condition, only):
    switch = load(tmp_path, document([entry(10, "DROP", **condition)])).switches["core"]
    assert [e.only for e in switch.filters["f ACL_IPV4"].entries] == [only]


def test_an_action_that_is_not_followed_may_send_packets_elsewhere(tmp_path):
    made = entry(10, "ACCEPT")
    made["actions"]["config"]["acme:redirect"] = "192.0.2.9"
    (touch,) = load(tmp_path, document([made])).switches["core"].touches
    assert (touch.path, touch.touches) == (
        "/acl/acl-sets/acl-set/acl-entries/acl-entry/actions/acme:redirect",
        Touches.PACKETS,
    )


def instance(made, n=0):
    return made["network-instances"]["network-instance"][n]


def routed_vlan(made):
    return made["interfaces"]["interface"][2]["routed-vlan"]


SWITCHED_OFF = {
    "a family of an interface": lambda d: routed_vlan(d)["ipv4"].update({"config": {"enabled": False}}),
    "a family of the instance": lambda d: instance(d)["config"].update({"enabled-address-families": ["IPV6"]}),
    "the instance": lambda d: instance(d)["config"].update({"enabled": False}),
    "a filter nobody follows": lambda d: d["acl"]["interfaces"]["interface"].append(
        {"id": "p1", "ingress-acl-sets": {"ingress-acl-set": [{"set-name": "f", "type": "ACL_IPV4"}]}}
    ),
    "a port that is off today": lambda d: d["interfaces"]["interface"][0].update({"state": {"enabled": False}}),
    "a port in another VLAN today": lambda d: d["interfaces"]["interface"][0]["ethernet"]["switched-vlan"].update(
        {"state": {"access-vlan": 30}}
    ),
    "a port that is not to be used": lambda d: d["interfaces"]["interface"][0]["config"].update(
        {"forwarding-viable": False}
    ),
}


@pytest.mark.parametrize("case", SWITCHED_OFF)
def test_no_packet_surely_passes_what_is_switched_off_or_may_stop_it(tmp_path, case):
    made = document()
    del made["acl"]["interfaces"]["interface"][0]
    (verdict,) = inkov.prove(load(tmp_path, made), ["together 10 20 layer 3"])
    assert isinstance(verdict.outcome, Proved)
    SWITCHED_OFF[case](made)
    (verdict,) = inkov.prove(load(tmp_path, made), ["together 10 20 layer 3"])
    assert not isinstance(verdict.outcome, Proved)


def test_an_instance_lists_its_interfaces_by_identifier_alone(tmp_path):
    made = document()
    instance(made, 1)["interfaces"]["interface"] = [{"id": "r1.7"}, {"id": "v20"}]
    switch = load(tmp_path, made).switches["core"]
    assert [g.vrf for g in switch.gateways] == ["", "guests", "", "guests", ""]
    assert switch.touches == ()
    instance(made, 1)["interfaces"]["interface"].append({"id": "r9:7"})
    assert [t.touches for t in load(tmp_path, made).switches["core"].touches] == [Touches.PACKETS]


def test_static_routes_of_a_protocol_that_is_off_are_none(tmp_path):
    made = document()
    instance(made)["protocols"]["protocol"][0]["config"] = {"enabled": False}
    assert load(tmp_path, made).switches["core"].routes == ()


def test_a_gateway_that_nothing_passes_today_is_not_surely_up(tmp_path):
    made = document([entry(10, "ACCEPT")])
    for state, outcome in (("UP", Proved), ("LOWER_LAYER_DOWN", CannotTell)):
        made["interfaces"]["interface"][2]["state"] = {"oper-status": state}
        (verdict,) = inkov.prove(load(tmp_path, made), ["together 10 20 layer 3"])
        assert isinstance(verdict.outcome, outcome)
    assert "whether v10 is up: it is on, and today nothing passes it" in verdict.outcome.missing


@pytest.mark.parametrize(("side", "outcome"), [("state", Proved), ("config", CannotTell)])
def test_a_neighbour_that_somebody_wrote_down_may_be_another_station(tmp_path, side, outcome):
    made = document([entry(10, "ACCEPT")])
    told = {"ip": "192.0.2.3", "link-layer-address": "02:00:00:00:00:09"}
    routed = made["interfaces"]["interface"][2]["routed-vlan"]["ipv4"]
    routed["neighbors"] = {"neighbor": [{"ip": "192.0.2.3", side: told}]}
    (verdict,) = inkov.prove(load(tmp_path, made), ["together 10 20 layer 3"])
    assert isinstance(verdict.outcome, outcome)


def test_a_gateway_that_is_off_is_written_off_with_its_label(tmp_path):
    core = "inkov: switch\nname: core\nvlans: {10: users}\nports: {1: {access: 10}}\nrouting: true\n"
    core += "gateways: {10: {address: 192.0.2.1/24, enabled: false, label: desks}}\n"
    write_files(tmp_path, {"site/core.yaml": core})
    assert run_inkov("convert", "site", "-o", "new", "--to", "openconfig", cwd=tmp_path).code == 0
    (gateway,) = inkov.load(tmp_path / "new").switches["core"].gateways
    assert (gateway.enabled, gateway.label) == (False, "vlan10 desks")


def test_a_trunk_without_vlans_and_a_table_of_its_own_are_told_and_not_written(tmp_path):
    core = "inkov: switch\nname: core\nvlans: {10: users}\nports: {1: {access: 10}, u: {trunk: none}}\nrouting: true\n"
    core += "gateways: {10: {address: 192.0.2.1/24, vrf: guests}}\n"
    write_files(tmp_path, {"site/core.yaml": core})
    ran = run_inkov("convert", "site", "-o", "new", "--to", "openconfig", cwd=tmp_path)
    assert ran.code == 0
    for what in ("routing tables of their own for gateways", "neither an access port nor a trunk: u"):
        assert what in ran.err + ran.out
    held = json.loads((tmp_path / "new" / "core.json").read_text("utf-8"))["openconfig-interfaces:interfaces"]
    assert [i for i in held["interface"] if i["name"] == "u" and "openconfig-if-ethernet:ethernet" in i] == []


READ_AS_TEXT = {"vlan", "sequence-id", "index", "preference", "metric"}
"""Leaves that another value than theirs would do for: any number, or any text."""


def every_leaf(node, path=()):
    """Yields the path of each leaf of a document; lists of values are leaves."""
    items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in items:
        if isinstance(value, dict) or (isinstance(value, list) and value and isinstance(value[0], dict)):
            yield from every_leaf(value, (*path, key))
        elif isinstance(key, str):
            yield (*path, key)


@pytest.mark.parametrize("how", ["left out", "spoilt"])
@pytest.mark.parametrize(
    "made",
    [
        document([DROP], families=("IPV4", "IPV6")),
        document(),
        document([TO_GUESTS, entry(20, "ACCEPT")]),
        routed(hop("a", "192.0.2.66", preference=1), hop("b", "DROP", preference=9), hop("c", ref=by("r1"), metric=3)),
    ],
    ids=["all is dropped", "the filter is not there", "guests are dropped", "three next hops"],
)
def test_no_leaf_that_is_left_out_or_cannot_be_read_proves_or_breaks_anything_about_packets(tmp_path, made, how):
    rng = random.Random(1)
    claims = ["apart 10 20 layer 3", "together 10 20 layer 3"]
    before = [v.outcome for v in inkov.prove(load(tmp_path, made), claims)]
    tried = 0
    for path in every_leaf(made):
        less = json.loads(json.dumps(made))
        node = less
        for key in path[:-1]:
            node = node[key]
        value = node.pop(path[-1])
        if how == "spoilt":
            node[path[-1]] = {} if path[-1] in READ_AS_TEXT else writers.junk(value, rng)
        try:
            after = [v.outcome for v in inkov.prove(load(tmp_path, less, strict=False), claims)]
        except inkov.BadInput:
            continue
        tried += 1
        for was, now in zip(before, after, strict=True):
            assert isinstance(now, CannotTell | type(was)), path
    assert tried > 30
