"""One frame at a time through a campus, written from the handbook's tables alone and as slowly as they read.

Nothing here comes from `inkov.forwarding`: this is what its answers are compared with.
"""

from typing import NamedTuple

from inkov.model.names import PortRef
from inkov.model.switch import Access, Trunk


class Frame(NamedTuple):
    """A frame inside a switch: its VLAN there, the tags left inside, and the port it came in by."""

    switch: str
    vlan: int
    inner: tuple
    came_by: PortRef


def relays(switch, vlan):
    return switch.vlans is None or (vlan in switch.vlans and switch.vlans[vlan].active)


def ingress(campus, ref, tags):
    """The VLAN a frame enters and the tags left inside; None when it is dropped."""
    switch = campus.switches[ref.switch]
    port = switch.ports[ref.port]
    untagged = not tags or tags[0] == 0
    inner = tags[1:]
    vlan = None
    match port.switching:
        case Access(vid=v) if untagged:
            vlan = v
        case Trunk(native=n, allowed=allowed) if untagged:
            vlan = n if n is not None and n in allowed else None
        case Trunk(allowed=allowed):
            vlan = tags[0] if tags[0] in allowed else None
    if not port.enabled or vlan is None or not relays(switch, vlan):
        return None
    return vlan, inner


def egress(campus, ref, vlan, inner):
    """The tags a frame leaves with; None when it does not leave here."""
    switch = campus.switches[ref.switch]
    port = switch.ports[ref.port]
    if not port.enabled or not relays(switch, vlan):
        return None
    match port.switching:
        case Access(vid=v) if v == vlan:
            return inner
        case Trunk(native=n, allowed=allowed) if vlan in allowed:
            return inner if n == vlan else (vlan, *inner)
    return None


def listeners(campus, sender, tags):
    """Every (port, VLAN, tags) at which a broadcast leaves the campus."""
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
            wire = egress(campus, ref, frame.vlan, frame.inner)
            if wire is None:
                continue
            if ref not in far:
                heard.add((ref, frame.vlan, wire))
                continue
            other = far[ref]
            arrived = ingress(campus, other, wire)
            if arrived is not None:
                new = Frame(other.switch, *arrived, other)
                if new not in seen:
                    seen.add(new)
                    todo.append(new)
    return {h for h in heard if h[0] != sender}
