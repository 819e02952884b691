"""Which ports are joined: cables that the campus file states, and what discovery heard."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field

from inkov.model.campus import Campus
from inkov.model.names import PortRef
from inkov.model.switch import Kind, Lacp


@dataclass
class Wiring:
    """Links between logical ports (a LAG is one), each with its wires and whether it is sure; and strange systems.

    Attributes:
        links: (one end, other end) to its wires.
        doubtful: links of ports that discovery gives several far ends.
        heard_outside: ports that heard a system which is not in the campus, with its name.
        strangers: a system that is not described, or not at that port, to the ports that heard it.
        far: the other end of each end whose link is sure to exist; None where it is not.
        at: the links of each end.
        beside: the links of each switch.
    """

    links: dict[tuple[PortRef, PortRef], list[tuple[PortRef, PortRef]]] = field(default_factory=dict)
    doubtful: set[tuple[PortRef, PortRef]] = field(default_factory=set)
    heard_outside: list[str] = field(default_factory=list)
    strangers: dict[str, list[PortRef]] = field(default_factory=dict)
    far: dict[PortRef, PortRef | None] = field(default_factory=dict)
    at: dict[PortRef, list[tuple[PortRef, PortRef]]] = field(default_factory=lambda: defaultdict(list))
    beside: dict[str, list[tuple[PortRef, PortRef]]] = field(default_factory=lambda: defaultdict(list))


def wiring(campus: Campus) -> Wiring:
    """Works out which ports are joined."""
    made = Wiring()
    stated = {end: frozenset((c.a, c.b)) for c in campus.cables for end in (c.a, c.b)}
    heard, strangers = _heard(campus)
    made.heard_outside = [
        f"{ref} ({n})"
        for n, refs in sorted(strangers.items())
        if n not in campus.switches
        for ref in sorted(refs, key=lambda r: r.order)
    ]
    made.strangers = {n: sorted(p) for n, p in strangers.items() if len(p) > 1 or n in campus.switches}
    given = set(stated.values())
    kept = {pair for pair in heard if all(stated.get(end, pair) == pair for end in pair)}
    pairs = sorted(tuple(sorted(p, key=lambda r: r.order)) for p in kept | given)
    often: dict[PortRef, int] = defaultdict(int)
    for pair in pairs:
        for end in pair:
            often[end] += 1
    for a, b in pairs:
        link = _logical(campus, a), _logical(campus, b)
        made.links.setdefault(link, []).append((a, b))
        if (often[a] > 1 or often[b] > 1) and frozenset((a, b)) not in given:
            made.doubtful.add(link)
    for link in sorted(made.links, key=lambda k: (k[0].order, k[1].order)):
        for end in set(link):
            made.at[end].append(link)
        for switch in {end.switch for end in link}:
            made.beside[switch].append(link)
        for own, other in (link, link[::-1]):
            made.far.setdefault(own, None if link in made.doubtful else other)
    return made


def _heard(campus: Campus) -> tuple[set[frozenset[PortRef]], dict[str, set[PortRef]]]:
    """Returns the pairs of ports that discovery joins, and the ports that heard a system that is not described."""
    heard: set[frozenset[PortRef]] = set()
    strangers: dict[str, set[PortRef]] = defaultdict(set)
    names = _Names(campus)
    for switch in campus.switches.values():
        for h in switch.heard:
            own = PortRef(switch.name, h.port)
            if h.port not in switch.ports:
                continue
            name = names.meant(h.system, h.chassis)
            if name is None or h.far_port not in campus.switches[name].ports:
                if switch.ports[h.port].enabled and (system := name or h.system or h.chassis):
                    strangers[system].add(_logical(campus, own))
            elif own != PortRef(name, h.far_port):
                heard.add(frozenset((own, PortRef(name, h.far_port))))
    return heard, strangers


def up(campus: Campus, made: Wiring, link: tuple[PortRef, PortRef]) -> bool:
    """Tells whether a link has a wire between enabled ports."""

    def on(ref: PortRef) -> bool:
        return campus.switches[ref.switch].ports[ref.port].enabled

    return on(link[0]) and on(link[1]) and any(on(a) and on(b) for a, b in made.links[link])


def lag_forms(campus: Campus, made: Wiring, link: tuple[PortRef, PortRef]) -> bool:
    """Tells whether the LAGs at the ends of a link surely form, as one each (IEEE 802.1AX-2020, 6.4.1)."""
    lags = [e for e in link if campus.switches[e.switch].ports[e.port].is_lag]
    modes = {campus.switches[e.switch].ports[e.port].lacp for e in lags}
    if any(sum(up(campus, made, k) for k in made.at[e]) > 1 for e in lags):
        return False  # its members end at several ports: each gets a part of the frames at best
    if len(lags) == 1:
        return modes == {Lacp.STATIC}
    return not lags or modes in ({Lacp.STATIC}, {Lacp.ACTIVE}, {Lacp.ACTIVE, Lacp.PASSIVE})


def station_ports(campus: Campus, made: Wiring) -> set[PortRef]:
    """Returns the ports stations are on: enabled and not cabled, or cabled to an unmanaged device."""
    cabled = {end for link, wires in made.links.items() for end in (*link, *(e for w in wires for e in w))}
    found = {
        ref
        for s in campus.switches.values()
        for p in s.ports.values()
        if p.enabled and p.lag is None and (ref := PortRef(s.name, p.name)) not in cabled and s.kind is Kind.SWITCH
    }
    for link in made.links:
        for own, other in (link, link[::-1]):
            kinds = [campus.switches[r.switch].kind for r in (own, other)]
            if kinds[0] is not Kind.UNMANAGED and kinds[1] is Kind.UNMANAGED and up(campus, made, link):
                found.add(own)
    return found


def _logical(campus: Campus, ref: PortRef) -> PortRef:
    ports = campus.switches[ref.switch].ports
    lag = ports[ref.port].lag
    return PortRef(ref.switch, lag) if lag and lag in ports else ref


class _Names:
    """Which device of the campus is meant by what a neighbour calls itself."""

    def __init__(self, campus: Campus) -> None:
        self.switches = campus.switches
        self.by_label: dict[str, list[str]] = defaultdict(list)
        for name in campus.switches:
            self.by_label[name.partition(".")[0].lower()].append(name)
        self.by_address = {s.mac: s.name for s in campus.switches.values() if s.mac}

    def meant(self, system: str, chassis: str) -> str | None:
        """Returns it; None when it is not described."""
        if system in self.switches:
            return system
        label = system.partition(".")[0].lower()
        fits = self.by_label.get(label, []) if label else []
        return fits[0] if len(fits) == 1 else self.by_address.get(chassis)
