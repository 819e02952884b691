"""Private VLANs (RFC 5517): secondaries tied to a primary, known all the way, reached by the promiscuous port."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.forwarding.ladder import vlan_source
from inkov.forwarding.network import Network
from inkov.kinds.table import private_host_of, promiscuous_of
from inkov.model.names import PortRef, natural, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import VlanType
from inkov.model.vlanset import NONE, Vid, VlanSet
from inkov.rules import cures, table_cures
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, joined, vlan_cause, vlans

_SECONDARY = (VlanType.ISOLATED, VlanType.COMMUNITY)
_TABLE = "{600: {type: primary}, 601: {type: isolated, primary: 600}, 602: {type: community, primary: 600}}"
_PORTS = "{1-2: {private: {primary: 600, secondary: 601}}, 3: {promiscuous: {primary: 600, secondaries: '601,602'}}}"


def _one(table: str, ports: str = _PORTS) -> dict[str, str]:
    return {"a.yaml": switch_text("dock", table, ports)}


_GOOD = Example(_one(_TABLE))


def _tables(network: Network) -> dict[str, dict[Vid, Vid | None]]:
    """Returns, for each switch whose table knows private VLANs, its secondaries with the primary each is tied to."""
    found: dict[str, dict[Vid, Vid | None]] = {}
    for table, switches in network.tables:
        if any(e.type is not VlanType.PLAIN for e in table.values()):
            tied = {v: e.primary for v, e in table.items() if e.type in _SECONDARY}
            found.update(dict.fromkeys(switches, tied))
    return found


def _families(network: Network) -> dict[Vid, set[Vid]]:
    """Returns the secondaries of each primary, as any switch of the campus ties them."""
    family: dict[Vid, set[Vid]] = defaultdict(set)
    for tied in _tables(network).values():
        for v, primary in tied.items():
            if primary is not None:
                family[primary].add(v)
    return family


def _seen(network: Network, switch: str, vid: Vid, fact: str) -> Evidence:
    return Evidence(fact, vlan_source(network, switch, vid))


@rule(
    "private/untied",
    Severity.OUTAGE,
    faults=(19,),
    looks_for="An isolated or community VLAN that is not tied to a primary of the same switch.",
    why="Stations hear their primary and are heard in it only through that tie. Without it they talk to nobody.",
    mend="Tie the secondary to its primary.",
    cure=table_cures.tie_private,
    breaks=Example(
        _one("{600: {type: primary}, 601: {type: isolated}, 602: {type: community, primary: 600}}"), place="dock"
    ),
    passes=_GOOD,
)
def untied(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    for name, tied in _tables(facts.network).items():
        switch = facts.network.switches[name]
        table = switch.vlans or {}
        loose = [
            v
            for v, primary in tied.items()
            if primary is None or primary not in table or table[primary].type is not VlanType.PRIMARY
        ]
        if loose:
            some = VlanSet(loose)
            yield Fault(
                place=switch.name,
                what=f"{vlans(some)} of {switch.name} {'is' if len(some) == 1 else 'are'} tied to no primary VLAN there.",
                mend=f"Tie {vlans(some)} to the primary on {switch.name}.",
                evidence=tuple(_seen(facts.network, switch.name, v, f"{v} {table[v].type.value}") for v in loose[:3]),
                causes=tuple(vlan_cause(switch.name, v) for v in loose),
                vlans=some,
            )


@rule(
    "private/two-isolated",
    Severity.RISK,
    faults=(19,),
    looks_for="Two isolated VLANs of one primary.",
    why="A primary has one isolated VLAN. With two, platforms take the one or the other, or refuse both.",
    mend="Keep one isolated VLAN, make the other a community.",
    breaks=Example(
        _one("{600: {type: primary}, 601: {type: isolated, primary: 600}, 602: {type: isolated, primary: 600}}"),
        place="dock",
    ),
    passes=_GOOD,
)
def two_isolated(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and primary."""
    for name, tied in _tables(facts.network).items():
        switch = facts.network.switches[name]
        found: dict[Vid, list[Vid]] = defaultdict(list)
        for v, primary_of in tied.items():
            if primary_of is not None and (switch.vlans or {})[v].type is VlanType.ISOLATED:
                found[primary_of].append(v)
        for primary, isolated in found.items():
            if len(isolated) > 1:
                yield Fault(
                    place=switch.name,
                    what=f"Primary {primary} of {switch.name} has {len(isolated)} isolated VLANs, {joined(map(str, isolated))}.",
                    mend="Keep one of them, and make the other a community or an ordinary VLAN.",
                    evidence=tuple(
                        _seen(facts.network, switch.name, v, f"{v} isolated in {primary}") for v in isolated
                    ),
                    causes=tuple(Cause(switch.name, Setting.VLAN_TYPE, entry=str(v)) for v in isolated[1:]),
                    vlans=VlanSet(isolated),
                )


@rule(
    "private/missing",
    Severity.OUTAGE,
    faults=(19,),
    looks_for="A switch that knows a primary VLAN and not all its secondaries, or a secondary and not its primary, where others do.",
    why="Trunks carry primary and secondaries as ordinary VLANs. A switch on the way that lacks one lets half of the frames "
    "through: questions arrive and answers do not.",
    mend="Define the primary and all its secondaries on every switch on the way.",
    cure=table_cures.tie_private,
    breaks=Example(
        {
            **_one(_TABLE),
            "b.yaml": switch_text("pier", "{600: {type: primary}, 601: {type: isolated, primary: 600}}", "{}"),
        },
        place="pier",
    ),
    passes=_GOOD,
)
def missing(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    family = _families(network)
    for switch in network.switches.values():
        if switch.vlans is None:
            continue
        lacking: list[Vid] = []
        for primary, secondaries in family.items():
            group = {primary, *secondaries}
            if group & switch.vlans.keys():
                lacking += sorted(group - switch.vlans.keys())
        if lacking:
            some = VlanSet(lacking)
            yield Fault(
                place=switch.name,
                what=f"{switch.name} lacks {vlans(some)} of a private VLAN it carries the rest of: frames pass one way only.",
                mend=f"Define {vlans(some)} on {switch.name}, with type and primary.",
                evidence=tuple(_seen(network, switch.name, v, f"{v} not among the VLANs") for v in lacking[:3]),
                causes=tuple(vlan_cause(switch.name, v) for v in lacking),
                vlans=some,
            )


@rule(
    "private/promiscuous",
    Severity.OUTAGE,
    faults=(19,),
    looks_for="A promiscuous port that is not mapped to all secondaries of its primary.",
    why="Stations of the secondary it misses hear it and are never heard: to them the gateway is mute.",
    mend="Map the port to all secondaries.",
    cure=cures.map_secondaries,
    breaks=Example(_one(_TABLE, _PORTS.replace("'601,602'", "'601'")), place="dock:3"),
    passes=_GOOD,
)
def promiscuous(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    family = _families(network)
    for ref, port in network.rare_ports:
        own = promiscuous_of(port.switching)
        left_out = VlanSet(family.get(own.primary, ())) - own.secondaries if own else NONE
        if own and left_out:
            yield Fault(
                place=str(ref),
                what=f"{ref} is not mapped to {vlans(left_out)}: stations there hear it and are never heard.",
                mend=f"Map {ref} to {left_out} too.",
                evidence=(at(network, ref, f"mapped to {own.secondaries}", Setting.PROMISCUOUS),),
                causes=(cause(ref, Setting.PROMISCUOUS),),
                vlans=left_out,
            )


@rule(
    "private/pair",
    Severity.OUTAGE,
    faults=(19,),
    looks_for="A station's port that names a primary and a secondary which are no pair on its switch.",
    why="The port sends into a VLAN whose frames its promiscuous port never gets.",
    mend="Name a secondary that is tied to that primary.",
    breaks=Example(
        _one(_TABLE, _PORTS.replace("primary: 600, secondary: 601}}, 3", "primary: 600, secondary: 610}}, 3")),
        place="dock:1-2",
    ),
    passes=_GOOD,
)
def pair(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and pair."""
    network = facts.network
    tables = _tables(network)
    found: dict[tuple[str, Vid, Vid], list[PortRef]] = defaultdict(list)
    for ref, port in network.rare_ports:
        own = private_host_of(port.switching)
        if own and port.enabled:
            p, s = own.primary, own.secondary
            tied = tables.get(ref.switch, {})
            if tied.get(s, 0) != p and not (s in tied and tied[s] is None):
                found[ref.switch, p, s].append(ref)
    for (switch, p, s), refs in found.items():
        names = ports_text(sorted((r.port for r in refs), key=natural))
        tied = tables.get(switch, {})
        yield Fault(
            place=f"{switch}:{names}",
            what=f"{switch}:{names} {'are' if len(refs) > 1 else 'is'} in {s} of {p}, but {s} is no secondary of {p} on {switch}.",
            mend=f"Name a secondary of {p}: {joined(str(v) for v, t in tied.items() if t == p) or 'none is defined there yet'}.",
            evidence=(at(network, refs[0], f"{s} in {p}", Setting.PRIVATE),),
            causes=(vlan_cause(switch, s), *(cause(r, Setting.PRIVATE) for r in refs)),
            vlans=VlanSet([s]),
            ports=len(refs),
        )
