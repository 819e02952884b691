"""`together`: all stations of a segment hear each other, both ways, in what surely passes."""

from __future__ import annotations

from collections import deque

from inkov.forwarding.cabling import Link
from inkov.forwarding.network import Network
from inkov.forwarding.relay import Domain, View
from inkov.proof.outcome import Broken, CannotTell, Outcome, Proved, Stop
from inkov.proof.stations import Stations


def together(network: Network, stations: Stations) -> Outcome:
    """Decides whether every station of a segment is heard by every other.

    Each (switch, domain) with stations is tried as a sender; cost is stations' switches times links.
    """
    places = list(stations.ports)
    if not places:
        return CannotTell((f"no port of {stations.name} is known",))
    for sender in places:
        reached = network.graph(View.MUST).spread({sender[0]: 1 << sender[1]})
        deaf = next((p for p in places if not reached.get(p[0], 0) >> p[1] & 1), None)
        if deaf is None:
            continue
        may = network.graph(View.MAY).spread({sender[0]: 1 << sender[1]})
        stop = _stop(network, stations, sender, deaf)
        if may.get(deaf[0], 0) >> deaf[1] & 1:
            where = f" at {stop.link}" if stop.link else ""
            return CannotTell((f"whether frames pass from {stop.sender} to {stop.hearer}{where}",))
        return Broken(stop=stop)
    ports = sum(map(len, stations.ports.values()))
    return Proved(f"each of its {ports} ports on {len(places)} switches surely hears every other")


def _stop(network: Network, stations: Stations, sender: tuple[str, Domain], deaf: tuple[str, Domain]) -> Stop:
    """Finds the link where frames stop: the first that fails on a shortest cabled way between the two."""
    start, end = stations.ports[sender][0], stations.ports[deaf][0]
    for link in _way(network, sender[0], deaf[0]):
        if sender[1] not in (climbed := network.ladder(link)).carried:
            lost = next((loss for loss in climbed.lost if sender[1] in loss.vlans), None)
            return Stop(start, end, str(link), lost)
    return Stop(start, end)


def _way(network: Network, start: str, end: str) -> list[Link]:
    """Returns the links of a shortest cabled way between two switches, whatever they carry; empty without one."""
    came: dict[str, tuple[str, Link] | None] = {start: None}
    todo = deque([start])
    while todo and end not in came:
        switch = todo.popleft()
        for link in network.links_at.get(switch, ()):
            far = link.far_switch(switch)
            if far not in came:
                came[far] = (switch, link)
                todo.append(far)
    way: list[Link] = []
    at = came.get(end)
    while at is not None:
        way.append(at[1])
        at = came[at[0]]
    return way[::-1]
