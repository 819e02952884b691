"""The standard's own model: exact ports, leaky defaults, and documents that cannot tie ports to interfaces."""

import json

import pytest

import inkov
import writers
from conftest import write_files
from inkov.kinds.table import setting_words
from inkov.model.switch import Access, General, Trunk, Unstated
from inkov.model.tree import Registration
from inkov.model.vlanset import ALL, VlanSet


def document(ports, entries=(), vlans=(), **component):
    """Writes a bridge; `ports` by name to the leaves of their bridge port."""
    listed = [
        {"name": n, "type": "iana-if-type:ethernetCsmacd", "ieee802-dot1q-bridge:bridge-port": p}
        for n, p in ports.items()
    ]
    own = {
        "name": "c0",
        "filtering-database": {"vlan-registration-entry": list(entries)},
        "bridge-vlan": {"vlan": list(vlans)},
        **component,
    }
    bridge = {"name": "windlass", "address": "00-00-5E-00-53-C4", "component": [own]}
    return {
        "ieee802-dot1q-bridge:bridges": {"bridge": [bridge]},
        "ietf-interfaces:interfaces": {"interface": listed},
    }


def entry(vids, *members):
    """Writes a registration entry; members as (port-ref, admin control, how it leaves)."""
    rows = [
        {"port-ref": n, "static-vlan-registration-entries": {"registrar-admin-control": c, "vlan-transmitted": how}}
        for n, c, how in members
    ]
    return {"database-id": 0, "vids": vids, "entry-type": "static", "port-map": rows}


FIXED = "fixed-new-ignored"


def windlass(tmp_path, data):
    return inkov.load(write_files(tmp_path, {"w.json": json.dumps(data)})).switches["windlass"]


def test_absent_leaves_are_at_the_models_defaults_which_leak(tmp_path):
    """VLAN 1, all frames, no filtering: such a port takes tagged frames of every VLAN of the bridge."""
    switch = windlass(tmp_path, document({"w 2": {"port-number": 3}}, [entry("61", (9, FIXED, "tagged"))]))
    assert switch.ports["w 2"].switching == General(1, VlanSet(), VlanSet(), filtering=False)
    assert (switch.mac, list(switch.vlans)) == ("00:00:5e:00:53:c4", [61])


def test_port_refs_are_numbers_of_bridge_ports(tmp_path):
    ports = {
        "a": {"port-number": 9, "pvid": 61, "enable-ingress-filtering": True},
        "b": {"port-number": 3, "enable-ingress-filtering": True},
    }
    switch = windlass(tmp_path, document(ports, [entry("61", (9, FIXED, "untagged"), (3, FIXED, "tagged"))]))
    assert (switch.ports["a"].switching, switch.ports["b"].switching) == (Access(61), Trunk(None, VlanSet([61])))


def test_configuration_alone_cannot_tie_ports_to_interfaces(tmp_path):
    """Then membership is not known, rather than none."""
    switch = windlass(tmp_path, document({"a": {"pvid": 61}}, [entry("61", (9, FIXED, "untagged"))]))
    assert switch.ports["a"].switching == Unstated(general=True)
    campus = inkov.load(tmp_path)
    assert any("which interface a port-ref is: port-number is state" in n for n in campus.notes)


def test_member_sets_in_force_serve_where_registration_does_not(tmp_path):
    vlans = [{"vid": 61, "name": "CHAIN", "egress-ports": ["a"], "untagged-ports": ["a"]}]
    ports = {"a": {"pvid": 61, "enable-ingress-filtering": True}}
    assert windlass(tmp_path, document(ports, vlans=vlans)).ports["a"].switching == Access(61)


@pytest.mark.parametrize(
    ("control", "said"), [("forbidden", "general pvid 1, untagged none, tagged none"), ("normal", "not stated")]
)
def test_forbidden_is_no_member_and_normal_may_be(tmp_path, control, said):
    ports = {"a": {"port-number": 9, "enable-ingress-filtering": True}}
    switch = windlass(tmp_path, document(ports, [entry("61", (9, control, "tagged"))]))
    assert setting_words(switch.ports["a"]) == said


@pytest.mark.parametrize("vids", ["61-63,70", "61..63,70", " 61-63 , 70", "70,61-63"])
def test_lists_of_vlans_however_they_are_spelt(tmp_path, vids):
    ports = {"a": {"port-number": 9, "enable-ingress-filtering": True}}
    switch = windlass(tmp_path, document(ports, [entry(vids, (9, FIXED, "tagged"))]))
    assert switch.ports["a"].switching == Trunk(None, VlanSet([61, 62, 63, 70]))


def test_two_components_are_two_switches(tmp_path):
    data = document(
        {
            "a": {"bridge-name": "windlass", "component-name": "c0"},
            "b": {"bridge-name": "windlass", "component-name": "s0"},
        }
    )
    bridge = data["ieee802-dot1q-bridge:bridges"]["bridge"][0]
    bridge["component"].append({"name": "s0", "type": "s-vlan-component"})
    campus = inkov.load(write_files(tmp_path, {"w.json": json.dumps(data)}))
    assert {n: list(s.ports) for n, s in campus.switches.items()} == {"windlass.c0": ["a"], "windlass.s0": ["b"]}


@pytest.mark.parametrize(
    "leaf",
    [
        {"enable-vid-translation-table": True, "vid-translations": [{"local-vid": 5, "relay-vid": 61}]},
        {"protocol-group-vid-set": [{"group-id": 1, "vid": [61]}]},
        {"port-type": "customer-edge-port"},
    ],
)
def test_what_the_relay_map_does_not_cover_is_not_stated(tmp_path, leaf):
    ports = {"a": {"port-number": 9, "pvid": 61, "enable-ingress-filtering": True, **leaf}}
    switch = windlass(tmp_path, document(ports, [entry("61", (9, FIXED, "untagged"))]))
    assert switch.ports["a"].switching == Unstated(general=True)


def test_unusual_spellings_are_taken_with_a_note(tmp_path):
    data = document({"a": {"port-number": 9, "pvid": "61", "enable-ingress-filtering": True}})
    own = data["ieee802-dot1q-bridge:bridges"]["bridge"][0]["component"][0]
    rows = {
        "port-ref": "a",
        "static-vlan-registration-entries": {"registrar-admin-control": FIXED, "vlan-transmitted": "untagged"},
    }
    own["filtering-database"] = {"vlan-registration-entry": {"vids": 61, "port-map": rows}}
    own["bridge-vlan"] = {"vlan": {"vid": "61", "name": "CHAIN"}}
    switch = windlass(tmp_path, data)
    assert (switch.ports["a"].switching, switch.vlans[61].name) == (Access(61), "CHAIN")
    assert any("port-ref 'a' is the name of an interface" in n for n in inkov.load(tmp_path).notes)


def test_discovery_in_the_standards_model_once_an_address(tmp_path):
    remote = {
        "chassis-id-subtype": "mac-address",
        "chassis-id": "00-00-5E-00-53-07",
        "port-id": "d7",
        "system-name": "pier",
    }
    rows = [
        {"name": "a", "dest-mac-address": m, "remote-systems-data": [remote]}
        for m in ("01-80-C2-00-00-0E", "01-80-C2-00-00-03")
    ]
    data = {**document({"a": {}}), "ieee802-dot1ab-lldp:lldp": {"port": rows}}
    (heard,) = windlass(tmp_path, data).heard
    assert (heard.port, heard.system, heard.far_port, heard.chassis) == ("a", "pier", "d7", "00:00:5e:00:53:07")


def test_a_port_may_limit_what_comes_to_it_by_registration(tmp_path):
    box = writers.Box("quay", "00:00:5e:00:53:01", {10: "a", 20: "b"}, {"p1": General(10, VlanSet([10]), VlanSet())})
    made = writers.ieee(box)
    port = made["ietf-interfaces:interfaces"]["interface"][0]["ieee802-dot1q-bridge:bridge-port"]
    component = made["ieee802-dot1q-bridge:bridges"]["bridge"][0]["component"][0]
    entry = {"registrar-admin-control": "forbidden"}
    forbids = {"port-ref": port["port-number"], "static-vlan-registration-entries": entry}
    rows = component["filtering-database"].setdefault("vlan-registration-entry", [])
    rows.append({"database-id": 0, "vids": "20", "entry-type": "static", "port-map": [forbids]})
    for restricted, normal in ((False, ALL), (True, VlanSet([10, 20]))):
        port["enable-restricted-vlan-registration"] = restricted
        (switch,) = inkov.load(write_files(tmp_path, {"q.json": json.dumps(made)})).switches.values()
        assert switch.registration is None
        assert switch.ports["p1"].registration == Registration(normal, VlanSet([20]))
