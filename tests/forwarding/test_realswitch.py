"""Real switch software was asked the same questions; every answer must be the same."""

import dataclasses
import json
import shutil
from itertools import combinations

import pytest

import inkov
from conftest import REALSWITCH, run_inkov
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Facing, Segment
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.vlanset import ALL, bits
from inkov.proof.outcome import Broken, Proved
from inkov.proof.prove import Prover


def shape(items):
    return {h.at: list(h.tags) for h in items}


@pytest.mark.parametrize("folder", REALSWITCH, ids=lambda p: p.name)
def test_the_program_answers_like_the_switches(folder):
    expected = json.loads((folder / "expected.json").read_text())["heard"]
    ran = run_inkov("flood", folder, "--format", "json")
    assert ran.code == 0
    rows = json.loads(ran.out)["rows"]
    heard = {a: {h["at"]: h["tags"] for h in r["heard"] if h["at"] != a} for r in rows for a in r["from"]}
    assert heard == expected
    assert len(heard) == sum(len(r["from"]) for r in rows)


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


STATED = (
    "inkov: campus\nname: real\nassume: {own-tag: drop, native-outside-list: drop, tagged-native: accept, uneven-link: run, "
    "unstated-native: none}\n"
)
"""What the software does that its configuration does not say, as the samples' page has it."""


def honest_tags(campus, port):
    """The tags a station on a port may use: VLANs the port is a member of, untagged and tagged."""
    return {str(v) for v in bits(Network(campus).own_domains(PortRef.parse(port)))}


@pytest.mark.parametrize("folder", REALSWITCH, ids=lambda p: p.name)
def test_apart_between_all_ports_is_what_the_switches_do(folder, tmp_path):
    """A port apart from another: honest, just when no frame of its own passed; hostile, only when no frame at all did."""
    expected = json.loads((folder / "expected.json").read_text())
    shutil.copytree(folder / "switches", tmp_path / "switches")
    (tmp_path / "campus.yaml").write_text(STATED)
    campus = inkov.load(tmp_path)
    ports = expected["edge_ports"]
    segments = {p: Segment(p, ALL, Source(""), frozenset({PortRef.parse(p)})) for p in ports}
    prover = Prover(Network(dataclasses.replace(campus, segments=segments)))
    own = {p: honest_tags(campus, p) for p in ports}
    any_frame = {p: set(expected["heard"][p]) for p in ports}
    honest = {p: set(expected["heard"][p]) for p in ports}
    for p in ports:
        for tag, heard in expected["tagged"][p].items():
            any_frame[p] |= heard.keys()
            honest[p] |= heard.keys() if tag in own[p] else set()
        for heard in expected["double"][p].values():
            any_frame[p] |= heard.keys()
    proved = 0
    for a, b in combinations(ports, 2):
        frames = Apart("x", (a, b), layers=frozenset({2}))
        outcome = prover.decide(frames)
        assert isinstance(outcome, Broken) == (b in honest[a] or a in honest[b]), (a, b)
        if not isinstance(outcome, Broken | Proved):  # a port that neither sends nor hears proves nothing
            assert not all(prover.stations(p) for p in (a, b))
        hostile = prover.decide(dataclasses.replace(frames, facing=Facing.HOSTILE))
        if isinstance(hostile, Proved):
            proved += 1
            assert b not in any_frame[a]
            assert a not in any_frame[b]
    assert proved
