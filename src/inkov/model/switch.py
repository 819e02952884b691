"""A switch as configured: its VLAN table, its ports, and what its discovery protocol heard.

What a port does with frames is a union of small types, one a kind of port; `forwarding.relay` compiles
each of them to the same relay map.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TypeAlias

from inkov.model.source import Origin, Source
from inkov.model.vlanset import Vid, VlanSet

DEFAULT_VLAN: Vid = 1
"""The default PVID of every port (IEEE 802.1Q-2022, table 9-2)."""


@dataclass(frozen=True, slots=True)
class Vlan:
    """An entry of a switch's VLAN table.

    Attributes:
        vid: its number.
        name: its name, empty when it has none.
        active: false when suspended: defined, but relays nothing.
    """

    vid: Vid
    name: str = ""
    active: bool = True


@dataclass(frozen=True, slots=True)
class Access:
    """A port in one VLAN, untagged. `vid` is None when the input does not say which."""

    vid: Vid | None


@dataclass(frozen=True, slots=True)
class Trunk:
    """A port that carries several VLANs tagged.

    Attributes:
        native: VLAN of untagged frames; None when there is none.
        allowed: the allowed list.
        spelling: the allowed list as it was written, for showing it again.
    """

    native: Vid | None
    allowed: VlanSet
    spelling: str = field(default="", compare=False)


@dataclass(frozen=True, slots=True)
class Routed:
    """A port that ends at the router inside the box: it relays nothing."""


@dataclass(frozen=True, slots=True)
class Unstated:
    """A port whose mode the input does not state: it might do anything."""


Switching: TypeAlias = Access | Trunk | Routed | Unstated


@dataclass(frozen=True, slots=True, kw_only=True)
class Port:
    """A port or a LAG. A LAG is one logical port; its members keep only cabling and `enabled`.

    Attributes:
        name: its name on the switch.
        switching: what it does with frames.
        enabled: administratively on.
        label: the description an engineer gave it.
        lag: name of the LAG it is a member of.
        members: for a LAG, the names of its member ports, in natural order.
        is_lag: it is a LAG, with or without members.
        origin: where its settings were written.
    """

    name: str
    switching: Switching
    enabled: bool = True
    label: str = ""
    lag: str | None = None
    members: tuple[str, ...] = ()
    is_lag: bool = False
    origin: Origin = field(compare=False)


@dataclass(frozen=True, slots=True)
class Heard:
    """What a port heard from its neighbour's discovery protocol (IEEE 802.1AB).

    Attributes:
        port: own port that heard it.
        system: the neighbour's system name, empty when it sent none.
        far_port: the neighbour's port identifier.
        chassis: the neighbour's chassis identifier, in lower case, empty when unknown.
        source: where it was read.
    """

    port: str
    system: str
    far_port: str
    chassis: str = ""
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class Switch:
    """One switch.

    Attributes:
        name: its host name.
        vlans: its VLAN table by VID; None when the box keeps none or the input does not hold it, in which
            case a VLAN exists where a port is a member.
        ports: ports and LAGs by name, in natural order.
        heard: what discovery heard, in port order.
        mac: its chassis address in lower case, empty when unknown.
        default_vlan_listed: the input would list the default VLAN if it existed.
        origin: where it was written.
    """

    name: str
    vlans: Mapping[Vid, Vlan] | None
    ports: Mapping[str, Port]
    heard: tuple[Heard, ...] = ()
    mac: str = ""
    default_vlan_listed: bool = True
    origin: Origin = field(compare=False)

    def __hash__(self) -> int:
        return hash(self.name)
