"""Addresses that stand twice, or in a subnet of their own."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator

from inkov.model.routing import Ip, Prefix
from inkov.model.settings import Setting
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_cause, gateway_fact, part_of, subnets_of, vlans_of
from inkov.rules.wording import joined, named


def _campus(second: str) -> dict[str, str]:
    return {
        "a.yaml": switch_text("archive", "{340: research}", "{1-4: {access: 340}}"),
        "campus.yaml": "inkov: campus\nname: x\nhosts:\n"
        "  - {name: desk-1, port: 'archive:1', address: 198.51.100.34/27}\n"
        f"  - {{name: desk-2, port: 'archive:2', address: {second}}}\n",
    }


@rule(
    "address/twice",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="One address on two hosts, on two gateways, or on a host and a gateway.",
    why="Frames for the address go now to the one and now to the other; a host with its gateway's address cuts off all.",
    mend="Give one of them another address.",
    breaks=Example(_campus("198.51.100.34/27"), place="desk-1 and desk-2"),
    passes=Example(_campus("198.51.100.35/27")),
)
def twice(facts: Facts) -> Iterator[Fault]:
    """Yields one finding an address."""
    owners: dict[tuple[str, Ip], list[tuple[str, Evidence, Cause]]] = defaultdict(list)
    shared: set[tuple[str, Ip]] = set()  # by a redundant pair, which is one owner
    for interface in facts.network.gateways.all:
        vrf, row = interface.gateway.vrf, (interface.device, gateway_fact(interface), gateway_cause(interface))
        own = [a.ip for a in interface.gateway.addresses if not a.ip.is_link_local]
        for ip in (*own, *(ip for ip in interface.gateway.virtual if (vrf, ip) not in shared and ip not in own)):
            owners[vrf, ip].append(row)
        shared |= {(vrf, ip) for ip in interface.gateway.virtual}
    for host in facts.network.campus.hosts.values():
        if host.address is not None:
            fact = Evidence(f"{host.name} has {host.address}", host.source)
            owners["", host.address.ip].append((host.name, fact, Cause(host.name, Setting.HOST_ADDRESS)))
    for (_, ip), rows in owners.items():
        if len(rows) > 1:
            names = joined(name for name, _, _ in rows)
            yield Fault(
                place=names,
                what=f"{ip} is the address of {names}: each takes frames that are for the other.",
                mend=f"Give all but one of {names} another address.",
                evidence=tuple(fact for _, fact, _ in rows),
                causes=tuple(cause for _, _, cause in rows),
            )


def _lone(address: str) -> dict[str, str]:
    hosts = "".join(
        f"  - {{name: desk-{n}, port: 'archive:{n}', address: {a}}}\n"
        for n, a in enumerate((address, "198.51.100.35/27", "198.51.100.36/27", "198.51.100.37/27"), 1)
    )
    return {
        "a.yaml": switch_text("archive", "{340: research}", "{1-4: {access: 340}}"),
        "campus.yaml": f"inkov: campus\nname: x\nhosts:\n{hosts}",
    }


@rule(
    "address/stray",
    Severity.RISK,
    faults=(12,),
    looks_for="A device or a host whose address is in another subnet than those of all others in its VLAN.",
    why="It takes its neighbours for strangers, and they take it for one: nobody there reaches it, and it reaches nobody.",
    mend="Give it an address of the subnet of its VLAN, or move it to the VLAN that its address is of.",
    breaks=Example(_lone("192.0.2.34/27"), place="desk-1 at archive:1"),
    passes=Example(_lone("198.51.100.34/27")),
)
def stray(facts: Facts) -> Iterator[Fault]:
    """Yields one finding an address; hosts count where nothing says which subnet their VLAN has."""
    network = facts.network
    rows: dict[tuple[Vid, int | None], list[tuple[str, str, set[Prefix], Evidence, Cause]]] = defaultdict(list)
    for interface in network.gateways.all:
        nets = {a.network for a in interface.gateway.addresses if not a.ip.is_link_local}
        for vid in network.gateways.vlans(interface) if nets and interface.port is None else ():
            row = (interface.device, interface.device, nets, gateway_fact(interface), gateway_cause(interface))
            rows[vid, part_of(facts, vid, interface.device)].append(row)
    for host in network.campus.hosts.values():
        vids = vlans_of(facts, host) if host.address is not None else []
        if host.address is not None and len(vids) == 1 and not subnets_of(facts, vids[0]):
            fact = Evidence(f"{host.name} has {host.address}", host.source)
            place = f"{host.name} at {host.port}"
            row = (host.name, place, {host.address.network}, fact, Cause(host.name, Setting.HOST_ADDRESS))
            rows[vids[0], part_of(facts, vids[0], host.port.switch)].append(row)
    for (vid, _), some in rows.items():
        counted = Counter(net for _, _, nets, _, _ in some for net in nets)
        common = {net for net, n in counted.items() if n > 2 and 4 * n >= 3 * (len(some) - 1)}
        for name, place, nets, fact, own in some if common else ():
            if any(p.version == q.version and p.overlaps(q) for p in nets for q in common):
                continue
            fits = [v for v in sorted(network.gateways.by_vlan) if v != vid and _fits(facts, nets, v)]
            meant = (
                f"; {joined(map(str, nets))} is the subnet of {joined(named(network, v) for v in fits)}" if fits else ""
            )
            yield Fault(
                place=place,
                what=f"{name} is in {named(network, vid)} with an address in {joined(map(str, nets))}, and the others there are in "
                f"{joined(map(str, common))}{meant}: it and they do not reach each other.",
                mend=f"Give {name} an address in {joined(map(str, common))}, or move it to the VLAN of its address.",
                evidence=(fact, *[f for _, _, other, f, _ in some if other & common][:2]),
                causes=(own,),
                vlans=VlanSet([vid]),
            )


def _fits(facts: Facts, nets: set[Prefix], vid: Vid) -> bool:
    return any(p.version == q.version and p.overlaps(q) for p in nets for q in subnets_of(facts, vid))
