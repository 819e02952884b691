"""JSON of every output: fixed key order, indented, a newline at the end; and the schemas of it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import orjson

from inkov.render.documents import DOCUMENTS


def to_json(value: Any) -> str:  # noqa: ANN401 - any view
    """Returns the JSON of a view or a list of views."""
    options = orjson.OPT_INDENT_2 | orjson.OPT_APPEND_NEWLINE
    return orjson.dumps(value, option=options).decode()


def schema(kind: str) -> dict[str, Any]:
    """Returns the JSON Schema of a document that is read or written.

    Args:
        kind: its name in `DOCUMENTS`.
    """
    from pydantic import TypeAdapter  # noqa: PLC0415 - a fifth of a second that only this needs

    made = TypeAdapter(DOCUMENTS[kind].type()).json_schema(by_alias=True, mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **made, "title": f"inkov {kind}"}


def row_by_row(rows: Iterable[Any]) -> Iterator[str]:
    """Yields the JSON of a list of rows, the same text as `to_json` makes of all at once, without holding it."""
    opening = "[\n"
    for row in rows:
        text = to_json(row).rstrip("\n").replace("\n", "\n  ")
        yield f"{opening}  {text}"
        opening = ",\n"
    yield "[]\n" if opening == "[\n" else "\n]\n"
