"""The audit's options and outputs, by the built program."""

import csv
import io
import json
from pathlib import Path

import pandas as pd
import pytest
from junitparser import JUnitXml
from pydantic_sarif.model import StaticAnalysisResultsFormatSarifVersion210JsonSchema

from conftest import run_inkov, write_files

TWO = {
    "a.yaml": "inkov: switch\nname: archive\nvlans: {310: tanks}\nports: {1: {access: 310}, 2: {access: 330}, u1: {trunk: '310', native: 1}}\n",
    "b.json": json.dumps(
        {
            "system": {"config": {"hostname": "boat"}},
            "interfaces": {
                "interface": [
                    {
                        "name": "p1",
                        "ethernet": {"switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": 777}}},
                    }
                ]
            },
            "network-instances": {
                "network-instance": [
                    {
                        "name": "default",
                        "vlans": {"vlan": [{"vlan-id": 310, "config": {"vlan-id": 310, "name": "=1+1"}}]},
                    }
                ]
            },
        },
        indent=1,
    ),
}
CAMPUS = "inkov: campus\nname: c\n"


def findings(*args, cwd):
    ran = run_inkov("audit", *args, "--format", "json", cwd=cwd)
    assert ran.code in {0, 1}, ran.err
    return json.loads(ran.out)


def test_rules_are_chosen_skipped_and_weighed(tmp_path):
    write_files(tmp_path, TWO)
    everything = {f["rule"] for f in findings(".", cwd=tmp_path)["findings"]}
    assert "access/undefined" in everything
    assert {f["rule"] for f in findings(".", "--only", "access/*", cwd=tmp_path)["findings"]} == {"access/undefined"}
    assert "access/undefined" not in {f["rule"] for f in findings(".", "--skip", "access/*", cwd=tmp_path)["findings"]}
    (made, _) = findings(".", "--only", "access/undefined", "--severity", "access/*=tidy", cwd=tmp_path)["findings"]
    assert made["severity"] == "tidy"
    assert run_inkov("audit", "--only", "access/undefined", "--severity", "access/*=tidy", cwd=tmp_path).code == 0
    for wrong, says in (
        (["--only", "acess/undefined"], "no rule matches 'acess/undefined'; did you mean 'access/undefined'?"),
        (["--severity", "access/undefined=awful"], "expected RULE=LEVEL"),
    ):
        ran = run_inkov("audit", *wrong, cwd=tmp_path)
        assert ran.code == 2
        assert says in ran.err


def test_severities_of_the_campus_file(tmp_path):
    write_files(tmp_path, {**TWO, "campus.yaml": CAMPUS + "rules: {access/*: off, vlan/unnamed: outage}\n"})
    assert "access/undefined" not in {f["rule"] for f in findings(".", cwd=tmp_path)["findings"]}


def test_options_of_the_campus_file(tmp_path):
    run = "ports: {1-3: {access: 310}, 4: {access: 330}, 5-7: {access: 310}}\n"
    write_files(tmp_path, {"a.yaml": TWO["a.yaml"].partition("ports")[0] + run, "campus.yaml": CAMPUS})
    assert findings(".", "--only", "sibling/*", cwd=tmp_path)["counts"]["tidy"] == 1
    write_files(tmp_path, {"campus.yaml": CAMPUS + "rules: {sibling/run: {severity: outage, beside: 2}}\n"})
    assert findings(".", "--only", "sibling/*", cwd=tmp_path)["counts"]["outage"] == 1
    write_files(tmp_path, {"campus.yaml": CAMPUS + "rules: {sibling/*: {beside: 4}}\n"})
    assert findings(".", "--only", "sibling/*", cwd=tmp_path)["findings"] == []


def test_settings_of_rules_that_do_not_exist_are_errors_all_at_once(tmp_path):
    wrong = (
        "rules:\n  sibling/rnu: off\n  sibling/run: {besides: 2}\n  sibling/port: {most: 20}\n  native/*: {most: 80}\n"
        "waive: [{rule: nativ/users, why: x}]\n"
    )
    write_files(tmp_path, {**TWO, "campus.yaml": CAMPUS + wrong})
    ran = run_inkov("audit", cwd=tmp_path)
    assert (ran.code, ran.out) == (2, "")
    for line in (
        "campus.yaml:4: rules/sibling/rnu: no rule matches 'sibling/rnu'; did you mean 'sibling/run'?",
        "campus.yaml:5: rules/sibling/run: sibling/run has no option 'besides'; it has beside; did you mean 'beside'?",
        "campus.yaml:6: rules/sibling/port: most of sibling/port is 20; expected 51 to 100",
        "campus.yaml:7: rules/native/*: native/* has no option 'most'; it has none",
        "campus.yaml:8: waive/0: no rule matches 'nativ/users'; did you mean 'native/users'?",
    ):
        assert line in ran.err
    write_files(tmp_path, {"campus.yaml": CAMPUS + "rules: {sibling/run: {beside: many}}\n"})
    assert "rules/sibling/run/beside: 'many' is not a number" in run_inkov("audit", cwd=tmp_path).err


def test_a_waiver_is_unused_only_if_its_rule_was_asked(tmp_path):
    waive = "waive: [{rule: access/undefined, at: 'archive:2', why: moves}]\n"
    write_files(tmp_path, {**TWO, "campus.yaml": CAMPUS + waive})
    for asked in (["--only", "waiver/*"], ["--skip", "access/*"], []):
        assert "waiver/unused" not in {f["rule"] for f in findings(".", *asked, cwd=tmp_path)["findings"]}


def test_waivers_hold_until_they_end_and_say_when_they_are_for_nothing(tmp_path):
    waive = (
        "waive:\n"
        "  - {rule: access/*, at: 'archive:*', why: replaced in spring, until: 2999-01-01}\n"
        "  - {rule: access/undefined, at: boat:p1, why: old, until: 2001-01-01, owner: anna}\n"
        "  - {rule: native/mismatch, at: nowhere, why: gone}\n"
    )
    write_files(tmp_path, {**TWO, "campus.yaml": CAMPUS + waive})
    view = findings(".", cwd=tmp_path)
    assert view["waived"] == 1
    rows = {(f["rule"], f["place"]) for head in view["findings"] for f in (head, *head["also"])}
    assert ("access/undefined", "archive:2") not in rows
    assert ("access/undefined", "boat:p1") in rows
    assert ("waiver/over", "access/undefined at boat:p1") in rows
    assert ("waiver/unused", "native/mismatch at nowhere") in rows
    assert "besides 1 waived" in run_inkov("audit", cwd=tmp_path).out
    write_files(tmp_path, {"campus.yaml": CAMPUS + "waive: [{rule: x, why: y, until: soon}]\n"})
    assert "'soon' is not a date; expected one such as 2027-03-31" in run_inkov("audit", cwd=tmp_path).err


def test_a_baseline_hides_what_was_there_and_survives_unrelated_edits(tmp_path):
    write_files(tmp_path, TWO)
    before = findings(".", cwd=tmp_path)
    assert run_inkov("audit", "--write-baseline", "base.txt", cwd=tmp_path).code == 1
    write_files(tmp_path, {"a.yaml": "# a comment\n\n" + TWO["a.yaml"].replace("u1:", "3: {access: 340}, u1:")})
    after = findings(".", "--baseline", "base.txt", cwd=tmp_path)
    assert [(f["rule"], f["place"]) for f in after["findings"]] == [("access/undefined", "archive:3")]
    assert after["known"] == sum(1 + len(f["also"]) for f in before["findings"])
    for text in ("{}", "no json", "[1]"):
        (tmp_path / "base.txt").write_text(text)
        ran = run_inkov("audit", "--baseline", "base.txt", cwd=tmp_path)
        assert ran.code == 2
        assert "base.txt" in ran.err


def test_csv_is_read_back_and_holds_no_formula(tmp_path):
    write_files(tmp_path, TWO)
    ran = run_inkov("audit", "--format", "csv", "-o", "out.csv", cwd=tmp_path)
    assert (ran.code, ran.out) == (1, "")
    rows = list(csv.DictReader(io.StringIO((tmp_path / "out.csv").read_text("utf-8"))))
    json_rows = [f for head in findings(".", cwd=tmp_path)["findings"] for f in (head, *head["also"])]
    assert [(r["rule"], r["place"], r["id"]) for r in rows] == [(f["rule"], f["place"], f["id"]) for f in json_rows]
    assert not any(cell.startswith(("=", "+", "-", "@")) for r in rows for cell in r.values())
    read = pd.read_csv(tmp_path / "out.csv", keep_default_na=False, dtype=str)
    assert read.to_dict("records") == rows
    again = io.StringIO()
    read.to_csv(again, index=False)
    assert again.getvalue() == (tmp_path / "out.csv").read_text("utf-8")
    export = next(r for r in rows if r["place"] == "boat:p1")
    assert TWO["b.json"].splitlines()[int(export["line"]) - 1].strip() == '"access-vlan": 777'


def test_sarif_points_at_the_lines_to_blame(tmp_path):
    write_files(tmp_path, TWO)
    log = json.loads(run_inkov("audit", "--format", "sarif", cwd=tmp_path).out)
    StaticAnalysisResultsFormatSarifVersion210JsonSchema.model_validate(log)  # made from the published schema
    assert log["version"] == "2.1.0"
    (run,) = log["runs"]
    rules = [r["id"] for r in run["tool"]["driver"]["rules"]]
    for result in run["results"]:
        assert rules[result["ruleIndex"]] == result["ruleId"]
        assert result["level"] in {"error", "warning", "note"}
        assert result["message"]["text"]
        for place in result["locations"]:
            where = place["physicalLocation"]
            lines = (tmp_path / where["artifactLocation"]["uri"]).read_text("utf-8").splitlines()
            assert 1 <= where["region"]["startLine"] <= len(lines)
    wanted = {r["message"]["text"].split()[3]: r for r in run["results"] if r["ruleId"] == "access/undefined"}
    line = wanted["boat"]["locations"][0]["physicalLocation"]["region"]["startLine"]
    assert "777" in TWO["b.json"].splitlines()[line - 1]
    assert len({r["partialFingerprints"]["inkov/v1"] for r in run["results"]}) == len(run["results"])


def test_junit_fails_the_rules_that_found_enough(tmp_path):
    write_files(tmp_path, TWO)
    ran = run_inkov("audit", "--format", "junit", "--fail-on", "outage", cwd=tmp_path)
    (suite,) = JUnitXml.fromstring(ran.out)
    failed = [case for case in suite if not case.is_passed]
    assert {case.name for case in failed} == {"access/undefined"}
    assert "archive:2" in failed[0].result[0].text
    assert (suite.failures, suite.errors, suite.tests) == (1, 0, len(list(suite)))
    assert suite.tests > 60


def test_markdown_shows_text_as_it_is(tmp_path):
    write_files(tmp_path, {"a.yaml": TWO["a.yaml"].replace("name: archive", "name: a*b<i>|x")})
    text = run_inkov("audit", "--format", "md", cwd=tmp_path).out
    assert "a\\*b&lt;i&gt;\\|x:2" in text
    assert "<i>" not in text


def test_rules_page_is_up_to_date_and_covers_every_fault():
    from inkov.render.rules_page import rules_page
    from inkov.rules.catalogue import RULES
    from inkov.rules.faults import FAULTS

    page = Path(__file__).parents[2] / "docs" / "rules.md"
    assert page.read_text("utf-8") == rules_page(RULES.values())
    assert len(FAULTS) == 22
    assert {n for rule in RULES.values() for n in rule.faults} == set(range(1, 23))


@pytest.mark.few(1)
@pytest.mark.parametrize("side", ["mended", "as-found"])
def test_a_draft_is_taken_as_it_is(quillfin, tmp_path, side):
    for path in (quillfin / side).rglob("*"):
        if path.is_file() and path.name not in {"campus.yaml", "hosts.csv"}:
            write_files(tmp_path, {path.relative_to(quillfin / side).as_posix(): path.read_text("utf-8")})
    assert run_inkov("draft", "-o", "campus.yaml", cwd=tmp_path).code == 0
    text = (tmp_path / "campus.yaml").read_text("utf-8")
    assert "  tank-sensors: {vlan: 310, closed: true}\n" in text
    assert "  - watchtower-a a1 - watchtower-b a1\n" in text
    assert run_inkov("audit", cwd=tmp_path).code in {0, 1}
    proved = run_inkov("prove", cwd=tmp_path)
    assert proved.code == 0, proved.out
    if side == "as-found":
        assert "# ? also called gates" in text
        assert "- [kiosks, tills]  # ? frames pass between them today; is that meant?" in text
        assert "# ? boat-store:u1" in text or "did not hear the other end" in text


ROUTED = (
    "inkov: switch\nname: a\nvlans: {10: x, 20: y}\nrouting: true\ngateways: {10: 10.0.0.1/24, 20: 10.0.1.1/24}\n"
    "ports: {1-2: {access: 10}, 3-4: {access: 20}}\n"
)


@pytest.mark.few(3)
@pytest.mark.parametrize(
    ("claim", "options", "code"),
    [
        ("{apart: [x, y]}", [], 1),
        ("{apart: [x, y]}", ["--fail-on", "breach"], 1),
        ("{apart: [x, y]}", ["--only", "native/*"], 0),
        ("{together: [x, y], layer: 2}", ["--fail-on", "outage"], 1),
        ("{together: [x, y], layer: 2}", ["--fail-on", "breach"], 0),
        ("{together: [x, y]}", [], 0),
    ],
)
def test_claims_are_part_of_the_verdict(tmp_path, claim, options, code):
    campus = f"inkov: campus\nname: c\nsegments: {{x: {{vlan: 10}}, y: {{vlan: 20}}}}\nclaims: [{claim}]\n"
    site = write_files(tmp_path, {"a.yaml": ROUTED, "campus.yaml": campus})
    ran = run_inkov("audit", site, *options)
    broken = claim != "{together: [x, y]}"
    assert ran.code == code
    assert ("1 claim is broken" in ran.out) == broken
    run_inkov("report", site, "-o", tmp_path / "out.html")
    assert ("Nothing is wrong." in (tmp_path / "out.html").read_text("utf-8")) != broken
