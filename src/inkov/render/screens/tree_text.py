"""Spanning trees as text: the root first, every switch below the one it hangs on, then what is blocked and why."""

from __future__ import annotations

from collections.abc import Sequence

from inkov.render.page import plural, spaced, table, words
from inkov.render.text import Block, Stack, Text
from inkov.views.trees import BlockedRow, TreeRow, TreesView, TreeView

_PROTOCOLS = {"per-vlan": "a tree per VLAN", "mstp": "MSTP", "rstp": "RSTP", "stp": "STP"}


def trees_text(view: TreesView) -> Block:
    """Returns the page of all trees."""
    blocks = [_tree(tree) for tree in view.trees]
    if view.without:
        blocks.append(words(f"no tree runs on {', '.join(view.without)}"))
    return spaced(blocks) if blocks else Text("no two switches are joined by a link that runs a tree")


def _tree(tree: TreeView) -> Block:
    runs = ", ".join(_PROTOCOLS.get(p, p) for p in tree.protocols)
    if tree.unknown:
        what = Text.assemble((f"{plural(tree.switches, 'switch')}   {runs}", "bold"))
        return Stack(what, words(f"today's tree is not known: {tree.unknown}"))
    which = {True: f"VLANs {tree.vlans}", False: "all VLANs"}[bool(tree.number) or "mstp" in tree.protocols]
    if tree.number and "mstp" in tree.protocols:
        which = f"instance {tree.number}, {which}"
    chosen = "" if tree.chosen else "  nobody chose it: others have its priority, so the lowest address won"
    head = Stack(
        Text.assemble((f"{runs}   {which}   {plural(tree.switches, 'switch')}", "bold")),
        Text.assemble(
            "root  ", words(tree.root, "bold"), f"   priority {tree.root_priority}", (chosen, "bold magenta")
        ),
    )
    rows = [
        (
            Text.assemble((lines, "dim"), words(row.switch, "" if row.depth else "bold")),
            Text("root" if not row.depth else str(row.cost)),
            words(row.port),
            words(row.towards),
        )
        for lines, row in zip(_lines(tree.rows), tree.rows, strict=True)
    ]
    made = table(("switch", "cost to root", "root port", "towards"), rows, right=[1], whole=[0, 2])
    blocked = _blocked(tree.blocked) if tree.blocked else Text("  nothing is blocked", "dim")
    return Stack(head, Stack(made, indent=2), blocked)


def _lines(rows: Sequence[TreeRow]) -> list[str]:
    """Returns the lines that lead to each row, drawn from the bottom up so that a branch knows whether it goes on."""
    made: list[str] = []
    open_at: set[int] = set()
    for row in reversed(rows):
        last = row.depth not in open_at
        stem = "".join("│ " if d in open_at else "  " for d in range(1, row.depth))
        made.append(stem + ("└ " if last else "├ ") if row.depth else "")
        open_at = {d for d in open_at if d < row.depth} | {row.depth}
    return made[::-1]


def _blocked(rows: Sequence[BlockedRow]) -> Block:
    body = [
        (Text("×", "bold red"), words(r.port, "bold"), words(f"to {r.towards}"), Text(r.role), words(r.why))
        for r in rows
    ]
    made = table(("", "blocked", "", "", "why"), body, whole=[1])
    return Stack(made, indent=2)
