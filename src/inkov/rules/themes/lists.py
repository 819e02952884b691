"""Allowed lists of trunks: the same at both ends, and no longer than needed."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

from inkov.forwarding.cabling import Link
from inkov.forwarding.ladder import Lost, Rung
from inkov.kinds.table import trunk_of
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.vlanset import ALL, Vid, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.pairs import GOOD, PLACE, lost, pair
from inkov.rules.registry import Example, Facts, rule
from inkov.rules.wording import at, cause, joined, vlans


@rule(
    "list/differs",
    Severity.OUTAGE,
    faults=(6, 7),
    looks_for="A trunk whose two ends allow different VLANs, among those either switch uses.",
    why="A VLAN crosses only when both lists hold it. The usual story: a list that was meant to be extended was replaced.",
    mend="Set the same list at both ends.",
    cure=cures.extend_lists,
    breaks=Example(pair("{trunk: '310,330'}", "{trunk: '310'}"), place=PLACE),
    passes=GOOD,
)
def lists_differ(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link, or a row of links that lose a VLAN one after another."""
    network = facts.network
    rows: dict[tuple[Link, ...], list[Vid]] = defaultdict(list)
    for vid in network.islands.split:
        for row in network.islands.chains(vid):
            if all(vid in lost(facts, k, Rung.LISTED) for k in row):
                rows[row].append(vid)
    told: dict[Link, VlanSet] = defaultdict(VlanSet)
    for row, vids in rows.items():
        yield _lost_in_a_row(facts, row, VlanSet(vids))
        for link in row:
            told[link] |= VlanSet(vids)
    for link in network.joins:
        missing = {
            loss.end: replace(loss, vlans=left)
            for loss in network.ladder(link).lost
            if loss.rung is Rung.LISTED and (left := loss.vlans - told[link])
        }
        if not missing:
            continue
        gone = lost(facts, link, Rung.LISTED) - told[link]
        cut = facts.network.islands.parted(link, gone)
        parts = [f"{end} leaves out {loss.vlans}" for end, loss in missing.items()]
        yield Fault(
            severity=Severity.OUTAGE if cut else Severity.RISK,
            place=str(link),
            what=f"The two lists differ ({joined(parts)}): "
            + (
                f"{vlans(cut)} cannot cross and {'its' if len(cut) == 1 else 'their'} members are cut apart."
                if cut
                else f"{vlans(gone)} will not cross when somebody needs {'it' if len(gone) == 1 else 'them'} to."
            ),
            mend=_list_mend(missing)
            if cut or gone & VlanSet.from_mask(network.needs.needed(link))
            else _shorten_mend(link, missing),
            evidence=tuple(at(network, e, f"allows {_list_text(facts, e)}", Setting.ALLOWED) for e in (link.a, link.b)),
            causes=tuple(cause(end, Setting.ALLOWED) for end in missing),
            vlans=cut or gone,
            members=facts.network.islands.cut_off(link, cut),
            parts=bool(cut),
        )


def _lost_in_a_row(facts: Facts, row: tuple[Link, ...], some: VlanSet) -> Fault:
    """Returns the finding about links that all leave out VLANs of which only what is beyond them has members."""
    network = facts.network
    ends = [loss.end for k in row for loss in network.ladder(k).lost if loss.rung is Rung.LISTED and loss.vlans & some]
    return Fault(
        place=joined(map(str, row)),
        what=f"The lists of {joined(map(str, ends))} leave out {vlans(some)}: {'its' if len(some) == 1 else 'their'} members on "
        "both sides are cut apart.",
        mend=f"Add {some} to the lists of {joined(map(str, ends))}.",
        evidence=tuple(at(network, e, f"allows {_list_text(facts, e)}", Setting.ALLOWED) for e in ends),
        causes=tuple(cause(end, Setting.ALLOWED) for end in ends),
        vlans=some,
        members=network.islands.beside_largest(some),
        parts=True,
    )


def _list_mend(missing: dict[PortRef, Lost]) -> str:
    todo = [f"add {loss.vlans} to the list of {end}" for end, loss in missing.items()]
    text = joined(todo)
    return f"{text[0].upper()}{text[1:]}, or take {'it' if sum(len(m.vlans) for m in missing.values()) == 1 else 'them'} off the other end."


def _shorten_mend(link: Link, missing: dict[PortRef, Lost]) -> str:
    todo = [f"take {loss.vlans} off the list of {link.a if end == link.b else link.b}" for end, loss in missing.items()]
    text = joined(todo)
    some = "it" if sum(len(m.vlans) for m in missing.values()) == 1 else "them"
    return f"{text[0].upper()}{text[1:]}, as nobody needs {some} there; or add {some} at the other end."


def _list_text(facts: Facts, end: PortRef) -> str:
    trunk = trunk_of(facts.network.settled(end).switching)
    return (trunk.spelling or str(trunk.allowed)) if trunk else "nothing"


@rule(
    "list/everything",
    Severity.TIDY,
    looks_for="Trunks between switches that allow all VLANs.",
    why="Every VLAN anybody adds anywhere is flooded over such a link at once, needed or not.",
    mend="List the VLANs that are needed behind the link.",
    breaks=Example(pair("{trunk: all}", "{trunk: '310,330'}"), place="archive:u1"),
    passes=GOOD,
)
def everything(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    found: dict[str, list[PortRef]] = defaultdict(list)
    for link in network.joins:
        for end in (link.a, link.b):
            trunk = trunk_of(network.settled(end).switching)
            if trunk and trunk.allowed == ALL and network.relay(end).in_tagged:
                found[end.switch].append(end)
    for switch, ends in found.items():
        names = ports_text([e.port for e in ends])
        yield Fault(
            place=f"{switch}:{names}",
            what=f"{switch}:{names} {'allows' if len(ends) == 1 else 'allow'} all VLANs: each new VLAN anywhere floods "
            f"{'this link' if len(ends) == 1 else 'these links'} at once.",
            mend="List the VLANs that are needed behind the link.",
            evidence=tuple(at(network, e, "allows all", Setting.ALLOWED) for e in ends[:3]),
            causes=tuple(cause(e, Setting.OPEN_LIST) for e in ends),
        )
