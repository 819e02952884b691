"""Real switch software was asked the same questions; every answer must be the same."""

import json

import pytest

import inkov
from conftest import REALSWITCH, run_inkov


def shape(items):
    return {h.at: list(h.tags) for h in items}


@pytest.mark.parametrize("folder", REALSWITCH, ids=lambda p: p.name)
def test_the_program_answers_like_the_switches(folder):
    expected = json.loads((folder / "expected.json").read_text())["heard"]
    ran = run_inkov("flood", folder, "--format", "json")
    assert ran.code == 0
    rows = json.loads(ran.out)
    assert {r["from"]: {h["at"]: h["tags"] for h in r["heard"]} for r in rows} == expected
    assert [r["from"] for r in rows] == list(dict.fromkeys(r["from"] for r in rows))


@pytest.mark.parametrize("folder", REALSWITCH, ids=lambda p: p.name)
def test_tagged_and_double_tagged_frames_too(folder):
    expected = json.loads((folder / "expected.json").read_text())
    campus = inkov.load(folder)
    for port in expected["edge_ports"]:
        assert shape(inkov.flood(campus, port)) == expected["heard"][port]
        for tag, heard in expected["tagged"][port].items():
            assert shape(inkov.flood(campus, port, tag=int(tag))) == heard, (port, tag)
        for pair, heard in expected["double"][port].items():
            outer, inner = map(int, pair.split("."))
            assert shape(inkov.flood(campus, port, tag=outer, inner=inner)) == heard, (port, pair)


def test_there_is_something_to_compare_with():
    assert len(REALSWITCH) == 8
