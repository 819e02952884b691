"""Cures that may be certain: for a finding, steps that would put right what it blames, chosen by what is right elsewhere.

Whether one is any good is not decided here: it is tried on the campus, and kept only if it harms nothing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Final

from inkov.forwarding.cabling import Link
from inkov.forwarding.network import Network
from inkov.kinds.steps import Step
from inkov.kinds.table import access_of, allowed_list, carries_tags, negotiates, trunk_of, untagged_vlan
from inkov.model.names import PortRef, ports_text, stem
from inkov.model.switch import DOT1Q, Vlan
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Finding

Cure = tuple[Step, ...]


def cures(network: Network, finding: Finding) -> Iterator[Cure]:
    """Yields what may cure a finding, the likeliest first; nothing for what needs a person's decision."""
    make = _BY_RULE.get(finding.rule)
    if make is not None:
        yield from map(_together, make(network, finding))


def _together(cure: Cure) -> Cure:
    """Returns a cure in which ports of a switch that are set alike are one step."""
    alike: dict[tuple[str, str], list[Step]] = {}
    for step in cure:
        where = step.ports[0].switch if step.ports else step.switch
        alike.setdefault((where, repr(step.settings) if step.ports else step.what), []).append(step)
    return tuple(_one(some) for some in alike.values())


def _one(steps: list[Step]) -> Step:
    first, refs = steps[0], tuple(ref for step in steps for ref in step.ports)
    if len(refs) < 2:
        return first
    said = first.what.partition(": ")[2]
    return replace(first, what=f"{refs[0].switch}:{ports_text(r.port for r in refs)}: {said}", ports=refs)


def _link(network: Network, finding: Finding) -> Link | None:
    return next((k for k in network.links if str(k) == finding.place), None)


def _at(ref: PortRef, **settings: object) -> Step:
    said = ", ".join(f"{k} {'none' if v is None else v}" for k, v in settings.items())
    return Step(f"{ref}: {said}", (ref,), settings)


def _lists(network: Network, finding: Finding) -> Iterator[Cure]:
    """Adds to each list of a link what the other end allows and it does not."""
    if (link := _link(network, finding)) is None:
        return
    found = []
    for ref in (link.a, link.b):
        if carries_tags(network.port(ref)):
            lacks = finding.vlans - allowed_list(network.port(ref).switching)
            found += [_at(ref, allow=lacks)] if lacks else []
    if found:
        yield tuple(found)


def _left_out(network: Network, finding: Finding) -> Iterator[Cure]:
    """Adds to the lists that are to blame what they leave out."""
    found = []
    for ref in dict.fromkeys(PortRef(c.holder, c.port) for c in finding.causes if c.port):
        if network.has(ref) and carries_tags(network.port(ref)):
            lacks = finding.vlans - allowed_list(network.port(ref).switching)
            found += [_at(ref, allow=lacks)] if lacks else []
    if found:
        yield tuple(found)


def _lags(network: Network, finding: Finding) -> Iterator[Cure]:
    """Lets one end of a LAG ask."""
    if (link := _link(network, finding)) is not None:
        for ref in (link.a, link.b):
            if network.port(ref).is_lag:
                yield (_at(ref, lacp="active"),)


def _missing(network: Network, finding: Finding) -> Iterator[Cure]:
    """Defines VLANs where they are missing and others have them, named as most name them.

    One that nobody else defines is a slip before it is a VLAN to spread.
    """
    names: dict[Vid, Counter[str]] = {}
    for one in network.switches.values():
        for vid, entry in (one.vlans or {}).items():
            names.setdefault(vid, Counter())[entry.name] += 1
    places = [c.holder for c in finding.causes if c.holder in network.switches] or [finding.place]
    for place in dict.fromkeys(places):
        own = network.switches[place].vlans if place in network.switches else None
        if own is None:
            continue
        table: dict[Vid, Vlan | None] = {
            v: Vlan(v, names[v].most_common(1)[0][0])
            for v in finding.vlans
            if (v not in own or not own[v].active) and names.get(v, Counter()).total() > (v in own)
        }
        if table:
            what = f"{place}: define VLAN {VlanSet(table)}"
            yield (Step(what, switch=place, vlans=table),)


def _natives(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets both natives of a link to what most trunks have, where no user port is in that; else one end to the other's."""
    if (link := _link(network, finding)) is None:
        return
    ends = [(ref, trunk) for ref in (link.a, link.b) if (trunk := trunk_of(network.port(ref).switching))]
    if len(ends) < 2:
        return
    common = Counter(
        native for k in network.links for e in (k.a, k.b) if (native := untagged_vlan(network.port(e).switching))
    )
    usual = next((v for v, _ in common.most_common() if not network.members.get(v)), None)
    for native in dict.fromkeys([usual, *(trunk.native for _, trunk in ends)]):
        if native is not None:
            wrong = [ref for ref, trunk in ends if trunk.native != native]
            yield tuple(_at(ref, native=native) for ref in wrong)


def _trunks(network: Network, finding: Finding) -> Iterator[Cure]:
    """Makes the end of a link that is no trunk one, set as the other end is."""
    if (link := _link(network, finding)) is None:
        return
    for own, far in ((link.a, link.b), (link.b, link.a)):
        trunk = trunk_of(network.port(far).switching)
        if trunk is not None and trunk_of(network.port(own).switching) is None:
            fixed = {"mode": "trunk"} if negotiates(network.port(own)) else {}
            native = {} if trunk.native is None else {"native": trunk.native}
            yield (_at(own, **fixed, trunk=trunk.allowed, **native),)


def _stances(network: Network, finding: Finding) -> Iterator[Cure]:
    """Lets one end of a link ask."""
    if (link := _link(network, finding)) is not None:
        for ref in (link.a, link.b):
            yield (_at(ref, stance="active"),)


def _no_edges(_: Network, finding: Finding) -> Iterator[Cure]:
    """Takes the edge setting off the ports that face a switch."""
    refs = [PortRef(c.holder, c.port) for c in finding.causes if c.port]
    yield tuple(Step(f"{ref}: tree edge off", (ref,), {"tree": {"edge": False}}) for ref in refs)


def _planned(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets ports as the plan says."""
    rows = {row.port: row for row in network.campus.plan}
    found = []
    for ref in dict.fromkeys(PortRef(c.holder, c.port) for c in finding.causes if c.port):
        access = access_of(network.port(ref).switching) if network.has(ref) else None
        if ref in rows and access is not None:
            said = {"access": rows[ref].vid, "voice": rows[ref].voice}
            wanted = {
                k: v for k, v in said.items() if v is not None and v != (access.vid if k == "access" else access.voice)
            }
            found += [_at(ref, **wanted)] if wanted else []
    if found:
        yield tuple(found)


def _ports(network: Network, finding: Finding) -> list[PortRef]:
    """Returns the ports that a finding blames."""
    found = dict.fromkeys(PortRef(c.holder, c.port) for c in finding.causes if c.port)
    return [ref for ref in found if network.has(ref)]


def _as_siblings(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets ports as most of the switches that are like theirs have the same port."""
    found = []
    for ref in _ports(network, finding):
        own = network.switches[ref.switch]
        kin = [
            s.ports[ref.port].switching
            for s in network.switches.values()
            if s is not own and ref.port in s.ports and (s.role or stem(s.name)) == (own.role or stem(own.name))
        ]
        usual = Counter(kin).most_common(1)[0][0] if kin else None
        if (access := access_of(usual) if usual else None) is not None and access.vid is not None:
            voice = access_of(network.port(ref).switching)
            changes_voice = voice is not None and voice.voice != access.voice
            found.append(_at(ref, access=access.vid, **({"voice": access.voice} if changes_voice else {})))
        elif (trunk := trunk_of(usual) if usual else None) is not None:
            found.append(_at(ref, trunk=trunk.allowed, **({"native": trunk.native} if trunk.native else {})))
    if found:
        yield tuple(found)


def _voices(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets the voice VLAN that most ports of the campus have."""
    every = (access_of(p.switching) for s in network.switches.values() for p in s.ports.values())
    usual = Counter(a.voice for a in every if a is not None and a.voice not in {None, a.vid}).most_common(1)
    own = {r: a for r in _ports(network, finding) if (a := access_of(network.port(r).switching)) is not None}
    for voice, _ in usual:
        if refs := [r for r, a in own.items() if voice not in {a.vid, a.voice}]:
            yield tuple(_at(ref, voice=voice) for ref in refs)


def _missing_voices(network: Network, finding: Finding) -> Iterator[Cure]:
    """Defines a voice VLAN that others have; or else sets the one that most ports have."""
    yield from _missing(network, finding)
    yield from _voices(network, finding)


def _natives_of(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets the natives of all links that a finding blames to what most trunks have, where no user port is in that."""
    blamed = set(_ports(network, finding))
    ends = [e for k in network.links if {k.a, k.b} & blamed for e in (k.a, k.b)]
    trunks = {e: t for e in ends if (t := trunk_of(network.port(e).switching)) is not None}
    common = Counter(v for k in network.links for e in (k.a, k.b) if (v := untagged_vlan(network.port(e).switching)))
    usual = next((v for v, _ in common.most_common() if not network.members.get(v)), None)
    if usual is not None and (wrong := [e for e, t in trunks.items() if t.native != usual]):
        yield tuple(_at(e, native=usual) for e in wrong)


def _tags(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets the standard tag format where another one is set, or none."""
    ends = [e for k in network.links if str(k) == finding.place for e in (k.a, k.b)] or _ports(network, finding)
    if wrong := [e for e in ends if network.port(e).tag_format != DOT1Q]:
        yield tuple(_at(e, tags=DOT1Q) for e in wrong)


def _fixed(network: Network, finding: Finding) -> Iterator[Cure]:
    """Makes all host ports of a switch that negotiate the access ports that they are without a switch behind them."""
    switches = dict.fromkeys(ref.switch for ref in _ports(network, finding))
    refs = [r for name in switches for r in network.station_ports[name] if negotiates(network.port(r))]
    if refs:
        yield tuple(_at(ref, mode="access") for ref in refs)


def _named(network: Network, finding: Finding) -> Iterator[Cure]:
    """Gives a VLAN the name that the register has for it, or else most switches."""
    for vid in finding.vlans:
        names = Counter(e.name for s in network.switches.values() if (e := (s.vlans or {}).get(vid)) and e.name)
        said = network.campus.register.get(vid)
        name = said.name if said is not None and said.name else names.most_common(1)[0][0] if names else ""
        tables = {n: s.vlans[vid] for n, s in network.switches.items() if s.vlans is not None and vid in s.vlans}
        wrong = {n: e for n, e in tables.items() if e.name and e.name != name}
        if name and wrong:
            yield tuple(
                Step(f"{n}: name VLAN {vid} {name}", switch=n, vlans={vid: replace(e, name=name)})
                for n, e in wrong.items()
            )


_BY_RULE: Final[dict[str, Callable[[Network, Finding], Iterator[Cure]]]] = {
    "list/differs": _lists,
    "vlan/missing": _missing,
    "access/undefined": _missing,
    "voice/undefined": _missing_voices,
    "voice/same": _voices,
    "sibling/port": _as_siblings,
    "tags/differ": _tags,
    "tags/negotiated": _tags,
    "stance/invites": _fixed,
    "stance/contradicts": _fixed,
    "vlan/aliases": _named,
    "native/mismatch": _natives,
    "native/jump": _natives,
    "native/users": _natives_of,
    "native/default": _natives,
    "trunk/one-sided": _trunks,
    "stance/both-wait": _stances,
    "stance/one-sided": _trunks,
    "lag/unformed": _lags,
    "vlan/islands": _left_out,
    "ring/cut": _left_out,
    "edge/on-link": _no_edges,
    "plan/port": _planned,
}
"""Rules whose findings have a cure that may be certain."""

CURABLE: Final = frozenset(_BY_RULE)
