"""Commands that show tables: each for people on a screen, as rows in a pipe, and for programs."""

from __future__ import annotations

import functools
from collections.abc import Callable
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
    with_options,
)
from inkov.cli.output import TableFormat, emit, emit_page, put, screen_width

if TYPE_CHECKING:
    from inkov.render.rows import Page

_ADDED = {
    "sort": (
        Annotated[
            str, typer.Option("--sort", metavar="COLUMN", help="Sort by a column; -COLUMN puts the largest first.")
        ],
        "",
    ),
    "columns": (
        Annotated[str, typer.Option("--columns", metavar="LIST", help="Show these columns only, such as port,vlans.")],
        "",
    ),
    "heads": (Annotated[bool, typer.Option("--heads/--no-heads", help="Print the line of column heads.")], True),
    "where": (Annotated[bool, typer.Option("--where", help="Also show the file and line of each row.")], False),
}


class Shown:
    """What this run wants of a table."""

    sort = ""
    columns = ""
    heads = True
    where = False


def shows_rows(command: Callable[..., None]) -> Callable[..., None]:
    """Gives a command that shows a table of a site the options that all tables have."""

    @functools.wraps(command)
    def run(*args: object, sort: str, columns: str, heads: bool, where: bool, **kwargs: object) -> None:
        Shown.sort, Shown.columns, Shown.heads, Shown.where = sort, columns, heads, where
        command(*args, **kwargs)

    return reads_site(with_options(command, run, _ADDED), answers=of_site)


def _write(kind: str, value: object, page: Callable[[], Page], result_format: TableFormat, output: Path | None) -> None:
    """Writes a view as JSON, or the table of it in any other format."""
    from inkov.render.rows import Wish

    if result_format is TableFormat.JSON:
        from inkov.render.jsondoc import document

        put(document(kind, value), output)
        return
    columns = tuple(filter(None, (c.strip() for c in Shown.columns.split(","))))
    emit_page(page(), Wish(Shown.sort, columns, Shown.heads, Shown.where), result_format, output)


@shows_rows
def vlans(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    converged: Annotated[
        bool, typer.Option("--converged", help="Show the VLAN tables after all sync groups have settled.")
    ] = False,
    ports: Annotated[bool, typer.Option("--ports", help="Show the ports in each VLAN, a switch in one row.")] = False,
    groups: Annotated[
        bool,
        typer.Option("--groups", help="Show how each switch comes to its VLANs: sync group, registration, pruning."),
    ] = False,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Show each VLAN in one row across all switches, with its islands."""
    if ports + converged + groups > 1:
        raise typer.BadParameter("--ports, --groups and --converged are tables of their own; name one of them")
    if groups and vlan:
        raise typer.BadParameter("--groups shows switches, not VLANs; leave --vlan out")
    network = load_network(site)
    from inkov import api
    from inkov.render.page import WIDTH
    from inkov.render.screens.table_text import converged_page, vlan_ports_page, vlans_page
    from inkov.views.tables import sync_rows, vlan_rows

    switches, some = chosen_switches(network, switch), chosen_vlans(network, vlan)
    width = screen_width(output) or WIDTH
    if groups:
        from inkov.render.screens.group_text import groups_page
        from inkov.views.groups import group_rows

        in_groups = group_rows(network, switches)
        _write("groups", in_groups, lambda: groups_page(in_groups), result_format, output)
        return
    if not converged:
        rows = vlan_rows(network, switches, some)
        page = partial(vlan_ports_page, rows) if ports else partial(vlans_page, rows, width)
        _write("vlans", rows, page, result_format, output)
        return
    changes = sync_rows(network, switches, some)
    after = vlan_rows(api.network(api.converged(network.campus)), switches, some)
    _write("vlans", after, lambda: converged_page(changes, after, width), result_format, output)


@shows_rows
def links(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Show both ends of each link in one row: the VLANs it carries, and why it loses the others."""
    network = load_network(site)
    from inkov.render.screens.table_text import links_page
    from inkov.views.tables import link_rows

    rows = link_rows(network, chosen_switches(network, switch), chosen_vlans(network, vlan))
    _write("links", rows, lambda: links_page(rows), result_format, output)


@shows_rows
def ports(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    relay: Annotated[
        bool, typer.Option("--relay", help="Show which VLANs enter and leave each port, tagged and untagged.")
    ] = False,
    grid: Annotated[bool, typer.Option("--grid", help="Show a table of ports against VLANs.")] = False,
    rogue: Annotated[
        bool, typer.Option("--rogue", help="Show what a stranger's switch would reach from each port, worst first.")
    ] = False,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Show each port: its settings and what it faces."""
    network = load_network(site)
    from inkov.render.screens.relay_text import grids_text, relays_page, rogues_page
    from inkov.render.screens.table_text import ports_page
    from inkov.views.relays import grids, relay_rows
    from inkov.views.rogues import rogue_rows
    from inkov.views.tables import port_rows

    switches, vlans_ = chosen_switches(network, switch), chosen_vlans(network, vlan)
    if grid:
        if result_format not in {TableFormat.TEXT, TableFormat.JSON}:
            raise typer.BadParameter("a grid is written as text or json")
        emit("grid", result_format, output, grids(network, switches, vlans_), grids_text)
    elif relay:
        maps = relay_rows(network, switches)
        _write("relay", maps, lambda: relays_page(maps), result_format, output)
    elif rogue:
        gains = rogue_rows(network, switches)
        _write("rogue", gains, lambda: rogues_page(gains), result_format, output)
    else:
        rows = port_rows(network, switches, vlans_)
        _write("ports", rows, lambda: ports_page(rows), result_format, output)


@shows_rows
def gateways(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Show gateways: address, up or down and why, and their filters."""
    network = load_network(site)
    from inkov.render.screens.gateway_text import gateways_page
    from inkov.views.gateways import gateways_view

    view = gateways_view(network, chosen_switches(network, switch), chosen_vlans(network, vlan))
    _write("gateways", view, lambda: gateways_page(view), result_format, output)


@shows_rows
def flood(
    site: SiteArgument = Path(),
    port: Annotated[
        str | None,
        typer.Argument(metavar="[PORT]", help="The sender: a host or a switch:port. Without it, each edge port."),
    ] = None,
    tag: Annotated[
        int | None,
        typer.Option(min=0, max=4094, help="Tag the frame with this VLAN. Without it, the frame is untagged."),
    ] = None,
    inner: Annotated[int | None, typer.Option(min=0, max=4094, help="Add a second, inner tag.")] = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Show which ports hear a broadcast from a port, or from each edge port."""
    if inner is not None and tag is None:
        raise typer.BadParameter("--inner needs --tag")
    network = load_network(site)
    from inkov.api import port_named
    from inkov.render.screens.table_text import flood_page
    from inkov.views.tables import flood_rows

    source = None if port is None else port_named(network.campus, port)
    rows = flood_rows(network, source, tuple(v for v in (tag, inner) if v is not None))
    _write("flood", rows, lambda: flood_page(rows), result_format, output)


@partial(reads_site, answers=of_site)
def tree(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Draw the spanning trees: the root, the path of each switch to it, and why each blocked port lost."""
    network = load_network(site)
    from inkov.render.row_pages import tree_page
    from inkov.render.screens.tree_text import trees_text
    from inkov.views.trees import trees_view

    view = trees_view(network, chosen_vlans(network, vlan), chosen_switches(network, switch))
    emit("tree", result_format, output, view, trees_text, tree_page)
