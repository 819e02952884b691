"""Redundant pairs: devices that share the gateways of a VLAN, and differ where they must be alike."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from itertools import combinations

from inkov.forwarding.gateways import Interface
from inkov.model.routing import Filter, Ip, Prefix
from inkov.model.settings import Setting
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import routed_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_cause, gateway_fact, part_of, vlans_of
from inkov.rules.wording import count, joined, named, vlans

_TABLE, _PORTS = "{340: research, 350: kiosks}", "{1-4: {access: 350}, 5: {access: 340}, u1: {trunk: '340,350'}}"
_FILTER = "{f: [{action: drop, to: 192.0.2.0/24}, {action: accept}]}"


def _two(
    own: str = "{}", filters: str = _FILTER, routes: str = "[{to: 0.0.0.0/0, via: 198.51.100.62}]"
) -> dict[str, str]:
    """Two devices that share the gateways of two VLANs; what is given is set on the second."""
    gateways = "{{340: {{address: 198.51.100.{0}/27, virtual: 198.51.100.33}}, 350: {1}}}"
    plain = "{{address: 192.0.2.{0}/27, virtual: 192.0.2.97, in: f}}"
    first = gateways.format(34, plain.format(98))
    second = gateways.format(35, plain.format(99) if own == "{}" else own)
    more = {"routing": "true", "filters": _FILTER, "routes": "[{to: 0.0.0.0/0, via: 198.51.100.62}]"}
    texts = [
        switch_text("core-1", _TABLE, _PORTS, gateways=first, neighbours="{u1: core-2 u1}", **more),
        switch_text("core-2", _TABLE, _PORTS, gateways=second, **more | {"filters": filters, "routes": routes}),
    ]
    return {f"core-{n}.yaml": text for n, text in enumerate(texts, 1)}


_ALIKE = Example(_two())


def _pairs(facts: Facts) -> dict[tuple[str, str], dict[Vid, tuple[Interface, Interface]]]:
    """Returns the VLANs whose gateway two devices share, by the two; those on ports are no pairs."""
    gateways = facts.network.gateways
    found: dict[tuple[str, str], dict[Vid, tuple[Interface, Interface]]] = defaultdict(dict)
    for vid in sorted(gateways.by_vlan):
        serving = [i for i in gateways.serving(vid) if i.port is None]
        for a, b in combinations(serving, 2):
            together = part_of(facts, vid, a.device) == part_of(facts, vid, b.device)
            if a.device != b.device and a.gateway.vrf == b.gateway.vrf and together:
                found[a.device, b.device][vid] = (a, b)
    return {
        two: own for two, own in found.items() if any(a.gateway.virtual or b.gateway.virtual for a, b in own.values())
    }


def _nets(interface: Interface) -> set[Prefix]:
    return {a.network for a in interface.gateway.addresses if not a.ip.is_link_local}


def _alone(facts: Facts, vid: Vid, a: Interface, b: Interface) -> Interface:
    """Returns the one of two gateways that fewer hosts of its VLAN agree with; the second where that does not tell."""
    hosts = [h for h in facts.network.campus.hosts.values() if h.address is not None and h.gateway is not None]
    fits = [sum(h.gateway in i.gateway.answers and vid in vlans_of(facts, h) for h in hosts) for i in (a, b)]
    return a if fits[0] < fits[1] else b


@rule(
    "pair/address",
    Severity.RISK,
    faults=(12,),
    looks_for="Two gateways of a redundant pair whose shared address, subnet or prefix length differ.",
    why="Stations know one address. When the device that has it fails, the other does not answer to it; and with another prefix "
    "length the two do not agree on who is a neighbour.",
    mend="Give both the same shared address and the same prefix length.",
    breaks=Example(_two("{address: 192.0.2.99/27, virtual: 192.0.2.100, in: f}"), place="core-2"),
    passes=_ALIKE,
)
def address(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN and pair."""
    for vid, a, b in ((v, *two) for own in _pairs(facts).values() for v, two in own.items()):
        what = _unlike(a, b)
        if what:
            odd = _alone(facts, vid, a, b)
            has, lacks = (a, b) if a.gateway.virtual else (b, a)
            yield Fault(
                place=odd.device,
                what=f"{a.device} and {b.device} are a pair of gateways of {named(facts.network, vid)}, and {what}: "
                "when one of them fails, stations do not reach the other.",
                mend=f"Set {odd.device} as {(a if odd is b else b).device}, or the other way round.",
                evidence=(gateway_fact(a), gateway_fact(b)),
                causes=(gateway_cause(odd), gateway_cause(a if odd is b else b)),
                vlans=VlanSet([vid]),
                cure=routed_cures.as_hosts_say(facts, vid, [odd])
                or routed_cures.shares(lacks, has)
                or routed_cures.as_long_as_others(facts, a, b)
                or routed_cures.as_long_as_others(facts, b, a),
            )


def _unlike(a: Interface, b: Interface) -> str:
    """Says in which of their addresses two gateways of a pair differ; empty where they are alike."""
    mine, theirs = _nets(a), _nets(b)
    shared: tuple[set[Ip], set[Ip]] = (set(a.gateway.virtual), set(b.gateway.virtual))
    if shared[0] != shared[1] and all(shared):
        return f"{a.device} answers to {_ips(shared[0])}, {b.device} to {_ips(shared[1])}"
    if shared[0] != shared[1]:
        has, lacks = (a, b) if shared[0] else (b, a)
        own = shared[0] or shared[1]
        return f"only {has.device} answers to {_ips(own)}" if not own <= set(lacks.gateway.answers) else ""
    both = [(p, q) for p in mine - theirs for q in theirs - mine if p.version == q.version]
    lengths = next(((p, q) for p, q in both if p.overlaps(q)), None)
    if lengths:
        return f"{a.device} has prefix length /{lengths[0].prefixlen} there and {b.device} /{lengths[1].prefixlen}"
    if both:
        return f"{a.device} has an address in {both[0][0]} and {b.device} in {both[0][1]}"
    return ""


def _ips(some: set[Ip]) -> str:
    return joined(sorted(map(str, some)))


@rule(
    "pair/missing",
    Severity.RISK,
    faults=(12,),
    looks_for="A VLAN of which one device of a redundant pair has the shared gateway, and the other has none.",
    why="The pair was set up so that either may fail. For this VLAN nobody takes over.",
    mend="Give the other device its gateway of this VLAN.",
    breaks=Example(
        {
            name: text.replace(", 350: {address: 192.0.2.99/27, virtual: 192.0.2.97, in: f}", "")
            for name, text in _two().items()
        },
        place="core-2",
    ),
    passes=_ALIKE,
)
def missing(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device of a pair that shares most of its gateways, with the VLANs it leaves out."""
    gateways = facts.network.gateways
    for (first, second), own in _pairs(facts).items():
        for has, lacks in ((first, second), (second, first)):
            ones = [
                i
                for i in gateways.of(has)
                if i.port is None and i.gateway.virtual and i.gateway.vid is not None and i.gateway.vid not in own
            ]
            some = VlanSet(v for i in ones for v in gateways.vlans(i) if v in facts.network.members)
            others = {i.device for v in some for i in gateways.serving(v)} - {has}
            if some and not others and len(own) >= len(some):
                yield Fault(
                    place=lacks,
                    what=f"{has} and {lacks} share the gateways of {vlans(VlanSet(own))}; of {vlans(some)} {lacks} has none: "
                    f"when {has} fails, {'its' if len(some) == 1 else 'their'} stations reach no other subnet.",
                    mend=f"Give {lacks} a gateway of {vlans(some)} with the shared address of {has}.",
                    evidence=tuple(map(gateway_fact, ones[:4])),
                    causes=(Cause(lacks, Setting.GATEWAYS, entry=str(some)), *map(gateway_cause, ones)),
                    vlans=some,
                    cure=routed_cures.beside_its_partner(
                        facts, ones, lacks, [i for two in own.values() for i in two if i.device == lacks]
                    ),
                )


@rule(
    "pair/filter",
    Severity.RISK,
    faults=(12,),
    looks_for="Two gateways of a redundant pair whose filters let different packets pass.",
    why="What may pass changes with every failure: what is stopped today is let through tomorrow, or the other way round.",
    mend="Give both the same filters.",
    breaks=Example(_two(filters="{f: [{action: accept}]}"), place="core-2"),
    passes=_ALIKE,
)
def filtered(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a pair, filter and direction; one that lacks a filter is told by `gateway/unfiltered`."""
    switches = facts.network.switches
    found: dict[tuple[str, str, str, str], list[tuple[Vid, Interface, Interface]]] = defaultdict(list)
    for own in _pairs(facts).values():
        for vid, (a, b) in own.items():
            for one, other in ((a.gateway.inward, b.gateway.inward), (a.gateway.outward, b.gateway.outward)):
                theirs = [switches[i.device].filters.get(n) for i, n in ((a, one), (b, other))]
                if None not in theirs and _entries(theirs[0]) != _entries(theirs[1]):
                    found[a.device, b.device, one, other].append((vid, a, b))
    for (first, second, one, other), rows in found.items():
        mine, theirs_ = switches[first].filters[one], switches[second].filters[other]
        has = second if any(e not in mine.entries for e in theirs_.entries) else first
        only = [e for e in theirs_.entries if e not in mine.entries] or [
            e for e in mine.entries if e not in theirs_.entries
        ]
        some = VlanSet(v for v, _, _ in rows)
        shown = f"filters {one!r}" if one == other else f"filters {one!r} and {other!r}"
        yield Fault(
            place=second,
            what=f"{first} and {second} share the gateways of {vlans(some)}, and their {shown} say different things: "
            f"{f'{only[0]} stands on {has} alone' if only else 'the entries stand in another order'}.",
            mend=f"Give the gateways of {vlans(some)} on {first} and {second} the same entries.",
            evidence=(Evidence(f"{one} on {first}", mine.source), Evidence(f"{other} on {second}", theirs_.source)),
            causes=(Cause(second, Setting.FILTERS, entry=other), Cause(first, Setting.FILTERS, entry=one)),
            vlans=some,
        )


def _entries(own: Filter | None) -> tuple[tuple[object, ...], ...]:
    return tuple((e.accepts, e.origin, e.target, e.only) for e in own.entries) if own else ()


@rule(
    "pair/routes",
    Severity.RISK,
    faults=(12,),
    looks_for="A static route that one device of a redundant pair has, and the other has otherwise or not at all.",
    why="Packets come in at the one or the other. By the second they go another way, or are dropped, as soon as the first fails.",
    mend="Give both the same routes.",
    breaks=Example(_two(routes="[]"), place="core-2"),
    passes=_ALIKE,
)
def routes(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a pair; devices that learn routes are left alone, and so is a route to the partner or out of a subnet of one's own."""
    switches = facts.network.switches
    for first, second in _pairs(facts):
        a, b = switches[first], switches[second]
        if a.learns or b.learns or a.routing is False or b.routing is False:
            continue
        own = [{(r.vrf, r.prefix): r for r in s.routes} for s in (a, b)]
        inside = [{g.network for i in facts.network.gateways.of(s.name) for g in i.gateway.addresses} for s in (a, b)]
        answers = {ip for n in (first, second) for i in facts.network.gateways.of(n) for ip in i.gateway.answers}
        odd = [
            (key, own[0].get(key), own[1].get(key))
            for key in dict.fromkeys([*own[0], *own[1]])
            if len({(r.via, bool(r.out)) if (r := some.get(key)) else None for some in own}) > 1
        ]
        odd = [
            (key, x, y)
            for key, x, y in odd
            if not any(r is not None and (r.via in answers) for r in (x, y))
            and all(r is not None or key[1] not in inside[n] for n, r in enumerate((x, y)))
            and (not (x and x.via and y and y.via) or any(x.via in p and y.via in p for p in inside[0] | inside[1]))
        ]
        if not odd:
            continue
        lines = [
            f"{key[1]} {x.way if x else 'via nothing'} on {first} and {y.way if y else 'via nothing'} on {second}"
            for key, x, y in odd
        ]
        lacking = first if sum(x is None for _, x, _ in odd) > sum(y is None for _, _, y in odd) else second
        have = [r for _, x, y in odd for r in (x, y) if r is not None]
        yield Fault(
            place=lacking,
            what=f"{first} and {second} share gateways, and {count(len(odd), 'route')} of theirs differ"
            f"{'s' if len(odd) == 1 else ''}: {joined(lines, 2)}.",
            mend=f"Give {first} and {second} the same routes.",
            evidence=tuple(Evidence(str(r), r.source) for r in have[:4]),
            causes=(*(Cause(lacking, Setting.ROUTES, entry=str(key[1])) for key, _, _ in odd),),
            cure=routed_cures.routes_of_partner(lacking, ((key, x or y) for key, x, y in odd))
            if all((x if lacking == first else y) is None for _, x, y in odd)
            else (),
        )
