"""Sync groups: which VLAN table each switch will have once all have heard of the newest.

Authors and followers that are joined by working trunks, have the same group and the same secret, take over
the table with the highest generation. Relays and switches that are off keep their own; relays pass news on.
What the group does not spread stays local to each switch.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from inkov.forwarding.cabling import Link, components
from inkov.forwarding.plant import Plant
from inkov.kinds.table import carries_tags
from inkov.model.campus import Campus
from inkov.model.names import natural
from inkov.model.switch import Switch, Vlan, VlanType
from inkov.model.tree import Sync, SyncRole
from inkov.model.vlanset import Vid, VlanSet

Table = Mapping[Vid, Vlan]


@dataclass(frozen=True, slots=True)
class Circle:
    """Switches that share one table, or would if they were joined.

    Attributes:
        group: name of their group.
        members: authors and followers, in natural order.
        newest: the member whose table all take over; None when it is not known.
        unknown: why it is not known; empty when it is.
    """

    group: str
    members: tuple[str, ...]
    newest: str | None
    unknown: str = ""


class Syncing:
    """The sync groups of a campus."""

    def __init__(self, plant: Plant) -> None:
        self.plant = plant

    def sync(self, switch: str) -> Sync | None:
        """Returns how a switch shares its table; None when it does not."""
        return self.plant.switches[switch].sync

    def works(self, link: Link) -> bool:
        """Tells whether news of tables cross a link: it is a trunk at both ends."""
        plant = self.plant
        if not link.up or link.doubt or plant.lag_failure(link):
            return False
        return all(carries_tags(plant.settled(e)) for e in (link.a, link.b))

    def passes_on(self, switch: str) -> bool:
        """Tells whether a switch hears of tables and passes them on."""
        sync = self.sync(switch)
        return sync is not None and sync.role is not SyncRole.OFF

    @cached_property
    def circles(self) -> list[Circle]:
        """The circles of switches that are joined today."""
        joined = [k for k in self.plant.joins if self.works(k)]
        found = []
        for (group, _), names in self._parties().items():
            for part in components(filter(self.passes_on, names), joined):
                found += self._circle(group, part)
        return sorted(found, key=lambda c: natural(c.members[0]))

    def candidates(self, switch: str) -> list[Table]:
        """Returns the tables that a switch may have besides its own: of its group, or as files that contradict each other say.

        Whoever of its group, secret and part of the campus may hold a newer table may be heard: links may come to work
        that do not today, and a generation that is not stated may be any.
        """
        return [*self._candidates.get(switch, []), *self.plant.switches[switch].other_tables]

    @cached_property
    def _candidates(self) -> dict[str, list[Table]]:
        found: dict[str, list[Table]] = {}
        up = [k for k in self.plant.joins if k.up]
        parts = components(self.plant.switches, up)
        for names in self._parties().values():
            for part in parts:
                members = [n for n in names if n in part and (s := self.sync(n)) is not None and s.shares]
                for name in members:
                    own = self._generation(name)
                    newer = [n for n in members if n != name and _may_be_newer(self._generation(n), own)]
                    if self.plant.switches[name].vlans is not None:
                        found[name] = [t for n in newer for t in self._after_any(name, n)]
        return found

    def _parties(self) -> dict[tuple[str, str], list[str]]:
        """Returns the switches that take part in each group, by its name and secret."""
        parties: dict[tuple[str, str], list[str]] = defaultdict(list)
        for name in self.plant.switches:
            sync = self.sync(name)
            if sync is not None:
                parties[sync.group, sync.secret].append(name)
        return parties

    def would_be(self) -> list[Circle]:
        """Returns the circles as they would be, were all switches of a group and secret joined."""
        return [c for (group, _), names in self._parties().items() for c in self._circle(group, frozenset(names))]

    def _circle(self, group: str, names: frozenset[str]) -> list[Circle]:
        members = sorted((n for n in names if (s := self.sync(n)) is not None and s.shares), key=natural)
        if not members:
            return []
        unstated = [n for n in members if self._generation(n) is None]
        if len(members) > 1 and unstated:
            return [Circle(group, tuple(members), None, f"the generation of {unstated[0]} is not stated")]
        highest = max(self._generation(n) or 0 for n in members)
        newest = [n for n in members if (self._generation(n) or 0) == highest]
        tables = {self._shared(n, newest[0]) for n in newest}
        if len(tables) > 1:
            rivals = " and ".join(newest[:2])
            return [Circle(group, tuple(members), None, f"{rivals} have generation {highest} and different tables")]
        return [Circle(group, tuple(members), newest[0])]

    def _generation(self, switch: str) -> int | None:
        sync = self.sync(switch)
        return sync.generation if sync else None

    def _shared(self, switch: str, newest: str) -> tuple[Vlan, ...]:
        return tuple(v for v in self.table(switch).values() if self.spreads(newest, v))

    def table(self, switch: str) -> Table:
        """Returns a switch's own table; empty when it keeps none."""
        return self.plant.switches[switch].vlans or {}

    def spreads(self, newest: str, vlan: Vlan) -> bool:
        """Tells whether a VLAN is one that the group shares when a switch has the newest table."""
        sync = self.sync(newest)
        return sync is not None and vlan.vid in sync.spread and (sync.private or vlan.type is VlanType.PLAIN)

    def after(self, switch: str, newest: str) -> Table:
        """Returns the table of a switch once it has taken over the newest."""
        return self._joined(self.table(switch), self.table(newest), newest)

    def _joined(self, own: Table, theirs: Table, newest: str) -> Table:
        kept = {v: e for v, e in own.items() if not self.spreads(newest, e)}
        new = {v: e for v, e in theirs.items() if self.spreads(newest, e)}
        return dict(sorted({**new, **kept}.items()))

    def _after_any(self, switch: str, newest: str) -> list[Table]:
        """Returns the tables that a switch may have once it has taken over the newest, whichever this is."""
        theirs = (self.table(newest), *self.plant.switches[newest].other_tables)
        return [self._joined(self.table(switch), table, newest) for table in theirs]

    def vanishing(self, switch: str, newest: str) -> VlanSet:
        """Returns the VLANs that a switch loses by taking over the newest table."""
        return VlanSet(self.table(switch)) - VlanSet(self.after(switch, newest))

    def converged(self) -> Campus:
        """Returns the campus with every table as it will be once all circles have settled."""
        return self.settled(self.circles)

    def settled(self, circles: Iterable[Circle]) -> Campus:
        """Returns the campus after some circles have settled."""
        switches: dict[str, Switch] = dict(self.plant.switches)
        for circle in circles:
            for name in circle.members if circle.newest else ():
                if switches[name].vlans is not None:
                    switches[name] = replace(switches[name], vlans=self.after(name, circle.newest or name))
        return replace(self.plant.campus, switches=switches)


def _may_be_newer(theirs: int | None, own: int | None) -> bool:
    """Tells whether a table may replace another, by the generations of the two; of equal ones either may win."""
    return theirs is None or own is None or theirs >= own
