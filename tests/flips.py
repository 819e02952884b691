"""One fact of a campus changed at random: any setting of any device, port, LAG, gateway, route, filter, tree, cable or host."""

from dataclasses import replace
from ipaddress import ip_address, ip_interface, ip_network

from inkov.model.campus import Cable, Host
from inkov.model.names import PortRef
from inkov.model.routing import Entry, Filter, Gateway, Route
from inkov.model.source import Source, Touch, Touches
from inkov.model.switch import (
    ALL_HABITS,
    Access,
    Bridged,
    FrameTypes,
    General,
    Heard,
    Kind,
    Lacp,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Routed,
    Stance,
    Trunk,
    Tunnel,
    Unstated,
    Vlan,
    VlanType,
)
from inkov.model.tree import Protocol, Sync, SyncRole
from inkov.model.vlanset import ALL, VlanSet

VIDS = (1, 10, 20, 30, 40)
SOURCE = Source("flip.yaml")


def flip(campus, rng):
    """Returns the campus with one fact changed, and in words which."""
    while True:
        way = rng.choice(WAYS)
        changed = way(campus, rng)
        if changed is not None and changed != campus:
            return changed, way.__name__


def _with_switch(campus, switch):
    return replace(campus, switches={**campus.switches, switch.name: switch})


def _port(campus, rng):
    switch = rng.choice(list(campus.switches.values()))
    return (switch, rng.choice(list(switch.ports.values()))) if switch.ports else (switch, None)


def _with_port(campus, switch, port, **changes):
    return _with_switch(campus, replace(switch, ports={**switch.ports, port.name: replace(port, **changes)}))


def some(rng):
    return VlanSet(v for v in VIDS if rng.random() < 0.5)


def switching(rng):
    a, b = rng.sample(VIDS, 2)
    untagged = some(rng)
    return rng.choice(
        [
            Access(a),
            Access(None),
            Access(a, b),
            Trunk(rng.choice([None, a]), rng.choice([ALL, some(rng)])),
            Trunk(None, ALL, native_stated=False),
            Negotiated(Access(a), Trunk(b, ALL)),
            General(rng.choice([None, a]), untagged, some(rng) - untagged),
            PrivateHost(a, b),
            Promiscuous(a, VlanSet([b])),
            Tunnel(a),
            Bridged(a, ((b, b),)),
            Routed((None,)),
            Unstated(),
        ]
    )


def what_a_port_does(campus, rng):
    switch, port = _port(campus, rng)
    if port is None or switch.kind is not Kind.SWITCH:
        return None
    return _with_port(campus, switch, port, switching=switching(rng))


def a_detail_of_a_port(campus, rng):  # noqa: C901 - a row a kind
    switch, port = _port(campus, rng)
    if port is None:
        return None
    kind, a = port.switching, rng.choice(VIDS)
    match kind:
        case Access():
            made = rng.choice([replace(kind, voice=a), replace(kind, vid=a), replace(kind, vid=None)])
        case Trunk():
            made = rng.choice(
                [
                    replace(kind, native=a),
                    replace(kind, native=None, native_tagged=False),
                    replace(kind, native=None, native_tagged=False, native_stated=False),
                    replace(kind, allowed=kind.allowed | VlanSet([a])),
                    replace(kind, allowed=kind.allowed - VlanSet([a])),
                    replace(kind, native_tagged=not kind.native_tagged),
                    replace(kind, translate=((99, a),)),
                ]
            )
        case General():
            made = rng.choice(
                [
                    replace(kind, pvid=a),
                    replace(kind, pvid=None),
                    replace(kind, frames=rng.choice([None, *FrameTypes])),
                    replace(kind, filtering=rng.choice([None, True, False])),
                    replace(kind, untagged=kind.untagged | VlanSet([a]), tagged=kind.tagged - VlanSet([a])),
                    replace(kind, untagged=kind.untagged - VlanSet([a])),
                    replace(kind, tagged=(kind.tagged | VlanSet([a])) - kind.untagged),
                    replace(kind, plain=not kind.plain),
                ]
            )
        case Negotiated():
            made = rng.choice([replace(kind, access=Access(a)), replace(kind, trunk=Trunk(a, ALL))])
        case PrivateHost():
            made = rng.choice([replace(kind, secondary=a), replace(kind, primary=a)])
        case Promiscuous():
            made = rng.choice([replace(kind, primary=a), replace(kind, secondaries=kind.secondaries | VlanSet([a]))])
        case Tunnel():
            made = rng.choice([Tunnel(a), replace(kind, inner=VlanSet([a]))])
        case Bridged():
            made = rng.choice([replace(kind, untagged=a), replace(kind, tagged=((a, a),)), replace(kind, tagged=())])
        case Routed():
            made = rng.choice([Routed((None,)), Routed((a,)), Routed(())])
        case Plain() | Unstated():
            return None
    return _with_port(campus, switch, port, switching=made)


def a_port_on_or_off(campus, rng):
    switch, port = _port(campus, rng)
    return port and _with_port(campus, switch, port, enabled=not port.enabled)


def how_a_port_negotiates(campus, rng):
    switch, port = _port(campus, rng)
    return port and _with_port(campus, switch, port, stance=rng.choice([None, *Stance]))


def how_a_port_tags(campus, rng):
    switch, port = _port(campus, rng)
    return port and _with_port(campus, switch, port, tag_format=rng.choice(["802.1Q", "other", "negotiated"]))


def how_a_lag_forms(campus, rng):
    switch, port = _port(campus, rng)
    return port and _with_port(campus, switch, port, is_lag=True, lacp=rng.choice([None, *Lacp]))


def a_port_in_a_lag(campus, rng):
    switch, port = _port(campus, rng)
    lags = [p for p in switch.ports.values() if p.is_lag and p is not port]
    if port is None or port.is_lag or not lags:
        return None
    lag = rng.choice(lags)
    ports = {
        **switch.ports,
        port.name: replace(port, lag=lag.name),
        lag.name: replace(lag, members=(*lag.members, port.name)),
    }
    return _with_switch(campus, replace(switch, ports=ports))


def a_doubt_about_a_port(campus, rng):
    switch, port = _port(campus, rng)
    return port and _with_port(campus, switch, port, doubt="two files differ")


def a_port_without_a_tree(campus, rng):
    switch, port = _port(campus, rng)
    tree = (
        rng.choice([{"runs": not port.tree.runs}, {"edge": True}, {"cost": rng.choice([1, 200_000])}]) if port else {}
    )
    return port and _with_port(campus, switch, port, tree=replace(port.tree, **tree))


def a_label(campus, rng):
    switch, port = _port(campus, rng)
    other, far = _port(campus, rng)
    if port is None or far is None or other is switch:
        return None
    ports = {**other.ports, far.name: replace(far, label=f"to {switch.name} {port.name}")}
    made = _with_switch(campus, replace(other, ports=ports))
    return _with_port(made, switch, port, label=f"to {other.name} {far.name}")


def a_new_port(campus, rng):
    switch, port = _port(campus, rng)
    if port is None or switch.kind is not Kind.SWITCH:
        return None
    new = Port(name="new", switching=switching(rng), origin=port.origin)
    return _with_switch(campus, replace(switch, ports={**switch.ports, "new": new}))


def a_table(campus, rng):
    switch, _ = _port(campus, rng)
    vid = rng.choice(VIDS)
    if switch.kind is not Kind.SWITCH:
        return None
    if switch.vlans is None:
        return _with_switch(campus, replace(switch, vlans={vid: Vlan(vid)}))
    if vid not in switch.vlans:
        return _with_switch(campus, replace(switch, vlans={**switch.vlans, vid: Vlan(vid)}))
    entry = switch.vlans[vid]
    made = rng.choice([None, replace(entry, active=not entry.active), replace(entry, type=rng.choice(list(VlanType)))])
    rest = {v: e for v, e in switch.vlans.items() if v != vid}
    return _with_switch(campus, replace(switch, vlans=rest if made is None else {**rest, vid: made}))


def what_is_known_of_a_device(campus, rng):
    switch, _ = _port(campus, rng)
    touch = Touch("/some/path", rng.choice(list(Touches)), SOURCE)
    made = rng.choice(
        [
            {"unstated_habits": frozenset(rng.sample(sorted(ALL_HABITS), 2))},
            {"unstated_habits": frozenset()},
            {"habits": replace(switch.habits, **{name: not getattr(switch.habits, name)})}
            if (name := rng.choice(sorted(ALL_HABITS)))
            else {},
            {"gateways_stated": not switch.gateways_stated},
            {"routing": rng.choice([None, True, False])},
            {"learns": rng.choice(["", "OSPF"])},
            {"prunes": not switch.prunes},
            {"touches": (touch,)},
            {"touches": (touch,), "without_effect": ("/some/*",)},
            {"other_tables": ({10: Vlan(10)},), "doubt": "two files differ"},
            {"sync": rng.choice([None, Sync("a", rng.choice(list(SyncRole)), rng.choice([None, 3]))])},
            {"tree": replace(switch.tree, protocol=rng.choice([None, *Protocol]))},
            {"tree": replace(switch.tree, priority=rng.choice([0, 4096, 61440]))},
            {"mac": rng.choice(["", "00:00:5e:00:53:09"])},
        ]
    )
    return _with_switch(campus, replace(switch, **made))


def what_a_port_heard(campus, rng):
    switch, port = _port(campus, rng)
    if port is None:
        return None
    other = rng.choice([*campus.switches, "stranger"])
    ports = list(campus.switches[other].ports) if other in campus.switches else ["1"]
    heard = Heard(port.name, other, rng.choice([*ports, "nowhere"]), chassis=rng.choice(["", "00:00:5e:00:53:77"]))
    return _with_switch(campus, replace(switch, heard=(*switch.heard, heard)))


def a_cable(campus, rng):
    if campus.cables and rng.random() < 0.5:
        gone = rng.choice(campus.cables)
        return replace(campus, cables=tuple(c for c in campus.cables if c is not gone))
    used = {e for c in campus.cables for e in (c.a, c.b)}
    free = [r for s in campus.switches.values() for p in s.ports if (r := PortRef(s.name, p)) not in used]
    if len(free) < 2:
        return None
    a, b = sorted(rng.sample(free, 2), key=lambda r: r.order)
    return None if a.switch == b.switch else replace(campus, cables=(*campus.cables, Cable(a, b, SOURCE)))


def a_gateway(campus, rng):
    switch, port = _port(campus, rng)
    if switch.kind is Kind.UNMANAGED:
        return None
    if not switch.gateways or rng.random() < 0.3:
        vid = rng.choice(VIDS)
        routed = port is not None and isinstance(port.switching, Routed)
        address = ip_interface(f"192.0.2.{rng.choice([1, 66, 130, 200])}/29")
        made = Gateway(vid, (address,), port.name if routed else "")
        return _with_switch(campus, replace(switch, gateways=(*switch.gateways, made), routing=True))
    at = rng.randrange(len(switch.gateways))
    old = switch.gateways[at]
    address = ip_interface(f"192.0.2.{rng.choice([1, 2, 67, 131])}/{rng.choice([24, 29])}")
    made = rng.choice(
        [
            None,
            replace(old, enabled=not old.enabled),
            replace(old, addresses=(address,)),
            replace(old, addresses=()),
            replace(old, virtual=(ip_address("192.0.2.5"),)),
            replace(old, inward=""),
            replace(old, outward=""),
            replace(old, vrf="other"),
            replace(old, doubt="two files differ"),
            replace(old, vid=rng.choice(VIDS)),
        ]
    )
    kept = [*switch.gateways[:at], *([] if made is None else [made]), *switch.gateways[at + 1 :]]
    return _with_switch(campus, replace(switch, gateways=tuple(kept)))


def a_route(campus, rng):
    switch, _ = _port(campus, rng)
    if switch.routes and rng.random() < 0.5:
        return _with_switch(campus, replace(switch, routes=switch.routes[1:]))
    prefix = ip_network(rng.choice(["0.0.0.0/0", "192.0.2.0/25", "192.0.2.128/29"]))
    via = ip_address(f"192.0.2.{rng.choice([1, 2, 6, 66, 77, 131])}")
    metric, ways = rng.choice([None, None, 1]), [{"via": via}, {"via": via}, {"via": None}]
    ways += [{"via": None, "out": g.key} for g in switch.gateways]
    route = Route(prefix, metric=metric, **rng.choice(ways))
    return _with_switch(campus, replace(switch, routes=(*switch.routes, route)))


def a_filter(campus, rng):
    switch, _ = _port(campus, rng)
    if not switch.filters:
        return None
    name = rng.choice(list(switch.filters))
    entries = switch.filters[name].entries
    at = rng.randrange(len(entries))
    made = rng.choice(
        [
            [replace(entries[at], accepts=not entries[at].accepts)],
            [replace(entries[at], only="tcp to 443")],
            [Entry(True), entries[at]],
            [Entry(False), entries[at]],
        ]
    )
    new = Filter(name, (*entries[:at], *made, *entries[at + 1 :]))
    return _with_switch(campus, replace(switch, filters={**switch.filters, name: new}))


def a_host(campus, rng):
    switch, port = _port(campus, rng)
    if port is None:
        return None
    address = ip_interface(f"192.0.2.{rng.choice([3, 68])}/29")
    gateway = ip_address(f"192.0.2.{rng.choice([1, 6, 65, 70])}")
    host = Host("pc", PortRef(switch.name, port.name), address, gateway, source=SOURCE)
    return replace(campus, hosts={**campus.hosts, "pc": host})


WAYS = (
    what_a_port_does,
    a_detail_of_a_port,
    a_detail_of_a_port,
    a_port_on_or_off,
    how_a_port_negotiates,
    how_a_port_tags,
    how_a_lag_forms,
    a_port_in_a_lag,
    a_doubt_about_a_port,
    a_port_without_a_tree,
    a_label,
    a_new_port,
    a_table,
    what_is_known_of_a_device,
    what_is_known_of_a_device,
    what_a_port_heard,
    a_cable,
    a_gateway,
    a_route,
    a_filter,
    a_host,
)
