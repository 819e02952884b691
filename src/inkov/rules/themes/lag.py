"""Aggregated links (IEEE 802.1AX): do they form, and are their members alike."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.kinds.accounts import is_stated
from inkov.kinds.table import mode_setting
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import Port
from inkov.model.vlanset import VlanSet
from inkov.rules import cures
from inkov.rules.finding import Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, joined, vlans

_VLANS = "{310: tank-sensors}"
_PLACE = "archive:up <-> seal-ward:up"


def _pair(a: str, b: str, members: str = "u1-u2: {lag: up}", far: str = "u1-u2: {lag: up}") -> dict[str, str]:
    """Two switches joined by a LAG each, with the given LAG settings and members."""
    heard = "{{u1: {0} u1, u2: {0} u2}}"
    return {
        "archive.yaml": switch_text(
            "archive",
            _VLANS,
            f"{{1: {{access: 310}}, {members}}}",
            lags=f"{{up: {a}}}",
            neighbours=heard.format("seal-ward"),
        ),
        "seal-ward.yaml": switch_text("seal-ward", _VLANS, f"{{1: {{access: 310}}, {far}}}", lags=f"{{up: {b}}}"),
    }


_ACTIVE = "{trunk: '310', lacp: active}"
_GOOD = Example(_pair(_ACTIVE, _ACTIVE))


@rule(
    "lag/unformed",
    Severity.OUTAGE,
    faults=(16, 21),
    looks_for="A LAG that does not form: both ends wait, or one negotiates and the other does not.",
    why="Members that are not bundled are blocked or act one by one. Either way the LAG is not there.",
    mend="Let both ends negotiate, and one at least ask.",
    cure=cures.let_a_lag_ask,
    breaks=Example(_pair("{trunk: '310', lacp: passive}", "{trunk: '310', lacp: passive}"), place=_PLACE),
    passes=_GOOD,
)
def unformed(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.links:
        both = network.port(link.a).is_lag and network.port(link.b).is_lag
        if not (link.up and both and (reason := network.lag_failure(link))):
            continue
        shared = network.active(link.a.switch) & network.active(link.b.switch) & network.inhabited
        cut = facts.network.islands.parted(link, VlanSet.from_mask(shared))
        yield Fault(
            place=str(link),
            what=f"The LAG does not form: {reason}." + (f" {vlans(cut)} cannot cross." if cut else ""),
            mend="Set both ends to negotiate, one of them actively.",
            evidence=tuple(at(network, e, _lacp(network.port(e)), Setting.LACP) for e in (link.a, link.b)),
            causes=tuple(cause(e, Setting.LACP) for e in (link.a, link.b)),
            vlans=cut,
            members=facts.network.islands.cut_off(link, cut),
            parts=bool(cut),
        )


def _lacp(port: Port) -> str:
    return f"lacp {port.lacp.value}" if port.lacp else "lacp not stated"


@rule(
    "lag/one-ended",
    Severity.OUTAGE,
    faults=(16, 21),
    looks_for="A cable that is a member of a LAG at one end and a port of its own at the other.",
    why="One end spreads frames over its members, the other sees the same station now here, now there.",
    mend="Make the far ports a LAG too, or take the near one out.",
    cure=cures.put_into_lag,
    breaks=Example(_pair("{trunk: '310', lacp: static}", _ACTIVE, far="u1-u2: {trunk: '310'}"), place="archive:up"),
    passes=_GOOD,
)
def one_ended(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a LAG."""
    network = facts.network
    found: dict[PortRef, list[PortRef]] = defaultdict(list)
    for link in network.links:
        for own, far in ((link.a, link.b), (link.b, link.a)):
            if link.up and network.port(own).is_lag and not network.port(far).is_lag:
                found[own].append(far)
    for own, fars in found.items():
        yield Fault(
            place=str(own),
            what=f"{own} is a LAG, but its far end {joined(map(str, fars))} is none: frames come back on another cable than they left by.",
            mend=_one_ended_mend(facts, own, fars),
            evidence=tuple(at(network, e, _what_it_is(network.port(e)), Setting.LACP) for e in (own, *fars[:3])),
            causes=(cause(own, Setting.LACP), *(cause(f, Setting.LAG) for f in fars)),
        )


def _one_ended_mend(facts: Facts, own: PortRef, fars: list[PortRef]) -> str:
    """Says what to do: where the other members end in a LAG, the odd port belongs into it."""
    network = facts.network
    for link in network.links_at.get(own.switch, ()):
        far = link.b if link.a == own else link.a
        if own in {link.a, link.b} and network.port(far).is_lag:
            return f"Put {joined(map(str, fars))} into the LAG {far.port}, as the other members."
    return f"Make {joined(map(str, fars))} a LAG, or take the members out of {own}."


def _what_it_is(port: Port) -> str:
    return _lacp(port) if port.is_lag else "no LAG"


@rule(
    "lag/scattered",
    Severity.RISK,
    faults=(16,),
    looks_for="A LAG whose members end on different switches.",
    why="Unless the far switches act as one, each gets only a part of the frames, and a station seems to jump between them.",
    mend="Cable all members to one switch, or give each far switch a LAG of its own.",
    breaks=Example(
        {
            "archive.yaml": switch_text(
                "archive",
                _VLANS,
                "{u1-u2: {lag: up}}",
                lags=f"{{up: {_ACTIVE}}}",
                neighbours="{u1: kelp u1, u2: ward u1}",
            ),
            **{
                f"{n}.yaml": switch_text(n, _VLANS, "{u1: {lag: up}}", lags=f"{{up: {_ACTIVE}}}")
                for n in ("kelp", "ward")
            },
        },
        place="archive:up",
    ),
    passes=_GOOD,
)
def scattered(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a LAG."""
    network = facts.network
    fars: dict[PortRef, set[str]] = defaultdict(set)
    for link in network.links:
        for own, far in ((link.a, link.b), (link.b, link.a)):
            if network.port(own).is_lag:
                fars[own].add(far.switch)
    for own, switches in fars.items():
        if len(switches) > 1:
            yield Fault(
                place=str(own),
                what=f"The members of {own} end on {joined(sorted(switches))}: each gets only a part of the frames.",
                mend="Cable all members to one switch, or make a LAG for each.",
                evidence=(Evidence(f"members {ports_text(network.port(own).members)}", network.port(own).origin.here),),
                causes=(
                    cause(own, Setting.MEMBERS),
                    *(cause(PortRef(own.switch, m), Setting.CABLE) for m in network.port(own).members),
                ),
            )


_VLAN_SETTINGS = (
    *(Setting.ACCESS, Setting.ALLOWED, Setting.NATIVE, Setting.GENERAL, Setting.PRIVATE, Setting.PROMISCUOUS),
    *(Setting.TUNNEL, Setting.VOICE),
)


def _own_settings(facts: Facts, lag: PortRef) -> dict[str, Port]:
    """Returns the members of a LAG that have VLAN settings written for themselves."""
    ports = facts.network.switches[lag.switch].ports
    return {
        n: ports[n]
        for n in facts.network.port(lag).members
        if is_stated(ports[n].switching) and any(map(ports[n].origin.states, _VLAN_SETTINGS))
    }


def _lags(facts: Facts) -> Iterator[PortRef]:
    for switch in facts.network.switches.values():
        for port in switch.ports.values():
            if port.is_lag:
                yield PortRef(switch.name, port.name)


@rule(
    "lag/member",
    Severity.RISK,
    faults=(16,),
    looks_for="A member of a LAG with VLAN settings of its own that differ from the LAG's.",
    why="While the LAG is up they do nothing. The day the member drops out of it, they count.",
    mend="Take the settings off the member.",
    breaks=Example(_pair(_ACTIVE, _ACTIVE, members="u1: {lag: up}, u2: {lag: up, access: 310}"), place="archive:u2"),
    passes=_GOOD,
)
def member(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a LAG."""
    network = facts.network
    for lag in _lags(facts):
        own = {n: p for n, p in _own_settings(facts, lag).items() if p.switching != network.port(lag).switching}
        if own:
            refs = [PortRef(lag.switch, n) for n in own]
            names = ports_text(own)
            yield Fault(
                place=f"{lag.switch}:{names}",
                what=f"{lag.switch}:{names} has VLANs of its own beside those of its LAG {lag.port}: they apply if it leaves the LAG.",
                mend=f"Take the VLAN settings off {lag.switch}:{names}.",
                evidence=tuple(at(network, r, "own setting", mode_setting(network.port(r))) for r in refs[:3]),
                causes=tuple(cause(r, Setting.MEMBER) for r in refs),
            )


@rule(
    "lag/uneven",
    Severity.RISK,
    faults=(16,),
    looks_for="Members of one LAG that are set differently: some disabled, of another speed, or with another tag format.",
    why="A LAG of unlike members is weaker than it looks: half of it may be off, and nobody notices until the rest fails.",
    mend="Set all members alike.",
    cure=cures.turn_members_on,
    breaks=Example(_pair(_ACTIVE, _ACTIVE, members="u1: {lag: up}, u2: {lag: up, enabled: false}"), place="archive:up"),
    passes=_GOOD,
)
def uneven(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a LAG."""
    network = facts.network
    for lag in _lags(facts):
        ports = [network.switches[lag.switch].ports[n] for n in network.port(lag).members]
        shapes: dict[tuple[bool, str, int], list[str]] = defaultdict(list)
        stated = next((p.speed for p in ports if p.speed), 0)
        for port in ports:
            shapes[port.enabled, port.tag_format, port.speed or stated].append(port.name)
        if len(shapes) < 2:
            continue
        odd = min(shapes.values(), key=lambda names: (len(names), network.switches[lag.switch].ports[names[0]].enabled))
        first = network.switches[lag.switch].ports[odd[0]]
        slower = first.enabled and len({p.speed or stated for p in ports}) > 1
        state = "disabled" if not first.enabled else "of another speed" if slower else "set differently"
        refs = [PortRef(lag.switch, n) for n in odd]
        yield Fault(
            place=str(lag),
            what=f"{len(odd)} of {len(ports)} members of {lag} ({ports_text(odd)}) {'is' if len(odd) == 1 else 'are'} {state}.",
            mend=f"Set all members of {lag} alike.",
            evidence=tuple(at(network, r, state, Setting.SPEED if slower else Setting.ENABLED) for r in refs[:3]),
            causes=tuple(cause(r, Setting.SPEED if slower else Setting.ENABLED) for r in refs),
        )
