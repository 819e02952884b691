"""The campuses that one with unstated facts stands for: each fact filled in, one way or another, by docs/unknown.md.

A proof must hold in every one of them, and a break must happen in every one. What is drawn is counted by kind.
"""

from collections import Counter
from dataclasses import fields, replace

from inkov.model.names import PortRef
from inkov.model.switch import (
    Access,
    FrameTypes,
    General,
    Habits,
    Lacp,
    Negotiated,
    PrivateHost,
    Stance,
    Trunk,
    Unstated,
    VlanType,
)
from inkov.model.vlanset import VlanSet
from simulator import lag_forms

VIDS = (1, 10, 20, 30)
DRAWN = Counter()
"""How often each kind of unstated fact was filled in."""


def fill(campus, rng):
    """Returns one campus that agrees with what is stated and leaves nothing open."""
    switches = {name: of_switch(switch, campus, rng) for name, switch in campus.switches.items()}
    made = replace(campus, switches=switches)
    for cable in campus.cables:
        made = of_cable(made, cable, rng)
    return made


def of_switch(switch, campus, rng):
    habits = {f.name: getattr(switch.habits, f.name) for f in fields(Habits)}
    for name in sorted(switch.unstated_habits):
        habits[name] = rng.random() < 0.5
        DRAWN[f"habit {name}"] += 1
    formats = sorted({p.tag_format for s in campus.switches.values() for p in s.ports.values()} - {"negotiated"})
    vlans = of_table(switch, campus, rng)
    vlans = vlans and {v: of_vlan(e, switch, rng) for v, e in vlans.items()}
    ports = {n: of_port(p, formats, rng) for n, p in switch.ports.items()}
    routing = switch.routing
    if routing is None and switch.gateways:
        routing = rng.random() < 0.5
        DRAWN["routing"] += 1
    return replace(
        switch, habits=Habits(**habits), unstated_habits=frozenset(), vlans=vlans, ports=ports, routing=routing
    )


def of_table(switch, campus, rng):
    """The table of a member of a sync group is its own, or what somebody of the group with a newer one gives it."""
    own = switch.sync
    if own is None or not own.shares or switch.vlans is None:
        return switch.vlans
    tables = [switch.vlans]
    for other in campus.switches.values():
        theirs = other.sync
        same = theirs is not None and theirs.shares and (theirs.group, theirs.secret) == (own.group, own.secret)
        if other.name == switch.name or not same or other.name not in linked(campus, switch.name):
            continue
        if theirs.generation is None or own.generation is None or theirs.generation >= own.generation:

            def spread(entry, theirs=theirs):
                return entry.vid in theirs.spread and (theirs.private or entry.type is VlanType.PLAIN)

            new = {v: e for v, e in (other.vlans or {}).items() if spread(e)}
            tables.append({**new, **{v: e for v, e in switch.vlans.items() if not spread(e)}})
    if len(tables) > 1:
        DRAWN["sync table"] += 1
    return rng.choice(tables)


def linked(campus, name):
    """The switches that enabled cables lead to."""
    found, todo = {name}, [name]
    while todo:
        here = todo.pop()
        for c in campus.cables:
            if all(campus.switches[e.switch].ports[e.port].enabled for e in (c.a, c.b)):
                for near, far in ((c.a, c.b), (c.b, c.a)):
                    if near.switch == here and far.switch not in found:
                        found.add(far.switch)
                        todo.append(far.switch)
    return found


def of_vlan(entry, switch, rng):
    used = any(
        isinstance(p.switching, PrivateHost) and p.switching.secondary == entry.vid for p in switch.ports.values()
    )
    if used and entry.type is VlanType.PLAIN:
        DRAWN["type of a secondary"] += 1
        return replace(entry, type=rng.choice([VlanType.ISOLATED, VlanType.COMMUNITY]))
    return entry


def any_trunk(rng):
    return Trunk(rng.choice([None, *VIDS]), VlanSet(v for v in VIDS if rng.random() < 0.6))


def of_port(port, formats, rng):
    switching = port.switching
    match switching:
        case Unstated():
            DRAWN["mode"] += 1
            switching = rng.choice(
                [Access(rng.choice(VIDS)), any_trunk(rng), Negotiated(Access(rng.choice(VIDS)), any_trunk(rng))]
            )
        case Access(vid=None):
            DRAWN["access VLAN"] += 1
            switching = replace(switching, vid=rng.choice([v for v in VIDS if v != switching.voice]))
        case Trunk(native_stated=False):
            DRAWN["native VLAN"] += 1
            switching = replace(switching, native=rng.choice([None, *VIDS]), native_stated=True)
        case General(frames=None) | General(filtering=None):
            DRAWN["what a general port admits"] += 1
            frames = switching.frames or rng.choice([FrameTypes.ALL, FrameTypes.TAGGED, FrameTypes.UNTAGGED])
            filtering = rng.random() < 0.5 if switching.filtering is None else switching.filtering
            switching = replace(switching, frames=frames, filtering=filtering)
        case _:
            pass
    stance, tags, lacp = port.stance, port.tag_format, port.lacp
    if stance is None:
        DRAWN["stance"] += 1
        stance = rng.choice(list(Stance))
    if tags == "negotiated":
        DRAWN["tag format"] += 1
        tags = rng.choice(formats or ["802.1Q"])
        if isinstance(switching, Trunk) and rng.random() < 0.3:
            switching = Access(rng.choice(VIDS))  # it refused to be a trunk
    if port.is_lag and lacp is None:
        DRAWN["LAG type"] += 1
        lacp = rng.choice(list(Lacp))
    return replace(port, switching=switching, stance=stance, tag_format=tags, lacp=lacp)


def of_cable(campus, cable, rng):
    """A LAG that does not form passes nothing, or its members pass frames as ports of their own."""
    ends = [campus.switches[e.switch].ports[e.port] for e in (cable.a, cable.b)]
    if not lag_forms(*ends):
        DRAWN["members of a LAG that does not form"] += 1
        if rng.random() < 0.5:
            for ref in (cable.a, cable.b):
                campus = with_port(campus, ref, is_lag=False, lacp=None)
    return campus


def with_port(campus, ref: PortRef, **changes):
    switch = campus.switches[ref.switch]
    ports = {**switch.ports, ref.port: replace(switch.ports[ref.port], **changes)}
    return replace(campus, switches={**campus.switches, ref.switch: replace(switch, ports=ports)})
