"""What commands do in a shell: without arguments, in pipes, on narrow screens, completed, as rows for programs."""

import json

import jsonschema
import pytest

from conftest import on_screen, run_inkov


def test_without_a_command_it_says_what_is_here_and_what_to_try(quillfin, tmp_path):
    ran = run_inkov(cwd=quillfin / "as-found")
    assert ran.code == 0
    assert ran.out.startswith(
        "31 files with switches here (3 OpenConfig JSON, 1 NETCONF XML, 1 IEEE 802.1Q data, 1 LLDP of a daemon, 1 OVSDB dumps, "
        "18 Inkov switch files, 6 SNMP walks), a campus file\n"
    )
    assert "inkov draft" not in ran.out
    bare = run_inkov(cwd=quillfin / "as-found" / "switches")
    assert "18 files with switches here (18 Inkov switch files), no campus file" in bare.out
    assert "inkov draft -o campus.yaml" in bare.out
    nothing = run_inkov(cwd=tmp_path)
    assert nothing.code == 2
    assert "Usage: inkov" in nothing.out


@pytest.mark.parametrize(
    ("words", "completed"),
    [
        ("inkov links as-found --switch kelp", ["kelp-hall-1", "kelp-hall-2"]),
        ("inkov vlans as-found --vlan tan", ["tank-sensors"]),
        ("inkov vlans nowhere --vlan tan", []),
        ("inkov map as-found --segment cove", ["cove-desks"]),
        ("inkov audit as-found --only native/m", ["native/mismatch"]),
    ],
)
def test_the_shell_completes_names_of_the_site(quillfin, words, completed):
    ran = run_inkov(cwd=quillfin, _INKOV_COMPLETE="complete_bash", COMP_WORDS=words, COMP_CWORD="4")
    assert ran.out.split() == completed


def test_notes_on_what_was_read_are_folded(tmp_path):
    for n in range(6):
        (tmp_path / f"{n}.yaml").write_text("hello: world\n")
    (tmp_path / "a.yaml").write_text("inkov: switch\nname: a\nvlans: {10: x}\nports: {1: {access: 10}}\n")
    told = run_inkov("vlans", tmp_path).err.splitlines()
    assert len(told) == 3
    assert told[-1] == "note: and 4 more on what was read; --verbose tells all"
    assert len(run_inkov("vlans", tmp_path, "-v").err.splitlines()) == 6


@pytest.mark.long
def test_every_table_is_there_for_programs_and_pages_too(quillfin):
    for command in ("ports", "links", "vlans", "gateways", "flood"):
        lines = run_inkov(command, "as-found", "--format", "csv", cwd=quillfin).out.splitlines()
        tabs = run_inkov(command, "as-found", "--format", "tsv", cwd=quillfin).out.splitlines()
        page = run_inkov(command, "as-found", "--format", "md", cwd=quillfin).out.splitlines()
        text = run_inkov(command, "as-found", "--no-heads", cwd=quillfin).out.splitlines()
        assert len(lines) == len(tabs) == len(page) - 1 == len(text) + 1
        assert page[1].startswith("| ---")
    first = run_inkov("ports", "as-found", "--columns", "vlans,port", "--sort", "-port", cwd=quillfin).out.splitlines()
    assert first[0].split() == ["VLANs", "port"]
    assert first[1].split()[-1].startswith("watchtower-b:")


def test_a_narrow_screen_gets_blocks_and_a_wide_one_no_broken_name(quillfin):
    narrow = on_screen("links", "as-found", columns=60, cwd=quillfin)
    assert "archive:u1 ─── watchtower-a:a5\n  forms    trunk = trunk\n" in narrow
    wide = on_screen("gateways", "as-found", columns=100, cwd=quillfin)
    assert all(len(line) <= 100 for line in wide.splitlines())
    assert "192.0.2.1/27, 2001:db8:305::1/64" in wide


@pytest.mark.few(1)
@pytest.mark.parametrize(
    ("command", "heads", "row"),
    [
        (
            ("tree", "mended"),
            "tree,vlans,root,switch,depth,cost,priority,port,role,towards,why",
            ",watchtower-a,0,0,4096,,,,",
        ),
        (
            ("trim", "mended"),
            "port,far_end,allows,needed,missing,surplus,protected,set,where",
            "crane:u1,harbour-core:h6,",
        ),
        (
            ("prove", "as-found"),
            "claim,kind,segments,outcome,why,assumed,missing,sentence",
            'card data stays apart,apart,"tills,kiosks",broken,tills <-> kiosks,,',
        ),
        (
            ("prove", "as-found", "--grid"),
            "segment,heard_in,how,through",
            "management,life-support,routed,watchtower-b",
        ),
    ],
)
def test_what_is_no_table_on_a_screen_has_rows_for_programs(quillfin, command, heads, row):
    lines = run_inkov(*command, "--format", "csv", cwd=quillfin).out.splitlines()
    assert lines[0] == heads
    assert any(row in line for line in lines)
    document = json.loads(run_inkov(*command, "--format", "json", cwd=quillfin).out)
    assert document["inkov"] in {"tree", "trim", "prove", "segments"}
    page = run_inkov(*command, "--format", "md", cwd=quillfin).out.splitlines()
    tabs = run_inkov(*command, "--format", "tsv", cwd=quillfin).out.splitlines()
    assert len(lines) == len(tabs) == len(page) - 1


def test_certificates_have_rows_for_programs(quillfin, tmp_path):
    run_inkov("prove", "mended", "--claim", "apart tills kiosks layer 2", "--certificate", tmp_path, cwd=quillfin)
    (made,) = tmp_path.glob("*.json")
    lines = run_inkov("recheck", made, quillfin / "mended", "--format", "csv").out.splitlines()
    assert lines[0] == "certificate,claim,kind,outcome,why,rests_on"
    assert lines[1].startswith(f"{made.as_posix()},apart tills kiosks layer 2,apart,accepted,")


def test_grid_of_ports_and_vlans(quillfin):
    args = ["ports", "mended", "--grid", "--switch", "slipway"]
    assert (
        run_inkov(*args, cwd=quillfin).out
        == """\
slipway
          3 3 9 9
          4 9 9 9
        1 0 0 0 9
1-4,7   · U T · ·
5-6     · · · · ·
8       · U · · ·
u1      · T T U ·

U in and out untagged   T in and out tagged   < enters only   > leaves only   · absent
"""
    )
    grid = json.loads(run_inkov(*args, "--format", "json", cwd=quillfin).out)
    assert grid["rows"][0]["rows"][-1] == {"port": "u1", "cells": ["absent", "tagged", "tagged", "untagged", "absent"]}
    jsonschema.validate(grid, json.loads(run_inkov("schema", "grid").out))
