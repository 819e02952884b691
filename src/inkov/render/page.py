"""The few shapes all text output is made of, and the rule that configuration text is data.

Meaning is never carried by colour alone: every coloured word is also a word or a glyph of its own.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from itertools import chain

from inkov.render.text import Block, Labelled, Stack, Table, Text, joined_by, written

WIDTH = 100
"""Columns that pages of text fit into where nothing is known of the screen."""

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


_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def harmless(text: str) -> str:
    """Returns text that no spreadsheet takes for a formula: one that begins like that gets a quote before it."""
    text = clean(text)
    return f"'{text}" if text.startswith(_FORMULA) and text != "-" else text


def escaped(text: str) -> str:
    """Returns text that Markdown and the HTML in it show as it is."""
    text = clean(text).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    for special in "\\`*_[]|":
        text = text.replace(special, "\\" + special)
    return text


def plural(n: int, word: str) -> str:
    """Returns `1 switch`, `2 switches`."""
    return f"{n} {many(n, word)}"


def many(n: int, word: str) -> str:
    """Returns a word as it stands after a number."""
    return word if n == 1 else {"switch": "switches", "breach": "breaches", "tidy": "tidy"}.get(word, word + "s")


def words(text: str, style: str = "") -> Text:
    """Returns text that is printed as it is, its control characters made harmless."""
    return Text(clean(text), style)


def table(
    heads: Sequence[str],
    rows: Iterable[Sequence[Text | str]],
    right: Collection[int] = (),
    whole: Collection[int] = (),
) -> Table:
    """Returns a table; columns in `right` are aligned to the right, those in `whole` never broken."""
    return Table(heads, rows, right, whole)


def labelled(pairs: Iterable[tuple[str, Block]], indent: int = 2) -> Block:
    """Returns label and text side by side, the texts wrapped below themselves."""
    return Labelled(list(pairs), indent)


def badge(word: str, style: str, width: int = 0) -> Text:
    """Returns a word on its ground, then blanks up to a width."""
    return Text.assemble((f" {word} ", style), " " * (width - len(word)))


def tally(counts: Iterable[tuple[str, str, str]]) -> Text:
    """Returns counts side by side: each a number, what it counts, and the style of the word."""
    return joined_by("   ", (Text.assemble((f"{n} ", "bold"), badge(word, style)) for n, word, style in counts))


def spaced(blocks: Iterable[Block]) -> Stack:
    """Returns blocks with an empty line between them."""
    listed = list(blocks)
    return Stack(*chain.from_iterable((b, Text()) for b in listed[:-1]), *listed[-1:])


def to_text(page: Block, *, color: bool = False, width: int | None = None, ascii_only: bool = False) -> str:
    """Returns a page as text.

    Args:
        page: what a renderer returned.
        color: with escape sequences for colour.
        width: columns of a terminal; None where lines have no limit, as in a pipe.
        ascii_only: glyphs replaced by plain characters.
    """
    text = "\n".join(written(page, width, color=color)) + "\n"
    return ascii_text(text) if ascii_only else text


def ascii_text(text: str) -> str:
    """Returns text with its glyphs replaced by plain characters."""
    return text.translate(_ASCII)
