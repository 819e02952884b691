"""What each trunk's allowed list should be: what is needed there, what is surplus, missing, and never trimmed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from inkov.forwarding.cabling import Link
from inkov.forwarding.labels import BY_LABEL
from inkov.forwarding.ladder import Lost, Rung
from inkov.forwarding.needs import Side
from inkov.forwarding.network import Network
from inkov.kinds.table import allowed_list, carries_tags, trunk_of, untagged_vlan
from inkov.model.names import PortRef
from inkov.model.switch import Kind
from inkov.model.vlanset import NONE, Vid, VlanSet


@dataclass(frozen=True, slots=True)
class EndPlan:
    """One end of a trunk: what it sends towards the other.

    Attributes:
        end: the port or LAG.
        allowed: its list.
        needed: VLANs with members on both sides, those not allowed included.
        surplus: VLANs in use that it allows for nothing.
        missing: VLANs that are needed and not allowed here.
        protected: VLANs that are not needed and kept: native VLANs, those a policy keeps, and those that
            change into others somewhere, of which no number can be spared for certain.
        wanted: the list to set.
        spared: surplus VLANs that cross the link today, so that trimming saves something.
    """

    end: PortRef
    allowed: VlanSet
    needed: VlanSet
    surplus: VlanSet
    missing: VlanSet
    protected: VlanSet
    wanted: VlanSet
    spared: VlanSet

    @property
    def right(self) -> bool:
        """Nothing is to be set."""
        return not (self.surplus or self.missing)


@dataclass(frozen=True, slots=True)
class LinkPlan:
    """A link and what its lists should be.

    Attributes:
        link: which.
        ends: its ends that have a list; none where there is nothing to advise.
        skipped: why there is nothing to advise; empty when there is.
        stopped: VLANs needed here that something else than a list keeps off.
    """

    link: Link
    ends: tuple[EndPlan, ...]
    skipped: str = ""
    stopped: tuple[Lost, ...] = ()

    @property
    def missing(self) -> VlanSet:
        """VLANs missing at one end at least."""
        found = NONE
        for end in self.ends:
            found |= end.missing
        return found


@dataclass(frozen=True, slots=True)
class Hurt:
    """VLANs that a trunk could spare today and needs once planned switches are there."""

    end: PortRef
    vlans: VlanSet


class Trim:
    """The advice for a whole campus."""

    def __init__(self, network: Network, keep: VlanSet = NONE) -> None:
        self.network = network
        self.keep = keep | network.campus.keep
        self.needs = network.needs
        self.islands = network.islands

    @cached_property
    def links(self) -> list[LinkPlan]:
        """The advice for every link with a list, in natural order; of those that labels alone name, none. Cost is linear in the links."""
        own = {(k.a, k.b): k for k in self.network.links}
        links = (own.get((k.a, k.b), k) for k in self.network.followed.links)
        return [plan for link in links if (plan := self._link(link)) is not None]

    def _link(self, link: Link) -> LinkPlan | None:
        """Returns the advice for a link; None for one without any list."""
        network = self.network
        ends = [e for e in (link.a, link.b) if trunk_of(network.settled(e).switching)]
        if not ends:
            return None
        if reason := self._no_advice(link):
            return LinkPlan(link, (), reason)
        needed = VlanSet.from_mask(self.needs.needed(link))
        natives = VlanSet(n for e in ends if (n := untagged_vlan(network.settled(e).switching)) is not None)
        stopped = tuple(
            loss
            for loss in (network.ladder(link).lost if network.joined(link) else ())
            if loss.vlans & needed and loss.rung is not Rung.LISTED and not loss.rung.by_design
        )
        return LinkPlan(link, tuple(self._end(link, e, needed, natives) for e in ends), "", stopped)

    def _no_advice(self, link: Link) -> str:
        network = self.network
        if not link.up:
            return "the link is down"
        if link.doubt:
            return link.doubt
        if link.inferred:
            return BY_LABEL
        for end in (link.a, link.b):
            kind, formed = network.switches[end.switch].kind, network.formed(end)
            if kind is Kind.UNMANAGED:
                return f"what is behind the unmanaged device {end.switch} is not known"
            if not formed.sure:
                return f"whether {end} becomes a trunk is not known"
            if kind is Kind.SWITCH and not carries_tags(formed.usual):
                return f"{end} is no trunk"
        return ""

    def _end(self, link: Link, end: PortRef, needed: VlanSet, natives: VlanSet) -> EndPlan:
        network = self.network
        allowed = allowed_list(network.settled(end).switching)
        listed = allowed & VlanSet.from_mask(network.used)
        let_out = VlanSet.from_mask(self.needs.let_out(link))
        ways = VlanSet.from_mask(self.needs.ever_needed(link))  # redundancy that was paid for, if it takes two failures
        protected = listed & (natives | self.keep | VlanSet(self.needs.mixed) | let_out | ways) - needed
        surplus = listed - needed - protected
        crossing = network.ladder(link).carried if network.joined(link) else VlanSet.from_mask(network.relay(end).sends)
        return EndPlan(
            end, allowed, needed, surplus, needed - allowed, protected, needed | protected, surplus & crossing
        )

    @cached_property
    def lists(self) -> Mapping[PortRef, VlanSet]:
        """The lists to set, of the ports where something is to be set."""
        return {e.end: e.wanted for plan in self.links for e in plan.ends if not e.right}

    def cut_off(self, vid: Vid, sides: list[Side]) -> int:
        """Returns how many member ports a missing VLAN costs now: those that do not reach the fullest side of its link."""
        if vid not in self.islands.split or not sides:
            return 0
        island = self.islands.numbered(vid)
        main = island.get(sides[0].members[0][0])
        return sum(n for side in sides[1:] for name, n in side.members if island.get(name) != main)

    def hurt(self, grown: Trim) -> list[Hurt]:
        """Returns what trimming to today's needs would cost once a campus has grown."""
        later = {e.end: e for plan in grown.links for e in plan.ends}
        found = []
        for plan in self.links:
            for end in plan.ends:
                then = later.get(end.end)
                if then is not None and (lost := end.surplus & then.needed):
                    found.append(Hurt(end.end, lost))
        return found
