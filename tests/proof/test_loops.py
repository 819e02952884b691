"""Frames that go round: what is proved together drowns in no loop, through hubs, tunnels and VLANs that change their numbers."""

import json
from collections import Counter
from dataclasses import replace
from ipaddress import ip_interface
from itertools import pairwise, permutations, product

import networkx as nx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import write_files
from inkov.forwarding.network import Network
from inkov.model.campus import Cable, Campus, Segment, Together
from inkov.model.names import PortRef
from inkov.model.routing import Gateway, Route
from inkov.model.switch import Access, Kind, Plain, Port, Stance, Switch, Trunk, Tunnel, Unstated, Vlan
from inkov.model.tree import BridgeTree
from inkov.model.vlanset import VlanSet
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Broken, Proved, Verdict
from inkov.proof.prove import Prover, prove
from inkov.recheck.check import check
from layer3_simulator import passed_on, started_by, taken_by
from proof_sides import senders
from routed import SUBNETS
from simulator import Frame, egress, ingress, passes
from strategies import NO_TREE, VLANS, campuses, often, origin, source


def after(campus, frame, far):
    """The frames inside switches that one frame becomes at the next switches."""
    for name in campus.switches[frame.switch].ports:
        ref = PortRef(frame.switch, name)
        other = far.get(ref)
        if ref == frame.came_by or other is None:
            continue
        wire = egress(campus, ref, frame.vlan, frame.inner, other)
        if wire is not None and passes(campus, ref, other, wire):
            arrived = ingress(campus, other, wire, ref)
            if arrived is not None:
                yield Frame(other.switch, *arrived, other)


def goes_round(campus, ref, tags):
    """Whether a broadcast of a station comes by a place where it was before."""
    far = {end: other for c in campus.cables for end, other in ((c.a, c.b), (c.b, c.a))}
    entered = ingress(campus, ref, tags, far.get(ref))
    return entered is not None and circles(campus, [Frame(ref.switch, *entered, ref)])


def circles(campus, starts):
    """Whether frames that start somewhere come by a place where they were before."""
    far = {end: other for c in campus.cables for end, other in ((c.a, c.b), (c.b, c.a))}
    graph, todo, seen = nx.DiGraph(), [*starts], {*starts}
    while todo:
        frame = todo.pop()
        for new in after(campus, frame, far):
            graph.add_edge(frame, new)
            if new not in seen and len(new.inner) < 4:
                seen.add(new)
                todo.append(new)
    return not nx.is_directed_acyclic_graph(graph)


@st.composite
def ringed(draw):
    """Two or three devices without a tree, cabled to each other two to four times; each switch has a station."""
    names = [f"s{n}" for n in range(draw(st.integers(2, 3)))]
    hub = draw(st.sampled_from([None, None, names[-1]]))
    ports = {name: {} if name == hub else {"d": Access(draw(vids))} for name in names}
    cables = []
    for n in range(draw(st.integers(2, 4))):
        a, b = draw(st.sampled_from([p for p in permutations(names, 2) if p[0] < p[1]]))
        kind = draw(st.sampled_from([accesses, trunks, trunks, st.one_of(accesses, trunks, tunnels)]))
        for name in (a, b):
            ports[name][f"u{n}"] = Plain() if name == hub else draw(kind)
        cables.append(Cable(PortRef(a, f"u{n}"), PortRef(b, f"u{n}"), source))
    switches = {
        name: Switch(
            name=name,
            kind=Kind.UNMANAGED if name == hub else Kind.SWITCH,
            vlans=None,
            ports={p: Port(name=p, switching=s, stance=Stance.SILENT, origin=origin) for p, s in own.items()},
            tree=NO_TREE,
            origin=origin,
            unstated_habits=frozenset(),
        )
        for name, own in ports.items()
    }
    segments = {f"v{v}": Segment(f"v{v}", VlanSet([v]), source) for v in VLANS}
    return Campus(name="rings", switches=switches, cables=tuple(cables), segments=segments)


vids = st.sampled_from(VLANS[:3])
accesses = st.builds(Access, vids)
tunnels = st.builds(Tunnel, vids)
trunks = st.builds(Trunk, st.none() | vids, st.sets(vids, min_size=1).map(VlanSet))


def test_nothing_is_proved_together_whose_frames_go_round():
    tried = Counter()

    @settings(max_examples=often(150), suppress_health_check=list(HealthCheck))
    @given(st.one_of(campuses(), ringed(), ringed(), ringed()))
    def law(campus):
        network = Network(campus)
        for vid in VLANS:
            (verdict,) = prove(network, [Together("x", (str(vid),))])
            round_ = [goes_round(campus, ref, tags) for ref, tags in senders(campus, vid, through_tunnels=False)]
            if isinstance(verdict.outcome, Proved):
                tried["proved"] += 1
                assert not any(round_)
            elif isinstance(verdict.outcome, Broken) and "go round" in verdict.outcome.stop.why:
                tried["go round"] += 1
                assert any(round_) or not round_

    law()
    assert tried["proved"] > 10, tried
    assert tried["go round"] > 3, tried


def test_nothing_is_proved_together_whose_frames_may_go_round_where_no_tree_is_stated():
    tried = Counter()

    @settings(max_examples=often(120), suppress_health_check=list(HealthCheck))
    @given(ringed(), st.data())
    def law(campus, data):
        silent = {n: s for n, s in campus.switches.items() if s.kind is Kind.SWITCH and data.draw(st.booleans())}
        unsaid = {n: replace(s, tree=BridgeTree()) for n, s in silent.items()}
        network = Network(replace(campus, switches=campus.switches | unsaid))
        prover = Prover(network)
        for vid in VLANS:
            claim = Together("x", (str(vid),))
            outcome = prover.decide(claim)
            if isinstance(outcome, Proved):
                tried["proved, no tree stated"] += 1
                assert not any(goes_round(campus, *sent) for sent in senders(campus, vid, through_tunnels=False))
                assert not check(network.campus, certificate(prover, Verdict(claim, outcome), {})).reasons
            elif "go round" in str(outcome):
                tried["perhaps round"] += 1

    law()
    assert tried["proved, no tree stated"] > 10, tried
    assert tried["perhaps round"] > 10, tried


def test_nothing_is_proved_together_that_may_go_round_by_a_port_nothing_is_told_of():
    tried = Counter()

    @settings(max_examples=often(150), suppress_health_check=list(HealthCheck))
    @given(ringed(), st.data())
    def law(campus, data):
        switches = dict(campus.switches)
        ends = [e for c in campus.cables for e in (c.a, c.b) if switches[e.switch].kind is Kind.SWITCH]
        for ref in data.draw(st.lists(st.sampled_from(ends), min_size=1, max_size=2, unique=True)) if ends else ():
            switch = switches[ref.switch]
            untold = replace(switch.ports[ref.port], switching=Unstated(general=data.draw(st.booleans())), stance=None)
            switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: untold})
        network = Network(replace(campus, switches=switches))
        prover = Prover(network)
        for vid in VLANS:
            claim = Together("x", (str(vid),))
            outcome = prover.decide(claim)
            round_ = [goes_round(campus, *sent) for sent in senders(campus, vid, through_tunnels=False)]
            if isinstance(outcome, Proved):
                tried["proved"] += 1
                assert not any(round_)
                assert not check(network.campus, certificate(prover, Verdict(claim, outcome), {})).reasons
            elif isinstance(outcome, Broken) and "go round" in outcome.stop.why:
                tried["round"] += 1
                assert any(round_) or not round_
            elif "go round" in str(outcome):
                tried["perhaps"] += 1

    law()
    assert tried["proved"] > 3, tried
    assert tried["perhaps"] > 3, tried


@st.composite
def transits(draw):
    """Two routers with a VLAN of stations each, and a third VLAN between them, by way of one more switch or none, over some cables."""
    names = [f"s{n}" for n in range(draw(st.integers(2, 3)))]
    ends = {names[0]: (10, 1, 20), names[-1]: (20, 2, 10)}
    between, ports, cables = SUBNETS[30], {n: {} for n in names}, []
    pairs = [*pairwise(names), *draw(st.lists(st.sampled_from([*pairwise(names), (names[0], names[-1])]), max_size=2))]
    for n, (a, b) in enumerate(pairs):
        wanted = draw(st.sampled_from([{30}, {30}, {20, 30}, {20}, {10}]))
        for name in (a, b):
            usual = Trunk(None, VlanSet(wanted | {30} if n + 1 < len(names) else wanted))
            ports[name][f"u{n}"] = draw(st.sampled_from([usual, usual, usual, usual, Access(draw(vids))]))
        cables.append(Cable(PortRef(a, f"u{n}"), PortRef(b, f"u{n}"), source))
    switches = {}
    for name, own in ports.items():
        gateways, routes = (), ()
        if name in ends:
            vid, number, far = ends[name]
            own["d"] = Access(vid)
            gateways = tuple(
                Gateway(v, (ip_interface(f"{SUBNETS[v].network_address + number}/29"),)) for v in (vid, 30)
            )
            routes = (Route(SUBNETS[far], between.network_address + 3 - number),)
        switches[name] = Switch(
            name=name,
            vlans={v: Vlan(v) for v in (10, 20, 30)},
            ports={p: Port(name=p, switching=s, stance=Stance.SILENT, origin=origin) for p, s in own.items()},
            tree=NO_TREE,
            gateways=gateways,
            routes=routes,
            routing=bool(gateways),
            origin=origin,
            unstated_habits=frozenset(),
        )
    segments = {f"v{v}": Segment(f"v{v}", VlanSet([v]), source, subnets=(SUBNETS[v],)) for v in (10, 20)}
    return Campus(name="transit", switches=switches, cables=tuple(cables), segments=segments)


def starting(campus, vid):
    """Where frames of the stations of a VLAN start."""
    far = {end: other for c in campus.cables for end, other in ((c.a, c.b), (c.b, c.a))}
    entered = [(ref, ingress(campus, ref, tags, far.get(ref))) for ref, tags in senders(campus, vid)]
    return [Frame(ref.switch, *inside, ref) for ref, inside in entered if inside is not None]


def way_goes_round(campus, a, b):
    """Whether a packet from one VLAN to another goes out by a gateway whose frames go round."""
    outs, taking = [], taken_by(campus, starting(campus, a))
    for packet in product(list(SUBNETS[a])[::2], list(SUBNETS[b])[::2]):
        passed_on(campus, list(taking), packet, outs)
    return any(circles(campus, started_by(campus, *out)) for out in outs)


def test_nothing_is_proved_together_whose_packets_cross_a_vlan_that_goes_round():
    tried = Counter()

    @settings(max_examples=often(200), suppress_health_check=list(HealthCheck))
    @given(transits(), st.sampled_from([NO_TREE, BridgeTree()]))
    def law(campus, tree):
        network = Network(replace(campus, switches={n: replace(s, tree=tree) for n, s in campus.switches.items()}))
        (verdict,) = prove(network, [Together("x", ("v10", "v20"), layers=frozenset({3}))])
        if isinstance(verdict.outcome, Proved):
            tried["packets"] += 1
            assert not way_goes_round(campus, 10, 20)
            assert not way_goes_round(campus, 20, 10)
        elif tree is NO_TREE and "packets go out by" in str(verdict.outcome):
            tried["packets round"] += 1
            assert way_goes_round(campus, 10, 20) or way_goes_round(campus, 20, 10)

    law()
    assert tried["packets"] > 10, tried
    assert tried["packets round"] > 10, tried


@pytest.mark.parametrize(
    ("tree", "outcome", "says"),
    [
        (
            "{protocol: off}",
            "broken",
            "packets go out by a 10.3.0.1/24, where frames go round at a:u1 <-> b:u1: no tree opens that ring,",
        ),
        ("{}", "cannot tell", "whether frames go round at a:u1 <-> b:u1: which tree a and 1 more runs is not stated"),
        ("{protocol: rstp}", "proved", "Packets of each of its stations reach internet"),
    ],
)
def test_packets_that_leave_by_a_vlan_that_goes_round_do_not_surely_leave(tmp_path, inkov, tree, outcome, says):
    write_files(
        tmp_path,
        {
            "campus.yaml": CAMPUS,
            "a.yaml": SWITCH.format("a", tree, "10: {address: 10.0.0.1/24}, ", "1", "0.0.0.0/0, via: 10.3.0.2}", 1, 10),
            "b.yaml": SWITCH.format(
                "b",
                tree,
                "40: {address: 10.4.0.1/24}, ",
                "2",
                "10.0.0.0/24, via: 10.3.0.1}, {to: 0.0.0.0/0, via: 10.4.0.9}",
                9,
                40,
            ),
        },
    )
    (verdict,) = json.loads(inkov("prove", tmp_path, "--format", "json").out)["rows"]
    assert verdict["outcome"] == outcome
    assert says in json.dumps(verdict)
    ran = inkov("trace", tmp_path, "tank-1", "203.0.113.9", "--format", "json")
    traced = json.loads(ran.out)
    cause = "the way is open and drowned: frames go round at a:u1 <-> b:u1: no tree opens that ring, and one broadcast "
    causes = {
        "broken": ("stopped", cause + "drowns everything", 1),
        "cannot tell": ("cannot tell", "both ways are open, by way of gateways, as far as is known", 0),
        "proved": ("open", "both ways are open, by way of gateways", 0),
    }
    assert (traced["outcome"], traced["cause"], ran.code) == causes[outcome]


CAMPUS = """inkov: campus
name: Quillfin
cables: [a u1 - b u1, a u2 - b u2]
hosts: [{name: tank-1, port: "a:1", address: 10.0.0.7/24, gateway: 10.0.0.1}]
segments: {tanks: {vlan: 10, subnet: 10.0.0.0/24}, internet: {outside: true}}
claims: [{together: [tanks, internet]}]
"""
SWITCH = """inkov: switch
name: {}
vlans: {{10: tanks, 30: between, 40: out}}
tree: {}
routing: true
gateways: {{{}30: {{address: 10.3.0.{}/24}}}}
routes: [{{to: {}]
ports: {{{}: {{access: {}}}, u1: {{trunk: 30, stance: silent}}, u2: {{trunk: 30, stance: silent}}}}
"""


def test_a_voice_vlan_that_leaves_tagged_into_a_hub_comes_back_into_no_access_port(tmp_path, inkov):
    """Two ports of one switch before one hub: both carry VLAN 1, one of them with a tag, which the other does not take."""
    own = "inkov: switch\nname: {}\nvlans: {{1: desks, 10: users}}\ntree: {{protocol: 'off'}}\nassume: {{own-tag: drop}}\nregistration: false\nports: {}\n"
    files = {
        "hall.yaml": own.format("hall", "{1: {access: 1}, 2: {access: 10, voice: 1}}").replace("false", "off"),
        "pier.yaml": own.format("pier", "{1: {access: 1}, u: {access: 1}}").replace("false", "off"),
        "hub.yaml": "inkov: switch\nname: hub\nkind: unmanaged\nports: {1-3: {}}\n",
        "campus.yaml": "inkov: campus\nname: c\ncables: [hall 1 - hub 1, hall 2 - hub 2, pier u - hub 3]\n",
    }
    write_files(tmp_path, files)
    ran = inkov("prove", ".", "--claim", "together 1")
    assert (ran.code, "go round" in ran.out) == (0, False)
