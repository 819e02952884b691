"""Each planted fault is named by its finding; nothing that is not in the key is above tidy."""

import json
from pathlib import Path

import pytest

import inkov
from conftest import on_screen, run_inkov, write_files
from inkov.demo.station import as_found, faults, mended

KEY = {
    "kiosks-meet-tills": ("native/mismatch", "visitor-pier:u1 <-> watchtower-a:a4"),
    "boat-store-list-replaced": ("list/differs", "boat-store:u1 <-> watchtower-b:a4"),
    "vets-cut-at-kelp-hall": ("vlan/missing", "kelp-hall-2"),
    "compressor-number-mistyped": ("access/undefined", "dive-shed:7"),
    "plankton-ports-untouched": ("access/default", "plankton-lab:13-16"),
    "hatchery-switch-replaced": ("trunk/one-sided", "hatchery-1:u2 <-> hatchery-2:u1"),
    "pump-loft-uplink-is-access": ("trunk/absent", "pump-loft:u1 <-> watchtower-b:a2"),
    "doors-called-gates": ("vlan/aliases", "VLAN 380"),
    "management-mistyped": ("vlan/namesakes", "management"),
    "phones-without-a-name": ("vlan/unnamed", "ticket-office"),
    "plankton-native-is-default": ("native/default", "plankton-lab:u1 <-> watchtower-b:a5"),
    "management-is-native": ("native/users", "VLAN 305"),
    "archive-takes-everything": ("list/everything", "archive:u1"),
    "ward-is-deaf": ("neighbour/one-sided", "kelp-hall-2:u2 <-> seal-ward:u1"),
    "dive-shed-patched-elsewhere": ("neighbour/contradicts", "watchtower-b:a3"),
    "ticket-office-trimmed": ("vlan/islands", "VLAN 390"),
    "slipway-both-wait": ("stance/both-wait", "harbour-core:h3 <-> slipway:u1"),
    "gear-store-hears-nobody": ("stance/one-sided", "gear-store:u1 <-> harbour-core:h4"),
    "tide-pool-in-another-group": ("stance/groups", "harbour-core:h5 <-> tide-pool:u1"),
    "foreman-port-says-both": ("stance/contradicts", "slipway:7"),
    "slipway-ports-invite": ("stance/invites", "slipway:5-6"),
    "harbour-still-asks": ("stance/left-on", "harbour-core:h1 <-> watchtower-b:a6"),
    "crane-tags-its-own-way": ("tags/differ", "crane:u1 <-> harbour-core:h6"),
    "ferry-format-left-open": ("tags/negotiated", "ferry-dock:u1"),
    "dock-both-wait": ("lag/unformed", "boat-dock:up <-> harbour-core:dock"),
    "dock-half-off": ("lag/uneven", "harbour-core:dock"),
    "dock-member-keeps-old-vlan": ("lag/member", "boat-dock:u2"),
    "spine-cable-in-the-wrong-box": ("lag/scattered", "watchtower-a:spine"),
    "kelp-bundle-on-one-end": ("lag/one-ended", "kelp-hall-1:hall"),
    "counter-phones-mute": ("voice/undefined", "gear-store:7-8"),
    "winch-phones-share": ("voice/same", "slipway:1-4"),
    "cabin-trunk-with-a-phone": ("voice/trunk", "crane:4"),
    "crew-tied-to-nothing": ("private/untied", "boat-dock"),
    "harbour-has-two-isolated": ("private/two-isolated", "harbour-core"),
    "ferry-lacks-the-crew": ("private/missing", "ferry-dock"),
    "lighthouse-deaf-to-the-crew": ("private/promiscuous", "harbour-core:h12"),
    "pilot-berth-mistyped": ("private/pair", "ferry-dock:5"),
    "crane-became-root": ("tree/root", "crane"),
    "cove-trimmed-too-eagerly": ("ring/cut", "cove-lab:u3 <-> gull-roost:u1"),
    "store-room-is-newer": ("sync/wipe", "store-room"),
    "reef-uplink-skips-the-tree": ("edge/on-link", "cove-lab:u2 <-> reef-gate:u1"),
    "reef-sockets-open": ("spare/open", "reef-gate:6-8"),
    "nursery-tank-off-by-one": ("plan/port", "kelp-hall-2:7"),
    "canteen-till-on-the-tank-subnet": ("host/subnet", "canteen-till at kelp-hall-1:8"),
    "ring-spare-way-without-research": ("ring/gap", "gull-roost:u2 <-> reef-gate:u2"),
    "vets-gateway-nowhere": ("gateway/down", "watchtower-b"),
    "rearing-tank-has-the-seal-address": ("address/twice", "seal-tank and rearing-tank"),
    "records-desk-mask-from-the-old-days": ("host/mask", "records-desk at archive:p1"),
    "berta-asks-the-wrong-door": ("host/gateway", "boat-berta at boat-dock:2"),
}
TOGETHER = KEY | {"ring-spare-way-without-research": ("list/differs", "gull-roost:u2 <-> reef-gate:u2")}
"""What names each fault where all are planted; beside a ring that is cut, a gap in it does not count."""
CLAIMS = {
    "pumps-without-their-filter": ("visitors never reach the pumps", "broken"),
    "boats-filter-without-an-end": ("boats stay out of research", "cannot tell"),
    "info-wall-sees-the-queue": ("the info wall shows no cameras", "broken"),
}
"""Faults that no rule can know of: what is wrong with them is what somebody claims. The claim, and its outcome."""


WORST = (
    "kiosks-meet-tills",  # two segments are one: card data
    "hatchery-switch-replaced",  # a whole switch is cut off from the others' tanks
    "slipway-both-wait",  # nothing crosses, phones included
    "crane-tags-its-own-way",  # its frames fall into another VLAN, where they do not belong
    "pump-loft-uplink-is-access",  # nothing but the pumps crosses
)
"""What to mend first: segments that meet, then what breaks a claim, by how many ports are cut off."""


def test_the_five_worst_come_first(quillfin):
    found = json.loads(run_inkov("audit", "as-found", "--format", "json", cwd=quillfin).out)["findings"]
    assert [(f["rule"], f["place"]) for f in found[:5]] == [KEY[name] for name in WORST]
    assert [f["claims"] for f in found[:5]] == [
        ["card data stays apart", "nothing else meets on the wire"],
        ["nothing else meets on the wire", "every tank is heard"],
        ["phones ring everywhere"],
        ["nothing else meets on the wire"],
        ["every tank is heard"],
    ]
    assert (found[5]["rule"], found[5]["claims"], found[5]["hosts"]) == (
        "vlan/missing",
        ["patient records are one"],
        ["vet-desk"],
    )


def test_claims_at_stake_are_not_proved(quillfin):
    audit = json.loads(run_inkov("audit", "as-found", "--format", "json", cwd=quillfin).out)
    proofs = json.loads(run_inkov("prove", "as-found", "--format", "json", cwd=quillfin).out)
    outcomes = {v["name"]: v["outcome"] for v in proofs["rows"]}
    at_stake = {name for f in audit["findings"] for name in f["claims"]}
    assert at_stake
    assert {outcomes[name] for name in at_stake} == {"broken"}


def test_key_covers_every_planted_fault():
    assert KEY.keys() | CLAIMS.keys() == {f["name"] for f in faults()}
    assert all(f["story"] for f in faults())


def test_as_found_names_every_fault_and_nothing_else_above_tidy(quillfin):
    ran = run_inkov("audit", "as-found", "--format", "json", cwd=quillfin)
    assert ran.code == 1
    found = json.loads(ran.out)["findings"]
    named = {(f["rule"], f["place"]) for f in found}
    assert set(TOGETHER.values()) <= named
    assert {(f["rule"], f["place"]) for f in found if f["severity"] != "tidy"} <= set(TOGETHER.values())


def test_mended_has_no_finding_and_every_claim_is_proved(quillfin):
    ran = run_inkov("audit", "mended", cwd=quillfin)
    assert (ran.code, ran.out) == (
        0,
        "Quillfin Marine Station   28 switches   360 ports   28 links   16 VLANs\nno findings\n",
    )
    assert run_inkov("prove", "mended", cwd=quillfin).code == 0


@pytest.mark.few(16)
@pytest.mark.parametrize("name", sorted(KEY))
def test_each_fault_alone_is_found_alone(name, tmp_path):
    """Faults do not lean on each other: with one planted, its finding leads and no other is above tidy."""
    found = inkov.audit(inkov.load(write_files(tmp_path, as_found([name]))))
    rule, place = KEY[name]
    assert (found[0].rule, found[0].place) == (rule, place)
    assert [f.rule for f in found if f.severity.value != "tidy"] in ([], [rule])


@pytest.mark.parametrize("name", sorted(CLAIMS))
def test_each_fault_that_only_a_claim_knows_of_breaks_that_claim_alone(name, tmp_path):
    folder = write_files(tmp_path, as_found([name]))
    verdicts = json.loads(run_inkov("prove", folder, "--format", "json").out)["rows"]
    also = (
        [("nothing else meets on the wire", "broken")] if name == "info-wall-sees-the-queue" else []
    )  # by its station
    assert [(v["name"], v["outcome"]) for v in verdicts if v["outcome"] != "proved"] == [CLAIMS[name], *also]
    assert not [f for f in inkov.audit(inkov.load(folder)) if f.severity.value != "tidy"]


def test_as_found_breaks_claims_in_every_way(quillfin):
    verdicts = {
        v["name"]: v for v in json.loads(run_inkov("prove", quillfin / "as-found", "--format", "json").out)["rows"]
    }
    wall = verdicts["the info wall shows no cameras"]["witnesses"]
    assert [(w["start"], w["end"], w["both"]) for w in wall] == [("info-wall", "cameras", True)]
    attack = verdicts["cameras cannot be turned on research"]["witnesses"][0]["way"]
    assert len(attack[0]["arrived"]) > 1
    routed = [s for s in verdicts["visitors never reach the pumps"]["witnesses"][0]["way"] if "device" in s]
    assert [(s["device"], s["in_vlan"], s["out_vlan"]) for s in routed] == [
        ("ticket-office", 350, 305),
        ("watchtower-b", 305, 320),
    ]
    assert verdicts["the cove works on"]["failures"] == ["cable cove-lab:u2 - reef-gate:u1"]
    assert (
        "what filter research does with packets that no entry matches is not stated"
        in (verdicts["boats stay out of research"]["missing"])
    )


def test_the_station_is_big_and_mixed_enough():
    files = mended()
    exports = [n for n in files if n.endswith(".json")]
    devices = {"switches/lighthouse.yaml", "switches/pool-hub.yaml"}  # a router and an unmanaged box
    switches = [n for n in files if n.startswith("switches/") and n not in devices] + exports
    assert len(switches) >= 12
    assert len(exports) * 4 >= len(switches)


def test_applying_the_trimmed_lists_mends_what_lists_can(quillfin, tmp_path):
    ran = run_inkov("trim", quillfin / "as-found", "--apply", tmp_path / "out")
    assert ran.code == 1
    assert "missing  390   not in the list of ticket-office:u1 and visitor-pier:u2" in ran.out
    assert "costs    2 members cut off now" in ran.out
    assert (
        "not set: 4 lists in what devices told (exports/boat-store.xml, walks/cove-lab.walk, walks/gull-roost.walk, "
        in ran.err
    )
    gone = {TOGETHER["ticket-office-trimmed"]}
    left = {(f.rule, f.place) for f in inkov.audit(inkov.load(tmp_path / "out"))}
    assert left.isdisjoint(gone)
    assert set(TOGETHER.values()) - gone - {KEY["archive-takes-everything"]} <= left | {
        KEY["plankton-native-is-default"]
    }


def test_the_readme_shows_a_finding_as_it_is(quillfin):
    readme = (Path(__file__).parents[2] / "README.md").read_text("utf-8")
    shown = next(b for b in readme.split("```\n") if b.startswith(" BREACH"))
    assert shown in on_screen("audit", "as-found", columns=100, cwd=quillfin)
