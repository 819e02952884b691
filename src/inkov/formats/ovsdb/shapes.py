"""What the columns that are followed must be (`vswitch.ovsschema`; values as RFC 7047, 5.1, writes them)."""

from __future__ import annotations

from typing import Any, Final

from inkov.formats.reading import Reading
from inkov.formats.shapes import TEXT, Shape, keep


def _atom(value: Any, kind: type) -> bool:
    return isinstance(value, kind) and (kind is bool or not isinstance(value, bool))


def _reference(value: Any) -> bool:
    pair = isinstance(value, list) and len(value) == 2 and all(isinstance(part, str) for part in value)
    return pair and value[0] in {"uuid", "named-uuid"}


def _set_of(value: Any, fits: Any) -> bool:
    if isinstance(value, list) and len(value) == 2 and value[0] == "set" and isinstance(value[1], list):
        return all(map(fits, value[1]))
    return bool(fits(value))


def _is_map(value: Any) -> bool:
    whole = isinstance(value, list) and len(value) == 2 and value[0] == "map" and isinstance(value[1], list)
    return whole and all(isinstance(p, list) and len(p) == 2 for p in value[1])


_TEXTS: Final = Shape(lambda value: _set_of(value, lambda v: _atom(v, str)), "a text, or a set of texts")
_NUMBERS: Final = Shape(lambda value: _set_of(value, lambda v: _atom(v, int)), "a whole number, or a set of them")
_FLAG: Final = Shape(lambda value: _set_of(value, lambda v: _atom(v, bool)), "true or false")
_ROWS: Final = Shape(lambda value: _set_of(value, _reference), "a reference to a row, or a set of them")
_MAP: Final = Shape(_is_map, "a map")

_SHAPES: Final = {
    "Open_vSwitch": {"bridges": _ROWS, "external_ids": _MAP},
    "Bridge": {
        "name": TEXT, "ports": _ROWS, "controller": _ROWS, "fail_mode": _TEXTS, "mirrors": _ROWS, "other_config": _MAP,
        "rstp_enable": _FLAG, "stp_enable": _FLAG, "datapath_type": _TEXTS,
    },
    "Port": {
        "name": TEXT, "interfaces": _ROWS, "tag": _NUMBERS, "trunks": _NUMBERS, "cvlans": _NUMBERS, "vlan_mode": _TEXTS,
        "lacp": _TEXTS, "other_config": _MAP, "protected": _FLAG,
    },
    "Interface": {
        "name": TEXT, "type": _TEXTS, "ofport": _NUMBERS, "admin_state": _TEXTS, "error": _TEXTS, "options": _MAP,
        "mac_in_use": _TEXTS, "link_speed": _NUMBERS,
    },
}  # fmt: skip


def checked(table: str, rows: list[Any], reading: Reading) -> None:
    """Takes out of the rows of a table whatever is not what its column must hold, and records it."""
    for row in rows:
        name = row.get("name")
        keep(row, _SHAPES.get(table, {}), f"/{table}[name={name}]" if isinstance(name, str) else f"/{table}", reading)


def told_twice(table: str, rows: list[Any], reading: Reading) -> None:
    """Records rows of one identity that differ in what is followed; of a monitor the later counts."""
    first: dict[str, Any] = {}
    for row in rows:
        own, columns = str(row.get("_uuid")), _SHAPES.get(table, {})
        if "_uuid" not in row or "action" in row:
            continue
        known = first.setdefault(own, row)
        if any(known.get(c) != row.get(c) for c in columns):
            reading.wrong(f"{row.get('name')!r:.40} is told twice, differently", f"/{table}")
