"""Certificates: proofs on random campuses are accepted, and nothing that is tampered with is."""

import ast
import copy
import json
import random
import re
import shutil
import tracemalloc
from collections import Counter
from dataclasses import replace
from itertools import combinations
from pathlib import Path

import jsonschema
import pytest
from hypothesis import given, settings

import inkov
import inkov.recheck
from concretise import fill
from conftest import run_inkov, write_files
from inkov.demo.station import mended
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Facing, Segment, Together
from inkov.model.switch import Access, Kind
from inkov.model.vlanset import VlanSet
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Proved, Verdict
from inkov.proof.prove import Prover
from inkov.recheck.check import check
from proof_sides import senders
from routed import VLANS as ROUTED_VLANS
from routed import routed_campuses
from simulator import followed
from strategies import MEMBERS, VLANS, announced, campuses, source, trunked

COUNTS = Counter()


@pytest.fixture(scope="module", autouse=True)
def counted():
    yield
    print("\nRecheck:", ", ".join(f"{n} {what}" for what, n in sorted(COUNTS.items())))


def proofs(campus, claims):
    """Yields the certificates of the claims that are proved."""
    prover = Prover(Network(campus))
    for claim in claims:
        verdict = Verdict(claim, prover.decide(claim))
        if isinstance(verdict.outcome, Proved):
            made = certificate(prover, verdict, {})
            if made is not None:
                yield json.loads(json.dumps(made))


def read(path):
    return json.loads(path.read_text("utf-8"))


def holed(document):
    """Yields a certificate with each state in turn taken out of one of its closed sets."""
    for name, switches in document["sets"].items():
        for switch, ports in switches.items():
            domains = {d for inside in ports.values() for text in inside.values() for d in spelled(text)}
            for domain in domains:
                made = copy.deepcopy(document)
                for inside in made["sets"][name][switch].values():
                    for tags, text in list(inside.items()):
                        left = sorted(spelled(text) - {domain})
                        inside[tags] = ",".join(map(str, left))
                        if not left:
                            del inside[tags]
                yield made


def spelled(text):
    found = set()
    for span in text.split(","):
        low, _, high = span.partition("-")
        found |= set(range(int(low), int(high or low) + 1))
    return found


def sound(campus, claims, *, holes=12):
    """Every proof's certificate is accepted, and rejected once a state is missing."""
    for document in proofs(campus, claims):
        checked = check(campus, document)
        assert checked.reasons == []
        assert sorted(checked.rests_on) == sorted(document["assumed"])  # prover and checker assume the same
        COUNTS["accepted"] += 1
        for _, tampered in zip(range(holes), holed(document), strict=False):
            if check(campus, tampered).reasons:
                COUNTS["with a hole rejected"] += 1
            else:
                assert holds_all(campus, tampered)  # the prover took more than there can be


def holds_all(campus, document):
    """Whether the sets of a certificate still hold every frame there can be, by the simulator."""
    if not all(re.fullmatch(r"honest v\d+", name) for name in document["sets"]):
        return False
    for name, switches in document["sets"].items():
        inside = {
            s: {d for by in ports.values() for text in by.values() for d in spelled(text)}
            for s, ports in switches.items()
        }
        for one in (fill(campus, random.Random(seed)) for seed in range(4)):
            for ref, tags in senders(one, int(name.removeprefix("honest v"))):
                if any(f.vlan not in inside.get(f.switch, ()) for f in followed(one, ref, tags)[0]):
                    return False
    return True


@pytest.mark.long
@settings(max_examples=25)
@given(announced())
def test_proofs_on_campuses_with_confusable_names_are_accepted(campus):
    sound(campus, [Apart("x", (f"v{a}", f"v{b}")) for a, b in combinations(VLANS, 2)], holes=3)


@settings(max_examples=15)
@given(campuses())
def test_proofs_on_random_campuses_are_accepted_and_holes_are_not(campus):
    pairs = list(combinations(VLANS, 2))
    sound(campus, [Apart("x", (f"v{a}", f"v{b}")) for a, b in pairs])


@settings(max_examples=12)
@given(campuses().filter(lambda c: all(s.kind is Kind.SWITCH for s in c.switches.values())))
def test_hostile_proofs_are_accepted_and_holes_are_not(campus):
    sound(
        campus, [Apart("x", (f"v{a}", f"v{b}"), facing=Facing.HOSTILE) for a, b in combinations(VLANS[:3], 2)], holes=6
    )


def test_a_second_tag_behind_one_with_vid_0_is_not_forgotten(tmp_path):
    """The port takes the first tag off where it may; the second is the tag that the far trunk then reads."""
    ports = "ports: {{1: {0}, u: {{trunk: '10,20', native: 10}}}}\n"
    a = "inkov: switch\nname: a\nvlans: {10: , 20: }\nneighbours: {u: b u}\n" + ports.format("{trunk: 10, native: 10}")
    b = "inkov: switch\nname: b\nvlans: {10: , 20: }\n" + ports.format("{access: 20}")
    habits = "assume: {own-tag: %s, native-outside-list: drop, tagged-native: drop, uneven-link: block}\n"
    files = {name: {"a.yaml": a + habits % name, "b.yaml": b + habits % "drop"} for name in ("drop", "accept")}
    dropping, accepting = (inkov.load(write_files(tmp_path / name, made)) for name, made in files.items())
    claim = Apart("x", ("10", "20"), facing=Facing.HOSTILE)
    (document,) = proofs(dropping, [claim])
    assert check(dropping, document).reasons == []
    assert check(accepting, document).reasons
    assert not list(proofs(accepting, [claim]))


def test_a_lag_without_members_negotiates_as_the_port_that_it_is(tmp_path):
    lag = "lags: {up: {mode: negotiated, stance: passive, access: 10, trunk: all, native: 30, lacp: static}}\n"
    files = {
        "a.yaml": f"inkov: switch\nname: a\nvlans: as used\nports: {{1: {{access: 20}}, 2: {{access: 30}}}}\n{lag}",
        "b.yaml": "inkov: switch\nname: b\nvlans: as used\nports: {1: {access: 1}}\n",
        "campus.yaml": "inkov: campus\nname: c\ncables: [a up - b 1]\n",
    }
    campus = inkov.load(write_files(tmp_path, files))
    (document,) = proofs(campus, [Apart("x", ("20", "30"))])
    assert check(campus, document).reasons == []


@settings(max_examples=15)
@given(routed_campuses())
def test_proofs_at_layer_3_are_accepted_and_holes_are_not(campus):
    pairs = combinations([f"v{v}" for v in ROUTED_VLANS], 2)
    sound(campus, [Apart("x", pair, layers=frozenset({3})) for pair in pairs], holes=6)


@settings(max_examples=15)
@given(trunked())
def test_trees_of_hops_are_accepted_and_shorter_ones_are_not(campus):
    campus = replace(campus, segments={f"v{v}": Segment(f"v{v}", VlanSet([v]), source) for v in MEMBERS})
    for document in proofs(campus, [Together("x", (f"v{v}",), n) for v in MEMBERS for n in (0, 1)]):
        checked = check(campus, document)
        assert checked.reasons == []
        assert set(checked.rests_on) == set(document["assumed"])
        COUNTS["trees accepted"] += 1
        for tree in document["trees"]:
            if tree["hops"]:
                kept = tree["hops"].pop()
                assert check(campus, document).reasons
                tree["hops"].append(kept)
                COUNTS["shorter trees rejected"] += 1


@settings(max_examples=12)
@given(campuses())
def test_a_campus_in_which_the_claim_no_longer_holds_is_rejected(campus):
    """With one access port moved so that the claim breaks, its certificate is no longer accepted."""
    claims = [Apart("x", (f"v{a}", f"v{b}")) for a, b in combinations(VLANS, 2)]
    for document in proofs(campus, claims):
        for name, switch in campus.switches.items():
            for port in switch.ports.values():
                if not isinstance(port.switching, Access):
                    continue
                moved = replace(port, switching=Access(VLANS[-1] if port.switching.vid != VLANS[-1] else VLANS[0]))
                made = replace(switch, ports={**switch.ports, port.name: moved})
                changed = replace(campus, switches={**campus.switches, name: made})
                claim = Apart("x", tuple(document["claim"]["segments"]))
                accepted = not check(changed, document).reasons
                if not isinstance(Prover(Network(changed)).decide(claim), Proved):
                    assert not accepted
                    COUNTS["of changed campuses rejected"] += 1


# -- the demo, by the built program --------------------------------------------------------------------


@pytest.fixture(scope="module")
def certified(tmp_path_factory):
    folder = write_files(tmp_path_factory.mktemp("mended"), mended())
    ran = run_inkov("prove", folder, "--certificate", folder / "proofs")
    assert ran.code == 0
    assert "wrote 11 certificates" in ran.err
    return folder


@pytest.mark.long
def test_every_claim_of_the_mended_demo_is_accepted_in_a_fresh_process(certified):
    ran = run_inkov("recheck", *sorted((certified / "proofs").iterdir()), certified)
    assert ran.code == 0
    assert "11  accepted" in ran.out
    schema = json.loads(run_inkov("schema", "certificate").out)
    for path in (certified / "proofs").iterdir():
        jsonschema.validate(json.loads(path.read_text("utf-8")), schema)


def test_another_native_vlan_makes_the_affected_certificates_wrong(certified, tmp_path):
    site = Path(shutil.copytree(certified, tmp_path / "site"))
    path = site / "switches" / "visitor-pier.yaml"
    text = path.read_text("utf-8")
    path.write_text(
        text.replace('"305,360,370,380,390,990", native: 990', '"305,360,370,380,390,990", native: 360'), "utf-8"
    )
    assert path.read_text("utf-8") != text
    ran = run_inkov("recheck", *sorted((site / "proofs").iterdir()), site, "--format", "json")
    assert ran.code == 1
    rows = {r["claim"]: r for r in json.loads(ran.out)["rows"]}
    wrong = {name for name, row in rows.items() if not row["accepted"]}
    assert "card data stays apart" in wrong
    assert "patient records are one" not in wrong
    assert rows["card data stays apart"]["changed"] == ["switches/visitor-pier.yaml"]
    assert "which the set leaves out" in rows["card data stays apart"]["reasons"][0]
    proved = run_inkov("prove", site, "--claim", "apart tills kiosks facing hostile")
    assert proved.code == 1
    assert "visitor-pier" in proved.out


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"version": 2}, "in the form of a certificate: version: 2 is not allowed; expected 1"),
        ({"sets": {}}, "there is no closed set for honest tills"),
        ({"sets": {"honest tills": 7}}, "in the form of a certificate: sets/honest tills: expected a mapping"),
        ({"claim": 7}, "not in the form of a certificate"),
    ],
)
def test_what_is_no_certificate_is_rejected_with_the_reason(certified, tmp_path, change, reason):
    made = json.loads((certified / "proofs" / "card-data-stays-apart.json").read_text("utf-8"))
    (tmp_path / "c.json").write_text(json.dumps(made | change), "utf-8")
    ran = run_inkov("recheck", tmp_path / "c.json", certified)
    assert ran.code == 1
    assert reason in " ".join(ran.out.split()).lower()


LOOKS = "'{}' is not the '{}' of the campus file, though it looks like it"

FORGED = [
    ({"pairs": [["tills", "kiosks"], ["kiosks", "tills"]]}, "the claim has a pair twice"),
    ({"name": "c\u0430rd data stays apart"}, LOOKS.format("c\\u0430rd data stays apart", "card data stays apart")),
    ({"segments": ["t\u0456lls", "kiosks"], "pairs": [["t\u0456lls", "kiosks"]]}, LOOKS.format("t\\u0456lls", "tills")),
    ({"pairs": []}, "the claim has no pairs of its segments"),
    ({"pairs": [["tills", "tills"]]}, "the claim has no pairs of its segments"),
    ({"layers": []}, "the claim is about no layer"),
    ({"segments": [], "pairs": []}, "the claim names no segments, or one twice"),
    ({"kind": "near"}, "'near' is no kind of claim"),
    ({"facing": "friendly"}, "'friendly' is no kind of station"),
]


@pytest.mark.parametrize(("change", "reason"), FORGED, ids=lambda x: next(iter(x), "") if isinstance(x, dict) else "")
def test_a_claim_that_claims_nothing_is_refused(certified, change, reason):
    made = json.loads((certified / "proofs" / "card-data-stays-apart.json").read_text("utf-8"))
    made["claim"] |= {"name": "another name"} | change
    assert check(inkov.load(certified), made).reasons == [reason]


HEAVY = [
    {"boat-dock": {"*": {f"{1 + n // 4000}.{n % 4000 + 1}": "1-4094" for n in range(2000)}}},
    {f"nobody-{n}": {"*": {"any": "1-4094"}} for n in range(1400)},
]


@pytest.mark.parametrize(("heavy", "reason"), [(HEAVY[0], "relays no such frames"), (HEAVY[1], "more than 500000")])
def test_a_small_certificate_that_names_millions_of_frames_is_refused_at_once(certified, heavy, reason):
    """40 kB named 8 million frames: 12 seconds and 1.5 GB."""
    made = json.loads((certified / "proofs" / "card-data-stays-apart.json").read_text("utf-8"))
    campus = inkov.load(certified)
    tracemalloc.start()
    reasons = check(campus, made | {"sets": {"honest tills": heavy}}).reasons
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert [r for r in reasons if reason in r] == reasons != []
    assert peak < 200_000_000


def test_the_claim_that_was_checked_is_told_and_not_the_title(certified):
    """A title is no more than text: what was decided stands in the data, and is what the check prints."""
    made = json.loads((certified / "proofs" / "card-data-stays-apart.json").read_text("utf-8"))
    made["claim"] |= {"name": "nobody ever meets anybody"}
    made["assumed"] = ["nothing"]
    checked = check(inkov.load(certified), made)
    assert checked.reasons == []
    assert checked.claim == "apart tills and kiosks, at layers 2 and 3, facing hostile stations"
    assert "nothing" not in checked.rests_on


@pytest.mark.parametrize("name", ["card-data-stays-apart", "every-tank-is-heard", "one-door-to-management"])
def test_whatever_is_changed_is_refused_or_told(certified, name):
    """One value after the other: the title says nothing, every other word is refused or shows in what was checked."""
    campus = inkov.load(certified)
    made = json.loads((certified / "proofs" / f"{name}.json").read_text("utf-8"))
    said = check(campus, made).claim
    told = []
    for path in leaves({k: made[k] for k in ("version", "claim", "trees") if k in made}):
        forged = copy.deepcopy(made)
        holder = forged
        for step in path[:-1]:
            holder = holder[step]
        holder[path[-1]] = OTHER.get(holder[path[-1]], "elsewhere")
        result = check(campus, forged)
        if not result.reasons and result.claim == said:
            told.append(path)
    assert told == [("claim", "name")]


OTHER = {"apart": "together", "together": "apart", "honest": "hostile", "hostile": "honest", 0: 1, 1: 2, 2: 3, 3: 2}


def leaves(value, path=()):
    """Yields the path of each value in nested mappings and lists."""
    if not isinstance(value, dict | list):
        yield path
        return
    for key, below in value.items() if isinstance(value, dict) else enumerate(value):
        yield from leaves(below, (*path, key))


def test_pairs_are_told_by_what_is_left_out_when_they_are_many(certified):
    told = {check(inkov.load(certified), made).claim for made in map(read, (certified / "proofs").glob("*.json"))}
    assert "apart boats and research, boats and vet-records, at layers 2 and 3, facing honest stations" in told
    assert (
        "apart each two of management, tank-sensors, life-support, vet-records, research, kiosks, tills, cameras, doors, "
        "phones, boats, info-wall, cove-desks, but not research and cove-desks, kiosks and tills, kiosks and info-wall, "
        "tills and info-wall, cameras and info-wall, at layer 2, facing honest stations"
    ) in told


def test_a_claim_made_weaker_is_not_the_claim_of_the_campus(certified, tmp_path):
    made = json.loads((certified / "proofs" / "card-data-stays-apart.json").read_text("utf-8"))
    made["claim"]["facing"] = "honest"
    (tmp_path / "c.json").write_text(json.dumps(made), "utf-8")
    ran = run_inkov("recheck", tmp_path / "c.json", certified)
    assert "says something else" in " ".join(ran.out.split())
    for text in ("{", "[" * 100_000):
        (tmp_path / "c.json").write_text(text, "utf-8")
        ran = run_inkov("recheck", tmp_path / "c.json", tmp_path / "nothing.json", certified)
        assert ran.code == 2
        assert "this is no JSON; expected a certificate" in ran.err
        assert "nothing.json: cannot be read" in ran.err


def test_recheck_shares_nothing_with_the_prover():
    modules = sorted(Path(inkov.recheck.__file__).parent.glob("*.py"))
    allowed = ("inkov.model", "inkov.recheck")
    for module in modules:
        tree = ast.parse(module.read_text("utf-8"))
        names = [n.module or "" for n in ast.walk(tree) if isinstance(n, ast.ImportFrom)]
        names += [a.name for n in ast.walk(tree) if isinstance(n, ast.Import) for a in n.names]
        assert [n for n in names if n.startswith("inkov") and not n.startswith(allowed)] == []


def test_claims_about_ports_and_addresses_have_certificates_too(quillfin):
    campus = inkov.load(quillfin / "mended")
    host = next(h for h in campus.hosts.values() if h.address is not None)
    other = next(r for r in Network(campus).edge_ports["plankton-lab"] if r != host.port)
    claims = [Apart("x", (name, str(other)), layers=frozenset({2})) for name in (str(host.address.ip), str(host.port))]
    documents = list(proofs(campus, claims))
    assert len(documents) == 2
    assert [check(campus, d).reasons for d in documents] == [[], []]


def test_a_proof_about_vlans_that_turn_into_each_other_is_accepted(tmp_path):
    """At layer 3 alone they are apart, as nothing routes; the sets of frames still hold where those of one arrive in the other."""
    switch = "inkov: switch\nname: {0}\nvlans: {{{1}: x}}\ntree: {{protocol: 'off'}}\nports: {{p: {{access: {1}}}, u: {{trunk: all, native: {1}}}}}\n"
    claims = "segments: {a: {vlan: 10}, b: {vlan: 20}}\nclaims: [{name: x, apart: [a, b], layer: 3}]\n"
    files = {"s0.yaml": switch.format("s0", 10), "s1.yaml": switch.format("s1", 20)}
    write_files(tmp_path, files | {"campus.yaml": f"inkov: campus\nname: c\ncables: [s0 u - s1 u]\n{claims}"})
    campus = inkov.load(tmp_path)
    sound(campus, campus.claims)
    assert len(list(proofs(campus, campus.claims))) == 1


def test_of_many_neighbours_outside_the_first_four_are_named(tmp_path):
    heard = ", ".join(f"p{n}: phone-{n} eth" for n in range(1, 7))
    ports = ", ".join(f"p{n}: {{access: {10 if n % 2 else 20}}}" for n in range(1, 7))
    switch = f"inkov: switch\nname: a\nvlans: {{10: x, 20: y}}\nports: {{{ports}}}\nneighbours: {{{heard}}}\n"
    claims = "segments: {a: {vlan: 10}, b: {vlan: 20}}\nclaims: [{name: x, apart: [a, b], layer: 2}]\n"
    write_files(tmp_path, {"a.yaml": switch, "campus.yaml": f"inkov: campus\nname: c\n{claims}"})
    campus = inkov.load(tmp_path)
    ((document,),) = [list(proofs(campus, campus.claims))]
    assert check(campus, document).rests_on == [
        "no device that is not in the campus joins VLANs by itself: "
        "a:p1 (phone-1), a:p2 (phone-2), a:p3 (phone-3), a:p4 (phone-4) and 2 more"
    ]
