"""What `convert` writes reads back as the same campus: frames, links and what is not known."""

import random
from ipaddress import ip_interface

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
import writers
from conftest import DATA, run_inkov, write_files
from inkov.formats.format import Given
from inkov.formats.openconfig import exports
from inkov.formats.openconfig import writer as openconfig_writer
from inkov.formats.ours import switch_writer
from inkov.formats.ours.reader import read
from inkov.formats.reading import Reading
from inkov.forwarding.network import Network
from inkov.kinds.accounts import is_stated
from inkov.kinds.relay import View
from inkov.model.names import PortRef
from inkov.model.routing import Gateway
from inkov.model.source import Origin
from inkov.model.switch import Bridged, General, Routed, Switch, Trunk, Vlan
from inkov.model.vlanset import VlanSet
from inkov.rules.catalogue import RULES
from routed import routed_campuses
from strategies import campuses, often, open_campuses


def relays(campus, views=(View.MUST, View.MAY)):
    network = Network(campus)
    return {
        str(PortRef(s.name, p)): [network.relay(PortRef(s.name, p), view) for view in views]
        for s in campus.switches.values()
        for p in s.ports
    }


def read_back(switch):
    reading = Reading("x.yaml")
    found = read(switch_writer.text(switch).encode(), reading, Given("x"))
    assert reading.problems == [], (reading.problems, switch_writer.text(switch))
    return found[0].switch


@given(campuses())
def test_a_switch_of_any_kind_reads_back(campus):
    for switch in campus.switches.values():
        if any(isinstance(p.switching, Bridged) for p in switch.ports.values()):
            continue  # such boxes have bridges for a table, not both
        again = read_back(switch)
        assert {n: p.switching for n, p in again.ports.items()} == {n: p.switching for n, p in switch.ports.items()}
        for name, port in switch.ports.items():
            other = again.ports[name]
            said = ("enabled", "label", "lag", "members", "is_lag", "lacp", "tag_format", "registration")
            assert [getattr(other, a) for a in said] == [getattr(port, a) for a in said]
            assert other.stance is port.stance
            assert (other.tree.cost, other.tree.priority, other.tree.edge) == (
                port.tree.cost,
                port.tree.priority,
                port.tree.edge,
            )
        own, back = switch.vlans, again.vlans
        assert own is None or {v: e for v, e in back.items() if v != 1} == {v: e for v, e in own.items() if v != 1}
        assert (again.tree, again.kind, again.role, again.routing) == (
            switch.tree,
            switch.kind,
            switch.role,
            switch.routing,
        )
        assert (again.habits, again.unstated_habits) == (switch.habits, switch.unstated_habits)


@settings(max_examples=often(60))
@given(st.one_of(campuses(), open_campuses(), routed_campuses()))
def test_openconfig_of_a_switch_of_any_kind_is_read_without_a_word_and_opens_nothing(campus):
    """What it cannot say is not known there, or told: a list of VLANs is the same, or no list."""
    for switch in campus.switches.values():
        reading = Reading("x.json")
        (entry,) = exports.read(openconfig_writer.text(switch)[0].encode(), reading, Given("x"))
        assert reading.problems == []
        for name, port in entry.switch.ports.items():
            own = switch.ports[name]
            assert (port.enabled, port.label, port.lag) == (own.enabled, own.label, own.lag)
            if is_stated(port.switching) and not isinstance(port.switching, Routed):
                assert port.switching == own.switching
        off = {(g.port, g.vid): g.enabled for g in switch.gateways}
        assert all(g.enabled == off[g.port, g.vid] for g in entry.switch.gateways)


EXAMPLES = {
    f"{r.name} {side}": e.files for r in RULES.values() for side, e in (("breaks", r.breaks), ("passes", r.passes))
}


@pytest.mark.parametrize("pvid", ["0", "none", "10"])
def test_a_port_of_a_software_switch_reads_back(pvid):
    text = f"inkov: switch\nname: a\nvlans: as used\nports: {{x: {{general: {{pvid: {pvid}, untagged: '10', plain: true}}}}}}\n"
    reading = Reading("a.yaml")
    (entry,) = read(text.encode(), reading, Given("a"))
    assert reading.problems == []
    own = entry.switch.ports["x"].switching
    assert own == General({"0": 0, "none": None, "10": 10}[pvid], VlanSet([10]), VlanSet(), plain=True)
    assert read_back(entry.switch).ports["x"].switching == own


@pytest.mark.parametrize("name", sorted(EXAMPLES))
def test_every_example_of_a_rule_forwards_alike_when_converted(name, tmp_path):
    campus = inkov.load(write_files(tmp_path / "a", EXAMPLES[name]))
    files = {f"{n}.yaml": switch_writer.text(s) for n, s in campus.switches.items() if not s.sync or not s.sync.secret}
    if len(files) < len(campus.switches):
        return  # a secret is not kept, so that its group cannot be written
    again = inkov.load(write_files(tmp_path / "b", files))
    assert relays(again) == relays(campus)
    if not campus.cables:
        assert [str(k) for k in Network(again).links] == [str(k) for k in Network(campus).links]


@pytest.mark.parametrize("site", sorted((DATA / "realswitch").glob("campus-*")), ids=lambda p: p.name)
def test_recorded_campuses_forward_alike_when_converted(site, tmp_path):
    source = next(site.rglob("campus.yaml"), site)
    campus = inkov.load(source)
    again = inkov.load(write_files(tmp_path, {f"{n}.yaml": switch_writer.text(s) for n, s in campus.switches.items()}))
    assert relays(again) == relays(campus)


def test_the_demo_converted_by_the_command_says_the_same_of_every_port(quillfin, tmp_path):
    done = run_inkov("convert", quillfin / "as-found", "-o", tmp_path / "ours")
    assert (done.code, done.err) == (0, "")
    campus, again = inkov.load(quillfin / "as-found"), inkov.load(tmp_path / "ours")
    assert relays(again) == relays(campus)
    assert (tmp_path / "ours" / "archive.yaml").read_text().startswith("# not known: how the port negotiates: ")


def test_as_openconfig_what_it_can_say_is_the_same_and_the_rest_is_told(tmp_path):
    rng = random.Random(5)
    for n in range(8):
        boxes = writers.random_boxes(rng, plain=True)
        campus = inkov.load(
            write_files(tmp_path / f"{n}", {f"{b.name}.json": writers.openconfig_json(b) for b in boxes})
        )
        texts = {name: openconfig_writer.text(s) for name, s in campus.switches.items()}
        assert all(said == [] for _, said in texts.values())
        again = inkov.load(
            write_files(tmp_path / f"{n} again", {f"{name}.json": text for name, (text, _) in texts.items()})
        )
        assert relays(again) == relays(campus)
        assert [str(k) for k in Network(again).links] == [str(k) for k in Network(campus).links]


def test_what_openconfig_cannot_say_is_told_and_the_port_left_open(tmp_path):
    text = "inkov: switch\nname: quay\nrole: edge\nvlans: {10: x, 20: y}\nports:\n  1: {access: 10, voice: 20}\n  2: {trunk: '10', native: 10}\n"
    text += "  3: {trunk: '10', native: 10, tags: 802.1ad}\n  4: {trunk: '10', native: 10, tags: of its own}\n"
    write_files(tmp_path, {"a.yaml": text})
    done = run_inkov("convert", tmp_path / "a.yaml", "--to", "openconfig", "-o", tmp_path / "oc")
    assert done.code == 0
    assert done.err.splitlines() == [
        "note: quay: what a port does that is neither an access port nor a trunk: 1",
        "note: quay: how a port negotiates: 1-4",
        "note: quay: tag formats that the models do not know: 4",
        "note: quay: its role, edge",
    ]
    switch = inkov.load(tmp_path / "oc").switches["quay"]
    assert isinstance(switch.ports["2"].switching, Trunk)
    assert [switch.ports[n].tag_format for n in "23"] == ["802.1Q", "802.1ad"]
    assert [type(switch.ports[n].switching).__name__ for n in "14"] == ["Unstated", "Unstated"]


def test_names_that_are_patterns_paths_or_keys_survive(tmp_path):
    ports = ["1-2", "a,b", "=x", "ge-0/0/1", "Ethernet 1", "../../up", "null", "1", "2", "3"]
    rows = ['.1.3.6.1.2.1.1.5.0 = STRING: "../../etc/quay"']
    for n, name in enumerate(ports, 1):
        rows += [f'.1.3.6.1.2.1.31.1.1.1.1.{n} = STRING: "{name}"', f".1.3.6.1.2.1.17.1.4.1.2.{n} = INTEGER: {n}"]
    (tmp_path / "w.walk").write_text("\n".join(rows) + "\n")
    done = run_inkov("convert", tmp_path / "w.walk", "-o", tmp_path / "out" / "deep")
    assert done.code == 0
    (file,) = (tmp_path / "out" / "deep").iterdir()
    assert file.name == "-..-etc-quay.yaml"
    (switch,) = inkov.load(file).switches.values()
    assert sorted(switch.ports) == sorted(ports)


def test_a_gateway_reads_back_with_what_is_not_told_of_it():
    address = ip_interface("192.0.2.1/24")
    own = Gateway(10, (address,), untold=("IPv6", "filters")), Gateway(20, (ip_interface("192.0.3.1/24"),))
    switch = Switch(name="a", vlans={10: Vlan(10), 20: Vlan(20)}, ports={}, gateways=own, origin=Origin("a", "", {}))
    assert "not-told: [IPv6, filters]" in switch_writer.text(switch)
    assert [(g.vid, g.untold) for g in read_back(switch).gateways] == [(10, ("IPv6", "filters")), (20, ())]
