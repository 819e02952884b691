"""The spanning trees of a campus: which ports are blocked for which VLANs, and where that cannot be known.

Switches that run a tree and hear each other are one part. In a part where nothing is left to guess the
election decides. Where a switch does not say which tree it runs, or kinds of tree meet that do not talk to
each other, any tree may be chosen: then a VLAN surely crosses a ring only if every link of it carries it,
because any link of a ring is in some tree.

Two things are taken as the standard has them: a switch without a tree swallows tree frames (IEEE
802.1Q-2022, 8.6.3), and stations run none.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from enum import Enum
from functools import cached_property

from inkov.forwarding.blocks import Block, blocks
from inkov.forwarding.bridging import Bridging
from inkov.forwarding.cabling import Link, finder
from inkov.forwarding.election import BridgeId, Election, Lan, Role, elect
from inkov.forwarding.election import Port as TreePort
from inkov.forwarding.lans import Lans
from inkov.kinds.relay import Mask, View
from inkov.kinds.table import carries_tags, untagged_vlan
from inkov.model.names import PortRef, natural
from inkov.model.switch import Kind
from inkov.model.tree import Protocol, default_cost
from inkov.model.vlanset import FULL_MASK, Vid


class Blocking(Enum):
    """Which blocks a graph leaves out: every possible one, those known of today, or none."""

    SURE = "what surely passes"
    KNOWN = "what is not known to be blocked"
    IGNORED = "as if nothing were blocked"


@dataclass(frozen=True, slots=True)
class Tree:
    """One tree of one part.

    Attributes:
        number: 0 where one tree serves all VLANs, the instance with MSTP, and with a tree per VLAN its lowest VLAN.
        vlans: the VLANs in use that it decides about.
        election: what became of each port.
    """

    number: int
    vlans: Mask
    election: Election

    def role(self, ref: PortRef) -> Role | None:
        """Returns what a port is in it; None when it takes no part."""
        return self.election.role.get(ref)


@dataclass(slots=True)
class Part:
    """Switches that run a tree and hear each other.

    Attributes:
        switches: in natural order.
        lans: the LANs among them.
        ring: there are two ways somewhere.
        unknown: why today's tree is not known; empty when it is.
        trees: the trees, by number; none when unknown.
        taken: switches that do not say which tree they run, and are taken to run what the others do, with the usual
            priority; only rings that they are in themselves are then in doubt.
    """

    switches: list[str]
    lans: list[Lan]
    ring: bool
    unknown: str = ""
    trees: list[Tree] = field(default_factory=list)
    taken: tuple[str, ...] = ()


@dataclass(slots=True)
class _Limits:
    """What trees keep off ports.

    Attributes:
        allowed: the VLANs that surely pass, of ports where not all do.
        doubt: why today's tree is not known, where it is not.
        unstated: the VLANs for which a habit that nothing states decides.
    """

    allowed: dict[PortRef, Mask] = field(default_factory=dict)
    doubt: dict[PortRef, str] = field(default_factory=dict)
    unstated: dict[PortRef, Mask] = field(default_factory=dict)

    def shut(self, ref: PortRef, vlans: Mask) -> None:
        self.allowed[ref] = self.allowed.get(ref, -1) & ~vlans


class Trees(Lans):
    """All trees of a campus."""

    def __init__(self, plant: Bridging, *, strict: bool = False) -> None:
        """Takes the plant; `strict` takes nothing for granted of a switch that does not say which tree it runs."""
        super().__init__(plant)
        self.strict = strict
        self._numbers: dict[str, dict[str, int]] = {}

    @cached_property
    def parts(self) -> list[Part]:
        """The parts, in the order of their first switch; switches that run no tree are in none."""
        running = [
            n for n, s in self.plant.switches.items() if s.kind is Kind.SWITCH and s.tree.protocol is not Protocol.OFF
        ]
        parent = {n: n for n in running}
        find = finder(parent)
        for lan in self.heard:
            for end in lan[1:]:
                parent[find(end.switch)] = find(lan[0].switch)
        names: dict[str, list[str]] = defaultdict(list)
        lans: dict[str, list[Lan]] = defaultdict(list)
        for n in running:
            names[find(n)].append(n)
        for lan in self.heard:
            lans[find(lan[0].switch)].append(lan)
        made = []
        for first, members in names.items():
            inside = lans[first]
            ring = sum(map(len, inside)) >= len(members) + len(inside)
            made.append(Part(sorted(members, key=natural), inside, ring))
        for part in made:
            part.unknown = self._unknown(part)
            if not part.unknown:
                part.trees = sorted(self._trees(part, part.lans), key=lambda t: t.number)
                part.unknown = self._undecided(part)
            if part.unknown:
                part.trees = []
        return sorted(made, key=lambda p: natural(p.switches[0]))

    def _unknown(self, part: Part) -> str:
        protocols = {n: self.plant.switches[n].tree.protocol for n in part.switches}
        unstated = [n for n, p in protocols.items() if p is None]
        if unstated and (self.strict or len(unstated) == len(protocols) or self._all_in_rings(part, unstated)):
            return self._not_stated(unstated)
        part.taken = tuple(unstated)
        protocols = {n: p for n, p in protocols.items() if p is not None}
        each = next((n for n, p in protocols.items() if p is Protocol.PER_VLAN), None)
        one = next((n for n, p in protocols.items() if p is not Protocol.PER_VLAN), None)
        if each is not None and one is not None:
            return f"{each} runs a tree per VLAN and {one} does not; what they make of each other is not known"
        return ""

    def _not_stated(self, unstated: Sequence[str]) -> str:
        text = f"which tree {unstated[0]}{f' and {len(unstated) - 1} more' * (len(unstated) > 1)} runs is not stated"
        return self.plant.switches[unstated[0]].doubt or text

    def _all_in_rings(self, part: Part, unstated: list[str]) -> bool:
        """Tells whether every ring of a part has a switch that does not say which tree it runs."""
        rings = [block for block in self._blocks(part) if block.ring]
        return bool(rings) and all(not block.nodes.isdisjoint(unstated) for block in rings)

    def _blocks(self, part: Part) -> list[Block]:
        links = [k for lan in part.lans for k in self.lans[self.heard[lan]]]
        return blocks(links, lambda k: (k.a.switch, k.b.switch))

    def _protocol(self, part: Part) -> Protocol | None:
        """Returns the protocol of the switches of a part that state one."""
        return next((p for n in part.switches if (p := self.plant.switches[n].tree.protocol) is not None), None)

    def _undecided(self, part: Part) -> str:
        """Says what the trees hang on that is not known: bridge addresses, or links that may not be there."""
        doubt = next((d for t in part.trees for d in t.election.doubt.values()), None)
        if doubt:
            first, *rest = sorted(doubt, key=natural)
            names = f"{first} and {rest[0] if len(rest) == 1 else f'{len(rest)} more'}" if rest else first
            return f"whether {names} come first hangs on their bridge addresses, which are not known"
        unsure = {lan: why for lan in part.lans for k in self.lans[self.heard[lan]] if (why := self._unsure(k))}
        if unsure:
            without = self._trees(part, [lan for lan in part.lans if lan not in unsure])
            if _open_ports(part.trees, unsure) != _open_ports(without, unsure):
                return next(iter(unsure.values()))
        return ""

    def _unsure(self, link: Link) -> str:
        """Says why it is not sure that tree frames cross a link; empty when they do."""
        failure = self.plant.lag_failure(link)
        return link.doubt or (f"at {link.a} {failure}" if failure else self.plant.unsure(link))

    # -- the trees of a part -------------------------------------------------------------------------

    def _trees(self, part: Part, lans: list[Lan]) -> Iterator[Tree]:
        if self._protocol(part) is Protocol.PER_VLAN:
            yield from self._vlan_trees(part, lans)
            return
        common = self._elect(part.switches, lans, 0)
        yield Tree(0, FULL_MASK & ~self._in_instances(part), common)
        yield from self._instance_trees(part, lans, common)

    def _elect(self, names: list[str], lans: list[Lan], number: int) -> Election:
        switches = self.plant.switches
        ids = {n: BridgeId(switches[n].tree.priority_in(number), switches[n].mac, n) for n in names}
        ports = {p: self._port(p, number) for lan in lans for p in lan}
        regions = {n: region for n in names if number == 0 and (region := switches[n].tree.region) is not None}
        return elect(ids, lans, ports, regions)

    def _port(self, ref: PortRef, number: int) -> TreePort:
        port, switch = self.plant.port(ref), self.plant.switches[ref.switch]
        said = port.tree
        cost, priority = next(((c, p) for n, c, p in said.own if n == number), (None, None))
        if ref.switch not in self._numbers:
            self._numbers[ref.switch] = {name: i for i, name in enumerate(switch.ports, 1)}
        return TreePort(
            said.priority if priority is None else priority,
            said.number or self._numbers[ref.switch][ref.port],
            cost or said.cost or self._default_cost(ref),
        )

    def cost(self, ref: PortRef) -> int:
        """Returns the path cost of a port in the tree of all VLANs."""
        return self._port(ref, 0).cost

    def _default_cost(self, ref: PortRef) -> int:
        switch, port = self.plant.switches[ref.switch], self.plant.port(ref)
        members = [switch.ports[m] for m in port.members]
        speed = port.speed or next((m.speed for m in members if m.speed), 0)
        return default_cost(speed, wide=switch.tree.wide_costs, members=sum(m.enabled for m in members))

    def _in_instances(self, part: Part) -> Mask:
        """Returns the VLANs that are in an instance of their own on every MSTP switch of a part."""
        found = FULL_MASK
        for n in part.switches:
            region = self.plant.switches[n].tree.region
            found &= FULL_MASK & ~region.vlans(0).mask if region else 0
        return found

    def _instance_trees(self, part: Part, lans: list[Lan], common: Election) -> Iterator[Tree]:
        groups: dict[str, list[str]] = defaultdict(list)
        for n in part.switches:
            if self.plant.switches[n].tree.region is not None:
                groups[common.region[n]].append(n)
        for names in groups.values():
            region = self.plant.switches[names[0]].tree.region
            inside = [lan for lan in lans if {p.switch for p in lan} <= set(names)]
            border = [p for lan in lans if lan not in inside for p in lan if p.switch in names]
            for number, vlans in region.instances if region else ():
                election = self._elect(names, inside, number)
                for p in border:  # at the border of a region its instances follow the common tree
                    role = common.role[p]
                    election.role[p] = Role.MASTER if role is Role.ROOT else role
                    if p in common.beaten:
                        election.beaten[p] = common.beaten[p]
                yield Tree(number, vlans.mask, election)

    def _vlan_trees(self, part: Part, lans: list[Lan]) -> Iterator[Tree]:
        """Yields a tree for each class of VLANs that all switches treat alike."""
        plant = self.plant
        carried = {lan: self._carried(lan) for lan in lans}
        splits = dict.fromkeys([*carried.values(), *(plant.active(n) for n in part.switches)])  # a set in fixed order
        for n in part.switches:
            own = plant.switches[n].tree.own
            for value in dict.fromkeys(own.values()):
                splits[sum(1 << v for v, p in own.items() if p == value)] = None
        for lan in lans:
            for p in lan:
                splits |= dict.fromkeys(1 << n for n, _, _ in plant.port(p).tree.own)
        relayed = 0
        for n in part.switches:
            relayed |= plant.active(n)
        classes = [plant.used & relayed]
        for split in splits:
            classes = [half for c in classes for half in (c & split, c & ~split) if half]
        for c in classes:
            lowest = (c & -c).bit_length() - 1
            names = [n for n in part.switches if plant.active(n) >> lowest & 1]
            joining = [lan for lan, mask in carried.items() if mask >> lowest & 1]
            yield Tree(lowest, c, self._elect(names, joining, lowest))

    def _carried(self, lan: Lan) -> Mask:
        """Returns the VLANs whose tree frames all ports of a LAN exchange."""
        if len(lan) == 2 and len(self.lans[self.heard[lan]]) == 1:
            return self.plant.passes(self.lans[self.heard[lan]][0])
        found = -1
        for p in lan:
            relay = self.plant.relay(p, View.USUAL)
            found &= relay.sends & relay.takes
        return found & FULL_MASK

    # -- what follows for frames ---------------------------------------------------------------------

    @cached_property
    def _limits(self) -> _Limits:
        made = _Limits()
        for part in self.parts:
            if not part.unknown:
                self._limit_blocked(part, made)
                if part.taken:
                    self._limit_rings(part, made)
            elif part.ring:
                self._limit_rings(part, made)
            self._limit_uneven(part, made)
        return made

    def _limit_blocked(self, part: Part, made: _Limits) -> None:
        """Notes what the trees of a part keep shut."""
        for tree in part.trees:
            for ref, role in tree.election.role.items():
                if not role.forwards:
                    made.shut(ref, self._decided(tree, ref))

    def _decided(self, tree: Tree, ref: PortRef) -> Mask:
        """Returns the VLANs a tree decides about on one switch."""
        region = self.plant.switches[ref.switch].tree.region
        if tree.number == 0:
            return region.vlans(0).mask if region else FULL_MASK
        return tree.vlans

    def _limit_rings(self, part: Part, made: _Limits) -> None:
        """Notes that only what every link of a ring carries surely crosses it, where the tree is not known.

        Where the tree is known but for some switches, those are the rings that these are in.
        """
        inside = {(k.a, k.b): lan for lan in part.lans for k in self.lans[self.heard[lan]]}
        for block in self._blocks(part):
            unstated = [n for n in part.taken if n in block.nodes]
            if not block.ring or not (part.unknown or unstated):
                continue
            why = part.unknown or self._not_stated(unstated)
            common = FULL_MASK
            for link in block.links:
                common &= 0 if self._unsure(link) else self._carried(inside[link.a, link.b])
            for link in block.links:
                for end in (link.a, link.b):
                    made.allowed.pop(end, None)
                    made.shut(end, FULL_MASK & ~common)
                    made.doubt[end] = why

    def _limit_uneven(self, part: Part, made: _Limits) -> None:
        """Notes what uneven links lose where trees per VLAN do not let them run, whether the root of these is known or not."""
        protocols = {self.plant.switches[n].tree.protocol for n in part.switches}
        if Protocol.PER_VLAN not in protocols and not (self.strict and None in protocols):
            return
        for lan in part.lans:
            switches = [self.plant.switches[e.switch] for e in lan]
            lost = self._uneven(lan) if len(lan) == 2 else 0
            for end in lan if lost else ():
                runs = all(s.habits.uneven_link for s in switches)
                if not runs and Protocol.PER_VLAN in protocols:
                    made.shut(end, lost)
                elif not runs or any("uneven_link" in s.unstated_habits for s in switches):
                    made.unstated[end] = made.unstated.get(end, 0) | lost

    def _uneven(self, lan: Lan) -> Mask:
        ports = [self.plant.settled(e) for e in lan]
        if len({carries_tags(p) for p in ports}) > 1:
            return FULL_MASK
        natives = {untagged_vlan(p.switching) for p in ports}
        return sum(1 << v for v in natives if v) if len(natives) > 1 else 0

    def allows(self, ref: PortRef, view: View = View.USUAL) -> Mask:
        """Returns the domains that surely pass a port as far as the tree goes; -1 for all."""
        limits = self._limits
        unstated = limits.unstated.get(ref, 0) if view is View.MUST else 0
        return limits.allowed.get(ref, -1) & ~unstated

    def limited_unlike(self, other: Trees) -> set[PortRef]:
        """Returns the ports that other domains surely pass than in other trees, as far as these go."""
        mine, theirs = self._limits.allowed, other._limits.allowed
        return {ref for ref in mine.keys() | theirs.keys() if mine.get(ref, -1) != theirs.get(ref, -1)}

    def blocks(self, ref: PortRef, view: View = View.USUAL) -> Mask:
        """Returns the VLANs that surely do not pass a port today because of the tree."""
        limits = self._limits
        unstated = limits.unstated.get(ref, 0) if view is View.MAY else 0
        return 0 if ref in limits.doubt else ~limits.allowed.get(ref, -1) & ~unstated

    def doubt(self, ref: PortRef) -> str:
        """Says why today's tree is not known at a port; empty when it is, or does not matter."""
        return self._limits.doubt.get(ref, "")

    def part_of(self, switch: str) -> Part | None:
        """Returns the part a switch is in; None when it runs no tree."""
        return self._part_by_switch.get(switch)

    @cached_property
    def _part_by_switch(self) -> dict[str, Part]:
        return {n: part for part in self.parts for n in part.switches}

    def tree_for(self, switch: str, vid: Vid) -> Tree | None:
        """Returns the tree that decides about a VLAN on a switch; None when there is none, or it is not known."""
        for tree in part.trees if (part := self.part_of(switch)) else ():
            if switch in tree.election.root and self._decided(tree, PortRef(switch, "")) >> vid & 1:
                return tree
        return None


def _open_ports(trees: Iterable[Tree], but: Collection[Lan]) -> dict[tuple[int, PortRef], bool]:
    """Returns which ports forward in which tree, those of some LANs left out."""
    out = {p for lan in but for p in lan}
    return {(t.number, p): r.forwards for t in trees for p, r in t.election.role.items() if p not in out}
