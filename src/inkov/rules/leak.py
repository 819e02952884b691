"""Links at which untagged frames change their VLAN, put into words."""

from __future__ import annotations

from functools import cached_property

from inkov.forwarding.cabling import Link
from inkov.forwarding.hop import Hop
from inkov.model.names import PortRef
from inkov.model.vlanset import NONE, Vid, VlanSet, bits
from inkov.rules.registry import Facts
from inkov.rules.wording import members_of, named


class Leak:
    """What changes at a link.

    Attributes:
        there: (VLAN at end a, VLAN it becomes at end b); None when nothing changes that way.
        back: the same from end b to end a.
    """

    def __init__(self, facts: Facts, link: Link) -> None:
        climbed = facts.network.ladder(link)
        self.facts = facts
        self.link = link
        self.there = _change(climbed.there) if link.up else None
        self.back = _change(climbed.back) if link.up else None

    def __bool__(self) -> bool:
        return self.there is not None or self.back is not None

    @cached_property
    def meets(self) -> bool:
        """It joins two VLANs that both have members: stations that should be apart can meet."""
        network = self.facts.network
        return any(all(network.homes(v) for v in change) for change in (self.there, self.back) if change)

    @property
    def joins(self) -> VlanSet:
        """The VLANs whose stations it lets meet; none where nobody is in one of them."""
        return self.vlans if self.meets else NONE

    @property
    def stations(self) -> tuple[PortRef, ...]:
        """The ports of the stations that it lets meet."""
        return members_of(self.facts.network, self.joins)

    @property
    def vlans(self) -> VlanSet:
        """All VLANs it touches."""
        return VlanSet([v for change in (self.there, self.back) if change for v in change])

    def __str__(self) -> str:
        network, link, there, back = self.facts.network, self.link, self.there, self.back
        change, near, far = (there, link.a, link.b) if there is not None else (back, link.b, link.a)
        if change is None:
            return ""
        first, second = named(network, change[0]), named(network, change[1])
        text = f"Frames of {first} leave {near.switch} untagged and arrive in {second} at {far.switch}"
        if not self.meets:
            empty = " and ".join(named(network, v) for v in change if not network.homes(v))
            return f"{text}. Nobody is in {empty}, so that no stations meet: what crosses here untagged is lost."
        text += "; "
        if there is not None and back == (there[1], there[0]):
            return text + "answers come back the same way. Both directions work: the two segments are one."
        if there is not None and back is not None:
            return text + f"the other way, {named(network, back[0])} arrives in {named(network, back[1])}."
        return text + "nothing comes back that way: one side hears the other and cannot answer."


def _change(hop: Hop) -> tuple[Vid, Vid] | None:
    """Returns (from, to) of the change of untagged frames that a link of known settings makes in a direction."""
    out, into = hop.near.out_untagged, hop.far.in_untagged
    return (next(bits(out)), next(bits(into))) if out and into and out != into else None
