"""The graph against a frame-by-frame simulator, and its two searches against each other."""

from collections import Counter, defaultdict

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkov.forwarding.flood import Flooding
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from simulator import listeners
from strategies import VLANS, campuses, often

compared = Counter()
MOST_TAGS = 3
"""Round a loop with a tunnel in it frames gather tags for ever, and each side stops to follow them when it likes."""
tags = st.lists(st.sampled_from([*VLANS, 0, 99]), max_size=2).map(tuple)


@settings(max_examples=often(150))
@given(campuses(), tags)
def test_flood_is_what_the_simulator_sees(campus, sent):
    flooding = Flooding(Network(campus))
    compared["campuses"] += 1
    for port in flooding.sources():
        compared["frames"] += 1
        expected = {(at, wire) for at, _, wire in listeners(campus, port, sent) if len(wire) <= MOST_TAGS}
        heard = [(at, wire) for at, wire in flooding.heard(port, sent) if len(wire) <= MOST_TAGS]
        assert heard == sorted(expected, key=lambda h: (h[0].order, h[1]))


def test_something_was_compared(capsys):
    if not compared:
        pytest.skip("another process compared it")
    with capsys.disabled():
        print(f"\nSimulator: {compared['campuses']} campuses, {compared['frames']} frames compared; all agree")
    assert compared["frames"] > compared["campuses"] > 0


@given(campuses(), st.sampled_from(list(View)))
def test_both_searches_agree(campus, view):
    network = Network(campus)
    graph = network.graph(view)
    for name in campus.switches:
        for vid in VLANS:
            if network.active(name, view) >> vid & 1:
                reach, spread = graph.reach([(name, vid, ())]), graph.spread({name: 1 << vid})
                masks = defaultdict(int)
                for switch, domain, _ in reach.places():
                    masks[switch] |= 1 << domain
                if reach.cut:  # frames gather tags for ever: no less is told than they reach
                    assert all(not mask & ~spread[switch] for switch, mask in masks.items()) or graph.sure
                else:
                    assert spread == dict(masks)


@given(campuses())
def test_what_surely_passes_could_pass(campus):
    network = Network(campus)
    must, may = network.graph(View.MUST), network.graph(View.MAY)
    for name in campus.switches:
        reached = may.spread({name: network.active(name)})
        for switch, mask in must.spread({name: network.active(name)}).items():
            assert not mask & ~reached.get(switch, 0)


@settings(max_examples=often(100))
@given(
    campuses(), st.sampled_from(list(View)), st.lists(tags, min_size=1, max_size=4), st.randoms(use_true_random=False)
)
def test_a_search_for_something_finds_the_same_way_as_one_for_everything(campus, view, inner, rng):
    network = Network(campus)
    graph = network.graph(view)
    places = [(name, vid) for name in campus.switches for vid in VLANS if network.active(name, view) >> vid & 1]
    if not places:
        return
    starts = [(*place, some) for place in rng.sample(places, min(3, len(places))) for some in inner]
    everything = graph.reach(starts)
    for goals in ({rng.choice(places)}, set(rng.sample(places, min(3, len(places))))):
        first = next((s for s in everything.states if (s.switch, s.domain) in goals), None)
        found = graph.reach(starts, goals)
        if first is None:
            assert not any((s.switch, s.domain) in goals for s in found.states)
        else:
            assert list(found.states)[-1] == first
            assert found.path(first) == everything.path(first)
            leading = graph.leading(goals)
            assert all(leading[s.switch] >> s.domain & 1 for s, _ in found.path(first))
