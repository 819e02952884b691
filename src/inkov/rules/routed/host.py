"""Hosts: address, mask and gateway against the subnet of the VLAN they sit in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

from inkov.kinds.table import access_of, untagged_vlan
from inkov.model.campus import Host
from inkov.model.names import PortRef
from inkov.model.routing import Address, Prefix
from inkov.model.settings import Setting
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import contradicting, fitting, subnets_of, vlans_of
from inkov.rules.wording import cause, count, joined, named
from inkov.steps.settings import PortChange
from inkov.steps.steps import SetPorts


def _campus(host: str, other: str = "gateway: 198.51.100.33") -> dict[str, str]:
    return {
        "a.yaml": switch_text(
            "archive",
            "{340: research, 350: kiosks}",
            "{1-4: {access: 340}, 5: {access: 350}}",
            gateways="{340: 198.51.100.33/27, 350: 192.0.2.97/27}",
            routing="true",
        ),
        "campus.yaml": "inkov: campus\nname: x\nhosts:\n"
        f"  - {{name: desk-1, port: 'archive:1', {host}}}\n"
        f"  - {{name: desk-2, port: 'archive:2', address: 198.51.100.35/27, {other}}}\n",
    }


_GOOD = Example(_campus("address: 198.51.100.34/27, gateway: 198.51.100.33"))


def _placed(facts: Facts) -> Iterator[tuple[Host, Address, list[Vid], list[Prefix]]]:
    """Yields hosts with an address, their VLANs, and the subnets of these of the address's family."""
    for host in facts.network.campus.hosts.values():
        if host.address is not None:
            vids = vlans_of(facts, host)
            yield (
                host,
                host.address,
                vids,
                [p for v in vids for p in subnets_of(facts, v) if p.version == host.address.version],
            )


def _fault(host: Host, vids: list[Vid], what: str, mend: str, fact: tuple[Setting, str]) -> Fault:
    return Fault(
        place=f"{host.name} at {host.port}",
        what=what,
        mend=mend,
        evidence=(Evidence(fact[1], host.source),),
        causes=(Cause(host.name, fact[0]),),
        vlans=VlanSet(vids),
        ports=1,
    )


@rule(
    "host/subnet",
    Severity.OUTAGE,
    faults=(8, 12),
    looks_for="Hosts whose address is outside the subnet of the VLAN they sit in.",
    why="The host is in another subnet than everyone around it: it finds no neighbour and no gateway.",
    mend="Move the host to a port of its subnet's VLAN, or give it an address of this one's.",
    breaks=Example(_campus("address: 192.0.2.99/27"), place="desk-1 at archive:1"),
    passes=_GOOD,
)
def subnet(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a host; where its port is off the port plan, that comes first."""
    settled = {host.name for hosts in contradicting(facts).values() for host in hosts}
    planned = {row.port: row.vid for row in facts.network.campus.plan if row.vid is not None}
    for host, address, vids, subnets in _placed(facts):
        if subnets and not any(address.ip in p for p in subnets):
            fits = fitting(facts, address, [v for v in sorted(facts.network.members) if v not in vids])
            meant = f", which is one of {joined(named(facts.network, v) for v in fits)}" if fits else ""
            off = host.port in planned and planned[host.port] not in vids
            found = _fault(
                host,
                vids,
                f"{host.name} is in {joined(named(facts.network, v) for v in vids)}, whose subnet {joined(map(str, subnets))} "
                f"does not hold its address {address.ip}{meant}.",
                f"Give {host.name} an address of {subnets[0]}, or {host.port} the VLAN that was meant.",
                (Setting.HOST_ADDRESS, f"address {address}"),
            )
            causes = (*found.causes, cause(host.port, Setting.ACCESS)) if fits or off else found.causes
            moved = _as_siblings(facts, host.port, fits)
            if moved is not None:
                text, step = moved
                found = replace(found, mend=text, cure=(step,))
            yield replace(found, causes=causes, follows=off or host.name in settled)


def _as_siblings(facts: Facts, ref: PortRef, fits: list[Vid]) -> tuple[str, SetPorts] | None:
    """Moves a port into the VLAN of its host's address, if the same port of most switches of its role is in that VLAN."""
    switches = facts.network.switches
    role = switches[ref.switch].role if ref.switch in switches else ""
    own = [s.ports[ref.port] for n, s in switches.items() if n != ref.switch and s.role == role and ref.port in s.ports]
    alike = [p.switching for p in own if access_of(p.switching) is not None]
    most = Counter(vid for one in alike if (vid := untagged_vlan(one)) is not None).most_common(1)
    if not role or access_of(facts.network.port(ref).switching) is None or not most:
        return None
    ((vid, n),) = most
    if vid not in fits or n < 2 or 3 * n < 2 * len(own):
        return None
    voice = Counter(access.voice for one in alike if (access := access_of(one)) and access.vid == vid).most_common(1)[
        0
    ][0]
    text = f"Put {ref} into {named(facts.network, vid)}, as the same port of {n} of {count(len(own), 'switch', 'switches')} of its role is."
    return text, cures.set_at(ref, PortChange(access=vid, voice=voice))


@rule(
    "host/mask",
    Severity.RISK,
    faults=(12,),
    looks_for="Hosts whose prefix length is not that of the subnet they sit in.",
    why="The host takes addresses for its neighbours that are not, or sends its neighbours' frames to the gateway.",
    mend="Set the prefix length of the subnet.",
    breaks=Example(_campus("address: 198.51.100.34/24"), place="desk-1 at archive:1"),
    passes=_GOOD,
)
def mask(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a host; an address without a prefix length is left alone."""
    for host, address, vids, subnets in _placed(facts):
        own = [p for p in subnets if address.ip in p]
        length = address.network.prefixlen
        if own and length != address.max_prefixlen and all(length != p.prefixlen for p in own):
            yield _fault(
                host,
                vids,
                f"{host.name} takes {address.network} for its subnet, which is {joined(map(str, own))}.",
                f"Set the prefix length of {host.name} to {own[0].prefixlen}.",
                (Setting.HOST_ADDRESS, f"address {address}"),
            )


@rule(
    "host/gateway",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Hosts whose gateway is none of their VLAN's gateways.",
    why="The host reaches its own subnet and nothing else.",
    mend="Set the address of the VLAN's gateway.",
    breaks=Example(_campus("address: 198.51.100.34/27, gateway: 198.51.100.62"), place="desk-1 at archive:1"),
    passes=_GOOD,
)
def gateway(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a host, where the input has a gateway of its VLAN; an address out of its subnet is told first, and alone."""
    for host, address, vids, subnets in _placed(facts):
        if subnets and not any(address.ip in p for p in subnets):
            continue
        served = dict.fromkeys(
            ip for v in vids for i in facts.network.gateways.serving(v) for ip in i.gateway.virtual or i.gateway.answers
        )
        known = {ip for v in vids for i in facts.network.gateways.serving(v) for ip in i.gateway.answers}
        if host.gateway is not None and served and host.gateway not in known:
            shown = joined(str(ip) for ip in served if ip.version == host.gateway.version)
            yield _fault(
                host,
                vids,
                f"The default gateway of {host.name} is {host.gateway}; its VLAN's is {shown}.",
                f"Set the gateway of {host.name} to {shown}.",
                (Setting.HOST_GATEWAY, f"gateway {host.gateway}"),
            )


@rule(
    "host/unrouted",
    Severity.RISK,
    faults=(12,),
    looks_for="Hosts without a gateway, where others in their VLAN have one.",
    why="The host talks within its own subnet and to nobody else.",
    mend="Set its gateway.",
    breaks=Example(_campus("address: 198.51.100.34/27"), place="desk-1 at archive:1"),
    passes=_GOOD,
)
def unrouted(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a host."""
    listed = list(_placed(facts))
    routed = {v for host, _, vids, _ in listed if host.gateway is not None for v in vids}
    for host, address, vids, _ in listed:
        if host.gateway is None and routed & set(vids):
            yield _fault(
                host,
                vids,
                f"{host.name} has no gateway, as others in {joined(named(facts.network, v) for v in vids)} have.",
                f"Set the gateway of {host.name}.",
                (Setting.HOST_ADDRESS, f"address {address}, no gateway"),
            )
