"""Objects of standard modules that are not read: which of them have no effect on frames and packets, and what the others may change.

From BRIDGE-MIB (RFC 4188), P-BRIDGE-MIB and Q-BRIDGE-MIB (RFC 4363), the IEEE 802.1 modules (1.3.111.2.802.1.1), TUNNEL-MIB
(RFC 4087), VRRP-MIB (RFC 2787, 6527), NAT-MIB (RFC 4008). A row is there only where the device has something of the kind.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

from inkov.model.source import Touches

_MIB2, _BRIDGE, _IEEE = "1.3.6.1.2.1", "1.3.6.1.2.1.17", "1.3.111.2.802.1.1"

_NO_EFFECT: Final = {
    "what a bridge is called, its timers and ports": ("1.1", "1.2", "1.4.1.1", "1.4.1.3", "1.4.1.4", "1.4.1.5"),
    "the tree as it stands, and its guards": ("2", "11"),
    "addresses that were learned, and counts": ("4", "7.1.2", "7.1.4.1", "7.1.4.4", "7.1.4.6", "7.1.4.7"),
    "static filters by address: they only take away": ("5", "7.1.3"),
    "priorities, timers of registration, groups of multicast": ("6",),
    "sizes of tables": ("7.1.1.1", "7.1.1.2", "7.1.1.3"),
    "which VLANs share what they learn": ("7.1.4.8", "7.1.4.9"),
    "rows of the VLAN tables that tell nothing more": ("7.1.4.2.1.3", "7.1.4.2.1.7", "7.1.4.5.1.5", "7.1.4.5.1.6"),
    "groups of protocols, which do nothing where no port has one": ("7.1.5.1",),
    "conformance": ("7.2", "3.0"),
}
"""Below dot1dBridge, by the reason."""

_MODULES: Final = {
    "the newer bridge tables: the same facts": ("2", "4.1.1", "4.1.2", "4.1.3", "4.1.4", "4.2"),
    "trees, faults of services, discovery, logins": ("3", "6", "8", "13", "15"),
}
"""Of IEEE 802.1 modules, by the reason."""

ACCOUNTS: Final[dict[str, tuple[str, Touches] | None]] = {
    **{f"{_BRIDGE}.{below}": None for some in _NO_EFFECT.values() for below in some},
    **{f"{_IEEE}.{below}": None for some in _MODULES.values() for below in some},
    _BRIDGE: ("dot1dBridge", Touches.FRAMES),
    f"{_BRIDGE}.3": ("dot1dSr", Touches.FRAMES),
    f"{_BRIDGE}.7.1.5.2": ("dot1vProtocolPortTable", Touches.FRAMES),
    _IEEE: ("ieee802dot1mibs", Touches.FRAMES),
    f"{_IEEE}.4.1.5": ("ieee8021QBridgeProtocol", Touches.FRAMES),
    f"{_IEEE}.4.1.6": ("ieee8021QBridgeVIDXTable", Touches.FRAMES),
    f"{_IEEE}.4.1.7": ("ieee8021QBridgeEgressVidXTable", Touches.FRAMES),
    f"{_IEEE}.5": ("ieee8021PbMib", Touches.FRAMES),
    f"{_IEEE}.9": ("ieee8021PbbMib", Touches.FRAMES),
    f"{_MIB2}.10.131": ("tunnelIfTable", Touches.PACKETS),
    f"{_MIB2}.68.1.3": ("vrrpOperTable", Touches.ADDRESSES),
    f"{_MIB2}.68.1.4": ("vrrpAssoIpAddrTable", Touches.ADDRESSES),
    f"{_MIB2}.207.1.1": ("vrrpv3OperationsTable", Touches.ADDRESSES),
    f"{_MIB2}.123": ("natMIB", Touches.PACKETS),
}
"""What an object below an OID may change, with the name of what holds it; None where it has no effect. The longest OID decides."""


_NAMES: Final = {
    "dot1dSr": Touches.FRAMES,
    "dot1vProtocolPort": Touches.FRAMES,
    "ieee8021QBridgeProtocolPort": Touches.FRAMES,
    "ieee8021QBridgeVIDX": Touches.FRAMES,
    "ieee8021QBridgeEgressVidX": Touches.FRAMES,
    "ieee8021Pb": Touches.FRAMES,
    "tunnelIf": Touches.PACKETS,
    "vrrpOper": Touches.ADDRESSES,
    "vrrpAssoIpAddr": Touches.ADDRESSES,
    "vrrpv3": Touches.ADDRESSES,
    "nat": Touches.PACKETS,
}
"""The same for walks that print names: how those begin. A walker prints no name of what it does not know."""


@lru_cache(maxsize=4096)
def touching(oid: bytes) -> tuple[str, Touches] | None:
    """Returns what objects below an OID may change, with what it is called; None where they have no such effect."""
    text = oid.decode("ascii", "replace").strip(".")
    parts = text.removeprefix("iso.").removeprefix("1.").split(".")
    if not parts[0].isdecimal():
        name = text.rpartition("::")[2].partition(".")[0].partition("[")[0]
        return next(((name, touches) for start, touches in _NAMES.items() if name.startswith(start)), None)
    parts = ["1", *parts]
    for length in range(len(parts), 5, -1):
        if (known := ".".join(parts[:length])) in ACCOUNTS:
            account = ACCOUNTS[known]
            open_ended = account is not None and known in {_BRIDGE, _IEEE}
            return (".".join([account[0], *parts[length:]]), account[1]) if account and open_ended else account
    return None
