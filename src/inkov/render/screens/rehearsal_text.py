"""A change tried out, as text: the verdict, then every step with what it does and what it breaks."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from inkov.change.drift import DriftView, FoundView
from inkov.change.failures import TrialRow
from inkov.change.mending import LeftRow, MendView
from inkov.change.rehearsal import BackView, RehearsalView, StepView
from inkov.render.page import SEVERITY_STYLES, badge, labelled, plural, spaced, table, words
from inkov.render.text import Block, Stack, Text
from inkov.rules.finding import Severity
from inkov.rules.wording import joined
from inkov.steps.plug import PLUGGED
from inkov.views.findings import FindingView

_STYLES = {
    "safe": "white on green",
    "safe in another order": "black on yellow",
    "safe with steps at once": "black on yellow",
    "not safe": "white on red",
    "not safe as it ends": "white on red",
}


def rehearsal_text(view: RehearsalView) -> Block:
    """Returns the page of a rehearsal."""
    title = view.name or view.campus
    head = Text.assemble(
        words(title, "bold"),
        f"   {plural(len(view.steps), 'step')}   ",
        badge(view.verdict.upper(), _STYLES[view.verdict]),
    )
    blocks: list[Block] = [head, *_verdict(view)]
    if len(view.steps) > 1:
        blocks.append(Stack(Text("all of it", "bold"), labelled(_did(view.whole))))
    blocks += [_step(n, step) for n, step in enumerate(view.steps, 1)]
    if view.back is not None:
        blocks.append(_back(view.back))
    return spaced(blocks)


def _verdict(view: RehearsalView) -> Iterator[Block]:
    """Yields what the verdict rests on: the order that is safe, what stops, and what breaks least where no order is safe."""
    if view.idle:
        yield words(f"It ends where it began: after {view.steps[-1].source} nothing is set otherwise than before.")
    if view.verdict in {"safe in another order", "safe with steps at once"}:
        yield Stack(Text("do it in this order", "bold"), Stack(_in_order(view), indent=2))
    if view.spoils:
        yield words(f"It is not safe in any order: at its end {_no_longer(view.spoils)}.")
    if view.stops:
        yield labelled([("Stops", words(text, "bold")) for text in view.stops], 0)
    if view.meant:
        hear = "of ports no longer hear each other"
        rows = [f"{m.what}: {m.after} after it; {plural(m.pairs, 'pair')} {hear}" for m in view.meant]
        yield labelled([("Meant", words(row)) for row in rows], 0)
    if view.verdict == "not safe":
        every, some = "no order of the steps is", "no order was found that is, though not every one was tried"
        yield words(f"As written it is not safe, and {every if view.exact else some}.")
    if view.least is not None:
        order = ", ".join(map(str, view.least.order))
        rows = [f"after step {b.after} until step {b.until}: {'; '.join(b.what)}" for b in view.least.broken]
        head = Text(f"least outage: the steps in the order {order}", "bold")
        yield Stack(head, labelled([("Broken", words(row)) for row in rows]))
    if view.unknown:
        named, them = joined(view.unknown, 4), "it" if len(view.unknown) == 1 else "them"
        yield words(f"Not known: whether {named} can be reached from {view.start}; the input has no address of {them}.")


def _in_order(view: RehearsalView) -> Block:
    """Returns the steps in the order that is safe; those done at once bear one number."""
    groups = {i: group for group in view.at_once for i in group}
    rows, n = [], 0
    for i in view.order:
        first = i == groups.get(i, (i,))[0]
        n += first
        rows.append(
            (f"{n}." if first else "", words(view.steps[i - 1].what + ("" if first else "   at the same time")))
        )
    return table(("", ""), rows, whole=[0])


def _back(back: BackView) -> Block:
    """Returns the way back: its verdict, and its steps."""
    head = Text.assemble(
        Text("the way back", "bold"),
        f"   {plural(len(back.steps), 'step')}   ",
        badge(back.verdict.upper(), _STYLES[back.verdict]),
    )
    rows = [("Do" if not n else "", words(step)) for n, step in enumerate(back.steps)]
    rows += [("Stops", words(text, "bold")) for text in back.stops]
    rows += [("Not restored", words(text)) for text in back.left]
    return Stack(head, labelled(rows))


def _no_longer(claims: Sequence[str]) -> str:
    quoted = joined([repr(c) for c in claims], 4)
    return f"the claim {quoted} is worse off" if len(claims) == 1 else f"the claims {quoted} are worse off"


def _step(n: int, step: StepView) -> Block:
    bad = bool(step.breaks or step.out_of_reach)
    head = Text.assemble(f"{n}  ", words(step.what, "bold red" if bad else "bold"), "   ", words(step.source, "cyan"))
    rows: list[tuple[str, Block]] = [("Breaks", words(b)) for b in step.breaks]
    rows += [("Out of reach", words(f"{out}; it needs a console")) for out in step.out_of_reach]
    return Stack(head, labelled([*rows, *_did(step.did)], 3))


def _did(did: DriftView) -> list[tuple[str, Block]]:
    """Returns what changed for stations and claims, in a few lines."""
    rows: list[tuple[str, Block]] = []
    rows += [("Claim", words(f"{c.name}: {c.before} → {c.after}")) for c in did.claims]
    new = _by_place(f.finding for f in did.findings.new if _matters(f))
    gone = _by_place(f for f in did.findings.gone if f.severity != "tidy")
    worse = [what for what, rank in new.items() if rank < gone.get(what, rank + 1)]
    for head, some in (("New", worse), ("Gone", [what for what in gone if what not in new])):
        if some:  # one that only says something else, and is as bad or milder, is neither
            rows.append((head, words("; ".join(some))))
    counts = [sum(len(h["at"]) for h in some) for some in (did.reach.gained, did.reach.lost)]
    if any(counts):
        rows.append(("Reach", words(f"{counts[0]} pairs of ports gained, {counts[1]} lost")))
    rows += [("State", words(f"{s.what}: {s.before} → {s.after}")) for s in did.states[:4]]
    return rows or [("", Text("changes nothing that anyone would notice", "dim"))]


def _by_place(findings: Iterable[FindingView]) -> dict[str, int]:
    """Returns findings in words, each with how bad it is; 0 is worst."""
    return {f"{f.rule} at {f.place}": Severity(f.severity).rank for f in findings}


def _matters(found: FoundView) -> bool:
    """Tells whether a new finding is told of: no tidy one, nor one of what somebody plugged in."""
    return found.finding.severity != "tidy" and PLUGGED not in found.finding.place


def trials_text(rows: Sequence[TrialRow]) -> Block:
    """Returns what was tried one by one, worst first; what does nothing is counted."""
    bad = [r for r in rows if r.lost or r.gained or r.claims]
    harmless = sum(1 + len(r.alike) for r in rows) - sum(1 + len(r.alike) for r in bad)
    body = [
        (
            words(r.what + (f" and {len(r.alike)} like it" if r.alike else "")),
            str(r.lost or "-"),
            str(r.gained or "-"),
            words(", ".join(r.claims) or "-"),
        )
        for r in bad
    ]
    note = Text(f"{harmless} more would part nobody, join nobody and turn no claim", "dim")
    made = table(("what happens", "pairs lost", "pairs gained", "claims that are worse off"), body, right=[1, 2])
    return spaced([made, note] if body else [note])


def mend_text(view: MendView) -> Block:
    """Returns the cures that are certain, and what is left to decide."""
    severe = [r for r in view.left if r.severity != "tidy"]
    counted = f"{plural(len(view.cures), 'certain cure')}   {plural(len(severe), 'finding')} above tidy left to decide"
    blocks: list[Block] = [Text.assemble(words(view.campus, "bold"), "   ", (counted, "dim"))]
    for row in view.cures:
        head = Text.assemble(
            badge(row.severity.upper(), SEVERITY_STYLES[row.severity], 7),
            (row.rule.ljust(22), "bold"),
            " ",
            words(row.place),
        )
        blocks.append(Stack(head, labelled([("Do" if not n else "", words(step)) for n, step in enumerate(row.steps)])))
    if view.claims:
        blocks.append(Stack(Text("claims", "bold"), *(words(f"  {c}") for c in view.claims)))
    if severe:
        blocks.append(Text("left to decide", "bold"))
        blocks += [_left(row) for row in severe]
    return spaced(blocks)


def _left(row: LeftRow) -> Block:
    head = Text.assemble(
        badge(row.severity.upper(), SEVERITY_STYLES[row.severity], 7),
        (row.rule.ljust(22), "bold"),
        " ",
        words(row.place),
    )
    rows = [("Choose", words(row.mend))] if row.decide else [("Not cured", words(row.why)), ("Do", words(row.mend))]
    return Stack(head, labelled(rows))
