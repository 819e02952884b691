"""Data of the IEEE models as a plain tree in local names, from JSON (RFC 7951) or XML (RFC 7950), however it is spelt."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Final

from inkov.formats import jsontext
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.formats.text import utf8
from inkov.formats.xmltext import below, contents, split
from inkov.model.vlanset import FULL_MASK, VID_MAX

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

Node = Mapping[str, Any]

SPACES: Final = (
    b"urn:ieee:std:802.1Q:yang:",
    b"urn:ieee:std:802.1AB:yang:",
    b"urn:ietf:params:xml:ns:yang:ietf-interfaces",
)
"""Namespaces of the models; the last one alone makes no such document."""

ROOTS: Final = frozenset({"interfaces", "interfaces-state", "bridges", "lldp"})
_TEXTS: Final = frozenset(
    {"name", "description", "bridge-name", "component-name", "vids", "egress-ports", "untagged-ports"}
)
_WORDS: Final = frozenset(
    {
        *("address", "type", "admin-status", "phys-address", "port-type", "acceptable-frame", "control-element"),
        *("chassis-id", "chassis-id-subtype", "port-id", "port-id-subtype", "system-name", "port-desc"),
    }
)
_MOST_VIDS = 100_000


def roots_of(data: bytes, reading: Reading) -> dict[str, list[Any]]:
    """Returns what a document holds below each root.

    Raises:
        BadInput: it is neither JSON nor XML, or holds no data.
    """
    text = utf8(data)
    roots: dict[str, list[Any]] = defaultdict(list)
    if jsontext.is_json(text):
        for value in jsontext.values(text, reading):
            _collect(value, roots, reading)
        return roots
    for element in contents(text, reading):
        space, name = split(element.tag)
        if name in ROOTS and space.encode().startswith(SPACES):
            roots[name].append(_of_xml(element, reading, 0))
    return roots


def _collect(value: Any, roots: dict[str, list[Any]], reading: Reading) -> None:
    for inner in value if isinstance(value, list) else [value]:
        if not isinstance(inner, dict):
            continue
        for key, held in inner.items():
            name = local(key)
            if key == "ietf-restconf:errors":
                raise reading.fail("this is an error answer of the device, not its configuration")
            if name == "data":
                _collect(held, roots, reading)
            elif name in ROOTS:
                roots[name].append(_plain(held))
            elif name in {"bridge", "interface"}:
                roots[f"{name}s"].append({name: _plain(held)})


def _plain(value: Any) -> Any:
    """Returns a value with local names alone."""
    if isinstance(value, dict):
        return {local(k): _plain(v) for k, v in value.items()}
    return [_plain(v) for v in value] if isinstance(value, list) else value


def _of_xml(element: Element, reading: Reading, depth: int) -> Any:
    made: dict[str, Any] = {}
    counts: dict[str, int] = defaultdict(int)
    for inner in below(element, reading, depth):
        name = split(inner.tag)[1]
        value = _of_xml(inner, reading, depth + 1)
        counts[name] += 1
        if counts[name] == 1:
            made[name] = value
        elif counts[name] == 2:
            made[name] = [made[name], value]
        else:
            made[name].append(value)
    if made or len(element):
        return made
    name, text = split(element.tag)[1], element.text or ""
    if name in _TEXTS:
        return text
    plain = text.strip()
    if name in _WORDS:
        return plain
    return {"true": True, "false": False}.get(plain, int(plain) if re.fullmatch(r"[+-]?\d{1,18}", plain) else plain)


def all_of(value: Any) -> list[Any]:
    """Returns a list as it is, nothing as an empty one, and what stands alone as a list of one."""
    if value is None:
        return []
    return value if isinstance(value, list) else [value]


def nodes_of(node: Any, name: str) -> list[Node]:
    """Returns the containers of a member, which may stand alone."""
    return [e for e in all_of(node.get(name) if isinstance(node, dict) else None) if isinstance(e, dict)]


def node_of(node: Node, name: str) -> Node:
    """Returns a container; empty when it is absent."""
    found = node.get(name)
    return found if isinstance(found, dict) else {}


def text_of(node: Node, name: str) -> str:
    """Returns a leaf as text, cut where no device would have let it grow further; empty when it is absent."""
    value = node.get(name)
    return value[:MAX_TEXT] if isinstance(value, str) else "" if value is None else str(value)[:MAX_TEXT]


def number_of(value: Any) -> int | None:
    """Returns a number that may be spelt as text; None for anything else."""
    if isinstance(value, bool):
        return None
    if isinstance(value, int):
        return value
    return int(value) if isinstance(value, str) and value.strip().isdecimal() and len(value.strip()) < 8 else None


def vids_of(value: Any, reading: Reading, path: str) -> int:
    """Returns the VLANs of a list in text, as a mask: `20-24,30`, also with blanks, as a number, or with two dots."""
    mask = 0
    for item in re.split(r"[,\s]+", str("" if value is None else value).replace("..", "-").strip())[:_MOST_VIDS]:
        low, dash, high = item.partition("-")
        if not low.isdecimal() or (dash and not high.isdecimal()) or len(low) > 5 or len(high) > 5:
            if item:
                reading.wrong(f"{item!r:.40} is not a VLAN or a range", f"{path}/filtering-database")
            continue
        first, last = int(low), int(high) if dash else int(low)
        mask |= ((1 << (min(last, VID_MAX) + 1)) - (1 << first)) if first <= min(last, VID_MAX) else 0
    return mask & FULL_MASK


def mac_of(text: str) -> str:
    """Returns an address with colons, in lower case; empty for what is none."""
    plain = text.strip().lower().replace("-", ":")
    return plain if re.fullmatch(r"[0-9a-f]{2}(?::[0-9a-f]{2}){5}", plain) else ""
