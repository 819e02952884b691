"""A traced frame: gateways between VLANs, hubs and tunnels on the way, and halts no demo ticket shows."""

from dataclasses import replace

import pytest

import inkov
import inkov.api
from inkov.api import end_named, network
from inkov.model.errors import BadInput
from inkov.model.switch import Access, Trunk
from inkov.model.vlanset import VlanSet
from inkov.proof.trace import trace
from inkov.views.traces import trace_view


def run(site, files, a, b, tag=None):
    net = network(inkov.load(site(files)))
    return trace_view(net, trace(net, end_named(net, a, tag), end_named(net, b, tag)), (a, b))


def switch(name, ports, vlans="{10: , 20: }", **more):
    extra = "".join(f"{k}: {v}\n" for k, v in more.items())
    return f"inkov: switch\nname: {name}\nvlans: {vlans}\nports: {ports}\n{extra}"


def test_different_vlans_with_a_gateway_of_both(site):
    files = {
        "a.yaml": switch("a", "{1: {access: 10}, 2: {access: 20}}", gateways="{10: 192.0.2.1/27, 20: 192.0.2.33/27}")
    }
    view = run(site, files, "a:1", "a:2")
    assert view.cause == "different VLANs: a:1 is in 10 and a:2 in 20; a:2, right beside, is in the other's"
    assert view.vlans == (
        "a:1 is in VLAN 10 and a:2 in VLAN 20. a has gateways of both (10: 192.0.2.1/27; 20: 192.0.2.33/27) "
        "and may route between them."
    )


@pytest.mark.parametrize(
    ("ports", "cause"),
    [
        ("{1: {access: 10}, 2: {access: 10, enabled: false}}", "stops at a:2: a:2 is disabled"),
        ("{1: {access: 10, enabled: false}, 2: {access: 10}}", "stops at a:1: a:1 is disabled"),
        ("{1: {access: 30}, 2: {access: 30}}", "stops at a:1: VLAN 30 of a:1 is not defined on a"),
        (
            "{1: {trunk: '10', native: none}, 2: {access: 10}}",
            "stops at a:1: a:1 takes no untagged frame (trunk, no native)",
        ),
    ],
)
def test_halts_inside_one_switch(site, ports, cause):
    assert run(site, {"a.yaml": switch("a", ports)}, "a:1", "a:2").cause == cause


def test_no_cable_at_all(site):
    files = {"a.yaml": switch("a", "{1: {access: 10}}"), "b.yaml": switch("b", "{1: {access: 10}}")}
    assert run(site, files, "a:1", "b:1").cause == "stops at a:1: no cable leads from a to b"


def test_through_an_unmanaged_device_as_if_it_were_a_cable(site):
    ports = "{1: {access: 10}, 2: {access: 10}}"
    files = {"a.yaml": switch("a", ports), "b.yaml": switch("b", ports), "hub.yaml": HUB}
    view = run(site, files, "a:1", "b:1")
    assert view.both
    assert [(p.switch, p.vlan, p.leaves) for p in view.there.way] == [("a", 10, ()), ("hub", 0, ()), ("b", 10, ())]
    campus = inkov.load(site({}))
    assert {h.at for h in inkov.flood(campus, "hub:3")} == {"a:1", "b:1"}
    assert [f.rule for f in inkov.audit(campus) if f.severity.value != "tidy"] == []


HUB = "inkov: switch\nname: hub\nkind: unmanaged\nports: {1-3: }\nneighbours: {1: a 2, 2: b 2}\n"


@pytest.mark.parametrize(
    ("ends", "cause", "back"),
    [
        (
            ("a:1", "b:1"),
            "stops at b:2: VLAN 10 becomes 20 between a:2 and b:2, which has another untagged VLAN",
            "VLAN 10 does not leave b:2 (access 20)",
        ),
        (
            ("hub:3", "b:1"),
            "stops at b:1: the frame is in 20 at b, and b:1 is in 10",
            "VLAN 10 does not leave b:2 (access 20)",
        ),
        (
            ("b:1", "hub:3"),
            "stops at b:2: VLAN 10 does not leave b:2 (access 20)",
            "the frame is in 20 at b, and b:1 is in 10",
        ),
        (
            ("hub:3", "c:1"),
            "stops at c:2: c:2 takes no such frame (trunk, no native)",
            None,
        ),
    ],
)
def test_an_unmanaged_device_is_in_no_vlan(site, ends, cause, back):
    ports = "{{1: {{access: 10}}, 2: {}}}"
    files = {
        "a.yaml": switch("a", ports.format("{access: 10}")),
        "b.yaml": switch("b", ports.format("{access: 20}")),
        "c.yaml": switch("c", ports.format("{trunk: '10', native: none}"), neighbours="{2: hub 4}"),
        "hub.yaml": HUB.replace("1-3", "1-4"),
    }
    view = run(site, files, *ends)
    assert view.cause == cause
    assert view.back is not None
    assert (view.back.halt.why if view.back.halt else None) == back


def test_a_tunnel_keeps_the_tag_inside(site):
    edge = "{1: {tunnel: 20}, u: {trunk: '20'}}"
    files = {
        "a.yaml": switch("a", edge, neighbours="{u: b u}"),
        "b.yaml": switch("b", edge),
    }
    campus = inkov.load(site(files))
    assert [(h.at, h.tags) for h in inkov.flood(campus, "a:1", tag=10)] == [("b:1", (10,))]


@pytest.mark.parametrize(
    ("port", "tag"),
    [
        ({"switching": Access(None, voice=30)}, 30),
        (
            {"switching": Trunk(10, VlanSet([10])), "tag_format": "negotiated"},
            20,
        ),  # refused, it may be an access port of 20
    ],
)
def test_tags_of_a_port_whose_vlan_is_not_stated_are_not_said_to_stop(site, port, tag):
    text = "inkov: switch\nname: a\nvlans: {10: , 20: , 30: }\nports: {1: {access: 10}, 2: {trunk: '20,30', native: none}}\n"
    campus = inkov.load(site({"a.yaml": text + "assume: {own-tag: accept}\n"}))
    switch = campus.switches["a"]
    made = replace(switch, ports={**switch.ports, "1": replace(switch.ports["1"], **port)})
    net = network(replace(campus, switches={"a": made}))
    there = trace(net, end_named(net, "a:1", tag), end_named(net, "a:2", tag)).there
    assert there.halt is None or there.missing


def test_cables_that_only_labels_name_are_followed_and_said_to_be_that(inkov, site):
    table = "inkov: switch\nname: {0}\nvlans: {{10: , 20: , 30: }}\nports:\n  1: {{access: 10}}\n  2: {{access: 20}}\n"
    trunk = "  u: {{trunk: '10,{2}', native: {2}, label: to {1} u}}\n"
    site(
        {
            "a.yaml": (table + trunk).format("archive", "seal-ward", 20),
            "s.yaml": (table + trunk).format("seal-ward", "archive", 30),
        }
    )
    ran = inkov("trace", ".", "archive:1", "seal-ward:1")
    assert ran.code == 0
    assert "cannot tell" in ran.out
    assert "Missing  whether archive:u and seal-ward:u are cabled: only their labels say so" in ran.out
    found = inkov("audit", ".", "--only", "native/mismatch").out
    assert "archive:u <-> seal-ward:u" in found
    assert "cabled by its label alone: 'to seal-ward u'" in found
    assert "by labels alone" in inkov("links", ".").out
    for claim in ("together 10", "apart 20 30"):
        assert f"CANNOT TELL {claim}" in inkov("prove", ".", "--claim", claim).out
    assert "whether archive:u and seal-ward:u are cabled" in inkov("prove", ".", "--claim", "apart 20 30").out


def test_a_lag_that_does_not_form(site):
    lag = "{1: {access: 10}, u1-u2: {lag: up}}"
    passive = "{up: {trunk: '10', lacp: passive}}"
    files = {
        "a.yaml": switch("a", lag, lags=passive, neighbours="{u1: b u1, u2: b u2}"),
        "b.yaml": switch("b", lag, lags=passive),
    }
    view = run(site, files, "a:1", "b:1")
    assert view.outcome == "cannot tell"
    assert view.cause == (
        "stops at a:up: the LAG between a:up and b:up does not form: both ends wait for the other to form the LAG, "
        "as far as is known"
    )
    assert view.there.missing == (
        "whether ports of a:up <-> b:up pass frames one by one, as its LAG may not form: "
        "both ends wait for the other to form the LAG",
    )


def test_claims_see_through_an_unmanaged_device(site):
    files = {
        "a.yaml": switch("a", "{1: {access: 10}, 2: {access: 10}}"),
        "b.yaml": switch("b", "{1: {access: 20}, 2: {access: 20}}"),
        "hub.yaml": HUB,
    }
    campus = inkov.load(site(files))
    (verdict,) = inkov.prove(campus, ["apart 10 20"])
    assert isinstance(verdict.outcome, inkov.Broken)
    found = inkov.audit(campus)[0]
    assert (found.rule, found.place) == ("trunk/absent", "a:2 <-> b:2")


def test_private_stations_that_stay_apart_are_said_to_before_any_broken_link(site):
    table = "{60: {type: primary}, 61: {type: isolated, primary: 60}, 62: {type: community, primary: 60}}"
    ports = "{1: {private: {primary: 60, secondary: 61}}, 2: {private: {primary: 60, secondary: 62}}, u: {trunk: all}}"
    files = {
        "a.yaml": switch("a", ports, table, neighbours="{u: b u}"),
        "b.yaml": switch("b", ports.replace("u: {trunk: all}", "u: {trunk: none}"), table),
    }
    assert run(site, files, "a:1", "b:1").cause == (
        "these are not meant to talk: isolated stations of 60 may not talk to each other: a:1 is in 61"
    )
    assert run(site, files, "a:2", "b:1").cause == (
        "these are not meant to talk: a:2 is in 62 and b:1 in 61: two groups of 60 that stay apart"
    )
    assert run(site, files, "a:2", "b:2").cause == "stops at b:u: VLAN 62 is not in the list of b:u"


ROUTED = {
    "campus.yaml": """inkov: campus
name: pier
hosts:
- {name: desk, port: 'a:1', address: 192.0.2.5/27, gateway: 192.0.2.1}
- {name: bench, port: 'b:1', address: 192.0.2.40/27, gateway: 192.0.2.33}
- {name: lost, port: 'a:2', address: 192.0.2.6/27, gateway: 192.0.2.30}
- {name: mute, port: 'a:4', address: 192.0.2.7/27}
""",
    "a.yaml": switch(
        "a",
        "{1-2: {access: 10}, 3: {trunk: '10,30', native: 10}, 4: {access: 10}, u: {trunk: '10,20,30', native: none}}",
        "{10: , 20: , 30: phones}",
        neighbours="{u: b u}",
        gateways="{10: {address: 192.0.2.1/27, in: f}, 20: 192.0.2.33/27}",
        filters="{f: [{action: drop, to: 192.0.2.41/32}, {action: accept}]}",
        routing="true",
    ),
    "b.yaml": switch(
        "b",
        "{1: {access: 20}, 2: {trunk: '20,30', native: 20}, u: {trunk: '10,20,30', native: none}}",
        "{10: , 20: , 30: phones}",
        gateways="{10: 192.0.2.20/27}",
        routes="[{to: 0.0.0.0/0, via: 192.0.2.1}]",
    ),
}


def steps(leg):
    return [f"{s.device} routes" if hasattr(s, "device") else f"{s.switch} in {s.vlan}" for s in leg.way]


def test_hosts_of_different_vlans_are_followed_through_their_gateways_and_back(site):
    view = run(site, ROUTED, "desk", "192.0.2.40")
    assert (view.both, view.cause) == (True, "both ways are open, by way of gateways")
    assert steps(view.there) == ["a in 10", "a routes", "a in 20", "b in 20"]
    assert steps(view.back) == ["b in 20", "a in 20", "a routes", "a in 10"]


def test_a_packet_that_a_filter_drops_stops_at_its_entry(site):
    files = {**ROUTED, "campus.yaml": ROUTED["campus.yaml"].replace("192.0.2.40", "192.0.2.41")}
    view = run(site, files, "desk", "bench")
    assert view.cause == ("stops at a:VLAN 10: filter f on a drops 192.0.2.5 → 192.0.2.41: ✗ any → 192.0.2.41/32")
    assert view.there.halt.sources == ("a.yaml:7",)
    assert steps(view.there) == ["a in 10"]


@pytest.mark.parametrize(
    ("a", "cause"),
    [
        ("lost", "stops at a:2: lost sends through 192.0.2.30, which is no gateway in the input"),
        ("mute", "different VLANs: a:4 is in 10 and b:1 in 20"),
    ],
)
def test_a_host_without_a_working_gateway_gets_nowhere(site, a, cause):
    assert run(site, ROUTED, a, "bench").cause == cause


def test_switches_are_reached_at_their_address_of_management(site):
    view = run(site, ROUTED, "bench", "b")
    assert (view.both, steps(view.there)) == (True, ["b in 20", "a in 20", "a routes", "a in 10", "b in 10"])
    assert run(site, ROUTED, "desk", "192.0.2.20").both
    cut = {**ROUTED, "b.yaml": ROUTED["b.yaml"].replace("routes: [{to: 0.0.0.0/0, via: 192.0.2.1}]\n", "")}
    assert run(site, cut, "bench", "b").cause == (
        "b hears bench, but the answer stops at b:VLAN 10: b has no default gateway in the input, and sends nothing to "
        "other subnets"
    )


def test_phones_are_followed_by_their_tag(site):
    view = run(site, ROUTED, "a:3", "b:2", tag=30)
    assert (view.both, steps(view.there)) == (True, ["a in 30", "b in 30"])
    assert run(site, ROUTED, "a:1", "b:2", tag=30).cause == "stops at a:1: a:1 takes no frame with tag 30 (access 10)"


def test_what_is_no_end_is_answered_with_a_hint(site):
    net = network(inkov.load(site(ROUTED)))
    near, far = "192.0.2.38", "203.0.113.9"
    for ends, message in (
        (
            (near, "desk"),
            f"trace: no host and no gateway has the address {near}, and it is in a subnet of the campus; name it in 'hosts' with its port",
        ),
        (
            (far, "203.0.113.8"),
            f"trace: no host and no gateway has the address {far} or 203.0.113.8; one end must be in the campus",
        ),
        (
            ("a:3", far),
            "trace: the address of a:3 is not known, so that no packet of it can be followed out of the campus; "
            "name a host with its address and gateway",
        ),
    ):
        with pytest.raises(BadInput) as caught:
            inkov.api.trace(net, *ends)
        assert str(caught.value) == message
    with pytest.raises(BadInput, match=r"'desc' is no port and no host; .* did you mean 'desk'"):
        run(site, ROUTED, "desc", "desk")


FILTERED = {
    **ROUTED,
    "a.yaml": ROUTED["a.yaml"].replace("to: 192.0.2.41/32", "to: 192.0.2.32/27"),
}


def test_a_filter_in_front_of_a_device_keeps_packets_from_its_other_addresses(site):
    view = run(site, FILTERED, "desk", "192.0.2.33")
    assert view.cause == "stops at a:VLAN 10: filter f on a drops 192.0.2.5 → 192.0.2.33: ✗ any → 192.0.2.32/27"
    assert view.there.halt.sources == ("a.yaml:7",)
    assert run(site, ROUTED, "desk", "192.0.2.33").both


def test_what_a_device_sends_itself_does_not_come_in_by_its_own_filter(site):
    view = run(site, FILTERED, "192.0.2.1", "bench")
    assert view.there.halt is None
    assert steps(view.there) == ["a routes", "a in 20", "b in 20"]


def test_the_filter_that_is_blamed_is_one_that_the_packet_meets(site):
    """Another gateway's way out, and an entry that stops some packets only, have no part in it."""
    a = ROUTED["a.yaml"].replace("10: , 20: , 30: phones", "10: , 20: , 30: phones, 40: ")
    a = a.replace("20: 192.0.2.33/27}", "20: {address: 192.0.2.33/27, out: g}, 40: {address: 192.0.2.65/27, out: h}}")
    g = "g: [{action: drop, to: 192.0.2.32/27, only: udp}, {action: drop, to: 192.0.2.32/27}]"
    a = a.replace("filters: {f:", f"filters: {{h: [{{action: drop}}], {g}, f:")
    assert run(site, {**ROUTED, "a.yaml": a}, "desk", "bench").cause.endswith(
        "filter g on a drops 192.0.2.5 → 192.0.2.40: ✗ any → 192.0.2.32/27"
    )


OUT = {
    "a.yaml": """inkov: switch
name: a
vlans: {10: , 20: }
ports: {1: {access: 10}, 2: {access: 20}}
gateways: {10: {address: 192.0.2.33/27, in: f}, 20: 192.0.2.1/30}
routes: [{to: 0.0.0.0/0, via: 192.0.2.2}]
routing: true
filters: {f: [{action: drop, to: 198.51.100.0/24}, {action: accept}]}
""",
    "campus.yaml": """inkov: campus
name: c
hosts: [{name: desk, port: "a:1", address: 192.0.2.34/27, gateway: 192.0.2.33}]
""",
}


def test_a_packet_is_followed_out_of_the_campus_and_its_answer_back_in(site):
    net = network(inkov.load(site(OUT)))
    view = trace_view(net, inkov.api.trace(net, "desk", "203.0.113.9"), ("desk", "203.0.113.9"))
    assert (view.outcome, view.cause) == ("open", "both ways are open, by way of gateways")
    assert (view.there.end, view.back.end) == ("203.0.113.9, outside of the campus", "desk at a:1")
    back = trace_view(net, inkov.api.trace(net, "203.0.113.9", "desk"), ("203.0.113.9", "desk"))
    assert (back.there, back.back) == (view.back, view.there)


@pytest.mark.parametrize(
    ("old", "new", "to", "cause"),
    [
        (
            "",
            "",
            "198.51.100.7",
            "stops at a:VLAN 10: filter f on a drops 192.0.2.34 → 198.51.100.7: ✗ any → 198.51.100.0/24",
        ),
        (
            "routes: [{to: 0.0.0.0/0, via: 192.0.2.2}]\n",
            "",
            "203.0.113.9",
            "stops at a:VLAN 10: a passes no packet on to 203.0.113.9: no route and no gateway that is up leads there",
        ),
        ("routing: true", "routing: false", "203.0.113.9", "stops at a:VLAN 10: a does not route"),
    ],
)
def test_what_keeps_a_packet_in_the_campus_is_named(site, old, new, to, cause):
    net = network(inkov.load(site({**OUT, "a.yaml": OUT["a.yaml"].replace(old, new)})))
    assert trace_view(net, inkov.api.trace(net, "desk", to), ("desk", to)).cause == cause


def test_whether_a_device_routes_is_missing_on_the_way_out(site):
    net = network(inkov.load(site({**OUT, "a.yaml": OUT["a.yaml"].replace("routing: true\n", "")})))
    view = trace_view(net, inkov.api.trace(net, "desk", "203.0.113.9"), ("desk", "203.0.113.9"))
    assert view.outcome == "cannot tell"
    assert "whether a routes is not stated" in (*view.there.missing, *view.back.missing)


def test_what_a_device_on_the_way_does_and_is_not_followed_is_missing(site):
    touched = "not-followed: {frames: [/system/mirror]}\n"
    for files in (ROUTED, OUT):
        net = network(inkov.load(site({**files, "a.yaml": files["a.yaml"] + touched})))
        ends = ("desk", "203.0.113.9") if files is OUT else ("a:1", "a:2")
        view = trace_view(net, inkov.api.trace(net, *ends), ends)
        assert view.outcome == "cannot tell"
        assert any(fact.startswith("a: /system/mirror is not followed") for fact in view.there.missing)


def test_a_packet_whose_way_on_may_be_down_is_not_said_to_stop(site):
    """Whether the trunk that the way out leads over carries its VLAN is not stated: that is the fact that decides."""
    files = {
        "sw.yaml": "inkov: switch\nname: sw\nrest: unknown\nrouting: true\nvlans: {50: tills, 90: servers, 200: transit}\n"
        "assume: {own-tag: drop}\nports: {p1: {access: 50}, p2: {access: 90}, u1: {trunk: '50,200'}}\n"
        "gateways: {90: {address: 10.0.90.1/24}, 200: {address: 10.0.200.2/24}}\n"
        "routes: [{to: 0.0.0.0/0, via: 10.0.200.1}]\nneighbours: {u1: fence e1}\n",
        "fence.yaml": "inkov: switch\nname: fence\nkind: router\n"
        "ports: {e1: {subinterfaces: {50: 10.0.50.1/24, 200: 10.0.200.1/24}}}\n"
        "routes: [{to: 10.0.0.0/16, via: 10.0.200.2}]\n",
        "campus.yaml": "inkov: campus\nname: c\nhosts:\n- {name: till, port: 'sw:p1', address: 10.0.50.9/24, gateway: 10.0.50.1}\n"
        "- {name: server, port: 'sw:p2', address: 10.0.90.9/24, gateway: 10.0.90.1}\n",
    }
    net = network(inkov.load(site(files)))
    view = trace_view(net, inkov.api.trace(net, "server", "till"), ("server", "till"))
    fact = "whether sw passes packets on to 10.0.50.9 is not known: whether a port of sw carries VLAN 200 is not stated"
    assert (view.outcome, view.there.missing) == ("cannot tell", (fact,))


@pytest.mark.parametrize(
    ("uplink", "cause"),
    [
        ("{trunk: '10', native: none}", "stops at s:u: the list of s:u leaves out VLAN 20"),
        ("{trunk: '10,20', native: 20}", "stops at s:u: s:u sends VLAN 20 untagged, as its native VLAN"),
        ("{access: 10}", "stops at s:u: s:u sends no tags (access 10)"),
        ("{trunk: '10,20,21', native: none}", "both ways are open"),
    ],
)
def test_what_keeps_a_vlan_from_its_gateway_on_a_router_is_named(site, uplink, cause):
    table = "{10: , 20: , 21: {name: alone, type: isolated, primary: 20}}"
    files = {
        "s.yaml": switch("s", f"{{1: {{access: 20}}, u: {uplink}}}", table, neighbours="{u: r e}"),
        "r.yaml": "inkov: switch\nname: r\nkind: router\nports: {e: {subinterfaces: {10: 192.0.2.1/28, 20: 192.0.2.17/28}}}\n",
    }
    assert run(site, files, "s:1", "192.0.2.17").cause == cause


def test_a_private_station_and_a_gateway_that_takes_the_primarys_tag_are_of_one_service(site):
    table = "{20: , 21: {name: alone, type: isolated, primary: 20}}"
    ports = "{1: {private: {primary: 20, secondary: 21}}, u: {trunk: '20,21', native: none}}"
    files = {
        "s.yaml": switch("s", ports, table, neighbours="{u: r e}"),
        "r.yaml": "inkov: switch\nname: r\nkind: router\nports: {e: {subinterfaces: {20: 192.0.2.17/28}}}\n",
    }
    view = run(site, files, "s:1", "192.0.2.17")
    assert (view.cause, view.vlans) == (
        "stops at s:u: s:u sends VLAN 21 with a tag of its own, and r:e takes tag 20 of its primary",
        "",
    )


def test_a_host_in_another_vlan_than_its_address_is_of_is_told_first(site):
    files = {
        "s.yaml": switch(
            "s", "{1: {access: 20}, 2: {access: 20}, 3: {access: 10}}", gateways="{10: 192.0.2.1/28, 20: 192.0.2.17/28}"
        ),
        "campus.yaml": "inkov: campus\nname: x\nhosts:\n"
        '  - {name: pc, port: "s:1", address: 192.0.2.5/28, gateway: 192.0.2.1}\n'
        '  - {name: cam, port: "s:2", address: 192.0.2.20/28, gateway: 192.0.2.17}\n',
    }
    view = run(site, files, "pc", "cam")
    assert view.cause == "stops at s:1: s:1 is in VLAN 20, 192.0.2.5 belongs to VLAN 10"
