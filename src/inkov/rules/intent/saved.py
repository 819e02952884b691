"""What runs against what is saved: what a restart would change."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from inkov.forwarding.network import Network
from inkov.kinds.table import setting_words
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import Switch
from inkov.model.vlanset import NONE, VlanSet
from inkov.plan.reach import change
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import joined, members_of, vlans


def _two(saved: str) -> dict[str, str]:
    table = "{310: tank-sensors, 330: vet-records}"
    running = "{1: {access: 310}, 2: {access: 310}}"
    return {
        "a.yaml": switch_text("archive", table, running),
        "saved/a.yaml": switch_text("archive", table, saved, saved="true"),
    }


@rule(
    "saved/differs",
    Severity.OUTAGE,
    faults=(20,),
    looks_for="Switches whose saved configuration is not the one they run.",
    why="After the next restart the saved one counts: a fix is gone, or old VLANs are back, on the day the power fails.",
    mend="Save what runs, or load what is saved, whichever is right.",
    breaks=Example(_two("{1: {access: 310}, 2: {access: 330}}"), place="archive"),
    passes=Example(_two("{1: {access: 310}, 2: {access: 310}}")),
)
def differs(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch; only tidy where a restart would change nothing that frames notice."""
    network = facts.network
    campus = network.campus
    for name, saved in campus.saved.items():
        running = campus.switches[name]
        ports = [p for p in {**running.ports, **saved.ports} if running.ports.get(p) != saved.ports.get(p)]
        tables = {**(running.vlans or {}), **(saved.vlans or {})}
        some = VlanSet(v for v in tables if (running.vlans or {}).get(v) != (saved.vlans or {}).get(v))
        if not ports and not some and _rest(running) == _rest(saved):
            continue
        heard = replace(saved, heard=saved.heard or running.heard)
        after = Network(replace(campus, switches={**campus.switches, name: heard}))
        effect = change(network, after)
        moved = VlanSet(
            v
            for v in {*network.members, *after.members}
            if network.members.get(v, {}).get(name) != after.members.get(v, {}).get(name)
        )
        touched = effect.lost | effect.gained | moved
        parts = [f"ports {ports_text(ports)}"] if ports else []
        parts += [f"the table's {vlans(some)}"] if some else []
        yield Fault(
            severity=Severity.OUTAGE if touched else Severity.TIDY,
            place=name,
            what=f"What {name} runs is not what it has saved: {joined(parts) or 'settings of the whole switch'}. "
            f"A restart would {_effect(effect.lost - moved, effect.gained - moved, moved)}.",
            mend=f"Save what {name} runs, or load what it has saved.",
            evidence=(
                *(
                    Evidence(f"{p}: {setting_words(s.ports[p])}", s.ports[p].origin.here)
                    for p in ports[:2]
                    for s in (running, saved)
                    if p in s.ports
                ),
                Evidence("saved", saved.origin.here),
            ),
            causes=(Cause(name, Setting.SAVED),),
            vlans=touched,
            members=members_of(network, touched),
        )


_TODAY = """{"openconfig-interfaces:interfaces": {"interface": [{"name": "1", "ethernet": {"switched-vlan": {
  "config": {"interface-mode": "ACCESS", "access-vlan": 310}, "state": {"interface-mode": "ACCESS", "access-vlan": VLAN}}}}]}}"""


@rule(
    "saved/today",
    Severity.RISK,
    looks_for="Ports whose file tells what is configured and what is in force, and the two differ.",
    why="Somebody who reads the configuration is misled, and no proof rests on such a port.",
    mend="Find out why it is not in force: a login that assigns a VLAN, a change that was not taken over, a fault.",
    breaks=Example({"archive.json": _TODAY.replace("VLAN", "330")}, place="archive:1"),
    passes=Example({"archive.json": _TODAY.replace("VLAN", "310")}),
)
def today(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    cabled = facts.network.cabled
    for name, switch in facts.network.switches.items():
        told = [t for t in switch.touches if t.why and (not t.wired or PortRef(name, t.port) in cabled)]
        for port in dict.fromkeys(t.port for t in told):
            some = [t for t in told if t.port == port]
            why = joined([t.why for t in some])
            yield Fault(
                place=f"{name}:{port}" if port else name,
                what=f"{name}:{why}." if port else f"On {name}, {why}.",
                evidence=tuple(Evidence(t.why, t.source) for t in some),
                causes=(Cause(name, Setting.NOT_FOLLOWED, port),),
            )


def _rest(switch: Switch) -> tuple[object, ...]:
    return (
        switch.tree,
        switch.sync,
        switch.gateways,
        switch.routes,
        switch.filters,
        switch.routing,
        switch.prunes,
        switch.registration,
    )


def _effect(lost: VlanSet, gained: VlanSet, moved: VlanSet) -> str:
    parts = [f"cut stations of {vlans(lost)} off"] if lost else []
    parts += [f"join more in {vlans(gained)}"] if gained != NONE else []
    parts += [f"change which ports are in {vlans(moved)}"] if moved else []
    return joined(parts) or "change nothing that stations notice"
