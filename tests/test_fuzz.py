"""Mutated inputs: whatever is in a file, Inkov reads it or says what is wrong with it, and never falls over.

150 inputs as a rule; `INKOV_FUZZ=5000` tries more. The seed is fixed, so a failure can be seen again.
"""

import gc
import os
import random
import re
import shutil
from collections import Counter

import pytest
from typer.main import get_command
from typer.testing import CliRunner

from conftest import write_files
from inkov.cli.app import app
from inkov.demo.station import mended
from inkov.model.errors import BadInput

COUNT = int(os.environ.get("INKOV_FUZZ", "150"))
TOKENS = [
    *(
        b'"',
        b"{",
        b"}",
        b"[",
        b"]",
        b":",
        b",",
        b"\n",
        b" ",
        b"-",
        b"0",
        b"9999999999999999999",
        b"null",
        b"true",
        b"none",
    ),
    *(b"all", b"\xff\xfe", b"\x00", b"\x1b[31m", b"=1+1", b"<b>", b"&a *a", b"1e999", b"-1", b"4095", b"192.0.2.1/99"),
    *(b"::1/0", b"trunk", b"all but ", b"!!python/object:os.system", b"untagged", b"negotiated", b"any"),
]
WORD = re.compile(rb"[A-Za-z0-9.:/-]+")
NUMBER = re.compile(rb"[0-9]+")
PARTS = (
    "switches/visitor-pier",
    "switches/lighthouse",
    "switches/boat-dock",
    "exports/watchtower-b",
    "exports/archive",
    "campus",
    "hosts",
)


def rough(rng, data):
    """Bytes cut, doubled or put in anywhere: most of these are no longer YAML or JSON."""
    made = bytearray(data)
    for _ in range(rng.choice([1, 1, 2, 5])):
        at = rng.randrange(len(made) + 1)
        match rng.randrange(4):
            case 0:
                del made[at : at + rng.choice([1, 3, 20, 200])]
            case 1:
                made[at:at] = rng.choice(TOKENS)
            case 2:
                made[at : at + 1] = bytes([rng.randrange(256)])
            case _:
                start = rng.randrange(len(made) + 1)
                made[at:at] = made[start : start + rng.randrange(60)]
    return bytes(made)


def gentle(rng, data):
    """Words put in place of others: the form stays, the sense goes."""
    words = list(WORD.finditer(data))
    made = data
    for found in sorted(rng.sample(words, k=min(len(words), rng.choice([1, 2, 4]))), key=lambda m: -m.start()):
        other = rng.choice([*TOKENS, rng.choice(words)[0], rng.choice(words)[0], str(rng.randrange(5000)).encode()])
        made = made[: found.start()] + other + made[found.end() :]
    return made


def meek(rng, data):
    """Numbers put in place of others that are as long: what comes of it can mostly be read."""
    words = list(NUMBER.finditer(data))
    made = data
    for found in sorted(rng.sample(words, k=min(len(words), rng.choice([1, 2, 6]))), key=lambda m: -m.start()):
        other = rng.choice([w[0] for w in words if len(w[0]) == len(found[0])])
        made = made[: found.start()] + other + made[found.end() :]
    return made


@pytest.fixture(scope="module")
def station(tmp_path_factory):
    return write_files(tmp_path_factory.mktemp("fuzz"), mended())


COMMANDS = {
    **{
        name: []
        for name in ("audit", "prove", "trim", "draft", "links", "ports", "vlans", "gateways", "tree", "sources")
    },
    "flood": ["seal-ward:9"],
    "trace": ["engineers-desk", "seal-ward:9"],
    "map": ["-o", "map.svg", "--vlan", "340"],
    "report": ["-o", "report.html"],
    "mend": ["-o", "cure.yaml"],
    "rehearse": ["--fail", "watchtower-a", "--set", "seal-ward:9 access 340"],
    "convert": ["-o", "converted"],
    "drift": ["../whole"],
    "recheck": [],
}
"""Each with what is asked besides of the site."""


def answered(*args):
    """Runs a command in this process: a result or what is wrong, and nothing else; returns its exit code."""
    ran = CliRunner().invoke(app, [*map(str, args)])
    gc.unfreeze()  # commands that keep what they read out of the collector's way are not alone in this process
    refused = isinstance(ran.exception, BadInput) and bool(ran.exception.problems)
    if not refused and ran.exception is not None and not isinstance(ran.exception, SystemExit):
        raise AssertionError(args) from ran.exception
    code = 2 if refused else ran.exit_code
    assert code in {0, 1, 2}, ran.output
    return code


@pytest.mark.long
def test_mutated_files_are_read_or_refused(station, tmp_path_factory, monkeypatch):
    """Each mutant goes through one command: it ends with a result or with what is wrong, and with nothing else."""
    desk = tmp_path_factory.mktemp("desk")
    monkeypatch.chdir(desk)
    write_files(desk.parent / "whole", mended())
    rng = random.Random(20261123)
    proofs = station / "proofs"
    CliRunner().invoke(app, ["prove", str(station), "--certificate", str(proofs)])
    certificates = sorted(proofs.iterdir())
    names = [n for n in mended() if n.startswith(PARTS)]
    ends = Counter()
    for _ in range(COUNT):
        command = rng.choice([*COMMANDS])
        name = rng.choice(names)
        path = rng.choice(certificates) if command == "recheck" else station / name
        original = path.read_bytes()
        path.write_bytes(rng.choice([rough, gentle, meek, meek])(rng, original))
        site = station if "/" not in name or command == "recheck" or not rng.randrange(5) else path
        shutil.rmtree(desk / "converted", ignore_errors=True)
        try:
            ends[command, answered(command, *([path] if command == "recheck" else []), site, *COMMANDS[command])] += 1
        except AssertionError as exc:
            raise AssertionError(f"{command} of a mutant of {path.name}") from exc
        finally:
            path.write_bytes(original)
    shown = ", ".join(f"{command} {code}: {count}" for (command, code), count in sorted(ends.items()))
    print(f"\nFuzz: {COUNT} mutated files; command and exit code: {shown}")
    assert {command for command, _ in ends} == set(COMMANDS)
    assert {code for _, code in ends} == {0, 1, 2}


PIER = (
    "inkov: switch\nname: {0}\nvlans: {{310: tills, 320: kiosks}}\n"
    "ports: {{1: {{access: 310}}, 2: {{access: 320}}, u: {{trunk: '310,320', native: none, label: {1} u}}}}\n"
)
SITE = {
    "in/pier.yaml": PIER.format("pier", "hall"),
    "in/hall.yaml": PIER.format("hall", "pier"),
    "in/campus.yaml": "inkov: campus\nname: c\nsegments: {tills: {vlan: 310}, kiosks: {vlan: 320}}\nclaims: [{apart: all}]\n",
}
USUAL = {
    "flood": ["in", "pier:1"],
    "trace": ["in", "pier:1", "hall:1"],
    "drift": ["in", "in"],
    "explain": ["native/mismatch"],
    "schema": ["switch"],
    "rehearse": ["in", "--fail", "pier"],
    "convert": ["in", "-o", "ours"],
    "recheck": ["proofs/all-segments-apart.json", "in"],
}
"""What makes a question, where the site alone makes none."""


@pytest.mark.few(6)
@pytest.mark.parametrize("command", sorted(set(get_command(app).commands) - {"demo"}))
def test_odd_values_of_options_are_answered(command, tmp_path, monkeypatch):
    """Every option and argument of every command, empty, mistyped or out of range."""
    write_files(tmp_path, SITE)
    monkeypatch.chdir(tmp_path)
    answered("prove", "in", "--certificate", "proofs")
    usual = USUAL.get(command, ["in"])
    assert answered(command, *usual) in ({2} if command == "history" else {0, 1})  # the folder is in no repository
    params = get_command(app).commands[command].params
    places = [p.name for p in params if p.param_type_name == "argument"]
    for value in ("", "zz", "-1", "["):
        for param in params:
            if param.param_type_name == "argument":
                args = [*usual, *[""] * len(places)][: len(places)]
                args[places.index(param.name)] = value
                answered(command, "--", *args)
            elif not param.is_flag:
                answered(command, *usual, param.opts[-1], value)
