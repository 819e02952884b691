"""Ports nobody uses: they should be shut, in a VLAN that leads nowhere."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import reduce
from operator import or_

from inkov.kinds.kind import Faces
from inkov.kinds.table import kind, memberships, untagged_vlan
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.vlanset import Vid, VlanSet
from inkov.plan.parking import parking
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.pairs import PLACE, pair
from inkov.rules.registry import Example, Facts, Option, rule, switch_text
from inkov.rules.wording import at, by_switch, cause, count, joined, says_unused, vlans

_PORTS = "{{1-2: {{access: 310, label: tank}}, 3-4: {}}}"


@rule(
    "spare/open",
    Severity.TIDY,
    faults=(9,),
    looks_for="Ports that are enabled, have no link, no host and no label, on a switch most of whose ports are labelled.",
    why="Whoever finds the socket is on the network, in whatever VLAN the port was left in.",
    mend="Shut such ports and put them into the parking VLAN, or label them as what they are for.",
    breaks=Example(
        {"a.yaml": switch_text("archive", "{310: tank-sensors}", _PORTS.format("{access: 310}"))}, place="archive:3-4"
    ),
    passes=Example(
        {
            "a.yaml": switch_text(
                "archive", "{310: tank-sensors, 999: parking}", _PORTS.format("{access: 999, enabled: false}")
            )
        }
    ),
)
def unused(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    lot = parking(facts.network)
    for name, refs in _faceless(facts, Faces.STATION, Faces.ANYONE):
        yield _unused(facts, name, refs, lot)


def _faceless(facts: Facts, *faces: Faces) -> Iterator[tuple[str, list[PortRef]]]:
    """Yields ports for some purpose that nothing is known to be behind, by switch, where its other ports are labelled."""
    network = facts.network
    taken = {h.port for h in network.campus.hosts.values()} | {o.port for o in network.cabling.outside}
    for name, refs in network.edge_ports.items():
        ports = network.switches[name].ports
        labelled = [r for r in refs if (label := ports[r.port].label) and not says_unused(label)]
        if 2 * len(labelled) < len(refs):  # where most have none, a missing label is no sign of anything
            continue
        if found := [
            r
            for r in refs
            if r not in taken and says_unused(ports[r.port].label) and kind(ports[r.port].switching).faces in faces
        ]:
            yield name, found


def _unused(facts: Facts, name: str, found: list[PortRef], lot: Vid | None) -> Fault:
    network = facts.network
    names = ports_text([r.port for r in found])
    inside: dict[Vid, int] = defaultdict(int)
    for ref in found:
        if (vid := untagged_vlan(network.port(ref).switching)) is not None:
            inside[vid] += 1
    one = len(found) == 1
    where = f" and put {'it' if one else 'them'} into VLAN {lot}" if lot is not None else ""
    return Fault(
        place=f"{name}:{names}",
        what=f"{count(len(found), 'port')} of {name} ({names}) {'is' if one else 'are'} enabled with no link, host or label, in VLAN "
        f"{VlanSet(inside)}: whoever finds the socket is in.",
        mend=f"Shut {name}:{names}{where}, or label what {'it is' if one else 'they are'} for.",
        evidence=tuple(at(network, r, "enabled", Setting.ENABLED) for r in found[:2]),
        causes=tuple(
            cause(r, key) for key in (Setting.UNUSED, Setting.ACCESS, Setting.MODE) for r in found
        ),  # who says more goes first
        vlans=VlanSet(inside),
    )


@rule(
    "spare/trunk",
    Severity.RISK,
    faults=(9,),
    looks_for="Trunks that are enabled, have no link, no host and no label, on a switch most of whose ports are labelled.",
    why="Whoever plugs in there is in every VLAN of the list at once. A trunk to a station that needs one has somebody's label.",
    mend="Shut such a trunk, make it an access port, or label it as what it is for.",
    cure=cures.shut_unused,
    breaks=Example(
        {"a.yaml": switch_text("archive", "{310: tank-sensors}", _PORTS.format("{trunk: 310, native: none}"))},
        place="archive:3-4",
    ),
    passes=Example(
        {
            "a.yaml": switch_text(
                "archive", "{310: tank-sensors}", _PORTS.format("{trunk: 310, native: none, label: wifi}")
            )
        }
    ),
)
def open_trunk(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    for name, every in _faceless(facts, Faces.TAGS):
        refs = [r for r in every if network.active(name) & memberships(network.port(r).switching)]
        if refs:
            offered = VlanSet.from_mask(
                network.active(name) & reduce(or_, (memberships(network.port(r).switching) for r in refs))
            )
            one, names = len(refs) == 1, ports_text([r.port for r in refs])
            yield Fault(
                place=f"{name}:{names}",
                what=f"{name}:{names} {'is an enabled trunk' if one else 'are enabled trunks'} with no link, host or label: whoever plugs in "
                f"is in {vlans(offered)}.",
                mend=f"Shut {name}:{names}, or label what {'it is' if one else 'they are'} for.",
                evidence=tuple(at(network, r, "enabled", Setting.ENABLED) for r in refs[:2]),
                causes=tuple(cause(r, key) for key in (Setting.UNUSED, Setting.MODE) for r in refs),
                vlans=offered,
                ports=len(refs),
            )


_LEFT = "{310: tank-sensors}", "{1: {access: 310, label: tank}}"
_EXPORT = """{"openconfig-system:system": {"config": {"hostname": "boat"}}, "openconfig-interfaces:interfaces": {"interface": [
%s
]}}
"""
_SOCKET = '{"name": "%d", "config": {"name": "%d", "type": "ethernetCsmacd", "enabled": %s}}'
_LEAST = Option("least", 4, 1, 1000, "so many ports of a switch at least must be untouched")


def _sockets(enabled: str) -> Example:
    rows = ",\n".join(_SOCKET % (n, n, enabled) for n in range(1, 7))
    files = {"boat.json": _EXPORT % rows, "a.yaml": switch_text("archive", *_LEFT)}
    return Example(files, "" if enabled == "false" else "boat:1-6")


@rule(
    "spare/untouched",
    Severity.RISK,
    faults=(9,),
    looks_for="Ports of a switch that are enabled, face nothing, and were never configured: neither a mode nor a label is set.",
    why="What such a port does is left to its platform. Most put it into the default VLAN; some make it a trunk for anyone who "
    "asks, who then has every VLAN of the switch.",
    mend="Shut the ports nobody uses, and put them into the parking VLAN.",
    breaks=_sockets("true"),
    passes=_sockets("false"),
    options=(_LEAST,),
)
def untouched(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch; where several have the very same ports untouched, one for these, and it is housekeeping."""
    network = facts.network
    found: dict[str, list[PortRef]] = {}
    for name, refs in network.edge_ports.items():
        ports = network.switches[name].ports
        bare = [r for r in refs if kind(ports[r.port].switching).faces is Faces.UNKNOWN and not ports[r.port].label]
        if len(bare) >= facts.option("spare/untouched", "least"):
            found[name] = bare
    alike: dict[tuple[str, ...], list[str]] = defaultdict(list)
    for name, bare in found.items():
        alike[tuple(r.port for r in bare)].append(name)
    for names in alike.values():
        usual = len(names) > _FEW
        yield from (
            _left_as_they_came(facts, found, some, usual=usual) for some in ([names] if usual else [[n] for n in names])
        )


_FEW = 2
"""More switches with the very same ports untouched than this are a custom, not a slip."""


def _left_as_they_came(facts: Facts, found: dict[str, list[PortRef]], names: list[str], *, usual: bool) -> Fault:
    network = facts.network
    refs = [r for n in names for r in found[n]]
    offered = VlanSet.from_mask(reduce(or_, (network.active(n) for n in names)) & network.inhabited)
    where = f"{names[0]}:{ports_text([r.port for r in refs])}" if len(names) == 1 else joined(names)
    return Fault(
        severity=Severity.TIDY if usual else Severity.RISK,
        place=where,
        what=f"{count(len(refs), 'port')} of {joined(names)} {'is' if len(refs) == 1 else 'are'} enabled and nobody configured "
        f"{'it' if len(refs) == 1 else 'them'}: whoever plugs in is in the default VLAN, and a switch of somebody's own may get "
        f"{f'all of {vlans(offered)}' if offered else 'whatever is there'}.",
        mend=f"Shut {'it' if len(refs) == 1 else 'them'}, or set what {'it is' if len(refs) == 1 else 'they are'} for.",
        evidence=tuple(at(network, r, "enabled, no mode", Setting.ENABLED) for r in refs[:2]),
        causes=tuple(cause(r, Setting.MODE) for r in refs),
        ports=len(refs),
    )


_PARKED = "{{trunk: '310,330{}'}}"


def _parked(more: str) -> dict[str, str]:
    trunk = _PARKED.format(more)
    return {
        n: t.replace("2: {access: 330}", "2: {access: 330}, 3: {access: 999, enabled: false}").replace(
            "}\nports", ", 999: parking}\nports"
        )
        for n, t in pair(trunk, trunk).items()
    }


@rule(
    "spare/carried",
    Severity.TIDY,
    faults=(9,),
    looks_for="The parking VLAN on a trunk between switches.",
    why="It is to lead nowhere. Carried from switch to switch, it joins all ports that are parked in it, and one that is "
    "enabled by mistake is joined to all others.",
    mend="Take the parking VLAN off the lists.",
    breaks=Example(_parked(",999"), place=PLACE),
    passes=Example(_parked("")),
)
def carried(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    lot = parking(facts.network)
    if lot is None:
        return
    for link in network.joins:
        if network.passes(link) >> lot & 1:
            yield Fault(
                place=str(link),
                what=f"The parking VLAN {lot} crosses {link}: ports parked on one switch are joined to those on the next.",
                mend=f"Take {lot} off the lists of {link.a} and {link.b}.",
                evidence=tuple(at(network, e, f"allows {lot}", Setting.ALLOWED) for e in (link.a, link.b)),
                causes=tuple(cause(e, key) for key in (Setting.PARKING, Setting.OPEN_LIST) for e in (link.a, link.b)),
                vlans=VlanSet([lot]),
            )


@rule(
    "spare/parked",
    Severity.RISK,
    faults=(9,),
    looks_for="Enabled ports in the parking VLAN that the campus file states.",
    why="A port is parked because nobody is to use it. One that is on gives whoever plugs in a network, with all others like it.",
    mend="Shut such ports, or put them into the VLAN of whoever uses them.",
    cure=cures.shut_unused,
    breaks=Example(
        {
            "a.yaml": switch_text("archive", "{310: tanks, 999: parking}", "{1-2: {access: 310}, 3-4: {access: 999}}"),
            "campus.yaml": "inkov: campus\nname: x\nparking: 999\n",
        },
        place="archive:3-4",
    ),
    passes=Example(
        {
            "a.yaml": switch_text(
                "archive", "{310: tanks, 999: parking}", "{1-2: {access: 310}, 3-4: {access: 999, enabled: false}}"
            ),
            "campus.yaml": "inkov: campus\nname: x\nparking: 999\n",
        }
    ),
)
def parked(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for the campus; ports with a label that their siblings use are told by `sibling/shut`."""
    network, lot = facts.network, facts.network.campus.parking
    if lot is None:
        return
    homes = network.members.get(lot, {})
    found = {
        name: refs
        for name, some in homes.items()
        if (refs := [r for r in some if says_unused(network.port(r).label) and r not in network.cabled])
    }
    refs = [r for some in found.values() for r in some]
    if refs:
        one = len(refs) == 1
        yield Fault(
            place=by_switch(found),
            what=f"{count(len(refs), 'port')} in the parking VLAN {lot} {'is' if one else 'are'} enabled: whoever plugs in has a "
            "network that nobody watches.",
            mend=f"Shut {by_switch(found)}, or put {'it' if one else 'them'} into the VLAN of whoever uses {'it' if one else 'them'}.",
            evidence=tuple(at(network, r, "enabled", Setting.ENABLED) for r in refs[:3]),
            causes=tuple(cause(r, key) for key in (Setting.UNUSED, Setting.ACCESS, Setting.MODE) for r in refs),
            vlans=VlanSet([lot]),
            ports=len(refs),
            follows=True,
        )
