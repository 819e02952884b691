"""Findings for other programs: CSV, Markdown, SARIF 2.1.0 (OASIS) and JUnit XML."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping
from typing import Any
from xml.etree import ElementTree as ET

from inkov import __version__
from inkov.render.jsondoc import to_json
from inkov.render.junit import junit
from inkov.render.page import clean, escaped, harmless
from inkov.render.renderers import Audited, Lines
from inkov.rules.catalogue import RULES
from inkov.rules.registry import Rule
from inkov.views.findings import EvidenceView, FindingView, hits

_COLUMNS = (
    "severity",
    "rule",
    "place",
    "what",
    "mend",
    "vlans",
    "ports",
    "hosts",
    "claims",
    "file",
    "line",
    "path",
    "cause",
    "id",
)
_LEVELS = {"breach": "error", "outage": "error", "risk": "warning", "tidy": "note"}


def flat(findings: Iterable[FindingView]) -> Iterator[tuple[FindingView, FindingView | None]]:
    """Yields every finding, those that are folded into one after it, each with the one it is folded into."""
    for finding in findings:
        yield finding, None
        yield from ((f, finding) for f in finding.also)


def audit_csv(audited: Audited) -> str:
    """Returns a row a finding. A cell that a spreadsheet would take for a formula gets a quote before it."""
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\n")
    rows.writerow(_COLUMNS)
    for finding, head in flat(audited.view.findings):
        seen = finding.evidence[0] if finding.evidence else None
        cells: list[object] = [finding.severity, finding.rule, finding.place, finding.what, finding.mend]
        cells += [
            finding.vlans,
            finding.ports,
            " ".join(finding.hosts),
            "; ".join(finding.claims),
            seen.file if seen else "",
            _line(seen, audited.lines) or "",
            seen.path if seen else "",
        ]
        cells += [head.id if head else "", finding.id]
        rows.writerow(harmless(c) if isinstance(c, str) else c for c in cells)
    return text.getvalue()


def _line(seen: EvidenceView | None, lines: Lines) -> int | None:
    return None if seen is None else seen.line or lines(seen.file, seen.path)


def audit_markdown(audited: Audited) -> str:
    """Returns a page with a table a severity, as code hosts and wikis show it."""
    view = audited.view
    size, made = view.size, [f"# {escaped(view.campus)}", ""]
    made += [
        f"{size.switches} switches, {size.ports} ports, {size.links} links, {size.vlans} VLANs: {_tally(view.counts)}",
        "",
        *([escaped(view.summary), ""] if view.summary else []),
        *([f"Not read: {escaped(', '.join(view.unread))}", ""] if view.unread else []),
        *([f"Read in part: {escaped(', '.join(view.partly))}", ""] if view.partly else []),
    ]
    for severity in view.counts:
        rows = [f for f in view.findings if f.severity == severity]
        if rows:
            made += [
                f"## {severity.capitalize()}",
                "",
                "| rule | place | what happens | whom it hits | what to do | seen |",
                "| --- | --- | --- | --- | --- | --- |",
            ]
            made += [_row(f) for f in rows] + [""]
    return "\n".join(made).rstrip() + "\n"


def _tally(counts: Mapping[str, int]) -> str:
    return ", ".join(f"{n} {severity}" for severity, n in counts.items() if n) or "no findings"


def _row(finding: FindingView) -> str:
    seen = "<br>".join(escaped(e.place) for e in finding.evidence)
    also = "".join(f"<br>also {f.rule}: {escaped(f.what)}" for f in finding.also)
    return (
        f"| {finding.rule} | {escaped(finding.place)} | {escaped(finding.what)}{also} | {escaped(hits(finding))} "
        f"| {escaped(finding.mend)} | {seen} |"
    )


def audit_sarif(audited: Audited) -> str:
    """Returns a log in SARIF 2.1.0, by which code hosts mark the lines to blame."""
    view, lines = audited.view, audited.lines
    named = dict.fromkeys(f.rule for f, _ in flat(view.findings))
    index = {name: i for i, name in enumerate(named)}
    driver: dict[str, Any] = {"name": "Inkov", "version": __version__, "semanticVersion": __version__}
    driver["rules"] = [_sarif_rule(RULES[name]) for name in named]
    results = [_sarif_result(f, index[f.rule], lines) for f, _ in flat(view.findings)]
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    if view.unread or view.partly:
        told = [
            {
                "level": "error",
                "message": {"text": f"This file could {what} be read."},
                "locations": [{"physicalLocation": {"artifactLocation": {"uri": _uri(name)}}}],
            }
            for what, names in (("not", view.unread), ("only in part", view.partly))
            for name in names
        ]
        run["invocations"] = [{"executionSuccessful": False, "toolExecutionNotifications": told}]
    return to_json(
        {
            "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
            "version": "2.1.0",
            "runs": [run],
        }
    )


def _sarif_rule(rule: Rule) -> dict[str, Any]:
    return {
        "id": rule.name,
        "shortDescription": {"text": rule.looks_for},
        "fullDescription": {"text": rule.why},
        "help": {"text": rule.mend},
        "defaultConfiguration": {"level": _LEVELS[rule.severity.value]},
    }


def _sarif_result(finding: FindingView, index: int, lines: Lines) -> dict[str, Any]:
    places = [_sarif_place(e, lines) for e in finding.evidence if e.file]
    logical = [{"fullyQualifiedName": finding.place}]
    made: dict[str, Any] = {
        "ruleId": finding.rule,
        "ruleIndex": index,
        "level": _LEVELS[finding.severity],
        "message": {"text": _sarif_text(f"{finding.what} {finding.mend}")},
        "locations": [{**(places[0] if places else {}), "logicalLocations": logical}],
        "partialFingerprints": {"inkov/v1": finding.id},
        "properties": {
            "severity": finding.severity,
            "vlans": finding.vlans,
            "ports": finding.ports,
            "hosts": finding.hosts,
            "claims": finding.claims,
        },
    }
    if places[1:]:
        made["relatedLocations"] = places[1:]
    return made


def _sarif_place(seen: EvidenceView, lines: Lines) -> dict[str, Any]:
    where: dict[str, Any] = {"artifactLocation": {"uri": _uri(seen.file)}}
    line = _line(seen, lines)
    if line is not None:
        where["region"] = {"startLine": line}
    return {"physicalLocation": where, "message": {"text": _sarif_text(seen.fact)}}


_SARIF = str.maketrans({"\\": r"\\", "[": r"\[", "]": r"\]", "{": "{{", "}": "}}"})


def _sarif_text(text: str) -> str:
    """Returns text in which nothing is a placeholder or a link (SARIF 2.1.0, 3.11.5 and 3.11.6)."""
    return text.translate(_SARIF)


def _uri(name: str) -> str:
    from urllib.parse import quote  # noqa: PLC0415 - only this output needs it

    return quote(name)


def audit_junit(audited: Audited) -> str:
    """Returns a test suite for pipelines: a case a rule, failed where it found something severe enough."""
    view, fails = audited.view, audited.fails
    found: dict[str, list[FindingView]] = {name: [] for name in sorted(audited.ran)}
    for finding, _ in flat(view.findings):
        found.setdefault(finding.rule, []).append(finding)
    failed = {name for name, some in found.items() if any(fails(f.severity) for f in some)}
    wrong = dict.fromkeys(view.unread, "not") | dict.fromkeys(view.partly, "only in part")
    suite = ET.Element("testsuite", name=_xml(f"inkov audit of {view.campus}"), tests=str(len(found) + len(wrong)))
    suite.set("failures", str(len(failed)))
    suite.set("errors", str(len(wrong)))
    suite.set("skipped", "0")
    for name, what in wrong.items():
        case = ET.SubElement(suite, "testcase", classname="inkov.files", name=_xml(name))
        ET.SubElement(case, "error", message=f"this file could {what} be read")
    for name, some in found.items():
        case = ET.SubElement(suite, "testcase", classname=f"inkov.{name.partition('/')[0]}", name=name)
        text = "\n".join(f"{f.severity} at {f.place}: {f.what} {f.mend}" for f in some)
        if name in failed:
            failure = ET.SubElement(case, "failure", type=name, message=_xml(some[0].what))
            failure.text = _xml(text)
        elif text:
            ET.SubElement(case, "system-out").text = _xml(text)
    return junit(suite)


def _xml(text: str) -> str:
    """Returns text that XML 1.0 can hold."""
    return "\n".join(clean(line) for line in text.split("\n"))
