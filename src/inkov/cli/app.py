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
from collections.abc import Iterator, Mapping, Sequence
from importlib import import_module
from pathlib import Path
from typing import Annotated, Any, NamedTuple

import typer
from typer.core import TyperCommand, TyperGroup

from inkov import __version__
from inkov.cli.options import Run
from inkov.cli.output import Exit, complain
from inkov.cli.plainly import TakesPlainly
from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source


class Named(NamedTuple):
    """A command: the work it serves, where its function is, below this package, and an example that its help ends with."""

    work: str
    where: str
    example: str


_LOOK, _JUDGE, _PROVE, _CHANGE, _HAND, _SOURCES = "Look", "Judge", "Prove", "Change", "Hand over", "Sources"

COMMANDS = {
    "vlans": Named(_LOOK, "tables:vlans", "inkov vlans exports --vlan 310-330 --switch 'kelp-*'"),
    "ports": Named(_LOOK, "tables:ports", "inkov ports exports --switch kelp-hall-1"),
    "links": Named(_LOOK, "tables:links", "inkov links exports --vlan 330"),
    "tree": Named(_LOOK, "tables:tree", "inkov tree exports --vlan 330"),
    "gateways": Named(_LOOK, "tables:gateways", "inkov gateways exports --vlan 340"),
    "flood": Named(_LOOK, "tables:flood", "inkov flood exports kelp-hall-1:12"),
    "trace": Named(_LOOK, "proving:trace", "inkov trace quillfin/as-found engineers-desk kelp-hall-1"),
    "map": Named(_LOOK, "drawing:map_", "inkov map exports -o campus.svg --vlan 330"),
    "audit": Named(_JUDGE, "auditing:audit", "inkov audit exports --fail-on outage --format sarif -o audit.sarif"),
    "explain": Named(_JUDGE, "starting:explain", "inkov explain native/mismatch"),
    "trim": Named(_JUDGE, "planning:trim", "inkov trim exports --style all-but --apply trimmed"),
    "draft": Named(_JUDGE, "auditing:draft", "inkov draft exports -o exports/campus.yaml"),
    "prove": Named(_PROVE, "proving:prove", "inkov prove quillfin/as-found --claim 'apart tills kiosks'"),
    "recheck": Named(_PROVE, "proving:recheck", "inkov recheck proofs/card-data-stays-apart.json quillfin/mended"),
    "drift": Named(_CHANGE, "changing:drift", "inkov drift HEAD~1:exports exports"),
    "history": Named(_CHANGE, "over_time:history", "inkov history exports --last 20"),
    "rehearse": Named(_CHANGE, "changing:rehearse", "inkov rehearse quillfin/as-found quillfin/changes/natives.yaml"),
    "failures": Named(_CHANGE, "over_time:failures", "inkov failures quillfin/mended --cuts"),
    "mend": Named(_CHANGE, "changing:mend", "inkov mend quillfin/as-found -o cure.yaml"),
    "report": Named(_HAND, "drawing:report", "inkov report exports -o report.html --since HEAD~7"),
    "schema": Named(_HAND, "starting:schema", "inkov schema switch -o switch.schema.json"),
    "sources": Named(_SOURCES, "reading:sources", "inkov sources exports"),
    "convert": Named(_SOURCES, "reading:convert", "inkov convert exports -o ours"),
    "demo": Named(_SOURCES, "starting:demo", "inkov demo quillfin"),
}
"""The commands by name, in the order of the help."""

MAY_STAND_ALONE = {"flood": ("site", "port"), "trace": ("site", "a", "b")}
"""Commands whose site may be left out before other arguments: the arguments in order."""

RENAMED = {
    ("drift", "--log"): "'inkov history SITE --last N'",
    ("report", "--log"): "--history",
    ("rehearse", "--all-cuts"): "'inkov failures SITE --cuts'",
    ("rehearse", "--all-fails"): "'inkov failures SITE --fails'",
    ("rehearse", "--all-plugs"): "'inkov failures SITE --plugs'",
    ("", "--strict"): "--all-files",
}
"""What options were called once: by command, or of all that have no such option, and what they are now."""


class _Commands(Mapping[str, Any]):
    """The commands by name, each made when it is asked for."""

    def __init__(self) -> None:
        self._made: dict[str, Any] = {}

    def __getitem__(self, name: str) -> Any:  # noqa: ANN401 - the library does not give the type away
        named = COMMANDS[name]
        if name not in self._made:
            module, _, function = named.where.partition(":")
            alone = typer.Typer(add_completion=False)
            called = getattr(import_module(f"inkov.cli.{module}"), function)
            alone.command(name, cls=_Command, epilog=f"Example: {named.example}", rich_help_panel=named.work)(called)
            self._made[name] = typer.main.get_command(alone)
        return self._made[name]

    def __iter__(self) -> Iterator[str]:
        return iter(COMMANDS)

    def __len__(self) -> int:
        return len(COMMANDS)


class _Command(TakesPlainly, TyperCommand):
    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:  # noqa: ANN401 - Typer's own types are private
        """Parses arguments; an option that was renamed is answered with its new name."""
        own = {name for param in self.get_params(ctx) for name in param.opts}
        for word in args[: args.index("--")] if "--" in args else args:
            option = word.partition("=")[0]
            if option not in own and (now := RENAMED.get((self.name or "", option)) or RENAMED.get(("", option))):
                raise BadInput([Problem(Source(option), f"was renamed; type {now}")])
        rest: list[str] = super().parse_args(ctx, args)
        _move_on(ctx.params, MAY_STAND_ALONE.get(self.name or "", ()))
        return rest


def _move_on(params: dict[str, Any], names: Sequence[str]) -> None:
    """Takes the first argument for what the second is where the last is left out and no such path exists: the site is here."""
    if not names or params[names[-1]] or params[names[0]] == Path() or params[names[0]].exists():
        return
    for later, earlier in zip(reversed(names[1:]), reversed(names[:-1]), strict=True):
        params[later] = str(params[earlier])
    params[names[0]] = Path()


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
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version.")
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
