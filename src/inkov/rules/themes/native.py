"""Native VLANs: what untagged frames on a link become."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterator

from inkov.forwarding.cabling import Link
from inkov.kinds.relay import View
from inkov.kinds.table import carries_tags, setting_words, trunk_of, untagged_vlan
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN, Trunk
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.leak import Leak
from inkov.rules.pairs import PLACE, pair
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, count, joined, members_of, named, vlan_cause, vlans

_USERS = Example(pair("{trunk: '310,330', native: 330}", "{trunk: '310,330', native: 330}"), place="VLAN 330")


def _untagged(facts: Facts, end: PortRef) -> Vid | None:
    return untagged_vlan(facts.network.settled(end).switching)


def _usual_native(facts: Facts) -> Vid | None:
    """Returns the native VLAN most link ends have."""
    seen = Counter(v for k in facts.network.joins for e in (k.a, k.b) if (v := _untagged(facts, e)) is not None)
    return min(seen, key=lambda v: (-seen[v], v)) if seen else None


@rule(
    "native/mismatch",
    Severity.BREACH,
    faults=(3,),
    looks_for="A trunk whose ends put untagged frames into different VLANs.",
    why="Untagged frames change their VLAN at such a link: two segments are joined there, often in one direction only, so "
    "that nothing works properly and something leaks all the same.",
    mend="Set the same native VLAN at both ends, one that no user port is in.",
    cure=cures.set_natives,
    breaks=Example(pair("{trunk: '310,330', native: 310}", "{trunk: '310,330', native: 330}"), place=PLACE),
    passes=Example(pair("{trunk: '310,330'}", "{trunk: '310,330'}")),
)
def mismatch(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    usual = _usual_native(facts)
    for link in network.joins:
        leak = Leak(facts, link)
        if not all(trunk_of(network.settled(e).switching) for e in (link.a, link.b)):
            continue
        if not leak:
            yield from _unlisted_both(facts, link)
            yield from _one_native(facts, link)
            continue
        ends = sorted((link.a, link.b), key=lambda e: (_untagged(facts, e) == usual, e != link.b, e.order))
        cut = network.islands.parted(link, leak.vlans)
        yield Fault(
            severity=Severity.BREACH if leak.meets else Severity.OUTAGE if cut else Severity.RISK,
            place=str(link),
            what=f"{leak} {'' if leak.meets else _cut(facts, cut)}".rstrip(),
            mend=_mend(facts, ends, usual),
            evidence=tuple(at(network, e, setting_words(network.settled(e)), Setting.NATIVE) for e in (link.a, link.b)),
            causes=tuple(cause(e, Setting.NATIVE) for e in ends),
            vlans=leak.vlans,
            joins=leak.joins,
            members=leak.stations or network.islands.cut_off(link, cut),
            parts=bool(cut),
        )


def _unlisted_both(facts: Facts, link: Link) -> Iterator[Fault]:
    """Yields natives that differ and are in neither list, so that it hangs on the platform whether untagged frames pass."""
    network = facts.network
    natives = [_untagged(facts, e) for e in (link.a, link.b)]
    if None not in natives and natives[0] != natives[1] and link.up:
        yield Fault(
            severity=Severity.RISK,
            place=str(link),
            what=f"The native VLAN is {natives[0]} at {link.a} and {natives[1]} at {link.b}, and neither is in the list of its port: "
            "platforms that pass untagged frames all the same put them into another VLAN.",
            mend=f"Set the same native VLAN at {link.a} and {link.b}, or none.",
            evidence=tuple(at(network, e, setting_words(network.settled(e)), Setting.NATIVE) for e in (link.a, link.b)),
            causes=tuple(cause(e, Setting.NATIVE) for e in (link.a, link.b)),
        )


def _one_native(facts: Facts, link: Link) -> Iterator[Fault]:
    """Yields a VLAN that one end sends untagged to another that takes no untagged frames, where that parts its members."""
    network = facts.network
    for own, far in ((link.a, link.b), (link.b, link.a)):
        vid = _untagged(facts, own)
        if vid is None or _untagged(facts, far) is not None or network.hop(own, far, View.USUAL).carry(1 << vid):
            continue
        if cut := network.islands.parted(link, VlanSet([vid])):
            yield Fault(
                severity=Severity.OUTAGE,
                place=str(link),
                what=f"{own} sends VLAN {vid} untagged, as its native VLAN, and {far} has no native VLAN. {_cut(facts, cut)}",
                mend=f"Set the native VLAN of {own} to none, as at {far}.",
                evidence=tuple(at(network, e, setting_words(network.settled(e)), Setting.NATIVE) for e in (own, far)),
                causes=tuple(cause(e, Setting.NATIVE) for e in (own, far)),
                vlans=cut,
                members=network.islands.cut_off(link, cut),
                parts=True,
            )


def _cut(facts: Facts, cut: VlanSet) -> str:
    """Says which VLANs do not get across, as nobody sends them as the other end expects them."""
    if not cut:
        return ""
    shown = named(facts.network, next(iter(cut))) if len(cut) == 1 else vlans(cut)
    return (
        f"{shown} {'does' if len(cut) == 1 else 'do'} not get across, and {'is' if len(cut) == 1 else 'are'} in parts."
    )


def _mend(facts: Facts, ends: list[PortRef], usual: Vid | None) -> str:
    odd, other = ends
    if usual is None or usual not in {_untagged(facts, e) for e in ends} or members_of(facts.network, VlanSet([usual])):
        return f"Set the same native VLAN at {odd} and {other}, one that no user port is in."
    same = sum(1 for k in facts.network.joins if {_untagged(facts, k.a), _untagged(facts, k.b)} == {usual})
    return f"Set the native VLAN of {odd} to {usual}" + (f", as on {count(same, 'other link')}." if same else ".")


@rule(
    "native/default",
    Severity.RISK,
    faults=(4,),
    looks_for="A trunk between switches whose native VLAN is the default VLAN.",
    why="Ports nobody configured are in the default VLAN, so their stations send straight into the untagged VLAN of the "
    "backbone, where a double-tagged frame can jump into any VLAN of the trunk.",
    mend="Use a native VLAN at both ends that is nothing else, and that no port is in.",
    cure=cures.set_natives,
    breaks=Example(pair("{trunk: '1,310,330', native: 1}", "{trunk: '1,310,330', native: 1}"), place=PLACE),
    passes=Example(pair("{trunk: '310,330'}", "{trunk: '310,330'}")),
)
def native_default(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.joins:
        ends = [
            e for e in (link.a, link.b) if (s := trunk_of(network.settled(e).switching)) and s.native == DEFAULT_VLAN
        ]
        if not ends:
            continue
        yield Fault(
            place=str(link),
            what=f"The native VLAN at {joined(map(str, ends))} is the default VLAN {DEFAULT_VLAN}, where every untouched port is: "
            "its stations send straight into the untagged VLAN of this trunk.",
            mend="Set a native VLAN at both ends that no port is in.",
            evidence=tuple(at(network, e, f"native {DEFAULT_VLAN}", Setting.NATIVE) for e in ends),
            causes=tuple(cause(e, Setting.NATIVE) for e in ends),
        )


def _used_natives(facts: Facts) -> Iterator[tuple[Vid, list[PortRef], int]]:
    """Yields the native VLANs of trunks that have members: the VLAN, the ends, how many members."""
    network = facts.network
    found: dict[Vid, list[PortRef]] = defaultdict(list)
    for link in network.joins:
        for end in (link.a, link.b):
            switching = trunk_of(network.settled(end).switching)
            if switching and switching.native is not None and network.relay(end).in_untagged:
                found[switching.native].append(end)
    for vid, ends in found.items():
        users = [r for r in members_of(network, VlanSet([vid])) if not carries_tags(network.port(r))]
        if users:
            yield vid, ends, len(users)


@rule(
    "native/users",
    Severity.RISK,
    faults=(4,),
    looks_for="A native VLAN of a trunk between switches that has access ports with users.",
    why="Frames of that VLAN cross the trunk untagged. A slip at either end moves all of them into another VLAN at once, and "
    "their stations can double-tag frames into the VLANs of the trunk.",
    mend="Use a native VLAN that no port is in; let the users' VLAN cross tagged.",
    cure=cures.set_natives_of_blamed,
    breaks=_USERS,
    passes=Example(pair("{trunk: '310,330'}", "{trunk: '310,330'}")),
)
def native_users(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN."""
    network = facts.network
    for vid, ends, users in _used_natives(facts):
        if vid == DEFAULT_VLAN:
            continue
        yield Fault(
            place=f"VLAN {vid}",
            what=f"{named(network, vid)} has {count(users, 'access port')} and is the native VLAN at {joined(map(str, ends), 3)}: its "
            "frames cross untagged, where one slip moves them all into another VLAN.",
            mend="Use a native VLAN there that no port is in.",
            evidence=tuple(at(network, e, f"native {vid}", Setting.NATIVE) for e in ends[:4]),
            causes=tuple(cause(e, Setting.NATIVE) for e in ends),
            vlans=VlanSet([vid]),
            ports=users,
        )


@rule(
    "native/jump",
    Severity.RISK,
    faults=(4,),
    looks_for="VLANs that stations of a native VLAN get frames into by a tag inside a tag.",
    why="The trunk takes the outer tag off, and the switch at its far end believes the inner one. Frames go one way only, "
    "which is enough to harm. The worse is assumed of habits that nothing states.",
    mend="Use a native VLAN that no port is in, or let it leave tagged.",
    cure=cures.set_natives,
    breaks=_USERS,
    passes=Example(pair("{trunk: '310,330'}", "{trunk: '310,330'}")),
)
def jump(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a VLAN; it is folded into what says that users are in a native VLAN."""
    network = facts.network
    found = {vid: ends for vid, ends, _ in _used_natives(facts)}
    if not found:
        return
    from inkov.proof.rogue import jumps  # noqa: PLC0415 - brings the prover, as where claims are decided

    for vid, reached in jumps(network, VlanSet(found)).items():
        if reached:
            yield Fault(
                place=f"VLAN {vid}",
                what=f"A station of {named(network, vid)} can get frames into {vlans(reached)} by a tag inside a tag.",
                mend=f"Use a native VLAN at {joined(map(str, found[vid]), 3)} that no port is in.",
                evidence=tuple(at(network, e, f"native {vid}", Setting.NATIVE) for e in found[vid][:4]),
                causes=tuple(cause(e, Setting.NATIVE) for e in found[vid]),
                vlans=reached,
            )


def _alone(vlans_: str, trunk: str) -> dict[str, str]:
    ports = f"{{1: {{access: 310}}, u1: {trunk}}}"
    return {
        "a.yaml": switch_text("archive", f"{{310: tank-sensors{vlans_}}}", ports, neighbours="{u1: seal-ward u1}"),
        "b.yaml": switch_text(
            "seal-ward", "{310: tank-sensors, 990: unused}", "{1: {access: 310}, u1: {trunk: '310,990', native: 990}}"
        ),
    }


_WELL = Example(_alone(", 990: unused", "{trunk: '310,990', native: 990}"))


def _natives(facts: Facts, wrong: Callable[[str, Trunk], bool]) -> Iterator[tuple[PortRef, Vid]]:
    """Yields the ends of links between switches whose native VLAN is wrong."""
    for link in facts.network.joins:
        for end in (link.a, link.b):
            switching = trunk_of(facts.network.settled(end).switching)
            if switching and switching.native is not None and wrong(end.switch, switching):
                yield end, switching.native


@rule(
    "native/undefined",
    Severity.TIDY,
    faults=(4,),
    looks_for="A trunk whose native VLAN its own switch does not define.",
    why="Untagged frames are dropped there, which may be meant; but a VLAN of that number that comes up later joins them.",
    mend="Define the native VLAN, or set none.",
    breaks=Example(_alone("", "{trunk: '310,990', native: 990}"), place="archive:u1"),
    passes=_WELL,
)
def native_undefined(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    for end, vid in _natives(
        facts, lambda s, t: not network.defined(s) >> (t.native or 0) & 1 and t.native != DEFAULT_VLAN
    ):
        yield Fault(
            place=str(end),
            what=f"The native VLAN {vid} of {end} is not defined on {end.switch}: untagged frames are dropped there.",
            mend=f"Define VLAN {vid} on {end.switch}, or set no native VLAN at {end}.",
            evidence=(at(network, end, f"native {vid}", Setting.NATIVE),),
            causes=(cause(end, Setting.NATIVE), vlan_cause(end.switch, vid)),
            vlans=VlanSet([vid]),
        )


@rule(
    "native/unlisted",
    Severity.TIDY,
    faults=(4,),
    looks_for="A trunk whose native VLAN is not in its own allowed list.",
    why="Platforms differ: some pass untagged frames all the same, some drop them.",
    mend="Put the native VLAN into the list, or set none.",
    breaks=Example(_alone(", 990: unused", "{trunk: '310', native: 990}"), place="archive:u1"),
    passes=_WELL,
)
def native_unlisted(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    for end, vid in _natives(facts, lambda _, t: t.native not in t.allowed):
        yield Fault(
            place=str(end),
            what=f"The native VLAN {vid} of {end} is not in its own list: whether untagged frames pass depends on the platform.",
            mend=f"Put VLAN {vid} into the list of {end}, or set no native VLAN there.",
            evidence=(at(network, end, f"native {vid}", Setting.NATIVE), at(network, end, "the list", Setting.ALLOWED)),
            causes=(cause(end, Setting.NATIVE), cause(end, Setting.ALLOWED)),
            vlans=VlanSet([vid]),
        )
