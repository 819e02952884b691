"""What a hostile station can do, frame by frame: any tags, and the trunk it makes of a willing port."""

from dataclasses import replace
from itertools import product

from inkov.model.switch import Access, Bridged, General, Negotiated, Plain, PrivateHost, Promiscuous, Stance, Tunnel
from proof_sides import edge_ports, hearers, senders
from simulator import listeners, number
from strategies import VLANS


def frames(campus):
    """Every frame of up to two tags, of every format in the campus."""
    names = {p.tag_format for s in campus.switches.values() for p in s.ports.values()} - {"802.1Q", "negotiated"}
    outer = [v + 4096 * k for v in (0, *VLANS, 99) for k in range(len(names) + 1)]
    inner = [v + 4096 * k for v in VLANS for k in range(len(names) + 1)]
    return [(), *((v,) for v in outer), *product(outer, inner)]


def named(switching):
    """The VLANs that a port is set to be in, whether or not its switch has them."""
    match switching:
        case Access(vid=vid, voice=voice):
            return {vid, voice}
        case General(pvid=pvid):
            return {pvid}
        case PrivateHost(primary=primary, secondary=secondary):
            return {primary, secondary}
        case Promiscuous(primary=primary, secondaries=secondaries):
            return {primary, *secondaries}
    return set()


def own_ports(campus, vid):
    """The ports a hostile station of a VLAN may be on."""
    set_so = set()
    for ref in edge_ports(campus):
        switching = campus.switches[ref.switch].ports[ref.port].switching
        access = switching.access if isinstance(switching, Negotiated) else switching
        if vid in named(access):
            set_so.add(ref)  # dead in that VLAN perhaps; it negotiates still, or takes tags, or has another VLAN
    return {ref for ref, _ in senders(campus, vid)} | hearers(campus, vid) | set_so


def variants(campus, ref):
    """The campus as it is, and with a willing port turned into the trunk that a station can make of it."""
    yield campus
    switch = campus.switches[ref.switch]
    port = switch.ports[ref.port]
    if isinstance(port.switching, Negotiated) and port.stance in {Stance.PASSIVE, Stance.ACTIVE}:
        trunk = replace(port, switching=port.switching.trunk)
        yield replace(
            campus, switches={**campus.switches, ref.switch: replace(switch, ports={**switch.ports, ref.port: trunk})}
        )


def attacked(campus, a, b):
    """Whether some frame from a hostile station of `a` is heard in `b`."""
    theirs = hearers(campus, b)
    return any(
        at in theirs and vlan == b
        for ref in own_ports(campus, a)
        for made in variants(campus, ref)
        for tags in frames(campus)
        if takes(made, ref, tags)
        for at, vlan, _ in listeners(made, ref, tags)
    )


def takes(campus, ref, tags):
    """Whether a station's port takes a frame: tagged 0 with another tag inside, the habit `own-tag` decides."""
    switch = campus.switches[ref.switch]
    hides = len(tags) > 1 and tags[0] == 4096 * number(campus, ref)
    looks = not isinstance(switch.ports[ref.port].switching, Tunnel | Plain | Bridged)
    return not (hides and looks) or switch.habits.own_tag


def overheard(campus, a, b):
    """Whether an honest frame of `b` is heard by a hostile station of `a`, whatever tag it has there."""
    for ref in own_ports(campus, a):
        for made in variants(campus, ref):
            for sender, tags in senders(campus, b):
                if sender != ref and any(at == ref for at, _, _ in listeners(made, sender, tags)):
                    return True
    return False


def replays(campus, witness):
    """Whether the frame of a witness is really heard at its end, with the ends made trunks where they are willing."""
    first, last = witness.way[0], witness.way[-1]
    return first.by == last.out or any(
        last.out in {at for at, _, _ in listeners(both, first.by, first.arrived)}
        for made in variants(campus, first.by)
        for both in variants(made, last.out)
    )
