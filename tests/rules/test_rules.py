"""Every rule's own examples, and that the catalogue is whole."""

from datetime import date
from pathlib import Path

import pytest

import inkov
from conftest import write_files
from inkov.forwarding.network import Network
from inkov.model.settings import Setting
from inkov.model.vlanset import VlanSet
from inkov.rules import catalogue, intent, routed, themes
from inkov.rules.catalogue import RULES, Choice, audit
from inkov.rules.finding import Cause, Finding, Severity, grouped

TODAY = date(2026, 1, 1)


def told(finding):
    """Puts all there is to a finding into words, a line a fact."""
    yield f"{finding.severity.name} {finding.rule} at {finding.place}"
    yield f"  what   {finding.what}"
    yield f"  mend   {finding.mend}"
    yield from (f"  seen   {e.fact} | {e.source} | {e.source.path}" for e in finding.evidence)
    yield from (f"  blames {' '.join(c.parts)}" for c in finding.causes)
    hit = {"vlans": finding.vlans, "joins": finding.joins, "members": " ".join(map(str, finding.members))}
    hit |= {"ports": finding.ports or "", "parts": finding.parts or "", "follows": finding.follows or ""}
    yield from (f"  {name} {value}" for name, value in hit.items() if str(value) not in {"", "none"})


@pytest.mark.parametrize("theme", sorted({r.theme for r in RULES.values()}))
def test_breaking_examples_yield_exactly_these_findings(theme, tmp_path, golden):
    """Severity, place, sentences, evidence and causes of each rule's example, whole."""
    lines = []
    for name, rule in sorted(RULES.items()):
        if rule.theme == theme:
            folder = write_files(tmp_path / name.replace("/", "-"), rule.breaks.files)
            (finding,) = audit(Network(inkov.load(folder)), Choice(only=(name,), today=TODAY))
            assert (finding.rule, finding.place) == (name, rule.breaks.place)
            assert finding.severity.rank >= rule.severity.rank
            lines += [*told(finding), ""]
    golden(f"rules/{theme}.txt", "\n".join(lines))


@pytest.mark.parametrize("name", sorted(RULES))
def test_passing_example_yields_nothing(name, tmp_path):
    rule = RULES[name]
    assert audit(Network(inkov.load(write_files(tmp_path, rule.passes.files))), Choice(only=(name,), today=TODAY)) == ()


def test_every_module_is_in_the_catalogue_and_holds_its_theme():
    rooms = (themes, routed, intent)
    modules = {p.stem for room in rooms for p in Path(room.__file__).parent.glob("*.py")} - {"__init__"}
    assert modules == {m.__name__.rpartition(".")[2] for m in catalogue.THEMES}
    for rule in RULES.values():
        home = rule.check.__module__.rpartition(".")[2]
        assert home.partition("_")[0] in {rule.theme, rule.theme + "s"}


def finding(rule, severity, causes, ports=0):
    return Finding(rule=rule, severity=severity, place=rule, what=".", mend=".", causes=causes, ports=ports)


def test_findings_with_a_common_cause_are_one_and_the_worst_leads():
    a, b, c, d = (Cause("s", Setting.ACCESS, port) for port in "1234")
    made = grouped(
        [
            finding("t/tidy", Severity.TIDY, (b,)),
            finding("t/breach", Severity.BREACH, (a, b)),
            finding("t/few", Severity.OUTAGE, (c,), ports=1),
            finding("t/many", Severity.OUTAGE, (d,), ports=9),
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
