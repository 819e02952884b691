"""Which ports a spanning tree blocks, found the way bridges find it: by telling each other, round after round.

Written from IEEE 802.1D-2004, 17.5 and 17.6, for one tree; nothing of it comes from `inkov.forwarding`.
"""

from dataclasses import replace

from inkov.model.names import PortRef
from inkov.model.tree import Protocol
from simulator import relays

COSTS = {10: 2_000_000, 100: 200_000, 1000: 20_000, 10_000: 2_000}
"""IEEE 802.1Q-2022, table 13-4."""


def blocked(campus, vid):
    """Returns the ports that do not forward frames of a VLAN; every switch runs the same kind of tree."""
    each = any(s.tree.protocol is Protocol.PER_VLAN for s in campus.switches.values())
    number = vid if each else 0
    wires = [c for c in campus.cables if joins(campus, c, vid if each else None)]
    far = {end: other for c in wires for end, other in ((c.a, c.b), (c.b, c.a))}
    own = {n: (s.tree.own.get(number, s.tree.priority), s.mac) for n, s in campus.switches.items()}
    told = {n: (own[n], 0) for n in own}
    """What each bridge believes: root and cost to it."""
    towards = dict.fromkeys(own)
    for _ in range(2 * len(own) + 2):
        for name, me in own.items():
            offers = [((me, 0), None)]
            for port, other in far.items():
                if port.switch == name:
                    root, cost = told[other.switch]
                    ids = own[other.switch], port_id(campus, other), port_id(campus, port)
                    offers.append(((root, cost + path_cost(campus, port), *ids), port))
            best = min(offers, key=lambda o: o[0])
            told[name], towards[name] = best[0][:2], best[1]
    shut = set()
    for c in wires:
        rank = {end: (*told[end.switch], own[end.switch], port_id(campus, end)) for end in (c.a, c.b)}
        worse = max(rank, key=rank.get)
        if towards[worse.switch] != worse:
            shut.add(worse)
    return shut


def joins(campus, cable, vid):
    """Tells whether tree frames cross a cable; those of one VLAN's tree cross where the VLAN itself does."""
    for end in (cable.a, cable.b):
        switch = campus.switches[end.switch]
        port = switch.ports[end.port]
        if not port.enabled or (vid is not None and not (vid in port.switching.allowed and relays(switch, vid))):
            return False
    return True


def path_cost(campus, ref: PortRef):
    port = campus.switches[ref.switch].ports[ref.port]
    return port.tree.cost or COSTS[port.speed or 1000]


def port_id(campus, ref: PortRef):
    ports = campus.switches[ref.switch].ports
    return ports[ref.port].tree.priority, list(ports).index(ref.port)


def opened(campus, vid):
    """Returns the campus with the ports that its tree blocks for a VLAN dead."""
    switches = dict(campus.switches)
    for ref in blocked(campus, vid):
        switch = switches[ref.switch]
        port = replace(switch.ports[ref.port], enabled=False)
        switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: port})
    return replace(campus, switches=switches)
