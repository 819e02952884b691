"""The audit as text: a summary line, then the findings, worst first."""

from __future__ import annotations

from rich.console import Group, RenderableType
from rich.text import Text

from inkov.render.page import SEVERITY_STYLES, badge, labelled, many, plural, spaced, table, tally, words
from inkov.views.reports import AuditView, EvidenceView, FindingView

_SHOWN_EVIDENCE = 6


def audit_text(view: AuditView) -> RenderableType:
    """Returns the page of an audit."""
    return spaced([_summary(view), *map(_finding, view.findings), *_closing(view)])


def _summary(view: AuditView) -> RenderableType:
    size = view.size
    counted = "   ".join(
        [
            plural(size.switches, "switch"),
            plural(size.ports, "port"),
            plural(size.links, "link"),
            plural(size.vlans, "VLAN"),
        ]
    )
    head = Text.assemble(words(view.campus, "bold"), "   ", (counted, "dim"))
    counts = [(str(n), many(n, severity), SEVERITY_STYLES[severity]) for severity, n in view.counts.items() if n]
    left_out = [f"{n} {word}" for n, word in ((view.waived, "waived"), (view.known, "known before")) if n]
    more = [Text(f"besides {' and '.join(left_out)}", style="dim")] if left_out else []
    return Group(head, tally(counts) if counts else Text("no findings", style="bold"), *more)


def _closing(view: AuditView) -> list[RenderableType]:
    if not view.findings:
        return []
    return [Text(f"inkov explain {view.findings[0].rule}   tells more about a rule", style="dim")]


def _finding(finding: FindingView) -> RenderableType:
    head = Text.assemble(
        badge(finding.severity.upper(), SEVERITY_STYLES[finding.severity], 7),
        (finding.rule.ljust(22), "bold"),
        " ",
        words(finding.place),
    )
    rows: list[tuple[str, RenderableType]] = [("What", words(finding.what))]
    if finding.evidence:
        rows.append(("Seen", _evidence(finding.evidence)))
    if hits := _hits(finding):
        rows.append(("Hits", words(hits)))
    rows.append(("Mend", words(finding.mend)))
    rows += [("Also", words(f"{also.rule}: {also.what}")) for also in finding.also]
    return Group(head, labelled(rows))


def _hits(finding: FindingView) -> str:
    parts = []
    if finding.vlans != "none":
        parts.append(f"VLAN{'' if finding.vlans.isdecimal() else 's'} {finding.vlans}")
    if finding.ports:
        parts.append(plural(finding.ports, "port"))
    return ", ".join(parts)


def _evidence(evidence: tuple[EvidenceView, ...]) -> RenderableType:
    rows = [(words(e.fact), words(e.place, "cyan")) for e in evidence[:_SHOWN_EVIDENCE]]
    if len(evidence) > _SHOWN_EVIDENCE:
        rows.append((words(f"and {len(evidence) - _SHOWN_EVIDENCE} more"), words("")))
    made = table(("", ""), rows)
    made.show_header = False
    return made
