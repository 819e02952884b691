"""The outside: whatever lies behind routes, and behind routed ports, that lead out of the campus."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from ipaddress import IPv4Address, IPv6Address
from typing import Final

from inkov.forwarding.gateways import Interface
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.routing import Ip, Prefix
from inkov.proof.packets import ANYWHERE, Classes, Packet
from inkov.proof.routing import Arrival, Routing, Way

NO_WAY: Final = "which way leads out of the campus: no route and no routed port does"
ONLY_PACKETS: Final = "what frames do outside: it is known by routes alone, and the claim is about frames"

FAR: Final = (IPv4Address("203.0.113.9"), IPv4Address("198.51.100.9"), IPv6Address("2001:db8:ffff::9"))
"""Addresses that are taken for examples of others (RFC 5737, RFC 3849), where the campus does not use them."""


class Outside:
    """What leaves the campus, and what comes in.

    Attributes:
        exits: the gateways by which packets surely, or perhaps, leave and come in.
    """

    def __init__(self, network: Network, routing: dict[View, Routing]) -> None:
        self.network = network
        self.routing = routing
        self.exits = {view: list(dict.fromkeys(self._exits(view))) for view in routing}

    @cached_property
    def _own(self) -> frozenset[Ip]:
        return frozenset(ip for i in self.network.gateways.all for ip in i.gateway.answers)

    @cached_property
    def _spelt(self) -> frozenset[str]:
        return frozenset(map(str, self._own))

    @cached_property
    def inside(self) -> tuple[Prefix, ...]:
        """The addresses that the campus uses: of its gateways, its hosts and its segments."""
        campus = self.network.campus
        found = [a.network for i in self.network.gateways.all for a in i.gateway.addresses]
        found += [h.address.network for h in campus.hosts.values() if h.address]
        return tuple(dict.fromkeys([*found, *(p for s in campus.segments.values() for p in s.subnets)]))

    @property
    def known(self) -> bool:
        """Something leads out of the campus, or may."""
        return bool(self.exits[View.MAY]) or any(s.learns for s in self.network.switches.values())

    def leaves(self, way: Way, view: View) -> bool:
        """Tells whether a device sends a packet out of the campus by a way."""
        if way.out is None:
            return view is View.MAY and bool(way.via)
        if not way.via:
            return view is View.MAY and (way.onto or self._open(way.out))
        return way.via not in self._spelt

    def arrivals(
        self, entered: list[Interface], packet: Packet, without: frozenset[str], view: View
    ) -> Iterator[Arrival]:
        """Yields where a packet leaves the campus, by the fewest turns.

        Args:
            entered: gateways that hear it at first.
            packet: its addresses.
            without: devices whose routing does not count.
            view: surely, or perhaps.
        """
        for way, turns in self.routing[view].walk(entered, packet, without):
            if self.leaves(way, view):
                yield Arrival(way.out or entered[0], turns)

    def is_inside(self, ip: Ip) -> bool:
        """Tells whether an address is one that the campus uses."""
        return any(ip in prefix for prefix in self.inside if prefix.version == ip.version)

    @cached_property
    def classes(self) -> Classes:
        """The classes of packets of the campus, with its own addresses told from all others."""
        made = Classes.of(self.network.gateways)
        origins, targets = (tuple(dict.fromkeys([*some, *self.inside])) for some in (made.origins, made.targets))
        return Classes(origins, targets, made.taken)

    def incoming(self, targets: tuple[Prefix, ...], *, forged: bool) -> list[Packet]:
        """Returns a packet of each class from outside to some destinations; forged ones have addresses of the campus, too."""
        made = self.classes.packets(ANYWHERE, targets, FAR, forged=forged)
        return [p for p in made if forged or not self.is_inside(p.source)]

    def outgoing(self, sources: tuple[Prefix, ...], *, forged: bool = False, answered: bool = False) -> list[Packet]:
        """Returns a packet of each class from some addresses to outside of the campus.

        Args:
            sources: where they come from.
            forged: these may be addresses of devices.
            answered: packets are told apart by what becomes of their answers, too.
        """
        known = [*FAR, *(h.address.ip for h in self.network.campus.hosts.values() if h.address)]
        classes = self.classes.both_ways if answered else self.classes
        made = classes.packets(sources, ANYWHERE, known, forged=forged)
        return [p for p in made if not self.is_inside(p.target)]

    def _exits(self, view: View) -> Iterator[Interface]:
        gateways = self.network.gateways
        for interface in gateways.all:
            if not gateways.up(interface, view):
                continue
            switch = self.network.switches[interface.device]
            leads = [r for r in switch.routes if r.via not in self._own and r.leads_by(interface.gateway)]
            led = any(r.via is not None for r in leads)
            if led or (view is View.MAY and (leads or switch.learns or self._open(interface))):
                yield interface

    def _open(self, interface: Interface) -> bool:
        """Tells whether something unknown may be at the other end of a routed port."""
        return interface.port is not None and not self.network.gateways.far_ends(interface, View.MAY)
