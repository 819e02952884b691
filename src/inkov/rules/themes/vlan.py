"""VLANs across the campus: whole, or in parts that cannot reach each other."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import reduce
from operator import or_

from inkov.forwarding.cabling import Link, merged
from inkov.forwarding.islands import rows_between
from inkov.forwarding.ladder import Lost, Rung, vlan_source
from inkov.kinds.table import allowed_list, untagged_vlan
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN, Kind, VlanType
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import cures, table_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import cause, joined, named, vlan_cause, vlans

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
    cure=cures.define_on_the_way,
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
        sides = " from ".join(_who(facts, vids[0], part) for part in islands[:2])
        yield Fault(
            place=joined(names),
            what=f"{joined(names)} {'do' if len(names) > 1 else 'does'} not relay {_called(facts, cut)}, and stands between its members: "
            f"that cuts off {sides}.",
            mend=f"{_verb(facts, names, vids)} {vlans(cut)} on {joined(names)}.",
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


def _verb(facts: Facts, names: list[str], vids: list[Vid]) -> str:
    """Says what to do about VLANs that some switches do not relay."""
    suspended = {bool(facts.network.defined(n) >> v & 1) for n in names for v in vids}
    return "Define" if suspended == {False} else "Activate" if suspended == {True} else "Define and activate"


@rule(
    "vlan/islands",
    Severity.OUTAGE,
    faults=(5, 7, 8),
    looks_for="A VLAN whose members are in parts that no link joins, for a reason no other rule names.",
    why="Stations with the same VLAN number expect to reach each other. Where no link between two parts carries the "
    "VLAN they cannot, and nothing on either switch shows it.",
    mend="Let a link between the parts carry the VLAN, or give the parts different numbers if they are meant to be apart.",
    cure=cures.open_lists_or_ports,
    breaks=Example(
        {
            f"{name}.yaml": switch_text(
                name, "{310: tanks, 330: records}", "{1: {access: 310}, u1: {trunk: '330'}}", neighbours=far
            )
            for name, far in (("archive", "{}"), ("seal-ward", "{u1: archive u1}"))
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
    if network.uncabled:
        return  # where no cable is known, none is missing: the head of the audit says so
    cuts: dict[tuple[Cut, ...], list[Vid]] = defaultdict(list)
    alone: list[Vid] = []
    for vid in facts.network.islands.split - VlanSet([DEFAULT_VLAN]):
        joined_up = _joined_up(facts, vid)
        parts = [p for p in joined_up if not p.isdisjoint(network.homes(vid))]
        if len(parts) < 2:
            continue
        rows = rows_between(joined_up, network.homes(vid), (k for k in network.joins if k.up))
        between = tuple(
            (k, _loss(facts, k, vid))
            for k in network.joins
            if len({i for i, p in enumerate(parts) if {k.a.switch, k.b.switch} & p}) > 1
            or any(k in row for row in rows)
        )
        if _parts_by_design(facts, vid, parts):
            continue
        if between:
            cuts[between].append(vid)
        else:
            alone.append(vid)
    for between, vids in [*cuts.items(), *(((), [v]) for v in alone)]:
        yield _islands_finding(facts, between, vids)


def _parts_by_design(facts: Facts, vid: Vid, parts: list[frozenset[str]]) -> bool:
    """Tells whether each part of a VLAN has gateways of its own, of subnets of its own: one number used in several places."""
    subnets = []
    for part in parts:
        own = {a.network for i in facts.network.gateways.serving(vid) if i.device in part for a in i.gateway.addresses}
        if not own:
            return False
        subnets.append(own)
    return len(set().union(*subnets)) == sum(map(len, subnets))


def _still_parted(facts: Facts, vid: Vid) -> list[frozenset[str]]:
    """Returns the parts with members of a VLAN that gaps leave which no other rule reports."""
    return [p for p in _joined_up(facts, vid) if not p.isdisjoint(facts.network.homes(vid))]


def _joined_up(facts: Facts, vid: Vid) -> list[frozenset[str]]:
    """Joins the islands of a VLAN across every gap that another rule reports; what is left is this rule's."""
    network = facts.network
    reported = [k for k in network.joins if (loss := _loss(facts, k, vid)) is not None and loss.rung in _OTHER_RULES]
    together = [
        *network.islands.of(vid),
        *(group.union(*touched) for group, touched in network.islands.missing_on_the_way(vid)),
        *(frozenset({k.a.switch, k.b.switch}) for k in reported),
    ]
    return merged(together)


_OTHER_RULES = frozenset({Rung.LAG, Rung.TRUNK, Rung.FORMAT, Rung.LISTED, Rung.NATIVE, Rung.BLOCKED, Rung.PRUNED})
"""Where a VLAN is lost in a way that a rule of its own tells of."""


def _loss(facts: Facts, link: Link, vid: Vid) -> Lost | None:
    return next((loss for loss in facts.network.ladder(link).lost if vid in loss.vlans), None)


def _islands_finding(facts: Facts, between: tuple[Cut, ...], vids: list[Vid]) -> Fault:
    network = facts.network
    cut = VlanSet(vids)
    parts = _still_parted(facts, vids[0])
    live = network.homes(vids[0])
    sides = joined(["{" + _who(facts, vids[0], p) + "}" for p in parts])
    reasons = [f"{k}: {loss or 'in neither list'}" for k, loss in between]
    shut = [str(loss.end) for _, loss in between if loss and loss.rung is Rung.ENABLED]
    if between and len(shut) == len(between):
        todo = f"Enable {joined(shut, 3)} again"
    elif between:
        todo = f"Let {joined([str(k) for k, _ in between], 3)} carry {vlans(cut)}"
    else:
        todo = "Cable the parts together"
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
            Evidence(f"member {refs[0]}", network.port(refs[0]).origin.of(Setting.ACCESS))
            for refs in live.values()
            if refs
        ),
        causes=tuple(cause(e, Setting.ALLOWED) for k, loss in between if loss is None for e in (k.a, k.b))
        + tuple(cause(loss.end, Setting.ENABLED) for _, loss in between if loss and loss.rung is Rung.ENABLED),
        vlans=cut,
        members=facts.network.islands.beside_largest(cut),
        parts=True,
    )


def _who(facts: Facts, vid: Vid, part: frozenset[str]) -> str:
    """Names the switches of a part of a VLAN that have members of it, and the gateways that are there."""
    network = facts.network
    members = sorted(part & set(network.live_members(vid)), key=natural)
    gateways = [i.device for i in network.gateways.serving(vid) if i.device in part]
    said = [joined(members, 3)] if members else []
    if gateways:
        said.append(f"{'its gateways' if len(gateways) > 1 else 'the gateway'} on {joined(gateways, 3)}")
    return " with ".join(said) or joined(
        [f"the address of {n}" for n in sorted(part & set(network.homes(vid)), key=natural)], 3
    )


def _called(facts: Facts, some: VlanSet) -> str:
    return named(facts.network, next(iter(some))) if len(some) == 1 else vlans(some)


@rule(
    "vlan/alone",
    Severity.RISK,
    faults=(8,),
    looks_for="A VLAN with one member port in all the campus, that no trunk carries and no gateway serves.",
    why="Whoever is on that port reaches nobody. A VLAN of that kind is most often a slip of the finger, made real by defining it.",
    mend="Put the port into the VLAN that was meant, or carry the new VLAN to where its others are.",
    breaks=Example(
        {"a.yaml": switch_text("archive", "{310: tank-sensors, 311: x}", "{1-3: {access: 310}, 4: {access: 311}}")},
        place="archive:4",
    ),
    passes=Example(
        {"a.yaml": switch_text("archive", "{310: tank-sensors, 311: x}", "{1-2: {access: 310}, 3-4: {access: 311}}")}
    ),
)
def alone(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    carried = 0
    for link in network.joins:
        carried |= network.passes(link)
    for ref in network.wide_ports:
        carried |= network.relay(ref).sends
    for vid, homes in network.members.items():
        refs = [r for some in homes.values() for r in some]
        live = network.homes(vid)
        if (
            len(refs) != 1
            or len(live) != 1
            or carried >> vid & 1
            or vid in {DEFAULT_VLAN, network.campus.parking}
            or network.gateways.by_vlan.get(vid)
        ):
            continue
        ref = refs[0]
        others = len(network.station_ports.get(ref.switch, ()))
        if others < 2 or ref in network.cabled:
            continue
        yield Fault(
            place=str(ref),
            what=f"{ref} is the only port in {named(network, vid)}, which no trunk carries and no gateway serves: it reaches nobody.",
            mend=f"Put {ref} into the VLAN that was meant, or carry VLAN {vid} to where its others are.",
            evidence=(Evidence(f"the only member of {vid}", network.port(ref).origin.of(Setting.ACCESS)),),
            causes=(
                cause(ref, Setting.ACCESS),
                vlan_cause(ref.switch, vid),
                Cause(ref.switch, Setting.VLAN_NAMES, entry=str(vid)),
            ),
            vlans=VlanSet([vid]),
            ports=1,
            follows=True,
        )


def _three(more: str) -> dict[str, str]:
    ports = "{1: {access: 310}, u1: {trunk: '310'}, u2: {trunk: '310'}}"
    return {
        f"{n}.yaml": switch_text(n, f"{{310: tanks{more if n == 'cove' else ''}}}", ports)
        for n in ("cove", "hall", "loft")
    }


@rule(
    "vlan/leftover",
    Severity.TIDY,
    faults=(8,),
    looks_for="VLANs in the table of one switch alone that no port, list, gateway, segment or register of the campus names.",
    why="They are left from something that is gone. Whoever reads the table takes them for networks, and one day somebody uses one.",
    mend="Take them out of the table.",
    breaks=Example(_three(", 505: old-lab"), place="cove"),
    passes=Example(_three("")),
)
def leftover(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    campus = network.campus
    named_ = (
        set(campus.register)
        | {campus.parking}
        | set(campus.keep)
        | {v for s in campus.segments.values() for v in s.vlans}
    )
    named_ |= set(network.members) | set(network.gateways.by_vlan) | {row.vid for row in campus.plan}
    holders: dict[int, list[str]] = defaultdict(list)
    for name, switch in network.switches.items():
        for v, entry in (switch.vlans or {}).items():
            if v != DEFAULT_VLAN and entry.type is VlanType.PLAIN:
                holders[v].append(name)
    listed = _in_lists(facts)
    found: dict[str, list[int]] = defaultdict(list)
    for v, names in holders.items():
        if len(names) == 1 and v not in named_ and v not in listed and not network.switches[names[0]].sync:
            found[names[0]].append(v)
    for name, vids in found.items() if len(network.switches) > 2 else ():
        some = VlanSet(vids)
        yield Fault(
            place=name,
            what=f"{name} alone defines {vlans(some)}, and nothing in the campus uses {'it' if len(vids) == 1 else 'them'}.",
            mend=f"Take {vlans(some)} out of the table of {name}, or name {'it' if len(vids) == 1 else 'them'} in the register.",
            evidence=tuple(Evidence(f"{v} defined", vlan_source(network, name, v)) for v in vids[:3]),
            causes=tuple(vlan_cause(name, v) for v in vids),
            vlans=some,
        )


def _in_lists(facts: Facts) -> VlanSet:
    """Returns the VLANs that ports name: in lists that are no list of all, as natives, tagged or untagged."""
    kinds = {id(p.switching): p.switching for s in facts.network.switches.values() for p in s.ports.values()}
    lists = {allowed_list(kind) for kind in kinds.values()}
    natives = VlanSet(v for kind in kinds.values() if (v := untagged_vlan(kind)) is not None)
    return reduce(or_, (some for some in lists if len(some) < _ALL_BUT_A_FEW), natives)


_ALL_BUT_A_FEW = 2048
"""A list of so many VLANs names none of them."""


def _with_another(table: str) -> dict[str, str]:
    ports = "{1-2: {access: 310}, 3-4: {access: 340}, u1: {trunk: '310,340'}}"
    whole = switch_text("boat-store", "{310: tanks, 340: labs}", ports, neighbours="{u1: archive u1}")
    return {"a.yaml": switch_text("archive", table, ports), "b.yaml": whole}


@rule(
    "vlan/empty",
    Severity.OUTAGE,
    faults=(5,),
    looks_for="A switch whose table holds no VLAN, while its ports are in some.",
    why="A switch relays only VLANs in its table. With an empty one nothing passes, whatever its ports are set to.",
    mend="Define the VLANs that its ports are in.",
    cure=table_cures.define_missing,
    breaks=Example(_with_another("{}"), place="archive"),
    passes=Example(_with_another("{310: tanks, 340: labs}")),
)
def empty(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    for name, switch in network.switches.items():
        if switch.vlans is None or set(switch.vlans) - {DEFAULT_VLAN} or switch.kind is not Kind.SWITCH:
            continue
        used = VlanSet(v for v, homes in network.members.items() if v != DEFAULT_VLAN and homes.get(name))
        if len(used) > 1:
            refs = tuple(ref for v in used for ref in network.members[v][name])
            yield Fault(
                place=name,
                what=f"The VLAN table of {name} is empty, and its ports are in {vlans(used)}: no frame of theirs passes.",
                mend=f"Define {vlans(used)} on {name}, as on the switches that use {'it' if len(used) == 1 else 'them'}.",
                evidence=(Evidence("no VLAN defined", switch.origin.of(Setting.VLANS)),),
                causes=tuple(vlan_cause(name, v) for v in used),
                vlans=used,
                members=refs,
            )
