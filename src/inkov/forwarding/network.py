"""A campus with its forwarding worked out, each part once and when first asked for: what every question is put to.

Rules, proofs and tables ask here for links, ladders, trees, pruning, needs, islands, gateways and sync groups, and for
the directed graph on (switch, domain) in each view.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from itertools import combinations, groupby, product
from typing import NamedTuple

from inkov.forwarding.bridging import Bridging
from inkov.forwarding.cabling import Link
from inkov.forwarding.gateways import Gateways
from inkov.forwarding.graph import Edge, Graph
from inkov.forwarding.hop import Hop
from inkov.forwarding.islands import Islands
from inkov.forwarding.labels import by_labels, labelled_alike
from inkov.forwarding.ladder import Ladder, Ladders
from inkov.forwarding.needs import Needs
from inkov.forwarding.pruning import Pruning
from inkov.forwarding.trees import Blocking, Trees
from inkov.kinds.accounts import is_stated
from inkov.kinds.relay import AS_IT_IS, Mask, RelayMap, View
from inkov.kinds.table import joins_vlans
from inkov.model.campus import Cable, Campus, Host
from inkov.model.names import PortRef, natural, unknown_port
from inkov.model.remembered import remembered
from inkov.model.settings import Setting
from inkov.model.switch import Kind
from inkov.model.touching import doubted
from inkov.model.vlanset import FULL_MASK, Vid, VlanSet

Limited = tuple[Mask, Mask, RelayMap, RelayMap, Hop]
"""What a tree and pruning let out of one end of a link and into the other, what the ends do, and what crosses."""


class Domains(NamedTuple):
    """Ports of a switch with the domains of honest stations there.

    Attributes:
        refs: the ports.
        sent: the domains that their stations send in.
        heard: the domains that they hear.
        sent_by_one: those that the one untagged station of each sends in, where it may be in several VLANs; else none.
        heard_by_one: those that it hears.
        unanswered: those that leave with a tag that the port takes no frames by.
    """

    refs: list[PortRef]
    sent: Mask
    heard: Mask
    sent_by_one: Mask
    heard_by_one: Mask
    unanswered: Mask


class Network(Bridging):
    """The forwarding of one campus."""

    def __init__(self, campus: Campus, failed: frozenset[str] = frozenset(), like: Network | None = None) -> None:
        super().__init__(campus, failed, like)
        self._graphs: dict[tuple[View, Blocking], Graph] = {}
        self._live_members_of: dict[Mask, tuple[PortRef, ...]] = {}
        self._uncommon_domains: dict[View, list[Domains]] = {}
        self._limited: dict[tuple[PortRef, PortRef, View, Blocking], Limited] = {}

    @cached_property
    def doubted(self) -> Network:
        """The campus as proofs take it: what files state and the model does not follow is not known. Itself where all is followed."""
        campus = doubted(self.campus)
        return self if campus is self.campus else Network(campus, self.failed, self)

    def uncommon_domains(self, view: View) -> list[Domains]:
        """Returns what `honest_domains` does of the ports of `uncommon`; worked out once."""
        if view not in self._uncommon_domains:
            self._uncommon_domains[view] = self.honest_domains(self.uncommon, view)
        return self._uncommon_domains[view]

    def honest_domains(self, refs: Iterable[PortRef], view: View) -> list[Domains]:
        """Returns ports with the domains of honest stations there.

        Ports of a switch that follow each other and are alike in this stand together.
        """
        each = ((ref, self.domains_of(ref, view)) for ref in refs)
        alike = groupby(each, key=lambda of: (of[0].switch, of[1]))
        return [Domains([ref for ref, _ in some], *masks) for (_, masks), some in alike]

    @remembered
    def domains_of(self, ref: PortRef, view: View) -> tuple[Mask, Mask, Mask, Mask, Mask]:
        """Returns the domains of honest stations on a port, as `Domains` has them."""
        like = self._like
        if like is not None and ref not in self.cabled and ref not in like.cabled and self.set_alike(ref, view):
            return like.domains_of(ref, view)
        relay = self.honest(ref, view)
        one = (relay.in_untagged, relay.out_untagged) if joins_vlans(self.settled(ref)) else (0, 0)
        return self.own_domains(ref, view), relay.sends, *one, relay.unanswered

    @cached_property
    def labelled(self) -> list[tuple[PortRef, PortRef]]:
        """Ports that are cabled by the labels at both ends alone: a label is text, and they may be or not."""
        return by_labels(self.switches, self.cabling)

    @property
    def uncabled(self) -> bool:
        """There are several switches, and nothing says that any two devices are cabled."""
        switches = [s for s in self.switches.values() if s.kind is Kind.SWITCH]
        return len(switches) > 1 and not (self.links or self.labelled or any(s.heard for s in switches))

    @cached_property
    def followed(self) -> Network:
        """The campus with the cables that labels alone name, which audits and traces follow; itself where none do."""
        return self._following(self.labelled)

    def followed_from(self, before: Network) -> Network:
        """Returns the campus as `followed`, after something was done.

        Cables that labels named before are still there while the labels are: shutting a port unplugs nothing.

        Args:
            before: `followed` of the campus before.
        """
        like = self._cabled_like
        if like is not None and all(labelled_alike(like.switches[n], self.switches[n]) for n in self._others):
            return self._following(before.inferred, before)
        taken = {e for pair in self.labelled for e in pair} | self.cabling.known
        stay = [
            pair
            for pair in before.inferred
            if taken.isdisjoint(pair) and all(self.has(e) and self.port(e).label == before.port(e).label for e in pair)
        ]
        return self._following(sorted([*self.labelled, *stay], key=lambda p: p[0].order), before)

    def _following(self, pairs: Sequence[tuple[PortRef, PortRef]], like: Network | None = None) -> Network:
        """Returns the campus with cables between some ports, as labels name them; itself where there are none."""
        if not pairs:
            return self
        cables = (Cable(a, b, self.port(a).origin.of(Setting.LABEL), inferred=True) for a, b in pairs)
        return Network(replace(self.campus, cables=(*self.campus.cables, *cables)), self.failed, like)

    @cached_property
    def inferred(self) -> list[tuple[PortRef, PortRef]]:
        """The cables that labels alone name and that this network follows."""
        return [(c.a, c.b) for c in self.campus.cables if c.inferred]

    @cached_property
    def trees(self) -> Trees:
        """The spanning trees, as they usually are: what does not say which tree it runs, runs what the others do."""
        return Trees(self)

    @cached_property
    def sure_trees(self) -> Trees:
        """The spanning trees, with nothing taken for granted; for proofs."""
        return Trees(self, strict=True) if any(part.taken for part in self.trees.parts) else self.trees

    @cached_property
    def pruning(self) -> Pruning:
        """Dynamic pruning."""
        return Pruning(self, self.sure_trees)

    @cached_property
    def _ladders(self) -> Ladders:
        return Ladders(self, self.trees, self.pruning)

    def ladder(self, link: Link) -> Ladder:
        """Returns what a link carries and why the rest is lost."""
        return self._ladders.of(link)

    @cached_property
    def islands(self) -> Islands:
        """The islands of every VLAN."""
        return Islands(self, self._ladders)

    @cached_property
    def needs(self) -> Needs:
        """What every link must carry."""
        return Needs(self, self.graph(View.MAY), self.trees)

    @cached_property
    def gateways(self) -> Gateways:
        """The gateways between VLANs."""
        return Gateways(self)

    @cached_property
    def _hosts_at(self) -> Mapping[PortRef, list[tuple[int, Host]]]:
        found: dict[PortRef, list[tuple[int, Host]]] = defaultdict(list)
        for n, host in enumerate(self.campus.hosts.values()):
            for ref in self.seen_at(host.port):
                found[ref].append((n, host))
        return found

    def hosts_on(self, ports: Iterable[PortRef]) -> list[Host]:
        """Returns the hosts on some ports, in the order of the campus."""
        found = dict(placed for ref in ports for placed in self._hosts_at.get(ref, ()))
        return [found[n] for n in sorted(found)]

    def seen_at(self, ref: PortRef) -> frozenset[PortRef]:
        """Returns where a switch first looks at frames of a station on a port.

        That is the port itself; for a member of a LAG the LAG, for a port of an unmanaged device the switch ports behind it.
        """
        if self.switches[ref.switch].kind is not Kind.UNMANAGED:
            port = self.switches[ref.switch].ports.get(ref.port)
            return frozenset([PortRef(ref.switch, port.lag) if port is not None and port.lag else ref])
        found: set[PortRef] = set()
        todo, seen = [ref.switch], {ref.switch}
        while todo:
            box = todo.pop()
            for link in self.links_at.get(box, ()):
                far = link.b if link.a.switch == box else link.a
                if self.switches[far.switch].kind is not Kind.UNMANAGED:
                    found.add(far)
                elif far.switch not in seen:
                    seen.add(far.switch)
                    todo.append(far.switch)
        return frozenset(found)

    def live_members_of(self, vlans: VlanSet) -> tuple[PortRef, ...]:
        """Returns the live member ports of some VLANs; the same to all who ask for the same."""
        if vlans.mask not in self._live_members_of:
            found = (ref for v in vlans for refs in self.live_members(v).values() for ref in refs)
            self._live_members_of[vlans.mask] = tuple(found)
        return self._live_members_of[vlans.mask]

    @cached_property
    def vlans_named(self) -> Mapping[str, set[Vid]]:
        """The VLANs of each name that a table gives."""
        found: dict[str, set[Vid]] = defaultdict(set)
        tables = {id(s.vlans): s.vlans for s in self.switches.values() if s.vlans}  # equal ones are shared
        for table in tables.values():
            for vid, entry in table.items():
                if entry.name:
                    found[entry.name].add(vid)
        return dict(found)

    @remembered
    def heeded(self, view: View = View.USUAL) -> Mask:
        """Returns the VLANs that stations are in, and those that frames of these get into by changing their VLAN.

        In *may* that can be every VLAN, as ports of which nothing is known may do anything: of those that no list, table or port
        tells apart, one stands for all, as frames in one of them get where those in the other do.
        """
        graph = self.graph(View.MAY if view is View.MAY else View.USUAL, Blocking.IGNORED)
        leaks = {pair for edges in graph.edges.values() for e in edges for pair in e.hop.leaks}
        found = before = self.used
        if view is View.MAY and not all(is_stated(self.port(e).switching) for k in self.links for e in (k.a, k.b)):
            found = before = FULL_MASK  # a tunnel puts frames into any VLAN
        while True:
            for out, into in leaks:
                found |= into & FULL_MASK if out & (found | 1) else 0
            if found == before:
                break
            before = found
        known = self.used if view is not View.MAY else self.heeded()
        return found if view is not View.MAY or found == known else known | found & self.telling

    # -- the graph -----------------------------------------------------------------------------------

    def hop_today(self, near: PortRef, far: PortRef, view: View, tree: Blocking) -> Hop:
        """Returns what crosses a link with today's tree and pruning."""
        if tree is Blocking.IGNORED:
            return self.hop(near, far, view)
        trees = self.trees if view is View.USUAL else self.sure_trees
        into, out = (
            (trees.allows(far, view), trees.allows(near, view))
            if tree is Blocking.SURE
            else (~trees.blocks(far, view), ~trees.blocks(near, view))
        )
        out &= ~self.pruning.pruned(near, view)
        if out == into == -1:
            return self.hop(near, far, view)
        made = out, into, self.relay(near, view), self.relay(far, view)
        key = near, far, view, tree
        known = self._like.limited_hop(key) if self._like else None
        if known is None or known[:2] != made[:2] or known[2] is not made[2] or known[3] is not made[3]:
            known = *made, Hop.between(made[2].limited(out, out), made[3].limited(into, into))
        self._limited[key] = known
        return known[4]

    def limited_hop(self, key: tuple[PortRef, PortRef, View, Blocking]) -> Limited | None:
        """Returns what crosses a link that a tree or pruning limits, if that was worked out before."""
        return self._limited.get(key)

    def graph(self, view: View, tree: Blocking | None = None) -> Graph:
        """Returns the directed graph on (switch, domain) in a view.

        Args:
            view: how what is not stated is read.
            tree: which of the tree's and of pruning's blocks count; none in *may*, else all that are possible.
        """
        tree = tree or (Blocking.IGNORED if view is View.MAY else Blocking.SURE)
        if (view, tree) not in self._graphs:
            alike = view is View.USUAL and tree is Blocking.SURE
            self._graphs[view, tree] = (self._graph_like() if alike else None) or self._graph_of_links(view, tree)
        return self._graphs[view, tree]

    def _graph_of_links(self, view: View, tree: Blocking) -> Graph:
        graph = Graph(sure=view is View.MUST)
        for link in self.links:
            if link.up and self.counts(link, view):
                self._join(graph, link.a, link.b, view, tree)
        if view is View.MAY:
            self._join_doubtful(graph)
            for a, b in self.labelled:
                self._join(graph, a, b, View.MAY, Blocking.IGNORED)
            self._join_loose(graph)
            self._join_outside(graph)
        return graph

    def _graph_like(self) -> Graph | None:
        """Returns the usual graph as that of the campus this is like, with other edges at switches where links differ."""
        like = self._like
        if like is None or self.unlike is None or any(s.prunes for n in (self, like) for s in n.switches.values()):
            return None
        limited = (k for ref in self.trees.limited_unlike(like.trees) for k in self.links_of.get(ref, ()))
        names = {e.switch for e in self.unlike} | {e.switch for k in limited for e in (k.a, k.b)}
        return like.graph(View.USUAL).with_edges({name: list(self._edges_out_of(name)) for name in names})

    def _edges_out_of(self, name: str) -> Iterator[Edge]:
        for link in self.links_at.get(name, ()):
            if link.up and self.counts(link, View.USUAL):
                for near, far in ((link.a, link.b), (link.b, link.a)):
                    if near.switch == name:
                        yield Edge(near, far, self.hop_today(near, far, View.USUAL, Blocking.SURE))

    def counts(self, link: Link, view: View) -> bool:
        """Tells whether a link is one in a view."""
        if view is View.MAY:
            return True
        if view is View.USUAL:
            return not link.doubt and not self.lag_failure(link)
        return not link.doubt and self.lag_forms(link) is True and not self.unsure(link)

    def _join(self, graph: Graph, a: PortRef, b: PortRef, view: View, tree: Blocking) -> None:
        graph.join(a, b, self.hop_today(a, b, view, tree), self.hop_today(b, a, view, tree))

    def _join_doubtful(self, graph: Graph) -> None:
        """Joins all the far ends that discovery gives one port: they may be on one cable, or behind one hub."""
        fars: dict[PortRef, list[PortRef]] = defaultdict(list)
        for link in self.links:
            if link.doubt:
                fars[link.a].append(link.b)
                fars[link.b].append(link.a)
        for ends in fars.values():
            for a, b in combinations(ends, 2):
                self._join(graph, a, b, View.MAY, Blocking.IGNORED)

    def _join_loose(self, graph: Graph) -> None:
        """Joins the cables of LAGs that may not form one by one: members may pass frames by themselves, and to each other."""
        for link in self.links:
            if not link.up or self.lag_forms(link) is True:
                continue
            for wire in link.wires:
                if not (self.port(wire.a).enabled and self.port(wire.b).enabled):
                    continue
                for a, b in product(dict.fromkeys((wire.a, link.a)), dict.fromkeys((wire.b, link.b))):
                    if (a, b) != (link.a, link.b):
                        one, other = self.loose(a), self.loose(b)
                        graph.join(a, b, Hop.between(one, other), Hop.between(other, one))

    def _join_outside(self, graph: Graph) -> None:
        """Adds systems that are not in the campus and were heard in two places or more: they may join anything."""
        for name, refs in sorted(self.cabling.strangers().items(), key=lambda item: natural(item[0])):
            awake = sorted({r for r in refs if self.port(r).enabled}, key=lambda r: r.order)
            if len(awake) > 1 or (awake and name in self.switches):
                self._join_unknown(graph, name, awake)

    def _join_unknown(self, graph: Graph, name: str, ports: list[PortRef]) -> None:
        looks = name in self.switches and self.switches[name].kind is not Kind.UNMANAGED
        anything = self.active(name, View.MAY) if looks else AS_IT_IS
        taken = self.switches[name].ports if name in self.switches else ()
        for ref in ports:
            lag = self.port(ref).lag
            own = PortRef(ref.switch, lag) if lag else ref
            relay = self.relay(own, View.MAY)
            far = PortRef(name, unknown_port(own, taken))  # its ports are not known, but they are different ones
            graph.join(
                own,
                far,
                Hop.through_unknown(relay.sends, anything),
                Hop.through_unknown(anything, relay.takes),
            )
