"""A campus: switches, cables, segments and claims given to one run."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum
from typing import TypeAlias

from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.switch import Switch
from inkov.model.vlanset import NONE, Vid, VlanSet


@dataclass(frozen=True, slots=True)
class Cable:
    """A cable the campus file states."""

    a: PortRef
    b: PortRef
    source: Source = field(compare=False)


@dataclass(frozen=True, slots=True)
class Host:
    """A station with a name.

    Attributes:
        name: what it is called.
        port: the edge port it is on.
        address: with prefix length; empty when not given.
        gateway: the address it sends to what is not its subnet; empty when not given.
        mac: in lower case; empty when not given.
    """

    name: str
    port: PortRef
    address: str = ""
    gateway: str = ""
    mac: str = ""
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True)
class Segment:
    """A named set of VLANs that belong together."""

    name: str
    vlans: VlanSet
    source: Source = field(compare=False)


class Facing(Enum):
    """What stations are taken to do: send what their port is set for, or any frame they can think of."""

    HONEST = "honest"
    HOSTILE = "hostile"


@dataclass(frozen=True, slots=True)
class Apart:
    """No two of these segments may ever exchange a frame, except the pairs given.

    Attributes:
        name: what the claim is called.
        segments: names of segments, two or more.
        allowed: pairs of names that may meet.
        facing: what stations of the segments are taken to do.
    """

    name: str
    segments: tuple[str, ...]
    allowed: frozenset[frozenset[str]] = frozenset()
    facing: Facing = Facing.HONEST
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True)
class Together:
    """All ports of a segment can exchange frames both ways, even after so many failures of cables or switches."""

    name: str
    segment: str
    surviving: int = 0
    source: Source = field(default=Source(""), compare=False)


Claim: TypeAlias = Apart | Together


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
        notes: what was passed over while reading, one sentence each.
    """

    name: str
    switches: Mapping[str, Switch]
    cables: tuple[Cable, ...] = ()
    hosts: Mapping[str, Host] = field(default_factory=dict)
    segments: Mapping[str, Segment] = field(default_factory=dict)
    claims: tuple[Claim, ...] = ()
    keep: VlanSet = NONE
    parking: Vid | None = None
    notes: tuple[str, ...] = ()
