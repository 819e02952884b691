"""Who hears a broadcast: the plainest question to the graph, and the one real switches can be asked too."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from functools import cached_property
from typing import NamedTuple, TypeAlias

from inkov.forwarding.classes import Classes
from inkov.forwarding.graph import Graph
from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Mask, RelayMap, Tags, View
from inkov.kinds.table import by_access_vlan
from inkov.model.names import PortRef
from inkov.model.vlanset import bits


class HeardAt(NamedTuple):
    """A port where a frame leaves the campus.

    Attributes:
        at: the edge port.
        tags: VIDs on the frame as it leaves there, outermost first; empty when untagged.
    """

    at: PortRef
    tags: Tags


Starts: TypeAlias = tuple[tuple[str, Domain, Tags], ...]
"""Where a frame starts: switch, domain, tags inside."""


class Flooding:
    """Floods over one campus; what two ports have in common is worked out once."""

    def __init__(self, network: Network, view: View = View.USUAL, like: Flooding | None = None) -> None:
        """Makes floods over a campus.

        Args:
            network: the campus.
            view: how what is not stated is read.
            like: floods over another campus that has some switches the same; what was worked out for those is used.
        """
        self.network = network
        self.view = view
        self._like = like
        self._groups: dict[Domain, dict[str, tuple[str, frozenset[str]]]] = defaultdict(dict)
        self._reached: dict[Starts, list[HeardAt]] = {}
        self._ports: dict[Starts, frozenset[PortRef]] = {}
        self._out: dict[str, Mapping[Domain, list[PortRef]]] = {}
        self._plain: dict[str, frozenset[PortRef]] = {}
        self._domains: dict[PortRef, Mask] = {}
        self._heard: dict[PortRef, frozenset[PortRef]] = {}
        self._stays: dict[Domain, bool] = {}
        self._strays: dict[Mask, Mask] = {}
        self._reached_from: dict[tuple[str, Domain], frozenset[str]] = {}
        self._one_way: dict[Domain, set[str]] = {}
        self._elsewhere: dict[tuple[Domain, Domain], frozenset[str]] = {}
        self._same_reach: dict[tuple[frozenset[str], frozenset[str]], bool] = {}

    @cached_property
    def _graph(self) -> Graph:
        return self.network.graph(self.view)

    def sources(self) -> Iterator[PortRef]:
        """Yields all edge ports, in natural order."""
        for refs in self.network.edge_ports.values():
            yield from refs

    def heard(self, source: PortRef, tags: Tags = ()) -> list[HeardAt]:
        """Returns the edge ports that hear a broadcast sent into `source`, in natural order.

        The sender itself is left out, even where a loop brings its frame back.

        Args:
            source: an edge port.
            tags: VIDs on the frame as it is sent, outermost first.
        """
        return [h for h in self.spread(source, tags) if h.at != source]

    def spread(self, source: PortRef, tags: Tags = ()) -> list[HeardAt]:
        """Returns what `heard` does with the sender among them; the same list for all ports whose frames start alike."""
        starts = self._starts(source, tags)
        if starts not in self._reached:
            self._reached[starts] = self._leaving(starts)
        return self._reached[starts]

    def ports(self, source: PortRef) -> frozenset[PortRef]:
        """Returns the ports of `spread` alone, of an untagged broadcast; the same set for all whose frames start alike.

        It is the very set of the campus this one is like, where nothing that differs touches frames of the port.
        """
        if source not in self._heard:
            self._heard[source] = self._ports_of(source)
        return self._heard[source]

    def _ports_of(self, source: PortRef) -> frozenset[PortRef]:
        if self._like is not None and source.switch in self.same:
            domains = self.domains(source)
            if self.untouched(domains) or all(self._reaches_alike(source.switch, d) for d in bits(domains)):
                return self._like.ports(source)
        starts = self._starts(source, ())
        if starts not in self._ports:
            found: set[PortRef] = set()
            for switch, domain, inner in self._places(starts):
                found.update(self._hearers(switch, domain, inner))
            self._ports[starts] = frozenset(found)
        return self._ports[starts]

    def _places(self, starts: Starts) -> Iterable[tuple[str, Domain, Tags]]:
        """Returns everywhere that frames get to; of domains that no link tells apart, and that stay what they are, one is followed."""
        if any(inner or not self.stays(domain) for _, domain, inner in starts):
            return self._followed(starts)
        found: dict[tuple[str, Domain, Tags], None] = {}
        for switch, domain, _ in starts:
            found.update(((s, domain, ()), None) for s in self.reached(switch, domain))
        return found

    def _followed(self, starts: Starts) -> Iterable[tuple[str, Domain, Tags]]:
        """Returns everywhere that frames get to; where a search gives up in *may*, no less than that, without their tags."""
        reach = self._graph.reach(starts)
        if not reach.cut or self.view is not View.MAY:
            return reach.places()
        beyond = self._graph.beyond(starts)
        return (*reach.places(), *((s, d, ()) for s, mask in beyond.items() for d in bits(mask)))

    def reached(self, switch: str, domain: Domain) -> frozenset[str]:
        """Returns the switches that frames of a domain get to, which turn into no other; one set for all that no link tells apart."""
        one, (home, group) = self._classes.one_for(domain), self._group(switch, domain)
        if (home, one) not in self._reached_from:
            alone = not any(
                e.far.switch not in group and e.hop.carry(1 << one) for s in group for e in self._graph.edges.get(s, ())
            )
            self._reached_from[home, one] = group if alone else frozenset(self._graph.spread({home: 1 << one}))
        return self._reached_from[home, one]

    def _reaches_alike(self, switch: str, domain: Domain) -> bool:
        """Tells whether frames of a domain surely get to the same switches as in the campus this one is like, and these are the same."""
        if self._like is None or not (self.stays(domain) and self._like.stays(domain)):
            return False
        key = self.reached(switch, domain), self._like.reached(switch, domain)
        if key not in self._same_reach:
            self._same_reach[key] = key[0] == key[1] and key[0].isdisjoint(self._other_edges)
        return self._same_reach[key]

    def elsewhere(self, domain: Domain) -> frozenset[str] | None:
        """Returns the switches from which frames of a domain may get elsewhere than in the campus this one is like.

        None where the domain turns into others, so that switches do not tell.
        """
        like = self._like
        if like is None or not (self.stays(domain) and like.stays(domain)):
            return None
        key = self._classes.one_for(domain), like.one_for(domain)
        if key not in self._elsewhere:
            found = set(self.network.switches) - self.same
            left = self.same & like.reaching(domain, self._unlike)
            while left:
                one = next(iter(left))
                group = left & self.around(one, domain) & like.around(one, domain)
                left -= group
                if not self._reaches_alike(one, domain):
                    found |= group
            self._elsewhere[key] = frozenset(found)
        return self._elsewhere[key]

    def reaching(self, domain: Domain, goals: Collection[str]) -> set[str]:
        """Returns no less than the switches from which frames of a domain, which turns into no other, get to some switch."""
        one = self._classes.one_for(domain)
        if one not in self._one_way:
            sides = {self.around(s, one) for s in self.network.switches}
            self._one_way[one] = {s for group in sides if self.reached(next(iter(group)), one) != group for s in group}
        near = (self.around(s, one) for s in goals if s in self.network.switches)
        return self._one_way[one].union(*near)

    @cached_property
    def _unlike(self) -> frozenset[str]:
        """The switches from which frames go on by other links than in the campus this one is like, or are heard by others."""
        if self._like is None:
            return frozenset(self.network.switches)
        mine, theirs = self._graph.edges, self._like.network.graph(self.view).edges
        differ = (
            n for n in mine.keys() | theirs.keys() if mine.get(n) is not theirs.get(n) and mine.get(n) != theirs.get(n)
        )
        return self._other_edges.union(differ)

    def one_for(self, domain: Domain) -> Domain:
        """Returns the domain that stands for all that no link tells apart from one."""
        return self._classes.one_for(domain)

    @cached_property
    def _other_edges(self) -> frozenset[str]:
        """The switches where other edge ports hear frames of a domain than in the campus this one is like."""
        if self._like is None:
            return frozenset()
        mine, theirs = self.network.edge_ports, self._like.network.edge_ports
        differ = (n for n in {*mine, *theirs} if n not in self.same or mine.get(n) != theirs.get(n))
        return frozenset(n for n in differ if self.leaving_by(n) != self._like.leaving_by(n))

    def stays(self, domain: Domain) -> bool:
        """Tells whether frames of a domain turn into no other anywhere."""
        if domain not in self._stays:
            self._stays[domain] = self._graph.becomes(1 << domain) == 1 << domain
        return self._stays[domain]

    @cached_property
    def _classes(self) -> Classes:
        """The domains that no link tells apart."""
        hops = self._graph.hops.values()
        return Classes({mask for hop in hops for mask in (hop.same, *(m for bundle in hop.bundles for m in bundle))})

    def domains(self, source: PortRef) -> Mask:
        """Returns the domains that untagged frames of a port enter."""
        if source not in self._domains:
            if self._like is not None and source.switch in self.same:
                self._domains[source] = self._like.domains(source)
            else:
                self._domains[source] = self.network.relay(source, self.view).in_untagged
        return self._domains[source]

    @cached_property
    def same(self) -> frozenset[str]:
        """The switches that are as in the campus this one is like."""
        theirs = self._like.network.switches if self._like else {}
        return frozenset(n for n, s in self.network.switches.items() if (t := theirs.get(n)) is s or t == s)

    @cached_property
    def _touched(self) -> Mask | None:
        return touched(self._like.network, self.network, self.view, self.same) if self._like else None

    def untouched(self, domains: Mask) -> bool:
        """Tells whether frames that enter some domains go as in the campus this one is like, and are heard by the same."""
        if self._touched is None or self._like is None:
            return False
        if domains not in self._strays:
            graphs = [self._graph, self._like.network.graph(self.view)]
            self._strays[domains] = graphs[0].becomes(domains) | graphs[1].becomes(domains)
        return not self._strays[domains] & self._touched

    def _starts(self, source: PortRef, tags: Tags) -> Starts:
        entered = self.network.relay(source, self.view).accept(tags)
        return tuple((self._home(source.switch, domain), domain, inner) for domain, inner in entered)

    def _hearers(self, switch: str, domain: Domain, inner: Tags) -> Iterable[PortRef]:
        """Returns the edge ports of a switch by which a frame leaves."""
        if inner:
            refs = self.network.edge_ports.get(switch, ())
            return [r for r in refs if self.network.relay(r, self.view).send(domain, inner)]
        return self.leaving_by(switch).get(domain, ())

    def leaving_by(self, switch: str) -> Mapping[Domain, list[PortRef]]:
        """Returns the edge ports of a switch by the domains that leave there: who hears a frame without tags inside."""
        if switch not in self._out:
            refs, like = self.network.edge_ports.get(switch, []), self._like
            if like is not None and switch in self.same and refs == like.network.edge_ports.get(switch):
                self._out[switch] = like.leaving_by(switch)
            else:
                self._out[switch] = self._by_domain(switch, refs)
        return self._out[switch]

    def _plain_ports(self, switch: str) -> frozenset[PortRef]:
        """Returns the edge ports of a switch that are plain access ports, which frames of their VLAN leave untagged."""
        if switch not in self._plain:
            refs = self.network.edge_ports.get(switch, []) if self.view is View.USUAL else []
            plain, _ = by_access_vlan(refs, self.network.switches[switch].ports) if refs else ({}, refs)
            self._plain[switch] = frozenset(ref for some in plain.values() for ref in some)
        return self._plain[switch]

    def _by_domain(self, switch: str, refs: list[PortRef]) -> Mapping[Domain, list[PortRef]]:
        found: dict[Domain, list[PortRef]] = defaultdict(list)
        if not refs:
            return found  # as of a switch that only the campus this one is like has
        if self.view is View.USUAL:  # plain access ports, as nearly all are, need no relay map of their own
            ports, active = self.network.switches[switch].ports, self.network.active(switch)
            plain, refs = by_access_vlan(refs, ports)
            found.update((vid, some) for vid, some in plain.items() if active >> vid & 1)
        for ref in refs:
            for domain in bits(self.network.relay(ref, self.view).sends):
                found[domain].append(ref)
        return found

    def _home(self, switch: str, domain: Domain) -> str:
        """Returns one switch for all from which frames of a domain get to the same places.

        Those are joined by links that carry the domain both ways, and it turns into no other anywhere.
        """
        return self._group(switch, domain)[0] if self.stays(domain) else switch

    def around(self, switch: str, domain: Domain) -> frozenset[str]:
        """Returns the switches from which frames of a domain that turns into no other get to the same places as from one."""
        return self._group(switch, domain)[1]

    def _group(self, switch: str, domain: Domain) -> tuple[str, frozenset[str]]:
        one = self._classes.one_for(domain)
        groups = self._groups[one]
        if switch not in groups:
            found = frozenset(self._graph.joined(switch, one))
            groups.update(dict.fromkeys(found, (switch, found)))
        return groups[switch]

    def _leaving(self, starts: Starts) -> list[HeardAt]:
        found: set[HeardAt] = set()
        for switch, domain, inner in self._places(starts):
            plain = self._plain_ports(switch) if not inner else ()
            for ref in self._hearers(switch, domain, inner):
                for tags in [()] if ref in plain else self.network.relay(ref, self.view).send(domain, inner):
                    found.add(HeardAt(ref, tags))
        return sorted(found, key=lambda h: (h.at.order, h.tags))


def touched(before: Network, after: Network, view: View, same: Collection[str]) -> Mask | None:
    """Returns the domains whose frames may take other ways, or be heard by others; None where domains alone do not tell.

    Args:
        before: a campus.
        after: another.
        view: how what is not stated is read.
        same: the switches that are the same in both.
    """
    one, other = before.graph(view), after.graph(view)
    if one.stacked or other.stacked:
        return None
    found = 0
    was, now = one.hops, other.hops
    for ends in was.keys() | now.keys():
        if was.get(ends) is not now.get(ends) and was.get(ends) != now.get(ends):
            for hop in filter(None, (was.get(ends), now.get(ends))):
                found |= hop.same
                for out, into in hop.bundles:
                    found |= out | into
    for name in before.edge_ports.keys() | after.edge_ports.keys():
        mine, theirs = before.edge_ports.get(name, ()), after.edge_ports.get(name, ())
        if name not in same or mine != theirs:
            found |= _at_edges({r: before.relay(r, view) for r in mine}, {r: after.relay(r, view) for r in theirs})
    return found


def _at_edges(before: Mapping[PortRef, RelayMap], after: Mapping[PortRef, RelayMap]) -> Mask:
    """Returns the domains of those edge ports of a switch that are not the same in both."""
    found = 0
    for ref in before.keys() | after.keys():
        pair = before.get(ref), after.get(ref)
        if pair[0] != pair[1]:
            for relay in filter(None, pair):
                found |= relay.sends | relay.takes
    return found
