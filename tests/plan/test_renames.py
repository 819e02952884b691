"""Switches and ports that go by another name are the same where chassis address and cabling say so for certain."""

import json

import pytest

from conftest import run_inkov, write_files

HALL = (
    "inkov: switch\nname: hall\nmac: 02:00:00:00:00:01\nvlans: {10: a}\n"
    "ports: {1: {access: 10}, 2: {access: 10}, u1: {trunk: '10', native: none}}\nneighbours: {u1: core d1}\n"
)
CORE = (
    "inkov: switch\nname: core\nmac: 02:00:00:00:00:02\nvlans: {10: a}\n"
    "ports: {1: {access: 10}, d1: {trunk: '10', native: none}, d2: {trunk: '10', native: none}}\nneighbours: {d1: hall u1}\n"
)


def drifted(tmp_path, hall, core):
    write_files(tmp_path / "before", {"hall.yaml": HALL, "core.yaml": CORE})
    write_files(tmp_path / "after", {"hall.yaml": hall, "core.yaml": core})
    ran = run_inkov("drift", "before", "after", "--format", "json", cwd=tmp_path)
    return ran.code, json.loads(ran.out)


def said(view):
    return [(c["at"], c["what"]) for c in view["changes"]]


def test_a_renamed_switch_with_its_chassis_address_is_the_same(tmp_path):
    code, view = drifted(tmp_path, HALL.replace("name: hall", "name: annex"), CORE.replace("hall u1", "annex u1"))
    assert said(view) == [("annex", "was named hall")]
    assert (code, view["reach"]["gained"], view["reach"]["lost"]) == (0, [], [])


def test_a_renamed_port_that_is_cabled_as_before_is_the_same(tmp_path):
    code, view = drifted(tmp_path, HALL.replace("u1: ", "uplink: "), CORE.replace("hall u1", "hall uplink"))
    assert said(view) == [("hall:uplink", "was named u1")]
    assert (code, view["reach"]["lost"]) == (0, [])


def test_both_at_once_and_an_edit_besides(tmp_path):
    hall = HALL.replace("name: hall", "name: annex").replace("u1: ", "uplink: ").replace("2: {access: 10}", "2: {}")
    code, view = drifted(tmp_path, hall, CORE.replace("hall u1", "annex uplink"))
    assert said(view)[:2] == [("annex", "was named hall"), ("annex:uplink", "was named u1")]
    assert said(view)[2][0] == "annex:2"
    assert {"from": "annex:1", "at": ["annex:2"]} in view["reach"]["lost"]
    assert code == 1


@pytest.mark.parametrize(
    "hall",
    [
        HALL.replace("name: hall", "name: annex").replace("mac: 02:00:00:00:00:01\n", ""),
        HALL.replace("name: hall", "name: annex").replace("00:01", "00:03"),
    ],
    ids=["without an address", "with another address"],
)
def test_what_is_not_certain_is_not_guessed(tmp_path, hall):
    code, view = drifted(tmp_path, hall, CORE.replace("hall u1", "annex u1"))
    assert ("hall", "is gone") in said(view)
    assert ("annex", "is new") in said(view)
    assert code == 1


def test_a_station_port_is_never_taken_for_another(tmp_path):
    code, view = drifted(tmp_path, HALL.replace("2: {access", "3: {access"), CORE)
    assert said(view) == [("hall:2", "is gone"), ("hall:3", "is new")]
    assert code == 1
