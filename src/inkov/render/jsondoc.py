"""JSON of every output: fixed key order, indented, a newline at the end; and the schemas of it."""

from __future__ import annotations

import json
import re
from dataclasses import fields
from typing import Any

import orjson

from inkov.render.documents import DOCUMENTS


def to_json(value: Any) -> str:  # noqa: ANN401 - any view
    """Returns the JSON of a view or a list of views."""
    options = orjson.OPT_INDENT_2 | orjson.OPT_APPEND_NEWLINE
    return _UNSEEN.sub(_escape, orjson.dumps(value, option=options).decode())


_UNSEEN = re.compile("[\x7f-\U0010ffff]")


def _escape(found: re.Match[str]) -> str:
    """Spells what nobody sees as JSON does: control characters, and those that turn or hide text."""
    return found[0] if found[0].isprintable() else json.dumps(found[0])[1:-1]


VERSION = 1
"""Version of the documents that commands write; one that reads them may trust the form of those of its version."""


def document(kind: str, value: Any) -> str:  # noqa: ANN401 - any view
    """Returns the JSON of what a command found: an object that says what it is.

    Args:
        kind: its name in `DOCUMENTS`.
        value: a view, whose members it has; or rows, which it has under `rows`.
    """
    head: dict[str, Any] = {"inkov": kind, "version": VERSION}
    if DOCUMENTS[kind].rows:
        return to_json(head | {"rows": value})
    return to_json(head | {f.name: getattr(value, f.name) for f in fields(value)})


def schema(kind: str) -> dict[str, Any]:
    """Returns the JSON Schema of a document that is read or written.

    Args:
        kind: its name in `DOCUMENTS`.
    """
    from pydantic import TypeAdapter  # noqa: PLC0415 - a fifth of a second that only this needs

    made = TypeAdapter(DOCUMENTS[kind].type()).json_schema(by_alias=True, mode="validation")
    if DOCUMENTS[kind].written:
        made = _headed(kind, made)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **made, "title": f"inkov {kind}"}


def _headed(kind: str, made: dict[str, Any]) -> dict[str, Any]:
    """Returns the schema of a document with its head."""
    head = {"inkov": {"const": kind}, "version": {"const": VERSION}}
    definitions = {"$defs": made.pop("$defs")} if "$defs" in made else {}
    own = {"rows": made} if DOCUMENTS[kind].rows else made["properties"]
    required = ["rows"] if DOCUMENTS[kind].rows else made.get("required", [])
    return definitions | {
        "type": "object",
        "properties": head | own,
        "required": [*head, *required],
        "additionalProperties": False,
    }
