"""Segments as sets of stations: which (switch, domain) their frames start in and are heard in."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from ipaddress import ip_address
from typing import NamedTuple

from inkov.forwarding.gateways import Interface
from inkov.forwarding.network import Domains, Network
from inkov.kinds.accounts import is_stated
from inkov.kinds.relay import Domain, Mask, Tags, View, tag_of
from inkov.kinds.table import carries_tags, is_up, joins_vlans, memberships, setting_words, station_vlans, untagged_vlan
from inkov.model.campus import Host, Segment
from inkov.model.errors import nearest
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.vlanset import ALL, FULL_MASK, VID_MAX, VlanSet, bits


class UnknownSegment(LookupError):
    """A claim names something that is neither a segment, nor a VLAN number, nor a VLAN name."""


Place = tuple[str, Domain]
"""A (switch, domain)."""

_Ports = dict[Place, list[PortRef]]


class Dead(NamedTuple):
    """Ports of a segment on one switch that pass nothing, and why."""

    ports: tuple[PortRef, ...]
    why: str


class Stations:
    """The stations of one segment, in one view.

    A station is taken to send only what its port is a member of, tagged or untagged: stations are honest.

    Attributes:
        name: the segment's.
        segment: the segment.
        vlans: its VLANs; where its ports alone say what belongs to it, those they are in.
        senders: for each place where frames of the segment start, the ports they come from, in natural order.
        hearers: for each place whose frames are heard in the segment, the ports that hear them. The same as
            `senders`, but for private VLANs, whose stations send in one domain and hear others.
            A switch that is managed in one of its VLANs is a station, too: `crane:VLAN 305`.
        masks: the domains of `senders` on each switch, as one mask.
        mute: ports of which a station hears the segment, and whose frames its port does not take in.
        sent: the domains of `senders` on any switch.
        heard: the domains of `hearers` on any switch.
        tagged: what stations on tunnel ports may send besides: (switch, domain, tags inside), for every VLAN in use.
    """

    def __init__(self, network: Network, segment: Segment, view: View = View.USUAL, *, whole: bool = False) -> None:
        """Takes a segment; `whole` takes the one untagged station of a port into all VLANs that it sends in or hears."""
        self.name = segment.name
        self.segment = segment
        self.view = view
        self.vlans = segment.vlans
        senders: dict[Place, list[PortRef]] = defaultdict(list)
        hearers: dict[Place, list[PortRef]] = defaultdict(list)
        self.mute: list[PortRef] = []
        self._network = network
        self._whole = whole
        if segment.ports is None:
            self._in_vlans(network, senders, hearers)
        else:
            perhaps = network.doubtfully_cabled if view is View.MAY else []
            live = (r for r in self.named if r in network.station_ports.get(r.switch, ()) or r in perhaps)
            ports = sorted(live, key=lambda r: r.order)
            self._on_ports(self._narrowed(network.honest_domains(ports, view)), senders, hearers)
            self.vlans &= VlanSet(v for _, v in (*senders, *hearers) if v)
        for interface in self.managed.values():
            if network.gateways.up(interface, view):
                place = interface.device, interface.gateway.vid or 0
                senders.setdefault(place, []).append(interface.ref)
                hearers.setdefault(place, []).append(interface.ref)
        self.senders: Mapping[Place, list[PortRef]] = _ordered(senders)
        self.hearers: Mapping[Place, list[PortRef]] = _ordered(hearers)
        self.masks = _masks(self.senders)
        self.tagged = self._through_tunnels(network)
        alike = self.senders.keys() == self.hearers.keys()
        self._heard = self.masks if alike else _masks(self.hearers)
        self.sent = _union(self.masks)
        self.heard = self.sent if alike else _union(self._heard)

    def _in_vlans(self, network: Network, senders: _Ports, hearers: _Ports) -> None:
        wide = network.uncommon
        for vid in bits(self.vlans.mask & network.inhabited):
            for switch, refs in network.plain_members.get(vid, {}).items():
                narrow = [ref for ref in refs if ref not in wide] if wide else refs
                if narrow and network.active(switch, self.view) >> vid & 1:
                    senders[switch, vid] = list(narrow)
                    hearers[switch, vid] = list(narrow)
        self._on_ports(network.uncommon_domains(self.view), senders, hearers)
        if self.view is View.MAY and network.doubtfully_cabled:
            known = {ref for refs in senders.values() for ref in refs}
            others = [ref for ref in network.doubtfully_cabled if ref not in known]
            self._on_ports(network.honest_domains(others, self.view), senders, hearers)

    def _on_ports(self, ports: Iterable[Domains], senders: _Ports, hearers: _Ports) -> None:
        mask = self.vlans.mask
        for refs, sent, heard, sent_by_one, heard_by_one, unanswered in ports:
            if mask & (heard & ~(sent | heard_by_one) | unanswered | (0 if sent_by_one else heard_by_one)):
                self.mute += refs
            if (sent | heard) & mask:
                is_in = self._whole and (sent_by_one | heard_by_one) & mask
                for domain in bits(sent & mask | (sent_by_one if is_in else 0)):
                    senders[refs[0].switch, domain] += refs
                for domain in bits(heard & mask | (heard_by_one if is_in else 0)):
                    hearers[refs[0].switch, domain] += refs

    @cached_property
    def _by_host(self) -> dict[PortRef, Mask]:
        """The ports that are its own for some hosts alone, with the domains that these may be in."""
        found: dict[PortRef, Mask] = {}
        hosts = self._network.campus.hosts
        for host in (hosts[name] for name in self.segment.hosts):
            for ref in self._network.seen_at(host.port):
                found[ref] = found.get(ref, 0) | host_domains(self._network, host)
        return found

    def _narrowed(self, ports: Iterable[Domains]) -> Iterator[Domains]:
        for some_alike in ports:
            masks = {ref: self._by_host.get(ref, -1) for ref in some_alike.refs}
            for mask in dict.fromkeys(masks.values()):
                refs = [ref for ref in some_alike.refs if masks[ref] == mask]
                yield Domains(refs, *(domains & mask for domains in some_alike[1:]))

    @cached_property
    def hosts(self) -> list[Host]:
        """The hosts of the campus that may be among its stations, in the order of the campus."""
        alone, mask = self._by_host, self.vlans.mask | 1
        return [
            h
            for h in self._network.hosts_on(self.ports)
            if host_domains(self._network, h) & mask
            and (h.name in self.segment.hosts or not alone.keys() >= self._network.seen_at(h.port))
        ]

    @cached_property
    def managed(self) -> dict[PortRef, Interface]:
        """The switches that are managed in one of its VLANs: each by its address there, up or not."""
        if self.segment.ports is not None:
            return {}
        managing = self._network.gateways.managing
        return {i.ref: i for v in managing if v in self.segment.vlans for i in managing[v]}

    @cached_property
    def named(self) -> frozenset[PortRef]:
        """The ports it names, or that are set to be in its VLANs, dead ones too."""
        members, segment = self._network.plain_members, self.segment
        if segment.ports is not None:
            return frozenset(r for ref in segment.ports for r in self._network.seen_at(ref))
        own = self.managed
        homes = (members.get(v, {}) for v in bits(segment.vlans.mask & self._network.inhabited))
        return frozenset([*own, *(r for by_switch in homes for refs in by_switch.values() for r in refs)])

    def of_any_kind(self, ref: PortRef) -> bool:
        """Tells whether a port may have sets of its own, as nothing states its mode: it may hear and not send."""
        port = self._network.port(ref) if self._network.has(ref) else None
        return port is not None and joins_vlans(port) and not is_stated(port.switching)

    @cached_property
    def dead(self) -> tuple[Dead, ...]:
        """Ports of it that pass nothing in this view."""
        gone = self._network.failed
        found: dict[tuple[str, str], list[PortRef]] = defaultdict(list)
        for ref in sorted({r for r in self.named - self.ports if r.switch not in gone}, key=lambda r: r.order):
            if ref in self.managed:
                why = f"its address {self.managed[ref].gateway.shown} is down: {self._network.gateways.state(self.managed[ref]).why}"
            else:
                why = _why_dead(self._network, self.segment, ref)
            if why:
                found[ref.switch, why].append(ref)
        return tuple(Dead(tuple(ports), why) for (_, why), ports in found.items())

    @property
    def starts(self) -> list[tuple[str, Domain, Tags]]:
        """The states their frames start in."""
        return [(switch, domain, ()) for switch, domain in self.senders] + self.tagged

    @cached_property
    def ports(self) -> frozenset[PortRef]:
        """The ports of the segment that pass something."""
        return frozenset(ref for places in (self.senders, self.hearers) for refs in places.values() for ref in refs)

    @property
    def empty(self) -> bool:
        """It is known that nobody is in it: all that is named is dead."""
        dead = (ref for some_dead in self.dead for ref in some_dead.ports)
        return not self and any(self._sends_in(ref) for ref in dead)

    def _sends_in(self, ref: PortRef) -> bool:
        """Tells whether a port is set to send in the segment; a private host hears its primary VLAN, and sends in another."""
        if self.segment.ports is not None or ref in self.managed or not self._network.has(ref):
            return True
        kind = self._network.settled(ref).switching
        return bool((memberships(kind) | 1 << (untagged_vlan(kind) or 0)) & self.vlans.mask)

    def _through_tunnels(self, network: Network) -> list[tuple[str, Domain, Tags]]:
        if not network.tunnels:
            return []
        places = [place for place, refs in self.senders.items() if not network.tunnels.isdisjoint(refs)]
        mask = network.used
        for segment in network.campus.segments.values():
            mask |= segment.vlans.mask if segment.ports is None else 0
        return [(*place, (v,)) for place in places for v in bits(mask)]

    def __bool__(self) -> bool:
        return bool(self.senders or self.hearers)

    def heard_in(self, reached: Mapping[str, Mask]) -> bool:
        """Tells whether any station is where frames got to."""
        return any(reached.get(switch, 0) & mask for switch, mask in self._heard.items())


def dead_words(stations: Stations) -> str:
    """Says which ports of a segment are dead, and why: `2 of its 3 ports are dead: b does not define 20`."""
    count = sum(len(d.ports) for d in stations.dead)
    every = count + len(stations.ports)
    reasons = "; ".join(dict.fromkeys(d.why for d in stations.dead))
    if every == 1:
        return f"its one port is dead: {reasons}"
    return f"{'all' if count == every else count} of its {every} ports {'is' if count == 1 else 'are'} dead: {reasons}"


def _why_dead(network: Network, segment: Segment, ref: PortRef) -> str:
    """Says why a port passes nothing for a segment; empty when that is not known."""
    if not network.has(ref):
        return f"{ref.switch} has no such port"
    port = network.port(ref)
    if not port.enabled:
        return f"{ref} is disabled"
    if not is_up(port, network.switches[ref.switch]):
        return f"no member of {ref} is enabled"
    kind = network.settled(ref).switching
    own = memberships(kind) & segment.vlans.mask or VlanSet(station_vlans(kind)).mask & segment.vlans.mask
    if not own:
        return ""
    if own & network.active(ref.switch):
        passes = network.honest(ref, View.MAY).sends | network.own_domains(ref, View.MAY)
        return (
            "" if passes & segment.vlans.mask else f"{ref} passes no frame of it ({setting_words(network.port(ref))})"
        )
    vid = next(bits(own))
    state = "has suspended" if network.defined(ref.switch) >> vid & 1 else "does not define"
    return f"{ref.switch} {state} {vid}"


def _ordered(found: Mapping[Place, list[PortRef]]) -> Mapping[Place, list[PortRef]]:
    """Sorts ports, and places by their first port; those of one VLAN are sorted as they come from the network."""
    if len({domain for _, domain in found}) < 2:
        return found
    ports = {place: sorted(refs, key=lambda r: r.order) for place, refs in found.items()}
    return dict(sorted(ports.items(), key=lambda item: (item[1][0].order, item[0][1])))


def _masks(places: Iterable[Place]) -> dict[str, Mask]:
    masks: dict[str, Mask] = defaultdict(int)
    for switch, domain in places:
        masks[switch] |= 1 << domain
    return masks


def _union(masks: Mapping[str, Mask]) -> Mask:
    made = 0
    for mask in masks.values():
        made |= mask
    return made


def host_domains(network: Network, host: Host) -> Mask:
    """Returns the domains that a host may be in: of untagged frames at its port, or of those with its tag.

    It may be in any where its port carries tags, or is not stated, and nothing tells whether it tags.
    """
    found = 0
    for ref in network.seen_at(host.port):
        if not network.has(ref):
            continue
        relay = network.honest(ref, View.MAY)
        if host.tag is not None:
            wires = [(tag_of(host.tag, number),) for number in relay.formats]
            found |= sum({1 << d for wire in wires for d, _ in relay.accept(wire)})
            found |= sum(1 << d for d in bits(relay.sends) if not set(wires).isdisjoint(relay.send(d)))
        elif carries_tags(network.settled(ref)) or not is_stated(network.port(ref).switching):
            return FULL_MASK | 1
        else:
            found |= relay.in_untagged | relay.out_untagged
    return found


def host_segment(network: Network, host: Host) -> Segment:
    """Returns one host as a segment."""
    own = VlanSet.from_mask(host_domains(network, host) & FULL_MASK)
    return Segment(host.name, own, host.source, frozenset({host.port}), hosts=frozenset({host.name}))


def _is_address(name: str) -> bool:
    try:
        return bool(ip_address(name))
    except ValueError:
        return False


def segment_named(network: Network, name: str) -> Segment:
    """Returns a segment of the campus; as one, a host by name or address, a port, or a VLAN by number or name.

    Raises:
        UnknownSegment: there is none; the message holds a hint.
    """
    segments = network.campus.segments
    if name in segments:
        return segments[name]
    if name in network.campus.hosts:
        return host_segment(network, network.campus.hosts[name])
    hosts = network.campus.hosts.values() if _is_address(name) else ()
    host = next((h for h in hosts if h.address and str(h.address.ip) == name), None)
    if host is not None:
        return host_segment(network, host)
    if (ref := PortRef.parse(name)) is not None and network.has(ref):
        return Segment(name, ALL, network.port(ref).origin.here, frozenset({ref}))
    if name.isascii() and name.isdecimal() and len(name) < 5 and 0 < int(name) <= VID_MAX:
        return Segment(name, VlanSet([int(name)]), Source(""))
    named = network.vlans_named
    if name in named:
        return Segment(name, VlanSet(named[name]), Source(""))
    known = set(segments) or set(named)
    raise UnknownSegment(f"there is no segment {name!r}{nearest(name, known)}")
