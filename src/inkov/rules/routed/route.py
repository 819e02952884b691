"""Static routes: next hops that nobody has, devices without a way out, and routers that know no way back."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.forwarding.gateways import Interface
from inkov.model.routing import Ip, Prefix, Route
from inkov.model.settings import Setting
from inkov.model.switch import Switch
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import routed_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import gateway_fact
from inkov.rules.wording import count, joined, members_of, named

_TABLE = "{310: management, 340: research}"


def _site(ward: str, back: str = "[{to: 198.51.100.32/27, via: 192.0.2.34}]") -> dict[str, str]:
    """A core that routes by way of a router, and a switch behind it with an address for managing it."""
    core = switch_text(
        "core",
        "{310: management, 340: research, 350: to-fence}",
        "{1-4: {access: 340}, u1: {trunk: '310,340', native: none}, u2: {trunk: '350', native: none}}",
        gateways="{310: 192.0.2.1/27, 340: 198.51.100.33/27, 350: 192.0.2.34/27}",
        routing="true",
        routes="[{to: 0.0.0.0/0, via: 192.0.2.33}]",
        neighbours="{u1: hall u1, u2: fence e1}",
    )
    hall = switch_text(
        "hall",
        _TABLE,
        "{1-4: {access: 340}, u1: {trunk: '310,340', native: none}}",
        gateways="{310: 192.0.2.2/27}",
        routing="false",
        routes=ward,
    )
    fence = switch_text("fence", "{}", "{e1: {subinterfaces: {350: 192.0.2.33/27}}}", kind="router", routes=back)
    return {"core.yaml": core, "fence.yaml": fence.replace("vlans: {}\n", ""), "hall.yaml": hall}


_GOOD = Example(_site("[{to: 0.0.0.0/0, via: 192.0.2.1}]"))


def _taken(facts: Facts) -> set[Ip]:
    """Returns every address that a device or a host of the input has."""
    hosts = (h.address.ip for h in facts.network.campus.hosts.values() if h.address is not None)
    return {ip for i in facts.network.gateways.all for ip in i.gateway.answers} | set(hosts)


def _leads(facts: Facts, switch: Switch, route: Route) -> list[tuple[Interface, Vid]]:
    """Returns the gateways of a device that a route leads out by, each with a VLAN of it."""
    gateways = facts.network.gateways
    return [(i, v) for i in gateways.of(switch.name) if route.leads_by(i.gateway) for v in gateways.vlans(i)]


def _others(facts: Facts, device: str, vid: Vid, via: Ip) -> list[Interface]:
    """Returns the gateways of a VLAN on other devices that route, but those that send by way of an address themselves."""
    switches = facts.network.switches
    return [
        i
        for i in facts.network.gateways.serving(vid)
        if i.device != device
        and facts.network.gateways.serves(i)
        and all(r.via != via for r in switches[i.device].routes)
    ]


def _like(facts: Facts, switch: Switch, prefix: Prefix, vid: Vid, taken: set[Ip]) -> bool:
    """Tells whether most other devices with an address in a VLAN send to an address that somebody here has."""
    networks = facts.network.gateways
    names = {i.device for i in networks.by_vlan.get(vid, ())} - {switch.name}
    routes = [r for n in names for r in facts.network.switches[n].routes if r.prefix == prefix]
    return len(routes) > 1 and 4 * sum(r.via in taken for r in routes) >= 3 * len(routes)


@rule(
    "route/nobody",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="Static routes by way of an address that no device and no host of the input has, in a subnet where another "
    "device routes and no strange device can be, or where the others send to that device.",
    why="The device asks for the address of its next hop, nobody answers, and what it would send there is lost.",
    mend="Set the address of the device that is meant.",
    breaks=Example(_site("[{to: 0.0.0.0/0, via: 192.0.2.9}]"), place="hall"),
    passes=_GOOD,
)
def nobody(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device and next hop."""
    network, taken = facts.network, _taken(facts)
    for name, switch in network.switches.items():
        lost: dict[Ip, list[tuple[Route, list[tuple[Interface, Vid]]]]] = defaultdict(list)
        for via, route in ((r.via, r) for r in switch.routes if r.via not in taken):
            leads = _leads(facts, switch, route) if via else []
            closed = leads and not any(members_of(network, VlanSet([v])) for _, v in leads)
            others = [i for _, v in leads for i in _others(facts, name, v, via)] if via else []
            if via and others and (closed or any(_like(facts, switch, route.prefix, v, taken) for _, v in leads)):
                lost[via].append((route, leads))
        for via, rows in lost.items():
            serves = any(network.gateways.serves(i) for i in network.gateways.of(name))
            vid = rows[0][1][0][1]
            others = _others(facts, name, vid, via)
            shared = dict.fromkeys(str(ip) for i in others for ip in i.gateway.virtual or i.gateway.answers)
            effect = "what is sent there is lost" if serves else "it answers nobody in another subnet"
            yield Fault(
                severity=Severity.OUTAGE if serves else Severity.RISK,
                place=name,
                what=f"{name} sends packets for {joined(str(r.prefix) for r, _ in rows)} to {via}, an address in "
                f"{named(network, vid)} that nobody here has: {effect}.",
                mend=f"Set the next hop that is meant; there, {joined(shared, 3)} routes.",
                evidence=(
                    *(Evidence(str(r), r.source) for r, _ in rows),
                    *map(gateway_fact, others[:2]),
                ),
                causes=tuple(Cause(name, Setting.ROUTES, entry=str(r.prefix)) for r, _ in rows),
                vlans=VlanSet([vid]),
                cure=routed_cures.by_way_of(facts, name, [r for r, _ in rows], others, taken),
            )


@rule(
    "route/none",
    Severity.RISK,
    faults=(12,),
    looks_for="Switches with an address for managing them and no route, where most others in the VLAN have one.",
    why="The switch answers in its own subnet alone: whoever manages it from another one does not reach it.",
    mend="Give it a default route to the gateway of its VLAN.",
    breaks=Example(
        _site("[]")
        | {
            f"hall-{n}.yaml": switch_text(
                f"hall-{n}",
                _TABLE,
                "{1-4: {access: 340}, u1: {trunk: '310,340', native: none}}",
                gateways=f"{{310: 192.0.2.{n}/27}}",
                routing="false",
                routes="[{to: 0.0.0.0/0, via: 192.0.2.1}]",
            )
            for n in (3, 4, 5)
        },
        place="hall",
    ),
    passes=_GOOD,
)
def none(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    for vid, managed in network.gateways.managing.items():
        routed = [i for i in network.gateways.serving(vid) if network.gateways.serves(i)]
        lacking = [i for i in managed if not (network.switches[i.device].routes or network.switches[i.device].learns)]
        having = len(managed) - len(lacking)
        if routed and having > 2 and 4 * having >= 3 * len(managed):
            for interface in lacking:
                yield Fault(
                    place=interface.device,
                    what=f"{interface.device} has the address {interface.gateway.shown} in {named(network, vid)} and no route: it "
                    f"answers nobody in another subnet. {having} of {count(len(managed) - 1, 'other switch', 'other switches')} there have one.",
                    mend=f"Give {interface.device} a default route to {routed[0].gateway.answers[-1]}.",
                    evidence=(gateway_fact(interface), gateway_fact(routed[0])),
                    causes=(Cause(interface.device, Setting.ROUTES, entry="none"),),
                    vlans=VlanSet([vid]),
                    cure=routed_cures.default_as_others(
                        facts,
                        interface.device,
                        (i.device for i in managed if i != interface),
                        lambda via, own=interface.gateway.addresses: any(via in a.network for a in own),  # type: ignore[misc]
                    ),
                )


@rule(
    "route/back",
    Severity.OUTAGE,
    faults=(12,),
    looks_for="A router that is the next hop of a device, and has no route back to subnets behind that device.",
    why="Packets get out, and the answers do not come back: the router drops them, or sends them out of the campus.",
    mend="Give the router a route to these subnets.",
    breaks=Example(
        _site("[{to: 0.0.0.0/0, via: 192.0.2.1}]", "[{to: 203.0.113.0/24, via: 192.0.2.62}]"), place="fence"
    ),
    passes=_GOOD,
)
def back(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a router; one of which no static route is told, or that learns routes, is left alone."""
    network, gateways = facts.network, facts.network.gateways
    owners = {ip: i for i in gateways.all for ip in i.gateway.answers}
    lost: dict[str, dict[Prefix, tuple[Interface, str]]] = defaultdict(dict)
    for name, switch in network.switches.items():
        for hop in dict.fromkeys(owners[r.via].device for r in switch.routes if r.via in owners):
            far = network.switches[hop]
            if hop == name or not far.routes or far.learns or far.routing is False:
                continue
            for interface in gateways.of(name):
                live = gateways.serves(interface) and members_of(network, VlanSet(gateways.vlans(interface)))
                for net in {a.network for a in interface.gateway.addresses if live and not a.ip.is_link_local}:
                    if why := _no_way_back(facts, far, net, owners):
                        lost[hop].setdefault(net, (interface, why))
    for hop, nets in lost.items():
        some = VlanSet(v for i, _ in nets.values() for v in gateways.vlans(i))
        (interface, why), *_ = nets.values()
        behind = joined(dict.fromkeys(i.device for i, _ in nets.values()))
        yield Fault(
            place=hop,
            what=f"{behind} sends to other subnets by way of {hop}, and {hop} {why}: no answer comes back to "
            f"{joined(map(str, nets), 3)}.",
            mend=f"Give {hop} routes to {joined(map(str, nets), 3)} by way of {interface.device}.",
            evidence=(
                *(gateway_fact(i) for i, _ in list(nets.values())[:3]),
                *(Evidence(str(r), r.source) for r in network.switches[hop].routes[:2]),
            ),
            causes=tuple(
                Cause(hop, Setting.ROUTES, entry=e)
                for e in ("back", *(str(r.prefix) for r in network.switches[hop].routes))
            ),
            follows=why.startswith("sends"),
            vlans=some,
            members=members_of(network, some),
            cure=routed_cures.back_by(facts, hop, {net: i for net, (i, _) in nets.items()}),
        )


def _no_way_back(facts: Facts, far: Switch, net: Prefix, owners: dict[Ip, Interface]) -> str:
    """Says where a router sends what is for a subnet, if not to a device that has it or knows the way; empty where it does."""
    own = [a.network for i in facts.network.gateways.of(far.name) for a in i.gateway.addresses]
    if any(p.version == net.version and p.overlaps(net) for p in own):
        return ""
    fits = [r for r in far.routes if r.prefix.version == net.version and r.prefix.supernet_of(net)]  # type: ignore[arg-type]
    if not fits:
        return "has no route to them" if any(r.prefix.version == net.version for r in far.routes) else ""
    best = max(fits, key=lambda r: r.prefix.prefixlen)
    if best.drops:
        return "drops what is for them"
    if best.via is None or best.via in owners or best.prefix.prefixlen:
        return ""
    return f"sends what is for them to {best.via}, which is no device here"
