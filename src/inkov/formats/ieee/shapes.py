"""What the leaves of the IEEE 802.1Q model that are followed must be (IEEE 802.1Qcp-2018, RFC 8343)."""

from __future__ import annotations

import re
from collections.abc import MutableMapping
from typing import Any, Final

from inkov.formats.ieee.tree import all_of
from inkov.formats.reading import Reading
from inkov.formats.shapes import FLAG, NODE, TEXT, Shape, each, keep, number, one_of
from inkov.model.vlanset import VID_MAX, VID_MIN

_VIDS: Final = Shape(
    lambda value: (
        not isinstance(value, bool)
        and isinstance(value, int | str)
        and re.fullmatch(r"\s*\d+(?:\s*(?:-|\.\.)\s*\d+)?(?:[,\s]+\d+(?:\s*(?:-|\.\.)\s*\d+)?)*[,\s]*|\s*", str(value))
        is not None
    ),
    "VLANs or ranges of them",
)
_REF: Final = Shape(
    lambda value: number(1, 65535).fits(value) or (isinstance(value, str) and not value.isdecimal()),
    "the number of a bridge port",
)
_NAME: Final = each(Shape(lambda value: isinstance(value, str | int) and not isinstance(value, bool), "a name"))
_NODES: Final = each(NODE)

_SHAPES: Final = {
    "/bridges": {"bridge": _NODES},
    "/bridges/bridge": {"name": TEXT, "component": _NODES, "address": TEXT},
    "/bridges/bridge/component": {"name": TEXT, "bridge-port": _NAME, "filtering-database": NODE, "bridge-vlan": NODE},
    "/bridges/bridge/component/bridge-vlan": {"vlan": _NODES},
    "/bridges/bridge/component/bridge-vlan/vlan": {
        "vid": number(VID_MIN, VID_MAX), "name": TEXT, "egress-ports": _NAME, "untagged-ports": _NAME,
    },
    "/bridges/bridge/component/filtering-database": {"vlan-registration-entry": _NODES},
    "/bridges/bridge/component/filtering-database/vlan-registration-entry": {"vids": _VIDS, "port-map": _NODES},
    "/bridges/bridge/component/filtering-database/vlan-registration-entry/port-map": {
        "port-ref": _REF, "static-vlan-registration-entries": NODE, "dynamic-vlan-registration-entries": NODE,
    },
    "/bridges/bridge/component/filtering-database/vlan-registration-entry/port-map/static-vlan-registration-entries": {
        "registrar-admin-control": one_of(("fixed-new-ignored", "fixed-new-propagated", "forbidden", "normal", "fixed")),
        "vlan-transmitted": one_of(("tagged", "untagged")),
    },
    "/bridges/bridge/component/filtering-database/vlan-registration-entry/port-map/dynamic-vlan-registration-entries": {
        "control-element": TEXT,
    },
    "/interfaces": {"interface": _NODES},
    "/interfaces/interface": {
        "name": TEXT, "type": TEXT, "enabled": FLAG, "admin-status": TEXT, "description": TEXT, "bridge-port": NODE,
        "higher-layer-if": _NAME, "lower-layer-if": _NAME, "phys-address": TEXT,
    },
    "/interfaces/interface/bridge-port": {
        "bridge-name": TEXT, "component-name": TEXT, "port-type": TEXT, "pvid": number(0, VID_MAX + 1),
        "acceptable-frame": TEXT, "port-number": number(1, 65535), "enable-ingress-filtering": FLAG,
        "enable-restricted-vlan-registration": FLAG, "enable-vid-translation-table": FLAG,
        "enable-egress-vid-translation-table": FLAG, "protocol-group-vid-set": _NODES,
    },
    "/lldp": {"port": _NODES, "local-system-data": NODE},
    "/lldp/local-system-data": {"chassis-id": TEXT, "chassis-id-subtype": TEXT, "system-name": TEXT},
    "/lldp/port": {"name": TEXT, "remote-systems-data": _NODES},
    "/lldp/port/remote-systems-data": {
        "chassis-id": TEXT, "chassis-id-subtype": TEXT, "port-id": TEXT, "port-id-subtype": TEXT, "system-name": TEXT,
        "port-desc": TEXT,
    },
}  # fmt: skip


_KEYS: Final = {
    "/bridges/bridge": "name",
    "/bridges/bridge/component": "name",
    "/bridges/bridge/component/bridge-vlan/vlan": "vid",
    "/bridges/bridge/component/filtering-database/vlan-registration-entry": "vids",
    "/bridges/bridge/component/filtering-database/vlan-registration-entry/port-map": "port-ref",
    "/interfaces/interface": "name",
    "/lldp/port": "name",
}
"""What tells the entries of a list apart."""


def checked(node: Any, path: str, reading: Reading) -> None:
    """Takes out of what stands below a root whatever is not what it must be, and records it."""
    listed = next(iter(_SHAPES[path])) if path != "/lldp" else ""
    if not isinstance(node, dict) or (node and listed and listed not in node):
        reading.wrong(f"{node!r:.40} is no object that lists each {listed or 'port'}", path)
    else:
        _below(node, path, path, reading)


def _below(node: MutableMapping[str, Any], path: str, at: str, reading: Reading) -> None:
    if path in _KEYS and node.get(_KEYS[path]) in (None, ""):
        reading.wrong(f"an entry has no {_KEYS[path]}", at)
    keep(node, _SHAPES[path], at, reading)
    for name in _SHAPES[path]:
        inner = f"{path}/{name}"
        if inner in _SHAPES:
            for held in all_of(node.get(name)):
                key = next((f"[{k}={held[k]}]" for k in ("name", "vid", "vids", "port-ref") if k in held), "")
                _below(held, inner, f"{at}/{name}{key}", reading)
