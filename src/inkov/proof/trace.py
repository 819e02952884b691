"""Follows a frame from one port to another and the answer back; says where it stops, why, and what else stops there."""

from __future__ import annotations

from dataclasses import dataclass

from inkov.forwarding.cabling import Link
from inkov.forwarding.gateways import Interface
from inkov.forwarding.ladder import Lost, Rung, vlan_source
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Blocking
from inkov.kinds.relay import Domain, Tags, View
from inkov.kinds.table import mode_setting, private_host_of, setting_words, untagged_vlan
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Kind, VlanType
from inkov.model.vlanset import NONE, VlanSet
from inkov.proof.outcome import Passage
from inkov.proof.together import cabled_way
from inkov.proof.way import allows, passages


@dataclass(frozen=True, slots=True)
class Halt:
    """Where a frame stops.

    Attributes:
        at: the port that does not let it pass; the sender's own where it never sets out.
        why: one sentence without a full stop.
        sources: the settings to blame.
        meant: it is by design: private stations that are to stay apart.
        also: other VLANs that stop there for the same reason.
        also_ports: how many member ports those have.
    """

    at: PortRef
    why: str
    sources: tuple[Source, ...] = ()
    meant: bool = False
    also: VlanSet = NONE
    also_ports: int = 0


@dataclass(frozen=True, slots=True)
class Leg:
    """The way in one direction; `halt` is None when the frame arrives."""

    start: PortRef
    end: PortRef
    way: tuple[Passage, ...]
    halt: Halt | None = None


@dataclass(frozen=True, slots=True)
class Trace:
    """A frame and its answer.

    Attributes:
        vlans: the VLANs the two stations send in; None where a port has none.
        gateways: (VLAN, gateway) of the two VLANs when they differ.
        beside: a port next to one end that is in the other end's VLAN; the range may be off by one.
        there: from the first port to the second.
        back: the answer.
    """

    vlans: tuple[Domain | None, Domain | None]
    gateways: tuple[tuple[Domain, Interface], ...]
    there: Leg
    back: Leg
    beside: PortRef | None = None


def trace(network: Network, a: PortRef, b: PortRef) -> Trace:
    """Follows an untagged frame from `a` to `b` and back, through what surely passes."""
    vlans = _vlan(network, a), _vlan(network, b)
    gateways: tuple[tuple[Domain, Interface], ...] = ()
    beside = None
    if vlans[0] != vlans[1]:
        served = network.gateways.by_vlan
        gateways = tuple((v, i) for v in vlans if v is not None for i in served.get(v, ()))
        beside = _beside(network, a, vlans[1]) or _beside(network, b, vlans[0])
    return Trace(vlans, gateways, _leg(network, a, b), _leg(network, b, a), beside)


def _beside(network: Network, ref: PortRef, vid: Domain | None) -> PortRef | None:
    """Returns the port right before or after another that is in a VLAN."""
    names = list(network.switches[ref.switch].ports)
    at = names.index(ref.port)
    near = [PortRef(ref.switch, n) for n in names[max(0, at - 1) : at] + names[at + 1 : at + 2]]
    return next((r for r in near if vid is not None and _vlan(network, r) == vid), None)


def _vlan(network: Network, ref: PortRef) -> Domain | None:
    return untagged_vlan(network.settled(ref).switching)


def _leg(network: Network, start: PortRef, end: PortRef) -> Leg:
    entered = network.relay(start).accept(())
    if not entered:
        return Leg(start, end, (), _cannot_send(network, start))
    hears = network.relay(end)
    for tree in (Blocking.SURE, Blocking.KNOWN) if start != end else ():
        reach = network.graph(View.USUAL, tree).reach([(start.switch, d, inner) for d, inner in entered])
        for state in reach.states:
            if state.switch == end.switch and hears.send(state.domain, state.inner):
                way = passages(network, reach, state, start, end)
                return Leg(start, end, way, _doubtful(network, way) if tree is Blocking.KNOWN else None)
    return _stopped(network, start, end, *entered[0])


def _doubtful(network: Network, way: tuple[Passage, ...]) -> Halt:
    """Says where it is not known whether the tree lets a frame through."""
    ports = [ref for p in way for ref in (p.by, p.out) if ref]
    at = next(ref for ref in ports if network.trees.doubt(ref))
    return Halt(at, f"whether the tree blocks {at} is not known: {network.trees.doubt(at)}", ())


def _cannot_send(network: Network, start: PortRef) -> Halt:
    port = network.port(start)
    if not port.enabled:
        return Halt(start, f"{start} is disabled", (port.origin.of(Setting.ENABLED),))
    vid = _vlan(network, start)
    if vid is None:
        return Halt(
            start, f"{start} takes no untagged frame ({setting_words(port)})", (port.origin.of(mode_setting(port)),)
        )
    state = "suspended" if network.defined(start.switch) >> vid & 1 else "not defined"
    sources = (port.origin.of(mode_setting(port)), vlan_source(network, start.switch, vid))
    return Halt(start, f"VLAN {vid} of {start} is {state} on {start.switch}", sources)


def _stopped(network: Network, start: PortRef, end: PortRef, domain: Domain, inner: Tags) -> Leg:
    """Walks the shortest cabled way as far as the frame gets; it stops somewhere, or the search had found it."""
    way: list[Passage] = []
    by: PortRef = start
    arrived: Tags | None = ()
    links = cabled_way(network, start.switch, end.switch, domain)
    if not links and start.switch != end.switch:
        return Leg(start, end, (), Halt(start, f"no cable leads from {start.switch} to {end.switch}"))
    if links and (design := _by_design(network, start, end)) is not None:
        return Leg(start, end, (), design)
    switch = start.switch
    changed: Halt | None = None
    for link in links:
        near, far = link.end_at(switch), link.end_at(link.far_switch(switch))
        halt = _at_link(network, link, near, domain)
        crossing = None
        if halt is None:
            crossing = next(iter(network.hop(near, far, View.USUAL).cross(domain, inner)), None)
        if crossing is None:
            blame = halt or _untold(network, near, far, domain)
            way.append(Passage(switch, domain, by, arrived, near, None, allows(network, by, arrived, near, ())[:1]))
            return Leg(start, end, tuple(way), blame)
        way.append(
            Passage(switch, domain, by, arrived, near, crossing.wire, allows(network, by, arrived, near, crossing.wire))
        )
        if crossing.domain != domain and not crossing.wire:
            changed = _changed(network, link, near, domain, crossing.domain)
        switch, domain, inner, arrived, by = far.switch, crossing.domain, crossing.inner, crossing.wire, far
        if changed is not None:
            break
    way.append(Passage(switch, domain, by, arrived, end, None, allows(network, by, arrived, end, ())[:1]))
    return Leg(start, end, tuple(way), changed or _at_end(network, start, end, domain))


_OF_THE_VLAN = {Rung.LISTED, Rung.DEFINED, Rung.ACTIVE, Rung.NATIVE, Rung.BLOCKED, Rung.PRUNED}


def _at_link(network: Network, link: Link, near: PortRef, domain: Domain) -> Halt | None:
    """Says why a link does not take a VLAN; None when it takes it, in this direction at least."""
    climbed = network.ladder(link)
    hop = network.hop_today(near, link.b if near == link.a else link.a, View.USUAL, Blocking.KNOWN)
    passes = hop.carry(1 << domain) and link.up and not network.lag_failure(link) and not link.doubt
    if passes:
        return None
    if link.doubt:
        return Halt(near, link.doubt, tuple(w.source for w in link.wires))
    lost: Lost | None = next((loss for loss in climbed.lost if domain in loss.vlans), None)
    if lost is None:
        return None
    why = f"VLAN {domain} is {lost}" if lost.rung in _OF_THE_VLAN else str(lost)
    if reason := network.lag_failure(link):
        why = f"the LAG between {link.a} and {link.b} does not form: {reason}"
    elif lost.rung is Rung.TRUNK and (how := network.formed(lost.end).how):
        why += f" ({how})"
    also = (lost.vlans - VlanSet([domain])) & VlanSet(network.members)
    ports = sum(len(refs) for v in also for refs in network.live_members(v).values())
    return Halt(lost.end, why, (lost.source,), also=also, also_ports=ports)


def _changed(network: Network, link: Link, near: PortRef, before: Domain, after: Domain) -> Halt:
    """Blames the link where a frame fell into another VLAN, whatever happened to it later."""
    far = link.b if near == link.a else link.a
    lost = next((loss for loss in network.ladder(link).lost if before in loss.vlans), None)
    reason = f": {lost}" if lost is not None and lost.rung is Rung.TRUNK else ", which has another untagged VLAN"
    also = (lost.vlans if lost else NONE) & VlanSet(network.members) - VlanSet([before])
    ports = sum(len(refs) for v in also for refs in network.live_members(v).values())
    sources = tuple(network.port(e).origin.of(_untagged_key(network, e)) for e in (near, far))
    return Halt(
        far, f"VLAN {before} becomes {after} between {near} and {far}{reason}", sources, also=also, also_ports=ports
    )


def _untagged_key(network: Network, ref: PortRef) -> Setting:
    key = mode_setting(network.settled(ref))
    return Setting.NATIVE if key is Setting.ALLOWED else key


def _untold(network: Network, near: PortRef, far: PortRef, domain: Domain) -> Halt:
    sources = tuple(network.port(e).origin.of(Setting.ALLOWED) for e in (near, far) if network.has(e))
    if network.switches[far.switch].kind is Kind.ROUTER:
        return Halt(far, f"{far.switch} is a router: VLANs end there", sources[1:])
    return Halt(near, f"VLAN {domain} is in neither list of {near} and {far}", sources)


def _by_design(network: Network, start: PortRef, end: PortRef) -> Halt | None:
    """Says that two private stations are meant to stay apart (RFC 5517); None when they are not."""
    mine, theirs = (private_host_of(network.port(e).switching) for e in (start, end))
    if mine is None or theirs is None or mine.primary != theirs.primary:
        return None
    entry = (network.switches[start.switch].vlans or {}).get(mine.secondary)
    if entry is not None and entry.type is VlanType.ISOLATED:
        why = f"isolated stations of {mine.primary} may not talk to each other: {start} is in {mine.secondary}"
    elif mine.secondary != theirs.secondary:
        why = f"{start} is in {mine.secondary} and {end} in {theirs.secondary}: two groups of {mine.primary} that stay apart"
    else:
        return None
    sources = (network.port(start).origin.of(Setting.PRIVATE), network.port(end).origin.of(Setting.PRIVATE))
    return Halt(end, why, sources, meant=True)


def _at_end(network: Network, start: PortRef, end: PortRef, domain: Domain) -> Halt:
    """Says why a frame that came to the right switch is not heard at the port."""
    port = network.port(end)
    sources = [port.origin.of(mode_setting(port))]
    if not port.enabled:
        return Halt(end, f"{end} is disabled", (port.origin.of(Setting.ENABLED),))
    if (design := _by_design(network, start, end)) is not None:
        return design
    heard = _vlan(network, end)
    if heard is not None and not network.active(end.switch) >> heard & 1:
        sources.append(vlan_source(network, end.switch, heard))
        return Halt(end, f"VLAN {heard} of {end} is not defined and active on {end.switch}", tuple(sources))
    changed = "" if domain == _vlan(network, start) else f", though it set out in {_vlan(network, start)}"
    return Halt(end, f"the frame is in {domain} at {end.switch}{changed}, and {end} is in {heard}", tuple(sources))
