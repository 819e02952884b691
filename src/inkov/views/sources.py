"""What files told of each device, what an audit still lacks, and how to get it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from inkov.kinds.known import gave
from inkov.model.campus import Campus
from inkov.model.sources import Contradiction, Told, Topic
from inkov.model.switch import Kind, Switch
from inkov.rules.wording import joined as joined_names


@dataclass(frozen=True, slots=True)
class FileRow:
    """What one file gave of a device: topics with how much; `short` is what is missing from the file itself."""

    file: str
    format: str
    gave: Mapping[str, str]
    short: tuple[str, ...]
    saved: bool


@dataclass(frozen=True, slots=True)
class MissingRow:
    """A topic that no file tells of, and how to get it."""

    topic: str
    get: str


@dataclass(frozen=True, slots=True)
class ContradictionRow:
    """Two files that say what cannot both be; `settled` when the first counts."""

    place: str
    setting: str
    says: str
    source: str
    but: str
    other_source: str
    settled: bool


@dataclass(frozen=True, slots=True)
class DeviceRow:
    """A device: its files, what is known of it, what is missing for a full audit, and what contradicts."""

    name: str
    kind: str
    files: tuple[FileRow, ...]
    known: Mapping[str, str]
    missing: tuple[MissingRow, ...]
    contradictions: tuple[ContradictionRow, ...]


@dataclass(frozen=True, slots=True)
class SourcesView:
    """All devices, files that could not be read, and what was passed over."""

    campus: str
    devices: tuple[DeviceRow, ...]
    unread: tuple[str, ...]
    notes: tuple[str, ...]


_SWITCH = tuple(Topic)
_OTHERS = (Topic.PORTS, Topic.NEIGHBOURS)
"""What is needed of routers and of devices that do not look at VLANs."""


def sources_view(campus: Campus, ways: Mapping[str, Mapping[Topic, str]], only: frozenset[str] | None) -> SourcesView:
    """Returns what files told of each device.

    Args:
        campus: what was read.
        ways: for each format, how to get what such files may tell of.
        only: names of switches; all when None.
    """
    told: dict[str, list[Told]] = defaultdict(list)
    for t in campus.told:
        told[t.device].append(t)
    chosen = [s for n, s in campus.switches.items() if only is None or n in only]
    cabled = {end.switch for c in campus.cables for end in (c.a, c.b)}
    differ: dict[str, list[Contradiction]] = defaultdict(list)
    for c in campus.contradictions:
        differ[c.device].append(c)
    alone = len(campus.switches) == 1
    return SourcesView(
        campus.name,
        tuple(_device(s, told[s.name], differ[s.name], ways, joined=alone or s.name in cabled) for s in chosen),
        tuple(map(str, campus.unread)),
        campus.notes,
    )


def _device(
    switch: Switch,
    told: list[Told],
    differ: list[Contradiction],
    ways: Mapping[str, Mapping[Topic, str]],
    *,
    joined: bool,
) -> DeviceRow:
    return DeviceRow(
        switch.name,
        switch.kind.value,
        tuple(
            FileRow(t.file, t.format, {k.value: v for k, v in gave(t.said).items()}, _short(t), t.saved) for t in told
        ),
        {k.value: v for k, v in gave(switch).items()},
        tuple(_missing(switch, told, differ, ways, joined=joined)),
        tuple(
            ContradictionRow(c.place, c.setting.cause, c.says[0], str(c.says[1]), c.but[0], str(c.but[1]), c.settled)
            for c in differ
        ),
    )


def _short(told: Told) -> tuple[str, ...]:
    """Returns what is missing from a file itself, and what it states that is not followed."""
    paths = sorted({t.path for t in told.said.touches if not t.wired})
    return (*told.short, *([f"states {joined_names(paths, 3)}, not followed"] if paths else []))


def _missing(
    switch: Switch,
    told: list[Told],
    differ: list[Contradiction],
    ways: Mapping[str, Mapping[Topic, str]],
    *,
    joined: bool,
) -> Iterator[MissingRow]:
    """Yields the topics that no file tells of whole, with the way that fits the formats at hand; `joined`: its neighbours are known."""
    known = gave(switch)
    for topic in _SWITCH if switch.kind is Kind.SWITCH else _OTHERS:
        words = known.get(topic, "")
        part, _, whole = words.partition(" of ")
        if topic is Topic.VLANS and switch.vlans is None and any("as used" in way for way in _own(told)):
            continue
        if topic is Topic.NEIGHBOURS and joined:
            continue
        if topic is Topic.GATEWAYS and switch.gateways_stated:
            continue
        if words and (not whole or part == whole):
            continue
        hints = (
            ["settle what differs"]
            if topic is Topic.MODES and any(c.port for c in differ)
            else [ways.get(t.format, {}).get(topic, "") for t in reversed(told)]
        )
        own = next((w[topic] for w in ways.values() if topic in w), "")
        shown = f"{topic.value}: {int(whole) - int(part)} of {whole} not stated" if whole.isdecimal() else topic.value
        yield MissingRow(shown, next(filter(None, hints), own))


def _own(told: list[Told]) -> Iterator[str]:
    yield from ("as used" for t in told if t.format.startswith("Inkov") or t.format.startswith("OVSDB"))
