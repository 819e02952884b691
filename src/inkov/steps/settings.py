"""What a step sets at a port or in the tree of a switch: one typed value for each setting that a step may change.

Change files, typed options, cures, edits of files and the words of a step are all derived from these fields.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, fields
from enum import Enum
from typing import Any, Final, TypeAlias

from inkov.model.settings import Setting
from inkov.model.switch import Lacp, Stance, Switching
from inkov.model.tree import Protocol, Registration, Sync
from inkov.model.vlanset import Vid, VlanSet


class Keep(Enum):
    """Stands for a setting that a step leaves as it is."""

    KEEP = "keep"


KEEP: Final = Keep.KEEP


def _sets(setting: Setting, key: str = "") -> Any:  # noqa: ANN401 - the default of any field
    """Returns a field that is left alone by default; `key` is how files spell it where that is not the field's own name."""
    return field(default=KEEP, metadata={"setting": setting, "key": key})


class _Settings:
    """Typed settings, of which some are set."""

    def items(self) -> Iterator[tuple[str, Any]]:
        """Yields what is set, by the name of its field, in the order of the fields."""
        for f in fields(self):  # type: ignore[arg-type]  # both classes below are dataclasses
            if (value := getattr(self, f.name)) is not KEEP:
                yield f.name, value

    def __bool__(self) -> bool:
        return any(True for _ in self.items())


@dataclass(frozen=True, slots=True, kw_only=True)
class TreeChange(_Settings):
    """What changes of how a port or a switch takes part in trees.

    Attributes:
        protocol: which trees a switch takes part in.
        priority: bridge priority, or port priority.
        cost: path cost of a port; None leaves it to its speed.
        edge: a port is an edge port; None lets it find out.
    """

    protocol: Protocol | Keep | None = _sets(Setting.TREE_PROTOCOL)
    priority: int | Keep = _sets(Setting.TREE_PRIORITY)
    cost: int | Keep | None = _sets(Setting.PORT_TREE)
    edge: bool | Keep | None = _sets(Setting.EDGE)


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchChange(_Settings):
    """What changes of a switch itself; None takes a setting away.

    Attributes:
        routing: it routes between its gateways.
        pruning: it takes part in dynamic pruning.
        registration: VLANs come to its ports by registration.
        sync: the group it shares its VLAN table with.
        tree: how it takes part in trees.
    """

    routing: bool | Keep | None = _sets(Setting.ROUTING)
    pruning: bool | Keep = _sets(Setting.PRUNING)
    registration: bool | Keep | None = _sets(Setting.DYNAMIC)
    sync: Sync | Keep | None = _sets(Setting.SYNC_GROUP, "sync")
    tree: TreeChange | Keep = _sets(Setting.TREE_PRIORITY, "tree")


@dataclass(frozen=True, slots=True, kw_only=True)
class PortChange(_Settings):
    """What changes at a port; None takes a setting away.

    Attributes:
        switching: all that the port is.
        mode: what a port that negotiates is from now on, `access` or `trunk`; or `negotiated`, that it negotiates.
        access: its VLAN as an access port.
        voice: the VLAN of phones.
        native: the VLAN of untagged frames on a trunk.
        trunk: the whole allowed list.
        allow: VLANs to add to the list.
        disallow: VLANs to take off the list.
        enabled: it is on.
        stance: how it negotiates.
        lacp: how a LAG forms.
        label: its description.
        lag: the LAG that it is a member of.
        tags: its tag format.
        secondaries: all that a promiscuous port is mapped to.
        native_tagged: the native VLAN leaves tagged.
        registration: what dynamic pruning may take off it.
        translate: pairs of a tag on the wire and the VLAN inside.
        tree: how it takes part in trees.
    """

    switching: Switching | Keep = _sets(Setting.MODE)
    access: Vid | Keep = _sets(Setting.ACCESS)
    voice: Vid | Keep | None = _sets(Setting.VOICE)
    native: Vid | Keep | None = _sets(Setting.NATIVE)
    trunk: VlanSet | Keep = _sets(Setting.ALLOWED)
    allow: VlanSet | Keep = _sets(Setting.ALLOWED, "trunk")
    disallow: VlanSet | Keep = _sets(Setting.ALLOWED, "trunk")
    enabled: bool | Keep = _sets(Setting.ENABLED)
    stance: Stance | Keep = _sets(Setting.STANCE)
    lacp: Lacp | Keep = _sets(Setting.LACP)
    label: str | Keep = _sets(Setting.LABEL)
    lag: str | Keep | None = _sets(Setting.LAG)
    mode: str | Keep = _sets(Setting.MODE)
    tags: str | Keep = _sets(Setting.TAGS)
    secondaries: VlanSet | Keep = _sets(Setting.PROMISCUOUS, "promiscuous")
    native_tagged: bool | Keep = _sets(Setting.NATIVE_TAGGED)
    translate: tuple[tuple[Vid, Vid], ...] | Keep = _sets(Setting.TRANSLATE)
    registration: Registration | Keep = _sets(Setting.REGISTRATION)
    tree: TreeChange | Keep = _sets(Setting.PORT_TREE)


Settings: TypeAlias = PortChange | SwitchChange | TreeChange

PORT_KEYS: Final = tuple(f.name for f in fields(PortChange) if f.name not in {"switching", "tree"})
"""The settings of a port that a change file names directly."""

SWITCH_KEYS: Final = tuple(f.name for f in fields(SwitchChange) if f.name != "tree")
"""The settings of a switch that a change file names directly."""

SETTING_OF: Final = {f.name: f.metadata["setting"] for f in (*fields(PortChange), *fields(TreeChange))}
"""The setting that each field changes."""

SETTING_OF_SWITCH: Final = {f.name: f.metadata["setting"] for f in fields(SwitchChange)}
"""The same of a switch: it has settings that are called as one of a port is."""

FILE_KEY: Final = {
    f.name: f.metadata["key"] or f.name.replace("_", "-") for f in (*fields(PortChange), *fields(TreeChange))
}
"""How a switch file spells what each field changes."""


def words(settings: Settings) -> str:
    """Returns what is set in words, such as `native 990, enabled on`."""
    return ", ".join(_word(name, value) for name, value in settings.items() if name != "switching")


def _word(name: str, value: object) -> str:
    if isinstance(value, TreeChange):
        return ", ".join(f"tree {k} {shown(v)}" for k, v in value.items())
    return f"{name.replace('_', '-')} {shown(value)}"


def shown(value: object) -> str:
    """Returns a value as a step shows it."""
    if isinstance(value, tuple):
        return ", ".join(f"tag {tag} for {vid}" for tag, vid in value) or "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, Sync):
        return f"{value.group}, {value.role.value}"
    if isinstance(value, Registration):
        return f"normal {value.normal}, forbidden {value.forbidden}"
    return "none" if value is None else str(value.value) if isinstance(value, Enum) else str(value)
