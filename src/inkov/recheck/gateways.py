"""Packets between gateways: filters first match, the longest prefix, the next device."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from ipaddress import ip_address
from typing import Any, TypeAlias

from inkov.model.campus import Campus
from inkov.model.names import PortRef
from inkov.model.routing import Gateway, Prefix
from inkov.model.switch import Kind, Routed, Switch, VlanType
from inkov.model.vlanset import ALL
from inkov.recheck.ports import Inside, Ports
from inkov.recheck.wiring import Wiring, up

At: TypeAlias = tuple[str, Gateway]
"""A device and one of its gateways."""

Places: TypeAlias = set[tuple[str, Inside]]

_DROPPED, _ANYBODY = object(), object()
"""Stand where a route has a next device: it drops packets; it puts them on the wire for whoever answers."""


class Gateways:
    """All gateways of a campus, each as doubtful as the port table is read."""

    def __init__(self, campus: Campus, made: Wiring, ports: Ports) -> None:
        self.campus, self.made, self.ports = campus, made, ports
        self.all: list[At] = [(s.name, g) for s in campus.switches.values() for g in s.gateways]

    def _fars(self, at: At) -> list[PortRef]:
        device, gateway = at
        port = self.campus.switches[device].ports.get(gateway.port)
        own = PortRef(device, (port.lag if port else None) or gateway.port)
        links = [k for k in self.made.links if own in k and up(self.campus, self.made, k)]
        return [b if a == own else a for a, b in links]

    def up(self, at: At, *, surely: bool = False) -> bool:
        """Tells whether a gateway may be up, or surely is."""
        device, gateway = at
        switch = self.campus.switches[device]
        if not gateway.enabled or (gateway.doubt and surely):
            return False
        if gateway.port:
            port = switch.ports.get(gateway.port)
            cabled = any(
                e == PortRef(device, gateway.port) for k, w in self.made.links.items() for p in (k, *w) for e in p
            )
            return port is None or (port.enabled and (bool(self._fars(at)) or not (cabled or surely)))
        vid = gateway.vid or 0
        refs = [PortRef(device, p.name) for p in switch.ports.values() if p.lag is None]
        links = {e: k for k in self.made.links for e in k}
        return any(
            self.ports.leaves(r, (vid, ())) and (r not in links or up(self.campus, self.made, links[r])) for r in refs
        )

    def _tags(self, at: At) -> tuple[int, ...]:
        """Returns the tags of the frames of a gateway on a routed port, in the format of its port."""
        device, gateway = at
        port = self.campus.switches[device].ports.get(gateway.port)
        number = self.ports.formats.get(port.tag_format, 0) if port is not None else 0
        return () if gateway.vid is None else (gateway.vid + 4096 * number,)

    def sets_out(self, at: At) -> Places:
        """Returns where the frames of a gateway start."""
        device, gateway = at
        tags = self._tags(at)
        if not gateway.port:
            return {(device, (gateway.vid or 0, ()))} if self.ports.relays(device, gateway.vid or 0) else set()
        return {(far.switch, f) for far in self._fars(at) for f in self.ports.enters(far, tags)}

    def hears(self, at: At, places: Places) -> bool:
        """Tells whether frames that are in some places reach a gateway."""
        device, gateway = at
        tags = self._tags(at)
        if not gateway.port:
            table = self.campus.switches[device].vlans or {}
            own = {
                gateway.vid,
                *(v for v, e in table.items() if e.primary == gateway.vid and e.type is not VlanType.PLAIN),
            }
            return any(switch == device and d in own for switch, (d, _) in places)
        fars = {far.switch: far for far in self._fars(at)}
        hubs = {n for n in fars if self.campus.switches[n].kind is Kind.UNMANAGED}
        return any(s in hubs or (s in fars and tags in self.ports.leaves(fars[s], (d, ()))) for s, (d, _) in places)

    def outs(
        self, places: Places, packet: tuple[Any, Any], barred: Iterable[str], reach: Callable[[At], Places]
    ) -> Iterator[At]:
        """Yields the gateways a packet may go out by, when its frames are in some places at first."""
        todo = [at for at in self.all if self.up(at) and self.hears(at, places)]
        seen = {(d, g.key) for d, g in todo}
        while todo:
            device, into = todo.pop()
            switch = self.campus.switches[device]
            if device in barred or switch.routing is False or not self._passes(device, into.inward, packet):
                continue
            families = {f"IPv{ip.version}" for ip in into.answers} | set(into.untold)
            if into.answers and f"IPv{packet[0].version}" not in families:
                continue  # it has no address of the packet's family
            if any(packet[1] in g.answers and self._surely_up(device, g) for g in switch.gateways):
                continue  # a device keeps packets that are addressed to itself
            for out, via in self._ways(device, into, packet[1]):
                if out is not None and not self._passes(device, out.outward, packet):
                    continue
                if out is not None:
                    yield device, out
                for at in self._next((device, into), out, via, reach) if via else ():
                    if (at[0], at[1].key) not in seen:
                        seen.add((at[0], at[1].key))
                        todo.append(at)

    def _passes(self, device: str, name: str, packet: tuple[Any, Any]) -> bool:
        filters = self.campus.switches[device].filters
        for entry in filters[name].entries if name in filters else ():
            fits = all(p is None or ip in p for ip, p in zip(packet, (entry.origin, entry.target), strict=True))
            if fits and (entry.accepts or not entry.only):
                return entry.accepts
        return True

    def _ways(self, device: str, into: Gateway, target: Any) -> Iterator[tuple[Gateway | None, Any]]:
        switch = self.campus.switches[device]
        own = [g for g in switch.gateways if g.vrf == into.vrf and self.up((device, g))]
        found: list[tuple[tuple[int, int], Gateway | None, Any]] = [
            ((a.network.prefixlen, 0), g, None) for g in own for a in g.addresses if target in a.network
        ]
        found += [((target.max_prefixlen, 0), g, None) for g in own if "subnet" in g.untold]  # as small as any
        found += self._by_routes(switch, into, own, target)
        sure = [n for n, g, via in found if via is _DROPPED or (g is not None and self._surely_up(device, g))]
        yield from ((g, via) for n, g, via in found if via is not _DROPPED and (not sure or n >= max(sure)))
        if switch.learns:
            yield None, ip_address("::")

    @staticmethod
    def _by_routes(
        switch: Switch, into: Gateway, own: list[Gateway], target: Any
    ) -> Iterator[tuple[tuple[int, int], Gateway | None, Any]]:
        """Yields the static routes for a target, each with what it is worth, the gateway it leads out by, and the next device."""
        every = [g for g in switch.gateways if g.vrf == into.vrf]
        fits = []
        for route in switch.routes:
            leads = [
                (next((a.network.prefixlen for a in g.addresses if route.via and route.via in a.network), 0), n)
                for n, g in enumerate(every)
                if (g.key == route.out if route.out else any(route.via and route.via in a.network for a in g.addresses))
            ]
            up = [(length, n) for length, n in leads if every[n] in own]
            if route.vrf == into.vrf and target in route.prefix and (up or not leads):
                fits.append((route, every[max(up)[1]] if up else None))
        plain = {route.prefix for route, _ in fits if route.metric is None}
        for route, out in fits:
            via = route.via or (_ANYBODY if route.out else _DROPPED)
            yield (route.prefix.prefixlen, -(route.metric or 0) if route.prefix not in plain else 0), out, via

    def _surely_up(self, device: str, gateway: Gateway) -> bool:
        plain = Ports(self.campus, self.made, sure=True)
        return Gateways(self.campus, self.made, plain).up((device, gateway), surely=True)

    def _next(self, into: At, out: Gateway | None, via: Any, reach: Callable[[At], Places]) -> list[At]:
        device = into[0]
        owners = [at for at in self.all if self.up(at) and (via is _ANYBODY or via in at[1].answers)]
        if out is not None:
            fars, places = self._fars((device, out)) if out.port else [], reach((device, out))
            routed = {f for f in fars if isinstance(self.campus.switches[f.switch].ports[f.port].switching, Routed)}
            beside = [at for at in owners if PortRef(at[0], at[1].port) in routed and at[1].vid == out.vid]
            owners = [at for at in owners if at in beside or self.hears(at, places)]
        if via is _ANYBODY:
            return [at for at in owners if at[0] != device]
        others = [at for at in self.all if (at[0], at[1].key) != (device, into[1].key) and self.up(at)]
        return owners if owners and out is not None else others


def examples(within: Iterable[Prefix], cuts: Iterable[Prefix]) -> list[Any]:
    """Returns an address of each class that some prefixes make of others."""
    cuts, found = list(cuts), dict[Any, Any]()
    for whole in within:
        same = [c for c in cuts if c.version == whole.version]
        edges = {int(whole[0]), *(e for c in same for e in (int(c[0]), int(c[-1]) + 1))}
        for edge in sorted(e for e in edges if int(whole[0]) <= e <= int(whole[-1])):
            ip = whole[edge - int(whole[0])]
            found.setdefault((whole.version, *(ip in c for c in same)), ip)
    return list(found.values())


def serves(switch: Switch, gateway: Gateway) -> bool:
    """Tells whether stations may use an address as their gateway; else it is there for managing the switch."""
    shared = bool(gateway.virtual) and switch.routing is not False
    several = len({g.vid for g in switch.gateways}) > 1 or bool(gateway.port)
    return switch.kind is Kind.ROUTER or bool(switch.routing) or several or shared


def served(gateways: Gateways) -> dict[int, list[Gateway]]:
    """Returns the gateways that serve each VLAN: in it, or behind a port that puts their frames into it."""
    made: dict[int, list[Gateway]] = {v: [] for v in ALL}
    for at in gateways.all:
        if not serves(gateways.campus.switches[at[0]], at[1]):
            continue
        vids = {d for _, (d, _) in gateways.sets_out(at)} if at[1].port else {at[1].vid}
        for vid in vids or {at[1].vid}:
            made.setdefault(vid or 0, []).append(at[1])
    return made
