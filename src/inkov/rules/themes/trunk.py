"""Links between switches: do they form trunks at both ends."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.ladder import Rung
from inkov.forwarding.words import setting
from inkov.model.settings import Setting
from inkov.model.switch import Access, Trunk
from inkov.model.vlanset import VlanSet
from inkov.rules.finding import Fault, Severity
from inkov.rules.leak import Leak
from inkov.rules.pairs import GOOD, PLACE, lost, pair
from inkov.rules.registry import Example, Facts, rule
from inkov.rules.wording import at, cause, members_of, vlans


@rule(
    "trunk/absent",
    Severity.BREACH,
    faults=(1,),
    looks_for="A link between two switches that is an access port at both ends.",
    why="An access port passes one VLAN, untagged. Every other VLAN that both switches use stops there.",
    mend="Make both ends trunks that allow the VLANs of both sides.",
    breaks=Example(pair("{access: 310}", "{access: 310}"), place=PLACE),
    passes=GOOD,
)
def absent(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.joins:
        a, b = network.settled(link.a).switching, network.settled(link.b).switching
        if not (link.up and isinstance(a, Access) and isinstance(b, Access)):
            continue
        both = network.active(link.a.switch) & network.active(link.b.switch) & network.used
        carried = network.ladder(link).carried
        cut = facts.islands.parted(link, VlanSet.from_mask(both) - carried)
        leak = Leak(facts, link)
        yield Fault(
            severity=Severity.BREACH if leak else Severity.OUTAGE if cut else Severity.TIDY,
            place=str(link),
            what=f"Both ends are access ports ({setting(network.settled(link.a))} and {setting(network.settled(link.b))}): "
            + (f"{vlans(cut)} cannot cross." if cut else "no other VLAN will ever cross this link.")
            + (f" {leak}" if leak else ""),
            mend="Make both ends trunks that allow the same VLANs and have the same native VLAN.",
            evidence=tuple(at(network, e, setting(network.settled(e)), Setting.ACCESS) for e in (link.a, link.b)),
            causes=(cause(link.a, Setting.MODE), cause(link.b, Setting.MODE)),
            vlans=cut | leak.vlans,
            joins=leak.vlans,
            members=members_of(network, leak.vlans) or facts.islands.cut_off(link, cut),
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
    breaks=Example(pair("{trunk: '310,330', native: none}", "{access: 310}"), place=PLACE),
    passes=GOOD,
)
def one_sided(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.joins:
        ends = sorted((link.a, link.b), key=lambda e: not isinstance(network.settled(e).switching, Trunk))
        trunk, access = ends
        if not (
            link.up
            and isinstance(network.settled(trunk).switching, Trunk)
            and isinstance(network.settled(access).switching, Access)
        ):
            continue
        gone = lost(facts, link, Rung.TRUNK)
        cut = facts.islands.parted(link, gone)
        leak = Leak(facts, link)
        yield Fault(
            severity=Severity.BREACH if leak else Severity.OUTAGE if cut else Severity.RISK,
            place=str(link),
            what=f"{trunk} is a trunk and {access} an access port: "
            + (f"{vlans(cut)} cannot cross." if cut else f"no tagged frame gets past {access}.")
            + (f" {leak}" if leak else ""),
            mend=f"Make {access} a trunk with the list and native VLAN of {trunk}.",
            evidence=(
                at(network, trunk, setting(network.settled(trunk)), Setting.ALLOWED),
                at(network, access, setting(network.settled(access)), Setting.ACCESS),
            ),
            causes=(cause(access, Setting.MODE),),
            vlans=(cut or gone) | leak.vlans,
            joins=leak.vlans,
            members=members_of(network, leak.vlans) or facts.islands.cut_off(link, cut),
            parts=bool(cut),
        )
