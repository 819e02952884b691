"""Cures of gateways, routes and filters: what hosts agree on, what the partner has, or what the others do, put in the odd one's place.

Each is tried before anybody hears of it; where nothing in the input says which of two is right, there is none.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from ipaddress import ip_interface

from inkov.forwarding.gateways import Interface
from inkov.model.campus import Host
from inkov.model.names import natural
from inkov.model.routing import Address, Entry, Filter, Gateway, Ip, Prefix, Route
from inkov.model.vlanset import Vid
from inkov.rules.finding import Cure
from inkov.rules.registry import Facts
from inkov.rules.subnets import vlans_of
from inkov.steps.settings import SwitchChange
from inkov.steps.steps import set_switch


def with_gateways(changed: Iterable[tuple[Interface, Gateway]]) -> Cure:
    """Returns the step of each device in which some of its gateways become others."""
    by_device: dict[str, dict[str, Gateway | None]] = {}
    said: dict[str, list[str]] = {}
    for interface, gateway in changed:
        own = by_device.setdefault(interface.device, {})
        own.setdefault(interface.gateway.key, None)
        own[gateway.key] = gateway
        said.setdefault(interface.device, []).append(f"gateway {gateway.place}: {_became(interface.gateway, gateway)}")
    steps = (set_switch(name, gateways=by_device[name]) for name in sorted(by_device, key=natural))
    return tuple(replace(s, what=f"{s.switch}: {'; '.join(said[s.switch])}") for s in steps)


def _became(was: Gateway, now: Gateway) -> str:
    """Says what becomes of a gateway."""
    words = [f"{now.shown} instead of {was.place}"] if was.key != now.key else []
    words += [now.shown] if was.shown != now.shown else []
    sides = ((was.inward, now.inward, "in"), (was.outward, now.outward, "out"))
    words += [f"{side} {new or 'none'}" for old, new, side in sides if old != new]
    return ", ".join([*words, *(["on"] if now.enabled and not was.enabled else [])])


def into_vlans(facts: Facts, meant: Mapping[Interface, Vid]) -> Cure:
    """Moves gateways into the VLANs, or behind the tags, that they are meant for; nothing where another one stands there."""
    moved = [(i, replace(i.gateway, vid=vid)) for i, vid in meant.items()]
    keys = Counter((i.device, g.key) for i, g in moved)
    left = {(i.device, i.gateway.key) for i in facts.network.gateways.all if i not in meant}
    return () if max(keys.values()) > 1 or left & keys.keys() else with_gateways(moved)


# -- addresses -----------------------------------------------------------------------------------------


def as_hosts_say(facts: Facts, vid: Vid, some: Sequence[Interface]) -> Cure:
    """Gives gateways of a VLAN addresses in the subnet that its hosts agree on, and shares the address that they send to."""
    hosts = [h for h in facts.network.campus.hosts.values() if h.address and h.gateway and vlans_of(facts, h) == [vid]]
    nets = {h.address.network for h in hosts if h.address}
    sent_to = {h.gateway for h in hosts if h.gateway}
    if len(hosts) < 2 or len(nets) > 1 or len(sent_to) > 1:
        return ()
    net, wanted = nets.pop(), sent_to.pop()
    serving = facts.network.gateways.serving(vid)
    alone = len(serving) == 1 and not serving[0].gateway.virtual
    made = []
    for i in some:
        own = i.gateway
        if alone:
            addresses = tuple(_beside(own.addresses, ip_interface(f"{wanted}/{net.prefixlen}")))
            made.append((i, replace(own, addresses=addresses)))
            continue
        moved = [_inside(a, net) if a.version == net.version and not a.ip.is_link_local else a for a in own.addresses]
        taken = _taken(facts, hosts, but=i)
        if wanted in {a.ip for a in moved} or any(a.ip in taken for a in moved if a not in own.addresses):
            return ()
        shared = (wanted, *(ip for ip in own.virtual if ip.version != wanted.version))
        made.append((i, replace(own, addresses=tuple(moved), virtual=shared)))
    changed = [(i, g) for i, g in made if g != i.gateway]
    return with_gateways(changed)


def as_long_as_others(facts: Facts, odd: Interface, partner: Interface) -> Cure:
    """Gives a gateway the prefix length of its partner, if all other gateways of the two have that length."""
    beside = [i for d in (odd.device, partner.device) for i in facts.network.gateways.of(d) if i not in {odd, partner}]
    lengths = {a.network.prefixlen for i in beside for a in _fourth(i.gateway)}
    own, theirs = (_fourth(i.gateway) for i in (odd, partner))
    if len(own) != 1 or len(theirs) != 1 or lengths != {theirs[0].network.prefixlen}:
        return ()
    wider = ip_interface(f"{own[0].ip}/{theirs[0].network.prefixlen}")
    if wider.network != theirs[0].network:
        return ()
    rest = tuple(a for a in odd.gateway.addresses if a.version != 4)
    return with_gateways([(odd, replace(odd.gateway, addresses=(wider, *rest)))])


def _beside(addresses: Sequence[Address], wanted: Address) -> list[Address]:
    return [wanted, *(a for a in addresses if a.version != wanted.version)]


def _inside(address: Address, net: Prefix) -> Address:
    """Returns an address with the same number in another subnet."""
    number = int(address.ip) & int(net.hostmask)
    return ip_interface(f"{net[number]}/{net.prefixlen}")


def _taken(facts: Facts, hosts: Iterable[Host], but: Interface) -> set[Ip]:
    own = {ip for i in facts.network.gateways.all if i != but for ip in i.gateway.answers}
    return own | {h.address.ip for h in hosts if h.address}


def shares(lacks: Interface, has: Interface) -> Cure:
    """Gives a gateway the shared address of its partner, if it is in its own subnet."""
    missing = [ip for ip in has.gateway.virtual if ip not in lacks.gateway.answers]
    if not missing or not all(any(ip in a.network for a in lacks.gateway.addresses) for ip in missing):
        return ()
    return with_gateways([(lacks, replace(lacks.gateway, virtual=(*lacks.gateway.virtual, *missing)))])


def beside_its_partner(facts: Facts, ones: Sequence[Interface], lacks: str, shared: Iterable[Interface]) -> Cure:
    """Gives a device the gateways that its partner has alone, with the number that all its other addresses of the pair have."""
    numbers = {int(a.ip) - int(a.network.network_address) for i in shared for a in _fourth(i.gateway)}
    if len(numbers) != 1:
        return ()
    (number,) = numbers
    taken = _taken(facts, facts.network.campus.hosts.values(), but=ones[0])
    made: dict[str, Gateway | None] = {}
    filters: dict[str, Filter | None] = {}
    for i in ones:
        nets = [a.network for a in _fourth(i.gateway)]
        if not nets or number >= nets[0].num_addresses - 1 or nets[0][number] in taken:
            return ()
        address = ip_interface(f"{nets[0][number]}/{nets[0].prefixlen}")
        filters |= _copied(facts, i, lacks)
        made[i.gateway.key] = replace(i.gateway, addresses=(address,))
    return (set_switch(lacks, gateways=made, filters=filters),)


def _fourth(gateway: Gateway) -> list[Address]:
    return [a for a in gateway.addresses if a.version == 4]


def turned_on(some: Iterable[Interface]) -> Cure:
    """Turns gateways on."""
    return with_gateways((i, replace(i.gateway, enabled=True)) for i in some)


def routing_as_partner(facts: Facts, device: str) -> Cure:
    """Turns routing on where a partner that shares its gateways routes."""
    gateways, switches = facts.network.gateways, facts.network.switches
    own = {ip for i in gateways.of(device) for ip in i.gateway.virtual}
    partners = {i.device for i in gateways.all if i.device != device and own & set(i.gateway.virtual)}
    if not any(switches[p].routing for p in partners):
        return ()
    return (set_switch(device, settings=SwitchChange(routing=True)),)


# -- filters -------------------------------------------------------------------------------------------


def _copied(facts: Facts, interface: Interface, device: str) -> dict[str, Filter | None]:
    """Returns the filters that a gateway needs and another device does not have."""
    theirs, own = (facts.network.switches[n].filters for n in (interface.device, device))
    names = filter(None, (interface.gateway.inward, interface.gateway.outward))
    return {n: theirs[n] for n in names if n in theirs and n not in own}


def filtered_as(facts: Facts, lacks: Interface, has: Interface) -> Cure:
    """Binds the filters of a gateway to another one of the same VLAN; the device gets them where it does not have them."""
    gateway = replace(lacks.gateway, inward=has.gateway.inward, outward=has.gateway.outward)
    bound = with_gateways([(lacks, gateway)])
    filters = _copied(facts, has, lacks.device)
    return (set_switch(lacks.device, filters=filters), *bound) if filters else bound


def turned_round(some: Iterable[Interface]) -> Cure:
    """Binds the filters of gateways in the other direction."""
    return with_gateways((i, replace(i.gateway, inward=i.gateway.outward, outward=i.gateway.inward)) for i in some)


def uncovered(bound: Filter, hidden: Sequence[tuple[Entry, Entry]], devices: Iterable[str]) -> Cure:
    """Moves entries that never decide before those that hide them."""
    entries = list(bound.entries)
    for before, entry in hidden:
        entries.remove(entry)
        entries.insert(entries.index(before), entry)
    made = replace(bound, entries=tuple(entries))
    return tuple(set_switch(name, filters={bound.name: made}) for name in dict.fromkeys(devices))


# -- routes --------------------------------------------------------------------------------------------


def by_way_of(facts: Facts, device: str, routes: Sequence[Route], others: Sequence[Interface], taken: set[Ip]) -> Cure:
    """Sets the next hop that other devices have for the same prefixes, or else the only other device that routes there."""
    switches = facts.network.switches
    made: dict[tuple[str, Prefix], tuple[Route, ...]] = {}
    own = [i.gateway for i in facts.network.gateways.of(device)]
    for route in routes:
        nets = [a.network for g in own if route.leads_by(g) for a in g.addresses]
        found = Counter(
            r.via
            for name, s in switches.items()
            for r in s.routes
            if name != device
            and r.prefix == route.prefix
            and r.via in taken
            and any(r.via in p for p in nets)
            and not any(r.via in g.answers for g in own)
        )
        vias = [ip for ip, _ in found.most_common(1)] or _only(others)
        if not vias:
            return ()
        made[route.vrf, route.prefix] = (replace(route, via=vias[0], out=""),)
    return (set_switch(device, routes=made),)


def _only(others: Sequence[Interface]) -> list[Ip]:
    """Returns the address by which the only one of some devices is sent to."""
    devices = {i.device for i in others}
    return [(others[0].gateway.virtual or others[0].gateway.answers)[0]] if len(devices) == 1 else []


def routes_of_partner(device: str, rows: Iterable[tuple[tuple[str, Prefix], Route | None]]) -> Cure:
    """Gives a device the routes that its partner has and it lacks; nothing where the two have one and differ."""
    made = {key: (route,) for key, route in rows if route is not None}
    return (set_switch(device, routes=made),) if made else ()


def default_as_others(facts: Facts, device: str, others: Iterable[str], fits: Callable[[Ip], bool]) -> Cure:
    """Gives a device the default route that most others in its VLAN have."""
    switches = facts.network.switches
    every = [
        r for n in others for r in switches[n].routes if r.prefix.prefixlen == 0 and r.via is not None and fits(r.via)
    ]
    if not every:
        return ()
    ((route, _),) = Counter(replace(r, vrf="") for r in every).most_common(1)
    return (set_switch(device, routes={("", route.prefix): (route,)}),)


def back_by(facts: Facts, hop: str, nets: Mapping[Prefix, Interface]) -> Cure:
    """Gives a router the way back to subnets, by the address of the device in front of them in a subnet of its own."""
    gateways = facts.network.gateways
    own = [a.network for i in gateways.of(hop) for a in i.gateway.addresses]
    made: dict[tuple[str, Prefix], tuple[Route, ...]] = {}
    for net, interface in nets.items():
        beside = [i for i in gateways.of(interface.device) if any(a.network in own for a in i.gateway.addresses)]
        vias = [ip for i in beside for ip in i.gateway.virtual or i.gateway.answers if ip.version == net.version]
        if not vias:
            return ()
        made["", net] = (Route(net, vias[0]),)
    return (set_switch(hop, routes=made),)
