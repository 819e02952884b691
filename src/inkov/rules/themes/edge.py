"""Edge ports: host ports that should forward at once, and switch links that must not."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.kinds.table import faces_one, untagged_vlan
from inkov.model.names import ports_text
from inkov.model.settings import Setting
from inkov.model.tree import Protocol
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.registry import Example, Facts, rule
from inkov.rules.triangle import triangle
from inkov.rules.wording import at, cause, count

_STP = ("{protocol: stp, priority: 4096}", "{protocol: stp}", "{protocol: stp}")
_ON_LINK = {n: t.replace("u2: {trunk: '310,330'}", "u2: {trunk: '310,330', edge: true}") for n, t in triangle().items()}


@rule(
    "edge/on-link",
    Severity.RISK,
    faults=(15,),
    looks_for="A link between switches one end of which is set to be an edge port.",
    why="An edge port forwards before the tree has looked. Each time the link comes up there is a loop for a moment, and if "
    "the port does not heed the tree's frames, for good.",
    mend="Take the edge setting off the port.",
    cure=cures.take_edges_off,
    breaks=Example(
        {**triangle(), "archive.yaml": _ON_LINK["archive.yaml"]},
        place="archive:u2 <-> pump-loft:u1",
    ),
    passes=Example(triangle(port=", edge: true")),
)
def on_link(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.joins:
        sides = dict.fromkeys([link.a, link.b, *(e for w in link.wires for e in (w.a, w.b))])
        ends = [e for e in sides if network.port(e).tree.edge and link.wires]
        if ends:
            names = " and ".join(map(str, ends))
            yield Fault(
                place=str(link),
                what=f"{names} {'is an edge port' if len(ends) == 1 else 'are edge ports'} and {'faces' if len(ends) == 1 else 'face'} "
                "a switch: it forwards before the tree has looked, and may close a loop.",
                mend=f"Take the edge setting off {names}.",
                evidence=tuple(at(network, e, "edge port", Setting.EDGE) for e in ends),
                causes=tuple(cause(e, Setting.EDGE) for e in ends),
            )


@rule(
    "edge/waiting",
    Severity.TIDY,
    faults=(15,),
    looks_for="Host ports that are not edge ports, on a switch whose tree makes them wait.",
    why="Such a port stays shut for half a minute after the host is switched on. Hosts give up asking for an address before "
    "that, and every one of them starts a change of the topology.",
    mend="Make host ports edge ports.",
    cure=cures.make_edges,
    breaks=Example(
        {**triangle(_STP, port=", edge: true"), "archive.yaml": triangle(_STP)["archive.yaml"]}, place="archive:1-2"
    ),
    passes=Example(triangle(_STP, port=", edge: true")),
)
def waiting(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    slow = {Protocol.STP, Protocol.PER_VLAN}
    for name, refs in network.station_ports.items():
        protocol = network.switches[name].tree.protocol
        if protocol in {None, Protocol.OFF} or name not in network.links_at:
            continue
        hosts = [
            ref
            for ref in refs
            if faces_one((port := network.port(ref)).switching)
            and ref not in network.cabled
            and (network.campus.parking is None or untagged_vlan(port.switching) != network.campus.parking)
        ]
        edges = [network.port(ref).tree.edge for ref in hosts]
        waits = protocol in slow or 4 * edges.count(True) >= 3 * len(
            edges
        )  # where most are told to be, the others are not
        found = [ref for ref, edge in zip(hosts, edges, strict=True) if edge is False or (edge is None and waits)]
        if found:
            names = ports_text([r.port for r in found])
            yield Fault(
                place=f"{name}:{names}",
                what=f"{count(len(found), 'host port')} of {name} {'is' if len(found) == 1 else 'are'} no edge "
                f"port{'' if len(found) == 1 else 's'}: a host there waits half a minute before its first frame passes.",
                mend=f"Make {name}:{names} {'an edge port' if len(found) == 1 else 'edge ports'}.",
                evidence=tuple(at(network, r, "no edge port", Setting.EDGE) for r in found[:2]),
                causes=tuple(cause(r, Setting.EDGE) for r in found),
            )
