"""Where a setting was written, so that every sentence Inkov says can be checked by opening a file."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum
from functools import lru_cache
from typing import Any, TypeAlias

from inkov.model.settings import Setting

_LIST_KEY = re.compile(r"\[[^=\]]+=([^\]]*)\]")


@dataclass(frozen=True, slots=True)
class Source:
    """The place of one setting.

    Attributes:
        file: path as the site shows it, with forward slashes.
        line: line number from 1, for formats that have lines.
        path: data path inside the document.
        default: the setting was not written; the value is the platform's or the format's default.
    """

    file: str
    line: int | None = None
    path: str = ""
    default: bool = False

    def __str__(self) -> str:
        """Returns `file:line`, or for formats without lines the file and the last names of the path."""
        place = f"{self.file}:{self.line}" if self.line is not None else f"{self.file} {self.short_path}".rstrip()
        return f"{place} (default)" if self.default else place

    @property
    def short_path(self) -> str:
        """The path as a person says it: the innermost list entry and the leaf, `a4: native-vlan`.

        An entry that is no more than a number is shown with the one around it, `pumps: 10`.
        """
        return _short(self.path)


@lru_cache(maxsize=8192)
def _short(path: str) -> str:
    keys = _LIST_KEY.findall(path)
    leaf = path.rpartition("]" if path.endswith("]") else "/")[2]
    inner = keys[-2:] if keys and keys[-1].isdecimal() else keys[-1:]
    return ": ".join(filter(None, [*inner, leaf]))


Place: TypeAlias = int | str | Source
"""A line, a data path, or a place in another file."""


class Origin:
    """Where the settings of one object (a port, a switch) were written.

    One origin serves all settings of an object and makes a `Source` only when asked, because a campus has
    a hundred thousand settings and a report shows a few dozen.

    Attributes:
        file: path as the site shows it.
        base: data path of the object.
        places: key of a setting to its line number (YAML) or its path below `base` (JSON; from the root when it begins
            with a slash), or its place in another file; `""` is the object, and `vlans/310` an entry of a setting that
            has entries.
        defaults: where settings that are not in `places` come from, if a file says it (`starts-as`).
    """

    __slots__ = ("base", "defaults", "file", "places")

    def __init__(self, file: str, base: str, places: Mapping[str, Place], defaults: Origin | None = None) -> None:
        self.file = file
        self.base = base
        self.places = places
        self.defaults = defaults

    def also(self, places: Mapping[Setting, Place]) -> Origin:
        """Returns the origin with further places: lines, data paths, or places in other files."""
        more = {setting.key: place for setting, place in places.items()}
        return Origin(self.file, self.base, {**self.places, **more}, self.defaults)

    @property
    def here(self) -> Source:
        """The place of the object itself."""
        place = self.places.get("", "")
        return self._source("", place) if isinstance(place, int) else Source(self.file, None, self.base)

    def states(self, setting: Setting) -> bool:
        """Tells whether a setting was written for this object."""
        return setting.key in self.places

    def tells(self, setting: Setting) -> bool:
        """Tells whether what the object has is what it was given: it was written, or left out where it could be written.

        Our own files have a key for everything, so that what is left out is as usual; of other formats that is not known.
        """
        return self.states(setting) or isinstance(self.places.get(""), int)

    def of(self, setting: Setting, entry: object = None) -> Source:
        """Returns the place of a setting, or of one entry of it; marked as default when nobody wrote it for this object.

        Args:
            setting: which.
            entry: the key of an entry, such as a VID; the whole setting where there is no such entry.

        Raises:
            TypeError: this is no setting. Names in text would go astray in silence.
        """
        if not isinstance(setting, Setting):
            raise TypeError(f"{setting!r} is no setting")
        for key in (f"{setting.key}/{entry}", setting.key):
            if (place := self.places.get(key)) is not None:
                return self._source(key, place)
        if self.defaults is not None and self.defaults.states(setting):
            found = self.defaults.of(setting)
            return Source(found.file, found.line, found.path, default=True)
        own = self.places.get("")
        return Source(self.file, own if isinstance(own, int) else None, self.base, default=True)

    def _source(self, key: str, place: Place) -> Source:
        if isinstance(place, Source):
            return place
        if isinstance(place, int):
            return Source(self.file, place, "/".join(filter(None, (self.base, key))))
        return Source(self.file, None, place if place.startswith("/") else f"{self.base}/{place}")


class Touches(Enum):
    """What a statement that is not followed may change.

    Attributes:
        FRAMES: where frames go.
        PACKETS: where packets go.
        ADDRESSES: which addresses a device has.
        STOPS: it may stop frames of a port; it lets none go elsewhere.
        GUARDS: it shuts a port once something happens there: a guard of the tree, a login that fails.
    """

    FRAMES = "frames"
    PACKETS = "packets"
    ADDRESSES = "addresses"
    STOPS = "stops"
    GUARDS = "guards"

    @property
    def only_takes(self) -> bool:
        """Whether it only takes away: what is apart stays apart."""
        return self in {Touches.STOPS, Touches.GUARDS}


@dataclass(frozen=True, slots=True)
class Touch:
    """A statement of a file that the model does not follow, and that may let something go elsewhere, or stop it.

    Attributes:
        path: where it stands in its file, without the keys of lists.
        touches: what it may change.
        source: its place.
        port: the one port whose frames it may change; empty for all of the device.
        why: what differs, where what is in force is not what is configured; empty for what is not followed.
        now: the fields of the port that differ, with what they are today; empty where that is not followed.
        broken: its value cannot be read.
        wired: it counts where something is cabled to the port alone; a socket that nobody uses is down, too.
    """

    path: str
    touches: Touches
    source: Source = field(compare=False)
    port: str = ""
    why: str = ""
    now: tuple[tuple[str, Any], ...] = field(default=(), compare=False)
    broken: bool = False
    wired: bool = False
