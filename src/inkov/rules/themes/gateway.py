"""Gateways: down, idle, in the wrong subnet, or in each other's."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.gateways import Interface
from inkov.model.settings import Setting
from inkov.model.vlanset import VlanSet
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_cause, gateway_fact
from inkov.rules.wording import count, joined, members_of, named, vlan_cause

_PORTS = "{1-4: {access: 340}, 5-8: {access: 350}}"


def _core(gateways: str, **more: str) -> dict[str, str]:
    return {"core.yaml": switch_text("core", "{340: research, 350: kiosks}", _PORTS, gateways=gateways, **more)}


_GOOD = "{340: 198.51.100.33/27, 350: 192.0.2.97/27}"


def _place(interface: Interface) -> str:
    return str(interface.port or interface.device)


@rule(
    "gateway/down",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Gateways whose VLAN their own switch does not relay, or that no port of it carries.",
    why="Such a gateway is down, however well it is set: its VLAN has no way to any other.",
    mend="Define the VLAN on that switch, and give it a port or a trunk there; or take the gateway away.",
    breaks=Example(_core("{340: 198.51.100.33/27, 360: 192.0.2.65/27}", routing="true"), place="core"),
    passes=Example(_core(_GOOD, routing="true")),
)
def down(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a gateway."""
    for interface in facts.network.gateways.all:
        state, gateway = facts.network.gateways.state(interface), interface.gateway
        if state.up is not False or interface.port is not None or not gateway.enabled or gateway.vid is None:
            continue
        some = VlanSet([gateway.vid])
        yield Fault(
            place=_place(interface),
            what=f"The gateway {gateway.shown} of {named(facts.network, gateway.vid)} is down: {state.why}.",
            mend=f"Let {interface.device} relay VLAN {gateway.vid} by a port or a trunk, or take the gateway away.",
            evidence=(gateway_fact(interface), Evidence(state.why, state.source)),
            causes=(gateway_cause(interface), vlan_cause(interface.device, gateway.vid)),
            vlans=some,
            members=members_of(facts.network, some),
        )


@rule(
    "gateway/idle",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Devices with gateways in two VLANs or more that do not route.",
    why="Stations send to their gateway what is for other subnets, and there it ends.",
    mend="Turn routing on, or take the gateways away.",
    breaks=Example(_core(_GOOD, routing="false"), place="core"),
    passes=Example(_core(_GOOD, routing="true")),
)
def idle(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device."""
    for name, switch in facts.network.switches.items():
        own = [i for i in facts.network.gateways.of(name) if facts.network.gateways.state(i).up is not False]
        served = VlanSet(v for i in own for v in facts.network.gateways.vlans(i))
        if switch.routing is False and len(served) > 1:
            yield Fault(
                place=name,
                what=f"{name} has gateways of {count(len(served), 'VLAN')} ({served}) and does not route between them.",
                mend=f"Turn routing on at {name}, or take the gateways away.",
                evidence=tuple(map(gateway_fact, own[:4])),
                causes=(Cause(name, Setting.ROUTING),),
                vlans=served,
                members=members_of(facts.network, served),
            )


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
    breaks=Example(
        {**_core("{340: 192.0.2.98/27}", routing="true"), "campus.yaml": _SEGMENTS.replace("kiosks", "k")}, place="core"
    ),
    passes=Example({**_core(_GOOD, routing="true"), "campus.yaml": _SEGMENTS}),
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
            by = f"its tag {interface.gateway.vid}" if interface.port and interface.gateway.vid else f"VLAN {vid}"
            yield Fault(
                place=_place(interface),
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
                causes=(gateway_cause(interface),),
                vlans=VlanSet([vid]),
                members=members_of(network, VlanSet([vid])),
            )


@rule(
    "gateway/overlap",
    Severity.RISK,
    faults=(12,),
    looks_for="Gateways of different VLANs whose subnets overlap.",
    why="An address in both belongs to two VLANs: packets for it go to the one or the other.",
    mend="Give each VLAN a subnet of its own.",
    breaks=Example(_core("{340: 198.51.100.33/27, 350: 198.51.100.40/26}", routing="true"), place="core and core"),
    passes=Example(_core(_GOOD, routing="true")),
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
                place=f"{_place(i)} and {_place(j)}",
                what=f"The subnets of VLAN {mine} ({a.network}) and VLAN {theirs} ({b.network}) overlap.",
                mend="Set the prefix lengths that were meant, or give one of them another subnet.",
                evidence=(gateway_fact(i), gateway_fact(j)),
                causes=(gateway_cause(i), gateway_cause(j)),
                vlans=mine | theirs,
                members=members_of(facts.network, mine | theirs),
            )
