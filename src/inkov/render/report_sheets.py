"""The report as a workbook: a sheet each for findings, VLANs, ports, links and claims. Text of configurations stays text."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from typing import Any, Final

from inkov.handover import Handover
from inkov.render.page import clean

Cells = Sequence[str | int | None]
_MOST_WIDE: Final = 60
_MOST_TEXT: Final = 32_000
"""A cell holds 32,767 characters."""


def workbook(report: Handover) -> bytes:
    """Returns the report as a workbook (Office Open XML); the same report gives the same bytes."""
    from xlsxwriter import Workbook

    made = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    book = Workbook(made, options)
    book.set_properties(
        {"title": clean(report.campus), "created": datetime(2000, 1, 1, tzinfo=UTC).replace(tzinfo=None)}
    )
    head = book.add_format({"bold": True, "bottom": 1, "text_wrap": True, "valign": "top"})
    cell = book.add_format({"valign": "top", "text_wrap": True})
    for name, heads, rows in _sheets(report):
        _write(book.add_worksheet(name), heads, rows, head, cell)
    book.close()
    return made.getvalue()


def _sheets(report: Handover) -> Iterable[tuple[str, Cells, list[Cells]]]:
    yield (
        "findings",
        ("id", "severity", "rule", "place", "what", "mend", "vlans", "ports", "hosts", "claims", "evidence", "also"),
        [
            (
                *(f.id, f.severity, f.rule, f.place, f.what, f.mend, f.vlans, f.ports, ", ".join(f.hosts)),
                *(", ".join(f.claims), "; ".join(f"{e.fact} {e.place}" for e in f.evidence)),
                ", ".join(f"{a.rule} at {a.place}" for a in f.also),
            )
            for f in report.audit.findings
        ],
    )
    yield (
        "vlans",
        ("vlan", "names", "members", "switches", "parts"),
        [(v.vlan, ", ".join(v.names), v.members, v.switches, len(v.parts)) for v in report.vlans],
    )
    yield (
        "ports",
        ("device", "port", "mode", "vlans", "becomes", "stance", "native", "state", "faces", "label", "set at"),
        [
            (
                *(s.name, p.port.partition(":")[2], p.mode, p.vlans, p.becomes, p.stance, p.native),
                *("on" if p.enabled else "off", p.faces, p.label, p.source),
            )
            for s in report.switches
            for p in s.ports
        ],
    )
    yield (
        "links",
        ("one end", "other end", "up", "forms", "native here", "native there", "carries", "lost", "blocked", "doubt"),
        [
            (
                *(k.a, k.b, "yes" if k.up else "no", f"{k.form_a} | {k.form_b}", k.native_a, k.native_b, k.carried),
                *("; ".join(f"{loss.vlans}: {loss.reason}" for loss in k.lost), k.blocked, k.doubt),
            )
            for k in report.links
        ],
    )
    yield (
        "claims",
        ("claim", "asked", "outcome", "why", "missing", "rests on"),
        [
            (
                v.name,
                v.sentence,
                v.outcome,
                " ".join(v.why),
                "; ".join(v.missing),
                "; ".join(v.assumed),
            )
            for v in report.claims
        ],
    )


def _write(sheet: Any, heads: Cells, rows: list[Cells], head: Any, cell: Any) -> None:  # noqa: ANN401 - of the library
    widths = [len(str(h)) + 2 for h in heads]
    for column, name in enumerate(heads):
        sheet.write_string(0, column, str(name), head)
    for number, row in enumerate(rows, 1):
        for column, value in enumerate(row):
            if isinstance(value, int):
                sheet.write_number(number, column, value, cell)
                text = str(value)
            else:
                text = clean(value or "")[:_MOST_TEXT]
                sheet.write_string(number, column, text, cell)
            widths[column] = max(widths[column], min(len(text), _MOST_WIDE))
    for column, width in enumerate(widths):
        sheet.set_column(column, column, width + 1)
    sheet.freeze_panes(1, 1)
    sheet.autofilter(0, 0, max(len(rows), 1), len(heads) - 1)
