"""Port labels against the facts: what somebody wrote on a port, what it is cabled to, and how ports labelled alike are set."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator
from itertools import groupby
from typing import Final, NamedTuple

from inkov.forwarding.labels import ends_in_label
from inkov.forwarding.network import Network
from inkov.kinds.accounts import is_stated
from inkov.kinds.table import access_of, memberships, setting_words, untagged_vlan
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.rules.cures import set_at
from inkov.rules.finding import Cure, Evidence, Fault, Finding, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.subnets import fitting, vlans_of
from inkov.rules.wording import at, by_switch, cause, count, named, says_unused
from inkov.steps.settings import PortChange

_PORTS = "{{1: {{access: 310}}, u1: {{trunk: all, label: {}}}}}"


def _pair(label: str) -> dict[str, str]:
    table = "{310: tank-sensors}"
    return {
        "a.yaml": switch_text("archive", table, _PORTS.format(label), neighbours="{u1: seal-ward u1}"),
        "b.yaml": switch_text("seal-ward", table, _PORTS.format("to archive u1"), neighbours="{u1: archive u1}"),
        "c.yaml": switch_text("boat-store", table, "{1: {access: 310}, u1: {access: 310}}"),
    }


@rule(
    "label/contradicts",
    Severity.TIDY,
    faults=(22,),
    looks_for="A port whose label names another switch, or another port of it, than the port is cabled to.",
    why="Whoever works by the label unplugs the wrong cable, or sets the wrong end.",
    mend="Put the label right, or the cable.",
    breaks=Example(_pair("to boat-store u1"), place="archive:u1"),
    passes=Example(_pair("to seal-ward u1")),
)
def contradicts(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port. A label counts where it names a switch of the campus, none of which is the far end."""
    network = facts.network
    for link in network.links:
        if link.doubt:
            continue
        lags = [] if (link.a, link.b) in {(w.a, w.b) for w in link.wires} else [(link.a, link.b)]
        for a, b in [*((w.a, w.b) for w in link.wires), *lags]:
            for own, far in ((a, b), (b, a)):
                said = ends_in_label(network.port(own).label, own.switch, network.switches)
                if said and not any(_fits(facts, name, port, far) for name, port in said):
                    shown = " ".join(filter(None, said[0]))
                    yield Fault(
                        place=str(own),
                        what=f"The label of {own} says {shown}, and it is cabled to {far}.",
                        mend=f"Put the label of {own} right, or the cable.",
                        evidence=(
                            at(network, own, f"label '{network.port(own).label}'", Setting.LABEL),
                            Evidence("the far end", network.port(far).origin.here),
                        ),
                        causes=(cause(own, Setting.LABEL), cause(own, Setting.CABLE)),
                    )


def _fits(facts: Facts, name: str, port: str, far: PortRef) -> bool:
    """Tells whether a label names a far end; one that is a LAG is named by any of its members, too."""
    return name == far.switch and port in {"", far.port, *facts.network.port(far).members}


def _as_labelled(network: Network, finding: Finding) -> Iterator[Cure]:
    """Sets ports as most with their kind of label; none whose host has an address of the VLAN that its port is in."""
    facts, steps = Facts(network), []
    kinds = {ref: refs for refs in _by_kind(facts).values() for ref in refs}
    placed = {
        h.port for h in network.campus.hosts.values() if h.address and fitting(facts, h.address, vlans_of(facts, h))
    }
    for ref in dict.fromkeys(PortRef(c.holder, c.port) for c in finding.causes if c.port):
        near = [r for r in kinds.get(ref, ()) if r.switch == ref.switch] if len(kinds.get(ref, ())) > 1 else []
        for some in (kinds.get(ref, []), near):
            usual = Counter(a for r in some if (a := access_of(network.port(r).switching)) is not None).most_common(1)
            own = access_of(network.port(ref).switching)
            stays = own is not None and bool(usual) and own.vid == usual[0][0].vid
            if not usual or 2 * usual[0][1] <= len(some) or usual[0][0].vid is None:
                continue
            if stays or ref not in placed:
                steps.append(set_at(ref, PortChange(access=usual[0][0].vid, voice=usual[0][0].voice)))
                break
    if steps:
        yield tuple(steps)


_TILLS = "{1-5: {access: 340, label: till}, 6: {access: 350, label: till 6}, 7-9: {access: 350, label: desk}}"


def _labelled(ports: str) -> dict[str, str]:
    return {"a.yaml": switch_text("archive", "{340: tills, 350: desks}", ports)}


@rule(
    "label/alike",
    Severity.RISK,
    faults=(8,),
    looks_for="A port whose label names the same kind of station as many others, and that is set otherwise than these: another "
    "VLAN, another kind of port, another voice VLAN, or none. Kinds are learned from the labels.",
    why="Stations of one kind belong together. One in another VLAN does not find its servers, and meets whom it should not.",
    mend="Set it as the others, or label it as what it is.",
    cure=_as_labelled,
    breaks=Example(_labelled(_TILLS), place="archive:6"),
    passes=Example(_labelled(_TILLS.replace("350, label: till 6", "340, label: till 6"))),
)
def alike(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for all ports of a kind that are odd in the same way."""
    says = _Says(facts)
    for word, refs in _by_kind(facts).items():
        known: set[PortRef] = set()  # a port that is of another kind is told once
        for setting in (Setting.MODE, Setting.VOICE):
            said = {ref: text for ref in refs if ref not in known and (text := says.of(ref, setting))}
            for (text, usual), some in _unlike(facts, word, said).items():
                known.update(some)
                yield _odd(facts, (word, setting), some, text, usual)


def _unlike(facts: Facts, word: str, said: dict[PortRef, str]) -> dict[tuple[str, _Usual], list[PortRef]]:
    """Returns the odd ports of a kind by what they have, and by what most have.

    Where the campus does not agree, the ports of one switch may.
    """
    odd: dict[tuple[str, _Usual], list[PortRef]] = defaultdict(list)
    if usual := _common(facts, word, said):
        for ref, text in said.items():
            if text != usual.text:
                odd[text, usual].append(ref)
        return odd
    for switch, own in groupby(said.items(), key=lambda item: item[0].switch):
        some = dict(own)
        usual = _common(facts, word, some)
        for ref, text in some.items() if usual else ():
            if usual and text != usual.text:
                odd[f"{text} on {switch}", usual].append(ref)
    return odd


class _Says:
    """What ports have, in words; most ports of a campus share theirs."""

    def __init__(self, facts: Facts) -> None:
        self.switches = facts.network.switches
        self._words: dict[tuple[int, Setting], str] = {}
        self._tells_voice: dict[str, bool] = {}

    def of(self, ref: PortRef, setting: Setting) -> str:
        """Returns a setting of a port in words; empty where its file cannot tell."""
        port = self.switches[ref.switch].ports[ref.port]
        key = id(port.switching), setting
        if key not in self._words:
            access = access_of(port.switching)
            if setting is Setting.MODE:
                # One kind of box says "access" for a station's VLAN, another "bridged untagged in".
                own = untagged_vlan(port.switching)
                alone = own and memberships(port.switching) & ~((1 << (access.voice or 0)) if access else 0) == 1 << own
                text = f"in VLAN {own}" if alone else setting_words(port)
            else:
                text = "" if access is None else f"with voice VLAN {access.voice}" if access.voice else _NO_VOICE
            self._words[key] = text
        text = self._words[key]
        return "" if text == _NO_VOICE and not self._voice_told(ref.switch) else text

    def _voice_told(self, switch: str) -> bool:
        """Tells whether the files of a switch tell voice VLANs: some port has one."""
        if switch not in self._tells_voice:
            kinds = {id(p.switching): p.switching for p in self.switches[switch].ports.values()}.values()
            self._tells_voice[switch] = any(
                (a := access_of(kind)) is not None and a.voice is not None for kind in kinds
            )
        return self._tells_voice[switch]


_NO_VOICE: Final = "without a voice VLAN"


class _Usual(NamedTuple):
    """What most ports of a kind have, how many, and whether the kind is in the name of their VLAN."""

    text: str
    agreeing: int
    named: bool


def _by_kind(facts: Facts) -> dict[str, list[PortRef]]:
    """Returns ports that face no switch by the first word of their label, where it names no switch."""
    network = facts.network
    boxes = {w for name in network.switches for w in _WORD.findall(name.lower())}
    found: dict[str, list[PortRef]] = defaultdict(list)
    kinds: dict[str, str] = {}
    for name, refs in network.edge_ports.items():
        ports = network.switches[name].ports
        for ref in refs:
            port = ports[ref.port]
            if (word := kinds.get(port.label)) is None:
                words = [] if says_unused(port.label) else _WORD.findall(port.label.lower())
                word = kinds[port.label] = words[0] if words and words[0] not in boxes else ""
            if word and port.enabled and not port.lag and is_stated(port.switching):
                found[word].append(ref)
    return found


_WORD: Final = re.compile(r"[^\W\d_]{3,}")


def _common(facts: Facts, word: str, said: dict[PortRef, str]) -> _Usual | None:
    """Returns what most of some ports have: fewer must agree where the word is in the name of their VLAN."""
    if not said:
        return None
    text, n = Counter(said.values()).most_common(1)[0]
    ref = next(r for r, t in said.items() if t == text)
    access = access_of(facts.network.port(ref).switching)
    vlan = named(facts.network, access.vid).lower() if access is not None and access.vid else ""
    is_named = word in vlan or any(w in word for w in _WORD.findall(vlan))
    least, most = (3, 75) if is_named else (5, 90)
    return _Usual(text, n, is_named) if n >= least and 100 * n >= most * len(said) else None


def _odd(facts: Facts, kind: tuple[str, Setting], refs: list[PortRef], has: str, most: _Usual) -> Fault:
    (word, setting), (usual, agreeing, is_named) = kind, most
    by_box: dict[str, list[PortRef]] = defaultdict(list)
    for ref in refs:
        by_box[ref.switch].append(ref)
    place, one = by_switch(by_box), len(refs) == 1
    return Fault(
        severity=Severity.RISK if is_named else Severity.TIDY,
        place=place,
        what=f"{place} {'is' if one else 'are'} {has.partition(' on ')[0]}, and {count(agreeing, 'other port')} labelled "
        f"'{word}' {'is' if agreeing == 1 else 'are'} {usual}.",
        mend=f"Set {place} {usual} as the others, or label {'it' if one else 'them'} as what {'it is' if one else 'they are'}.",
        evidence=tuple(
            e
            for ref in refs[:2]
            for e in (
                at(facts.network, ref, has.partition(" on ")[0], setting),
                at(facts.network, ref, repr(facts.network.port(ref).label), Setting.LABEL),
            )
        ),
        causes=tuple(cause(r, s) for s in dict.fromkeys((setting, *_OF_A_PORT)) for r in refs)
        if setting is Setting.MODE
        else tuple(cause(r, setting) for r in refs),
        ports=len(refs),
        follows=setting is Setting.MODE,
    )


_OF_A_PORT = (Setting.ACCESS, Setting.MODE, Setting.ALLOWED, Setting.NATIVE)
