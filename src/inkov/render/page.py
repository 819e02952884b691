"""The few shapes all text output is made of, and the rule that configuration text is data.

Meaning is never carried by colour alone: every coloured word is also a word or a glyph of its own.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from itertools import chain

from rich.console import Console, Group, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

WIDTH = 100
"""Columns that all text output fits into."""

SEVERITY_STYLES = {
    "breach": "white on red",
    "outage": "white on magenta",
    "risk": "black on yellow",
    "tidy": "reverse",
}
OUTCOME_STYLES = {"proved": "white on green", "broken": "white on red", "cannot tell": "black on yellow"}
"""Words on a ground of their own, so that they can be read on dark and on light terminals alike."""

_ASCII = str.maketrans(
    {
        "●": "#",
        "○": "o",
        "·": ".",
        "×": "x",
        "│": "|",
        "═": "=",
        "─": "-",
        "↔": "<>",
        "→": ">",
        "✓": "+",
        "✗": "-",
        "←": "<",
        "…": "~",
        "◆": "@",
        "▸": ")",
        "◂": "(",
    }
)


def clean(text: str) -> str:
    """Returns text of a configuration with every control character shown as a harmless escape."""
    if text.isprintable():
        return text
    return "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in text)


def plural(n: int, word: str) -> str:
    """Returns `1 switch`, `2 switches`."""
    return f"{n} {many(n, word)}"


def many(n: int, word: str) -> str:
    """Returns a word as it stands after a number."""
    return word if n == 1 else {"switch": "switches", "breach": "breaches", "tidy": "tidy"}.get(word, word + "s")


def words(text: str, style: str = "") -> Text:
    """Returns text that is printed as it is, markup and all."""
    return Text(clean(text), style=style)


def table(
    heads: Sequence[str],
    rows: Iterable[Sequence[RenderableType]],
    right: Collection[int] = (),
    whole: Collection[int] = (),
) -> Table:
    """Returns a table without lines; columns in `right` are aligned to the right, those in `whole` never broken."""
    made = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim", show_edge=False)
    for i, head in enumerate(heads):
        made.add_column(head, justify="right" if i in right else "left", overflow="fold", no_wrap=i in whole)
    for row in rows:
        made.add_row(*row)
    return made


def labelled(pairs: Iterable[tuple[str, RenderableType]], indent: int = 2) -> RenderableType:
    """Returns label and text side by side, the texts wrapped below themselves."""
    grid = Table.grid(padding=(0, 2, 0, 0))
    grid.add_column(style="dim", no_wrap=True)
    grid.add_column(overflow="fold")
    for label, text in pairs:
        grid.add_row(label, text)
    return Padding(grid, (0, 0, 0, indent))


def badge(word: str, style: str, width: int = 0) -> Text:
    """Returns a word on its ground, then blanks up to a width."""
    return Text.assemble((f" {word} ", style), " " * (width - len(word)))


def tally(counts: Iterable[tuple[str, str, str]]) -> Text:
    """Returns counts side by side: each a number, what it counts, and the style of the word."""
    return Text("   ").join(Text.assemble((f"{n} ", "bold"), badge(word, style)) for n, word, style in counts)


def spaced(blocks: Iterable[RenderableType]) -> Group:
    """Returns blocks with an empty line between them."""
    listed = list(blocks)
    return Group(*chain.from_iterable((b, "") for b in listed[:-1]), *listed[-1:])


def to_text(page: RenderableType, *, color: bool = False, width: int = WIDTH, ascii_only: bool = False) -> str:
    """Lays a page out.

    Args:
        page: what a renderer returned.
        color: with escape sequences for colour.
        width: columns.
        ascii_only: glyphs replaced by plain characters.
    """
    console = Console(
        width=width,
        force_terminal=color,
        color_system="standard" if color else None,
        highlight=False,
        markup=False,
        emoji=False,
        legacy_windows=False,
    )
    with console.capture() as captured:
        console.print(page)
    lines = [line.rstrip() for line in captured.get().splitlines()]
    text = "\n".join(lines) + "\n"
    return text.translate(_ASCII) if ascii_only else text
