"""What transports wrap around OpenConfig data: RESTCONF (RFC 8040) and gNMI Get and Subscribe answers.

`unwrap` returns one instance document (RFC 7951) whatever the outermost form was.
"""

from __future__ import annotations

import base64
import binascii
import contextlib
import re
from typing import Any

import orjson

from inkov.formats.reading import Reading

ROOTS = frozenset(
    {
        *("interfaces", "network-instances", "vlans", "lldp", "lacp", "system", "stp", "acl"),
        *("local-routes", "policy-forwarding"),
    }
)
_LISTS = {"interface": "interfaces", "network-instance": "network-instances", "vlan": "vlans"}
_VALUE_KEYS = ("jsonIetfVal", "json_ietf_val", "jsonVal", "json_val")
_SCALAR_KEYS = ("stringVal", "boolVal", "intVal", "uintVal")
_ELEMENT = re.compile(r"([^/\[]+)((?:\[[^=\]]+=(?:\\.|[^\]\\])*\])*)")
_KEY = re.compile(r"\[([^=\]]+)=((?:\\.|[^\]\\])*)\]")


def local(name: str) -> str:
    """Returns a member name without its module."""
    return name.rpartition(":")[2]


def is_openconfig(value: Any) -> bool:
    """Tells whether a decoded JSON value looks like OpenConfig data in any of its wrappers."""
    if isinstance(value, list):
        return any(map(is_openconfig, value[:8]))
    if not isinstance(value, dict):
        return False
    for key, inner in value.items():
        module, _, name = key.rpartition(":")
        if (module.startswith(("openconfig-", "oc-")) and name in ROOTS | _LISTS.keys()) or (
            not module and name in ROOTS and isinstance(inner, dict)
        ):
            return True
        if key == "ietf-restconf:errors":
            return True
        if key in {"ietf-restconf:data", "data"} and is_openconfig(inner):
            return True
        if key in {"notification", "notifications", "update", "updates", "syncResponse"} and (
            "syncResponse" in value or _has_path(inner)
        ):
            return True
    return False


def _has_path(node: Any) -> bool:
    if isinstance(node, list):
        return any(map(_has_path, node[:8]))
    if not isinstance(node, dict):
        return False
    lower = {k.lower() for k in node}
    return "path" in lower or any(_has_path(v) for k, v in node.items() if k in {"update", "updates"})


def unwrap(found: list[Any], reading: Reading) -> tuple[dict[str, Any], str]:
    """Merges all values of one file into one document.

    Returns:
        The document, its members in local names at the top, and the gNMI target if one was named.

    Raises:
        BadInput: the file is an error answer, not data.
    """
    document: dict[str, Any] = {}
    targets: list[str] = []
    for value in _flatten(found):
        for key, inner in value.items():
            name = local(key)
            if key == "ietf-restconf:errors":
                raise reading.fail("this is an error answer of the device, not its configuration")
            if name == "data" and isinstance(inner, dict):
                more, _ = unwrap([inner], reading)
                merge(document, more)
            elif name in ROOTS:
                merge(document, {name: inner})
            elif name in _LISTS:
                merge(document, {_LISTS[name]: {name: inner}})
        for notification in _notifications(value):
            targets += _apply(document, notification, reading)
    return document, targets[0] if targets else ""


def _flatten(found: list[Any]) -> list[dict[str, Any]]:
    flat: list[dict[str, Any]] = []
    for value in found:
        if isinstance(value, list):
            flat += [v for v in value if isinstance(v, dict)]
        elif isinstance(value, dict):
            flat.append(value)
    return flat


def _notifications(value: dict[str, Any]) -> list[dict[str, Any]]:
    inner = value.get("notification") or value.get("notifications")
    if isinstance(inner, list):
        return [n for n in inner if isinstance(n, dict)]
    subscribed = value.get("update")
    if isinstance(subscribed, dict):
        return [subscribed]
    return [value] if isinstance(value.get("update") or value.get("updates"), list) else []


def _apply(document: dict[str, Any], notification: dict[str, Any], reading: Reading) -> list[str]:
    prefix = notification.get("prefix")
    base = _elements(prefix)
    updates = notification.get("update") or notification.get("updates") or []
    for update in updates if isinstance(updates, list) else []:
        if not isinstance(update, dict):
            continue
        path = base + _elements(update.get("path") or update.get("Path"))
        for given, value in _update_values(update, path):
            try:
                _place(document, given, value)
            except TypeError:
                reading.wrong("a path of this answer does not fit the value before it", _show(given))
    for gone in notification.get("delete") or []:
        _remove(document, base + _elements(gone))
    target = prefix.get("target") if isinstance(prefix, dict) else None
    return [target] if isinstance(target, str) and target else []


Element = tuple[str, dict[str, str]]


def _elements(path: Any) -> list[Element]:
    """Reads a gNMI path: text, `{"elem": [...]}`, or the deprecated `{"element": [...]}`."""
    if isinstance(path, dict):
        if isinstance(path.get("elem"), list):
            return [(local(str(e.get("name", ""))), dict(e.get("key") or {})) for e in path["elem"]]
        return [e for part in path.get("element") or [] for e in _elements("/" + str(part))]
    if not isinstance(path, str):
        return []
    text = path.removeprefix("openconfig:")
    found: list[Element] = []
    for name, keys in _ELEMENT.findall(text):
        pairs = {k: re.sub(r"\\(.)", r"\1", v) for k, v in _KEY.findall(keys)}
        found.append((local(name.strip("/")), pairs))
    return found


def _show(path: list[Element]) -> str:
    return "".join(f"/{name}" + "".join(f"[{k}={v}]" for k, v in keys.items()) for name, keys in path)


def _update_values(update: dict[str, Any], path: list[Element]) -> list[tuple[list[Element], Any]]:
    if "values" in update and isinstance(update["values"], dict):
        return [(_elements("/" + p.lstrip("/")) or path, v) for p, v in update["values"].items()]
    val = update.get("val")
    if not isinstance(val, dict):
        return [(path, val)]
    for key in _VALUE_KEYS:
        if key in val:
            return [(path, _decoded(val[key]))]
    for key in _SCALAR_KEYS:
        if key in val:
            return [(path, val[key])]
    leaflist = val.get("leaflistVal")
    if isinstance(leaflist, dict):
        return [(path, [next(iter(e.values())) for e in leaflist.get("element", []) if e])]
    return [(path, val)]


def _decoded(value: Any) -> Any:
    if not isinstance(value, str):
        return value
    candidates = [value.encode()]
    with contextlib.suppress(binascii.Error, ValueError):
        candidates.append(base64.b64decode(value, validate=True))
    for text in candidates:
        try:
            return orjson.loads(text)
        except orjson.JSONDecodeError:
            continue
    return value


def _place(document: dict[str, Any], path: list[Element], value: Any) -> None:
    node: dict[str, Any] = document
    for i, (name, keys) in enumerate(path):
        last = i == len(path) - 1
        if keys:
            entries = node.setdefault(name, [])
            entry = _entry(entries, keys)
            if entry is None:
                entry = dict(keys)
                entries.append(entry)
            node = entry
        elif last and not isinstance(value, dict):
            node[name] = value
            return
        else:
            node = node.setdefault(name, {})
        if not isinstance(node, dict):
            raise TypeError(name)
    if isinstance(value, dict):
        merge(node, {local(k): v for k, v in value.items()})


def _entry(entries: Any, keys: dict[str, str]) -> dict[str, Any] | None:
    if not isinstance(entries, list):
        raise TypeError("list expected")
    for entry in entries:
        if isinstance(entry, dict) and all(str(entry.get(k)) == v for k, v in keys.items()):
            return entry
    return None


def _remove(document: dict[str, Any], path: list[Element]) -> None:
    node: Any = document
    for i, (name, keys) in enumerate(path):
        if not isinstance(node, dict) or name not in node:
            return
        last = i == len(path) - 1
        if keys:
            entry = _entry(node[name], keys)
            if entry is not None and last:
                node[name].remove(entry)
            node = entry
        elif last:
            del node[name]
        else:
            node = node[name]


def merge(into: dict[str, Any], more: dict[str, Any]) -> None:
    """Merges containers member by member; lists are joined, later scalars win."""
    for key, value in more.items():
        have = into.get(key)
        if isinstance(have, dict) and isinstance(value, dict):
            merge(have, value)
        elif isinstance(have, list) and isinstance(value, list):
            have.extend(value)
        else:
            into[key] = value
