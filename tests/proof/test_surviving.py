"""`together … surviving N` against plainly trying everything, trees elected anew each time by the simulator."""

from collections import Counter
from dataclasses import replace
from itertools import combinations

from hypothesis import HealthCheck, assume, given, settings

import inkov
from inkov.forwarding.network import Network
from inkov.model.campus import Segment, Together
from inkov.model.vlanset import VlanSet
from inkov.proof.outcome import Broken, Proved
from inkov.proof.prove import prove
from proof_sides import hearers
from simulator import listeners
from strategies import MEMBERS, source, trunked
from tree_simulator import opened

OUTCOMES = Counter()


def failed(campus, *what):
    """The campus with cables, given by number, or switches, given by name, dead."""
    switches = dict(campus.switches)
    ends = [e for w in what if isinstance(w, int) for c in [campus.cables[w]] for e in (c.a, c.b)]
    ends += [(w, p) for w in what if isinstance(w, str) for p in switches[w].ports]
    for name, port in ends:
        switch = switches[name]
        switches[name] = replace(switch, ports={**switch.ports, port: replace(switch.ports[port], enabled=False)})
    return replace(campus, switches=switches)


def whole(campus, vid):
    """Whether everybody who is left in a VLAN hears everybody else, today's tree being what bridges make of it."""
    today = opened(campus, vid)
    members = hearers(today, vid)
    return all(members - {at} <= {ref for ref, *_ in listeners(today, at, ())} for at in members)


@settings(max_examples=40, suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much])
@given(trunked())
def test_surviving_is_what_trying_everything_says(campus):
    campus = replace(campus, segments={f"v{v}": Segment(f"v{v}", VlanSet([v]), source) for v in MEMBERS})
    assume(len({s.tree.protocol for s in campus.switches.values()}) == 1)
    things = [*range(len(campus.cables)), *campus.switches]
    for vid in MEMBERS[:3]:
        for count in (1, 2) if len(things) < 9 else (1,):
            outcome = prove(Network(campus), [Together("x", (f"v{vid}",), count)])[0].outcome
            tries = [(), *(some for n in range(1, count + 1) for some in combinations(things, n))]
            tried = {some: whole(failed(campus, *some), vid) for some in tries}
            OUTCOMES[type(outcome).__name__] += 1
            if isinstance(outcome, Proved):
                assert all(tried.values())
            elif isinstance(outcome, Broken) and outcome.failures:
                assert tried[()]
                assert not tried[tuple(sorted(map(number(campus), outcome.failures), key=things.index))]
                assert all(tried[some] for some in tries if len(some) < len(outcome.failures))
            elif isinstance(outcome, Broken):
                assert not tried[()] or "dead" in outcome.stop.why


def number(campus):
    """Returns what gives for a failure, as a verdict writes it, the number of its cable or the name of its switch."""
    known = {f"switch {name}": name for name in campus.switches}
    known |= {f"cable {c.a} - {c.b}": n for n, c in enumerate(campus.cables)}
    return known.__getitem__


def test_failures_were_both_survived_and_not():
    """Runs after the property above: one that never met a proof, or never a break, would say nothing."""
    if OUTCOMES:
        print("\nsurviving, judged by the simulator:", dict(OUTCOMES))
        assert OUTCOMES["Proved"]
        assert OUTCOMES["Broken"]


def test_the_cable_that_is_the_only_way_is_named(inkov, quillfin):
    ran = inkov("prove", quillfin / "mended", "--claim", "together vet-records surviving 1")
    assert ran.code == 1
    assert "When cable archive:u1 - watchtower-a:a5 fails." in ran.out
    for claim in ("together vet-records surviving 9", "apart tills kiosks facing nobody"):
        assert inkov("prove", quillfin / "mended", "--claim", claim).code == 2


def test_a_ring_survives_one_failure_and_not_two(inkov, site):
    from inkov.rules.triangle import triangle

    site(triangle())
    ran = inkov("prove", ".", "--claim", "together 310 surviving 1")
    assert (ran.code, "It holds after any failure of a cable or switch: 6 were tried" in " ".join(ran.out.split())) == (
        0,
        True,
    )
    ran = inkov("prove", ".", "--claim", "together 310 surviving 2")
    assert ran.code == 1
    assert "When cable archive:u1 - seal-ward:u1 and cable archive:u2 - pump-loft:u1 fail." in " ".join(ran.out.split())


def test_what_is_not_decided_in_time_cannot_be_told(site):
    ring = {
        f"{i}.yaml": (
            f"inkov: switch\nname: s{i}\nvlans: {{10: a}}\nmac: 02:00:00:00:00:0{i}\ntree: {{protocol: rstp}}\n"
            f"ports: {{1: {{access: 10}}, a: {{trunk: '10'}}, b: {{trunk: '10'}}}}\nneighbours: {{a: s{(i + 1) % 4} b}}\n"
        )
        for i in range(4)
    }
    campus = inkov.load(site(ring))
    (verdict,) = inkov.prove(campus, ["together 10 surviving 1"], budget=0)
    assert verdict.outcome.missing == (
        "not decided in time: 0 failures of one cable or switch were tried; a larger --budget may decide it",
    )
    (verdict,) = inkov.prove(campus, ["together 10 surviving 1"], budget=60)
    assert isinstance(verdict.outcome, Proved)
