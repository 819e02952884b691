"""`together`: all stations of a segment hear each other, both ways, in what surely passes."""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Collection, Iterable, Mapping
from functools import cached_property

from inkov.forwarding.cabling import Link
from inkov.forwarding.gateways import Sets
from inkov.forwarding.graph import Graph
from inkov.forwarding.loops import Loop, loops, perhaps_loops
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Blocking
from inkov.kinds.relay import Domain, Mask, Tags, View
from inkov.kinds.table import setting_words, untagged_vlan
from inkov.model.names import PortRef
from inkov.model.vlanset import bits
from inkov.proof.group import Group
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved, Stop
from inkov.proof.stations import Place, dead_words
from inkov.proof.unknowns import at_ports, some, unknowns


def together(network: Network, group: Group, rings: Rings) -> Outcome:
    """Decides whether every station of a segment is heard by every other.

    Where links that carry its VLAN both ways join all of it, one search tells so. Else each (switch, domain) with
    stations is tried as a sender; cost is stations' switches times links then.
    """
    if outcome := alive(network, group):
        return outcome
    unknown: Outcome | None = None
    for place, senders in () if _joined(network, group) else group.may.senders.items():
        outcome = _heard_by_all(network, group, place, senders)
        if isinstance(outcome, Broken):  # what is surely cut off counts before what is not known
            return outcome
        unknown = unknown or outcome
    if unknown is not None:
        return unknown
    ports = group.may.ports
    order = sorted(ports, key=lambda r: r.order)
    if loop := rings.drown((order[0], order[-1]), Sets(group.may.masks)):
        return loop
    switches = len({r.switch for r in ports})
    return Proved((f"Each of its {len(ports)} ports on {switches} switches surely hears every other.",))


def _joined(network: Network, group: Group) -> bool:
    """Tells whether a segment of one VLAN is surely whole: all its switches are joined both ways, and each port is sure."""
    places = {*group.may.senders, *group.may.hearers}
    domains = {domain for _, domain in places}
    if len(domains) != 1 or group.settling or group.may.tagged or not group.all_hear:
        return False
    switch, domain = next(iter(places))
    return network.graph(View.MUST).joined(switch, domain).issuperset(s for s, _ in places)


def alive(network: Network, group: Group) -> Outcome | None:
    """Says that ports of a segment are dead, or that none is known; None when all of it is alive."""
    if group.may.dead:
        first = group.may.dead[0]
        why = f"{dead_words(group.may)}"
        other = next(iter(sorted(group.may.ports, key=lambda r: r.order)), first.ports[0])
        return Broken(stop=Stop(other, first.ports[0], why=why))
    if not group.may:
        return CannotTell((f"no port of {group.name} is known",))
    if group.must.mute:
        mute = min(group.must.mute, key=lambda r: r.order)
        if mute not in group.may.mute:
            return CannotTell(at_ports(network, [mute]) or (f"whether {mute} takes frames of its station in",))
        other = min(group.may.ports - {mute}, key=lambda r: r.order, default=mute)
        why = f"{mute} sends what it hears to its station, and takes no frame of it in: {_why_mute(network, mute)}"
        return Broken(stop=Stop(mute, other, why=why))
    if unsure := sorted(group.may.ports - group.must.ports - group.settling, key=lambda r: r.order):
        return CannotTell(at_ports(network, unsure) or (f"whether {some(list(map(str, unsure)))} pass anything",))
    if not group.must.ports:
        perhaps = sorted(group.may.ports, key=lambda r: r.order)
        return CannotTell((f"whether anybody is in {group.name}", *at_ports(network, perhaps)))
    return None


def _heard_by_all(network: Network, group: Group, place: Place, senders: list[PortRef]) -> Outcome | None:
    start = {place[0]: 1 << place[1]}
    deaf = group.deaf(senders, network.graph(View.MUST).spread(start))
    if deaf is None:
        return None
    stop = _stop(network, senders[0], place[1], deaf)
    cut = group.surely_deaf(place, network.graph(View.MAY, Blocking.KNOWN).spread(start))
    if cut is not None:
        sender = next(p for p in group.must.senders[place] if p != cut)
        if not group.hears_anything(cut):
            why = "that port takes frames in, and sends out none of the segment"
            return Broken(stop=Stop(sender, cut, why=why))
        return Broken(stop=_stop(network, sender, place[1], cut))
    where = f" at {stop.link}" if stop.link else ""
    tree = next((d for k in network.links for e in (k.a, k.b) if (d := network.sure_trees.doubt(e))), "")
    because = f": {tree}" if tree and not where else ""
    missing = (f"whether frames pass from {stop.sender} to {stop.hearer}{where}{because}",)
    ends = [e for k in cabled_way(network, stop.sender.switch, stop.hearer.switch, place[1]) for e in (k.a, k.b)]
    facts = (
        *on_the_way(network, [(*place, ())], group.may_hear_at(deaf)),
        *at_ports(network, (senders[0], deaf)),
    ) or at_ports(network, ends)
    return CannotTell((*missing, *dict.fromkeys(facts)))


def on_the_way(
    network: Network, starts: Iterable[tuple[str, Domain, Tags]], hearing: Collection[Place]
) -> tuple[str, ...]:
    """Names what is not known on a way that may be open from where frames start to one of some places."""
    reach = network.graph(View.MAY).reach(starts, hearing)
    end = reach.first(hearing)
    return unknowns(network, reach, end) if end else ()


class Rings:
    """The loops of a campus, and those that may be: an outage, not a way, for all whose frames get there."""

    def __init__(self, network: Network) -> None:
        self.network = network

    @cached_property
    def sure(self) -> list[Loop]:
        """The loops that surely are."""
        return list(loops(self.network, View.MUST))

    @cached_property
    def perhaps(self) -> list[Loop]:
        """The loops that may be."""
        return list(perhaps_loops(self.network))

    def drown(self, ends: tuple[PortRef, PortRef], starts: Sets, when: str = "") -> Outcome | None:
        """Says that frames go round in a loop that no tree opens; None when they do not.

        Args:
            ends: the port of their sender, and one that is to hear them.
            starts: where they start.
            when: a start of the reason.
        """
        reached = _untagged(self.network.graph(View.MUST), starts) if self.sure else {}
        if link := self._where(self.sure, reached):
            why = f"{when}frames go round at {link}: no tree opens that ring, and one broadcast drowns everything"
            return Broken(stop=Stop(*ends, why=why, blames=(link.a, link.b)))
        reached = self.network.graph(View.MAY, Blocking.KNOWN).spread(*starts) if self.perhaps else {}
        if link := self._where(self.perhaps, reached):
            ends_of_rings = [e for loop in self.perhaps if link in loop.links for k in loop.links for e in (k.a, k.b)]
            tree = next((d for e in ends_of_rings if (d := self.network.sure_trees.doubt(e))), link.doubt)
            because = f": {tree}" if tree else ""
            return CannotTell((f"whether frames go round at {link}{because}", *at_ports(self.network, ends_of_rings)))
        return None

    def _where(self, rings: Iterable[Loop], reached: Mapping[str, Mask]) -> Link | None:
        return next((k for loop in rings for k in loop.links if self._goes_round(k, loop, reached)), None)

    def _goes_round(self, link: Link, loop: Loop, reached: Mapping[str, Mask]) -> bool:
        """Tells whether frames that got so far are in a loop: in one of its VLANs at a switch, or anywhere at a ring of hubs."""
        ends = (link.a.switch, link.b.switch)
        return any(reached.get(n, 0) & (loop.hubs if self.network.unmanaged(n) else loop.at.get(n, 0)) for n in ends)


def _untagged(graph: Graph, starts: Sets) -> Mapping[str, Mask]:
    """Returns the domains that frames get to with no tags inside."""
    if not graph.stacked:
        return graph.spread(*starts)
    found: dict[str, Mask] = defaultdict(int)
    begin = [(switch, d, ()) for switch, mask in starts.masks.items() for d in bits(mask)]
    for switch, domain, inner in graph.reach([*begin, *starts.tagged]).places():
        found[switch] |= 0 if inner else 1 << domain
    return found


def _stop(network: Network, start: PortRef, domain: Domain, end: PortRef) -> Stop:
    """Finds the link where frames stop: the first that fails on a shortest cabled way between the two."""
    for link in cabled_way(network, start.switch, end.switch, domain):
        if domain not in (climbed := network.ladder(link)).carried:
            lost = next((loss for loss in climbed.lost if domain in loss.vlans), None)
            return Stop(start, end, str(link), lost)
    return Stop(start, end)


def cabled_way(network: Network, start: str, end: str, domain: Domain) -> list[Link]:
    """Returns the links of a shortest cabled way between two switches, whatever their ports carry.

    A way that today's tree leaves open to a domain is preferred. Empty without one.
    """
    return _way(network, start, end, 1 << domain) or _way(network, start, end, 0)


def _way(network: Network, start: str, end: str, unblocked: Mask) -> list[Link]:
    came: dict[str, tuple[str, Link] | None] = {start: None}
    todo = deque([start])
    trees = network.sure_trees
    while todo and end not in came:
        switch = todo.popleft()
        for link in network.links_at.get(switch, ()):
            far = link.far_switch(switch)
            if far not in came and not (trees.blocks(link.a) | trees.blocks(link.b)) & unblocked:
                came[far] = (switch, link)
                todo.append(far)
    way: list[Link] = []
    at = came.get(end)
    while at is not None:
        way.append(at[1])
        at = came[at[0]]
    return way[::-1]


def _why_mute(network: Network, ref: PortRef) -> str:
    """Says why a port that hears takes in no frame of its station."""
    port = network.settled(ref)
    own = untagged_vlan(port.switching)
    if own is None or network.active(ref.switch) >> own & 1:
        return setting_words(port)
    return f"VLAN {own} is {'suspended' if network.defined(ref.switch) >> own & 1 else 'not defined'} on {ref.switch}"
