"""Cures that may be certain: for a finding, steps that would put right what it blames, chosen by what is right elsewhere.

Whether one is any good is not decided here: it is tried on the campus, and kept only if it harms nothing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterator
from dataclasses import replace

from inkov.forwarding.cabling import Link
from inkov.forwarding.network import Network
from inkov.kinds.table import (
    access_of,
    allowed_list,
    carries_tags,
    kind,
    negotiates,
    promiscuous_of,
    trunk_of,
    untagged_vlan,
)
from inkov.model.names import PortRef, ports_text, stem
from inkov.model.settings import Setting
from inkov.model.switch import DOT1Q, Lacp, Stance, Switching
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Cure, Finding
from inkov.rules.table_cures import define_missing
from inkov.rules.wording import says_unused
from inkov.steps.settings import KEEP, PortChange, TreeChange, words
from inkov.steps.steps import SetPorts, Step


def together(cure: Cure) -> Cure:
    """Returns a cure in which ports of a switch that are set alike are one step."""
    alike: dict[Hashable, list[SetPorts]] = {}
    others: list[Step] = []
    for step in cure:
        if isinstance(step, SetPorts):
            alike.setdefault((step.ports[0].switch, step.settings), []).append(step)
        else:
            others.append(step)
    return (*map(_one, alike.values()), *others)


def _one(steps: list[SetPorts]) -> SetPorts:
    first, refs = steps[0], tuple(ref for step in steps for ref in step.ports)
    if len(refs) < 2:
        return first
    said = first.what.partition(": ")[2]
    return replace(first, what=f"{refs[0].switch}:{ports_text(r.port for r in refs)}: {said}", ports=refs)


def _link(network: Network, finding: Finding) -> Link | None:
    return network.link_called.get(finding.place)


def set_at(ref: PortRef, settings: PortChange) -> SetPorts:
    """Returns the step that changes settings of a port."""
    return SetPorts(what=f"{ref}: {words(settings)}", ports=(ref,), settings=settings)


def made_into(ref: PortRef, switching: Switching) -> SetPorts:
    """Returns the step that makes a port something else, whole."""
    what = f"{ref}: {kind(switching).words(switching)}"
    return SetPorts(what=what, ports=(ref,), settings=PortChange(switching=switching))


def extend_lists(network: Network, finding: Finding) -> Iterator[Cure]:
    """Adds to each list what others need of it and it leaves out; where nobody needs it, takes it off the longer list."""
    if (link := _link(network, finding)) is None:
        cabled = {end for k in network.links for end in (k.a, k.b)}
        if cabled.issuperset(_ports(network, finding)):  # a row of links, none of which labels alone name
            yield from add_left_out(network, finding)
        return
    if not finding.parts and not finding.vlans & VlanSet.from_mask(network.needs.needed(link)):
        yield from shorten_lists(network, link)
        return
    found = []
    for ref in (link.a, link.b):
        if carries_tags(network.port(ref)):
            lacks = finding.vlans - allowed_list(network.port(ref).switching)
            found += [set_at(ref, PortChange(allow=lacks))] if lacks else []
    if found:
        yield tuple(found)


def shorten_lists(network: Network, link: Link) -> Iterator[Cure]:
    """Sets the longer list of a link to what both ends allow; frames of the others never crossed."""
    a, b = (trunk_of(network.port(ref).switching) for ref in (link.a, link.b))
    if a is not None and b is not None and (both := a.allowed & b.allowed):
        ends = [ref for ref, own in ((link.a, a), (link.b, b)) if own.allowed != both]
        yield tuple(set_at(ref, PortChange(trunk=both)) for ref in ends)


def add_left_out(network: Network, finding: Finding) -> Iterator[Cure]:
    """Adds to the lists that are to blame what they leave out."""
    found = []
    for ref in dict.fromkeys(PortRef(c.holder, c.port) for c in finding.causes if c.port):
        if network.has(ref) and carries_tags(network.port(ref)):
            lacks = finding.vlans - allowed_list(network.port(ref).switching)
            found += [set_at(ref, PortChange(allow=lacks))] if lacks else []
    if found:
        yield tuple(found)


def carry_round(network: Network, finding: Finding) -> Iterator[Cure]:
    """Adds to the lists of a link what they leave out, or takes a native VLAN off that only one end has."""
    yield from add_left_out(network, finding)
    if (link := _link(network, finding)) is not None:
        trunks = [(ref, trunk_of(network.port(ref).switching)) for ref in (link.a, link.b)]
        natives = [(ref, t.native) for ref, t in trunks if t is not None and t.native is not None]
        if len(natives) == 1 and natives[0][1] in finding.vlans and None not in [t for _, t in trunks]:
            yield (set_at(natives[0][0], PortChange(native=None)),)


def carry_or_define(network: Network, finding: Finding) -> Iterator[Cure]:
    """Adds to the lists that are to blame what they leave out, or defines it where it is missing."""
    yield from add_left_out(network, finding)
    yield from define_on_the_way(
        network, replace(finding, causes=tuple(c for c in finding.causes if c.setting is Setting.VLANS))
    )


def define_on_the_way(network: Network, finding: Finding) -> Iterator[Cure]:
    """Defines VLANs where they are missing; with that, adds them to lists at links there that leave them out at one end."""
    places = {c.holder for c in finding.causes}
    for cure in define_missing(network, finding):
        yield cure
        lists = []
        for link in network.joins:
            if {link.a.switch, link.b.switch} & places:
                allowed = [allowed_list(network.port(e).switching) & finding.vlans for e in (link.a, link.b)]
                lacks = zip((link.a, link.b), (allowed[1] - allowed[0], allowed[0] - allowed[1]), strict=True)
                lists += [
                    set_at(e, PortChange(allow=more)) for e, more in lacks if more and carries_tags(network.port(e))
                ]
        if lists:
            yield (*cure, *lists)


def let_a_lag_ask(network: Network, finding: Finding) -> Iterator[Cure]:
    """Lets one end of a LAG ask."""
    if (link := _link(network, finding)) is not None:
        for ref in (link.a, link.b):
            if network.port(ref).is_lag:
                yield (set_at(ref, PortChange(lacp=Lacp.ACTIVE)),)


def _usual_native(network: Network) -> Vid | None:
    """Returns the native VLAN that most ends of links have and no user port is in."""
    common = Counter(v for k in network.links for e in (k.a, k.b) if (v := untagged_vlan(network.port(e).switching)))
    return next((v for v, _ in common.most_common() if not network.members.get(v)), None)


def set_natives(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets both natives of a link to what most trunks have, or to none where one end is in use; else one end to the other's."""
    if (link := _link(network, finding)) is None:
        return
    ends = [(ref, trunk) for ref in (link.a, link.b) if (trunk := trunk_of(network.port(ref).switching))]
    if len(ends) < 2:
        return
    trunks = [t for k in network.links for e in (k.a, k.b) if (t := trunk_of(network.port(e).switching)) is not None]
    used = any(network.live_members(t.native) for _, t in ends if t.native)
    here, all_ = ([t.native is None and t.native_stated for t in some] for some in ([t for _, t in ends], trunks))
    if 2 * sum(all_) > len(all_) or (used and any(here)):
        yield tuple(set_at(ref, PortChange(native=None)) for ref, trunk in ends if trunk.native is not None)
    for native in dict.fromkeys([_usual_native(network), *(trunk.native for _, trunk in ends)]):
        if native is not None:
            wrong = [ref for ref, trunk in ends if trunk.native != native]
            yield tuple(set_at(ref, PortChange(native=native)) for ref in wrong)


def make_the_other_end_a_trunk(network: Network, finding: Finding) -> Iterator[Cure]:
    """Makes the end of a link that is no trunk one, set as the other end is."""
    if (link := _link(network, finding)) is None:
        return
    for own, far in ((link.a, link.b), (link.b, link.a)):
        trunk = trunk_of(network.port(far).switching)
        if trunk is not None and trunk_of(network.port(own).switching) is None:
            mode = "trunk" if negotiates(network.port(own)) else KEEP
            native = KEEP if trunk.native is None else trunk.native
            yield (set_at(own, PortChange(mode=mode, trunk=trunk.allowed, native=native)),)


def let_one_end_ask(network: Network, finding: Finding) -> Iterator[Cure]:
    """Lets one end of a link ask."""
    if (link := _link(network, finding)) is not None:
        for ref in (link.a, link.b):
            yield (set_at(ref, PortChange(stance=Stance.ACTIVE)),)


def make_both_ends_trunks(network: Network, finding: Finding) -> Iterator[Cure]:
    """Makes both ends of a link trunks that carry what cannot cross, beside what does; not of a patch beside other ways."""
    link, native = _link(network, finding), _usual_native(network)
    if link is None or native is None or network.needs.ring(link):
        return
    ends = {e: a for e in (link.a, link.b) if (a := access_of(network.port(e).switching)) is not None}
    if len(ends) == 2:
        carried = finding.vlans | VlanSet({native, *(a.vid for a in ends.values() if a.vid is not None)})
        yield tuple(set_at(e, PortChange(trunk=carried, native=native)) for e in ends)


def fix_trunks(network: Network, finding: Finding) -> Iterator[Cure]:
    """Makes the ends of a link that negotiate the trunks that they would agree on."""
    if (link := _link(network, finding)) is not None:
        ends = [e for e in (link.a, link.b) if negotiates(network.port(e))]
        if ends:
            yield tuple(set_at(e, PortChange(mode="trunk")) for e in ends)


def take_edges_off(network: Network, finding: Finding) -> Iterator[Cure]:
    """Takes the edge setting off the ports that face a switch; two sockets that somebody patched are to be edge ports again."""
    refs = [PortRef(c.holder, c.port) for c in finding.causes if c.port]
    link = _link(network, finding)
    if link is not None and all(access_of(network.port(e).switching) for e in (link.a, link.b)):
        return
    yield tuple(set_at(ref, PortChange(tree=TreeChange(edge=False))) for ref in refs)


def set_as_planned(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets ports as the plan says."""
    rows = {row.port: row for row in network.campus.plan}
    found = []
    for ref in dict.fromkeys(PortRef(c.holder, c.port) for c in finding.causes if c.port):
        access = access_of(network.port(ref).switching) if network.has(ref) else None
        if ref in rows and access is not None:
            vid, voice = rows[ref].vid, rows[ref].voice
            wanted = PortChange(
                access=KEEP if vid in {None, access.vid} else vid or KEEP,
                voice=KEEP if voice in {None, access.voice} else voice,
            )
            found += [set_at(ref, wanted)] if wanted else []
    if found:
        yield tuple(found)


def _ports(network: Network, finding: Finding) -> list[PortRef]:
    """Returns the ports that a finding blames."""
    found = dict.fromkeys(PortRef(c.holder, c.port) for c in finding.causes if c.port)
    return [ref for ref in found if network.has(ref)]


def set_as_siblings(network: Network, finding: Finding) -> Iterator[Cure]:
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
            found.append(set_at(ref, PortChange(access=access.vid, voice=access.voice if changes_voice else KEEP)))
        elif (trunk := trunk_of(usual) if usual else None) is not None:
            found.append(set_at(ref, PortChange(trunk=trunk.allowed, native=trunk.native or KEEP)))
    if found:
        yield tuple(found)


def set_usual_voice(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets the voice VLAN that most ports of the campus have."""
    every = (access_of(p.switching) for s in network.switches.values() for p in s.ports.values())
    usual = Counter(a.voice for a in every if a is not None and a.voice not in {None, a.vid}).most_common(1)
    own = {r: a for r in _ports(network, finding) if (a := access_of(network.port(r).switching)) is not None}
    for voice, _ in usual:
        if refs := [r for r, a in own.items() if voice not in {a.vid, a.voice}]:
            yield tuple(set_at(ref, PortChange(voice=voice)) for ref in refs)


def define_or_set_voice(network: Network, finding: Finding) -> Iterator[Cure]:
    """Defines a voice VLAN that others have; or else sets the one that most ports have."""
    yield from define_missing(network, finding)
    yield from set_usual_voice(network, finding)


def set_natives_of_blamed(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets the natives of all links that a finding blames to what most trunks have, where no user port is in that."""
    blamed = set(_ports(network, finding))
    ends = [e for k in network.links if {k.a, k.b} & blamed for e in (k.a, k.b)]
    trunks = {e: t for e in ends if (t := trunk_of(network.port(e).switching)) is not None}
    usual = _usual_native(network)
    if usual is not None and (wrong := [e for e, t in trunks.items() if t.native != usual]):
        yield tuple(set_at(e, PortChange(native=usual)) for e in wrong)


def set_standard_tags(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets the standard tag format where another one is set, or none."""
    ends = [e for k in network.links if str(k) == finding.place for e in (k.a, k.b)] or _ports(network, finding)
    if wrong := [e for e in ends if network.port(e).tag_format != DOT1Q]:
        yield tuple(set_at(e, PortChange(tags=DOT1Q)) for e in wrong)


def fix_access_ports(network: Network, finding: Finding) -> Iterator[Cure]:
    """Makes all host ports of a switch that negotiate the access ports that they are without a switch behind them."""
    switches = dict.fromkeys(ref.switch for ref in _ports(network, finding))
    refs = [r for name in switches for r in network.station_ports[name] if negotiates(network.port(r))]
    if refs:
        yield tuple(set_at(ref, PortChange(mode="access")) for ref in refs)


def _slips(network: Network, finding: Finding) -> Iterator[Cure]:
    """Puts a port whose VLAN nobody defines into that of the ports beside it, if it is the only one a slip of the finger away."""
    refs = _ports(network, finding)
    vids = {a.vid for r in refs if (a := access_of(network.port(r).switching)) is not None}
    if len(vids) != 1 or not refs or len({r.switch for r in refs}) != 1:
        return
    ports = network.switches[refs[0].switch].ports
    names = list(ports)
    at = [names.index(r.port) for r in refs]
    beside = {
        a.vid
        for i in (min(at) - 1, max(at) + 1)
        if 0 <= i < len(names) and (a := access_of(ports[names[i]].switching)) is not None
    }
    (own,) = vids
    near = [v for v in network.members if v != own and network.live_members(v) and _one_slip(str(own), str(v))]
    if len(near) == 1 and beside == set(near):
        yield tuple(set_at(r, PortChange(access=near[0])) for r in refs)


def _one_slip(typed: str, meant: str) -> bool:
    """Tells whether one digit too many, too few, wrong, or two that changed places make one number of another."""
    if len(typed) == len(meant):
        wrong = [i for i, (a, b) in enumerate(zip(typed, meant, strict=True)) if a != b]
        swapped = len(wrong) == 2 and wrong[1] == wrong[0] + 1 and sorted(typed) == sorted(meant)
        return len(wrong) == 1 or swapped
    longer, shorter = sorted((typed, meant), key=len, reverse=True)
    return any(longer[:i] + longer[i + 1 :] == shorter for i in range(len(longer)))


def define_or_mend_slip(network: Network, finding: Finding) -> Iterator[Cure]:
    """Defines a VLAN that others have; or else mends a slip."""
    yield from define_missing(network, finding)
    yield from _slips(network, finding)


def put_into_lag(network: Network, finding: Finding) -> Iterator[Cure]:
    """Puts ports into the LAG in which the other cables of the far LAG end."""
    own = PortRef.parse(finding.place)
    for link in network.links_at.get(own.switch, ()) if own else ():
        far = link.b if link.a == own else link.a
        if own in {link.a, link.b} and network.port(far).is_lag:
            odd = [r for r in _ports(network, finding) if r.switch == far.switch and not network.port(r).is_lag]
            if odd:
                yield tuple(set_at(r, PortChange(lag=far.port)) for r in odd)
            return


def turn_members_on(network: Network, finding: Finding) -> Iterator[Cure]:
    """Turns on the members of a LAG that are off while others are on, where their cables end in the LAG at the other end."""
    refs = [r for r in _ports(network, finding) if not network.port(r).enabled]
    links = [k for k in network.links if finding.place in {str(k.a), str(k.b)}]
    cabled = {end for link in links for wire in link.wires for end in (wire.a, wire.b)}
    if refs and cabled.issuperset(refs):
        yield tuple(set_at(r, PortChange(enabled=True)) for r in refs)


def open_lists_or_ports(network: Network, finding: Finding) -> Iterator[Cure]:
    """Adds to lists what they leave out; or opens the shut ports that part a VLAN."""
    yield from add_left_out(network, finding)
    shut = [r for r in _ports(network, finding) if not network.port(r).enabled]
    members = (PortRef(r.switch, m) for r in shut for m in network.port(r).members)
    shut += [m for m in members if not network.port(m).enabled]
    if shut:
        yield tuple(set_at(r, PortChange(enabled=True)) for r in dict.fromkeys(shut))


def shut_unused(network: Network, finding: Finding) -> Iterator[Cure]:
    """Shuts ports that say themselves that nobody uses them."""
    refs = _ports(network, finding)
    if refs and all(says_unused(network.port(r).label) for r in refs):
        yield tuple(set_at(r, PortChange(enabled=False)) for r in refs)


def make_edges(network: Network, finding: Finding) -> Iterator[Cure]:
    """Makes host ports edge ports."""
    refs = _ports(network, finding)
    if refs:
        yield tuple(set_at(ref, PortChange(tree=TreeChange(edge=True))) for ref in refs)


def open_shut(network: Network, finding: Finding) -> Iterator[Cure]:
    """Turns ports on that are shut."""
    refs = [ref for ref in _ports(network, finding) if not network.port(ref).enabled]
    if refs:
        yield tuple(set_at(ref, PortChange(enabled=True)) for ref in refs)


def map_secondaries(network: Network, finding: Finding) -> Iterator[Cure]:
    """Maps a promiscuous port to all secondaries of its primary."""
    for ref in _ports(network, finding):
        own = promiscuous_of(network.port(ref).switching)
        if own is not None:
            yield (set_at(ref, PortChange(secondaries=own.secondaries | finding.vlans)),)
