"""Switches and ports that go by another name: recognised by chassis address and by cabling, where that is certain."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import replace

from inkov.model.campus import Campus
from inkov.model.names import PortRef, natural
from inkov.model.switch import Switch
from inkov.plan.change import Change


def renamed(before: Campus, after: Campus) -> tuple[Campus, list[Change]]:
    """Returns a campus with the names of another, and what was renamed.

    A switch is the same where one that is gone and one that is new have a chassis address that no other has; a port, where
    one that is gone and one that is new of the same switch are cabled to the same port.

    Args:
        before: the campus with the old names.
        after: the one with the new names.
    """
    switches = _switches(before, after)
    now = _with_switches(before, switches) if switches else before
    found = [Change((new, "name", "", ""), new, f"was named {old}", silent=True) for old, new in switches.items()]
    for name in now.switches.keys() & after.switches.keys():
        ports = _ports(now, after, name)
        if ports:
            now = _with_ports(now, name, ports)
            at = [(PortRef(name, new), old) for old, new in ports.items()]
            found += [Change((name, "name", r.port, ""), str(r), f"was named {old}", silent=True) for r, old in at]
    return now, sorted(found, key=lambda c: natural(c.at))


def _switches(before: Campus, after: Campus) -> dict[str, str]:
    gone = {n: s.mac for n, s in before.switches.items() if n not in after.switches and s.mac}
    new = {s.mac: n for n, s in after.switches.items() if n not in before.switches and s.mac}
    known = Counter(s.mac for campus in (before, after) for s in campus.switches.values())
    return {old: new[mac] for old, mac in gone.items() if mac in new and known[mac] == 2}


def _ports(before: Campus, after: Campus, name: str) -> dict[str, str]:
    was, now = before.switches[name], after.switches[name]
    gone, new = was.ports.keys() - now.ports.keys(), now.ports.keys() - was.ports.keys()
    if not gone or not new:
        return {}
    old_ends, new_ends = _far_ends(before, was), _far_ends(after, now)
    once = Counter([*old_ends.values(), *new_ends.values()])
    at = {far: port for port, far in new_ends.items() if port in new}
    return {p: at[far] for p, far in old_ends.items() if p in gone and far in at and once[far] == 2}


def _far_ends(campus: Campus, switch: Switch) -> dict[str, tuple[str, str]]:
    """Returns what each cabled port of a switch is cabled to, as a cable says or discovery hears."""
    found = {h.port: (h.system, h.far_port) for h in switch.heard if h.system and h.far_port}
    for cable in campus.cables:
        for own, far in ((cable.a, cable.b), (cable.b, cable.a)):
            if own.switch == switch.name:
                found[own.port] = (far.switch, far.port)
    return found


def _with_switches(campus: Campus, names: Mapping[str, str]) -> Campus:
    def known(ref: PortRef) -> PortRef:
        return PortRef(names.get(ref.switch, ref.switch), ref.port)

    switches = {
        names.get(n, n): replace(
            s,
            name=names.get(n, n),
            heard=tuple(replace(h, system=names.get(h.system, h.system)) for h in s.heard),
        )
        for n, s in campus.switches.items()
    }
    ordered = {n: switches[n] for n in sorted(switches, key=natural)}
    return _relabelled(replace(campus, switches=ordered), known)


def _with_ports(campus: Campus, name: str, names: Mapping[str, str]) -> Campus:
    def known(ref: PortRef) -> PortRef:
        return PortRef(name, names.get(ref.port, ref.port)) if ref.switch == name else ref

    own = campus.switches[name]
    ports = {
        names.get(n, n): replace(
            p,
            name=names.get(n, n),
            lag=names.get(p.lag, p.lag) if p.lag else None,
            members=tuple(names.get(m, m) for m in p.members),
        )
        for n, p in own.ports.items()
    }
    ordered = {n: ports[n] for n in sorted(ports, key=natural)}
    heard = tuple(replace(h, port=names.get(h.port, h.port)) for h in own.heard)
    switches = {
        n: replace(
            s,
            heard=tuple(
                replace(h, far_port=names.get(h.far_port, h.far_port)) if h.system == name else h for h in s.heard
            ),
        )
        for n, s in campus.switches.items()
    }
    gateways = tuple(replace(g, port=names.get(g.port, g.port)) for g in own.gateways)
    switches[name] = replace(own, ports=ordered, heard=heard, gateways=gateways)
    return _relabelled(replace(campus, switches=switches), known)


def _relabelled(campus: Campus, known: Callable[[PortRef], PortRef]) -> Campus:
    """Returns a campus whose cables, hosts, segments and plan name ports anew."""
    segments = {
        n: s if s.ports is None else replace(s, ports=frozenset(map(known, s.ports)))
        for n, s in campus.segments.items()
    }
    return replace(
        campus,
        cables=tuple(replace(c, a=known(c.a), b=known(c.b)) for c in campus.cables),
        hosts={n: replace(h, port=known(h.port)) for n, h in campus.hosts.items()},
        segments=segments,
        plan=tuple(replace(row, port=known(row.port)) for row in campus.plan),
    )
