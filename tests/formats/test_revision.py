"""Revisions of git are read as their objects are: no attribute, filter, link or program of the tree has a say."""

import json
import os
import shutil
import subprocess
from pathlib import Path

import pytest

from conftest import run_inkov

SWITCH = (
    "inkov: switch\nname: {0}\nvlans: {{10: , 20: }}\nrouting: false\nports: {{1: {{access: 10}}, 2: {{access: 20}}}}\n"
)


def git(folder, *args, data=None):
    told = {f"GIT_{who}_{what}": "a@example.com" for who in ("AUTHOR", "COMMITTER") for what in ("NAME", "EMAIL")}
    env = {**os.environ, **told}
    done = subprocess.run(["git", *args], cwd=folder, check=True, capture_output=True, env=env, input=data)
    return done.stdout.decode().strip()


@pytest.fixture
def repository(tmp_path):
    if shutil.which("git") is None:
        pytest.skip("git is not installed here: no revision was read")
    folder = tmp_path / "repository"
    (folder / "site").mkdir(parents=True)
    for name in ("a", "b"):
        (folder / "site" / f"{name}.yaml").write_text(SWITCH.format(name))
    git(folder, "init", "-q", ".")
    git(folder, "add", "-A")
    git(folder, "commit", "-qm", "first")
    return folder


def commit(folder, **files):
    for name, data in files.items():
        (folder / name.replace("__", "/")).write_bytes(data)
    git(folder, "add", "-A")
    git(folder, "commit", "-qm", "more")


def drift(folder, *sides):
    return run_inkov("drift", *sides, cwd=folder)


@pytest.mark.few(3)
@pytest.mark.parametrize(
    "attributes",
    ["site/b.yaml export-ignore\n", "*.yaml working-tree-encoding=UTF-16\n", "*.yaml export-subst\n", "*.yaml ident\n"],
)
def test_attributes_of_a_tree_hide_and_change_nothing(repository, attributes):
    (repository / "site" / "b.yaml").unlink()
    git(repository, "rm", "-q", "--cached", "site/b.yaml")
    git(repository, "commit", "-qm", "without b")
    (repository / "site" / "b.yaml").write_text(SWITCH.format("b"))
    (repository / ".gitattributes").write_text(attributes)
    (repository / "site" / ".gitattributes").write_text(attributes.replace("site/", ""))
    git(repository, "add", "-Af") if "UTF-16" not in attributes else git(
        repository, "add", "-Af", "site/.gitattributes"
    )
    blob = git(repository, "hash-object", "-w", "--no-filters", "site/b.yaml")
    git(repository, "update-index", "--add", "--cacheinfo", f"100644,{blob},site/b.yaml")
    git(repository, "commit", "-qm", "b again")
    ran = drift(repository, "HEAD~1:site", "HEAD:site", "--format", "json")
    assert ran.code == 1
    assert [(c["at"], c["what"]) for c in json.loads(ran.out)["changes"]] == [("b", "is new")]


def test_programs_that_a_repository_names_are_not_started(repository, tmp_path):
    started = tmp_path / "started"
    script = tmp_path / "script"
    script.write_text(f"#!/bin/sh\necho x >> {started}\ncat\n")
    script.chmod(0o755)
    (repository / ".git" / "info").mkdir(exist_ok=True)
    (repository / ".git" / "info" / "attributes").write_text("*.yaml filter=x diff=x\n")
    for key in (
        "filter.x.smudge",
        "filter.x.clean",
        "diff.x.textconv",
        "core.fsmonitor",
        "core.pager",
        "tar.tar.command",
    ):
        git(repository, "config", key, str(script))
    ran = drift(repository, "HEAD", "site")
    assert (ran.code, ran.out.splitlines()[-1]) == (0, "nothing that matters differs")
    assert run_inkov("history", "site", "--last", "3", cwd=repository).code == 0
    assert not started.exists()


def test_what_is_not_read_is_named(repository, tmp_path):
    outside = tmp_path / "outside.yaml"
    outside.write_text(SWITCH.format("c"))
    (repository / "site" / "c.yaml").symlink_to(outside)
    (repository / "site" / "notes").symlink_to("/")
    (repository / "site" / "d.yaml").write_bytes(
        b"version https://git-lfs.github.com/spec/v1\noid sha256:00\nsize 12345\n"
    )
    git(repository, "add", "-A")
    git(repository, "update-index", "--add", "--cacheinfo", f"160000,{git(repository, 'rev-parse', 'HEAD')},site/sub")
    git(repository, "commit", "-qm", "odd ones")
    ran = drift(repository, "HEAD:site", "HEAD~1:site")
    assert (ran.code, ran.out) == (2, "")
    assert ran.err.splitlines() == [
        "HEAD:site/c.yaml: not read: it is a link, and links of revisions are not followed",
        "HEAD:site/d.yaml: not read: it stands for a file in a store of large files",
        "HEAD:site/sub: not read: it is a submodule, whose files are in another repository",
    ]


@pytest.mark.long
def test_a_tree_that_says_more_than_it_holds_is_refused_at_once(repository):
    """Ten trees, each of which names the one before ten times: 10^10 files in two kilobytes."""
    tree = git(repository, "rev-parse", "HEAD:site")
    for _ in range(10):
        rows = "".join(f"040000 tree {tree}\t{n}\n" for n in range(10))
        tree = git(repository, "mktree", data=rows.encode())
    bomb = git(repository, "commit-tree", tree, "-m", "bomb")
    ran = drift(repository, f"{bomb}:", "site")
    assert (ran.code, ran.out) == (2, "")
    assert ran.err == (
        f"{bomb}:: cannot be read by git, or lists too many files; name the folder of the site, as REV:path\n"
    )


def test_paths_that_are_no_text_or_lead_out_are_named(repository):
    blob = git(repository, "rev-parse", "HEAD:site/a.yaml")
    tree = git(repository, "mktree", "-z", data=b"100644 blob " + blob.encode() + b"\tcaf\xe9.yaml\0")
    made = git(repository, "commit-tree", tree, "-m", "x")
    ran = drift(repository, f"{made}:", "site")
    assert (ran.code, ran.err) == (2, f"{made}:/caf\\xe9.yaml: this path is not UTF-8 text; rename the file\n")
    raw = b"100644 ..\0" + bytes.fromhex(blob)
    tree = git(repository, "hash-object", "-t", "tree", "-w", "--literally", "--stdin", data=raw)
    made = git(repository, "commit-tree", tree, "-m", "x")
    ran = drift(repository, f"{made}:", "site")
    assert (ran.code, ran.err) == (2, f"{made}:/..: this path leads out of its folder\n")


def test_a_shallow_clone_is_told_for_what_it_is(repository, tmp_path):
    commit(repository, site__a=b"")
    git(tmp_path, "clone", "-q", "--depth", "1", f"file://{repository}", "shallow")
    ran = drift(tmp_path / "shallow", "HEAD~1", "site")
    assert (ran.code, ran.err) == (
        2,
        "HEAD~1: there is no such file, folder or revision; this clone holds the last revisions only: "
        "'git fetch --unshallow' gets the others\n",
    )


@pytest.mark.skipif(os.geteuid() != 0, reason="only root gives a repository to somebody else: ownership was not tried")
def test_a_repository_of_somebody_else_is_told_for_what_it_is(repository):
    for where, folders, files in os.walk(repository):
        for name in (".", *folders, *files):
            os.chown(Path(where) / name, 65534, 65534, follow_symlinks=False)
    ran = run_inkov("drift", "HEAD", "site", cwd=repository, HOME=str(repository))
    assert ran.code == 2
    assert ran.err.startswith("HEAD: git does not read ")
    assert "which belongs to another user; if you trust it: git config --global --add safe.directory " in ran.err
