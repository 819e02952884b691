"""What a port is, in a few words: for tables, for findings, for the way of a frame."""

from __future__ import annotations

from inkov.model.switch import (
    Access,
    Bridged,
    FrameTypes,
    General,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Routed,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
)

_FORMS: dict[type, str] = {
    Access: "access",
    Trunk: "trunk",
    Negotiated: "negotiated",
    General: "general",
    PrivateHost: "private",
    Promiscuous: "promiscuous",
    Tunnel: "tunnel",
    Bridged: "bridged",
    Routed: "routed",
    Plain: "unmanaged",
    Unstated: "not stated",
}


def form(port: Port) -> str:
    """Returns what kind of port it is, in one word."""
    return _FORMS[type(port.switching)]


def setting(port: Port) -> str:
    """Returns what a port is set to, in the words of the switch file."""
    match port.switching:
        case Access(vid=None):
            return "access port, VLAN not stated"
        case Access(vid=vid, voice=None):
            return f"access {vid}"
        case Access(vid=vid, voice=voice):
            return f"access {vid}, voice {voice}"
        case Trunk(native=None):
            return "trunk, no native"
        case Trunk(native=native, native_tagged=tagged):
            return f"trunk, native {native}{' tagged' if tagged else ''}"
        case _:
            return f"{form(port)} {vlans(port.switching)}".strip()


def vlans(switching: Switching) -> str:  # noqa: C901 - a kind a case
    """Returns the VLANs a port is set to, as written where possible."""
    match switching:
        case Access(vid=vid, voice=voice):
            return ("not stated" if vid is None else str(vid)) + (f" voice {voice}" if voice is not None else "")
        case Trunk(allowed=allowed, translate=translate, spelling=spelling):
            mapped = "".join(f", tag {tag} for {vid}" for tag, vid in translate)
            return (spelling or str(allowed)) + mapped
        case Negotiated(access=access, trunk=trunk):
            return f"{vlans(access)} or trunk {vlans(trunk)}"
        case General(pvid=pvid, untagged=untagged, tagged=tagged, frames=frames, filtering=filtering):
            only = "" if frames is FrameTypes.ALL else f", only {frames.value}"
            return f"pvid {pvid}, untagged {untagged}, tagged {tagged}{only}{'' if filtering else ', no filtering'}"
        case PrivateHost(primary=primary, secondary=secondary):
            return f"{secondary} in {primary}"
        case Promiscuous(primary=primary, secondaries=secondaries):
            return f"{primary} with {secondaries}"
        case Tunnel(vid=vid):
            return str(vid)
        case Bridged(untagged=untagged_domain, tagged=pairs):
            parts = [f"tag {tag} in {d}" for tag, d in pairs]
            return ", ".join([*([f"untagged in {untagged_domain}"] if untagged_domain else []), *parts])
        case Routed(tags=tags):
            return ", ".join(f"tag {tag}" if tag else "untagged" for tag in tags)
        case Plain() | Unstated():
            return ""
