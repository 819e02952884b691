"""What files told of each device: which there are, what each gave, what is still not known, and what contradicts."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum

from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Switch


class Topic(Enum):
    """What an audit needs to know of a device; the value is what sentences call it."""

    VLANS = "VLAN table"
    PORTS = "ports"
    MODES = "what ports do"
    STANCES = "negotiation"
    TREE = "spanning tree"
    NEIGHBOURS = "neighbours"
    GATEWAYS = "gateways"


@dataclass(frozen=True, slots=True)
class Told:
    """What one file told of a device.

    Attributes:
        device: its name in the campus.
        file: as the site shows it.
        format: name of its format.
        said: the device, as far as the file tells.
        short: what is missing from the file because it is cut, or because the device did not say.
        saved: it is what the device has saved.
    """

    device: str
    file: str
    format: str
    said: Switch
    short: tuple[str, ...] = ()
    saved: bool = False


@dataclass(frozen=True, slots=True)
class Contradiction:
    """Two files say of one device what cannot both be.

    Attributes:
        device: its name.
        port: the port it is about; empty for the device itself.
        setting: what they say differently.
        says: the value that counts, in words, with its place.
        but: the other value, with its place.
        settled: the first counts; else neither does, and the setting is not known.
    """

    device: str
    port: str
    setting: Setting
    says: tuple[str, Source]
    but: tuple[str, Source]
    settled: bool

    @property
    def place(self) -> str:
        """The port, or the device."""
        return f"{self.device}:{self.port}" if self.port else self.device


@dataclass(frozen=True, slots=True)
class Twins:
    """Two devices that go by different names and have one address."""

    first: str
    second: str
    address: str
    sources: tuple[Source, Source]
