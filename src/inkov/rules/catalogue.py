"""All rules, and the audit that runs them."""

from __future__ import annotations

from collections.abc import Iterable

from inkov.forwarding.network import Network
from inkov.rules import (
    access,
    address,
    edge,
    gateway,
    host,
    lag,
    lists,
    native,
    neighbour,
    private,
    prune,
    ring,
    segment,
    spare,
    stance,
    sync,
    tags,
    tree,
    trunk,
    vlan,
    voice,
)
from inkov.rules.finding import Finding, grouped
from inkov.rules.registry import RULES, Facts

THEMES = (
    access,
    address,
    edge,
    gateway,
    host,
    lag,
    lists,
    native,
    neighbour,
    private,
    prune,
    ring,
    segment,
    spare,
    stance,
    sync,
    tags,
    tree,
    trunk,
    vlan,
    voice,
)
"""The modules that declare rules; a test compares this with the folder."""

__all__ = ["RULES", "THEMES", "audit"]


def audit(network: Network, only: Iterable[str] | None = None) -> tuple[Finding, ...]:
    """Runs rules over a campus.

    Args:
        network: the campus with its forwarding.
        only: names of the rules to run; all when None.

    Returns:
        Findings, worst first, those with a common cause folded into one.
    """
    facts = Facts(network)
    chosen = RULES.values() if only is None else [RULES[name] for name in only]
    return grouped(finding for rule in chosen for finding in rule.check(facts))
