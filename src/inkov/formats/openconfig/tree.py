"""Tolerant access to OpenConfig data: exporters qualify member names or not, wrap lists or not, mix config and state."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, TypeAlias

from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

Node: TypeAlias = Mapping[str, Any]

_AT_BORDER = {
    "ethernet": "openconfig-if-ethernet:ethernet",
    "switched-vlan": "openconfig-vlan:switched-vlan",
    "aggregation": "openconfig-if-aggregate:aggregation",
}
"""Members that augment another module, as the standard spells them (RFC 7951, 4): tried before searching."""


def pick(node: Node, name: str) -> Any:
    """Returns a member by local name, whatever module stands before it."""
    value = node.get(name)
    if value is None and (value := node.get(_AT_BORDER.get(name, name))) is None:
        for key in node:
            if key.endswith(name) and key[-len(name) - 1 : -len(name)] == ":":
                return node[key]
    return value


def child(node: Node, name: str) -> Node:
    """Returns a container by local name; empty when it is absent or no container."""
    value = pick(node, name)
    return value if isinstance(value, dict) else {}


_PLAIN: set[tuple[str, ...]] = set()
"""Shapes of `config` containers known to have plain member names; most of a campus has a dozen shapes."""


def leaves_of(node: Node) -> Node:
    """Returns the leaves of an object by local name: those of `config`, and of `state` where `config` has none."""
    config = node.get("config")
    if type(config) is dict and "state" not in node:
        shape = tuple(config)
        if shape in _PLAIN:
            return config
        if not any(":" in name for name in shape):
            _PLAIN.add(shape)
            return config
    merged: dict[str, Any] = {}
    for side in ("state", "config"):
        container = pick(node, side)
        if isinstance(container, dict):
            merged.update((local(k), v) for k, v in container.items() if v is not None)
    return merged


def is_off(node: Node) -> bool:
    """Tells whether something is switched off by its leaf `enabled`, as a boolean or in text."""
    return leaves_of(node).get("enabled") in (False, "false")  # a tuple: it may be a list


def text_leaf(document: Node, container: str, leaf: str) -> str:
    """Returns a text leaf of a top-level container; empty when it is absent or no text."""
    value = leaves_of(child(document, container)).get(leaf)
    return short(value)


def short(value: Any) -> str:
    """Returns a text leaf, cut where no device would have let it grow further; empty when it is no text."""
    return value[:MAX_TEXT] if isinstance(value, str) else ""


def entries(container: Node, name: str, key: str, reading: Reading, path: str) -> Iterator[Node]:
    """Yields a list's entries: an array, a single entry, or an object keyed by the key."""
    value = pick(container, name)
    if value is None:
        return
    if isinstance(value, dict):
        keyed = all(isinstance(v, dict) for v in value.values()) and pick(value, key) is None
        value = [{key: k, **v} for k, v in value.items()] if keyed else [value]
    if not isinstance(value, list):
        reading.wrong(f"expected a list, found {type(value).__name__}", path)
        return
    for i, entry in enumerate(value):
        if isinstance(entry, dict):
            yield entry
        else:
            reading.wrong(f"entry {i} is not an object", path)


def flag(value: Any, default: bool, reading: Reading, path: str) -> bool:
    """Returns a boolean leaf; text is taken with a note, anything else is recorded as wrong."""
    if value is None:
        return default
    if isinstance(value, bool):
        return value
    if value in ("true", "false"):  # a tuple: foreign values need not be hashable
        reading.note(f"{path} is text, read as a boolean")
        return bool(value == "true")
    reading.wrong(f"{value!r:.40} is not a boolean; expected true or false", path)
    return default


def vlan_number(value: Any, reading: Reading, path: str) -> Vid | None:
    """Returns a VID; text is taken with a note; None after recording that it is none."""
    number = value
    if isinstance(value, str) and value.isdecimal() and value.isascii():
        number = int(value)
    if isinstance(number, int) and not isinstance(number, bool) and VID_MIN <= number <= VID_MAX:
        if number is not value:
            reading.note(f"{path} is text, read as a number")
        return number
    reading.wrong(f"{value!r:.40} is not a VLAN number; expected {VID_MIN} to {VID_MAX}", path)
    return None
