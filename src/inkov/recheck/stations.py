"""The stations of a segment, as the campus file or a claim names it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from functools import cached_property
from ipaddress import ip_address
from typing import Any, NamedTuple, assert_never

from inkov.model.campus import Campus, Host, Segment
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.switch import (
    Access,
    Bridged,
    General,
    Kind,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Routed,
    Stance,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
)
from inkov.model.vlanset import ALL, NONE, VlanSet
from inkov.recheck.frames import Malformed
from inkov.recheck.gateways import At, Gateways
from inkov.recheck.ports import Inside, Own, Ports
from inkov.recheck.traits import traits
from inkov.recheck.wiring import Wiring, station_ports


class Alike(NamedTuple):
    """Ports of one switch that are set alike.

    Attributes:
        port: what they are set to.
        kinds: what they may be for honest stations, each with the frames that enter then.
        refs: which they are.
    """

    port: Port
    kinds: list[tuple[Own, list[Inside]]]
    refs: list[PortRef]


class Edges:
    """The ports that stations are on, those set alike together; with those apart that are plain access ports, by VLAN.

    Attributes:
        all: the ports.
        managed: addresses of switches that serve no station; the switches are stations by themselves.
    """

    def __init__(self, campus: Campus, made: Wiring, ports: Ports) -> None:
        self.campus, self.ports = campus, ports
        self.all = station_ports(campus, made, sure=ports.sure)
        self.managed = list(_managed(campus))
        self._plain: dict[int, list[Alike]] = {}
        self._wide: list[tuple[int, Alike]] = []  # with the VLANs they may have to do with, as a mask
        for alike in self._grouped(self.all):
            kinds = [own.kind for own, _ in alike.kinds]
            if kinds and all(isinstance(k, Access) and k.vid is not None for k in kinds):
                for vid in {v for k in kinds for v in _members(k)}:
                    self._plain.setdefault(vid, []).append(alike)
            else:
                self._wide.append((self._concerns(alike).mask, alike))

    def _grouped(self, refs: Iterable[PortRef]) -> list[Alike]:
        found: dict[tuple[Any, ...], Alike] = {}
        for ref in refs:
            port = self.campus.switches[ref.switch].ports[ref.port]
            own = port.name if isinstance(port.switching, Negotiated) else ""  # what it is hangs on its far end
            declared = port.registration if ref in self.ports.registering else None
            key = (ref.switch, port.switching, port.enabled, port.tag_format, port.stance, port.doubt, declared, own)
            found.setdefault(key, Alike(port, [], [])).refs.append(ref)
        for alike in found.values():
            alike.kinds.extend((own, self._entering(alike.refs[0], own)) for own in self.ports.honest(alike.refs[0]))
        return list(found.values())

    def _entering(self, ref: PortRef, own: Own) -> list[Inside]:
        """Returns what honest stations on a port send in if it is one thing: untagged, and with tags of their own in its format."""
        if own.registered:
            return []
        wires = [(tag + 4096 * number,) for tag in _tags(own.kind) for number in own.formats]
        tagged = [f for wire in wires for f in self.ports.enters(ref, wire, [own])]
        return [*self.ports.enters(ref, (), [own]), *(f for f in tagged if not f[1] and f[0] in _members(own.kind))]

    def _concerns(self, alike: Alike) -> VlanSet:
        """Returns the VLANs that ports may have to do with: no less than they do."""
        sent = VlanSet(d for _, inside in alike.kinds for d, _ in inside if d)
        return ~self.ports.holds_back(alike.refs[0]) | sent | _may_be_set_in(alike.port, sure=self.ports.sure)

    def of(self, segment: Segment) -> list[Alike]:
        """Returns the ports that may have to do with a segment: no less than do."""
        if segment.ports is not None:
            return self._grouped(self.all & segment.ports)
        mask = segment.vlans.mask
        wide = (alike for vlans, alike in self._wide if vlans & mask)
        found = [*wide, *(alike for v in segment.vlans for alike in self._plain.get(v, ()))]
        return list({id(alike): alike for alike in found}.values())


class Stations:
    """The stations of a segment: where their frames start, which ports hear which places, and their ports.

    Attributes:
        segment: the segment.
        starts: where their frames start.
        hearers: for each place, the ports that hear its frames.
        ports: its ports that pass something.
        set_in: the ports that are set to be in its VLANs, or that it names.
        named: all its ports, those that pass nothing as they are set, too.
        mute: ports of which a station hears it, and that take no frame of that station in.
        known: some port is its own, be it a dead one; none is where all that is set in its VLANs are private hosts of it.
        managed: the places of switches that are managed in one of its VLANs; they are stations by themselves.
    """

    def __init__(self, campus: Campus, made: Wiring, name: str, ports: Ports, edges: Edges, *, whole: bool) -> None:
        """Takes a segment; `whole` takes the one untagged station of a port into all VLANs that it sends in or hears."""
        self.segment = _segment(campus, made, name, ports)
        self._of = campus, made, ports
        self.starts: set[tuple[str, Inside]] = set()
        self.hearers: dict[tuple[str, int], set[PortRef]] = {}
        self.ports: set[PortRef] = set()
        self.mute: set[PortRef] = set()
        mine = edges.of(self.segment)
        for alike in mine:
            for vlans, refs in self._narrowed(alike.refs):
                for own, inside in alike.kinds:
                    self._heard(vlans, refs, own, ports)
                    self._sent(campus, vlans, refs, own, inside)
                    if self._is_mute(vlans, refs[0], own, inside, ports):
                        self.mute.update(refs)
                    if whole:
                        self._in_all(vlans, refs, own, ports)
        managed = edges.managed if self.segment.ports is None else []
        self.managed = {at for at in managed if at[1].vid in self.segment.vlans}
        gateways = Gateways(campus, made, ports) if self.managed else None
        selves: set[PortRef] = set()
        for switch, gateway in self.managed:
            itself, vid = PortRef(switch, f"VLAN {gateway.vid}"), gateway.vid or 0
            selves.add(itself)
            if gateways and gateways.up((switch, gateway), surely=ports.sure):
                self.ports.add(itself)
                self.starts.add((switch, (vid, ())))
                self.hearers.setdefault((switch, vid), set()).add(itself)
        if self.segment.ports is None:
            set_in = [a for a in mine if _may_be_set_in(a.port, sure=ports.sure) & self.segment.vlans]
            self.set_in = {r for a in set_in for r in a.refs}
            self.named = self.set_in | self.ports | selves
            guests = {r for a in mine if _listens_alone(a.port, self.segment) for r in a.refs}
            surely = {r for a in mine if _may_be_set_in(a.port, sure=True) & self.segment.vlans for r in a.refs}
            self.known = bool(self.ports | selves | (surely - guests))
        else:
            self.set_in = self.named = {r for r in self.segment.ports if r.switch}
            self.known = bool(self.named | self.ports)

    @cached_property
    def alone(self) -> Host | None:
        """The host that it is, where it is one host and nothing else."""
        campus, made, _ = self._of
        one = campus.hosts.get(next(iter(self.segment.hosts))) if len(self.segment.hosts) == 1 else None
        return one if one is not None and self.named == _looked_at(campus, made, one.port) else None

    @cached_property
    def hosts(self) -> list[Host]:
        """The hosts that may be among its stations."""
        campus, made, ports = self._of
        domains = {d for _, (d, _) in self.starts} | {d for _, d in self.hearers}
        found = []
        for host in campus.hosts.values():
            seen_at = _looked_at(campus, made, host.port)
            other = host.name not in self.segment.hosts and seen_at <= self._by_host.keys()
            if seen_at & self.ports and not other:
                own = _host_vlans(campus, made, host, ports)
                found += [host] if own is None or own & domains else []
        return found

    @cached_property
    def _by_host(self) -> dict[PortRef, VlanSet]:
        """The ports that are here by their hosts, with the VLANs that these may be in."""
        campus, made, ports = self._of
        found: dict[PortRef, VlanSet] = {}
        for host in (campus.hosts[n] for n in self.segment.hosts if n in campus.hosts):
            vlans = _host_vlans(campus, made, host, ports)
            mine = ALL if vlans is None else VlanSet(v for v in vlans if v)
            for ref in _looked_at(campus, made, host.port):
                found[ref] = found.get(ref, NONE) | mine
        return found

    def _narrowed(self, refs: list[PortRef]) -> Iterator[tuple[VlanSet, list[PortRef]]]:
        """Yields ports with the VLANs in which they count: of a port that is here by its hosts, those of these hosts."""
        if not self.segment.hosts:
            yield self.segment.vlans, refs
            return
        yield from ((self.segment.vlans & self._by_host.get(ref, ALL), [ref]) for ref in refs)

    def _heard(self, vlans: VlanSet, refs: list[PortRef], own: Own, ports: Ports) -> None:
        one = refs[0]
        for d in vlans:
            if ports.leaves(one, (d, ()), [own]):
                self.hearers.setdefault((one.switch, d), set()).update(refs)
                self.ports.update(refs)

    def _is_mute(self, vlans: VlanSet, one: PortRef, own: Own, inside: list[Inside], ports: Ports) -> bool:
        """Tells whether a station of a port hears the segment, and the port takes none of that station's frames in."""
        joins = traits(own.kind).joins
        out = [(d, tags) for d in vlans for tags in ports.leaves(one, (d, ()), [own])]
        if joins and any(not tags for _, tags in out) and not any(ports.enters(one, (), [own])):
            return True
        deaf = {tags for _, tags in out if tags and not ports.enters(one, tags, [own])}
        return bool(deaf) or any(d not in {s for s, _ in inside} for d, tags in out if tags or not joins)

    def _in_all(self, vlans: VlanSet, refs: list[PortRef], own: Own, ports: Ports) -> None:
        """Takes the one untagged station of ports into all VLANs that it sends in or hears, if one is of the segment."""
        if not traits(own.kind).joins:
            return
        one = refs[0]
        sent = {d for d, inner in ports.enters(one, (), [own]) if not inner}
        heard = {d for d in _set_in(own.kind) | _members(own.kind) if () in ports.leaves(one, (d, ()), [own])}
        if (sent | heard) & set(vlans):
            self.starts |= {(one.switch, (d, ())) for d in sent}
            for d in heard:
                self.hearers.setdefault((one.switch, d), set()).update(refs)
            self.ports.update(refs)

    def _sent(self, campus: Campus, vlans: VlanSet, refs: list[PortRef], own: Own, inside: list[Inside]) -> None:
        one, tunnel = refs[0], isinstance(own.kind, Tunnel)
        for frame in inside:
            if frame[0] in vlans and (not frame[1] or not tunnel):
                self.starts.add((one.switch, frame))
                self.ports.update(refs)
                if tunnel:
                    self.starts |= {(one.switch, (frame[0], (v,))) for v in _used(campus)}


def _managed(campus: Campus) -> Iterator[At]:
    """Yields the addresses of switches that serve no station: with nowhere to pass packets on to."""
    for switch in campus.switches.values():
        own = switch.gateways
        leads = switch.kind is Kind.ROUTER or switch.routing or len({g.vid for g in own}) > 1
        for gateway in () if leads else own:
            if not gateway.virtual or switch.routing is False:
                yield switch.name, gateway


def _segment(campus: Campus, made: Wiring, name: str, ports: Ports) -> Segment:
    if name in campus.segments:
        segment = campus.segments[name]
        if segment.outside:
            raise Malformed(f"{name} is outside of the campus, of which nothing is checked here")
        own = [p for r in segment.ports for p in _looked_at(campus, made, r)] if segment.ports is not None else None
        return segment if own is None else replace(segment, ports=frozenset([*own, PortRef("", "")]))
    if (host := _host(campus, name)) is not None:
        vlans = _host_vlans(campus, made, host, ports)
        own_vlans = ALL if vlans is None else VlanSet(vlans - {0})
        near = frozenset(_looked_at(campus, made, host.port))
        return Segment(name, own_vlans, Source(""), near, hosts=frozenset([host.name]))
    if (ref := _port(campus, name)) is not None:
        return Segment(name, ALL, Source(""), frozenset(_looked_at(campus, made, ref)))
    tables = (s.vlans or {} for s in campus.switches.values())
    vids = {int(name)} if name.isdecimal() else {v for t in tables for v, e in t.items() if e.name == name}
    if not vids:
        raise Malformed(f"there is no segment {name!r}")
    return Segment(name, VlanSet(vids), Source(""))


def _host(campus: Campus, name: str) -> Host | None:
    """Returns the host that a name or an address stands for."""
    if name in campus.hosts:
        return campus.hosts[name]
    for host in campus.hosts.values() if _is_address(name) else ():
        if host.address is not None and str(host.address.ip) == name:
            return host
    return None


def _host_vlans(campus: Campus, made: Wiring, host: Host, ports: Ports) -> set[int] | None:
    """Returns the domains that a host may be in; None for any: its port carries tags, and nothing tells whether it tags."""
    found: set[int] = set()
    for ref in _looked_at(campus, made, host.port):
        port = campus.switches[ref.switch].ports.get(ref.port)
        if port is None:
            continue
        kinds = [own for own in ports.honest(ref) if not own.registered]
        wires = [()] if host.tag is None else [(host.tag + 4096 * n,) for own in kinds for n in own.formats]
        if host.tag is None and traits(kinds[0].kind if kinds else port.switching).wide:
            return None
        found |= {d for wire in wires for d, _ in ports.enters(ref, wire, kinds)}
        mine = {d for own in kinds for d in _set_in(own.kind) | _members(own.kind)}
        found |= {d for d in mine if not ports.leaves(ref, (d, ()), kinds).isdisjoint(wires)}
    return found


def _port(campus: Campus, name: str) -> PortRef | None:
    """Returns the port that has a name."""
    ref = PortRef.parse(name)
    known = ref is not None and ref.switch in campus.switches and ref.port in campus.switches[ref.switch].ports
    return ref if known else None


def _is_address(name: str) -> bool:
    try:
        return bool(ip_address(name))
    except ValueError:
        return False


def _looked_at(campus: Campus, made: Wiring, ref: PortRef) -> set[PortRef]:
    """Returns a port, or the LAG that it is in; for one of an unmanaged device the ports where a switch first looks at its frames."""
    boxes, found = [ref.switch], {ref}
    if campus.switches[ref.switch].kind is not Kind.UNMANAGED:
        port = campus.switches[ref.switch].ports.get(ref.port)
        return {PortRef(ref.switch, port.lag)} if port is not None and port.lag else found
    for box in boxes:
        for other in (k[k[0].switch == box] for k in made.beside[box]):
            if campus.switches[other.switch].kind is not Kind.UNMANAGED:
                found.add(other)
            elif other.switch not in boxes:
                boxes.append(other.switch)
    return found


def _members(kind: Switching) -> VlanSet:
    match kind:
        case Access(vid=v, voice=w):
            return VlanSet(x for x in (v, w) if x)
        case Trunk(allowed=allowed):
            return allowed
        case General(untagged=u, tagged=t):
            return u | t
        case PrivateHost(secondary=v) | Tunnel(vid=v):
            return VlanSet([v])
        case Promiscuous(primary=p, secondaries=some):
            return some | VlanSet([p])
        case Bridged(untagged=u_, tagged=pairs):
            return VlanSet(x for x in (u_, *(d for _, d in pairs)) if x)
        case Negotiated() | Routed() | Plain() | Unstated():
            return VlanSet()
        case _:
            assert_never(kind)


def _set_in(kind: Switching) -> VlanSet:
    """Returns the VLANs that a station's port is set to be in, relayed or not; a trunk is set to be in none by itself."""
    match kind:
        case General(pvid=v) | Bridged(untagged=v):
            return VlanSet([v] if v else [])
        case PrivateHost(primary=p, secondary=v):
            return VlanSet([p, v])
        case Trunk() | Negotiated() | Routed() | Plain() | Unstated():
            return VlanSet()
        case Access() | Promiscuous() | Tunnel():
            return _members(kind)
        case _:
            assert_never(kind)


def _may_be_set_in(port: Port, *, sure: bool) -> VlanSet:
    """Returns the VLANs that a port may be set to be in: all where its mode is not stated, or its VLAN and it negotiates."""
    kind = port.switching
    if not isinstance(kind, Negotiated):
        return ALL if isinstance(kind, Unstated) and not sure else _set_in(kind)
    willing = port.stance is not Stance.SILENT
    return ALL if kind.access.vid is None and willing and not sure else _set_in(kind.access)


def _listens_alone(port: Port, segment: Segment) -> bool:
    """Tells whether a port is a private host that hears a VLAN of a segment, and sends in another."""
    return isinstance(port.switching, PrivateHost) and port.switching.secondary not in segment.vlans


def _tags(kind: Switching) -> Iterator[int]:
    """Yields the tags that honest stations use: of VLANs they belong to, or of subinterfaces."""
    match kind:
        case Bridged(tagged=pairs):
            yield from (t for t, _ in pairs)
        case Trunk(translate=pairs):
            yield from (*_members(kind), *(t for t, _ in pairs))
        case Access() | General():
            yield from _members(kind)
        case Tunnel() | PrivateHost() | Promiscuous() | Negotiated() | Routed() | Plain() | Unstated():
            return
        case _:
            assert_never(kind)


def _used(campus: Campus) -> VlanSet:
    """Returns the VLANs a station behind a tunnel may use: those of all tables, access ports and segments."""
    found = VlanSet(v for s in campus.switches.values() for v in s.vlans or ())
    kinds = [p.switching for s in campus.switches.values() for p in s.ports.values()]
    found |= VlanSet(v for k in kinds if isinstance(k, Access) for v in (k.vid, k.voice) if v)
    return found | VlanSet(v for g in campus.segments.values() if g.ports is None for v in g.vlans)
