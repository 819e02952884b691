"""Two switches and the link between them: the campus most examples of trunks need."""

from __future__ import annotations

from inkov.forwarding.cabling import Link
from inkov.forwarding.ladder import Rung
from inkov.model.vlanset import NONE, VlanSet
from inkov.rules.registry import Example, Facts, switch_text

_TABLE = "{310: tank-sensors, 330: vet-records}"


def pair(a: str, b: str) -> dict[str, str]:
    """Two switches with members of 310 and 330 each, joined by u1 to u1, set as given."""
    ports = "{{1: {{access: 310}}, 2: {{access: 330}}, u1: {}}}"
    return {
        "archive.yaml": switch_text("archive", _TABLE, ports.format(a), neighbours="{u1: seal-ward u1}"),
        "seal-ward.yaml": switch_text("seal-ward", _TABLE, ports.format(b), neighbours="{u1: archive u1}"),
    }


GOOD = Example(pair("{trunk: '310,330'}", "{trunk: '310,330'}"))
PLACE = "archive:u1 <-> seal-ward:u1"


def lost(facts: Facts, link: Link, *rungs: Rung) -> VlanSet:
    """Returns the VLANs a link loses at some rungs of its ladder."""
    gone = NONE
    for loss in facts.network.ladder(link).lost:
        if loss.rung in rungs:
            gone |= loss.vlans
    return gone
