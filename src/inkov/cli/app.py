"""The command line. Every command: options, one call, one renderer, one exit code.

A command is a function and a line of `COMMANDS`; the module of one is imported when it is run, or when all are listed.
"""

from __future__ import annotations

import contextlib
import gc
import io
import os
import signal
import sys
from collections.abc import Iterator, Mapping
from importlib import import_module
from pathlib import Path
from typing import Annotated, Any

import typer
from typer.core import TyperCommand, TyperGroup

from inkov import __version__
from inkov.cli.options import Run
from inkov.cli.output import Exit, complain
from inkov.cli.plainly import TakesPlainly
from inkov.model.errors import BadInput

COMMANDS = {
    "demo": ("starting:demo", "inkov demo quillfin"),
    "audit": ("auditing:audit", "inkov audit exports --fail-on outage --format sarif -o audit.sarif"),
    "draft": ("auditing:draft", "inkov draft exports -o exports/campus.yaml"),
    "prove": ("proving:prove", "inkov prove quillfin/as-found --claim 'apart tills kiosks'"),
    "recheck": ("proving:recheck", "inkov recheck proofs/card-data-stays-apart.json quillfin/mended"),
    "vlans": ("tables:vlans", "inkov vlans exports --vlan 310-330 --switch 'kelp-*'"),
    "links": ("tables:links", "inkov links exports --vlan 330"),
    "ports": ("tables:ports", "inkov ports exports --switch kelp-hall-1"),
    "gateways": ("tables:gateways", "inkov gateways exports --vlan 340"),
    "flood": ("tables:flood", "inkov flood exports kelp-hall-1:12"),
    "map": ("drawing:map_", "inkov map exports -o campus.svg --vlan 330"),
    "report": ("drawing:report", "inkov report exports -o report.html --since HEAD~7"),
    "sources": ("reading:sources", "inkov sources exports"),
    "convert": ("reading:convert", "inkov convert exports -o ours"),
    "tree": ("tables:tree", "inkov tree exports --vlan 330"),
    "trace": ("proving:trace", "inkov trace quillfin/as-found engineers-desk kelp-hall-1"),
    "drift": ("changing:drift", "inkov drift HEAD~1:exports exports"),
    "rehearse": ("changing:rehearse", "inkov rehearse quillfin/as-found quillfin/changes/natives.yaml"),
    "mend": ("changing:mend", "inkov mend quillfin/as-found -o cure.yaml"),
    "trim": ("planning:trim", "inkov trim exports --style all-except --apply trimmed"),
    "explain": ("starting:explain", "inkov explain native/mismatch"),
    "schema": ("starting:schema", "inkov schema switch -o switch.schema.json"),
}
"""By name: where the function is, below this package, and an example that its help ends with."""


class _Commands(Mapping[str, Any]):
    """The commands by name, each made when it is asked for."""

    def __init__(self) -> None:
        self._made: dict[str, Any] = {}

    def __getitem__(self, name: str) -> Any:  # noqa: ANN401 - the library does not give the type away
        where, example = COMMANDS[name]
        if name not in self._made:
            module, _, function = where.partition(":")
            alone = typer.Typer(add_completion=False)
            called = getattr(import_module(f"inkov.cli.{module}"), function)
            alone.command(name, cls=_Command, epilog=f"Example: {example}")(called)
            self._made[name] = typer.main.get_command(alone)
        return self._made[name]

    def __iter__(self) -> Iterator[str]:
        return iter(COMMANDS)

    def __len__(self) -> int:
        return len(COMMANDS)


class _Command(TakesPlainly, TyperCommand):
    pass


class _Group(TakesPlainly, TyperGroup):
    def __init__(self, **settings: Any) -> None:  # noqa: ANN401 - whatever the library hands on
        super().__init__(**settings)
        self.commands = _Commands()  # type: ignore[assignment]  # it only reads them


app = typer.Typer(
    cls=_Group,
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
        from inkov.cli.starting import look_around

        look_around(context)


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
