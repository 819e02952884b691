"""Settings of spanning tree, dynamic pruning and table sync: what keeps links from carrying, or changes VLAN tables."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum
from typing import Final

from inkov.model.vlanset import ALL, NONE, VlanSet

BRIDGE_PRIORITY: Final = 32768
"""Default bridge priority (IEEE 802.1Q-2022, table 13-3)."""
PRIORITY_STEP: Final = 4096
"""Bridge priorities are multiples of it (IEEE 802.1Q-2022, 14.2.5)."""

PORT_PRIORITY: Final = 128
"""Default port priority (IEEE 802.1Q-2022, table 13-3)."""


class Protocol(Enum):
    """Which trees a switch runs: none, one for all VLANs, one a VLAN, or one an instance."""

    OFF = "off"
    STP = "stp"
    RSTP = "rstp"
    PER_VLAN = "per-vlan"
    MSTP = "mstp"


@dataclass(frozen=True, slots=True)
class Region:
    """What MSTP switches must have in common to be one region (IEEE 802.1Q-2022, 13.8).

    Attributes:
        name: configuration name.
        revision: revision level.
        instances: (instance, its VLANs) ascending; all other VLANs are in instance 0.
    """

    name: str
    revision: int = 0
    instances: tuple[tuple[int, VlanSet], ...] = ()

    def vlans(self, instance: int) -> VlanSet:
        """Returns the VLANs of an instance."""
        if instance:
            return dict(self.instances).get(instance, NONE)
        mapped = NONE
        for _, some in self.instances:
            mapped |= some
        return ALL - mapped


@dataclass(frozen=True, slots=True)
class BridgeTree:
    """How a switch takes part in the spanning tree.

    Attributes:
        protocol: None when the input does not say.
        priority: bridge priority of every tree without one of its own.
        own: priority by VLAN or instance.
        wide: path costs on the 32-bit scale; None follows the protocol, 16 bits for STP and 32 for the rest.
        region: what an MSTP switch is configured to be part of.
    """

    protocol: Protocol | None = None
    priority: int = BRIDGE_PRIORITY
    own: Mapping[int, int] = field(default_factory=dict)
    wide: bool | None = None
    region: Region | None = None

    def __hash__(self) -> int:
        return hash((self.protocol, self.priority, self.region))

    def priority_in(self, number: int) -> int:
        """Returns the priority in the tree of a VLAN or an instance; 0 is the tree for all."""
        return self.own.get(number, self.priority)

    @property
    def wide_costs(self) -> bool:
        """Path costs are on the 32-bit scale."""
        return self.protocol is not Protocol.STP if self.wide is None else self.wide


@dataclass(frozen=True, slots=True)
class PortTree:
    """How a port takes part in the spanning tree.

    Attributes:
        edge: set to be an edge port, or set not to be; None when that is found out, or not stated.
        cost: path cost, or None for the default of its speed.
        priority: port priority.
        number: port number in the tree; None counts the ports in natural order.
        runs: it sends and heeds the tree's frames.
        own: (VLAN or instance, cost or None, priority or None) that differ there.
    """

    edge: bool | None = None
    cost: int | None = None
    priority: int = PORT_PRIORITY
    number: int | None = None
    runs: bool = True
    own: tuple[tuple[int, int | None, int | None], ...] = ()


@dataclass(frozen=True, slots=True)
class Registration:
    """Which VLANs dynamic pruning may take off a port (IEEE 802.1Q-2022, 8.8.2 and 11.2).

    Attributes:
        normal: sent only when the far end announced interest.
        forbidden: never sent, whatever the far end announces.
    """

    normal: VlanSet = ALL
    forbidden: VlanSet = NONE


class SyncRole(Enum):
    """What a switch does with the table its sync group shares."""

    AUTHOR = "author"
    FOLLOWER = "follower"
    RELAY = "relay"
    OFF = "off"


@dataclass(frozen=True, slots=True)
class Sync:
    """How a switch shares its VLAN table.

    Attributes:
        group: name of the group.
        role: what it does with the shared table.
        generation: edit counter of its table; None when the input does not say.
        secret: digest of the group's secret; empty when it has none. The secret itself is never kept.
        spread: VLANs the group shares; the others stay local to each switch.
        private: private VLANs are shared, too.
    """

    group: str
    role: SyncRole = SyncRole.FOLLOWER
    generation: int | None = None
    secret: str = ""
    spread: VlanSet = ALL
    private: bool = True

    @property
    def shares(self) -> bool:
        """Its own table is the shared one."""
        return self.role in {SyncRole.AUTHOR, SyncRole.FOLLOWER}


def default_cost(speed: int, *, wide: bool, members: int = 1) -> int:
    """Returns the path cost of a port that sets none.

    Args:
        speed: of one port, in Mb/s; 0 when unknown counts as 1 Gb/s.
        wide: on the 32-bit scale (IEEE 802.1Q-2022, table 13-4), else on the 16-bit scale (802.1D-1998, table 8-5).
        members: ports of a LAG that are up; together they cost less than one of them.
    """
    rate = (speed or 1000) * max(members, 1)
    if wide:
        return max(1, min(200_000_000, 20_000_000 // rate))
    at_least, cost = max((s, c) for s, c in _NARROW if s <= max(rate, 4))
    return cost - 1 if rate > at_least and members > 1 and cost > 1 else cost


_NARROW: Final = ((4, 250), (10, 100), (16, 62), (100, 19), (1000, 4), (10_000, 2), (100_000, 1))


NO_BRIDGE_TREE: Final = BridgeTree()
NO_PORT_TREE: Final = PortTree()
ANY_REGISTRATION: Final = Registration()
"""What a switch or port that says nothing of these has; shared, because a campus has a hundred thousand ports."""
