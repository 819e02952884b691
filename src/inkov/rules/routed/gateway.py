"""Gateways: down, idle, in the wrong subnet, or in each other's."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence

from inkov.forwarding.gateways import Deaf, Interface, State
from inkov.kinds.relay import View
from inkov.kinds.table import access_of, private_host_of, trunk_of
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.vlanset import VlanSet
from inkov.rules import cures, routed_cures, table_cures
from inkov.rules.finding import Cause, Cure, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_cause, gateway_fact
from inkov.rules.wording import cause, count, joined, members_of, named, vlan_cause, vlans
from inkov.steps.settings import PortChange

_PORTS = "{1-4: {access: 340}, 5-8: {access: 350}}"


def _core(gateways: str, **more: str) -> dict[str, str]:
    return {"core.yaml": switch_text("core", "{340: research, 350: kiosks}", _PORTS, gateways=gateways, **more)}


_GOOD = "{340: 198.51.100.33/27, 350: 192.0.2.97/27}"


def _place(interface: Interface) -> str:
    return str(interface.port or interface.device)


@rule(
    "gateway/down",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Gateways whose VLAN their own switch does not relay, or that no port of it carries.",
    why="Such a gateway is down, however well it is set: its VLAN has no way to any other.",
    mend="Define the VLAN on that switch, and give it a port or a trunk there; or take the gateway away.",
    cure=table_cures.define_missing,
    breaks=Example(_core("{340: 198.51.100.33/27, 360: 192.0.2.65/27}", routing="true"), place="core"),
    passes=Example(_core(_GOOD, routing="true")),
)
def down(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a gateway."""
    yield from _behind_dead_ports(facts)
    for interface in facts.network.gateways.all:
        state, gateway = facts.network.gateways.state(interface), interface.gateway
        if state.up is not False or interface.port is not None or not gateway.enabled or gateway.vid is None:
            continue
        some = VlanSet([gateway.vid])
        yield Fault(
            place=_place(interface),
            what=f"The gateway {gateway.shown} of {named(facts.network, gateway.vid)} is down: {state.why}."
            if facts.network.gateways.serves(interface)
            else f"{interface.device} cannot be reached at {gateway.shown}, its address in {named(facts.network, gateway.vid)}: {state.why}.",
            mend=f"{_todo(facts, interface, gateway.vid)}, or take the address away.",
            evidence=(gateway_fact(interface), Evidence(state.why, state.source)),
            causes=(gateway_cause(interface), vlan_cause(interface.device, gateway.vid)),
            vlans=some,
            members=members_of(facts.network, some),
        )


def _behind_dead_ports(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port that is down, with gateways of VLANs in which somebody is and which have no other that is up."""
    gateways = facts.network.gateways
    found: dict[tuple[PortRef, State], list[Interface]] = defaultdict(list)
    for interface in gateways.all:
        state = gateways.state(interface)
        if interface.port is not None and state.up is False and interface.gateway.enabled and _missed(facts, interface):
            found[interface.port, state].append(interface)
    for (port, state), some in found.items():
        own = VlanSet(v for i in some for v in gateways.vlans(i))
        one = len(own) == 1
        yield Fault(
            place=str(port),
            what=f"The gateway{'' if one else 's'} of {joined(named(facts.network, v) for v in own)} on {port} {'is' if one else 'are'} "
            f"down: {state.why}.",
            mend=f"Turn the port on, or give {vlans(own)} another gateway.",
            evidence=(*map(gateway_fact, some[:3]), Evidence(state.why, state.source)),
            causes=(cause(port, Setting.ENABLED), *map(gateway_cause, some)),
            vlans=own,
            members=members_of(facts.network, own),
            cure=_enabled(facts, some[0]),
        )


def _enabled(facts: Facts, interface: Interface) -> Cure:
    """Turns on the ports at both ends of a gateway's cable that are shut."""
    links = facts.network.links_of.get(interface.port, ()) if interface.port else ()
    ends = dict.fromkeys(ref for link in links for ref in (link.a, link.b))
    off = [ref for ref in ends if facts.network.has(ref) and not facts.network.port(ref).enabled]
    return tuple(cures.set_at(ref, PortChange(enabled=True)) for ref in off)


def _missed(facts: Facts, interface: Interface) -> bool:
    """Tells whether somebody misses a gateway that is down: stations or other devices of its VLANs that have no other one."""
    gateways = facts.network.gateways
    serving = [
        i for v in gateways.vlans(interface) for i in gateways.by_vlan.get(v, ()) if i.device != interface.device
    ]
    others = any(gateways.serves(i) and gateways.state(i).up is not False for i in serving)
    return (bool(_served_by(facts, interface)) and not others) or _leads_on(facts, interface)


def _leads_on(facts: Facts, interface: Interface) -> bool:
    """Tells whether another device sends packets on by way of a gateway."""
    return any(
        r.via in interface.gateway.answers
        for name, s in facts.network.switches.items()
        if name != interface.device
        for r in s.routes
    )


def _todo(facts: Facts, interface: Interface, vid: int) -> str:
    """Says what brings a gateway up."""
    if facts.network.active(interface.device) >> vid & 1:
        return f"Give {interface.device} a port or a trunk that carries VLAN {vid}"
    suspended = facts.network.defined(interface.device) >> vid & 1
    return f"{'Activate' if suspended else 'Define'} VLAN {vid} on {interface.device}"


_TABLE = "{340: research, 350: kiosks}"


def _router(listed: str) -> dict[str, str]:
    router = switch_text(
        "fence", "{}", "{e1: {subinterfaces: {340: 198.51.100.33/27, 350: 192.0.2.97/27}}}", kind="router"
    )
    ports = f"{{1-4: {{access: 340}}, 5-8: {{access: 350}}, u1: {{trunk: '{listed}'}}}}"
    text = switch_text("hall", _TABLE, ports, neighbours="{u1: fence e1}")
    return {"fence.yaml": router.replace("vlans: {}\n", ""), "hall.yaml": text}


@rule(
    "gateway/unheard",
    Severity.OUTAGE,
    faults=(6, 12),
    looks_for="Gateways on ports of a router whose VLAN has stations, or by way of which others send packets on, and in front of which a switch does not send their tag.",
    why="The gateway and its cable are well, and no frame of its stations reaches it: they are cut off from every other subnet.",
    mend="Let the port in front of the router carry the VLAN with the tag that the router expects.",
    cure=cures.carry_or_define,
    breaks=Example(_router("340"), place="fence:e1"),
    passes=Example(_router("340,350")),
)
def unheard(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port of a router and setting to blame."""
    network = facts.network
    found: dict[tuple[str, PortRef, Setting], list[tuple[Interface, str]]] = defaultdict(list)
    for interface in network.gateways.all:
        deaf = network.gateways.deaf(interface) or _deaf_to_secondaries(facts, interface)
        if (
            deaf is not None
            and interface.gateway.enabled
            and (_served_by(facts, interface) or _leads_on(facts, interface))
        ):
            found[_place(interface), deaf.far, deaf.setting].append((interface, deaf.why))
    for (where, far, setting), some in found.items():
        own = VlanSet(v for i, _ in some for v in network.gateways.vlans(i))
        one = len(some) == 1
        source = (
            network.switches[far.switch].origin.of(setting)
            if setting is Setting.VLANS
            else network.port(far).origin.of(setting)
        )
        whys = joined(dict.fromkeys(why for _, why in some))
        blamed = [vlan_cause(far.switch, v) for v in own] if setting is Setting.VLANS else [cause(far, setting)]
        yield Fault(
            place=where,
            what=f"The gateway{'' if one else 's'} of {joined(named(network, v) for v in own)} on {where} "
            f"hear{'s' if one else ''} nobody: {whys}. Nobody there reaches another subnet.",
            mend=_let_through(far, setting, own),
            evidence=(*(gateway_fact(i) for i, _ in some[:3]), *(Evidence(why, source) for _, why in some[:1])),
            causes=(*blamed, *(gateway_cause(i) for i, _ in some)),
            vlans=own,
            members=tuple(dict.fromkeys(ref for i, _ in some for ref in _served_by(facts, i))),
            cure=_as_router_takes_it(facts, far, setting, [i for i, _ in some]),
        )


def _as_router_takes_it(facts: Facts, far: PortRef, setting: Setting, some: Sequence[Interface]) -> Cure:
    """Sets the tag format of the port in front of a router, takes its native VLAN off, or makes it a trunk, so that the router's tags are sent."""
    ref, tags = some[0].port, [i.gateway.vid for i in facts.network.gateways.all if i.port == some[0].port]
    if access_of(facts.network.port(far).switching) and all(tags) and len(tags) == len(some):
        return (cures.set_at(far, PortChange(trunk=VlanSet(filter(None, tags)), native=None)),)
    if setting is Setting.TAGS and ref is not None:
        return (cures.set_at(far, PortChange(tags=facts.network.port(ref).tag_format)),)
    if setting is Setting.NATIVE and trunk_of(facts.network.port(far).switching) is not None:
        return (cures.set_at(far, PortChange(native=None)),)
    return ()


def _deaf_to_secondaries(facts: Facts, interface: Interface) -> Deaf | None:
    """Says why a gateway behind a port that keeps secondaries apart hears none of the stations of its primary (RFC 5517, 5)."""
    network, vid = facts.network, interface.gateway.vid
    fars = network.gateways.far_ends(interface, View.MAY) if interface.port and vid else []
    hosts = [private_host_of(network.port(ref).switching) for ref in _served_by(facts, interface)]
    served = {host.secondary for host in hosts if host is not None}
    sent = any(interface.tags in network.relay(f, View.MAY).send(v) for f in fars for v in served)
    if not fars or None in hosts or not served or sent:
        return None
    return Deaf(
        fars[0],
        f"{fars[0]} sends their VLAN {VlanSet(served)} with a tag of its own, and the router takes tag {vid}",
        Setting.PROMISCUOUS,
    )


def _family(facts: Facts, interface: Interface) -> VlanSet:
    """Returns the VLANs that a gateway is there for: its own, and those that are secondaries of it."""
    own, secondaries = facts.network.gateways.vlans(interface), facts.network.needs.secondaries
    return VlanSet(own) | VlanSet.from_mask(sum(secondaries.get(v, 0) for v in own))


def _served_by(facts: Facts, interface: Interface) -> tuple[PortRef, ...]:
    return members_of(facts.network, _family(facts, interface))


def _let_through(far: PortRef, setting: Setting, some: VlanSet) -> str:
    todo = {
        Setting.ALLOWED: f"Add {some} to the list of {far}",
        Setting.VLANS: f"Define and activate {vlans(some)} on {far.switch}",
        Setting.PROMISCUOUS: f"Make {far} promiscuous for {vlans(some)}, mapped to its secondaries",
        Setting.NATIVE: f"Take the native VLAN off {far}, or let the router take {vlans(some)} untagged",
        Setting.TAGS: f"Set the same tag format on {far} and on the router",
    }
    return todo.get(setting, f"Make {far} a trunk that carries {vlans(some)} tagged") + "."


@rule(
    "gateway/idle",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Devices with gateways in two VLANs or more that do not route.",
    why="Stations send to their gateway what is for other subnets, and there it ends.",
    mend="Turn routing on, or take the gateways away.",
    breaks=Example(_core(_GOOD, routing="false"), place="core"),
    passes=Example(_core(_GOOD, routing="true")),
)
def idle(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device."""
    for name, switch in facts.network.switches.items():
        own = [i for i in facts.network.gateways.of(name) if facts.network.gateways.state(i).up is not False]
        served = VlanSet(v for i in own for v in facts.network.gateways.vlans(i))
        if switch.routing is False and len(served) > 1:
            yield Fault(
                place=name,
                what=f"{name} has gateways of {count(len(served), 'VLAN')} ({served}) and does not route between them.",
                mend=f"Turn routing on at {name}, or take the gateways away.",
                evidence=tuple(map(gateway_fact, own[:4])),
                causes=(Cause(name, Setting.ROUTING),),
                vlans=served,
                members=members_of(facts.network, served),
                cure=routed_cures.routing_as_partner(facts, name),
            )


_PAIR = "{{350: {{address: 192.0.2.{0}/27, virtual: 192.0.2.97{1}}}}}"


def _two(first: str = "", second: str = "", one: str = "in: f, ", other: str = "in: f, ") -> dict[str, str]:
    """Two devices that share the gateway of a VLAN, each with what is said of its own."""
    table, ports = "{350: kiosks}", "{1-4: {access: 350}, u1: {trunk: '350'}}"
    filters = "{f: [{action: drop, to: 10.0.0.0/8}, {action: accept}]}"
    return {
        f"core-{n}.yaml": switch_text(
            f"core-{n}",
            table,
            ports,
            gateways=_PAIR.format(97 + n, f", {more}{text}".rstrip(", ")),
            filters=filters,
            routing="true",
            **({"neighbours": "{u1: core-2 u1}"} if n == 1 else {}),
        )
        for n, text, more in ((1, first, one), (2, second, other))
    }


@rule(
    "gateway/shut",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="VLANs with members whose gateways are all shut down, or one of a redundant pair that is.",
    why="Stations send to their gateway what is for other subnets. When none of a VLAN's gateways is on, they are cut off "
    "from all others; when one of two is on, its failure cuts them off.",
    mend="Turn the gateway on.",
    breaks=Example(_two("enabled: false", "enabled: false"), place="core-1 and core-2"),
    passes=Example(_two()),
)
def shut(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a set of devices that keep gateways of VLANs with members shut."""
    network = facts.network
    found: dict[tuple[bool, tuple[Interface, ...]], list[int]] = defaultdict(list)
    for vid in network.members:
        serving = network.gateways.serving(vid)
        off = tuple(i for i in serving if not i.gateway.enabled)
        if off and network.live_members(vid):
            shared = any(i.gateway.virtual for i in serving)
            if len(off) == len(serving) or shared:
                found[len(off) == len(serving), off].append(vid)
    for (whole, off), vids in found.items():
        some, one = VlanSet(vids), len(off) == 1
        named_ = named(network, vids[0]) if len(some) == 1 else vlans(some)
        yield Fault(
            severity=Severity.OUTAGE if whole else Severity.RISK,
            place=joined(dict.fromkeys(map(_place, off))),
            what=f"{'The gateway' if one else 'All gateways'} of {named_} {'is' if one else 'are'} shut down: its stations reach no "
            "other subnet."
            if whole
            else f"One gateway of the redundant pair of {named_} is shut down, on {joined(map(_place, off))}: when the other fails, "
            "its stations reach no other subnet.",
            mend=f"Turn on {joined(map(str, off))}.",
            evidence=tuple(map(gateway_fact, off[:4])),
            causes=tuple(map(gateway_cause, off)),
            vlans=some,
            members=members_of(network, some) if whole else (),
            cure=() if whole else routed_cures.turned_on(off),
        )


@rule(
    "gateway/unfiltered",
    Severity.RISK,
    faults=(12,),
    looks_for="A gateway without a filter where the other gateways of its VLAN have one.",
    why="Packets that come in by the one without a filter go wherever they like. Which of a redundant pair they come in by "
    "changes with every failure.",
    mend="Give it the filter that the others have.",
    breaks=Example(_two(other=""), place="core-2"),
    passes=Example(_two()),
)
def unfiltered(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a gateway and direction."""
    network = facts.network
    for vid in network.inhabited_vlans:
        serving = [i for i in network.gateways.serving(vid) if i.gateway.enabled]
        for way in ("in", "out"):
            bound = {i: i.gateway.inward if way == "in" else i.gateway.outward for i in serving}
            for interface, own in bound.items():
                nets = {a.network for a in interface.gateway.addresses}
                other = next(
                    (i for i, n in bound.items() if n and nets & {a.network for a in i.gateway.addresses}), None
                )
                having = sum(map(bool, bound.values()))
                if other and not own and 2 * having >= len(bound):
                    turned = bound[other] == (interface.gateway.outward if way == "in" else interface.gateway.inward)
                    if turned and way == "out":
                        continue  # told of the other one
                    lacks = f"has no filter for packets that {'come in' if way == 'in' else 'go out'}; on {other.device} it has"
                    binds = f"filters packets that go out, and the one on {other.device} packets that come in: both by"
                    yield Fault(
                        place=_place(interface),
                        what=f"The gateway {interface.gateway.shown} of {named(network, vid)} on {interface.device} "
                        f"{binds if turned else lacks} {bound[other]!r}.",
                        mend=f"Bind {bound[other]!r} in the same direction on both."
                        if turned
                        else f"Give it the filter {bound[other]!r} of {other.device}.",
                        evidence=(gateway_fact(interface), gateway_fact(other)),
                        causes=(gateway_cause(interface),),
                        vlans=VlanSet([vid]),
                        members=members_of(network, VlanSet([vid])),
                        cure=routed_cures.filtered_as(facts, interface, other),
                    )
