"""Relay maps as a table, and the ports of a switch against its VLANs as a grid of glyphs."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from inkov.model.names import ports_text
from inkov.render.page import WIDTH, clean, plural, spaced, words
from inkov.render.rows import Column, Page
from inkov.render.text import Block, Stack, Text
from inkov.views.relays import Grid, GridRow, RelayRow
from inkov.views.rogues import RogueRow

_GLYPHS = {"untagged": "U", "tagged": "T", "enters only": "<", "leaves only": ">", "absent": "·"}
_LEGEND = "U in and out untagged   T in and out tagged   < enters only   > leaves only   · absent"


RELAYS = (
    Column("port", "port", whole=True),
    Column("in-untagged", "in untagged", lists=True),
    Column("in-tagged", "in tagged", lists=True),
    Column("out-untagged", "out untagged", lists=True),
    Column("out-tagged", "out tagged", lists=True),
)


def relays_page(rows: Iterable[RelayRow]) -> Page:
    """Returns what goes in and out of each port; runs of like ports of a switch in one row."""
    runs: dict[tuple[str, ...], list[str]] = {}
    for r in rows:
        switch, _, port = r.port.partition(":")
        runs.setdefault((switch, r.in_untagged, r.in_tagged, r.out_untagged, r.out_tagged), []).append(port)
    body = [
        (words(f"{switch}:{ports_text(ports)}"), *(words(_listed(t)) for t in facts))
        for (switch, *facts), ports in runs.items()
    ]
    return Page(RELAYS, body, nothing="no ports")


ROGUES = (
    Column("ports", "host port", whole=True),
    Column("set-to", "set to"),
    Column("own", "own", lists=True),
    Column("sends", "a rogue switch sends into", lists=True),
    Column("hears", "and hears", lists=True),
    Column("members", "members", right=True),
)


def rogues_page(rows: Sequence[RogueRow]) -> Page:
    """Returns the ports on which a rogue switch gets more than their own VLANs; on a screen with a count of the others."""
    bad = [r for r in rows if r.beyond != "none"]
    others = sum(r.count for r in rows) - sum(r.count for r in bad)
    body = [
        (
            words(f"{r.switch}:{r.ports}"),
            words(r.set_to),
            words(_listed(r.own)),
            words(_listed(r.sends), "bold"),
            words(_listed(r.hears)),
            str(r.members),
        )
        for r in bad
    ]
    said = f"{plural(others, 'host port')} would give a rogue switch no more than {'its' if others == 1 else 'their'} own VLANs"
    note = f"{said}; of habits that nothing states the worse is assumed"
    return Page(ROGUES, body, after=[Text(note, "dim")] if body else (), nothing=note)


def _listed(text: str) -> str:
    return "-" if text == "none" else text


def grids_text(grids: Sequence[Grid]) -> Block:
    """Returns a grid a switch, the VLAN numbers written downwards over the columns."""
    if not grids:
        return Text("no VLAN to show")
    return spaced([*(_grid(g) for g in grids), Text(_LEGEND, "dim")])


def _grid(grid: Grid) -> Block:
    runs: dict[tuple[str, ...], list[str]] = {}
    for row in grid.rows:
        runs.setdefault(row.cells, []).append(row.port)
    rows = [GridRow(ports_text(ports), cells) for cells, ports in runs.items()]
    wide = max(len(clean(r.port)) for r in rows) + 3
    per_block = max(1, (WIDTH - wide) // 2)
    lines: list[Text] = [words(grid.switch, "bold")]
    for start in range(0, len(grid.vlans), per_block):
        columns = range(start, min(start + per_block, len(grid.vlans)))
        numbers = [str(grid.vlans[i]).rjust(4) for i in columns]
        heads = [" ".join(n[digit] for n in numbers) for digit in range(4)]
        lines += [Text(" " * wide + head, "dim") for head in heads if head.strip()]
        for row in rows:
            glyphs = " ".join(_GLYPHS[row.cells[i]] for i in columns)
            lines.append(Text.assemble(words(clean(row.port).ljust(wide)), glyphs))
    return Stack(*lines)
