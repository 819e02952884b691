"""Spanning trees as plain data: the root, every switch's way to it, and every blocked port with why it lost."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

from inkov.forwarding.election import Basis, Beaten, Election
from inkov.forwarding.network import Network
from inkov.forwarding.trees import Part, Tree
from inkov.model.names import PortRef, natural
from inkov.model.switch import Kind
from inkov.model.tree import Protocol
from inkov.model.vlanset import VlanSet


@dataclass(frozen=True, slots=True)
class TreeRow:
    """A switch in a tree.

    Attributes:
        switch: its name.
        depth: links between it and the root.
        cost: its root path cost; inside an MSTP region the inner cost is added.
        priority: its bridge priority in this tree.
        port: its root port; empty on the root.
        towards: the port at the other end; several where an unmanaged device is between.
    """

    switch: str
    depth: int
    cost: int
    priority: int
    port: str
    towards: str


@dataclass(frozen=True, slots=True)
class BlockedRow:
    """A blocked port.

    Attributes:
        port: which.
        role: alternate or backup.
        towards: the other end of its cable.
        basis: what decided: cost, sender or port.
        why: that in a sentence.
    """

    port: str
    role: str
    towards: str
    basis: str
    why: str


@dataclass(frozen=True, slots=True)
class TreeView:
    """One tree.

    Attributes:
        protocols: what its switches run.
        number: 0 where one tree serves all VLANs; the instance with MSTP; else the lowest VLAN it is for.
        vlans: the VLANs in use that it decides about, as range text.
        switches: how many switches are in it.
        root: the root bridge; empty when it is not known.
        root_priority: its priority.
        chosen: its priority is lower than that of any other switch, so somebody chose it.
        rows: its switches, the root first, each below the one it hangs on.
        blocked: its blocked ports, in natural order.
        unknown: why today's tree is not known; empty when it is.
    """

    protocols: tuple[str, ...]
    number: int
    vlans: str
    switches: int
    root: str
    root_priority: int
    chosen: bool
    rows: tuple[TreeRow, ...]
    blocked: tuple[BlockedRow, ...]
    unknown: str


@dataclass(frozen=True, slots=True)
class TreesView:
    """All trees of a campus.

    Attributes:
        trees: those of parts with two switches or more, the part of the first switch first.
        without: switches that run no tree although they have links to others.
    """

    trees: tuple[TreeView, ...]
    without: tuple[str, ...]


def trees_view(network: Network, vlans: VlanSet | None = None, switches: frozenset[str] | None = None) -> TreesView:
    """Returns the trees, of some VLANs and with some switches only."""
    network = network.followed
    found: list[TreeView] = []
    for part in network.trees.parts:
        if len(part.switches) > 1 and (switches is None or not switches.isdisjoint(part.switches)):
            found += _views(network, part, vlans)
    without = [
        n
        for n, s in network.switches.items()
        if s.kind is Kind.SWITCH and s.tree.protocol is Protocol.OFF and n in network.links_at
    ]
    return TreesView(tuple(found), tuple(without))


def _views(network: Network, part: Part, vlans: VlanSet | None) -> Iterator[TreeView]:
    protocols = {p.value if (p := network.switches[n].tree.protocol) else "not stated" for n in part.switches}
    words = tuple(sorted(protocols))
    if part.unknown:
        yield TreeView(words, 0, "", len(part.switches), "", 0, chosen=False, rows=(), blocked=(), unknown=part.unknown)
    for tree in part.trees:
        shown = VlanSet.from_mask(tree.vlans & network.used)
        if len(tree.election.root) < 2 or (vlans is not None and not shown & vlans):
            continue
        for root in sorted(set(tree.election.root.values()), key=natural):
            yield _view(network, tree, root, words, shown if vlans is None else shown & vlans)


def _view(network: Network, tree: Tree, root: str, protocols: tuple[str, ...], shown: VlanSet) -> TreeView:
    election = tree.election
    names = [n for n, r in election.root.items() if r == root]
    priorities = {n: network.switches[n].tree.priority_in(tree.number) for n in names}
    others = [p for n, p in priorities.items() if n != root]
    return TreeView(
        protocols=protocols,
        number=tree.number,
        vlans=str(shown),
        switches=len(names),
        root=root,
        root_priority=priorities[root],
        chosen=all(priorities[root] < p for p in others),
        rows=tuple(_rows(network, election, root, priorities)),
        blocked=tuple(
            BlockedRow(str(ref), election.role[ref].value, _towards(network, ref), beaten.basis.value, why(ref, beaten))
            for ref, beaten in sorted(election.beaten.items(), key=lambda item: item[0].order)
            if ref.switch in names
        ),
        unknown="",
    )


def _rows(network: Network, election: Election, root: str, priorities: dict[str, int]) -> Iterator[TreeRow]:
    below: dict[str, list[str]] = defaultdict(list)
    for name in priorities:
        if name != root and (port := election.root_port.get(name)) is not None:
            below[_above(network, election, port)].append(name)
    todo = [(root, 0)]
    while todo:
        name, depth = todo.pop()
        port = election.root_port.get(name)
        yield TreeRow(
            name,
            depth,
            election.cost[name],
            priorities[name],
            port.port if port else "",
            _towards(network, port) if port else "",
        )
        todo += [(n, depth + 1) for n in sorted(below[name], key=natural, reverse=True)]


def _above(network: Network, election: Election, port: PortRef) -> str:
    """Returns the switch that a root port hangs on."""
    lan = network.trees.lan_of.get(port, ())
    others = [e for e in lan if e.switch != port.switch and (role := election.role.get(e)) and role.forwards]
    return min(others, key=lambda e: (election.cost[e.switch], e.order)).switch if others else ""


def _towards(network: Network, ref: PortRef) -> str:
    return ", ".join(str(e) for e in network.trees.lan_of.get(ref, ()) if e != ref)


def why(ref: PortRef, beaten: Beaten) -> str:
    """Returns in a sentence why a port is blocked."""
    by = beaten.by
    if by.switch == ref.switch:
        if beaten.basis is Basis.COST:
            return f"{by.port} leads to the same switch for less: {beaten.other} against {beaten.own}"
        return f"{by.port} does the same and comes first by its port number or priority"
    if beaten.basis is Basis.COST:
        return f"{by.switch} is nearer to the root: cost {beaten.other} against {beaten.own} here"
    return f"both ends are at cost {beaten.own}, and {by.switch} has the lower bridge identifier"
