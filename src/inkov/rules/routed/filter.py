"""Address filters that stop less than their author meant."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence

from inkov.forwarding.gateways import Interface
from inkov.model.routing import Entry, Filter, Prefix
from inkov.model.settings import Setting
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import routed_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_cause, gateway_fact
from inkov.rules.wording import joined, members_of, named, vlans

_FEW = 3
"""So many VLANs with a word in common make a kind."""

_STOPS = "[{action: drop, to: 192.0.2.0/24}, {action: accept}]"


def _core(gateway: str, entries: str = _STOPS) -> dict[str, str]:
    return {
        "core.yaml": switch_text(
            "core",
            "{340: research, 350: kiosks}",
            "{1-4: {access: 340}, 5-8: {access: 350}}",
            gateways=f"{{340: {{{gateway}}}, 350: {{address: ['192.0.2.97/27', '2001:db8:350::1/64']}}}}",
            filters=f"{{guard: {entries}}}",
            routing="true",
        )
    }


_GOOD = Example(_core("address: 198.51.100.33/27, in: guard"))


def _bound(facts: Facts) -> Iterator[tuple[Interface, bool, Filter]]:
    """Yields gateways of VLANs with stations, a direction (True for packets that come in), and the filter bound there."""
    for interface in facts.network.gateways.all:
        live = members_of(facts.network, VlanSet(facts.network.gateways.vlans(interface)))
        filters = facts.network.switches[interface.device].filters
        for inward, name in ((True, interface.gateway.inward), (False, interface.gateway.outward)):
            if live and interface.gateway.enabled and name in filters:
                yield interface, inward, filters[name]


def _vlans(facts: Facts, rows: Sequence[Interface]) -> VlanSet:
    return VlanSet(v for i in rows for v in facts.network.gateways.vlans(i))


def _own(interface: Interface) -> list[Prefix]:
    return [a.network for a in interface.gateway.addresses if not a.ip.is_link_local]


def _meets(prefix: Prefix | None, some: Sequence[Prefix]) -> bool:
    return prefix is None or any(p.version == prefix.version and p.overlaps(prefix) for p in some)


def _stops(entries: Sequence[Entry], own: Sequence[Prefix], *, inward: bool) -> bool:
    """Tells whether an entry drops packets that come in from some subnets, or go out to them."""
    return any(not e.accepts and _meets(e.origin if inward else e.target, own) for e in entries)


@rule(
    "filter/direction",
    Severity.RISK,
    faults=(12,),
    looks_for="A filter bound in a direction in which none of its entries drops anything, while in the other one it would.",
    why="It looks like a wall and is none: packets of the other direction were meant.",
    mend="Bind the filter in the other direction.",
    breaks=Example(_core("address: 198.51.100.33/27, out: guard"), place="core"),
    passes=_GOOD,
)
def direction(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device, filter and direction."""
    found: dict[tuple[Filter, bool], list[Interface]] = defaultdict(list)
    for interface, inward, bound in _bound(facts):
        own = _own(interface)
        if own and not _stops(bound.entries, own, inward=inward) and _stops(bound.entries, own, inward=not inward):
            found[bound, inward].append(interface)
    for (bound, inward), rows in found.items():
        some, device, name = _vlans(facts, rows), joined(dict.fromkeys(i.device for i in rows)), bound.name
        now, other = ("come in", "go out") if inward else ("go out", "come in")
        yield Fault(
            place=device,
            what=f"Filter {name!r} is bound at the gateway of {_named(facts, some)} on {device} to packets that {now} there, and drops none "
            f"of them: what its entries drop are packets that {other}.",
            mend=f"Bind {name!r} at {device} to packets that {other}.",
            evidence=(gateway_fact(rows[0]), Evidence(f"filter {name}", bound.source)),
            causes=tuple(map(gateway_cause, rows)),
            vlans=some,
            members=members_of(facts.network, some),
            cure=routed_cures.turned_round(rows),
        )


def _named(facts: Facts, some: VlanSet) -> str:
    return named(facts.network, next(iter(some))) if len(some) == 1 else vlans(some)


@rule(
    "filter/family",
    Severity.RISK,
    faults=(12,),
    looks_for="A gateway with IPv6 addresses whose filter drops IPv4 packets alone, and accepts every IPv6 packet.",
    why="Whoever is kept out by IPv4 gets through by IPv6.",
    mend="Add entries for IPv6 that drop what the others drop.",
    breaks=Example(_core("address: [198.51.100.33/27, '2001:db8:340::1/64'], in: guard"), place="core"),
    passes=_GOOD,
)
def family(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device and filter."""
    found: dict[Filter, list[Interface]] = defaultdict(list)
    for interface, _, bound in _bound(facts):
        versions = {p.version for e in bound.entries if not e.accepts for p in (e.origin, e.target) if p is not None}
        last = next((e for e in bound.entries if e.origin is None and e.target is None and not e.only), None)
        if interface.gateway.takes(6) and interface.gateway.answers and versions == {4} and last and last.accepts:
            found[bound].append(interface)
    for bound, rows in found.items():
        some, device, name = _vlans(facts, rows), joined(dict.fromkeys(i.device for i in rows)), bound.name
        yield Fault(
            place=device,
            what=f"Filter {name!r} at the gateway of {_named(facts, some)} on {device} drops IPv4 packets and no IPv6 packet, and the "
            "gateway has an IPv6 address: by IPv6 everything passes.",
            mend=f"Add entries to {name!r} on {device} that drop the IPv6 packets of the same kind.",
            evidence=(gateway_fact(rows[0]), Evidence(f"filter {name}", bound.source)),
            causes=tuple(Cause(i.device, Setting.FILTERS, entry=name) for i in rows),
            vlans=some,
            members=members_of(facts.network, some),
        )


@rule(
    "filter/shadowed",
    Severity.RISK,
    faults=(12,),
    looks_for="An entry of a filter that drops what an entry before it accepts: it never decides.",
    why="The first entry that matches decides. What stands behind one that matches more is never asked.",
    mend="Move the entry before the one that hides it.",
    breaks=Example(
        _core("address: 198.51.100.33/27, in: guard", "[{action: accept}, {action: drop, to: 192.0.2.0/24}]"),
        place="core",
    ),
    passes=_GOOD,
)
def shadowed(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device and filter that is bound somewhere."""
    found: dict[Filter, list[Interface]] = defaultdict(list)
    for interface, _, bound in _bound(facts):
        found[bound].append(interface)
    for bound, rows in found.items():
        hidden = [
            (before, e)
            for n, e in enumerate(bound.entries)
            if _narrow_drop(e) and (before := next((b for b in bound.entries[:n] if b.accepts and _covers(b, e)), None))
        ]
        if hidden:
            some, device, name = _vlans(facts, rows), joined(dict.fromkeys(i.device for i in rows)), bound.name
            before, entry = hidden[0]
            yield Fault(
                place=device,
                what=f"In filter {name!r} on {device}, bound at the gateway of {_named(facts, some)}, '{entry}' never decides: "
                f"'{before}' stands before it and accepts all of that.",
                mend=f"Move {joined((repr(str(e)) for _, e in hidden), 2)} before '{before}' in {name!r} on {device}.",
                evidence=(Evidence(str(before), before.source), Evidence(str(entry), entry.source)),
                causes=tuple(Cause(i.device, Setting.FILTERS, entry=name) for i in rows),
                vlans=some,
                members=members_of(facts.network, some),
                cure=routed_cures.uncovered(bound, hidden, (i.device for i in rows)),
            )


def _narrow_drop(entry: Entry) -> bool:
    """Tells whether an entry drops some packets; one that drops all the rest stands last, and hidden or not does no harm."""
    return not entry.accepts and bool(entry.origin or entry.target or entry.only)


def _covers(before: Entry, entry: Entry) -> bool:
    """Tells whether every packet that an entry matches is matched by one before it."""
    return not before.only and _holds(before.origin, entry.origin) and _holds(before.target, entry.target)


def _holds(wide: Prefix | None, narrow: Prefix | None) -> bool:
    if wide is None or narrow is None:
        return wide is None
    return wide.version == narrow.version and wide.supernet_of(narrow)  # type: ignore[arg-type]


_KIND = switch_text(
    "core",
    "{340: guests-north, 350: guests-south, 360: guests-east}",
    "{1-4: {access: 340}, 5-8: {access: 350}, 9-12: {access: 360}}",
    gateways="{340: {address: 198.51.100.33/27, in: guard}, 350: {address: 192.0.2.97/27, in: guard}, 360: {address: 203.0.113.1/27, in: guard}}",
    filters=f"{{guard: {_STOPS}}}",
    routing="true",
)


@rule(
    "filter/kind",
    Severity.RISK,
    faults=(12,),
    looks_for="A VLAN without a filter at its gateways, where all others with a word of its name have one: `guests-east` beside `guests-north`.",
    why="VLANs of one kind are kept apart alike. Through the gateway that was forgotten packets go wherever they like.",
    mend="Bind a filter as the others have it, or name the VLAN as what it is.",
    breaks=Example({"core.yaml": _KIND.replace("203.0.113.1/27, in: guard", "203.0.113.1/27")}, place="core"),
    passes=Example({"core.yaml": _KIND}),
)
def kind(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    network = facts.network
    serving = {v: [i for i in network.gateways.serving(v) if i.gateway.enabled] for v in network.inhabited_vlans}
    known = {v: rows for v, rows in serving.items() if rows and not any("filters" in i.gateway.untold for i in rows)}
    filtered = {v for v, rows in known.items() if any(i.gateway.inward or i.gateway.outward for i in rows)}
    alike: dict[str, list[Vid]] = defaultdict(list)
    for vid in known:
        for word in dict.fromkeys(re.findall(r"[^\W\d_]{3,}", named(network, vid).partition(" (")[0].lower())):
            alike[word].append(vid)
    told: set[Vid] = set()
    for word, vids in alike.items():
        bare = [v for v in vids if v not in filtered]
        if len(vids) >= _FEW and len(bare) == 1 and bare[0] not in told:
            told.update(bare)
            own, others = known[bare[0]], [known[v][0] for v in vids if v != bare[0]]
            devices = joined(dict.fromkeys(i.device for i in own))
            yield Fault(
                place=devices,
                what=f"The gateway of {named(network, bare[0])} on {devices} has no filter, and those of the {len(others)} other VLANs "
                f"called {word!r} have one: {joined(named(network, v) for v in vids if v != bare[0])}.",
                mend=f"Bind a filter at {devices} as those have it.",
                evidence=(gateway_fact(own[0]), *(gateway_fact(i) for i in others[:2])),
                causes=tuple(map(gateway_cause, own)),
                vlans=VlanSet(bare),
                members=members_of(network, VlanSet(bare)),
            )
