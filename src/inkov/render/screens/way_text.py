"""The way of a frame, drawn downwards: a switch a step, the tag on every hop, and the settings that allow it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from inkov.render.page import clean, words
from inkov.render.text import Block, Text
from inkov.views.reports import PassageView, TurnView


def passage_lines(way: Sequence[PassageView | TurnView], *, stopped: bool = False) -> list[Text]:
    """Returns the lines of a way; with `stopped`, the last switch does not send the frame on."""
    wide = max((len(clean(_device(p))) for p in way), default=0) + 2
    lines: list[Text] = []
    before: PassageView | None = None
    for passage in way:
        if isinstance(passage, TurnView):
            lines += [Text("│", "dim"), *_turn(passage, wide)]
            before = None
            continue
        last = stopped and passage is way[-1]
        lines += [Text("│", "dim"), *_passage(passage, before, wide, last=last)]
        before = passage if passage.vlan else before  # what passes frames as they are changes nothing
    return lines


def _device(step: PassageView | TurnView) -> str:
    return step.device if isinstance(step, TurnView) else step.switch


def _turn(turn: TurnView, wide: int) -> list[Text]:
    into, out = (f"{v or 'untagged'}" for v in (turn.in_vlan, turn.out_vlan))
    head = Text.assemble(
        ("◆  ", "bold red"),
        words(clean(turn.device).ljust(wide)),
        (f"routes {turn.source} → {turn.target}", "bold red"),
    )
    rows = [f"from {into} ({turn.in_address}) to {out} ({turn.out_address})", *turn.passed]
    lines = [Text.assemble(("│     ", "dim"), words(row)) for row in rows]
    return [head, *lines, *(Text.assemble(("│     ", "dim"), words(source, "cyan")) for source in turn.sources)]


def _passage(passage: PassageView, before: PassageView | None, wide: int, *, last: bool) -> list[Text]:
    changed = before is not None and passage.vlan not in {0, before.vlan}
    style = "bold red" if changed else "bold"
    was = f", was {before.vlan}" if changed and before is not None else ""
    inside = f"in {passage.vlan}{was}" if passage.vlan else "as it is"
    head = Text.assemble(
        ("×  " if changed else "●  ", style), words(clean(passage.switch).ljust(wide)), (inside.ljust(20), style)
    )
    if not last and not passage.out:
        head.append(words("to its gateway"))
    elif not last:
        head.append(words(f"out {passage.out.partition(':')[2]}   "))
        head.append(tags_text(passage.leaves), "bold")
        if passage.foreign and passage.leaves:
            head.append(words(f" ({passage.foreign})"))
    return [head, *(Text.assemble(("│     ", "dim"), words(source, "cyan")) for source in passage.sources)]


def tags_text(tags: tuple[int, ...] | None) -> str:
    """Returns the tags of a frame in words; `tag 310 in tag 500` is 310 inside 500."""
    if tags is None:
        return "tags unknown"
    return " in ".join(f"tag {t}" for t in reversed(tags)) or "untagged"


def write_rows(lines: Sequence[str]) -> list[tuple[str, Block]]:
    """Returns rows that show what to write to state missing facts."""
    rows: list[tuple[str, Block]] = [
        ("" if n else "Write", words(line, "cyan")) for n, line in enumerate(lines[:_SHOWN])
    ]
    if len(lines) > _SHOWN:
        rows.append(("", words(f"and {len(lines) - _SHOWN} more, which --format json has", "dim")))
    if lines:
        rows.append(("", words("each as a file of its own beside the others, with the value that is true", "dim")))
    return rows


_SHOWN: Final = 4
