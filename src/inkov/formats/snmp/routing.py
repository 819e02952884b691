"""Layer 3 of an SNMP walk: addresses (RFC 4293), and the routing table as it stands (RFC 4292, 2096, 1213)."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import ip_address, ip_interface, ip_network
from typing import Final, NamedTuple

from inkov.formats.snmp.oids import Index
from inkov.formats.snmp.tables import Tables
from inkov.model.routing import Address, Ip, Prefix, Route
from inkov.model.source import Source, Touches

_SIZES: Final = {1: 4, 2: 16, 3: 4, 4: 16}
"""Octets of an address by its type (RFC 4001, InetAddressType)."""

_LOCAL, _BY_HAND, _REMOTE = 2, 3, 4
_INVALID: Final = 2
_DROPPING: Final = {"inetCidrRoute": {2, 5}, "ipCidrRoute": {2}}
"""The types of routes that reject packets, or lose them (RFC 4292, RFC 2096), by table."""
_PROTOCOLS: Final = {8: "RIP", 9: "IS-IS", 13: "OSPF", 14: "BGP"}
_LINK_LOCAL: Final = (254, 128)


def addresses(walk: Tables) -> Iterator[tuple[Address, int, int]]:
    """Yields each address with the number of its interface and its line, from the older table and the newer one.

    The newer one has no masks: the routes to what is at hand tell the subnet; an address of which nothing tells it is alone there.
    """
    at_hand = [row.prefix for row in _rows(walk) if walk.number(f"{row.table}Proto", row.number) == _LOCAL]
    for address, i, line in _told(walk):
        around = [p for p in at_hand if address.ip in p and p.num_addresses > 1]
        if around and address.network.num_addresses == 1:
            yield ip_interface(f"{address.ip}/{max(p.prefixlen for p in around)}"), i, line
        else:
            yield address, i, line


def _told(walk: Tables) -> Iterator[tuple[Address, int, int]]:
    for index, (i, line) in walk.tables["ipAdEntIfIndex"].items():
        mask = walk.text("ipAdEntNetMask", index)
        text = ".".join(map(str, index))
        try:
            yield ip_interface(f"{text}/{mask}" if mask else text), int(i), line
        except ValueError:
            continue
    for index, (i, line) in walk.tables["ipAddressIfIndex"].items():
        address = _address(index)
        if address is not None and not address[0].is_link_local and index[2:] not in walk.tables["ipAdEntIfIndex"]:
            yield ip_interface(address[0]), int(i), line


def untold_of(walk: Tables, i: int, address: Address) -> tuple[str, ...]:
    """Returns what a walk does not tell of the gateway on an interface: filters, and IPv6 where only the older table is there."""
    rows = walk.tables["ipAddressIfIndex"].items()
    local = any(int(j) == i and index[:1] in {(2,), (4,)} and index[2:4] == _LINK_LOCAL for index, (j, _) in rows)
    family = () if rows and not local else ("IPv6",)
    return (*family, "filters", *(("subnet",) if address.network.num_addresses == 1 else ()))


def routes(walk: Tables) -> tuple[tuple[Route, ...], str]:
    """Returns the routes by way of another device, and what may add others than those.

    A route that goes out by an interface alone is recorded as not followed.
    """
    found: dict[Route, None] = {}
    by: dict[str, None] = {}
    told = False
    for table, index, prefix, via, line in _rows(walk):
        told = True
        kind, proto = walk.number(f"{table}Type", index), walk.number(f"{table}Proto", index)
        if proto not in {_LOCAL, _BY_HAND, 1, None}:
            by[_PROTOCOLS.get(proto or 0, f"protocol {proto} of its routing table")] = None
        if kind == _REMOTE and via is not None and not via.is_unspecified:
            found[Route(prefix, via, source=Source(walk.reading.file, line))] = None
        elif kind in _DROPPING.get(table, ()):
            found[Route(prefix, None, source=Source(walk.reading.file, line))] = None
        elif (table, kind) == ("ipRoute", _INVALID):
            continue  # not in use (RFC 1213, ipRouteType)
        elif kind not in {3, None} and proto != _LOCAL:
            walk.reading.touch(f"/{table}Type", Touches.PACKETS, f"{table}Type of {prefix}", line)
    if not told and walk.number("ipForwarding") != 2:
        by["its walk tells no routing table"] = None
    return tuple(found), ", ".join(by)


class _Row(NamedTuple):
    """A row of a routing table: its table, its number, where it leads by whom (None for nobody), its line."""

    table: str
    number: Index
    prefix: Prefix
    via: Ip | None
    line: int


def _rows(walk: Tables) -> Iterator[_Row]:
    """Yields each route; the newest table that is there counts."""
    for index, (_, line) in walk.tables["inetCidrRouteType"].items():
        target = _address(index)
        if target is None or len(target[1]) < 2 or target[1][0] > target[0].max_prefixlen:
            continue
        rest = target[1][2 + target[1][1] :]  # after the length of the prefix, and the policy
        hop = _address(rest)
        prefix = ip_network((target[0], target[1][0]), strict=False)
        yield _Row("inetCidrRoute", index, prefix, hop[0] if hop else None, line)
    if walk.tables["inetCidrRouteType"]:
        return
    older = "ipCidrRoute" if walk.tables["ipCidrRouteType"] else "ipRoute"
    for index, (_, line) in walk.tables[f"{older}Type"].items():
        mask, hop_text = walk.text("ipRouteMask", index), walk.text("ipRouteNextHop", index)
        if older == "ipCidrRoute":
            mask, hop_text = _dotted(index[4:8]), _dotted(index[9:])
        try:
            via = ip_address(hop_text) if hop_text else None
            yield _Row(older, index, ip_network(f"{_dotted(index[:4])}/{mask}", strict=False), via, line)
        except ValueError:
            walk.untold.append("where each of its routes leads")


def _dotted(octets: Index) -> str:
    return ".".join(map(str, octets))


def _address(index: Index) -> tuple[Ip, Index] | None:
    """Returns the address that an index begins with, as type, length and octets, and the rest of the index."""
    size = _SIZES.get(index[0] if index else 0, 0)
    if not size or len(index) < size + 2 or index[1] < size:
        return None
    return ip_address(bytes(n & 255 for n in index[2 : size + 2])), index[2 + index[1] :]
