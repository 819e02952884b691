"""What a link needs before any VLAN counts: its LAG formed, and one tag format at both ends."""

from __future__ import annotations

from inkov.kinds.table import keeps_format
from inkov.model.switch import NEGOTIATED_FORMAT, Lacp, Port

_NEGOTIATES = frozenset({Lacp.ACTIVE, Lacp.PASSIVE})


def lag_failure(a: Port, b: Port) -> str:
    """Says why the LAGs at two ends do not form (IEEE 802.1AX-2020, 6.4.1); empty when they do, or there is none.

    A LAG that does not say how it forms is taken to suit the other end.
    """
    if not (a.is_lag or b.is_lag):
        return ""
    if a.is_lag and b.is_lag:
        modes = {a.lacp, b.lacp}
        if modes == {Lacp.PASSIVE}:
            return "both ends wait for the other to form the LAG"
        if Lacp.STATIC in modes and modes & _NEGOTIATES:
            return "one end negotiates the LAG and the other does not"
        return ""
    lag = a if a.is_lag else b
    return "one end negotiates a LAG, the other is no LAG" if lag.lacp in _NEGOTIATES else ""


def forms(a: Port, b: Port) -> bool | None:
    """Tells whether the LAGs at two ends surely form, or surely do not; None when how one forms is not stated."""
    if any(p.is_lag and p.lacp is None for p in (a, b)):
        return None
    return not lag_failure(a, b)


def formats_agree(a: Port, b: Port) -> bool:
    """Tells whether two ends understand each other's tags.

    A format left to negotiation suits any, and an unmanaged device does not look.
    """
    if not (keeps_format(a) and keeps_format(b)):
        return True
    return a.tag_format == b.tag_format or NEGOTIATED_FORMAT in {a.tag_format, b.tag_format}
