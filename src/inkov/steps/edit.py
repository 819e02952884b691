"""A port with some of its settings changed, as a step of a change asks for."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Final

from inkov.model.switch import Access, Negotiated, Port, Promiscuous, Stance, Switching, Trunk
from inkov.model.vlanset import ALL, Vid, VlanSet
from inkov.steps.settings import KEEP, PortChange

NEGOTIATED: Final = "negotiated"


class CannotChange(ValueError):
    """A setting that a port of this kind does not have; the message says which."""


def edited(port: Port, change: PortChange) -> Port:
    """Returns a port with some settings changed; what the change does not set stays.

    Raises:
        CannotChange: the port has no such setting.
    """
    changed: dict[str, Any] = {"switching": _switching(port.switching, change)}
    if change.mode not in {KEEP, NEGOTIATED}:
        changed["stance"] = Stance.SILENT
    if change.lacp is not KEEP and not port.is_lag:
        raise CannotChange("'lacp' is of a LAG, and this port is none")
    if change.lag is not KEEP and port.is_lag:
        raise CannotChange("'lag' is of a member, and this port is a LAG")
    if change.tree is not KEEP:
        changed["tree"] = replace(port.tree, **dict(change.tree.items()))
    plain = {
        "stance": "stance",
        "lacp": "lacp",
        "enabled": "enabled",
        "label": "label",
        "lag": "lag",
        "tags": "tag_format",
        "registration": "registration",
    }
    changed |= {plain[name]: value for name, value in change.items() if name in plain}
    return replace(port, **changed)


def _switching(switching: Switching, change: PortChange) -> Switching:
    """Returns what a port does with frames once some settings have changed."""
    if change.switching is not KEEP:
        switching = change.switching  # a mode beside it says so in the words of a change file
    elif change.mode is not KEEP:
        switching = _negotiated(switching, change) if change.mode == NEGOTIATED else _settled(switching, change)
    if change.access is not KEEP:
        switching = _access(switching, change.access)
    if change.trunk is not KEEP:
        switching = _trunk(switching, change.trunk)
    if change.secondaries is not KEEP:
        if not isinstance(switching, Promiscuous):
            raise CannotChange("'secondaries' is of a promiscuous port, and this port is none")
        switching = replace(switching, secondaries=change.secondaries)
    for name, value in change.items():
        if name in {"voice", "native", "allow", "disallow", "native_tagged", "translate"}:
            switching = _within(switching, name, value)
    return switching


def _settled(switching: Switching, change: PortChange) -> Switching:
    """Returns a port that negotiates as what it is from now on without asking."""
    if not isinstance(switching, Negotiated):
        raise CannotChange("'mode' is of a port that negotiates, and this port is none")
    return switching.access if change.mode == "access" else switching.trunk


def _negotiated(switching: Switching, change: PortChange) -> Negotiated:
    """Returns a port that negotiates between what it is and what the change says besides."""
    if isinstance(switching, Negotiated):
        return switching
    access = switching if isinstance(switching, Access) else Access(None)
    trunk = switching if isinstance(switching, Trunk) else Trunk(None, ALL)
    for key, part, said in (("access", access, change.access), ("trunk", trunk, change.trunk)):
        if part is not switching and said is KEEP:
            raise CannotChange(f"'mode: {NEGOTIATED}' needs {key!r}, too: this port is none")
    return Negotiated(access, trunk)


def _access(switching: Switching, vid: Vid) -> Switching:
    match switching:
        case Access():
            return replace(switching, vid=vid)
        case Negotiated(access=access):
            return replace(switching, access=replace(access, vid=vid))
        case _:
            return Access(vid)


def _trunk(switching: Switching, allowed: VlanSet) -> Switching:
    match switching:
        case Trunk():
            return replace(switching, allowed=allowed, spelling="")
        case Negotiated(trunk=trunk):
            return replace(switching, trunk=replace(trunk, allowed=allowed, spelling=""))
        case _:
            return Trunk(None, allowed)


def _within(switching: Switching, name: str, value: Any) -> Switching:  # noqa: ANN401 - the type of the field of that name
    """Changes a setting that the kind of port must have."""
    if isinstance(switching, Negotiated) and name == "voice":
        return replace(switching, access=replace(switching.access, voice=value))
    if isinstance(switching, Negotiated):
        return replace(switching, trunk=_listed(switching.trunk, name, value))
    if isinstance(switching, Access) and name == "voice":
        return replace(switching, voice=value)
    if not isinstance(switching, Trunk) or name == "voice":
        shown = name.replace("_", "-")
        kind = "an access port" if name == "voice" else "a trunk"
        raise CannotChange(f"'{shown}' is of {kind}, and this port is none")
    return _listed(switching, name, value)


def _listed(trunk: Trunk, name: str, value: Any) -> Trunk:  # noqa: ANN401 - as above
    """Changes the native VLAN of a trunk, or its list."""
    if name == "native":
        return replace(trunk, native=value, native_stated=True)
    if name in {"native_tagged", "translate"}:
        return replace(trunk, **{name: value})
    allowed = trunk.allowed | value if name == "allow" else trunk.allowed - value
    return replace(trunk, allowed=allowed & ALL, spelling="")
