"""What somebody wrote is never written over, by whichever command, and what Inkov wrote is replaced only while it is as it was."""

import os
import resource
import subprocess
import sys
from pathlib import Path

import pytest

from conftest import run_inkov, write_files

SWITCH = (
    "inkov: switch\nname: {0}\nvlans: {{10: , 20: }}\nrouting: false\nports: {{1: {{access: 10}}, 2: {{access: 20}}}}\n"
)
THEIRS = "is there already, and Inkov did not write it or somebody has changed it since; name another file"


@pytest.fixture
def site(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    return write_files(tmp_path / "work", {f"site/{n}.yaml": SWITCH.format(n) for n in "ab"})


WRITERS = [
    (["audit", "site", "-o"], "x.txt"),
    (["ports", "site", "--format", "csv", "-o"], "x.csv"),
    (["vlans", "site", "--format", "json", "-o"], "x.json"),
    (["report", "site", "-o"], "x.html"),
    (["report", "site", "-o"], "x.xlsx"),
    (["map", "site", "-o"], "x.svg"),
    (["map", "site", "-o"], "x.png"),
    (["drift", "site", "site", "-o"], "x.md"),
    (["draft", "site", "-o"], "x.yaml"),
    (["audit", "site", "--write-baseline"], "x.baseline"),
]


@pytest.mark.few(2)
@pytest.mark.parametrize(("command", "name"), WRITERS, ids=lambda v: " ".join(v) if isinstance(v, list) else v)
def test_every_writer_leaves_alone_what_it_did_not_write(site, command, name):
    path = site / name
    path.write_text("mine")
    refused = run_inkov(*command, name, cwd=site)
    assert (refused.code, path.read_text()) == (2, "mine")
    assert refused.err.splitlines()[-1] == f"{name}: {THEIRS}"
    path.unlink()
    for _ in range(2):
        ran = run_inkov(*command, name, cwd=site)
        if name == "x.yaml" and ran.code == 2:  # a campus file now, which may hold what somebody will write
            assert ran.err.splitlines()[-1].startswith("x.yaml: holds a configuration")
            return
        assert ran.code in {0, 1}, ran.err
    with path.open("ab") as file:
        file.write(b" ")
    before = path.read_bytes()
    assert run_inkov(*command, name, cwd=site).code == 2
    assert path.read_bytes() == before


def test_nothing_but_a_baseline_replaces_a_baseline_and_it_travels(site, tmp_path, monkeypatch):
    assert run_inkov("audit", "site", "--write-baseline", "b.json", cwd=site).code in {0, 1}
    ran = run_inkov("audit", "site", "-o", "b.json", cwd=site)
    assert (ran.code, ran.err.splitlines()[-1]) == (
        2,
        "b.json: holds a baseline, which this would write over; name another file",
    )
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "elsewhere"))
    assert run_inkov("audit", "site", "--write-baseline", "b.json", cwd=site).code in {0, 1}
    (site / "b.json").write_text((site / "b.json").read_text().replace('"findings"', '"findings" '))
    ran = run_inkov("audit", "site", "--write-baseline", "b.json", cwd=site)
    assert (ran.code, ran.err.splitlines()[-1]) == (2, f"b.json: {THEIRS}")


def test_a_certificate_never_replaces_what_is_none(site):
    command = ("prove", "site", "--claim", "apart 10 20 layer 2", "--certificate", "proofs")
    assert run_inkov(*command, cwd=site).code == 0
    (made,) = (site / "proofs").iterdir()
    assert run_inkov(*command, cwd=site).code == 0
    made.write_text("mine")
    ran = run_inkov(*command, cwd=site)
    assert (ran.code, made.read_text()) == (2, "mine")
    assert ran.err.splitlines()[-1] == f"proofs/{made.name}: {THEIRS}"


def test_convert_takes_a_folder_only_where_it_holds_nothing_else(site):
    command = ("convert", "site", "-o", "out")
    assert [run_inkov(*command, cwd=site).code for _ in range(2)] == [0, 0]
    (site / "site" / "b.yaml").unlink()
    assert run_inkov(*command, cwd=site).code == 0
    assert [p.name for p in (site / "out").iterdir()] == ["a.yaml"]
    (site / "out" / "notes").write_text("mine")
    ran = run_inkov(*command, cwd=site)
    assert (ran.code, ran.err) == (
        2,
        "out: is there already, and holds notes, which Inkov did not write so; name a new folder\n",
    )
    (site / "out" / "notes").unlink()
    assert run_inkov("convert", "out", "-o", "out", cwd=site).code == 2


def test_a_file_that_was_read_is_refused_through_a_link_too(site):
    (site / "link").symlink_to("site/a.yaml")
    before = (site / "site" / "a.yaml").read_text()
    ran = run_inkov("ports", "site", "-o", "link", cwd=site)
    assert (ran.code, ran.err) == (2, "link: was read by this run, which would write over it; name another file\n")
    assert (site / "site" / "a.yaml").read_text() == before


def test_what_a_link_leads_to_is_replaced_whole_and_the_link_stays(site):
    for _ in range(2):
        assert run_inkov("ports", "site", "-o", "real.txt", cwd=site).code == 0
        if not (site / "link.txt").is_symlink():
            (site / "link.txt").symlink_to("real.txt")
        number = (site / "real.txt").stat().st_ino
        assert run_inkov("ports", "site", "-o", "link.txt", cwd=site).code == 0
        assert (site / "link.txt").is_symlink()
        assert (site / "real.txt").stat().st_ino != number


@pytest.mark.few(1)
@pytest.mark.parametrize(
    "command", [["ports", "site", "-o"], ["audit", "site", "--write-baseline"], ["map", "site", "-o"]]
)
def test_on_a_full_disk_what_a_link_leads_to_stays_whole(site, command):
    """The limit of a file's size stands for the disk; nothing else is left behind either."""
    (site / "far").mkdir()
    (site / "x.svg").symlink_to("far/x.svg")
    assert run_inkov(*command, "x.svg", cwd=site).code in {0, 1}
    (whole,) = (site / "far").iterdir()
    before = whole.read_bytes()
    ran = subprocess.run(
        [Path(sys.executable).with_name("inkov"), *command, "x.svg", "--no-cache"],
        cwd=site,
        check=False,
        capture_output=True,
        text=True,
        preexec_fn=lambda: resource.setrlimit(resource.RLIMIT_FSIZE, (9, 9)),
    )
    where = (site / "far" / "x.svg").as_posix()
    assert (ran.returncode, ran.stderr) == (2, f"{where}: cannot be written: {os.strerror(27)}\n")
    assert ([*(site / "far").iterdir()], whole.read_bytes()) == ([whole], before)
    assert (site / "x.svg").is_symlink()


@pytest.mark.few(2)
@pytest.mark.parametrize(("command", "_"), WRITERS[:1] + WRITERS[7:])
def test_a_link_that_leads_to_itself_is_told(site, command, _):
    (site / "x.md").symlink_to("x.md")
    ran = run_inkov(*command, "x.md", cwd=site)
    assert (ran.code, ran.err) == (2, f"x.md: cannot be written: {os.strerror(40)}\n")
