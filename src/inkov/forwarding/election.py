"""The spanning tree's election: which bridge is root, and what every port becomes.

One algorithm serves all protocols (IEEE 802.1Q-2022, 13.9 to 13.12). A bridge that runs one tree for all
VLANs, or the tree of one VLAN, is a region of its own; an MSTP region counts as one bridge to the outside
and elects inside itself. Each instance of a region is an election among its bridges alone.

What depends on an unknown MAC address is not decided by guess: the election says so.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import Enum
from heapq import heappop, heappush
from typing import NamedTuple, TypeAlias, TypeVar

from inkov.forwarding.cabling import finder
from inkov.model.names import PortRef

Lan: TypeAlias = tuple[PortRef, ...]
"""The ports that hear each other's tree frames: two of a cable, more around an unmanaged device."""


class Role(Enum):
    """What a port is in a tree (IEEE 802.1Q-2022, 13.12)."""

    ROOT = "root"
    DESIGNATED = "designated"
    MASTER = "master"
    ALTERNATE = "alternate"
    BACKUP = "backup"

    @property
    def forwards(self) -> bool:
        """Frames pass."""
        return self not in {Role.ALTERNATE, Role.BACKUP}


class BridgeId(NamedTuple):
    """A bridge identifier; the lowest wins. The name only makes those of unknown addresses different."""

    priority: int
    mac: str
    name: str


class Port(NamedTuple):
    """A port's settings in one tree.

    Attributes:
        priority: port priority.
        number: port number.
        cost: path cost.
    """

    priority: int
    number: int
    cost: int


class Basis(Enum):
    """What decided against a blocked port, in the order of comparison."""

    COST = "cost"
    SENDER = "sender"
    PORT = "port"


@dataclass(frozen=True, slots=True)
class Beaten:
    """Why a port is blocked.

    Attributes:
        by: the port that keeps the LAN instead; or the root port, where both lead to the same bridge.
        basis: what decided.
        own: root path cost at the blocked port, or through it where the root port wins.
        other: the other's.
    """

    by: PortRef
    basis: Basis
    own: int
    other: int


@dataclass(slots=True)
class Election:
    """The outcome.

    Attributes:
        root: root bridge of each bridge.
        cost: root path cost of each bridge; inside an MSTP region the inner cost is added.
        root_port: the port towards the root; absent on the root.
        role: what each port is; ports without a far end are not listed.
        beaten: for each blocked port, why.
        region: MSTP region of each bridge, by the name of one of its bridges; every other bridge is alone in its own.
        doubt: bridges whose tree hangs on a MAC address that is not known, with the bridges in question.
    """

    root: dict[str, str] = field(default_factory=dict)
    cost: dict[str, int] = field(default_factory=dict)
    root_port: dict[str, PortRef] = field(default_factory=dict)
    role: dict[PortRef, Role] = field(default_factory=dict)
    beaten: dict[PortRef, Beaten] = field(default_factory=dict)
    region: dict[str, str] = field(default_factory=dict)
    doubt: dict[str, frozenset[str]] = field(default_factory=dict)


def elect(
    bridges: Mapping[str, BridgeId],
    lans: Iterable[Lan],
    ports: Mapping[PortRef, Port],
    regions: Mapping[str, Hashable] | None = None,
) -> Election:
    """Holds the election in every connected part.

    Args:
        bridges: identifier of each bridge.
        lans: the LANs among them, each with the ports that take part.
        ports: settings of those ports.
        regions: for MSTP bridges, what makes their region; bridges that are not in it are alone.

    Returns:
        Roles of all ports. Cost is about linear in the ports.
    """
    listed = [lan for lan in lans if lan]
    result = Election()
    for part in _parts(bridges, listed):
        names = frozenset(part)
        inside = [lan for lan in listed if lan[0].switch in names] if len(part) < len(bridges) else listed
        _Part(part, bridges, inside, ports, regions or {}, result).run()
    return result


def _parts(bridges: Iterable[str], lans: Iterable[Lan]) -> list[list[str]]:
    """Returns the connected parts, each in the order the bridges were given."""
    parent = {b: b for b in bridges}
    find = finder(parent)
    for lan in lans:
        for port in lan[1:]:
            parent[find(port.switch)] = find(lan[0].switch)
    found: dict[str, list[str]] = defaultdict(list)
    for b in parent:
        found[find(b)].append(b)
    return list(found.values())


Key: TypeAlias = tuple[int | BridgeId, ...]
Winner = TypeVar("Winner", str, PortRef)


class _Part:
    """One connected part."""

    def __init__(  # noqa: PLR0917 - what an election is about
        self,
        names: Sequence[str],
        bridges: Mapping[str, BridgeId],
        lans: Sequence[Lan],
        ports: Mapping[PortRef, Port],
        regions: Mapping[str, Hashable],
        result: Election,
    ) -> None:
        self.names = names
        self.id = bridges
        self.lans = lans
        self.ports = ports
        self.result = result
        self.wanted = regions
        self.unsure: set[str] = set()
        self.region = self._regions(regions)
        self.lans_of: dict[str, list[tuple[PortRef, Lan]]] = defaultdict(list)
        for lan in lans:
            for port in lan:
                self.lans_of[port.switch].append((port, lan))

    def _regions(self, wanted: Mapping[str, Hashable]) -> dict[str, str]:
        """Returns the region of each bridge, named by one of its bridges: joined by LANs all of one configuration."""
        inner = [
            lan
            for lan in self.lans
            if len({wanted.get(p.switch) for p in lan}) == 1 and wanted.get(lan[0].switch) is not None
        ]
        return {b: first for part in _parts(self.names, inner) for first in [min(part)] for b in part}

    def run(self) -> None:
        if len(self.names) == 1 and not self.lans:
            (alone,) = self.names
            self.result.root[alone] = alone
            self.result.cost[alone] = 0
            self.result.region[alone] = alone
            return
        root = self._least([((self.id[b],), b) for b in self.names])
        outer = self._outer_costs(root)
        entry = self._entries(root, outer)
        inner = self._inner_costs(entry)
        vector = {b: (outer[self.region[b]], self.id[entry[self.region[b]]], inner[b], self.id[b]) for b in self.names}
        designated = {lan: self._least([((*vector[p.switch], *self._port_id(p)), p) for p in lan]) for lan in self.lans}
        for b in self.names:
            self.result.root[b] = root
            self.result.region[b] = self.region[b]
            self.result.cost[b] = outer[self.region[b]] + inner[b]
            if b != root:
                self.result.root_port[b] = self._root_port(b, designated, outer, inner, entry)
        self._roles(designated, vector)
        if self.unsure:
            for b in self.names:
                self.result.doubt[b] = frozenset(self.unsure)

    def _port_id(self, port: PortRef) -> tuple[int, int]:
        settings = self.ports[port]
        return settings.priority, settings.number

    def _least(self, candidates: Sequence[tuple[Key, Winner]]) -> Winner:
        """Returns what has the least key, noting when an unknown address decided."""
        key, winner = min(candidates)
        for other, _ in candidates:
            for x, y in zip(key, other, strict=True):
                if x != y:
                    if isinstance(x, BridgeId) and isinstance(y, BridgeId) and undecided(x, y):
                        self.unsure |= {x.name, y.name}
                    break
        return winner

    def _outer_costs(self, root: str) -> dict[str, int]:
        """Returns the cost from each region to the root's, counted at the ports where frames enter a region."""
        region = self.region
        border: dict[str, list[Lan]] = defaultdict(list)
        for lan in self.lans:
            around = {region[p.switch] for p in lan}
            if len(around) > 1:
                for r in around:
                    border[r].append(lan)
        return _distances(
            region[root],
            lambda r: (
                (region[p.switch], self.ports[p].cost) for lan in border[r] for p in lan if region[p.switch] != r
            ),
        )

    def _entries(self, root: str, outer: Mapping[str, int]) -> dict[str, str]:
        """Returns the bridge of each region by which it reaches the root: its regional root."""
        entry = {self.region[root]: root}
        found: dict[str, dict[str, BridgeId]] = defaultdict(dict)
        for lan in self.lans:
            for p in lan:
                own = self.region[p.switch]
                others = [outer[r] for q in lan if (r := self.region[q.switch]) != own]
                if own not in entry and others and min(others) + self.ports[p].cost == outer[own]:
                    found[own][p.switch] = self.id[p.switch]
        for region, candidates in found.items():
            entry[region] = self._least([((i,), b) for b, i in candidates.items()])
        return entry

    def _inner_costs(self, entry: Mapping[str, str]) -> dict[str, int]:
        """Returns the cost from each bridge to its regional root."""
        costs: dict[str, int] = {}
        for first in entry.values():
            costs |= _distances(
                first,
                lambda b: (
                    (p.switch, self.ports[p].cost)
                    for _, lan in self.lans_of[b]
                    for p in lan
                    if p.switch != b and self.region[p.switch] == self.region[b] and self._inside(lan)
                ),
            )
        return costs

    def _inside(self, lan: Lan) -> bool:
        return len({self.region[p.switch] for p in lan}) == 1

    def _root_port(
        self,
        b: str,
        designated: Mapping[Lan, PortRef],
        outer: Mapping[str, int],
        inner: Mapping[str, int],
        entry: Mapping[str, str],
    ) -> PortRef:
        region = self.region[b]
        enters = entry[region] == b
        candidates: list[tuple[Key, PortRef]] = []
        for port, lan in self.lans_of[b]:
            best = designated[lan]
            if best.switch == b or self._inside(lan) == enters:
                continue
            cost = (outer[self.region[best.switch]] if enters else inner[best.switch]) + self.ports[port].cost
            # To a bridge without regions, a region shows itself as one bridge.
            sender = best.switch if b in self.wanted else entry[self.region[best.switch]]
            candidates.append(((cost, self.id[sender], *self._port_id(best), *self._port_id(port)), port))
        return self._least(candidates)

    def _roles(self, designated: Mapping[Lan, PortRef], vector: Mapping[str, Key]) -> None:
        towards = {p: best for lan, best in designated.items() for p in lan}
        for lan, best in designated.items():
            for p in lan:
                if p == best:
                    self.result.role[p] = Role.DESIGNATED
                elif self.result.root_port.get(p.switch) == p:
                    self.result.role[p] = Role.ROOT
                else:
                    self.result.role[p] = Role.BACKUP if best.switch == p.switch else Role.ALTERNATE
                    self.result.beaten[p] = self._beaten(p, best, towards, vector)

    def _beaten(
        self, p: PortRef, best: PortRef, towards: Mapping[PortRef, PortRef], vector: Mapping[str, Key]
    ) -> Beaten:
        """Returns to which port one lost, and by what: to its switch's own root port, or to the best port of its LAN."""
        costs = self.result.cost
        root_port = self.result.root_port.get(p.switch)
        both_reach = best.switch != p.switch and root_port is not None and towards[root_port].switch == best.switch
        if root_port is not None and both_reach:  # two ways to one switch
            own, other = self.ports[p].cost, self.ports[root_port].cost
            basis = Basis.PORT if own == other else Basis.COST
            return Beaten(root_port, basis, costs[best.switch] + own, costs[best.switch] + other)
        mine, its = vector[p.switch], vector[best.switch]
        if mine == its:
            basis = Basis.PORT
        elif (mine[0], mine[2]) == (its[0], its[2]):
            basis = Basis.SENDER
        else:
            basis = Basis.COST
        return Beaten(best, basis, costs[p.switch], costs[best.switch])


def undecided(a: BridgeId, b: BridgeId) -> bool:
    """Tells whether which of two bridges comes first hangs on an address that is not known."""
    return a.priority == b.priority and (not a.mac or not b.mac or a.mac == b.mac)


def _distances(start: str, steps: Callable[[str], Iterable[tuple[str, int]]]) -> dict[str, int]:
    """Returns the least cost from a start to all it reaches; `steps` yields (next, cost) of a place."""
    done: dict[str, int] = {}
    todo = [(0, start)]
    while todo:
        cost, at = heappop(todo)
        if at in done:
            continue
        done[at] = cost
        for to, more in steps(at):
            if to not in done:
                heappush(todo, (cost + more, to))
    return done
