"""What a document of the IEEE bridge model states and the reader does not follow: translation, provider bridges, and leaves it does not know."""

from __future__ import annotations

from typing import Any, Final

from inkov.formats.ieee.tree import Node, nodes_of, text_of
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import Reading
from inkov.model.source import Touches

_ENTRY: Final = "/bridges/bridge/component/filtering-database/vlan-registration-entry"

KNOWN: Final = {
    "/bridges/bridge": frozenset(["name", "address", "bridge-type", "ports", "up-time", "components", "component"]),
    "/bridges/bridge/component": frozenset(
        [
            "name",
            "id",
            "type",
            "address",
            "traffic-class-enabled",
            "ports",
            "bridge-port",
            "capabilities",
            "bridge-vlan",
            "filtering-database",
            "permanent-database",
            "bridge-mst",
        ]
    ),
    "/bridges/bridge/component/bridge-vlan": frozenset(
        [
            "version",
            "max-vids",
            "override-default-pvid",
            "protocol-template",
            "max-msti",
            "vlan",
            "protocol-group-database",
            "vid-to-fid",
            "vid-to-fid-allocation",
            "fid-to-vid-allocation",
        ]
    ),
    "/bridges/bridge/component/filtering-database": frozenset(
        [
            "aging-time",
            "size",
            "static-entries",
            "dynamic-entries",
            "static-vlan-registration-entries",
            "dynamic-vlan-registration-entries",
            "mac-address-registration-entries",
            "filtering-entry",
            "vlan-registration-entry",
        ]
    ),
    _ENTRY: frozenset(["database-id", "vids", "entry-type", "port-map"]),
    f"{_ENTRY}/port-map": frozenset(
        ["port-ref", "static-vlan-registration-entries", "dynamic-vlan-registration-entries"]
    ),
    f"{_ENTRY}/port-map/static-vlan-registration-entries": frozenset(["registrar-admin-control", "vlan-transmitted"]),
    f"{_ENTRY}/port-map/dynamic-vlan-registration-entries": frozenset(["control-element"]),
    "/interfaces/interface": frozenset(
        [
            "name",
            "description",
            "type",
            "enabled",
            "link-up-down-trap-enable",
            "admin-status",
            "oper-status",
            "last-change",
            "if-index",
            "phys-address",
            "higher-layer-if",
            "lower-layer-if",
            "speed",
            "statistics",
            "bridge-port",
            "ethernet",
            "ipv4",
            "ipv6",
        ]
    ),
    "/interfaces/interface/bridge-port": frozenset(
        [
            "bridge-name",
            "component-name",
            "port-type",
            "pvid",
            "acceptable-frame",
            "enable-ingress-filtering",
            "port-number",
            "address",
            "capabilities",
            "enable-restricted-vlan-registration",
            "default-priority",
            "priority-regeneration",
            "pcp-selection",
            "pcp-decoding-table",
            "pcp-encoding-table",
            "use-dei",
            "drop-encoding",
            "service-access-priority-selection",
            "service-access-priority",
            "traffic-class",
            "traffic-class-table",
            "admin-point-to-point",
            "oper-point-to-point",
            "external",
            "protocol-based-vlan-classification",
            "statistics",
            "transmission-selection-algorithm-table",
            "media-dependent-overhead",
            "max-vid-set-entries",
            "type-capabilities",
        ]
    ),
}
"""Leaves that are followed or have no effect on where frames go; what else is set may do anything. Addresses are not stated here anyway."""

OF_CUSTOMERS: Final = {
    "/bridges/bridge/bridge-type": "customer-vlan-bridge",
    "/bridges/bridge/component/type": "c-vlan-component",
    "/interfaces/interface/bridge-port/port-type": "c-vlan-bridge-port",
}
"""Kinds of bridges, components and ports that relay by the C-tag, as the reader takes all of them to do."""


def record(bridge: Node, component: Node, interfaces: list[Node], reading: Reading) -> None:
    """Records what is stated of a component and not followed.

    Args:
        bridge: the bridge that it is in.
        component: itself.
        interfaces: those that belong to it.
        reading: where to record it.
    """
    root = f"/bridges/bridge[name={text_of(bridge, 'name')}]"
    own = f"{root}/component[name={text_of(component, 'name')}]"
    _unknown(bridge, "/bridges/bridge", root, reading)
    _unknown(component, "/bridges/bridge/component", own, reading)
    for held in nodes_of(component, "bridge-vlan"):
        _unknown(held, "/bridges/bridge/component/bridge-vlan", f"{own}/bridge-vlan", reading)
    for held in nodes_of(component, "filtering-database"):
        _unknown_below(held, "/bridges/bridge/component/filtering-database", f"{own}/filtering-database", reading)
    for interface in interfaces:
        at = f"/interfaces/interface[name={text_of(interface, 'name')}]"
        _unknown(interface, "/interfaces/interface", at, reading)
        for held in nodes_of(interface, "bridge-port"):
            _unknown(held, "/interfaces/interface/bridge-port", f"{at}/bridge-port", reading)


def _unknown_below(node: Node, path: str, at: str, reading: Reading) -> None:
    """Records what is not followed of a container and of those in it that are."""
    _unknown(node, path, at, reading)
    for name in node:
        if f"{path}/{name}" in KNOWN:
            for held in nodes_of(node, name):
                _unknown_below(held, f"{path}/{name}", f"{at}/{name}", reading)


def _unknown(node: Node, path: str, at: str, reading: Reading) -> None:
    for leaf, value in node.items():
        whole = f"{path}/{leaf}"
        plain = OF_CUSTOMERS[whole] == local(str(value)) if whole in OF_CUSTOMERS else leaf in KNOWN[path]
        if not plain and not _does_nothing(value):
            reading.touch(whole, Touches.FRAMES, f"{at}/{leaf}")


def _does_nothing(value: Any) -> bool:
    return value in (None, False, "false", "", [], {})
