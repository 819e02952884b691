"""The objects that are read of an SNMP walk: their names, where they stand, and what their values are.

From SNMPv2-MIB (RFC 3418), IF-MIB (RFC 2863), IP-MIB (RFC 4293), IP-FORWARD-MIB (RFC 4292, 2096), BRIDGE-MIB
(RFC 4188), RSTP-MIB (RFC 4318), Q-BRIDGE-MIB (RFC 4363), IEEE8021-PAE-MIB, IEEE8023-LAG-MIB (IEEE 802.3ad) and LLDP-MIB (IEEE 802.1AB-2005) with its extensions.
"""

from __future__ import annotations

from enum import Enum
from typing import Final, NamedTuple


class Form(Enum):
    """What the value of an object is."""

    NUMBER = "number"
    TEXT = "text"
    OCTETS = "octets"
    ADDRESS = "address"


class Thing(NamedTuple):
    """An object, or the column of a table.

    Attributes:
        name: as its module calls it.
        oid: without what stands for the row.
        form: what its values are.
    """

    name: str
    oid: str
    form: Form


_MIB2, _LLDP, _LAG = "1.3.6.1.2.1", "1.0.8802.1.1.2.1", "1.2.840.10006.300.43.1"
_DOT1, _MED = f"{_LLDP}.5.32962.1", f"{_LLDP}.5.4795.1"
_NUMBERS = {
    f"{_MIB2}.2.2.1": {3: "ifType", 7: "ifAdminStatus", 8: "ifOperStatus"},
    f"{_MIB2}.31.1.1.1": {15: "ifHighSpeed"},
    f"{_MIB2}.31.1.2.1": {3: "ifStackStatus"},
    f"{_MIB2}.4": {1: "ipForwarding"},
    f"{_MIB2}.4.20.1": {2: "ipAdEntIfIndex"},
    f"{_MIB2}.4.34.1": {3: "ipAddressIfIndex"},
    f"{_MIB2}.4.21.1": {8: "ipRouteType", 9: "ipRouteProto"},
    f"{_MIB2}.4.24.4.1": {6: "ipCidrRouteType", 7: "ipCidrRouteProto"},
    f"{_MIB2}.4.24.7.1": {8: "inetCidrRouteType", 9: "inetCidrRouteProto"},
    f"{_MIB2}.17.1.4.1": {2: "dot1dBasePortIfIndex"},
    f"{_MIB2}.17.2": {2: "dot1dStpPriority", 16: "dot1dStpVersion", 1: "dot1dStpProtocolSpecification"},
    f"{_MIB2}.17.2.15.1": {
        2: "dot1dStpPortPriority",
        4: "dot1dStpPortEnable",
        5: "dot1dStpPortPathCost",
        11: "dot1dStpPortPathCost32",
    },
    f"{_MIB2}.17.2.19.1": {2: "dot1dStpPortAdminEdgePort"},
    f"{_MIB2}.17.1": {3: "dot1dBaseType"},
    "1.0.8802.1.1.1.1.2.1.1": {6: "dot1xAuthAuthControlledPortControl"},
    f"{_MIB2}.17.7.1.1": {4: "dot1qNumVlans", 5: "dot1qGvrpStatus"},
    f"{_MIB2}.16.22.1.3.1.1": {5: "portCopyStatus"},
    f"{_MIB2}.17.7.1.4.2.1": {6: "dot1qVlanStatus"},
    f"{_MIB2}.17.7.1.4.3.1": {5: "dot1qVlanStaticRowStatus"},
    f"{_MIB2}.17.7.1.4.5.1": {
        1: "dot1qPvid",
        2: "dot1qPortAcceptableFrameTypes",
        3: "dot1qPortIngressFiltering",
        4: "dot1qPortGvrpStatus",
        7: "dot1qPortRestrictedVlanRegistration",
    },
    f"{_LAG}.2.1.1": {12: "dot3adAggPortSelectedAggID", 13: "dot3adAggPortAttachedAggID"},
    f"{_LLDP}.3": {1: "lldpLocChassisIdSubtype"},
    f"{_LLDP}.3.7.1": {2: "lldpLocPortIdSubtype"},
    f"{_LLDP}.4.1.1": {4: "lldpRemChassisIdSubtype", 6: "lldpRemPortIdSubtype"},
    f"{_DOT1}.3.1.1": {1: "lldpXdot1RemPortVlanId"},
    f"{_MED}.3.2.1": {
        2: "lldpXMedRemMediaPolicyVlanID",
        5: "lldpXMedRemMediaPolicyUnknown",
        6: "lldpXMedRemMediaPolicyTagged",
    },
}
_TEXTS = {
    f"{_MIB2}.1": {1: "sysDescr", 5: "sysName"},
    f"{_MIB2}.2.2.1": {2: "ifDescr"},
    f"{_MIB2}.31.1.1.1": {1: "ifName", 18: "ifAlias"},
    f"{_MIB2}.17.7.1.4.3.1": {1: "dot1qVlanStaticName"},
    f"{_LLDP}.3": {3: "lldpLocSysName"},
    f"{_LLDP}.3.7.1": {4: "lldpLocPortDesc"},
    f"{_LLDP}.4.1.1": {8: "lldpRemPortDesc", 9: "lldpRemSysName"},
    f"{_DOT1}.3.3.1": {2: "lldpXdot1RemVlanName"},
}
_OCTETS = {
    f"{_MIB2}.17.7.1.4.2.1": {4: "dot1qVlanCurrentEgressPorts", 5: "dot1qVlanCurrentUntaggedPorts"},
    f"{_MIB2}.17.7.1.4.3.1": {
        2: "dot1qVlanStaticEgressPorts",
        3: "dot1qVlanForbiddenEgressPorts",
        4: "dot1qVlanStaticUntaggedPorts",
    },
    f"{_LAG}.2.1.1": {21: "dot3adAggPortActorOperState"},
    f"{_LLDP}.3": {2: "lldpLocChassisId"},
    f"{_LLDP}.3.7.1": {3: "lldpLocPortId"},
    f"{_LLDP}.4.1.1": {5: "lldpRemChassisId", 7: "lldpRemPortId", 12: "lldpRemSysCapEnabled"},
}
_ADDRESSES = {
    f"{_MIB2}.2.2.1": {6: "ifPhysAddress"},
    f"{_MIB2}.4.20.1": {3: "ipAdEntNetMask"},
    f"{_MIB2}.4.21.1": {7: "ipRouteNextHop", 11: "ipRouteMask"},
    f"{_MIB2}.17.1": {1: "dot1dBaseBridgeAddress"},
}

OBJECTS: Final = tuple(
    Thing(name, f"{table}.{column}", form)
    for form, tables in (
        (Form.NUMBER, _NUMBERS),
        (Form.TEXT, _TEXTS),
        (Form.OCTETS, _OCTETS),
        (Form.ADDRESS, _ADDRESSES),
    )
    for table, columns in tables.items()
    for column, name in columns.items()
)
BY_NAME: Final = {o.name: o for o in OBJECTS}
BY_OID: Final = {o.oid: o for o in OBJECTS}

ROUTE_LABELS: Final = {
    "other": 1, "reject": 2, "invalid": 2, "local": 3, "direct": 3, "remote": 4, "indirect": 4, "blackhole": 5,
}  # fmt: skip
"""Labels of kinds of routes."""

PROTO_LABELS: Final = {
    "other": 1, "local": 2, "netmgmt": 3, "icmp": 4, "egp": 5, "ggp": 6, "hello": 7, "rip": 8, "isIs": 9, "ospf": 13,
    "bgp": 14,
}  # fmt: skip
"""Labels of what a route comes from (IANAipRouteProtocol); what is not here is a protocol all the same."""

RANGES: Final = {
    "ifAdminStatus": (1, 3), "ifOperStatus": (1, 7), "ipForwarding": (1, 2), "dot1dBaseType": (1, 4), "dot1dStpVersion": (0, 3),
    "dot1dStpPriority": (0, 65535), "dot1dStpPortPriority": (0, 255), "dot1dStpPortEnable": (1, 2),
    "dot1dStpPortAdminEdgePort": (1, 2), "dot1qGvrpStatus": (1, 2), "dot1qVlanStatus": (1, 3),
    "dot1qVlanStaticRowStatus": (1, 6), "dot1qPvid": (0, 4095), "dot1qPortAcceptableFrameTypes": (1, 3),
    "dot1qPortIngressFiltering": (1, 2), "dot1qPortGvrpStatus": (1, 2), "dot1qPortRestrictedVlanRegistration": (1, 2),
    "portCopyStatus": (1, 6), "dot1xAuthAuthControlledPortControl": (1, 3),
}  # fmt: skip
"""The least and the greatest value of numbers that stand for something."""

OF_NOW: Final = frozenset({"ifOperStatus", "dot3adAggPortActorOperState"})
"""Objects that change by themselves: of two walks in one file the later counts."""

LABELS: Final = {
    "true": 1, "false": 2, "enabled": 1, "disabled": 2, "up": 1, "down": 2, "testing": 3, "admitAll": 1,
    "admitOnlyVlanTagged": 2, "active": 1, "notInService": 2, "notReady": 3, "other": 1, "permanent": 2,
    "dynamicGvrp": 3, "ethernetCsmacd": 6, "softwareLoopback": 24, "propVirtual": 53, "l2vlan": 135, "l3ipvlan": 136,
    "ieee8023adLag": 161, "bridge": 209, "stpCompatible": 0, "sourceroute-only": 3, "srt": 4, "forceUnauthorized": 1, "auto": 2,
    "forceAuthorized": 3, "rstp": 2, "mstp": 3, "ieee8021d": 3, "forwarding": 1,
    "notForwarding": 2, "chassisComponent": 1, "interfaceAlias": 2, "portComponent": 3, "macAddress": 4,
    "networkAddress": 5, "interfaceName": 6, "local": 7,
}  # fmt: skip
"""Numbers of enumeration labels, for walks that were told to print labels alone; none has two among these objects."""

OPER_LABELS: Final = {
    "up": 1, "down": 2, "testing": 3, "unknown": 4, "dormant": 5, "notPresent": 6, "lowerLayerDown": 7,
}  # fmt: skip
"""Labels of what an interface does now."""

PORT_LABELS: Final = {"interfaceAlias": 1, "portComponent": 2, "macAddress": 3, "networkAddress": 4, "interfaceName": 5}
"""Labels of port identifiers, which are numbered otherwise than those of chassis."""

SUBTREES: Final = {
    "the VLAN table": f".{_MIB2}.17",
    "what ports do with VLANs": f".{_MIB2}.17",
    "names of ports": f".{_MIB2}.31",
    "the spanning tree": f".{_MIB2}.17",
    "LAGs": ".1.2.840.10006.300.43",
    "neighbours": ".1.0.8802",
    "gateways": f".{_MIB2}.4",
}
"""The subtree to walk for each topic of an audit."""
