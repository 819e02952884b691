"""Text that is written, not laid out: pieces with a style, stacked into blocks, put into lines in one pass.

A block becomes lines for a width, or for no width at all: in a pipe every row is one line, complete, and nothing wraps.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from functools import lru_cache
from itertools import chain
from typing import Final, TypeAlias

Span: TypeAlias = tuple[str, str]
"""A piece of text, and its style: words such as `bold red` or `white on green`; empty for none."""

Line: TypeAlias = list[Span]

_NARROW: Final = 8
"""Columns that a cell which wraps should have at least; with less, rows become blocks."""


class Text:
    """A piece of text in spans; a line break in it begins a new line."""

    __slots__ = ("spans",)

    def __init__(self, text: str = "", style: str = "") -> None:
        self.spans: Line = [(text, style)] if text else []

    @classmethod
    def assemble(cls, *parts: Text | Span | str) -> Text:
        """Returns several parts as one: texts, plain strings, or strings with a style."""
        made = cls()
        for part in parts:
            if isinstance(part, Text):
                made.spans += part.spans
            else:
                made.spans.append((part, "") if isinstance(part, str) else part)
        return made

    def append(self, more: Text | str, style: str = "") -> Text:
        """Adds a piece at the end, and returns the text."""
        self.spans += more.spans if isinstance(more, Text) else [(more, style)]
        return self

    def styled(self, style: str) -> Text:
        """Returns it with a style where it has none."""
        return Text.assemble(*((text, own or style) for text, own in self.spans))

    @property
    def plain(self) -> str:
        """The text alone."""
        return "".join(text for text, _ in self.spans)


def joined_by(between: str, parts: Iterable[Text]) -> Text:
    """Returns texts with something between them."""
    made = Text()
    for n, part in enumerate(parts):
        made.append(between if n else "").append(part)
    return made


class Stack:
    """Blocks below each other, moved to the right by some columns."""

    __slots__ = ("blocks", "indent")

    def __init__(self, *blocks: Block, indent: int = 0) -> None:
        self.blocks = blocks
        self.indent = indent


class Table:
    """Rows of cells under heads.

    Attributes:
        heads: one a column; all empty for none.
        rows: cells, texts or plain strings.
        right: columns that are aligned to the right.
        whole: columns that are never broken: names, addresses, places.
    """

    __slots__ = ("heads", "right", "rows", "whole")

    def __init__(
        self,
        heads: Sequence[str],
        rows: Iterable[Sequence[Text | str]],
        right: Collection[int] = (),
        whole: Collection[int] = (),
    ) -> None:
        self.heads = heads
        self.rows = rows
        self.right = right
        self.whole = whole


class Labelled:
    """Labels with a text or block beside each, wrapped below itself."""

    __slots__ = ("indent", "pairs")

    def __init__(self, pairs: Sequence[tuple[str, Block]], indent: int) -> None:
        self.pairs = pairs
        self.indent = indent


Block: TypeAlias = str | Text | Stack | Table | Labelled


def lines(block: Block, width: int | None) -> Iterator[Line]:
    """Yields the lines of a block.

    Args:
        block: what to write.
        width: columns there are; None for no limit, where nothing wraps.
    """
    match block:
        case str():
            yield from lines(Text(block), width)
        case Text():
            for own in _split(block.spans):
                yield from _wrapped(own, width)
        case Stack(blocks=blocks, indent=indent):
            before = [(" " * indent, "")] if indent else []
            for inner in blocks:
                for line in lines(inner, None if width is None else width - indent):
                    yield before + line if before else line
        case Labelled():
            yield from _labelled(block, width)
        case Table():
            yield from _table(block, width)


def _labelled(block: Labelled, width: int | None) -> Iterator[Line]:
    wide = max((cells(label) for label, _ in block.pairs), default=0)
    left = " " * block.indent
    room = None if width is None else max(width - block.indent - wide - 2, _NARROW)
    for label, inner in block.pairs:
        for n, line in enumerate(lines(inner, room)):
            own = label if not n else ""
            yield [(left, ""), (own, "dim"), (" " * (wide - cells(own) + 2), ""), *line]


# -- tables ------------------------------------------------------------------------------------------


_LONG = 40
"""Characters of a cell that stands out of its column in a pipe."""


def _table(block: Table, width: int | None) -> Iterator[Line]:
    rows = list(block.rows)
    sizes = [cells(h) for h in block.heads]
    for i, column in enumerate(zip(*rows, strict=True)):
        found = _sizes(column) if width is not None else filter(_LONG.__ge__, _sizes(column))
        sizes[i] = max(sizes[i], max(found, default=0))  # in a pipe, a few long lists do not pad all other rows
    fitted = sizes if width is None else _fitted(block, rows, sizes, width)
    if fitted is None:
        yield from _blocks(block, [_texts(row) for row in rows], width)
        return
    wrap = fitted is not sizes
    if any(block.heads):
        yield from _row([Text(h, "bold") for h in block.heads], fitted, block.right, wrap=wrap)
        if width is not None:
            yield [("─" * min(sum(fitted) + 2 * (len(fitted) - 1), width), "dim")]
    form = "  ".join(f"%{'' if i in block.right else '-'}{size}s" for i, size in enumerate(fitted))
    for row in rows:
        plain = not wrap and _PLAIN.issuperset(map(type, row))
        if plain and (line := form % tuple(row)).isascii():
            yield [(line, "")]
        elif plain:
            yield [("  ".join([_padded(str(cell), fitted[i], i in block.right) for i, cell in enumerate(row)]), "")]
        else:
            yield from _row(_texts(row), fitted, block.right, wrap=wrap)


_PLAIN: Final = frozenset({str})


def _sizes(column: Sequence[Text | str]) -> Iterable[int]:
    """Returns the columns of a terminal that each cell takes; most are plain, and are not asked one by one."""
    texts = [cell for cell in column if isinstance(cell, str)]
    if "".join(texts).isascii():
        return chain(map(len, texts), (_size(cell) for cell in column if not isinstance(cell, str)))
    return (cells(cell) if isinstance(cell, str) else _size(cell) for cell in column)


def _texts(row: Sequence[Text | str]) -> list[Text]:
    return [Text(c) if isinstance(c, str) else c for c in row]


def _padded(text: str, size: int, right: bool) -> str:
    gap = " " * (size - cells(text))
    return gap + text if right else text + gap


def _size(cell: Text) -> int:
    if len(cell.spans) == 1:
        text = cell.spans[0][0]
        if "\n" not in text:
            return cells(text)
    return max((sum(cells(t) for t, _ in line) for line in _split(cell.spans)), default=0)


def _fitted(block: Table, rows: Sequence[Sequence[Text | str]], sizes: list[int], width: int) -> list[int] | None:
    """Returns widths of columns that fit; None where cells would become too narrow to read."""
    over = sum(sizes) + 2 * (len(sizes) - 1) - width
    if over <= 0:
        return sizes
    least = list(sizes)
    for i, size in enumerate(sizes):
        if i not in block.whole:
            words = (w for row in rows for text, _ in _texts(row)[i].spans for w in text.split())
            longest = max(map(cells, (*words, *block.heads[i].split())), default=0)
            least[i] = min(size, max(longest, _NARROW))
    if sum(least) + 2 * (len(least) - 1) > width:
        return None
    made = list(sizes)
    while over > 0:
        widest = max((i for i in range(len(made)) if made[i] > least[i]), key=lambda i: made[i] - least[i])
        made[widest] -= 1
        over -= 1
    return made


def _row(row: Sequence[Text], sizes: Sequence[int], right: Collection[int], *, wrap: bool) -> Iterator[Line]:
    if not wrap and all(len(cell.spans) < 2 and "\n" not in (cell.spans or [("", "")])[0][0] for cell in row):
        yield _one_line([cell.spans for cell in row], sizes, right)
        return
    columns = [
        [line for own in _split(cell.spans) for line in _wrapped(own, sizes[i] if wrap else None)] or [[]]
        for i, cell in enumerate(row)
    ]
    for n in range(max(map(len, columns))):
        yield _one_line([c[n] if n < len(c) else [] for c in columns], sizes, right)


def _one_line(columns: Sequence[Line], sizes: Sequence[int], right: Collection[int]) -> Line:
    made: Line = []
    last = len(columns) - 1
    while last > 0 and not columns[last]:
        last -= 1
    for i in range(last + 1):
        line = columns[i]
        gap = " " * (sizes[i] - sum(cells(text) for text, _ in line))
        if i in right and gap:
            made.append((gap, ""))
        made += line
        if i < last:
            made.append(("  " if i in right else gap + "  ", ""))
    return made


def _blocks(block: Table, rows: list[list[Text]], width: int | None) -> Iterator[Line]:
    """Yields rows as blocks, for screens too narrow for a table: its names on top, and the rest below by their heads."""
    names = next((i for i in range(len(block.heads)) if i not in block.whole), 1) or 1
    for n, row in enumerate(rows):
        if n:
            yield []
        yield from lines(joined_by(" ", row[:names]).styled("bold"), width)
        pairs = [(h, c) for h, c in zip(block.heads[names:], row[names:], strict=True) if c.plain.strip()]
        yield from _labelled(Labelled(pairs, 2), width)


# -- lines -------------------------------------------------------------------------------------------


def _split(spans: Line) -> Iterator[Line]:
    """Yields the lines that line breaks make of spans."""
    line: Line = []
    for text, style in spans:
        if "\n" not in text:
            line.append((text, style))
            continue
        first, *others = text.split("\n")
        line.append((first, style))
        for other in others:
            yield line
            line = [(other, style)]
    yield line


def _wrapped(spans: Line, width: int | None) -> Iterator[Line]:
    """Yields lines no wider than a width, broken at blanks alone; a word that is wider stays whole."""
    if width is None or sum(cells(text) for text, _ in spans) <= width:
        yield spans
        return
    line: Line = []
    used = 0
    blank = ""
    for text, style in spans:
        for n, word in enumerate(_words(text)):
            if not word.strip(" "):
                blank = word if line or not n else ""
                continue
            size = cells(word)
            if line and used + len(blank) + size > width:
                yield line
                line, used = [], 0
            elif blank:
                line.append((blank, style))
                used += len(blank)
            blank = ""
            line.append((word, style))
            used += size
    if line:
        yield line


def _words(text: str) -> Iterator[str]:
    """Yields runs of blanks and of other characters in turn."""
    start = 0
    for i in range(1, len(text)):
        if (text[i] == " ") != (text[i - 1] == " "):
            yield text[start:i]
            start = i
    if text:
        yield text[start:]


def cells(text: str) -> int:
    """Returns how many columns of a terminal a text takes."""
    return len(text) if text.isascii() else _wide(text)


@lru_cache(maxsize=4096)
def _wide(text: str) -> int:
    from rich.cells import cell_len  # noqa: PLC0415 - only for what is not plain

    return cell_len(text)


_CODES: Final = {
    "bold": "1",
    "dim": "2",
    "underline": "4",
    "reverse": "7",
    **{
        name: str(30 + i)
        for i, name in enumerate(("black", "red", "green", "yellow", "blue", "magenta", "cyan", "white"))
    },
}


@lru_cache(maxsize=256)
def codes(style: str) -> str:
    """Returns the escape sequence (ECMA-48, 8.3.117) that starts a style; empty for none."""
    front, _, ground = style.partition(" on ")
    parts = [_CODES[word] for word in front.split()]
    parts += [str(int(_CODES[ground]) + 10)] if ground else []
    return f"\x1b[{';'.join(parts)}m" if parts else ""


def written(block: Block, width: int | None, *, color: bool = False) -> Iterator[str]:
    """Yields the lines of a block as they are written, without blanks or a line break at their ends.

    Args:
        block: what to write.
        width: columns there are; None for no limit.
        color: with escape sequences for styles.
    """
    for line in lines(block, width):
        if color:
            yield "".join(f"{codes(s)}{t}\x1b[0m" if (s and t.strip()) or "on" in s else t for t, s in line).rstrip()
        else:
            yield "".join([text for text, _ in line]).rstrip()
