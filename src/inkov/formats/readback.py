"""A campus file that was made, read back before anybody keeps it."""

from __future__ import annotations

from inkov.formats.reading import Reading
from inkov.model.campus import Campus, Common
from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source

_DRAFTED = {"inkov", "name", "parking", "cables", "register", "segments", "claims"}


def problems_of(text: str, campus: Campus) -> list[Problem]:
    """Returns what is wrong with the text of a campus file for the switches of a campus: nothing, unless names play tricks."""
    # Brings pydantic, which takes longer to import than small sites to read.
    from pathlib import Path

    from inkov.formats.ours import yamltext
    from inkov.formats.ours.campus_file import CampusFile

    reading = Reading("draft")
    try:
        content, lines = yamltext.load(text, reading)
        strange = sorted(set(content) - _DRAFTED) if isinstance(content, dict) else ["no mapping"]
        if strange:
            return [Problem(Source("draft"), f"a name would have become the key {strange[0]!r:.60}")]
        file = CampusFile.read(content, lines, reading)
        if file is not None:
            common: Common = {
                "switches": campus.switches,
                "saved": {},
                "files": {},
                "notes": (),
                "unread": (),
                "told": (),
                "contradictions": (),
                "twins": (),
            }
            made = file.campus(common, Path())
            if made.name != campus.name:
                reading.wrong(f"the name {campus.name!r:.60} reads back as {made.name!r:.60}")
    except BadInput as exc:
        return list(exc.problems)
    return reading.problems
