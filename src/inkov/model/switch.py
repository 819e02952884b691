"""A switch as configured: its VLAN table, its ports, and what its discovery protocol heard.

What a port does with frames is a union of small types, one a kind of port; `forwarding.relay` compiles each to a relay map.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from enum import Enum
from typing import Final, TypeAlias

from inkov.model.routing import Filter, Gateway, Route
from inkov.model.source import Origin, Source, Touch
from inkov.model.tree import ANY_REGISTRATION, NO_BRIDGE_TREE, NO_PORT_TREE, BridgeTree, PortTree, Registration, Sync
from inkov.model.vlanset import Vid, VlanSet

DEFAULT_VLAN: Vid = 1
"""The default PVID of every port (IEEE 802.1Q-2022, table 9-2)."""


class Kind(Enum):
    """What a device is. Only a switch looks at VLANs; an unmanaged one passes frames as they are."""

    SWITCH = "switch"
    ROUTER = "router"
    UNMANAGED = "unmanaged"


class VlanType(Enum):
    """What a VLAN is to private VLANs (RFC 5517); an ordinary one is `PLAIN`."""

    PLAIN = "plain"
    PRIMARY = "primary"
    ISOLATED = "isolated"
    COMMUNITY = "community"


class Stance(Enum):
    """How a port negotiates: sends nothing, answers, or asks."""

    SILENT = "silent"
    PASSIVE = "passive"
    ACTIVE = "active"


class Lacp(Enum):
    """How a LAG forms (IEEE 802.1AX-2020, 6.4): without negotiation, answering, or asking."""

    STATIC = "static"
    PASSIVE = "passive"
    ACTIVE = "active"


class FrameTypes(Enum):
    """Which frames a general port admits (IEEE 802.1Q-2022, 6.9)."""

    ALL = "all"
    TAGGED = "tagged"
    UNTAGGED = "untagged"


@dataclass(frozen=True, slots=True)
class Habits:
    """What platforms do differently and configurations do not say.

    Attributes:
        own_tag: an access port accepts frames that carry its own VID as a tag.
        native_outside_list: untagged frames pass a trunk whose native VLAN is not in its list.
        tagged_native: a trunk accepts frames that carry its native VLAN as a tag.
        uneven_link: a tree per VLAN lets a link run whose natives differ or whose ends are of different kinds.
    """

    own_tag: bool = False
    native_outside_list: bool = False
    tagged_native: bool = True
    uneven_link: bool = True


ALL_HABITS: Final = frozenset(f.name for f in fields(Habits))


@dataclass(frozen=True, slots=True)
class Vlan:
    """An entry of a switch's VLAN table.

    Attributes:
        vid: its number.
        name: its name, empty when it has none.
        active: false when suspended: defined, but relays nothing.
        type: what it is to private VLANs.
        primary: for an isolated or community VLAN, the primary it is tied to.
    """

    vid: Vid
    name: str = ""
    active: bool = True
    type: VlanType = VlanType.PLAIN
    primary: Vid | None = None


@dataclass(frozen=True, slots=True)
class Access:
    """A port in one VLAN, untagged. `vid` is None when the input does not say which.

    Attributes:
        vid: the VLAN.
        voice: the VLAN of a phone in front of the station, tagged; None when there is none.
    """

    vid: Vid | None
    voice: Vid | None = None


@dataclass(frozen=True, slots=True)
class Trunk:
    """A port that carries several VLANs tagged.

    Attributes:
        native: VLAN of untagged frames; None when there is none, or it is not stated.
        allowed: the allowed list.
        native_tagged: the native VLAN leaves tagged, and untagged frames are dropped.
        translate: (tag on the wire, VLAN inside) where they differ; a mapping, one to one.
        native_stated: it is known what the native VLAN is, or that there is none.
        spelling: the allowed list as it was written, for showing it again.
    """

    native: Vid | None
    allowed: VlanSet
    native_tagged: bool = False
    translate: tuple[tuple[Vid, Vid], ...] = ()
    native_stated: bool = True
    spelling: str = field(default="", compare=False)


@dataclass(frozen=True, slots=True)
class Negotiated:
    """A port that becomes a trunk or an access port by negotiation with the far end."""

    access: Access
    trunk: Trunk


@dataclass(frozen=True, slots=True)
class General:
    """A port with sets of its own (IEEE 802.1Q-2022, 8.8.2 and 12.10): any VLAN tagged or untagged.

    Attributes:
        pvid: VLAN of untagged frames that arrive; 0 where they stay in no VLAN, as software switches have it.
        untagged: VLANs that leave untagged.
        tagged: VLANs that leave tagged.
        frames: which frames are admitted; None when the input does not say.
        filtering: ingress filtering: only VLANs the port is a member of may enter; None when the input does not say.
        plain: frames that are in no VLAN leave here, untagged.
    """

    pvid: Vid | None
    untagged: VlanSet
    tagged: VlanSet
    frames: FrameTypes | None = FrameTypes.ALL
    filtering: bool | None = True
    plain: bool = False


@dataclass(frozen=True, slots=True)
class PrivateHost:
    """A station's port in a private VLAN (RFC 5517): it sends in its secondary and hears its primary."""

    primary: Vid
    secondary: Vid


@dataclass(frozen=True, slots=True)
class Promiscuous:
    """A port that every station of a private VLAN can reach."""

    primary: Vid
    secondaries: VlanSet


@dataclass(frozen=True, slots=True)
class Tunnel:
    """A port that puts all it gets into its VLAN, tags and all (stacked tags, IEEE 802.1ad).

    Attributes:
        vid: the VLAN.
        inner: VLANs of frames inside it that it takes and gives; None for all.
    """

    vid: Vid
    inner: VlanSet | None = None


@dataclass(frozen=True, slots=True)
class Bridged:
    """A port of a box where each VLAN is a bridge of its own.

    Attributes:
        untagged: the domain of untagged frames; None when there is none.
        tagged: (tag on the wire, domain) of each subinterface.
    """

    untagged: Vid | None = None
    tagged: tuple[tuple[Vid, Vid], ...] = ()


@dataclass(frozen=True, slots=True)
class Routed:
    """A port that ends at a router: it relays nothing.

    Attributes:
        tags: the tag of each subinterface; None for untagged. Their addresses are among the device's gateways.
    """

    tags: tuple[Vid | None, ...] = ()


@dataclass(frozen=True, slots=True)
class Plain:
    """A port of an unmanaged device: it passes frames as they are."""


@dataclass(frozen=True, slots=True)
class Unstated:
    """A port whose mode the input does not state: it might do anything."""

    general: bool = False  # where formats have such ports, it may be one with sets of its own, too


Switching: TypeAlias = (
    Access | Trunk | Negotiated | General | PrivateHost | Promiscuous | Tunnel | Bridged | Routed | Plain | Unstated
)

DOT1Q: Final = "802.1Q"
NEGOTIATED_FORMAT: Final = "negotiated"


# Without slots: what is at its default takes no room in a kept port, and ports are read back without a call each.
@dataclass(frozen=True, kw_only=True)
class Port:
    """A port or a LAG. A LAG is one logical port; its members keep only cabling and `enabled`.

    Attributes:
        name: its name on the switch.
        switching: what it does with frames.
        enabled: administratively on.
        label: the description an engineer gave it.
        stance: how it negotiates; None when the input does not say.
        tag_format: how it tags: `802.1Q`, another format's name, or `negotiated`.
        lag: name of the LAG it is a member of.
        members: for a LAG, the names of its member ports, in natural order.
        is_lag: it is a LAG, with or without members.
        lacp: for a LAG, how it forms; None when the input does not say.
        speed: in Mb/s; 0 when the input does not say.
        tree: how it takes part in the spanning tree.
        registration: what dynamic pruning may take off it.
        known_as: what else it is called, by discovery above all: addresses, numbers, descriptions.
        doubt: what of it is not known because files contradict each other, in words; then nothing surely passes it.
        origin: where its settings were written.
    """

    name: str
    switching: Switching
    enabled: bool = True
    label: str = ""
    stance: Stance | None = None
    tag_format: str = DOT1Q
    lag: str | None = None
    members: tuple[str, ...] = ()
    is_lag: bool = False
    lacp: Lacp | None = None
    speed: int = 0
    tree: PortTree = NO_PORT_TREE
    registration: Registration = ANY_REGISTRATION
    known_as: tuple[str, ...] = ()
    doubt: str = ""
    origin: Origin = field(compare=False)

    def renamed(self, name: str, origin: Origin) -> Port:
        """Returns a port that differs in its name and where it was written alone: `replace` in a tenth of the time."""
        made, attributes = object.__new__(Port), vars(self).copy()
        attributes["name"], attributes["origin"] = name, origin
        object.__setattr__(made, "__dict__", attributes)
        return made


class Neighbour(Enum):
    """What a neighbour says it is (IEEE 802.1AB-2016, 8.5.8)."""

    UNKNOWN = ""
    BRIDGE = "switch"
    ROUTER = "router"
    ACCESS_POINT = "access point"
    PHONE = "phone"
    STATION = "station"


@dataclass(frozen=True, slots=True)
class Heard:
    """What a port heard from its neighbour's discovery protocol (IEEE 802.1AB).

    Attributes:
        port: own port that heard it.
        system: the neighbour's system name, empty when it sent none.
        far_port: the neighbour's port identifier.
        chassis: the neighbour's chassis identifier, in lower case, empty when unknown.
        source: where it was read.
        also: what else the neighbour calls its port: its description.
        kind: what the neighbour says it is.
        pvid: VLAN of untagged frames there, as it announces; None when it announces none.
        names: (VID, name) of VLANs that it announces to have.
        voice: the VLAN in which it sends tagged voice; None when it announces none.
    """

    port: str
    system: str
    far_port: str
    chassis: str = ""
    source: Source = field(default=Source(""), compare=False)
    also: str = ""
    kind: Neighbour = Neighbour.UNKNOWN
    pvid: Vid | None = None
    names: tuple[tuple[Vid, str], ...] = ()
    voice: Vid | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Switch:
    """One switch.

    Attributes:
        name: its host name.
        vlans: its VLAN table by VID; None when the box or the input has none: a VLAN exists where a port is a member.
        ports: ports and LAGs by name, in natural order.
        heard: what discovery heard, in port order.
        mac: its chassis address in lower case, empty when unknown.
        kind: switch, router or unmanaged device.
        habits: what its platform does and its configuration does not say.
        unstated_habits: the names of those habits that nothing states, so that they are only what most platforms do.
        role: what it is for, such as core or edge; switches of one role are alike. Empty when not stated.
        tree: how it takes part in the spanning tree.
        sync: how it shares its VLAN table; None when it does not.
        prunes: it takes part in dynamic pruning: announces what it wants, and prunes what nobody wants.
        registration: VLANs come to its ports by registration (IEEE 802.1Q-2022, 11.2); None when that is not told.
        gateways: its addresses in VLANs, and those of its routed ports.
        routing: it routes between its gateways; None when the input does not say.
        gateways_stated: the input would list its addresses in VLANs; without it, it may be the gateway of any.
        learns: routing protocols that add routes of which the input says nothing; empty when none does.
        routes: its static routes.
        filters: its address filters by name.
        default_vlan_listed: the input would list the default VLAN if it existed.
        lacks: features that the box does not have.
        limits: how much it can hold, by what: the highest VID, VLANs, LAGs.
        other_tables: VLAN tables that it may have instead of `vlans`, because files contradict each other.
        doubt: why `vlans` is not sure, in words; empty when it is.
        touches: what its files state and the model does not follow.
        without_effect: paths, or patterns of paths, that are stated to have no effect.
        origin: where it was written.
    """

    name: str
    vlans: Mapping[Vid, Vlan] | None
    ports: Mapping[str, Port]
    heard: tuple[Heard, ...] = ()
    mac: str = ""
    kind: Kind = Kind.SWITCH
    habits: Habits = Habits()
    unstated_habits: frozenset[str] = ALL_HABITS
    role: str = ""
    tree: BridgeTree = NO_BRIDGE_TREE
    sync: Sync | None = None
    prunes: bool = False
    registration: bool | None = False
    gateways: tuple[Gateway, ...] = ()
    routing: bool | None = None
    gateways_stated: bool = True
    learns: str = ""
    routes: tuple[Route, ...] = ()
    filters: Mapping[str, Filter] = field(default_factory=dict)
    default_vlan_listed: bool = True
    lacks: tuple[str, ...] = ()
    limits: Mapping[str, int] = field(default_factory=dict)
    other_tables: tuple[Mapping[Vid, Vlan], ...] = ()
    doubt: str = ""
    touches: tuple[Touch, ...] = ()
    without_effect: tuple[str, ...] = ()
    origin: Origin = field(compare=False)

    def __hash__(self) -> int:
        return hash(self.name)

    @property
    def sync_group(self) -> str:
        """The group it shares its VLAN table with; empty when none."""
        return self.sync.group if self.sync else ""

    @property
    def own_vlans(self) -> frozenset[Vid]:
        """VLANs in which it has a gateway of its own, not behind a routed port."""
        return frozenset(g.vid for g in self.gateways if not g.port and g.vid is not None)
