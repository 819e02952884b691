"""Negotiation of trunks: who asks, who answers, and who becomes a trunk for anyone."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.cabling import Link
from inkov.kinds.table import allowed_list, negotiates, trunk_of
from inkov.kinds.table import contradicts as contradicts_itself
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import Stance
from inkov.model.vlanset import VlanSet
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.pairs import PLACE, pair
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, count, vlans

_ASKS = "{mode: negotiated, stance: active, access: 310, trunk: '310,330'}"
_WAITS = "{mode: negotiated, stance: passive, access: 310, trunk: '310,330'}"
_NEVER = "inkov: campus\nname: x\npolicy: {negotiation: never}\n"
_FIXED = Example(pair("{trunk: '310,330', stance: silent}", "{trunk: '310,330', stance: silent}"))


def _negotiated(facts: Facts, end: PortRef) -> bool:
    return negotiates(facts.network.port(end))


def _cut(facts: Facts, link: Link) -> VlanSet:
    both = facts.network.active(link.a.switch) & facts.network.active(link.b.switch) & facts.network.inhabited
    return facts.network.islands.parted(link, VlanSet.from_mask(both) - facts.network.ladder(link).carried)


def _fault(facts: Facts, link: Link, *, what: str, mend: str, to_blame: list[PortRef]) -> Fault:
    network = facts.network
    cut = _cut(facts, link)
    ends = (link.a, link.b)
    return Fault(
        place=str(link),
        what=what + (f" {vlans(cut)} cannot cross." if cut else ""),
        mend=mend,
        evidence=tuple(at(network, e, _stance(facts, e), Setting.STANCE) for e in ends),
        causes=tuple(cause(e, Setting.MODE) for e in to_blame),
        vlans=cut,
        members=facts.network.islands.cut_off(link, cut),
        parts=bool(cut),
    )


def _stance(facts: Facts, end: PortRef) -> str:
    port = facts.network.port(end)
    mode = "negotiated" if negotiates(port) else "fixed"
    return f"{mode}, {port.stance.value if port.stance else 'stance not stated'}"


@rule(
    "stance/both-wait",
    Severity.OUTAGE,
    faults=(1,),
    looks_for="A link whose two ends negotiate and both wait for the other to ask.",
    why="Nobody asks, so no trunk forms and both ends stay access ports. Each looks ready on its own.",
    mend="Let one end ask, or make both ends fixed trunks.",
    cure=cures.let_one_end_ask,
    breaks=Example(pair(_WAITS, _WAITS), place=PLACE),
    passes=Example(pair(_ASKS, _WAITS)),
)
def both_wait(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    for link in facts.network.links:
        ports = [facts.network.port(e) for e in (link.a, link.b)]
        if link.up and all(negotiates(p) and p.stance is Stance.PASSIVE for p in ports):
            what = "Both ends wait for the other to ask, so no trunk forms."
            mend = f"Make {link.a} and {link.b} fixed trunks."
            yield _fault(facts, link, what=what, mend=mend, to_blame=[link.a, link.b])


@rule(
    "stance/one-sided",
    Severity.OUTAGE,
    faults=(2,),
    looks_for="A link with a fixed, silent trunk at one end and a port that waits or asks at the other.",
    why="The silent end never says that it is a trunk, so the other stays an access port: a trunk on one side only.",
    mend="Make the negotiating end a fixed trunk.",
    cure=cures.make_the_other_end_a_trunk,
    breaks=Example(pair("{trunk: '310,330', native: none, stance: silent}", _WAITS), place=PLACE),
    passes=Example(pair("{trunk: '310,330', stance: active}", _WAITS)),
)
def one_sided(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    for link in facts.network.links:
        for fixed, other in ((link.a, link.b), (link.b, link.a)):
            silent = facts.network.port(fixed)
            if not (link.up and trunk_of(silent.switching) and silent.stance is Stance.SILENT):
                continue
            if _negotiated(facts, other) and not contradicts_itself(facts.network.port(other)):
                what = f"{fixed} is a trunk and says nothing; {other} hears nobody and stays an access port."
                mend = f"Make {other} a fixed trunk, like {fixed}."
                yield _fault(facts, link, what=what, mend=mend, to_blame=[other])


@rule(
    "stance/groups",
    Severity.OUTAGE,
    faults=(1,),
    looks_for="A link that negotiates between switches of different sync groups.",
    why="Ports refuse to form a trunk with a switch of another group. It looks like a cable fault and is a name.",
    mend="Give both switches the same group, or make both ends fixed trunks.",
    cure=cures.fix_trunks,
    breaks=Example(
        {n: t + f"sync: {{group: {n[:4]}}}\n" for n, t in pair(_ASKS, _ASKS).items()},
        place=PLACE,
    ),
    passes=Example({n: t + "sync: {group: quillfin}\n" for n, t in pair(_ASKS, _ASKS).items()}),
)
def groups(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    for link in facts.network.links:
        names = [facts.network.switches[e.switch].sync_group for e in (link.a, link.b)]
        ends = [e for e in (link.a, link.b) if _negotiated(facts, e)]
        if link.up and ends and all(names) and names[0] != names[1]:
            what = f"{link.a.switch} is in sync group {names[0]!r} and {link.b.switch} in {names[1]!r}: they refuse each other."
            mend = f"Use one group name, or make {link.a} and {link.b} fixed trunks."
            yield _fault(facts, link, what=what, mend=mend, to_blame=ends)


@rule(
    "stance/contradicts",
    Severity.RISK,
    faults=(1,),
    looks_for="A port that is to negotiate and to stay silent.",
    why="Negotiating means to ask or to answer. A silent port does neither and stays an access port for ever.",
    mend="Let it ask or answer, or make it a fixed trunk or access port.",
    cure=cures.fix_access_ports,
    breaks=Example(
        {"a.yaml": switch_text("archive", "{310: x}", "{1: {mode: negotiated, stance: silent, access: 310}}")},
        place="archive:1",
    ),
    passes=Example({"a.yaml": switch_text("archive", "{310: x}", "{1: {access: 310}}")}),
)
def contradicts(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    for ref, port in network.rare_ports:
        if contradicts_itself(port):
            yield Fault(
                place=str(ref),
                what=f"{ref} is to negotiate and to stay silent: it never becomes a trunk.",
                mend=f"Make {ref} a fixed trunk or access port, or let it ask.",
                evidence=(at(network, ref, "negotiated, silent", Setting.STANCE),),
                causes=(cause(ref, Setting.MODE),),
            )


@rule(
    "stance/invites",
    Severity.RISK,
    faults=(9,),
    looks_for="A negotiating port that faces a station or nothing: it becomes a trunk for anyone who asks.",
    why="Whoever plugs in a switch of their own, or a program that plays one, gets every VLAN of the list.",
    mend="Make it a fixed access port.",
    cure=cures.fix_access_ports,
    breaks=Example(
        {"a.yaml": switch_text("archive", "{310: x}", "{1-3: {mode: negotiated, stance: passive, access: 310}}")},
        place="archive:1-3",
    ),
    passes=Example({"a.yaml": switch_text("archive", "{310: x}", "{1-3: {access: 310}}")}),
)
def invites(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    asking = [r for r, p in network.rare_ports if negotiates(p) and p.stance is not Stance.SILENT]
    for switch in dict.fromkeys(ref.switch for ref in asking):
        edge = set(network.edge_ports[switch])
        open_ports = [r for r in asking if r in edge]
        if not open_ports:
            continue
        names = ports_text([r.port for r in open_ports])
        offered = VlanSet()
        for ref in open_ports:
            offered |= allowed_list(network.port(ref).switching) & VlanSet.from_mask(network.active(switch))
        yield Fault(
            place=f"{switch}:{names}",
            what=f"{count(len(open_ports), 'port')} of {switch} ({names}) {'become' if len(open_ports) > 1 else 'becomes'} a trunk for "
            f"whoever asks, and {'hand' if len(open_ports) > 1 else 'hands'} out {vlans(offered)}.",
            mend="Make the ports fixed access ports.",
            evidence=(at(network, open_ports[0], _stance(facts, open_ports[0]), Setting.MODE),),
            causes=(cause(open_ports[0], Setting.MODE),),
            vlans=offered,
            ports=len(open_ports),
        )


@rule(
    "stance/policy",
    Severity.RISK,
    faults=(9,),
    looks_for="A link that is a trunk only because its ends agreed on it, where the campus file says `policy: {negotiation: never}`.",
    why="Such a trunk is gone when one end is reset or replaced, and carries more when the far end asks for more.",
    mend="Make both ends fixed trunks.",
    cure=cures.fix_trunks,
    breaks=Example({"campus.yaml": _NEVER, **pair(_ASKS, _WAITS)}, place=PLACE),
    passes=Example(
        {"campus.yaml": _NEVER, **pair("{trunk: '310,330', stance: silent}", "{trunk: '310,330', stance: silent}")}
    ),
)
def policy(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.links if network.campus.never_negotiates else ():
        ends = [e for e in (link.a, link.b) if _negotiated(facts, e)]
        if link.up and any(trunk_of(network.settled(e).switching) for e in ends):
            what = f"{link} is a trunk only by negotiation, and this campus wants none."
            mend = f"Make {' and '.join(map(str, ends))} {'a fixed trunk' if len(ends) == 1 else 'fixed trunks'}."
            yield _fault(facts, link, what=what, mend=mend, to_blame=ends)


@rule(
    "stance/left-on",
    Severity.TIDY,
    faults=(9,),
    looks_for="A link of two fixed trunks of which an end still announces itself.",
    why="Nothing on this link needs negotiation. Left on, it decides again the day somebody resets an end.",
    mend="Set both ends silent.",
    breaks=Example(pair("{trunk: '310,330', stance: active}", "{trunk: '310,330', stance: silent}"), place=PLACE),
    passes=_FIXED,
)
def left_on(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    for link in facts.network.links:
        ports = {e: facts.network.port(e) for e in (link.a, link.b)}
        talking = [e for e, p in ports.items() if p.stance in {Stance.PASSIVE, Stance.ACTIVE}]
        if link.up and talking and all(trunk_of(p.switching) for p in ports.values()):
            what = f"Both ends are fixed trunks, yet {' and '.join(map(str, talking))} still negotiate{'s' if len(talking) == 1 else ''}."
            yield _fault(facts, link, what=what, mend="Set both ends silent.", to_blame=[])
