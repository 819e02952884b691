"""A switch of somebody's own in a host's socket, doing its worst: it makes a trunk where it can, and joins all it gets."""

from __future__ import annotations

from inkov.model.campus import Cable, Campus
from inkov.model.names import PortRef
from inkov.model.source import Origin, Source
from inkov.model.switch import (
    Access,
    General,
    Kind,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Stance,
    Switch,
    Switching,
    Trunk,
    Unstated,
)
from inkov.model.tree import BridgeTree, PortTree
from inkov.model.vlanset import ALL, Vid, VlanSet
from inkov.steps.steps import Arrival

PLUGGED = "someone's at"
"""How the names of switches begin that somebody plugged in."""
_NOWHERE = Source("plugged in")
_ORIGIN = Origin("plugged in", "", {})
_LOWEST = "00:00:00:00:00:01"


def plugged(ref: PortRef, campus: Campus, used: VlanSet, what: str, source: Source = _NOWHERE) -> Arrival:
    """Returns the step in which somebody plugs a switch of their own into a port.

    It takes part in the tree to become its root, makes a trunk of a port that is one or is willing to be, and joins all VLANs
    that may come by a hub, with one station on them.

    Args:
        ref: the port.
        campus: it is on one of its switches.
        used: the VLANs that count.
        what: the step in words.
        source: where it is written.
    """
    own = campus.switches[ref.switch]
    port = own.ports[ref.port]
    uplink, vlans = _uplink(port, used)
    name = f"{PLUGGED} {ref.switch} {ref.port}"
    ports = {"up": Port(name="up", switching=uplink, stance=Stance.ACTIVE, tag_format=port.tag_format, origin=_ORIGIN)}
    ports |= {f"in {v}": Port(name=f"in {v}", switching=Access(v), origin=_ORIGIN) for v in vlans[:1]}
    joins = [f"join {v}" for v in vlans] if len(vlans) > 1 else []
    deaf = PortTree(runs=False)  # or the tree would see the hub, and shut all of them but one
    ports |= {
        n: Port(name=n, switching=Access(v), tree=deaf, origin=_ORIGIN) for n, v in zip(joins, vlans, strict=False)
    }
    tree = BridgeTree(own.tree.protocol, 0)
    devices = [Switch(name=name, vlans=None, ports=ports, tree=tree, mac=_LOWEST, origin=_ORIGIN)]
    cables = [Cable(ref, PortRef(name, "up"), source)]
    if joins:
        hub = f"{name}, joined"
        plain = {n: Port(name=n, switching=Plain(), origin=_ORIGIN) for n in joins}
        devices.append(Switch(name=hub, vlans=None, ports=plain, kind=Kind.UNMANAGED, origin=_ORIGIN))
        cables += [Cable(PortRef(name, n), PortRef(hub, n), source) for n in joins]
    return Arrival(what=what, source=source, devices=tuple(devices), cables=tuple(cables), plugged=ref)


def _uplink(port: Port, used: VlanSet) -> tuple[Switching, list[Vid]]:
    """Returns what a switch makes of its own end towards a port, and the VLANs it may get there."""
    match port.switching:
        case Negotiated(access=access, trunk=trunk):
            if port.stance is Stance.SILENT:
                return _of_access(access)
            return Trunk(trunk.native, ALL), list(trunk.allowed & used)
        case Access() as access:
            return _of_access(access)
        case Trunk(native=native, allowed=allowed):
            return Trunk(native, ALL), list(allowed & used)
        case General(pvid=pvid, untagged=untagged, tagged=tagged):
            return Trunk(pvid or None, ALL), list((untagged | tagged) & used)
        case PrivateHost(secondary=vid) | Promiscuous(primary=vid):
            return Access(vid), [vid]
        case Unstated():
            return Trunk(None, ALL), list(used)
        case _:
            return Access(1), [1]


def _of_access(access: Access) -> tuple[Switching, list[Vid]]:
    vid = access.vid or 1
    if access.voice is None:
        return Access(vid), [vid]
    return Trunk(vid, VlanSet([vid, access.voice])), sorted({vid, access.voice})
