"""Every rule's own examples, and that the catalogue is whole."""

from datetime import date
from pathlib import Path

import pytest

import inkov
import inkov.rules
from conftest import write_files
from inkov.forwarding.network import Network
from inkov.model.vlanset import VlanSet
from inkov.rules import catalogue
from inkov.rules.catalogue import RULES, Choice, audit
from inkov.rules.finding import Finding, Severity, grouped

NOT_THEMES = {
    "__init__",
    "catalogue",
    "choice",
    "faults",
    "finding",
    "impact",
    "leak",
    "pairs",
    "registry",
    "settings",
    "subnets",
    "triangle",
    "wording",
}

TODAY = date(2026, 1, 1)


@pytest.mark.parametrize("name", sorted(RULES))
def test_breaking_example_yields_exactly_that_finding(name, tmp_path):
    rule = RULES[name]
    found = audit(Network(inkov.load(write_files(tmp_path, rule.breaks.files))), Choice(only=(name,), today=TODAY))
    assert [(f.rule, f.place) for f in found] == [(name, rule.breaks.place)]
    (finding,) = found
    assert finding.severity.rank >= rule.severity.rank
    assert finding.what.endswith(".")
    assert finding.mend.endswith(".")
    assert finding.evidence
    for evidence in finding.evidence:
        assert (tmp_path / evidence.source.file).is_file()


@pytest.mark.parametrize("name", sorted(RULES))
def test_passing_example_yields_nothing(name, tmp_path):
    rule = RULES[name]
    assert audit(Network(inkov.load(write_files(tmp_path, rule.passes.files))), Choice(only=(name,), today=TODAY)) == ()


def test_every_module_is_in_the_catalogue_and_holds_its_theme():
    modules = {p.stem for p in Path(inkov.rules.__file__).parent.glob("*.py")} - NOT_THEMES
    assert modules == {m.__name__.rpartition(".")[2] for m in catalogue.THEMES}
    for rule in RULES.values():
        home = rule.check.__module__.rpartition(".")[2]
        assert home in {rule.theme, rule.theme + "s"}


def finding(rule, severity, causes, ports=0):
    return Finding(rule=rule, severity=severity, place=rule, what=".", mend=".", causes=causes, ports=ports)


def test_findings_with_a_common_cause_are_one_and_the_worst_leads():
    a, b, c = ("s", "1", "x"), ("s", "2", "x"), ("s", "3", "x")
    made = grouped(
        [
            finding("t/tidy", Severity.TIDY, (b,)),
            finding("t/breach", Severity.BREACH, (a, b)),
            finding("t/few", Severity.OUTAGE, (c,), ports=1),
            finding("t/many", Severity.OUTAGE, (("s", "4", "x"),), ports=9),
            finding("t/alone", Severity.RISK, ()),
        ]
    )
    assert [(f.rule, [g.rule for g in f.also]) for f in made] == [
        ("t/breach", ["t/tidy"]),
        ("t/many", []),
        ("t/few", []),
        ("t/alone", []),
    ]


SPLIT = "inkov: switch\nname: {0}\nvlans: {{310: , 320: }}\nports: {{1: {{access: 310}}, 2: {{access: 320}}, u: {{trunk: '305', enabled: {1}}}}}\n"


def test_vlans_cut_by_one_disabled_port_are_one_finding(tmp_path):
    files = {
        "a.yaml": SPLIT.format("a", "false").replace("'305'", "all"),
        "b.yaml": SPLIT.format("b", "true").replace("'305'", "all") + "neighbours: {u: a u}\n",
    }
    found = audit(Network(inkov.load(write_files(tmp_path, files))), Choice(only=("vlan/islands",)))
    assert [(f.place, f.vlans) for f in found] == [("VLANs 310,320", VlanSet([310, 320]))]
    assert found[0].what == (
        "VLANs 310,320 are in 2 parts that cannot reach each other: {a} and {b} (a:u <-> b:u: a:u is disabled)."
    )
