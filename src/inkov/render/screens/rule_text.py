"""A rule explained, and the list of all rules."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import groupby

from inkov.render.page import SEVERITY_STYLES, badge, labelled, spaced, table, words
from inkov.render.text import Block, Stack, Text
from inkov.rules.registry import Example, Option, Rule

_NAME = 24


def rule_text(rule: Rule) -> Block:
    """Returns what one rule looks for, why, what to do, and an example of each."""
    severity = rule.severity.value
    head = Text.assemble(badge(severity.upper(), SEVERITY_STYLES[severity], 7), (rule.name, "bold"))
    about = labelled(
        [
            ("Looks for", words(rule.looks_for)),
            ("Why", words(rule.why)),
            ("What to do", words(rule.mend)),
            *(("Option", words(option_words(o))) for o in rule.options),
        ]
    )
    return spaced(
        [
            head,
            about,
            _example(f"Breaks it (found at {rule.breaks.place})", rule.breaks),
            _example("Does not", rule.passes),
        ]
    )


def _example(title: str, example: Example) -> Block:
    blocks: list[Block] = [words(title, "bold")]
    for name, content in example.files.items():
        blocks.append(Stack(words(name, "dim"), indent=2))
        blocks += [Stack(words(line), indent=4) for line in content.splitlines()]
    return Stack(*blocks)


def option_words(option: Option) -> str:
    """Returns an option of a rule in one line."""
    return f"{option.name} (usually {option.usual}; {option.least} to {option.most}): {option.says}"


def rules_text(rules: Iterable[Rule]) -> Block:
    """Returns rules by theme, each theme with what it is about."""
    listed = sorted(rules, key=lambda r: r.name)
    blocks: list[Block] = []
    for _, group in groupby(listed, key=lambda r: r.theme):
        same = list(group)
        rows = [
            (
                words(f"  {r.name}".ljust(_NAME), "bold"),
                badge(r.severity.value.upper(), SEVERITY_STYLES[r.severity.value], 7),
                words(r.looks_for),
            )
            for r in same
        ]
        made = table(("", "", ""), rows, whole=(0, 1))
        blocks.append(Stack(words(same[0].theme_says, "bold"), made))
    return spaced(
        [*blocks, words("inkov explain RULE   tells why it matters, what to do, and shows an example", "dim")]
    )
