"""A campus: switches, cables, segments and claims given to one run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum
from itertools import combinations
from typing import TYPE_CHECKING, Final, TypeAlias, TypedDict

from inkov.model.errors import Problem
from inkov.model.names import PortRef
from inkov.model.routing import Address, Ip, Prefix
from inkov.model.source import Source
from inkov.model.sources import Contradiction, Told, Twins
from inkov.model.switch import Switch
from inkov.model.vlanset import NONE, Vid, VlanSet

if TYPE_CHECKING:
    from datetime import date


@dataclass(frozen=True, slots=True)
class Cable:
    """A cable the campus file states.

    Attributes:
        a: one end.
        b: the other end.
        source: where it is stated; of an inferred cable, the label of an end.
        inferred: nothing states it; the labels at both ends name each other.
    """

    a: PortRef
    b: PortRef
    source: Source = field(compare=False)
    inferred: bool = False


@dataclass(frozen=True, slots=True)
class Host:
    """A station with a name.

    Attributes:
        name: what it is called.
        port: the edge port it is on.
        address: with prefix length, which is that of the whole address when the input gives none; None when not given.
        gateway: the address it sends to what is not its subnet; None when not given.
        mac: in lower case; empty when not given.
        tag: the VID that it puts on its frames; None for a host that does not tag, or of which that is not known.
    """

    name: str
    port: PortRef
    address: Address | None = None
    gateway: Ip | None = None
    mac: str = ""
    source: Source = field(default=Source(""), compare=False)
    tag: Vid | None = None


@dataclass(frozen=True, slots=True)
class Segment:
    """A named set of stations that belong together.

    Attributes:
        name: what it is called.
        vlans: its VLANs; all where only its ports say what belongs to it.
        ports: the ports its stations are on; None for all in its VLANs.
        hosts: those by whose names ports are among `ports`; of such a port it has these hosts, and no other station.
        subnets: the addresses its stations use; where there are none, those of its gateways.
        closed: it is meant to have no gateway.
        outside: it is whatever lies behind routes that lead out of the campus; it has no port then.
    """

    name: str
    vlans: VlanSet
    source: Source = field(compare=False)
    ports: frozenset[PortRef] | None = None
    subnets: tuple[Prefix, ...] = ()
    closed: bool = False
    outside: bool = False
    hosts: frozenset[str] = frozenset()


BOTH: Final = frozenset({2, 3})
"""Layer 2, where frames pass, and layer 3, where gateways pass packets on."""


class Facing(Enum):
    """What stations are taken to do: send what their port is set for, or any frame they can think of."""

    HONEST = "honest"
    HOSTILE = "hostile"


@dataclass(frozen=True, slots=True)
class Apart:
    """No two of these segments may ever exchange a frame or a packet, except the pairs given.

    Attributes:
        name: what the claim is called.
        segments: names of segments, two or more.
        allowed: pairs of names that may meet.
        facing: what stations of the segments are taken to do.
        layers: 2 for frames, 3 for packets that gateways pass on.
        through: devices whose gateways alone they may meet through.
        one_against: the first segment against each other one, and not these against each other.
    """

    name: str
    segments: tuple[str, ...]
    allowed: frozenset[frozenset[str]] = frozenset()
    facing: Facing = Facing.HONEST
    layers: frozenset[int] = BOTH
    through: tuple[str, ...] = ()
    one_against: bool = False
    source: Source = field(default=Source(""), compare=False)

    @property
    def data(self) -> dict[str, object]:
        """The claim as plain data, as a certificate holds it."""
        return {
            "kind": "only" if self.through else "apart",
            "name": self.name,
            "segments": list(self.segments),
            "pairs": [list(pair) for pair in self.pairs],
            "facing": self.facing.value,
            "layers": sorted(self.layers),
            "through": list(self.through),
        }

    @property
    def pairs(self) -> list[tuple[str, str]]:
        """The pairs that must be apart, in the order of the segments."""
        return [(a, b) for a, b in combinations(self.segments, 2) if self.parts(a, b)]

    def parts(self, a: str, b: str) -> bool:
        """Tells whether two of its segments must be apart."""
        allowed = bool(self.allowed) and frozenset((a, b)) in self.allowed
        return not allowed and not (self.one_against and self.segments[0] not in {a, b})


@dataclass(frozen=True, slots=True)
class Together:
    """All stations of some segments reach each other both ways, even after so many failures of cables or switches.

    Attributes:
        name: what the claim is called.
        segments: names of segments or hosts, one or more; each is whole at layer 2, and any two meet.
        surviving: how many failures it holds under.
        layers: where two of them may meet: 2 by frames, 3 by gateways.
    """

    name: str
    segments: tuple[str, ...]
    surviving: int = 0
    layers: frozenset[int] = BOTH
    source: Source = field(default=Source(""), compare=False)

    @property
    def data(self) -> dict[str, object]:
        """The claim as plain data, as a certificate holds it."""
        return {
            "kind": "together",
            "name": self.name,
            "segments": list(self.segments),
            "surviving": self.surviving,
            "layers": sorted(self.layers),
        }


Claim: TypeAlias = Apart | Together


@dataclass(frozen=True, slots=True)
class Waiver:
    """Findings that somebody has agreed to live with.

    Attributes:
        rule: name of the rule, or a pattern such as `native/*`.
        at: the place, or a pattern; either end of a link will do.
        why: the reason.
        until: the last day it holds; None for no end.
        owner: who answers for it.
    """

    rule: str
    at: str
    why: str
    until: date | None = None
    owner: str = ""
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True)
class RuleSetting:
    """What a campus wants of a rule, or of a pattern of rules.

    Attributes:
        rule: the name or pattern.
        severity: the severity its findings have here, `off`, or empty to leave it.
        options: the rule's options that are not as usual, by name.
    """

    rule: str
    severity: str = ""
    options: Mapping[str, int] = field(default_factory=dict)
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True)
class Registered:
    """A VLAN of the register.

    Attributes:
        name: what it is called everywhere.
        purpose: what it is for.
        where: names or roles of the switches it may exist on, or patterns; everywhere when empty.
        everywhere: it must exist on all of them.
    """

    name: str
    purpose: str = ""
    where: tuple[str, ...] = ()
    everywhere: bool = False
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True)
class Planned:
    """What the port plan says of a port: its VLAN, the VLAN of phones, its label; None or empty where it does not say."""

    port: PortRef
    vid: Vid | None = None
    voice: Vid | None = None
    label: str = ""
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class Campus:
    """Everything given to one run.

    Attributes:
        name: its name; the folder's name when there is no campus file.
        switches: by name, in natural order.
        cables: cables from the campus file.
        hosts: by name, in the order of the list.
        segments: by name, in the order of the file.
        claims: in the order of the file.
        keep: VLANs that are never trimmed off a trunk.
        parking: the VLAN of ports nobody uses; None when the file does not say.
        never_negotiates: no trunk is to form by negotiation.
        saved: what switches have saved, by name, where the input holds it beside what they run.
        register: the VLANs there are to be; empty when the file has no register.
        plan: what ports are to be.
        waivers: findings that are not to be reported.
        settings: what it wants of rules; of several that fit a rule, the last counts.
        files: where each file it was made of is, by the name that sources give it.
        notes: what was passed over while reading, one sentence each.
        unread: what could not be read and is therefore not here.
        told: what each file told of which device.
        contradictions: where files of one device say what cannot both be.
        twins: devices with one address and two names.
    """

    name: str
    switches: Mapping[str, Switch]
    cables: tuple[Cable, ...] = ()
    hosts: Mapping[str, Host] = field(default_factory=dict)
    segments: Mapping[str, Segment] = field(default_factory=dict)
    claims: tuple[Claim, ...] = ()
    keep: VlanSet = NONE
    parking: Vid | None = None
    never_negotiates: bool = False
    saved: Mapping[str, Switch] = field(default_factory=dict)
    register: Mapping[Vid, Registered] = field(default_factory=dict)
    plan: tuple[Planned, ...] = ()
    waivers: tuple[Waiver, ...] = ()
    settings: tuple[RuleSetting, ...] = ()
    files: Mapping[str, str] = field(default_factory=dict, compare=False)
    notes: tuple[str, ...] = ()
    unread: tuple[Problem, ...] = ()
    told: tuple[Told, ...] = field(default=(), compare=False)
    contradictions: tuple[Contradiction, ...] = ()
    twins: tuple[Twins, ...] = ()


class Common(TypedDict):
    """What every campus has, with a campus file or without."""

    switches: Mapping[str, Switch]
    saved: Mapping[str, Switch]
    files: Mapping[str, str]
    notes: tuple[str, ...]
    unread: tuple[Problem, ...]
    told: tuple[Told, ...]
    contradictions: tuple[Contradiction, ...]
    twins: tuple[Twins, ...]
