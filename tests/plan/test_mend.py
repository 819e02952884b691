"""Cures: what is offered cures, harms nothing, never spreads the fault, and goes into `rehearse` as it is."""

import json

import pytest

import inkov
from conftest import run_inkov, write_files
from inkov.demo.station import as_found, faults
from inkov.rules.choice import identity
from inkov.views.mends import mended

ORDER = ["breach", "outage", "risk", "tidy"]
ranks = {"Proved": 0, "CannotTell": 1, "Broken": 2}


@pytest.mark.parametrize("name", sorted(f["name"] for f in faults())[::2])
def test_a_cure_that_is_offered_cures_and_harms_nothing(name, tmp_path):
    """Every other planted fault of the demo alone: judged by an audit and by proofs of the campus after the cure."""
    campus = inkov.load(write_files(tmp_path, as_found([name])))
    before = inkov.audit(campus)
    view, steps, after = mended(campus)
    found = inkov.audit(after)
    known, still = {identity(f) for f in before}, {identity(f) for f in found}
    cured = {(c.rule, c.place) for c in view.cures}
    assert not {(f.rule, f.place) for f in before if identity(f) in still} & cured
    worst = min((ORDER.index(c.severity) for c in view.cures), default=9)
    assert not [f for f in found if identity(f) not in known and ORDER.index(f.severity.value) <= worst]
    was, now = (inkov.prove(c) for c in (campus, after))
    for one, other in zip(was, now, strict=True):
        assert ranks[type(other.outcome).__name__] <= ranks[type(one.outcome).__name__]
    assert bool(steps) == bool(view.cures)


def test_faults_with_one_right_answer_have_a_certain_cure(tmp_path):
    campus = inkov.load(write_files(tmp_path, as_found()))
    wanted = ("native/mismatch", "list/differs", "stance/both-wait", "trunk/one-sided", "vlan/missing", "lag/unformed")
    view, _, _ = mended(campus, wanted)
    assert {c.rule for c in view.cures} == set(wanted)


def test_mend_of_the_demo_goes_into_rehearse(quillfin, tmp_path):
    change = tmp_path / "cure.yaml"
    some = ["--only", "native/mismatch", "--only", "access/undefined", "--only", "list"]
    ran = run_inkov("mend", "as-found", *some, "-o", change, cwd=quillfin)
    assert ran.code == 1
    assert (
        " BREACH  native/mismatch        visitor-pier:u1 <-> watchtower-a:a4\n  Do  visitor-pier:u1: native 990\n"
        in ran.out
    )
    assert "Do  dive-shed: define VLAN 430" not in ran.out  # a slip of one port is not spread
    document = json.loads(run_inkov("mend", "as-found", *some, "--format", "json", cwd=quillfin).out)
    assert document["inkov"] == "mend"
    whole = json.loads(run_inkov("rehearse", "as-found", change, "--format", "json", cwd=quillfin).out)["whole"]
    gone = {(f["rule"], f["place"]) for f in whole["findings"]["gone"]}
    assert {(c["rule"], c["place"]) for c in document["cures"]} <= gone
    assert all(c["after"] != "broken" for c in whole["claims"])


def test_only_some_findings_are_mended_when_asked(quillfin):
    ran = run_inkov("mend", "as-found", "--only", "native/*", "--at", "visitor-pier", cwd=quillfin)
    assert ran.out.count("native/mismatch") == 1
    assert "list/differs" not in ran.out
    assert run_inkov("mend", "mended", cwd=quillfin).code == 0


def test_cures_are_written_into_copies_and_read_back(quillfin, tmp_path):
    """What is left of the copy is what was tried; files that no cure touches are the same bytes, dumps of devices too."""
    fixed = tmp_path / "fixed"
    ran = run_inkov("mend", "as-found", "--apply", fixed, "--diff", cwd=quillfin)
    assert ran.code == 1
    assert ran.err == f"wrote {fixed.as_posix()}: 6 files changed; read back, it is what was tried\n"
    assert '-  up:    {trunk: "600-602,990", native: 990, lacp: passive}\n' in ran.out
    assert '+  up:    {trunk: "600-602,990", native: 990, lacp: active}\n' in ran.out
    assert "walks/hatchery-2.walk: SNMP walks tell what a device has; they cannot be edited" in ran.out
    same = [p for p in (quillfin / "as-found").rglob("*") if p.is_file()]
    differ = [p for p in same if p.read_bytes() != (fixed / p.relative_to(quillfin / "as-found")).read_bytes()]
    assert len(differ) == 6
    assert all(p.suffix in {".yaml", ".json"} for p in differ)
    _, _, after = mended(inkov.load(quillfin / "as-found"), ("native/mismatch",))
    assert "native/mismatch" not in {f.rule for f in inkov.audit(inkov.load(fixed))} | {
        f.rule for f in inkov.audit(after)
    }
    assert run_inkov("prove", fixed, "--claim", "apart tills kiosks").code == 0
    assert run_inkov("prove", quillfin / "as-found", "--claim", "apart tills kiosks").code == 1


@pytest.mark.parametrize(
    ("folder", "message"),
    [
        ("as-found/copy", "lies in the site's own folder; name one elsewhere"),
        ("mended", "is there already; name a new folder"),
    ],
)
def test_a_folder_that_is_none_of_ours_is_left_alone(quillfin, folder, message):
    before = sorted(quillfin.rglob("*"))
    ran = run_inkov("mend", "as-found", "--only", "lag/unformed", "--apply", folder, cwd=quillfin)
    assert ran.code == 2
    assert message in ran.err
    assert sorted(quillfin.rglob("*")) == before


def test_python_says_the_same(quillfin):
    campus = inkov.load(quillfin / "as-found")
    view = inkov.mend(campus, ["lag/unformed"])
    assert [c.steps for c in view.cures] == [("boat-dock:up: lacp active",)]
    document = json.loads(run_inkov("mend", "as-found", "--only", "lag/*", "--format", "json", cwd=quillfin).out)
    left = next(r for r in document["left"] if r["rule"] == "lag/uneven")
    assert (left["decide"], left["why"]) == (True, "somebody has to decide")
