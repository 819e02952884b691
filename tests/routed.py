"""Random campuses with gateways, static routes and filters."""

import dataclasses
from ipaddress import ip_interface, ip_network

from hypothesis import strategies as st

from inkov.model.campus import Cable, Campus, Segment
from inkov.model.names import PortRef
from inkov.model.routing import Entry, Filter, Gateway, Route
from inkov.model.switch import Access, Kind, Port, Routed, Switch, Trunk, Vlan
from inkov.model.vlanset import ALL, VlanSet
from strategies import NO_TREE, origin, source

VLANS = (10, 20, 30)
SUBNETS = {10: ip_network("192.0.2.0/29"), 20: ip_network("192.0.2.64/29"), 30: ip_network("192.0.2.128/29")}
SIX = {v: ip_network(f"2001:db8:0:{v}::/125") for v in VLANS}
"""A subnet of the other family in each VLAN; as small, so that every address can be tried."""
PREFIXES = [*SUBNETS.values(), ip_network("192.0.2.0/25"), ip_network("192.0.2.4/30"), SIX[10], SIX[20]]
SHARED = 5
"""Which address of each subnet several gateways may answer to."""
prefixes = st.none() | st.sampled_from(PREFIXES)


@st.composite
def filters(draw):
    entries = draw(st.lists(st.builds(Entry, st.booleans(), prefixes, prefixes), max_size=3))
    return Filter("f", (*entries, Entry(draw(st.booleans()))))


@st.composite
def gateways(draw, number, port=""):
    """A gateway in some VLAN; its address is its device's in that VLAN's subnet, and one more it may share with others."""
    vid = draw(st.sampled_from(VLANS))
    host = SUBNETS[vid].network_address + number
    names = draw(st.sampled_from(["", "", "f"])), draw(st.sampled_from(["", "", "f"]))
    address = ip_interface(f"{host}/{SUBNETS[vid].prefixlen}")
    shared = draw(st.sampled_from([(), (), (SUBNETS[vid].network_address + SHARED,)]))
    other = ip_interface(f"{SIX[vid].network_address + number}/125")
    addresses = draw(st.sampled_from([(address,), (address,), (address, other), (other,)]))
    shared = shared if address in addresses else ()
    return Gateway(vid, addresses, port, inward=names[0], outward=names[1], virtual=shared)


def leading_out(campus):
    """The campus with a default route out of it at its first device that has a gateway: to an address nobody has."""
    for switch in campus.switches.values():
        for gateway in switch.gateways:
            way = Route(ip_network("0.0.0.0/0"), SUBNETS[gateway.vid].network_address + 6)
            kept = tuple(r for r in switch.routes if r.prefix != way.prefix)
            changed = dataclasses.replace(switch, routes=(*kept, way), routing=True)
            return dataclasses.replace(campus, switches={**campus.switches, switch.name: changed})
    return campus


@st.composite
def static_routes(draw, vias, keys):
    """A route by way of an address, by a gateway it names, or one that drops; all for one prefix have a metric, or none has."""
    prefix = draw(st.sampled_from([*PREFIXES, ip_network("0.0.0.0/0")]))
    via = draw(st.none() | st.sampled_from(vias) | st.sampled_from(vias))
    out = draw(st.sampled_from(["", "", *keys]))
    return Route(prefix, via, out=out, metric=draw(st.integers(0, 2)))


def told_apart(routes):
    """Routes of which no two for one prefix count alike; one that is alone for its prefix has no metric."""
    kept = {(r.prefix, r.metric): r for r in routes}.values()
    alone = {r.prefix for r in kept if sum(o.prefix == r.prefix for o in kept) == 1}
    return tuple(dataclasses.replace(r, metric=None) if r.prefix in alone else r for r in kept)


@st.composite
def routed_campuses(draw):
    """Two or three switches in a row, some of which route, and a router on a trunk of the last."""
    count = draw(st.integers(2, 3))
    switches, cables = {}, []
    vias = [SUBNETS[v].network_address + n for v in VLANS for n in (*range(1, count + 2), SHARED)]
    for n in range(count):
        ports = {
            f"p{v}": Port(name=f"p{v}", switching=Access(v), origin=origin)
            for v in draw(st.sets(st.sampled_from(VLANS)))
        }
        for end in ("u0", "u1"):
            allowed = draw(st.just(ALL) | st.sets(st.sampled_from(VLANS)).map(VlanSet))
            native = draw(st.none() | st.sampled_from(VLANS))
            ports[end] = Port(
                name=end, switching=Trunk(native, allowed), enabled=draw(st.integers(0, 9)) > 0, origin=origin
            )
        own = {g.vid: g for g in draw(st.lists(gateways(n + 1), max_size=2))}
        routes = draw(st.lists(static_routes(vias, [g.key for g in own.values() if g.takes(4)]), max_size=3))
        switches[f"s{n}"] = Switch(
            name=f"s{n}",
            vlans={v: Vlan(v) for v in VLANS if draw(st.integers(0, 5))},
            ports=ports,
            tree=NO_TREE,
            gateways=tuple(own.values()),
            routing=draw(st.integers(0, 4)) > 0,
            routes=told_apart(routes),
            filters={"f": draw(filters())},
            origin=origin,
            unstated_habits=frozenset(),
        )
        if n:
            cables.append(Cable(PortRef(f"s{n - 1}", "u1"), PortRef(f"s{n}", "u0"), source))
    subs = {g.vid: g for g in draw(st.lists(gateways(count + 1, "e"), max_size=2))}
    port = Port(name="e", switching=Routed(tuple(subs)), origin=origin)
    switches["r"] = Switch(
        name="r",
        kind=Kind.ROUTER,
        vlans=None,
        ports={"e": port},
        tree=NO_TREE,
        gateways=tuple(subs.values()),
        routing=True,
        filters={"f": draw(filters())},
        origin=origin,
        unstated_habits=frozenset(),
    )
    cables.append(Cable(PortRef("r", "e"), PortRef(f"s{count - 1}", "u1"), source))
    segments = {f"v{v}": Segment(f"v{v}", VlanSet([v]), source, subnets=(SUBNETS[v], SIX[v])) for v in VLANS}
    return Campus(name="random", switches=switches, cables=tuple(cables), segments=segments)
