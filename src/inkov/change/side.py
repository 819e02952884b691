"""One campus of a comparison, with what is asked of it worked out once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

from inkov.change.hearing import Hearing, Plugged, pairs, shifts
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Campus, Claim
from inkov.proof.outcome import Ask, Broken, CannotTell, Outcome, Proved
from inkov.proof.outside import NO_WAY
from inkov.proof.prove import Prover
from inkov.rules.catalogue import audit
from inkov.rules.choice import Choice, identity
from inkov.rules.finding import Finding


@dataclass
class Side:
    """One of the two campuses, with what is asked of both worked out once."""

    campus: Campus
    claims: Sequence[Claim] = ()
    failed: frozenset[str] = frozenset()
    like: Side | None = None
    plugged: Plugged | None = None
    network: Network = field(init=False)

    def __post_init__(self) -> None:
        """Makes its network."""
        self.network = Network(self.campus, self.failed, self.like.network if self.like else None)
        self._prover = Prover(self.network)
        self._outcomes: dict[tuple[Claim, Ask], Outcome] = {}
        self._findings: list[Finding] | None = None
        self._found: dict[str, set[str]] = {}

    def outcome(self, claim: Claim, ask: Ask = Ask.WHOLE) -> Outcome | None:
        """Returns what comes of a claim, as `Prover.decide` does; None where it names what is not here."""
        whole = (claim, Ask.WHOLE) in self._outcomes or not isinstance(claim, Apart)
        key = claim, Ask.WHOLE if whole else ask
        if key not in self._outcomes:
            try:
                outcome = self._prover.decide(claim, ask)
            except LookupError:
                return None
            led_out = self.like is not None and self.like.leads_out
            if (
                led_out
                and isinstance(claim, Apart)
                and isinstance(outcome, CannotTell)
                and outcome.missing == (NO_WAY,)
            ):
                outcome = Proved(("Nothing leads out of the campus any more.",))  # what was cut off takes no proof away
            self._outcomes[key] = outcome
        return self._outcomes[key]

    @property
    def leads_out(self) -> bool:
        """Some route or cable leads out of the campus."""
        return self._prover.layer3.outside.known

    def badness(self, claim: Claim) -> int:
        """Returns how bad the outcome of a claim is, to be compared; one that names what is not here cannot be told."""
        outcome = self.outcome(claim)
        return CannotTell.badness if outcome is None else outcome.badness

    def word(self, claim: Claim) -> str:
        """Returns what comes of a claim in a word, as `word` does; sooner than the outcome is worked out in full."""
        perhaps = self.outcome(claim, Ask.ANY)
        if perhaps is None or isinstance(perhaps, Proved):
            return word(perhaps)
        return (Broken if isinstance(self.outcome(claim, Ask.SURE), Broken) else CannotTell).word

    def worse(self, claim: Claim, than: int) -> bool:
        """Tells whether the outcome of a claim is worse than one that is so bad."""
        if than >= Broken.badness:
            return False
        outcome = self.outcome(claim, Ask.ANY if than == Proved.badness else Ask.SURE)
        return (CannotTell.badness if outcome is None else outcome.badness) > than

    @property
    def findings(self) -> list[Finding]:
        """What an audit finds."""
        if self._findings is None:
            self._findings = list(audit(self.followed, decides=False))
        return self._findings

    def found(self, rule: str) -> set[str]:
        """Returns what the findings of one rule are known by."""
        if rule not in self._found:
            self._found[rule] = {identity(f) for f in audit(self.followed, Choice(only=(rule,)), decides=False)}
        return self._found[rule]

    @cached_property
    def followed(self) -> Network:
        """Its network with the cables that labels alone name."""
        return self.network.followed if self.like is None else self.network.followed_from(self.like.followed)

    @cached_property
    def hearing(self) -> Hearing:
        """Who hears untagged broadcasts of whom."""
        return Hearing(self.followed, self.like.hearing if self.like else None, self.plugged)

    @cached_property
    def parted(self) -> tuple[bool, bool]:
        """Tells whether somebody hears a port who does not on the campus this is like, and whether somebody no longer does."""
        gained = lost = False
        for s in shifts(self.like.hearing, self.hearing) if self.like else ():
            gained, lost = gained or pairs(s.refs, s.gained) > 0, lost or pairs(s.refs, s.lost) > 0
            if gained and lost:
                break
        return gained, lost


def word(outcome: Outcome | None) -> str:
    """Returns an outcome in words; "not here" for a claim that names what is not here."""
    return "not here" if outcome is None else outcome.word
