"""The plant: what is set, how it is cabled, and what ports made of each other by negotiation. No frame moves yet."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from itertools import combinations
from typing import Self

from inkov.forwarding.cabling import Cabling, Link, cabled_alike, cabling, components, links_by_switch, recabled
from inkov.forwarding.forming import forms, lag_failure
from inkov.forwarding.negotiation import Formed, form, form_among
from inkov.kinds.table import negotiates
from inkov.model.campus import Campus
from inkov.model.names import PortRef
from inkov.model.switch import DOT1Q, NEGOTIATED_FORMAT, Kind, Port, Switch, Vlan
from inkov.model.touching import telling_vlans
from inkov.model.vlanset import Vid


class Plant:
    """The switches of one campus and the links between them.

    Attributes:
        campus: what is configured.
        switches: its devices.
        failed: devices that have failed, whose stations are gone with them.
    """

    def __init__(self, campus: Campus, failed: frozenset[str] = frozenset(), like: Self | None = None) -> None:
        """Takes a campus, and another one with some switches the same: what hangs on those alone is taken from there."""
        self.campus = campus
        self.failed = failed
        self.switches: Mapping[str, Switch] = campus.switches
        self._like = like if like is not None and self._formatted_like(like) else None

    def port(self, ref: PortRef) -> Port:
        """Returns a port or LAG that exists."""
        return self.switches[ref.switch].ports[ref.port]

    def has(self, ref: PortRef) -> bool:
        """Tells whether there is such a port or LAG."""
        return ref.switch in self.switches and ref.port in self.switches[ref.switch].ports

    def unmanaged(self, switch: str) -> bool:
        """Tells whether a device does not look at VLANs."""
        return self.switches[switch].kind is Kind.UNMANAGED

    def _same(self, switch: str) -> bool:
        """Tells whether a switch is the very one of the campus this is like."""
        return self._like is not None and self._like.switches.get(switch) is self.switches[switch]

    def _formatted_like(self, like: Self) -> bool:
        """Tells whether tag formats have the same numbers as in another campus, and takes them from there if it is plain that they do."""
        mine, theirs = (
            [s for n, s in own.items() if other.get(n) is not s]
            for own, other in ((self.switches, like.switches), (like.switches, self.switches))
        )
        if _formats(mine) == _formats(theirs):
            self.formats = like.formats
        return self.formats == like.formats

    @cached_property
    def formats(self) -> Mapping[str, int]:
        """The number of each tag format that some port has; 0 is IEEE 802.1Q."""
        named = _formats(self.switches.values())
        return {name: i for i, name in enumerate([DOT1Q, *sorted(named - {DOT1Q, NEGOTIATED_FORMAT})])}

    @cached_property
    def tables(self) -> list[tuple[Mapping[Vid, Vlan], list[str]]]:
        """The VLAN tables of the campus, each once, with the switches that have it."""
        found: dict[int, tuple[Mapping[Vid, Vlan], list[str]]] = {}
        for switch in self.switches.values():
            if switch.vlans is not None:
                found.setdefault(id(switch.vlans), (switch.vlans, []))[1].append(switch.name)
        return list(found.values())

    @cached_property
    def names(self) -> Mapping[Vid, str]:
        """The commonest name of each VLAN that has one in some table; the first of several in the order of the alphabet."""
        seen: dict[Vid, Counter[str]] = defaultdict(Counter)
        for table, having in self.tables:
            for vid, entry in table.items():
                if entry.name:
                    seen[vid][entry.name] += len(having)
        return {vid: max(sorted(names), key=names.__getitem__) for vid, names in seen.items()}

    # -- links ---------------------------------------------------------------------------------------

    @cached_property
    def cabling(self) -> Cabling:
        """How the boxes are cabled."""
        like = self._cabled_like
        if like is None:
            return cabling(self.campus)
        return recabled(like.cabling, self.switches, self._others) if self._others else like.cabling

    @cached_property
    def _others(self) -> frozenset[str]:
        """The switches that are not the very ones of the campus this is like."""
        return frozenset(n for n in self.switches if not self._same(n))

    @cached_property
    def unlike(self) -> frozenset[PortRef] | None:
        """The ends of links that may not do what they usually do in the campus this is like, as far as ports and tables go.

        Those of switches that are not the same, and those at hubs, behind which others negotiate with them; None where there is
        no such campus, or its cables are others.
        """
        if self._cabled_like is None:
            return None
        at = self.links_at
        return frozenset(e for name in (*self._others, *self.clusters) for k in at.get(name, ()) for e in (k.a, k.b))

    @cached_property
    def _cabled_like(self) -> Self | None:
        like = self._like
        return like if like is not None and cabled_alike(self.campus, like.campus) else None

    @property
    def links(self) -> list[Link]:
        """All links, in natural order of their ends."""
        return self.cabling.links

    @cached_property
    def link_called(self) -> Mapping[str, Link]:
        """Links by what sentences call them."""
        return {str(k): k for k in reversed(self.links)}

    @cached_property
    def links_at(self) -> Mapping[str, list[Link]]:
        """The links of each switch that has any."""
        return links_by_switch(self.links)

    @cached_property
    def links_of(self) -> Mapping[PortRef, list[Link]]:
        """The links of each port or LAG that has any."""
        if self._cabled_like:
            ends = {end for name in self._others for k in self.links_at.get(name, ()) for end in (k.a, k.b)}
            fresh = {end: [k for k in self.links_at[end.switch] if end in {k.a, k.b}] for end in ends}
            return {**self._cabled_like.links_of, **fresh}
        found: dict[PortRef, list[Link]] = defaultdict(list)
        for link in self.links:
            found[link.a].append(link)
            if link.b != link.a:
                found[link.b].append(link)
        return found

    @cached_property
    def cabled(self) -> frozenset[PortRef]:
        """Ports and LAGs that are an end of a link, members of such LAGs included."""
        if self._cabled_like:
            return self._cabled_like.cabled
        wired = {end for link in self.links for wire in link.wires for end in (wire.a, wire.b)}
        return frozenset(self.links_of.keys() | wired)

    @cached_property
    def cabled_ports(self) -> Mapping[str, set[str]]:
        """The ports of each switch that have a link, by name."""
        if self._cabled_like:
            return self._cabled_like.cabled_ports
        found: dict[str, set[str]] = defaultdict(set)
        for ref in self.cabled:
            found[ref.switch].add(ref.port)
        return found

    @cached_property
    def doubtfully_cabled(self) -> list[PortRef]:
        """Ports of which every link is in doubt, in natural order: a neighbour that may not be there hides no station."""
        sure: set[PortRef] = set()
        found: set[PortRef] = set()
        for link in self.links:
            ends = {link.a, link.b, *(e for w in link.wires for e in (w.a, w.b))}
            (found if link.doubt else sure).update(ends)
        switches = (r for r in found - sure if self.switches[r.switch].kind is Kind.SWITCH)
        return sorted((r for r in switches if self.port(r).enabled and self.port(r).lag is None), key=lambda r: r.order)

    def unsure(self, link: Link) -> str:
        """Says why it is not sure that a link is up, as files contradict each other about its ports; empty when it is."""
        ends = [(link.a, link.b), *((w.a, w.b) for w in link.wires)]
        doubts = [
            next((d for e in pair if (d := self.port(e).doubt)), "")
            for pair in ends
            if all(self.port(e).enabled for e in pair)
        ]
        logical, wires = doubts[:1], doubts[1:]
        return next(filter(None, logical), "") or (wires[0] if wires and all(wires) else "")

    def lag_failure(self, link: Link) -> str:
        """Says why the LAG of a link does not form; empty when it does."""
        return lag_failure(self.port(link.a), self.port(link.b))

    def lag_forms(self, link: Link) -> bool | None:
        """Tells whether the LAGs of a link surely form, or surely do not; None when that is not known.

        One whose members end at several ports gives each of them a part of the frames at best, so it is not known.
        """
        formed = forms(self.port(link.a), self.port(link.b))
        split = any(self.port(e).is_lag and sum(k.up for k in self.links_of[e]) > 1 for e in (link.a, link.b))
        return None if formed and split else formed

    @cached_property
    def clusters(self) -> Mapping[str, list[PortRef]]:
        """For each unmanaged device, the ports of other devices that it and those it is cabled to join, in natural order."""
        boxes = [n for n in self.switches if self.unmanaged(n)]
        up = [k for k in self.links if k.up]
        found: dict[str, list[PortRef]] = {}
        for part in components(boxes, [k for k in up if self.unmanaged(k.a.switch) and self.unmanaged(k.b.switch)]):
            ends = {e for k in up for e, far in ((k.a, k.b), (k.b, k.a)) if far.switch in part and e.switch not in part}
            found.update(dict.fromkeys(part, sorted(ends, key=lambda r: r.order)))
        return found

    @cached_property
    def joins(self) -> list[Link]:
        """The links between devices that look at VLANs; an unmanaged device counts as a cable between its neighbours."""
        plain = [k for k in self.links if not (self.unmanaged(k.a.switch) or self.unmanaged(k.b.switch))]
        if not self.clusters:
            return plain
        groups = {tuple(refs) for refs in self.clusters.values()}
        through = [Link(a, b, wires=(), up=True) for refs in groups for a, b in combinations(refs, 2)]
        return sorted([*plain, *through], key=lambda k: (k.a.order, k.b.order))

    def joined(self, link: Link) -> bool:
        """Tells whether both ends of a link look at VLANs."""
        return all(self.switches[end.switch].kind is Kind.SWITCH for end in (link.a, link.b))

    @cached_property
    def registering(self) -> frozenset[PortRef]:
        """Ports that VLANs may come to by registration: a device beyond them may declare some (IEEE 802.1Q-2022, 11.2)."""
        own = {n for n, s in self.switches.items() if s.kind is Kind.SWITCH and s.registration is not False}
        found: set[PortRef] = set()
        for link in self.links if own else ():
            for near, far in ((link.a, link.b), (link.b, link.a)):
                beyond = self.clusters[far.switch] if self.unmanaged(far.switch) else [far]
                if near.switch in own and any(r != near and r.switch in own for r in beyond):
                    found.add(near)
        return frozenset(found)

    @cached_property
    def telling(self) -> int:
        """VLANs that stand for all that may come by registration, as a mask."""
        return sum(1 << v for v in telling_vlans(self.campus))

    # -- what ports became ---------------------------------------------------------------------------

    def formed(self, ref: PortRef) -> Formed:
        """Returns what a port or LAG became by negotiation with the far end of its link."""
        port = self.port(ref)
        if not negotiates(port):
            return Formed(port, (port,), "")
        links = self.links_of.get(ref, [])
        if len(links) != 1 or links[0].doubt:
            return form(port, None)
        far = links[0].b if ref == links[0].a else links[0].a
        if self.unmanaged(far.switch):
            return form_among(port, list(self._around(ref, far)))
        made = form(port, self.port(far), same_group=self._same_group(ref, far))
        return made if self.lag_forms(links[0]) else made.or_either(port)

    def _around(self, ref: PortRef, hub: PortRef) -> Iterator[tuple[Port, bool]]:
        """Yields the ports of other devices behind the hub that a port is cabled to, and whether groups let them agree."""
        for other in self.clusters[hub.switch]:
            if other != ref:
                yield self.port(other), self._same_group(ref, other)

    def _same_group(self, a: PortRef, b: PortRef) -> bool:
        return len({self.switches[a.switch].sync_group, self.switches[b.switch].sync_group} - {""}) < 2

    def settled(self, ref: PortRef) -> Port:
        """Returns a port or LAG as it is after negotiation, as far as that is known."""
        port = self.port(ref)
        return self.formed(ref).usual if negotiates(port) else port


def _formats(switches: Iterable[Switch]) -> set[str]:
    return {p.tag_format for s in switches for p in s.ports.values()}
