"""What a change stops for people who were not meant: stations that lose others, gateways that go down, new outages."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Sequence

from inkov.change.hearing import Shift, shifts
from inkov.change.meant import Meant
from inkov.change.side import Side
from inkov.kinds.relay import Mask
from inkov.kinds.table import allowed_list, memberships, untagged_vlan
from inkov.model.names import PortRef
from inkov.model.switch import DEFAULT_VLAN, Switch, VlanType
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.choice import worse
from inkov.rules.finding import Severity
from inkov.rules.wording import joined, named
from inkov.steps.steps import Arrival, SetPorts, SetSwitch, Step

_WORST = (Severity.BREACH, Severity.OUTAGE)


def stopped(before: Side, after: Side, steps: Sequence[Step], meant: Meant) -> tuple[str, ...]:
    """Says what worked before a change and does not after it, worst first; nothing of what is meant, or of stations whose own port a step sets.

    Such a station is moved. It counts where it ends alone: in a VLAN without a gateway, on a port that no step shut.
    """
    moved = _moved(before, steps)
    return (
        *_new_findings(before, after, meant),
        *_gateways(before, after, meant),
        *_bystanders(before, shifts(before.hearing, after.hearing), moved, meant),
        *_stranded(before, after, moved, meant),
    )


def harms(before: Side, after: Side, steps: Sequence[Step]) -> bool:
    """Tells whether a cure harms: somebody loses anybody, two networks are joined, or a list grows by VLANs that none should have."""
    moved, nothing = _moved(before, steps), Meant(before)
    if _sends_more(before, after, moved) or any(True for _ in _gateways(before, after, nothing, steps)):
        return True
    moves = list(shifts(before.hearing, after.hearing))
    return any(True for _ in _bystanders(before, moves, moved, nothing)) or _joins(after, moves, moved)


def _joins(after: Side, moves: Iterable[Shift], moved: frozenset[PortRef]) -> bool:
    """Tells whether stations of two networks hear each other that did not."""
    for shift in moves:
        for ref in shift.refs if shift.gained else ():
            own = _sends_into(after, ref)
            others = (r for r in shift.gained - moved - {ref} if not after.followed.unmanaged(r.switch))
            if own and ref not in moved and not all(_networks(after, r) & own for r in others):
                return True
    return False


def _sends_more(before: Side, after: Side, moved: Iterable[PortRef]) -> bool:
    """Tells whether a list grew by the default VLAN or the parking VLAN."""
    never = VlanSet(filter(None, (DEFAULT_VLAN, after.campus.parking)))
    for ref in moved:
        if after.network.has(ref) and before.network.has(ref):
            lists = [allowed_list(side.network.port(ref).switching) for side in (before, after)]
            if (lists[1] - lists[0]) & never:
                return True
    return False


def _moved(before: Side, steps: Iterable[Step]) -> frozenset[PortRef]:
    """Returns the ports that steps set or cable, and those of devices that another takes the place of."""
    found: set[PortRef] = set()
    for step in steps:
        if isinstance(step, SetPorts):
            found.update(step.ports)
        elif isinstance(step, Arrival):
            found.update(end for c in step.cables for end in (c.a, c.b))
            found.update(before.followed.edge_ports.get(step.switch, ()))
        elif isinstance(step, SetSwitch):
            for vid in _retyped(before, step):
                found.update(before.followed.members.get(vid, {}).get(step.switch, ()))
    return frozenset(found)


def _new_findings(before: Side, after: Side, meant: Meant) -> Iterator[str]:
    """Yields breaches and outages that are new, or stood there as something milder."""
    for f in worse(before.findings, after.findings, lambda f: (f.rule, f.place)):
        if f.severity in _WORST and not (f.severity is Severity.OUTAGE and meant.ends(f.vlans)):
            yield f"new {f.severity.value}: {f.rule} at {f.place}: {f.what}"


def _retyped(before: Side, step: SetSwitch) -> list[Vid]:
    """Returns the VLANs that a step makes private, or no longer: who hears whom there is what it is about."""
    table = before.network.switches[step.switch].vlans or {} if step.switch in before.network.switches else {}
    return [v for v, entry in step.vlans.items() if entry and v in table and table[v].type is not entry.type]


def _gateways(before: Side, after: Side, meant: Meant, mended: Sequence[Step] = ()) -> Iterator[str]:
    """Yields gateways that were up, and are down or gone; none of which some steps set the address, if no host sends to the old one."""
    set_ = {(s.switch, key) for s in mended if isinstance(s, SetSwitch) for key, g in s.gateways.items() if g}
    sent_to = {h.gateway for h in before.campus.hosts.values()}
    then = after.followed.gateways
    still = {(i.device, ip) for i in then.all if then.state(i).up is not False for ip in i.gateway.answers}
    was = before.followed.gateways
    for interface in was.all:
        gone = [ip for ip in interface.gateway.answers if (interface.device, ip) not in still]
        if gone and was.serves(interface) and was.state(interface).up is True:
            vids = was.vlans(interface)
            moved = (interface.device, interface.gateway.key) in set_ and sent_to.isdisjoint(gone)
            if moved or meant.ends(vids):
                continue
            own = f" of {joined(named(before.followed, v) for v in vids)}" if vids else ""
            yield f"the gateway {joined(map(str, gone))}{own} on {interface.device} is no longer there"


def _bystanders(before: Side, moves: Iterable[Shift], moved: frozenset[PortRef], meant: Meant) -> Iterator[str]:
    """Yields stations that no longer hear others of their network, by the VLAN they are in; no step sets the port of either.

    That stations of two networks no longer hear each other is no loss: a leak is closed.
    """
    lost: dict[int, set[PortRef]] = defaultdict(set)
    for shift in moves:
        for ref in shift.refs if shift.lost else ():
            far = shift.lost - {ref} - moved if ref not in moved else ()
            own = _sends_into(before, ref) if far else 0
            others = [
                r
                for r in far
                if (_networks(before, r) & own or before.followed.unmanaged(r.switch)) and not meant.parts(ref, r)
            ]
            for r in (ref, *others) if others else ():
                lost[_vlan(before, r)].add(r)
    for vid, refs in sorted(lost.items()):
        who = named(before.followed, vid) if vid else "stations"
        yield f"{who}: {by_host(before, refs)} no longer hear{'s' if len(refs) == 1 else ''} all that {'it' if len(refs) == 1 else 'they'} heard"


def _vlan(side: Side, ref: PortRef) -> int:
    return untagged_vlan(side.followed.settled(ref).switching) or 0


def _sends_into(side: Side, ref: PortRef) -> Mask:
    """Returns the network that untagged frames of a station are meant for: its VLAN, with the private VLAN that this is a part of."""
    return _whole(side, 1 << _vlan(side, ref) & ~1)


def _networks(side: Side, ref: PortRef) -> Mask:
    """Returns the networks that a station is in: VLANs that its switch relays, each with the private VLAN that it is a part of."""
    return _whole(side, memberships(side.followed.settled(ref).switching) & side.followed.active(ref.switch))


def _whole(side: Side, vlans: Mask) -> Mask:
    for primary, some in side.followed.needs.secondaries.items():
        vlans |= some | 1 << primary if vlans & (some | 1 << primary) else 0
    return vlans


def by_host(side: Side, refs: Collection[PortRef]) -> str:
    """Returns stations by the names of their hosts, then by their ports."""
    hosts = {h.port: h.name for h in side.campus.hosts.values()}
    ordered = sorted(refs, key=lambda r: (r not in hosts, r.order))
    return joined([f"{hosts[r]} at {r}" if r in hosts else str(r) for r in ordered], 4)


def _stranded(before: Side, after: Side, moved: Collection[PortRef], meant: Meant) -> Iterator[str]:
    """Yields moved stations that heard somebody, and end alone."""
    for ref in sorted(moved, key=lambda r: r.order):
        network = after.followed
        if not network.has(ref) or ref not in before.followed.edge_ports.get(ref.switch, ()):
            continue
        port, vid = network.port(ref), _vlan(after, ref)
        entry = (network.switches[ref.switch].vlans or {}).get(vid)
        if entry is not None and entry.type is VlanType.ISOLATED:
            continue  # it is there to hear nobody but the promiscuous side
        if not port.enabled or port.lag or ref in network.cabled:
            continue
        if not any(not meant.parts(ref, far) for far in before.hearing.of(ref) - {ref}):
            continue
        if after.hearing.of(ref) - {ref} or (vid and _served(after, network.switches[ref.switch], vid)):
            continue
        where = named(network, vid) if vid else "no VLAN"
        yield f"{by_host(before, [ref])} is then in {where}, and hears nobody there"


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
