"""What several accounts of a port say that it is, put together: what one leaves open, another may state."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from inkov.kinds.kind import Faces
from inkov.kinds.table import access_of, kind, trunk_of
from inkov.model.settings import Setting
from inkov.model.switch import Access, General, Port, Switching, Trunk, Unstated
from inkov.model.vlanset import Vid, VlanSet


def only_voice(switching: Switching) -> Switching:
    """Returns what is left of a port whose kind is not stated: the voice VLAN, if it has one."""
    voice = station_voice(switching)
    return Unstated() if voice is None else Access(None, voice)


def as_stated(switching: Switching, states: Callable[[Setting], bool]) -> Switching:
    """Returns what a port is set to, with nothing but what is stated: an access VLAN or a native VLAN may not be."""
    match switching:
        case Access(voice=voice):
            return switching if states(Setting.ACCESS) else Access(None, voice)
        case Trunk():
            return switching if states(Setting.NATIVE) else replace(switching, native=None, native_stated=False)
        case _:
            return switching


def refined(switching: Switching, other: Switching) -> Switching:
    """Returns what a port is set to, with what it leaves open taken from another account of it, where that has it."""
    match switching, other:
        case Unstated(), _:
            return other
        case Access(vid=v, voice=w), Access():
            return Access(other.vid if v is None else v, other.voice if w is None else w)
        case Trunk(native_stated=False), Trunk(native_stated=True):
            return replace(switching, native=other.native, native_tagged=other.native_tagged, native_stated=True)
        case General(), General():
            return replace(
                switching,
                frames=switching.frames or other.frames,
                filtering=other.filtering if switching.filtering is None else switching.filtering,
            )
        case _:
            return switching


def as_phone(told: Sequence[Switching]) -> Access | None:
    """Returns the access port with a phone before it that several accounts of a port describe; None where they do not.

    One states a voice VLAN, and another lists its VLANs: the untagged one and this one tag.
    """
    voices = {v for s in told if (v := station_voice(s)) is not None}
    natives: set[Vid | None] = set()
    for switching in told:
        match switching:
            case Access(vid=vid, voice=voice) if voice is not None:
                natives |= {vid} - {None}
            case Trunk(native=n, allowed=some, native_tagged=False, translate=()) if n is not None:
                natives |= {n} if some == VlanSet({n, *voices}) else {None}
            case General(pvid=n, untagged=own, tagged=tags) if n:
                natives |= {n} if (own, tags) == (VlanSet([n]), VlanSet(voices)) else {None}
            case _:
                natives.add(None)
    native = next(iter(natives), None)
    lists = any(isinstance(s, Trunk | General) for s in told)
    return Access(native, *voices) if lists and len(voices) == len(natives) == 1 and native is not None else None


def is_stated(switching: Switching) -> bool:
    """Tells whether it is stated what a port is."""
    return kind(switching).faces is not Faces.UNKNOWN


def without_native(port: Port) -> Port:
    """Returns a port; a trunk whose native VLAN is not stated is taken to have none."""
    trunk = trunk_of(port.switching)
    return replace(port, switching=replace(trunk, native_stated=True)) if trunk and not trunk.native_stated else port


def station_voice(switching: Switching) -> Vid | None:
    """Returns the voice VLAN of an access port; None without one."""
    access = access_of(switching)
    return access.voice if access else None


def with_voice(port: Port, vid: Vid) -> Port:
    """Returns a port with a voice VLAN; the very same where it has none for a phone, or has one already.

    A trunk of a native VLAN and this one tag is the access port with a phone that it is.
    """
    access = as_phone([Access(None, vid), port.switching]) or access_of(port.switching)
    if access is not None and access.voice == vid and access != port.switching:
        return replace(port, switching=access)
    return replace(port, switching=replace(access, voice=vid)) if access and access.voice is None else port
