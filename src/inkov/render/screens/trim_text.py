"""Advice on allowed lists as text: first what is missing and what it costs, then what can go, then the lists to set."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from inkov.render.page import badge, labelled, plural, spaced, table, words
from inkov.render.rows import shortened
from inkov.render.text import Block, Stack, Text
from inkov.views.trims import EndRow, GrowthRow, Reason, TrimRow, TrimView


def trim_text(view: TrimView, *, all_except: bool = False, why: bool = False) -> Block:
    """Returns the page of a campus's advice.

    Args:
        view: the advice.
        all_except: lists are written as what to leave out.
        why: show why each link needs each of its VLANs.
    """
    blocks: list[Block] = [_head(view)]
    lacking = [row for row in view.links if any(r.missing for r in row.reasons)]
    lacking.sort(key=lambda row: -sum(r.cut_off for r in row.reasons))
    blocks += [_missing(row, all_except=all_except) for row in lacking]
    if view.growth:
        blocks.append(_growth(view.growth))
    surplus = [(end, both) for row in view.links for end, both in _ends(row) if end.surplus != "none"]
    if surplus:
        blocks.append(_surplus(surplus, all_except=all_except))
    other = [(row, r) for row in view.links for r in row.reasons if r.kept_off]
    if other:
        blocks.append(_kept_off(other))
    if why:
        blocks += [_reasons(row) for row in view.links if row.reasons]
    skipped = [row for row in view.links if row.skipped]
    if skipped:
        rows = [(words(f"{r.a} ─── {r.b}"), words(r.skipped)) for r in skipped]
        blocks.append(Stack(Text("no advice", "bold"), Stack(_bare(rows), indent=2)))
    blocks.append(
        Text(
            "needed: members on both sides.  kept: native VLANs, what a policy keeps, and ways that further failures open.  spares: VLANs no longer sent there.",
            "dim",
        )
    )
    return spaced(blocks)


def _bare(rows: Sequence[Sequence[Text]]) -> Block:
    return table([""] * len(rows[0]), rows, whole=[0])


def _head(view: TrimView) -> Block:
    ends = [e for row in view.links for e in row.ends]
    right = sum(e.surplus == "none" and e.missing == "none" for e in ends)
    missing = sum(any(r.missing for r in row.reasons) for row in view.links)
    saved = f"{100 * view.spared // view.sent} %" if view.sent else "nothing"
    line = f"{plural(len(ends), 'trunk port')}   {right} as {'it' if right == 1 else 'they'} should be"
    what = Text.assemble(
        (f"{line}   ", "bold"),
        badge(f"{plural(missing, 'link')} lack VLANs", "white on magenta") if missing else Text("nothing is missing"),
    )
    return Stack(
        what,
        Text(f"trimming spares {view.spared} of {view.sent} times that a VLAN is sent over a trunk ({saved})"),
    )


def _set(end: EndRow, *, all_except: bool) -> str:
    return end.all_except if all_except else end.exact


def _missing(row: TrimRow, *, all_except: bool) -> Block:
    lines: list[tuple[str, Block]] = []
    for reason in (r for r in row.reasons if r.missing):
        lines += [
            ("missing", words(f"{reason.vlan}   {reason.missing}", "bold")),
            ("because", words(reason.because)),
            ("costs", words(_cost(reason))),
        ]
    lines += [
        (
            "set",
            Text.assemble(
                words(f"{end.port}   "),
                words(_set(end, all_except=all_except), "bold"),
                "   ",
                words(end.source, "cyan"),
            ),
        )
        for end in row.ends
        if end.missing != "none"
    ]
    return Stack(
        Text.assemble(badge("MISSING", "white on magenta"), "  ", words(f"{row.a} ─── {row.b}", "bold")),
        labelled(lines),
    )


def _ends(row: TrimRow) -> Iterator[tuple[EndRow, str]]:
    """Yields the ends of a link, both as one where they are to be set alike."""
    if len(row.ends) == 2:
        a, b = row.ends
        if (a.surplus, a.protected, a.exact) == (b.surplus, b.protected, b.exact):
            yield a, f"{a.port} ─── {b.port}"
            return
    yield from ((end, end.port) for end in row.ends)


def _kept_off(found: Sequence[tuple[TrimRow, Reason]]) -> Block:
    """Returns what is needed and kept off by something else than a list, a line a cause."""
    causes: dict[tuple[str, str], list[str]] = {}
    for row, reason in found:
        causes.setdefault((f"{row.a} ─── {row.b}", reason.kept_off), []).append(str(reason.vlan))
    body = [(words(link), words(", ".join(vlans), "bold"), words(why)) for (link, why), vlans in causes.items()]
    return Stack(
        Text("needed, and kept off by something else than a list: see audit", "bold"),
        Stack(_bare(body), indent=2),
    )


def _cost(reason: Reason) -> str:
    if reason.cut_off:
        return f"{plural(reason.cut_off, 'member')} cut off now"
    return "nothing today; members are cut off when this way is needed"


def _growth(rows: Sequence[GrowthRow]) -> Block:
    body = [(words(r.port), words(r.vlans, "bold"), words(r.because)) for r in rows]
    head = Text.assemble(badge("GROWTH", "black on yellow"), "  would hurt if trimmed to what is needed today")
    return Stack(head, Stack(_bare(body), indent=2))


def _surplus(found: Sequence[tuple[EndRow, str]], *, all_except: bool) -> Block:
    body = [
        (
            words(ports),
            words(shortened(end.surplus), "bold"),
            words("-" if end.protected == "none" else shortened(end.protected)),
            Text(str(end.spared)),
            words(_set(end, all_except=all_except).replace(",", ", ")),
        )
        for end, ports in found
    ]
    return table(("trunk", "surplus", "kept", "spares", "list to set"), body, right=[3], whole=[0])


def _reasons(row: TrimRow) -> Block:
    return Stack(words(f"{row.a} ─── {row.b}", "bold"), Stack(Stack(*_needs(row.reasons)), indent=2))


def _needs(reasons: Sequence[Reason]) -> Iterator[Block]:
    yield _bare([(Text(str(r.vlan), "bold"), words(r.because)) for r in reasons])
