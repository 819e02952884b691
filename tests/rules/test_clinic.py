"""Faults of gateways, pairs, stations and tags in a clinic, one at a time: the audit tells each first, and a healthy clinic is quiet."""

import importlib.util
import os
from pathlib import Path

import pytest

import inkov

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


@pytest.mark.parametrize("fault", TRIED, ids=lambda f: f.name)
def test_a_fault_is_the_first_finding(fault, healthy, tmp_path):
    files = clinic.clinic()
    fault.plant(files)
    known = {row[:3] for row in healthy}
    (*_, first), *_ = [row for row in told(tmp_path / "planted", files) if row[:3] not in known]
    assert clinic.names(first, fault), (first.rule, first.place, first.what)
