"""Siblings: switches that are alike, and the one that is not; ports of a run, and the one that breaks it."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from heapq import nsmallest
from itertools import chain
from typing import NamedTuple, TypeAlias, TypeVar

from inkov.kinds.kind import Faces
from inkov.kinds.table import access_of, kind, trunk_of
from inkov.model.names import PortRef, natural, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import Kind, Port, Switch, Switching
from inkov.model.tree import BRIDGE_PRIORITY
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, Option, rule, switch_text
from inkov.rules.wording import at, cause, count

_AGREEING = Option("agreeing", 3, 2, 1000, "so many siblings at least must agree before another is the odd one out")
_MOST = Option(
    "most", 75, 51, 100, "percent of the siblings that must agree, and of what they agree on that a sibling shares"
)
_BESIDE = Option("beside", 3, 2, 48, "so many ports on either side must agree before the one between them breaks a run")


Name = TypeVar("Name", bound=Hashable)


class Agreed(NamedTuple):
    """What siblings have: the value, how many have it, and how many say anything."""

    value: str
    agreeing: int
    all: int


class Majority(NamedTuple):
    """When some switches agree: how many must, and what percentage."""

    agreeing: int
    most: int

    @classmethod
    def of(cls, facts: Facts, rule_name: str) -> Majority:
        """Returns what the options of a rule say."""
        return cls(facts.option(rule_name, "agreeing"), facts.option(rule_name, "most"))


def agreed(said: Iterable[Mapping[Name, str]], majority: Majority) -> dict[Name, Agreed]:
    """Returns what most of some switches have, of what each has by name; names on which they do not agree are left out."""
    counted = Counter(chain.from_iterable(settings.items() for settings in said))
    all_: Counter[Name] = Counter()
    for (name, _), n in counted.items():
        all_[name] += n
    return {
        name: Agreed(value, n, all_[name])
        for (name, value), n in counted.items()
        if n >= majority.agreeing and 100 * n >= majority.most * all_[name]
    }


# -- ports -------------------------------------------------------------------------------------------

_PLAIN = "{1-7: {access: 310}, 8: {access: 340}, u1: {trunk: '310,340,990', native: 990}}"


def _four(odd: str, **more: str) -> dict[str, str]:
    vlans = "{310: tanks, 340: research, 350: kiosks, 990: unused}"
    files = {n: switch_text(n, vlans, _PLAIN) for n in ("archive", "boat", "dock")}
    return {f"{n}.yaml": text for n, text in {**files, "cove": switch_text("cove", vlans, odd, **more)}.items()}


_ALL_ALIKE = Example(_four(_PLAIN))


@rule(
    "sibling/port",
    Severity.RISK,
    faults=(8,),
    looks_for="A port that is set otherwise than the same port of the switches that are like its own: of one role, or "
    "where none is stated with the same ports.",
    why="Like switches are set up from one pattern. A port that left it was most often meant to be another port, or another "
    "VLAN. Where siblings do not agree, nothing is said, nor of a switch that differs in much.",
    mend="Set it as on its siblings, or label it as what it is for.",
    breaks=Example(
        _four("{1-6: {access: 310}, 7-8: {access: 340}, u1: {trunk: '310,340,990', native: 990}}"), place="cove:7"
    ),
    passes=_ALL_ALIKE,
    options=(_AGREEING, _MOST),
)
def port(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for ports of a switch that are odd in the same way."""
    network = facts.network
    linked: dict[str, list[PortRef]] = defaultdict(list)
    for ref in sorted(network.cabled, key=lambda r: r.order):
        if network.port(ref).enabled:
            linked[ref.switch].append(ref)
    words, majority = _Words(), Majority.of(facts, "sibling/port")
    for family in facts.families:
        compared: list[_Compared] = []
        for side in (network.edge_ports, linked):  # a port with a link and one without are not alike
            said: _Said = {Setting.ACCESS: {}, Setting.NATIVE: {}, Setting.ALLOWED: {}}
            for switch in family:
                words.say(switch, side.get(switch.name, ()), said)
            compared += [_Compared(setting, by, agreed(by.values(), majority)) for setting, by in said.items()]
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
        refs = [ref for ref in odd if not _labelled_so(facts, ref)]
        if refs:
            yield _port_finding(facts, compared[i].setting, refs, has, compared[i].common)


def _words(switching: Switching) -> Iterator[tuple[Setting, str]]:
    if access := access_of(switching):
        if access.vid is not None:
            yield Setting.ACCESS, f"access {access.vid}"
        return
    own = kind(switching)
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
    return not words.isdisjoint(_WORD.findall(entry.label.lower()))


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
        causes=tuple(cause(r, setting) for r in refs),
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
            f"{n}.yaml": switch_text(
                n,
                "{310: tanks}",
                "{1-8: {access: 310}}",
                tree=f"{{protocol: rstp, priority: {40960 if n == 'cove' else 32768}}}",
            )
            for n in ("archive", "boat", "cove", "dock", "eddy", "foam")
        },
        place="cove",
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
            del said[name][Setting.TREE_PRIORITY]
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
    return {
        Setting.TREE_PROTOCOL: f"tree {tree.protocol.value}" if tree.protocol else "no tree stated",
        Setting.TREE_PRIORITY: f"bridge priority {tree.priority}"
        + (f" and {len(tree.own)} of its own" if tree.own else "")
        if tree.priority != BRIDGE_PRIORITY or tree.own
        else "the usual bridge priority",
        Setting.PRUNING: "pruning on" if switch.prunes else "pruning off",
        Setting.SYNC_GROUP: f"sync group {switch.sync.group}" if switch.sync else "no sync group",
    }


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
