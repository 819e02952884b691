"""JSON of every output: fixed key order, indented, a newline at the end; and the schemas of it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import orjson

from inkov.views.tables import FloodRow


def to_json(value: Any) -> str:  # noqa: ANN401 - any view
    """Returns the JSON of a view or a list of views."""
    options = orjson.OPT_INDENT_2 | orjson.OPT_APPEND_NEWLINE
    return orjson.dumps(value, option=options).decode()


def flood_json(rows: Iterable[FloodRow]) -> str:
    """Returns the JSON of floods; the member `from` cannot be an attribute in Python."""
    return to_json([{"from": row.from_, "heard": row.heard} for row in rows])


def schema(kind: str) -> dict[str, Any]:
    """Returns the JSON Schema of an input document or of a command's JSON output.

    Args:
        kind: a file Inkov reads, or a command whose JSON is meant; `_document_type` lists them.
    """
    from pydantic import TypeAdapter  # noqa: PLC0415 - a fifth of a second that only this needs

    made = TypeAdapter(_document_type(kind)).json_schema(by_alias=True, mode="validation")
    if kind == "flood":
        row = made["$defs"]["FloodRow"]
        row["properties"] = {"from" if k == "from_" else k: v for k, v in row["properties"].items()}
        row["required"] = ["from", "heard"]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **made, "title": f"inkov {kind}"}


def _document_type(kind: str) -> Any:  # noqa: ANN401 - a type expression
    from inkov.formats.campus_document import CampusDocument  # noqa: PLC0415 - imports pydantic
    from inkov.formats.certificate_document import ApartCertificate, TogetherCertificate  # noqa: PLC0415 - imports pydantic
    from inkov.formats.switch_document import SwitchDocument  # noqa: PLC0415 - imports pydantic
    from inkov.views import checks, findings, gateways, relays, reports, rogues, tables, traces, trees, trims  # noqa: PLC0415 - with the rest

    return {
        "switch": SwitchDocument,
        "campus": CampusDocument,
        "certificate": ApartCertificate | TogetherCertificate,
        "recheck": list[checks.CheckedRow],
        "audit": findings.AuditView,
        "prove": tuple[reports.VerdictView, ...],
        "links": list[tables.LinkRow],
        "vlans": list[tables.VlanRow],
        "tree": trees.TreesView,
        "gateways": gateways.GatewaysView,
        "trim": trims.TrimView,
        "ports": list[tables.PortRow],
        "flood": list[tables.FloodRow],
        "trace": traces.TraceView,
        "segments": list[reports.GridRow],
        "relay": list[relays.RelayRow],
        "rogue": list[rogues.RogueRow],
        "grid": list[relays.Grid],
    }[kind]
