"""Gateways as text: a row each, then what keeps some down, and what each filter lets through."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rich.console import Group, RenderableType
from rich.text import Text

from inkov.render.page import labelled, spaced, table, words
from inkov.views.gateways import FilterView, GatewayRow, GatewaysView

_STATES = {"up": ("● up", ""), "down": ("× down", "bold red"), "not known": ("? not known", "bold magenta")}


def gateways_text(view: GatewaysView) -> RenderableType:
    """Returns the page of all gateways."""
    if not view.rows and not view.without and not view.closed:
        return words("no gateways here")
    blocks: list[RenderableType] = []
    serving, managing = ([r for r in view.rows if r.serves is yes] for yes in (True, False))
    if serving:
        blocks.append(_table("serves", serving))
    if managing:
        blocks.append(Group(words("to manage the device, no gateway of stations", "bold"), _table("in", managing)))
    reasons = [(f"{r.device} {r.vlans}", words(r.why)) for r in view.rows if r.why]
    reasons += [(device, words(said)) for device, said in _not_routing(view)]
    if reasons:
        blocks.append(labelled(reasons, 0))
    blocks += list(_listed(view))
    facts = [("no gateway", words(", ".join(view.without)))] if view.without else []
    facts += [("closed", words(", ".join(view.closed)))] if view.closed else []
    if facts:
        blocks.append(labelled(facts, 0))
    return spaced(blocks)


def _table(first: str, rows: Sequence[GatewayRow]) -> RenderableType:
    body = [
        (
            words(row.segment or "no VLAN"),
            words(f"{row.device}:{row.port}" if row.port else row.device),
            Text("\n").join(map(words, row.addresses)),
            Text(*_STATES[row.state]),
            words(_filters(row)),
            words(row.source, "cyan"),
        )
        for row in rows
    ]
    return table((first, "gateway", "address", "state", "filters", "set at"), body, whole=[1, 3])


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


def _listed(view: GatewaysView) -> Iterator[RenderableType]:
    """Yields each filter in use once, entry below entry."""
    seen: set[tuple[str, str]] = set()
    for row in view.rows:
        for found in (row.inward, row.outward):
            if found is not None and (row.device, found.name) not in seen:
                seen.add((row.device, found.name))
                yield _filter(row.device, found)


def _filter(device: str, found: FilterView) -> RenderableType:
    head = Text.assemble("filter ", words(found.name, "bold"), f" of {device}   ", words(found.source, "cyan"))
    numbered = [entry.partition(" ") for entry in found.entries]
    own = all(number.isdecimal() for number, _, _ in numbered)
    entries = [
        (number if own else str(n), words(rest if own else entry))
        for n, ((number, _, rest), entry) in enumerate(zip(numbered, found.entries, strict=True), 1)
    ]
    return Group(head, labelled(entries)) if entries else head
