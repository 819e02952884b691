"""Links between switches: do they form trunks at both ends."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.ladder import Rung
from inkov.kinds.table import access_of, setting_words, subinterfaces, trunk_of
from inkov.model.settings import Setting
from inkov.model.switch import Kind
from inkov.model.vlanset import VlanSet
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.leak import Leak
from inkov.rules.pairs import GOOD, PLACE, lost, pair
from inkov.rules.registry import Example, Facts, rule
from inkov.rules.wording import at, cause, vlans
from inkov.steps.settings import PortChange


@rule(
    "trunk/absent",
    Severity.BREACH,
    faults=(1,),
    looks_for="A link between two switches that is an access port at both ends.",
    why="An access port passes one VLAN, untagged. Every other VLAN that both switches use stops there.",
    mend="Make both ends trunks that allow the VLANs of both sides.",
    cure=cures.make_both_ends_trunks,
    breaks=Example(pair("{access: 310}", "{access: 310}"), place=PLACE),
    passes=GOOD,
)
def absent(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.joins:
        if not link.up or not all(access_of(network.settled(e).switching) for e in (link.a, link.b)):
            continue
        both = network.active(link.a.switch) & network.active(link.b.switch) & network.used
        carried = network.ladder(link).carried
        cut = facts.network.islands.parted(link, VlanSet.from_mask(both) - carried)
        leak = Leak(facts, link)
        yield Fault(
            severity=Severity.BREACH if leak.meets else Severity.OUTAGE if cut else Severity.TIDY,
            place=str(link),
            what=f"Both ends are access ports ({setting_words(network.settled(link.a))} and {setting_words(network.settled(link.b))}): "
            + (f"{vlans(cut)} cannot cross." if cut else "no other VLAN will ever cross this link.")
            + (f" {leak}" if leak else ""),
            mend="If this is a patch cable between two sockets, pull it; else move the socket that is in the wrong VLAN: other links "
            "join the two switches already."
            if network.needs.ring(link)
            else "Make both ends trunks that allow the same VLANs and have the same native VLAN.",
            evidence=tuple(at(network, e, setting_words(network.settled(e)), Setting.ACCESS) for e in (link.a, link.b)),
            causes=(cause(link.a, Setting.MODE), cause(link.b, Setting.MODE)),
            vlans=cut | leak.vlans,
            joins=leak.joins,
            members=leak.stations or facts.network.islands.cut_off(link, cut),
            parts=bool(cut),
        )


@rule(
    "trunk/one-sided",
    Severity.BREACH,
    faults=(2, 21),
    looks_for="A link that is a trunk at one end and an access port at the other.",
    why="The access end drops every tagged frame. Only the one VLAN that the trunk sends untagged gets across, and it may "
    "arrive in another VLAN.",
    mend="Make the access end a trunk with the same list and native VLAN as the other end.",
    cure=cures.make_the_other_end_a_trunk,
    breaks=Example(pair("{trunk: '310,330', native: none}", "{access: 310}"), place=PLACE),
    passes=GOOD,
)
def one_sided(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.joins:
        ends = sorted((link.a, link.b), key=lambda e: not trunk_of(network.settled(e).switching))
        trunk, access = ends
        if not (
            link.up and trunk_of(network.settled(trunk).switching) and access_of(network.settled(access).switching)
        ):
            continue
        gone = lost(facts, link, Rung.TRUNK)
        cut = facts.network.islands.parted(link, gone)
        leak = Leak(facts, link)
        yield Fault(
            severity=Severity.BREACH if leak.meets else Severity.OUTAGE if cut else Severity.RISK,
            place=str(link),
            what=f"{trunk} is a trunk and {access} an access port: "
            + (f"{vlans(cut)} cannot cross." if cut else f"no tagged frame gets past {access}.")
            + (f" {leak}" if leak else ""),
            mend=f"Make {access} a trunk with the list and native VLAN of {trunk}.",
            evidence=(
                at(network, trunk, setting_words(network.settled(trunk)), Setting.ALLOWED),
                at(network, access, setting_words(network.settled(access)), Setting.ACCESS),
            ),
            causes=(cause(access, Setting.MODE),),
            vlans=(cut or gone) | leak.vlans,
            joins=leak.joins,
            members=leak.stations or facts.network.islands.cut_off(link, cut),
            parts=bool(cut),
        )


@rule(
    "trunk/routed",
    Severity.OUTAGE,
    faults=(1,),
    looks_for="A link between two switches that is a routed port at one end and carries VLANs at the other.",
    why="VLANs end at a routed port. What the trunk at the other end sends stops there.",
    mend="Make the routed end a trunk with the list of the other end, or route at both ends.",
    breaks=Example(pair("{trunk: '310,330'}", "{mode: routed}"), place=PLACE),
    passes=GOOD,
)
def routed(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link; a routed port with gateways on it is meant, and its trunk is the other end's affair."""
    network = facts.network
    for link in network.joins:
        ends = sorted((link.a, link.b), key=lambda e: subinterfaces(network.settled(e).switching) is None)
        own, far = ends
        trunk = trunk_of(network.settled(far).switching)
        if not link.up or subinterfaces(network.settled(own).switching) is None or trunk is None:
            continue
        meant = any(i.port == own for i in network.gateways.of(own.switch))
        if meant or {network.switches[e.switch].kind for e in ends} != {Kind.SWITCH}:
            continue
        both = VlanSet.from_mask(network.active(own.switch) & network.active(far.switch) & network.used) & trunk.allowed
        cut = network.islands.parted(link, both)
        yield Fault(
            severity=Severity.OUTAGE if cut or both & network.islands.split else Severity.RISK,
            place=str(link),
            what=f"{own} is a routed port and {far} a trunk: "
            + (f"{vlans(cut)} cannot cross." if cut else "no VLAN crosses this link."),
            mend=f"Make {own} a trunk with the list of {far}.",
            evidence=(
                at(network, own, "routed", Setting.MODE),
                at(network, far, setting_words(network.settled(far)), Setting.ALLOWED),
            ),
            causes=(
                cause(own, Setting.MODE),
                cause(far, Setting.MODE),
                cause(own, Setting.ALLOWED),
                cause(far, Setting.ALLOWED),
            ),
            vlans=cut or both,
            members=network.islands.cut_off(link, cut),
            parts=bool(cut),
            cure=(cures.set_at(own, PortChange(trunk=trunk.allowed, native=trunk.native)),) if cut else (),
        )
