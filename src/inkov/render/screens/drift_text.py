"""What changed, what it did and which change did it, as text; and as Markdown and JUnit for merge requests."""

from __future__ import annotations

from collections.abc import Sequence
from xml.etree import ElementTree as ET

from inkov.change.drift import DriftView, FoundView, Heard, Turned
from inkov.model.names import ports_text
from inkov.render.junit import junit
from inkov.render.page import (
    OUTCOME_STYLES,
    SEVERITY_STYLES,
    badge,
    clean,
    escaped,
    labelled,
    plural,
    spaced,
    table,
    words,
)
from inkov.render.text import Block, Stack, Text

_SHOWN = 12
_NAMED = 6


def drift_text(view: DriftView) -> Block:
    """Returns the page of a comparison: the worst effect first, and the settings below."""
    head = Text.assemble(words(f"{view.before} → {view.after}", "bold"), "   ", (_counted(view), "dim"))
    if not view.changes:
        return spaced([head, Text("nothing that matters differs", "bold")])
    blocks: list[Block] = [head]
    blocks += [_claim(c) for c in sorted(view.claims, key=lambda c: c.after == "proved")]
    blocks += [_finding(f) for f in view.findings.new]
    if view.findings.gone:
        gone = [f"{f.rule} at {f.place}" for f in view.findings.gone]
        blocks.append(Stack(Text("findings gone", "bold"), *(words(f"  {g}") for g in gone)))
    blocks += [_reach(word, rows, by) for word, rows, by in _reaches(view) if rows]
    if view.states:
        states = [(words(s.what), words(s.before), "→", words(s.after)) for s in view.states]
        blocks.append(Stack(Text("state", "bold"), Stack(table(("", "", "", ""), states, whole=[0, 2]), indent=2)))
    settings = [(words(c.at or "campus file"), words(c.what, "dim" if c.silent else "")) for c in view.changes]
    blocks.append(Stack(Text("settings", "bold"), Stack(table(("", ""), settings, whole=[0]), indent=2)))
    return spaced(blocks)


def _reaches(view: DriftView) -> tuple[tuple[str, Sequence[Heard], Sequence[str]], ...]:
    """Returns reach gained and lost: the word for it, a row a sender, and the changes that did it."""
    return ("gained", view.reach.gained, view.gained_by), ("lost", view.reach.lost, view.lost_by)


def _pairs(rows: Sequence[Heard]) -> int:
    return sum(len(h["at"]) for h in rows)


def _counted(view: DriftView) -> str:
    return (
        f"{plural(len(view.changes), 'change')}   {plural(len(view.claims), 'claim')} turned   "
        f"{plural(len(view.findings.new), 'finding')} new, {len(view.findings.gone)} gone   "
        f"reach: {_pairs(view.reach.gained)} gained, {_pairs(view.reach.lost)} lost"
    )


def _by(by: Sequence[str]) -> list[tuple[str, Block]]:
    rows: list[tuple[str, Block]] = [("By" if not n else "", words(one, "bold")) for n, one in enumerate(by[:_NAMED])]
    if len(by) > _NAMED:
        rows.append(("", words(f"and {plural(len(by) - _NAMED, 'change')} more")))
    return rows


def _claim(turned: Turned) -> Block:
    head = Text.assemble(
        badge(turned.after.upper(), OUTCOME_STYLES.get(turned.after, "reverse"), 12),
        words(turned.name, "bold"),
        f"   was {turned.before}",
    )
    reason = "; ".join(turned.now.missing) or (turned.now.stop.reason if turned.now.stop else "")
    ways = [f"{w.start} → {w.end}" for w in turned.now.witnesses]
    rows = [("Way", words(", ".join(ways)))] if ways else [("Why", words(reason))] if reason else []
    return Stack(head, labelled([*_by(turned.by), *rows]))


def _finding(new: FoundView) -> Block:
    f = new.finding
    head = Text.assemble(
        badge(f.severity.upper(), SEVERITY_STYLES[f.severity], 7), (f.rule.ljust(22), "bold"), " ", words(f.place)
    )
    return Stack(head, labelled([*_by(new.by), ("What", words(f.what))]))


def _reach(word: str, rows: Sequence[Heard], by: Sequence[str]) -> Block:
    alike: dict[tuple[str, ...], list[str]] = {}
    for row in rows:
        alike.setdefault(row["at"], []).append(row["from"])
    shown = [(words(_few(senders)), "→", words(_few(at))) for at, senders in alike.items()]
    more = [Text(f"  and {len(shown) - _SHOWN} more rows", "dim")] if len(shown) > _SHOWN else []
    head = Text.assemble(
        (f"reach {word}", "bold"), f"   {plural(_pairs(rows), 'pair')} of ports, {plural(len(rows), 'sender')}"
    )
    return Stack(head, labelled(_by(by)), Stack(table(("", "", ""), shown[:_SHOWN], whole=[1]), indent=2), *more)


def _few(refs: Sequence[str]) -> str:
    """Returns ports with runs written short, and how many there are besides the first few."""
    by_switch: dict[str, list[str]] = {}
    for ref in refs:
        switch, _, port = ref.partition(":")
        by_switch.setdefault(switch, []).append(port)
    listed = [f"{switch}:{ports_text(ports)}" for switch, ports in by_switch.items()]
    return ", ".join(listed[:4]) + (f" and on {len(listed) - 4} more switches" if listed[4:] else "")


def drift_markdown(view: DriftView) -> str:
    """Returns a comparison for a merge request."""
    made = [f"# {escaped(view.before)} → {escaped(view.after)}", "", _counted(view), ""]
    if view.claims:
        made += ["| claim | was | is | by |", "| --- | --- | --- | --- |"]
        made += [f"| {escaped(c.name)} | {c.before} | {c.after} | {_cell(c.by)} |" for c in view.claims] + [""]
    if view.findings.new:
        made += ["| new finding | place | what happens | by |", "| --- | --- | --- | --- |"]
        made += [
            f"| {f.finding.severity} {f.finding.rule} | {escaped(f.finding.place)} | {escaped(f.finding.what)} | {_cell(f.by)} |"
            for f in view.findings.new
        ] + [""]
    if view.findings.gone:
        made += ["Gone: " + ", ".join(f"{f.rule} at {escaped(f.place)}" for f in view.findings.gone), ""]
    if view.reach.gained or view.reach.lost:
        made += ["| reach | pairs of ports | senders | by |", "| --- | --- | --- | --- |"]
        made += [f"| {w} | {_pairs(rows)} | {len(rows)} | {_cell(by)} |" for w, rows, by in _reaches(view) if rows] + [
            ""
        ]
    if view.states:
        made += ["| state | was | is |", "| --- | --- | --- |"]
        made += [f"| {escaped(s.what)} | {escaped(s.before)} | {escaped(s.after)} |" for s in view.states] + [""]
    if not view.changes:
        return "\n".join([*made, "Nothing that matters differs."]) + "\n"
    made += ["| setting | what became of it |", "| --- | --- |"]
    made += [f"| {escaped(c.at or 'campus file')} | {escaped(c.what)} |" for c in view.changes]
    return "\n".join(made) + "\n"


def _cell(by: Sequence[str]) -> str:
    return "<br>".join(map(escaped, by))


def drift_junit(view: DriftView) -> str:
    """Returns the effects as test cases: a claim that is worse, a finding that is new, and reach gained or lost fail."""
    suite = ET.Element("testsuite", name=clean(f"inkov drift {view.before} {view.after}"))
    for c in view.claims:
        case = ET.SubElement(suite, "testcase", classname="inkov.claims", name=clean(c.name))
        if c.after != "proved":
            failure = ET.SubElement(case, "failure", type=c.after, message=f"was {c.before}")
            failure.text = clean("; ".join(c.by))
    for f in view.findings.new:
        case = ET.SubElement(
            suite,
            "testcase",
            classname=f"inkov.{f.finding.severity}",
            name=clean(f"{f.finding.rule} {f.finding.place}"),
        )
        failure = ET.SubElement(case, "failure", type=f.finding.rule, message=clean(f.finding.what))
        failure.text = clean("; ".join(f.by))
    for word, rows, by in _reaches(view):
        case = ET.SubElement(suite, "testcase", classname="inkov.reach", name=f"reach {word}")
        if rows:
            said = f"{plural(_pairs(rows), 'pair')} of ports, {plural(len(rows), 'sender')}"
            failure = ET.SubElement(case, "failure", type=word, message=said)
            failure.text = clean("; ".join(by))
    return junit(suite)
