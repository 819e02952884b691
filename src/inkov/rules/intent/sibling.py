"""Siblings: switches that are alike, and the one that is not; ports of a run, and the one that breaks it."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from heapq import nsmallest
from typing import NamedTuple, TypeAlias

from inkov.kinds.kind import Faces
from inkov.kinds.table import access_of, kind, trunk_of
from inkov.model.names import PortRef, natural, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import Kind, Port, Switch, Switching
from inkov.model.tree import BRIDGE_PRIORITY
from inkov.rules import cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.majority import Agreed, Majority, agreed
from inkov.rules.registry import Example, Facts, Option, rule, switch_text
from inkov.rules.wording import at, cause, count, letters

_AGREEING = Option("agreeing", 3, 2, 1000, "so many siblings at least must agree before another is the odd one out")
_MOST = Option(
    "most", 75, 51, 100, "percent of the siblings that must agree, and of what they agree on that a sibling shares"
)
_BESIDE = Option("beside", 3, 2, 48, "so many ports on either side must agree before the one between them breaks a run")


# -- ports -------------------------------------------------------------------------------------------

_PLAIN = "{1-7: {access: 310}, 8: {access: 340}, u1: {trunk: '310,340,990', native: 990}}"


def _four(odd: str, **more: str) -> dict[str, str]:
    vlans = "{310: tanks, 340: research, 350: kiosks, 990: unused}"
    files = {f"cove-{n}": switch_text(f"cove-{n}", vlans, _PLAIN) for n in (1, 2, 3)}
    return {f"{n}.yaml": text for n, text in {**files, "cove-4": switch_text("cove-4", vlans, odd, **more)}.items()}


_ALL_ALIKE = Example(_four(_PLAIN))


@rule(
    "sibling/port",
    Severity.RISK,
    faults=(8,),
    looks_for="A port that is set otherwise than the same port of the switches that are like its own: of one role, or "
    "where none is stated of one stem of the name, with like ports.",
    why="Like switches are set up from one pattern. A port that left it was most often meant to be another port, or another "
    "VLAN. Where siblings do not agree, nothing is said, nor of a switch that differs in much.",
    mend="Set it as on its siblings, or label it as what it is for.",
    cure=cures.set_as_siblings,
    breaks=Example(
        _four("{1-6: {access: 310}, 7-8: {access: 340}, u1: {trunk: '310,340,990', native: 990}}"), place="cove-4:7"
    ),
    passes=_ALL_ALIKE,
    options=(_AGREEING, _MOST),
)
def port(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for ports of a switch that are odd in the same way."""
    network = facts.network
    linked: dict[str, list[PortRef]] = defaultdict(list)
    for ref in sorted(network.cabled, key=lambda r: r.order):
        if network.port(ref).enabled and not network.port(ref).lag:
            linked[ref.switch].append(ref)
    words, majority = _Words(), Majority.of(facts, "sibling/port")
    for family in facts.families:
        compared: list[_Compared] = []
        for side in (network.edge_ports, linked):  # a port with a link and one without are not alike
            said: _Said = {Setting.ACCESS: {}, Setting.NATIVE: {}, Setting.ALLOWED: {}}
            for switch in family:
                words.say(switch, side.get(switch.name, ()), said)
            compared += [
                _Compared(setting, by, agreed(by.values(), majority.among(len(family)))) for setting, by in said.items()
            ]
        for switch in family:
            yield from _odd_ports(facts, switch.name, [c for c in compared if c.common], majority)


_Said: TypeAlias = dict[Setting, dict[str, dict[str, str]]]
"""What ports have in words, by setting, switch and port."""


class _Compared(NamedTuple):
    """One setting of ports: what it is by switch and port, and what most switches agree on, by port."""

    setting: Setting
    said: Mapping[str, Mapping[str, str]]
    common: Mapping[str, Agreed]


class _Words:
    """Settings of ports in words; most ports of a campus share theirs."""

    def __init__(self) -> None:
        self.known: dict[int, tuple[str, dict[Setting, str]]] = {}

    def say(self, switch: Switch, refs: Iterable[PortRef], said: _Said) -> None:
        """Adds what some ports of a switch have, by setting, switch and port."""
        ports, all_known = switch.ports, self.known
        access = said[Setting.ACCESS][switch.name] = {}
        for _, name in refs:
            switching = ports[name].switching
            known = all_known.get(id(switching))
            if known is None:
                words = dict(_words(switching))
                known = all_known[id(switching)] = words.pop(Setting.ACCESS, ""), words
            text, more = known
            if text:
                access[name] = text
            for setting in more:
                said[setting].setdefault(switch.name, {})[name] = more[setting]


def _odd_ports(facts: Facts, name: str, compared: Sequence[_Compared], majority: Majority) -> Iterator[Fault]:
    alike: dict[tuple[int, str, str], list[PortRef]] = defaultdict(list)
    shared = 0
    for i, (_, said, common) in enumerate(compared):
        for port_name, has in said.get(name, {}).items():
            if port_name in common:
                shared += 1
                if has != common[port_name].value:
                    alike[i, has, common[port_name].value].append(PortRef(name, port_name))
    if 100 * sum(map(len, alike.values())) > (100 - majority.most) * shared:
        return  # so much is different that it is no sibling
    for (i, has, _), odd in alike.items():
        refs = [
            ref
            for ref in odd
            if not (
                _idle(facts, facts.network.port(ref))
                or _labelled_so(facts, ref)
                or _labelled_apart(facts, ref, compared[i])
            )
        ]
        if refs:
            yield _port_finding(facts, compared[i].setting, refs, has, compared[i].common)


def _words(switching: Switching) -> Iterator[tuple[Setting, str]]:
    if access := access_of(switching):
        if access.vid is not None:
            yield Setting.ACCESS, f"access {access.vid}"
        return
    own = kind(switching)
    if own.faces is Faces.UNKNOWN:
        return  # what is not stated is no difference
    yield Setting.ACCESS, own.word if own.faces is Faces.ANYONE else f"a {own.word} port"
    if trunk := trunk_of(switching):
        yield Setting.NATIVE, f"native {trunk.native}" if trunk.native else "without a native VLAN"
        yield Setting.ALLOWED, f"allowing {trunk.allowed}"


def _labelled_so(facts: Facts, ref: PortRef) -> bool:
    """Tells whether a port's label names the VLAN it is in, so that it is meant."""
    entry = facts.network.port(ref)
    access = access_of(entry.switching)
    if not entry.label or access is None or access.vid is None:
        return False
    vid = access.vid
    table = facts.network.switches[ref.switch].vlans or {}
    names = [s.name for s in facts.network.campus.segments.values() if vid in s.vlans]
    names += [table[vid].name] if vid in table else []
    words = {w for name in names for w in _WORD.findall(name.lower())} | {str(vid)}
    said = _WORD.findall(entry.label.lower())
    return any(
        w == s or (w.isalpha() and s.isalpha() and (w.startswith(s) or s.startswith(w))) for w in words for s in said
    )


def _labelled_apart(facts: Facts, ref: PortRef, compared: _Compared) -> bool:
    """Tells whether a port has a label, and it is none that its siblings have there: then it is for something else."""
    own = letters(facts.network.port(ref).label)
    others = {
        letters(facts.network.switches[name].ports[ref.port].label)
        for name, said in compared.said.items()
        if name != ref.switch and said.get(ref.port) == compared.common[ref.port].value
    }
    return bool(own) and any(others) and own not in others


_WORD = re.compile(r"[a-z]{3,}|\d+")


def _port_finding(
    facts: Facts, setting: Setting, refs: Sequence[PortRef], has: str, common: Mapping[str, Agreed]
) -> Fault:
    one, others = len(refs) == 1, common[refs[0].port]
    place = f"{refs[0].switch}:{ports_text([r.port for r in refs])}"
    them = "it" if one else "them"
    return Fault(
        severity=Severity.TIDY if setting is Setting.ALLOWED else Severity.RISK,
        place=place,
        what=f"{place} {'is' if one else 'are'} {has}; on {others.agreeing} of {count(others.all - 1, 'sibling')} "
        f"{'that port is' if one else 'those ports are'} {others.value}{_beside(facts, refs, has, common)}.",
        mend=f"Make {them} {others.value}, or label {them} as what {'it is' if one else 'they are'} for.",
        evidence=tuple(at(facts.network, r, has, setting) for r in refs[:3]),
        causes=tuple(
            cause(r, s) for s in dict.fromkeys((setting, *_OF_A_PORT)) for r in refs
        ),  # what else is wrong with the same ports goes first
        ports=sum(r not in facts.network.cabled for r in refs),
        follows=True,
    )


def _beside(facts: Facts, refs: Sequence[PortRef], has: str, common: Mapping[str, Agreed]) -> str:
    """Says whether the siblings' next port is what these are."""
    names = list(facts.network.switches[refs[0].switch].ports)
    here, after = names.index(refs[0].port), names.index(refs[-1].port) + 1
    for near in (names[here - 1 : here] if here else []) + names[after : after + 1]:
        if near in common and common[near].value == has:
            return f"; {near} beside {'it' if len(refs) == 1 else 'them'} is {has} there, so this looks one off"
    return ""


_OF_A_PORT = (Setting.ACCESS, Setting.MODE, Setting.ALLOWED, Setting.NATIVE)


_USED = "{1-7: {access: 310}, 8: {access: 340, label: scale 8}, u1: {trunk: '310,340,990', native: 990}}"


@rule(
    "sibling/shut",
    Severity.RISK,
    faults=(8,),
    looks_for="A port that is shut, or in the parking VLAN, though its label says what is on it and its siblings use theirs.",
    why="Ports nobody uses are parked in ranges. One that is still labelled was most often taken along by a range too long.",
    mend="Open it and put it into its VLAN, or take its label off.",
    cure=cures.open_shut,
    breaks=Example(
        {
            f"{name}.yaml": switch_text(
                name, "{310: tanks, 340: research, 990: unused}", _USED.replace("label", "enabled: false, label", odd)
            )
            for name, odd in (("cove-1", 0), ("cove-2", 0), ("cove-3", 0), ("cove-4", 1))
        },
        place="cove-4:8",
    ),
    passes=_ALL_ALIKE,
    options=(_AGREEING, _MOST),
)
def shut(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network, majority = facts.network, Majority.of(facts, "sibling/shut")
    for family in facts.families:
        used = Counter(
            (n, letters(p.label))
            for switch in family
            for n, p in switch.ports.items()
            if p.label and not _idle(facts, p)
        )
        for switch in family:
            for entry in switch.ports.values():
                n = used[entry.name, letters(entry.label)] if entry.label and _idle(facts, entry) else 0
                if n < majority.agreeing or 100 * n < majority.most * (len(family) - 1):
                    continue
                ref = PortRef(switch.name, entry.name)
                parked = entry.enabled and network.campus.parking is not None
                state = f"in the parking VLAN {network.campus.parking}" if parked else "shut"
                setting = Setting.ACCESS if parked else Setting.ENABLED
                yield Fault(
                    place=str(ref),
                    what=f"{ref}, labelled {entry.label!r}, is {state}; {n} of {count(len(family) - 1, 'sibling')} use that port.",
                    evidence=(at(network, ref, state, setting), at(network, ref, repr(entry.label), Setting.LABEL)),
                    causes=(cause(ref, setting),),
                    ports=1,
                )


def _idle(facts: Facts, entry: Port) -> bool:
    """Tells whether a port is shut, or in the parking VLAN."""
    access = access_of(entry.switching)
    return not entry.enabled or (
        access is not None and access.vid is not None and access.vid == facts.network.campus.parking
    )


# -- switches ----------------------------------------------------------------------------------------


@rule(
    "sibling/switch",
    Severity.TIDY,
    faults=(14,),
    looks_for="A setting of a whole switch (tree protocol and priority, pruning, sync) that is not as on its siblings.",
    why="Like switches run alike. One that was set up by hand, or came from another site, carries settings nobody meant here.",
    mend="Set it as on its siblings, or give the switch a role of its own.",
    breaks=Example(
        {
            f"cove-{n}.yaml": switch_text(
                f"cove-{n}",
                "{310: tanks}",
                "{1-8: {access: 310}}",
                tree=f"{{protocol: rstp, priority: {40960 if n == 3 else 32768}}}",
            )
            for n in range(1, 7)
        },
        place="cove-3",
    ),
    passes=_ALL_ALIKE,
    options=(_AGREEING, _MOST),
)
def switch_settings(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch; the priorities of the root and of the next in line are meant to be odd."""
    majority = Majority.of(facts, "sibling/switch")
    bridges = [s for s in facts.network.switches.values() if s.kind is Kind.SWITCH]
    first = {s.name for s in nsmallest(2, bridges, key=lambda s: min((s.tree.priority, *s.tree.own.values())))}
    for family in facts.families:
        said = {s.name: _switch_settings(s) for s in family}
        for name in first & said.keys():
            said[name].pop(Setting.TREE_PRIORITY, None)
        common = agreed(said.values(), majority)
        for name, settings in said.items():
            odd = [(n, v, common[n]) for n, v in settings.items() if n in common and v != common[n].value]
            if len(odd) != 1:
                continue  # one that differs in more is no sibling
            ((setting, has, others),) = odd
            yield Fault(
                place=name,
                what=f"{name} has {has}; {others.agreeing} of its {count(others.all - 1, 'sibling')} have {others.value}.",
                mend=f"Set {name} as its siblings are, or give it a role of its own.",
                evidence=(Evidence(has, facts.network.switches[name].origin.of(setting)),),
                causes=(Cause(name, setting),),
                follows=True,
            )


def _switch_settings(switch: Switch) -> dict[Setting, str]:
    tree = switch.tree
    said = {
        Setting.TREE_PROTOCOL: f"tree {tree.protocol.value}" if tree.protocol else "no tree stated",
        Setting.TREE_PRIORITY: f"bridge priority {tree.priority}"
        + (f" and {len(tree.own)} of its own" if tree.own else "")
        if tree.priority != BRIDGE_PRIORITY or tree.own
        else "the usual bridge priority",
        Setting.PRUNING: "pruning on" if switch.prunes else "pruning off",
        Setting.SYNC_GROUP: f"sync group {switch.sync.group}" if switch.sync else "no sync group",
    }
    return {setting: value for setting, value in said.items() if switch.origin.tells(setting)}


# -- runs --------------------------------------------------------------------------------------------


@rule(
    "sibling/run",
    Severity.TIDY,
    faults=(8,),
    looks_for="A lone access port in the middle of a run of ports that are all in another VLAN, and not labelled otherwise.",
    why="Ports are set in ranges. One in the middle that is not as its neighbours is often the one that was forgotten, or typed wrong.",
    mend="Set it as its neighbours, or label it as what it is for.",
    breaks=Example(
        {
            "a.yaml": switch_text(
                "archive", "{310: tanks, 340: research}", "{1-4: {access: 310}, 5: {access: 340}, 6-9: {access: 310}}"
            )
        },
        place="archive:5",
    ),
    passes=Example(
        {"a.yaml": switch_text("archive", "{310: tanks, 340: research}", "{1-5: {access: 310}, 6-9: {access: 340}}")}
    ),
    options=(_BESIDE,),
)
def run(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    run_of = facts.option("sibling/run", "beside")
    for switch in facts.network.switches.values():
        ports = list(switch.ports.values())
        vids = [s.vid if p.enabled and (s := access_of(p.switching)) else None for p in ports]
        for i, (around, vid, after) in enumerate(zip(vids, vids[1:], vids[2:], strict=False), 1):
            if around == after != vid and around and vid and run_of <= i < len(ports) - run_of:
                beside = [*range(i - run_of, i), *range(i + 1, i + run_of + 1)]
                if all(vids[j] == around and _kind(ports[j]) == _kind(ports[i]) for j in beside):
                    ref = PortRef(switch.name, ports[i].name)
                    yield _run_finding(facts, ref, f"access {vid}", f"access {around}", [ports[j].name for j in beside])


def _kind(entry: Port) -> tuple[str, str]:
    """Returns what a port says of itself without its number: the stem of its name, and its label."""
    return entry.name.rstrip("0123456789"), re.sub(r"\d+", "", entry.label).strip().lower()


def _run_finding(facts: Facts, ref: PortRef, has: str, around: str, beside: list[str]) -> Fault:
    shown = ports_text(sorted(beside, key=natural))
    return Fault(
        place=str(ref),
        what=f"{ref} is {has} in the middle of {shown}, which are {around}.",
        mend=f"Make it {around}, or label it as what it is for.",
        evidence=(at(facts.network, ref, has, Setting.ACCESS),),
        causes=(cause(ref, Setting.ACCESS),),
        ports=1,
        follows=True,
    )
