"""Every key of a port in our switch file, and what the port becomes."""

import json
from ipaddress import ip_interface

import pytest

import inkov
from inkov.model.routing import Gateway
from inkov.model.settings import Setting
from inkov.model.switch import (
    Access,
    Bridged,
    FrameTypes,
    General,
    Habits,
    Kind,
    Lacp,
    Negotiated,
    Plain,
    PrivateHost,
    Promiscuous,
    Routed,
    Stance,
    Trunk,
    Tunnel,
    Vlan,
    VlanType,
)
from inkov.model.vlanset import ALL, VlanSet

HEAD = "inkov: switch\nname: x\nvlans: {10: , 20: , 30: }\n"


def switch(site, text):
    return inkov.load(site({"x.yaml": text})).switches["x"]


@pytest.mark.parametrize(
    ("entry", "switching"),
    [
        ("access: 10", Access(10)),
        ("access: 10, voice: 20", Access(10, 20)),
        ("trunk: '10,20', native: 10", Trunk(10, VlanSet([10, 20]))),
        ("trunk: all, native: 10, native-tagged: true", Trunk(10, ALL, native_tagged=True)),
        ("trunk: '10', translate: {1010: 10}", Trunk(None, VlanSet([10]), translate=((1010, 10),))),
        (
            "mode: negotiated, stance: passive, access: 10, trunk: '20'",
            Negotiated(Access(10), Trunk(None, VlanSet([20]))),
        ),
        ("mode: trunk", Trunk(None, ALL)),
        (
            "general: {pvid: 10, untagged: 10, tagged: '20,30', frames: tagged, filtering: false}",
            General(10, VlanSet([10]), VlanSet([20, 30]), FrameTypes.TAGGED, filtering=False),
        ),
        ("general: {tagged: 20}", General(None, VlanSet(), VlanSet([20]))),
        ("private: {primary: 10, secondary: 20}", PrivateHost(10, 20)),
        ("promiscuous: {primary: 10, secondaries: '20,30'}", Promiscuous(10, VlanSet([20, 30]))),
        ("tunnel: 30", Tunnel(30)),
        (
            "subinterfaces: {10: 192.0.2.1/27, untagged: 192.0.2.33/27}",
            Routed((None, 10)),
        ),
    ],
)
def test_each_kind_of_port(site, entry, switching):
    assert switch(site, f"{HEAD}ports: {{1: {{{entry}}}}}\n").ports["1"].switching == switching


@pytest.mark.parametrize(
    ("entry", "message"),
    [
        ("access: 10, general: {pvid: 10}", "ports/1: both 'access' and 'general'; a port is one of them"),
        ("access: 10, native: 20", "ports/1/native: 'native' belongs to a trunk, and this is an access port"),
        ("tunnel: 10, translate: {20: 30}", "ports/1/translate: 'translate' belongs to a trunk, and this is no trunk"),
        ("tunnel: 10, voice: 20", "ports/1/voice: 'voice' belongs to an access port"),
        ("trunk: all, translate: {20: 30, 40: 30}", "ports/1: two tags for one VLAN; 'translate' is one to one"),
        (
            "general: {untagged: 10, tagged: 10-20}",
            "ports/1/general: VLAN 10 both tagged and untagged; a VLAN leaves one way",
        ),
        ("stance: loud", "ports/1/stance: 'loud' is not allowed; expected 'silent', 'passive' or 'active'"),
        ("private: {primary: 10}", "ports/1/private/secondary: key 'secondary' is missing"),
    ],
)
def test_what_does_not_fit_is_refused(site, entry, message):
    with pytest.raises(inkov.BadInput) as caught:
        switch(site, f"{HEAD}ports: {{1: {{{entry}}}}}\n")
    assert str(caught.value) == f"x.yaml:4: {message}"


def test_untouched_ports_start_as_the_switch_says(site):
    text = (
        HEAD
        + "starts-as: {mode: negotiated, stance: passive, access: 10, native: 20, allowed: '10,20'}\nports: {1: , 2: {access: 30}}\n"
    )
    made = switch(site, text).ports
    assert made["1"].switching == Negotiated(Access(10), Trunk(20, VlanSet([10, 20])))
    assert made["1"].stance is Stance.PASSIVE
    assert str(made["1"].origin.of(Setting.STANCE)) == "x.yaml:4 (default)"
    assert made["2"].switching == Access(30)


def test_settings_of_the_switch(site):
    text = (
        "inkov: switch\nname: x\nsync: {group: quillfin}\nassume: {own-tag: accept, native-outside-list: pass}\n"
        "vlans: {10: {name: boats, type: primary}, 11: {type: isolated, primary: 10}}\ngateways: {10: 192.0.2.1/27}\n"
        "ports: {1-2: {lag: up}, 3: {tags: negotiated}}\nlags: {up: {trunk: all, lacp: passive}}\n"
    )
    made = switch(site, text)
    assert made.sync_group == "quillfin"
    assert made.habits == Habits(own_tag=True, native_outside_list=True)
    assert made.vlans[11] == Vlan(11, "", type=VlanType.ISOLATED, primary=10)
    assert made.gateways == (Gateway(10, (ip_interface("192.0.2.1/27"),)),)
    assert (made.ports["up"].lacp, made.ports["up"].members) == (Lacp.PASSIVE, ("1", "2"))
    assert made.ports["3"].tag_format == "negotiated"


def test_habits_of_the_campus_hold_where_the_switch_says_nothing(site):
    files = {
        "campus.yaml": "inkov: campus\nname: c\nassume: {own-tag: accept, tagged-native: drop}\n",
        "a.yaml": HEAD.replace("name: x", "name: a"),
        "b.yaml": HEAD.replace("name: x", "name: b") + "assume: {own-tag: drop}\n",
    }
    made = inkov.load(site(files)).switches
    assert made["a"].habits == Habits(own_tag=True, tagged_native=False)
    assert made["b"].habits == Habits(own_tag=False, tagged_native=False)


def test_bridges_of_their_own(site):
    text = "inkov: switch\nname: x\nports: {1-3: , u1: }\ndomains: {10: {untagged: 1-2, tagged: {u1: 10}}, 20: {name: twenty, tagged: {u1: 1020}}}\n"
    made = switch(site, text)
    assert made.vlans == {10: Vlan(10), 20: Vlan(20, "twenty")}
    assert made.ports["1"].switching == Bridged(10)
    assert made.ports["u1"].switching == Bridged(None, ((10, 10), (1020, 20)))
    assert made.ports["3"].switching == Bridged()


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (
            "ports: {1: }\ndomains: {10: {untagged: 9}}\n",
            "x.yaml:4: domains/10: port '9' is not under ports; expected one of: 1",
        ),
        ("ports: {1: }\n", "x.yaml:1: key 'vlans' is missing; 'vlans: as used' says that the box keeps no table"),
        (
            "vlans: {10: }\ndomains: {10: {}}\n",
            "x.yaml:1: both 'vlans' and 'domains'; a box has a table or bridges of their own",
        ),
    ],
)
def test_tables_and_bridges_exclude_each_other(site, text, message):
    with pytest.raises(inkov.BadInput) as caught:
        switch(site, "inkov: switch\nname: x\n" + text)
    assert str(caught.value) == message


def test_other_devices(site):
    hub = switch(site, "inkov: switch\nname: x\nkind: unmanaged\nports: {1-2: }\n")
    assert (hub.kind, hub.ports["2"].switching, hub.vlans) == (Kind.UNMANAGED, Plain(), None)
    router = switch(site, "inkov: switch\nname: x\nkind: router\nports: {1: {subinterfaces: {10: 192.0.2.1/27}}}\n")
    assert (router.kind, router.ports["1"].switching) == (Kind.ROUTER, Routed((10,)))


def test_aggregates_of_openconfig_form_as_lacp_says(tmp_path):
    def lag(name, kind):
        return {
            "name": name,
            "config": {"type": "iana-if-type:ieee8023adLag"},
            "aggregation": {"config": {"lag-type": kind}},
        }

    document = {
        "openconfig-interfaces:interfaces": {"interface": [lag("l1", "LACP"), lag("l2", "LACP"), lag("l3", "STATIC")]},
        "openconfig-lacp:lacp": {"interfaces": {"interface": [{"name": "l2", "config": {"lacp-mode": "PASSIVE"}}]}},
    }
    (tmp_path / "x.json").write_text(json.dumps(document))
    made = inkov.load(tmp_path).switches["x"].ports
    assert [made[n].lacp for n in ("l1", "l2", "l3")] == [Lacp.ACTIVE, Lacp.PASSIVE, Lacp.STATIC]
