"""What ports do with frames, were no tree and no pruning in the way: tables, relay maps, hops, and who is a member."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from functools import cached_property, reduce
from operator import and_, or_
from typing import Self

from inkov.forwarding.cabling import Link
from inkov.forwarding.hop import Hop
from inkov.forwarding.tables import Tables
from inkov.kinds.accounts import is_stated
from inkov.kinds.general import as_registered
from inkov.kinds.relay import Mask, RelayMap, Tags, View, tag_of
from inkov.kinds.table import (
    as_access,
    as_trunk,
    by_access_vlan,
    carries_tags,
    common,
    is_tunnel,
    is_up,
    memberships,
    negotiates,
    perhaps_of_any,
    relay_map,
    station_vlans,
    subinterfaces,
    untagged_vlan,
)
from inkov.model.campus import Campus
from inkov.model.names import PortRef, label_words, refs_of
from inkov.model.switch import Kind, Port, Stance, Switch
from inkov.model.vlanset import FULL_MASK, Vid, bits

MOST_OF_A_STATION = 8
"""A tagged port with more VLANs than this is one for switches, or for any station there may come."""


class Bridging(Tables):
    """The plant, with what its ports do."""

    def __init__(self, campus: Campus, failed: frozenset[str] = frozenset(), like: Self | None = None) -> None:
        super().__init__(campus, failed, like)
        self._relay: dict[tuple[PortRef, View], RelayMap] = {}
        self._alike: dict[tuple[object, ...], RelayMap] = {}
        self._hops: dict[tuple[PortRef, PortRef, View], Hop] = {}
        self._passes: dict[int, Mask] = {}  # by identity: links live as long as their network

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

    # -- ports and links -----------------------------------------------------------------------------

    def relay(self, ref: PortRef, view: View = View.USUAL) -> RelayMap:
        """Returns the relay map of a port or LAG; a member of a LAG that may not form is read as either, too."""
        key = (ref, view)
        if key not in self._relay and self._like and self.set_alike(ref, view):
            self._relay[key] = self._like.relay(ref, view)
        if key not in self._relay:
            outcomes = self.formed(ref).outcomes if view is not View.USUAL else (self.settled(ref),)
            if view is View.MAY and ref in self.registering:
                outcomes = (*outcomes, as_registered(self.port(ref), self.telling))
            maps = [self._compiled(ref.switch, port, view) for port in outcomes]
            self._relay[key] = reduce(or_ if view is View.MAY else and_, maps)
        return self._relay[key]

    def _compiled(self, name: str, port: Port, view: View) -> RelayMap:
        """Returns the relay map of a port in one mode; ports that are set alike are worked out once."""
        switch, active = self.switches[name], self.active(name, view)
        others = () if view is View.USUAL else tuple(self.syncing.candidates(name))
        of_switch = (switch.habits, switch.unstated_habits, id(switch.vlans), name if others else "")
        up = is_up(port, switch) and not (port.doubt and view is View.MUST)
        key = (port.switching, up, port.tag_format, active, view, of_switch)
        if key not in self._alike:
            known = self._like.known_map(key) if self._like and not others else None  # others may differ there
            self._alike[key] = known or relay_map(port, switch, active, view, self.formats, others=others)
        return self._alike[key]

    def known_map(self, key: tuple[object, ...]) -> RelayMap | None:
        """Returns what ports do that are set in one way, if that was worked out before."""
        return self._alike.get(key)

    def known_hop(self, key: tuple[PortRef, PortRef, View]) -> Hop | None:
        """Returns what crosses a link, if that was worked out before."""
        return self._hops.get(key)

    def loose(self, ref: PortRef) -> RelayMap:
        """Returns what a member of a LAG may do by itself when the LAG does not form: as the LAG is set, or as it is itself."""
        port, own = self.port(ref), self.relay(ref, View.MAY)
        if not port.lag or not port.enabled:
            return own
        whole = self.relay(PortRef(ref.switch, port.lag), View.MAY)
        return own | whole if is_stated(port.switching) else whole

    def hop(self, near: PortRef, far: PortRef, view: View) -> Hop:
        """Returns what crosses a link from one end to the other, were it up, its LAG formed, and no tree in the way."""
        key = (near, far, view)
        if key not in self._hops:
            ends = self.relay(near, view), self.relay(far, view)
            known = self._like.known_hop(key) if self._like else None
            same = known is not None and known.near is ends[0] and known.far is ends[1]
            self._hops[key] = known if known is not None and same else Hop.between(*ends)
        return self._hops[key]

    def passes(self, link: Link) -> Mask:
        """Returns the VLANs that cross a link both ways and stay themselves, as far as ports and tables go."""
        if not link.up or self.lag_failure(link):
            return 0
        if id(link) not in self._passes and self._like and self.unlike is not None and link.a not in self.unlike:
            self._passes[id(link)] = self._like.passes(link)
        if id(link) not in self._passes:
            there, back = self.hop(link.a, link.b, View.USUAL), self.hop(link.b, link.a, View.USUAL)
            self._passes[id(link)] = there.kept & back.kept
        return self._passes[id(link)]

    # -- stations ------------------------------------------------------------------------------------

    @cached_property
    def rare_ports(self) -> list[tuple[PortRef, Port]]:
        """Ports that are neither a plain access port nor a fixed trunk, in natural order; few in most campuses."""
        return [
            (PortRef(name, port.name), port)
            for name, switch in self.switches.items()
            for port in switch.ports.values()
            if not common(port.switching)
        ]

    @cached_property
    def edge_ports(self) -> Mapping[str, list[PortRef]]:
        """The edge ports of each switch: enabled, no link, no member of a LAG; in natural order."""
        return {name: self._edge_ports(switch) for name, switch in self.switches.items()}

    def _edge_ports(self, switch: Switch) -> list[PortRef]:
        name, cabled = switch.name, self.cabled_ports.get(switch.name, set())
        if switch.kind is Kind.ROUTER:
            return []
        like = self._like
        if like and self._same(name) and like.cabled_ports.get(name, set()) == cabled:
            return like.edge_ports[name]
        ports = switch.ports.items()
        return refs_of(name, [p for p, port in ports if port.enabled and port.lag is None and p not in cabled])

    @cached_property
    def station_ports(self) -> Mapping[str, list[PortRef]]:
        """The ports of each switch that stations are on: its edge ports, and those that face unmanaged devices only.

        An unmanaged device itself has none: its stations count where a switch first looks at their VLAN.
        """
        behind: dict[str, list[PortRef]] = defaultdict(list)
        for link in self.links:
            for own, far in ((link.a, link.b), (link.b, link.a)):
                if self.unmanaged(far.switch) and not self.unmanaged(own.switch) and link.up:
                    behind[own.switch].append(own)
        return {
            name: sorted([*refs, *behind.get(name, ())], key=lambda r: r.order) if name in behind else refs
            for name, refs in self.edge_ports.items()
            if not self.unmanaged(name)
        }

    @cached_property
    def members(self) -> Mapping[Vid, Mapping[str, list[PortRef]]]:
        """The ports in each VLAN that stations are on, by switch; whether or not the switch defines it.

        Besides those of `plain_members`, the tagged ports of stations.
        """
        found: dict[Vid, dict[str, list[PortRef]]] = defaultdict(dict)
        for vid, homes in self.plain_members.items():
            found[vid].update(homes)
        tagged: dict[tuple[Vid, str], list[PortRef]] = defaultdict(list)
        for _, others in self.parted.values():
            for ref in others:
                for vid in self.tagged_station(ref):
                    tagged[vid, ref.switch].append(ref)
        for (vid, name), refs in tagged.items():
            found[vid][name] = sorted({*found[vid].get(name, ()), *refs}, key=lambda r: r.order)
        return found

    @cached_property
    def plain_members(self) -> Mapping[Vid, Mapping[str, list[PortRef]]]:
        """The ports in each VLAN by what they do with untagged frames, by switch; whether or not the switch defines it.

        Untagged and voice VLANs, and for private VLANs all that the station hears.
        """
        found: dict[Vid, dict[str, list[PortRef]]] = defaultdict(dict)
        for name, (plain, others) in self.parted.items():
            for vid, refs in plain.items():
                found[vid][name] = refs
            rest: dict[Vid, list[PortRef]] = defaultdict(list)
            for ref in others:
                for vid in station_vlans(self.port(ref).switching):
                    rest[vid].append(ref)
            for vid, refs in rest.items():
                found[vid][name] = sorted([*plain.get(vid, ()), *refs], key=lambda r: r.order)
        return found

    def tagged_station(self, ref: PortRef) -> Iterable[Vid]:
        """Returns the VLANs that somebody behind a tagged port would miss: a desk and its phone, an access point, a host.

        Where a list is long nobody picked its VLANs for one station; then it is the VLAN of untagged frames alone, and of
        a port that lets all through, as nobody configured it, none.
        """
        port = self.port(ref)
        if not carries_tags(port) or ref in self._towards_switches or self._names_another(ref.switch, port.label):
            return ()
        listed = memberships(port.switching)
        if listed.bit_count() <= MOST_OF_A_STATION:
            return bits(listed)
        own = untagged_vlan(port.switching)
        return (own,) if own and listed != FULL_MASK and listed >> own & 1 else ()

    @cached_property
    def _towards_switches(self) -> frozenset[PortRef]:
        """Ports that hear a switch of the campus, although the link cannot be followed."""
        return frozenset(o.port for o in self.cabling.outside if o.known_switch)

    def _names_another(self, own: str, label: str) -> bool:
        """Tells whether a label names another switch, so that the port is one towards it."""
        return any((name := word.partition(":")[0]) in self.switches and name != own for word in label_words(label))

    def homes(self, vid: Vid) -> Mapping[str, list[PortRef]]:
        """Returns the switches that relay a VLAN and where somebody would miss it, with its member ports there.

        Besides those with member ports, these are the ones with an address in the VLAN, and those that face a router.
        """
        found = dict(self.live_members(vid))
        for name in self._addressed.get(vid, ()):
            found.setdefault(name, [])
        return found

    @cached_property
    def inhabited_vlans(self) -> Iterable[Vid]:
        """The VLANs somebody would miss somewhere."""
        return dict.fromkeys((*self.members, *sorted(self._addressed.keys() - self.members.keys())))

    @cached_property
    def _addressed(self) -> Mapping[Vid, list[str]]:
        """The switches with an address in each VLAN, of their own or behind a port that faces a router."""
        found: dict[Vid, list[str]] = defaultdict(list)
        for name, switch in self.switches.items():
            for gateway in switch.gateways:
                vid = None if gateway.port or not gateway.enabled else gateway.vid
                if vid is not None and self.active(name) >> vid & 1:
                    found[vid].append(name)
        for ref, mask in self.routed.items():
            for vid in bits(mask & self.active(ref.switch)):
                if ref.switch not in found[vid]:
                    found[vid].append(ref.switch)
        return found

    @cached_property
    def parted(self) -> Mapping[str, tuple[dict[Vid, list[PortRef]], list[PortRef]]]:
        """The station ports of each switch: plain access ports by VLAN, and all others."""
        made: dict[str, tuple[dict[Vid, list[PortRef]], list[PortRef]]] = {}
        like = self._like if self._like is not None and self._like.registering == self.registering else None
        for name, refs in self.station_ports.items():
            if like is not None and self._same(name) and like.station_ports[name] == refs:
                made[name] = like.parted[name]
            else:
                ports = self.switches[name].ports
                made[name] = by_access_vlan(refs, ports, self.registering)
        return made

    def live_members(self, vid: Vid) -> Mapping[str, list[PortRef]]:
        """Returns the members of a VLAN on switches that relay it."""
        if vid not in self._live:
            found = self.members.get(vid, {})
            self._live[vid] = {name: refs for name, refs in found.items() if self.active(name) >> vid & 1}
        return self._live[vid]

    @cached_property
    def _live(self) -> dict[Vid, Mapping[str, list[PortRef]]]:
        return {}

    @cached_property
    def _unusual(self) -> list[PortRef]:
        """Station ports that are more than an access port, in natural order; few, so that others need not look at all."""
        return [ref for _, others in self.parted.values() for ref in others]

    @cached_property
    def uncommon(self) -> Mapping[PortRef, None]:
        """Station ports that are more than an access port in one VLAN, in natural order."""
        return dict.fromkeys(self._unusual)

    @cached_property
    def of_any_vlan(self) -> frozenset[PortRef]:
        """Edge ports behind which a hostile station of any VLAN may be, as what they are is not stated."""
        edges = {ref for refs in self.edge_ports.values() for ref in refs}
        return frozenset(ref for ref in self._unusual if ref in edges and perhaps_of_any(self.port(ref)))

    @cached_property
    def tunnels(self) -> frozenset[PortRef]:
        """Station ports that take everything into one VLAN, tags and all."""
        refs = (*self._unusual, *self.doubtfully_cabled)
        return frozenset(ref for ref in refs if is_tunnel(self.port(ref).switching))

    @cached_property
    def wide_ports(self) -> list[PortRef]:
        """Station ports that are in more than one VLAN, or hear another than they send in, in natural order."""
        return [r for r in self._unusual if not negotiates(self.port(r)) and r not in self.tunnels]

    def honest(self, ref: PortRef, view: View = View.USUAL) -> RelayMap:
        """Returns what a port does for honest stations: they do not negotiate, so alone with them it forms no trunk."""
        return self._compiled(ref.switch, self.settled(ref), view) if ref not in self.cabled else self.relay(ref, view)

    def obeying(self, ref: PortRef, view: View) -> RelayMap:
        """Returns what a port does for a station that negotiates as it likes."""
        port = self.port(ref)
        willing = {Stance.PASSIVE, Stance.ACTIVE} | ({None} if view is View.MAY else set())
        own = self.relay(ref, view)
        declares = self.switches[ref.switch].registration
        if declares or (declares is None and view is View.MAY):
            own |= self._compiled(ref.switch, as_registered(port, self.telling), view)
        if not negotiates(port) or port.stance not in willing:
            return own
        return (
            own | self._compiled(ref.switch, as_access(port), view) | self._compiled(ref.switch, as_trunk(port), view)
        )

    def own_domains(self, ref: PortRef, view: View = View.USUAL) -> Mask:
        """Returns the domains an honest station on a port sends in: untagged, or tagged where the port is a member."""
        relay = self.honest(ref, view)
        outcomes = self.formed(ref).outcomes if view is View.MAY and ref in self.cabled else (self.settled(ref),)
        return relay.in_untagged | (relay.takes & reduce(or_, (memberships(port.switching) for port in outcomes)))

    def stations(self, ref: PortRef) -> Mask:
        """Returns the domains that honest stations on a port send in or hear."""
        return self.relay(ref).sends | self.own_domains(ref)

    @cached_property
    def routed(self) -> Mapping[PortRef, Mask]:
        """The ports that face a router, with the domains that its subinterfaces there send in or hear."""
        found = {}
        for link in self.links:
            for own, far in ((link.a, link.b), (link.b, link.a)):
                tags = subinterfaces(self.port(far).switching)
                if link.up and tags is not None and own.switch != far.switch:
                    found[own] = self._met(own, far, tags)
        return found

    def _met(self, own: PortRef, far: PortRef, tags: Iterable[Vid | None]) -> Mask:
        """Returns the domains in which subinterfaces send or hear; of one that meets none, the VLAN of its tag if it has members."""
        relay, found = self.relay(own), 0
        for tag in tags:
            wire = self.wire(far, tag)
            met = {d for d, _ in relay.accept(wire)} | {d for d in bits(relay.sends) if wire in relay.send(d)}
            found |= sum(1 << d for d in met or {tag} & self.members.keys() if d)
        return found

    def wire(self, ref: PortRef, vid: Vid | None) -> Tags:
        """Returns the tags of a frame that a port of a router sends with a VID, or without one."""
        return (tag_of(vid, self.formats.get(self.port(ref).tag_format, 0)),) if vid else ()
