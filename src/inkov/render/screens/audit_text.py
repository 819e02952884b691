"""The audit as text: a summary line, then the findings, worst first."""

from __future__ import annotations

from collections import Counter

from inkov.render.page import SEVERITY_STYLES, badge, labelled, many, plural, spaced, table, tally, words
from inkov.render.text import Block, Stack, Text
from inkov.rules.wording import joined
from inkov.views.findings import AuditView, EvidenceView, FindingView, hits

_SEEN = 3
_NAMED = 3


def audit_text(view: AuditView, *, full: bool = False) -> Block:
    """Returns the page of an audit: a few lines a finding, or all that is known of each."""
    return spaced([_summary(view), *(_finding(f, full=full) for f in view.findings), *_closing(view, full=full)])


def _summary(view: AuditView) -> Block:
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
    more = [Text(f"besides {' and '.join(left_out)}", "dim")] if left_out else []
    said = [words(view.summary)] if view.summary else []
    if view.unread:
        said.append(words(f"Not read, so nothing is said of what is in it: {joined(view.unread, 6)}", "bold"))
    if view.partly:
        said.append(words(f"Read in part, as some values are wrong: {joined(view.partly, 6)}", "bold"))
    return Stack(head, tally(counts) if counts else Text("no findings", "bold"), *said, *more)


def _closing(view: AuditView, *, full: bool) -> list[Block]:
    if not view.findings:
        return []
    rule = view.findings[0].rule
    hints = [f"inkov explain {rule}   tells more about a rule"]
    hints += [] if full else ["inkov audit --full   shows all that was seen, and what else follows from a cause"]
    return [Text("\n".join(hints), "dim")]


def _finding(finding: FindingView, *, full: bool) -> Block:
    head = Text.assemble(
        badge(finding.severity.upper(), SEVERITY_STYLES[finding.severity], 7),
        (finding.rule.ljust(22), "bold"),
        " ",
        words(finding.place),
    )
    rows: list[tuple[str, Block]] = [("What", words(finding.what))]
    if finding.evidence:
        rows.append(("Seen", _evidence(finding.evidence, len(finding.evidence) if full else _SEEN)))
    if hit := hits(finding, None if full else _NAMED):
        rows.append(("Hits", words(hit)))
    rows.append(("Mend", words(finding.mend)))
    if full:
        rows += [("Also", words(f"{also.rule}: {also.what}")) for also in finding.also]
    elif finding.also:
        rows.append(("Also", words(_counted([also.rule for also in finding.also]))))
    return Stack(head, labelled(rows))


def _counted(rules: list[str]) -> str:
    """Returns `native/users, native/jump (2)`."""
    return ", ".join(name if n == 1 else f"{name} ({n})" for name, n in Counter(rules).items())


def _evidence(evidence: tuple[EvidenceView, ...], shown: int) -> Block:
    rows = [(words(e.fact), words(e.place, "cyan")) for e in evidence[:shown]]
    if len(evidence) > shown:
        rows.append((words(f"and {len(evidence) - shown} more"), words("")))
    return table(("", ""), rows)
