"""Voice VLANs: the tagged VLAN of a phone in front of a station."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator

from inkov.kinds.table import access_of
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import Access
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, count, named, vlan_cause


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
