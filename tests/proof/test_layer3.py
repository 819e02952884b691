"""Layer 3: the prover against the packet simulator on random campuses, and what it says on small ones."""

import dataclasses
from ipaddress import ip_address, ip_network
from itertools import permutations, product

import pytest
from hypothesis import given

import inkov
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Cable
from inkov.model.names import PortRef
from inkov.model.vlanset import VlanSet
from inkov.proof.outcome import Broken, CannotTell, Proved, Turn
from inkov.proof.prove import prove
from layer3_simulator import delivered
from proof_sides import hearers, senders
from routed import SUBNETS, VLANS, routed_campuses
from simulator import Frame, ingress
from strategies import source


def gets(campus, a, b):
    """Whether any packet of VLAN a is heard in VLAN b by way of gateways, with every address of both tried."""
    starts = []
    for ref, tags in senders(campus, a):
        far = next((c.b if c.a == ref else c.a for c in campus.cables if ref in {c.a, c.b}), None)
        if (entered := ingress(campus, ref, tags, far)) is not None:
            starts.append(Frame(ref.switch, *entered, ref))
    theirs = {(ref.switch, b) for ref in hearers(campus, b)}
    return any(
        delivered(campus, starts, packet) & theirs for packet in product(list(SUBNETS[a])[::2], list(SUBNETS[b])[::2])
    )


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
                assert witness.both == all(meet)
                assert any(isinstance(s, Turn) for s in witness.way)
            case CannotTell(missing=missing):
                assert missing
                assert not any(meet)


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


def test_a_next_hop_outside_the_campus_may_send_packets_anywhere(site):
    one = "inkov: switch\nname: one\nvlans: {10: , 99: }\nports: {1: {access: 10}, 9: {access: 99}}\nrouting: true\n"
    two = "inkov: switch\nname: two\nvlans: {20: , 98: }\nports: {2: {access: 20}, 9: {access: 98}}\nrouting: true\n"
    one += "gateways: {10: 192.0.2.1/29, 99: 192.0.2.129/29}\nroutes: [{to: 0.0.0.0/0, via: 192.0.2.130}]\n"
    two += "gateways: {20: 192.0.2.65/29, 98: 192.0.2.137/29}\n"
    campus = inkov.load(site({"one.yaml": one, "two.yaml": two}))
    (verdict,) = inkov.prove(campus, ["apart 10 20"])
    assert isinstance(verdict.outcome, CannotTell)
    assert verdict.outcome.missing == ("what the device at 192.0.2.130 does with packets is not known",)


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
    assert "core 30  VLAN 30 is not defined on core" in ran.out
    assert "core 20  it is shut down" in ran.out
    assert "core     whether it routes between its gateways is not stated" in ran.out
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
