"""Commands about change: what differs between two campuses and what it did."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from inkov.cli.options import OutputOption, Run, load_network
from inkov.cli.output import Exit, emit, put


class DriftFormat(StrEnum):
    """How a comparison is written."""

    TEXT = "text"
    JSON = "json"
    MD = "md"
    JUNIT = "junit"


def drift(
    before: Annotated[
        str, typer.Argument(metavar="BEFORE", help="A folder, a campus file, or REV or REV:path of a git repository.")
    ],
    after: Annotated[str, typer.Argument(metavar="[AFTER]", help="The same; with --saved it is left out.")] = "",
    saved: Annotated[
        bool, typer.Option("--saved", help="Compare what the switches have saved with what they run.")
    ] = False,
    result_format: Annotated[
        DriftFormat, typer.Option("--format", help="Text for people, the others for programs and merge requests.")
    ] = DriftFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Tell what changed between two campuses, what it did, and which change did it.

    Exits 1 when anything but text, such as a label, changed.
    """
    from inkov import api
    from inkov.formats.revision import folder_of

    if bool(after) is saved:
        raise typer.BadParameter("name BEFORE and AFTER, or one campus with --saved")
    if saved:
        campus = load_network(Path(before)).campus
        view = api.drift(api.as_saved(campus), campus, ("saved", "running"))
    else:
        with folder_of(before) as one, folder_of(after) as other:
            first = load_network(one, strict=True).campus
            view = api.drift(first, load_network(other, strict=True).campus, (before, after))
    Run.unread = ()
    from inkov.render.drift_text import drift_junit, drift_markdown, drift_text

    if result_format in {DriftFormat.MD, DriftFormat.JUNIT}:
        put(drift_markdown(view) if result_format is DriftFormat.MD else drift_junit(view), output)
    else:
        emit("drift", result_format, output, view, drift_text)
    if any(not c.silent for c in view.changes):
        raise typer.Exit(Exit.FOUND)
