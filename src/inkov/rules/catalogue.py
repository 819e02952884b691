"""All rules, and the audit that runs them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from importlib import import_module
from typing import TYPE_CHECKING

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Claim
from inkov.rules.choice import Choice, fits, identity
from inkov.rules.cures import together
from inkov.rules.finding import Cure, Finding, Severity, grouped
from inkov.rules.impact import impact
from inkov.rules.intent.waiver import waive
from inkov.rules.registry import RULES, Facts
from inkov.rules.settings import resolved

if TYPE_CHECKING:
    from inkov.rules.blame import Blamed

_ROOMS = {
    "themes": "access edge general lag lists native private prune ring spare stance sync tags tree trunk vlan vlan_names voice",
    "routed": "address filter gateway gateway_hosts gateway_subnets host pair route segment",
    "intent": "label neighbour plan platform saved sibling source waiver",
}
THEMES = tuple(import_module(f"inkov.rules.{room}.{name}") for room, names in _ROOMS.items() for name in names.split())
"""The modules that declare rules; a test compares this with the folders."""

__all__ = ["RULES", "THEMES", "Audited", "Choice", "audit", "audited"]


def audit(network: Network, choice: Choice | None = None, *, decides: bool = True) -> tuple[Finding, ...]:
    """Runs rules over a campus, and returns what `audited` found."""
    return audited(network, choice, decides=decides).findings


@dataclass(frozen=True, slots=True)
class Audited:
    """What an audit found.

    Attributes:
        findings: worst first, those with a common cause folded into one.
        waived: findings that a waiver covers.
        known: how many findings were known before.
        ran: the rules that ran.
        failed: rules that ended in an error of their own, each with what it was.
        broken: the claims that are broken; none where there are too many to decide them all.
    """

    findings: tuple[Finding, ...]
    waived: tuple[Finding, ...] = ()
    known: int = 0
    ran: tuple[str, ...] = ()
    failed: tuple[tuple[str, str], ...] = ()
    broken: tuple[Claim, ...] = ()

    @property
    def levels(self) -> set[str]:
        """The severities that the broken claims stand for: a breach where what is to be apart is not, else an outage."""
        return {(Severity.BREACH if isinstance(c, Apart) else Severity.OUTAGE).value for c in self.broken}


def audited(network: Network, choice: Choice | None = None, *, catches: bool = False, decides: bool = True) -> Audited:
    """Runs rules over a campus.

    Args:
        network: the campus with its forwarding.
        choice: what to report; all rules without one. Severities of the campus file come before those of the choice.
        catches: a rule that fails is told of in `failed`, and the others run; else its error ends the audit.
        decides: the claims are decided, so that each finding names those it breaks.

    Raises:
        BadInput: the campus file names rules or options that do not exist, or sets an option to what it cannot be.
    """
    choice = choice or Choice()
    campus = network.campus
    severities, options = resolved(campus, RULES)
    choice = replace(choice, severities={**severities, **choice.severities})
    facts = Facts(network, options)
    ran = [rule for rule in RULES.values() if choice.runs(rule.name)]
    # Whether a waiver waives nothing is known only once the rules it is about have run.
    about = list(dict.fromkeys(w.rule for w in campus.waivers)) if any(rule.theme == "waiver" for rule in ran) else []
    run = [rule for rule in RULES.values() if choice.runs(rule.name) or fits(rule.name, about)]
    found: list[Finding] = []
    failed: list[tuple[str, str]] = []
    for rule in run:
        try:
            found += map(choice.weighed, rule.findings(facts))
        except (ArithmeticError, AttributeError, LookupError, TypeError, ValueError) as exc:  # a bug; the others go on
            if not catches:
                raise
            failed.append((rule.name, f"{type(exc).__name__}: {exc}"))
    outcome = waive(found, campus.waivers, choice.today)
    stand, waived, said = ([f for f in some if choice.runs(f.rule)] for some in outcome)
    stand += map(choice.weighed, said)
    broken, places = _blamed(network) if decides and campus.claims else ((), {})
    new = [f for f in map(impact(network, places), stand) if identity(f) not in choice.known]
    names = tuple(rule.name for rule in ran)
    return Audited(grouped(new), tuple(waived), len(stand) - len(new), names, tuple(failed), broken)


def _blamed(network: Network) -> Blamed:
    from inkov.rules.blame import blamed  # noqa: PLC0415 - brings the prover, which takes longer to import than small sites to audit

    return blamed(network)


def cures(network: Network, finding: Finding) -> Iterator[Cure]:
    """Yields what may cure a finding, the likeliest first; nothing for what needs a person's decision."""
    if finding.cure:
        yield together(finding.cure)
    cure = RULES[finding.rule].cure
    if cure is not None:
        yield from map(together, cure(network, finding))
