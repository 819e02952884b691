"""Commands about claims: decide them, write certificates of the proofs, and check these again."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from inkov.cli.options import (
    FormatOption,
    OutputOption,
    SiteArgument,
    TableFormatOption,
    load_network,
    many_networks,
    of_site,
    reads_site,
)
from inkov.cli.output import Exit, Format, TableFormat, complain, emit


@partial(reads_site, answers=of_site)
def prove(
    site: SiteArgument = Path(),
    claim: Annotated[
        list[str] | None,
        typer.Option(
            "--claim",
            metavar="TEXT",
            help="'apart A B …', 'apart A from B C', 'only A B through R', 'together A …'; then 'layer 2', 'facing hostile' or "
            "'surviving 1'; repeatable.",
        ),
    ] = None,
    grid: Annotated[bool, typer.Option("--grid", help="Show every segment against every other instead.")] = False,
    strict: Annotated[
        bool, typer.Option("--strict", help="Assume nothing that is not stated; what a proof rests on is then missing.")
    ] = False,
    budget: Annotated[
        float, typer.Option(min=0, metavar="SECONDS", help="What is not decided by then cannot be told.")
    ] = 300,
    certificate: Annotated[
        Path | None,
        typer.Option(metavar="DIR", help="Write a certificate of each proof there, for 'inkov recheck'."),
    ] = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Decide claims: proved, broken with the way shown, or cannot tell with what is missing.

    Without --claim: the claims of the campus file, or else that every VLAN is apart from every other.
    """
    if grid:
        _grid(site, result_format, output)
    elif not decide(site, claim, result_format, output, certificate, strict=strict, budget=budget):
        raise typer.Exit(Exit.FOUND)


def _grid(site: Path, result_format: str, output: Path | None) -> None:
    network = load_network(site)
    from inkov.proof.grid import grid
    from inkov.render.proof_text import grid_text
    from inkov.render.row_pages import grid_page
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
) -> bool:
    """Decides claims, writes certificates into a folder if there is one, and tells whether all claims were proved."""
    network = load_network(site)
    from inkov import api
    from inkov.render.proof_text import prove_text
    from inkov.render.row_pages import claims_page
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
        list[Path], typer.Argument(metavar="CERTIFICATE…", help="Certificates, as prove wrote them.")
    ],
    site: Annotated[Path, typer.Argument(metavar="SITE", help="A folder, a campus file or one switch file.")],
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Check certificates against a site with a small second program that shares nothing with the prover.

    Files may have changed since: what counts is whether the proof still holds. Exits 1 when one does not.
    """
    from inkov import api
    from inkov.render.recheck_text import recheck_text
    from inkov.render.row_pages import checked_page

    rows = api.recheck(certificate, site)
    emit("recheck", result_format, output, rows, recheck_text, checked_page)
    if any(not row.accepted for row in rows):
        raise typer.Exit(Exit.FOUND)


@partial(reads_site, answers=of_site)
def trace(
    site: SiteArgument = Path(),
    a: Annotated[
        str, typer.Argument(metavar="A", help="Who sends: a host, switch:port, an IP address, or a switch.")
    ] = "",
    b: Annotated[str, typer.Argument(metavar="B", help="Who should hear it and answer: the same.")] = "",
    tag: Annotated[
        int | None, typer.Option(min=1, max=4094, help="VID that both put on their frames, as phones do.")
    ] = None,
    result_format: FormatOption = Format.TEXT,
    output: OutputOption = None,
) -> None:
    """Follow a frame from A to B and the answer back; say where it stops, why, and what else stops there.

    Between hosts of different VLANs a packet is followed, by way of gateways, routes and filters. A switch is meant by its
    address of management.

    Where nothing states what decides, it says that it cannot tell, shows the usual way, and names the facts.

    Exits 1 when either way is closed, as boxes usually are.
    """
    if not (a and b):
        raise typer.BadParameter("name both ends: inkov trace [SITE] A B")
    network = load_network(site)
    from inkov.api import end_named
    from inkov.proof.trace import trace as run
    from inkov.render.trace_text import trace_text
    from inkov.views.traces import trace_view

    ends = end_named(network, a, tag), end_named(network, b, tag)
    view = trace_view(network, run(network, *ends), (a, b))
    emit("trace", result_format, output, view, trace_text)
    if not view.both:
        raise typer.Exit(Exit.FOUND)
