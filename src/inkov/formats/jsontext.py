"""JSON text to values, with the line of an error; also several values one after another, as streams write them."""

from __future__ import annotations

import contextlib
import json
import re
from typing import Any

import orjson

from inkov.formats.reading import Reading
from inkov.formats.text import decoded


def is_json(data: bytes) -> bool:
    """Tells whether a text is meant to be JSON: it begins with an object or a list."""
    return data.lstrip()[:1] in {b"{", b"["}


def values(data: bytes, reading: Reading) -> list[Any]:
    """Decodes a file of one JSON value, or of several one after another.

    Raises:
        BadInput: the text is not JSON; with the line.
    """
    with contextlib.suppress(orjson.JSONDecodeError):
        value = orjson.loads(data)
        # What comes twice in an object is gone from its value; all else but blanks and escapes is written as it was.
        try:
            plain = orjson.dumps(value)
        except TypeError:  # it writes less deep than it reads
            raise reading.fail("this JSON is nested too deeply") from None
        if plain != data and len(plain.translate(None, _BLANKS)) != len(data.translate(None, _BLANKS)):
            _refuse_twins(data, reading)
        return [value]
    text = decoded(data, reading)
    decoder = json.JSONDecoder(object_pairs_hook=_Twins(reading).members)
    found: list[Any] = []
    at = _skip(text, 0)
    while at < len(text):
        try:
            value, at = decoder.raw_decode(text, at)
        except json.JSONDecodeError as exc:
            raise reading.fail(f"this JSON ends early or is broken ({exc.msg.lower()})", exc.lineno) from None
        except RecursionError:
            raise reading.fail("this JSON is nested too deeply") from None
        found.append(value)
        at = _skip(text, at)
    if half := _half_a_character(text, found):
        raise reading.fail(
            f"a text in this JSON has half of a character, {half[0]}", text.count("\n", 0, half.start()) + 1
        )
    if not found:
        raise reading.fail("the file is empty; expected JSON")
    return found


_BLANKS = b" \t\r\n"
_HALVES = re.compile(r"(\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2})|\\u[dD][89a-fA-F][0-9a-fA-F]{2}")


def _half_a_character(text: str, found: list[Any]) -> re.Match[str] | None:
    """Returns where a surrogate stands without the other, which no encoding can write (RFC 8259, 8.2)."""
    try:
        json.dumps(found, ensure_ascii=False).encode()
    except UnicodeEncodeError:
        return next((half for half in _HALVES.finditer(text) if not half[1]), None)
    except RecursionError:  # it writes less deep than it reads
        return None
    return None


class _Twins:
    """Makes objects, and refuses members of one name (RFC 7493, 2.3)."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading

    def members(self, pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        made = dict(pairs)
        if len(made) < len(pairs):
            names = [name for name, _ in pairs]
            twin = next(n for n in names if names.count(n) > 1)
            raise self.reading.fail(f"member {twin!r:.60} comes twice in one object")
        return made


def _refuse_twins(data: bytes, reading: Reading) -> None:
    with contextlib.suppress(ValueError, RecursionError):
        json.loads(data, object_pairs_hook=_Twins(reading).members)


def _skip(text: str, at: int) -> int:
    while at < len(text) and text[at] in " \t\r\n,":
        at += 1
    return at
