"""Access ports: the VLAN they are in."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.ladder import vlan_source
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.kinds.spell import domains
from inkov.kinds.table import access_of
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, count, named, says_unused, vlan_cause


@rule(
    "access/undefined",
    Severity.OUTAGE,
    faults=(5, 8),
    looks_for="Access ports, and tagged ports of stations, in a VLAN that their own switch does not define, or has suspended.",
    why="A switch relays only VLANs that are in its table and active. A port in any other VLAN has link and "
    "lights, and not one frame gets past it.",
    mend="Define the VLAN on that switch, or move the ports to the VLAN that was meant.",
    cure=cures.define_or_mend_slip,
    breaks=Example(
        {"kelp-hall.yaml": switch_text("kelp-hall", "{310: tank-sensors}", "{1-2: {access: 310}, 3: {access: 340}}")},
        place="kelp-hall:3",
    ),
    passes=Example(
        {
            "kelp-hall.yaml": switch_text(
                "kelp-hall", "{310: tank-sensors, 340: research}", "{1-2: {access: 310}, 3: {access: 340}}"
            )
        }
    ),
)
def undefined(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and VLAN."""
    network = facts.network
    for vid, homes in network.members.items():
        for switch, all_refs in homes.items():
            if network.active(switch, View.MAY) >> vid & 1:
                continue
            refs = _data(network, all_refs, vid) + [r for r in all_refs if vid in network.tagged_station(r)]
            if not refs:
                continue
            suspended = network.defined(switch) >> vid & 1
            state = "has suspended" if suspended else "does not define"
            elsewhere = bool(network.live_members(vid))
            todo = f"Activate VLAN {vid}" if suspended else f"Define VLAN {vid}"
            subject = f"{'Ports' if len(refs) > 1 else 'Port'} {ports_text([r.port for r in refs])}"
            yield Fault(
                place=f"{switch}:{ports_text([r.port for r in refs])}",
                what=f"{subject} of {switch} {'are' if len(refs) > 1 else 'is'} in {named(network, vid)}, which {switch} "
                f"{state}: nothing sent there goes anywhere.",
                mend=f"{todo} on {switch}, as on the switches that use it."
                if elsewhere
                else f"{todo} on {switch} and on its way to the others, as the register has it."
                if vid in network.campus.register
                else _slip(network, refs, vid),
                evidence=(
                    _set_to(network, refs[0], vid),
                    Evidence(
                        f"{vid} suspended" if suspended else f"{vid} not among the VLANs",
                        vlan_source(network, switch, vid),
                    ),
                ),
                causes=(
                    vlan_cause(switch, vid),
                    *(
                        cause(r, Setting.ACCESS if access_of(network.port(r).switching) else Setting.ALLOWED)
                        for r in refs
                    ),
                ),
                vlans=VlanSet([vid]),
                ports=len(refs),
            )


def _data(network: Network, refs: list[PortRef], vid: Vid) -> list[PortRef]:
    """Returns those ports that have a VLAN as their data VLAN, not as their voice or private one."""
    return [r for r in refs if (s := access_of(network.settled(r).switching)) and s.vid == vid]


def _slip(network: Network, refs: list[PortRef], vid: Vid) -> str:
    """Says what to do about ports in a VLAN that no switch relays: a slip of the finger is likelier than a new VLAN."""
    switch = network.switches[refs[0].switch]
    names = list(switch.ports)
    around = [
        s.vid
        for n in (names.index(refs[0].port) - 1, names.index(refs[-1].port) + 1)
        if 0 <= n < len(names) and (s := access_of(switch.ports[names[n]].switching)) and s.vid not in {None, vid}
    ]
    beside = (
        f", {named(network, around[0])} as beside {'it' if len(refs) == 1 else 'them'}" if around and around[0] else ""
    )
    these = "the port" if len(refs) == 1 else "the ports"
    return f"Move {these} to the VLAN that was meant{beside}; define VLAN {vid} only if it is a new one."


def _set_to(network: Network, ref: PortRef, vid: Vid) -> Evidence:
    if access_of(network.settled(ref).switching):
        return at(network, ref, f"access {vid}", Setting.ACCESS)
    return at(network, ref, f"allows {vid}", Setting.ALLOWED)


@rule(
    "access/default",
    Severity.RISK,
    faults=(9,),
    looks_for="Enabled access ports, facing no switch, that are in the default VLAN.",
    why="The default VLAN is where ports are that nobody touched. Whoever plugs in there meets all others of "
    "that kind, on every switch, and often the switches themselves.",
    mend="Put the ports into the VLAN of their users, or into a parking VLAN and disable them.",
    breaks=Example(
        {"kelp-hall.yaml": switch_text("kelp-hall", "{310: tank-sensors}", "{1: {access: 310}, 2-4: {access: 1}}")},
        place="kelp-hall:2-4",
    ),
    passes=Example(
        {
            "kelp-hall.yaml": switch_text(
                "kelp-hall", "{310: tank-sensors}", "{1: {access: 310}, 2-4: {access: 1, enabled: false}}"
            )
        }
    ),
)
def default(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    for switch, all_refs in network.members.get(DEFAULT_VLAN, {}).items():
        refs = _data(network, all_refs, DEFAULT_VLAN)
        if not refs:
            continue
        names = ports_text([r.port for r in refs])
        yield Fault(
            place=f"{switch}:{names}",
            what=f"{count(len(refs), 'port')} of {switch} ({names}) {'are' if len(refs) > 1 else 'is'} enabled in the default "
            f"VLAN {DEFAULT_VLAN}: whoever plugs in there meets everyone else who does.",
            mend="Give the ports the VLAN of their users, or park and disable them.",
            evidence=(at(network, refs[0], f"access {DEFAULT_VLAN}", Setting.ACCESS),),
            causes=(cause(refs[0], Setting.ACCESS),),
            vlans=VlanSet([DEFAULT_VLAN]),
            ports=len(refs),
        )


def _bridges(of_40: str) -> dict[str, str]:
    text = switch_text("annex", "{}", "{1-3: {label: camera}, u1: {}}").replace("vlans: {}\n", "")
    return {"annex.yaml": f"{text}domains:\n  40: {{untagged: '{of_40}', tagged: {{u1: 40}}}}\n"}


@rule(
    "access/unbridged",
    Severity.OUTAGE,
    faults=(5, 8),
    looks_for="Ports that somebody uses, on a box where each VLAN is a bridge of its own, that are in none of its bridges.",
    why="What is in no bridge is passed on to nobody: the port has link and lights, and not one frame gets past it.",
    mend="Put the port into the bridge of the VLAN that was meant.",
    breaks=Example(_bridges("1-2"), place="annex:3"),
    passes=Example(_bridges("1-3")),
)
def unbridged(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a box: of ports with a label or a host."""
    network = facts.network
    used = {h.port for h in network.campus.hosts.values()}
    for name, switch in network.switches.items():
        alone = [
            PortRef(name, p.name) for p in switch.ports.values() if p.enabled and domains(p.switching) == (None, {})
        ]
        refs = [r for r in alone if r in used or not says_unused(switch.ports[r.port].label)]
        if refs:
            names, one = ports_text([r.port for r in refs]), len(refs) == 1
            yield Fault(
                place=f"{name}:{names}",
                what=f"{'Port' if one else 'Ports'} {names} of {name} {'is' if one else 'are'} in no bridge: nothing sent there goes "
                "anywhere.",
                mend=f"Put {name}:{names} into the bridge of the VLAN that was meant.",
                evidence=tuple(at(network, r, "in no bridge", Setting.BRIDGED) for r in refs[:3]),
                causes=tuple(cause(r, Setting.BRIDGED) for r in refs),
                ports=len(refs),
            )
