"""Who sends and who hears in a VLAN, in the simulator's terms: what provers are compared with."""

from inkov.model.names import PortRef
from inkov.model.switch import Kind, Tunnel
from simulator import egress, ingress, listeners, number
from strategies import VLANS


def edge_ports(campus):
    cabled = {end for c in campus.cables for end in (c.a, c.b)}
    for switch in campus.switches.values():
        for port in switch.ports.values():
            if port.enabled and (ref := PortRef(switch.name, port.name)) not in cabled:
                yield ref


def senders(campus, vid, *, through_tunnels=True):
    """Edge ports whose stations send in a VLAN, with the tags they use; honest ones use only what they also hear.

    Behind a tunnel any tag is one's own; a bridge that passes a tag on for want of a subinterface is no tunnel.
    """
    found = []
    for ref in edge_ports(campus):
        tunnel = _tunnel(campus, ref)
        for tags in [(), *((v + 4096 * number(campus, ref),) for v in (*VLANS, 99))]:
            entered = ingress(campus, ref, tags)
            if entered is None or entered[0] != vid or (tags and tunnel and not through_tunnels):
                continue
            if not tags or (egress(campus, ref, vid, ()) is not None and (tunnel or not entered[1])):
                found.append((ref, tags))
    return found


def silent(campus, vid):
    """Edge ports with a station that hears a VLAN, and that sends nothing which its port takes in.

    What leaves untagged goes to the untagged station of a port, what leaves with a tag to the station of that tag.
    """
    found = set()
    for ref in edge_ports(campus):
        out = egress(campus, ref, vid, ())
        if out is not None and ingress(campus, ref, out) is None:
            found.add(ref)
    return found


def hearers(campus, vid):
    return {ref for ref in edge_ports(campus) if egress(campus, ref, vid, ()) is not None}


def hears(campus, a, b):
    """Whether a station of one VLAN hears one of another; the one untagged station of a port is in all VLANs that it sends in or hears."""
    theirs, whole_there = hearers(campus, b), by_one(campus, b)
    starts = {*senders(campus, a), *((ref, ()) for ref in by_one(campus, a))}
    return any(
        (at in theirs and v == b) or (at in whole_there and wire == ())
        for ref, tags in starts
        for at, v, wire in listeners(campus, ref, tags)
    )


def by_one(campus, vid):
    """Edge ports of switches whose one untagged station is in a VLAN; that of a tunnel may tag as it likes."""
    found = set()
    for ref in edge_ports(campus):
        entered = ingress(campus, ref, ())
        sends = entered is not None and entered[0] == vid
        hub = campus.switches[ref.switch].kind is Kind.UNMANAGED
        if (sends or egress(campus, ref, vid, ()) == ()) and not (hub or _tunnel(campus, ref)):
            found.add(ref)
    return found


def _tunnel(campus, ref):
    return isinstance(campus.switches[ref.switch].ports[ref.port].switching, Tunnel)


def in_both(campus, a, b):
    """A port whose one station is in both: it is a member of each by itself."""
    mine = {ref for ref, _ in senders(campus, a)} | hearers(campus, a)
    return bool(mine & ({ref for ref, _ in senders(campus, b)} | hearers(campus, b)))


def whole(campus, vid):
    """Each station of a segment sends something, and all others hear what it sends in the segment."""
    sending, hearing = senders(campus, vid, through_tunnels=False), hearers(campus, vid)
    everyone = {ref for ref, _ in sending} | hearing
    return not silent(campus, vid) and all(
        everyone - {ref} <= {at for at, v, _ in listeners(campus, ref, tags) if v == vid and at in hearing}
        for ref, tags in sending
    )
