"""Findings over revisions as bars inside of a page: shapes with classes only, so that the page's style and policy hold."""

from __future__ import annotations

from typing import Final

from markupsafe import Markup, escape

from inkov.change.history import TrendView
from inkov.render.page import clean

_BAR, _GAP, _HEIGHT, _TOP = 26, 6, 120, 18
STYLE: Final = """
.trend{max-width:100%;height:auto;display:block;margin:8px 0}.trend text{fill:var(--ink);font-size:10px;text-anchor:middle}
.trend rect{fill:var(--tone);stroke:var(--paper)}
"""


def svg(view: TrendView) -> Markup:
    """Returns a bar a revision, the oldest left, stacked by severity with the worst at the bottom; its number above."""
    rows = [r for r in view.rows if not r.why]
    most = max([sum(r.counts.values()) for r in rows] + [1])
    parts = []
    for n, row in enumerate(rows):
        x, y = n * (_BAR + _GAP) + _GAP, float(_TOP + _HEIGHT)
        for severity, found in row.counts.items():
            height = found / most * _HEIGHT
            y -= height
            title = escape(clean(f"{row.revision}, {row.date}: {found} {severity}"))
            parts.append(
                f'<rect class="{severity}" x="{x}" y="{y:.1f}" width="{_BAR}" height="{height:.1f}"><title>{title}</title></rect>'
            )
        total = sum(row.counts.values())
        parts.append(f'<text x="{x + _BAR / 2:g}" y="{y - 4:.1f}">{total}</text>')
    width, height = len(rows) * (_BAR + _GAP) + _GAP, _TOP + _HEIGHT + 2
    said = escape(clean(f"Findings over {len(rows)} revisions, the oldest left; the table below has the numbers"))
    return Markup(
        f'<svg xmlns="http://www.w3.org/2000/svg" class="trend" role="img" aria-label="{said}" viewBox="0 0 {width} {height}" '
        f'width="{width}" height="{height}">{"".join(parts)}</svg>'
    )
