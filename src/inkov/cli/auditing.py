"""The command that finds what is wrong, and the one that drafts a first campus file."""

from __future__ import annotations

import datetime as dt
import os
from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from inkov.cli.options import OutputOption, Run, SiteArgument, complete_rules, load_network, of_site, reads_site
from inkov.cli.output import Exit, Format, complain, emit, put
from inkov.model.errors import BadInput, Problem, nearest
from inkov.model.source import Source
from inkov.render import renderers

if TYPE_CHECKING:
    from inkov.rules.choice import Choice
    from inkov.views.findings import AuditView


class FailOn(StrEnum):
    """Severities that `audit --fail-on` takes."""

    BREACH = "breach"
    OUTAGE = "outage"
    RISK = "risk"
    TIDY = "tidy"


_PAGE = tuple(f.value for f in Format)
AuditFormat = StrEnum("AuditFormat", [(name.upper(), name) for name in (*_PAGE, *renderers.NAMES)])  # type: ignore[misc]  # as many as there are
"""How findings are written: for people, for programs, spreadsheets, wikis, code hosts and pipelines."""


@partial(reads_site, answers=of_site)
def audit(
    site: SiteArgument = Path(),
    fail_on: Annotated[
        FailOn, typer.Option(help="Exit 1 if there are findings of this severity or worse.")
    ] = FailOn.RISK,
    only: Annotated[
        list[str] | None,
        typer.Option(
            metavar="RULE",
            help="Run these rules only. Patterns such as 'native/*' work.",
            autocompletion=complete_rules,
        ),
    ] = None,
    skip: Annotated[
        list[str] | None,
        typer.Option(
            metavar="RULE", help="Skip these rules. Patterns work; repeatable.", autocompletion=complete_rules
        ),
    ] = None,
    severity: Annotated[
        list[str] | None,
        typer.Option(metavar="RULE=LEVEL", help="Give rules another severity: breach, outage, risk, tidy or off."),
    ] = None,
    baseline: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Report only findings that are not in this baseline.")
    ] = None,
    write_baseline: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Write today's findings to a baseline file, and report them.")
    ] = None,
    result_format: Annotated[
        AuditFormat, typer.Option("--format", help="Text is for people, the other formats are for programs.")
    ] = AuditFormat("text"),
    full: Annotated[
        bool, typer.Option("--full", help="Show all evidence, and all findings that follow from a cause (text only).")
    ] = False,
    output: OutputOption = None,
) -> None:
    """Find what is wrong. Findings are grouped by cause, worst first; the head names the claims that are broken.

    A broken 'apart' counts as a breach for --fail-on, any other broken claim as an outage; not with --only or --baseline.
    """
    from inkov import api
    from inkov.rules.choice import Choice

    known: frozenset[str] = frozenset()
    if baseline is not None:
        from inkov.store.baselines import read_baseline

        known = read_baseline(baseline)
    choice = Choice(
        only=_rules(only, "--only"),
        skip=_rules(skip, "--skip"),
        severities=_severities(severity),
        today=dt.datetime.now(tz=dt.UTC).date(),
        known=known,
    )
    view, broken = report(site, choice, result_format.value, output, fail_on.value, full=full)
    if write_baseline is not None:
        api.write_baseline(view, write_baseline)
        complain(f"wrote {write_baseline.as_posix()}")
    order = [s.value for s in FailOn]
    worst = {s for s, n in view.counts.items() if n}
    if not (only or baseline):  # else the exit code answers what was asked: some findings, or new ones
        worst |= broken
    if any(order.index(s) <= order.index(fail_on.value) for s in worst):
        raise typer.Exit(Exit.FOUND)


def _rules(patterns: list[str] | None, option: str) -> tuple[str, ...]:
    """Returns patterns of rules, each of which fits some rule."""
    from inkov.rules.catalogue import RULES
    from inkov.rules.settings import fits_any

    wrong = [p for p in patterns or () if not fits_any(p, RULES)]
    if wrong:
        raise BadInput(Problem(Source(option), f"no rule matches {p!r}{nearest(p, RULES)}") for p in wrong)
    return tuple(patterns or ())


def _severities(said: list[str] | None) -> dict[str, str]:
    levels = [*(s.value for s in FailOn), "off"]
    made: dict[str, str] = {}
    for text in said or ():
        rule, _, level = text.partition("=")
        _rules([rule], "--severity")
        if level not in levels:
            problem = f"{text!r} is not understood; expected RULE=LEVEL with one of {', '.join(levels)}"
            raise BadInput([Problem(Source("--severity"), problem)])
        made[rule] = level
    return made


def report(
    site: Path,
    choice: Choice,
    result_format: str,
    output: Path | None,
    fail_on: str = "risk",
    *,
    full: bool = False,
) -> tuple[AuditView, set[str]]:
    """Runs an audit, writes what it found, and returns it with how bad it is that claims are broken."""
    network = load_network(site)
    from inkov.render.screens.audit_text import audit_text
    from inkov.rules.catalogue import audited as run
    from inkov.views.findings import audit_view

    found = run(network, choice, catches="INKOV_DEBUG" not in os.environ)
    for rule, error in found.failed:
        complain(f"inkov: this is a bug of Inkov, not of your files: rule {rule} failed: {error}; please report it")
    Run.failed = bool(found.failed)
    view = audit_view(network, found.findings, len(found.waived), found.known, [c.name for c in found.broken])
    if result_format in _PAGE:
        emit("audit", result_format, output, view, partial(audit_text, full=full))
        return view, found.levels
    from inkov import api

    order = [s.value for s in FailOn]
    fails = {s for s in order if order.index(s) <= order.index(fail_on)}
    audited = renderers.Audited(view, found.ran, api.lines_of(network.campus), fails.__contains__)
    put(renderers.rendered(result_format, audited), output)
    return view, found.levels


@partial(reads_site, answers=of_site)
def draft(
    site: SiteArgument = Path(),
    output: OutputOption = None,
) -> None:
    """Write a first campus file from the switch files: cables, segments, and claims that hold today.

    What was guessed or looks doubtful is marked with a question mark. A file that is there is left alone.
    """
    network = load_network(site)
    from inkov import api

    put(api.draft(network), output)
