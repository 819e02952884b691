"""All rules as one Markdown page, made from what the rules say of themselves."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from inkov.render.screens.rule_text import option_words
from inkov.rules.faults import FAULTS
from inkov.rules.registry import Example, Rule


def rules_page(rules: Iterable[Rule]) -> str:
    """Returns the page; `docs/rules.md` is a copy of it."""
    listed = sorted(rules, key=lambda r: r.name)
    lines = [
        "# Rules",
        "",
        "Made from the rules themselves by `python scripts/rules_page.py`; `inkov explain RULE` shows the same in a terminal.",
        "",
        "## What goes wrong, and what finds it",
        "",
        "| | what goes wrong | found by |",
        "| --- | --- | --- |",
    ]
    for n, (what, besides) in enumerate(FAULTS, 1):
        found = [f"[{r.name}](#{r.name.replace('/', '')})" for r in listed if n in r.faults]
        lines.append(f"| {n} | {what} | {', '.join([*found, *filter(None, [besides])])} |")
    theme = ""
    for rule in listed:
        if rule.theme != theme:
            theme = rule.theme
            lines += ["", f"## {theme.capitalize()}", "", rule.theme_says]
        lines += ["", *_rule(rule)]
    return "\n".join(lines) + "\n"


def _rule(rule: Rule) -> Iterator[str]:
    yield f"### {rule.name}"
    yield ""
    yield f"*{rule.severity.value} at worst.* {rule.looks_for}"
    yield ""
    yield f"**Why.** {rule.why}"
    yield ""
    yield f"**What to do.** {rule.mend}"
    for option in rule.options:
        yield ""
        yield f"**Option** `{option_words(option).replace(' (', '` (', 1)}"
    yield ""
    yield f"Breaks it, found at `{rule.breaks.place}`:"
    yield from _example(rule.breaks)


def _example(example: Example) -> Iterator[str]:
    for name, content in example.files.items():
        yield ""
        yield f"```yaml\n# {name}\n{content.rstrip()}\n```"
