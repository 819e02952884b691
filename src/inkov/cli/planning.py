"""Commands that plan changes."""

from __future__ import annotations

from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.options import (
    OutputOption,
    SiteArgument,
    SwitchOption,
    TableFormatOption,
    VlanOption,
    chosen_switches,
    chosen_vlans,
    load_network,
    of_site,
    reads_site,
)
from inkov.cli.output import Exit, TableFormat, complain, emit
from inkov.model.vlanset import VlanSet

if TYPE_CHECKING:
    from inkov.plan.trim import Trim


class ListStyle(StrEnum):
    """How `trim` writes lists."""

    EXACT = "exact"
    ALL_BUT = "all-but"


@partial(reads_site, answers=of_site)
def trim(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    keep: Annotated[str, typer.Option("--keep", metavar="LIST", help="Never trim these VLANs.")] = "none",
    style: Annotated[ListStyle, typer.Option(help="Write lists as exact ranges, or as 'all but'.")] = ListStyle.EXACT,
    why: Annotated[bool, typer.Option("--why", help="Show which members need each VLAN on each link.")] = False,
    planned: Annotated[
        list[Path] | None,
        typer.Option("--with", metavar="FILE", help="Plan for a switch that is not installed yet; repeatable."),
    ] = None,
    cable: Annotated[
        list[str] | None,
        typer.Option(metavar="'A - B'", help="Attach a switch of --with by this cable; repeatable."),
    ] = None,
    apply: Annotated[
        Path | None,
        typer.Option("--apply", metavar="DIR", help="Write a copy of the site with these lists into a new folder."),
    ] = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Show what the allowed list of each trunk should be: needed, missing and surplus VLANs.

    Exits 1 if a needed VLAN is missing. With --apply, the copy is kept only if no station loses reach.
    """
    if cable and not planned:
        raise typer.BadParameter("needs --with: it attaches a switch that is not installed yet", param_hint="--cable")
    network = load_network(site, planned or [], strict=True)
    from inkov import api, changes
    from inkov.render.row_pages import trim_page
    from inkov.render.screens.trim_text import trim_text
    from inkov.views.trims import trim_view

    campus = network.campus
    now = load_network(site, strict=True).campus if planned else campus
    if planned:
        campus = changes.attached(campus, campus.switches.keys() - now.switches.keys(), cable or [])
    kept = chosen_vlans(network, keep, "--keep")
    advice = api.trim(campus, kept or VlanSet())
    before = api.trim(now, kept or VlanSet()) if planned else None
    view = trim_view(advice, chosen_switches(network, switch), chosen_vlans(network, vlan), before, why=why)
    emit(
        "trim",
        result_format,
        output,
        view,
        partial(trim_text, all_except=style is ListStyle.ALL_BUT, why=why),
        trim_page,
    )
    if apply is not None:
        _apply(site, advice, planned or [], style, apply)
    if any(r.missing for row in view.links for r in row.reasons):
        raise typer.Exit(Exit.FOUND)


def _apply(site: Path, advice: Trim, planned: list[Path], style: ListStyle, folder: Path) -> None:
    """Writes the trimmed site, and says so on the error stream, where it does not mix with the result."""
    from inkov import api, changes
    from inkov.formats.rewrite import settable
    from inkov.render.page import plural

    exact = style is ListStyle.EXACT
    used = VlanSet.from_mask(advice.network.used)
    campus = api.load(site) if planned else advice.network.campus
    known = campus.switches
    lists = {
        ref: some.exact if exact or not used - some else f"all but {(used - some).exact}"
        for ref, some in advice.lists.items()
        if ref.switch in known
    }
    refs, told = settable(campus, lists)
    changed = changes.apply_trim(site, {ref: lists[ref] for ref in refs}, folder)
    if told:
        complain(
            f"not set: {plural(len(lists) - len(refs), 'list')} in what devices told ({', '.join(told[:4])}{' …' if told[4:] else ''})"
        )
    lists = {ref: lists[ref] for ref in refs}
    complain(f"wrote {folder.as_posix()}: {len(lists)} lists in {len(changed)} files set; no station loses reach")
