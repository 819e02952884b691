"""Voice VLANs: the tagged VLAN of a phone in front of a station."""

from __future__ import annotations

import json
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator

from inkov.kinds.accounts import is_stated
from inkov.kinds.relay import View
from inkov.kinds.table import access_of, mode_setting, setting_words
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import Access, Neighbour
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, count, named, vlan_cause
from inkov.steps.settings import PortChange


def _one(ports: str) -> dict[str, str]:
    return {"a.yaml": switch_text("archive", "{340: research, 390: phones}", ports)}


_GOOD = Example(_one("{1-2: {access: 340, voice: 390}}"))


def _ports(facts: Facts, wrong: Callable[[str, Access], bool]) -> Iterator[tuple[str, Vid, list[PortRef]]]:
    """Yields (switch, voice VLAN, enabled ports) where a port's voice VLAN is wrong."""
    found: dict[tuple[str, Vid], list[PortRef]] = defaultdict(list)
    for ref, port in facts.network.rare_ports:
        s = access_of(port.switching)
        if port.enabled and s and s.voice is not None and wrong(ref.switch, s):
            found[ref.switch, s.voice].append(ref)
    for (switch, vid), refs in found.items():
        yield switch, vid, refs


@rule(
    "voice/undefined",
    Severity.OUTAGE,
    faults=(5,),
    looks_for="Ports whose voice VLAN their own switch does not define, or has suspended.",
    why="The phone is told to tag its frames with a VLAN that ends at the port: it has power and no line.",
    mend="Define the voice VLAN on that switch.",
    cure=cures.define_or_set_voice,
    breaks=Example(_one("{1-2: {access: 340, voice: 395}}"), place="archive:1-2"),
    passes=_GOOD,
)
def undefined(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and VLAN."""
    network = facts.network
    for switch, vid, refs in _ports(facts, lambda name, s: not network.active(name) >> (s.voice or 0) & 1):
        names = ports_text([r.port for r in refs])
        yield Fault(
            place=f"{switch}:{names}",
            what=f"The phones on {count(len(refs), 'port')} of {switch} ({names}) are told VLAN {vid}, which {switch} does not relay.",
            mend=f"Define VLAN {vid} on {switch}, or set the voice VLAN that was meant.",
            evidence=(at(network, refs[0], f"voice {vid}", Setting.VOICE),),
            causes=(vlan_cause(switch, vid), *(cause(r, Setting.VOICE) for r in refs)),
            vlans=VlanSet([vid]),
            ports=len(refs),
        )


@rule(
    "voice/same",
    Severity.RISK,
    looks_for="Ports whose voice VLAN is their data VLAN.",
    why="Phone and station then share a VLAN, and frames of one VLAN leave tagged for one and untagged for the other.",
    mend="Give the phones a VLAN of their own.",
    cure=cures.set_usual_voice,
    breaks=Example(_one("{1: {access: 340, voice: 340}}"), place="archive:1"),
    passes=_GOOD,
)
def same(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and VLAN."""
    for switch, vid, refs in _ports(facts, lambda _, s: s.voice == s.vid):
        names = ports_text([r.port for r in refs])
        yield Fault(
            place=f"{switch}:{names}",
            what=f"Phones and stations on {switch}:{names} share {named(facts.network, vid)}: it is the voice and the data VLAN.",
            mend="Set the voice VLAN of the phones.",
            evidence=(at(facts.network, refs[0], f"voice {vid}", Setting.VOICE),),
            causes=tuple(cause(r, Setting.VOICE) for r in refs),
            vlans=VlanSet([vid]),
            ports=len(refs),
        )


@rule(
    "voice/trunk",
    Severity.RISK,
    faults=(21,),
    looks_for="A voice VLAN on a trunk.",
    why="A voice VLAN is for a phone in front of one station. On a trunk it does nothing, or not what was meant.",
    mend="Take the voice VLAN off the trunk, or make the port an access port.",
    breaks=Example(_one("{1: {trunk: '340,390', voice: 390}}"), place="archive:1"),
    passes=Example(_one("{1: {trunk: '340,390'}}")),
)
def trunk(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    for switch in facts.network.switches.values():
        for port in switch.ports.values():
            if port.origin.states(Setting.VOICE) and port.origin.states(Setting.ALLOWED) and port.enabled:
                ref = PortRef(switch.name, port.name)
                yield Fault(
                    place=str(ref),
                    what=f"{ref} is a trunk with a voice VLAN, which is for a phone in front of one station.",
                    mend=f"Take the voice VLAN off {ref}, or make it an access port.",
                    evidence=(at(facts.network, ref, "voice VLAN", Setting.VOICE),),
                    causes=(cause(ref, Setting.VOICE),),
                )


_WALK = """.1.3.6.1.2.1.1.5.0 = STRING: "archive"
.1.3.6.1.2.1.31.1.1.1.1.1 = STRING: "1"
.1.0.8802.1.1.2.1.3.7.1.2.1 = INTEGER: 5
.1.0.8802.1.1.2.1.3.7.1.3.1 = STRING: "1"
.1.0.8802.1.1.2.1.4.1.1.7.9.1.1 = STRING: "p1"
.1.0.8802.1.1.2.1.4.1.1.9.9.1.1 = STRING: "phone-7"
.1.0.8802.1.1.2.1.4.1.1.12.9.1.1 = Hex-STRING: 24
.1.0.8802.1.1.2.1.5.4795.1.3.2.1.2.9.1.1.1 = INTEGER: 390
.1.0.8802.1.1.2.1.5.4795.1.3.2.1.5.9.1.1.1 = INTEGER: 2
.1.0.8802.1.1.2.1.5.4795.1.3.2.1.6.9.1.1.1 = INTEGER: 1
"""


@rule(
    "voice/heard",
    Severity.OUTAGE,
    faults=(5,),
    looks_for="A phone that announces to send its voice tagged, in a VLAN that its port does not carry tagged.",
    why="What the phone sends ends at the port: it has power and no line.",
    mend="Set the voice VLAN of the port, or that of the phone.",
    breaks=Example({**_one("{1: {access: 340}}"), "archive.walk": _WALK}, place="archive:1"),
    passes=Example({**_one("{1: {access: 340, voice: 390}}"), "archive.walk": _WALK}),
)
def heard_voice(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    for switch in network.switches.values():
        for heard in switch.heard:
            port = switch.ports.get(heard.port)
            if heard.voice is None or port is None or not port.enabled or not is_stated(port.switching):
                continue
            ref = PortRef(switch.name, port.lag if port.lag and port.lag in switch.ports else port.name)
            relay = network.relay(ref, View.USUAL)
            if relay.takes_tagged >> heard.voice & 1 and relay.sends_tagged >> heard.voice & 1:
                continue
            who = heard.system or heard.chassis or "The phone"
            yield Fault(
                place=str(ref),
                what=f"{who} at {ref} sends voice tagged {heard.voice}, which {ref} does not carry tagged: it has no line.",
                mend=f"Set voice VLAN {heard.voice} at {ref}, or the VLAN that was meant at the phone.",
                evidence=(
                    Evidence(f"hears voice {heard.voice}", heard.source),
                    at(network, ref, setting_words(port), mode_setting(port)),
                ),
                causes=(cause(ref, Setting.VOICE), vlan_cause(switch.name, heard.voice)),
                vlans=VlanSet([heard.voice]),
                ports=1,
            )


def _phones(*ports: int) -> str:
    """What a switch hears where phones are: an answer of a discovery daemon."""
    heard = [
        {
            str(n): {
                "via": "LLDP",
                "rid": str(n),
                "chassis": {
                    f"phone-{n}": {
                        "id": {"type": "mac", "value": f"02:00:5e:00:53:0{n}"},
                        "capability": [{"type": "Telephone", "enabled": True}],
                    }
                },
                "port": {"id": {"type": "ifname", "value": "p"}},
            }
        }
        for n in ports
    ]
    return json.dumps({"lldp": {"interface": heard}})


_HEARD = {"archive-lldp.json": _phones(1, 2, 3)}


@rule(
    "voice/missing",
    Severity.RISK,
    faults=(5,),
    looks_for="A port that hears a phone and has no voice VLAN, where most ports that hear phones have one.",
    why="The phone gets no VLAN of its own: it talks among the desks, without their calls having priority, or not at all.",
    mend="Give the port the voice VLAN that the others have.",
    breaks=Example({**_one("{1-2: {access: 340, voice: 390}, 3: {access: 340}}"), **_HEARD}, place="archive:3"),
    passes=Example({**_one("{1-3: {access: 340, voice: 390}}"), **_HEARD}),
)
def missing_voice(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch; of one that has no voice VLAN anywhere, its files may not be able to tell."""
    network = facts.network
    having: Counter[Vid] = Counter()
    lacking: dict[str, list[PortRef]] = defaultdict(list)
    for name, switch in network.switches.items():
        own = [access_of(p.switching) for p in switch.ports.values()]
        tells = any(a is not None and a.voice is not None for a in own)
        for port in dict.fromkeys(h.port for h in switch.heard if h.kind is Neighbour.PHONE and h.voice is None):
            access = access_of(switch.ports[port].switching) if port in switch.ports else None
            if access is not None and access.voice is not None:
                having[access.voice] += 1
            elif access is not None and tells and switch.ports[port].enabled:
                lacking[name].append(PortRef(name, port))
    if having.total() < 2 or having.total() <= sum(map(len, lacking.values())):
        return
    vid, agreeing = having.most_common(1)[0]
    for name, refs in lacking.items():
        ports, one = ports_text(r.port for r in refs), len(refs) == 1
        yield Fault(
            place=f"{name}:{ports}",
            what=f"{name}:{ports} hear{'s a phone' if one else ' phones'} and {'has' if one else 'have'} no voice VLAN; "
            f"{count(agreeing, 'other port')} with a phone {'is' if agreeing == 1 else 'are'} in {named(network, vid)}.",
            mend=f"Give {name}:{ports} voice VLAN {vid}.",
            evidence=tuple(at(network, r, setting_words(network.port(r)), Setting.VOICE) for r in refs[:3]),
            causes=tuple(cause(r, Setting.VOICE) for r in refs),
            vlans=VlanSet([vid]),
            ports=len(refs),
            cure=tuple(cures.set_at(r, PortChange(voice=vid)) for r in refs),
        )
