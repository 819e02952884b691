"""The examples in the docstrings of the Python interface and in the help of commands, run on the demo as they stand."""

import doctest
import os
import shlex
import shutil
import subprocess

import pytest

import inkov
from conftest import start_inkov
from inkov.cli.app import COMMANDS


def test_examples_of_the_interface_say_what_happens(quillfin, monkeypatch):
    monkeypatch.chdir(quillfin.parent)
    names = ("load", "audit", "prove", "flood", "drift", "rehearse", "mend")
    finder, runner = doctest.DocTestFinder(), doctest.DocTestRunner()
    found = [t for n in names for t in finder.find(getattr(inkov, n), n, globs={"inkov": inkov})]
    assert [len(t.examples) > 0 for t in found] == [True] * len(names)
    for test in found:
        runner.run(test)
    assert runner.failures == 0


@pytest.fixture(scope="module")
def filled(quillfin, tmp_path_factory):
    """A folder in git with the demo, its exports as somebody has them who starts, and the proofs of the healthy campus."""
    folder = tmp_path_factory.mktemp("desk")
    shutil.copytree(quillfin, folder / "quillfin")
    shutil.copytree(quillfin / "as-found", folder / "exports")
    (folder / "exports" / "campus.yaml").unlink()
    assert start_inkov("prove", "quillfin/mended", "--certificate", "proofs", cwd=folder).code == 0
    whose = {f"GIT_{who}_{what}": "a@example" for who in ("AUTHOR", "COMMITTER") for what in ("NAME", "EMAIL")}
    for args in (["init", "-q"], ["add", "-A"], *[["commit", "-q", "--allow-empty", "-m", "a day"]] * 8):
        subprocess.run(["git", *args], cwd=folder, check=True, env={**os.environ, **whose})
    return folder


@pytest.fixture
def desk(filled, tmp_path):
    """That folder as it was filled, whatever other examples wrote into theirs."""
    return shutil.copytree(filled, tmp_path / "desk", symlinks=True)


@pytest.mark.few(15)
@pytest.mark.parametrize("name", [n for n in COMMANDS if n != "demo"])
def test_examples_of_the_help_run(name, desk):
    ran = start_inkov(*shlex.split(COMMANDS[name][1])[1:], cwd=desk)
    assert ran.code in {0, 1}, ran.err
