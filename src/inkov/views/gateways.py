"""Gateways as plain data: one a row, with its state, why, and the filters in front of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from inkov.forwarding.gateways import Gateways
from inkov.forwarding.network import Network
from inkov.model.names import natural
from inkov.model.vlanset import VlanSet
from inkov.rules.wording import named


@dataclass(frozen=True, slots=True)
class FilterView:
    """A filter in front of a gateway, its entries in the order they are tried."""

    name: str
    entries: tuple[str, ...]
    source: str


@dataclass(frozen=True, slots=True)
class GatewayRow:
    """A gateway: VLANs it serves, by name, its addresses, and whether it is up: `up`, `down` or `not known`.

    `port` is the routed port it is on, empty for one in a VLAN of the switch itself; `routes` is null where the input does
    not say whether the device routes. `serves` is false for an address that is there to manage the device.
    """

    vlans: str
    segment: str
    device: str
    port: str
    addresses: tuple[str, ...]
    state: str
    why: str
    routes: bool | None
    vrf: str
    inward: FilterView | None
    outward: FilterView | None
    source: str
    serves: bool = True


@dataclass(frozen=True, slots=True)
class GatewaysView:
    """All gateways, and the segments that have none; of these, which are closed on purpose."""

    rows: tuple[GatewayRow, ...]
    without: tuple[str, ...]
    closed: tuple[str, ...]


def gateways_view(
    network: Network, switches: frozenset[str] | None = None, vlans: VlanSet | None = None
) -> GatewaysView:
    """Returns the gateways of some devices and VLANs; of all without a choice."""
    network = network.followed
    gateways = network.gateways
    rows = sorted(
        _rows(network, gateways, switches, vlans),
        key=lambda r: (natural(r.vlans), natural(r.device), natural(r.port), r.addresses),
    )
    without = [
        s
        for s in network.campus.segments.values()
        if s.ports is None and not any(gateways.serving(v) for v in s.vlans) and (vlans is None or s.vlans & vlans)
    ]
    chosen = without if switches is None else []
    return GatewaysView(
        tuple(rows),
        tuple(s.name for s in chosen if not s.closed),
        tuple(s.name for s in chosen if s.closed),
    )


def _rows(
    network: Network, gateways: Gateways, switches: frozenset[str] | None, vlans: VlanSet | None
) -> Iterator[GatewayRow]:
    for interface in gateways.all:
        served = VlanSet(gateways.vlans(interface))
        if (switches is not None and interface.device not in switches) or (vlans is not None and not served & vlans):
            continue
        gateway, state, deaf = interface.gateway, gateways.state(interface), gateways.deaf(interface)
        yield GatewayRow(
            vlans=str(served),
            segment=", ".join(named(network, v) for v in served),
            device=interface.device,
            port=gateway.port,
            addresses=(*map(str, gateway.addresses), *(f"{ip} shared" for ip in gateway.virtual)),
            state="down" if deaf else {True: "up", False: "down", None: "not known"}[state.up],
            why=deaf.why if deaf else state.why,
            routes=network.switches[interface.device].routing,
            vrf=gateway.vrf,
            inward=_filter(network, interface.device, gateway.inward),
            outward=_filter(network, interface.device, gateway.outward),
            source=str(gateway.source),
            serves=gateways.serves(interface),
        )


def _filter(network: Network, device: str, name: str) -> FilterView | None:
    if not name:
        return None
    found = network.switches[device].filters.get(name)
    entries = tuple(str(e) for e in found.entries if e.source.file) if found else ()
    return FilterView(name, entries, str(found.source) if found else "not in the input")
