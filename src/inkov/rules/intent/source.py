"""Sources: do the files of a device agree, and is each device one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from inkov.model.names import ports_text
from inkov.model.settings import Setting
from inkov.model.sources import Contradiction
from inkov.model.touching import open_touches
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import joined

_VLANS = "{310: tanks, 340: research}"
_ADDS = "inkov: switch\nname: archive\nrole: edge\nports:\n  1: {access: %s}\n"
_RESTCONF = """{"openconfig-system:system": {"config": {"hostname": "archive"}},
 "openconfig-interfaces:interfaces": {"interface": [{"name": "1", "config": {"name": "1"}, "openconfig-if-ethernet:ethernet":
 {"openconfig-vlan:switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": 340}}}}]}}
"""


_MIRRORED = _RESTCONF.replace('"config": {"name": "1"}', '"config": {"name": "1"}, "vendor-mirror:mirror": {"to": "9"}')


@rule(
    "source/differ",
    Severity.RISK,
    faults=(20,),
    looks_for="Two files of one device that say what cannot both be.",
    why="One of them is old, or is about another device. Whatever is said of that setting is said of a device that may not exist.",
    mend="Take out the file that is wrong, or set `overrides: true` in the switch file that is right.",
    breaks=Example({"a.yaml": _ADDS % 310, "b.json": _RESTCONF}, place="archive:1"),
    passes=Example({"a.yaml": _ADDS % 340, "b.json": _RESTCONF}),
)
def differ(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device and setting."""
    found: dict[tuple[str, Setting], list[Contradiction]] = defaultdict(list)
    for said in facts.network.campus.contradictions:
        found[said.device, said.setting].append(said)
    for (device, setting), several in found.items():
        first = several[0]
        ports = ports_text(list(dict.fromkeys(c.port for c in several if c.port)))
        place = f"{device}:{ports}" if ports else device
        files = f"{first.says[1].file} says {first.says[0]}, {first.but[1].file} says {first.but[0]}"
        more = f" (and {len(several) - 1} more like it)" if len(several) > 1 else ""
        counts = "the first counts" if first.settled else "neither counts"
        if not first.settled and setting is Setting.VLANS:
            counts = "what either has counts"
        yield Fault(
            place=place,
            what=f"Of {place}, {files}{more}; {counts}.",
            evidence=tuple(Evidence(*side) for c in several[:3] for side in (c.says, c.but)),
            causes=tuple(Cause(device, setting, c.port) for c in several),
            ports=len({c.port for c in several if c.port}),
        )


@rule(
    "source/not-followed",
    Severity.RISK,
    looks_for="A setting in a file that may let frames or packets go elsewhere, and that Inkov does not follow.",
    why="Whatever Inkov says of this device may be wrong, and no proof rests on it.",
    mend="If the setting has no effect here, write its path under `assume: {without-effect: …}` in the campus file.",
    breaks=Example({"a.json": _MIRRORED}, place="archive"),
    passes=Example({"b.json": _RESTCONF}),
)
def not_followed(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a device."""
    for name, switch in facts.network.switches.items():
        if some := [t for t in open_touches(switch) if not (t.why or t.broken)]:
            paths = list(dict.fromkeys(t.path for t in some))
            yield Fault(
                place=name,
                what=f"Inkov does not follow {joined(paths, 3)} of {name}; no proof rests on what {'they' if paths[1:] else 'it'} may change.",
                mend=f"If {'one of them' if paths[1:] else 'it'} has no effect, write `assume: {{without-effect: ['{paths[0]}']}}` in the campus file.",
                evidence=tuple(Evidence(t.path, t.source) for t in some[:4]),
                causes=(Cause(name, Setting.NOT_FOLLOWED),),
            )


@rule(
    "source/twice",
    Severity.RISK,
    looks_for="Two devices with one chassis address and different names.",
    why="They may be one device that was renamed, and is then counted twice, with ports and links it has once.",
    mend="Take out the older file; or correct the address, if they are two.",
    breaks=Example(
        {
            "a.yaml": switch_text("archive", _VLANS, "{1: {access: 310}}", mac="00:00:5e:00:53:01"),
            "b.yaml": switch_text("attic", _VLANS, "{1: {access: 310}}", mac="00:00:5e:00:53:01"),
        },
        place="archive and attic",
    ),
    passes=Example({"a.yaml": switch_text("archive", _VLANS, "{1: {access: 310}}", mac="00:00:5e:00:53:01")}),
)
def twice(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a pair."""
    for twins in facts.network.campus.twins:
        pair = joined((twins.first, twins.second))
        yield Fault(
            place=pair,
            what=f"{pair} have one chassis address, {twins.address}: they may be one device under two names.",
            evidence=tuple(
                Evidence(name, source) for name, source in zip((twins.first, twins.second), twins.sources, strict=True)
            ),
            causes=(Cause(twins.second, Setting.NEIGHBOUR),),
        )
