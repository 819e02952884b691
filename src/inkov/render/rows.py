"""Tables that people read on a screen and programs read in a pipe: the same rows, written as each of them needs."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from enum import Enum
from typing import NamedTuple, TypeAlias

from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.names import natural
from inkov.model.source import Source
from inkov.render.page import escaped, harmless
from inkov.render.text import Block, Stack, Table, Text, written

Cell: TypeAlias = Text | str


class Shown(Enum):
    """Where a column is shown."""

    ALWAYS = "always"
    SCREEN = "on a screen"
    PIPE = "where rows are read by programs"
    ASKED = "when it is asked for"


class Column(NamedTuple):
    """A column of a table.

    Attributes:
        key: its name for `--columns` and `--sort`, and in CSV.
        head: its head in text.
        right: aligned to the right.
        whole: never broken: names, addresses, places.
        shown: where.
        lists: its cells are lists of VLANs: with blanks to wrap at on a screen, and cut in the middle when very long.
    """

    key: str
    head: str
    right: bool = False
    whole: bool = False
    shown: Shown = Shown.ALWAYS
    lists: bool = False


@dataclass
class Page:
    """A table with what is said around it on a screen.

    Attributes:
        columns: its columns.
        rows: a cell a column.
        folded: makes the rows as a screen shows them, where alike ones are folded there; None for the same.
        before: blocks above it.
        after: blocks below it.
        nothing: what is said instead when there is no row.
    """

    columns: Sequence[Column]
    rows: Sequence[Sequence[Cell]]
    folded: Callable[[], Sequence[Sequence[Cell]]] | None = None
    before: Sequence[Block] = ()
    after: Sequence[Block] = ()
    nothing: str = ""


@dataclass(frozen=True)
class Wish:
    """What a person wants of a table.

    Attributes:
        sort: key of the column to sort by, with `-` in front for the greatest first; empty for the usual order.
        columns: keys of the columns, in the order wanted; empty for the usual ones.
        heads: with heads.
        where: with columns that are only shown when asked for.
    """

    sort: str = ""
    columns: tuple[str, ...] = ()
    heads: bool = True
    where: bool = False


def text(page: Page, wish: Wish, width: int | None, *, color: bool = False) -> Iterator[str]:
    """Yields the lines of a table as text.

    Args:
        page: the table.
        wish: what of it is wanted.
        width: columns of the screen; None in a pipe, where each row is one line and nothing else is said.
        color: with escape sequences.
    """
    chosen, rows = _chosen(page, wish, screen=width is not None)
    heads = [page.columns[i].head if wish.heads else "" for i in chosen]
    whole = [n for n, i in enumerate(chosen) if page.columns[i].whole]
    right = [n for n, i in enumerate(chosen) if page.columns[i].right]
    if width is not None:
        lists = {n for n, i in enumerate(chosen) if page.columns[i].lists}
        rows = [[_wrapping(c) if n in lists else c for n, c in enumerate(row)] for row in rows] if lists else rows
    table: Block = Table(heads, rows, right, whole)
    if width is None:
        yield from written(table, None, color=color)
        return
    blocks = [table] if page.rows else [Text(page.nothing or "nothing to show")]
    if wish.columns:
        yield from written(table, width, color=color)
        return
    listed = [*page.before, *blocks, *page.after]
    spaced = [b for block in listed for b in (block, Text())][:-1]
    yield from written(Stack(*spaced), width, color=color)


def separated(page: Page, wish: Wish, delimiter: str) -> str:
    """Returns a table as comma- or tab-separated values (RFC 4180); text that a spreadsheet would run gets an apostrophe."""
    chosen, rows = _chosen(page, wish, screen=False)
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator="\n")
    if wish.heads:
        writer.writerow([page.columns[i].key for i in chosen])
    for row in rows:
        writer.writerow([harmless(_plain(cell)) for cell in row])
    return out.getvalue()


def markdown(page: Page, wish: Wish) -> str:
    """Returns a table as Markdown."""
    chosen, rows = _chosen(page, wish, screen=False)
    made = ["| " + " | ".join(page.columns[i].head or page.columns[i].key for i in chosen) + " |"]
    made.append("| " + " | ".join("---:" if page.columns[i].right else "---" for i in chosen) + " |")
    made += ["| " + " | ".join(escaped(_plain(cell)) for cell in row) + " |" for row in rows]
    return "\n".join(made) + "\n"


WRITERS: dict[str, Callable[[Page, Wish], str]] = {
    "csv": lambda page, wish: separated(page, wish, ","),
    "tsv": lambda page, wish: separated(page, wish, "\t"),
    "md": markdown,
}
"""Formats that every table can be written in, besides text and JSON."""


def _chosen(page: Page, wish: Wish, *, screen: bool) -> tuple[list[int], list[list[Cell]]]:
    """Returns the columns to write, and the rows cut to them, in the order wanted."""
    places = {c.key: i for i, c in enumerate(page.columns)}
    wanted = [(k, "--columns") for k in wish.columns] + ([(wish.sort.lstrip("-"), "--sort")] if wish.sort else [])
    unknown = [(key, option) for key, option in wanted if key not in places]
    if unknown:
        listed = ", ".join(places)
        raise BadInput(
            Problem(Source(o), f"there is no column {k!r:.40}{nearest(k, places, listed=0)}; there are {listed}")
            for k, o in unknown
        )
    fits = {Shown.ALWAYS, Shown.SCREEN if screen else Shown.PIPE} | ({Shown.ASKED} if wish.where else set())
    usual = [i for i, c in enumerate(page.columns) if c.shown in fits]
    chosen = [places[k] for k in wish.columns] or usual
    rows = list(page.folded() if screen and page.folded is not None else page.rows)
    if wish.sort:
        by = places[wish.sort.lstrip("-")]
        known, without = ([r for r in rows if (_plain(r[by]) in {"", "-"}) is none] for none in (False, True))
        known.sort(key=lambda row: natural(_plain(row[by])), reverse=wish.sort.startswith("-"))
        rows = known + without
    return chosen, [[row[i] for i in chosen] for row in rows]


_LIST_MAX = 60
"""Characters of a VLAN list on a screen; a longer one is cut in the middle, and a pipe or a program gets it whole."""


def shortened(vlans: str) -> str:
    """Returns a VLAN list for a screen, with blanks to wrap at; the middle of a long one is left out."""
    if len(vlans) <= _LIST_MAX:
        return vlans.replace(",", ", ").replace(",  ", ", ")
    head, _, _ = vlans[: _LIST_MAX - 10].rpartition(",")
    return f"{head}, …, {vlans.rpartition(',')[2]}".replace(",", ", ").replace(",  ", ", ")


def _wrapping(cell: Cell) -> Cell:
    if isinstance(cell, str):
        return shortened(cell)
    return Text(shortened(cell.plain), cell.spans[0][1] if cell.spans else "")


def _plain(cell: Cell) -> str:
    return cell if isinstance(cell, str) else cell.plain
