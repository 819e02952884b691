"""`together`: all stations of a segment hear each other, both ways, in what surely passes."""

from __future__ import annotations

from collections import deque
from collections.abc import Mapping

from inkov.forwarding.cabling import Link
from inkov.forwarding.network import Network
from inkov.forwarding.relay import Domain, Mask, View
from inkov.forwarding.trees import Blocking
from inkov.model.names import PortRef
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved, Stop
from inkov.proof.stations import Stations


def together(network: Network, stations: Stations) -> Outcome:
    """Decides whether every station of a segment is heard by every other.

    Each (switch, domain) with stations is tried as a sender; cost is stations' switches times links.
    """
    if not stations:
        return CannotTell((f"no port of {stations.name} is known",))
    for sender, senders in stations.senders.items():
        reached = network.graph(View.MUST).spread({sender[0]: 1 << sender[1]})
        deaf = _deaf(stations, senders, reached)
        if deaf is None:
            continue
        may = network.graph(View.MAY, Blocking.KNOWN).spread({sender[0]: 1 << sender[1]})
        stop = _stop(network, senders[0], sender[1], deaf)
        if _deaf(stations, senders, may) is None:
            where = f" at {stop.link}" if stop.link else ""
            tree = next((d for k in network.links for e in (k.a, k.b) if (d := network.trees.doubt(e))), "")
            because = f": {tree}" if tree and not where else ""
            return CannotTell((f"whether frames pass from {stop.sender} to {stop.hearer}{where}{because}",))
        return Broken(stop=stop)
    ports = {ref for refs in stations.senders.values() for ref in refs}
    return Proved(
        f"each of its {len(ports)} ports on {len({r.switch for r in ports})} switches surely hears every other"
    )


def _deaf(stations: Stations, senders: list[PortRef], reached: Mapping[str, Mask]) -> PortRef | None:
    """Returns the first port of the segment, other than the sender, that hears nothing of what got so far."""
    hearing = {ref for (switch, d), refs in stations.hearers.items() if reached.get(switch, 0) >> d & 1 for ref in refs}
    everyone = {ref for places in (stations.senders, stations.hearers) for refs in places.values() for ref in refs}
    only = senders[0] if len(senders) == 1 else None
    return min((ref for ref in everyone - hearing if ref != only), key=lambda r: r.order, default=None)


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
    trees = network.trees
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
