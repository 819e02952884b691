"""Who hears whom on one campus, worked out where it is asked for; between two campuses, only where they may differ."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping
from functools import cached_property
from itertools import chain
from typing import Final, NamedTuple

from inkov.forwarding.flood import Flooding
from inkov.forwarding.network import Network
from inkov.kinds.relay import Mask
from inkov.kinds.table import by_access_vlan
from inkov.model.names import PortRef

_NOBODY: Final = frozenset[PortRef]()


class Plugged(NamedTuple):
    """Devices of somebody's own, and the port where they are plugged in: whoever hears them hears that port."""

    at: PortRef
    devices: Collection[str]


class Hearing:
    """Who hears untagged broadcasts of edge ports, as a network stands.

    Attributes:
        network: of which campus.
        like: of the campus whose sets it uses, if any.
        flooding: the floods over it.
    """

    def __init__(self, network: Network, like: Hearing | None = None, plugged: Plugged | None = None) -> None:
        """Makes it of a network.

        Args:
            network: as it stands.
            like: of a campus that has some switches the same; where nothing that differs has a say, its sets are used.
            plugged: devices that are taken for the port they are plugged into.
        """
        self.network = network
        self.like = like
        self._plugged = plugged
        self.flooding: Flooding = Flooding(network, like=like.flooding if like else None)

    def of(self, ref: PortRef) -> frozenset[PortRef]:
        """Returns who hears a port, itself among them; nobody hears what is no edge port.

        Ports that are heard alike share one set, also with the campus this one is like.
        """
        if self._plugged is None:
            return self._own(ref)
        at, devices = self._plugged
        if ref.switch in devices:
            return _NOBODY
        heard = self._own(ref)
        if ref == at:
            theirs = (r for d in devices for r in self.network.edge_ports.get(d, ()))
            heard = heard.union(*map(self._own, theirs))
        inside = {r for r in heard if r.switch in devices}
        return heard - inside | {at} if inside else heard

    def _own(self, ref: PortRef) -> frozenset[PortRef]:
        if ref not in self.network.edge_ports.get(ref.switch, ()):
            return _NOBODY
        return self.flooding.ports(ref)

    @cached_property
    def alike(self) -> Mapping[Mask, Mapping[str, list[PortRef]]]:
        """Edge ports by the domains that their untagged frames enter, and by switch: those of one list are heard alike."""
        found: dict[Mask, dict[str, list[PortRef]]] = defaultdict(lambda: defaultdict(list))
        for name, refs in self.network.edge_ports.items():
            ports, active = self.network.switches[name].ports, self.network.active(name)
            plain, others = by_access_vlan((ref, ports[ref.port]) for ref in refs)
            for vid, some in plain.items():
                found[1 << vid & active][name] += some
            for ref in others:
                found[self.flooding.domains(ref)][name].append(ref)
        return found

    @cached_property
    def changed(self) -> frozenset[PortRef]:
        """The ports that may be heard by others than in the campus this one is like, or be in one of the two alone."""
        if self.like is None:
            return frozenset(self.edges())
        mine, theirs = self.network.edge_ports, self.like.network.edge_ports
        found: set[PortRef] = set() if self._plugged is None else {self._plugged.at}
        for name in {*mine, *theirs}:
            if name not in self.flooding.same or mine.get(name) != theirs.get(name):
                found.update(mine.get(name, ()), theirs.get(name, ()))
        for domains, by_switch in self.like.alike.items():
            if not self.flooding.untouched(domains):
                found.update(chain.from_iterable(by_switch.values()))
        return frozenset(found)

    def edges(self) -> Iterator[PortRef]:
        """Yields all edge ports."""
        return chain.from_iterable(self.network.edge_ports.values())


def differing(one: Hearing, other: Hearing) -> list[PortRef]:
    """Returns the ports that may be heard by others on one campus than on the other, in natural order; all else are not."""
    if other.like is one:
        found = other.changed
    elif one.like is other:
        found = one.changed
    elif one.like is not None and one.like is other.like:
        found = one.changed | other.changed
    else:
        found = frozenset(chain(one.edges(), other.edges()))
    return sorted((r for r in found if one.of(r) is not other.of(r)), key=lambda r: r.order)
