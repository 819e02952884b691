"""What all sources of discovery have in common (IEEE 802.1AB-2016, 8.5): identifiers as text, and what a neighbour is."""

from __future__ import annotations

from collections.abc import Iterable
from ipaddress import ip_address
from typing import Final

from inkov.model.switch import Neighbour

_ADDRESS_LENGTHS: Final = {1: 4, 2: 16}
_BY_CAPABILITY: Final = (
    (5, Neighbour.PHONE),
    (3, Neighbour.ACCESS_POINT),
    (4, Neighbour.ROUTER),
    (2, Neighbour.BRIDGE),
    (7, Neighbour.STATION),
)
"""Number of a capability to what has it, the most telling first: phones and access points are bridges as well."""


def kind_of(capabilities: Iterable[int]) -> Neighbour:
    """Returns what a neighbour is by the capabilities that it has enabled."""
    enabled = set(capabilities)
    return next((kind for number, kind in _BY_CAPABILITY if number in enabled), Neighbour.UNKNOWN)


def identifier(octets: bytes, form: str) -> str:
    """Returns a chassis or port identifier as text.

    Args:
        octets: without the subtype.
        form: `mac`, `address` (a family, then the address), or empty for text.
    """
    if form == "mac":
        return octets.hex(":")
    if form == "address" and len(octets) - 1 == _ADDRESS_LENGTHS.get(octets[0] if octets else 0):
        return str(ip_address(octets[1:]))
    try:
        text = octets.rstrip(b"\0").decode("utf-8")
    except UnicodeDecodeError:
        return octets.hex(":")
    return text if text.isprintable() else octets.hex(":")
