"""SNMP walks: every spelling of a real walker, and the traps of bitmaps, cut files and refused answers."""

import os
import random

import pytest

import inkov
import writers
from conftest import run_inkov, write_files
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.kinds.table import setting_words
from inkov.model.names import PortRef
from inkov.model.switch import Access, FrameTypes, General, Lacp, Routed, Trunk, Unstated
from inkov.model.vlanset import VlanSet
from inkov.proof.outcome import CannotTell
from snmp_agent import NOT_HERE, Agent

DOT1Q = ".1.3.6.1.2.1.17.7.1.4"


def walk(*rows):
    """Writes rows as a walker prints them; a value is written as it stands."""
    return "".join(f"{oid} = {value}\n" for oid, value in rows)


NAMES = [(f".1.3.6.1.2.1.31.1.1.1.1.{100 + n}", f'STRING: "p{n}"') for n in (1, 2, 3)]
BASE = [(".1.3.6.1.2.1.1.5.0", 'STRING: "quay"'), *NAMES]
BASE += [(f".1.3.6.1.2.1.17.1.4.1.2.{n}", f"INTEGER: {100 + n}") for n in (1, 2, 3)]


def vlan(number, egress, untagged, name="x"):
    table = f"{DOT1Q}.3.1"
    return [
        (f"{table}.1.{number}", f'STRING: "{name}"'),
        (f"{table}.2.{number}", egress),
        (f"{table}.4.{number}", untagged),
        (f"{table}.5.{number}", "INTEGER: 1"),
    ]


def port(number, pvid, frames=1, filtering=1):
    table = f"{DOT1Q}.5.1"
    return [
        (f"{table}.1.{number}", f"Gauge32: {pvid}"),
        (f"{table}.2.{number}", f"INTEGER: {frames}"),
        (f"{table}.3.{number}", f"INTEGER: {filtering}"),
    ]


def loaded(tmp_path, *rows, text=None, file="quay.walk"):
    (tmp_path / file).write_bytes(text if text is not None else walk(*rows).encode())
    return inkov.load(tmp_path)


def quay(tmp_path, *rows, **more):
    return loaded(tmp_path, *rows, **more).switches["quay"]


def test_bitmaps_printed_as_text_are_read_as_octets(tmp_path):
    """0x60 prints as a letter, 0x22 and 0x5C escaped, 0x0A as a raw line break."""
    rows = [*BASE, *vlan(10, 'STRING: "`"', 'STRING: "@"'), *vlan(20, 'STRING: "\\""', '""')]
    rows += [*vlan(30, 'STRING: "\n"', '""'), *vlan(40, 'STRING: "\\\\"', '""')]
    rows += [*port(1, 1), *port(2, 10), *port(3, 1)]
    switch = quay(tmp_path, *rows)
    assert switch.ports["p2"].switching == Trunk(10, VlanSet([10, 40]))  # 0x60 is ports 2 and 3, 0x40 is port 2
    assert switch.ports["p3"].switching == Trunk(None, VlanSet([10, 20]))  # 0x22 is ports 3 and 7
    assert list(switch.vlans) == [10, 20, 30, 40]


def test_a_bitmap_counts_bridge_ports_not_interfaces(tmp_path):
    rows = [r for r in BASE if ".17.1.4.1.2." not in r[0]]
    rows += [(".1.3.6.1.2.1.17.1.4.1.2.1", "INTEGER: 103"), (".1.3.6.1.2.1.17.1.4.1.2.3", "INTEGER: 101")]
    rows += [*vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(3, 1)]
    switch = quay(tmp_path, *rows)
    assert switch.ports["p3"].switching == Access(10)
    assert isinstance(switch.ports["p1"].switching, General)


def test_without_the_map_of_bridge_ports_nothing_is_known_of_ports(tmp_path):
    rows = [r for r in BASE if ".17.1.4.1.2." not in r[0]]
    campus = loaded(tmp_path, *rows, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10))
    assert [p.switching for p in campus.switches["quay"].ports.values()] == []
    assert any("which interface a bridge port is" in n for n in campus.notes)


def test_hex_over_several_lines_and_rows_of_different_length(tmp_path):
    long = "Hex-STRING: 00 00 00 00 00 00 00 00 00 00 00 00 00 00 00 00 \n80 "
    rows = [*BASE, (".1.3.6.1.2.1.17.1.4.1.2.129", "INTEGER: 900"), (".1.3.6.1.2.1.31.1.1.1.1.900", 'STRING: "up"')]
    rows += [*vlan(10, long, '""'), *vlan(20, "Hex-STRING: 80 ", "Hex-STRING: 80 ")]
    rows += [*port(1, 20), *port(2, 1), *port(3, 1), *port(129, 1)]
    switch = quay(tmp_path, *rows)
    assert switch.ports["up"].switching == Trunk(None, VlanSet([10]))
    assert switch.ports["p1"].switching == Access(20)


def test_bits_that_are_untagged_and_no_members_mean_nothing(tmp_path):
    rows = [*BASE, *vlan(1, "Hex-STRING: 40 ", "Hex-STRING: FF "), *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 ")]
    switch = quay(tmp_path, *rows, *port(1, 10), *port(2, 1), *port(3, 1))
    assert [setting_words(switch.ports[p]) for p in ("p1", "p2")] == ["access 10", "access 1"]


def test_digits_in_place_of_octets_are_not_believed(tmp_path):
    rows = [*BASE, *vlan(10, 'STRING: "000000000003f0"', '""'), *port(1, 1), *port(2, 1), *port(3, 1)]
    campus = loaded(tmp_path, *rows)
    assert {type(p.switching) for p in campus.switches["quay"].ports.values()} == {Unstated}
    assert any("holds digits where a bitmap should be" in n for n in campus.notes)


NOTIONS = [
    ("80", "80", 10, 1, 1, "access 10"),
    ("80", "00", 1, 2, 1, "trunk, no native"),
    ("80", "00", 1, 1, 1, "trunk, no native"),
    ("80", "00", 1, 1, 2, "general pvid 1, untagged none, tagged 10, no filtering"),
    ("80", "80", 20, 1, 2, "general pvid 20, untagged 10, tagged none, no filtering"),
    ("80", "80", 20, 1, 1, "general pvid 20, untagged 10, tagged none"),
    ("00", "00", 10, 1, 2, "general pvid 10, untagged none, tagged none, no filtering"),
    ("80", "80", 10, 1, 2, "general pvid 10, untagged 10, tagged none, no filtering"),
]


@pytest.mark.parametrize("notion", NOTIONS, ids=[row[-1] for row in NOTIONS])
def test_tables_become_the_notions_of_the_trade_only_where_that_is_exact(tmp_path, notion):
    egress, untagged, pvid, frames, filtering, said = notion
    rows = [*BASE, *vlan(10, f"Hex-STRING: {egress} ", f"Hex-STRING: {untagged} "), *vlan(20, '""', '""')]
    switch = quay(tmp_path, *rows, *port(1, pvid, frames, filtering), *port(2, 1), *port(3, 1))
    assert setting_words(switch.ports["p1"]) == said


def test_a_column_that_is_not_there_is_not_a_no(tmp_path):
    """Without the columns of frame types and filtering, a port may do either; the standard's relay map is then open."""
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *vlan(20, '""', '""')]
    rows += [(f"{DOT1Q}.5.1.1.{n}", "Gauge32: 10") for n in (1, 2, 3)]
    campus = loaded(tmp_path, *rows)
    own = campus.switches["quay"].ports["p1"].switching
    assert own == General(10, VlanSet([10]), VlanSet(), None, None)
    network = Network(campus)
    ref = PortRef("quay", "p1")
    assert network.relay(ref, View.MAY).in_tagged >> 20 & 1
    assert (network.relay(ref, View.MUST).in_untagged, network.relay(ref, View.MUST).in_tagged) == (0, 0)


def test_true_and_false_are_one_and_two(tmp_path):
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10, frames=1, filtering=2), *port(2, 1)]
    assert quay(tmp_path, *rows, *port(3, 1)).ports["p1"].switching.filtering is False


def test_rows_that_are_not_in_force_do_not_relay(tmp_path):
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 ")[:-1], (f"{DOT1Q}.3.1.5.10", "INTEGER: 2")]
    assert not quay(tmp_path, *rows, *port(1, 10), *port(2, 1), *port(3, 1)).vlans[10].active


def test_of_several_time_marks_the_highest_counts(tmp_path):
    rows = [*BASE]
    for mark, ports in ((0, "40"), (7, "80")):
        rows += [
            (f"{DOT1Q}.2.1.4.{mark}.10", f"Hex-STRING: {ports} "),
            (f"{DOT1Q}.2.1.5.{mark}.10", f"Hex-STRING: {ports} "),
        ]
    switch = quay(tmp_path, *rows, *port(1, 10), *port(2, 10), *port(3, 1))
    assert switch.ports["p1"].switching == Access(10)
    assert isinstance(switch.ports["p2"].switching, General)


def test_vlans_above_4094_are_local_and_none(tmp_path):
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *vlan(4200, "Hex-STRING: C0 ", "Hex-STRING: C0 ")]
    switch = quay(tmp_path, *rows, *port(1, 10), *port(2, 1), *port(3, 1))
    assert list(switch.vlans) == [10]


def test_refusals_and_the_end_of_an_agent_are_no_values(tmp_path):
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(2, 1), *port(3, 20)]
    rows += [(f"{DOT1Q}.5.1.1.3", "No more variables left in this MIB View (It is past the end of the MIB tree)")]
    rows += [(".1.2.840.10006.300.43.1.2.1.1.12", "No Such Object available on this agent at this OID")]
    switch = quay(tmp_path, *rows)
    assert switch.ports["p3"].switching.pvid == 20


@pytest.mark.parametrize("kept", range(9, 30))
def test_a_walk_that_is_cut_makes_facts_unknown_never_false(tmp_path, kept):
    """However much is left of a walk, its campus stands for the whole one: nothing surely passes that does not, or the other way."""
    rows = [*BASE, *vlan(10, "Hex-STRING: A0 ", "Hex-STRING: 80 "), *vlan(20, "Hex-STRING: 60 ", "Hex-STRING: 40 ")]
    rows += [row for n, pvid in ((1, 10), (2, 20), (3, 1)) for row in port(n, pvid)]
    rows.sort(key=lambda r: [int(n) for n in r[0].strip(".").split(".")])
    (tmp_path / "whole").mkdir()
    whole = Network(loaded(tmp_path / "whole", *rows))
    (tmp_path / "cut").mkdir()
    text = walk(*rows[:kept]) + "Timeout: No Response from 192.0.2.7\n"
    part = Network(loaded(tmp_path / "cut", text=text.encode()))
    for name in part.switches["quay"].ports:
        ref = PortRef("quay", name)
        if name not in whole.switches["quay"].ports:
            continue
        for view, inside in ((View.MUST, True), (View.MAY, False)):
            mine, full = part.relay(ref, view), whole.relay(ref, View.USUAL)
            for what in ("in_untagged", "in_tagged", "out_untagged", "out_tagged"):
                a, b = getattr(mine, what), getattr(full, what)
                assert (a & ~b if inside else b & ~a) == 0, (name, view, what)


@pytest.mark.parametrize(
    "cut", [b"", b'\n.1.3.6.1.2.1.31.1.1.1.18.101 = STRING: "quo', b"\n.1.3.6.1.2.1.17.7.1.4.3.1.2.9 = Hex-STRING: 8"]
)
def test_a_last_value_that_breaks_off_is_dropped_and_told(tmp_path, cut):
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(2, 1), *port(3, 1)]
    campus = loaded(tmp_path, text=walk(*rows).rstrip("\n").encode() + cut)
    assert list(campus.switches["quay"].vlans) == [10]
    assert any("has no end" in n for n in campus.notes)


@pytest.mark.parametrize("text", [b"Timeout: No Response from 192.0.2.7:161\n", b"snmpwalk: Unknown host (quay)\n"])
def test_an_answer_that_never_came_is_an_error_not_a_switch(tmp_path, text):
    (tmp_path / "quay.txt").write_bytes(text)
    done = run_inkov("audit", tmp_path)
    assert done.code == 2
    assert "quay.txt:1: this walk holds nothing that is of use" in done.err or "quay.txt: this walk holds" in done.err


def test_text_that_looks_like_a_row_stays_text(tmp_path):
    rows = [*BASE, (".1.3.6.1.2.1.31.1.1.1.18.101", f'STRING: "one\n{DOT1Q}.5.1.1.1 = Gauge32: 99"')]
    rows += [*vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(2, 1), *port(3, 1)]
    switch = quay(tmp_path, *rows)
    assert switch.ports["p1"].switching == Access(10)
    assert "Gauge32: 99" in switch.ports["p1"].label


def test_line_ends_of_an_editor_are_no_data(tmp_path):
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(2, 1), *port(3, 1)]
    assert quay(tmp_path, text=walk(*rows).replace("\n", "\r\n").encode()).ports["p1"].switching == Access(10)


def test_values_with_labels_and_names_of_modules(tmp_path):
    text = (
        b"SNMPv2-MIB::sysName.0 = STRING: quay\nIF-MIB::ifName[101] = STRING: WET LAB\nIF-MIB::ifAdminStatus.101 = INTEGER: down(2)\n"
        b"IF-MIB::ifPhysAddress.101 = STRING: 0:0:5e:0:53:1\nBRIDGE-MIB::dot1dBasePortIfIndex.1 = INTEGER: 101\n"
        b"Q-BRIDGE-MIB::dot1qVlanStaticName.10 = STRING: labs\nQ-BRIDGE-MIB::dot1qVlanStaticEgressPorts.10 = Hex-STRING: 80 \n"
        b"Q-BRIDGE-MIB::dot1qVlanStaticUntaggedPorts.10 = Hex-STRING: 80 \nQ-BRIDGE-MIB::dot1qVlanStaticRowStatus.10 = active\n"
        b"Q-BRIDGE-MIB::dot1qPvid.1 = Gauge32: 10\nQ-BRIDGE-MIB::dot1qPortAcceptableFrameTypes.1 = INTEGER: admitAll(1)\n"
        b"Q-BRIDGE-MIB::dot1qPortIngressFiltering.1 = INTEGER: true(1)\n"
    )
    own = quay(tmp_path, text=text).ports["WET LAB"]
    assert (own.switching, own.enabled, "00:00:5e:00:53:01" in own.known_as) == (Access(10), False, True)


LAG = ".1.2.840.10006.300.43.1.2.1.1"


@pytest.mark.parametrize("listed", ["aggregate", "members"])
def test_lags_whether_agents_list_the_aggregate_or_its_members(tmp_path, listed):
    rows = [(".1.3.6.1.2.1.1.5.0", 'STRING: "quay"'), *NAMES, (".1.3.6.1.2.1.31.1.1.1.1.501", 'STRING: "bundle 1"')]
    rows += [(".1.3.6.1.2.1.2.2.1.3.501", "INTEGER: 161")]
    bridged = {3: 501, 1: 103} if listed == "aggregate" else {1: 101, 2: 102, 3: 103}
    rows += [(f".1.3.6.1.2.1.17.1.4.1.2.{p}", f"INTEGER: {i}") for p, i in bridged.items()]
    mask = "20" if listed == "aggregate" else "C0"
    rows += vlan(10, f"Hex-STRING: {mask} ", '""')
    rows += [row for p in bridged for row in port(p, 1, frames=2)]
    for i in (101, 102):
        rows += [
            (f"{LAG}.12.{i}", "INTEGER: 501"),
            (f"{LAG}.13.{i}", "INTEGER: 0"),
            (f"{LAG}.21.{i}", "Hex-STRING: BC "),
        ]
    switch = quay(tmp_path, *rows)
    lag = switch.ports["bundle 1"]
    assert (lag.members, lag.switching, lag.lacp) == (("p1", "p2"), Trunk(None, VlanSet([10])), Lacp.ACTIVE)
    assert switch.ports["p1"].lag == "bundle 1"


def test_interfaces_that_are_no_bridge_ports_relay_nothing_and_the_walk_says_what_it_cannot(tmp_path):
    rows = [*BASE, (".1.3.6.1.2.1.31.1.1.1.1.200", 'STRING: "mgmt"'), (".1.3.6.1.2.1.2.2.1.3.200", "INTEGER: 6")]
    rows += [
        (".1.3.6.1.2.1.4.20.1.2.192.0.2.9", "INTEGER: 200"),
        (".1.3.6.1.2.1.4.20.1.3.192.0.2.9", "IpAddress: 255.255.255.0"),
    ]
    rows += [*vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(2, 1), *port(3, 1)]
    switch = quay(tmp_path, *rows)
    assert switch.ports["mgmt"].switching == Routed()
    assert [str(a) for g in switch.gateways for a in g.addresses] == ["192.0.2.9/24"]
    assert [g.untold for g in switch.gateways] == [("IPv6", "filters")]  # the table lists IPv4 alone (RFC 4293)
    assert {p.stance for p in switch.ports.values()} == {None}


MGMT = [
    *BASE,
    (".1.3.6.1.2.1.31.1.1.1.1.200", 'STRING: "mgmt"'),
    (".1.3.6.1.2.1.2.2.1.3.200", "INTEGER: 6"),
    (".1.3.6.1.2.1.4.20.1.2.192.0.2.9", "INTEGER: 200"),
    (".1.3.6.1.2.1.4.20.1.3.192.0.2.9", "IpAddress: 255.255.255.0"),
]
NEW, OLDER, OLDEST = ".1.3.6.1.2.1.4.24.7.1", ".1.3.6.1.2.1.4.24.4.1", ".1.3.6.1.2.1.4.21.1"
BY_HOP = ".1.4.198.51.100.0.24.2.0.0.1.4.192.0.2.1"
SIX = ".2.16" + ".32.1.13.184" + ".0" * 12 + ".32.2.0.0.2.16" + ".32.1.13.184" + ".0" * 11 + ".9"
NOWHERE = ".1.4.203.0.113.0.24.2.0.0.1.4.0.0.0.0"


@pytest.mark.parametrize(
    ("rows", "routes", "learns", "touched"),
    [
        ([(f"{NEW}.8{BY_HOP}", 4), (f"{NEW}.9{BY_HOP}", 3)], ["198.51.100.0/24 192.0.2.1"], "", []),
        ([(f"{NEW}.8{SIX}", 4), (f"{NEW}.9{SIX}", 3)], ["2001:db8::/32 2001:db8::9"], "", []),
        ([(f"{NEW}.8{BY_HOP}", 4), (f"{NEW}.9{BY_HOP}", 13)], ["198.51.100.0/24 192.0.2.1"], "OSPF", []),
        ([(f"{NEW}.8{NOWHERE}", 3), (f"{NEW}.9{NOWHERE}", 2)], [], "", []),
        ([(f"{NEW}.8{NOWHERE}", 5), (f"{NEW}.9{NOWHERE}", 3)], ["203.0.113.0/24 None"], "", []),
        ([(f"{NEW}.8{NOWHERE}", 2), (f"{NEW}.9{NOWHERE}", 3)], ["203.0.113.0/24 None"], "", []),
        ([(f"{NEW}.8{NOWHERE}", 1), (f"{NEW}.9{NOWHERE}", 3)], [], "", ["/inetCidrRouteType"]),
        ([(f"{OLDEST}.8.198.51.100.0", 2), (f"{OLDEST}.11.198.51.100.0", "IpAddress: 255.255.255.0")], [], "", []),
        (
            [(f"{OLDER}.6.0.0.0.0.0.0.0.0.0.192.0.2.1", 4), (f"{OLDER}.7.0.0.0.0.0.0.0.0.0.192.0.2.1", 3)],
            ["0.0.0.0/0 192.0.2.1"],
            "",
            [],
        ),
        (
            [
                (f"{OLDEST}.7.198.51.100.0", "IpAddress: 192.0.2.1"),
                (f"{OLDEST}.8.198.51.100.0", 4),
                (f"{OLDEST}.9.198.51.100.0", 8),
                (f"{OLDEST}.11.198.51.100.0", "IpAddress: 255.255.255.0"),
            ],
            ["198.51.100.0/24 192.0.2.1"],
            "RIP",
            [],
        ),
        ([], [], "its walk tells no routing table", []),
    ],
)  # fmt: skip
def test_the_routing_table_is_read_from_whichever_module_has_it(tmp_path, rows, routes, learns, touched):
    written = [(oid, f"INTEGER: {v}" if isinstance(v, int) else v) for oid, v in rows]
    switch = quay(tmp_path, *MGMT, *written)
    assert [f"{r.prefix} {r.via}" for r in switch.routes] == routes
    assert switch.learns == learns
    assert [t.path for t in switch.touches] == touched


def test_local_port_numbers_of_discovery_are_joined_by_what_they_stand_for(tmp_path):
    """They are neither bridge ports nor interfaces: number 7 is announced as p2."""
    lldp = ".1.0.8802.1.1.2.1"
    rows = [*BASE, (f"{lldp}.3.7.1.2.7", "INTEGER: 5"), (f"{lldp}.3.7.1.3.7", 'STRING: "p2"')]
    for mark, system in ((3, "old"), (90, "pier")):
        rows += [
            (f"{lldp}.4.1.1.{c}.{mark}.7.1", v)
            for c, v in ((6, "INTEGER: 3"), (7, "Hex-STRING: 00 00 5E 00 53 07 "), (9, f'STRING: "{system}"'))
        ]
    rows += [(f"{lldp}.4.1.1.12.90.7.1", 'STRING: "("'), (f"{lldp}.5.32962.1.3.1.1.1.90.7.1", "INTEGER: 0")]
    (heard,) = quay(tmp_path, *rows).heard
    assert (heard.port, heard.system, heard.far_port, heard.pvid, heard.kind.value) == (
        "p2",
        "pier",
        "00:00:5e:00:53:07",
        None,
        "router",
    )


@pytest.mark.parametrize(
    ("unknown", "tagged", "voice"), [(2, 1, 390), (1, 1, None), (2, 2, None)], ids=["tagged", "unknown", "untagged"]
)
def test_a_phones_policy_counts_when_it_is_known_and_tagged(tmp_path, unknown, tagged, voice):
    lldp = ".1.0.8802.1.1.2.1"
    rows = [
        *BASE,
        (f"{lldp}.3.7.1.2.7", "INTEGER: 5"),
        (f"{lldp}.3.7.1.3.7", 'STRING: "p2"'),
        (f"{lldp}.4.1.1.7.9.7.1", 'STRING: "x"'),
    ]
    rows += [(f"{lldp}.5.4795.1.3.2.1.{c}.9.7.1.1", f"INTEGER: {v}") for c, v in ((2, 390), (5, unknown), (6, tagged))]
    assert quay(tmp_path, *rows).heard[0].voice == voice


def test_a_device_with_two_names_of_one_length_does_not_hide_behind_its_domain(tmp_path):
    """`sw.1` and `sw.2` are names, not domains; `core.a.example` and `core.b.example` are two devices."""
    for n, name in enumerate(("sw.1", "sw.2", "core.a.example", "core.b.example")):
        rows = [(".1.3.6.1.2.1.1.5.0", f'STRING: "{name}"'), *BASE[1:], *vlan(10, '""', '""')]
        (tmp_path / f"{n}.walk").write_text(walk(*rows))
    assert sorted(inkov.load(tmp_path).switches) == ["core.a.example", "core.b.example", "sw.1", "sw.2"]


@pytest.fixture(scope="module")
def agent(tmp_path_factory):
    if NOT_HERE or os.geteuid() != 0:
        pytest.skip(f"no SNMP agent runs here ({NOT_HERE or 'it needs root'}): nothing was walked")
    box = writers.random_boxes(random.Random(7), plain=False)[0]
    with Agent(tmp_path_factory.mktemp("agent"), writers.objects(box)) as running:
        yield box, running


@pytest.mark.parametrize("option", ["-On", "-Onx", "-OQ", "-Oe", "-OX", "-Of", "-Oqn", "-OQn"])
def test_what_a_real_walker_prints_is_the_same_switch_in_every_spelling(agent, tmp_path, option):
    box, running = agent
    walked = quay_of(tmp_path, "walked.txt", running.walk(option, ".1"))
    expected = quay_of(tmp_path, "expected.txt", writers.walk(box).encode())
    assert [(p.name, p.switching, p.enabled) for p in walked.ports.values()] == [
        (p.name, p.switching, p.enabled) for p in expected.ports.values()
    ]
    assert (walked.vlans, walked.mac, walked.tree) == (expected.vlans, expected.mac, expected.tree)
    assert [(h.port, h.system, h.far_port, h.chassis) for h in walked.heard] == [
        (h.port, h.system, h.far_port, h.chassis) for h in expected.heard
    ]


def quay_of(tmp_path, name, text):
    folder = tmp_path / name.partition(".")[0]
    folder.mkdir()
    (folder / name).write_bytes(text)
    (switch,) = inkov.load(folder).switches.values()
    return switch


def test_several_subtrees_walked_one_by_one_are_one_switch(agent, tmp_path):
    box, running = agent
    for subtree in (
        ".1.3.6.1.2.1.1",
        ".1.3.6.1.2.1.31",
        ".1.3.6.1.2.1.2",
        ".1.3.6.1.2.1.17",
        ".1.3.6.1.2.1.4",
        ".1.0.8802",
    ):
        with (tmp_path / "all.txt").open("ab") as file:
            file.write(running.walk("-Onx", subtree))
    together = inkov.load(tmp_path / "all.txt").switches[f"{box.name}.lab.example"]
    assert together.ports.keys() == box.ports.keys()
    assert together.vlans.keys() == box.vlans.keys()


def test_frame_types_of_newer_tables_are_not_mixed_in(tmp_path):
    """In the newer module 2 and 3 mean other things and a component stands before the number; it is passed over."""
    newer = ".1.3.111.2.802.1.1.4.1.4.5.1"
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", '""'), *port(1, 10, frames=2), *port(2, 1), *port(3, 1)]
    rows += [(f"{newer}.2.1.1", "INTEGER: 3"), (f"{newer}.1.1.1", "Gauge32: 99")]
    own = quay(tmp_path, *rows).ports["p1"].switching
    assert own == Trunk(None, VlanSet([10]))
    assert FrameTypes.TAGGED is not None


def test_a_walk_and_a_switch_file_are_one_switch(tmp_path):
    rows = [(".1.3.6.1.2.1.1.5.0", 'STRING: "QUAY.lab.example"'), *BASE[1:]]
    rows += [*vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(2, 1), *port(3, 1)]
    adds = "inkov: switch\nname: quay\nrole: edge\nports:\n  p1-p3: {stance: silent, edge: true}\n"
    campus = inkov.load(write_files(tmp_path, {"a.walk": walk(*rows), "b.yaml": adds}))
    (switch,) = campus.switches.values()
    assert (switch.name, switch.role, switch.ports["p1"].switching) == ("quay", "edge", Access(10))
    assert {(p.stance.value, p.tree.edge) for p in switch.ports.values()} == {("silent", True)}
    assert campus.contradictions == ()


def test_a_contradiction_between_them_is_a_finding_with_both_places(tmp_path):
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 10), *port(2, 1), *port(3, 1)]
    adds = "inkov: switch\nname: quay\nports:\n  p1: {access: 20}\n"
    campus = inkov.load(write_files(tmp_path, {"a.walk": walk(*rows), "b.yaml": adds}))
    (found,) = [f for f in inkov.audit(campus) if f.rule == "source/differ"]
    assert found.place == "quay:p1"
    assert found.what == "Of quay:p1, b.yaml says access 20, a.walk says access 10; neither counts."
    assert [str(e.source) for e in found.evidence] == ["b.yaml:4", "a.walk:12"]
    assert isinstance(campus.switches["quay"].ports["p1"].switching, Unstated)
    overrides = adds.replace("name: quay", "name: quay\noverrides: true")
    campus = inkov.load(write_files(tmp_path, {"b.yaml": overrides}))
    assert campus.switches["quay"].ports["p1"].switching == Access(20)
    assert campus.contradictions == ()


def test_a_file_that_only_adds_is_no_switch_by_itself(tmp_path):
    write_files(tmp_path, {"b.yaml": "inkov: switch\nname: quay\nports:\n  p1: {access: 20}\n"})
    done = run_inkov("audit", tmp_path)
    assert done.code == 2
    assert "b.yaml:1: key 'vlans' is missing; 'vlans: as used' says that the box keeps no table" in done.err


def test_packets_may_pass_a_device_whose_addresses_nobody_told(tmp_path):
    """A walk without addresses is no proof that the device is no gateway."""
    rows = [*BASE, *vlan(10, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *vlan(20, "Hex-STRING: 40 ", "Hex-STRING: 40 ")]
    rows += [*port(1, 10), *port(2, 20), *port(3, 1)]
    write_files(tmp_path, {"quay.walk": walk(*rows)})
    done = run_inkov("prove", tmp_path, "--claim", "apart 10 20")
    assert done.code == 1
    assert "which addresses quay has in VLANs, and whether it routes" in done.out
    (tmp_path / "adds.yaml").write_text("inkov: switch\nname: quay\nrouting: false\n")
    assert run_inkov("prove", tmp_path, "--claim", "apart 10 20").code == 0


IP_NEW = ".1.3.6.1.2.1.4.34.1.3.1.4"
LOCAL = ".1.4.192.0.2.0.24.2.0.0.1.4.0.0.0.0", ".1.4.192.0.3.0.24.2.0.0.1.4.0.0.0.0"


def router(tmp_path, told):
    """A walk of a device with two routed ports, each facing a VLAN of a switch; the newer table of addresses has no masks."""
    rows = [*BASE, *vlan(30, "Hex-STRING: 80 ", "Hex-STRING: 80 "), *port(1, 30), (".1.3.6.1.2.1.4.1.0", "INTEGER: 1")]
    for i, (name, third) in enumerate((("r1", 2), ("r2", 3)), 200):
        rows += [
            (f".1.3.6.1.2.1.31.1.1.1.1.{i}", f'STRING: "{name}"'),
            (f".1.3.6.1.2.1.2.2.1.3.{i}", "INTEGER: 6"),
            (f"{IP_NEW}.192.0.{third}.1", f"INTEGER: {i}"),
        ]
    for to in LOCAL if told else ():
        rows += [(f"{NEW}.8{to}", "INTEGER: 3"), (f"{NEW}.9{to}", "INTEGER: 2")]
    ports = "1: {access: 10}, 2: {access: 20}, u1: {access: 10}, u2: {access: 20}"
    (tmp_path / "s.yaml").write_text(f"inkov: switch\nname: s\nvlans: {{10: a, 20: b}}\nports: {{{ports}}}\n", "utf-8")
    cables = "[s u1 - quay r1, s u2 - quay r2]"
    (tmp_path / "campus.yaml").write_text(f"inkov: campus\nname: c\ncables: {cables}\n", "utf-8")
    return quay(tmp_path, *rows)


@pytest.mark.parametrize(("told", "shown"), [(True, 24), (False, 32)])
def test_a_subnet_is_told_by_the_route_to_it_or_not_known(tmp_path, told, shown):
    device = router(tmp_path, told)
    assert [g.shown for g in device.gateways] == [f"192.0.2.1/{shown}", f"192.0.3.1/{shown}"]
    assert [g.untold for g in device.gateways] == [("filters",) if told else ("filters", "subnet")] * 2
    (verdict,) = inkov.prove(inkov.load(tmp_path), ["apart 10 20 layer 3"])
    assert isinstance(verdict.outcome, CannotTell)  # no walk tells the filters of a gateway
    assert any("filters" in fact for fact in verdict.outcome.missing)
