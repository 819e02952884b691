"""The stations of a segment, as the campus file or a claim names it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from inkov.model.campus import Campus, Segment
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.switch import (
    Access,
    Bridged,
    General,
    Kind,
    PrivateHost,
    Promiscuous,
    Switching,
    Trunk,
    Tunnel,
)
from inkov.model.vlanset import VlanSet
from inkov.recheck.frames import Malformed
from inkov.recheck.ports import Inside, Ports
from inkov.recheck.wiring import Wiring, station_ports


class Stations:
    """The stations of a segment: where their frames start, which ports hear which places, and their ports."""

    def __init__(self, campus: Campus, made: Wiring, name: str) -> None:
        self.segment, ports = _segment(campus, made, name), Ports(campus, made.far, sure=True, worst=False)
        self.starts: set[tuple[str, Inside]] = set()
        self.hearers: dict[tuple[str, int], set[PortRef]] = {}
        self.ports: set[PortRef] = set()
        for ref in station_ports(campus, made) & (self.segment.ports or station_ports(campus, made)):
            for kind in ports.kinds(ref):
                for d in _heard(kind) & self.segment.vlans:
                    if ports.leaves(ref, (d, ())):
                        self.hearers.setdefault((ref.switch, d), set()).add(ref)
                        self.ports.add(ref)
                inside = list(ports.enters(ref, ()))
                inside += [f for t in _tags(kind) for f in ports.enters(ref, (t,)) if f[0] in _members(kind)]
                for frame in inside:
                    if frame[0] in self.segment.vlans and (not frame[1] or not isinstance(kind, Tunnel)):
                        self.starts.add((ref.switch, frame))
                        self.ports.add(ref)
                        if isinstance(kind, Tunnel):
                            self.starts |= {(ref.switch, (frame[0], (v,))) for v in _used(campus)}


def _segment(campus: Campus, made: Wiring, name: str) -> Segment:
    if name in campus.segments:
        segment = campus.segments[name]
        own = [p for r in segment.ports for p in _looked_at(campus, made, r)] if segment.ports is not None else None
        return segment if own is None else replace(segment, ports=frozenset([*own, PortRef("", "")]))
    if name in campus.hosts:
        host, ports = campus.hosts[name], Ports(campus, made.far, sure=True, worst=False)
        vlans = {d for d, _ in ports.enters(host.port, ())}
        vlans |= {d for k in ports.kinds(host.port) for d in _heard(k) if () in ports.leaves(host.port, (d, ()))}
        return Segment(name, VlanSet(vlans - {0}), Source(""), frozenset(_looked_at(campus, made, host.port)))
    tables = [s.vlans or {} for s in campus.switches.values()]
    vids = {int(name)} if name.isdecimal() else {v for t in tables for v, e in t.items() if e.name == name}
    if not vids:
        raise Malformed(f"there is no segment {name!r}")
    return Segment(name, VlanSet(vids), Source(""))


def _looked_at(campus: Campus, made: Wiring, ref: PortRef) -> set[PortRef]:
    """Returns a port, or for one of an unmanaged device the ports where a switch first looks at its frames."""
    boxes, found = [ref.switch], {ref}
    if campus.switches[ref.switch].kind is not Kind.UNMANAGED:
        return found
    for box in boxes:
        for other in (k[k[0].switch == box] for k in made.links if box in {k[0].switch, k[1].switch}):
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
        case _:
            return VlanSet()


def _heard(kind: Switching) -> VlanSet:
    native = VlanSet([kind.native]) if isinstance(kind, Trunk) and kind.native else VlanSet()
    return _members(kind) | (VlanSet([kind.primary]) if isinstance(kind, PrivateHost) else native)


def _tags(kind: Switching) -> Iterator[int]:
    if not isinstance(kind, Tunnel | PrivateHost | Promiscuous):
        yield from _members(kind)
        yield from (
            t
            for t, _ in (
                kind.translate
                if isinstance(kind, Trunk)
                else getattr(kind, "tagged", ())
                if isinstance(kind, Bridged)
                else ()
            )
        )


def _used(campus: Campus) -> VlanSet:
    """Returns the VLANs a station behind a tunnel may use: those of all tables, access ports and segments."""
    found = VlanSet(v for s in campus.switches.values() for v in s.vlans or ())
    kinds = [p.switching for s in campus.switches.values() for p in s.ports.values()]
    found |= VlanSet(v for k in kinds if isinstance(k, Access) for v in (k.vid, k.voice) if v)
    return found | VlanSet(v for g in campus.segments.values() if g.ports is None for v in g.vlans)
