"""The same question about the same files is answered from what was kept, and any other question is not."""

import json
import shutil
from hashlib import blake2b
from pathlib import Path

import pytest

from conftest import run_inkov, write_files

SWITCH = "inkov: switch\nname: s{n}\nvlans: {{10: , 20: }}\nports: {{1-8: {{access: 10}}, 9: {{access: {last}}}}}\n"
MANY = 300


@pytest.fixture(scope="module")
def large(tmp_path_factory):
    """A site that is worth remembering, and the folder of what is kept of it."""
    folder = tmp_path_factory.mktemp("large")
    files = {f"in/s{n}.yaml": SWITCH.format(n=n, last=30 if n == 7 else 20) for n in range(MANY)}
    return write_files(folder, files)


@pytest.fixture
def ask(large, tmp_path):
    """Asks about a copy of the site, with a cache of its own."""
    shutil.copytree(large / "in", tmp_path / "in")
    return lambda *args, **env: run_inkov(*args, cwd=tmp_path, XDG_CACHE_HOME=str(tmp_path / "cache"), **env)


def answers(tmp_path):
    return sorted((tmp_path / "cache").rglob("*.answer"))


def marked(path, said="from what was kept\n"):
    """Puts something else in the place of an answer, so that it shows when it is given."""
    body = json.dumps([said, "", 0]).encode()
    path.write_bytes(blake2b(body, digest_size=32).digest() + body)


def test_the_same_question_is_answered_as_before(ask, tmp_path):
    first = ask("audit", "in")
    assert first.code == 1
    assert "access/undefined" in first.out
    (kept,) = answers(tmp_path)
    assert kept.stat().st_mode & 0o077 == 0
    assert ask("audit", "in") == first
    marked(kept)
    assert ask("audit", "in").out == "from what was kept\n"
    assert ask("audit", "in", "--no-cache") == first


def test_another_question_is_not(ask, tmp_path):
    first = ask("audit", "in")
    marked(answers(tmp_path)[0])
    others = [
        ask("audit", "in", "--format", "csv"),
        ask("audit", "in", "--fail-on", "breach"),
        ask("audit", "in", COLUMNS="70"),
        ask("audit", str(tmp_path / "in")),
        ask("audit", "in", "-o", "out.txt"),
    ]
    assert all("from what was kept" not in ran.out for ran in others)
    assert (tmp_path / "out.txt").read_text() == first.out
    assert ask("audit", "in").out == "from what was kept\n"


@pytest.mark.few(3)
@pytest.mark.parametrize("what", ["changed", "new", "gone", "renamed", "linked", "hidden stays"])
def test_files_that_are_not_the_same_ask_anew(ask, tmp_path, what):
    ask("audit", "in")
    marked(answers(tmp_path)[0])
    own = tmp_path / "in/s7.yaml"
    match what:
        case "changed":
            own.write_text(own.read_text().replace("access: 30", "access: 20"))
        case "new":
            (tmp_path / "in/more.yaml").write_text(SWITCH.format(n="x", last=20))
        case "gone":
            own.unlink()
        case "renamed":
            own.rename(own.with_name("other.yaml"))
        case "linked":
            own.rename(tmp_path / "elsewhere.yaml")
            own.symlink_to(tmp_path / "elsewhere.yaml")
        case "hidden stays":
            (tmp_path / "in/.git").mkdir()
            (tmp_path / "in/.git/s1.yaml").write_text("nothing that is read")
    again = ask("audit", "in")
    assert (again.out == "from what was kept\n") is (what == "hidden stays")
    if what in {"changed", "gone"}:
        assert "access/undefined" not in again.out


@pytest.mark.few(2)
@pytest.mark.parametrize("harm", ["damaged", "of another kind", "not ours", "of a folder that is open"])
def test_an_answer_that_does_not_fit_is_none(ask, tmp_path, harm):
    first = ask("audit", "in")
    (kept,) = answers(tmp_path)
    marked(kept)
    match harm:
        case "damaged":
            kept.write_bytes(kept.read_bytes().replace(b"kept", b"left"))
        case "of another kind":
            body = b'{"out": "from what was kept"}'
            kept.write_bytes(blake2b(body, digest_size=32).digest() + body)
        case "not ours":
            kept.chmod(0o666)
        case "of a folder that is open":
            kept.parent.chmod(0o777)
    again = ask("audit", "in")
    assert (again.code, again.out) == (first.code, first.out)


def test_a_run_that_could_not_read_a_file_is_not_kept(ask, tmp_path):
    (tmp_path / "in/broken.yaml").write_text("inkov: switch\nname: [\n")
    assert ask("audit", "in").code == 2
    assert answers(tmp_path) == []


@pytest.mark.long
def test_few_answers_are_kept(ask, tmp_path):
    for width in range(60, 69):
        assert ask("vlans", "in", COLUMNS=str(width)).code == 0
    assert 0 < len(answers(tmp_path)) <= 8


@pytest.mark.long
@pytest.mark.parametrize("side", ["in", "other"])
def test_a_comparison_hangs_on_the_files_of_both_sides(ask, tmp_path, side):
    shutil.copytree(tmp_path / "in", tmp_path / "other")
    with (tmp_path / "other/s3.yaml").open("a") as file:
        file.write("role: edge\n")
    assert "s3  role" in ask("drift", "in", "other").out
    marked(answers(tmp_path)[0])
    assert ask("drift", "in", "other").out == "from what was kept\n"
    assert "from what was kept" not in ask("drift", "other", "in").out
    changed = tmp_path / side / "s5.yaml"
    changed.write_text(changed.read_text().replace("access: 20", "access: 10"))
    again = ask("drift", "in", "other")
    assert again.code == 1
    assert "s5:9" in again.out


def test_what_hangs_on_more_than_the_files_of_a_folder_is_not_kept(ask, tmp_path):
    (tmp_path / "new.yaml").write_text("inkov: switch\nname: new\nvlans: {10: }\nports: {1: {access: 10}}\n")
    assert ask("rehearse", "in", "--add", "new.yaml").code == 0
    assert answers(tmp_path) == []


WATCHED = """
import os, sys
from inkov.cli import options
options._WORTH_KEEPING = 0
log = open(os.environ["OPENED"], "a")
def note(event, args):
    if event == "open" and isinstance(args[0], str) and args[1] == "r":
        log.write(os.path.abspath(args[0]) + "\\n")
        log.flush()
sys.addaudithook(note)
"""
SMALL = "inkov: switch\nname: {}\nvlans: {{10: desks}}\nports: {{1: {{access: 10}}, 2: {{access: 20}}}}\n"


@pytest.mark.long
def test_whatever_file_a_run_opened_is_part_of_the_question(tmp_path):
    files = {
        "in/campus.yaml": "inkov: campus\nname: x\nswitches: ['sw/*.yaml', '.more/*.yaml']\n"
        "hosts: .lists/more.csv\nsegments: {desks: {vlan: 10}}\n",
        "in/sw/a.yaml": SMALL.format("a"),
        "in/.more/b.yaml": SMALL.format("b"),
        "in/.other/c.yaml": SMALL.format("c"),
        "in/.lists/more.csv": "host,switch,port\ndesk,b,1\n",
    }
    site = write_files(tmp_path, files) / "in"
    (site / "sw" / "c.yaml").symlink_to("../.other/c.yaml")
    write_files(tmp_path, {"watch/sitecustomize.py": WATCHED})
    env = {
        "PYTHONPATH": str(tmp_path / "watch"),
        "OPENED": str(tmp_path / "opened"),
        "XDG_CACHE_HOME": str(tmp_path / "cache"),
    }
    run_inkov("audit", site, **env)
    opened = {p for line in (tmp_path / "opened").read_text().splitlines() if site in (p := Path(line)).parents}
    assert {str(p.resolve().relative_to(site.resolve())) for p in opened} >= {n.removeprefix("in/") for n in files}
    for path in sorted(opened):
        was = path.read_bytes()
        path.write_bytes(was + b"\nbroken: [\n")
        assert run_inkov("audit", site, **env) == run_inkov("audit", site, "--no-cache", **env), path
        path.write_bytes(was)
