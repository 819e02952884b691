"""All rules, and the audit that runs them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from importlib import import_module

from inkov.forwarding.network import Network
from inkov.rules.choice import Choice, identity, waive
from inkov.rules.finding import Finding, grouped
from inkov.rules.registry import RULES, Facts

THEMES = tuple(
    import_module(f"inkov.rules.{name}")
    for name in (
        "access",
        "address",
        "edge",
        "gateway",
        "host",
        "label",
        "lag",
        "lists",
        "native",
        "neighbour",
        "plan",
        "private",
        "prune",
        "ring",
        "saved",
        "segment",
        "spare",
        "stance",
        "sync",
        "tags",
        "tree",
        "trunk",
        "vlan",
        "voice",
    )
)
"""The modules that declare rules; a test compares this with the folder."""

__all__ = ["RULES", "THEMES", "Audited", "Choice", "audit", "audited"]


def audit(network: Network, choice: Choice | None = None) -> tuple[Finding, ...]:
    """Runs rules over a campus, and returns what `audited` found."""
    return audited(network, choice).findings


@dataclass(frozen=True, slots=True)
class Audited:
    """What an audit found.

    Attributes:
        findings: worst first, those with a common cause folded into one.
        waived: findings that a waiver covers.
        known: how many findings were known before.
        ran: the rules that ran.
    """

    findings: tuple[Finding, ...]
    waived: tuple[Finding, ...] = ()
    known: int = 0
    ran: tuple[str, ...] = ()


def audited(network: Network, choice: Choice | None = None) -> Audited:
    """Runs rules over a campus.

    Args:
        network: the campus with its forwarding.
        choice: what to report; all rules without one. Severities of the campus file come before those of the choice.
    """
    choice = choice or Choice()
    choice = replace(choice, severities={**network.campus.severities, **choice.severities})
    facts = Facts(network)
    ran = [rule for rule in RULES.values() if choice.runs(rule.name)]
    found = [choice.weighed(finding) for rule in ran for finding in rule.check(facts)]
    stand, waived, about = waive(found, network.campus.waivers, choice.today)
    stand += [choice.weighed(f) for f in about if choice.runs(f.rule)]
    new = [f for f in stand if identity(f) not in choice.known]
    return Audited(grouped(new), tuple(waived), len(stand) - len(new), tuple(rule.name for rule in ran))
