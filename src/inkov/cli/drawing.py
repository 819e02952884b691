"""Commands that hand the campus over: the map and the report."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.options import (
    SiteArgument,
    SwitchOption,
    chosen_switches,
    chosen_vlans,
    completes,
    load_network,
    reads_site,
)
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.identity import device_named
from inkov.model.source import Source

if TYPE_CHECKING:
    from inkov.change.history import TrendView
    from inkov.drawing.maps import Overlay
    from inkov.forwarding.network import Network
    from inkov.handover import Handover


@reads_site
def map_(
    site: SiteArgument = Path(),
    output: Annotated[
        Path, typer.Option("-o", "--output", metavar="FILE", help="Write the map to FILE.png, FILE.svg or FILE.pdf.")
    ] = Path("map.svg"),
    vlan: Annotated[
        str | None, typer.Option("--vlan", metavar="VLAN", help="Show a VLAN on the map: where it is, and its islands.")
    ] = None,
    segment: Annotated[
        str | None,
        typer.Option(metavar="NAME", help="Show a segment on the map.", autocompletion=completes("segments")),
    ] = None,
    claim: Annotated[
        str | None,
        typer.Option(
            metavar="CLAIM",
            help="Show a claim on the map: the path that breaks it.",
            autocompletion=completes("claims"),
        ),
    ] = None,
    tree: Annotated[
        bool, typer.Option("--tree", help="Show the spanning tree on the map, or with --vlan the tree of that VLAN.")
    ] = False,
    changes: Annotated[
        Path | None,
        typer.Option(metavar="CHANGE", help="Show a change on the map: what it changes and which links it cuts."),
    ] = None,
    around: Annotated[
        str | None,
        typer.Option(
            metavar="SWITCH", help="Draw only the switches near this one.", autocompletion=completes("switches")
        ),
    ] = None,
    hops: Annotated[int, typer.Option(min=0, max=50, help="How many links away a switch may be with --around.")] = 2,
    heard: Annotated[
        bool,
        typer.Option("--heard", help="Show each phone, access point or strange system that was heard by its name."),
    ] = False,
    switch: SwitchOption = None,
) -> None:
    """Draw the campus, core on top, with the ports at both ends of each link. One option shows a VLAN, a claim, a tree or a change."""
    kind = output.suffix.lower().lstrip(".")
    from inkov.render.map_figure import FORMATS, drawn

    if kind not in FORMATS:
        raise typer.BadParameter(f"{output.name!r} does not end in .png, .svg or .pdf", param_hint="-o")
    asked = [
        name
        for name, given in (("--segment", segment), ("--claim", claim), ("--changes", changes), ("--tree", tree))
        if given
    ]
    if len(asked) > 1 or (vlan and asked and asked != ["--tree"]):
        raise typer.BadParameter(
            f"one question at a time; asked were {', '.join((['--vlan'] if vlan else []) + asked)}"
        )
    network = load_network(site, strict=changes is not None)
    only = chosen_switches(network, switch)
    if around is not None:
        around = device_named(around, network.switches)
        if around not in network.switches:
            what = f"there is no switch {around!r}{nearest(around, network.switches)}"
            raise BadInput([Problem(Source("--around"), what)])
        from inkov.drawing.maps import around as near

        only = near(network, around, hops) & (only if only is not None else frozenset(network.switches))
    overlay = _overlay(network, vlan, segment, claim, changes, tree=tree)
    from inkov.cli.output import put, put_bytes
    from inkov.drawing.maps import map_of

    picture = map_of(network, overlay, only, heard=heard)
    put_bytes(drawn(picture, kind), output)
    put(f"wrote {output.as_posix()}: {picture.subtitle}\n", None)


def _overlay(
    network: Network, vlan: str | None, segment: str | None, claim: str | None, changes: Path | None, *, tree: bool
) -> Overlay:
    from inkov import api
    from inkov.drawing import overlays

    if tree:
        wanted = chosen_vlans(network, vlan)
        return overlays.of_tree(network, next(iter(wanted)) if wanted else None)
    if vlan is not None:
        wanted = chosen_vlans(network, vlan)
        vids = list(wanted or ())
        if len(vids) == 1:
            return overlays.of_vlan(network, vids[0])
        return overlays.of_vlans(network, wanted, f"VLANs {wanted}") if wanted else overlays.usual(network)
    if segment is not None:
        found = api.segment_called(network.campus, segment)
        return overlays.of_vlans(network, found.vlans, f"segment {segment} ({found.vlans})")
    if claim is not None:
        return _of_claim(network, claim)
    if changes is not None:
        from inkov.formats.ours import change_file
        from inkov.forwarding.network import Network as Made

        document, lines, reading = change_file.read(changes)
        after = network.campus
        for step in change_file.steps(document, lines, network.campus, reading):
            after = step.done(after)
        return overlays.of_change(network, network.campus, Made(after), document.name)
    return overlays.usual(network)


def _of_claim(network: Network, text: str) -> Overlay:
    from inkov import api
    from inkov.drawing import overlays
    from inkov.proof.prove import Prover

    claim = api.claim_called(network.campus, text)
    return overlays.of_claim(network, claim, Prover(network).decide(claim))


@reads_site
def report(
    site: SiteArgument = Path(),
    output: Annotated[
        Path,
        typer.Option(
            "-o", "--output", metavar="FILE", help="Write the report to FILE.html, or a workbook to FILE.xlsx."
        ),
    ] = Path("report.html"),
    since: Annotated[
        str | None,
        typer.Option(metavar="REV|FOLDER", help="Add what changed since a folder, a campus file or a git revision."),
    ] = None,
    last: Annotated[
        int,
        typer.Option(
            "--history",
            metavar="N",
            min=0,
            max=1000,
            help="Add the findings and claims of the last N revisions in git.",
        ),
    ] = 0,
    dated: Annotated[
        bool, typer.Option("--dated", help="Add today's date. Without it, the same input gives the same file.")
    ] = False,
) -> None:
    """Write one page to hand over: verdict, findings, claims, map, VLANs, links, devices, and facts that are not known.

    The page loads nothing from elsewhere, works without scripts and can be printed. A workbook has the tables only.
    """
    kind = output.suffix.lower()
    if kind not in {".html", ".htm", ".xlsx"}:
        raise typer.BadParameter(f"{output.name!r} does not end in .html or .xlsx", param_hint="-o")
    network = load_network(site)
    trend = None
    if last:
        from inkov.change.history import trend_view
        from inkov.cli.revisions import states

        trend = trend_view(states(str(site), last))
    made = _handover(network, site, since, trend, dated=dated)
    from inkov.cli.output import put, put_bytes

    if kind == ".xlsx":
        from inkov.render.report_sheets import workbook

        put_bytes(workbook(made), output)
    else:
        from inkov.render.report_html import html

        put_bytes(html(made).encode("utf-8"), output)
    put(f"wrote {output.as_posix()}: {made.verdict[0]}\n", None)


def _handover(network: Network, site: Path, since: str | None, trend: TrendView | None, *, dated: bool) -> Handover:
    from datetime import date

    from inkov import __version__, api
    from inkov.handover import InputRow, handover
    from inkov.rules.catalogue import audited
    from inkov.rules.choice import Choice
    from inkov.store.documents import digest

    campus = network.campus
    found = audited(network, Choice(), catches=True)
    inputs = [
        InputRow(name, digest(Path(path)), Path(path).stat().st_size)
        for name, path in sorted(campus.files.items())
        if Path(path).is_file()
    ]
    drift = None
    if since is not None:
        from inkov.change.drift import drift_view
        from inkov.formats.revision import folder_of

        with folder_of(since, like=site.as_posix()) as folder:
            before = api.load(folder, strict=False)
        drift = drift_view(before, campus, (since, "now"))
    return handover(
        network,
        found.findings,
        api.prove(campus) if campus.claims else [],
        inputs,
        ("--since", since) if since else (),
        __version__,
        date.today().isoformat() if dated else "",  # noqa: DTZ011 - the day where it is read
        drift,
        trend,
        len(found.waived),
    )
