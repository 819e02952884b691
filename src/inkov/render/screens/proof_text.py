"""Verdicts as text: broken claims first with their way drawn downwards, then what cannot be told, then proofs."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from typing import Final

from inkov.proof.prove import AS_OF_TODAY, IN_EVERY_TREE
from inkov.render.page import OUTCOME_STYLES, badge, labelled, plural, spaced, table, tally, words
from inkov.render.screens.way_text import passage_lines, tags_text, write_rows
from inkov.render.text import Block, Stack, Text
from inkov.views.reports import GridRow, PassageView, StopView, TurnView, VerdictView, WitnessView

_ORDER = ("broken", "cannot tell", "proved")


def prove_text(campus: str, verdicts: Iterable[VerdictView]) -> Block:
    """Returns the page of a run of proofs."""
    listed = sorted(verdicts, key=lambda v: _ORDER.index(v.outcome))
    counts = {o: sum(v.outcome == o for v in listed) for o in _ORDER}
    head = Stack(
        Text.assemble(words(campus, "bold"), "   ", (plural(len(listed), "claim"), "dim")),
        tally((str(n), o, OUTCOME_STYLES[o]) for o, n in counts.items() if n),
    )
    proofs = [v for v in listed if v.outcome == "proved" and v.kind != "together"]
    shared = _shared(proofs) if len(proofs) > 1 else []
    hidden = {text for _, text in shared}
    blocks = [head, *(_verdict(v, hidden if v in proofs else set()) for v in listed)]
    if shared:
        title = Text("For all proofs that segments are apart", "bold")
        blocks.append(Stack(title, labelled([(what, words(text)) for what, text in shared])))
    return spaced(blocks)


def _shared(proofs: Sequence[VerdictView]) -> list[tuple[str, str]]:
    """Returns what several proofs say alike, each with what it is: of every campus, and the assumptions that all of them make."""
    general = [text for text in (IN_EVERY_TREE, AS_OF_TODAY) if sum(text in v.why for v in proofs) > 1]
    assumed = [text for text in proofs[0].assumed if all(text in v.assumed for v in proofs)]
    return [*(("Why", text) for text in general), *(("Assumed", text) for text in assumed)]


_GLYPHS = {
    ("apart", "apart"): ("·", "dim"),
    ("joined", "joined"): ("=", "bold red"),
    ("joined", "apart"): ("→", "bold red"),
    ("apart", "joined"): ("←", "bold red"),
    ("routed", "routed"): ("◆", "bold"),
    ("routed", "apart"): ("▸", "bold"),
    ("apart", "routed"): ("◂", "bold"),
    ("joined", "routed"): ("=", "bold red"),
    ("routed", "joined"): ("=", "bold red"),
}


def grid_text(rows: Sequence[GridRow]) -> Block:
    """Returns segments against segments, a glyph a pair; read from the row to the column."""
    heads = [_column(i) for i in range(len(rows))]
    body = []
    for i, row in enumerate(rows):
        cells = [Text(heads[i], "dim"), words(row.segment, "dim" if row.empty else "bold")]
        for other in rows:
            if other is row:
                cells.append(Text("\\", "dim"))
                continue
            pair = row.heard_in[other.segment], other.heard_in[row.segment]
            glyph, style = ("-", "dim") if row.empty or other.empty else _GLYPHS.get(pair, ("?", "bold magenta"))
            cells.append(Text(glyph, style))
        body.append(cells)
    legend = (
        "·  apart                 ?  cannot tell           -  no port known\n"
        "=  joined both ways      →  the row's frames are heard in the column      ←  only the other way\n"
        "◆  by gateways           ▸  the row's packets get to the column           ◂  only the other way"
    )
    blocks: list[Block] = [table(["", "segment", *heads], body)]
    devices = dict.fromkeys(", ".join(t) for row in rows for t in row.through.values())
    if devices:
        pairs = [
            (
                through,
                words(
                    "; ".join(
                        f"{r.segment} → {b}" for r in rows for b, t in r.through.items() if ", ".join(t) == through
                    )
                ),
            )
            for through in devices
        ]
        blocks.append(labelled(pairs, 0))
    return spaced([*blocks, Text(legend, "dim")])


def _column(i: int) -> str:
    """Returns a short head for a column, by which its row is found again: a, b, … z, aa, ab."""
    letters = "abcdefghijklmnopqrstuvwxyz"
    return letters[i] if i < len(letters) else letters[i // 26 - 1] + letters[i % 26]


def _verdict(verdict: VerdictView, hidden: Collection[str]) -> Block:
    head = Text.assemble(
        badge(verdict.outcome.upper(), OUTCOME_STYLES[verdict.outcome], 11), words(verdict.name, "bold")
    )
    if verdict.name.replace(",", " ").split() != verdict.sentence.split():  # else the name is the claim itself
        head.append("   ").append(words(verdict.sentence, "dim"))
    blocks: list[Block] = [head]
    rows: list[tuple[str, Block]] = []
    why = [text for text in verdict.why if text not in hidden]
    rows += [("" if n else "Why", words(text)) for n, text in enumerate(why)]
    rows += [("Missing", words(fact)) for fact in verdict.missing]
    rows += write_rows(verdict.write)
    if verdict.outcome == "proved":
        number = len(verdict.assumed)
        rows.append(("Rests on", words(plural(number, "assumption") if number else "nothing that is not stated")))
    rows += [("Assumed", words(fact)) for fact in verdict.assumed if fact not in hidden]
    if rows:
        blocks.append(labelled(rows))
    if verdict.stop is not None:
        seen = [("Seen", words(verdict.stop.source, "cyan"))] if verdict.stop.source else []
        fails = [("Fails", words(_failing(verdict.failures), "bold"))] if verdict.failures else []
        blocks.append(labelled([*fails, ("Stops", words(_stop(verdict.stop))), *seen]))
    for witness in verdict.witnesses:
        blocks += [Stack(_witness(witness), indent=2)]
    return Stack(*blocks)


def _failing(failures: Sequence[str]) -> str:
    return f"When {' and '.join(failures)} {'fails' if len(failures) == 1 else 'fail'}."


def _stop(stop: StopView) -> str:
    where = f" stops at {stop.link}" if stop.link else ""
    to = f" to {stop.hearer}" if stop.hearer != stop.sender else ""
    return f"A frame from {stop.sender}{to}{where}: {stop.reason or 'the VLAN changes on the way'}."


_BACK: Final = {
    True: "and back: both directions work",
    False: "one way: nothing comes back",
    None: "this way for certain; whether anything comes back is not known",
}


def _witness(witness: WitnessView) -> Block:
    kind = "may reach" if witness.unknown else _BACK[witness.both]
    title = Text.assemble(words(witness.start, "bold"), " → ", words(witness.end, "bold"), (f"   {kind}", "dim"))
    way = witness.way
    if not way:
        return Stack(title, *(words(f"not certain: {fact}", "magenta") for fact in witness.unknown))
    if len(way) == 1 and isinstance(way[0], PassageView) and way[0].by and way[0].by == way[0].out:
        title = Text.assemble(
            words(witness.start, "bold"), " and ", words(witness.end, "bold"), ("   share a station", "dim")
        )
        one = Text.assemble("○  ", words(f"{way[0].by}"), "   it is in both, by what it sends and hears")
        return Stack(
            title, one, *passage_lines(way)[2:], *(words(f"not certain: {f}", "magenta") for f in witness.unknown)
        )
    lines = [
        title,
        *_station("from", way[0], witness.start),
        *passage_lines(way),
        Text("│", "dim"),
        *_station("to", way[-1], witness.end),
    ]
    return Stack(*lines, *(words(f"not certain: {fact}", "magenta") for fact in witness.unknown))


def _station(word: str, step: PassageView | TurnView, segment: str) -> list[Text]:
    """Returns the line of the station at one end of a way; a way that starts or ends at a device itself leads outside."""
    if isinstance(step, TurnView):
        return [Text.assemble("○  ", words(f"{word} {segment}"), "   beyond ", words(step.device))]
    if not (step.by if word == "from" else step.out):
        return [Text.assemble("○  ", words(f"{word} {step.switch} itself, by the address it is managed by"))]
    port, tags = (step.by, step.arrived) if word == "from" else (step.out, step.leaves)
    return [Text.assemble("○  ", words(f"{word} {port}"), "   ", (tags_text(tags), "bold"))]
