"""What CONTRIBUTING says an addition touches is all that it touches: one of each is added to a copy of the program."""

import os
import runpy
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import inkov

SRC = Path(inkov.__file__).parent
ROOT = SRC.parents[1]


class Copy:
    """A copy of the program, with a campus beside it, and which of its files were added to."""

    def __init__(self, folder):
        self.folder = folder
        self.touched = set()
        shutil.copytree(SRC, folder / "src" / "inkov", ignore=shutil.ignore_patterns("__pycache__"))

    def write(self, name, text):
        self.touched.add(name)
        (self.folder / "src/inkov" / name).write_text(text)

    def insert(self, name, after, line):
        """Puts a line into a file, after what stands there once."""
        text = (self.folder / "src/inkov" / name).read_text()
        assert text.count(after) == 1, (name, after)
        self.write(name, text.replace(after, after + line))

    def run(self, *args, module="inkov"):
        environment = os.environ | {
            "PYTHONPATH": str(self.folder / "src"),
            "XDG_CACHE_HOME": str(self.folder / "cache"),
        }
        program = [sys.executable, "-m", module, *args]
        return subprocess.run(
            program, cwd=self.folder, env=environment, capture_output=True, text=True, check=False, timeout=300
        )

    def out(self, *args):
        done = self.run(*args)
        assert done.returncode in {0, 1}, done.stderr
        return done.stdout

    def touched_only_what_is_said_of(self, what):
        """Each file is named in the point of CONTRIBUTING, itself or by its folder."""
        points = (ROOT / "CONTRIBUTING.md").read_text().split("\n- **")
        point = next(p for p in points if p.startswith(f"{what}**"))
        for name in self.touched:
            assert f"`{name}`" in point or f"`{Path(name).parent}/" in point, (name, point)


@pytest.fixture
def copy(tmp_path):
    (tmp_path / "campus").mkdir()
    (tmp_path / "campus" / "kelp-hall.yaml").write_text(
        "inkov: switch\nname: kelp-hall\nvlans: {310: tank-sensors}\nports:\n  1: {access: 310, label: TODO}\n"
    )
    return Copy(tmp_path)


def test_a_rule_is_a_module_and_a_name(copy):
    copy.write(
        "rules/themes/todo.py",
        """
from inkov.rules.finding import Fault, Severity
from inkov.rules.registry import Example, rule, switch_text

PORTS = "{{1: {{access: 310, label: {}}}}}"

@rule(
    "todo/label", Severity.TIDY, looks_for="A label that says TODO.", why="Someone meant to come back.", mend="Do it.",
    breaks=Example({"a.yaml": switch_text("archive", "{310: tank-sensors}", PORTS.format("TODO"))}, place="archive:1"),
    passes=Example({"a.yaml": switch_text("archive", "{310: tank-sensors}", PORTS.format("done"))}),
)
def label(facts):
    for switch in facts.network.switches.values():
        for port in switch.ports.values():
            if port.label == "TODO":
                yield Fault(place=f"{switch.name}:{port.name}", what="Something is left to do here.", mend="Do it.")
""",
    )
    copy.insert("rules/catalogue.py", '"themes": "', "todo ")
    assert "Something is left to do here." in copy.out("audit", "campus", "--only", "todo/label")
    assert '"rule": "todo/label"' in copy.out("audit", "campus", "--format", "json")
    assert "A label that says TODO." in copy.out("explain", "todo/label")
    copy.touched_only_what_is_said_of("a rule")


def test_a_format_is_a_module_and_a_line(copy):
    copy.write(
        "formats/lists.py",
        """
import json
from inkov.formats.ours import reader as ours

def recognise(data):
    return data.startswith(b"list of ")

def read(data, reading, given):
    first, *rest = data.decode().splitlines()
    ports = {port: {"access": int(vid)} for port, vid in map(str.split, rest)}
    switch = {"inkov": "switch", "name": first[8:], "vlans": "as used", "ports": ports}
    return ours.read(json.dumps(switch).encode(), reading, given)
""",
    )
    line = 'Format("port lists", frozenset({".list"}), MEGABYTE, lists.recognise, lists.read, None, {}, whole=True),\n'
    copy.insert("formats/registry.py", "FORMATS = (\n", f"    {line}")
    copy.insert("formats/registry.py", "from __future__ import annotations\n", "\nfrom inkov.formats import lists\n")
    (copy.folder / "campus" / "archive.list").write_text("list of archive\n7 310\n")
    assert "archive:7  access" in copy.out("ports", "campus", "--switch", "archive")
    assert "port lists" in copy.out("sources", "campus")
    (copy.folder / "campus" / "archive.list").write_text("nothing that is known\n")
    assert "archive.list: passed over" in copy.run("audit", "campus", "-v").stderr  # its ending is known from the line
    copy.touched_only_what_is_said_of("a format")


def test_a_renderer_is_a_function_and_a_line(copy):
    copy.write(
        "render/rules.py", "def fired(audited):\n    return ''.join(f.rule + '\\n' for f in audited.view.findings)\n"
    )
    copy.insert("render/renderers.py", "_RENDERERS = {\n", '    "fired": "rules.fired",\n')
    (copy.folder / "campus" / "kelp-hall.yaml").write_text(
        "inkov: switch\nname: kelp-hall\nvlans: {310: tank-sensors}\nports: {1: {access: 330}}\n"
    )
    assert copy.out("audit", "campus", "--format", "fired") == "access/undefined\n"
    assert "fired" in copy.out("audit", "--help")
    copy.touched_only_what_is_said_of("a renderer of the audit")


def test_a_document_is_a_view_and_a_line(copy):
    copy.write(
        "views/names.py",
        "from dataclasses import dataclass\n\n@dataclass(frozen=True)\nclass NamesView:\n    names: tuple[str, ...]\n",
    )
    copy.insert("render/documents.py", "DOCUMENTS = {\n", '    "names": Document("views.names", ("NamesView",)),\n')
    assert '"names"' in copy.out("schema", "names")
    copy.touched_only_what_is_said_of("a JSON document")


def test_a_command_is_a_function_and_a_line(copy):
    copy.write(
        "cli/counting.py",
        """
from inkov.cli.options import SiteArgument, load_network, reads_site

@reads_site
def count(site: SiteArgument) -> None:
    'Count the switches.'
    print(len(load_network(site).switches))
""",
    )
    listed = '    "convert": Named(_SOURCES, "reading:convert", "inkov convert exports -o ours"),\n'
    copy.insert("cli/app.py", listed, '    "count": Named(_LOOK, "counting:count", "inkov count exports"),\n')
    assert copy.out("count", "campus") == "1\n"
    assert "Count the switches." in copy.out("--help")
    copy.touched_only_what_is_said_of("a command")


@pytest.mark.few(1)
def test_mypy_names_all_that_a_kind_of_port_touches(copy):
    """What its module leaves out, by way of the table of kinds, and each table of the checker: it passes no kind over."""
    mirror = "\n\n@dataclass(frozen=True, slots=True)\nclass Mirror:\n    vid: Vid\n\n\n"
    last = "    general: bool = False  # where formats have such ports, it may be one with sets of its own, too\n"
    copy.insert("model/switch.py", last, mirror)
    copy.insert("model/switch.py", "Switching: TypeAlias = (\n", "    Mirror |\n")
    module = "from inkov.kinds.kind import PortKind\nfrom inkov.model.switch import Mirror\n\n\n"
    copy.write("kinds/mirror.py", f"{module}class MirrorKind(PortKind[Mirror]):\n    pass\n")
    copy.insert("kinds/table.py", "PortKind[Any]]] = {\n", "    Mirror: MirrorKind(),\n")
    imports = "from inkov.kinds.mirror import MirrorKind\nfrom inkov.model.switch import Mirror\n"
    copy.insert("kinds/table.py", "from __future__ import annotations\n", imports)
    settings = ("--config-file", str(ROOT / "pyproject.toml"), "--cache-dir", str(copy.folder / "mypy"))
    done = copy.run(*settings, "src/inkov/kinds", "src/inkov/recheck", module="mypy")
    errors = sorted(line.removeprefix("src/inkov/") for line in done.stdout.splitlines() if ": error:" in line)
    in_checker = ["recheck/ports.py"] * 3 + ["recheck/stations.py"] * 3 + ["recheck/traits.py"]
    assert [e.split(":")[0] for e in errors] == ["kinds/table.py", *in_checker], done.stdout
    assert 'Cannot instantiate abstract class "MirrorKind"' in errors[0]
    assert all("assert_never" in e for e in errors[1:])
    copy.touched |= {e.split(":")[0] for e in errors}
    copy.touched_only_what_is_said_of("a kind of port")


def test_every_named_mutation_has_its_place():
    """A mutation whose place is gone would be counted by nobody."""
    namespace = runpy.run_path(str(ROOT / "scripts" / "mutants.py"))
    for mutation in namespace["NAMED"]:
        assert (SRC / mutation.file).read_text().count(mutation.before) == 1, mutation.name
