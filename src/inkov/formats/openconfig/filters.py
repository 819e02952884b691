"""Address filters of OpenConfig data, and the interfaces they are bound to. What one does at its end is not in the model."""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Iterator
from typing import Any, TypeAlias

from inkov.formats.openconfig.tree import Node, child, entries, leaves_of, pick
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import Reading
from inkov.model.routing import Entry, Filter, Prefix

_WHOLE = {"ACL_IPV4": ("0.0.0.0/0",), "ACL_IPV6": ("::/0",)}
_OF_ENTRIES = frozenset({"sequence-id", "description", "matched-packets", "matched-octets"})

Place: TypeAlias = tuple[str, int]
"""An interface and the index of its subinterface; 0 where it has none."""


class Filters:
    """Reads the filters of one document."""

    def __init__(self, document: Node, reading: Reading, place: Callable[[Node, Node, str], Place]) -> None:
        """Takes the document, where to record what is wrong, and what tells which interface an entry means."""
        self.document = document
        self.reading = reading
        self.place = place

    def sets(self) -> dict[str, Filter]:
        """Returns the address filters; one name may stand for a filter of each type."""
        found: dict[str, Filter] = {}
        holder = child(child(self.document, "acl"), "acl-sets")
        for entry in entries(holder, "acl-set", "name", self.reading, "/acl/acl-sets/acl-set"):
            leaves = leaves_of(entry)
            name, kind = str(leaves.get("name", pick(entry, "name"))), kind_of(leaves.get("type", pick(entry, "type")))
            path = f"/acl/acl-sets/acl-set[type={kind}][name={name}]"
            rows = entries(child(entry, "acl-entries"), "acl-entry", "sequence-id", self.reading, f"{path}/acl-entries")
            numbered = sorted(((_sequence(row) or 0, n, row) for n, row in enumerate(rows)), key=lambda r: r[:2])
            made = [
                e
                for number, _, row in numbered
                for e in self._entry(row, kind, f"{path}/acl-entries/acl-entry[sequence-id={number}]")
            ]
            found[f"{name} {kind}"] = Filter(name, tuple(made), self.reading.source(path))
        return found

    def _entry(self, row: Node, kind: str, path: str) -> Iterator[Entry]:
        action = kind_of(leaves_of(child(row, "actions")).get("forwarding-action"))
        if action not in {"ACCEPT", "DROP", "REJECT"}:
            self.reading.wrong(f"{action!r:.40} is not an action; expected ACCEPT, DROP or REJECT", f"{path}/actions")
            return
        ends: list[Prefix | None] = [None, None]
        more: list[str] = []
        for leaf, value in _conditions(row):
            if leaf in {"source-address", "destination-address"}:
                ends[leaf == "destination-address"] = prefix(value, self.reading, f"{path}/{leaf}")
            else:
                more.append(f"{leaf} {kind_of(value) if str(value).startswith('openconfig-') else value}")
        if _sequence(row) is None:
            self.reading.wrong("an entry has no number, so that its place among the others is not known", path)
        source = self.reading.source(path)
        whole = [ipaddress.ip_network(p) for p in _WHOLE.get(kind, ())]
        origin = ends[0] if ends[0] or ends[1] or not whole else whole[0]
        yield Entry(action == "ACCEPT", origin, ends[1], ", ".join(more), source, _sequence(row))

    def bound(self, filters: dict[str, Filter]) -> dict[Place, dict[str, str]]:
        """Returns the names of the filters bound to each interface and subinterface, inward and outward."""
        found: dict[Place, dict[str, str]] = {}
        holder = child(child(self.document, "acl"), "interfaces")
        for entry in entries(holder, "interface", "id", self.reading, "/acl/interfaces/interface"):
            key = self.place(leaves_of(child(entry, "interface-ref")), entry, "acl/interfaces/interface")
            for side, direction in (("ingress", "inward"), ("egress", "outward")):
                sets = child(entry, f"{side}-acl-sets")
                rows = entries(sets, f"{side}-acl-set", "set-name", self.reading, "/acl/interfaces/interface")
                wanted = [
                    f"{leaves.get('set-name', pick(row, 'set-name'))} {kind_of(leaves.get('type', pick(row, 'type')))}"
                    for row in rows
                    for leaves in [leaves_of(row)]
                ]
                if wanted:
                    found.setdefault(key, {})[direction] = _as_one(wanted, filters)
        return found


def prefix(text: Any, reading: Reading, path: str) -> Prefix | None:
    """Returns a prefix; records text that is none."""
    try:
        return ipaddress.ip_network(str(text), strict=False)
    except ValueError:
        reading.wrong(f"{text!r:.60} is not a prefix", path)
        return None


def _conditions(node: Node) -> Iterator[tuple[str, Any]]:
    """Yields what an entry asks of a packet: each leaf of its containers, of whatever depth, but for its actions."""
    for leaf, value in leaves_of(node).items():
        if leaf not in _OF_ENTRIES and value != [] and kind_of(value) != "ANY":
            yield leaf, value
    for key, held in node.items():
        if isinstance(held, dict) and local(key) not in {"actions", "config", "state"}:
            yield from _conditions(held)


def _as_one(names: list[str], filters: dict[str, Filter]) -> str:
    """Adds the filter that several bound sets make together, and returns its name.

    Each set decides for packets of its own family; a family without a set is not filtered.
    """
    missing = next((n for n in names if n not in filters), None)
    if missing is not None:
        return missing
    covered = {n.rpartition(" ")[2] for n in names}
    rest: list[Entry] = []
    if "ACL_MIXED" not in covered:
        rest = [Entry(True, ipaddress.ip_network(p)) for k, some in _WHOLE.items() if k not in covered for p in some]
    first = filters[names[0]]
    made = Filter(first.name, tuple(e for n in names for e in filters[n].entries) + tuple(rest), first.source)
    name = " and ".join(n.rpartition(" ")[0] for n in names)
    filters[name] = made
    return name


def kind_of(value: Any) -> str:
    """Returns an identity without its module; other values as text."""
    return local(value) if isinstance(value, str) else str(value)


def _sequence(row: Node) -> int | None:
    value = leaves_of(row).get("sequence-id", pick(row, "sequence-id"))
    return int(value) if str(value).isdecimal() else None
