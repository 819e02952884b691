"""Commands about change: what differs between two campuses and what it did."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from inkov.cli.options import (
    FormatOption,
    OutputOption,
    Run,
    SiteArgument,
    complete_rules,
    load_network,
    many_networks,
    of_site,
    reads_site,
)
from inkov.cli.output import Exit, Format, complain, emit, put

if TYPE_CHECKING:
    from inkov.changes import Copies
    from inkov.formats.parsed import Shared


class DriftFormat(StrEnum):
    """How a comparison is written."""

    TEXT = "text"
    JSON = "json"
    MD = "md"
    JUNIT = "junit"


def _both(options: Mapping[str, Any]) -> list[Path]:
    return [Path(options[side]) for side in ("before", "after") if options[side]]


@partial(reads_site, answers=_both)
def drift(
    before: Annotated[
        str,
        typer.Argument(metavar="BEFORE", help="The state before: a folder, a campus file, or REV or REV:path in git."),
    ],
    after: Annotated[
        str, typer.Argument(metavar="[AFTER]", help="The state after, in the same forms. Leave it out with --saved.")
    ] = "",
    saved: Annotated[
        bool, typer.Option("--saved", help="Compare the saved configurations of the switches with the running ones.")
    ] = False,
    result_format: Annotated[
        DriftFormat,
        typer.Option("--format", help="Text is for people, the other formats are for programs and merge requests."),
    ] = DriftFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Compare two states of a campus: what changed, what the change did, and which edit did it.

    A bare revision such as HEAD~1 means the path of the other side, as it was then.

    Exits 1 if anything changed except text such as labels.
    """
    from inkov import changes
    from inkov.formats.revision import folder_of

    if bool(after) is saved:
        raise typer.BadParameter("name BEFORE and AFTER, or one campus with --saved")
    if saved:
        campus = load_network(Path(before)).campus
        view = changes.drift(changes.as_saved(campus), campus, ("saved", "running"))
    else:
        with folder_of(before, like=after) as one, folder_of(after, like=before) as other:
            shared: Shared = {}
            first, second = (load_network(side, strict=True, shared=shared).campus for side in (one, other))
            many_networks()
            view = changes.drift(first, second, (before, after))
    Run.unread = ()
    from inkov.render.screens.drift_text import drift_junit, drift_markdown, drift_text

    if result_format in {DriftFormat.MD, DriftFormat.JUNIT}:
        put(drift_markdown(view) if result_format is DriftFormat.MD else drift_junit(view), output)
    else:
        emit("drift", result_format, output, view, drift_text)
    if any(not c.silent for c in view.changes):
        raise typer.Exit(Exit.FOUND)


def _site_alone(options: Mapping[str, Any]) -> list[Path]:
    folder = options["change"] is not None and options["change"].is_dir()
    return [] if options["replaced"] or options["added"] or folder else [options["site"]]


@partial(reads_site, answers=_site_alone)
def rehearse(
    site: SiteArgument = Path(),
    change: Annotated[
        Path | None,
        typer.Argument(
            metavar="[CHANGE]",
            help="A change file, as 'inkov schema change' describes it; or a folder of candidate files: each device in it "
            "that differs is a step.",
        ),
    ] = None,
    sets: Annotated[
        list[str] | None,
        typer.Option(
            "--set",
            metavar="'PLACE KEY VALUE'",
            help="Change one setting, such as 'hall:u1 native 990' or 'crane tree.priority 61440'.",
        ),
    ] = None,
    cut: Annotated[
        list[str] | None,
        typer.Option(
            metavar="CABLE", help="Cut a cable. Name one end or both: switch:port, or 'switch:port - switch:port'."
        ),
    ] = None,
    fail: Annotated[list[str] | None, typer.Option(metavar="SWITCH", help="Switch a device off.")] = None,
    plug: Annotated[
        list[str] | None, typer.Option(metavar="PORT", help="Plug a stranger's switch into a host port.")
    ] = None,
    replaced: Annotated[
        list[str] | None,
        typer.Option("--replace", metavar="'SWITCH FILE'", help="Replace a switch by the one in a file."),
    ] = None,
    added: Annotated[list[str] | None, typer.Option("--add", metavar="FILE", help="Add the devices of a file.")] = None,
    cable: Annotated[
        list[str] | None, typer.Option(metavar="'A - B'", help="Connect an added device. Needs --add.")
    ] = None,
    start: Annotated[
        str, typer.Option("--from", metavar="HOST", help="The host of the person who makes the change.")
    ] = "",
    meant: Annotated[
        list[str] | None,
        typer.Option(
            metavar="CLAIM",
            help="What is meant to stop, in the words of a claim, such as 'apart guests printers'. It is counted, and no "
            "reason against the change.",
        ),
    ] = None,
    back: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="Write the change that restores the state before, and try it from the end."),
    ] = None,
    apply: Annotated[
        Path | None,
        typer.Option(metavar="DIR", help="Write a copy of the site with the change into a new folder."),
    ] = None,
    result_format: FormatOption = Format.TEXT,
    output: OutputOption = None,
) -> None:
    """Try a change step by step: what each step does, whether each switch stays reachable, and in which order nothing breaks.

    Exits 1 if the change is not safe in the order it is written in.
    """
    network = load_network(site, strict=True)
    campus = network.campus
    from inkov import changes
    from inkov.formats.ours.change_file import Typed
    from inkov.render.screens.rehearsal_text import rehearsal_text

    many_networks()
    typed = Typed(*(x or [] for x in (sets, replaced, added, cable, plug, cut, fail)))
    plan = changes.planned(campus, change, typed, meant or ())
    plan = plan._replace(start=start or plan.start)
    if not plan.steps:
        raise typer.BadParameter(
            "name a change file, or say what happens with --set, --cut, --fail, --plug and the like"
        )
    if plan.start:
        from inkov.api import end_named

        if end_named(network, plan.start).away:
            raise typer.BadParameter(f"no host and no gateway has the address {plan.start}", param_hint="--from")
    copies = changes.with_steps(site, plan.steps) if apply is not None else None
    view = changes.rehearsed(campus, plan)
    if back is not None:
        text, way = changes.back(campus, plan, view)
        view = replace(view, back=way)
        if text:
            put(text, back)
        else:
            complain(f"no step restores anything; {back.as_posix()} is not written")
    emit("rehearse", result_format, output, view, rehearsal_text)
    if copies is not None and apply is not None:
        _written(copies, apply)
    if view.verdict != "safe":
        raise typer.Exit(Exit.FOUND)


def _written(copies: Copies, folder: Path) -> None:
    from inkov.render.page import plural

    changed = copies.write(folder)
    complain(f"wrote {folder.as_posix()}: {plural(len(changed), 'file')} changed; read back, it is what was tried")


@partial(reads_site, answers=of_site)
def mend(
    site: SiteArgument = Path(),
    only: Annotated[
        list[str] | None,
        typer.Option(
            metavar="RULE",
            help="Cure findings of these rules only. Patterns such as 'native/*' work.",
            autocompletion=complete_rules,
        ),
    ] = None,
    at: Annotated[str, typer.Option(metavar="PLACE", help="Cure findings whose place contains this text only.")] = "",
    apply: Annotated[
        Path | None,
        typer.Option("--apply", metavar="DIR", help="Write a copy of the site with the cures into a new folder."),
    ] = None,
    diff: Annotated[
        bool, typer.Option("--diff", help="Show the changed lines of the files, as a unified diff.")
    ] = False,
    result_format: FormatOption = Format.TEXT,
    output: Annotated[
        Path | None,
        typer.Option(
            "--output",
            "-o",
            metavar="FILE",
            help="Write the cures to a change file for 'inkov rehearse', or the JSON to a file.",
        ),
    ] = None,
) -> None:
    """Find cures that are certain. Each cure is tried, and kept only if its finding disappears and nothing else gets worse.

    --apply and --diff use only cures that can be written into files. Walks, dumps and captures are never edited.

    Exits 1 if findings above tidy remain that a person must decide on.
    """
    from inkov.change.mending import mended
    from inkov.render.page import clean
    from inkov.render.screens.rehearsal_text import mend_text

    copies = None
    if apply is not None or diff:
        from inkov.changes import cured

        view, steps, copies = cured(site, only or (), at)
    else:
        campus = load_network(site, strict=True).campus
        many_networks()
        view, steps, _ = mended(campus, only or (), at)
    as_text = result_format is Format.TEXT
    if output is not None and as_text and steps:
        from inkov.formats.ours.change_writer import written

        put(written(steps, f"cures for {view.campus}"), output)
    elif output is not None and as_text:
        complain(f"no cure is certain; {output.as_posix()} is not written")
    emit("mend", result_format, None if as_text else output, view, mend_text)
    if copies is not None and diff:
        put("\n" + "".join(f"{clean(line)}\n" for line in copies.difference.splitlines()), None)
    if copies is not None and apply is not None:
        _written(copies, apply)
    if any(row.severity != "tidy" for row in view.left):
        raise typer.Exit(Exit.FOUND)
