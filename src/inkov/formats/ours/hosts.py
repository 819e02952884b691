"""Hosts: from the campus file, or from a CSV list with the columns name, port, address, gateway, mac."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, TypeVar

from inkov.formats.ours.campus_document import HostEntry
from inkov.formats.ours.fields import Document
from inkov.formats.ours.validated import validated
from inkov.formats.ours.yamltext import Lines
from inkov.formats.reading import Reading
from inkov.model.campus import Host
from inkov.model.errors import nearest
from inkov.model.identity import device_named
from inkov.model.names import PortRef, looks
from inkov.model.source import Source
from inkov.model.switch import Switch


def from_csv(text: str, reading: Reading) -> Iterator[tuple[HostEntry, Source]]:
    """Yields the hosts of a CSV list; records rows and columns that make none."""
    return rows(text, reading, HostEntry, ("name", "port"))


E = TypeVar("E", bound=Document)


def rows(text: str, reading: Reading, kind: type[E], needed: tuple[str, ...]) -> Iterator[tuple[E, Source]]:
    """Yields the rows of a CSV list as documents; records rows and columns that make none.

    Args:
        text: the list, its first line the names of the columns.
        reading: takes problems.
        kind: what a row is; its keys are the columns.
        needed: columns that must be there.
    """
    columns = tuple(f.alias or name for name, f in kind.model_fields.items())
    table = csv.reader(io.StringIO(text))
    heads = [h.strip() for h in next(table, [])]
    for head in heads:
        if head not in columns:
            reading.wrong(f"unknown column {head!r}{nearest(head, columns)}", "", 1)
    if not set(needed) <= set(heads):
        reading.wrong(f"the first line must name the columns, {' and '.join(needed)} among them", "", 1)
        return
    for row in table:
        line = table.line_num
        if not any(cell.strip() for cell in row):
            continue
        if len(row) > len(heads):
            reading.wrong(f"{len(row)} cells under {len(heads)} columns", "", line)
            continue
        cells = {h: c.strip() for h, c in zip(heads, row, strict=False) if h in columns}
        data: dict[str, Any] = {h: c for h, c in cells.items() if c or h in needed}
        entry = validated(kind, data, Lines({(): line}), reading)
        if entry is not None:
            yield entry, Source(reading.file, line)


def placed(
    entries: Iterable[tuple[HostEntry, Source]], switches: Mapping[str, Switch], reading: Reading
) -> dict[str, Host]:
    """Returns the hosts whose port exists, by name; records the others."""
    hosts: dict[str, Host] = {}
    seen: dict[str, str] = {}
    for entry, source in entries:

        def wrong(what: str, source: Source = source) -> None:
            reading.wrong(what, source.path, source.line)

        ref = PortRef.parse(entry.port)
        ref = ref and PortRef(device_named(ref.switch, switches), ref.port)
        if ref is None:
            wrong(f"{entry.port!r:.60} is not a port; expected switch:port")
        elif ref.switch not in switches:
            reading.unknown(
                f"there is no switch {ref.switch!r}{nearest(ref.switch, switches)}", source.path, source.line
            )
        elif ref.port not in (ports := switches[ref.switch].ports):
            wrong(f"{ref.switch} has no port {ref.port!r}{nearest(ref.port, ports)}")
        elif entry.name in hosts:
            wrong(f"a second host named {entry.name!r}; the first is in line {hosts[entry.name].source.line}")
        elif twin := seen.get(looks(entry.name)):
            wrong(
                f"the host {entry.name!a} looks like {twin!a} in line {hosts[twin].source.line}; one needs another name"
            )
        else:
            seen[looks(entry.name)] = entry.name
            hosts[entry.name] = Host(
                entry.name, ref, entry.address, entry.gateway, entry.mac.lower(), source, entry.tag
            )
    return hosts
