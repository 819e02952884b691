"""General ports (IEEE 802.1Q-2022, 8.8.2): ports with sets of VLANs of their own."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.kinds.table import general_of
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.vlanset import ALL, VlanSet
from inkov.rules.finding import Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, vlans


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
