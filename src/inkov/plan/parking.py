"""The VLAN that ports nobody uses are put into."""

from __future__ import annotations

from collections import Counter

from inkov.forwarding.network import Network
from inkov.kinds.table import access_of
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import Vid


def parking(network: Network) -> Vid | None:
    """Returns the campus file's, else the VLAN that has most shut access ports and no open one; never the default VLAN."""
    if network.campus.parking is not None:
        return network.campus.parking
    shut: Counter[Vid] = Counter()
    for switch in network.switches.values():
        for port in switch.ports.values():
            if not port.enabled and (access := access_of(port.switching)) and access.vid is not None:
                shut[access.vid] += 1
    found = [v for v in shut if v != DEFAULT_VLAN and not network.members.get(v)]
    return min(found, key=lambda v: (-shut[v], v)) if found else None
