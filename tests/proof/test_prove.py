"""The prover against the simulator on random campuses, and its outcomes in full on small ones."""

import dataclasses
import json
import tempfile
from itertools import combinations
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import inkov
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Facing, Together
from inkov.model.names import PortRef
from inkov.proof.grid import Meets, grid
from inkov.proof.outcome import Broken, CannotTell, Proved
from inkov.proof.prove import prove
from inkov.proof.sentences import parse_claim, sentence
from strategies import VLANS, campuses, managed


@given(campuses())
def test_taking_a_cable_away_never_breaks_apart(campus):
    claims = [Apart("x", (f"v{a}", f"v{b}")) for a, b in combinations(VLANS, 2)]
    whole = prove(Network(campus), claims)
    for i in range(len(campus.cables)):
        ends = {campus.cables[i].a, campus.cables[i].b}
        switches = {n: without(s, ends) for n, s in campus.switches.items()}
        less = dataclasses.replace(campus, cables=campus.cables[:i] + campus.cables[i + 1 :], switches=switches)
        for before, after in zip(whole, prove(Network(less), claims), strict=True):
            if isinstance(before.outcome, Proved):
                assert not isinstance(after.outcome, Broken)


def without(switch, ends):
    """Disables the ports of a cable that is taken away, so that they do not become stations."""
    ports = {
        n: dataclasses.replace(p, enabled=p.enabled and PortRef(switch.name, n) not in ends)
        for n, p in switch.ports.items()
    }
    return dataclasses.replace(switch, ports=ports)


UNSTATED = """{"openconfig-system:system": {"config": {"hostname": "middle"}},
 "openconfig-interfaces:interfaces": {"interface": [
  {"name": "p1", "config": {"name": "p1", "type": "iana-if-type:ethernetCsmacd"}},
  {"name": "p2", "config": {"name": "p2", "type": "iana-if-type:ethernetCsmacd"}}]},
 "openconfig-network-instance:network-instances": {"network-instance": [{"name": "default", "vlans": {"vlan": [
  {"vlan-id": 10, "config": {"vlan-id": 10}}, {"vlan-id": 20, "config": {"vlan-id": 20}}]}}]}}"""


def end(name, vlan, far):
    return f"inkov: switch\nname: {name}\nvlans: {{{vlan}: }}\nports: {{1: {{access: {vlan}}}, u: {{trunk: all, native: {vlan}}}}}\nneighbours: {{u: {far}}}\n"


def test_cannot_tell_names_the_missing_fact(site):
    folder = site({"a.yaml": end("a", 10, "middle p1"), "b.yaml": end("b", 20, "middle p2"), "middle.json": UNSTATED})
    (verdict,) = inkov.prove(inkov.load(folder), ["apart 10 20"])
    assert isinstance(verdict.outcome, CannotTell)
    assert verdict.outcome.missing == (
        "middle:p1: its mode is not stated (middle.json p1)",
        "middle:p2: its mode is not stated (middle.json p2)",
    )


def test_a_system_outside_the_campus_may_join_anything(site):
    folder = site({"a.yaml": end("a", 10, "mystery x"), "b.yaml": end("b", 20, "mystery y")})
    (verdict,) = inkov.prove(inkov.load(folder), ["apart 10 20"])
    assert isinstance(verdict.outcome, CannotTell)
    assert verdict.outcome.missing == ("what mystery does is not known: its file, or the cable, is missing",)


def test_one_way_leak_is_found_and_called_one_way(site):
    """The worked example of docs/frames.md: stations of 377 behind X are heard in Y's 377, where nothing comes back."""
    vlans = "vlans: {{352: , 377: }}"
    text = (
        "inkov: switch\nname: {0}\n"
        + vlans
        + "\nports: {{1: {{access: {1}}}, u1: {{trunk: '352,377', native: {2}}}}}\n"
    )
    folder = site(
        {"x.yaml": text.format("x", 377, 352), "y.yaml": text.format("y", 352, 377) + "neighbours: {u1: x u1}\n"}
    )
    campus = inkov.load(folder)
    assert inkov.flood(campus, "x:1") == []
    assert inkov.flood(campus, "y:1") == []
    (verdict,) = inkov.prove(campus, ["apart 352 377"])
    assert isinstance(verdict.outcome, Proved)
    campus = inkov.load(site({"y.yaml": text.format("y", 377, 377) + "neighbours: {u1: x u1}\n"}))
    assert [h.at for h in inkov.flood(campus, "x:1")] == ["y:1"]
    assert inkov.flood(campus, "y:1") == []


@pytest.mark.parametrize(
    ("claim", "message"),
    [
        ("apart tills", "claim: 'apart' needs two segments or more, as in 'apart tills kiosks'"),
        ("together", "claim: 'together' needs a segment, as in 'together tank-sensors'"),
        (
            "only 10 20",
            "claim: 'only' needs the devices they may meet through, as in 'only research management through core'",
        ),
        ("only 10 20 through b", "claim: there is no device 'b'; expected one of: a"),
        ("apart 10 20 layer 4", "claim: 'layer 4' is not understood; expected layer 2 or 3"),
        ("apart 10 4095", "claim: there is no segment '4095'; expected one of: default"),
        (
            "appart 10 20",
            "claim: 'appart 10 20' is not a claim; expected 'apart A B', 'only A B through R' or 'together A'; did you mean 'apart'?",
        ),
    ],
)
def test_bad_claims(site, claim, message):
    campus = inkov.load(site({"a.yaml": end("a", 10, "b u")}))
    with pytest.raises(inkov.BadInput) as caught:
        inkov.prove(campus, [claim])
    assert str(caught.value) == message


def test_a_claim_is_named_as_well_as_said(inkov, quillfin):
    named = inkov("prove", quillfin / "mended", "--claim", "card data stays apart", "--claim", "apart tills doors")
    assert named.code == 0
    assert " PROVED      card data stays apart   apart tills kiosks facing hostile\n" in named.out
    assert " PROVED      apart tills doors\n" in named.out
    for wrong in ("card data stays a part", "apart tills kiosk"):
        ran = inkov("prove", quillfin / "mended", "--claim", wrong)
        hint = {
            "card data stays a part": f"{wrong!r} is neither a claim nor the name of one; did you mean 'card data stays apart'?",
            "apart tills kiosk": "there is no segment 'kiosk'; did you mean 'kiosks'?",
        }[wrong]
        assert (ran.code, ran.out, ran.err) == (2, "", f"claim: {hint}\n")


def test_grid_says_what_single_claims_say(inkov, quillfin):
    ran = inkov("prove", quillfin / "as-found", "--grid")
    assert ran.code == 0
    assert "f  kiosks        ◆  ·  ▸  ·  ·  \\  =  =  ·  ·  ·  =  ·" in ran.out
    assert (
        "ticket-office, watchtower-b  kiosks → life-support; tills → life-support; cameras → life-support; info-wall → life-support"
        in ran.out
    )
    rows = {
        r["segment"]: r
        for r in json.loads(inkov("prove", quillfin / "as-found", "--grid", "--format", "json").out)["rows"]
    }
    assert rows["tills"]["heard_in"]["kiosks"] == rows["kiosks"]["heard_in"]["tills"] == "joined"
    assert rows["kiosks"]["through"]["life-support"] == ["ticket-office", "watchtower-b"]
    assert rows["research"]["heard_in"]["boats"] == "cannot tell"
    assert rows["tank-sensors"]["heard_in"]["vet-records"] == "apart"


@given(managed())
def test_grid_agrees_with_the_prover(campus):
    network = Network(campus)
    made = grid(network, [f"v{v}" for v in VLANS])
    for a, b in combinations(made.names, 2):
        (verdict,) = prove(network, [Apart("x", (a, b))])
        both = {made.heard[a, b], made.heard[b, a]}
        if Meets.JOINED in both:
            assert isinstance(verdict.outcome, Broken)
        elif Meets.MAYBE in both or made.empty & {a, b}:
            assert isinstance(verdict.outcome, CannotTell)
        else:
            assert isinstance(verdict.outcome, Proved)


def test_what_there_is_no_time_for_cannot_be_told(quillfin, inkov):
    ran = inkov("prove", quillfin / "mended", "--claim", "apart research cameras facing hostile", "--budget", "0")
    assert ran.code == 1
    assert "not decided in time: 0 of 1 pairs were tried; a larger --budget may decide it" in ran.out
    assert inkov("prove", quillfin / "mended", "--claim", "apart research cameras facing hostile").code == 0


NAMES = st.lists(st.sampled_from(["10", "20", "30", "40"]), min_size=2, unique=True)


@given(NAMES, st.data())
def test_what_is_printed_of_a_claim_is_all_of_it_and_can_be_typed_again(names, data):
    ports = ", ".join(f"{v}: {{access: {v}}}" for v in (10, 20, 30, 40))
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "r.yaml").write_text(
            f"inkov: switch\nname: r\nvlans: {{10: , 20: , 30: , 40: }}\nports: {{{ports}}}\n"
        )
        net = Network(inkov.load(folder))
    layers = frozenset(data.draw(st.sampled_from([(2,), (3,), (2, 3)])))
    pairs = data.draw(st.frozensets(st.sampled_from([frozenset(p) for p in combinations(names, 2)]), max_size=2))
    claim = data.draw(
        st.sampled_from(
            [
                Together("x", tuple(names), 1, layers),
                Together("x", tuple(names), 0, layers),
                Apart("x", tuple(names), pairs, Facing.HOSTILE, layers),
                Apart("x", tuple(names), pairs, layers=layers, one_against=len(names) > 2),
                Apart("x", tuple(names), pairs, layers=layers, through=("r",)),
            ]
        )
    )
    assert dataclasses.replace(parse_claim(sentence(claim), net), name="x") == claim
