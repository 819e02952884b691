"""Commands that look at a campus over its revisions, and at each failure that may happen to it."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from inkov.cli.options import (
    OutputOption,
    SiteArgument,
    TableFormatOption,
    load_network,
    many_networks,
    of_site,
    reads_site,
)
from inkov.cli.output import ChangeFormat, Exit, Progress, TableFormat, complain, emit, put
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.source import Source

_FIGURES = frozenset({ChangeFormat.PNG, ChangeFormat.SVG})


@reads_site
def history(
    site: SiteArgument = Path(),
    last: Annotated[
        int, typer.Option("--last", metavar="N", min=1, max=1000, help="Show the last N revisions of the site in git.")
    ] = 10,
    claim: Annotated[
        str, typer.Option(metavar="NAME", help="Show each revision that turned this claim, and the edit that did it.")
    ] = "",
    result_format: Annotated[
        ChangeFormat,
        typer.Option("--format", help="Text is for people, the other formats are for programs and merge requests."),
    ] = ChangeFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Show the last revisions of a site in git: findings by severity, what each opened and closed, and the claims it turned."""
    if result_format in _FIGURES and output is None:
        raise typer.BadParameter("a figure is written to a file; name the file with -o")
    from inkov.change.history import trend_view
    from inkov.cli.output import put_bytes
    from inkov.cli.revisions import states
    from inkov.render.screens.trend_text import trend_figure, trend_junit, trend_markdown, trend_text

    revisions = states(str(site), last)
    known = {c.name: None for s in revisions if s.campus for c in s.campus.claims}
    if claim and claim not in known:
        raise BadInput([Problem(Source("--claim"), f"no revision has a claim {claim!r}{nearest(claim, known)}")])
    many_networks()
    view = trend_view(revisions, claim)
    if result_format in _FIGURES and output is not None:
        put_bytes(trend_figure(view, result_format.value), output)
    elif result_format is ChangeFormat.MD:
        put(trend_markdown(view), output)
    elif result_format is ChangeFormat.JUNIT:
        put(trend_junit(view), output)
    else:
        emit("history", result_format, output, view, trend_text)


@partial(reads_site, answers=of_site)
def failures(
    site: SiteArgument = Path(),
    cuts: Annotated[bool, typer.Option("--cuts", help="Cut each cable, one at a time.")] = False,
    fails: Annotated[bool, typer.Option("--fails", help="Switch each device off, one at a time.")] = False,
    plugs: Annotated[
        bool, typer.Option("--plugs", help="Plug a stranger's switch into each host port, one at a time.")
    ] = False,
    budget: Annotated[
        float,
        typer.Option("--budget", metavar="SECONDS", min=0, help="Stop after SECONDS, and say how many were tried."),
    ] = 60,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Try each failure alone, and list the worst first: cables cut, devices off, a stranger's switch plugged in.

    Without --cuts, --fails or --plugs, all three are tried. Exits 1 when a failure makes a claim worse, and when the time
    was over before all were tried.
    """
    network = load_network(site, strict=True)
    from inkov import api
    from inkov.change.failures import trials
    from inkov.formats.ours import change_file
    from inkov.render.row_pages import trials_page
    from inkov.render.screens.rehearsal_text import trials_text

    campus, every = network.campus, not (cuts or fails or plugs)
    cables = [(w.a, w.b) for k in network.followed.links for w in k.wires if k.up]
    hosts = (ref for refs in network.edge_ports.values() for ref in refs)
    steps = [
        *(change_file.every_cut(campus, cables) if cuts or every else ()),
        *(change_file.every_fail(campus) if fails or every else ()),
        *(change_file.every_plug(campus, hosts) if plugs or every else ()),
    ]
    many_networks()
    rows = trials(campus, steps, Progress("tried", "failures"), api.after(budget))
    emit("failures", result_format, output, rows, trials_text, trials_page)
    tried = sum(1 + len(row.alike) for row in rows)
    if tried < len(steps):
        complain(f"{tried} of {len(steps)} failures were tried in {budget:g} s; --budget SECONDS gives more time")
    if tried < len(steps) or any(row.claims for row in rows):
        raise typer.Exit(Exit.FOUND)
