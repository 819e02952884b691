"""Dynamic pruning: VLANs kept off a link because nobody behind it said that they are wanted."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.ladder import Rung
from inkov.kinds.table import trunk_of
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import ALL, VlanSet
from inkov.rules.finding import Evidence, Fault, Severity
from inkov.rules.pairs import PLACE, pair
from inkov.rules.registry import Example, Facts, rule
from inkov.rules.wording import at, cause, vlans

_TRUNK = "{trunk: '310,330'}"
_BOTH = {n: t + "pruning: true\n" for n, t in pair(_TRUNK, _TRUNK).items()}
_GOOD = Example(_BOTH)


@rule(
    "prune/silent",
    Severity.OUTAGE,
    faults=(18,),
    looks_for="A VLAN pruned towards a switch that has members of it, or has them behind it, and announces nothing.",
    why="A switch that takes part in pruning sends only what was asked for. The other takes no part, never asks, and its "
    "members are cut off although every list is right.",
    mend="Let the far switch take part in pruning, or make the VLANs fixed on the port towards it.",
    breaks=Example({**_BOTH, "seal-ward.yaml": pair(_TRUNK, _TRUNK)["seal-ward.yaml"]}, place=PLACE),
    passes=_GOOD,
)
def silent(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link end."""
    network = facts.network
    for link in network.joins:
        for near, far in ((link.a, link.b), (link.b, link.a)):
            lost = [k for k in network.ladder(link).lost if k.rung is Rung.PRUNED and k.end == near]
            if not lost:
                continue
            gone = VlanSet(v for k in lost for v in k.vlans) & VlanSet.from_mask(facts.network.needs.needed(link))
            cut = facts.network.islands.parted(link, gone)
            forbidden = cut <= network.port(near).registration.forbidden
            if not cut or (network.switches[far.switch].prunes and not forbidden):  # what is behind it asks for nothing
                continue
            why = (
                f"{near} has them forbidden"
                if forbidden
                else f"{far.switch} needs {'it' if len(cut) == 1 else 'them'} and announces nothing"
            )
            yield Fault(
                place=str(link),
                what=f"{near} prunes {vlans(cut)}, because {why}: {'its' if len(cut) == 1 else 'their'} members are cut apart.",
                mend=f"Take {vlans(cut)} off the forbidden ones of {near}."
                if forbidden
                else f"Let {far.switch} take part in pruning, or make {vlans(cut)} fixed at {near}.",
                evidence=(
                    at(network, near, f"prunes {cut}", Setting.REGISTRATION),
                    Evidence(f"{far.switch} takes {'part' if forbidden else 'no part'}", network.port(far).origin.here),
                ),
                causes=(cause(near, Setting.REGISTRATION),),
                vlans=cut,
                members=facts.network.islands.cut_off(link, cut),
                parts=bool(cut),
            )


@rule(
    "prune/one-sided",
    Severity.RISK,
    faults=(18,),
    looks_for="Dynamic pruning at one end of a trunk only.",
    why="The end that prunes hears no wishes from the other: the first member there, or behind it, will be cut off.",
    mend="Let both ends take part, or make the VLANs fixed on the port that prunes.",
    breaks=Example(
        {
            "archive.yaml": _BOTH["archive.yaml"],
            "seal-ward.yaml": pair(_TRUNK, _TRUNK)["seal-ward.yaml"].replace(
                "1: {access: 310}, 2: {access: 330}, ", ""
            ),
        },
        place=PLACE,
    ),
    passes=_GOOD,
)
def one_sided(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.joins:
        takes = [network.switches[e.switch].prunes for e in (link.a, link.b)]
        if takes[0] == takes[1] or not network.passes(link):
            continue
        near, far = (link.a, link.b) if takes[0] else (link.b, link.a)
        if VlanSet.from_mask(network.passes(link)) & network.port(near).registration.normal - VlanSet([DEFAULT_VLAN]):
            yield Fault(
                place=str(link),
                what=f"{near} prunes what {far.switch} does not ask for, and {far.switch} takes no part in pruning: it never asks.",
                mend=f"Let {far.switch} take part in pruning, or make the VLANs fixed at {near}.",
                evidence=(
                    at(network, near, "prunes", Setting.REGISTRATION),
                    Evidence("takes no part", network.port(far).origin.here),
                ),
                causes=(cause(near, Setting.REGISTRATION),),
            )


@rule(
    "prune/twice",
    Severity.TIDY,
    faults=(18,),
    looks_for="A port that registers single VLANs as normal, so that they may be pruned, which its allowed list leaves out anyway.",
    why="Nothing is left to prune. Whoever reads it believes that the VLAN crosses there when it is wanted.",
    mend="Take the VLANs off the normal ones, or put them on the allowed list.",
    breaks=Example(
        {
            n: t.replace("{trunk: '310,330'}", "{trunk: '310,330', registration: {normal: '310,340'}}")
            if n[0] == "a"
            else t
            for n, t in _BOTH.items()
        },
        place="archive:u1",
    ),
    passes=_GOOD,
)
def twice(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    for link in network.joins:
        for end in (link.a, link.b):
            switching, normal = trunk_of(network.settled(end).switching), network.port(end).registration.normal
            if switching is None or not network.switches[end.switch].prunes or len(normal) > len(ALL) // 2:
                continue
            idle = normal - switching.allowed
            if idle:
                yield Fault(
                    place=str(end),
                    what=f"{vlans(idle)} {'is' if len(idle) == 1 else 'are'} registered as normal at {end}, whose list leaves "
                    f"{'it' if len(idle) == 1 else 'them'} out anyway.",
                    mend=f"Take {vlans(idle)} off the normal ones of {end}, or put {'it' if len(idle) == 1 else 'them'} on its list.",
                    evidence=(
                        at(network, end, f"normal {normal}", Setting.REGISTRATION),
                        at(network, end, "its list", Setting.ALLOWED),
                    ),
                    causes=(cause(end, Setting.NEVER_PRUNED),),
                )
