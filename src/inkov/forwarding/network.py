"""A campus with its forwarding worked out, each part once and when first asked for.

This is what every question is put to: rules, proofs, tables. It holds the links, the relay map of every
port in both views, the members of every VLAN, and the directed graph on (switch, domain).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from functools import cached_property

from inkov.forwarding.cabling import Cabling, Link, cabling
from inkov.forwarding.graph import Graph
from inkov.forwarding.hop import Hop
from inkov.forwarding.ladder import Ladder, ladder
from inkov.forwarding.relay import Mask, RelayMap, View, memberships, relay_map
from inkov.model.campus import Campus
from inkov.model.names import PortRef, natural
from inkov.model.switch import DEFAULT_VLAN, Access, Port, Switch, Vlan
from inkov.model.vlanset import FULL_MASK, Vid


class Network:
    """The forwarding of one campus."""

    def __init__(self, campus: Campus) -> None:
        self.campus = campus
        self.switches: Mapping[str, Switch] = campus.switches
        self._masks: dict[int, tuple[Mask, Mask]] = {}
        self._relay: dict[tuple[PortRef, View], RelayMap] = {}
        self._graphs: dict[View, Graph] = {}
        self._ladders: dict[Link, Ladder] = {}

    # -- facts of switches and ports -----------------------------------------------------------------

    def port(self, ref: PortRef) -> Port:
        """Returns a port or LAG that exists."""
        return self.switches[ref.switch].ports[ref.port]

    def has(self, ref: PortRef) -> bool:
        """Tells whether there is such a port or LAG."""
        return ref.switch in self.switches and ref.port in self.switches[ref.switch].ports

    def defined(self, switch: str) -> Mask:
        """Returns the VLANs in a switch's table, active or not; all where it keeps no table."""
        return self._table_masks(switch)[0]

    def active(self, switch: str, view: View = View.MUST) -> Mask:
        """Returns the VLANs a switch relays: defined and active."""
        active = self._table_masks(switch)[1]
        if view is View.MAY and not self.switches[switch].default_vlan_listed:
            return active | 1 << DEFAULT_VLAN
        return active

    def _table_masks(self, switch: str) -> tuple[Mask, Mask]:
        """Returns the VLANs defined, and those of them active; worked out once for tables that switches share."""
        table = self.switches[switch].vlans
        if table is None:
            return FULL_MASK, FULL_MASK
        if id(table) not in self._masks:
            defined = active = 0
            for v, entry in table.items():
                defined |= 1 << v
                if entry.active:
                    active |= 1 << v
            self._masks[id(table)] = defined, active
        return self._masks[id(table)]

    def relay(self, ref: PortRef, view: View = View.MUST) -> RelayMap:
        """Returns the relay map of a port or LAG."""
        key = (ref, view)
        if key not in self._relay:
            self._relay[key] = relay_map(self.port(ref), self.active(ref.switch, view), view)
        return self._relay[key]

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
        """VLANs that have an access port anywhere."""
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
        found: dict[str, list[Link]] = defaultdict(list)
        for link in self.links:
            found[link.a.switch].append(link)
            if link.b.switch != link.a.switch:
                found[link.b.switch].append(link)
        return found

    @cached_property
    def cabled(self) -> frozenset[PortRef]:
        """Ports and LAGs that are an end of a link, members of such LAGs included."""
        ends = {end for link in self.links for end in (link.a, link.b)}
        wired = {end for link in self.links for wire in link.wires for end in (wire.a, wire.b)}
        return frozenset(ends | wired)

    def ladder(self, link: Link) -> Ladder:
        """Returns what a link carries and why the rest is lost."""
        if link not in self._ladders:
            self._ladders[link] = ladder(self, link)
        return self._ladders[link]

    # -- stations ------------------------------------------------------------------------------------

    @cached_property
    def edge_ports(self) -> Mapping[str, list[PortRef]]:
        """The edge ports of each switch: enabled, no link, no member of a LAG; in natural order."""
        return {
            name: [
                ref
                for port in switch.ports.values()
                if port.enabled and port.lag is None and (ref := PortRef(name, port.name)) not in self.cabled
            ]
            for name, switch in self.switches.items()
        }

    @cached_property
    def members(self) -> Mapping[Vid, Mapping[str, list[PortRef]]]:
        """The enabled access ports of each VLAN that face no switch, by switch; defined there or not."""
        found: dict[Vid, dict[str, list[PortRef]]] = defaultdict(dict)
        for name, refs in self.edge_ports.items():
            ports = self.switches[name].ports
            for ref in refs:
                switching = ports[ref.port].switching
                if isinstance(switching, Access) and switching.vid is not None:
                    found[switching.vid].setdefault(name, []).append(ref)
        return found

    @cached_property
    def open_trunks(self) -> list[PortRef]:
        """Enabled trunks that face no switch: a station behind one is in all its VLANs."""
        return [
            ref
            for refs in self.edge_ports.values()
            for ref in refs
            if not isinstance(self.port(ref).switching, Access) and memberships(self.port(ref).switching)
        ]

    def live_members(self, vid: Vid) -> Mapping[str, list[PortRef]]:
        """Returns the members of a VLAN on switches that relay it."""
        found = self.members.get(vid, {})
        return {name: refs for name, refs in found.items() if self.active(name) >> vid & 1}

    # -- the graph -----------------------------------------------------------------------------------

    def hop(self, near: PortRef, far: PortRef, view: View) -> Hop:
        """Returns what crosses a link from one end to the other, were it up."""
        return Hop.between(self.relay(near, view), self.relay(far, view))

    def graph(self, view: View) -> Graph:
        """Returns the directed graph on (switch, domain) in a view."""
        if view not in self._graphs:
            graph = Graph()
            for link in self.links:
                if link.up and (view is View.MAY or not link.doubt):
                    graph.join(link.a, link.b, self.hop(link.a, link.b, view), self.hop(link.b, link.a, view))
            if view is View.MAY:
                self._join_outside(graph)
            self._graphs[view] = graph
        return self._graphs[view]

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
                Hop.through_unknown(relay.out_tagged | relay.out_untagged, anything),
                Hop.through_unknown(anything, relay.in_tagged | relay.in_untagged),
            )
