"""Hostile stations against the simulator: every frame of up to two tags, from every port as set and as a trunk."""

import json
from dataclasses import replace
from itertools import permutations, product

from hypothesis import given, settings

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Facing
from inkov.model.switch import Kind, Negotiated, Stance
from inkov.proof.outcome import Broken, CannotTell, Proved
from inkov.proof.prove import prove
from proof_sides import hearers, senders
from simulator import listeners
from strategies import VLANS, campuses

FRAMES = [(), *((v,) for v in (0, *VLANS, 99)), *product((0, *VLANS, 99), VLANS)]


managed = campuses().filter(lambda c: all(s.kind is Kind.SWITCH for s in c.switches.values()))


def own_ports(campus, vid):
    """The ports a hostile station of a VLAN may be on."""
    return {ref for ref, _ in senders(campus, vid)} | hearers(campus, vid)


def variants(campus, ref):
    """The campus as it is, and with a willing port turned into the trunk that a station can make of it."""
    yield campus
    switch = campus.switches[ref.switch]
    port = switch.ports[ref.port]
    if isinstance(port.switching, Negotiated) and port.stance in {Stance.PASSIVE, Stance.ACTIVE}:
        trunk = replace(port, switching=port.switching.trunk)
        yield replace(
            campus, switches={**campus.switches, ref.switch: replace(switch, ports={**switch.ports, ref.port: trunk})}
        )


def attacked(campus, a, b):
    """Whether some frame from a hostile station of `a` is heard in `b`."""
    theirs = hearers(campus, b)
    return any(
        at in theirs and vlan == b
        for ref in own_ports(campus, a)
        for made in variants(campus, ref)
        for tags in FRAMES
        for at, vlan, _ in listeners(made, ref, tags)
    )


def overheard(campus, a, b):
    """Whether an honest frame of `b` is heard by a hostile station of `a`, whatever tag it has there."""
    for ref in own_ports(campus, a):
        for made in variants(campus, ref):
            for sender, tags in senders(campus, b):
                if sender != ref and any(at == ref for at, _, _ in listeners(made, sender, tags)):
                    return True
    return False


def replays(campus, witness):
    """Whether the frame of a witness is really heard at its end, with the ends made trunks where they are willing."""
    first, last = witness.way[0], witness.way[-1]
    return first.by == last.out or any(
        last.out in {at for at, _, _ in listeners(both, first.by, first.arrived)}
        for made in variants(campus, first.by)
        for both in variants(made, last.out)
    )


def at_worst(campus):
    return replace(campus, switches={n: replace(s, habits=s.worst) for n, s in campus.switches.items()})


@settings(max_examples=40)
@given(managed)
def test_hostile_apart_is_what_the_simulator_sees(campus):
    network = Network(campus)
    for a, b in permutations(VLANS[:3], 2):
        (verdict,) = prove(network, [Apart("x", (f"v{a}", f"v{b}"), facing=Facing.HOSTILE)])
        pairs = ((a, b), (b, a))
        match verdict.outcome:
            case Proved():
                worst = at_worst(campus)
                assert not any(attacked(worst, x, y) or overheard(worst, x, y) for x, y in pairs)
            case Broken(witnesses=witnesses):
                for w in witnesses:
                    assert replays(campus, w)
            case CannotTell(missing=missing):
                assert missing


DOUBLE = {
    "a.yaml": "inkov: switch\nname: archive\nvlans: {310: , 330: }\nassume: {own-tag: HABIT}\n"
    "ports: {1: {access: 310}, u1: {trunk: '310,330', native: 310}}\nneighbours: {u1: seal-ward u1}\n",
    "s.yaml": "inkov: switch\nname: seal-ward\nvlans: {310: , 330: }\nassume: {own-tag: drop}\n"
    "ports: {2: {access: 330}, u1: {trunk: '310,330', native: 310}}\n",
}


def test_double_tags_jump_where_the_native_vlan_has_hosts(inkov, site):
    site({n: t.replace("HABIT", "accept") for n, t in DOUBLE.items()})
    ran = inkov("prove", ".", "--claim", "apart 310 330 facing hostile")
    assert ran.code == 1
    assert "BROKEN" in ran.out
    assert "310 → 330   one way: nothing comes back" in ran.out
    assert "from archive:1   tag 330 in tag 310" in ran.out
    assert inkov("prove", ".", "--claim", "apart 310 330").code == 0


def test_a_habit_that_nothing_states_is_named(inkov, site):
    site({n: t.replace("assume: {own-tag: HABIT}\n", "") for n, t in DOUBLE.items()})
    ran = inkov("prove", ".", "--claim", "apart 310 330 facing hostile", "--format", "json")
    (verdict,) = json.loads(ran.out)
    assert verdict["outcome"] == "cannot tell"
    assert "what archive does with tagged frames" in verdict["missing"][0]
    site({n: t.replace("HABIT", "drop") for n, t in DOUBLE.items()})
    assert inkov("prove", ".", "--claim", "apart 310 330 facing hostile").code == 0


def test_a_willing_port_becomes_a_trunk_for_whoever_asks(inkov, site):
    text = (
        "inkov: switch\nname: archive\nvlans: {310: , 330: }\nassume: {own-tag: drop}\nports:\n"
        "  1: {mode: negotiated, stance: passive, access: 310, trunk: '310,330'}\n  2: {access: 330}\n"
    )
    site({"a.yaml": text})
    ran = inkov("prove", ".", "--claim", "apart 310 330 facing hostile")
    assert "from archive:1   tag 330" in ran.out
    assert inkov("prove", ".", "--claim", "apart 310 330").code == 0
    site({"a.yaml": text.replace("passive", "silent")})
    assert inkov("prove", ".", "--claim", "apart 310 330 facing hostile").code == 0


def test_demo_shows_a_frame_with_tags_inside_tags(inkov, quillfin):
    ran = inkov("prove", quillfin / "as-found", "--claim", "apart research cameras facing hostile")
    assert "from dive-shed:u1   tag 370 in tag 990 in tag 990" in ran.out
    assert "cove-lab      in 370, was 990" in ran.out
    assert inkov("prove", quillfin / "mended").code == 0
