"""Layer 3: the prover against the packet simulator on random campuses, and what it says on small ones."""

import dataclasses
from collections import Counter
from ipaddress import ip_address, ip_network
from itertools import permutations, product

import pytest
from hypothesis import given, settings

import inkov
from conftest import on_screen
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Cable, Segment, Together
from inkov.model.names import PortRef
from inkov.model.vlanset import VlanSet
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Broken, CannotTell, Proved, Turn
from inkov.proof.outside import NO_WAY
from inkov.proof.prove import Prover, prove
from inkov.recheck.check import check
from layer3_simulator import delivered, exits, leads, managed, passed_on, taken_by
from proof_sides import hearers, senders
from routed import SIX, SUBNETS, VLANS, leading_out, routed_campuses
from simulator import Frame, ingress
from strategies import often, source


def gets(campus, a, b):
    """Whether any packet of VLAN a is heard in VLAN b by way of gateways, with every address of both tried."""
    theirs = hearing(campus, b)
    starts = starting(campus, a)
    packets = [p for some in (SUBNETS, SIX) for p in product(list(some[a])[::2], list(some[b])[::2])]
    return any(delivered(campus, starts, packet) & theirs for packet in packets)


def starting(campus, vid):
    """Where frames of the stations of a VLAN start."""
    starts = []
    for ref, tags in senders(campus, vid):
        far = next((c.b if c.a == ref else c.a for c in campus.cables if ref in {c.a, c.b}), None)
        if (entered := ingress(campus, ref, tags, far)) is not None:
            starts.append(Frame(ref.switch, *entered, ref))
    return starts + [Frame(name, vid, (), PortRef(name, "vlan")) for name in managed(campus, vid)]


def hearing(campus, vid):
    """The places whose frames the stations of a VLAN hear."""
    return {(ref.switch, vid) for ref in hearers(campus, vid)} | {(name, vid) for name in managed(campus, vid)}


@given(routed_campuses())
def test_apart_at_layer_3_is_what_the_packet_simulator_sees(campus):
    network = Network(campus)
    for a, b in permutations(VLANS, 2):
        (verdict,) = prove(network, [Apart("x", (f"v{a}", f"v{b}"), layers=frozenset({3}))])
        meet = gets(campus, a, b), gets(campus, b, a)
        match verdict.outcome:
            case Proved():
                assert not any(meet)
            case Broken(witnesses=(witness,)):
                assert meet[0 if witness.start == f"v{a}" else 1]
                assert witness.both == all(meet) or (witness.both is None and not as_usual(campus))
                assert any(isinstance(s, Turn) for s in witness.way)
            case CannotTell(missing=missing):
                assert missing
                assert not any(meet)


OUTSIDE = [ip_address(a) for a in ("203.0.113.9", "192.0.2.9", "192.0.2.100", "192.0.2.200", "2001:db8:ffff::9")]
"""An address of each class that the prefixes of the random campuses leave outside of their subnets."""


def test_what_leaves_the_campus_and_comes_in_is_what_the_packet_simulator_sees():
    beyond = Counter()

    @settings(max_examples=often(80))
    @given(routed_campuses().map(leading_out))
    def agrees(campus):
        compare_outside(campus, beyond)

    agrees()
    assert beyond.pop("back not known", 0) < sum(beyond.values()) / 10
    assert {apart for apart, _ in beyond} == {"Proved", "Broken", "CannotTell"}, beyond
    assert {together for _, together in beyond} >= {"Proved", "Broken"}, beyond


def as_usual(campus):
    """Whether each next hop is in a subnet of its device and not the device itself: else devices differ in what they do."""
    return all(
        route.via is not None
        and any(leads(route, g) for g in s.gateways)
        and all(route.via != a.ip for g in s.gateways for a in g.addresses)
        for s in campus.switches.values()
        for route in s.routes
    )


def compare_outside(campus, beyond):
    internet = Segment("internet", VlanSet(), source, frozenset(), outside=True)
    campus = dataclasses.replace(campus, segments={**campus.segments, "internet": internet})
    network = Network(campus)
    for v in VLANS:
        own, theirs = [*list(SUBNETS[v])[::2], *list(SIX[v])[::2]], hearing(campus, v)
        starts, ways_in = starting(campus, v), exits(campus)
        takes = taken_by(campus, starts)
        ends = [(a, b) for a, b in product(own, OUTSIDE) if a.version == b.version]
        out = {p for p in ends if passed_on(campus, list(takes), p)[1]}
        back = {(b, a) for a, b in ends if passed_on(campus, list(ways_in), (b, a))[0] & theirs}
        apart, together = prove(
            network,
            [Apart("x", (f"v{v}", "internet"), layers=frozenset({3})), Together("y", (f"v{v}", "internet"))],
        )
        beyond[type(apart.outcome).__name__, type(together.outcome).__name__] += 1
        match apart.outcome:
            case Proved():
                assert not out
                assert not back
            case Broken(witnesses=(witness,)):
                assert out if witness.start == f"v{v}" else back
                assert witness.both in {bool(out and back), None}
                beyond["back not known"] += witness.both is None
            case CannotTell(missing=missing):
                assert missing
                assert not (out or back) or not as_usual(campus)
        match together.outcome:
            case Proved():
                assert any((t, s) in back for s, t in out)
            case Broken():
                (whole,) = prove(network, [Together("z", (f"v{v}",))])
                assert not isinstance(whole.outcome, Proved) or not any((t, s) in back for s, t in out)


HEAD = "inkov: switch\nname: core\nvlans: {10: , 20: }\nports: {1: {access: 10}, 2: {access: 20}}\n"
GATEWAYS = "gateways: {10: {address: 192.0.2.1/29, in: f}, 20: 192.0.2.65/29}\n"


@pytest.mark.parametrize(
    ("more", "outcome", "says"),
    [
        ("routing: true\nfilters: {f: [{action: accept}]}\n", Broken, "f: ✓ any → any"),
        ("routing: true\nfilters: {f: [{action: drop, to: 192.0.2.64/29}, {action: accept}]}\n", Broken, ""),
        ("routing: false\nfilters: {f: [{action: accept}]}\n", Proved, ""),
        ("filters: {f: [{action: accept}]}\n", CannotTell, "whether core routes is not stated"),
        ("routing: true\nfilters: {f: [{action: drop, only: tcp to 80}, {action: drop}]}\n", Broken, ""),
        (
            "routing: true\nfilters: {f: [{action: drop, to: 192.0.2.0/29}]}\n",
            Broken,
            "",
        ),
    ],
)
def test_filters_and_routing_decide(site, more, outcome, says):
    campus = inkov.load(site({"core.yaml": HEAD + GATEWAYS + more}))
    (verdict,) = inkov.prove(campus, ["apart 10 20"])
    assert isinstance(verdict.outcome, outcome)
    said = verdict.outcome.missing if isinstance(verdict.outcome, CannotTell) else ()
    turns = [s for w in getattr(verdict.outcome, "witnesses", ()) for s in w.way if isinstance(s, Turn)]
    assert not says or says in said or any(says in t.by for t in turns)


def test_a_hostile_station_forges_its_address(site):
    text = HEAD + "gateways: {10: {address: 192.0.2.1/29, in: f, out: g}, 20: 192.0.2.65/29}\nrouting: true\n"
    text += "filters:\n  f: [{action: drop, from: 192.0.2.0/29}, {action: accept}]\n  g: [{action: drop}]\n"
    campus = inkov.load(site({"core.yaml": text}))
    honest, hostile = inkov.prove(campus, ["apart 10 20", "apart 10 20 facing hostile"])
    assert isinstance(honest.outcome, Proved)
    turn = next(s for s in hostile.outcome.witnesses[0].way if isinstance(s, Turn))
    assert turn.origin not in ip_network("192.0.2.0/29")


def test_a_packet_over_two_devices_names_both_and_only_lets_them(site):
    far = "inkov: switch\nname: far\nvlans: {20: , 99: }\nports: {2: {access: 20}, u: {trunk: '99'}}\nrouting: true\n"
    near = "inkov: switch\nname: near\nvlans: {10: , 99: }\nports: {1: {access: 10}, u: {trunk: '99'}}\nrouting: true\n"
    far += "gateways: {20: '2001:db8:20::1/64', 99: '2001:db8:99::2/64'}\nneighbours: {u: near u}\n"
    near += (
        "gateways: {10: '2001:db8:10::1/64', 99: '2001:db8:99::1/64'}\nroutes: [{to: '::/0', via: '2001:db8:99::2'}]\n"
    )
    campus = inkov.load(site({"far.yaml": far, "near.yaml": near}))
    claims = ["apart 10 20", "only 10 20 through far", "apart 10 20 layer 2", "together 10 20"]
    apart, only, frames, together = (v.outcome for v in inkov.prove(campus, claims))
    (witness,) = apart.witnesses
    assert [s.device for s in witness.way if isinstance(s, Turn)] == ["near", "far"]
    assert not witness.both  # far has no route back
    assert isinstance(only, Proved)
    assert isinstance(frames, Proved)
    assert isinstance(together, Broken)
    assert "no gateway passes packets" in together.stop.why
    back = far + "routes: [{to: '2001:db8:10::/64', via: '2001:db8:99::1'}]\n"
    (whole,) = inkov.prove(inkov.load(site({"far.yaml": back})), ["together 10 20"])
    assert isinstance(whole.outcome, Proved)


def test_packets_that_go_round_between_two_devices_never_arrive(site):
    """Each of two takes the other for the way to VLAN 20; a third one has it, and is never asked."""
    near = "inkov: switch\nname: near\nvlans: {10: , 99: }\nports: {1: {access: 10}, u: {trunk: '99'}, v: {trunk: '99'}}\nrouting: true\n"
    near += "gateways: {10: 192.0.2.1/29, 99: 198.51.100.1/29}\nroutes: [{to: 192.0.2.64/29, via: 198.51.100.2}]\n"
    far = "inkov: switch\nname: far\nvlans: {99: }\nports: {u: {trunk: '99'}}\nrouting: true\nneighbours: {u: near u}\n"
    far += "gateways: {99: 198.51.100.2/29}\nroutes: [{to: 192.0.2.64/29, via: VIA}]\n"
    third = (
        "inkov: switch\nname: third\nvlans: {20: , 99: }\nports: {2: {access: 20}, v: {trunk: '99'}}\nrouting: true\n"
    )
    third += "gateways: {20: 192.0.2.65/29, 99: 198.51.100.3/29}\nroutes: [{to: 192.0.2.0/29, via: 198.51.100.1}]\n"
    files = {"near.yaml": near, "third.yaml": third + "neighbours: {v: near v}\n"}
    outcomes = []
    for via in ("198.51.100.3", "198.51.100.1"):
        campus = inkov.load(site({**files, "far.yaml": far.replace("VIA", via)}))
        (verdict,) = inkov.prove(campus, ["together 10 20"])
        outcomes.append(type(verdict.outcome))
    assert outcomes == [Proved, Broken]


def test_a_device_that_is_its_own_next_hop_is_neither_a_way_back_nor_none(site):
    """Some take such a route for one to the link itself, and others refuse it."""
    core = "inkov: switch\nname: core\nvlans: {20: }\nports: {1: {access: 20}, 2: {access: 20}}\nrouting: true\n"
    core += "gateways: {20: 192.0.2.65/29}\nroutes: [{to: 192.0.2.128/29, via: 192.0.2.65}]\n"
    annex = "inkov: switch\nname: annex\nvlans: {30: }\nports: {1: {access: 30}, 2: {access: 30}}\n"
    more = "inkov: campus\nname: c\ncables: [core 2 - annex 2]\nsegments: {a: {vlan: 20, subnet: 192.0.2.64/29},"
    more += " b: {vlan: 30, subnet: 192.0.2.128/29}}\nclaims: [{apart: [a, b], layer: 3}]\n"
    (verdict,) = inkov.prove(inkov.load(site({"core.yaml": core, "annex.yaml": annex, "campus.yaml": more})))
    (witness,) = verdict.outcome.witnesses
    assert (witness.start, witness.both) == ("b", None)


def test_a_way_back_that_is_not_certain_is_not_called_closed(inkov, site):
    """The next hop of the longer prefix is off the link: devices differ in what they make of such a route."""
    core = "inkov: switch\nname: core\nvlans: {10: }\nports: {1: {access: 10}}\nrouting: true\n"
    core += "gateways: {10: {address: 192.0.2.1/29, out: f}}\nfilters: {f: [{action: accept, to: 192.0.2.0/25}, {action: drop}]}\n"
    core += "routes: [{to: 192.0.2.0/25, via: VIA}, {to: 0.0.0.0/0, via: 192.0.2.6}]\n"
    campus = "inkov: campus\nname: c\nsegments: {boats: {vlan: 10}, internet: {outside: true}}\n"
    said = []
    for via in ("192.0.2.65", "192.0.2.6"):
        site({"core.yaml": core.replace("VIA", via), "campus.yaml": campus})
        said.append(inkov("prove", ".", "--claim", "apart boats internet layer 3").out)
    assert "internet → boats   this way for certain; whether anything comes back is not known" in said[0]
    assert "and back: both directions work" in said[1]


def test_a_next_hop_outside_the_campus_may_send_packets_anywhere(site):
    one = "inkov: switch\nname: one\nvlans: {10: , 99: }\nports: {1: {access: 10}, 9: {access: 99}}\nrouting: true\n"
    two = "inkov: switch\nname: two\nvlans: {20: , 98: }\nports: {2: {access: 20}, 9: {access: 98}}\nrouting: true\n"
    one += "gateways: {10: 192.0.2.1/29, 99: 192.0.2.129/29}\nroutes: [{to: 0.0.0.0/0, via: 192.0.2.130}]\n"
    two += "gateways: {20: 192.0.2.65/29, 98: 192.0.2.137/29}\n"
    campus = inkov.load(site({"one.yaml": one, "two.yaml": two}))
    (verdict,) = inkov.prove(campus, ["apart 10 20"])
    assert isinstance(verdict.outcome, CannotTell)
    assert verdict.outcome.missing == ("what the device at 192.0.2.130 does with packets is not known",)


CORE = (
    "inkov: switch\nname: core\nvlans: {10: , 20: , 90: }\nports: {1: {access: 10}, 2: {access: 20}, u: {access: 90}}\n"
    "gateways: {10: {address: 192.0.2.1/27, in: f, out: f}, 20: 192.0.2.33/27, 90: 198.51.100.2/30}\n"
    "filters: {f: [{action: accept, from: 192.0.2.0/26, to: 192.0.2.0/26}, {action: drop}]}\nrouting: true\n"
)
LEAD = "routes: [{to: 0.0.0.0/0, via: 198.51.100.1}]\n"
INTERNET = "inkov: campus\nname: c\nsegments: {accounts: {vlan: 10}, data: {vlan: 20}, internet: {outside: true}}\n"


@pytest.mark.parametrize(
    ("core", "claim", "outcome", "says"),
    [
        (CORE + LEAD, "apart accounts internet", Proved, "filters"),
        (CORE + LEAD, "apart accounts internet facing hostile", Broken, "IPv4Address('192.0.2."),
        (CORE + LEAD, "together accounts internet", Broken, "no packet gets to internet and back"),
        (CORE + LEAD, "apart data internet", Broken, "route via 198.51.100.1"),
        (CORE + LEAD, "together data internet", Proved, "Packets of each of its stations reach internet"),
        (CORE, "apart data internet", CannotTell, NO_WAY),
        (
            CORE + "learns-routes: true\n",
            "together data internet",
            CannotTell,
            "whether packets of data get to internet",
        ),
        (CORE + LEAD, "apart data internet layer 2", CannotTell, "known by routes alone"),
        (CORE.replace("f, out: f", "f") + LEAD, "apart accounts internet", Broken, "203.0.113.9"),
        (CORE + LEAD, "apart all", Broken, "accounts"),
    ],
)
def test_what_lies_outside_is_a_segment(site, core, claim, outcome, says):
    campus = inkov.load(site({"core.yaml": core, "campus.yaml": INTERNET}))
    (verdict,) = inkov.prove(campus, [claim])
    assert isinstance(verdict.outcome, outcome)
    assert says in str(verdict)
    assert claim != "apart all" or "internet" not in str(verdict)


def test_an_answer_may_come_from_where_a_filter_lets_it(site):
    """Of all that is outside, answers of 192.0.2.32/27 alone get back in: the address that is tried must be one of those."""
    core = (
        "inkov: switch\nname: core\nvlans: {10: }\nports: {1: {access: 10}}\nrouting: true\n"
        "gateways: {10: {address: 192.0.2.1/29, out: f}}\nroutes: [{to: 0.0.0.0/0, via: 192.0.2.6}]\n"
        "filters: {f: [{action: accept, from: 192.0.2.0/29}, {action: accept, from: 192.0.2.32/27}, {action: drop}]}\n"
    )
    campus = "inkov: campus\nname: c\nsegments: {data: {vlan: 10}, internet: {outside: true}}\n"
    (verdict,) = inkov.prove(inkov.load(site({"core.yaml": core, "campus.yaml": campus})), ["together data internet"])
    assert isinstance(verdict.outcome, Proved), verdict


EDGE = (
    "inkov: switch\nname: {0}\nvlans: {{10: , 5: }}\nports: {{1: {{access: 10}}, u: {{trunk: '5,10'{2}}}}}\n"
    "gateways: {{5: 192.0.2.{1}/27}}\nneighbours: {{u: core {0}}}\n"
)
MIDDLE = (
    "inkov: switch\nname: core\nvlans: {10: , 5: }\nports: {hall: {trunk: '5,10'}, ward: {trunk: '5,10'}}\n"
    "gateways: {10: {address: 198.51.100.1/24, in: f}, 5: {address: 192.0.2.1/27, in: g}}\n"
    "routing: true\nfilters: {f: [{action: drop, to: 192.0.2.0/27}, {action: accept}], g: [{action: drop}]}\n"
)
MANAGED = "inkov: campus\nname: c\nsegments: {students: {vlan: 10}, mgmt: {vlan: 5}}\n"


@pytest.mark.parametrize(
    ("hall", "middle", "claim", "outcome", "says"),
    [
        ("", MIDDLE, "apart students mgmt", Proved, "filters"),
        ("", MIDDLE.replace(", in: f", ""), "apart students mgmt", Broken, "198.51.100.2"),
        (
            ", native: 5",
            MIDDLE.replace("{hall: {trunk: '5,10'}", "{hall: {trunk: '5,10', native: 10}"),
            "apart students mgmt",
            Broken,
            "hall",
        ),
        ("", MIDDLE, "together mgmt", Proved, "Each of its 2 ports on 2 switches"),
        ("", MIDDLE.replace("hall: {trunk: '5,10'}", "hall: {trunk: '10'}"), "together mgmt", Broken, "hall"),
        (", enabled: false", MIDDLE, "together mgmt", Broken, "its address 192.0.2.2/27 is down"),
        ("", MIDDLE, "together students mgmt", Broken, "no gateway passes packets"),
    ],
)
def test_switches_are_stations_of_the_vlan_they_are_managed_in(site, hall, middle, claim, outcome, says):  # noqa: PLR0917
    files = {"hall.yaml": EDGE.format("hall", 2, hall), "ward.yaml": EDGE.format("ward", 3, ""), "core.yaml": middle}
    campus = inkov.load(site({**files, "campus.yaml": MANAGED}))
    (verdict,) = inkov.prove(campus, [claim])
    assert isinstance(verdict.outcome, outcome), verdict
    assert says in str(verdict)
    document = certificate(Prover(Network(campus)), verdict, {})
    assert document is None or (check(campus, document).reasons == []) is (outcome is Proved)


def test_a_switch_that_routes_nothing_is_a_station_even_by_an_address_that_it_shares(site):
    """A shared address is a gateway's, as that of a pair is; of a device that says it routes nothing it is not."""
    hall = EDGE.replace(
        "gateways: {{5: 192.0.2.{1}/27}}", "gateways: {{5: {{address: 192.0.2.{1}/27, virtual: 192.0.2.9}}}}"
    )
    hall = hall.format("hall", 2, ", native: 5") + "routing: false\n"
    leak = MIDDLE.replace("{hall: {trunk: '5,10'}", "{hall: {trunk: '5,10', native: 10}")
    outcomes, documents = [], []
    for text, middle in ((hall.replace(", native: 5", ""), MIDDLE), (hall, leak)):
        campus = inkov.load(site({"hall.yaml": text, "core.yaml": middle, "campus.yaml": MANAGED}))
        (verdict,) = inkov.prove(campus, ["apart students mgmt"])
        outcomes.append(type(verdict.outcome))
        documents.append(certificate(Prover(Network(campus)), verdict, {}))
    assert outcomes == [Proved, Broken]
    assert [s.switch for s in verdict.outcome.witnesses[0].way][:2] == ["core", "hall"]
    assert check(campus, documents[0]).reasons == [
        'the set of gateway ["core", "", 10] has a hole: frames of 10 leave core:hall and arrive in 5 at hall:u, which the set leaves out'
    ]


def test_a_forged_proof_that_forgets_the_switches_themselves_is_refused(site):
    files = {"hall.yaml": EDGE.format("hall", 2, ""), "ward.yaml": EDGE.format("ward", 3, ""), "core.yaml": MIDDLE}
    campus = inkov.load(site({**files, "campus.yaml": MANAGED}))
    (verdict,) = inkov.prove(campus, ["apart students mgmt facing hostile"])
    document = certificate(Prover(Network(campus)), verdict, {})
    opened = inkov.load(site({**files, "core.yaml": MIDDLE.replace(", in: f", ""), "campus.yaml": MANAGED}))
    assert check(campus, document).reasons == []
    (reason,) = check(opened, document).reasons
    assert "is heard by mgmt at" in reason


def test_segments_by_ports_hosts_and_subnets(site):
    campus = "inkov: campus\nname: c\nhosts: [{name: a, port: 'core:1', address: 192.0.2.2/29}]\nsegments:\n"
    campus += "  by-port: {ports: 'co*:1'}\n  by-host: {hosts: a}\n  by-subnet: {subnet: 192.0.2.64/29}\n"
    made = inkov.load(
        site({"core.yaml": HEAD + GATEWAYS.replace(", in: f", "") + "routing: true\n", "campus.yaml": campus})
    )
    assert made.segments["by-port"].ports == made.segments["by-host"].ports == {PortRef("core", "1")}
    assert made.segments["by-subnet"].vlans == VlanSet([20])
    (verdict,) = inkov.prove(made, ["apart by-host by-subnet"])
    turn = next(s for s in verdict.outcome.witnesses[0].way if isinstance(s, Turn))
    assert turn.origin == ip_address("192.0.2.2")
    wrong = campus.replace("co*:1", "co*:77").replace("192.0.2.64", "203.0.113.0").replace("hosts: a", "hosts: b")
    with pytest.raises(inkov.BadInput) as caught:
        inkov.load(site({"campus.yaml": wrong}))
    assert str(caught.value).splitlines() == [
        "campus.yaml:5: segments/by-port/ports: core has no port '77'; expected one of: 1, 2",
        "campus.yaml:6: segments/by-host/hosts: there is no host 'b'; expected one of: a",
        "campus.yaml:7: segments/by-subnet/subnet: no gateway and no host is in 203.0.113.0/29; say its VLAN too",
    ]


def test_a_gateway_says_why_it_is_down(site, inkov):
    text = HEAD + "gateways: {10: 192.0.2.1/29, 20: {address: 192.0.2.65/29, enabled: false}, 30: 192.0.2.129/29}\n"
    folder = site({"core.yaml": text})
    ran = inkov("gateways", folder)
    assert ran.code == 0
    shown = on_screen("gateways", folder, columns=100)
    assert "core 30  VLAN 30 is not defined on core" in shown
    assert "core 20  it is shut down" in shown
    assert "core     whether it routes between its gateways is not stated" in shown
    assert "stations  it is shut down; whether it routes between its gateways is not stated" in ran.out
    rows = __import__("json").loads(inkov("gateways", folder, "--vlan", "10", "--format", "json").out)["rows"]
    assert [(r["state"], r["addresses"]) for r in rows] == [("up", ["192.0.2.1/29"])]


def test_a_campus_without_the_cable_of_a_router_cannot_tell(site):
    router = (
        "inkov: switch\nname: r\nkind: router\nports: {e: {subinterfaces: {10: 192.0.2.1/29, 20: 192.0.2.65/29}}}\n"
    )
    core = HEAD.replace("2: {access: 20}", "2: {access: 20}, u: {trunk: all}")
    loose = inkov.load(site({"r.yaml": router, "core.yaml": core}))
    assert isinstance(inkov.prove(loose, ["apart 10 20"])[0].outcome, Proved)
    cabled = dataclasses.replace(loose, cables=(Cable(PortRef("core", "u"), PortRef("r", "e"), source),))
    assert isinstance(inkov.prove(cabled, ["apart 10 20"])[0].outcome, Broken)
