"""Layer 3: gateways, the routes between them, and the address filters in front of them."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Final, TypeAlias, Union

from inkov.model.source import Source
from inkov.model.vlanset import Vid

if TYPE_CHECKING:
    from ipaddress import IPv4Address, IPv4Interface, IPv4Network, IPv6Address, IPv6Interface, IPv6Network

Address: TypeAlias = Union["IPv4Interface", "IPv6Interface"]
"""An address with its prefix length."""

Prefix: TypeAlias = Union["IPv4Network", "IPv6Network"]

Ip: TypeAlias = Union["IPv4Address", "IPv6Address"]


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry of an address filter; the first that matches a packet decides.

    Attributes:
        accepts: it lets packets pass; else it drops them.
        origin: prefix their source must be in; None for any.
        target: prefix their destination must be in; None for any.
        only: what else of a packet must match, in words, such as `tcp to 443`; empty when nothing else.
        source: where it is written; nowhere for what follows from the kind of filter.
        number: its own number in its filter, where it has one.
    """

    accepts: bool
    origin: Prefix | None = None
    target: Prefix | None = None
    only: str = ""
    source: Source = field(default=Source(""), compare=False)
    number: int | None = field(default=None, compare=False)

    def __str__(self) -> str:
        ends = f"{self.origin or 'any'} → {self.target or 'any'}"
        number = "" if self.number is None else f"{self.number} "
        return f"{number}{'✓' if self.accepts else '✗'} {ends}{f', {self.only}' if self.only else ''}"


@dataclass(frozen=True, slots=True)
class Filter:
    """An address filter. What becomes of packets that no entry matches is not stated; a last entry should say it."""

    name: str
    entries: tuple[Entry, ...]
    source: Source = field(default=Source(""), compare=False)


@dataclass(frozen=True, slots=True)
class Gateway:
    """A device's own addresses in one VLAN.

    Attributes:
        vid: the VLAN; on a routed port the tag on the wire, None for untagged.
        addresses: its addresses, each with prefix length.
        port: the routed port it is on; empty when it is in a VLAN of the switch itself.
        enabled: not shut down.
        inward: name of the filter for packets that come in; empty when there is none.
        outward: name of the filter for packets that go out.
        vrf: the routing table it belongs to; empty for the usual one.
        virtual: addresses it may answer to together with other devices, as a redundant pair does (RFC 9568).
        doubt: what of it is not known because files contradict each other, in words; then it is not surely up.
        untold: what its file does not tell: `IPv4` or `IPv6`, whether it has an address of the family; `filters`; `subnet`, of
            an address without a prefix length.
        label: what its interface is called and labelled.
    """

    vid: Vid | None
    addresses: tuple[Address, ...]
    port: str = ""
    enabled: bool = True
    inward: str = ""
    outward: str = ""
    vrf: str = ""
    source: Source = field(default=Source(""), compare=False)
    virtual: tuple[Ip, ...] = ()
    doubt: str = ""
    untold: tuple[str, ...] = ()
    label: str = ""

    @property
    def answers(self) -> tuple[Ip, ...]:
        """The addresses that stations may send to: its own, and those it shares."""
        return (*(a.ip for a in self.addresses), *self.virtual)

    def takes(self, family: int) -> bool | None:
        """Tells whether it passes packets of a family on: it has an address of the family; None where that is not known."""
        if not self.answers or any(ip.version == family for ip in self.answers):
            return True
        return None if f"IPv{family}" in self.untold else False

    @property
    def key(self) -> str:
        """A name for it that no other gateway of the device has, however ports are called: as JSON."""
        return gateway_key(self.port, self.vid)

    @property
    def place(self) -> str:
        """Where it is, for people."""
        return f"{self.port or 'vlan'} {self.vid or 'untagged'}"

    @property
    def shown(self) -> str:
        """Its addresses as text."""
        shared = [f"{ip} shared" for ip in self.virtual]
        return ", ".join([*map(str, self.addresses), *shared]) or "no address"


def gateway_key(port: str, vid: Vid | None) -> str:
    """Returns the `key` of a gateway on a port, or in a VLAN where the port is empty."""
    return json.dumps([port, vid])


def of_key(key: str) -> tuple[str, Vid | None]:
    """Returns the port and the VLAN or tag that a gateway's `key` is made of."""
    port, vid = json.loads(key)
    return port, vid


SUBNET_UNTOLD: Final = "its address has no prefix length"
"""The doubt of a gateway of which the subnet is not told."""


def set_name(device: str, gateway: Gateway) -> str:
    """Returns what a certificate calls the set of what a gateway sends: no other set is called so, whatever names there are."""
    return f"gateway {json.dumps([device, gateway.port, gateway.vid])}"


@dataclass(frozen=True, slots=True)
class Route:
    """A static route: where packets for a prefix are sent on to, or that they are dropped.

    Attributes:
        prefix: where the packets go.
        via: the next device; None where they are for whoever is at hand there, or dropped.
        vrf: the routing table it belongs to; empty for the usual one.
        out: the `key` of the gateway they go out by; empty where the subnet of `via` tells it.
        metric: of two routes for one prefix the lower counts; None where it is not stated.
    """

    prefix: Prefix
    via: Ip | None
    vrf: str = ""
    source: Source = field(default=Source(""), compare=False)
    out: str = ""
    metric: int | None = None

    @property
    def drops(self) -> bool:
        """Packets end here."""
        return self.via is None and not self.out

    @property
    def way(self) -> str:
        """How it goes on, for people."""
        if self.drops:
            return "that drops"
        port, tag = self.onto or ("", None)
        onto = f"by {port or 'vlan'} {tag or 'untagged'}" if self.onto else ""
        return " ".join(filter(None, (f"via {self.via}" if self.via else "", onto)))

    @property
    def onto(self) -> tuple[str, Vid | None] | None:
        """The port and the VLAN or tag of the gateway in `out`; None where none is named."""
        return of_key(self.out) if self.out else None

    def __str__(self) -> str:
        return f"route {self.prefix} {self.way}"

    def leads_by(self, gateway: Gateway) -> bool:
        """Tells whether it leads out by a gateway of its device, if that is up."""
        if self.vrf != gateway.vrf:
            return False
        if self.out:
            return self.out == gateway.key
        return self.via is not None and any(self.via in a.network for a in gateway.addresses)
