"""One packet at a time through gateways, from docs/frames.md, section 6, alone; layer 2 is the frame simulator's."""

from inkov.model.names import PortRef
from inkov.model.switch import Kind, Routed
from simulator import Frame, egress, ingress, passes, relays

PORTLESS = "vlan"


def far_ends(campus):
    return {end: other for c in campus.cables for end, other in ((c.a, c.b), (c.b, c.a))}


def spread(campus, todo):
    """Every (switch, VLAN) frames get to, and every port they leave the switches by: as (port, VLAN, tags)."""
    far = far_ends(campus)
    seen, left = set(todo), set()
    todo = list(todo)
    while todo:
        frame = todo.pop()
        for name in campus.switches[frame.switch].ports:
            ref = PortRef(frame.switch, name)
            other = far.get(ref)
            if ref == frame.came_by:
                continue
            wire = egress(campus, ref, frame.vlan, frame.inner, other)
            if wire is None:
                continue
            left.add((ref, frame.vlan, wire))
            arrived = ingress(campus, other, wire, ref) if other and passes(campus, ref, other, wire) else None
            if arrived is not None and (new := Frame(other.switch, *arrived, other)) not in seen:
                seen.add(new)
                todo.append(new)
    return {(f.switch, f.vlan) for f in seen}, left


def up(campus, device, gateway):
    switch = campus.switches[device]
    far = far_ends(campus)
    if gateway.port:
        ref = PortRef(device, gateway.port)
        other = far.get(ref)
        return switch.ports[gateway.port].enabled and other is not None and enabled(campus, other)
    if not relays(switch, gateway.vid):
        return False
    return any(
        egress(campus, ref, gateway.vid, (), far.get(ref)) is not None and (ref not in far or enabled(campus, far[ref]))
        for ref in (PortRef(device, p) for p in switch.ports)
    )


def enabled(campus, ref):
    return campus.switches[ref.switch].ports[ref.port].enabled


def hears(campus, device, gateway, places, left):
    """Whether frames that got to some places, and left by some ports, reach a gateway."""
    if not gateway.port:
        return (device, gateway.vid) in places
    far = far_ends(campus)
    tags = () if gateway.vid is None else (gateway.vid,)
    return any(far.get(ref) == PortRef(device, gateway.port) and wire == tags for ref, _, wire in left)


def sent_by(campus, device, gateway):
    """What the frames of a gateway reach."""
    started = started_by(campus, device, gateway)
    return spread(campus, started) if started else (set(), set())


def started_by(campus, device, gateway):
    """The frames of a gateway in the first switch that has them."""
    if not gateway.port:
        return [Frame(device, gateway.vid, (), PortRef(device, PORTLESS))]
    other = far_ends(campus).get(PortRef(device, gateway.port))
    tags = () if gateway.vid is None else (gateway.vid,)
    if other is None or isinstance(campus.switches[other.switch].ports[other.port].switching, Routed):
        return []
    arrived = ingress(campus, other, tags, PortRef(device, gateway.port))
    return [Frame(other.switch, *arrived, other)] if arrived else []


def let_through(switch, name, packet):
    if not name:
        return True
    for entry in switch.filters[name].entries:
        if (entry.origin is None or packet[0] in entry.origin) and (entry.target is None or packet[1] in entry.target):
            return entry.accepts
    raise AssertionError("filters of random campuses end with an entry for all")


def managed(campus, vid):
    """The switches that are stations of a VLAN by the one address they have: for managing them, as they route nothing."""
    return [
        s.name
        for s in campus.switches.values()
        if s.kind is not Kind.ROUTER and not s.routing and {g.vid for g in s.gateways} == {vid}
        for g in s.gateways
        if not g.port and up(campus, s.name, g)
    ]


def delivered(campus, starts, packet):
    """Everywhere (switch, VLAN) a packet ends up in, when its frames start in some places."""
    return passed_on(campus, taken_by(campus, starts), packet)[0]


def taken_by(campus, starts):
    """The gateways that take a frame that starts in some places."""
    places, left = spread(campus, starts)
    every = [(s.name, g) for s in campus.switches.values() for g in s.gateways]
    return [(d, g) for d, g in every if up(campus, d, g) and hears(campus, d, g, places, left)]


def speaks(gateway, packet):
    """Whether a gateway has an address of a packet's family."""
    return packet[0].version in {ip.version for ip in (*(a.ip for a in gateway.addresses), *gateway.virtual)}


def exits(campus):
    """The gateways behind which there is a next hop that is no device of the campus: packets come in there, too."""
    return [
        (s.name, g)
        for s in campus.switches.values()
        for g in s.gateways
        if up(campus, s.name, g)
        and any(r.via is not None and leads(r, g) and not owned(campus, r.via) for r in s.routes)
    ]


def leads(route, gateway):
    """Whether a route goes out by a gateway: it names it, or its next hop is in the subnet there."""
    if route.out:
        return route.out == gateway.key
    return route.via is not None and any(route.via in a.network for a in gateway.addresses)


def owned(campus, ip):
    return any(answers(g, ip) for s in campus.switches.values() for g in s.gateways)


def answers(gateway, ip):
    """Whether a gateway takes frames for an address: its own, or one it shares with others."""
    return ip in gateway.virtual or any(a.ip == ip for a in gateway.addresses)


def passed_on(campus, todo, packet, outs=None):
    """Everywhere (switch, VLAN) a packet ends up in that some gateways take, and the next hops outside it is sent to.

    `outs` takes the gateways it goes out by.
    """
    gateways = [(s.name, g) for s in campus.switches.values() for g in s.gateways]
    seen = {id(g) for _, g in todo}
    reached, gone = set(), set()
    while todo:
        device, into = todo.pop()
        switch = campus.switches[device]
        if not switch.routing or not let_through(switch, into.inward, packet) or not speaks(into, packet):
            continue
        choices = [
            ((a.network.prefixlen, 0), g, None)
            for g in switch.gateways
            for a in g.addresses
            if up(campus, device, g) and packet[1] in a.network
        ]
        choices += [
            ((r.prefix.prefixlen, -(r.metric or 0)), g, r.via)
            for r in switch.routes
            if packet[1] in r.prefix
            for g in switch.gateways
            if up(campus, device, g) and leads(r, g)
        ]
        lost = [
            (r.prefix.prefixlen, -(r.metric or 0))
            for r in switch.routes
            if packet[1] in r.prefix and r.via is None and not r.out
        ]
        for worth, out, via in choices:
            if worth < max([*lost, *(c[0] for c in choices)]) or not let_through(switch, out.outward, packet):
                continue
            places, left = sent_by(campus, device, out)
            if outs is not None:
                outs.append((device, out))
            if via is None:
                reached |= places
                continue
            if not owned(campus, via):
                gone.add((device, via))
            for name, g in gateways:
                owns = answers(g, via) and up(campus, name, g)
                if owns and id(g) not in seen and hears(campus, name, g, places, left):
                    seen.add(id(g))
                    todo.append((name, g))
    return reached, gone
