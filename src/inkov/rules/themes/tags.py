"""Tag formats: both ends of a trunk must mean the same by a tag."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.forming import formats_agree
from inkov.forwarding.ladder import Rung
from inkov.kinds.relay import vid_of
from inkov.kinds.table import trunk_of
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.switch import DOT1Q, NEGOTIATED_FORMAT
from inkov.model.vlanset import NONE, VlanSet
from inkov.rules import cures
from inkov.rules.finding import Fault, Severity
from inkov.rules.pairs import PLACE, lost, pair
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, joined, named, vlans

_GOOD = Example(pair("{trunk: '310,330'}", "{trunk: '310,330'}"))


@rule(
    "tags/differ",
    Severity.OUTAGE,
    faults=(11,),
    looks_for="A link whose two ends tag frames in different formats.",
    why="Neither end understands the other's tags, so no tagged frame crosses. Untagged ones do, which hides it.",
    mend=f"Set {DOT1Q} at both ends.",
    cure=cures.set_standard_tags,
    breaks=Example(pair("{trunk: '310,330', tags: other}", "{trunk: '310,330'}"), place=PLACE),
    passes=_GOOD,
)
def differ(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link."""
    network = facts.network
    for link in network.links:
        a, b = network.port(link.a), network.port(link.b)
        if not link.up or formats_agree(a, b):
            continue
        gone = lost(facts, link, Rung.FORMAT)
        cut = facts.network.islands.parted(link, gone)
        odd = [e for e in (link.a, link.b) if network.port(e).tag_format != DOT1Q] or [link.a]
        yield Fault(
            place=str(link),
            what=f"{link.a} tags as {a.tag_format} and {link.b} as {b.tag_format}: "
            + (f"{vlans(cut)} cannot cross." if cut else "no tagged frame crosses."),
            mend=f"Set {DOT1Q} at {joined(map(str, odd))}.",
            evidence=tuple(
                at(network, e, f"tags {network.port(e).tag_format}", Setting.TAGS) for e in (link.a, link.b)
            ),
            causes=tuple(cause(e, Setting.TAGS) for e in odd),
            vlans=cut or gone,
            members=facts.network.islands.cut_off(link, cut),
            parts=bool(cut),
        )


@rule(
    "tags/negotiated",
    Severity.RISK,
    faults=(11,),
    looks_for="A fixed trunk whose tag format is left to negotiation.",
    why="Some platforms refuse to make such a port a trunk at all, others agree on another format than you meant.",
    mend=f"Set the tag format to {DOT1Q}.",
    cure=cures.set_standard_tags,
    breaks=Example(pair("{trunk: '310,330', tags: negotiated}", "{trunk: '310,330'}"), place="archive:u1"),
    passes=_GOOD,
)
def negotiated(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    for switch in network.switches.values():
        for port in switch.ports.values():
            if port.enabled and port.tag_format == NEGOTIATED_FORMAT and trunk_of(port.switching) and not port.lag:
                ref = PortRef(switch.name, port.name)
                yield Fault(
                    place=str(ref),
                    what=f"{ref} is a fixed trunk that leaves its tag format to negotiation: it may refuse to be a trunk.",
                    mend=f"Set the tag format of {ref} to {DOT1Q}.",
                    evidence=(at(network, ref, "tags negotiated", Setting.TAGS),),
                    causes=(cause(ref, Setting.TAGS),),
                )


def _bridges(tag: int) -> dict[str, str]:
    box = "inkov: switch\nname: loft\nports: {1-2: {label: camera}, u1: {}}\ndomains:\n"
    box += f"  310: {{name: cameras, untagged: 1-2, tagged: {{u1: {tag}}}}}\n"
    hall = switch_text("hall", "{310: cameras}", "{1: {access: 310}, u1: {trunk: '310'}}", neighbours="{u1: loft u1}")
    return {"hall.yaml": hall, "loft.yaml": box}


@rule(
    "tags/unlike",
    Severity.OUTAGE,
    faults=(8, 11),
    looks_for="A link whose two ends send one VLAN with different tags.",
    why="Each end takes the other's tag for another VLAN, or for none. The service is there on both sides, and does not cross.",
    mend="Use one tag for it at both ends.",
    breaks=Example(_bridges(710), place="hall:u1 <-> loft:u1"),
    passes=Example(_bridges(310)),
)
def unlike(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a link and VLAN that has members on both sides and does not cross."""
    network = facts.network
    for link in network.joins:
        both = [network.active(e.switch) for e in (link.a, link.b)]
        cut = network.islands.parted(link, VlanSet.from_mask(both[0] & both[1])) if link.up else NONE
        for vid in cut if formats_agree(network.port(link.a), network.port(link.b)) else ():
            tags = [sorted(vid_of(t[0]) for t in network.relay(e).send(vid) if t) for e in (link.a, link.b)]
            if not all(tags) or set(tags[0]) & set(tags[1]):
                continue
            yield Fault(
                place=str(link),
                what=f"{named(network, vid)} leaves {link.a} with tag {tags[0][0]}, and {link.b} sends it with tag {tags[1][0]} and takes it so: "
                "it does not cross.",
                mend=f"Use one tag for VLAN {vid} at {link.a} and {link.b}.",
                evidence=tuple(
                    at(network, e, f"tag {t[0]}", Setting.ALLOWED) for e, t in zip((link.a, link.b), tags, strict=True)
                ),
                causes=(cause(link.a, Setting.ALLOWED), cause(link.b, Setting.ALLOWED)),
                vlans=VlanSet([vid]),
                members=network.islands.cut_off(link, VlanSet([vid])),
                parts=True,
            )
