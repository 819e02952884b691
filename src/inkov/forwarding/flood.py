"""Who hears a broadcast: the plainest question to the graph, and the one real switches can be asked too."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple, TypeAlias

from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Mask, Tags, View
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
        self._homes: dict[tuple[str, Domain], str] = {}
        self._reached: dict[Starts, list[HeardAt]] = {}
        self._ports: dict[Starts, frozenset[PortRef]] = {}
        self._out: dict[str, Mapping[Domain, list[PortRef]]] = {}

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
        """Returns the ports of `spread` alone, of an untagged broadcast; the same set for all whose frames start alike."""
        starts = self._starts(source, ())
        if starts not in self._ports:
            found: set[PortRef] = set()
            for switch, domain, inner in self.network.graph(self.view).reach(starts).places():
                found.update(self._hearers(switch, domain, inner))
            self._ports[starts] = frozenset(found)
        return self._ports[starts]

    def domains(self, source: PortRef) -> Mask:
        """Returns the domains that untagged frames of a port enter."""
        return self.network.relay(source, self.view).in_untagged

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
            if (
                like is not None
                and self.network.switches[switch] is like.network.switches.get(switch)
                and refs == like.network.edge_ports.get(switch)
            ):
                self._out[switch] = like.leaving_by(switch)
            else:
                by_domain: dict[Domain, list[PortRef]] = defaultdict(list)
                for ref in refs:
                    for domain in bits(self.network.relay(ref, self.view).sends):
                        by_domain[domain].append(ref)
                self._out[switch] = by_domain
        return self._out[switch]

    def _home(self, switch: str, domain: Domain) -> str:
        """Returns one switch for all from which frames of a domain get to the same places.

        Those are joined by links that carry the domain both ways, and it turns into no other anywhere.
        """
        if (switch, domain) not in self._homes:
            graph = self.network.graph(self.view)
            alike = {switch} if graph.becomes(1 << domain) != 1 << domain else graph.joined(switch, domain)
            self._homes |= dict.fromkeys(((s, domain) for s in alike), switch)
        return self._homes[switch, domain]

    def _leaving(self, starts: Starts) -> list[HeardAt]:
        found: set[HeardAt] = set()
        for switch, domain, inner in self.network.graph(self.view).reach(starts).places():
            for ref in self.network.edge_ports.get(switch, ()):
                for tags in self.network.relay(ref, self.view).send(domain, inner):
                    found.add(HeardAt(ref, tags))
        return sorted(found, key=lambda h: (h.at.order, h.tags))
