"""Certificates: what lets anyone check a proof again without the prover. `docs/certificate.md` has the form."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from functools import reduce
from itertools import permutations
from operator import or_
from typing import Any, Final, TypeAlias

from inkov.forwarding.graph import Graph, State, masks_of
from inkov.forwarding.loops import ways_round
from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Mask, Tags, View
from inkov.model.campus import Apart, Facing, Together
from inkov.model.names import PortRef, natural
from inkov.model.routing import set_name
from inkov.model.vlanset import bits
from inkov.proof.between import named_host, no_neighbours
from inkov.proof.outcome import Proved, Verdict
from inkov.proof.prove import Prover
from inkov.proof.stations import Stations, segment_named
from inkov.proof.surviving import after_failure, candidates, homes

VERSION: Final = 1

STARTS: Final = ""
"""The port of arrival of frames that start on a switch: no port has an empty name."""

Data: TypeAlias = dict[str, Any]
"""Plain data, ready for JSON."""

_Masks: TypeAlias = dict[str, dict[str, dict[str, Mask]]]
"""Switch, port of arrival or `*`, tags inside as text, to domains."""


def certificate(prover: Prover, verdict: Verdict, inputs: Mapping[str, str]) -> Data | None:
    """Returns the certificate of a proof; None where there is no proof, or it rests on gateways that join segments or on the outside.

    Args:
        prover: what decided the claim.
        verdict: what came of it.
        inputs: file to digest.
    """
    campus = prover.network.campus
    if not isinstance(verdict.outcome, Proved) or any(
        n in campus.segments and campus.segments[n].outside for n in verdict.claim.segments
    ):
        return None
    head: Data = {"inkov": "certificate", "version": VERSION, "campus": campus.name}
    head |= {"claim": verdict.claim.data, "inputs": dict(sorted(inputs.items()))}
    match verdict.claim:
        case Apart() as claim:
            return head | {"assumed": list(verdict.outcome.assumed), "sets": _sets(prover, claim)}
        case Together() as claim:
            node = _node(prover.network, claim, claim.surviving)
            return (
                None
                if node is None
                else head | {"assumed": [*dict.fromkeys(_left_open(node)), *verdict.outcome.assumed], **node}
            )


def _left_open(node: Data) -> Iterator[str]:
    """Yields what a proof that segments are together takes for granted, after each failure that it looks at, too."""
    yield from (f"the tree and pruning leave {port} open" for port in node["open"])
    for after in node.get("when", ()):
        yield from _left_open(after)


# -- apart: closed sets ------------------------------------------------------------------------------


def _sets(prover: Prover, claim: Apart) -> Data:
    hostile = claim.facing is Facing.HOSTILE
    graph = prover.network.graph(View.MAY)
    made: Data = {}
    names = list(dict.fromkeys(n for pair in claim.pairs for n in pair))
    honest = {n: prover.stations(n, View.MAY) for n in names}
    together = _each_closed(graph, honest)
    for name, stations in honest.items():
        alone = name not in together
        made[f"honest {name}"] = _closed(graph, stations.masks, stations.tagged) if alone else together[name]
        if hostile:
            attackers = prover.hostile.attackers(name, View.MAY)
            made[f"hostile {name}"] = _closed(graph, attackers.plain, armed=attackers.all_armed)
    if 3 in claim.layers:
        layer3 = prover.hostile.layer3 if hostile else prover.layer3
        gateways = layer3.gateways
        for interface in gateways.all:
            if gateways.up(interface, View.MAY):
                starts = gateways.starts(interface, View.MAY)
                made[set_name(interface.device, interface.gateway)] = _closed(graph, starts.masks, starts.tagged)
    return made


def _each_closed(graph: Graph, segments: Mapping[str, Stations]) -> dict[str, Data]:
    """Returns what `_closed` does for each segment; nothing where frames change their VLAN, or two segments share one.

    All are followed at once then: which frames are whose is told by their VLAN alone.
    """
    domains = {name: reduce(or_, s.masks.values(), 0) for name, s in segments.items()}
    every = reduce(or_, domains.values(), 0)
    shared = every.bit_count() < sum(mask.bit_count() for mask in domains.values())
    stays = all(
        graph.becomes(1 << d) == 1 << d for d in bits(every)
    )  # and does not turn into another that is asked about
    if shared or not stays or any(s.tagged for s in segments.values()):
        return {}
    whose = {d: name for name, mask in domains.items() for d in bits(mask)}
    starts: dict[str, Mask] = defaultdict(int)
    masks: dict[str, _Masks] = {name: _no_masks() for name in segments}
    for name, stations in segments.items():
        for switch, mask in stations.masks.items():
            starts[switch] |= mask
            masks[name][switch][STARTS][""] |= mask
    for ref, mask in graph.flow(starts).came_by.items():
        for d in bits(mask):
            masks[whose[d]][ref.switch][ref.port][""] |= 1 << d
    return {name: _data(some) for name, some in masks.items()}


def _no_masks() -> _Masks:
    return defaultdict(lambda: defaultdict(lambda: defaultdict(int)))


def _closed(
    graph: Graph,
    starts: Mapping[str, Mask],
    tagged: Iterable[tuple[str, Domain, Tags]] = (),
    armed: Mapping[str, Mask] | None = None,
) -> Data:
    """Returns everything some frames get to, by switch, port of arrival and tags inside."""
    masks = _no_masks()
    listed = list(tagged)
    if graph.stacked or listed:
        places = [(switch, d, ()) for switch, mask in starts.items() for d in bits(mask)]
        reach = graph.reach([*places, *listed])
        for state in reach.states:
            port = state.by.port if state.by else STARTS
            masks[state.switch][port][".".join(map(str, state.inner))] |= 1 << state.domain
        if reach.cut:
            _flow(graph, masks_of([*places, *listed]), "any", masks)
    else:
        _flow(graph, starts, "", masks)
    if armed:
        _flow(graph, armed, "any", masks)
    return _data(masks)


def _data(masks: _Masks) -> Data:
    made = {
        switch: {
            _spelt(port): {inside: _domains(mask) for inside, mask in sorted(by_inside.items()) if mask}
            for port, by_inside in sorted(ports.items(), key=lambda p: natural(p[0]))
            if any(by_inside.values())
        }
        for switch, ports in sorted(masks.items(), key=lambda s: natural(s[0]))
    }
    return {switch: ports for switch, ports in made.items() if ports}


def _spelt(port: str) -> str:
    """Returns a port of arrival as a certificate has it: `*` for what starts there, and a real port never so."""
    if port == STARTS:
        return "*"
    return f"\\{port}" if port.startswith(("*", "\\")) else port


def _flow(graph: Graph, starts: Mapping[str, Mask], inside: str, masks: _Masks) -> None:
    for switch, mask in starts.items():
        masks[switch][STARTS][inside] |= mask
    for ref, mask in graph.flow(starts, armed=inside == "any").came_by.items():
        masks[ref.switch][ref.port][inside] |= mask


def _domains(mask: Mask) -> str:
    """Returns domains as ranges; domain 0 is that of a device that does not look at VLANs."""
    if not mask & (mask - 1):  # one, as of most sets
        return str(mask.bit_length() - 1)
    spans: list[list[int]] = []
    for d in bits(mask):
        if spans and spans[-1][1] == d - 1:
            spans[-1][1] = d
        else:
            spans.append([d, d])
    return ",".join(str(a) if a == b else f"{a}-{b}" for a, b in spans)


# -- together: trees of hops -------------------------------------------------------------------------


def _node(network: Network, claim: Together, failures: int) -> Data | None:
    """Returns the trees of a campus as it is, and those for each further failure."""
    groups = [Stations(network, segment_named(network, n), View.MAY) for n in claim.segments]
    hosts = [h for g in groups if 3 in claim.layers and (h := named_host(network, g)) is not None]
    if any(no_neighbours(a, b) for a, b in permutations(hosts, 2)):
        return None  # their packets go by way of gateways
    trees = [_tree(network, start, groups) for g in groups for start in g.senders]
    if any(tree is None for tree in trees):
        return None
    whole = [t for t in trees if t is not None]
    node: Data = {"trees": whole, "open": _doubted(network, whole)}
    if failures:
        node["when"] = when = []
        for failure in candidates(network, homes(network, claim.segments)):
            after = _node(after_failure(network, failure), claim, failures - 1)
            if after is not None:
                when.append({"failed": str(failure), **after})
    return node


def _tree(network: Network, start: tuple[str, Domain], groups: list[Stations]) -> Data | None:
    """Returns the hops from one place with stations to all others; None where frames alone do not get there."""
    reach = network.graph(View.MUST).reach([(*start, ())])
    first: dict[tuple[str, Domain], State] = {}
    for state in reach.states:
        first.setdefault((state.switch, state.domain), state)
    wanted = [place for g in groups for place in g.hearers]
    ports = {ref for g in groups for refs in g.hearers.values() for ref in refs}
    heard = {ref for g in groups for place, refs in g.hearers.items() if place in first for ref in refs}
    if len(groups) > 1 and ports - heard:
        return None
    hops: list[list[object]] = []
    numbers: dict[State, int] = {}
    for place in wanted:
        for state, step in reach.path(first[place]) if place in first else ():
            if state not in numbers:
                numbers[state] = len(numbers)
                if step is not None and state.by is not None:
                    hops.append([numbers[step.before], step.out.port, state.by.switch, state.by.port, state.domain])
    return {"from": f"{start[0]} {start[1]}", "hops": hops}


def _doubted(network: Network, trees: list[Data]) -> list[str]:
    """Returns the ports of hops that a tree or pruning might shut, and leaves open today."""
    used = {PortRef(*hop[2:4]) for tree in trees for hop in tree["hops"]}
    rings = {link for block in ways_round(network) for link in block.links}
    found = {
        str(end)
        for link in network.links
        if {link.a, link.b} & used
        for end in (link.a, link.b)
        if link in rings or network.switches[end.switch].prunes
    }
    return sorted(found, key=natural)
