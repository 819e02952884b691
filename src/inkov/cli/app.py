"""The command line. Every command: options, one call, one renderer, one exit code."""

from __future__ import annotations

import contextlib
import gc
import io
import os
import signal
import sys
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from inkov import __version__
from inkov.cli.auditing import audit, draft, report
from inkov.cli.changing import drift, mend, rehearse
from inkov.cli.drawing import map_
from inkov.cli.drawing import report as hand_over
from inkov.cli.options import (
    FormatOption,
    OutputOption,
    Run,
    SiteArgument,
    SwitchOption,
    TableFormatOption,
    VlanOption,
    chosen_switches,
    chosen_vlans,
    complete_rules,
    load_network,
    reads_site,
)
from inkov.cli.output import Exit, Format, TableFormat, complain, emit, put
from inkov.cli.planning import trim
from inkov.cli.proving import decide, prove, recheck
from inkov.cli.reading import convert, sources
from inkov.cli.tables import flood, gateways, links, ports, vlans
from inkov.model.errors import BadInput
from inkov.render.documents import DOCUMENTS

app = typer.Typer(
    invoke_without_command=True,
    pretty_exceptions_enable=False,
    help="Audits the VLANs of a campus of switches, and proves that segments stay apart.",
    epilog="Exit codes: 0 clean, 1 findings or claims not proved, 2 bad input or usage.",
)


def _version(asked: bool) -> None:
    if asked:
        sys.stdout.write(f"inkov {__version__}\n")
        raise typer.Exit


@app.callback()
def _options(
    context: typer.Context,
    version: Annotated[  # noqa: ARG001 - its callback does it
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version and stop.")
    ] = False,
) -> None:
    """Options that stand before the command; without one, what is here and what to try."""
    if context.invoked_subcommand is None:
        _look_around(context)


def _look_around(context: typer.Context) -> None:
    """Says what the current folder holds and what to try on it; the help where it holds nothing."""
    from inkov.formats.folder import counts
    from inkov.render.page import plural

    found, campus = counts(Path())
    if not found:
        sys.stdout.write(context.get_help() + "\n")
        raise typer.Exit(Exit.BAD_INPUT)
    kinds = ", ".join(f"{n} {name}" for name, n in found.items())
    drafted = "" if campus else "  inkov draft -o campus.yaml   a first campus file: names, cables, claims\n"
    claims = "  inkov prove                  the claims of the campus file\n" if campus else ""
    sys.stdout.write(
        f"{plural(sum(found.values()), 'file')} with switches here ({kinds}), {'a' if campus else 'no'} campus file\n\n"
        f"Try:\n"
        f"  inkov audit                  what is wrong, worst first\n{drafted}{claims}"
        f"  inkov links                  both ends of every link\n"
        f"  inkov vlans                  each VLAN across all switches\n"
        f"  inkov --help                 all commands\n"
    )
    raise typer.Exit


@app.command(epilog="Example: inkov demo quillfin")
def demo(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Where to write it.")] = Path("quillfin"),
) -> None:
    """Write the demo campus, audit it, try its claims, and say what to look at next."""
    from inkov.demo.station import write
    from inkov.rules.choice import Choice

    write(folder)
    as_found = folder / "as-found"
    sys.stdout.write(f"wrote {as_found.as_posix()}, and beside it before, mended and changes\n\n")
    report(as_found, Choice(), Format.TEXT.value, None)
    sys.stdout.write("\n")
    decide(as_found, None, Format.TEXT, None)
    tries = (
        ("links as-found", "both ends of every link, what crosses, what is lost"),
        ("vlans as-found --vlan 340", "one VLAN across all switches"),
        ("tree as-found", "who is root, what is blocked, and why"),
        ("map as-found -o map.svg", "the campus, drawn"),
        ("drift before as-found", "what last night's edits did, and which did what"),
        ("rehearse as-found changes/natives.yaml", "a change that is safe in another order only"),
        ("rehearse mended changes/new-pier.yaml", "one that needs a list first"),
        ("mend as-found -o cure.yaml", "the cures that are certain"),
        ("sources as-found", "six formats, and what each device does not tell"),
        ("report as-found -o report.html", "one page to hand over"),
        ("explain native/mismatch", "what a rule looks for, and why"),
    )
    sys.stdout.write(f"\nTry next, in {folder.as_posix()}:\n")
    sys.stdout.writelines(f"  inkov {command:40}  {what}\n" for command, what in tries)


app.command(epilog="Example: inkov audit exports --fail-on outage --format sarif -o audit.sarif")(
    reads_site(audit, answers=True)
)
app.command(epilog="Example: inkov draft exports -o exports/campus.yaml")(reads_site(draft, answers=True))
app.command(epilog="Example: inkov prove quillfin/as-found --claim 'apart tills kiosks'")(
    reads_site(prove, answers=True)
)
app.command(epilog="Example: inkov recheck proofs/card-data-stays-apart.json quillfin/mended")(reads_site(recheck))


app.command(epilog="Example: inkov vlans exports --vlan 310-330 --switch 'kelp-*'")(vlans)
app.command(epilog="Example: inkov links exports --vlan 330")(links)
app.command(epilog="Example: inkov ports exports --switch kelp-hall")(ports)
app.command(epilog="Example: inkov gateways exports --vlan 340")(gateways)
app.command(epilog="Example: inkov flood exports kelp-hall:12")(flood)


app.command("map", epilog="Example: inkov map exports -o campus.svg --vlan 330")(reads_site(map_))
app.command("report", epilog="Example: inkov report exports -o report.html --since HEAD~7")(reads_site(hand_over))
app.command(epilog="Example: inkov sources exports")(reads_site(sources, answers=True))
app.command(epilog="Example: inkov convert exports -o ours")(reads_site(convert))


@app.command(epilog="Example: inkov tree exports --vlan 330")
@partial(reads_site, answers=True)
def tree(
    site: SiteArgument = Path(),
    switch: SwitchOption = None,
    vlan: VlanOption = None,
    result_format: TableFormatOption = TableFormat.TEXT,
    output: OutputOption = None,
) -> None:
    """Draw the spanning trees: the root, each switch's way to it, and why each blocked port lost."""
    network = load_network(site)
    from inkov.render.row_pages import tree_page
    from inkov.render.tree_text import trees_text
    from inkov.views.trees import trees_view

    view = trees_view(network, chosen_vlans(network, vlan), chosen_switches(network, switch))
    emit("tree", result_format, output, view, trees_text, tree_page)


@app.command(epilog="Example: inkov trace quillfin/as-found till-2 archive-1")
@partial(reads_site, answers=True)
def trace(
    site: Annotated[Path, typer.Argument(metavar="SITE", help="A folder, a campus file or one switch file.")],
    a: Annotated[str, typer.Argument(metavar="A", help="Who sends: a host, switch:port, an IP address, or a switch.")],
    b: Annotated[str, typer.Argument(metavar="B", help="Who should hear it and answer: the same.")],
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


app.command(epilog="Example: inkov drift HEAD~1:exports exports")(reads_site(drift))
app.command(epilog="Example: inkov rehearse quillfin/as-found quillfin/changes/natives.yaml")(reads_site(rehearse))
app.command(epilog="Example: inkov mend quillfin/as-found -o cure.yaml")(reads_site(mend, answers=True))
app.command(epilog="Example: inkov trim exports --style all-except --apply trimmed")(reads_site(trim, answers=True))


@app.command(epilog="Example: inkov explain native/mismatch")
def explain(
    rule: Annotated[
        str | None,
        typer.Argument(metavar="[RULE]", help="Name of a rule, or of a theme.", autocompletion=complete_rules),
    ] = None,
) -> None:
    """Say what a rule looks for, why, and show an example; without a name, list all rules by theme."""
    from inkov.model.errors import Problem, nearest
    from inkov.model.source import Source
    from inkov.render.rule_text import rule_text, rules_text
    from inkov.rules.catalogue import RULES

    listed = [r for r in RULES.values() if rule is None or r.theme == rule]
    if rule not in RULES and not listed:
        hint = nearest(rule or "", [*RULES, *(r.theme for r in RULES.values())])
        raise BadInput([Problem(Source("explain"), f"there is no rule {rule!r}{hint}")])
    emit("", Format.TEXT, None, rule or "", lambda name: rules_text(listed) if listed else rule_text(RULES[name]))


@app.command(epilog="Example: inkov schema switch -o switch.schema.json")
def schema(
    kind: Annotated[
        str,
        typer.Argument(
            help=f"An input file, or what a command writes as JSON: {', '.join(DOCUMENTS)}.",
            autocompletion=lambda: list(DOCUMENTS),
        ),
    ],
    output: OutputOption = None,
) -> None:
    """Print the JSON Schema of an input file or of a command's JSON output."""
    from inkov.model.errors import Problem, nearest
    from inkov.model.source import Source
    from inkov.render.jsondoc import schema as made
    from inkov.render.jsondoc import to_json

    if kind not in DOCUMENTS:
        raise BadInput([Problem(Source("schema"), f"there is no document {kind!r}{nearest(kind, DOCUMENTS)}")])
    put(to_json(made(kind)), output)


def main() -> None:
    """Runs the command line, and ends at once: taking a large campus apart object by object costs a tenth of a run."""
    _safe_streams()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _interrupt)
    code = _run()
    if Run.failed:
        code = Exit.BUG
    try:
        sys.stdout.flush()
    except OSError as exc:
        if not isinstance(exc, BrokenPipeError):
            complain(f"inkov: the output cannot be written: {exc.strerror or 'error'}")
            code = Exit.BAD_INPUT
    with contextlib.suppress(OSError):
        sys.stderr.flush()
    os._exit(code)


class Interrupted(BaseException):
    """Somebody wants the run to end; no part of it may take that for an error of its own."""


def _interrupt(number: int, _: object) -> None:
    raise Interrupted(number)


def _safe_streams() -> None:
    """Makes streams that are closed go nowhere, and those that cannot show a character show its number."""
    for name in ("stdout", "stderr"):
        if getattr(sys, name) is None:
            setattr(sys, name, Path(os.devnull).open("w", encoding="utf-8"))  # noqa: SIM115 - for as long as the run lasts
        stream = getattr(sys, name)
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")


def _run() -> int:
    """Runs the command line; the only place that turns errors into words and exit codes."""
    gc.disable()  # a run is short and makes no cycles to speak of; looking for some costs a quarter of the time
    try:
        app()
    except SystemExit as exc:
        return exc.code if isinstance(exc.code, int) else Exit.CLEAN
    except BadInput as exc:
        complain(str(exc))
        return Exit.BAD_INPUT
    except Interrupted as exc:
        return 128 + int(exc.args[0])
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    except OSError as exc:
        complain(f"inkov: {exc.filename or 'the output'} cannot be read or written: {exc.strerror or 'error'}")
        return Exit.BAD_INPUT
    except MemoryError:
        complain("inkov: there is not enough memory for these files")
        return Exit.BAD_INPUT
    except Exception as exc:
        if "INKOV_DEBUG" in os.environ:
            raise
        at = " ".join(sys.argv[1:3])
        complain(f"inkov: this is a bug of Inkov, not of your files: {type(exc).__name__}: {exc} (at {at})")
        complain("inkov: please report it; INKOV_DEBUG=1 shows where it happened")
        return Exit.BUG
    return Exit.CLEAN
