"""Our own files: told apart from other YAML and JSON by the key `inkov` at their top, however it is spelt."""

from __future__ import annotations

import contextlib
import re

import orjson

from inkov.formats import jsontext
from inkov.formats.edits import Edits
from inkov.formats.format import Content, Given
from inkov.formats.reading import Reading
from inkov.formats.text import decoded
from inkov.model.errors import BadInput

_PLAIN = re.compile(rb"(?:[ \t]*(?:#[^\n]*)?\r?\n)*inkov[ \t]*:[ \t]+([a-z]+)[ \t]*(?:#[^\n]*)?(?:\r?\n|\Z)")
_KEY = re.compile(rb"(?:^|[{,?]|---)[ \t]*[\"']?inkov[\"']?[ \t]*:[ \t]*[\"']?([a-z]*)", re.MULTILINE)

_OF_RUNS = frozenset({None, "baseline", "certificate", "change"})


def kind(data: bytes) -> str | None:
    """Returns what one of our files says it is, empty where it says nothing that is plain text; None for other files.

    Args:
        data: the content, in UTF-8.
    """
    plain = _PLAIN.match(data)
    if plain is not None:
        return plain[1].decode()
    if b"inkov" not in data:
        return None
    if jsontext.is_json(data):
        with contextlib.suppress(orjson.JSONDecodeError):
            value = orjson.loads(data)
            found = value.get("inkov") if isinstance(value, dict) else None
            return found if found is None or isinstance(found, str) else ""
    from inkov.formats.ours import yamltext

    try:
        return yamltext.top(data.decode("utf-8"), "inkov")
    except (UnicodeDecodeError, BadInput):  # it is broken; what it looks like counts
        looks = _KEY.search(data)
        return None if looks is None else looks[1].decode()


def of_runs(data: bytes) -> bool:
    """Tells whether a file is one of ours that commands take or write beside a site, such as a change."""
    return kind(data) in _OF_RUNS - {None}


def recognise(data: bytes) -> bool:
    """Tells whether a file is one of ours that belongs to a site, or means to be."""
    return kind(data) not in _OF_RUNS


def read(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads a switch file or a campus file.

    Args:
        data: the content.
        reading: takes problems.
        given: what is told beside it.

    Raises:
        BadInput: nothing more can be read in it.
    """
    # pydantic and the YAML reader cost a fifth of a second to import; a folder of exports needs neither.
    from inkov.formats.ours import switch_file, yamltext
    from inkov.formats.ours.campus_file import CampusFile

    content, lines = yamltext.load(_without_tabs(decoded(data, reading)), reading)
    said = content.get("inkov") if isinstance(content, dict) else None
    if said == "switch":
        entry = switch_file.read(content, lines, reading, given.assume)
        return None if entry is None else (entry,)
    if said == "campus":
        return CampusFile.read(content, lines, reading)
    shown = f"{said!r:.40}" if isinstance(said, str) else "this"
    reading.wrong(f"{shown} is not a kind of file; expected 'switch' or 'campus'", "inkov", 1)
    return None


def _without_tabs(text: str) -> str:
    """Returns JSON with blanks for tabs, which YAML does not take between values; inside of JSON texts there are none."""
    if "\t" in text and text.lstrip()[:1] == "{":
        with contextlib.suppress(orjson.JSONDecodeError):
            orjson.loads(text)
            return text.replace("\t", " ")
    return text


def edit(text: str, edits: Edits) -> str:
    """Sets some settings of ports, and VLANs."""
    from inkov.formats.ours.yaml_edits import in_switch_file

    return in_switch_file(text, edits)
