"""What a port does, as the keys of our switch files and as the leaves of OpenConfig."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from inkov.model.switch import (
    Access,
    Bridged,
    FrameTypes,
    General,
    Negotiated,
    Port,
    PrivateHost,
    Promiscuous,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
)
from inkov.model.vlanset import ALL, VlanSet


def keys(switching: Switching) -> dict[str, Any]:
    """Returns the keys of a port in a switch file in which what is left out is not known.

    Bridges of their own per VLAN, and subinterfaces, are written elsewhere.
    """
    match switching:
        case Access(vid=vid, voice=voice):
            found = {"mode": "access"} if vid is None else {"access": vid}
            return found | ({} if voice is None else {"voice": voice})
        case Trunk():
            return _trunk(switching)
        case Negotiated(access=access, trunk=trunk):
            return {"mode": "negotiated", **keys(access), **_trunk(trunk)}
        case General():
            return {"general": _general(switching)}
        case PrivateHost(primary=primary, secondary=secondary):
            return {"private": {"primary": primary, "secondary": secondary}}
        case Promiscuous(primary=primary, secondaries=some):
            return {"promiscuous": {"primary": primary, "secondaries": _list(some)}}
        case Tunnel(vid=vid, inner=inner):
            return {"tunnel": vid if inner is None else {"vlan": vid, "inside": _list(inner)}}
        case Unstated(general=True):
            return {"general": "not stated"}
        case _:
            return {}


def step_keys(switching: Switching) -> dict[str, Any] | None:
    """Returns the keys of a step that make a port this, whatever it was before; None where no step does."""
    found = keys(switching)
    match switching:
        case Access(vid=int()):
            return {"voice": "none"} | found
        case Trunk(native_stated=True):
            return {"native-tagged": False, "translate": {}} | found
        case Negotiated(access=Access(vid=int()), trunk=Trunk(native_stated=True)):
            return {"voice": "none", "native-tagged": False, "translate": {}} | found
        case General() | PrivateHost() | Promiscuous() | Tunnel() | Unstated(general=True):
            return found
        case _:
            return None


def stating(port: Port) -> dict[str, Any] | None:
    """Returns the keys of a port with what is not stated as it most often is; None where they cannot state it.

    A VLAN that only its users know is written as the word VLAN.
    """
    kind = port.switching
    match kind:
        case Access(vid=None):
            return {"access": "VLAN"} | ({} if kind.voice is None else {"voice": kind.voice})
        case Trunk(native_stated=False):
            return keys(replace(kind, native=None, native_stated=True))
        case Negotiated():
            plain = [replace(port, switching=kind.access), replace(port, switching=kind.trunk)]
            if port.stance is not None and not any(map(stating, plain)):
                return None  # what it becomes hangs on its far end
            inner = {k: v for p in plain for k, v in (stating(p) or keys(p.switching)).items()}
            return {"mode": "negotiated", **inner, "stance": port.stance.value if port.stance else "silent"}
        case General(frames=frames, filtering=filtering):
            known = replace(kind, frames=frames or FrameTypes.ALL, filtering=filtering is not False)
            return keys(known)
        case Unstated():
            return {"access": "VLAN"}
        case _:
            return None


def domains(switching: Switching) -> tuple[int | None, dict[int, int]] | None:
    """Returns the bridge of untagged frames and those of tags, of a port with bridges of their own; None for others."""
    return (switching.untagged, dict(switching.tagged)) if isinstance(switching, Bridged) else None


def _trunk(trunk: Trunk) -> dict[str, Any]:
    found: dict[str, Any] = {"trunk": _list(trunk.allowed)}
    if trunk.native_stated:
        found["native"] = "none" if trunk.native is None else trunk.native
    if trunk.native_tagged:
        found["native-tagged"] = True
    if trunk.translate:
        found["translate"] = dict(trunk.translate)
    return found


def _general(general: General) -> dict[str, Any]:
    found: dict[str, Any] = {
        "pvid": "none" if general.pvid is None else general.pvid,
        "untagged": _list(general.untagged),
        "tagged": _list(general.tagged - general.untagged),
        "frames": general.frames.value if general.frames else "not stated",
        "filtering": "not stated" if general.filtering is None else general.filtering,
    }
    return found | ({"plain": True} if general.plain else {})


def _list(some: VlanSet) -> str:
    return "all" if some == ALL else str(some)


def leaves(switching: Switching) -> dict[str, Any] | None:
    """Returns the leaves of `switched-vlan`; None for a port that OpenConfig cannot express."""
    match switching:
        case Access(vid=None, voice=None):
            return {"interface-mode": "ACCESS"}
        case Access(vid=vid, voice=None):
            return {"interface-mode": "ACCESS", "access-vlan": vid}
        case Trunk(translate=(), native_tagged=False) if switching.native_stated is (switching.native is not None):
            found: dict[str, Any] = {"interface-mode": "TRUNK"}
            if switching.native is not None:
                found["native-vlan"] = switching.native
            if not switching.allowed:
                return None  # an empty list means every VLAN there
            if switching.allowed != ALL:
                found["trunk-vlans"] = [_range(part) for part in str(switching.allowed).split(",")]
            return found
        case _:
            return None


def _range(part: str) -> int | str:
    low, dash, high = part.partition("-")
    return f"{low}..{high}" if dash else int(low)
