"""What the machine may do to a run: no rights, a clock that is wrong, files that change while they are read, odd screens."""

import os
import shutil
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from conftest import on_screen, run_inkov, write_files

INKOV = Path(sys.executable).with_name("inkov")
SWITCH = (
    "inkov: switch\nname: {0}\nvlans: {{10: desks}}\nrouting: false\nports: {{1: {{access: 10}}, 2: {{access: 20}}}}\n"
)
PLAIN = ["setpriv", "--bounding-set=-all", "--inh-caps=-all"] if os.geteuid() == 0 else []


@pytest.fixture
def site(tmp_path):
    return write_files(tmp_path, {f"site/{n}.yaml": SWITCH.format(n) for n in "abc"}) / "site"


def as_user(*args, cwd, home):
    """Runs the program without the rights of the super-user, and with a home folder that cannot be written to."""
    if PLAIN and not shutil.which(PLAIN[0]):
        pytest.skip("there is no setpriv here to give up rights with")
    env = {k: v for k, v in os.environ.items() if not k.startswith("XDG_")} | {"HOME": str(home)}
    return subprocess.run([*PLAIN, INKOV, *args], cwd=cwd, check=False, capture_output=True, text=True, env=env)


def test_an_ordinary_user_is_told_what_cannot_be_read_or_written(site, tmp_path):
    home = tmp_path / "home"
    home.mkdir(mode=0o555)
    (site / "b.yaml").chmod(0)
    (site / "closed").mkdir(mode=0)
    ran = as_user("prove", "site", "--claim", "apart 10 20", cwd=tmp_path, home=home)
    unread = "b.yaml: cannot be read: Permission denied\nclosed: cannot be read: Permission denied\n"
    assert (ran.returncode, "".join(sorted(ran.stderr.splitlines(keepends=True)))) == (2, unread)
    (site / "b.yaml").chmod(0o644)
    (site / "closed").rmdir()
    for command in (["audit", "site", "-o"], ["map", "site", "-o"]):
        name = f"{command[0]}.svg"
        assert as_user(*command, name, cwd=tmp_path, home=home).returncode in {0, 1}
        assert (tmp_path / name).stat().st_size
        refused = as_user(*command, f"home/{name}", cwd=tmp_path, home=home)
        assert (refused.returncode, refused.stderr) == (2, f"home/{name}: cannot be written: Permission denied\n")
    assert not [*home.iterdir()]


def test_a_clock_that_goes_backwards_changes_no_answer(site, tmp_path):
    """What is kept is judged by content: files that come from the future, or are older than what was kept of them."""
    before = run_inkov("audit", site)
    for path, seconds in zip(sorted(site.iterdir()), (0, 2**33, -(2**31)), strict=True):
        os.utime(path, (seconds, seconds))
    assert run_inkov("audit", site) == before
    (site / "a.yaml").write_text(SWITCH.format("a").replace("access: 20", "access: 10"))
    os.utime(site / "a.yaml", (0, 0))
    assert "a:2" in before.out
    assert "a:2" not in run_inkov("audit", site).out


def test_files_that_grow_and_are_replaced_meanwhile_end_in_words(site):
    """Whatever is seen of them: a whole state, or an error with the file; never a traceback, never an answer that is kept."""
    stop = threading.Event()

    def rewrite():
        path = site / "a.yaml"
        while not stop.is_set():
            with path.open("a") as file:
                file.write("# more\n" * 500)
            (site / "new").write_text(SWITCH.format("a"))
            (site / "new").replace(path)
            path.unlink()
            path.write_text(SWITCH.format("a")[:40])

    writer = threading.Thread(target=rewrite)
    writer.start()
    try:
        for _ in range(6):
            ran = run_inkov("audit", site)
            assert ran.code in {0, 1, 2}, ran.err
            assert "bug of Inkov" not in ran.err
    finally:
        stop.set()
        writer.join()
    (site / "a.yaml").write_text(SWITCH.format("a"))
    assert run_inkov("audit", site) == run_inkov("audit", site, "--no-cache")


@pytest.mark.parametrize("command", [["audit"], ["prove", "--claim", "apart 10 20"], ["ports"], ["vlans"], ["sources"]])
def test_on_twenty_columns_nothing_is_lost_or_coloured_against_ones_will(site, command):
    """Rows of tables may be cut at the edge of a screen; words of findings and proofs may not."""
    narrow = on_screen(command[0], site, *command[1:], columns=20)
    assert "\x1b[" not in narrow
    if command[0] in {"audit", "prove"}:
        wide = run_inkov(command[0], site, *command[1:]).out
        assert sorted("".join(narrow.split())) == sorted("".join(wide.split()))
