"""Commands about claims: decide them, write certificates of the proofs, and check these again."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.options import (
    FormatOption,
    OutputOption,
    SiteArgument,
    TableFormatOption,
    completes,
    load_network,
    many_networks,
    of_site,
    reads_site,
)
from inkov.cli.output import Exit, Format, TableFormat, complain, emit

if TYPE_CHECKING:
    from inkov.forwarding.network import Network

ConfiguredOption = Annotated[
    bool,
    typer.Option(
        "--configured", help="Where files tell what is configured and what is in force, take the first alone."
    ),
]
TodayOption = Annotated[bool, typer.Option("--today", help="Where files tell both, take what is in force today alone.")]


@partial(reads_site, answers=of_site)
def prove(
    site: SiteArgument = Path(),
    claim: Annotated[
        list[str] | None,
        typer.Option(
            "--claim",
            metavar="TEXT",
            help="'apart A B …', 'apart A from B C', 'only A B through R', 'together A …'; then 'except A B', 'layer 2', "
            "'facing hostile' or 'surviving 1'; or the name of a claim of the campus file; repeatable.",
            autocompletion=completes("claims"),
        ),
    ] = None,
    grid: Annotated[
        bool, typer.Option("--grid", help="Show a table of each segment against each other segment.")
    ] = False,
    strict: Annotated[
        bool,
        typer.Option(
            "--strict", help="Make no assumptions. A claim that needs one ends in 'cannot tell' and names it."
        ),
    ] = False,
    budget: Annotated[
        float,
        typer.Option(
            min=0,
            metavar="SECONDS",
            help="Stop after SECONDS. Claims that are not decided by then end in 'cannot tell'.",
        ),
    ] = 300,
    configured: ConfiguredOption = False,
    today: TodayOption = False,
    certificate: Annotated[
        Path | None,
        typer.Option(metavar="DIR", help="Write a certificate of each proof into DIR, for 'inkov recheck'."),
    ] = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Decide claims. Each is proved, or broken with the path that breaks it, or cannot be told with the facts that are missing.

    Without --claim, the claims of the campus file are decided. Without these, each VLAN is claimed to be apart from each other.
    """
    side = _side(configured=configured, today=today)
    if side and (grid or certificate):
        raise typer.BadParameter(
            "a grid and a certificate are for what is configured and for today; leave it out", param_hint=f"--{side}"
        )
    if grid:
        _grid(site, result_format, output)
    elif not decide(site, claim, result_format, output, certificate, strict=strict, budget=budget, side=side):
        raise typer.Exit(Exit.FOUND)


def _side(*, configured: bool, today: bool) -> str:
    """Returns which of both is asked for alone; empty for both.

    Raises:
        typer.BadParameter: both are.
    """
    if configured and today:
        raise typer.BadParameter("leave both out to decide for both", param_hint="--configured and --today")
    return "configured" if configured else "today" if today else ""


def _of_side(network: Network, side: str) -> Network:
    if not side:
        return network
    from inkov import api, changes

    return api.network(changes.as_told(network.campus, today=side == "today"))


def _grid(site: Path, result_format: str, output: Path | None) -> None:
    network = load_network(site)
    from inkov.proof.grid import grid
    from inkov.render.row_pages import grid_page
    from inkov.render.screens.proof_text import grid_text
    from inkov.views.reports import grid_rows

    rows = grid_rows(grid(network))
    emit("segments", result_format, output, rows, grid_text, grid_page)


def decide(
    site: Path,
    claims: list[str] | None,
    result_format: str,
    output: Path | None,
    folder: Path | None = None,
    *,
    strict: bool = False,
    budget: float | None = None,
    side: str = "",
) -> bool:
    """Decides claims, writes certificates into a folder if there is one, and tells whether all claims were proved."""
    network = _of_side(load_network(site), side)
    from inkov import api
    from inkov.render.row_pages import claims_page
    from inkov.render.screens.proof_text import prove_text
    from inkov.views.reports import verdict_views

    many_networks()
    verdicts = api.prove(network.campus, claims or None, strict=strict, budget=budget)
    views = verdict_views(verdicts)
    if folder is not None:
        written, without = api.certify(network.campus, verdicts, folder)
        complain(f"wrote {len(written)} certificates to {folder.as_posix()}")
        for name in without:
            complain(
                f"note: no certificate for {name!r}: what gateways join, and what is outside, has no certificate yet"
            )
    emit("prove", result_format, output, views, partial(prove_text, network.campus.name), claims_page)
    return all(v.outcome == "proved" for v in views)


@reads_site
def recheck(
    certificate: Annotated[
        list[Path], typer.Argument(metavar="CERTIFICATE…", help="Certificates that 'inkov prove --certificate' wrote.")
    ],
    site: Annotated[Path, typer.Argument(metavar="SITE", help="A folder, a campus file or one switch file.")],
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Check certificates against a site with a second, small program that shares no code with the prover.

    The site may have changed since: recheck tells whether each proof still holds. Exits 1 if one does not.
    """
    from inkov import api
    from inkov.render.row_pages import checked_page
    from inkov.render.screens.recheck_text import recheck_text

    rows = api.recheck(certificate, site)
    emit("recheck", result_format, output, rows, recheck_text, checked_page)
    if any(not row.accepted for row in rows):
        raise typer.Exit(Exit.FOUND)


@partial(reads_site, answers=of_site)
def trace(
    site: SiteArgument = Path(),
    a: Annotated[
        str, typer.Argument(metavar="A", help="Who sends: a host, a switch:port, an IP address, or a switch.")
    ] = "",
    b: Annotated[
        str,
        typer.Argument(
            metavar="B", help="Who receives and answers: a host, a switch:port, an IP address, or a switch."
        ),
    ] = "",
    tag: Annotated[
        int | None, typer.Option(min=1, max=4094, help="Both ends tag their frames with this VLAN, as phones do.")
    ] = None,
    configured: ConfiguredOption = False,
    today: TodayOption = False,
    result_format: FormatOption = Format.TEXT,
    output: OutputOption = None,
) -> None:
    """Follow a frame from A to B and the answer back. Tell where it stops, why, and what else stops there.

    Between hosts of different VLANs it follows a packet through gateways, routes and filters. A switch is reached at its
    management address. An IP address that is in no subnet of the campus stands for the outside.

    If the files do not state a fact that decides, trace says 'cannot tell', shows the usual path and names the fact.

    Exits 1 if a frame is lost in either direction.
    """
    if not (a and b):
        raise typer.BadParameter("name both ends: inkov trace [SITE] A B")
    network = _of_side(load_network(site), _side(configured=configured, today=today))
    from inkov.api import trace as run
    from inkov.render.screens.trace_text import trace_text
    from inkov.views.traces import trace_view

    view = trace_view(network, run(network, a, b, tag), (a, b))
    emit("trace", result_format, output, view, trace_text)
    if not view.both:
        raise typer.Exit(Exit.FOUND)
