"""Who hears whom on one campus, worked out where it is asked for; between two campuses, only where they may differ."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
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
            plain, others = by_access_vlan(refs, ports)
            for vid, some in plain.items():
                found[1 << vid & active][name] += some
            for ref in others:
                found[self.flooding.domains(ref)][name].append(ref)
        return found

    @cached_property
    def changed(self) -> Sequence[Sequence[PortRef]]:
        """The ports that may be heard by others than in the campus this one is like, or be in one of the two alone.

        Those that are heard alike on both campuses stand together.
        """
        if self.like is None:
            return [[ref] for ref in self.edges()]
        mine, theirs = self.network.edge_ports, self.like.network.edge_ports
        apart = {n for n in {*mine, *theirs} if n not in self.flooding.same or mine.get(n) != theirs.get(n)}
        apart |= set() if self._plugged is None else {self._plugged.at.switch}
        single = {ref for name in apart for ref in (*mine.get(name, ()), *theirs.get(name, ()))}
        found: list[Sequence[PortRef]] = [[ref] for ref in single]
        for domains, by_switch in self.like.alike.items():
            if not self.flooding.untouched(domains):
                found += [refs for name, refs in by_switch.items() if name not in apart]
        return found

    def edges(self) -> Iterator[PortRef]:
        """Yields all edge ports."""
        return chain.from_iterable(self.network.edge_ports.values())


class Shift(NamedTuple):
    """Ports that are heard alike, and who hears them on one campus and did not on another, or no longer does."""

    refs: Sequence[PortRef]
    gained: frozenset[PortRef]
    lost: frozenset[PortRef]


def shifts(one: Hearing, other: Hearing) -> Iterator[Shift]:
    """Yields the ports that may be heard by others on one campus than on the other, those that are heard alike at once."""
    groups: Iterable[Sequence[PortRef]]
    if other.like is one:
        groups = other.changed
    elif one.like is other:
        groups = one.changed
    elif one.like is not None and one.like is other.like:
        groups = [[ref] for ref in {*chain(*one.changed), *chain(*other.changed)}]
    else:
        groups = [[ref] for ref in {*one.edges(), *other.edges()}]
    known: dict[
        tuple[int, int], tuple[frozenset[PortRef], ...]
    ] = {}  # the sets are held, so that their identity stays their own
    for refs in groups:
        was, now = one.of(refs[0]), other.of(refs[0])
        if was is not now:
            if (id(was), id(now)) not in known:
                known[id(was), id(now)] = was, now, now - was, was - now
            _, _, gained, lost = known[id(was), id(now)]
            yield Shift(refs, gained, lost)


def pairs(refs: Collection[PortRef], others: frozenset[PortRef]) -> int:
    """Returns how many pairs of a port and another there are."""
    return len(refs) * len(others) - sum(ref in others for ref in refs)
