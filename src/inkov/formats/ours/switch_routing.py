"""What a switch file says of layer 3: its gateways, those of its routed ports, its routes and filters."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from inkov.formats.ours.fields import port_names
from inkov.formats.ours.switch_document import SwitchDocument
from inkov.formats.ours.yamltext import Lines, Path
from inkov.formats.reading import Reading
from inkov.model.errors import nearest
from inkov.model.routing import Filter, Gateway, Route
from inkov.model.source import Source


def layer3(document: SwitchDocument, lines: Lines, reading: Reading) -> dict[str, Any]:
    """Returns the attributes of a switch that are about layer 3; records filters that are named and not there."""

    def source(*path: str | int) -> Source:
        return Source(reading.file, lines.near(path), "/".join(map(str, path)))

    gateways = tuple(_gateways(document, source))
    for gateway in gateways:
        for name in filter(None, (gateway.inward, gateway.outward)):
            if name not in document.filters:
                hint = nearest(name, document.filters)
                reading.wrong(f"filter {name!r} is not under filters{hint}", gateway.source.path, gateway.source.line)
    return {
        "gateways": gateways,
        "routing": True if document.routing is None and document.kind == "router" else document.routing,
        "learns": "a routing protocol" if document.learns_routes else "",
        "routes": tuple(_routes(document, gateways, source, reading)),
        "filters": {
            name: Filter(
                name, tuple(e.model(source("filters", name, i)) for i, e in enumerate(some)), source("filters", name)
            )
            for name, some in document.filters.items()
        },
    }


def _routes(document: SwitchDocument, gateways: tuple[Gateway, ...], source: Any, reading: Reading) -> Iterator[Route]:
    """Yields the routes; records those that lead onto a gateway that is not there."""
    there = {g.key: f"{g.port} {g.vid or ''}".strip() for g in gateways}
    for i, entry in enumerate(document.routes):
        route = entry.model(source("routes", i))
        if route.out and route.out not in there:
            hint = nearest(entry.onto, there.values())
            reading.wrong(
                f"no gateway of this device is on {entry.onto!r:.60}{hint}", route.source.path, route.source.line
            )
        yield route


def _gateways(document: SwitchDocument, source: Any) -> Iterator[Gateway]:
    for vid, entry in sorted(document.gateways.items()):
        yield entry.model(vid, "", source("gateways", str(vid)))
    for pattern, port in document.ports.items():
        path: Path = ("ports", pattern, "subinterfaces")
        for tag, entry in port.subinterfaces.items():
            try:
                name = next(iter(port_names(pattern)))
            except ValueError:  # recorded with the port itself
                continue
            yield entry.model(tag or None, name, source(*path, str(tag) if tag else "untagged"))
