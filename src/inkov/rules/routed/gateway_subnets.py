"""Gateways against the subnets and the names of their VLANs: an address outside of its own, two that overlap, a name of another."""

from __future__ import annotations

import re
from collections.abc import Iterator

from inkov.forwarding.gateways import Interface
from inkov.forwarding.network import Network
from inkov.model.campus import Segment
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_cause, gateway_fact
from inkov.rules.wording import joined, members_of, named


def _core(gateways: str) -> dict[str, str]:
    ports = "{1-4: {access: 340}, 5-8: {access: 350}}"
    return {"core.yaml": switch_text("core", "{340: research, 350: kiosks}", ports, gateways=gateways, routing="true")}


_GOOD = "{340: 198.51.100.33/27, 350: 192.0.2.97/27}"


_SEGMENTS = (
    "inkov: campus\nname: x\nsegments:\n"
    "  research: {vlan: 340, subnet: 198.51.100.32/27}\n  kiosks: {vlan: 350, subnet: 192.0.2.96/27}\n"
)


@rule(
    "gateway/subnet",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Gateways whose address is outside the subnet of the segment they serve, by their VLAN or their tag.",
    why="The stations there look for their gateway in vain, and those whose address it has cannot reach it.",
    mend="Set the VLAN or the tag that was meant, or the address.",
    breaks=Example({**_core("{340: 192.0.2.98/27}"), "campus.yaml": _SEGMENTS.replace("kiosks", "k")}, place="core"),
    passes=Example({**_core(_GOOD), "campus.yaml": _SEGMENTS}),
)
def subnet(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a gateway."""
    network = facts.network
    declared = [s for s in network.campus.segments.values() if s.subnets and s.ports is None]
    for interface in facts.network.gateways.all:
        for vid in facts.network.gateways.vlans(interface):
            mine = [p for s in declared if vid in s.vlans for p in s.subnets]
            astray = [
                a for a in interface.gateway.addresses if not any(a.ip in p for p in mine if p.version == a.version)
            ]
            if not any(p.version == a.version for p in mine for a in astray):
                continue
            meant = [
                s.name for s in declared for p in s.subnets if any(a.ip in p for a in astray if p.version == a.version)
            ]
            fits = f"; the address is one of {joined(meant)}" if meant else ""
            others = [
                i
                for i in network.gateways.of(interface.device)
                if i != interface and _serves(network, i, declared, meant)
            ]
            by = f"its tag {interface.gateway.vid}" if interface.port and interface.gateway.vid else f"VLAN {vid}"
            yield Fault(
                place=str(interface.port or interface.device),
                what=f"By {by} the gateway {joined(map(str, astray))} of {interface.device} serves {named(network, vid)}, "
                f"whose subnet is {joined(map(str, mine))}{fits}.",
                mend="Set the VLAN or tag that was meant, or the address.",
                evidence=(
                    gateway_fact(interface),
                    *(
                        Evidence(f"{s.name} has {joined(map(str, s.subnets))}", s.source)
                        for s in declared
                        if vid in s.vlans
                    ),
                ),
                causes=(gateway_cause(interface), *map(gateway_cause, others)),
                vlans=VlanSet([vid]),
                members=members_of(network, VlanSet([vid])),
            )


def _serves(network: Network, interface: Interface, declared: list[Segment], names: list[str]) -> bool:
    """Tells whether a gateway is in a VLAN of some segments: where another's address fits it, the two are mixed up."""
    return any(v in s.vlans for s in declared if s.name in names for v in network.gateways.vlans(interface))


@rule(
    "gateway/overlap",
    Severity.RISK,
    faults=(12,),
    looks_for="Gateways of different VLANs whose subnets overlap.",
    why="An address in both belongs to two VLANs: packets for it go to the one or the other.",
    mend="Give each VLAN a subnet of its own.",
    breaks=Example(_core("{340: 198.51.100.33/27, 350: 198.51.100.40/26}"), place="core"),
    passes=Example(_core(_GOOD)),
)
def overlap(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a pair of gateways."""
    listed = [
        (i, a, VlanSet(facts.network.gateways.vlans(i)))
        for i in facts.network.gateways.all
        for a in i.gateway.addresses
        if not a.ip.is_link_local
    ]
    listed.sort(key=lambda row: (row[1].version, int(row[1].network.network_address), row[1].network.prefixlen))
    for n, (i, a, mine) in enumerate(listed):
        for j, b, theirs in listed[n + 1 :]:
            if b.version != a.version or int(b.network.network_address) > int(a.network.broadcast_address):
                break
            if mine & theirs or i.gateway.vrf != j.gateway.vrf or not (mine and theirs) or a.ip == b.ip:
                continue
            yield Fault(
                place=joined(dict.fromkeys((str(i.port or i.device), str(j.port or j.device)))),
                what=f"The subnets of VLAN {mine} ({a.network}) and VLAN {theirs} ({b.network}) overlap.",
                mend="Set the prefix lengths that were meant, or give one of them another subnet.",
                evidence=(gateway_fact(i), gateway_fact(j)),
                causes=(gateway_cause(i), gateway_cause(j)),
                vlans=mine | theirs,
                members=members_of(facts.network, mine | theirs),
            )


@rule(
    "gateway/label",
    Severity.RISK,
    faults=(12,),
    looks_for="A gateway whose interface is named or labelled as that of another VLAN: `Vlan350` in VLAN 340.",
    why="Name and VLAN belong together. One of the two was mistyped, and then the wrong stations have this gateway.",
    mend="Set the VLAN that the name says, or the name.",
    breaks=Example(
        _core("{340: {address: 198.51.100.33/27, label: gateway of kiosks}, 350: 192.0.2.97/27}"), place="core"
    ),
    passes=Example(_core("{340: {address: 198.51.100.33/27, label: gateway of research}, 350: 192.0.2.97/27}")),
)
def label(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a gateway."""
    network = facts.network
    called = {v: {n.casefold() for n in _names(network, v)} for v in network.inhabited_vlans}
    for interface in network.gateways.all:
        own, text = network.gateways.vlans(interface), _text(network, interface)
        if not own or not text:
            continue
        said = {v for v, names in called.items() if any(_says(text, n) for n in names)}
        said |= {v for n in re.findall(r"(?i)\bvlan[\s._/-]*(\d{1,4})\b", text) if (v := int(n)) in called}
        if said and not said & set(own):
            others = joined(named(network, v) for v in sorted(said))
            vid = next(iter(own))
            yield Fault(
                place=str(interface.port or interface.device),
                what=f"The gateway {interface.gateway.shown} on {interface.device} is in {named(network, vid)}, and its interface is "
                f"called {text!r}, as if it were in {others}.",
                mend="Set the VLAN or tag that was meant, or the name.",
                evidence=(gateway_fact(interface),),
                causes=(gateway_cause(interface),),
                vlans=VlanSet([vid]),
                members=members_of(network, VlanSet([vid])),
            )


def _names(network: Network, vid: Vid) -> Iterator[str]:
    """Yields what a VLAN is called: its segment, and its commonest name."""
    yield from (s.name for s in network.campus.segments.values() if vid in s.vlans and len(s.vlans) == 1)
    if name := network.names.get(vid):
        yield name


def _text(network: Network, interface: Interface) -> str:
    """Returns what the interface of a gateway is called; a port that others are on, too, is labelled for all of them."""
    alone = interface.port and sum(i.port == interface.port for i in network.gateways.all) == 1
    return interface.gateway.label or (network.port(interface.port).label if alone and interface.port else "")


def _says(text: str, name: str) -> bool:
    """Tells whether a text has a name in it, and does not say that something leads there."""
    if re.search(r"(?i)\b(?:to|towards|from|via)\b", text):
        return False
    return re.search(rf"(?i)(?<![\w-]){re.escape(name)}(?![\w-])", text) is not None
