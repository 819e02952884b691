"""Addresses that stand twice."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.model.routing import Ip
from inkov.model.settings import Setting
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_cause, gateway_fact
from inkov.rules.wording import joined


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
