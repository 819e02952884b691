"""What VLANs are called, on each switch and across the campus."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence

from inkov.forwarding.ladder import vlan_source
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import table_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import by_switch, count, joined, named, vlan_cause, vlans


def _both(name: str) -> dict[str, str]:
    """Two switches joined by a trunk that carries VLAN 310: `tank-sensors` on the first, the given name on the second."""
    ports = "{1: {access: 310}, u1: {trunk: '310'}}"
    return {
        "a.yaml": switch_text("archive", "{310: tank-sensors}", ports),
        "b.yaml": switch_text("seal-ward", f"{{310: {name}}}", "{u1: {trunk: '310'}}", neighbours="{u1: archive u1}"),
    }


@rule(
    "vlan/unnamed",
    Severity.TIDY,
    faults=(10,),
    looks_for="VLANs without a name in a switch's table.",
    why="A number tells nobody what it is for. The next person guesses, and guesses wrong.",
    mend="Name the VLAN, as on the other switches.",
    breaks=Example(
        {"a.yaml": switch_text("kelp-hall", "{310: , 320: life-support}", "{1: {access: 310}}")},
        place="kelp-hall",
    ),
    passes=Example({"a.yaml": switch_text("kelp-hall", "{310: tank-sensors}", "{1: {access: 310}}")}),
)
def unnamed(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    for table, switches in facts.network.tables:
        bare = [v for v, entry in table.items() if not entry.name and v != DEFAULT_VLAN]
        if not bare:
            continue
        some = VlanSet(bare)
        known = [called for v in bare if (called := named(facts.network, v)) != f"VLAN {v}"]
        for switch in switches:
            yield _unnamed_on(facts, switch, some, known)


def _unnamed_on(facts: Facts, switch: str, some: VlanSet, known: list[str]) -> Fault:
    first = next(iter(some))
    return Fault(
        place=switch,
        what=f"{vlans(some)} {'has' if len(some) == 1 else 'have'} no name on {switch}.",
        mend=f"Name {'it' if len(some) == 1 else 'them'}" + (f", as elsewhere: {joined(known)}." if known else "."),
        evidence=(Evidence(f"{first} without a name", vlan_source(facts.network, switch, first)),),
        causes=(Cause(switch, Setting.VLAN_NAMES, entry=str(first)),),
        vlans=some,
    )


Named = dict[Vid, dict[str, list[str]]]


def _names(facts: Facts) -> Named:
    """Returns, for each VLAN, its names as compared (case and blanks do not count) and the switches that use each."""
    found: Named = defaultdict(lambda: defaultdict(list))
    for table, switches in facts.network.tables:
        for v, entry in table.items():
            if entry.name and v != DEFAULT_VLAN:
                found[v][_compared(entry.name)] += switches
    return found


@rule(
    "vlan/aliases",
    Severity.RISK,
    faults=(10,),
    looks_for="One VLAN number with different names on different switches.",
    why="Two names for one number mean that two people had two things in mind. The frames do not read names: "
    "both groups of stations are in one VLAN.",
    mend="Agree on one name, or renumber one of the two.",
    cure=table_cures.name_as_others,
    breaks=Example(_both("heating"), place="VLAN 310"),
    passes=Example(_both("tank-sensors")),
)
def aliases(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    network = facts.network
    all_names = _names(facts)
    usual_of: dict[str, list[Vid]] = defaultdict(list)
    for vid, names in all_names.items():
        usual_of[_usual(facts, vid, names)].append(vid)
    for vid, names in all_names.items():
        if len(names) < 2:
            continue
        by_use = sorted(names, key=_by_use(facts, vid, names))
        shown = {n: (network.switches[names[n][0]].vlans or {})[vid].name for n in names}
        usual, odd = by_use[0], by_use[1:]
        on = joined([f"{shown[n]!r} on {joined(names[n], 3)}" for n in odd])
        theirs = [v for v in usual_of.get(odd[0], ()) if v != vid]
        where = joined([s for n in odd for s in names[n]], 3)
        yield Fault(
            place=f"VLAN {vid}",
            what=f"VLAN {vid} is {shown[usual]!r} on {count(len(names[usual]), 'switch', 'switches')} but {on}"
            + (
                f", which is the name of VLAN {theirs[0]} elsewhere: {_mixed(all_names, (vid, theirs[0]), (usual, odd[0]))}."
                if theirs
                else ": two groups that think they are apart may share it."
            ),
            mend=f"Name it {shown[usual]!r} on {where}."
            if theirs
            else f"Name it {shown[usual]!r} everywhere, or renumber the other one.",
            evidence=tuple(
                Evidence(f"{vid} named {shown[n]!r}", vlan_source(network, s, vid))
                for n in [*odd, usual]
                for s in names[n][:2]
            ),
            causes=(
                Cause("", Setting.VLAN_NAME, entry=str(vid)),
                *(Cause(s, Setting.VLAN_NAME) for n in odd for s in names[n]),
            ),
            vlans=VlanSet([vid]),
        )


def _mixed(names: Mapping[Vid, Mapping[str, Sequence[str]]], vids: tuple[Vid, Vid], usual: tuple[str, str]) -> str:
    """Says how a switch took the name of another VLAN: the two are swapped there, or mixed up."""
    (here, there), (own, other) = vids, usual
    both = set(names[here].get(other, ())) & set(names[there].get(own, ()))
    return f"the names of {here} and {there} are swapped there" if both else "the names are mixed up there"


def _compared(name: str) -> str:
    return "".join(name.casefold().split())


@rule(
    "vlan/spelling",
    Severity.TIDY,
    faults=(10,),
    looks_for="One VLAN number whose names differ only in capitals or blanks.",
    why="People read them as one name; what looks for a name does not.",
    mend="Spell the name in one way.",
    breaks=Example(_both("Tank-Sensors"), place="VLAN 310"),
    passes=Example(_both("tank-sensors")),
)
def spelling(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    spelt: dict[Vid, dict[str, list[str]]] = defaultdict(lambda: defaultdict(list))
    for table, switches in facts.network.tables:
        for v, entry in table.items():
            if entry.name and v != DEFAULT_VLAN:
                spelt[v][entry.name] += switches
    for vid, names in spelt.items():
        usual = _usual(facts, vid, names)
        odd = [n for n in names if n != usual and _compared(n) == _compared(usual)]
        if odd:
            on = joined([f"{n!r} on {joined(names[n], 3)}" for n in odd])
            yield Fault(
                place=f"VLAN {vid}",
                what=f"VLAN {vid} is spelt {usual!r} on {count(len(names[usual]), 'switch', 'switches')} and {on}.",
                mend=f"Spell it {usual!r} everywhere.",
                evidence=tuple(
                    Evidence(f"{vid} named {n!r}", vlan_source(facts.network, names[n][0], vid)) for n in [*odd, usual]
                ),
                causes=tuple(Cause(s, Setting.VLAN_NAME) for n in odd for s in names[n]),
                vlans=VlanSet([vid]),
            )


def _by_use(facts: Facts, vid: Vid, names: Mapping[str, Sequence[str]]) -> Callable[[str], tuple[bool, int, str]]:
    """Returns what puts the names of a VLAN in order: that of the register, then those on most switches."""
    entry = facts.network.campus.register.get(vid)
    registered = _compared(entry.name) if entry else ""
    return lambda name: (_compared(name) != registered, -len(names[name]), name)


def _usual(facts: Facts, vid: Vid, names: Mapping[str, Sequence[str]]) -> str:
    """Returns the name of a VLAN in the register, or on most switches."""
    return min(names, key=_by_use(facts, vid, names))


@rule(
    "vlan/namesakes",
    Severity.RISK,
    faults=(8, 10),
    looks_for="One VLAN name with different numbers.",
    why="Whoever reads the name believes it is one VLAN. Stations under the two numbers cannot reach each other, or one "
    "of the numbers is a slip of the finger.",
    mend="Use one number, or tell the two apart by name.",
    breaks=Example(
        {
            "a.yaml": switch_text("archive", "{310: tank-sensors}", "{1: {access: 310}}"),
            "b.yaml": switch_text("seal-ward", "{301: tank-sensors}", "{1: {access: 301}}"),
        },
        place="tank-sensors",
    ),
    passes=Example(
        {
            "a.yaml": switch_text("archive", "{310: tank-sensors}", "{1: {access: 310}}"),
            "b.yaml": switch_text("seal-ward", "{301: heating}", "{1: {access: 301}}"),
        }
    ),
)
def namesakes(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a name."""
    network = facts.network
    by_name: dict[str, dict[Vid, list[str]]] = defaultdict(dict)
    all_names = _names(facts)
    for vid, names in all_names.items():
        for name, switches in names.items():
            by_name[name][vid] = switches
    for name, numbers in by_name.items():
        if len(numbers) < 2:
            continue
        registered = {v for v, entry in network.campus.register.items() if _compared(entry.name) == name}
        by_use = sorted(numbers, key=lambda v, own=numbers, first=registered: (v not in first, -len(own[v]), v))  # type: ignore[misc]
        first = (network.switches[numbers[by_use[0]][0]].vlans or {})[by_use[0]].name
        listed = joined([f"{v} on {joined(numbers[v], 3)}" for v in by_use])
        homes = {s: r for v in by_use[1:] for s, r in network.members.get(v, {}).items() if s in numbers[v]}
        hit = f" Ports under the rarer number: {by_switch(homes)}." if homes else ""
        yield Fault(
            place=name,
            what=f"{first!r} is {listed}: its stations cannot reach each other across the two numbers.{hit}",
            mend=f"Use {by_use[0]} everywhere, or give the other VLAN a name of its own.",
            evidence=tuple(
                Evidence(f"{v} named {first!r}", vlan_source(network, numbers[v][0], v))
                for v in [*by_use[1:], by_use[0]]
            ),
            causes=tuple(vlan_cause(s, v) for v in by_use[1:] for s in numbers[v])
            + tuple(Cause(s, Setting.VLAN_NAME) for v in by_use[1:] for s in numbers[v]),
            follows=any(len(names) > 1 for v, names in all_names.items() if v in numbers),
            vlans=VlanSet(by_use),
            ports=sum(map(len, homes.values())),
        )
