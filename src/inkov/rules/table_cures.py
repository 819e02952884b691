"""Cures of VLAN tables and trees, chosen by what other switches have."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

from inkov.forwarding.network import Network
from inkov.kinds.spell import domains
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN, Kind, Vlan, VlanType
from inkov.model.tree import BRIDGE_PRIORITY, PRIORITY_STEP, Protocol
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Cure, Finding
from inkov.steps.settings import SwitchChange, TreeChange
from inkov.steps.steps import SetSwitch


def define_missing(network: Network, finding: Finding) -> Iterator[Cure]:
    """Defines VLANs where they are missing and others have them, or the register, named as most name them.

    One that nobody else defines is a slip before it is a VLAN to spread.
    """
    names: dict[Vid, Counter[str]] = {v: Counter({r.name: 2}) for v, r in network.campus.register.items() if r.name}
    for one in network.switches.values():
        for vid, entry in (one.vlans or {}).items():
            names.setdefault(vid, Counter())[entry.name] += 1
    places = [c.holder for c in finding.causes if c.holder in network.switches] or [finding.place]
    for place in dict.fromkeys(places):
        own = network.switches[place].vlans if place in network.switches else None
        if own is None or any(domains(p.switching) for p in network.switches[place].ports.values()):
            continue  # what relays there is no table, but a bridge for each VLAN
        table: dict[Vid, Vlan | None] = {
            v: Vlan(v, names[v].most_common(1)[0][0])
            for v in finding.vlans - VlanSet([DEFAULT_VLAN])
            if (v not in own or not own[v].active) and names.get(v, Counter()).total() > (v in own)
        }
        if table:
            what = f"{place}: define VLAN {VlanSet(table)}"
            yield (SetSwitch(what=what, switch=place, vlans=table),)


def name_as_others(network: Network, finding: Finding) -> Iterator[Cure]:
    """Gives a VLAN the name that the register has for it, or else most switches; or a whole switch the names most have.

    The latter where names changed places: one alone put right would be there twice.
    """
    for vid in finding.vlans:
        said = network.campus.register.get(vid)
        name = said.name if said is not None and said.name else _usual_name(network, vid)
        wrong = {n: e for n, e in _entries(network, vid).items() if e.name and e.name != name}
        if name and wrong:
            yield tuple(
                SetSwitch(what=f"{n}: name VLAN {vid} {name}", switch=n, vlans={vid: replace(e, name=name)})
                for n, e in wrong.items()
            )
        for switch in wrong:
            own = {v: (e, _usual_name(network, v)) for v, e in (network.switches[switch].vlans or {}).items()}
            table: dict[Vid, Vlan | None] = {v: replace(e, name=n) for v, (e, n) in own.items() if n and n != e.name}
            what = ", ".join(f"{v} {e.name}" for v, e in table.items() if e)
            yield (SetSwitch(what=f"{switch}: name VLAN {what}", switch=switch, vlans=table),)


def _entries(network: Network, vid: Vid) -> dict[str, Vlan]:
    return {n: s.vlans[vid] for n, s in network.switches.items() if s.vlans is not None and vid in s.vlans}


def _usual_name(network: Network, vid: Vid) -> str:
    """Returns the name that most switches have for a VLAN; empty where none has one."""
    names = Counter(e.name for e in _entries(network, vid).values() if e.name)
    return names.most_common(1)[0][0] if names else ""


def tie_private(network: Network, finding: Finding) -> Iterator[Cure]:
    """Defines VLANs of a private VLAN, or ties them, as the other switches that have them all do."""
    name = finding.place
    own = network.switches[name].vlans if name in network.switches else None
    if own is None:
        return
    table: dict[Vid, Vlan | None] = {}
    for vid in finding.vlans:
        entries = [e for n, s in network.switches.items() if n != name and (e := (s.vlans or {}).get(vid))]
        kinds = {(e.type, e.primary) for e in entries if e.type is VlanType.PRIMARY or e.primary is not None}
        if len(kinds) == 1:
            ((type_, primary),) = kinds
            known = own.get(vid, Vlan(vid, Counter(e.name for e in entries).most_common(1)[0][0]))
            table[vid] = replace(known, type=type_, primary=primary)
        elif vid in own and not kinds:  # no other switch says: where there is one primary, it is that
            primaries = [v for v, e in own.items() if e.type is VlanType.PRIMARY]
            if len(primaries) == 1:
                table[vid] = replace(own[vid], primary=primaries[0])
    if table:
        said = ", ".join(f"{v} {e.type.value}{f' of {e.primary}' if e.primary else ''}" for v, e in table.items() if e)
        yield (SetSwitch(what=f"{name}: VLAN {said}", switch=name, vlans=table),)


def use_usual_priority(network: Network, finding: Finding) -> Iterator[Cure]:
    """Gives a switch at the rim that became root the usual priority, where another switch has a lower one."""
    name = finding.place
    others = [s.tree.priority for n, s in network.switches.items() if n != name and s.tree.protocol is not None]
    if name in network.switches and others and min(others) < BRIDGE_PRIORITY:
        yield (
            SetSwitch(
                what=f"{name}: tree priority {BRIDGE_PRIORITY}",
                switch=name,
                settings=SwitchChange(tree=TreeChange(priority=BRIDGE_PRIORITY)),
            ),
        )


def run_the_usual_tree(network: Network, finding: Finding) -> Iterator[Cure]:
    """Lets switches that run no tree run the one that all others run."""
    silent = dict.fromkeys(c.holder for c in finding.causes if c.setting is Setting.TREE_PROTOCOL)
    said = {s.tree.protocol for n, s in network.switches.items() if s.kind is Kind.SWITCH and n not in silent} - {None}
    if silent and len(said) == 1 and (protocol := next(iter(said))) not in {Protocol.OFF, Protocol.MSTP, None}:
        yield tuple(
            SetSwitch(
                what=f"{name}: tree protocol {protocol.value}",
                switch=name,
                settings=SwitchChange(tree=TreeChange(protocol=protocol)),
            )
            for name in silent
        )


def round_priority(network: Network, finding: Finding) -> Iterator[Cure]:
    """Gives a switch the nearest priority that it can have, or else the next one on the other side."""
    name = finding.place
    if name not in network.switches or not (over := network.switches[name].tree.priority % PRIORITY_STEP):
        return
    below = network.switches[name].tree.priority - over
    allowed = [p for p in (below, below + PRIORITY_STEP) if p < 16 * PRIORITY_STEP]
    for priority in sorted(allowed, key=lambda p: abs(p - below - over)):
        yield (
            SetSwitch(
                what=f"{name}: tree priority {priority}",
                switch=name,
                settings=SwitchChange(tree=TreeChange(priority=priority)),
            ),
        )
