"""A folder of candidate files is a change: each device in it that differs is a step, the others stay as they are."""

import pytest

from conftest import run_inkov, write_files

CORE = "inkov: switch\nname: core\nvlans: {10: desks, 20: tills}\nports:\n  1: {access: 10}\n  2: {access: 20}\n  u1: {trunk: '10,20'}\n"
EDGE = "inkov: switch\nname: edge\nvlans: {10: desks, 20: tills}\nports:\n  1: {access: 10}\n  2: {access: 20}\n  u1: {trunk: '10,20'}\n"
CAMPUS = "inkov: campus\nname: x\ncables: [core u1 - edge u1]\nswitches-are: {'*': {tree: {protocol: rstp}, assume: {own-tag: drop}}}\n"
SITE = {"campus.yaml": CAMPUS, "core.yaml": CORE, "edge.yaml": EDGE}


@pytest.fixture
def site(tmp_path):
    return write_files(tmp_path / "site", SITE)


def candidates(tmp_path, **files):
    return write_files(tmp_path / "new", {f"{name}.yaml": text for name, text in files.items()})


def test_a_device_that_differs_is_a_step_and_one_that_does_not_is_none(site, tmp_path):
    new = candidates(tmp_path, core=CORE, edge=EDGE.replace("1: {access: 10}", "1: {access: 10, label: window}"))
    told = run_inkov("rehearse", site, new)
    assert told.code == 0, told.err
    head, *rest = told.out.splitlines()
    assert head.split() == ["candidates", "in", "new", "1", "step", "SAFE"]
    assert "1  edge as in new   edge.yaml:2" in rest
    assert "core as in" not in told.out


def test_what_a_candidate_takes_away_is_told(site, tmp_path):
    told = run_inkov("rehearse", site, candidates(tmp_path, edge=EDGE.replace("'10,20'", "'10'")))
    assert told.code == 1
    assert "NOT SAFE AS IT ENDS" in told.out
    assert "edge as in new" in told.out


def test_the_order_of_two_candidates_is_sought(site, tmp_path):
    three = CORE.replace("20: tills}", "20: tills, 30: phones}").replace("'10,20'", "'10,20,30'")
    new = candidates(tmp_path, core=three, edge=three.replace("core", "edge"))
    told = run_inkov("rehearse", site, new)
    assert [line.split("   ")[0] for line in told.out.splitlines() if " as in new" in line] == [
        "1  core as in new",
        "2  edge as in new",
    ]
    assert told.code == 0, told.out


@pytest.mark.parametrize(
    ("files", "what"),
    [
        ({"core": CORE}, "nothing here differs from the site: it would end where it began"),
        ({"core": CORE.replace("access: 10", "access: ten")}, "core.yaml:5: "),
    ],
)
def test_what_is_no_change_is_refused(site, tmp_path, files, what):
    told = run_inkov("rehearse", site, candidates(tmp_path, **files))
    assert told.code == 2
    assert what in told.err
    assert told.out == ""


def test_a_new_device_comes_and_the_files_of_the_site_stay(site, tmp_path):
    before = {p.name: p.read_bytes() for p in site.iterdir()}
    new = candidates(tmp_path, pier=EDGE.replace("edge", "pier").replace("  u1: {trunk: '10,20'}\n", ""))
    told = run_inkov("rehearse", site, new)
    assert "pier added" in told.out
    assert before == {p.name: p.read_bytes() for p in site.iterdir()}
