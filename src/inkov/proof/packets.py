"""Which packets are worth following: one for each class that no filter and no route tells apart."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from ipaddress import IPv4Address, IPv4Network, IPv6Address, IPv6Network
from typing import Final, NamedTuple, TypeAlias

from inkov.forwarding.gateways import Gateways
from inkov.model.routing import Ip, Prefix

ANYWHERE: Final[tuple[Prefix, ...]] = (IPv4Network("0.0.0.0/0"), IPv6Network("::/0"))

Span: TypeAlias = tuple[int, int]
"""The first and the last address of a prefix."""


class Packet(NamedTuple):
    """A packet by its two addresses."""

    source: Ip
    target: Ip

    def __str__(self) -> str:
        return f"{self.source} to {self.target}"

    @property
    def back(self) -> Packet:
        """The answer to it."""
        return Packet(self.target, self.source)


@dataclass(frozen=True)
class Classes:
    """The prefixes of a campus that tell packets apart.

    Attributes:
        origins: those that filters match sources with.
        targets: those that filters match destinations with, and those that routes and gateways have.
        taken: addresses of gateways: a device keeps what is sent to itself, and no station uses them. The address that
            a switch is managed by is that of a station.
    """

    origins: tuple[Prefix, ...]
    targets: tuple[Prefix, ...]
    taken: frozenset[int] = frozenset()

    @classmethod
    def of(cls, gateways: Gateways) -> Classes:
        """Collects them from the devices of a campus."""
        origins: dict[Prefix, None] = {}
        targets: dict[Prefix, None] = {}
        for switch in gateways.plant.switches.values():
            for entry in (e for f in switch.filters.values() for e in f.entries):
                origins.update({entry.origin: None} if entry.origin else {})
                targets.update({entry.target: None} if entry.target else {})
            targets.update((a.network, None) for g in switch.gateways for a in g.addresses)
            targets.update((r.prefix, None) for r in switch.routes)
        stations = {i.ref for some in gateways.managing.values() for i in some}
        own = frozenset(int(ip) for i in gateways.all if i.ref not in stations for ip in i.gateway.answers)
        return cls(tuple(origins), tuple(targets), own)

    @cached_property
    def both_ways(self) -> Classes:
        """The prefixes that tell packets apart whose answers count, too: each address is a source once, and a target once."""
        every = tuple(dict.fromkeys([*self.origins, *self.targets]))
        return Classes(every, every, self.taken)

    @cached_property
    def _spans(self) -> dict[tuple[bool, int], list[Span]]:
        return {
            (side, version): [_span(p) for p in some if p.version == version]
            for side, some in ((True, self.origins), (False, self.targets))
            for version in (4, 6)
        }

    def packets(
        self, sources: Sequence[Prefix], targets: Sequence[Prefix], known: Sequence[Ip] = (), *, forged: bool = False
    ) -> Iterator[Packet]:
        """Yields a packet of each class between some sources and some destinations.

        Args:
            sources: where packets come from.
            targets: where they go.
            known: addresses that are taken for an example where they serve as one.
            forged: sources may be addresses of devices, as a hostile station forges them.
        """
        for version in (4, 6):
            froms = self._examples(sources, version, known, origin=True, forged=forged)
            tos = self._examples(targets, version, known, origin=False)
            yield from (Packet(a, b) for a in froms for b in tos)

    def _examples(
        self, within: Iterable[Prefix], version: int, known: Sequence[Ip], *, origin: bool, forged: bool = False
    ) -> list[Ip]:
        """Returns an address of each class inside some prefixes."""
        cuts = self._spans[origin, version]
        wide = [_span(p) for p in within if p.version == version]
        points = [int(ip) for ip in known if ip.version == version]
        for low, high in wide:
            starts = sorted({low, *(c for a, b in cuts for c in (a, b + 1) if low <= c <= high)})
            points += [p for s in starts for p in (s + 1, s + 2, s + 3)]
            points += starts  # as a rule nobody has the first address of a prefix, so it comes last
            points += [p for s in starts for p in range(s, min(s + len(self.taken) + 1, high + 1))]
        found: dict[tuple[bool, ...], int] = {}
        for p in points:
            if any(a <= p <= b for a, b in wide) and (forged or p not in self.taken):
                found.setdefault(tuple(a <= p <= b for a, b in cuts), p)
        make = IPv4Address if version == 4 else IPv6Address
        return [make(p) for p in found.values()]


def _span(prefix: Prefix) -> Span:
    return int(prefix.network_address), int(prefix.broadcast_address)
