"""Gateways as text: a row each, then what keeps some down, and what each filter lets through."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from inkov.render.page import labelled, words
from inkov.render.rows import Cell, Column, Page, Shown
from inkov.render.text import Block, Stack, Text
from inkov.views.gateways import FilterView, GatewayRow, GatewaysView

_STATES = {"up": ("● up", ""), "down": ("× down", "bold red"), "not known": ("? not known", "bold magenta")}


GATEWAYS = (
    Column("serves", "serves"),
    Column("gateway", "gateway", whole=True),
    Column("address", "address", whole=True),
    Column("state", "state", whole=True),
    Column("filters", "filters"),
    Column("for", "for"),
    Column("why", "why", shown=Shown.PIPE),
    Column("where", "set at", whole=True, shown=Shown.ASKED),
)


def gateways_page(view: GatewaysView) -> Page:
    """Returns all gateways; on a screen, below them why some are down, what filters let through, and who has none."""
    blocks: list[Block] = []
    reasons: list[tuple[str, Block]] = [(f"{r.device} {r.vlans}", words(r.why)) for r in view.rows if r.why]
    silent = dict(_not_routing(view))
    reasons += [(device, words(said)) for device, said in silent.items()]
    if reasons:
        blocks.append(labelled(reasons, 0))
    blocks += list(_listed(view))
    facts: list[tuple[str, Block]] = [("no gateway", words(", ".join(view.without)))] if view.without else []
    facts += [("closed", words(", ".join(view.closed)))] if view.closed else []
    if facts:
        blocks.append(labelled(facts, 0))
    rows = sorted(view.rows, key=lambda r: not r.serves)
    return Page(GATEWAYS, [_row(r, silent) for r in rows], after=blocks, nothing="no gateways here")


def _row(row: GatewayRow, silent: Mapping[str, str]) -> tuple[Cell, ...]:
    return (
        words(row.segment or "no VLAN"),
        words(f"{row.device}:{row.port}" if row.port else row.device),
        words(", ".join(row.addresses)),
        Text(*_STATES[row.state]),
        words(_filters(row)),
        "stations" if row.serves else "managing it",
        words("; ".join(filter(None, (row.why, silent.get(row.device)))) or "-"),
        words(row.source, "cyan"),
    )


def _not_routing(view: GatewaysView) -> Iterator[tuple[str, str]]:
    """Yields the devices with several gateways that do not route between them, or do not say."""
    for device in dict.fromkeys(r.device for r in view.rows):
        rows = [r for r in view.rows if r.device == device]
        if len(rows) > 1 and not rows[0].routes:
            unstated = "whether it routes between its gateways is not stated"
            yield device, unstated if rows[0].routes is None else "it does not route between its gateways"


def _filters(row: GatewayRow) -> str:
    parts = [f"{way} {f.name}" for way, f in (("in", row.inward), ("out", row.outward)) if f is not None]
    return ", ".join(parts) or "-"


def _listed(view: GatewaysView) -> Iterator[Block]:
    """Yields each filter in use once, entry below entry."""
    seen: set[tuple[str, str]] = set()
    for row in view.rows:
        for found in (row.inward, row.outward):
            if found is not None and (row.device, found.name) not in seen:
                seen.add((row.device, found.name))
                yield _filter(row.device, found)


def _filter(device: str, found: FilterView) -> Block:
    head = Text.assemble("filter ", words(found.name, "bold"), f" of {device}   ", words(found.source, "cyan"))
    numbered = [entry.partition(" ") for entry in found.entries]
    own = all(number.isdecimal() for number, _, _ in numbered)
    entries = [
        (number if own else str(n), words(rest if own else entry))
        for n, ((number, _, rest), entry) in enumerate(zip(numbered, found.entries, strict=True), 1)
    ]
    return Stack(head, labelled(entries)) if entries else head
