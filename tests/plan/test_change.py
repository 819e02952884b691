"""Differences between campuses: all of them make the one the other, what they did is what the simulator sees, and who did it."""

import json
import re
import subprocess
from collections import Counter
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
from conftest import run_inkov, write_files
from inkov.change.drift import drift_view
from inkov.demo.station import as_found, faults, mended
from inkov.forwarding.flood import Flooding
from inkov.forwarding.network import Network
from inkov.plan.change import changes, smallest, with_some
from simulator import listeners
from strategies import campuses, often


@settings(max_examples=often(50))
@given(campuses(), campuses())
def test_all_differences_make_one_campus_the_other(one, other):
    found = changes(one, other)
    made = with_some(one, other, [c.key for c in found])
    assert changes(made, other) == []
    wanted, got = Flooding(Network(other)), Flooding(Network(made))
    assert list(got.sources()) == list(wanted.sources())
    for port in wanted.sources():
        assert got.heard(port) == wanted.heard(port)


@st.composite
def edited(draw):
    """A campus, and the same with some of its differences to another."""
    one, other = draw(campuses()), draw(campuses())
    kinds = {("port", "switching"), ("port", "enabled"), ("vlan", ""), ("table", "")}
    same = {n for n, s in one.switches.items() if n in other.switches and other.switches[n].kind is s.kind}
    keys = [c.key for c in changes(one, other) if (c.key[1], c.key[3]) in kinds and c.key[0] in same]
    some = draw(st.lists(st.sampled_from(keys), min_size=1, max_size=6, unique=True)) if keys else []
    return one, with_some(one, other, some)


def test_reach_gained_and_lost_is_what_the_simulator_sees(capsys):
    compared = Counter()

    @settings(max_examples=often(60))
    @given(edited())
    def agrees(pair):
        compare(pair, compared)

    agrees()
    with capsys.disabled():
        print(
            f"\nDrift: {compared['pairs']} pairs of campuses, {compared['rows']} senders with other hearers; all agree"
        )
    assert compared["rows"] > 5


def compare(pair, compared):
    one, other = pair
    heard = [{}, {}]
    for sees, campus in zip(heard, pair, strict=True):
        for port in Flooding(Network(campus)).sources():
            sees[port] = {at for at, _, _ in listeners(campus, port, ())} - {port}
    view = drift_view(one, other, ("one", "other"), causes=False)
    for rows, a, b in ((view.reach.gained, heard[0], heard[1]), (view.reach.lost, heard[1], heard[0])):
        expected = {str(p): {str(x) for x in b.get(p, set()) - a.get(p, set())} for p in {*a, *b}}
        got = {row["from"]: set(row["at"]) for row in rows}
        assert got == {p: some for p, some in expected.items() if some}
        compared["rows"] += len(rows)
    compared["pairs"] += 1


@pytest.mark.parametrize("culprit", [{3}, {0}, {9, 2}, {4, 5, 6}, set(range(10))])
def test_the_smallest_set_that_brings_an_effect_about_is_found(culprit):
    keys = [("s", "port", n, "") for n in range(10)]
    found = smallest(keys, lambda some: culprit <= {k[2] for k in some})
    assert {k[2] for k in found} == culprit


HARMFUL = sorted(f["name"] for f in faults() if len(f["edits"]) == 1)[:15:3]


@pytest.mark.few(2)
@pytest.mark.parametrize("name", HARMFUL)
def test_one_harmful_edit_among_many_harmless_ones_is_named_alone(name, tmp_path):
    """Each planted fault of the demo, hidden among forty edits of labels and of ports nobody is on."""
    before = inkov.load(write_files(tmp_path / "before", mended()))
    files = {n: harmless(n, text) for n, text in as_found([name]).items()}
    after = inkov.load(write_files(tmp_path / "after", files))
    alone = inkov.drift(before, inkov.load(write_files(tmp_path / "alone", as_found([name]))))
    view = inkov.drift(before, after)
    assert len(view.changes) > len(alone.changes)
    assert [(t.name, t.by) for t in view.claims] == [(t.name, t.by) for t in alone.claims]
    (edit,) = next(f for f in faults() if f["name"] == name)["edits"]
    by = {
        line
        for one in (*view.claims, *(f for f in view.findings.new if f.finding.severity != "tidy"))
        for line in one.by
    }
    of = {"hosts": "host"}.get(Path(edit["file"]).stem, Path(edit["file"]).stem)
    assert {re.split("[: ]", line)[0] for line in by} <= {of}  # the switch whose file was edited, or the list of hosts
    own = {f.finding.id: f.by for f in alone.findings.new}
    assert {f.finding.id: f.by for f in view.findings.new if f.finding.id in own} == own


def harmless(name, text):
    return (
        text.replace("label: parked", "label: spare")
        .replace("records desk", "desk of records")
        .replace("reading room", "room")
    )


@pytest.mark.long
def test_drift_of_the_demo_names_what_did_what(quillfin, tmp_path):
    ran = run_inkov("drift", "mended", "as-found", cwd=quillfin)
    assert ran.code == 1
    block = next(b for b in ran.out.split("\n\n") if "card data stays apart" in b)
    assert block.splitlines() == [
        " BROKEN       card data stays apart   was proved",
        "  By   visitor-pier:u1: trunk, native 990 → trunk, native 350",
        "       watchtower-a:a4: trunk, native 990 → trunk, native 360",
        "  Way  tills → kiosks",
    ]
    assert "secret" not in ran.out
    write_files(tmp_path, as_found([HARMFUL[0]]))
    document = json.loads(run_inkov("drift", quillfin / "mended", tmp_path, "--format", "json").out)
    assert (document["inkov"], document["version"]) == ("drift", 1)
    assert {"changes", "reach", "claims", "findings", "ports"} <= document.keys()
    rows = [*document["reach"]["gained"], *document["reach"]["lost"]]
    assert all({"from", "at"} == row.keys() for row in rows)


def test_the_same_campus_has_no_drift_and_a_label_is_text_alone(quillfin, tmp_path):
    same = run_inkov("drift", "mended", "mended", cwd=quillfin)
    assert (same.code, same.out.splitlines()[-1]) == (0, "nothing that matters differs")
    write_files(tmp_path, {n: t.replace("vet desk", "desk of the vet") for n, t in mended().items()})
    ran = run_inkov("drift", quillfin / "mended", tmp_path)
    assert ran.code == 0
    assert "→" in ran.out


@pytest.fixture
def repository(tmp_path):
    """A bare clone of a repository with two revisions of a site: a trunk that carries a VLAN, and one that does not."""
    work = tmp_path / "work"
    hall = "inkov: switch\nname: hall\nvlans: {310: tanks}\nports: {1: {access: 310}, u: {trunk: LIST}}\nneighbours: {u: ward u}\n"
    ward = hall.replace("hall", "HALL").replace("ward", "hall").replace("HALL", "ward").replace("LIST", "'310'")

    def git(*args):
        told = {
            "GIT_AUTHOR_NAME": "a",
            "GIT_AUTHOR_EMAIL": "a@example.com",
            "GIT_COMMITTER_NAME": "a",
            "GIT_COMMITTER_EMAIL": "a@example.com",
        }
        subprocess.run(
            ["git", *args],
            cwd=work,
            check=True,
            capture_output=True,
            env={"PATH": "/usr/bin:/bin", "HOME": str(tmp_path), **told},
        )

    for text in ("'310'", "none"):
        write_files(work, {"site/hall.yaml": hall.replace("LIST", text), "site/ward.yaml": ward})
        if text == "'310'":
            git("init", "-q", ".")
        git("add", ".")
        git("commit", "-qm", "a change")
    git("clone", "-q", "--bare", ".", str(tmp_path / "bare"))
    return tmp_path / "bare"


def test_revisions_are_read_through_git_with_nothing_checked_out(repository):
    before = sorted(p.name for p in repository.iterdir())
    ran = run_inkov("drift", "HEAD~1:site", "HEAD:site", cwd=repository)
    assert ran.code == 1, ran.err
    assert "hall:u              list: without 310" in ran.out or "hall:u  list: without 310" in ran.out
    assert "reach lost   2 pairs of ports, 2 senders\n  By  hall:u: list: without 310\n" in ran.out
    assert sorted(p.name for p in repository.iterdir()) == before


@pytest.mark.parametrize(
    ("args", "message"),
    [
        (["HEAD~9:site", "HEAD:site"], "HEAD~9:site: there is no such file, folder or revision"),
        (["HEAD:sites", "HEAD:site"], "HEAD:sites: there is no 'sites' in revision HEAD"),
        (["--upload-pack=x", "HEAD"], ""),
        (["HEAD; rm", "HEAD"], "HEAD; rm: there is no such file or folder"),
    ],
)
def test_a_revision_that_is_not_there_is_told(repository, args, message):
    ran = run_inkov("drift", *args, cwd=repository)
    assert (ran.code, ran.out) == (2, "")
    assert not message or ran.err == f"{message}\n"


def test_a_cause_is_gone_once_it_is_taken_back(tmp_path):
    """A native VLAN moved at both ends cuts nothing; one end of it alone would have. The VLAN that was taken out does."""
    trunk = "{{trunk: '60,99', native: {0}}}"
    for side, native, vlans in (("before", 99, "60: plant, 99: x"), ("after", 60, "99: x")):
        files = {
            "a.yaml": "inkov: switch\nname: a\nvlans: {60: plant, 99: x}\n"
            f"ports: {{1: {{access: 60}}, u: {trunk.format(native)}}}\n",
            "b.yaml": f"inkov: switch\nname: b\nvlans: {{{vlans}}}\n"
            f"ports: {{u: {trunk.format(native)}, d: {trunk.format(99)}}}\nneighbours: {{u: a u, d: c u}}\n",
            "c.yaml": "inkov: switch\nname: c\nvlans: {60: plant, 99: x}\n"
            f"ports: {{1: {{access: 60}}, u: {trunk.format(99)}}}\n",
            "campus.yaml": "inkov: campus\nname: x\nsegments: {plant: {vlan: 60}}\nclaims: [{together: plant}]\n",
        }
        write_files(tmp_path / side, files)
    ran = run_inkov("drift", "before", "after", "--format", "json", cwd=tmp_path)
    (turned,) = json.loads(ran.out)["claims"]
    assert (turned["after"], turned["by"]) == ("broken", ["b: VLAN 60 is no longer defined"])
