"""A campus with its forwarding worked out, each part once and when first asked for.

This is what every question is put to: rules, proofs, tables. It holds the links, the relay map of every
port in both views, the members of every VLAN, and the directed graph on (switch, domain).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from functools import cached_property
from itertools import combinations

from inkov.forwarding.cabling import Cabling, Link, cabling, components, links_by_switch
from inkov.forwarding.forming import formats_agree, lag_failure
from inkov.forwarding.graph import Graph
from inkov.forwarding.hop import Hop
from inkov.forwarding.ladder import Ladder, ladder
from inkov.forwarding.negotiation import Formed, form
from inkov.forwarding.pruning import Pruning
from inkov.forwarding.relay import Mask, RelayMap, View, memberships, relay_map, station_vlans
from inkov.forwarding.trees import Blocking, Trees
from inkov.model.campus import Campus
from inkov.model.names import PortRef, natural
from inkov.model.switch import (
    DEFAULT_VLAN,
    Access,
    Kind,
    Negotiated,
    Port,
    Routed,
    Switch,
    Trunk,
    Tunnel,
    Vlan,
)
from inkov.model.vlanset import FULL_MASK, Vid, bits


class Network:
    """The forwarding of one campus."""

    def __init__(self, campus: Campus) -> None:
        self.campus = campus
        self.switches: Mapping[str, Switch] = campus.switches
        self._relay: dict[tuple[PortRef, View], RelayMap] = {}
        self._hops: dict[tuple[PortRef, PortRef, View], Hop] = {}
        self._graphs: dict[tuple[View, Blocking], Graph] = {}
        self._passes: dict[int, Mask] = {}
        self._ladders: dict[int, Ladder] = {}  # by identity: links live as long as their network

    # -- facts of switches and ports -----------------------------------------------------------------

    def port(self, ref: PortRef) -> Port:
        """Returns a port or LAG that exists."""
        return self.switches[ref.switch].ports[ref.port]

    def has(self, ref: PortRef) -> bool:
        """Tells whether there is such a port or LAG."""
        return ref.switch in self.switches and ref.port in self.switches[ref.switch].ports

    def defined(self, switch: str) -> Mask:
        """Returns the VLANs in a switch's table, active or not; all where it keeps no table."""
        return self._table_masks[switch][0]

    def active(self, switch: str, view: View = View.MUST) -> Mask:
        """Returns the VLANs a switch relays: defined and active."""
        active = self._table_masks[switch][1]
        if view is View.MAY and not self.switches[switch].default_vlan_listed:
            return active | 1 << DEFAULT_VLAN
        return active

    @cached_property
    def _table_masks(self) -> Mapping[str, tuple[Mask, Mask]]:
        """The VLANs each switch defines, and those of them active; worked out once for tables that switches share."""
        made = dict.fromkeys(self.switches, (FULL_MASK, FULL_MASK))
        for table, names in self.tables:
            active = sum(1 << v for v, entry in table.items() if entry.active)
            made.update(dict.fromkeys(names, (sum(1 << v for v in table), active)))
        return made

    def relay(self, ref: PortRef, view: View = View.MUST) -> RelayMap:
        """Returns the relay map of a port or LAG."""
        key = (ref, view)
        if key not in self._relay:
            switch, active, formed = self.switches[ref.switch], self.active(ref.switch, view), self.formed(ref)
            made = relay_map(formed.surely, switch, active, view)
            if view is View.MAY and formed.maybe is not None:
                made |= relay_map(formed.maybe, switch, active, view)
            self._relay[key] = made
        return self._relay[key]

    def formed(self, ref: PortRef) -> Formed:
        """Returns what a port or LAG became by negotiation with the far end of its link."""
        port = self.port(ref)
        if not isinstance(port.switching, Negotiated):
            return Formed(port, None, "")
        link = next((k for k in self.links_at.get(ref.switch, ()) if ref in {k.a, k.b}), None)
        if link is None:
            return form(port, None)
        far = link.b if ref == link.a else link.a
        groups = {self.switches[ref.switch].sync_group, self.switches[far.switch].sync_group} - {""}
        return form(port, None if link.doubt else self.port(far), same_group=len(groups) < 2)

    def settled(self, ref: PortRef) -> Port:
        """Returns a port or LAG as it surely is, after negotiation."""
        port = self.port(ref)
        return self.formed(ref).surely if isinstance(port.switching, Negotiated) else port

    @cached_property
    def tables(self) -> list[tuple[Mapping[Vid, Vlan], list[str]]]:
        """The VLAN tables of the campus, each once, with the switches that have it."""
        found: dict[int, tuple[Mapping[Vid, Vlan], list[str]]] = {}
        for switch in self.switches.values():
            if switch.vlans is not None:
                found.setdefault(id(switch.vlans), (switch.vlans, []))[1].append(switch.name)
        return list(found.values())

    @cached_property
    def inhabited(self) -> Mask:
        """VLANs that have a member port anywhere."""
        return sum(1 << vid for vid in self.members)

    @cached_property
    def used(self) -> Mask:
        """VLANs that are defined, or have an access port, anywhere."""
        mask = self.inhabited
        for _, switches in self.tables:
            mask |= self.defined(switches[0])
        return mask

    # -- links ---------------------------------------------------------------------------------------

    @cached_property
    def cabling(self) -> Cabling:
        """How the boxes are cabled."""
        return cabling(self.campus)

    @property
    def links(self) -> list[Link]:
        """All links, in natural order of their ends."""
        return self.cabling.links

    @cached_property
    def links_at(self) -> Mapping[str, list[Link]]:
        """The links of each switch that has any."""
        return links_by_switch(self.links)

    @cached_property
    def cabled(self) -> frozenset[PortRef]:
        """Ports and LAGs that are an end of a link, members of such LAGs included."""
        ends = {end for link in self.links for end in (link.a, link.b)}
        wired = {end for link in self.links for wire in link.wires for end in (wire.a, wire.b)}
        return frozenset(ends | wired)

    def ladder(self, link: Link) -> Ladder:
        """Returns what a link carries and why the rest is lost."""
        if id(link) not in self._ladders:
            self._ladders[id(link)] = ladder(self, link)
        return self._ladders[id(link)]

    # -- stations ------------------------------------------------------------------------------------

    @cached_property
    def rare_ports(self) -> list[tuple[PortRef, Port]]:
        """Ports that are neither a plain access port nor a fixed trunk, in natural order; few in most campuses."""
        return [
            (PortRef(name, port.name), port)
            for name, switch in self.switches.items()
            for port in switch.ports.values()
            if not (isinstance(s := port.switching, Trunk) or (isinstance(s, Access) and s.voice is None))
        ]

    @cached_property
    def edge_ports(self) -> Mapping[str, list[PortRef]]:
        """The edge ports of each switch: enabled, no link, no member of a LAG; in natural order."""
        cabled: dict[str, set[str]] = defaultdict(set)
        for ref in self.cabled:
            cabled[ref.switch].add(ref.port)
        return {
            name: []
            if switch.kind is Kind.ROUTER
            else [
                PortRef(name, port.name)
                for port in switch.ports.values()
                if port.enabled and port.lag is None and port.name not in cabled[name]
            ]
            for name, switch in self.switches.items()
        }

    @cached_property
    def station_ports(self) -> Mapping[str, list[PortRef]]:
        """The ports of each switch that stations are on: its edge ports, and those that face unmanaged devices only.

        An unmanaged device itself has none: its stations count where a switch first looks at their VLAN.
        """
        behind: dict[str, list[PortRef]] = defaultdict(list)
        for link in self.links:
            for own, far in ((link.a, link.b), (link.b, link.a)):
                if self._unmanaged(far.switch) and not self._unmanaged(own.switch) and link.up:
                    behind[own.switch].append(own)
        return {
            name: sorted([*refs, *behind.get(name, ())], key=lambda r: r.order) if name in behind else refs
            for name, refs in self.edge_ports.items()
            if not self._unmanaged(name)
        }

    def _unmanaged(self, switch: str) -> bool:
        return self.switches[switch].kind is Kind.UNMANAGED

    @cached_property
    def members(self) -> Mapping[Vid, Mapping[str, list[PortRef]]]:
        """The ports in each VLAN that stations are on, by switch; whether or not the switch defines it.

        Untagged and voice VLANs, and for private VLANs all that the station hears. Trunks do not count.
        """
        found: dict[Vid, dict[str, list[PortRef]]] = defaultdict(dict)
        for name, refs in self.station_ports.items():
            ports = self.switches[name].ports
            for ref in refs:
                switching = ports[ref.port].switching
                if isinstance(switching, Access) and switching.voice is None and switching.vid is not None:
                    found[switching.vid].setdefault(name, []).append(ref)  # as nearly all are
                    continue
                for vid in station_vlans(switching):
                    found[vid].setdefault(name, []).append(ref)
        return found

    @cached_property
    def _unusual(self) -> list[PortRef]:
        """Station ports that are more than an access port, in natural order; few, so that others need not look at all."""
        return [
            ref
            for name, refs in self.station_ports.items()
            for ports in [self.switches[name].ports]
            for ref in refs
            if not isinstance(s := ports[ref.port].switching, Access) or s.voice is not None
        ]

    @cached_property
    def tunnels(self) -> frozenset[PortRef]:
        """Station ports that take everything into one VLAN, tags and all."""
        return frozenset(ref for ref in self._unusual if isinstance(self.port(ref).switching, Tunnel))

    @cached_property
    def wide_ports(self) -> list[PortRef]:
        """Station ports that are in more than one VLAN, or hear another than they send in, in natural order."""
        return [r for r in self._unusual if not isinstance(self.port(r).switching, Negotiated | Tunnel)]

    def own_domains(self, ref: PortRef) -> Mask:
        """Returns the domains an honest station on a port sends in: untagged, or tagged where the port is a member."""
        relay = self.relay(ref)
        return relay.in_untagged | (relay.takes & memberships(self.settled(ref).switching))

    def stations(self, ref: PortRef) -> Mask:
        """Returns the domains that honest stations on a port send in or hear."""
        return self.relay(ref).sends | self.own_domains(ref)

    @cached_property
    def routed(self) -> Mapping[PortRef, Mask]:
        """The ports that face a router, with the domains that its subinterfaces there send in or hear."""
        found = {}
        for link in self.links:
            for own, far in ((link.a, link.b), (link.b, link.a)):
                if link.up and isinstance(there := self.port(far).switching, Routed) and own.switch != far.switch:
                    relay = self.relay(own)
                    wires = [(tag,) if tag else () for tag in there.tags]
                    reached = {d for wire in wires for d, _ in relay.accept(wire)}
                    reached |= {d for d in bits(relay.sends) if any(wire in relay.send(d) for wire in wires)}
                    found[own] = sum(1 << d for d in reached)
        return found

    def live_members(self, vid: Vid) -> Mapping[str, list[PortRef]]:
        """Returns the members of a VLAN on switches that relay it."""
        found = self.members.get(vid, {})
        return {name: refs for name, refs in found.items() if self.active(name) >> vid & 1}

    # -- the graph -----------------------------------------------------------------------------------

    def hop(self, near: PortRef, far: PortRef, view: View) -> Hop:
        """Returns what crosses a link from one end to the other, were it up, its LAG formed, and no tree in the way."""
        key = (near, far, view)
        if key not in self._hops:
            tagged = formats_agree(self.port(near), self.port(far))
            self._hops[key] = Hop.between(self.relay(near, view), self.relay(far, view), tagged=tagged)
        return self._hops[key]

    def hop_today(self, near: PortRef, far: PortRef, view: View, tree: Blocking) -> Hop:
        """Returns what crosses a link with today's tree and pruning."""
        if tree is Blocking.IGNORED:
            return self.hop(near, far, view)
        trees = self.trees
        into, out = (
            (trees.allows(far), trees.allows(near))
            if tree is Blocking.SURE
            else (~trees.blocks(far), ~trees.blocks(near))
        )
        out &= ~self.pruning.pruned(near)
        if out == into == -1:
            return self.hop(near, far, view)
        tagged = formats_agree(self.port(near), self.port(far))
        sending, taking = self.relay(near, view), self.relay(far, view)
        return Hop.between(sending.limited(out, out), taking.limited(into, into), tagged=tagged)

    def passes(self, link: Link) -> Mask:
        """Returns the VLANs that cross a link both ways and stay themselves, as far as ports and tables go."""
        if not link.up or self.lag_failure(link):
            return 0
        if id(link) not in self._passes:
            there, back = self.hop(link.a, link.b, View.MUST), self.hop(link.b, link.a, View.MUST)
            self._passes[id(link)] = there.kept & back.kept
        return self._passes[id(link)]

    @cached_property
    def trees(self) -> Trees:
        """The spanning trees."""
        return Trees(self)

    @cached_property
    def pruning(self) -> Pruning:
        """Dynamic pruning."""
        return Pruning(self)

    def lag_failure(self, link: Link) -> str:
        """Says why the LAG of a link does not form; empty when it does."""
        return lag_failure(self.port(link.a), self.port(link.b))

    @cached_property
    def joins(self) -> list[Link]:
        """The links between devices that look at VLANs; an unmanaged device counts as a cable between its neighbours."""
        plain = [k for k in self.links if not (self._unmanaged(k.a.switch) or self._unmanaged(k.b.switch))]
        ends: dict[str, list[PortRef]] = defaultdict(list)
        boxes = [n for n, s in self.switches.items() if s.kind is Kind.UNMANAGED]
        if not boxes:
            return plain
        inside = [k for k in self.links if self._unmanaged(k.a.switch) and self._unmanaged(k.b.switch) and k.up]
        cluster = {box: min(part) for part in components(boxes, inside) for box in part}
        for link in self.links:
            for own, far in ((link.a, link.b), (link.b, link.a)):
                if link.up and self._unmanaged(far.switch) and not self._unmanaged(own.switch):
                    ends[cluster[far.switch]].append(own)
        through = [
            Link(a, b, wires=(), up=True)
            for refs in ends.values()
            for a, b in combinations(sorted(refs, key=lambda r: r.order), 2)
        ]
        return sorted([*plain, *through], key=lambda k: (k.a.order, k.b.order))

    def joined(self, link: Link) -> bool:
        """Tells whether both ends of a link look at VLANs."""
        return all(self.switches[end.switch].kind is Kind.SWITCH for end in (link.a, link.b))

    def graph(self, view: View, tree: Blocking | None = None) -> Graph:
        """Returns the directed graph on (switch, domain) in a view.

        Args:
            view: which facts count.
            tree: which of the tree's and of pruning's blocks count; all that are possible in *must*, none in *may*.
        """
        tree = tree or (Blocking.SURE if view is View.MUST else Blocking.IGNORED)
        if (view, tree) not in self._graphs:
            graph = Graph()
            for link in self.links:
                a, b = link.a, link.b
                if link.up and (view is View.MAY or not (link.doubt or self.lag_failure(link))):
                    graph.join(a, b, self.hop_today(a, b, view, tree), self.hop_today(b, a, view, tree))
            if view is View.MAY:
                self._join_doubtful(graph)
                self._join_outside(graph)
            self._graphs[view, tree] = graph
        return self._graphs[view, tree]

    def _join_doubtful(self, graph: Graph) -> None:
        """Joins all the far ends that discovery gives one port: they may be on one cable, or behind one hub."""
        fars: dict[PortRef, list[PortRef]] = defaultdict(list)
        for link in self.links:
            if link.doubt:
                fars[link.a].append(link.b)
                fars[link.b].append(link.a)
        for ends in fars.values():
            for a, b in combinations(ends, 2):
                graph.join(a, b, self.hop(a, b, View.MAY), self.hop(b, a, View.MAY))

    def _join_outside(self, graph: Graph) -> None:
        """Adds systems that are not in the campus and were heard in two places or more: they may join anything."""
        places: dict[str, list[PortRef]] = defaultdict(list)
        for outside in self.cabling.outside:
            name = outside.known_switch or outside.heard.system or outside.heard.chassis
            if name and self.port(outside.port).enabled:
                places[name].append(outside.port)
        for name in sorted(places, key=natural):
            if len(set(places[name])) > 1 or name in self.switches:
                self._join_unknown(graph, name, sorted(set(places[name]), key=lambda r: r.order))

    def _join_unknown(self, graph: Graph, name: str, ports: list[PortRef]) -> None:
        known = name in self.switches
        anything = self.active(name, View.MAY) if known else 1
        for ref in ports:
            lag = self.port(ref).lag
            own = PortRef(ref.switch, lag) if lag else ref
            relay = self.relay(own, View.MAY)
            far = PortRef(name, f"? towards {own}")  # its ports are not known, but they are different ones
            graph.join(
                own,
                far,
                Hop.through_unknown(relay.sends, anything),
                Hop.through_unknown(anything, relay.takes),
            )
