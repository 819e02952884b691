"""A folder of candidate files as a change: each device in it that differs from the site takes on what its file says."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from inkov.formats.site import load
from inkov.model import facts
from inkov.model.campus import Campus
from inkov.model.errors import BadInput, Problem
from inkov.model.identity import device_named
from inkov.model.source import Source
from inkov.model.switch import Switch
from inkov.model.tree import NO_BRIDGE_TREE
from inkov.steps.steps import Arrival, Step

_IF_SILENT = ("registration", "routing", "role", "mac", "sync", "lacks")
"""What stays as it is today where a candidate does not tell it: the campus file or another file of the device states it."""


def steps_of(folder: Path, campus: Campus) -> list[Step]:
    """Returns a step for each device of a folder that differs from the campus, in natural order; others stay as they are.

    Raises:
        BadInput: the folder cannot be read, or nothing in it differs.
    """
    made = list(_steps(folder, campus))
    if not made:
        what = "nothing here differs from the site: it would end where it began"
        raise BadInput([Problem(Source(folder.as_posix()), what)])
    return made


def _steps(folder: Path, campus: Campus) -> Iterator[Step]:
    for name, device in load(folder).switches.items():
        known = device_named(name, campus.switches)
        source = device.origin.here
        if known not in campus.switches:
            yield Arrival(what=f"{name} added", devices=(device,), source=source)
            continue
        new = _beside(replace(device, name=known), campus.switches[known])
        if _facts(new) != _facts(campus.switches[known]):
            yield Arrival(what=f"{known} as in {folder.name}", switch=known, devices=(new,), loaded=True, source=source)


def _facts(device: Switch) -> list[object]:
    """Returns what a device is set to, wherever it is written."""
    return [getattr(device, f.field) for f in facts.SWITCH if f.field not in {"origin", "heard", "mac"}]


def _beside(new: Switch, old: Switch) -> Switch:
    """Returns a candidate with what its file does not tell and is known of the device today."""
    silent = {
        name: getattr(old, name) for name in _IF_SILENT if not getattr(new, name) and getattr(new, name) is not False
    }
    told = {n: getattr(old.habits, n) for n in new.unstated_habits - old.unstated_habits}
    return replace(
        new,
        **silent,
        habits=replace(new.habits, **told),
        unstated_habits=new.unstated_habits & old.unstated_habits,
        without_effect=tuple(dict.fromkeys((*new.without_effect, *old.without_effect))),
        tree=old.tree if new.tree == NO_BRIDGE_TREE else new.tree,
        limits={**old.limits, **new.limits},
    )
