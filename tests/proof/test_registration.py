"""VLANs that come to ports because devices beyond them declare some (GVRP, MVRP): on, off, or not told.

A campus of which that is not told stands for every campus in which each device does or does not; here each device declares on a
port what it has on others (IEEE 802.1Q-2022, 11.2), and sometimes all of its table.
"""

import random
from collections import Counter
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

import inkov
import writers
from conftest import write_files
from inkov.forwarding.network import Network
from inkov.kinds.general import plainest
from inkov.model.campus import Apart, Together
from inkov.model.names import PortRef
from inkov.model.switch import FrameTypes, General, Habits, Kind
from inkov.model.tree import Registration
from inkov.model.vlanset import ALL, NONE, VlanSet
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Broken, CannotTell, Proved, Verdict
from inkov.proof.prove import Prover
from inkov.recheck.check import check
from proof_sides import hearers, hears, in_both, whole
from strategies import VLANS, campuses, generals

TRIED = Counter()


@pytest.fixture(scope="module", autouse=True)
def counted():
    yield
    print("\nVerdicts:", ", ".join(f"{what} {n}" for what, n in sorted(TRIED.items())))


@st.composite
def registering(draw):
    """Campuses of general ports, of which some devices register VLANs, some may, and some do not; hubs among them."""
    campus = draw(campuses(generals() | st.sampled_from(VLANS).map(port)))
    switches = {}
    for name, switch in campus.switches.items():
        taken = {
            n: replace(p, is_lag=False, lacp=None, registration=draw(st.sampled_from(LIMITS)), tag_format="802.1Q")
            for n, p in switch.ports.items()
        }
        speaks = draw(st.sampled_from([None, None, True, False])) if switch.kind is Kind.SWITCH else False
        switches[name] = replace(switch, ports=taken, sync=None, registration=speaks, habits=BY_THE_STANDARD)
    return replace(campus, switches=switches)


BY_THE_STANDARD = Habits(own_tag=True, native_outside_list=False, tagged_native=True)
LIMITS = [
    Registration(),
    Registration(),
    Registration(NONE),
    Registration(VlanSet([10, 20])),
    Registration(ALL, VlanSet([10])),
]


def fill(campus, rng):
    """One campus that it stands for: who takes part is drawn, and what is declared until nothing more comes is followed."""
    speak = {n for n, s in campus.switches.items() if s.registration or (s.registration is None and rng.random() < 0.7)}
    generous = rng.random() < 0.3
    came = Counter()
    before = -1
    while before != sum(came.values()):
        before = sum(came.values())
        for near, far in cabled(campus):
            if near.switch not in speak or far.switch not in speak:
                continue
            limits = campus.switches[near.switch].ports[near.port].registration
            for v in VLANS:
                if v in limits.normal - limits.forbidden and declares(campus, far, v, came, generous=generous):
                    came[near, v] = 1
    return with_registered(campus, came)


def cabled(campus):
    """Pairs of ports between which frames pass as they are: of one cable, or of the hubs it leads to."""
    ends = [(c.a, c.b) for c in campus.cables]
    live = [e for e in ends if all(campus.switches[r.switch].ports[r.port].enabled for r in e)]
    beside = {}
    for a, b in live:
        beside.setdefault(a, set()).add(b)
        beside.setdefault(b, set()).add(a)
    for start in list(beside):
        seen, todo = {start}, [start]
        while todo:
            for far in beside.get(todo.pop(), set()) - seen:
                seen.add(far)
                if campus.switches[far.switch].kind is Kind.UNMANAGED:
                    others = {PortRef(far.switch, n) for n, p in campus.switches[far.switch].ports.items() if p.enabled}
                    todo += others - seen
                    seen |= others
        yield from ((start, far) for far in seen - {start} if campus.switches[far.switch].kind is Kind.SWITCH)


def declares(campus, ref, vid, came, *, generous):
    switch = campus.switches[ref.switch]
    others = [p for n, p in switch.ports.items() if n != ref.port and p.enabled]
    return (
        any(came[PortRef(ref.switch, p.name), vid] for p in others)
        or any(vid in p.switching.untagged | p.switching.tagged for p in others)
        or (generous and switch.vlans is not None and vid in switch.vlans)
    )


def with_registered(campus, came):
    switches = dict(campus.switches)
    for ref, vid in sorted(came):
        switch = switches[ref.switch]
        port = switch.ports[ref.port]
        own = port.switching
        tagged = own.tagged | (VlanSet([vid]) - own.untagged)
        made = replace(port, switching=replace(own, tagged=tagged))
        table = switch.vlans
        if table is not None and vid not in table:
            table = {**table, vid: replace(next(iter(table.values())), vid=vid, active=True)}
        switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: made}, vlans=table)
    return replace(campus, switches=switches)


def plainer(campus):
    """The campus with access ports and trunks where these are what its general ports do."""
    switches = {
        name: replace(s, ports={n: replace(p, switching=plainly(p.switching)) for n, p in s.ports.items()})
        for name, s in campus.switches.items()
    }
    return replace(campus, switches=switches)


def plainly(own):
    return plainest(own, BY_THE_STANDARD.own_tag) if isinstance(own, General) else own


@given(registering(), st.integers(0, 2**32))
def test_a_verdict_holds_whatever_is_declared(campus, seed):
    rng = random.Random(seed)
    filled = [fill(campus, rng) for _ in range(4)]
    campus = plainer(campus)
    with_hubs = any(s.kind is Kind.UNMANAGED for s in campus.switches.values())  # whose stations count elsewhere
    prover = Prover(Network(campus))
    for a in VLANS:
        for b in (v for v in VLANS if v > a):
            claim = Apart("x", (str(a), str(b)), layers=frozenset({2}))
            outcome = prover.decide(claim)
            TRIED[type(outcome).__name__] += 1
            if isinstance(outcome, Proved):
                assert not any(hears(one, a, b) or hears(one, b, a) for one in filled)
                accepted = check(campus, certificate(prover, Verdict(claim, outcome), {}))
                assert accepted.reasons == []
                assert set(accepted.rests_on) == set(outcome.assumed)
            if isinstance(outcome, Broken):
                assert with_hubs or all(hears(one, a, b) or hears(one, b, a) or in_both(one, a, b) for one in filled)
            if isinstance(outcome, CannotTell):
                assert outcome.missing
    for v in VLANS:
        outcome = prover.decide(Together("x", (str(v),)))
        TRIED[f"together {type(outcome).__name__}"] += 1
        if isinstance(outcome, Proved):
            assert all(not (hearers(campus, v) - hearers(one, v)) for one in filled)
            assert with_hubs or all(whole(one, v) for one in filled)


GVRP, OF_PORT, RESTRICTED = (f".1.3.6.1.2.1.17.7.1.{x}" for x in ("1.5.0", "4.5.1.4.{}", "4.5.1.7.{}"))


def port(own):
    return General(own, VlanSet([own]), NONE, FrameTypes.ALL, True)


def islands(rows=(), far=()):
    """Two switches whose trunk carries VLAN 20 alone; VLAN 10 is at both, and at each another segment."""
    sites = {}
    for name, other, mac, more in (("quay", "pier", "01", rows), ("pier", "quay", "02", far)):
        box = writers.Box(
            name,
            f"00:00:5e:00:53:{mac}",
            {10: "a", 20: "b"},
            {"p1": port(10), "u1": General(99, NONE, VlanSet([20]), FrameTypes.TAGGED, True)},
            {"u1": (other, "u1", f"00:00:5e:00:53:{'02' if mac == '01' else '01'}")},
        )
        sites[f"{name}.walk"] = writers.walk(box) + "".join(f"{oid} = INTEGER: {v}\n" for oid, v in more)
    return sites


CAMPUS = (
    "inkov: campus\nname: x\nsegments: {here: {ports: [quay.lab.example:p1]}, there: {ports: [pier.lab.example:p1]}}\n"
)
OFF = "switches-are: {'*': {registration: off}}\n"


@pytest.mark.parametrize(
    ("rows", "far", "more", "outcome"),
    [
        ((), (), "", CannotTell),
        (((GVRP, 1),), ((GVRP, 1),), "", CannotTell),
        (((GVRP, 2),), (), "", Proved),
        ((), (), OFF, Proved),
        (((GVRP, 1), (OF_PORT.format(2), 2)), (), "", Proved),
        (((GVRP, 1), (RESTRICTED.format(2), 1)), (), "", CannotTell),
    ],
    ids=["not told", "on", "off", "off in the campus file", "off at the port", "of the static VLANs"],
)
def test_islands_of_one_number_are_apart_where_registration_is_surely_off(tmp_path, rows, far, more, outcome):
    site = write_files(tmp_path, {**islands(rows, far), "campus.yaml": CAMPUS + more})
    (verdict,) = inkov.prove(inkov.load(site), ["apart here there layer 2"])
    assert isinstance(verdict.outcome, outcome), verdict.outcome
    if outcome is CannotTell:
        ends = sorted(f for f in verdict.outcome.missing if "registration" in f)
        assert ends == [
            f"whether VLANs come to {at}.lab.example:u1 by registration (GVRP, MVRP)" for at in ("pier", "quay")
        ]


@pytest.mark.parametrize(("rows", "outcome"), [((), CannotTell), (((GVRP, 1),), Broken), (((GVRP, 2),), Proved)])
def test_a_hostile_station_declares_what_it_wants(tmp_path, rows, outcome):
    box = writers.Box("quay", "00:00:5e:00:53:01", {10: "a", 20: "b"}, {f"p{v}": port(v) for v in (10, 20)})
    site = write_files(tmp_path, {"q.walk": writers.walk(box) + "".join(f"{o} = INTEGER: {v}\n" for o, v in rows)})
    (verdict,) = inkov.prove(inkov.load(site), ["apart 10 20 facing hostile layer 2"])
    assert isinstance(verdict.outcome, outcome), verdict.outcome
    if outcome is CannotTell:
        assert "by registration" in verdict.outcome.missing[0]
    if outcome is Proved:
        campus = inkov.load(site)
        prover = Prover(Network(campus))
        honest = certificate(prover, verdict, {})
        assert not check(campus, honest).reasons
        declared = replace(campus, switches={n: replace(s, registration=None) for n, s in campus.switches.items()})
        assert check(declared, honest).reasons
