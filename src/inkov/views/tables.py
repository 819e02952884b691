"""Rows of the tables engineers read: links, VLANs, ports, and who hears whom."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from typing_extensions import TypedDict

from inkov.forwarding.cabling import Link
from inkov.forwarding.flood import Flooding, HeardAt
from inkov.forwarding.islands import Islands
from inkov.forwarding.labels import BY_LABEL
from inkov.forwarding.ladder import Rung
from inkov.forwarding.negotiation import Formed
from inkov.forwarding.network import Network
from inkov.kinds.relay import vid_of
from inkov.kinds.table import memberships, trunk_of, untagged_vlan, vlan_words, word
from inkov.model.names import PortRef
from inkov.model.switch import Kind, Port, Stance, Vlan
from inkov.model.vlanset import ALL, VlanSet


@dataclass(frozen=True, slots=True)
class LostRow:
    """VLANs a link loses.

    Attributes:
        vlans: which, as range text.
        reason: the first rung of the ladder that fails.
        source: the setting to blame.
    """

    vlans: str
    reason: str
    source: str


@dataclass(frozen=True, slots=True)
class LinkRow:
    """A link, both ends side by side.

    Attributes:
        a: one end, `switch:port`.
        b: the other end.
        up: both ends are enabled.
        form_a: what end a is after negotiation: trunk, access and so on.
        form_b: what end b is.
        how_a: how end a came to be that by negotiation; empty when it does not negotiate.
        how_b: the same of end b.
        native_a: VLAN of untagged frames at end a; null when none.
        native_b: the same at end b.
        carried: VLANs that cross both ways and stay themselves, as range text.
        carries: how many of those the campus uses.
        wanted: how many either end allows and the campus uses.
        lost: the others, with reasons.
        kept_off: VLANs that could cross, and the tree or pruning keep off today.
        blocked: those of them that the tree blocks, as range text.
        leaks: VLANs that change into others on this link, as `visitor-pier 350 -> watchtower 360`.
        doubt: why it is not sure that this link exists, or is not blocked by the tree; empty when it is.
    """

    a: str
    b: str
    up: bool
    form_a: str
    form_b: str
    how_a: str
    how_b: str
    native_a: int | None
    native_b: int | None
    carried: str
    carries: int
    wanted: int
    lost: tuple[LostRow, ...]
    kept_off: tuple[LostRow, ...]
    blocked: str
    leaks: tuple[str, ...]
    doubt: str


@dataclass(frozen=True, slots=True)
class VlanCell:
    """A VLAN on one switch.

    Attributes:
        switch: which.
        state: active, suspended, or absent from its table.
        name: its name there.
        members: access ports in it that face no switch, in natural order.
        island: number of the island from 0, counting those with members; null when on none.
    """

    switch: str
    state: str
    name: str
    members: tuple[str, ...]
    island: int | None


@dataclass(frozen=True, slots=True)
class VlanRow:
    """One VLAN across all switches.

    Attributes:
        vlan: its number.
        names: its names, the commonest first.
        islands: how many parts with members it is in; one is healthy, none has no members.
        members: how many member ports it has.
        cells: one a switch, in natural order; routers and unmanaged devices have none.
    """

    vlan: int
    names: tuple[str, ...]
    islands: int
    members: int
    cells: tuple[VlanCell, ...]


@dataclass(frozen=True, slots=True)
class PortRow:
    """A port or LAG.

    Attributes:
        port: `switch:port`.
        mode: access, trunk, routed, or not stated.
        vlans: its VLAN or allowed list, as written where possible.
        becomes: what it is today by negotiation, `trunk 1,20`, or all that it may be; empty when it does not negotiate.
        stance: how it negotiates: active, passive or silent; empty when it does not, or nothing states it.
        native: native VLAN of a trunk; null when none.
        enabled: administratively on.
        faces: the far end of its link, and whether labels alone say so, `LAG name` for a member, or empty.
        hosts: the hosts known there, by name.
        label: its label.
        source: where it is configured.
    """

    port: str
    mode: str
    vlans: str
    becomes: str
    stance: str
    native: int | None
    enabled: bool
    faces: str
    hosts: tuple[str, ...]
    label: str
    source: str


def link_rows(network: Network, switches: frozenset[str] | None = None, vlans: VlanSet | None = None) -> list[LinkRow]:
    """Returns the links, in natural order; only those of some switches, only what concerns some VLANs."""
    network = network.followed
    rows = []
    for link in network.links:
        if switches is not None and switches.isdisjoint((link.a.switch, link.b.switch)):
            continue
        row = _link_row(network, link, vlans)
        if vlans is None or row.wanted or row.leaks:
            rows.append(row)
    return rows


def _link_row(network: Network, link: Link, vlans: VlanSet | None) -> LinkRow:
    climbed = network.ladder(link)
    shown = VlanSet.from_mask(network.used) if vlans is None else vlans
    a, b = network.formed(link.a), network.formed(link.b)
    carried = climbed.carried & shown
    lost = [(loss.vlans & shown, loss) for loss in climbed.lost if loss.vlans & shown and not loss.rung.by_design]
    kept_off = [loss for loss in climbed.lost if loss.vlans & shown and loss.rung.by_design]
    unsure = [f"the tree may block {e}: {why}" for e in (link.a, link.b) if (why := network.trees.doubt(e))]
    both = [(climbed.there.leaks, link.a, link.b), (climbed.back.leaks, link.b, link.a)]
    return LinkRow(
        a=str(link.a),
        b=str(link.b),
        up=link.up,
        form_a=word(a.usual),
        form_b=word(b.usual),
        how_a=a.how,
        how_b=b.how,
        native_a=untagged_vlan(a.usual.switching),
        native_b=untagged_vlan(b.usual.switching),
        carried=str(carried),
        carries=len(carried),
        wanted=len(carried) + sum(len(v) for v, _ in lost),
        lost=tuple(LostRow(str(v), str(loss), str(loss.source)) for v, loss in lost),
        kept_off=tuple(LostRow(str(k.vlans & shown), str(k), str(k.source)) for k in kept_off),
        blocked=str(VlanSet(v for k in kept_off if k.rung is Rung.BLOCKED for v in k.vlans & shown)),
        leaks=tuple(
            f"{near.switch} {VlanSet.from_mask(leak.out)} -> {far.switch} {VlanSet.from_mask(leak.into)}"
            for leaks, near, far in both
            for leak in leaks
            if link.up and (vlans is None or (leak.out | leak.into) & vlans.mask)
        ),
        doubt=link.doubt or (BY_LABEL if link.inferred else next(iter(unsure), "")),
    )


def vlan_rows(network: Network, switches: frozenset[str] | None = None, vlans: VlanSet | None = None) -> list[VlanRow]:
    """Returns the VLANs the campus uses, ascending; cells of some switches only, some VLANs only."""
    network = network.followed
    islands = network.islands
    shown = VlanSet.from_mask(network.used)
    absent = {
        name: VlanCell(switch=name, state="absent", name="", members=(), island=None)
        for name, switch in network.switches.items()
        if switch.kind is Kind.SWITCH and (switches is None or name in switches)
    }
    return [_vlan_row(network, islands, v, absent) for v in (shown if vlans is None else shown & vlans)]


def _vlan_row(network: Network, islands: Islands, vid: int, absent: Mapping[str, VlanCell]) -> VlanRow:
    """Returns the row of a VLAN, with the cells that `absent` has for switches without it."""
    members = network.members.get(vid, {})
    island = islands.numbered(vid)
    names: Counter[str] = Counter()
    known: dict[str, Vlan] = {}
    for table, having in network.tables:
        if (entry := table.get(vid)) is not None:
            known.update(dict.fromkeys(having, entry))
            names[entry.name] += len(having)
    del names[""]
    cells: list[VlanCell] = []
    for name, cell in absent.items():
        own, active = known.get(name), network.active(name) >> vid & 1
        if own is None and not active and name not in members and name not in island:
            cells.append(cell)
            continue
        cells.append(
            VlanCell(
                switch=name,
                state="active" if active else "suspended" if own is not None else "absent",
                name=own.name if own is not None else "",
                members=tuple(ref.port for ref in members.get(name, ())),
                island=island.get(name),
            )
        )
    return VlanRow(
        vlan=vid,
        names=tuple(sorted(names, key=lambda n: (-names[n], n))),
        islands=max(island.values(), default=-1) + 1,
        members=sum(map(len, members.values())),
        cells=tuple(cells),
    )


@dataclass(frozen=True, slots=True)
class SyncRow:
    """What becomes of a switch's VLAN table when its sync group settles.

    Attributes:
        switch: which.
        group: its sync group.
        newest: the switch whose table it takes over; empty when that is not known.
        appear: VLANs it gets.
        vanish: VLANs it loses.
        unknown: why it is not known; empty when it is.
    """

    switch: str
    group: str
    newest: str
    appear: str
    vanish: str
    unknown: str


def sync_rows(network: Network, switches: frozenset[str] | None = None, vlans: VlanSet | None = None) -> list[SyncRow]:
    """Returns what becomes of each table, circle by circle; of some switches only, some VLANs only."""
    syncing = network.syncing
    shown = ALL if vlans is None else vlans
    rows = []
    for circle in syncing.circles:
        for name in circle.members:
            if switches is not None and name not in switches:
                continue
            now = VlanSet(syncing.table(name))
            then = VlanSet(syncing.after(name, circle.newest)) if circle.newest else now
            appear, vanish = (then - now) & shown, (now - then) & shown
            rows.append(SyncRow(name, circle.group, circle.newest or "", str(appear), str(vanish), circle.unknown))
    return rows


def port_rows(network: Network, switches: frozenset[str] | None = None, vlans: VlanSet | None = None) -> list[PortRow]:
    """Returns all ports and LAGs, in natural order; of some switches only, with some VLANs only."""
    network = network.followed
    faces = {}
    for link in network.links:
        how = " (by labels)" if link.inferred else ""
        for a, b in ((link.a, link.b), *((w.a, w.b) for w in link.wires)):
            faces[a], faces[b] = f"{b}{how}", f"{a}{how}"
    for outside in network.cabling.outside:
        heard = outside.heard
        faces.setdefault(outside.port, f"{heard.system or heard.chassis} {heard.far_port} (not in this campus)".strip())
    hosts: dict[PortRef, list[str]] = {}
    for host in network.campus.hosts.values():
        hosts.setdefault(host.port, []).append(host.name)
    return [
        _port_row(port, network.formed(ref), ref, faces, hosts)
        for switch in network.switches.values()
        if switches is None or switch.name in switches
        for port in switch.ports.values()
        for ref in [PortRef(switch.name, port.name)]
        if vlans is None or _concerns(port, vlans)
    ]


def _concerns(port: Port, vlans: VlanSet) -> bool:
    native = untagged_vlan(port.switching)
    return bool(memberships(port.switching) & vlans.mask) or (native is not None and native in vlans)


def _port_row(
    port: Port, formed: Formed, ref: PortRef, faces: dict[PortRef, str], hosts: dict[PortRef, list[str]]
) -> PortRow:
    trunk = trunk_of(formed.usual.switching)
    return PortRow(
        port=str(ref),
        mode=f"member of {port.lag}" if port.lag else word(port),
        vlans="" if port.lag else vlan_words(port.switching),
        becomes=" or ".join(f"{word(p)} {vlan_words(p.switching)}" for p in formed.outcomes) * bool(formed.how),
        stance=port.stance.value if port.stance and (formed.how or port.stance is not Stance.SILENT) else "",
        native=trunk.native if trunk and not port.lag else None,
        enabled=port.enabled,
        faces=faces.get(ref, ""),
        hosts=tuple(hosts.get(ref, ())),
        label=port.label,
        source=str(port.origin.here),
    )


@dataclass(frozen=True, slots=True)
class HeardRow:
    """A port that hears a frame, and the VIDs on it there, outermost first."""

    at: str
    tags: tuple[int, ...]


FloodRow = TypedDict("FloodRow", {"from": tuple[str, ...], "heard": tuple[HeardRow, ...], "hosts": tuple[str, ...]})
"""Who hears a broadcast sent into any one of some ports; a sender among `heard` hears the others, and not itself. `hosts` are the
hosts that are known at the ports that hear it.

A mapping, as `from` is no name for an attribute.
"""


def flood_rows(network: Network, source: PortRef | None = None, tags: tuple[int, ...] = ()) -> list[FloodRow]:
    """Returns one row for the given port, or one for all edge ports that are heard alike, in natural order."""
    flooding = Flooding(network.followed)
    alike: dict[int, tuple[list[str], list[HeardAt]]] = {}  # by the identity of what ports have in common
    for ref in flooding.sources() if source is None else (source,):
        spread = flooding.spread(ref, tags)
        alike.setdefault(id(spread), ([], spread))[0].append(str(ref))
    known: dict[str, list[str]] = {}
    for host in network.campus.hosts.values():
        known.setdefault(str(host.port), []).append(host.name)
    return [_flood_row(senders, spread, known) for senders, spread in alike.values()]


def _flood_row(senders: list[str], spread: list[HeardAt], known: Mapping[str, list[str]]) -> FloodRow:
    heard = _heard(senders, spread)
    hosts = tuple(name for at in dict.fromkeys(h.at for h in heard) for name in known.get(at, ()))
    return {"from": tuple(senders), "heard": heard, "hosts": hosts}


def _heard(senders: list[str], spread: list[HeardAt]) -> tuple[HeardRow, ...]:
    heard = (HeardRow(str(h.at), tuple(map(vid_of, h.tags))) for h in spread)
    return tuple(h for h in heard if len(senders) > 1 or h.at != senders[0])
