"""What a verdict rests on that the input does not state: facts that are missing, and what is taken for granted."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from inkov.forwarding.graph import Reach, State
from inkov.forwarding.network import Network
from inkov.forwarding.relay import View, unknown
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.switch import Bridged, General, Kind, Trunk
from inkov.proof.stations import Stations


def unknowns(network: Network, reach: Reach, end: State) -> tuple[str, ...]:
    """Names what is not known on a way that only may be open."""
    found: dict[str, None] = {}
    for state, step in reach.path(end):
        if step is None:
            continue
        sure = network.graph(View.MUST).edges.get(step.before.switch, ())
        if any(
            e.near == step.out
            and e.far == state.by
            and any(c.domain == state.domain for c in e.hop.cross(step.before.domain, step.before.inner))
            for e in sure
        ):
            continue
        for fact in _missing_facts(network, step.out, state.by):
            found[fact] = None
    return tuple(found)


def habits(stated: Network, worst: Network, reach: Reach, end: State) -> tuple[str, ...]:
    """Names the switches on a way whose habits are not stated, where the worse of each was assumed."""
    names = dict.fromkeys(state.switch for state, _ in reach.path(end) if state.switch in stated.switches)
    return tuple(
        f"what {n} does with tagged frames on access ports and trunks: `assume` does not state its habits"
        for n in names
        if worst.switches[n].habits != stated.switches[n].habits
    )


def assumed(network: Network, stations: Callable[[str], Stations], names: Iterable[str]) -> tuple[str, ...]:
    """Lists what a proof takes for granted: what is behind ports whose far side the input does not describe."""
    listed = list(names)
    open_ends = [
        str(ref)
        for ref in _open_trunks(network)
        if sum(any(ref in refs for refs in stations(n).senders.values()) for n in listed) > 1
    ]
    found: list[str] = []
    if open_ends:
        found.append(f"the station behind each of these trunks keeps its VLANs apart: {some(open_ends)}")
    outside = [f"{o.port} ({o.heard.system or o.heard.chassis})" for o in network.cabling.outside if not o.known_switch]
    if outside:
        found.append(f"no device that is not in the campus joins VLANs by itself: {some(outside)}")
    unnamed = [
        str(end)
        for k in network.links
        for end in (k.a, k.b)
        if isinstance(s := network.port(end).switching, Trunk)
        and s.native is None
        and network.port(end).origin.of(Setting.NATIVE).default
    ]
    if unnamed:
        found.append(f"trunks without a native VLAN drop untagged frames: {some(unnamed)}")
    tableless = [s.name for s in network.switches.values() if s.vlans is None and s.kind is Kind.SWITCH]
    if tableless:
        found.append(f"switches without a VLAN table relay every VLAN their ports allow: {some(tableless)}")
    return tuple(found)


def _open_trunks(network: Network) -> list[PortRef]:
    """Returns ports that carry tags and face no switch: a station behind one is in all its VLANs."""
    maps = [(ref, network.relay(ref)) for ref in network.wide_ports if ref not in network.cabled]
    return [
        ref
        for ref, relay in maps
        if isinstance(network.port(ref).switching, Trunk | General | Bridged) and (relay.out_tagged or relay.out_mapped)
    ]


def some(names: list[str]) -> str:
    """Returns the first few of some names, and how many more there are."""
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def _missing_facts(network: Network, out: PortRef, into: PortRef | None) -> list[str]:
    found: list[str] = []
    for ref in (out, into):
        if ref is None:
            continue
        if not network.has(ref):
            found.append(f"what {ref.switch} does is not known: its file, or the cable, is missing")
        elif (why := unknown(network.port(ref))) is not None:
            found.append(f"{ref}: {why} ({network.port(ref).origin.here})")
        elif kept_off := _kept_off(network, ref, sending=ref == out):
            found.append(kept_off)
        elif not network.switches[ref.switch].default_vlan_listed:
            found.append(f"whether {ref.switch} has the default VLAN, which its export does not list")
    for link in network.links:
        if {out, into} == {link.a, link.b}:
            found += [link.doubt] if link.doubt else []
            if reason := network.lag_failure(link):
                found.append(f"whether ports of {link} pass frames one by one, as its LAG does not form: {reason}")
    return found or [f"whether frames pass from {out} to {into}"]


def _kept_off(network: Network, ref: PortRef, *, sending: bool) -> str:
    """Says what keeps frames off a port today and may let them through tomorrow; empty when nothing does."""
    if doubt := network.trees.doubt(ref):
        return f"whether the tree blocks {ref}: {doubt}"
    if network.trees.allows(ref) != -1:
        return f"the tree blocks {ref} today, and opens it when a link fails"
    return (
        f"pruning keeps VLANs off {ref} today, and may let them through tomorrow"
        if sending and network.pruning.pruned(ref)
        else ""
    )
