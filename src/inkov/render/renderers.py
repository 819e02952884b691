"""What writes an audit for other programs, by the name that `--format` takes."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from importlib import import_module
from typing import TYPE_CHECKING, NamedTuple, cast

if TYPE_CHECKING:
    from inkov.views.findings import AuditView

Lines = Callable[[str, str], int | None]
"""Returns the line of a data path in a file, for formats that have none of their own."""


class Audited(NamedTuple):
    """What a renderer may say of an audit.

    Attributes:
        view: what was found.
        ran: names of the rules that ran.
        lines: finds lines in files.
        fails: tells whether a severity is severe enough to fail a pipeline.
    """

    view: AuditView
    ran: Iterable[str]
    lines: Lines
    fails: Callable[[str], bool]


_RENDERERS = {
    "csv": "audit_files.audit_csv",
    "md": "audit_files.audit_markdown",
    "sarif": "audit_files.audit_sarif",
    "junit": "audit_files.audit_junit",
}
"""Module and function under `inkov.render`, imported only when one is wanted."""
NAMES = tuple(_RENDERERS)


def rendered(name: str, audited: Audited) -> str:
    """Returns an audit as one of the renderers writes it."""
    module, _, function = _RENDERERS[name].rpartition(".")
    renderer = cast("Callable[[Audited], str]", getattr(import_module(f"inkov.render.{module}"), function))
    return renderer(audited)
