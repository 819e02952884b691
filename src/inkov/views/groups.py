"""How switches come to their VLANs: the groups that share a table, and what registration and pruning do at each link, as plain data."""

from __future__ import annotations

from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.model.campus import Campus
from inkov.model.names import PortRef
from inkov.model.switch import Kind, Switch
from inkov.model.vlanset import VlanSet


@dataclass(frozen=True, slots=True)
class GroupRow:
    """A switch, with the group that it shares its VLAN table with.

    Attributes:
        switch: which.
        group: its sync group; empty where it has none.
        role: what it does with the shared table; empty without a group.
        generation: the edit counter of its table; null where it is not stated.
        gets: the switch whose table it takes over; empty where it keeps its own, or that is not known.
        more: VLANs that it would get by that.
        less: VLANs that it would lose.
        why: why it is not known whose table it takes over; empty where it is.
        joined: the switch whose table it would take over if all of its group were joined; empty where that changes nothing.
        joined_less: VLANs that it would lose by that.
        registration: whether VLANs come to its ports by registration: on, off or not told.
        comes: its ports to which VLANs may come by registration, with the VLANs that may not come there.
        pruned: its ports that send fewer VLANs than they allow, as nobody beyond asked for them.
        source: where its group is stated, or else the switch.
    """

    switch: str
    group: str
    role: str
    generation: int | None
    gets: str
    more: str
    less: str
    why: str
    joined: str
    joined_less: str
    registration: str
    comes: tuple[str, ...]
    pruned: tuple[str, ...]
    source: str


def group_rows(network: Network, switches: frozenset[str] | None = None) -> list[GroupRow]:
    """Returns a row each switch that relays, in natural order; some alone where they are named."""
    circles = {name: circle for circle in network.syncing.circles for name in circle.members}
    if_joined = {name: circle for circle in network.syncing.would_be() for name in circle.members}
    rows = []
    for name, switch in network.switches.items():
        if switch.kind is not Kind.SWITCH or (switches is not None and name not in switches):
            continue
        circle, sync = circles.get(name), switch.sync
        newest, other = (
            c.newest if c is not None and c.newest != name else None for c in (circle, if_joined.get(name))
        )
        now = VlanSet(network.syncing.table(name))
        then, joined = (VlanSet(network.syncing.after(name, n)) if n else now for n in (newest, other))
        rows.append(
            GroupRow(
                switch=name,
                group=sync.group if sync else "",
                role=sync.role.value if sync else "",
                generation=sync.generation if sync else None,
                gets=newest or "",
                more=str(then - now) if then - now else "",
                less=str(now - then) if now - then else "",
                why=circle.unknown if circle else "",
                joined=other if other and joined != now else "",
                joined_less=str(now - joined) if now - joined else "",
                registration={True: "on", False: "off", None: "not told"}[switch.registration],
                comes=tuple(_comes(network, switch)),
                pruned=tuple(_pruned(network, switch)),
                source=str(_place(network.campus, switch)),
            )
        )
    return rows


def _place(campus: Campus, switch: Switch) -> object:
    return campus.switches[switch.name].origin.here


def _comes(network: Network, switch: Switch) -> list[str]:
    """Returns the ports to which VLANs may come, each with those that may not."""
    found = []
    for port in switch.ports.values():
        if PortRef(switch.name, port.name) in network.registering:
            may = port.registration.normal - port.registration.forbidden
            found.append(port.name if not ~may else f"{port.name} but {~may}")
    return found


def _pruned(network: Network, switch: Switch) -> list[str]:
    """Returns the ports whose lists allow VLANs in use that are not sent, as they are pruned."""
    found = []
    for link in network.links_at.get(switch.name, ()):
        for ref in (link.a, link.b):
            if ref.switch == switch.name:
                lost = network.pruning.pruned(ref) & network.relay(ref).sends & network.used
                if lost:
                    found.append(f"{ref.port}: {VlanSet.from_mask(lost)}")
    return found
