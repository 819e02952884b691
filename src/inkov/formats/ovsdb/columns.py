"""Columns that a dump of a switch database must have for anything to be known: answers to `select` may leave any out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

_NEEDED: Final = {"Bridge": ("name", "ports"), "Port": ("_uuid", "name", "interfaces"), "Interface": ("_uuid", "name")}
"""Those that say what belongs to what."""

_OF_VLANS: Final = ("tag", "trunks", "vlan_mode")


def lacking(tables: Mapping[str, Sequence[Mapping[str, Any]]]) -> list[str]:
    """Returns the columns without which nothing is known of a table, as far as rows of it lack them."""
    return [
        f"{column} of {table}"
        for table, columns in _NEEDED.items()
        for column in columns
        if not all(column in row or (column == "_uuid" and "row" in row) for row in tables.get(table, ()))
    ]


def of_vlans_lacking(ports: Iterable[Mapping[str, Any]]) -> list[str]:
    """Returns the columns of VLANs that all of some rows of ports lack."""
    rows = list(ports)
    return [column for column in _OF_VLANS if rows and not any(column in row for row in rows)]


def table_of(rows: Sequence[Mapping[str, Any]]) -> str:
    """Returns the table that rows without a caption are of, by their columns; empty where it is none of use."""
    columns: set[str] = set().union(*(r.keys() for r in rows[:4])) if rows else set()
    if "fail_mode" in columns or ("ports" in columns and "name" in columns):
        return "Bridge"
    if "vlan_mode" in columns or "tag" in columns or "interfaces" in columns:
        return "Port"
    if "bridges" in columns or "ovs_version" in columns:
        return "Open_vSwitch"
    return "Interface" if {"ofport", "type", "options"} & columns else ""
