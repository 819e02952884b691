"""A port with some of its settings changed, as a step of a change asks for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from inkov.model.switch import Access, Lacp, Negotiated, Port, Promiscuous, Stance, Switching, Trunk
from inkov.model.vlanset import ALL, Vid, VlanSet


class CannotChange(ValueError):
    """A setting that a port of this kind does not have; the message says which."""


def edited(port: Port, settings: Mapping[str, Any]) -> Port:
    """Returns a port with some settings changed.

    Args:
        port: as it is.
        settings: `access`, `voice` and `native` (a VID or None), `trunk`, `allow` and `disallow` (VLAN sets), `stance`,
            `enabled`, `label`, `tags`, `lag` (a name or None), of a LAG `lacp`, of a port that negotiates `mode` (what it
            becomes: `access` or `trunk`), of a promiscuous port `secondaries` (a VLAN set), of a trunk `native_tagged` and
            `translate` (pairs of tag and VID), `switching` (all that the port is), and `tree` (fields of `PortTree`);
            those that are not there stay.

    Raises:
        CannotChange: the port has no such setting.
    """
    changed: dict[str, Any] = {"switching": _switching(port.switching, settings)}
    if "mode" in settings:
        changed["stance"] = Stance.SILENT
    if "stance" in settings:
        changed["stance"] = Stance(settings["stance"])
    if "lacp" in settings:
        if not port.is_lag:
            raise CannotChange("'lacp' is of a LAG, and this port is none")
        changed["lacp"] = Lacp(settings["lacp"])
    if "lag" in settings and port.is_lag:
        raise CannotChange("'lag' is of a member, and this port is a LAG")
    if "tree" in settings:
        changed["tree"] = replace(port.tree, **settings["tree"])
    fields = {"enabled": "enabled", "label": "label", "lag": "lag", "tags": "tag_format"}
    changed |= {field: settings[key] for key, field in fields.items() if key in settings}
    return replace(port, **changed)


def _switching(switching: Switching, settings: Mapping[str, Any]) -> Switching:
    """Returns what a port does with frames once some settings have changed."""
    switching = settings.get("switching", switching)
    if "mode" in settings:
        if not isinstance(switching, Negotiated):
            raise CannotChange("'mode' is of a port that negotiates, and this port is none")
        switching = switching.access if settings["mode"] == "access" else switching.trunk
    if "access" in settings:
        switching = _access(switching, settings["access"])
    if "trunk" in settings:
        switching = _trunk(switching, settings["trunk"])
    if "secondaries" in settings:
        if not isinstance(switching, Promiscuous):
            raise CannotChange("'secondaries' is of a promiscuous port, and this port is none")
        switching = replace(switching, secondaries=settings["secondaries"])
    for key in ("voice", "native", "allow", "disallow", "native_tagged", "translate"):
        if key in settings:
            switching = _within(switching, key, settings[key])
    return switching


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


def _within(switching: Switching, key: str, value: Any) -> Switching:  # noqa: ANN401 - a VID or a VLAN set, by key
    """Changes a setting that the kind of port must have."""
    if isinstance(switching, Negotiated) and key == "voice":
        return replace(switching, access=replace(switching.access, voice=value))
    if isinstance(switching, Negotiated):
        return replace(switching, trunk=_listed(switching.trunk, key, value))
    if isinstance(switching, Access) and key == "voice":
        return replace(switching, voice=value)
    if not isinstance(switching, Trunk) or key == "voice":
        shown = key.replace("_", "-")
        raise CannotChange(
            f"'{shown}' is of {'an access port' if key == 'voice' else 'a trunk'}, and this port is none"
        )
    return _listed(switching, key, value)


def _listed(trunk: Trunk, key: str, value: Any) -> Trunk:  # noqa: ANN401 - as above
    """Changes the native VLAN of a trunk, or its list."""
    if key == "native":
        return replace(trunk, native=value, native_stated=True)
    if key in {"native_tagged", "translate"}:
        return replace(trunk, **{key: value})
    allowed = trunk.allowed | value if key == "allow" else trunk.allowed - value
    return replace(trunk, allowed=allowed & ALL, spelling="")
