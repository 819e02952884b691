"""Frames that go round: what is proved together drowns in no loop, through hubs, tunnels and VLANs that change their numbers."""

from collections import Counter
from dataclasses import replace
from itertools import permutations

import networkx as nx
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from inkov.forwarding.network import Network
from inkov.model.campus import Cable, Campus, Segment, Together
from inkov.model.names import PortRef
from inkov.model.switch import Access, Kind, Plain, Port, Stance, Switch, Trunk, Tunnel
from inkov.model.tree import BridgeTree
from inkov.model.vlanset import VlanSet
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Broken, Proved, Verdict
from inkov.proof.prove import Prover, prove
from inkov.recheck.check import check
from proof_sides import senders
from simulator import Frame, egress, ingress, passes
from strategies import NO_TREE, VLANS, campuses, often, origin, source

TRIED = Counter()


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
    if entered is None:
        return False
    start = Frame(ref.switch, *entered, ref)
    graph, todo, seen = nx.DiGraph(), [start], {start}
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


@settings(max_examples=often(150), suppress_health_check=list(HealthCheck))
@given(st.one_of(campuses(), ringed(), ringed(), ringed()))
def test_nothing_is_proved_together_whose_frames_go_round(campus):
    network = Network(campus)
    for vid in VLANS:
        (verdict,) = prove(network, [Together("x", (str(vid),))])
        round_ = [goes_round(campus, ref, tags) for ref, tags in senders(campus, vid, through_tunnels=False)]
        if isinstance(verdict.outcome, Proved):
            TRIED["proved"] += 1
            assert not any(round_)
        elif isinstance(verdict.outcome, Broken) and "go round" in verdict.outcome.stop.why:
            TRIED["go round"] += 1
            assert any(round_) or not round_


@settings(max_examples=often(120), suppress_health_check=list(HealthCheck))
@given(ringed(), st.data())
def test_nothing_is_proved_together_whose_frames_may_go_round_where_no_tree_is_stated(campus, data):
    silent = {n: s for n, s in campus.switches.items() if s.kind is Kind.SWITCH and data.draw(st.booleans())}
    unsaid = {n: replace(s, tree=BridgeTree()) for n, s in silent.items()}
    network = Network(replace(campus, switches=campus.switches | unsaid))
    prover = Prover(network)
    for vid in VLANS:
        claim = Together("x", (str(vid),))
        outcome = prover.decide(claim)
        if isinstance(outcome, Proved):
            TRIED["proved, no tree stated"] += 1
            assert not any(goes_round(campus, *sent) for sent in senders(campus, vid, through_tunnels=False))
            assert not check(network.campus, certificate(prover, Verdict(claim, outcome), {})).reasons
        elif "go round" in str(outcome):
            TRIED["perhaps round"] += 1


def test_such_campuses_were_drawn():
    assert TRIED["proved"] > 10, TRIED
    assert TRIED["go round"] > 3, TRIED
    assert TRIED["proved, no tree stated"] > 10, TRIED
    assert TRIED["perhaps round"] > 10, TRIED
