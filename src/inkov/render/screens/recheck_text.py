"""Checked certificates as text: the rejected first, each with its reason."""

from __future__ import annotations

from collections.abc import Sequence

from inkov.render.page import badge, labelled, plural, spaced, tally, words
from inkov.render.text import Block, Stack, Text, joined_by
from inkov.views.checks import CheckedRow

_STYLES = {True: ("accepted", "white on green"), False: ("rejected", "white on red")}
_SHOWN = 6


def recheck_text(rows: Sequence[CheckedRow]) -> Block:
    """Returns the page of a check."""
    counts = {accepted: sum(r.accepted is accepted for r in rows) for accepted in (False, True)}
    head = Stack(
        Text(plural(len(rows), "certificate"), "dim"),
        tally((str(n), *_STYLES[accepted]) for accepted, n in counts.items() if n),
    )
    return spaced([head, *(_row(r) for r in sorted(rows, key=lambda r: r.accepted))])


def _row(row: CheckedRow) -> Block:
    word, style = _STYLES[row.accepted]
    head = Text.assemble(badge(word.upper(), style, 9), words(row.claim or row.certificate, "bold"))
    facts: list[tuple[str, Block]] = [("Why", words(f"{r[:1].upper()}{r[1:]}.")) for r in row.reasons]
    if row.checked:
        facts.append(("Claim", words(row.checked)))
    facts.append(("File", words(row.certificate, "cyan")))
    if row.rests_on:
        more = [f"and {len(row.rests_on) - _SHOWN} more"] if len(row.rests_on) > _SHOWN else []
        facts.append(("Rests on", joined_by("\n", map(words, [*row.rests_on[:_SHOWN], *more]))))
    if row.changed:
        more = [f"and {len(row.changed) - _SHOWN} more"] if len(row.changed) > _SHOWN else []
        facts.append(("Changed", words(", ".join([*row.changed[:_SHOWN], *more]))))
    return Stack(head, labelled(facts))
