"""Rules as data: the declaration that explanation, documentation, reports and tests all read."""

from __future__ import annotations

import sys
from collections import defaultdict
from collections.abc import Callable, Hashable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

from inkov.forwarding.network import Network
from inkov.model.names import PortRef, stem
from inkov.model.settings import Setting
from inkov.model.switch import Kind, Switch
from inkov.rules.finding import Cure, Evidence, Fault, Finding, Severity


class Facts:
    """What rules are given: the network, what several rules need worked out, and options that are not as usual."""

    def __init__(self, network: Network, options: Mapping[tuple[str, str], int] | None = None) -> None:
        self.network = network.followed
        self._options = options or {}

    @cached_property
    def labelled(self) -> list[tuple[PortRef, PortRef]]:
        """Ports that are cabled by their labels alone: no discovery and no campus file says so."""
        return self.network.inferred

    @cached_property
    def families(self) -> list[list[Switch]]:
        """Groups of switches that ought to be alike: of one role, or without one, of one stem of the name and like ports."""
        groups: dict[Hashable, list[Switch]] = defaultdict(list)
        for switch in self.network.switches.values():
            if switch.kind is Kind.SWITCH and switch.ports:
                layout = frozenset(stem(n) for n, p in switch.ports.items() if not p.is_lag)
                groups[switch.role or (stem(switch.name), layout)].append(switch)
        return [group for group in groups.values() if len(group) > 1]

    def option(self, rule_name: str, name: str) -> int:
        """Returns an option of a rule: what the campus file says, else the usual."""
        usual = next(o.usual for o in RULES[rule_name].options if o.name == name)
        return self._options.get((rule_name, name), usual)


Check = Callable[[Facts], Iterator[Fault]]

Cures = Callable[[Network, Finding], Iterator[Cure]]
"""Yields what may cure a finding; each cure is tried before it is believed."""


@dataclass(frozen=True, slots=True)
class Example:
    """A small campus, as the text of its files.

    Attributes:
        files: file name to content.
        place: for an example that breaks the rule, the place of its one finding.
    """

    files: Mapping[str, str]
    place: str = ""


class Option(NamedTuple):
    """A number that a campus may set for a rule.

    Attributes:
        name: its key in the campus file.
        usual: what it is when nobody sets it.
        least: the smallest it may be.
        most: the largest.
        says: what it is, as a part of a sentence.
    """

    name: str
    usual: int
    least: int
    most: int
    says: str


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule and all there is to say about it.

    Attributes:
        name: theme/word.
        severity: the worst it reports.
        looks_for: what it finds, in one sentence.
        why: why that matters, for someone who has not met it yet.
        mend: what to do about it in general.
        breaks: an example with exactly one finding of this rule.
        passes: the same example put right.
        check: yields the faults.
        options: numbers that a campus may set.
        faults: the kinds of fault it finds, by their number in `FAULTS`.
        cure: yields what may cure a finding, the likeliest first; None where a person must decide.
    """

    name: str
    severity: Severity
    looks_for: str
    why: str
    mend: str
    breaks: Example
    passes: Example
    check: Check
    options: tuple[Option, ...] = ()
    faults: tuple[int, ...] = ()
    cure: Cures | None = None

    def finding(self, fault: Fault) -> Finding:
        """Returns a fault as a finding of this rule."""
        return Finding.of(fault, self.name, self.severity, self.mend)

    def findings(self, facts: Facts) -> Iterator[Finding]:
        """Yields what it finds in a campus; what it finds of a cable that labels alone name says so."""
        labelled = {end for pair in facts.labelled for end in pair}
        for fault in self.check(facts):
            ends = {PortRef(c.holder, c.port) for c in fault.causes if c.port} & labelled
            seen = {e.source for e in fault.evidence}
            said = (_labelled(facts.network, end) for end in sorted(ends, key=lambda e: e.order))
            more = tuple(e for e in said if e.source not in seen)
            yield self.finding(replace(fault, evidence=(*fault.evidence, *more)) if more else fault)

    @property
    def theme(self) -> str:
        """The part of the name before the slash."""
        return self.name.partition("/")[0]

    @property
    def theme_says(self) -> str:
        """What the rules of the theme are about, as the first line of their module has it."""
        return (sys.modules[self.check.__module__].__doc__ or "").partition("\n")[0]


def _labelled(network: Network, end: PortRef) -> Evidence:
    port = network.port(end)
    return Evidence(f"cabled by its label alone: '{port.label}'", port.origin.of(Setting.LABEL))


RULES: dict[str, Rule] = {}
"""All rules by name; filled by `inkov.rules.catalogue`, which imports every theme."""


def rule(
    name: str,
    severity: Severity,
    *,
    looks_for: str,
    why: str,
    mend: str,
    breaks: Example,
    passes: Example,
    options: tuple[Option, ...] = (),
    faults: tuple[int, ...] = (),
    cure: Cures | None = None,
) -> Callable[[Check], Check]:
    """Declares a rule; stands right above the function that checks it."""

    def declare(check: Check) -> Check:
        if name in RULES:
            raise ValueError(f"two rules named {name}")
        RULES[name] = Rule(name, severity, looks_for, why, mend, breaks, passes, check, options, faults, cure)
        return check

    return declare


def switch_text(name: str, vlans: str, ports: str, **more: str) -> str:
    """Writes a small switch file for an example: VLAN table and ports as YAML flow mappings."""
    lines = ["inkov: switch", f"name: {name}", f"vlans: {vlans}", f"ports: {ports}"]
    return "\n".join([*lines, *(f"{key}: {value}" for key, value in more.items())]) + "\n"
