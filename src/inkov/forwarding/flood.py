"""Who hears a broadcast: the plainest question to the graph, and the one real switches can be asked too."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Tags, View
from inkov.model.names import PortRef


class HeardAt(NamedTuple):
    """A port where a frame leaves the campus.

    Attributes:
        at: the edge port.
        tags: VIDs on the frame as it leaves there, outermost first; empty when untagged.
    """

    at: PortRef
    tags: Tags


class Flooding:
    """Floods over one campus; what two ports have in common is worked out once."""

    def __init__(self, network: Network, view: View = View.USUAL) -> None:
        self.network = network
        self.view = view
        self._homes: dict[tuple[str, Domain], str] = {}
        self._reached: dict[tuple[tuple[str, Domain, Tags], ...], list[HeardAt]] = {}

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
        entered = self.network.relay(source, self.view).accept(tags)
        starts = tuple((self._home(source.switch, domain), domain, inner) for domain, inner in entered)
        if starts not in self._reached:
            self._reached[starts] = self._leaving(starts)
        return self._reached[starts]

    def _home(self, switch: str, domain: Domain) -> str:
        """Returns one switch for all from which frames of a domain get to the same places.

        Those are joined by links that carry the domain both ways, and it turns into no other anywhere.
        """
        if (switch, domain) not in self._homes:
            graph = self.network.graph(self.view)
            alike = {switch} if graph.becomes(1 << domain) != 1 << domain else graph.joined(switch, domain)
            self._homes |= dict.fromkeys(((s, domain) for s in alike), switch)
        return self._homes[switch, domain]

    def _leaving(self, starts: tuple[tuple[str, Domain, Tags], ...]) -> list[HeardAt]:
        found: set[HeardAt] = set()
        for switch, domain, inner in self.network.graph(self.view).reach(starts).places():
            for ref in self.network.edge_ports.get(switch, ()):
                for tags in self.network.relay(ref, self.view).send(domain, inner):
                    found.add(HeardAt(ref, tags))
        return sorted(found, key=lambda h: (h.at.order, h.tags))
