"""General ports (IEEE 802.1Q-2022, 8.8.2): ports with sets of VLANs of their own."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace

from inkov.kinds.table import general_of
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import FrameTypes
from inkov.model.vlanset import ALL, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, joined, named, vlans


def _one(filtering: str) -> Example:
    port = f"{{general: {{pvid: 310, untagged: 310, filtering: {filtering}}}}}"
    text = switch_text("archive", "{310: tanks, 340: research, 390: phones}", f"{{1-2: {port}, 3: {{access: 340}}}}")
    return Example({"a.yaml": text}, place="archive:1-2" if filtering == "false" else "")


@rule(
    "general/unfiltered",
    Severity.RISK,
    faults=(9,),
    looks_for="A port that faces a station and does not filter what comes in: it takes tags of VLANs it is no member of.",
    why="The station hears nothing of those VLANs, yet whatever it tags for them gets in. One way is enough for a flood, a false "
    "answer, or a frame to a device that should not be reached.",
    mend="Turn ingress filtering on.",
    breaks=_one("false"),
    passes=_one("true"),
)
def unfiltered(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch."""
    network = facts.network
    found: dict[str, list[PortRef]] = defaultdict(list)
    common: dict[str, VlanSet] = defaultdict(lambda: ALL)
    for ref, port in network.rare_ports:
        s = general_of(port.switching)
        if s and s.filtering is False and port.enabled and port.lag is None and ref not in network.cabled:
            found[ref.switch].append(ref)
            common[ref.switch] &= s.tagged | s.untagged
    for switch, refs in found.items():
        others = VlanSet.from_mask(network.active(switch)) - common[switch]
        if not others:
            continue
        names = ports_text([r.port for r in refs])
        one = len(refs) == 1
        yield Fault(
            place=f"{switch}:{names}",
            what=f"{switch}:{names} {'takes' if one else 'take'} frames tagged for {vlans(others)}, of which {'it is' if one else 'they are'} "
            "no member: a station there can send into them and hear nothing back.",
            mend=f"Turn ingress filtering on at {switch}:{names}.",
            evidence=tuple(at(network, r, "filtering off", Setting.GENERAL) for r in refs[:3]),
            causes=tuple(cause(r, Setting.GENERAL) for r in refs),
            vlans=others,
            ports=len(refs),
        )


def _pvid(pvid: int) -> Example:
    port = f"{{general: {{pvid: {pvid}, untagged: 310, tagged: '390', filtering: true, frames: all}}}}"
    text = switch_text("archive", "{310: tanks, 340: research, 390: phones}", f"{{1: {port}, 2: {{access: 340}}}}")
    return Example({"a.yaml": text}, place="archive:1" if pvid != 310 else "")


@rule(
    "general/pvid",
    Severity.OUTAGE,
    faults=(4, 8),
    looks_for="A port whose PVID is not defined, or is not among the VLANs that leave it untagged.",
    why="What its station sends goes into the PVID; what it hears is what leaves untagged. Where the two differ it sends into "
    "one VLAN and hears another.",
    mend="Set the PVID to the VLAN that leaves untagged.",
    breaks=_pvid(340),
    passes=_pvid(310),
)
def pvid(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port that takes untagged frames."""
    network = facts.network
    for ref, port in network.rare_ports:
        s = general_of(port.switching)
        takes = s is not None and s.frames is not FrameTypes.TAGGED and bool(s.pvid)
        if (
            s is None
            or not s.pvid
            or not takes
            or not port.enabled
            or port.lag is not None
            or not s.untagged
            or s.plain
        ):
            continue
        dead = not network.active(ref.switch) >> s.pvid & 1
        if not dead and s.pvid in s.untagged:
            continue
        hears = joined(named(network, v) for v in s.untagged)
        why = (
            f"VLAN {s.pvid} is not defined on {ref.switch}, so nothing it sends untagged gets in"
            if dead
            else (
                f"what it sends untagged goes into {named(network, s.pvid)}: it hears one VLAN and sends into another"
            )
        )
        yield Fault(
            severity=Severity.OUTAGE if dead or ref not in network.cabled else Severity.RISK,
            place=str(ref),
            what=f"{hears} {'leaves' if len(s.untagged) == 1 else 'leave'} {ref} untagged, its PVID is {s.pvid}, and {why}.",
            mend=f"Set the PVID of {ref} to {s.untagged}.",
            evidence=(at(network, ref, f"PVID {s.pvid}", Setting.GENERAL),),
            causes=(cause(ref, Setting.GENERAL), cause(ref, Setting.ACCESS), cause(ref, Setting.MODE)),
            vlans=s.untagged,
            ports=1,
            cure=(cures.made_into(ref, replace(s, pvid=next(iter(s.untagged)))),) if len(s.untagged) == 1 else (),
        )
