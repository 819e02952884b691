"""Options that commands share, and what they select."""

from __future__ import annotations

import fnmatch
import functools
import inspect
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.output import Format
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.source import Source
from inkov.model.vlanset import VlanSet, VlanTextError

if TYPE_CHECKING:
    from inkov.forwarding.network import Network

SiteArgument = Annotated[Path, typer.Argument(metavar="SITE", help="A folder, a campus file or one switch file.")]
FormatOption = Annotated[Format, typer.Option("--format", help="Text for people, JSON for programs.")]
OutputOption = Annotated[
    Path | None, typer.Option("-o", "--output", metavar="FILE", help="Write there instead of to the screen.")
]
SwitchOption = Annotated[
    list[str] | None,
    typer.Option("--switch", metavar="NAME", help="Only these switches; patterns such as 'kelp-*' work; repeatable."),
]
VlanOption = Annotated[
    str | None, typer.Option("--vlan", metavar="LIST", help="Only these VLANs, such as 310-330,305.")
]


_MAX_NOTES = 8


class Caching:
    """Whether a run uses what earlier runs read."""

    on = True


NoCacheOption = Annotated[
    bool, typer.Option("--no-cache", help="Read every file anew, and keep nothing of what was read.")
]


def reads_site(command: Callable[..., None]) -> Callable[..., None]:
    """Gives a command that reads a site the option to do so without the cache."""

    @functools.wraps(command)
    def run(*args: object, no_cache: bool, **kwargs: object) -> None:
        Caching.on = not no_cache
        command(*args, **kwargs)

    own = inspect.signature(command, eval_str=True)
    option = inspect.Parameter("no_cache", inspect.Parameter.KEYWORD_ONLY, default=False, annotation=NoCacheOption)
    run.__signature__ = own.replace(parameters=[*own.parameters.values(), option])  # type: ignore[attr-defined]  # as inspect reads it
    run.__annotations__ = {**command.__annotations__, "no_cache": NoCacheOption}
    return run


def cache_folder() -> Path | None:
    """Returns the user's folder for what runs have read; None when it is not to be used."""
    if not Caching.on:
        return None
    from platformdirs import user_cache_path

    return user_cache_path("inkov", appauthor=False) / "read"


def load_network(site: Path, more: Sequence[Path] = ()) -> Network:
    """Reads a site, and further switch files with it; notes of the readers go to stderr."""
    from inkov import api
    from inkov.cli.output import Progress, complain

    campus = api.load(site, Progress(), more, cache_folder())
    for note in campus.notes[:_MAX_NOTES]:
        complain(f"note: {note}")
    if len(campus.notes) > _MAX_NOTES:
        complain(f"note: and {len(campus.notes) - _MAX_NOTES} more notes like these")
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
        matches = fnmatch.filter(network.switches, pattern)
        if not matches:
            hint = nearest(pattern, network.switches)
            problems.append(Problem(Source("--switch"), f"no switch matches {pattern!r}{hint}"))
        found.update(matches)
    if problems:
        raise BadInput(problems)
    return frozenset(found)


def chosen_vlans(text: str | None, option: str = "--vlan") -> VlanSet | None:
    """Returns the VLANs of an option; None for no choice.

    Raises:
        BadInput: the text is no VLAN list.
    """
    try:
        return None if text is None else VlanSet.parse(text)
    except VlanTextError as exc:
        raise BadInput([Problem(Source(option), str(exc))]) from None
