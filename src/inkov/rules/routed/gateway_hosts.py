"""Gateways against the hosts that use them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

from inkov.forwarding.gateways import Interface
from inkov.model.campus import Host
from inkov.model.settings import Setting
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import routed_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import contradicting, gateway_cause, gateway_fact, vlans_of
from inkov.rules.wording import count, joined, named, vlan_cause


def _site(gateway: str, address: str = "198.51.100", own: str = "33") -> dict[str, str]:
    hosts = "".join(
        f"  - {{name: desk-{n}, port: 'archive:{n}', address: {address}.{33 + n}/27, gateway: {address}.{own}}}\n"
        for n in (1, 2)
    )
    return {
        "a.yaml": switch_text(
            "archive",
            "{340: research, 350: kiosks}",
            "{1-4: {access: 340}, 5: {access: 350}}",
            gateways=gateway,
            routing="true",
        ),
        "campus.yaml": f"inkov: campus\nname: x\nhosts:\n{hosts}",
    }


_GOOD = Example(_site("{340: 198.51.100.33/27, 350: 192.0.2.97/27}"))


@rule(
    "gateway/contradicted",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Gateways of a VLAN whose hosts all agree on another subnet.",
    why="Several hosts do not mistype the same address: the gateway is in the wrong subnet, and they find none.",
    mend="Give the gateway the address that its hosts send to.",
    breaks=Example(_site("{340: 203.0.113.33/27, 350: 192.0.2.97/27}"), place="archive"),
    passes=_GOOD,
)
def contradicted(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    for vid, hosts in contradicting(facts).items():
        serving = facts.network.gateways.serving(vid)
        net, wanted = hosts[0].address.network if hosts[0].address else "", hosts[0].gateway
        devices = joined(dict.fromkeys(i.device for i in serving))
        yield Fault(
            place=devices,
            what=f"The gateway{'' if len(serving) == 1 else 's'} of {named(facts.network, vid)} on {devices} "
            f"{'is' if len(serving) == 1 else 'are'} {joined(i.gateway.shown for i in serving)}, and {count(len(hosts), 'host')} there "
            f"{'is' if len(hosts) == 1 else 'are'} in {net} and send to {wanted}: they reach no other subnet.",
            mend=f"Give {devices} addresses in {net}, with {wanted} as what stations send to.",
            evidence=(
                *map(gateway_fact, serving[:2]),
                *(Evidence(f"{h.name} has {h.address}", h.source) for h in hosts[:2]),
            ),
            causes=(*map(gateway_cause, serving), *(Cause(h.name, s) for h in hosts for s in _OF_A_HOST)),
            vlans=VlanSet([vid]),
            members=tuple(h.port for h in hosts),
            cure=routed_cures.as_hosts_say(facts, vid, serving),
        )


_OF_A_HOST = (Setting.HOST_ADDRESS, Setting.HOST_GATEWAY)


@rule(
    "gateway/elsewhere",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Gateways that hosts send to, all of which are in another VLAN than the gateway is, by its VLAN or its tag.",
    why="The hosts ask for their gateway in their own VLAN, and it hears another one.",
    mend="Set the VLAN or the tag of the gateway to that of its hosts, or move the hosts.",
    breaks=Example(_site("{345: 198.51.100.33/27, 350: 192.0.2.97/27}"), place="archive"),
    passes=_GOOD,
)
def elsewhere(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a gateway."""
    found = list(_elsewhere(facts))
    meant = {interface: vids[0] for interface, vids, _ in found if len(vids) == 1}
    for interface, _, fault in found:
        beside = {i: v for i, v in meant.items() if (i.device, i.port) == (interface.device, interface.port)}
        yield replace(fault, cure=routed_cures.into_vlans(facts, beside) if interface in beside else ())


def _elsewhere(facts: Facts) -> Iterator[tuple[Interface, list[Vid], Fault]]:
    """Yields each gateway, the VLANs that its hosts are in, and the finding."""
    gateways = facts.network.gateways
    sending: dict[object, list[Host]] = defaultdict(list)
    for host in facts.network.campus.hosts.values():
        if host.gateway is not None and host.address is not None and host.gateway in host.address.network:
            sending[host.gateway].append(host)
    for interface in gateways.all:
        hosts = [h for ip in interface.gateway.answers for h in sending.get(ip, ())]
        away: dict[Vid, list[Host]] = defaultdict(list)
        own = set(gateways.vlans(interface))
        for host in hosts:
            for vid in vlans_of(facts, host):
                away[vid].append(host)
        if (
            not away
            or not own
            or own & away.keys()
            or not interface.gateway.enabled
            or _by_another(facts, interface, away)
        ):
            continue
        where = joined(named(facts.network, v) for v in away)
        by = f"tag {interface.gateway.vid}" if interface.port else f"VLAN {interface.gateway.vid}"
        fault = Fault(
            place=str(interface.port or interface.device),
            what=f"The gateway {interface.gateway.shown} {'takes' if interface.port else 'is in'} {by} on "
            f"{interface.port or interface.device}, and "
            f"{count(len(hosts), 'host')} that {'sends' if len(hosts) == 1 else 'send'} to it {'is' if len(hosts) == 1 else 'are'} in {where}: "
            f"{joined(h.name for h in hosts)} {'does' if len(hosts) == 1 else 'do'} not reach it.",
            mend=f"Set {by.partition(' ')[0]} {next(iter(away))} instead of {by} on {interface.port or interface.device}, or move the hosts.",
            evidence=(
                gateway_fact(interface),
                *(Evidence(f"{h.name} sends to {h.gateway}", h.source) for h in hosts[:2]),
            ),
            causes=(
                gateway_cause(interface),
                *(vlan_cause(interface.device, v) for v in own if interface.port is None),
                *(Cause(h.name, s) for h in hosts for s in _OF_A_HOST),
            ),
            vlans=VlanSet(away),
            members=tuple(h.port for h in hosts),
        )
        yield interface, list(away), fault


def _by_another(facts: Facts, interface: Interface, away: dict[Vid, list[Host]]) -> bool:
    """Tells whether another gateway answers to the same address where the hosts are."""
    answers = set(interface.gateway.answers)
    return any(
        answers & set(i.gateway.answers)
        for v in away
        for i in facts.network.gateways.by_vlan.get(v, ())
        if i != interface
    )
