"""A traced frame as text: the cause in the first line, then the way there and the way back, drawn downwards."""

from __future__ import annotations

from inkov.render.page import OUTCOME_STYLES, badge, labelled, plural, spaced, words
from inkov.render.screens.way_text import passage_lines, tags_text, write_rows
from inkov.render.text import Block, Stack, Text
from inkov.views.reports import PassageView, TurnView
from inkov.views.traces import HaltView, LegView, TraceView

_STYLES = {**OUTCOME_STYLES, "open": OUTCOME_STYLES["proved"], "stopped": OUTCOME_STYLES["broken"]}


def trace_text(view: TraceView) -> Block:
    """Returns the page of a trace."""
    style = _STYLES[view.outcome]
    head = Text.assemble(
        words(f"{view.a} → {view.b}", "bold"), "   ", badge(view.outcome, style), " ", words(view.cause)
    )
    blocks: list[Block] = [head]
    if view.vlans:
        blocks.append(words(view.vlans))
    if view.outcome == "cannot tell":
        missing = dict.fromkeys((*view.there.missing, *view.back.missing))
        rows: list[tuple[str, Block]] = [("Missing", words(fact)) for fact in missing]
        rows += write_rows(list(dict.fromkeys((*view.there.write, *view.back.write))))
        blocks.append(labelled(rows))
    blocks += [_leg("there", view.there), _leg("back", view.back)]
    return spaced(blocks)


def _leg(name: str, leg: LegView) -> Block:
    first, last = (leg.way[0], leg.way[-1]) if leg.way else (None, None)
    arrived = first.arrived if isinstance(first, PassageView) and first.by else ()
    lines: list[Text] = [
        Text.assemble((name, "bold")),
        Text.assemble(
            "○  ", words(leg.start), "   ", ("" if isinstance(first, TurnView) else tags_text(arrived), "bold")
        ),
        *passage_lines(leg.way, stopped=leg.halt is not None),
    ]
    if leg.halt is None:
        lines += [
            Text("│", "dim"),
            Text.assemble("○  ", words(leg.end), "   ", (_leaves(last), "bold")),
        ]
    else:
        lines += _halt(leg.halt)
    return Stack(Stack(*lines), indent=2)


def _leaves(last: PassageView | TurnView | None) -> str:
    return tags_text(last.leaves) if isinstance(last, PassageView) and last.out else ""


def _halt(halt: HaltView) -> list[Text]:
    lines = [
        Text("│", "dim"),
        Text.assemble(("×  ", "bold red"), words(f"{halt.why}.", "bold")),
    ]
    lines += [Text.assemble("      ", words(source, "cyan")) for source in halt.sources]
    if halt.also:
        many = "s" if "," in halt.also or "-" in halt.also else ""
        lines.append(words(f"      also stopped here: VLAN{many} {halt.also}, {plural(halt.also_ports, 'port')}"))
    return lines
