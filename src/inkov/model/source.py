"""Where a setting was written, so that every sentence Inkov says can be checked by opening a file."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

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
        keys = _LIST_KEY.findall(self.path)
        leaf = self.path.rpartition("]" if self.path.endswith("]") else "/")[2]
        inner = keys[-2:] if keys and keys[-1].isdecimal() else keys[-1:]
        return ": ".join(filter(None, [*inner, leaf]))


class Origin:
    """Where the settings of one object (a port, a switch) were written.

    One origin serves all settings of an object and makes a `Source` only when asked, because a campus has
    a hundred thousand settings and a report shows a few dozen.

    Attributes:
        file: path as the site shows it.
        base: data path of the object.
        places: setting name to its line number (YAML) or its path below `base` (JSON); `""` is the object.
        defaults: where settings that are not in `places` come from, if a file says it (`starts-as`).
    """

    __slots__ = ("base", "defaults", "file", "places")

    def __init__(self, file: str, base: str, places: Mapping[str, int | str], defaults: Origin | None = None) -> None:
        self.file = file
        self.base = base
        self.places = places
        self.defaults = defaults

    def of(self, setting: str = "") -> Source:
        """Returns the place of a setting; marked as default when it was not written for this object."""
        place = self.places.get(setting)
        if place is None:
            if self.defaults is not None and setting in self.defaults.places:
                found = self.defaults.of(setting)
                return Source(found.file, found.line, found.path, default=True)
            own = self.places.get("")
            return Source(self.file, own if isinstance(own, int) else None, self.base, default=True)
        if isinstance(place, int):
            return Source(self.file, place, f"{self.base}/{setting}" if setting else self.base)
        return Source(self.file, None, f"{self.base}/{place}" if place else self.base)
