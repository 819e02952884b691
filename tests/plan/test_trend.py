"""`history`: the last revisions of a campus, what each opened and closed, and which one broke a claim."""

import io
import json
import re
import shutil
import subprocess
from xml.etree import ElementTree as ET

import html5lib
import pytest
from PIL import Image

from conftest import run_inkov
from inkov.change.history import TrendRow, TrendView, TurnRow
from inkov.render.page import to_text
from inkov.render.screens.trend_text import trend_junit, trend_markdown, trend_text

NAME = "card data stays apart"


@pytest.fixture(scope="module")
def repository(quillfin, tmp_path_factory):
    """Five revisions: well; natives wrong at the pier; a VLAN gone; half an edit; the edit undone."""
    folder = tmp_path_factory.mktemp("trend")
    found, site = quillfin / "as-found", folder / "site"

    def git(*args):
        subprocess.run(
            ["git", "-c", "user.email=a@example", "-c", "user.name=a", *args],
            cwd=folder,
            check=True,
            capture_output=True,
        )

    def commit(subject, *names):
        for name in names:
            shutil.copy(found / name, site / name)
        git("add", "-A")
        git("commit", "-qm", subject)

    if shutil.which("git") is None:
        pytest.skip("git is not installed here: no revision was read")
    shutil.copytree(quillfin / "mended", site)
    git("init", "-q", ".")
    commit("all well")
    commit("natives", "switches/visitor-pier.yaml", "exports/watchtower-a.json")
    commit("tidied", "switches/kelp-hall-2.yaml")
    (site / "switches" / "crane.yaml").write_text("x: [")
    commit("half an edit")
    shutil.copy(quillfin / "mended" / "switches" / "crane.yaml", site / "switches" / "crane.yaml")
    commit("undone")
    return folder


@pytest.mark.long
def test_a_revision_alone_is_the_other_side_as_it_was_from_wherever_one_looks(repository):
    first = run_inkov("drift", "HEAD~4:site", "site", "--format", "json", cwd=repository)
    assert first.code == 1
    before = json.loads(first.out)
    for folder, site in ((repository, "site"), (repository / "site" / "exports", "..")):
        again = run_inkov("drift", "HEAD~4", site, "--format", "json", cwd=folder)
        assert json.loads(again.out)["changes"] == before["changes"] != []
        log = rows(run_inkov("history", site, "--last", "2", "--format", "json", cwd=folder))
        assert [r["subject"] for r in log] == ["half an edit", "undone"]
    back = run_inkov("drift", "site", "HEAD~4", "--format", "json", cwd=repository)
    assert len(json.loads(back.out)["changes"]) == len(before["changes"])


def test_what_is_wrong_in_a_revision_is_told_under_its_name(repository):
    ran = run_inkov("drift", "HEAD~1", "site", cwd=repository)
    assert ran.code == 2
    assert ran.err.startswith("switches/crane.yaml: this is not a configuration; ")
    folder = twofold(repository)
    twice = run_inkov("drift", "HEAD:", "site", cwd=folder)
    assert twice.err == "HEAD:: several campus files (copy/campus.yaml, site/campus.yaml); name the one that is meant\n"
    hidden = run_inkov("drift", "HEAD", ".lab/site", cwd=folder)
    assert (hidden.code, hidden.out.splitlines()[-1]) == (0, "nothing that matters differs")


def twofold(repository):
    """A clone with the site in it twice, and once more where nobody looks."""
    folder = repository.parent / "twofold"
    subprocess.run(["git", "clone", "-q", repository, folder], check=True)
    for name in ("copy", ".lab/site"):
        shutil.copytree(folder / "site", folder / name)
    for args in (["add", "-A"], ["-c", "user.email=a@example", "-c", "user.name=a", "commit", "-qm", "twice"]):
        subprocess.run(["git", *args], cwd=folder, check=True)
    return folder


def rows(done):
    assert done.code == 0, done.err
    return json.loads(done.out)["rows"]


def test_each_revision_tells_what_it_opened_closed_and_turned(repository):
    found = rows(run_inkov("history", "site", "--last", "10", "--format", "json", cwd=repository))
    assert [r["subject"] for r in found] == ["all well", "natives", "tidied", "half an edit", "undone"]
    assert [sum(r["counts"].values()) for r in found][:3] == [0, 6, 9]
    assert [(r["opened"], r["closed"]) for r in found][:3] == [(0, 0), (6, 0), (3, 0)]
    assert f"{NAME}: proved → broken" in found[1]["turned"]
    assert found[2]["turned"] == ["patient records are one: proved → broken"]
    assert [r["oldest"] for r in found] == [0, 0, 1, 2, 3]


@pytest.mark.long
def test_the_revision_that_broke_a_claim_is_named(repository):
    done = run_inkov("history", "site", "--last", "10", "--claim", NAME, cwd=repository)
    broke = json.loads(
        run_inkov("history", "site", "--last", "10", "--claim", NAME, "--format", "json", cwd=repository).out
    )["broke"]
    log = subprocess.run(
        ["git", "log", "--format=%h %s"], cwd=repository, check=True, capture_output=True, text=True
    ).stdout
    assert f"{broke} natives" in log.splitlines()
    assert f"'{NAME}' no longer holds since {broke}" in done.out.splitlines()


@pytest.mark.long
def test_each_turn_of_a_claim_is_told_with_the_edit_that_did_it(repository):
    asked = ("history", "site", "--last", "10", "--claim", NAME)
    turns = json.loads(run_inkov(*asked, "--format", "json", cwd=repository).out)["turns"]
    shown = [(t["subject"], t["before"], t["after"]) for t in turns]
    assert shown == [("natives", "proved", "broken")]
    assert turns[0]["by"] == [
        "visitor-pier:u1: trunk, native 990 → trunk, native 350",
        "watchtower-a:a4: trunk, native 990 → trunk, native 360",
    ]


def test_turns_are_told_in_every_format():
    rows = tuple(
        TrendRow(
            name,
            "2026-11-01",
            subject,
            dict.fromkeys(("breach", "outage", "risk", "tidy"), 0),
            {"c": now},
            0,
            0,
            turned,
            0,
            "",
        )
        for name, subject, now, turned in (
            ("a1", "well", "proved", ()),
            ("b2", "edit", "broken", ("c: proved → broken",)),
        )
    )
    view = TrendView(
        "x", rows, "c", "b2", (TurnRow("b2", "2026-11-01", "edit", "proved", "broken", ("p:1: on", "p:2: on")),)
    )
    assert to_text(trend_text(view)).splitlines()[-4:] == [
        "'c' no longer holds since b2",
        "",
        "revision  date        verdict          edits that did it",
        "b2        2026-11-01  proved → broken  p:1: on; p:2: on",
    ]
    assert trend_markdown(view).splitlines()[-5:] == [
        "'c' no longer holds since b2",
        "",
        "| revision | verdict | edits that did it |",
        "| --- | --- | --- |",
        "| b2 | proved → broken | p:1: on<br>p:2: on |",
    ]
    suite = ET.fromstring(trend_junit(view))[0]
    assert [(c.get("name"), [f.text for f in c]) for c in suite] == [("a1 well", []), ("b2 edit", ["p:1: on; p:2: on"])]


@pytest.mark.long
def test_from_within_the_folder_it_is_the_same(repository):
    outside = rows(run_inkov("history", "site", "--last", "3", "--format", "json", cwd=repository))
    assert rows(run_inkov("history", ".", "--last", "3", "--format", "json", cwd=repository / "site")) == outside


@pytest.mark.long
@pytest.mark.parametrize("kind", ["png", "svg"])
def test_the_figure_is_the_same_twice(repository, tmp_path, kind):
    made = []
    for n in range(2):
        out = tmp_path / f"{n}.{kind}"
        assert run_inkov("history", "site", "--last", "2", "--format", kind, "-o", out, cwd=repository).code == 0
        made.append(out.read_bytes())
    assert made[0] == made[1]
    if kind == "png":
        assert Image.open(io.BytesIO(made[0])).size[0] > 600
    else:
        assert NAME in made[0].decode()


@pytest.mark.parametrize(
    ("args", "said"),
    [
        (("nowhere", "--last", "3"), "nowhere: there is no such file or folder"),
        (("site", "--last", "3", "--claim", "card data stays apar"), f"did you mean '{NAME}'?"),
        (("site", "--last", "3", "--format", "png"), "a figure is written to a file; name the file with -o"),
        (("site", "--last", "0"), "greater than or equal to 1"),
    ],
)
def test_what_cannot_be_told_is_said(repository, args, said):
    done = run_inkov("history", *args, cwd=repository)
    assert done.code == 2
    assert said in " ".join(done.err.split())


def test_a_folder_outside_of_git_is_an_error(quillfin, tmp_path):
    shutil.copytree(quillfin / "mended", tmp_path / "site")
    done = run_inkov("history", "site", "--last", "3", cwd=tmp_path, GIT_CEILING_DIRECTORIES=str(tmp_path.parent))
    assert (done.code, done.err) == (2, "site: is not in a git repository\n")


@pytest.mark.long
def test_the_report_shows_the_same_revisions(repository, tmp_path):
    done = run_inkov("report", "site", "--history", "3", "-o", tmp_path / "r.html", cwd=repository)
    assert done.code == 0, done.err
    text = (tmp_path / "r.html").read_text("utf-8")
    html5lib.HTMLParser(strict=True).parse(text)
    found = rows(run_inkov("history", "site", "--last", "3", "--format", "json", cwd=repository))
    section = re.search(r'<section aria-labelledby="trend">.*?</section>\s*<p>', text, re.DOTALL)[0]
    shown = re.findall(r"<tr><td>(\w+)</td><td>[\d-]+</td><td>([\w ]+)</td>((?:<td class=\"n\">\d+</td>)+)", section)
    assert [(r, s) for r, s, _ in shown] == [(r["revision"], r["subject"]) for r in reversed(found)]
    for (*_, cells), row in zip(shown, reversed(found), strict=True):
        assert [int(n) for n in re.findall(r">(\d+)<", cells)] == [
            *row["counts"].values(),
            row["opened"],
            row["closed"],
        ]
    totals = [int(n) for n in re.findall(r"<text [^>]*>(\d+)</text>", section)]
    assert totals == [sum(r["counts"].values()) for r in found]
    assert "style=" not in section
