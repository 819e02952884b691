"""Our own campus file (YAML): intent around the switches."""

from __future__ import annotations

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from inkov.formats import hosts
from inkov.formats.campus_document import CampusDocument, ClaimEntry
from inkov.formats.reading import Reading
from inkov.formats.validated import validated
from inkov.formats.yamltext import Lines
from inkov.model.campus import Apart, Cable, Claim, Facing, Host, Segment, Together
from inkov.model.errors import nearest
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.switch import Switch

_CABLE = re.compile(r"(.+?)\s+-\s+(.+)\Z")


class CampusFile:
    """A campus file that was read: the document, and methods that need the switches to make sense of it."""

    def __init__(self, document: CampusDocument, lines: Lines, reading: Reading) -> None:
        self.document = document
        self.lines = lines
        self.reading = reading

    @classmethod
    def read(cls, data: Any, lines: Lines, reading: Reading) -> CampusFile | None:
        """Reads a campus file; None after recording what is wrong."""
        document = validated(CampusDocument, data, lines, reading)
        return None if document is None else cls(document, lines, reading)

    def _source(self, *path: str | int) -> Source:
        return Source(self.reading.file, self.lines.near(path), "/".join(map(str, path)))

    def _wrong(self, what: str, *path: str | int) -> None:
        self.reading.wrong(what, "/".join(map(str, path)), self.lines.near(path))

    def cables(self, switches: Mapping[str, Switch]) -> tuple[Cable, ...]:
        """Returns the cables whose both ends exist; records the others."""
        made: list[Cable] = []
        taken: dict[PortRef, int] = {}
        for i, text in enumerate(self.document.cables):
            found = _CABLE.match(text.strip())
            if found is None:
                self._wrong(f"{text!r:.60} is not a cable; expected 'watchtower a1 - kelp-hall u1'", "cables", i)
                continue
            ends = [self._end(side, switches, i) for side in found.groups()]
            a, b = ends
            if a is None or b is None:
                continue
            for end in (a, b):
                if end in taken:
                    self._wrong(f"{end} has two cables; the first is in line {taken[end]}", "cables", i)
                taken[end] = self.lines.near(("cables", i))
            first, second = sorted((a, b), key=lambda e: e.order)
            made.append(Cable(first, second, self._source("cables", i)))
        return tuple(made)

    def _end(self, text: str, switches: Mapping[str, Switch], i: int) -> PortRef | None:
        parts = text.strip().split(maxsplit=1)
        end = PortRef(*parts) if len(parts) == 2 else PortRef.parse(text)
        if end is None:
            self._wrong(f"{text!r:.60} is not an end of a cable; expected 'switch port'", "cables", i)
        elif end.switch not in switches:
            self._wrong(f"there is no switch {end.switch!r}{nearest(end.switch, switches)}", "cables", i)
        elif end.port not in (ports := switches[end.switch].ports):
            self._wrong(f"{end.switch} has no port {end.port!r}{nearest(end.port, ports)}", "cables", i)
        else:
            return end
        return None

    def hosts(self, switches: Mapping[str, Switch], base: Path) -> dict[str, Host]:
        """Returns the hosts whose port exists, by name; records the others."""
        listed = self.document.hosts
        if not isinstance(listed, str):
            entries = [(entry, self._source("hosts", i)) for i, entry in enumerate(listed)]
            return hosts.placed(entries, switches, self.reading)
        reading = Reading(listed, self.reading.problems, self.reading.notes)
        try:
            text = (base / listed).read_text("utf-8-sig")
        except (OSError, UnicodeDecodeError):
            self._wrong(f"{listed!r} cannot be read as a list of hosts", "hosts")
            return {}
        return hosts.placed(hosts.from_csv(text, reading), switches, reading)

    def segments(self) -> dict[str, Segment]:
        """Returns the segments by name, in the order of the file."""
        return {
            name: Segment(name, entry.vlan.vlans, self._source("segments", name))
            for name, entry in self.document.segments.items()
        }

    def claims(self, known: Mapping[str, Segment]) -> tuple[Claim, ...]:
        """Returns the claims whose segments exist; records the others."""
        return tuple(c for i, entry in enumerate(self.document.claims) if (c := self._claim(entry, i, known)))

    def _claim(self, entry: ClaimEntry, i: int, known: Mapping[str, Segment]) -> Claim | None:
        kind = "together" if entry.together is not None else "apart"
        names = [entry.together] if entry.together is not None else list(entry.apart or ())
        names = list(known) if names == ["all"] else names
        excepted = [n for pair in entry.except_ for n in pair]
        unknown = [n for n in (*names, *excepted) if n not in known]
        for name in unknown:
            self._wrong(f"there is no segment {name!r}{nearest(name, known)}", "claims", i, kind)
        if unknown:
            return None
        source = self._source("claims", i)
        if entry.together is not None:
            return Together(entry.name or f"{entry.together} together", entry.together, int(entry.surviving), source)
        shown = "all segments" if entry.apart == ["all"] else ", ".join(names)
        return Apart(
            entry.name or f"{shown} apart",
            tuple(names),
            frozenset(frozenset(pair) for pair in entry.except_),
            Facing(entry.facing),
            source,
        )
