"""Follows a frame or a packet from one end to another and the answer back."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, replace
from itertools import pairwise

from inkov.forwarding.gateways import Interface, Sets
from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Mask, Tags, View
from inkov.model.names import PortRef
from inkov.model.touching import said, touching
from inkov.proof.away import inward_leg, outward_leg
from inkov.proof.between import no_neighbours
from inkov.proof.ends import End, UnknownEnd
from inkov.proof.layer3 import Layer3
from inkov.proof.leg import Leg, leg, vlan_of
from inkov.proof.outcome import Broken, CannotTell, Passage
from inkov.proof.routed import routed_leg
from inkov.proof.together import Rings
from inkov.proof.unknowns import by_label


@dataclass(frozen=True, slots=True)
class Trace:
    """A frame and its answer.

    Attributes:
        vlans: the VLANs the two stations send in; None where a port has none.
        gateways: (VLAN, gateway) of the two VLANs when they differ.
        routed: both have addresses, and packets were followed through gateways.
        outside: the name of the end that is outside of the campus; empty where both are in it.
        frames_alone: why packets do not pass between two hosts whose frames do; empty where they do.
        drowned: where frames of the way go round in a loop that no tree opens; empty where they do not.
        beside: a port next to one end that is in the other end's VLAN; the range may be off by one.
        there: from the first port to the second.
        back: the answer.
    """

    vlans: tuple[Domain | None, Domain | None]
    gateways: tuple[tuple[Domain, Interface], ...]
    there: Leg
    back: Leg
    beside: PortRef | None = None
    routed: bool = False
    frames_alone: str = ""
    outside: str = ""
    drowned: str = ""


def trace(network: Network, a: End, b: End) -> Trace:
    """Follows a frame from `a` to `b` and back; a packet, where they are of different VLANs.

    Cables that nothing but labels names are followed; whether they are there is then among what is missing.
    """
    network = network.followed
    return _among_rings(network, _out_and_back(network, a, b) if a.away or b.away else _inside(network, a, b))


def _among_rings(network: Network, found: Trace) -> Trace:
    """Adds where frames on an open way go round, and so drown those that arrive; or what is not known about that."""
    if found.there.halt or found.back.halt:
        return found
    masks: dict[str, Mask] = defaultdict(int)
    tagged: list[tuple[str, Domain, Tags]] = []
    for step in (*found.there.way, *found.back.way):
        if isinstance(step, Passage):
            masks[step.switch] |= 1 << step.domain
            continue
        for out in (i for i in network.gateways.of(step.device) if i.gateway is step.out):
            starts = network.gateways.starts(out, View.MUST)
            for switch, mask in starts.masks.items():
                masks[switch] |= mask
            tagged += starts.tagged
    drowned = Rings(network).drown((found.there.start, found.there.end), Sets(masks, tuple(tagged)))
    if isinstance(drowned, Broken) and drowned.stop:
        return replace(found, drowned=drowned.stop.why)
    if isinstance(drowned, CannotTell):
        return replace(found, there=replace(found.there, missing=(*found.there.missing, *drowned.missing)))
    return found


def _inside(network: Network, a: End, b: End) -> Trace:
    """Follows a frame or a packet between two ends of the campus."""
    vlans = a.domain, b.domain
    gateways: tuple[tuple[Domain, Interface], ...] = ()
    beside = None
    strange = no_neighbours(a.host, b.host) or no_neighbours(b.host, a.host) if a.host and b.host else ""
    routed = (vlans[0] != vlans[1] or strange) and None not in {a.address, b.address} and a.address != b.address
    if routed and (a.gateway or a.own) and (b.gateway or b.own):
        legs = _sure(network, routed_leg(network, a, b)), _sure(network, routed_leg(network, b, a))
        return Trace(vlans, (), *legs, routed=True)
    if vlans[0] != vlans[1]:
        served = network.gateways.by_vlan
        gateways = tuple((v, i) for v in vlans if v is not None for i in served.get(v, ()))
        beside = _beside(network, a.ref, vlans[1]) or _beside(network, b.ref, vlans[0])
    strange = strange if vlans[0] == vlans[1] else ""
    there, back = _sure(network, leg(network, a, b)), _sure(network, leg(network, b, a))
    return Trace(vlans, gateways, there, back, beside, frames_alone=strange)


def _out_and_back(network: Network, a: End, b: End) -> Trace:
    """Follows a packet out of the campus and its answer back in, or the other way round."""
    if a.away and b.away:
        raise UnknownEnd(f"no host and no gateway has the address {a.name} or {b.name}; one end must be in the campus")
    inner, outer = (b, a) if a.away else (a, b)
    outside = Layer3(network).outside
    if outer.address is not None and outside.is_inside(outer.address):
        raise UnknownEnd(
            f"no host and no gateway has the address {outer.name}, and it is in a subnet of the campus; "
            f"name it in 'hosts' with its port"
        )
    if inner.address is None:
        raise UnknownEnd(
            f"the address of {inner.name} is not known, so that no packet of it can be followed out of the campus; "
            f"name a host with its address and gateway"
        )
    ways = ((a, b), (b, a))
    legs = [_sure(network, inward_leg(outside, x, y) if x.away else outward_leg(outside, x, y)) for x, y in ways]
    return Trace((a.domain, b.domain), (), legs[0], legs[1], routed=True, outside=outer.name)


def _sure(network: Network, found: Leg) -> Leg:
    """Adds to what is missing what its devices do and is not followed; where a frame arrives, cables that only labels name."""
    names = dict.fromkeys(p.switch if isinstance(p, Passage) else p.device for p in found.way)
    if found.halt is not None:
        names[found.halt.at.switch] = None
    used = {ref for p in found.way if isinstance(p, Passage) for ref in (p.by, p.out) if ref is not None}
    touched = [
        (n, touching(network.switches[n], {r.port for r in used if r.switch == n}))
        for n in names
        if n in network.switches
    ]
    found = replace(found, missing=(*found.missing, *(f"{n}: {said(some)}" for n, some in touched if some)))
    if found.halt is not None:
        return found
    ways = [p for p in found.way if isinstance(p, Passage)]
    crossed = {frozenset((p.out, q.by)) for p, q in pairwise(ways)}
    missing = (by_label(k.a, k.b) for k in network.links if k.inferred and frozenset((k.a, k.b)) in crossed)
    return replace(found, missing=(*found.missing, *missing))


def _beside(network: Network, ref: PortRef, vid: Domain | None) -> PortRef | None:
    """Returns the port right before or after another that is in a VLAN."""
    names = list(network.switches[ref.switch].ports)
    if ref.port not in names:
        return None
    at = names.index(ref.port)
    near = [PortRef(ref.switch, n) for n in names[max(0, at - 1) : at] + names[at + 1 : at + 2]]
    return next((r for r in near if vid is not None and vlan_of(network, r) == vid), None)
