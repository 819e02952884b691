"""Who sends and who is to hear: a host, a port, an address, or a device by its own address."""

from __future__ import annotations

import ipaddress
from typing import Final, NamedTuple

from inkov.forwarding.gateways import Interface
from inkov.forwarding.network import Network
from inkov.kinds.relay import Domain, Tags, tag_of
from inkov.kinds.table import untagged_vlan
from inkov.model.campus import Host
from inkov.model.errors import nearest
from inkov.model.identity import device_named, port_in
from inkov.model.names import PortRef
from inkov.model.routing import Ip


class UnknownEnd(LookupError):
    """Nothing in the campus is called so; the message holds a hint."""


class End(NamedTuple):
    """One end of a trace.

    Attributes:
        name: as it was asked for.
        ref: its port; of a device's own address, the device with the VLAN for a port.
        domain: the VLAN its frames start in; None where the port has none.
        tags: the tags it puts on its frames; those of a phone.
        address: its address, where that is known.
        gateway: the address it sends to what is not its subnet; None where that is not known.
        own: the gateway or address of management that it is; None for a station.
        host: the host; None for others.
        away: it is an address outside of the campus.
    """

    name: str
    ref: PortRef
    domain: Domain | None
    tags: Tags = ()
    address: Ip | None = None
    gateway: Ip | None = None
    own: Interface | None = None
    host: Host | None = None
    away: bool = False


NOWHERE: Final = PortRef("", "")
"""The port of what is outside of the campus."""


def end_named(network: Network, text: str, tag: int | None = None) -> End:
    """Returns the end that a text stands for: a host, switch:port, an IP address, or a device by its name.

    Args:
        network: the campus with its forwarding.
        text: as a person types it.
        tag: the VID that a station puts on its frames, as a phone does; none for untagged ones.

    Raises:
        UnknownEnd: there is none.
    """
    hosts = network.campus.hosts
    if text in hosts:
        return _host(network, hosts[text], text, tag)
    if (ip := _ip(text)) is not None:
        return _of_address(network, ip, text, tag)
    if (device := device_named(text, network.switches)) in network.switches:
        return _device(network, device)
    ref = port_in(text, {n: s.ports for n, s in network.switches.items()}) or PortRef.parse(text)
    if ref is None:
        hint = nearest(text, [*hosts, *network.switches], listed=0)
        raise UnknownEnd(
            f"{text!r:.60} is no port and no host; expected a host, switch:port, an address or a switch{hint}"
        )
    ref = PortRef(device_named(ref.switch, network.switches), ref.port)
    if ref.switch not in network.switches:
        raise UnknownEnd(f"there is no switch {ref.switch!r}{nearest(ref.switch, network.switches)}")
    ports = network.switches[ref.switch].ports
    if ref.port not in ports:
        raise UnknownEnd(f"{ref.switch} has no port {ref.port!r}{nearest(ref.port, ports)}")
    host = next((h for h in hosts.values() if h.port == ref), None)
    if host is not None and tag is None:
        return _host(network, host, text, None)
    return _port(network, text, ref, tag)


def _ip(text: str) -> Ip | None:
    try:
        return ipaddress.ip_address(text)
    except ValueError:
        return None


def _port(network: Network, name: str, ref: PortRef, tag: int | None) -> End:
    tags = () if tag is None else (tag_of(tag, 0),)
    return End(name, ref, tag or untagged_vlan(network.settled(ref).switching), tags)


def _host(network: Network, host: Host, name: str, tag: int | None) -> End:
    made = _port(network, name, host.port, tag or host.tag)
    return made._replace(address=host.address.ip if host.address else None, gateway=host.gateway, host=host)


def _of_address(network: Network, ip: Ip, text: str, tag: int | None) -> End:
    for host in network.campus.hosts.values():
        if host.address is not None and host.address.ip == ip:
            return _host(network, host, text, tag)
    interface = next((i for i in network.gateways.all if ip in i.gateway.answers), None)
    if interface is None:
        return End(text, NOWHERE, None, address=ip, away=True)
    return interface_end(network, interface, text, ip)


def _device(network: Network, name: str) -> End:
    """Returns a device as it is managed: by an address that is no gateway of stations, where it has one."""
    own = network.gateways.of(name)
    if not own:
        raise UnknownEnd(f"{name} has no address in the input; name one of its ports, as {name}:1")
    chosen = next((i for i in own if not network.gateways.serves(i)), own[0])
    return interface_end(network, chosen, name, chosen.gateway.addresses[0].ip)


def interface_end(network: Network, interface: Interface, name: str = "", ip: Ip | None = None) -> End:
    """Returns a device's own address as an end."""
    vids = network.gateways.vlans(interface)
    domain = vids[0] if vids else None
    via = next((r.via for r in network.switches[interface.device].routes if r.prefix.prefixlen == 0), None)
    return End(name, interface.ref, domain, address=ip, gateway=via, own=interface)
