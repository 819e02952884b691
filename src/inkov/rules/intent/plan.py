"""The register of VLANs and the port plan of the campus file against what the switches say."""

from __future__ import annotations

import fnmatch
from collections import defaultdict
from collections.abc import Iterator, Mapping

from inkov.kinds.table import access_of, setting_words, untagged_vlan
from inkov.model.campus import Planned, Registered
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN, Switch
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, count, joined, vlan_cause


def _one(vlans: str, register: str) -> dict[str, str]:
    ports = "{1-4: {access: 340}, 5-8: {access: 350}}"
    return {
        "a.yaml": switch_text("archive", vlans, ports, role="edge"),
        "campus.yaml": f"inkov: campus\nname: x\nregister: {register}\n",
    }


_TABLE = "{340: research, 350: kiosks}"
_WELL = Example(_one(_TABLE, "{340: research, 350: {name: kiosks, where: edge, everywhere: true}}"))


def _defined(facts: Facts) -> Iterator[tuple[Vid, list[str]]]:
    """Yields the VLANs of all tables with the switches that define them, without the default VLAN."""
    found: dict[Vid, list[str]] = defaultdict(list)
    for table, names in facts.network.tables:
        for vid in table:
            found[vid] += names
    yield from ((v, names) for v, names in sorted(found.items()) if v != DEFAULT_VLAN)


def _table_fact(facts: Facts, switch: str, vid: Vid, fact: str) -> Evidence:
    return Evidence(fact, facts.network.switches[switch].origin.of(Setting.VLANS, vid))


@rule(
    "plan/unregistered",
    Severity.RISK,
    faults=(8,),
    looks_for="VLANs in a switch's table that the campus file's register does not have.",
    why="Nobody planned such a VLAN: it is a slip of a number, or left over, and whoever is in it is alone.",
    mend="Take it out of the table, or put it into the register.",
    breaks=Example(
        _one("{340: research, 350: kiosks, 430: research}", "{340: research, 350: kiosks}"), place="VLAN 430"
    ),
    passes=_WELL,
)
def unregistered(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN, where there is a register."""
    register = facts.network.campus.register
    for vid, switches in _defined(facts) if register else ():
        if vid not in register:
            yield Fault(
                place=f"VLAN {vid}",
                what=f"VLAN {vid} is defined on {joined(switches)} and not in the register{_near(facts, vid, switches, register)}.",
                mend=f"Take VLAN {vid} out of {count(len(switches), 'table')}, or put it into the register.",
                evidence=tuple(_table_fact(facts, s, vid, f"VLAN {vid}") for s in switches[:4]),
                causes=tuple(vlan_cause(s, vid) for s in switches),
                vlans=VlanSet([vid]),
            )


def _near(facts: Facts, vid: Vid, switches: list[str], register: Mapping[Vid, Registered]) -> str:
    """Says which registered number a mistyped one may stand for: the same name, digits swapped, or one digit off."""
    tables = [facts.network.switches[s].vlans or {} for s in switches]
    called = {table[vid].name for table in tables if vid in table}
    slips = [
        v for v in register if _swapped(v, vid) or sum(a != b for a, b in zip(f"{v:04}", f"{vid:04}", strict=True)) == 1
    ]
    best = min(slips, key=lambda v: (register[v].name not in called, not _swapped(v, vid), v), default=None)
    return f"; {best} ({register[best].name}) may be meant" if best is not None else ""


def _swapped(a: Vid, b: Vid) -> bool:
    return sorted(str(a)) == sorted(str(b))


@rule(
    "plan/name",
    Severity.TIDY,
    faults=(10,),
    looks_for="VLANs with another name than the register gives them.",
    why="Whoever reads the switch takes the VLAN for something else.",
    mend="Set the registered name.",
    breaks=Example(_one("{340: lab, 350: kiosks}", "{340: research, 350: kiosks}"), place="VLAN 340"),
    passes=_WELL,
)
def name(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN; tables without a name for it are left to another rule."""
    for vid, entry in facts.network.campus.register.items():
        other: dict[str, list[str]] = defaultdict(list)
        for table, switches in facts.network.tables:
            if vid in table and table[vid].name not in {"", entry.name}:
                other[table[vid].name] += switches
        if other:
            shown = "; ".join(f"{n} on {joined(s)}" for n, s in sorted(other.items()))
            first = next(iter(other.values()))[0]
            yield Fault(
                place=f"VLAN {vid}",
                what=f"The register calls VLAN {vid} {entry.name}, and it is called {shown}.",
                mend=f"Call it {entry.name} there.",
                evidence=(_table_fact(facts, first, vid, next(iter(other))), Evidence(entry.name, entry.source)),
                causes=(Cause("", Setting.VLAN_NAME, entry=str(vid)),),
                vlans=VlanSet([vid]),
            )


def _allowed(entry: Registered, switch: Switch) -> bool:
    names = {switch.name, switch.role} - {""}
    return not entry.where or any(fnmatch.fnmatchcase(n, pattern) for n in names for pattern in entry.where)


def _place_fault(facts: Facts, vid: Vid, switches: list[str], what: str, mend: str) -> Fault:
    entry = facts.network.campus.register[vid]
    return Fault(
        place=f"VLAN {vid}",
        what=what,
        mend=mend,
        evidence=(
            Evidence(f"register: {', '.join(entry.where) or 'everywhere'}", entry.source),
            *(_table_fact(facts, s, vid, s) for s in switches[:4]),
        ),
        causes=tuple(vlan_cause(s, vid) for s in switches),
        vlans=VlanSet([vid]),
    )


@rule(
    "plan/stray",
    Severity.RISK,
    faults=(8,),
    looks_for="VLANs on switches where the register does not want them.",
    why="A VLAN that goes where it has no business reaches people it should not.",
    mend="Take it out of those tables, or widen `where` in the register.",
    breaks=Example(_one(_TABLE, "{340: research, 350: {name: kiosks, where: core}}"), place="VLAN 350"),
    passes=_WELL,
)
def stray(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    register = facts.network.campus.register
    for vid, switches in _defined(facts):
        if vid in register:
            wrong = [s for s in switches if not _allowed(register[vid], facts.network.switches[s])]
            if wrong:
                what = f"{register[vid].name} ({vid}) is to exist on {joined(register[vid].where)} only, and {joined(wrong)} {'has' if len(wrong) == 1 else 'have'} it."
                yield _place_fault(facts, vid, wrong, what, f"Take VLAN {vid} out of {joined(wrong)}.")


@rule(
    "plan/missing",
    Severity.RISK,
    faults=(5,),
    looks_for="VLANs missing on switches where the register wants them.",
    why="Whoever is moved there finds no VLAN, though the register says there is one.",
    mend="Define it there, or narrow `where` in the register.",
    breaks=Example(
        _one(_TABLE, "{340: research, 350: kiosks, 360: {name: tills, where: edge, everywhere: true}}"),
        place="VLAN 360",
    ),
    passes=_WELL,
)
def missing(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    for vid, entry in facts.network.campus.register.items():
        switches = facts.network.switches.values()
        wanted = [s for s in switches if entry.everywhere and s.vlans is not None and _allowed(entry, s)]
        lacking = [s.name for s in wanted if vid not in (s.vlans or {})]
        if lacking:
            what = f"{entry.name} ({vid}) is to exist on {joined(entry.where) or 'every switch'}, and {joined(lacking)} {'lacks' if len(lacking) == 1 else 'lack'} it."
            yield _place_fault(facts, vid, lacking, what, f"Define VLAN {vid} on {joined(lacking)}.")


def _planned(ports: str) -> dict[str, str]:
    return {
        "a.yaml": switch_text("archive", _TABLE, ports),
        "campus.yaml": "inkov: campus\nname: x\nplan:\n  - {switch: archive, ports: 1-4, vlan: 340}\n"
        "  - {switch: archive, ports: 5-8, vlan: 350}\n",
    }


@rule(
    "plan/port",
    Severity.OUTAGE,
    faults=(8,),
    looks_for="Ports that are in another VLAN than the port plan says.",
    why="Whoever is plugged in there is in the wrong segment: cut off from their own, and among others.",
    mend="Set the VLAN of the plan; look at the ports beside, as ranges are often typed one off.",
    cure=cures.set_as_planned,
    breaks=Example(_planned("{1-5: {access: 340}, 6-8: {access: 350}}"), place="archive:5"),
    passes=Example(_planned("{1-4: {access: 340}, 5-8: {access: 350}}")),
)
def port(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for ports of a switch in another VLAN, with what the slip may have been, and one for voice VLANs."""
    for switch, plan in _rows(facts).items():
        actual = {p: _set(facts, PortRef(switch, p)) for p in plan}
        off = [p for p, row in plan.items() if row.vid is not None and actual[p][0] != row.vid]
        mute = [p for p, row in plan.items() if row.voice is not None and actual[p][1] != row.voice and p not in off]
        if off:
            has, wants = VlanSet(v for p in off if (v := actual[p][0])), VlanSet(v for p in off if (v := plan[p].vid))
            is_, slip = "is" if len(off) == 1 else "are", _slip(facts, switch, plan, off)
            yield _off_plan(facts, switch, plan, off, f"{is_} in {has}, and the plan says {wants}{slip}", has | wants)
        if mute:
            has, wants = (
                VlanSet(v for p in mute if (v := actual[p][1])),
                VlanSet(v for p in mute if (v := plan[p].voice)),
            )
            have = f"{'has' if len(mute) == 1 else 'have'} {f'voice VLAN {has}' if has else 'no voice VLAN'}"
            yield _off_plan(facts, switch, plan, mute, f"{have}, and the plan says {wants}", has | wants, Setting.VOICE)


def _rows(facts: Facts) -> dict[str, dict[str, Planned]]:
    """Returns the port plan by switch and port."""
    found: dict[str, dict[str, Planned]] = defaultdict(dict)
    for row in facts.network.campus.plan:
        found[row.port.switch][row.port.port] = row
    return found


def _off_plan(  # noqa: PLR0917 - the parts of a finding
    facts: Facts,
    switch: str,
    plan: Mapping[str, Planned],
    off: list[str],
    what: str,
    some: VlanSet,
    of: Setting = Setting.ACCESS,
) -> Fault:
    refs = [PortRef(switch, p) for p in off]
    shown = ports_text(off)
    return Fault(
        place=f"{switch}:{shown}",
        what=f"{count(len(off), 'port')} of {switch} ({shown}) {what}.",
        mend=f"Set what the plan says on {switch}:{shown}, or put the plan right.",
        evidence=(
            at(facts.network, refs[0], setting_words(facts.network.settled(refs[0])), of),
            Evidence("the plan", plan[off[0]].source),
        ),
        causes=tuple(cause(r, of) for r in refs),
        vlans=some,
        ports=len(off),
    )


def _set(facts: Facts, ref: PortRef) -> tuple[Vid | None, Vid | None]:
    switching = facts.network.settled(ref).switching
    access = access_of(switching)
    return untagged_vlan(switching), access.voice if access else None


def _slip(facts: Facts, switch: str, plan: Mapping[str, Planned], off: list[str]) -> str:
    """Says what may have happened: two VLANs swapped, or ranges one off."""
    has = {p: _set(facts, PortRef(switch, p))[0] for p in off}
    names = list(facts.network.switches[switch].ports)
    beside = {p: names[max(0, names.index(p) - 1) : names.index(p) + 2] for p in off}
    meant = {p: [n for n in near if n in plan and n not in off and plan[n].vid == has[p]] for p, near in beside.items()}
    if len(off) == 1 and meant[off[0]]:
        return f"; it has what port {meant[off[0]][0]} beside it is to have, so the range looks one off"
    if all(meant.values()):
        return "; each has what a port beside it is to have, so the ranges look one off"
    pairs = {(plan[p].vid, has[p]) for p in off}
    if len(pairs) == 2 and {(b, a) for a, b in pairs} == pairs:
        a, b = sorted(v for v in next(iter(pairs)) if v)
        return f"; {a} and {b} look swapped"
    return ""


def _labelled(label: str) -> dict[str, str]:
    return {
        "a.yaml": switch_text("archive", _TABLE, f"{{1-4: {{access: 340, label: {label}}}}}"),
        "campus.yaml": "inkov: campus\nname: x\nplan:\n  - {switch: archive, ports: 1-4, vlan: 340, label: reading room}\n",
    }


@rule(
    "plan/label",
    Severity.TIDY,
    faults=(22,),
    looks_for="Ports with another label than the port plan gives them.",
    why="Whoever looks for a socket by its label finds the wrong one, or none.",
    mend="Set the label of the plan, or put the plan right.",
    breaks=Example(_labelled("cellar"), place="archive:1-4"),
    passes=Example(_labelled("Reading room")),
)
def label(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and label of the plan; upper and lower case, and blanks, do not count."""
    for switch, plan in _rows(facts).items():
        ports = facts.network.switches[switch].ports
        wrong: dict[str, list[str]] = defaultdict(list)
        for p, row in plan.items():
            if row.label and _folded(ports[p].label) != _folded(row.label):
                wrong[row.label].append(p)
        for wanted, off in wrong.items():
            names = ports_text(off)
            has = joined(dict.fromkeys(f"'{ports[p].label}'" if ports[p].label else "nothing" for p in off))
            refs = [PortRef(switch, p) for p in off]
            yield Fault(
                place=f"{switch}:{names}",
                what=f"{switch}:{names} {'is' if len(off) == 1 else 'are'} labelled {has}, and the plan says '{wanted}'.",
                mend=f"Label {switch}:{names} '{wanted}', or put the plan right.",
                evidence=(at(facts.network, refs[0], has, Setting.LABEL), Evidence("the plan", plan[off[0]].source)),
                causes=tuple(cause(r, Setting.LABEL) for r in refs),
                ports=len(off),
            )


def _folded(text: str) -> str:
    return " ".join(text.casefold().split())
