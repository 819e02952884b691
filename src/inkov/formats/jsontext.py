"""JSON text to values, with the line of an error; also several values one after another, as streams write them."""

from __future__ import annotations

import contextlib
import json
from typing import Any

import orjson

from inkov.formats.reading import Reading
from inkov.formats.text import decoded


def values(data: bytes, reading: Reading) -> list[Any]:
    """Decodes a file of one JSON value, or of several one after another.

    Raises:
        BadInput: the text is not JSON; with the line.
    """
    with contextlib.suppress(orjson.JSONDecodeError):
        return [orjson.loads(data)]
    text = decoded(data, reading)
    decoder = json.JSONDecoder()
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
    if not found:
        raise reading.fail("the file is empty; expected JSON")
    return found


def _skip(text: str, at: int) -> int:
    while at < len(text) and text[at] in " \t\r\n,":
        at += 1
    return at
