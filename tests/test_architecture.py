"""The house rules: arrows point one way, the core knows no interface, start-up loads nothing heavy."""

import ast
import subprocess
import sys
from pathlib import Path

import inkov

SRC = Path(inkov.__file__).parent
CORE = ("model", "forwarding", "proof", "rules", "views", "formats")


def test_import_contracts_hold():
    program = Path(sys.executable).with_name("lint-imports")
    done = subprocess.run([program], cwd=SRC.parents[1], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def test_core_never_prints():
    for package in CORE:
        for path in (SRC / package).rglob("*.py"):
            calls = [n for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.Call)]
            assert not [c for c in calls if isinstance(c.func, ast.Name) and c.func.id == "print"], path


def loaded(*args):
    code = f"import sys; sys.argv = {['inkov', *args]!r}; from inkov.cli.app import app\ntry:\n app()\nexcept SystemExit: pass\nprint(*sys.modules, file=sys.stderr)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return set(done.stderr.split())


def test_version_loads_neither_the_engine_nor_the_renderers():
    assert not loaded("--version") & {"rich.console", "pydantic", "yaml", "orjson", "inkov.forwarding", "inkov.formats"}


def test_importing_the_package_loads_nothing():
    done = subprocess.run(
        [sys.executable, "-c", "import inkov, sys; print(*sys.modules)"], capture_output=True, text=True, check=True
    )
    assert [m for m in done.stdout.split() if m.startswith("inkov.")] == []


def test_files_stay_short():
    for path in SRC.rglob("*.py"):
        assert len(path.read_text().splitlines()) <= 420, path
