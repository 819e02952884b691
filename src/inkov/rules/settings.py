"""What a campus wants of rules: severities and options, checked against the rules there are."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from inkov.model.campus import Campus, RuleSetting
from inkov.model.errors import BadInput, Problem, nearest
from inkov.rules.choice import fits
from inkov.rules.registry import Rule


def resolved(campus: Campus, rules: Mapping[str, Rule]) -> tuple[dict[str, str], dict[tuple[str, str], int]]:
    """Returns what the campus file says of rules.

    Returns:
        Pattern of rules to severity, and (rule, option) to its value.

    Raises:
        BadInput: a setting or a waiver fits no rule, or an option is none or out of its bounds; all at once.
    """
    named = [(said.rule, said.source) for said in campus.settings] + [(w.rule, w.source) for w in campus.waivers]
    none = {name for name in {n for n, _ in named} if not fits_any(name, rules)}
    problems = [Problem(s, f"no rule matches {name!r}{nearest(name, rules)}") for name, s in named if name in none]
    options: dict[tuple[str, str], int] = {}
    for setting in campus.settings:
        problems += _problems(setting, rules)
        options |= {(r, o): v for r in rules if fits(r, [setting.rule]) for o, v in setting.options.items()}
    if problems:
        raise BadInput(problems)
    return {s.rule: s.severity for s in campus.settings if s.severity}, options


def fits_any(pattern: str, rules: Mapping[str, Rule]) -> bool:
    """Tells whether a pattern fits any rule."""
    return any(fits(name, [pattern]) for name in rules)


def _problems(setting: RuleSetting, rules: Mapping[str, Rule]) -> Iterator[Problem]:
    meant = {o.name: o for name in rules if fits(name, [setting.rule]) for o in rules[name].options}
    for name, value in setting.options.items():
        if name not in meant:
            has = f"it has {', '.join(meant)}" if meant else "it has none"
            yield Problem(
                setting.source, f"{setting.rule} has no option {name!r}; {has}{nearest(name, meant, listed=0)}"
            )
        elif not meant[name].least <= value <= meant[name].most:
            o = meant[name]
            yield Problem(setting.source, f"{name} of {setting.rule} is {value}; expected {o.least} to {o.most}")
