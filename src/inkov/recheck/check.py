"""Checks a certificate against a campus: every start is inside, nothing gets out, and the other side is not in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial
from ipaddress import ip_network
from typing import Any

from inkov.model.campus import Campus
from inkov.model.names import PortRef, by_look, looks
from inkov.model.remembered import remembered
from inkov.model.routing import set_name
from inkov.model.switch import Negotiated, Stance
from inkov.model.touching import assumptions_of_together, doubted
from inkov.recheck.claim import assumptions, checked, is_served, sentence
from inkov.recheck.frames import Frames, Malformed, Set, places
from inkov.recheck.gateways import At, Gateways, Places, examples, served
from inkov.recheck.ports import ANY, Inside, Ports
from inkov.recheck.stations import Edges, Stations
from inkov.recheck.together import Together
from inkov.recheck.traits import traits
from inkov.recheck.wiring import wiring

ANYWHERE = (ip_network("0.0.0.0/0"), ip_network("::/0"))


@dataclass
class Checked:
    """What came of a check.

    Attributes:
        claim: the claim that was checked, in full, as the certificate's data say and not its title.
        reasons: why the certificate is rejected, if it is.
        rests_on: what an accepted one takes for granted, as the check itself finds it.
    """

    claim: str = ""
    reasons: list[str] = field(default_factory=list)
    rests_on: list[str] = field(default_factory=list)


def check(campus: Campus, certificate: Any) -> Checked:
    """Checks a certificate; `certificate` is the decoded JSON."""
    result, campus = Checked(), doubted(campus)
    try:
        claim = certificate["claim"]
        checked(claim)
        result.claim = sentence(claim)
        names = [c.name for c in campus.claims]
        stated = next((c.data for c in campus.claims if c.name == claim["name"]), claim)
        for some, known in (([claim["name"]], names), (claim["segments"], campus.segments)):
            seen = by_look(known)
            for name in some:
                if (twin := seen.get(looks(name), name)) != name:
                    raise Malformed(f"{name!a:.60} is not the {twin!a:.60} of the campus file, though it looks like it")
        if certificate["inkov"] != "certificate" or certificate["version"] != 1:
            raise Malformed("this is no certificate of version 1")
        if stated != claim:
            raise Malformed(f"the campus file's claim {claim['name']!r} says something else")
        if claim["kind"] == "together":
            reason = Together(campus, claim).check(certificate, int(claim["surviving"]), result.rests_on)
            result.rests_on += assumptions_of_together(campus.switches)
        else:
            apart = _Apart(campus, claim, certificate["sets"])
            reason = apart.check()
            result.rests_on += assumptions(campus, apart.made, apart.ports, apart.stations, claim["layers"])
    except Malformed as exc:
        reason = str(exc)
    except (KeyError, TypeError, ValueError, AttributeError, IndexError):
        reason = "this is not in the form of a certificate"
    result.reasons += [reason] if reason else []
    return result


class _Apart:
    def __init__(self, campus: Campus, claim: Any, sets: Any) -> None:
        self.campus, self.claim, self.data = campus, claim, sets
        self.made = wiring(campus)
        self.hostile = claim["facing"] == "hostile"
        self.ports = Ports(campus, self.made, sure=False)
        self.frames = Frames(campus, self.made, self.ports)
        self.gateways = Gateways(campus, self.made, self.ports)
        self.sets: dict[str, Set] = {}
        self._places: dict[str, Places] = {}
        self._listeners: dict[int, dict[str, str]] = {}  # by identity of places, which are kept
        edges = Edges(campus, self.made, self.ports)
        self.stations = {n: Stations(campus, self.made, n, self.ports, edges, whole=True) for n in claim["segments"]}
        self.hearers: dict[tuple[str, int], list[str]] = {}
        for name, stations in self.stations.items():
            for place in stations.hearers:
                self.hearers.setdefault(place, []).append(name)

    def check(self) -> str:
        """Says why the claim does not follow; empty when it does."""
        for name, stations in self.stations.items():
            if not stations.known:
                return f"no port of {name} is known"
        known = {set_name(*at): at for at in self.gateways.all}
        self.data = {self._gateways_called.get(name, name): made for name, made in self.data.items()}
        for name in self.data:
            if name in known:
                self.closed(name, partial(self.gateways.sets_out, known[name]))
            elif name.partition(" ")[2] not in self.stations:
                raise Malformed(f"there is a closed set for {name!r}, which has no part in the claim")
        for a, b in self.claim["pairs"]:
            sides = [("honest", a, b), ("honest", b, a)] + (
                [("hostile", a, b), ("hostile", b, a)] if self.hostile else []
            )
            for facing, x, y in sides:
                closed = self.places(f"{facing} {x}", partial(self._starts, facing, x))
                ears = "hostile" if self.hostile and facing == "honest" else "honest"
                if 2 in self.claim["layers"] and (where := self._heard(y, closed, ears)):
                    return f"frames of {x} are heard by {y} at {where}"
                if 3 in self.claim["layers"] and (how := self._routed(facing, x, y, ears, closed)):
                    return how
        return self._beyond() if 3 in self.claim["layers"] else ""

    @property
    def _gateways_called(self) -> dict[str, str]:
        """What sets of gateways are called in certificates of earlier days, where that says which is meant."""
        called = [
            (f"gateway {device} {gateway.place}", set_name(device, gateway)) for device, gateway in self.gateways.all
        ]
        often = Counter(old for old, _ in called)
        return {old: now for old, now in called if often[old] == 1}

    def _beyond(self) -> str:
        """Says which gateways are not in the input, by which packets may pass to the other side."""
        if silent := _silent_on_gateways(self.campus):
            return f"nothing tells which addresses {', '.join(silent)} have in VLANs, so packets may pass there"
        own = {ip for _, g in self.gateways.all for ip in g.answers}
        by_vlan = served(self.gateways)
        strange: dict[str, str] = {}
        for name, stations in self.stations.items():
            for host in stations.hosts:
                if host.gateway is not None and host.gateway not in own:
                    strange[name] = f"{host.name} sends through {host.gateway}, which no device here has"
        for one, other in (side for a, b in self.claim["pairs"] for side in ((a, b), (b, a))):
            if one in strange and (other in strange or is_served(self.stations[other], by_vlan)):
                return f"{strange[one]}, and packets may pass there to {other}"
        return ""

    def places(self, name: str, starts: Callable[[], Places]) -> Places:
        """Returns the places of a set of the certificate, as `closed` gives it."""
        if name not in self._places:
            self._places[name] = set(places(self.closed(name, starts)))
        return self._places[name]

    def closed(self, name: str, starts: Callable[[], Places]) -> Set:
        """Returns a set of the certificate, once it is sure that what starts is in it and nothing gets out."""
        if name not in self.sets:
            if name not in self.data:
                raise Malformed(f"there is no closed set for {name}")
            made = self.frames.read(self.data[name])
            if hole := self.frames.hole(made, starts()):
                raise Malformed(f"the set of {name} has a hole: {hole}")
            self.sets[name] = made
        return self.sets[name]

    def _starts(self, facing: str, name: str) -> set[tuple[str, Inside]]:
        stations = self.stations[name]
        if facing == "honest":
            return stations.starts
        made: set[tuple[str, Inside]] = set()
        for ref in stations.named:
            made |= {(ref.switch, f) for f in self._attack(ref)}
        return {(s, f) for s, f in made if f[0]}

    def _attack(self, ref: PortRef) -> Iterator[Inside]:
        """Yields where frames of a hostile station on a port may start: it negotiates, tags, and stacks tags as it likes."""
        switch = self.campus.switches[ref.switch]
        port = switch.ports.get(ref.port)
        if port is None or not port.enabled:
            return
        kind, kinds = port.switching, self.ports.kinds(ref)
        if isinstance(kind, Negotiated) and port.stance is not Stance.SILENT:
            kinds = self.ports.kinds_of(ref, [kind.access, kind.trunk])
        kinds = [*kinds, *([self.ports.registered(ref)] if switch.registration is not False else [])]
        zero = switch.habits.own_tag or "own_tag" in switch.unstated_habits
        yield from ((d, ()) for d, _ in self.ports.enters(ref, (), kinds))
        for own in kinds:
            whole = traits(own.kind).whole or len(self.ports.formats) > len(own.formats) or len(own.formats) > 1
            if zero or whole:
                yield from self.ports.enters(ref, (ANY,), [own])
            else:
                yield from (f for t in self.ports.tags(ref) for f in self.ports.enters(ref, (t, ANY), [own]))

    def _heard(self, name: str, reached: Places, ears: str) -> str:
        if ears == "honest":
            if id(reached) not in self._listeners:
                found = {n: f"{s} in {d}" for s, (d, _) in reached for n in self.hearers.get((s, d), ())}
                self._listeners[id(reached)] = found
            return self._listeners[id(reached)].get(name, "")
        stations = self.stations[name]
        if where := next((s for s, f in reached if (s, f[0]) in {(d, g.vid) for d, g in stations.managed}), ""):
            return f"{where} itself"
        by_switch: dict[str, list[PortRef]] = {}
        for ref in stations.named:
            by_switch.setdefault(ref.switch, []).append(ref)
        return next((str(r) for s, f in reached for r in by_switch.get(s, ()) if self._overhears(r, f[0])), "")

    def _overhears(self, ref: PortRef, domain: int) -> bool:
        """Tells whether a hostile station on a port hears a domain: it may make the port a trunk."""
        port = self.campus.switches[ref.switch].ports.get(ref.port)
        if port is None or not port.enabled:
            return False
        kind, kinds = port.switching, self.ports.kinds(ref)
        if isinstance(kind, Negotiated) and port.stance is not Stance.SILENT:
            kinds = self.ports.kinds_of(ref, [kind.access, kind.trunk])
        if self.campus.switches[ref.switch].registration is not False:
            kinds = [*kinds, self.ports.registered(ref)]
        return bool(self.ports.leaves(ref, (domain, ()), kinds))

    def _routed(self, facing: str, a: str, b: str, ears: str, closed: Places) -> str:
        sources = self._addresses(a) if facing == "honest" else ANYWHERE
        targets = self._addresses(b) if ears == "honest" else ANYWHERE
        switches = self.campus.switches.values()
        entries = [e for s in switches for f in s.filters.values() for e in f.entries]
        leads = [a.network for s in switches for g in s.gateways for a in g.addresses]
        leads += [ip_network(ip) for s in switches for g in s.gateways for ip in g.answers]  # kept by the device itself
        leads += [r.prefix for s in switches for r in s.routes] + [e.target for e in entries if e.target]
        tos = examples(targets, leads)
        for source in examples(sources, [e.origin for e in entries if e.origin]):
            for target in tos:
                if source.version != target.version:
                    continue
                for at in self.gateways.outs(closed, (source, target), self.claim["through"], self._reach):
                    if where := self._heard(b, self._reach(at), ears):
                        return f"a packet of {a} from {source} to {target} goes out by {at[0]} {at[1].shown} and is heard by {b} at {where}"
        return ""

    def _reach(self, at: At) -> Places:
        return self.places(set_name(*at), partial(self.gateways.sets_out, at))

    @remembered
    def _addresses(self, name: str) -> tuple[Any, ...]:
        return self._addresses_of(self.stations[name])

    def _addresses_of(self, stations: Stations) -> tuple[Any, ...]:
        vlans = {d for _, (d, _) in stations.starts} | {d for _, d in stations.hearers}
        found = dict.fromkeys(stations.segment.subnets)
        if not found:
            by_vlan = served(self.gateways)
            own = [x.network for v in vlans for g in by_vlan.get(v, ()) for x in g.addresses]
            found = dict.fromkeys(n for n in own if n.num_addresses > 1)
            known = {n.version for n in found}  # a subnet of a single address holds no station: theirs are not known
            found |= dict.fromkeys(ANYWHERE[n.version == 6] for n in own if n.version not in known)
        for host in stations.hosts:
            if host.address:
                found[ip_network(host.address.ip)] = None
        return tuple(found) or ANYWHERE


def _silent_on_gateways(campus: Campus) -> list[str]:
    """Returns the switches that may be the gateway of any VLAN."""
    return [s.name for s in campus.switches.values() if not s.gateways_stated and s.routing is not False]
