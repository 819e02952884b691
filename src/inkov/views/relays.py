"""What goes in and out of each port: its relay map as docs/frames.md has it, and as a grid of ports and VLANs."""

from __future__ import annotations

from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.kinds.relay import RelayMap
from inkov.model.names import PortRef
from inkov.model.vlanset import VlanSet


@dataclass(frozen=True, slots=True)
class RelayRow:
    """A port's relay map as it surely is, VLANs as range text.

    Attributes:
        port: `switch:port`.
        in_untagged: the VLAN an untagged frame enters, `none` when it is dropped, `as it is` where no VLAN counts.
        in_tagged: tags that are accepted; `1010 as 10` where a tag leads into another VLAN.
        out_untagged: VLANs that leave untagged.
        out_tagged: VLANs that leave tagged.
        keeps: tags a frame has are kept inside and shown again when it leaves.
    """

    port: str
    in_untagged: str
    in_tagged: str
    out_untagged: str
    out_tagged: str
    keeps: bool


@dataclass(frozen=True, slots=True)
class GridRow:
    """A port of a grid: for each VLAN of the switch, how the port carries it.

    Attributes:
        port: its name on the switch.
        cells: a word a VLAN, in the grid's order: untagged, tagged, enters only, leaves only, or absent.
    """

    port: str
    cells: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Grid:
    """The ports of one switch against its VLANs."""

    switch: str
    vlans: tuple[int, ...]
    rows: tuple[GridRow, ...]


def relay_rows(network: Network, switches: frozenset[str] | None = None) -> list[RelayRow]:
    """Returns the relay maps of all ports that frames pass, in natural order."""
    return [_relay_row(network, ref) for ref in _logical(network, switches)]


def _logical(network: Network, switches: frozenset[str] | None) -> list[PortRef]:
    return [
        PortRef(switch.name, port.name)
        for switch in network.switches.values()
        if switches is None or switch.name in switches
        for port in switch.ports.values()
        if port.lag is None
    ]


def _relay_row(network: Network, ref: PortRef) -> RelayRow:
    relay = network.relay(ref)
    return RelayRow(
        port=str(ref),
        in_untagged=_text(relay.in_untagged),
        in_tagged="any, kept inside" if relay.keeps else _mapped(relay.in_tagged, relay.in_mapped),
        out_untagged=_text(relay.out_untagged),
        out_tagged=_mapped(relay.out_tagged, tuple((t, d) for d, t in relay.out_mapped)),
        keeps=relay.keeps,
    )


def _text(mask: int) -> str:
    return "as it is" if mask == 1 else str(VlanSet.from_mask(mask))


def _mapped(mask: int, pairs: tuple[tuple[int, int], ...]) -> str:
    parts = [str(VlanSet.from_mask(mask))] if mask or not pairs else []
    return ", ".join(parts + [f"{tag} as {domain}" for tag, domain in pairs])


def grids(network: Network, switches: frozenset[str] | None = None, vlans: VlanSet | None = None) -> list[Grid]:
    """Returns a grid for each switch that has VLANs: those in use in the campus that it relays."""
    made: list[Grid] = []
    for name in network.switches:
        shown = VlanSet.from_mask(network.active(name) & network.used)
        shown = shown if vlans is None else shown & vlans
        refs = _logical(network, frozenset([name]))
        if (switches is not None and name not in switches) or not shown or not refs:
            continue
        rows = tuple(GridRow(r.port, tuple(_cell(network.relay(r), v) for v in shown)) for r in refs)
        made.append(Grid(name, tuple(shown), rows))
    return made


def _cell(relay: RelayMap, vid: int) -> str:
    enters, untagged = relay.takes >> vid & 1, relay.out_untagged >> vid & 1
    tagged = (relay.sends & ~relay.out_untagged) >> vid & 1
    if untagged:
        return "untagged" if enters else "leaves only"
    if tagged:
        return "tagged" if enters else "leaves only"
    return "enters only" if enters else "absent"
