"""Commands about what is read: what each file gave, and the campus written in another language."""

from __future__ import annotations

from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from inkov.cli.options import (
    FormatOption,
    OutputOption,
    Run,
    SiteArgument,
    SwitchOption,
    chosen_switches,
    load_network,
    of_site,
    reads_site,
)
from inkov.cli.output import Exit, Format, complain, emit, put


@partial(reads_site, answers=of_site)
def sources(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    result_format: FormatOption = Format.TEXT,
    output: OutputOption = None,
) -> None:
    """Show which facts each file states of which device, which facts are missing and how to get them, and which files contradict each other."""
    network = load_network(site)
    from inkov.formats.registry import FORMATS
    from inkov.render.screens.sources_text import sources_text
    from inkov.views.sources import sources_view

    ways = {f.name: f.ways for f in FORMATS}
    view = sources_view(network.campus, ways, chosen_switches(network, switch))
    emit("sources", result_format, output, view, sources_text)
    if any(d.contradictions for d in view.devices):
        raise typer.Exit(Exit.FOUND)


class Language(StrEnum):
    """What `convert` writes."""

    OURS = "inkov"
    OPENCONFIG = "openconfig"


@reads_site
def convert(
    site: SiteArgument = Path(),
    folder: Annotated[
        Path, typer.Option("-o", "--output", metavar="DIR", help="Write one file for each switch into a new folder.")
    ] = ...,  # type: ignore[assignment]  # as Typer marks what must be given
    language: Annotated[
        Language, typer.Option("--to", help="Write Inkov switch files or OpenConfig JSON.")
    ] = Language.OURS,
    switch: SwitchOption = None,
) -> None:
    """Write each switch as an Inkov switch file or as OpenConfig JSON. Facts that are not known are left out, and listed in a comment."""
    network = load_network(site)
    from inkov.formats.openconfig import writer as openconfig_writer
    from inkov.formats.ours import switch_writer
    from inkov.formats.results import write_folder
    from inkov.render.page import clean, plural

    chosen = chosen_switches(network, switch)
    switches = [s for n, s in network.switches.items() if chosen is None or n in chosen]
    files: dict[str, str] = {}
    taken: set[str] = set()
    said: list[str] = []
    for s in switches:
        if language is Language.OURS:
            files[f"{switch_writer.file_name(s, taken)}.yaml"] = switch_writer.text(s)
        else:
            text, left_out = openconfig_writer.text(s)
            files[f"{switch_writer.file_name(s, taken)}.json"] = text
            said += [f"{s.name}: {what}" for what in left_out]
    write_folder(folder, files, read=Run.read)
    put(f"wrote {plural(len(files), 'file')} to {clean(folder.as_posix())}\n", None)
    for line in said:
        complain(f"note: {line}")
