"""What a newcomer starts with: a look around, the demo, what a rule is about, and the schemas of files."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from inkov.cli.auditing import report
from inkov.cli.options import OutputOption, complete_rules
from inkov.cli.output import Exit, Format, emit, put
from inkov.cli.proving import decide
from inkov.model.errors import BadInput
from inkov.render.documents import DOCUMENTS


def look_around(context: typer.Context) -> None:
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


def demo(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Write the demo into this folder.")] = Path("quillfin"),
) -> None:
    """Write the demo campus, audit it, decide its claims, and suggest what to try next."""
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


def explain(
    rule: Annotated[
        str | None,
        typer.Argument(
            metavar="[RULE]",
            help="A rule such as native/mismatch, or a theme such as native.",
            autocompletion=complete_rules,
        ),
    ] = None,
) -> None:
    """Explain a rule: what it looks for, why it matters, and an example. Without a name, list all rules by theme."""
    from inkov.model.errors import Problem, nearest
    from inkov.model.source import Source
    from inkov.render.screens.rule_text import rule_text, rules_text
    from inkov.rules.catalogue import RULES

    listed = [r for r in RULES.values() if rule is None or r.theme == rule]
    if rule not in RULES and not listed:
        hint = nearest(rule or "", [*RULES, *(r.theme for r in RULES.values())])
        raise BadInput([Problem(Source("explain"), f"there is no rule {rule!r}{hint}")])
    emit("", Format.TEXT, None, rule or "", lambda name: rules_text(listed) if listed else rule_text(RULES[name]))


def schema(
    kind: Annotated[
        str,
        typer.Argument(
            help=f"An input file, or the JSON of a command: {', '.join(DOCUMENTS)}.",
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
