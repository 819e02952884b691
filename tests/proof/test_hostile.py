"""Hostile stations against the simulator: every frame of up to two tags, from every port as set and as a trunk."""

import json
from itertools import combinations, permutations

from hypothesis import given, settings

from hostile_frames import attacked, overheard, replays
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Facing
from inkov.proof.outcome import Ask, Broken, CannotTell, Proved
from inkov.proof.prove import Prover, prove
from strategies import VLANS, managed, often, open_campuses


@given(managed())
def test_hostile_apart_is_what_the_simulator_sees(campus):
    network = Network(campus)
    for a, b in permutations(VLANS[:3], 2):
        (verdict,) = prove(network, [Apart("x", (f"v{a}", f"v{b}"), facing=Facing.HOSTILE, layers=frozenset({2}))])
        pairs = ((a, b), (b, a))
        match verdict.outcome:
            case Proved():
                assert not any(attacked(campus, x, y) or overheard(campus, x, y) for x, y in pairs)
            case Broken(witnesses=witnesses):
                for w in witnesses:
                    assert replays(campus, w)
            case CannotTell(missing=missing):
                assert missing
                assert not any(overheard(campus, x, y) for x, y in pairs)


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
    (verdict,) = json.loads(ran.out)["rows"]
    assert verdict["outcome"] == "cannot tell"
    assert verdict["missing"] == [
        "what archive does with frames that carry an access port's own VID as a tag: `assume: own-tag` does not say"
    ]
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
    assert "from dive-shed:u1   tag 305 in tag 990" in ran.out
    assert "watchtower-b   in 305, was 990" in ran.out
    assert inkov("prove", quillfin / "mended").code == 0


def test_a_tag_for_every_link_gets_a_frame_through_six_native_vlans(inkov, site):
    """Each link takes one tag off, and its far end reads the next: as many as there are links."""
    natives = [10, 20, 30, 40, 50, 60]
    files = {}
    for i in range(7):
        left, right = natives[i - 1 : i], natives[i : i + 1]
        ports = f"1: {{access: {10 if i == 0 else 60 if i == 6 else 99}}}"
        ports += "".join(f", {x}: {{trunk: all, native: {n[0]}}}" for x, n in (("x", left), ("y", right)) if n)
        listed = ", ".join(f"{v}: " for v in (*left, *right))
        more = f"neighbours: {{y: s{i + 1} x}}\n" if right else ""
        files[f"s{i}.yaml"] = (
            f"inkov: switch\nname: s{i}\nvlans: {{{listed}}}\nports: {{{ports}}}\nassume: {{own-tag: accept}}\n{more}"
        )
    site(files)
    ran = inkov("prove", ".", "--claim", "apart 10 60 facing hostile")
    assert "from s0:1   tag 60 in tag 50 in tag 40 in tag 30 in tag 20 in tag 10" in ran.out
    assert inkov("prove", ".", "--claim", "apart 10 60").code == 0


def test_a_hostile_listener_beyond_more_tunnels_than_are_followed_is_no_proof(inkov, site):
    """Each tunnel puts a tag around the last: a way by four is shown, and one by five is not denied."""

    def listening(tunnels):
        files = {
            "s0.yaml": "inkov: switch\nname: s0\nvlans: {10: }\n"
            "ports: {1: {access: 10}, y: {general: {untagged: 10, frames: untagged}}}\n"
        }
        for i in range(1, tunnels + 1):
            last = "2: {mode: negotiated, stance: passive, access: 30, trunk: all}"
            more = last if i == tunnels else f"y: {{trunk: {20 + i}}}"
            files[f"s{i}.yaml"] = (
                f"inkov: switch\nname: s{i}\nvlans: {{{20 + i}: , 30: }}\nports: {{x: {{tunnel: {20 + i}}}, {more}}}\n"
                f"neighbours: {{x: s{i - 1} y}}\n"
            )
        return inkov("prove", site(files), "--claim", "apart 10 30 facing hostile").out

    assert "to s4:2   tag 21 in tag 22 in tag 23 in tag 24" in listening(4)
    assert "CANNOT TELL apart 10 30 facing hostile\n  Missing  a way that needs more tags inside" in listening(5)


@settings(max_examples=often(40))
@given(open_campuses())
def test_less_asked_is_answered_as_the_whole_is(campus):
    prover = Prover(Network(campus))
    for a, b in combinations(VLANS[:3], 2):
        for facing in Facing:
            claim = Apart("x", (f"v{a}", f"v{b}"), facing=facing)
            whole = prover.decide(claim)
            assert isinstance(prover.decide(claim, Ask.ANY), Proved) == isinstance(whole, Proved)
            assert isinstance(prover.decide(claim, Ask.SURE), Broken) == isinstance(whole, Broken)
