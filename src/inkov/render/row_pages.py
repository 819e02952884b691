"""What is no table on a screen as rows for programs: claims, trees, lists, certificates, segments against each other."""

from __future__ import annotations

from collections.abc import Sequence

from inkov.change.failures import TrialRow
from inkov.render.rows import Column, Page
from inkov.views.checks import CheckedRow
from inkov.views.reports import GridRow, VerdictView
from inkov.views.trees import TreesView, TreeView
from inkov.views.trims import TrimView


def _columns(*keys: str) -> list[Column]:
    return [Column(key, key.replace("_", " ")) for key in keys]


def claims_page(views: Sequence[VerdictView]) -> Page:
    """Returns a row a claim: its outcome, and why in one line."""
    rows = [
        (
            v.name,
            v.kind,
            ",".join(v.segments),
            v.outcome,
            _reason(v),
            "; ".join(v.assumed),
            "; ".join(v.missing),
            v.sentence,
        )
        for v in views
    ]
    return Page(_columns("claim", "kind", "segments", "outcome", "why", "assumed", "missing", "sentence"), rows)


def _reason(view: VerdictView) -> str:
    """Returns why a claim is proved, or where it breaks."""
    if view.stop is not None:
        at = f" at {view.stop.link}" if view.stop.link else ""
        to = f" to {view.stop.hearer}" if view.stop.hearer != view.stop.sender else ""
        return f"a frame from {view.stop.sender}{to} stops{at}: {view.stop.reason}"
    ways = [f"{w.start} {'<->' if w.both else '->'} {w.end}" for w in view.witnesses]
    return " ".join(view.why) or "; ".join(ways)


def grid_page(rows: Sequence[GridRow]) -> Page:
    """Returns a row a pair of segments: how the first is heard in the second."""
    pairs = [
        (r.segment, other, how, ",".join(r.through.get(other, ()))) for r in rows for other, how in r.heard_in.items()
    ]
    return Page(_columns("segment", "heard_in", "how", "through"), pairs)


def trials_page(rows: Sequence[TrialRow]) -> Page:
    """Returns a row a failure: pairs of ports that it parts and joins, claims that it makes worse, and others like it."""
    cells = [(r.what, str(r.lost), str(r.gained), "; ".join(r.claims), "; ".join(r.alike)) for r in rows]
    return Page(_columns("failure", "pairs_lost", "pairs_gained", "claims", "alike"), cells)


def tree_page(view: TreesView) -> Page:
    """Returns a row a switch and tree, and one a blocked port."""
    keys = ("tree", "vlans", "root", "switch", "depth", "cost", "priority", "port", "role", "towards", "why")
    return Page(_columns(*keys), [row for tree in view.trees for row in _in_tree(tree)])


def _in_tree(tree: TreeView) -> list[tuple[str, ...]]:
    head = (str(tree.number), tree.vlans, tree.root)
    rows: list[tuple[str, ...]] = [
        (
            *head,
            r.switch,
            str(r.depth),
            str(r.cost),
            str(r.priority),
            r.port,
            "root" if r.port else "",
            r.towards,
            tree.unknown,
        )
        for r in tree.rows
    ]
    for b in tree.blocked:
        switch, _, port = b.port.partition(":")
        rows.append((*head, switch, "", "", "", port, b.role, b.towards, b.why))
    return rows


def trim_page(view: TrimView) -> Page:
    """Returns a row an end of a trunk: its list now, and what it should be."""
    keys = ("port", "far_end", "allows", "needed", "missing", "surplus", "protected", "set", "where")
    rows = [
        (
            e.port,
            link.b if e.port == link.a else link.a,
            e.allows,
            e.needed,
            e.missing,
            e.surplus,
            e.protected,
            e.exact,
            e.source,
        )
        for link in view.links
        for e in link.ends
    ]
    return Page(_columns(*keys), rows)


def checked_page(rows: Sequence[CheckedRow]) -> Page:
    """Returns a row a certificate."""
    body = [
        (
            r.certificate,
            r.claim,
            r.kind,
            "accepted" if r.accepted else "rejected",
            "; ".join(r.reasons),
            "; ".join(r.rests_on),
        )
        for r in rows
    ]
    return Page(_columns("certificate", "claim", "kind", "outcome", "why", "rests_on"), body)
