"""Segments as a whole: whether they have a gateway."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.model.settings import Setting
from inkov.model.vlanset import VlanSet
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import count, joined


def _campus(kiosks: str) -> dict[str, str]:
    return {
        "a.yaml": switch_text(
            "archive",
            "{340: research, 350: kiosks}",
            "{1-4: {access: 340}, 5: {access: 350}}",
            gateways="{340: 198.51.100.33/27}",
        ),
        "campus.yaml": f"inkov: campus\nname: x\nsegments:\n  research: {{vlan: 340}}\n  kiosks: {kiosks}\n",
    }


@rule(
    "segment/gateless",
    Severity.TIDY,
    faults=(12,),
    looks_for="Segments without a gateway that are not declared closed, in a campus that has gateways.",
    why="A segment without a gateway is cut off from all others, on purpose or by mistake; the campus file can say which.",
    mend="Say `closed: true` of the segment, or give it a gateway.",
    breaks=Example(_campus("{vlan: 350}"), place="kiosks"),
    passes=Example(_campus("{vlan: 350, closed: true}")),
)
def gateless(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for all of them."""
    served = facts.network.gateways.by_vlan
    found = [
        s
        for s in facts.network.campus.segments.values()
        if served and not s.closed and s.ports is None and not any(v in served for v in s.vlans)
    ]
    if found:
        names = joined((s.name for s in found), 8)
        yield Fault(
            place=names,
            what=f"{count(len(found), 'segment')} without a gateway: nothing leads into or out of {names}.",
            mend="Say `closed: true` of those that are meant to be, and give the others a gateway.",
            evidence=tuple(Evidence(f"segment {s.name}", s.source) for s in found[:4]),
            causes=tuple(Cause(s.name, Setting.CLOSED) for s in found),
            vlans=VlanSet(v for s in found for v in s.vlans),
        )
