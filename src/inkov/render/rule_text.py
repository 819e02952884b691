"""A rule explained, and the list of all rules."""

from __future__ import annotations

from collections.abc import Iterable

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from inkov.render.page import SEVERITY_STYLES, badge, labelled, spaced, table, words
from inkov.rules.registry import Example, Rule


def rule_text(rule: Rule) -> RenderableType:
    """Returns what one rule looks for, why, what to do, and an example of each."""
    severity = rule.severity.value
    head = Text.assemble(badge(severity.upper(), SEVERITY_STYLES[severity], 7), (rule.name, "bold"))
    about = labelled([("Looks for", words(rule.looks_for)), ("Why", words(rule.why)), ("What to do", words(rule.mend))])
    return spaced(
        [
            head,
            about,
            _example(f"Breaks it (found at {rule.breaks.place})", rule.breaks),
            _example("Does not", rule.passes),
        ]
    )


def _example(title: str, example: Example) -> RenderableType:
    blocks: list[RenderableType] = [words(title, "bold")]
    for name, content in example.files.items():
        blocks.append(Padding(words(name, "dim"), (0, 0, 0, 2)))
        blocks += [Padding(words(line), (0, 0, 0, 4)) for line in content.splitlines()]
    return Group(*blocks)


def rules_text(rules: Iterable[Rule]) -> RenderableType:
    """Returns all rules by theme."""
    rows = [
        (words(r.name, "bold"), badge(r.severity.value, SEVERITY_STYLES[r.severity.value]), words(r.looks_for))
        for r in sorted(rules, key=lambda r: r.name)
    ]
    return table(("rule", "at worst", "looks for"), rows)
