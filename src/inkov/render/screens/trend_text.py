"""A campus over its revisions as text, and as a figure."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final
from xml.etree import ElementTree as ET

from inkov.change.history import TrendRow, TrendView
from inkov.render.figures import saved
from inkov.render.junit import junit
from inkov.render.page import clean, escaped, spaced, table, words
from inkov.render.text import Block, Text

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

_TONES: Final = {
    "breach": ("#9f1239", ""),
    "outage": ("#d97706", "//"),
    "risk": ("#e5c07b", ".."),
    "tidy": ("#cbd5e1", ""),
}


def trend_text(view: TrendView) -> Block:
    """Returns a line a revision, the newest first."""
    rows = [_row(r) for r in reversed(view.rows)]
    heads = ("revision", "date", "breach", "outage", "risk", "tidy", "new", "gone", "what turned")
    made: list[Block] = [table(heads, rows, right=[2, 3, 4, 5, 6, 7], whole=[0, 1])]
    if view.claim:
        made.append(words(_since(view), "bold"))
        turns = [
            (words(t.revision), Text(t.date), words(f"{t.before} → {t.after}"), words("; ".join(t.by) or t.subject))
            for t in reversed(view.turns)
        ]
        if turns:
            made.append(table(("revision", "date", "verdict", "edits that did it"), turns, whole=[0, 1, 2]))
    return spaced(made)


def _since(view: TrendView) -> str:
    """Says how a claim stands at the newest revision."""
    if view.broke:
        return f"'{view.claim}' no longer holds since {view.broke}"
    now = next((r.claims[view.claim] for r in reversed(view.rows) if view.claim in r.claims), "")
    return f"'{view.claim}' holds" if now == "proved" else f"'{view.claim}' held in none of these revisions"


def trend_markdown(view: TrendView) -> str:
    """Returns a table with a line a revision, the newest first, and one with each turn of a claim."""
    made = [f"## {escaped(view.campus)}", ""]
    heads = ["revision", "date", *_TONES, "new", "gone", "what turned"]
    made += [f"| {' | '.join(heads)} |", f"|{' --- |' * len(heads)}"]
    for row in reversed(view.rows):
        counts = [str(row.counts.get(name, "-")) for name in _TONES]
        said = f"not read: {row.why}" if row.why else "; ".join(row.turned) or row.subject
        cells = [row.revision, row.date, *counts, str(row.opened), str(row.closed), said]
        made.append(f"| {' | '.join(map(escaped, cells))} |")
    if view.claim:
        made += ["", escaped(_since(view)), "", "| revision | verdict | edits that did it |", "| --- | --- | --- |"]
        made += [
            f"| {escaped(t.revision)} | {t.before} → {t.after} | {'<br>'.join(map(escaped, t.by))} |"
            for t in reversed(view.turns)
        ]
    return "\n".join(made) + "\n"


def trend_junit(view: TrendView) -> str:
    """Returns a test case a revision: one that was not read, or that turned a claim away from proved, fails."""
    suite = ET.Element("testsuite", name=clean(f"inkov history {view.campus}"))
    for row in view.rows:
        case = ET.SubElement(suite, "testcase", classname="inkov.history", name=clean(f"{row.revision} {row.subject}"))
        bad = [
            t for t in row.turned if not t.endswith("→ proved") and (not view.claim or t.startswith(f"{view.claim}: "))
        ]
        if row.why or bad:
            failure = ET.SubElement(case, "failure", type="not read" if row.why else "turned")
            failure.set("message", clean(row.why or "; ".join(bad)))
            failure.text = clean("; ".join(by for t in view.turns if t.revision == row.revision for by in t.by))
    return junit(suite)


def _row(row: TrendRow) -> tuple[Text, ...]:
    if row.why:
        return (words(row.revision), Text(row.date), *[Text("-")] * 6, words(f"not read: {row.why}"))
    counts = [Text(str(n)) for n in row.counts.values()]
    said = "; ".join(row.turned) or row.subject
    return (words(row.revision), Text(row.date), *counts, Text(str(row.opened)), Text(str(row.closed)), words(said))


def trend_figure(view: TrendView, kind: str) -> bytes:
    """Returns a figure: findings by severity, revision by revision, and the claims below them.

    Raises:
        BadInput: what draws is not installed.
    """
    rows = [r for r in view.rows if not r.why]
    names = list(dict.fromkeys(name for r in rows for name in r.claims))[:20]

    def draw(figure: Figure) -> None:
        upper, lower = figure.subplots(2, 1, sharex=True, height_ratios=[3, max(0.3, 0.22 * len(names))])
        _bars(upper, rows)
        _claims(lower, rows, names)
        upper.set_title(clean(view.campus), loc="left", parse_math=False)
        figure.tight_layout()

    size = max(6.0, 0.42 * len(rows) + 3), 3.2 + 0.22 * len(names)
    return saved(size, draw, kind, dpi=130, command="history", settings={"font.size": 8})


def _bars(axes: Axes, rows: list[TrendRow]) -> None:
    below = [0.0] * len(rows)
    for severity, (color, hatch) in _TONES.items():
        heights = [float(r.counts.get(severity, 0)) for r in rows]
        axes.bar(
            range(len(rows)),
            heights,
            bottom=below,
            color=color,
            hatch=hatch,
            edgecolor="#333",
            linewidth=0.5,
            label=severity,
        )
        below = [a + b for a, b in zip(below, heights, strict=True)]
    axes.set_ylabel("findings")
    axes.legend(ncols=4, frameon=False, loc="upper left", bbox_to_anchor=(0, 1.02))
    axes.set_ylim(0, max([*below, 1.0]) * 1.25)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def _claims(axes: Axes, rows: list[TrendRow], names: list[str]) -> None:
    signs = {"proved": ("o", "#0b6b45"), "broken": ("X", "#9f1239"), "cannot tell": ("$?$", "#7c4a03")}
    for verdict, (marker, color) in signs.items():
        spots = [(x, y) for x, r in enumerate(rows) for y, n in enumerate(names) if r.claims.get(n) == verdict]
        if spots:
            across, down = [x for x, _ in spots], [y for _, y in spots]
            axes.scatter(across, down, marker=marker, color=color, s=30, label=verdict)
    axes.set_yticks(range(len(names)), [clean(n)[:40] for n in names], parse_math=False)
    axes.set_xticks(range(len(rows)), [clean(r.revision) for r in rows], rotation=90, parse_math=False)
    axes.set_ylim(len(names) - 0.4, -0.6)
    if names:
        axes.legend(ncols=3, frameon=False, loc="upper left", bbox_to_anchor=(0, -0.45))
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
