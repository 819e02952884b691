"""Questions that are laid over the map: a VLAN, a segment, a claim, a tree, a change."""

from __future__ import annotations

from inkov.drawing.maps import End, Overlay, letters
from inkov.drawing.picture import Tone
from inkov.forwarding.cabling import components
from inkov.forwarding.network import Network
from inkov.kinds.relay import vid_of
from inkov.model.campus import Campus, Claim
from inkov.model.names import natural
from inkov.model.vlanset import Vid, VlanSet
from inkov.plan.change import changes
from inkov.proof.outcome import Broken, CannotTell, Outcome, Passage, Proved, Witness
from inkov.rules.wording import named
from inkov.views.tables import LinkRow, link_rows


def usual(network: Network) -> Overlay:
    """Returns the map as it is: blocked links, and those that carry less than both ends want."""
    network, made = network.followed, Overlay()
    for link, row in zip(network.links, link_rows(network), strict=True):
        ends = (link.a, link.b)
        if row.lost:
            made.links[ends] = Tone.LOST
            lost = VlanSet(v for r in row.lost for v in VlanSet.parse(r.vlans))
            made.ends[link.a] = End(f"lost {_few(lost)}", Tone.LOST)
        elif row.blocked and not row.carried:
            made.links[ends] = Tone.BLOCKED
    return made


def of_vlans(network: Network, vlans: VlanSet, name: str) -> Overlay:
    """Returns where some VLANs are: the switches that relay any, by islands, and what links do with them.

    Args:
        network: the campus with its forwarding.
        vlans: which.
        name: what they are called together.
    """
    network, made = network.followed, Overlay(name, others=Tone.FAINT)
    made.legend = [
        (Tone.CARRIES, "carries it"),
        (Tone.LOST, "does not, though an end wants it"),
        (Tone.BLOCKED, "blocked for it"),
    ]
    joined = []
    for link, row in zip(network.links, link_rows(network), strict=True):
        tone = _of_link(row, vlans)
        if tone is not None:
            made.links[link.a, link.b] = tone
        if tone in {Tone.CARRIES, Tone.BLOCKED}:
            joined.append(link)
        if tone is Tone.LOST:
            made.ends[link.a] = End(f"not {_few(vlans & _lost(row))}", Tone.LOST)
    homes = [n for n in network.switches if network.active(n) & vlans.mask]
    inhabited = {n for v in vlans for n in network.homes(v)}
    islands = [i for i in components(homes, joined) if inhabited & i]
    made.boxes = dict.fromkeys(homes, Tone.CARRIES)
    if len(islands) > 1:
        made.islands = dict(letters(islands))
        by_letter = sorted({(made.islands[next(iter(i))], len(i)) for i in islands}, key=lambda p: natural(p[0]))
        made.parts = [(letter, f"part {letter}: {size} switch{'es' if size > 1 else ''}") for letter, size in by_letter]
    return made


def _few(vlans: VlanSet) -> str:
    """Returns some VLANs as text: the first three, and how many more there are."""
    listed = list(vlans)
    return ",".join(map(str, listed[:3])) + (f" +{len(listed) - 3}" if len(listed) > 3 else "")


def _lost(row: LinkRow) -> VlanSet:
    return VlanSet(v for r in row.lost for v in VlanSet.parse(r.vlans))


def _of_link(row: LinkRow, vlans: VlanSet) -> Tone | None:
    carried = VlanSet.parse(row.carried) & vlans
    blocked = VlanSet.parse(row.blocked) & vlans if row.blocked else VlanSet()
    if carried:
        return Tone.CARRIES
    if blocked:
        return Tone.BLOCKED
    return Tone.LOST if _lost(row) & vlans else None


def of_vlan(network: Network, vid: Vid) -> Overlay:
    """Returns where one VLAN is."""
    return of_vlans(network, VlanSet([vid]), named(network, vid))


def of_tree(network: Network, vid: Vid | None) -> Overlay:
    """Returns a spanning tree: its root, the links in it and those it blocks; that of a VLAN, or the first of each part."""
    network = network.followed
    made = Overlay(f"spanning tree of VLAN {vid}" if vid else "spanning tree", others=Tone.FAINT)
    made.legend = [(Tone.CARRIES, "in the tree"), (Tone.BLOCKED, "blocked"), (Tone.TOUCHED, "the root")]
    for part in network.trees.parts:
        trees = [t for t in part.trees if vid is None or t.vlans >> vid & 1] or part.trees[:1]
        if not trees:
            continue
        tree = trees[0]
        made.boxes |= dict.fromkeys(part.switches, Tone.PLAIN)
        made.boxes |= dict.fromkeys(tree.election.root.values(), Tone.TOUCHED)
        for link in network.links:
            roles = [tree.role(e) for e in (link.a, link.b)]
            said = {r.value for r in roles if r is not None}
            if said & {"alternate", "backup"}:
                made.links[link.a, link.b] = Tone.BLOCKED
                lost = link.a if roles[0] is not None and roles[0].value in {"alternate", "backup"} else link.b
                made.ends[lost] = End("blocked", Tone.BLOCKED)
            elif said:
                made.links[link.a, link.b] = Tone.CARRIES
    return made


def of_claim(network: Network, claim: Claim, outcome: Outcome) -> Overlay:
    """Returns a claim as it was decided: the way by which it is broken, hop by hop with the tags on the wire."""
    match outcome:
        case Proved():
            return Overlay(f"{claim.name}: proved", others=Tone.PLAIN)
        case CannotTell():
            witness = outcome.witnesses[0] if outcome.witnesses else None
            name = f"{claim.name}: cannot tell: {outcome.missing[0] if outcome.missing else ''}"
        case Broken():
            witness = outcome.witnesses[0] if outcome.witnesses else None
            name = f"{claim.name}: broken"
        case _:
            witness, name = None, claim.name
    if not isinstance(witness, Witness):
        return Overlay(name)
    made = Overlay(f"{name}, {witness.start} to {witness.end}", others=Tone.FAINT)
    made.legend = [(Tone.WAY, "the way, numbered hop by hop, with the tag on the wire")]
    _follow(network, [p for p in witness.way if isinstance(p, Passage)], made)
    return made


def _follow(network: Network, way: list[Passage], made: Overlay) -> None:
    joined = {e: link for link in network.followed.links for e in (link.a, link.b)}
    for number, passage in enumerate(way, 1):
        made.boxes[passage.switch] = Tone.WAY
        tag = "untagged" if not passage.leaves else f"tag {'+'.join(str(vid_of(t)) for t in passage.leaves)}"
        if passage.out is not None:
            made.ends[passage.out] = End(f"{number}. out {tag}", Tone.WAY)
            if passage.out in joined:
                link = joined[passage.out]
                made.links[link.a, link.b] = Tone.WAY


def of_change(network: Network, before: Campus, after: Network, name: str) -> Overlay:
    """Returns what a change touches, and which links carry less or nothing after it; drawn on the campus before."""
    network, made = network.followed, Overlay(f"change: {name}", others=Tone.FAINT)
    made.legend = [(Tone.TOUCHED, "changed"), (Tone.LOST, "carries less after it")]
    for change in changes(before, after.campus):
        switch = change.at.partition(":")[0]
        if switch in network.switches:
            made.boxes[switch] = Tone.TOUCHED
    rows = {(r.a, r.b): r for r in link_rows(after)}
    for link, was in zip(network.links, link_rows(network), strict=True):
        now = rows.get((was.a, was.b))
        gone = VlanSet.parse(was.carried) - (VlanSet.parse(now.carried) if now else VlanSet())
        if gone:
            made.links[link.a, link.b] = Tone.LOST
            made.ends[link.a] = End("cut" if now is None or not now.up else f"without {_few(gone)}", Tone.LOST)
        elif now != was:
            made.links[link.a, link.b] = Tone.TOUCHED
    return made
