"""Rings: where there are two ways, and what happens to VLANs when the tree shuts one of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import reduce
from itertools import groupby
from operator import or_

from inkov.forwarding.cabling import Link
from inkov.forwarding.ladder import Lost, Rung
from inkov.forwarding.loops import loops
from inkov.forwarding.trees import Part
from inkov.kinds.table import passes_vlans
from inkov.model.names import PortRef, natural
from inkov.model.settings import Setting
from inkov.model.switch import Kind
from inkov.model.tree import Protocol
from inkov.model.vlanset import NONE, VlanSet
from inkov.rules import cures, table_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule
from inkov.rules.triangle import OTHER, ROOT, triangle
from inkov.rules.wording import at, cause, count, joined, members_of, named, vlan_cause, vlans

_OFF = "{protocol: 'off'}"
_EACH = ("{protocol: per-vlan, priority: 4096}", "{protocol: per-vlan}", "{protocol: per-vlan}")
_GOOD = Example(triangle())
_TRIANGLE = "archive, pump-loft, seal-ward"


_MANY = 12
"""Switches that the place of a ring names; of more, the first few."""


def _around(links: tuple[Link, ...]) -> str:
    """Returns the switches of a ring as its place."""
    names = _switches(links)
    return ", ".join(names) if len(names) <= _MANY else joined(names)


def _switches(links: tuple[Link, ...]) -> list[str]:
    return sorted({e.switch for k in links for e in (k.a, k.b)}, key=natural)


def _cables(facts: Facts, links: tuple[Link, ...]) -> tuple[Evidence, ...]:
    return tuple(
        Evidence(str(k), k.wires[0].source if k.wires else facts.network.port(k.a).origin.here) for k in links[:4]
    )


@rule(
    "ring/loop",
    Severity.OUTAGE,
    faults=(13,),
    looks_for="A ring of links that carry a VLAN all round, with no spanning tree to keep one of them shut.",
    why="The first broadcast goes round for ever and is copied at every switch: within seconds nothing else gets through.",
    mend="Let the switches of the ring run a tree, or unplug one link.",
    cure=table_cures.run_the_usual_tree,
    breaks=Example(triangle((ROOT, _OFF, OTHER)), place=_TRIANGLE),
    passes=_GOOD,
)
def loop(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a ring."""
    network = facts.network
    for found in loops(network):
        ends = {e for k in found.links for e in (k.a, k.b)}
        silent = sorted(
            {
                e.switch
                for e in ends
                if network.switches[e.switch].kind is Kind.SWITCH
                and network.switches[e.switch].tree.protocol is Protocol.OFF
            },
            key=natural,
        )
        shut_off = sorted((e for e in ends if not network.port(e).tree.runs), key=lambda e: e.order)
        hubs = sorted(s for s in {e.switch for e in ends} if network.switches[s].kind is Kind.UNMANAGED)
        why = (
            f"{joined(silent)} {'runs' if len(silent) == 1 else 'run'} no tree"
            if silent
            else f"{joined(map(str, shut_off))} {'does' if len(shut_off) == 1 else 'do'} not heed the tree"
            if shut_off
            else f"{joined(hubs)} cannot run a tree"
            if hubs
            else "no tree sees it"
        )
        yield Fault(
            place=_around(found.links),
            what=f"{vlans(found.vlans)} {'goes' if len(found.vlans) == 1 else 'go'} round in a ring of {count(len(found.links), 'link')}, "
            f"and {why}: one broadcast is enough to drown everything.",
            mend="Let the switches of the ring run a tree; until then unplug one of its links.",
            evidence=(
                *(Evidence("no tree", network.switches[n].origin.of(Setting.TREE_PROTOCOL)) for n in silent[:3]),
                *_cables(facts, found.links),
            ),
            causes=tuple(Cause(n, Setting.TREE_PROTOCOL) for n in silent)
            + tuple(cause(e, Setting.PORT_TREE) for e in shut_off),
            vlans=found.vlans,
            members=members_of(network, found.vlans),
            parts=True,
        )


@rule(
    "ring/unknown",
    Severity.RISK,
    faults=(13,),
    looks_for="A ring of links where it is not known which of them the spanning tree keeps shut, or whether one runs at all.",
    why="Without a tree a ring is a loop. With one, some link is shut, and what only that link allows does not get through.",
    mend="State the tree of each switch: the protocol, and its address.",
    breaks=Example(triangle((ROOT, OTHER, "{}")), place=_TRIANGLE),
    passes=_GOOD,
)
def unknown(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a ring."""
    network = facts.network
    for block in facts.network.needs.blocks:
        doubts = {d: e for k in block.links for e in (k.a, k.b) if (d := network.trees.doubt(e))}
        if block.ring and doubts:
            doubt, end = next(iter(doubts.items()))
            yield Fault(
                place=_around(block.links),
                what=f"There are two ways between {joined(_switches(block.links), 3)}, and which one is shut is not known: {doubt}.",
                mend=_tree_line(facts, block.links),
                evidence=(
                    Evidence("tree", network.switches[end.switch].origin.of(Setting.TREE_PROTOCOL)),
                    *_cables(facts, block.links),
                ),
                causes=tuple(Cause(e.switch, Setting.NO_TREE) for k in block.links for e in (k.a, k.b))
                + tuple(_unformed(facts, doubt, block.links)),
                follows=True,
            )


def _tree_line(facts: Facts, ring: tuple[Link, ...]) -> str:
    """Says what to state, and where: of exports that cannot say it, in the campus file."""
    switches = facts.network.switches
    names = sorted({e.switch for k in ring for e in (k.a, k.b)}, key=natural)
    unstated = [n for n in names if switches[n].kind is Kind.SWITCH and switches[n].tree.protocol is None]
    if not unstated:
        return "State which tree each of them runs, and its address."
    whom = unstated[0] if len(unstated) <= _MANY else "'*'"  # what a switch's own file says stays
    usual = next((p.value for n in names if (p := switches[n].tree.protocol) is not None), "rstp")
    return (
        f"State which tree {joined(unstated)} {'runs' if len(unstated) == 1 else 'run'}: in the campus file, "
        f"switches-are: {{{whom}: {{tree: {{protocol: {usual}}}}}}}."
    )


def _unformed(facts: Facts, doubt: str, ring: tuple[Link, ...]) -> Iterator[Cause]:
    """Yields the settings of LAGs that do not form, or are none at one end, where those are why the tree is not known."""
    network = facts.network
    for link in network.links:
        lags = [network.port(e).is_lag for e in (link.a, link.b)]
        if any(lags) and network.lag_failure(link) and (link in ring or str(link.a) in doubt):
            yield from (cause(e, s) for e in (link.a, link.b) for s in (Setting.LACP, Setting.LAG))
    for link in ring:
        for end in (link.a, link.b):
            yield Cause(end.switch, Setting.TREE_PRIORITY)


def _gaps(facts: Facts) -> Iterator[tuple[Part, tuple[Link, ...], Link, VlanSet]]:
    """Yields each link of a ring that does not carry a VLAN which the ring needs, though other links of it do."""
    network = facts.network
    for block in facts.network.needs.blocks:
        part = network.trees.part_of(str(block.top)) if block.ring else None
        if part is None:
            continue
        somewhere = 0
        for link in block.links:
            somewhere |= network.passes(link)
        for link in block.links:
            if all(network.switches[e.switch].kind is Kind.SWITCH for e in (link.a, link.b)):
                needed = network.needs.needed(link) & network.used
                missing = VlanSet.from_mask(needed & somewhere & ~network.passes(link))
                if missing:
                    yield part, block.links, link, missing


def _losses(facts: Facts, link: Link, some: VlanSet) -> list[Lost]:
    return [loss for loss in facts.network.ladder(link).lost if loss.vlans & some and not loss.rung.by_design]


def _blame(facts: Facts, link: Link, some: VlanSet) -> tuple[tuple[Evidence, ...], tuple[Cause, ...], str]:
    """Returns the facts, the causes and the mend of a link that does not carry some VLANs."""
    found = _losses(facts, link, some)
    if not found:
        ends = (link.a, link.b)
        evidence = tuple(at(facts.network, e, f"{vlans(some)} not in its list", Setting.ALLOWED) for e in ends)
        return (
            evidence,
            tuple(cause(e, Setting.ALLOWED) for e in ends),
            f"Add {vlans(some)} to the lists of {link.a} and {link.b}",
        )
    causes = tuple(c for loss in found for c in _causes(link, loss))
    listed = [str(loss.end) for loss in found if loss.rung is Rung.LISTED]
    mend = f"Add {vlans(some)} to the list of {joined(listed)}" if listed else f"Let {link} carry {vlans(some)}"
    return tuple(Evidence(str(loss), loss.source) for loss in found), causes, mend


_SETTINGS = {
    Rung.LAG: Setting.LACP,
    Rung.TRUNK: Setting.MODE,
    Rung.FORMAT: Setting.TAGS,
    Rung.NATIVE: Setting.NATIVE,
    Rung.ENABLED: Setting.ENABLED,
}


def _causes(link: Link, loss: Lost) -> Iterator[Cause]:
    """Yields the settings that a rule about the loss itself blames, so that the ring is folded into what it says."""
    if loss.rung in _SETTINGS:
        yield from (cause(e, _SETTINGS[loss.rung]) for e in (link.a, link.b))
    elif loss.rung is Rung.LISTED:
        yield cause(loss.end, Setting.ALLOWED)
    else:
        yield from (vlan_cause(loss.end.switch, v) for v in loss.vlans)


def _follows(facts: Facts, link: Link, some: VlanSet) -> bool:
    """Tells whether a link loses VLANs for a reason that a rule of its own names: anything but its lists."""
    ends = [facts.network.settled(e) for e in (link.a, link.b)]
    if not all(passes_vlans(port) for port in ends):
        return True
    return any(loss.rung is not Rung.LISTED for loss in _losses(facts, link, some))


@rule(
    "ring/cut",
    Severity.OUTAGE,
    faults=(7, 13),
    looks_for="A link that the spanning tree keeps shut and that is the only one which allows a VLAN.",
    why="One tree serves all VLANs and does not look at allowed lists. What only the shut link allows cannot get through, "
    "though every list looks right on the way that was meant.",
    mend="Allow the VLAN on every link of the ring.",
    cure=cures.carry_round,
    breaks=Example(triangle(lists=("330", "310,330", "310,330")), place="archive:u1 <-> seal-ward:u1"),
    passes=_GOOD,
)
def cut(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link that lacks VLANs."""
    network = facts.network
    for _, ring, link, left_out in _gaps(facts):
        missing = left_out - _kept_away(facts, ring, link, left_out)
        parted: dict[PortRef, list[int]] = defaultdict(list)
        for vid in missing & facts.network.islands.split:
            for other in ring:
                for end in (other.a, other.b):
                    shut = (network.trees.blocks(end) & network.passes(other)) >> vid & 1
                    if shut and facts.network.islands.parted(other, VlanSet([vid])):
                        parted[end].append(vid)
        for end, vids in parted.items():
            some = VlanSet(vids)
            evidence, causes, mend = _blame(facts, link, some)
            closed = Evidence(f"shut by the tree at {end}", network.port(end).origin.of(Setting.PORT_TREE))
            yield Fault(
                place=str(link),
                what=f"{named(network, vids[0]) if len(vids) == 1 else vlans(some)} cannot get through: the tree keeps {end} shut, "
                f"and the way it leaves open does not carry {'it' if len(vids) == 1 else 'them'} at {link}.",
                mend=f"{mend}, so that every link of the ring carries {'it' if len(vids) == 1 else 'them'}.",
                evidence=(*evidence, closed),
                causes=causes,
                vlans=some,
                members=facts.network.islands.beside_largest(some),
                parts=True,
                follows=_follows(facts, link, some),
            )


def _gap_finding(facts: Facts, link: Link, some: VlanSet, *, each: bool) -> Fault:
    network = facts.network
    evidence, causes, mend = _blame(facts, link, some)
    its = "its" if len(some) == 1 else "their"
    them = "it" if len(some) == 1 else "them"
    effect = (
        f"when one of the other links fails, {its} members are cut apart, although there is a second way."
        if each
        else f"when the tree opens this link instead of another, {its} members are cut apart."
    )
    return Fault(
        severity=Severity.TIDY if each else Severity.RISK,
        place=str(link),
        what=f"{vlans(some)} {'crosses' if len(some) == 1 else 'cross'} the ring, but not {link}: {effect}",
        mend=f"{mend}, so that every link of the ring carries {them}.",
        evidence=evidence,
        causes=causes,
        vlans=some,
        members=members_of(network, some),
        follows=_follows(facts, link, some),
    )


@rule(
    "ring/gap",
    Severity.RISK,
    faults=(7,),
    looks_for="A ring under one spanning tree in which a link does not carry a VLAN that the ring needs.",
    why="All is well until the tree changes: a link fails, a switch is replaced, and the tree opens the very link that leaves "
    "the VLAN out.",
    mend="Allow the VLAN on every link of the ring.",
    cure=cures.add_left_out,
    breaks=Example(triangle(lists=("310,330", "310,330", "330")), place="pump-loft:u2 <-> seal-ward:u2"),
    passes=_GOOD,
)
def gap(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link; one for all links of a ring of which very many leave VLANs out."""
    for (part, ring), gaps in groupby(_gaps(facts), key=lambda gap: gap[:2]):
        if _per_vlan(facts, part):
            continue
        told = [(link, left) for *_, link, some in gaps if (left := some - facts.network.islands.split)]
        kept = {link: _kept_away(facts, ring, link, some) for link, some in told}
        if by_design := [(link, some) for link, some in kept.items() if some]:
            yield _design(facts, ring, by_design, unknown=bool(part.unknown))
        whole = [(link, left) for link, some in told if (left := some - kept[link])]
        if len(whole) > _MANY:
            yield _gaps_finding(facts, ring, whole, unknown=bool(part.unknown))
        else:
            yield from (_gap_finding(facts, link, some, each=False) for link, some in whole)


def _kept_away(facts: Facts, ring: tuple[Link, ...], link: Link, some: VlanSet) -> VlanSet:
    """Returns those of some VLANs that a link leaves out by design: a switch there has no members, and no link of the ring brings them."""
    network, kept = facts.network, NONE
    for name in (link.a.switch, link.b.switch):
        brought = NONE
        for other in ring:
            if name in {other.a.switch, other.b.switch}:
                brought |= VlanSet.from_mask(network.passes(other))
        kept |= VlanSet(v for v in some - brought if name not in network.members.get(v, {}))
    return kept


def _design(facts: Facts, ring: tuple[Link, ...], gaps: list[tuple[Link, VlanSet]], *, unknown: bool) -> Fault:
    left_out = reduce(or_, (some for _, some in gaps))
    evidence = tuple(e for link, some in gaps[:2] for e in _blame(facts, link, some)[0])
    return Fault(
        severity=Severity.TIDY,
        place=_around(ring),
        what=f"{vlans(left_out)} {'is' if len(left_out) == 1 else 'are'} kept off switches of this ring that have no members: "
        "when the tree leads the others through such a switch, members are cut apart.",
        mend=f"Allow them on each link of the ring{_STATE if unknown else ''}; or keep it so and say why: `waive` with "
        "`rule: ring/gap` in the campus file.",
        evidence=evidence,
        causes=tuple(dict.fromkeys(cause(link.a, Setting.ALLOWED) for link, _ in gaps)),
        vlans=left_out,
        members=members_of(facts.network, left_out),
    )


_STATE = ", or state the priority and the address of each switch: what no tree leads others through needs its own VLANs alone"


def _gaps_finding(facts: Facts, ring: tuple[Link, ...], gaps: list[tuple[Link, VlanSet]], *, unknown: bool) -> Fault:
    left_out = reduce(or_, (some for _, some in gaps))
    blamed = [_blame(facts, link, some) for link, some in gaps]
    (link, first), *_ = gaps
    return Fault(
        place=_around(ring),
        what=f"{len(gaps)} of the {count(len(ring), 'link')} of this ring leave out VLANs that cross it, {link} {vlans(first)}: "
        "when the tree opens one of them instead of another, members are cut apart.",
        mend=f"Allow what crosses the ring on each of its links{_STATE if unknown else ''}.",
        evidence=tuple(e for evidence, _, _ in blamed[:2] for e in evidence),
        causes=tuple(dict.fromkeys(c for _, causes, _ in blamed for c in causes)),
        vlans=left_out,
        members=members_of(facts.network, left_out),
    )


@rule(
    "ring/single",
    Severity.TIDY,
    faults=(13,),
    looks_for="A ring under a tree per VLAN in which a VLAN has one way only: a single point of failure.",
    why="The second way was cabled and paid for, and does not help this VLAN: the next cut cable parts its members.",
    mend="Allow the VLAN on every link of the ring.",
    breaks=Example(triangle(_EACH, ("310,330", "310,330", "330")), place="pump-loft:u2 <-> seal-ward:u2"),
    passes=Example(triangle(_EACH)),
)
def single(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    for part, _, link, missing in _gaps(facts):
        if _per_vlan(facts, part) and (whole := missing - facts.network.islands.split):
            yield _gap_finding(facts, link, whole, each=True)


def _per_vlan(facts: Facts, part: Part) -> bool:
    return all(facts.network.switches[n].tree.protocol is Protocol.PER_VLAN for n in part.switches)
