"""Follows a frame from one end to another; says where it stops, why, and what else stops there.

What is not stated is read as platforms usually are; where another reading decides otherwise, the facts are named.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from inkov.forwarding.cabling import Link
from inkov.forwarding.gateways import Interface
from inkov.forwarding.graph import Reach, State
from inkov.forwarding.ladder import Lost, Rung, vlan_source
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Blocking
from inkov.kinds.relay import Domain, Mask, Tags, View
from inkov.kinds.table import mode_setting, passes_vlans, private_host_of, setting_words, untagged_vlan
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Kind, VlanType
from inkov.model.vlanset import NONE, VlanSet, bits
from inkov.proof.ends import End
from inkov.proof.outcome import Passage, Turn
from inkov.proof.together import cabled_way
from inkov.proof.unknowns import MORE_TAGS, all_open, at_ends, unknowns
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
    """The way in one direction.

    Attributes:
        start: where the frame starts.
        end: where it is to be heard.
        way: the switches it passes.
        halt: where it stops; None when it arrives.
        missing: facts that nothing states and that decide whether it really is so; none when it surely is.
    """

    start: PortRef
    end: PortRef
    way: tuple[Passage | Turn, ...]
    halt: Halt | None = None
    missing: tuple[str, ...] = ()


def vlan_of(network: Network, ref: PortRef) -> Domain | None:
    """Returns the VLAN of untagged frames at a port, as set."""
    return untagged_vlan(network.settled(ref).switching)


def _enters(network: Network, end: End, view: View) -> list[tuple[Domain, Tags]]:
    """Returns the states on its switch in which the frames of an end start."""
    if end.own is None:
        return list(network.relay(end.ref, view).accept(end.tags))
    if end.own.port is not None:
        return []
    return [(end.domain, ())] if end.domain and network.active(end.ref.switch) >> end.domain & 1 else []


def _starts(network: Network, end: End, view: View = View.USUAL) -> list[tuple[str, Domain, Tags]]:
    """Returns the states in which the frames of an end start; those of a routed port behind the far end of its cable."""
    if end.own is None or end.own.port is None:
        return [(end.ref.switch, d, inner) for d, inner in _enters(network, end, view)]
    sets = network.gateways.starts(end.own, view)
    places = [(s, d, ()) for s, mask in sets.masks.items() for d in bits(mask)]
    return [*places, *sets.tagged]


def spread_of(network: Network, end: End) -> Mapping[str, Mask]:
    """Returns everywhere that the frames of an end surely get to."""
    masks: dict[str, Mask] = {}
    for switch, domain, inner in _starts(network, end):
        if not inner:
            masks[switch] = masks.get(switch, 0) | 1 << domain
    return network.graph(View.MUST).spread(masks)


def _hears(network: Network, end: End, state: State, view: View) -> bool:
    if end.own is not None:
        heard = network.gateways.hears_in(end.own, view)
        return not state.inner and bool(heard.get(state.switch, 0) >> state.domain & 1)
    sent = network.relay(end.ref, view).send(state.domain, state.inner) if state.switch == end.ref.switch else ()
    return end.tags in sent if end.tags else bool(sent)


def leg(network: Network, start: End, end: End) -> Leg:
    """Follows a frame one way, within a VLAN."""
    found = _usual(network, start, end)
    if found.missing:
        return found
    if found.halt is None and _search(network, start, end, View.MUST, Blocking.SURE)[1] is not None:
        return found
    doubtful = (View.USUAL, Blocking.SURE) if found.halt is None else (View.MAY, Blocking.KNOWN)
    reach, state = _search(network, start, end, *doubtful)
    if state is None:
        return replace(found, missing=(MORE_TAGS,)) if reach.cut else found
    way = _passages(network, start, end, reach, state)
    missing = dict.fromkeys((*at_ends(network, way), *unknowns(network, reach, state)))
    return replace(found, missing=tuple(missing) or all_open(network, way))


def _search(network: Network, start: End, end: End, view: View, tree: Blocking) -> tuple[Reach, State | None]:
    """Returns a search in a view and where in it the far end hears the frame; None where it does not."""
    reach = network.graph(view, tree).reach(_starts(network, start, view) if start.ref != end.ref else [])
    return reach, next((state for state in reach.states if _hears(network, end, state, view)), None)


def _passages(network: Network, start: End, end: End, reach: Reach, state: State) -> tuple[Passage, ...]:
    first = reach.path(state)[0][0].switch
    sockets = _socket(network, start, first), _socket(network, end, state.switch)
    way = list(passages(network, reach, state, *sockets))
    if start.own is not None and way[0].by is not None:
        way[0] = replace(way[0], arrived=start.own.tags)
    if end.own is not None and way[-1].out is not None:
        way[-1] = replace(way[-1], leaves=end.own.tags)
    return tuple(way)


def _socket(network: Network, end: End, switch: str) -> PortRef | None:
    """Returns the port of a switch that an end is at; None for an address of the switch itself."""
    if end.own is None:
        return end.ref
    return next((far for far in network.gateways.far_ends(end.own, View.MAY) if far.switch == switch), None)


def _usual(network: Network, start: End, end: End) -> Leg:
    """Follows a frame as platforms usually are."""
    starts = _starts(network, start)
    if not starts:
        return Leg(start.ref, end.ref, (), _cannot_send(network, start))
    for tree in Blocking.SURE, Blocking.KNOWN:
        reach, state = _search(network, start, end, View.USUAL, tree)
        if state is not None:
            way = _passages(network, start, end, reach, state)
            halt = _doubtful(network, way) if tree is Blocking.KNOWN else None
            return Leg(start.ref, end.ref, way, halt, (halt.why,) if halt else ())
    return _stopped(network, start, end, *starts[0][1:])


def _doubtful(network: Network, way: tuple[Passage, ...]) -> Halt:
    """Says where it is not known whether the tree lets a frame through."""
    ports = [ref for p in way for ref in (p.by, p.out) if ref]
    at = next(ref for ref in ports if network.trees.doubt(ref))
    return Halt(at, f"whether the tree blocks {at} is not known: {network.trees.doubt(at)}", ())


def _cannot_send(network: Network, end: End) -> Halt:
    start = end.ref
    if halt := _deaf(network, end.own):
        return halt
    if not network.has(start):
        own = end.domain or 0
        state = "suspended" if network.defined(start.switch) >> own & 1 else "not defined"
        return Halt(start, f"VLAN {own} is {state} on {start.switch}", (vlan_source(network, start.switch, own),))
    port = network.port(start)
    if end.tags:
        why = f"{start} takes no frame with tag {end.domain} ({setting_words(port)})"
        return Halt(start, why, (port.origin.of(mode_setting(port)),))
    if not port.enabled:
        return Halt(start, f"{start} is disabled", (port.origin.of(Setting.ENABLED),))
    vid = vlan_of(network, start)
    if vid is None:
        return Halt(
            start, f"{start} takes no untagged frame ({setting_words(port)})", (port.origin.of(mode_setting(port)),)
        )
    state = "suspended" if network.defined(start.switch) >> vid & 1 else "not defined"
    sources = (port.origin.of(mode_setting(port)), vlan_source(network, start.switch, vid))
    return Halt(start, f"VLAN {vid} of {start} is {state} on {start.switch}", sources)


def _stopped(network: Network, first: End, last: End, domain: Domain, inner: Tags) -> Leg:
    """Walks the shortest cabled way as far as the frame gets; it stops somewhere, or the search had found it."""
    start, end, set_out = first.ref, last.ref, domain
    way: list[Passage] = []
    by: PortRef | None = start if first.own is None else None
    arrived: Tags | None = first.tags if first.own is None else None
    links = cabled_way(network, start.switch, end.switch, domain)
    if not links and start.switch != end.switch:
        return Leg(start, end, (), Halt(start, f"no cable leads from {start.switch} to {end.switch}"))
    if links and (design := _by_design(network, start, end)) is not None:
        return Leg(start, end, (), design)
    if odd := _elsewhere(network, first, last, domain):
        return Leg(start, end, (), odd)
    switch = start.switch
    changed: Halt | None = None
    left: tuple[PortRef, Domain] | None = None  # where it last left a device that looks at VLANs, and in which
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
        left = (near, domain) if domain else left
        if left is not None and crossing.domain not in {0, left[1]} and not crossing.wire:
            changed = _changed(network, link, (left[0], far), (left[1], crossing.domain))
        switch, domain, inner, arrived, by = far.switch, crossing.domain, crossing.inner, crossing.wire, far
        if changed is not None:
            break
    out = end if last.own is None else None
    way.append(Passage(switch, domain, by, arrived, out, None, allows(network, by, arrived, out, ())[:1]))
    return Leg(start, end, tuple(way), changed or _at_end(network, start, end, (set_out, domain)))


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


def _changed(network: Network, link: Link, ends: tuple[PortRef, PortRef], domains: tuple[Domain, Domain]) -> Halt:
    """Blames the ends between which a frame fell into another VLAN, whatever happened to it later; `link` is the last one there."""
    (near, far), (before, after) = ends, domains
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
        return _at_router(network, near, far, domain)
    if all(map(network.has, (near, far))) and not all(passes_vlans(network.port(e)) for e in (near, far)):
        leaves = network.relay(near).sends >> domain & 1
        own, what = (far, f"{far} takes no such frame") if leaves else (near, f"VLAN {domain} does not leave {near}")
        port = network.settled(own)
        return Halt(own, f"{what} ({setting_words(port)})", (port.origin.of(mode_setting(port)),))
    return Halt(near, f"VLAN {domain} is in neither list of {near} and {far}", sources)


def _at_router(network: Network, near: PortRef, far: PortRef, domain: Domain) -> Halt:
    """Says why a VLAN does not get into a router: its gateway there hears nothing, takes another tag, or there is none."""
    mine = [i for i in network.gateways.of(far.switch) if i.port == far]
    if halt := next((halt for i in mine if i.gateway.vid == domain and (halt := _deaf(network, i))), None):
        return halt
    entry = (network.switches[near.switch].vlans or {}).get(domain) if network.has(near) else None
    taken = {i.gateway.vid for i in mine}
    if entry is not None and entry.primary in taken and network.relay(near).sends_tagged >> domain & 1:
        why = f"{near} sends VLAN {domain} with a tag of its own, and {far} takes tag {entry.primary} of its primary"
        return Halt(near, why, (network.port(near).origin.of(mode_setting(network.settled(near))),))
    sources = (network.port(far).origin.of(Setting.ALLOWED),) if network.has(far) else ()
    return Halt(far, f"{far.switch} is a router: VLANs end there", sources)


def _deaf(network: Network, interface: Interface | None) -> Halt | None:
    """Says what in front of a gateway on a routed port keeps its VLAN from it; None where nothing does."""
    deaf = network.gateways.deaf(interface) if interface is not None else None
    return Halt(deaf.far, deaf.why, (network.port(deaf.far).origin.of(deaf.setting),)) if deaf else None


def _elsewhere(network: Network, start: End, gateway: End, domain: Domain) -> Halt | None:
    """Says that a host sends in another VLAN than the one its address is of; None where it does not."""
    own = gateway.own.gateway if gateway.own is not None else None
    if own is None or own.vid in {None, domain} or start.address is None or not network.has(start.ref):
        return None
    if not any(start.address in a.network for a in own.addresses):
        return None
    here, there = (f"{network.names[v]} ({v})" if v in network.names else f"VLAN {v}" for v in (domain, own.vid))
    why = f"{start.ref} is in {here}, {start.address} belongs to {there}"
    return Halt(start.ref, why, (network.port(start.ref).origin.of(mode_setting(network.port(start.ref))),))


def _by_design(network: Network, start: PortRef, end: PortRef) -> Halt | None:
    """Says that two private stations are meant to stay apart (RFC 5517); None when they are not."""
    if not (network.has(start) and network.has(end)):
        return None
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


def _at_end(network: Network, start: PortRef, end: PortRef, domains: tuple[Domain, Domain]) -> Halt:
    """Says why a frame that came to the right switch is not heard at the port; `domains` it set out in, and is in there."""
    first, domain = domains
    if not network.has(end):
        return Halt(end, f"the frame is in {domain} at {end.switch}, and nothing of it listens there")
    port = network.port(end)
    sources = [port.origin.of(mode_setting(port))]
    if not port.enabled:
        return Halt(end, f"{end} is disabled", (port.origin.of(Setting.ENABLED),))
    if (design := _by_design(network, start, end)) is not None:
        return design
    heard = vlan_of(network, end)
    if heard is not None and not network.active(end.switch) >> heard & 1:
        sources.append(vlan_source(network, end.switch, heard))
        return Halt(end, f"VLAN {heard} of {end} is not defined and active on {end.switch}", tuple(sources))
    changed = f", though it set out in {first}" if first not in {0, domain} else ""
    return Halt(end, f"the frame is in {domain} at {end.switch}{changed}, and {end} is in {heard}", tuple(sources))
