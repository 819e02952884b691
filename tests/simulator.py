"""One frame at a time through a campus, written from the tables of docs/frames.md alone and as slowly as they read.

Nothing here comes from `inkov.forwarding`: this is what its answers are compared with.
"""

from typing import NamedTuple

from inkov.model.names import PortRef
from inkov.model.switch import (
    Access,
    Bridged,
    FrameTypes,
    General,
    Kind,
    Lacp,
    Negotiated,
    Plain,
    PrivateHost,
    Promiscuous,
    Stance,
    Trunk,
    Tunnel,
    VlanType,
)

MAX_TAGS = 4


class Frame(NamedTuple):
    """A frame inside a switch: its VLAN there, the tags left inside, and the port it came in by."""

    switch: str
    vlan: int
    inner: tuple
    came_by: PortRef


def relays(switch, vlan):
    return switch.vlans is None or (vlan in switch.vlans and switch.vlans[vlan].active)


# -- negotiation: docs/frames.md, section 3, row by row -----------------------------------------------------

TABLE = """
                    access  silent  announcing  passive  active
access              AA      AT      AT          AA       AA
silent              TA      TT      TT          TA       TA
announcing          TA      TT      TT          TT       TT
passive             AA      AT      TT          AA       TT
active              AA      AT      TT          TT       TT
"""
_head, *_rows = (line.split() for line in TABLE.strip().splitlines())
BECOMES = {(row[0], col): cell[0] for row in _rows for col, cell in zip(_head, row[1:], strict=True)}


def side(port):
    if isinstance(port.switching, Negotiated) and port.stance in {Stance.PASSIVE, Stance.ACTIVE}:
        return port.stance.value
    if isinstance(port.switching, Trunk):
        return "silent" if port.stance is Stance.SILENT else "announcing"
    return "access"


def mode(campus, ref, far):
    """What a port is once it has heard its far end."""
    switch = campus.switches[ref.switch]
    port = switch.ports[ref.port]
    if not isinstance(port.switching, Negotiated):
        return port.switching
    if far is None:
        return port.switching.access
    ends = [far] if campus.switches[far.switch].kind is not Kind.UNMANAGED else around(campus, far.switch, ref)
    for end in ends[:1]:  # of several behind a hub any may be heeded; usually it is taken to be the first
        other = campus.switches[end.switch]
        if switch.sync_group and other.sync_group and switch.sync_group != other.sync_group:
            return port.switching.access
        if BECOMES[side(port), side(other.ports[end.port])] == "T":
            return port.switching.trunk
    return port.switching.access


def around(campus, hub, ref):
    """The ports of other devices to which a hub, and hubs cabled to it, pass on what a port says."""
    far = {end: other for c in campus.cables for end, other in ((c.a, c.b), (c.b, c.a))}
    enabled = {PortRef(s.name, p.name) for s in campus.switches.values() for p in s.ports.values() if p.enabled}
    todo, seen, found = [hub], {hub}, []
    while todo:
        name = todo.pop()
        for own in (PortRef(name, p) for p in campus.switches[name].ports):
            end = far.get(own)
            if end is None or not {own, end} <= enabled:
                continue
            if campus.switches[end.switch].kind is not Kind.UNMANAGED:
                found.append(end)
            elif end.switch not in seen:
                seen.add(end.switch)
                todo.append(end.switch)
    return sorted((e for e in found if e != ref), key=lambda e: e.order)


# -- the port table ------------------------------------------------------------------------------------


def ingress(campus, ref, tags, far=None):
    """The VLAN a frame enters and the tags left inside; None when it is dropped."""
    switch = campus.switches[ref.switch]
    if not switch.ports[ref.port].enabled:
        return None
    entered = recognised(campus, switch, ref, mode(campus, ref, far), tags)
    if entered is None or len(entered[1]) > MAX_TAGS:
        return None
    return entered if switch.kind is Kind.UNMANAGED or relays(switch, entered[0]) else None


def number(campus, ref):
    """The number of a port's tag format; a tag on the wire is its VID and 4096 times that."""
    names = {p.tag_format for s in campus.switches.values() for p in s.ports.values()} - {"802.1Q", "negotiated"}
    own = campus.switches[ref.switch].ports[ref.port].tag_format
    return sorted(names).index(own) + 1 if own in names else 0


def recognised(campus, switch, ref, switching, tags):
    """A tag is bytes: one of another format than the port's own is payload of an untagged frame."""
    if tags and tags[0] // 4096 != number(campus, ref):
        entered = enters(switch, switching, ())
        return None if entered is None else (entered[0], tags)
    own = (tags[0] % 4096, *tags[1:]) if tags else ()
    entered = enters(switch, switching, own)
    whole = entered is None and own and own[0] and isinstance(switching, Bridged)
    if whole and (entered := enters(switch, switching, ())) is not None:
        return entered[0], tags  # a bridge that does not filter passes tags it has no subinterface for
    if isinstance(switching, Tunnel | Plain) and entered is not None and entered[1] == own:
        return entered[0], tags
    return entered


def enters(switch, switching, tags):  # noqa: C901, PLR0912
    untagged = not tags or tags[0] == 0
    tag = None if untagged else tags[0]
    inner = tags[1:]
    habits = switch.habits
    match switching:
        case Plain():
            return 0, inner if untagged else tags
        case Tunnel(vid=v):
            return v, inner if untagged else tags
        case Access(vid=v, voice=w):
            if untagged:
                return v, inner
            if tag == w or (tag == v and habits.own_tag):
                return tag, inner
        case Trunk(native=n, allowed=allowed, native_tagged=native_tagged, translate=translate):
            if untagged:
                passes = n is not None and not native_tagged and (n in allowed or habits.native_outside_list)
                return (n, inner) if passes else None
            inside = dict(translate)
            if tag in inside:
                tag = inside[tag]
            elif tag in inside.values():
                return None
            if tag == n and not native_tagged and not habits.tagged_native:
                return None
            return (tag, inner) if tag in allowed else None
        case General(pvid=p, untagged=u, tagged=t, frames=frames, filtering=filtering):
            if untagged and frames is not FrameTypes.TAGGED and p is not None:
                return (p, inner) if not filtering or p in u | t else None
            if not untagged and frames is not FrameTypes.UNTAGGED:
                return (tag, inner) if not filtering or tag in u | t else None
        case PrivateHost(secondary=s):
            return (s, inner) if untagged else None
        case Promiscuous(primary=p):
            return (p, inner) if untagged else None
        case Bridged(untagged=d, tagged=pairs):
            if untagged:
                return None if d is None else (d, inner)
            return (dict(pairs)[tag], inner) if tag in dict(pairs) else None
    return None


def egress(campus, ref, vlan, inner, far=None):
    """The tags a frame leaves with; None when it does not leave here."""
    switch = campus.switches[ref.switch]
    if not switch.ports[ref.port].enabled or not (switch.kind is Kind.UNMANAGED or relays(switch, vlan)):
        return None
    sent = leaves(switch, mode(campus, ref, far), vlan, inner)
    if sent is not None and len(sent) > len(inner):
        return (sent[0] + 4096 * number(campus, ref), *sent[1:])
    return sent


def leaves(switch, switching, vlan, inner):  # noqa: C901, PLR0912
    match switching:
        case Plain():
            return inner
        case Tunnel(vid=v) if v == vlan:
            return inner
        case Access(vid=v) if v == vlan:
            return inner
        case Access(voice=w) if w == vlan:
            return (w, *inner)
        case Trunk(native=n, allowed=allowed, native_tagged=native_tagged, translate=translate):
            if n == vlan and not native_tagged and (n in allowed or switch.habits.native_outside_list):
                return inner
            outside = {v: t for t, v in translate}
            renamed = vlan in {t for t, _ in translate} and vlan not in outside
            if vlan in allowed and not renamed:
                return (outside.get(vlan, vlan), *inner)
        case General(untagged=u) if vlan in u:
            return inner
        case General(tagged=t) if vlan in t:
            return (vlan, *inner)
        case PrivateHost(primary=p, secondary=s):
            community = switch.vlans and switch.vlans.get(s) and switch.vlans[s].type is VlanType.COMMUNITY
            if vlan == p or (vlan == s and community):
                return inner
        case Promiscuous(primary=p, secondaries=some) if vlan == p or vlan in some:
            return inner
        case Bridged(untagged=d) if d == vlan:
            return inner
        case Bridged(tagged=pairs) if vlan in dict(pairs).values():
            return (next(t for t, d in pairs if d == vlan), *inner)
    return None


# -- links ---------------------------------------------------------------------------------------------


def passes(campus, a, b, wire):
    """Whether a frame with these tags crosses the cable at all."""
    one, other = (campus.switches[r.switch].ports[r.port] for r in (a, b))
    return lag_forms(one, other)


def lag_forms(one, other):
    lacp = [p.lacp for p in (one, other) if p.is_lag]
    if len(lacp) == 1:
        return lacp[0] in {None, Lacp.STATIC}
    if len(lacp) == 2 and None not in lacp:
        return set(lacp) == {Lacp.STATIC} or (Lacp.STATIC not in lacp and Lacp.ACTIVE in lacp)
    return True


def listeners(campus, sender, tags):
    """Every (port, VLAN, tags) at which a broadcast leaves the campus."""
    return followed(campus, sender, tags)[1]


def followed(campus, sender, tags):
    """Every frame inside a switch that a broadcast becomes, and every (port, VLAN, tags) at which it leaves the campus."""
    far = {end: other for c in campus.cables for end, other in ((c.a, c.b), (c.b, c.a))}
    entered = ingress(campus, sender, tags)
    todo = [] if entered is None else [Frame(sender.switch, *entered, sender)]
    seen = set(todo)
    heard = set()
    while todo:
        frame = todo.pop()
        for name in campus.switches[frame.switch].ports:
            ref = PortRef(frame.switch, name)
            if ref == frame.came_by:
                continue
            other = far.get(ref)
            wire = egress(campus, ref, frame.vlan, frame.inner, other)
            if wire is None:
                continue
            if other is None:
                heard.add((ref, frame.vlan, wire))
                continue
            arrived = ingress(campus, other, wire, ref) if passes(campus, ref, other, wire) else None
            if arrived is not None:
                new = Frame(other.switch, *arrived, other)
                if new not in seen:
                    seen.add(new)
                    todo.append(new)
    return seen, {h for h in heard if h[0] != sender}
