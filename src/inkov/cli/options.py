"""Options that commands share, and what they select."""

from __future__ import annotations

import datetime as dt
import functools
import gc
import inspect
import os
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, TypeAlias

import typer

from inkov.cli.output import Format, Said, TableFormat, Working, screen_width
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.identity import devices_matching
from inkov.model.source import Source
from inkov.model.vlanset import VlanSet, VlanTextError
from inkov.store.places import real

if TYPE_CHECKING:
    from inkov.formats.parsed import Shared
    from inkov.forwarding.network import Network
    from inkov.store.answers import Question

SiteArgument = Annotated[Path, typer.Argument(metavar="SITE", help="A folder, a campus file or one switch file.")]
TableFormatOption = Annotated[
    TableFormat, typer.Option("--format", help="Text is for people, the other formats are for programs and pages.")
]
FormatOption = Annotated[Format, typer.Option("--format", help="Text is for people, JSON is for programs.")]
OutputOption = Annotated[
    Path | None, typer.Option("-o", "--output", metavar="FILE", help="Write to FILE, not to the screen.")
]


def _names(kind: str) -> list[str]:
    """Returns what a shell completes: names of the site that was typed, or of the current folder; nothing where it fails."""
    from inkov import api

    typed = os.environ.get("COMP_WORDS") or os.environ.get("_TYPER_COMPLETE_ARGS") or ""
    site = next((word for word in typed.split()[2:] if not word.startswith("-") and Path(word).exists()), "")
    try:
        campus = api.load(site, cache=cache_folder(), strict=False)
    except (BadInput, OSError):
        return []
    vlans = {e.name for s in campus.switches.values() for e in (s.vlans or {}).values() if e.name}
    names = {
        "switches": list(campus.switches),
        "vlans": sorted({*vlans, *campus.segments}),
        "segments": list(campus.segments),
        "claims": [c.name for c in campus.claims],
    }
    return names[kind]


def completes(kind: str) -> Callable[[str], list[str]]:
    """Returns what completes names of a kind: switches, VLANs, segments or claims of the site that was typed."""
    return lambda incomplete: [n for n in _names(kind) if n.startswith(incomplete)]


def complete_rules(incomplete: str) -> list[str]:
    """Returns the rules whose names begin with what was typed."""
    from inkov.rules.catalogue import RULES

    return [name for name in RULES if name.startswith(incomplete)]


SwitchOption = Annotated[
    list[str] | None,
    typer.Option(
        "--switch",
        metavar="NAME",
        help="Show these switches only. Patterns such as 'kelp-*' work; repeatable.",
        autocompletion=completes("switches"),
    ),
]
VlanOption = Annotated[
    str | None,
    typer.Option(
        "--vlan",
        metavar="LIST",
        help="Show these VLANs only: numbers such as 310-330,305, or names.",
        autocompletion=completes("vlans"),
    ),
]


_MAX_NOTES = 3


class Run:
    """How this run reads sites, and what it could not read."""

    caches = True
    all_files = False
    allow_outside = False
    verbose = False
    unread: tuple[Problem, ...] = ()
    failed = False
    read: tuple[Path, ...] = ()
    started = time.monotonic()


NoCacheOption = Annotated[
    bool, typer.Option("--no-cache", help="Do not use the cache: read each file again, and keep nothing.")
]
AllFilesOption = Annotated[
    bool,
    typer.Option("--all-files", help="Stop at the first file that cannot be read, instead of going on without it."),
]


OutsideOption = Annotated[
    bool, typer.Option("--allow-outside", help="Also read files that the campus file names outside its folder.")
]
VerboseOption = Annotated[
    bool,
    typer.Option("-v", "--verbose", help="Print every note of the readers: what they guessed and what they skipped."),
]


Folders: TypeAlias = Callable[[Mapping[str, Any]], Sequence[Path]]
"""Returns the folders on whose files alone, beside its options, it hangs what a command says; none where more has a say."""


def of_site(options: Mapping[str, Any]) -> Sequence[Path]:
    """Returns the folder of a command that reads one site."""
    return [options["site"]]


def reads_site(command: Callable[..., None], *, answers: Folders | None = None) -> Callable[..., None]:
    """Gives a command that reads a site the options of how, and ends it with what could not be read.

    Args:
        command: as it is.
        answers: what it says hangs on its options and the files of these folders alone, so that it may be kept.
    """

    @functools.wraps(command)
    def run(
        *args: object, no_cache: bool, allow_outside: bool, all_files: bool, verbose: bool, **kwargs: object
    ) -> None:
        Run.caches, Run.all_files, Run.allow_outside, Run.verbose = not no_cache, all_files, allow_outside, verbose
        wrong: tuple[Problem, ...] = ()
        folders = answers(kwargs) if answers and not args else ()
        ask = functools.partial(_asked, command.__name__, kwargs, folders)
        asked = ask()
        known = asked.find() if asked else None
        if known is not None:
            sys.stderr.write(known.err)
            sys.stdout.write(known.out)
            raise typer.Exit(known.code)
        Said.out, Said.err = ([], []) if asked else (None, None)
        Working.start(command.__name__.strip("_").replace("_", "-"))
        try:
            command(*args, **kwargs)
        except typer.Exit as exc:
            if not Run.unread:
                _keep(asked, ask, exc.exit_code, kwargs.get("budget"))
                raise
        except BadInput as exc:
            wrong = exc.problems
        else:
            _keep(asked, ask, 0, kwargs.get("budget"))
        finally:
            Working.end()
        if Run.unread or wrong:
            sys.stdout.flush()
            raise BadInput([*Run.unread, *wrong])

    added = {
        "no_cache": NoCacheOption,
        "allow_outside": OutsideOption,
        "verbose": VerboseOption,
        "all_files": AllFilesOption,
    }
    return with_options(command, run, {name: (annotation, False) for name, annotation in added.items()})


_SEEN_BY_OUTPUT = ("COLUMNS", "NO_COLOR", "FORCE_COLOR", "TERM", "INKOV_DEBUG")
"""What the environment has a say in; with these the same question is another."""


def _asked(command: str, options: Mapping[str, Any], folders: Sequence[Path]) -> Question | None:
    """Returns what is asked of folders; None where more than their files has a say, or nothing is to be kept."""
    others = [v for k, v in options.items() if k != "site"]
    if not folders or not all(f.is_dir() for f in folders) or any(map(_names_file, others)):
        return None
    if (kept := cache_folder()) is None:
        return None
    from inkov.store.answers import question

    about = (
        command,
        sorted((k, str(v)) for k, v in options.items()),
        (Run.all_files, Run.allow_outside, Run.verbose),
        str(Path.cwd()),
        dt.datetime.now(tz=dt.UTC).date().isoformat(),
        [os.environ.get(name) for name in _SEEN_BY_OUTPUT],
        (sys.stdout.isatty(), screen_width(None), sys.stdout.encoding),
    )
    return question(kept, folders, about)


def _names_file(value: object) -> bool:
    return isinstance(value, Path) or (isinstance(value, list | tuple) and any(isinstance(v, Path) for v in value))


def _keep(asked: Question | None, ask: Callable[[], Question | None], code: int, budget: object) -> None:
    """Keeps what this run said, if it took a while, hangs on nothing but what was asked, and no file changed meanwhile.

    What the seconds of a budget cut short is not kept: another run may get further.
    """
    took = time.monotonic() - Run.started
    late = isinstance(budget, int | float) and took >= budget
    if asked is None or Run.unread or Run.failed or late or took < _WORTH_KEEPING:
        return
    from inkov.store.answers import Answer

    others = {real(p) for p in set(Run.read) - asked.files}
    if (not others or others <= {real(p) for p in asked.files}) and ask() == asked:
        asked.keep(Answer("".join(Said.out or ()), "".join(Said.err or ()), code))


_WORTH_KEEPING = 0.5
"""Seconds that a run takes at least for its answer to be kept."""


def with_options(
    command: Callable[..., None], run: Callable[..., None], added: Mapping[str, tuple[object, object]]
) -> Callable[..., None]:
    """Gives a command further options, for whoever reads its signature.

    Args:
        command: as it is.
        run: what is called in its place, with the further options by name.
        added: name to annotation and default.
    """
    own = inspect.signature(command, eval_str=True)
    options = [
        inspect.Parameter(name, inspect.Parameter.KEYWORD_ONLY, default=default, annotation=annotation)
        for name, (annotation, default) in added.items()
    ]
    run.__signature__ = own.replace(parameters=[*own.parameters.values(), *options])  # type: ignore[attr-defined]  # as inspect reads it
    run.__annotations__ = {**command.__annotations__, **{name: annotation for name, (annotation, _) in added.items()}}
    return run


def cache_folder() -> Path | None:
    """Returns the user's folder for what runs have read; None when it is not to be used."""
    if not Run.caches:
        return None
    from platformdirs import user_cache_path

    return user_cache_path("inkov", appauthor=False) / "read"


def many_networks() -> None:
    """Has memory reclaimed in a command that makes many networks, whose parts hold each other; what is there is left alone."""
    gc.freeze()
    gc.enable()


def load_network(
    site: Path, more: Sequence[Path] = (), *, strict: bool = False, shared: Shared | None = None
) -> Network:
    """Reads a site, and further switch files with it; notes of the readers go to stderr.

    Args:
        site: the folder or file.
        more: further switch files.
        strict: the command needs every file; it does not go on without one.
        shared: what the command read of other sites.
    """
    from inkov import api
    from inkov.cli.output import Progress, Said, complain

    campus = api.load(
        site,
        Progress(),
        more,
        cache_folder(),
        strict=strict or Run.all_files,
        allow_outside=Run.allow_outside,
        shared=shared,
    )
    Run.unread = campus.unread
    Said.read = Run.read = (*Run.read, *map(Path, campus.files.values()))
    shown = campus.notes if Run.verbose or len(campus.notes) <= _MAX_NOTES else campus.notes[: _MAX_NOTES - 1]
    for note in shown:
        complain(f"note: {note}")
    if left := len(campus.notes) - len(shown):
        complain(f"note: and {left} more on what was read; --verbose tells all")
    return api.network(campus)


def chosen_switches(network: Network, patterns: list[str] | None) -> frozenset[str] | None:
    """Returns the switches that match any pattern; None for no choice.

    Raises:
        BadInput: a pattern matches none.
    """
    if not patterns:
        return None
    found: set[str] = set()
    problems: list[Problem] = []
    for pattern in patterns:
        matches = devices_matching(pattern, network.switches)
        if not matches:
            hint = nearest(pattern, network.switches)
            problems.append(Problem(Source("--switch"), f"no switch matches {pattern!r}{hint}"))
        found.update(matches)
    if problems:
        raise BadInput(problems)
    return frozenset(found)


def chosen_vlans(network: Network, text: str | None, option: str = "--vlan") -> VlanSet | None:
    """Returns the VLANs of an option: numbers, names of VLANs, or names of segments; None for no choice.

    Raises:
        BadInput: the text is no VLAN list, and no such name.
    """
    if text is None:
        return None
    try:
        return VlanSet.parse(text)
    except VlanTextError as exc:
        from inkov.proof.stations import UnknownSegment, segment_named

        made = VlanSet()
        for word in text.split(","):
            try:
                made |= (
                    VlanSet.parse(word) if word.strip()[:1].isdigit() else segment_named(network, word.strip()).vlans
                )
            except UnknownSegment:
                hint = nearest(word.strip(), {e.name for table, _ in network.tables for e in table.values() if e.name})
                what = str(exc) if word.strip()[:1].isdigit() else f"there is no VLAN {word.strip()!r}{hint}"
                raise BadInput([Problem(Source(option), what)]) from None
            except VlanTextError as wrong:
                raise BadInput([Problem(Source(option), str(wrong))]) from None
        return made
