"""Discovery: shapes of a real daemon's output, announcements in captures, and the traps of both."""

import json
import os
import shutil
import struct
import subprocess
import tempfile
import time
from pathlib import Path

import pytest

import inkov
from announcements import DOT1, MED, PIER, announced, capture, tlv
from conftest import write_files
from inkov.formats.lldp.frames import announcement
from inkov.forwarding.network import Network
from inkov.model.switch import Neighbour


@pytest.mark.parametrize("order", ["<", ">"])
@pytest.mark.parametrize("link", [1, 113])
def test_two_that_announce_themselves_on_one_cable_are_a_link(tmp_path, link, order):
    (tmp_path / "cable.pcap").write_bytes(capture((1, announced()), (2, announced(**PIER)), link=link, order=order))
    campus = inkov.load(tmp_path)
    assert [str(k) for k in Network(campus).links] == ["pier:d7 <-> quay:u1"]


def test_a_shutdown_or_a_time_that_is_over_removes_a_neighbour(tmp_path):
    gone = announced(**PIER, ttl=0)
    (tmp_path / "cable.pcap").write_bytes(capture((1, announced(ttl=600)), (2, announced(**PIER)), (3, gone)))
    (tmp_path / "boat.yaml").write_text("inkov: switch\nname: boat\nvlans: {}\nports: {u2: }\n")
    assert sorted(inkov.load(tmp_path).switches) == ["boat"]
    late = capture(
        (1, announced(**PIER, ttl=5)),
        (60, announced()),
        (61, announced(port=b"\x05u2", chassis=b"\x07other", system=b"boat")),
    )
    (tmp_path / "cable.pcap").write_bytes(late)
    assert sorted(inkov.load(tmp_path).switches) == ["boat", "quay"]


def test_the_port_of_a_capture_is_told_by_its_name(tmp_path):
    (tmp_path / "jetty_u7.pcap").write_bytes(capture((1, announced())))
    (tmp_path / "jetty.yaml").write_text("inkov: switch\nname: jetty\nvlans: {10: x}\nports: {u7: {trunk: '10'}}\n")
    (heard,) = inkov.load(tmp_path).switches["jetty"].heard
    assert (heard.port, heard.system, heard.far_port, heard.chassis) == ("u7", "quay", "u1", "00:00:5e:00:53:01")


@pytest.mark.parametrize("damage", [b"", b"\0\0\0", b"\xff" * 200])
def test_a_capture_that_is_no_capture_is_an_error(tmp_path, damage):
    (tmp_path / "a.pcap").write_bytes(b"\xd4\xc3\xb2\xa1" + damage)
    with pytest.raises(inkov.BadInput, match=r"a\.pcap"):
        inkov.load(tmp_path / "a.pcap")


def test_subtypes_of_chassis_and_port_are_two_lists():
    """Number 4 is an address of a chassis, and a network address of a port; 3 is an address of a port."""
    made = announcement(announced(chassis=b"\x04\x00\x00\x5e\x00\x53\x01", port=b"\x03\x00\x00\x5e\x00\x53\x09"))
    assert (made.chassis, made.chassis_is_mac, made.port) == ("00:00:5e:00:53:01", True, "00:00:5e:00:53:09")
    made = announcement(announced(chassis=b"\x05\x01\xc0\x00\x02\x01", port=b"\x04\x01\xc0\x00\x02\x02"))
    assert (made.chassis, made.chassis_is_mac, made.port) == ("192.0.2.1", False, "192.0.2.2")


@pytest.mark.parametrize(("pvid", "read"), [(0, None), (1, 1), (99, 99)])
def test_pvid_0_is_no_vlan_and_differs_from_none_and_from_1(pvid, read):
    assert announcement(announced(more=tlv(127, DOT1 + b"\x01" + struct.pack("!H", pvid)))).pvid == read
    assert announcement(announced()).pvid is None


def test_names_of_vlans_repeat_and_may_be_empty():
    more = tlv(127, DOT1 + b"\x03\x00\x0a\x06OFFICE") + tlv(127, DOT1 + b"\x03\x00\x14\x00")
    assert announcement(announced(more=more)).names == [(10, "OFFICE"), (20, "")]


@pytest.mark.parametrize(
    ("unknown", "tagged", "vid", "voice"), [(0, 1, 390, 390), (1, 1, 390, None), (0, 0, 390, None), (0, 1, 0, None)]
)
def test_voice_counts_only_when_known_and_tagged_in_a_vlan(unknown, tagged, vid, voice):
    bits = unknown << 23 | tagged << 22 | vid << 9 | 5 << 6 | 46
    more = tlv(127, MED + b"\x02\x01" + bits.to_bytes(3, "big")) + tlv(7, b"\x00\x24\x00\x24")
    made = announcement(announced(more=more))
    assert (made.voice, made.kind) == (voice, Neighbour.PHONE)


@pytest.mark.parametrize(
    "payload", [b"", b"\x02", tlv(2, b"\x05u1"), tlv(1, b"\x04abc") + tlv(2, b"\x05u1") + b"\x06\xff\x00"]
)
def test_what_breaks_off_or_begins_wrong_is_no_announcement(payload):
    assert announcement(payload) is None


# -- what a daemon prints ----------------------------------------------------------------------------


def neighbour(port="p1", system="pier", **more):
    chassis = {"id": {"type": "mac", "value": "00:00:5e:00:53:02"}}
    found = {"via": "LLDP", "rid": "1", "chassis": {system: chassis} if system else chassis}
    return {port: {**found, "port": {"id": {"type": "ifname", "value": "d7"}}, **more}}


@pytest.mark.parametrize(
    ("interface", "systems"),
    [
        (None, []),
        (neighbour(), ["pier"]),
        ([neighbour(), neighbour(system="boat")], ["boat", "pier"]),
        (neighbour(system=""), [""]),
        (neighbour(system="id"), ["id"]),
        (neighbour(system="a b.c"), ["a b.c"]),
        (neighbour(via="CDPv2"), []),
    ],
    ids=["none", "one", "hub", "nameless", "called id", "dots and blanks", "another protocol"],
)
def test_json_changes_shape_with_what_there_is_to_tell(tmp_path, interface, systems):
    data = {"lldp": {"interface": interface} if interface else {}}
    campus = inkov.load(write_files(tmp_path, {"quay.json": json.dumps(data)}))
    assert sorted(h.system for h in campus.switches["quay"].heard) == systems


def test_one_vlan_or_several_and_a_pvid_without_a_name(tmp_path):
    one = neighbour(vlan={"vlan-id": "10", "pvid": True, "value": "OFFICE"})
    several = neighbour("p2", vlan=[{"vlan-id": "10", "pvid": False, "value": ""}, {"vlan-id": "99", "pvid": True}])
    data = {"lldp": {"interface": [one, several]}}
    campus = inkov.load(write_files(tmp_path, {"quay.json": json.dumps(data)}))
    assert [(h.pvid, h.names) for h in campus.switches["quay"].heard] == [(10, ((10, "OFFICE"),)), (99, ((10, ""),))]


def test_identifiers_that_the_daemon_does_not_know_come_as_octets(tmp_path):
    entry = neighbour()
    entry["p1"]["port"]["id"] = {"type": "unhandled", "value": "63 74 6c 2d 30"}
    campus = inkov.load(write_files(tmp_path, {"quay.json": json.dumps({"lldp": {"interface": entry}})}))
    assert campus.switches["quay"].heard[0].far_port == "ctl-0"


def test_keys_that_repeat_in_lines_are_neighbours_and_vlans_in_order(tmp_path):
    lines = ""
    for system, vid in (("pier", 10), ("boat", 20)):
        lines += (
            f"lldp.eth0.5.via=LLDP\nlldp.eth0.5.rid=1\nlldp.eth0.5.chassis.name={system}\nlldp.eth0.5.port.ifname=d7\n"
        )
        lines += f"lldp.eth0.5.vlan.vlan-id={vid}\nlldp.eth0.5.vlan.pvid=yes\nlldp.eth0.5.vlan=N{vid}\n"
    campus = inkov.load(write_files(tmp_path, {"quay.txt": lines}))
    assert [(h.port, h.system, h.pvid) for h in campus.switches["quay"].heard] == [
        ("eth0.5", "boat", 20),
        ("eth0.5", "pier", 10),
    ]


def test_nothing_heard_does_not_unplug_a_cable(tmp_path):
    """Silence is no evidence: the cable that the other end hears, or the campus file states, stays."""
    switch = "inkov: switch\nname: {}\nvlans: {{10: x}}\nports: {{u1: {{trunk: '10'}}}}\n"
    files = {"a.yaml": switch.format("quay"), "b.yaml": switch.format("pier") + "neighbours: {u1: quay u1}\n"}
    campus = inkov.load(write_files(tmp_path, {**files, "quay-lldp.json": '{"lldp": {}}'}))
    assert [str(k) for k in Network(campus).links] == ["pier:u1 <-> quay:u1"]


@pytest.fixture(scope="module")
def daemons():
    """Two real daemons at the ends of a veth pair, each in a namespace; yields what they print, by arguments."""
    if not (shutil.which("lldpcli") and shutil.which("ip")) or os.geteuid() != 0:
        pytest.skip("lldpd is not installed here, or this is not root: nothing was heard")
    folder = Path(tempfile.mkdtemp(prefix="lldp-", dir="/tmp"))  # paths of sockets are short
    folder.chmod(0o755)  # the client gives up its rights first
    spaces = {f"inkov-{os.getpid()}-{side}": side for side in ("quay", "pier")}
    made = [["ip", "netns", "add", s] for s in spaces]
    a, b = spaces
    made += [["ip", "link", "add", "u1", "netns", a, "type", "veth", "peer", "name", "d7", "netns", b]]
    made += [["ip", "-n", a, "link", "set", "u1", "up"], ["ip", "-n", b, "link", "set", "d7", "up"]]
    running = []

    def ask(space, *args):
        command = ["ip", "netns", "exec", space, "lldpcli", "-u", str(folder / f"{spaces[space]}.sock"), *args]
        return subprocess.run(command, capture_output=True, check=False, timeout=30).stdout

    try:
        if any(subprocess.run(m, capture_output=True, check=False).returncode for m in made):
            pytest.skip("no network namespaces here: nothing was heard")
        for space, port in ((a, "u1"), (b, "d7")):
            daemon = [
                "lldpd",
                "-d",
                "-u",
                str(folder / f"{spaces[space]}.sock"),
                "-p",
                str(folder / f"{port}.pid"),
                "-I",
                port,
            ]
            running.append(
                subprocess.Popen(
                    ["ip", "netns", "exec", space, *daemon], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
                )
            )
        time.sleep(1.5)
        for space, side in spaces.items():
            ask(space, "configure", "system", "hostname", side)
            ask(space, "configure", "lldp", "tx-interval", "1")
            ask(space, "configure", "lldp", "portidsubtype", "ifname")
        ask(b, "configure", "ports", "d7", "lldp", "custom-tlv", "oui", "00,80,c2", "subtype", "1", "oui-info", "00,63")
        for _ in range(40):
            time.sleep(0.25)
            if b"00,63" not in ask(a, "show", "neighbors") and b'"99"' in ask(
                a, "-f", "json", "show", "neighbors", "details"
            ):
                break
        yield lambda side, *args: ask(a if side == "quay" else b, *args)
    finally:
        for process in running:
            process.terminate()
            process.wait(timeout=10)
        for space in spaces:
            subprocess.run(["ip", "netns", "del", space], capture_output=True, check=False)
        shutil.rmtree(folder, ignore_errors=True)


@pytest.mark.parametrize("shape", ["json", "json0", "keyvalue"])
def test_what_a_real_daemon_prints_is_a_link(daemons, tmp_path, shape):
    for side in ("quay", "pier"):
        (tmp_path / f"{side}.txt").write_bytes(daemons(side, "-f", shape, "show", "neighbors", "details"))
        for what in ("chassis", "interfaces"):
            (tmp_path / f"{side}-{what}.json").write_bytes(daemons(side, "-f", "json", "show", what))
    campus = inkov.load(tmp_path)
    assert [str(k) for k in Network(campus).links] == ["pier:d7 <-> quay:u1"]
    (heard,) = campus.switches["quay"].heard
    assert (heard.pvid, heard.kind, heard.chassis) == (99, Neighbour.STATION, campus.switches["pier"].mac)
