"""How switches come to their VLANs, as a table."""

from __future__ import annotations

from collections.abc import Iterable

from inkov.render.page import words
from inkov.render.rows import Column, Page, Shown
from inkov.render.text import Text
from inkov.views.groups import GroupRow

GROUPS = (
    Column("switch", "switch", whole=True),
    Column("group", "group"),
    Column("role", "role"),
    Column("generation", "generation", right=True),
    Column("gets", "takes over"),
    Column("more", "gets VLANs"),
    Column("less", "loses VLANs"),
    Column("joined", "if joined"),
    Column("joined_less", "loses then"),
    Column("registration", "registration"),
    Column("comes", "VLANs may come to"),
    Column("pruned", "pruned"),
    Column("where", "set at", whole=True, shown=Shown.ASKED),
)


def groups_page(rows: Iterable[GroupRow]) -> Page:
    """Returns a switch a row."""
    body = [
        (
            words(r.switch),
            words(r.group or "-"),
            r.role or "-",
            "-" if r.generation is None else str(r.generation),
            words(r.gets or ("not known" if r.why else "-")),
            r.more or "-",
            Text(r.less or "-", "bold red" if r.less else ""),
            words(r.joined or "-"),
            Text(r.joined_less or "-", "bold red" if r.joined_less else ""),
            r.registration,
            words(", ".join(r.comes) or "-"),
            words("; ".join(r.pruned) or "-"),
            words(r.source),
        )
        for r in rows
    ]
    why = [words(f"{r.switch}: {r.why}") for r in rows if r.why]
    return Page(GROUPS, body, after=why[:1], nothing="no switch to show")
