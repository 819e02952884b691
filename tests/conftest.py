"""What all tests share: the built program, folders of files, and quick settings for hypothesis."""

import importlib
import os
import pkgutil
import pty
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import termios
import time
import traceback
import warnings
from collections import defaultdict
from functools import cache
from pathlib import Path
from typing import NamedTuple

import pytest
from hypothesis import HealthCheck, Phase, settings

import inkov as package
from inkov.cli.app import main
from openvswitch import NOT_HERE, SCHEMA, OpenVSwitch

settings.register_profile("quick", deadline=None, max_examples=12, derandomize=True, database=None)
settings.register_profile("first", parent=settings.get_profile("quick"), phases=[Phase.generate])  # no smaller example
settings.register_profile("long", deadline=None, max_examples=600, suppress_health_check=list(HealthCheck))
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE") or "quick")

DATA = Path(__file__).parent / "data"
REALSWITCH = sorted((DATA / "realswitch").glob("campus-*"))


def pytest_addoption(parser):
    parser.addoption("--all", action="store_true", help="run long tests, and all cases of those marked few")
    parser.addoption(
        "--rewrite", action="store_true", help="write what is expected anew; read the difference before you keep it"
    )


def pytest_collection_modifyitems(config, items):
    """Leaves out long tests, and of tests marked `few(n)` all but some cases, unless all are asked for, or some by name."""
    if config.getoption("--all") or config.getoption("--rewrite") or any("::" in arg for arg in config.args):
        return
    cases = defaultdict(list)
    for item in items:
        if item.get_closest_marker("few"):
            cases[item.nodeid.partition("[")[0]].append(item)
    left_out = {item for item in items if item.get_closest_marker("long")}
    for some in cases.values():
        wanted = some[0].get_closest_marker("few").args[0]
        left_out |= set(some) - {some[n * len(some) // wanted] for n in range(min(wanted, len(some)))}
    config.hook.pytest_deselected(items=sorted(left_out, key=lambda item: item.nodeid))
    items[:] = [item for item in items if item not in left_out]


@pytest.fixture
def golden(request):
    """Compares text with a file of `tests/golden`, or writes it there when that is asked for."""

    def compare(name, text):
        path = Path(__file__).parent / "golden" / name
        if request.config.getoption("--rewrite"):
            assert "CI" not in os.environ, "what is expected is not rewritten where nobody reads it"
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, "utf-8")
        assert text == path.read_text("utf-8")

    return compare


@pytest.fixture(scope="module")
def ovs():
    """A private Open vSwitch; skips where there can be none."""
    if NOT_HERE or not SCHEMA.exists():
        pytest.skip(
            f"Open vSwitch is not installed here ({NOT_HERE or SCHEMA} is missing): nothing was compared with it"
        )
    if os.geteuid() != 0:
        pytest.skip("Open vSwitch needs root here: nothing was compared with it")
    folder = Path(tempfile.mkdtemp(prefix="ovs-", dir="/tmp"))
    running = OpenVSwitch(folder)
    yield running
    running.stop()
    shutil.rmtree(folder, ignore_errors=True)


class Ran(NamedTuple):
    code: int
    out: str
    err: str


def run_inkov(*args, cwd=None, memory=None, **env):
    """Runs the program in a copy of this process, in which all of it is loaded: most of a short run is loading.

    With a bound for its memory, or with settings that count when Python starts, it is started instead.
    """
    if memory or any(name.startswith(("PYTHON", "LC_", "LANG")) for name in env):
        return start_inkov(*args, cwd=cwd, memory=memory, **env)
    _loaded()
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        sys.stdout.flush()
        sys.stderr.flush()
        child = os.fork()
        if child == 0:
            _become_inkov(args, cwd, env, (out, err))
        ends = time.monotonic() + 120
        while (done := os.waitpid(child, os.WNOHANG)) == (0, 0):
            if time.monotonic() > ends:
                os.kill(child, signal.SIGKILL)
                os.waitpid(child, 0)
                raise subprocess.TimeoutExpired(["inkov", *map(str, args)], 120)
            time.sleep(0.003)
        texts = []
        for stream in (out, err):
            stream.seek(0)
            texts.append(stream.read().decode("utf-8").replace("\r\n", "\n"))
    return Ran(os.waitstatus_to_exitcode(done[1]), *texts)


@cache
def _loaded():
    """Loads all of the program, once."""
    for module in pkgutil.walk_packages(package.__path__, "inkov."):
        if module.name != "inkov.__main__":
            importlib.import_module(module.name)


def _become_inkov(args, cwd, env, streams):
    """Makes this process the program; it never returns."""
    try:
        for number, source in enumerate((os.open(os.devnull, os.O_RDONLY), *(s.fileno() for s in streams))):
            os.dup2(source, number)
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_DFL)
        if cwd is not None:
            os.chdir(cwd)
        os.environ.update(env)
        warnings.resetwarnings()  # those that Python hides by itself, and no others
        for hidden in (DeprecationWarning, PendingDeprecationWarning, ImportWarning, ResourceWarning):
            warnings.simplefilter("ignore", hidden)
        sys.argv = ["inkov", *map(str, args)]
        sys.stdin = os.fdopen(0, encoding="utf-8", closefd=False)
        sys.stdout = os.fdopen(1, "w", encoding="utf-8", closefd=False)
        sys.stderr = os.fdopen(2, "w", encoding="utf-8", errors="backslashreplace", buffering=1, closefd=False)
        main()
    except BaseException:
        traceback.print_exc(file=sys.stderr)
    finally:
        os._exit(99)


def start_inkov(*args, cwd=None, memory=None, **env):
    """Starts the installed program the way a user does; `memory` bounds its address space, in bytes."""
    program = Path(sys.executable).with_name("inkov")
    kept = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}  # as it runs once installed
    done = subprocess.run(
        [program, *map(str, args)],
        cwd=cwd,
        check=False,
        capture_output=True,
        text=True,
        encoding="utf-8",
        timeout=120,
        stdin=subprocess.DEVNULL,
        preexec_fn=memory and (lambda: resource.setrlimit(resource.RLIMIT_AS, (memory, memory))),
        env={**kept, "PYTHONIOENCODING": "utf-8", **env},
    )
    return Ran(done.returncode, done.stdout, done.stderr)


@pytest.fixture(scope="session", autouse=True)
def own_cache(tmp_path_factory):
    """Keeps what runs read away from the cache of whoever runs the tests."""
    os.environ["XDG_CACHE_HOME"] = str(tmp_path_factory.mktemp("cache"))
    os.environ["XDG_STATE_HOME"] = str(tmp_path_factory.mktemp("state"))


@pytest.fixture
def inkov(tmp_path):
    """Runs the program in the test's own folder."""
    return lambda *args, **env: run_inkov(*args, cwd=tmp_path, **env)


def write_files(folder, files):
    """Writes files, given as relative path to text, below a folder."""
    for name, text in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, "utf-8")
    return folder


@pytest.fixture
def site(tmp_path):
    """Writes files into the test's own folder and returns it."""
    return lambda files: write_files(tmp_path, files)


@pytest.fixture(scope="session")
def quillfin(tmp_path_factory):
    """The demo campus, written by the program."""
    folder = tmp_path_factory.mktemp("demo")
    done = run_inkov("demo", "quillfin", cwd=folder)
    assert done.code == 0, done.err
    return folder / "quillfin"


def on_screen(*args, columns, cwd=None, errors=False, **env):
    """What a command shows on a terminal of so many columns, without colours; with `errors`, all that comes there."""
    near, far = pty.openpty()
    termios.tcsetwinsize(far, (50, columns))
    run = subprocess.Popen(
        [Path(sys.executable).with_name("inkov"), *map(str, args)],
        stdout=far,
        stderr=far if errors else subprocess.DEVNULL,
        cwd=cwd,
        env={**os.environ, "NO_COLOR": "1", **env},
    )
    os.close(far)
    said = b""
    while True:
        try:
            part = os.read(near, 65536)
        except OSError:
            break
        if not part:
            break
        said += part
    os.close(near)
    run.wait()
    return said.decode("utf-8").replace("\r\n", "\n")
