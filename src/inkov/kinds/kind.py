"""What a module of a port kind must tell; mypy names what one leaves out."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum
from typing import Generic, TypeVar

from inkov.kinds.relay import Mask, RelayMap, View
from inkov.model.settings import Setting
from inkov.model.switch import Habits, Stance, Switching, Vlan
from inkov.model.vlanset import Vid

S = TypeVar("S", bound=Switching)


class Side(Enum):
    """How an end enters negotiation."""

    ACCESS = "access"
    TRUNK_SILENT = "trunk, silent"
    TRUNK_ANNOUNCING = "trunk, announcing"
    PASSIVE = "negotiated, passive"
    ACTIVE = "negotiated, active"


class Faces(Enum):
    """What a port of a kind is for."""

    STATION = "one station"
    TAGS = "many VLANs by their tags"
    ANYONE = "whoever negotiates"
    WHOLE = "frames as they are"
    ROUTER = "the device itself"
    UNKNOWN = "not stated"


@dataclass(frozen=True, slots=True)
class Box:
    """What a relay map depends on besides the port: its switch in one reading.

    Attributes:
        tables: the VLAN tables that its switch may have; one where no sync group may replace it.
        active: VLANs defined and active there, in this view.
        habits: its habits, each one way or the other.
        view: how what is not stated is read.
    """

    tables: Sequence[Mapping[Vid, Vlan] | None]
    active: Mask
    habits: Habits
    view: View


class PortKind(ABC, Generic[S]):
    """Everything that depends on one kind of port."""

    @property
    @abstractmethod
    def word(self) -> str:
        """What it is called, in one word."""

    @property
    @abstractmethod
    def faces(self) -> Faces:
        """What it is for."""

    @property
    @abstractmethod
    def setting(self) -> Setting:
        """The setting that makes a port one of these."""

    @property
    @abstractmethod
    def habits(self) -> tuple[str, ...]:
        """The habits of its platform that its relay map depends on."""

    @abstractmethod
    def relay(self, port: S, box: Box) -> RelayMap:
        """Returns its row of the port table (docs/frames.md, section 1) in one reading."""

    @abstractmethod
    def members(self, port: S) -> Mask:
        """Returns the VLANs a station behind it belongs to, whether or not the switch defines them."""

    @abstractmethod
    def heard_by_station(self, port: S) -> list[Vid]:
        """Returns the VLANs of a station that sends untagged, and of a phone in front of it; all a private port hears."""

    @abstractmethod
    def untagged(self, port: S) -> Vid | None:
        """Returns the VLAN a station's untagged frames enter, as set; None when there is none or it is not stated."""

    @abstractmethod
    def vlans(self, port: S) -> str:
        """Returns the VLANs it is set to, as written where possible."""

    @abstractmethod
    def unknown(self, port: S, stance: Stance | None) -> str:
        """Names the fact that is not stated and forwarding depends on; empty when there is none."""

    @abstractmethod
    def sides(self, port: S, stance: Stance | None) -> list[Side]:
        """Returns how it may enter negotiation; several where its stance is not stated."""

    @abstractmethod
    def becomes(self, port: S) -> tuple[Switching, Switching] | None:
        """Returns what it is without and with a trunk formed; None for a kind that does not negotiate."""

    def words(self, port: S) -> str:
        """Returns what it is set to, in the words of the switch file."""
        return f"{self.word} {self.vlans(port)}".strip()

    @property
    def joins_vlans(self) -> bool:
        """Its one untagged station may send into other VLANs than it hears, or hear several: it is in all of them."""
        return False

    @property
    def carries_tags(self) -> bool:
        """It carries VLANs tagged."""
        return self.faces is Faces.TAGS

    @property
    def has_vlans(self) -> bool:
        """It has VLANs of its own; a port of a router or an unmanaged device, or a tunnel, has not."""
        return self.faces not in {Faces.WHOLE, Faces.ROUTER}


class Fixed(PortKind[S]):
    """A kind that does not negotiate, and of which everything is stated."""

    def unknown(self, port: S, stance: Stance | None) -> str:
        return ""

    def sides(self, port: S, stance: Stance | None) -> list[Side]:
        return [Side.ACCESS]

    def becomes(self, port: S) -> tuple[Switching, Switching] | None:
        return None


def bit(vid: Vid | None) -> Mask:
    """Returns a VLAN as a set; empty for None."""
    return 0 if vid is None else 1 << vid
