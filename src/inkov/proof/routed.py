"""Follows a packet from host to gateway, through what routes and filters, to the other host; says where it stops."""

from __future__ import annotations

from dataclasses import replace

from inkov.forwarding.gateways import Interface
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.source import Source
from inkov.proof.ends import End, interface_end
from inkov.proof.leg import Halt, Leg, leg, spread_of
from inkov.proof.outcome import Passage, Turn
from inkov.proof.packets import Packet
from inkov.proof.routing import Routing, passes


def routed_leg(network: Network, start: End, end: End) -> Leg:
    """Follows a packet one way.

    Args:
        network: the campus with its forwarding.
        start: who sends; its address is known.
        end: who is to hear; its address is known.
    """
    routing = Routing(network, View.MUST)
    if start.address is None or end.address is None:
        raise ValueError("both ends of a routed trace have addresses")
    packet = Packet(start.address, end.address)
    entered, missing = entered_by(network, routing, start)
    if missing is not None:
        return missing
    keeps = next((i for i in entered if end.own is not None and i.device == end.own.device), None)
    if keeps is not None:  # the device keeps what is for itself, once its filter lets it in
        if passes(network.switches[keeps.device].filters, keeps.gateway.inward, packet) is None:
            return not_passed(network, start, end, keeps, packet)
        own = sent_to(network, start, keeps, end)
        return Leg(own.start, end.ref, own.way, own.halt, own.missing)
    for arrival in routing.follow(entered, packet, frozenset()):
        first = sent_to(network, start, next(i for i in entered if i.device == arrival.turns[0].device), end)
        last = left_by(network, arrival.out, end)
        whole = (*first.way, *arrival.turns, *last.way)
        return Leg(start.ref, end.ref, whole, first.halt or last.halt, (*first.missing, *last.missing))
    return not_passed(network, start, end, entered[0], packet)


def entered_by(network: Network, routing: Routing, start: End) -> tuple[list[Interface], Leg | None]:
    """Returns the gateways that take what a station sends to other subnets; without one, the leg that says why."""
    reached = spread_of(network, start)
    if start.gateway is None and start.own is not None and network.gateways.serves(start.own):
        return [replace(start.own, gateway=replace(start.own.gateway, inward=""))], None  # it does not come in there
    if start.gateway is None:
        why = f"{start.name} has no default gateway in the input, and sends nothing to other subnets"
        source = (start.host.source,) if start.host else ()
        return [], Leg(start.ref, start.ref, (), Halt(start.ref, why, source))
    owners = [i for i in network.gateways.all if start.gateway in i.gateway.answers]
    found = [i for i in owners if routing.hears(i, reached)]
    if found:
        return found, None
    if not owners:
        why = f"{start.name} sends through {start.gateway}, which is no gateway in the input"
        return [], Leg(start.ref, start.ref, (), Halt(start.ref, why, (start.host.source,) if start.host else ()))
    state = network.gateways.state(owners[0])
    own = leg(network, start, interface_end(network, owners[0]))
    if state.up is not True:
        place = state.source if state.source.file else owners[0].gateway.source
        why = f"the gateway {start.gateway} is down: {state.why}"
        missing = own.missing
        if state.up is None:
            why = f"whether the gateway {start.gateway} is up is not known: {state.why}"
            missing = (why,)
        own = Leg(own.start, own.end, own.way, Halt(own.end, why, (place,)), missing)
    return [], own


def sent_to(network: Network, start: End, into: Interface, end: End) -> Leg:
    """Follows a packet from a station to the gateway that takes it."""
    if start.own is not None and start.own.device == into.device:
        return Leg(start.ref, end.ref, ())
    return leg(network, start, interface_end(network, into))


def left_by(network: Network, out: Interface, end: End) -> Leg:
    """Follows a packet from the gateway it goes out by to a station."""
    if end.own is not None and end.own.device == out.device:
        return Leg(end.ref, end.ref, ())
    return leg(network, interface_end(network, out), end)


def not_passed(network: Network, start: End, end: End, into: Interface, packet: Packet) -> Leg:
    """Says what a gateway does with a packet that it does not pass on."""
    way: tuple[Passage | Turn, ...] = sent_to(network, start, into, end).way
    missing: tuple[str, ...] = ()
    device, switch = into.device, network.switches[into.device]
    sources: tuple[Source, ...] = (into.gateway.source,)
    leads = [g for g in switch.gateways if any(packet.target in a.network for a in g.addresses)]
    met = dict.fromkeys([into.gateway.inward, *(g.outward for g in leads)])
    blocking = [n for n in met if n in switch.filters and passes(switch.filters, n, packet) is None]
    if switch.routing is False:
        why = f"{device} does not route"
    elif into.gateway.takes(packet.source.version) is False:
        why = f"{into} has no IPv{packet.source.version} address, so {device} takes no such packet there"
    elif blocking:
        name = blocking[0]
        entry = next(
            e
            for e in switch.filters[name].entries
            if not (e.accepts or e.only)
            and (e.origin is None or packet.source in e.origin)
            and (e.target is None or packet.target in e.target)
        )
        why, sources = f"filter {name} on {device} drops {packet.source} → {packet.target}: {entry}", (entry.source,)
    elif switch.routing is None:
        why = f"whether {device} routes is not stated"
        missing = (why,)
    elif unknown := _unknown_ways(network, device, packet):
        why = f"whether {device} passes packets on to {packet.target} is not known: {unknown[0]}"
        missing = (why,)
    elif dropping := [r for r in switch.routes if r.drops and packet.target in r.prefix]:
        route = max(dropping, key=lambda r: r.prefix.prefixlen)
        why, sources = f"{device} drops packets for {route.prefix}: a route says so", (route.source,)
    else:
        why = f"{device} passes no packet on to {packet.target}: no route and no gateway that is up leads there"
    return Leg(start.ref, end.ref, way, Halt(interface_end(network, into).ref, why, sources), missing)


def _unknown_ways(network: Network, device: str, packet: Packet) -> list[str]:
    """Says why it is not known whether the gateways are up by which a device would pass a packet on."""
    routes = [r for r in network.switches[device].routes if packet.target in r.prefix]
    states = {
        i: network.gateways.state(i)
        for i in network.gateways.of(device)
        if any(packet.target in a.network for a in i.gateway.addresses) or any(r.leads_by(i.gateway) for r in routes)
    }
    return [state.why for state in states.values() if state.up is None]
