"""What several files tell of the gateways, routes and filters of one device, made one.

Gateways and filters add up by their keys, routes by what they say. A filter of which two files that count alike say different
things is not in the input; a gateway of which they do is not surely up; and of routes that differ, others may be there.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from inkov.formats.contradictions import Contradictions
from inkov.formats.entry import OVER, PART
from inkov.formats.grouping import Piece
from inkov.model import facts
from inkov.model.facts import Fact, Merge
from inkov.model.routing import Filter, Gateway, Route
from inkov.model.settings import Setting


def layer3(device: Contradictions) -> dict[str, Any]:
    """Returns the gateways, routes, filters and learned routes of a device, by their names in the model."""
    filters = _filters(device)
    routes, learns = _routes(device)
    gateways = _entries(device, lambda p: {(g.port, g.vid): g for g in p.switch.gateways})
    kept = [_gateway(device, told) for _, told in sorted(gateways.items(), key=lambda item: _first(device, item[1]))]
    return {"gateways": tuple(kept), "routes": routes, "filters": filters, "learns": learns}


def _entries(device: Contradictions, of: Callable[[Piece], Mapping[Any, Any]]) -> dict[Any, list[tuple[Piece, Any]]]:
    """Returns the entries of a set by key, each in the files that have it; a file that overrides has all there is to have."""
    found: dict[Any, list[tuple[Piece, Any]]] = {}
    for p in device.group:
        for key, value in of(p).items():
            found.setdefault(key, []).append((p, value))
    return found


def _first(device: Contradictions, told: Sequence[tuple[Piece, Gateway]]) -> tuple[int, int]:
    """The order of gateways: those of the first file first, as it has them."""
    piece, gateway = told[0]
    return device.group.index(piece), piece.switch.gateways.index(gateway)


def _gateway(device: Contradictions, told: Sequence[tuple[Piece, Gateway]]) -> Gateway:
    first, own = told[0]
    if len(told) == 1 or first.entry.standing == OVER:
        return own
    values: dict[str, Any] = {}
    doubts: list[str] = []
    for fact in facts.GATEWAY:
        given = [(p, getattr(g, fact.field), g) for p, g in told if _states(p, g, fact)]
        if fact.merge is Merge.OWN or not given:
            continue
        piece, values[fact.field], holder = given[0]
        for p, value, g in given[1:]:
            differs = set(value) != set(values[fact.field]) if fact.merge is Merge.SET else value != values[fact.field]
            alike = p.weight == piece.weight
            if differs and not (fact.merge is Merge.SET and PART in {p.entry.standing, piece.entry.standing}):
                words = tuple(f"{own.place}: {fact.field} {_shown(v)}" for v in (values[fact.field], value))
                device.differ((piece, p), (words[0], words[1]), Setting.GATEWAYS, sources=(holder.source, g.source))
                if alike and fact.field == "enabled":
                    values["enabled"] = True  # it may be up
                if alike:
                    doubts.append(f"{holder.source} says {words[0]}, {g.source} says {words[1]}")
            if fact.merge is Merge.SET and alike:
                values[fact.field] = tuple(dict.fromkeys((*values[fact.field], *value)))
    untold = tuple(f for f in own.untold if all(f in g.untold for _, g in told))
    doubt = "; ".join(doubts) or min((g.doubt for _, g in told), key=len)  # what one file tells, another need not
    return replace(own, **values, doubt=doubt, untold=untold)


def _states(piece: Piece, gateway: Gateway, fact: Fact) -> bool:
    """Tells whether a file states a fact of a gateway: by naming it, or by leaving it out where it would be named."""
    if piece.entry.standing == PART:
        silent = True
    elif fact.field == "enabled":
        silent = False
    else:
        silent = not piece.whole or fact.merge is Merge.SET
    return not silent or getattr(gateway, fact.field) != _UNSTATED[fact.field]


_UNSTATED = {f.field: getattr(Gateway(None, ()), f.field) for f in facts.GATEWAY}


def _shown(value: Any) -> str:
    return ", ".join(map(str, value)) if isinstance(value, tuple) else str(value)


def _filters(device: Contradictions) -> dict[str, Filter]:
    kept: dict[str, Filter] = {}
    for name, told in _entries(device, lambda p: p.switch.filters).items():
        (first, own), *others = told
        differ = [(p, f) for p, f in others if f.entries != own.entries and first.entry.standing != OVER]
        for p, f in differ:
            words = tuple(f"{name}: {'; '.join(map(str, some.entries)) or 'no entry'}" for some in (own, f))
            device.differ((first, p), (words[0], words[1]), Setting.FILTERS, sources=(own.source, f.source))
        if all(p.weight != first.weight for p, _ in differ):
            kept[name] = own
    return kept


def _routes(device: Contradictions) -> tuple[tuple[Route, ...], str]:
    """Returns the routes, and what may add others."""
    told = [(p, p.switch.routes) for p in device.group if p.switch.routes]
    learns = next((p.switch.learns for p in device.group if p.switch.learns), "")
    if not told:
        return (), learns
    (first, own), *others = told
    if first.entry.standing == OVER:
        return own, learns
    routes = dict.fromkeys(own)
    for p, some in others:
        if PART not in {p.entry.standing, first.entry.standing} and set(some) != set(own):
            words = tuple(", ".join(f"{r.prefix} {r.way}" for r in each) for each in (own, some))
            device.differ((first, p), (words[0], words[1]), Setting.ROUTES, sources=(own[0].source, some[0].source))
            if p.weight == first.weight:
                learns = learns or "files that contradict each other"
        if p.weight == first.weight or PART in {p.entry.standing, first.entry.standing}:
            routes |= dict.fromkeys(some)
    return tuple(routes), learns
