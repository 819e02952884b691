"""Which subnet a VLAN has: what its segment declares, or else what its gateways say."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from inkov.forwarding.gateways import Interface
from inkov.model.campus import Host
from inkov.model.routing import Address, Prefix
from inkov.model.settings import Setting
from inkov.model.vlanset import Vid, bits
from inkov.rules.finding import Cause, Evidence
from inkov.rules.registry import Facts


def subnets_of(facts: Facts, vid: Vid) -> tuple[Prefix, ...]:
    """Returns the subnets of a VLAN; empty when nothing says."""
    declared = [
        p for s in facts.network.campus.segments.values() if vid in s.vlans and s.ports is None for p in s.subnets
    ]
    served = (a.network for i in facts.network.gateways.by_vlan.get(vid, ()) for a in i.gateway.addresses)
    return tuple(dict.fromkeys(declared or served))


def vlans_of(facts: Facts, host: Host) -> list[Vid]:
    """Returns the VLANs a host is in: those of untagged frames on its port, in and out."""
    relay = facts.network.relay(host.port)
    return [v for v in bits(relay.in_untagged | relay.out_untagged) if v]


def fitting(facts: Facts, address: Address, among: Iterable[Vid]) -> list[Vid]:
    """Returns the VLANs, of some, whose subnet an address is in."""
    return [v for v in among if any(address.ip in p for p in subnets_of(facts, v) if p.version == address.version)]


def contradicting(facts: Facts) -> dict[Vid, list[Host]]:
    """Returns the VLANs whose hosts, two or more, all agree on a subnet in which none of the VLAN's gateways is, with these hosts."""
    gateways = facts.network.gateways
    by_vlan: dict[Vid, list[Host]] = defaultdict(list)
    for host in facts.network.campus.hosts.values():
        vids = vlans_of(facts, host) if host.address is not None and host.gateway is not None else []
        if len(vids) == 1:
            by_vlan[vids[0]].append(host)
    found: dict[Vid, list[Host]] = {}
    for vid, hosts in by_vlan.items():
        first = hosts[0].address
        nets = {h.address.network for h in hosts if h.address is not None}
        if first is None or len(hosts) < 2 or len(nets) > 1 or len({h.gateway for h in hosts}) > 1:
            continue
        own = [a.network for i in gateways.serving(vid) for a in i.gateway.addresses]
        astray = own and not any(p.version == first.version and p.overlaps(first.network) for p in own)
        if astray and not fitting(facts, first, (v for v in gateways.by_vlan if v != vid)):
            found[vid] = hosts
    return found


def part_of(facts: Facts, vid: Vid, device: str) -> int | None:
    """Returns the part of a VLAN that a device is in: one number may be used in several places. None where it is in one part."""
    islands = facts.network.islands
    return islands.numbered(vid).get(device) if vid in islands.split else None


def gateway_fact(interface: Interface) -> Evidence:
    """Returns a gateway and where it is set."""
    return Evidence(f"gateway {interface.gateway.shown}", interface.gateway.source)


def gateway_cause(interface: Interface) -> Cause:
    """Returns the cause key of a gateway."""
    return Cause(interface.device, Setting.GATEWAYS, entry=interface.gateway.shown)
