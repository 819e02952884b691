"""Names of commands and options: groups, what was renamed, what is read no longer, and what may be left out."""

import json
import re

import pytest

from conftest import run_inkov, write_files
from inkov.cli.app import COMMANDS

SWITCH = "inkov: switch\nname: S\nvlans: {10: a}\nports: {1: {access: 10}, 2: {access: 10}}\n"


@pytest.fixture
def folder(tmp_path):
    return write_files(tmp_path, {"s.yaml": SWITCH})


def test_commands_stand_in_groups_by_the_work_they_serve():
    out = run_inkov("--help").out
    groups = re.split(r"╭─ (\w[\w ]*) ─+╮", out)[3:]
    shown = {
        work: [w for line in body.splitlines() if (w := line[2:12].strip()) in COMMANDS]
        for work, body in zip(groups[::2], groups[1::2], strict=True)
    }
    wanted = {}
    for name, command in COMMANDS.items():
        wanted.setdefault(command.work, []).append(name)
    assert shown == wanted
    assert list(shown) == ["Look", "Judge", "Prove", "Change", "Hand over", "Sources"]


@pytest.mark.few(6)
@pytest.mark.parametrize("command", COMMANDS)
def test_help_names_no_type_of_what_takes_no_value(command):
    assert "<bool>" not in run_inkov(command, "--help").out


@pytest.mark.parametrize(
    ("typed", "answer"),
    [
        (("drift", ".", "--log", "3"), "--log: was renamed; type 'inkov history SITE --last N'\n"),
        (("drift", ".", "--log=3"), "--log: was renamed; type 'inkov history SITE --last N'\n"),
        (("report", ".", "--log", "3"), "--log: was renamed; type --history\n"),
        (("rehearse", ".", "--all-cuts"), "--all-cuts: was renamed; type 'inkov failures SITE --cuts'\n"),
        (("rehearse", ".", "--all-fails"), "--all-fails: was renamed; type 'inkov failures SITE --fails'\n"),
        (("rehearse", ".", "--all-plugs"), "--all-plugs: was renamed; type 'inkov failures SITE --plugs'\n"),
        (("vlans", ".", "--strict"), "--strict: was renamed; type --all-files\n"),
    ],
)
def test_an_option_that_was_renamed_is_answered_with_its_new_name(folder, typed, answer):
    ran = run_inkov(*typed, cwd=folder)
    assert (ran.code, ran.out, ran.err) == (2, "", answer)


@pytest.mark.parametrize(
    ("key", "value", "answer"),
    [
        (
            "filters",
            "{f: [{action: permit}]}",
            "s.yaml:5: filters/f/0/action: 'permit' is not allowed; expected 'accept' or 'drop'",
        ),
        (
            "filters",
            "{f: [{action: deny}]}",
            "s.yaml:5: filters/f/0/action: 'deny' is not allowed; expected 'accept' or 'drop'",
        ),
        ("lags", "{l: {trunk: all except 20}}", "s.yaml:5: lags/l/trunk: "),
        ("lags", "{l: {trunk: all, registration: {eligible: 10}}}", "s.yaml:5: lags/l/registration/eligible: "),
    ],
)
def test_words_that_were_withdrawn_are_no_longer_read(tmp_path, key, value, answer):
    ran = run_inkov("audit", write_files(tmp_path, {"s.yaml": f"{SWITCH}{key}: {value}\n"}), cwd=tmp_path)
    assert ran.code == 2
    assert ran.err.startswith(answer)


def test_the_site_may_be_left_out_before_a_port_or_two_ends(folder):
    assert run_inkov("flood", "S:1", cwd=folder).out == run_inkov("flood", ".", "S:1", cwd=folder).out
    assert run_inkov("trace", "S:1", "S:2", cwd=folder).out == run_inkov("trace", ".", "S:1", "S:2", cwd=folder).out
    assert run_inkov("flood", "s.yaml", cwd=folder).out == run_inkov("flood", ".", cwd=folder).out
    ran = run_inkov("trace", ".", "S:1", cwd=folder)
    assert (ran.code, "name both ends: inkov trace [SITE] A B" in ran.err) == (2, True)
    assert "there is no switch" in run_inkov("flood", "T:1", cwd=folder).err


def test_strict_is_about_proofs_and_all_files_about_reading(folder):
    (folder / "broken.json").write_text("{")
    ran = run_inkov("prove", ".", "--claim", "together 10", cwd=folder)
    assert (ran.code, "what broken.json says: it could not be read" in ran.out) == (2, True)
    assert run_inkov("prove", ".", "--claim", "together 10", "--all-files", cwd=folder).out == ""
    (folder / "broken.json").unlink()
    assert run_inkov("prove", ".", "--claim", "together 10", "--strict", cwd=folder).code == 0


def test_failures_tries_all_three_unless_asked_for_some(tmp_path):
    trunk = "u: {trunk: '10', native: none}"
    files = {
        f"{a}.yaml": f"inkov: switch\nname: {a}\nvlans: {{10: a}}\nports: {{1: {{access: 10}}, {trunk}}}\nneighbours: {{u: {b} u}}\n"
        for a, b in ("ST", "TS")
    }
    site = write_files(
        tmp_path,
        {
            **files,
            "campus.yaml": "inkov: campus\nname: x\nsegments: {s: {vlan: 10}}\nclaims: [{name: one, together: s}]\n",
        },
    )
    every = json.loads(run_inkov("failures", site, "--format", "json").out)["rows"]
    assert {r["what"]: (r["lost"], r["gained"], r["claims"], r["alike"]) for r in every} == {
        "cut S:u - T:u": (2, 0, ["one"], []),
        "S fails": (2, 0, [], []),
        "T fails": (2, 0, [], []),
        "somebody's switch in S:1": (0, 0, [], ["somebody's switch in T:1"]),
    }
    for option, rows in (("--cuts", 1), ("--fails", 2), ("--plugs", 1)):
        assert len(json.loads(run_inkov("failures", site, option, "--format", "json").out)["rows"]) == rows
    lines = run_inkov("failures", site, "--cuts", "--format", "csv").out.splitlines()
    assert lines == ["failure,pairs_lost,pairs_gained,claims,alike", "cut S:u - T:u,2,0,one,"]
