"""VLANs across the campus: whole or in parts, and what they are called."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.forwarding.cabling import Link, components
from inkov.forwarding.ladder import Lost, Rung, vlan_source
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import by_switch, cause, count, joined, named, vlan_cause, vlans

_TRUNKS = "{1: {access: 310}, u1: {trunk: all, native: none}, u2: {trunk: all, native: none}}"


Cut = tuple[Link, Lost | None]
"""A link between two parts of a VLAN, and what the VLAN fails at there; None when neither list holds it."""


def _chain(middle: str) -> dict[str, str]:
    """Three switches in a row; the one in the middle has the given VLAN table."""
    return {
        "archive.yaml": switch_text("archive", "{310: tank-sensors}", _TRUNKS, neighbours="{u1: pump-loft u1}"),
        "pump-loft.yaml": switch_text(
            "pump-loft",
            middle,
            "{u1: {trunk: all, native: none}, u2: {trunk: all, native: none}}",
            neighbours="{u1: archive u1, u2: seal-ward u1}",
        ),
        "seal-ward.yaml": switch_text("seal-ward", "{310: tank-sensors}", _TRUNKS, neighbours="{u1: pump-loft u2}"),
    }


@rule(
    "vlan/missing",
    Severity.OUTAGE,
    faults=(5,),
    looks_for="A switch in the middle of a path that does not define a VLAN both sides have members of.",
    why="A switch relays only VLANs in its own table, members or not. One gap in the middle cuts everyone behind it.",
    mend="Define the VLAN on the switch in the middle.",
    breaks=Example(_chain("{330: vet-records}"), place="pump-loft"),
    passes=Example(_chain("{310: tank-sensors}")),
)
def missing(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a group of neighbouring switches and set of VLANs."""
    network = facts.network
    cuts: dict[frozenset[str], list[Vid]] = defaultdict(list)
    for vid in facts.network.islands.split:
        for group, _ in facts.network.islands.missing_on_the_way(vid):
            cuts[group].append(vid)
    for group, vids in cuts.items():
        cut = VlanSet(vids)
        names = sorted(group, key=natural)
        islands = facts.network.islands.inhabited(vids[0])
        sides = " from ".join(
            joined(sorted(i & set(network.live_members(vids[0])), key=natural), 3) for i in islands[:2]
        )
        yield Fault(
            place=joined(names),
            what=f"{joined(names)} {'do' if len(names) > 1 else 'does'} not relay {_called(facts, cut)}, and stands between its members: "
            f"that cuts off {sides}.",
            mend=f"Define {vlans(cut)} on {joined(names)}.",
            evidence=tuple(
                Evidence(
                    f"{v} {'suspended' if network.defined(n) >> v & 1 else 'not among the VLANs'}",
                    vlan_source(network, n, v),
                )
                for n in names
                for v in vids[:3]
            ),
            causes=tuple(vlan_cause(n, v) for n in names for v in vids),
            vlans=cut,
            members=facts.network.islands.beside_largest(cut),
            parts=True,
        )


@rule(
    "vlan/islands",
    Severity.OUTAGE,
    faults=(5, 7, 8),
    looks_for="A VLAN whose members are in parts that no link joins, for a reason no other rule names.",
    why="Stations with the same VLAN number expect to reach each other. Where no link between two parts carries the "
    "VLAN they cannot, and nothing on either switch shows it.",
    mend="Let a link between the parts carry the VLAN, or give the parts different numbers if they are meant to be apart.",
    breaks=Example(
        {
            "a.yaml": switch_text("archive", "{310: tank-sensors}", "{1: {access: 310}}"),
            "b.yaml": switch_text("seal-ward", "{310: tank-sensors}", "{1: {access: 310}}"),
        },
        place="VLAN 310",
    ),
    passes=Example(
        {
            "a.yaml": switch_text("archive", "{310: tank-sensors}", "{1: {access: 310}, u1: {trunk: '310'}}"),
            "b.yaml": switch_text(
                "seal-ward",
                "{310: tank-sensors}",
                "{1: {access: 310}, u1: {trunk: '310'}}",
                neighbours="{u1: archive u1}",
            ),
        }
    ),
)
def islands(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a set of VLANs that are cut at the same links."""
    network = facts.network
    cuts: dict[tuple[Cut, ...], list[Vid]] = defaultdict(list)
    alone: list[Vid] = []
    for vid in facts.network.islands.split - VlanSet([DEFAULT_VLAN]):
        parts = _still_parted(facts, vid)
        if len(parts) < 2:
            continue
        between = tuple(
            (k, _loss(facts, k, vid))
            for k in network.joins
            if len({i for i, p in enumerate(parts) if {k.a.switch, k.b.switch} & p}) > 1
        )
        if between:
            cuts[between].append(vid)
        else:
            alone.append(vid)
    for between, vids in [*cuts.items(), *(((), [v]) for v in alone)]:
        yield _islands_finding(facts, between, vids)


def _still_parted(facts: Facts, vid: Vid) -> list[frozenset[str]]:
    """Joins the islands of a VLAN across every gap that another rule reports; what is left is this rule's."""
    network = facts.network
    homes = network.live_members(vid)
    bridged: list[frozenset[str]] = list(facts.network.islands.of(vid))
    for group, touched in facts.network.islands.missing_on_the_way(vid):
        bridged = _union(bridged, [group, *touched])
    joining = [
        k
        for k in network.joins
        if (loss := _loss(facts, k, vid)) is not None
        and loss.rung in {Rung.LAG, Rung.TRUNK, Rung.FORMAT, Rung.LISTED, Rung.NATIVE, Rung.BLOCKED, Rung.PRUNED}
    ]
    switches = sorted({s for island in bridged for s in island})
    parts = components(switches, joining)
    for island in bridged:
        parts = _union(parts, [island])
    return [p for p in parts if not p.isdisjoint(homes)]


def _union(parts: list[frozenset[str]], joined_by: list[frozenset[str]]) -> list[frozenset[str]]:
    whole = frozenset().union(*joined_by)
    touched = [p for p in parts if p & whole]
    return [p for p in parts if not p & whole] + [whole.union(*touched)]


def _loss(facts: Facts, link: Link, vid: Vid) -> Lost | None:
    return next((loss for loss in facts.network.ladder(link).lost if vid in loss.vlans), None)


def _islands_finding(facts: Facts, between: tuple[Cut, ...], vids: list[Vid]) -> Fault:
    network = facts.network
    cut = VlanSet(vids)
    parts = _still_parted(facts, vids[0])
    live = network.live_members(vids[0])
    sides = joined(["{" + joined(sorted(p & set(live), key=natural), 3) + "}" for p in parts])
    reasons = [f"{k}: {loss or 'in neither list'}" for k, loss in between]
    todo = (
        f"Let {joined([str(k) for k, _ in between], 3)} carry {vlans(cut)}" if between else "Cable the parts together"
    )
    evidence: list[Evidence] = []
    for k, loss in between:
        if loss is not None:
            evidence.append(Evidence(str(loss), loss.source))
        else:
            evidence += [
                Evidence(f"{vlans(cut)} not in the list of {e}", network.port(e).origin.of(Setting.ALLOWED))
                for e in (k.a, k.b)
            ]
    return Fault(
        place=f"{vlans(cut)}",
        what=f"{_called(facts, cut)} {'is' if len(cut) == 1 else 'are'} in {len(parts)} parts that cannot reach each other: {sides}"
        + (f" ({joined(reasons, 2)})." if reasons else "; no link joins them."),
        mend=f"{todo}, or use different numbers if they are meant to be apart.",
        evidence=tuple(evidence)
        or tuple(
            Evidence(f"member {refs[0]}", network.port(refs[0]).origin.of(Setting.ACCESS)) for refs in live.values()
        ),
        causes=tuple(cause(e, Setting.ALLOWED) for k, loss in between if loss is None for e in (k.a, k.b))
        + tuple(cause(loss.end, Setting.ENABLED) for _, loss in between if loss and loss.rung is Rung.ENABLED),
        vlans=cut,
        members=facts.network.islands.beside_largest(cut),
        parts=True,
    )


def _called(facts: Facts, some: VlanSet) -> str:
    return named(facts.network, next(iter(some))) if len(some) == 1 else vlans(some)


# -- names -------------------------------------------------------------------------------------------


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
    """Returns, for each VLAN, its names as compared (case does not count) and the switches that use each."""
    found: Named = defaultdict(lambda: defaultdict(list))
    for table, switches in facts.network.tables:
        for v, entry in table.items():
            if entry.name and v != DEFAULT_VLAN:
                found[v][entry.name.casefold()] += switches
    return found


@rule(
    "vlan/aliases",
    Severity.RISK,
    faults=(10,),
    looks_for="One VLAN number with different names on different switches.",
    why="Two names for one number mean that two people had two things in mind. The frames do not read names: "
    "both groups of stations are in one VLAN.",
    mend="Agree on one name, or renumber one of the two.",
    breaks=Example(
        {
            "a.yaml": switch_text("archive", "{310: tank-sensors}", "{1: {access: 310}, u1: {trunk: '310'}}"),
            "b.yaml": switch_text("seal-ward", "{310: heating}", "{u1: {trunk: '310'}}", neighbours="{u1: archive u1}"),
        },
        place="VLAN 310",
    ),
    passes=Example(
        {
            "a.yaml": switch_text("archive", "{310: tank-sensors}", "{1: {access: 310}, u1: {trunk: '310'}}"),
            "b.yaml": switch_text(
                "seal-ward", "{310: tank-sensors}", "{u1: {trunk: '310'}}", neighbours="{u1: archive u1}"
            ),
        }
    ),
)
def aliases(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    network = facts.network
    for vid, names in _names(facts).items():
        if len(names) < 2:
            continue
        by_use = sorted(names, key=lambda n: (-len(names[n]), n))
        shown = {n: (network.switches[names[n][0]].vlans or {})[vid].name for n in names}
        usual, odd = by_use[0], by_use[1:]
        on = joined([f"{shown[n]!r} on {joined(names[n], 3)}" for n in odd])
        yield Fault(
            place=f"VLAN {vid}",
            what=f"VLAN {vid} is {shown[usual]!r} on {count(len(names[usual]), 'switch', 'switches')} but {on}: "
            "two groups that think they are apart may share it.",
            mend=f"Name it {shown[usual]!r} everywhere, or renumber the other one.",
            evidence=tuple(
                Evidence(f"{vid} named {shown[n]!r}", vlan_source(network, s, vid))
                for n in [*odd, usual]
                for s in names[n][:2]
            ),
            causes=(Cause("", Setting.VLAN_NAME, entry=str(vid)),),
            vlans=VlanSet([vid]),
        )


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
    for vid, names in _names(facts).items():
        for name, switches in names.items():
            by_name[name][vid] = switches
    for name, numbers in by_name.items():
        if len(numbers) < 2:
            continue
        by_use = sorted(numbers, key=lambda v: (-len(numbers[v]), v))
        first = (network.switches[numbers[by_use[0]][0]].vlans or {})[by_use[0]].name
        listed = joined([f"{v} on {joined(numbers[v], 3)}" for v in by_use])
        homes = {s: r for v in by_use[1:] for s, r in network.members.get(v, {}).items()}
        hit = f" Ports under the rarer number: {by_switch(homes)}." if homes else ""
        yield Fault(
            place=name,
            what=f"{first!r} is {listed}: its stations cannot reach each other across the two numbers.{hit}",
            mend=f"Use {by_use[0]} everywhere, or give the other VLAN a name of its own.",
            evidence=tuple(
                Evidence(f"{v} named {first!r}", vlan_source(network, numbers[v][0], v))
                for v in [*by_use[1:], by_use[0]]
            ),
            causes=tuple(vlan_cause(s, v) for v in by_use[1:] for s in numbers[v]),
            vlans=VlanSet(by_use),
            ports=sum(map(len, homes.values())),
        )
