"""What the keys of one port entry make of the port. The document type has checked each value already."""

from __future__ import annotations

from collections.abc import Callable

from inkov.formats.ours.switch_document import OneKey, PortEntry, StartsAs, Switched
from inkov.kinds.table import access_of, trunk_of
from inkov.kinds.table import kind as kind_of
from inkov.model.switch import (
    Access,
    FrameTypes,
    General,
    Kind,
    Negotiated,
    Plain,
    PrivateHost,
    Promiscuous,
    Routed,
    Stance,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
)
from inkov.model.vlanset import ALL

Complain = Callable[[str, str], None]
"""Called with what is wrong and the key it is wrong at."""


def switching(entry: Switched, starts: StartsAs, kind: Kind, complain: Complain) -> Switching:
    """Returns what a port of our switch file is.

    Args:
        entry: the port's own settings.
        starts: what a port of the switch is before anyone configures it.
        kind: what the device is.
        complain: takes settings that do not belong to what the port is.
    """
    if kind is Kind.UNMANAGED:
        return Plain()
    if isinstance(entry, PortEntry) and (entry.subinterfaces or kind is Kind.ROUTER or entry.mode == "routed"):
        return Routed(tuple(tag or None for tag in sorted(entry.subinterfaces, key=lambda tag: tag or 0)))
    made = _of_keys(entry, starts)
    trunks = trunk_of(made) is not None or kind_of(made).becomes(made) is not None
    if not trunks:
        for key in ("native", "translate", "native_tagged"):
            if key in entry.model_fields_set:
                shown = key.replace("_", "-")
                article = "an access port" if access_of(made) else "no trunk"
                complain(f"{shown!r} belongs to a trunk, and this is {article}", shown)
    if entry.voice is not None and not (trunks or access_of(made)):
        complain("'voice' belongs to an access port", "voice")
    return made


def stance(entry: Switched, starts: StartsAs) -> Stance:
    """Returns how a port negotiates."""
    return Stance(entry.stance or starts.stance)


def of_one_key(entry: OneKey) -> Switching | None:
    """Returns what a port is that one key describes; None for ports of other kinds."""
    if entry.general == "not stated":
        return Unstated(general=True)
    if entry.general is not None:
        g = entry.general
        frames = None if g.frames == "not stated" else FrameTypes(g.frames)
        filtering = None if g.filtering == "not stated" else g.filtering
        return General(g.pvid, g.untagged.vlans, g.tagged.vlans, frames, filtering, g.plain)
    if entry.private is not None:
        return PrivateHost(entry.private.primary, entry.private.secondary)
    if entry.promiscuous is not None:
        return Promiscuous(entry.promiscuous.primary, entry.promiscuous.secondaries.vlans)
    if entry.tunnel is not None:
        inside = entry.tunnel.inside.vlans
        return Tunnel(entry.tunnel.vlan, None if inside == ALL else inside)
    return None


def _of_keys(entry: Switched, starts: StartsAs) -> Switching:
    if (made := of_one_key(entry)) is not None:
        return made
    access = Access(starts.access if entry.access is None else entry.access, entry.voice)
    match entry.mode or _implied(entry, starts):
        case "access":
            return access
        case "trunk":
            return _trunk(entry, starts)
        case _:
            return Negotiated(access, _trunk(entry, starts))


def _implied(entry: Switched, starts: StartsAs) -> str:
    if entry.access is not None:
        return "access"
    return "trunk" if entry.trunk is not None else starts.mode


def _trunk(entry: Switched, starts: StartsAs) -> Trunk:
    listed = entry.trunk or starts.allowed
    return Trunk(
        entry.native if "native" in entry.model_fields_set else starts.native,
        listed.vlans if listed else ALL,
        native_tagged=entry.native_tagged,
        translate=tuple(entry.translate.items()),
        spelling=listed.spelling if listed else "",
    )
