"""What a database states of a bridge and the reader does not follow (`vswitch.ovsschema`): copies, overlays, flows of a controller."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

from inkov.formats.reading import Reading
from inkov.model.source import Touches

FOLLOWED: Final = {
    "Bridge": frozenset(
        [
            "name",
            "ports",
            "rstp_enable",
            "stp_enable",
            "other_config",
            "external_ids",
            "datapath_id",
            "datapath_version",
            "datapath_type",
            "protocols",
            "netflow",
            "sflow",
            "ipfix",
            "rstp_status",
            "status",
            "flood_vlans",
            "flow_tables",
            "mcast_snooping_enable",
        ]
    ),
    "Port": frozenset(
        [
            "name",
            "interfaces",
            "trunks",
            "cvlans",
            "tag",
            "vlan_mode",
            "external_ids",
            "other_config",
            "qos",
            "protected",
            "bond_mode",
            "bond_active_slave",
            "bond_active_member",
            "bond_downdelay",
            "bond_updelay",
            "bond_fake_iface",
            "fake_bridge",
            "lacp",
            "mac",
            "rstp_statistics",
            "rstp_status",
            "statistics",
            "status",
        ]
    ),
}
"""Columns that are followed, have no effect on where frames go, or only take away; what else is set may do anything."""

_OF_TRANSPORT: Final = frozenset({"_uuid", "_version", "action", "fail_mode"})

_PLAIN_TYPES: Final = frozenset(
    {"", "system", "internal", "tap", "patch", "dpdk", "dpdkvhostuser", "dpdkvhostuserclient", "afxdp", "netmap"}
)
"""Types of interfaces that carry frames to one place: a cable, a host, a guest, or another bridge."""


def record(
    bridge: Mapping[str, Any],
    ports: Sequence[Mapping[str, Any]],
    interfaces: Sequence[Mapping[str, Any]],
    mirrors: Sequence[Any],
    reading: Reading,
) -> None:
    """Records what is stated of a bridge and not followed.

    Args:
        bridge: its row.
        ports: the rows of its ports.
        interfaces: the rows of their interfaces.
        mirrors: the rows of all mirrors, of whatever bridge.
        reading: where to record it.
    """
    _left_out(bridge, interfaces, reading, mirrored=bool(mirrors))
    if bridge.get("fail_mode") == "secure":
        reading.touch("/Bridge/fail_mode", Touches.FRAMES, f"/Bridge[name={bridge.get('name')}]/fail_mode")
    for table, rows in (("Bridge", (bridge,)), ("Port", ports)):
        for row in rows:
            for column, value in row.items():
                known = column in FOLLOWED[table] or column in _OF_TRANSPORT
                if not known and value not in ([], {}, "", False, None, ["set", []], ["map", []]):
                    reading.touch(f"/{table}/{column}", Touches.FRAMES, f"/{table}[name={row.get('name')}]/{column}")
    protected = [str(row.get("name")) for row in ports if row.get("protected") is True]
    for name in protected if len(protected) > 1 else ():  # no frame passes from one of them to another
        reading.touch("/Port/protected", Touches.STOPS, f"/Port[name={name}]/protected", port=name)
    for row in interfaces:
        if str(row.get("type") or "") not in _PLAIN_TYPES and row.get("type") != ["set", []]:
            reading.touch("/Interface/type", Touches.FRAMES, f"/Interface[name={row.get('name')}]/type")


def _left_out(
    bridge: Mapping[str, Any], interfaces: Sequence[Mapping[str, Any]], reading: Reading, *, mirrored: bool
) -> None:
    """Records the columns that the dump leaves out: they may hold anything."""
    for column in ("mirrors", "controller", "fail_mode"):
        if column not in bridge:
            reading.touch("/Mirror" if mirrored and column == "mirrors" else f"/Bridge/{column}", Touches.FRAMES)
    if not all("type" in row for row in interfaces):
        reading.touch("/Interface/type", Touches.FRAMES)
