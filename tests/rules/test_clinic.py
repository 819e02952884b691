"""Faults of gateways, pairs, stations and tags in a clinic, one at a time: the audit tells each first, and a healthy clinic is quiet."""

import importlib.util
import json
import os
from pathlib import Path

import pytest

import inkov
from inkov.change.mending import mended
from inkov.plan.change import changes

_spec = importlib.util.spec_from_file_location("clinic", Path(__file__).parents[2] / "benchmarks" / "clinic.py")
clinic = importlib.util.module_from_spec(_spec)
_spec.loader.exec_module(clinic)

FAULTS = list(clinic.faults())
TRIED = FAULTS if os.environ.get("HYPOTHESIS_PROFILE") == "long" else FAULTS[::3]


def told(folder, files):
    return [(f.rule, f.place, f.what, f) for f in inkov.audit(inkov.load(clinic.written(files, folder)))]


@pytest.fixture(scope="module")
def healthy(tmp_path_factory):
    return told(tmp_path_factory.mktemp("clinic") / "healthy", clinic.clinic())


def test_a_healthy_clinic_has_one_tidy_question(healthy):
    assert [(rule, f.severity.value) for rule, *_, f in healthy] == [("ring/gap", "tidy")]


def first_new(fault, healthy, folder):
    """The first finding that a fault adds, whole."""
    files = clinic.clinic()
    fault.plant(files)
    known = {row[:3] for row in healthy}
    (*_, first), *_ = [row for row in told(folder, files) if row[:3] not in known]
    return first


def test_a_fault_is_the_first_finding_and_told_in_these_words(healthy, tmp_path, request):
    """The words, places, severities and cures were read one by one; `--rewrite` writes those of all faults anew."""
    golden = Path(__file__).parents[1] / "golden" / "clinic.json"
    rewrite = request.config.getoption("--rewrite")
    found = {}
    for n, fault in enumerate(FAULTS if rewrite else TRIED):
        first = first_new(fault, healthy, tmp_path / str(n))
        assert clinic.names(first, fault), (fault.name, first.rule, first.place, first.what)
        found[fault.name] = [first.severity.value, first.rule, first.place, first.what, first.mend]
    if rewrite:
        golden.write_text(json.dumps(found, indent=1, ensure_ascii=False) + "\n", "utf-8")
    expected = json.loads(golden.read_text("utf-8"))
    assert found == {name: expected[name] for name in found}
    assert expected.keys() == {f.name for f in FAULTS}


OTHERWISE = {
    "filter in the direction that stops nothing": "the filter that was planted is bound as it was meant, not taken away",
    "gate knows no way back": "a route a subnet, where one for all of them stood",
    "a spare port is on and default": "left to decide, but for the port's tree",
    "natives differ, in neither list": "one native VLAN at both ends, where there was none",
    "an uplink is general with no PVID there": "the right PVID, and still a general port",
    "PVID outside the untagged set": "the right PVID, and still a general port",
    "an empty table of VLANs": "nobody is in the parking VLAN there",
    "an uplink is an edge port": "said to be none, where nothing was said",
}
"""Faults after whose cures the clinic is as well as before, and set otherwise."""


def test_cures_that_are_certain_make_the_clinic_what_it_was_before_the_fault(tmp_path):
    healthy, cured = inkov.load(clinic.written(clinic.clinic(), tmp_path / "healthy")), 0
    for n, fault in enumerate(TRIED):
        files = clinic.clinic()
        fault.plant(files)
        _, steps, after = mended(inkov.load(clinic.written(files, tmp_path / str(n))))
        differ = [c for c in changes(healthy, after) if not c.silent] if steps else []
        assert not differ or fault.name in OTHERWISE, (fault.name, [s.what for s in steps], differ)
        cured += bool(steps)
    assert cured > 0.6 * len(TRIED)
