"""The house rules: arrows point one way, the core knows no interface, start-up loads nothing heavy."""

import ast
import json
import subprocess
import sys
from pathlib import Path
from typing import get_args

import grimp
import pytest

import inkov
from inkov.kinds.table import KINDS
from inkov.model.switch import Switching

SRC = Path(inkov.__file__).parent
CORE = ("model", "kinds", "steps", "forwarding", "proof", "plan", "rules", "views", "change", "drawing", "formats")


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


@pytest.mark.parametrize("command", ["audit", "ports", "vlans", "links", "tree", "gateways", "prove"])
def test_a_command_on_exports_loads_no_library_that_it_does_not_need(command, tmp_path):
    access = {"openconfig-vlan:switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": 10}}}
    interface = {"name": "p1", "config": {"name": "p1"}, "openconfig-if-ethernet:ethernet": access}
    vlans = {"vlan": [{"vlan-id": 10, "config": {"vlan-id": 10, "name": "staff"}}]}
    held = {"openconfig-interfaces:interfaces": {"interface": [interface]}, "openconfig-vlan:vlans": vlans}
    (tmp_path / "a.json").write_text(json.dumps(held))
    assert not loaded(command, str(tmp_path), "--no-cache") & {"pydantic", "pydantic_core", "rich", "jinja2", "yaml"}


def test_importing_the_package_loads_nothing():
    done = subprocess.run(
        [sys.executable, "-c", "import inkov, sys; print(*sys.modules)"], capture_output=True, text=True, check=True
    )
    assert [m for m in done.stdout.split() if m.startswith("inkov.")] == []


def test_files_stay_short():
    for path in SRC.rglob("*.py"):
        assert len(path.read_text().splitlines()) <= 400, path


KIND_NAMES = {kind.__name__ for kind in KINDS}


def matched(tree):
    """Yields the port kinds that a module asks about: in `isinstance`, and in cases of a `match`."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "isinstance":
            yield from (n.id for n in ast.walk(node.args[1]) if isinstance(n, ast.Name) and n.id in KIND_NAMES)
        if isinstance(node, ast.MatchClass) and isinstance(node.cls, ast.Name) and node.cls.id in KIND_NAMES:
            yield node.cls.id


def test_only_kinds_and_the_checker_know_port_kinds():
    for path in SRC.rglob("*.py"):
        if path.parent.name not in {"kinds", "recheck", "steps"}:
            assert set(matched(ast.parse(path.read_text()))) == set(), path


def test_every_type_of_port_has_its_kind():
    assert set(KINDS) == set(get_args(Switching))


def test_no_circle_among_files():
    graph = grimp.build_graph("inkov")
    inside = {m: {i for i in graph.find_modules_directly_imported_by(m) if i in graph.modules} for m in graph.modules}
    settled: set[str] = set()
    while free := {m for m, imports in inside.items() if m not in settled and imports <= settled}:
        settled |= free
    assert inside.keys() - settled == set()


def test_links_are_followed_in_one_place():
    """`Path.resolve` raises an error that nobody expects where a link leads to itself."""
    assert [p.name for p in sorted(SRC.rglob("*.py")) if ".resolve(" in p.read_text("utf-8")] == []
