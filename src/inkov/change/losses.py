"""What a change stops for people who were not meant: stations that lose others, gateways that go down, new outages."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence

from inkov.change.drift import Side
from inkov.change.hearing import shifts
from inkov.kinds.table import untagged_vlan
from inkov.model.names import PortRef
from inkov.model.switch import Switch
from inkov.rules.choice import worse
from inkov.rules.finding import Severity
from inkov.rules.wording import joined, named
from inkov.steps.steps import Arrival, SetPorts, Step

_WORST = (Severity.BREACH, Severity.OUTAGE)


def stopped(before: Side, after: Side, steps: Sequence[Step]) -> tuple[str, ...]:
    """Says what worked before a change and does not after it, worst first; nothing of stations whose own port a step sets.

    Such a station is moved. It counts where it ends alone: in a VLAN without a gateway, on a port that no step shut.
    """
    moved = _moved(before, steps)
    return (
        *_new_findings(before, after),
        *_gateways(before, after),
        *_bystanders(before, after, moved),
        *_stranded(before, after, moved),
    )


def _moved(before: Side, steps: Iterable[Step]) -> frozenset[PortRef]:
    """Returns the ports that steps set, and those of devices that another takes the place of."""
    found: set[PortRef] = set()
    for step in steps:
        if isinstance(step, SetPorts):
            found.update(step.ports)
        elif isinstance(step, Arrival) and step.switch:
            found.update(before.followed.edge_ports.get(step.switch, ()))
    return frozenset(found)


def _new_findings(before: Side, after: Side) -> Iterator[str]:
    """Yields breaches and outages that are new, or stood there as something milder."""
    for f in worse(before.findings, after.findings, lambda f: (f.rule, f.place)):
        if f.severity in _WORST:
            yield f"new {f.severity.value}: {f.rule} at {f.place}: {f.what}"


def _gateways(before: Side, after: Side) -> Iterator[str]:
    """Yields gateways that were up, and are down or gone."""
    then = after.followed.gateways
    still = {(i.device, ip) for i in then.all if then.state(i).up is not False for ip in i.gateway.answers}
    was = before.followed.gateways
    for interface in was.all:
        gone = [ip for ip in interface.gateway.answers if (interface.device, ip) not in still]
        if gone and was.serves(interface) and was.state(interface).up is True:
            vids = was.vlans(interface)
            own = f" of {joined(named(before.followed, v) for v in vids)}" if vids else ""
            yield f"the gateway {joined(map(str, gone))}{own} on {interface.device} is no longer there"


def _bystanders(before: Side, after: Side, moved: frozenset[PortRef]) -> Iterator[str]:
    """Yields stations that no longer hear others of their network, by the VLAN they are in; no step sets the port of either.

    That stations of two networks no longer hear each other is no loss: a leak is closed.
    """
    lost: dict[int, set[PortRef]] = defaultdict(set)
    for shift in shifts(before.hearing, after.hearing):
        if not shift.lost:
            continue
        for ref in shift.refs:
            own = _home(before, ref)
            far = shift.lost - {ref} - moved if ref not in moved else ()
            others = [r for r in far if _home(before, r) == own]
            for r in (ref, *others) if others else ():
                lost[_vlan(before, r)].add(r)
    for vid, refs in sorted(lost.items()):
        who = named(before.followed, vid) if vid else "stations"
        yield f"{who}: {_ports(before, refs)} no longer hear{'s' if len(refs) == 1 else ''} all that {'it' if len(refs) == 1 else 'they'} heard"


def _vlan(side: Side, ref: PortRef) -> int:
    return untagged_vlan(side.followed.settled(ref).switching) or 0


def _home(side: Side, ref: PortRef) -> int:
    """Returns the network of a station: its VLAN, or the private VLAN that this is a part of."""
    vid = _vlan(side, ref)
    families = side.followed.needs.secondaries
    return next((primary for primary, some in families.items() if some >> vid & 1), vid)


def _ports(side: Side, refs: Collection[PortRef]) -> str:
    """Returns stations by the names of their hosts, then by their ports."""
    hosts = {h.port: h.name for h in side.campus.hosts.values()}
    ordered = sorted(refs, key=lambda r: (r not in hosts, r.order))
    return joined([f"{hosts[r]} at {r}" if r in hosts else str(r) for r in ordered], 4)


def _stranded(before: Side, after: Side, moved: Collection[PortRef]) -> Iterator[str]:
    """Yields moved stations that heard somebody, and end alone."""
    for ref in sorted(moved, key=lambda r: r.order):
        network = after.followed
        if not network.has(ref) or ref not in before.followed.edge_ports.get(ref.switch, ()):
            continue
        port, vid = network.port(ref), _vlan(after, ref)
        if not port.enabled or port.lag or ref in network.cabled or not before.hearing.of(ref) - {ref}:
            continue
        if after.hearing.of(ref) - {ref} or (vid and _served(after, network.switches[ref.switch], vid)):
            continue
        where = named(network, vid) if vid else "no VLAN"
        yield f"{_ports(before, [ref])} is then in {where}, and hears nobody there"


def _served(after: Side, switch: Switch, vid: int) -> bool:
    """Tells whether a station of a VLAN reaches a gateway that is up."""
    network = after.followed
    if not network.active(switch.name) >> vid & 1:
        return False
    at = network.islands.numbered(vid)
    return any(
        network.gateways.state(i).up is not False and at.get(i.device, -1) == at.get(switch.name, -2)
        for i in network.gateways.serving(vid)
        if network.gateways.serves(i)
    )
