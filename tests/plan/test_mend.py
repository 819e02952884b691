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
    ran = run_inkov("mend", "as-found", *some, "--change", change, cwd=quillfin)
    assert ran.code == 1
    assert (
        " BREACH  native/mismatch        visitor-pier:u1 <-> watchtower-a:a4\n  Do  visitor-pier:u1: native 990\n"
        in ran.out
    )
    assert "define VLAN 430" not in ran.out  # a slip of one port is not spread
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
