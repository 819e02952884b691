"""The JSON that Inkov reads and writes, by name: what `schema` describes."""

from __future__ import annotations

from importlib import import_module
from typing import Any, NamedTuple


class Document(NamedTuple):
    """Where the type of a document is, imported only when its schema is wanted.

    Attributes:
        module: under `inkov`.
        names: types in it; a document is of one of them.
        rows: whether it is a list of these.
        written: whether a command writes it, with a head that says what it is; else it is an input.
    """

    module: str
    names: tuple[str, ...]
    rows: bool = False
    written: bool = True

    def type(self) -> Any:  # noqa: ANN401 - a type expression
        """Returns the type of the document."""
        module = import_module(f"inkov.{self.module}")
        made: Any = getattr(module, self.names[0])
        for name in self.names[1:]:
            made |= getattr(module, name)
        return list[made] if self.rows else made


DOCUMENTS = {
    "switch": Document("formats.ours.switch_document", ("SwitchDocument",), written=False),
    "campus": Document("formats.ours.campus_document", ("CampusDocument",), written=False),
    "certificate": Document(
        "formats.ours.certificate_document", ("ApartCertificate", "TogetherCertificate"), written=False
    ),
    "audit": Document("views.findings", ("AuditView",)),
    "prove": Document("views.reports", ("VerdictView",), rows=True),
    "segments": Document("views.reports", ("GridRow",), rows=True),
    "recheck": Document("views.checks", ("CheckedRow",), rows=True),
    "links": Document("views.tables", ("LinkRow",), rows=True),
    "vlans": Document("views.tables", ("VlanRow",), rows=True),
    "groups": Document("views.groups", ("GroupRow",), rows=True),
    "tree": Document("views.trees", ("TreesView",)),
    "gateways": Document("views.gateways", ("GatewaysView",)),
    "trim": Document("views.trims", ("TrimView",)),
    "ports": Document("views.tables", ("PortRow",), rows=True),
    "relay": Document("views.relays", ("RelayRow",), rows=True),
    "rogue": Document("views.rogues", ("RogueRow",), rows=True),
    "grid": Document("views.relays", ("Grid",), rows=True),
    "flood": Document("views.tables", ("FloodRow",), rows=True),
    "trace": Document("views.traces", ("TraceView",)),
    "sources": Document("views.sources", ("SourcesView",)),
    "drift": Document("change.drift", ("DriftView",)),
    "history": Document("change.history", ("TrendView",)),
    "change": Document("formats.ours.change_document", ("ChangeDocument",), written=False),
    "rehearse": Document("change.rehearsal", ("RehearsalView",)),
    "mend": Document("change.mending", ("MendView",)),
    "failures": Document("change.failures", ("TrialRow",), rows=True),
}
"""`segments` is `prove --grid`; `groups` is `vlans --groups`; `relay`, `rogue` and `grid` are those options of `ports`."""
