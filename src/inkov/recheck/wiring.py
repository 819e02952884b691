"""Which ports are joined: cables that the campus file states, and what discovery heard."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Container, Iterator
from dataclasses import dataclass, field

from inkov.model.campus import Campus
from inkov.model.names import PortRef, natural
from inkov.model.switch import Heard, Kind, Lacp


@dataclass
class Wiring:
    """Links between logical ports (a LAG is one), each with its wires and whether it is sure; and strange systems.

    Attributes:
        links: (one end, other end) to its wires.
        doubtful: links of ports that discovery gives several far ends, or whose far end two facts dispute.
        heard_outside: ports that heard a system which is not in the campus, with its name.
        strangers: a device whose ports are not described, to the ports that heard it, where it may join several.
        labelled: pairs of ports that nothing but their labels joins.
        far: the other end of each end whose link is sure to exist; None where it is not.
        at: the links of each end.
        beside: the links of each switch.
    """

    links: dict[tuple[PortRef, PortRef], list[tuple[PortRef, PortRef]]] = field(default_factory=dict)
    doubtful: set[tuple[PortRef, PortRef]] = field(default_factory=set)
    heard_outside: list[str] = field(default_factory=list)
    strangers: dict[str, list[PortRef]] = field(default_factory=dict)
    labelled: list[tuple[PortRef, PortRef]] = field(default_factory=list)
    far: dict[PortRef, PortRef | None] = field(default_factory=dict)
    at: dict[PortRef, list[tuple[PortRef, PortRef]]] = field(default_factory=lambda: defaultdict(list))
    beside: dict[str, list[tuple[PortRef, PortRef]]] = field(default_factory=lambda: defaultdict(list))


def wiring(campus: Campus) -> Wiring:
    """Works out which ports are joined."""
    made = Wiring()
    stated = {end: frozenset((c.a, c.b)) for c in campus.cables for end in (c.a, c.b)}
    heard, unknown, strange = _heard(campus)
    made.heard_outside = [f"{ref} ({h.system or h.chassis})" for ref, h in strange]
    awake = {n: [r for r in refs if _on(campus, r)] for n, refs in {**unknown, **_strangers(strange, unknown)}.items()}
    made.strangers = {
        n: sorted({_logical(campus, r) for r in refs})
        for n, refs in awake.items()
        if len(set(refs)) > 1 or (refs and n in campus.switches)
    }
    given = set(stated.values())
    kept = {pair for pair in heard if all(stated.get(end, pair) == pair for end in pair)}
    pairs = sorted(tuple(sorted(p, key=lambda r: r.order)) for p in kept | given)
    often: dict[PortRef, int] = defaultdict(int)
    for pair in pairs:
        for end in pair:
            often[end] += 1
    for a, b in pairs:
        link = _logical(campus, a), _logical(campus, b)
        made.links.setdefault(link, []).append((a, b))
        unsure = often[a] > 1 or often[b] > 1 or not heard.get(frozenset((a, b)), True)
        if unsure and frozenset((a, b)) not in given:
            made.doubtful.add(link)
    for link in sorted(made.links, key=lambda k: (k[0].order, k[1].order)):
        for end in set(link):
            made.at[end].append(link)
        for switch in {end.switch for end in link}:
            made.beside[switch].append(link)
        for own, other in (link, link[::-1]):
            made.far.setdefault(own, None if link in made.doubtful else other)
    taken = {end for pair in pairs for end in pair} | {r for refs in unknown.values() for r in refs}
    made.labelled = _labelled(campus, taken | {r for r, _ in strange})
    return made


_WORD = re.compile(r"[A-Za-z0-9_.:/-]+")


def _labelled(campus: Campus, taken: Container[PortRef]) -> list[tuple[PortRef, PortRef]]:
    """Returns pairs of ports whose labels name each other, each the only one of its device that may be meant."""
    names = _Names(campus)
    says: dict[PortRef, tuple[str, str]] = {}
    for s in campus.switches.values():
        for p in s.ports.values():
            named = list(_named(campus, names, s.name, p.label)) if p.enabled and not p.is_lag and p.label else []
            if len(named) == 1 and PortRef(s.name, p.name) not in taken:
                says[PortRef(s.name, p.name)] = named[0]
    towards: dict[tuple[str, str], list[PortRef]] = defaultdict(list)
    for ref, (name, _) in says.items():
        towards[ref.switch, name].append(ref)
    pairs: set[tuple[PortRef, PortRef]] = set()
    for ref, (name, port) in says.items():
        back = [o for o in towards[name, ref.switch] if port in {"", o.port} and says[o][1] in {"", ref.port}]
        ambiguous = not port and len(towards[ref.switch, name]) > 1
        if len(back) == 1 and not (ambiguous and says[back[0]][1] != ref.port):
            pairs.add((min(ref, back[0]), max(ref, back[0])))
    often = Counter(e for pair in pairs for e in pair)
    return sorted(pair for pair in pairs if all(often[e] == 1 for e in pair))


def _named(campus: Campus, names: _Names, own: str, label: str) -> Iterator[tuple[str, str]]:
    """Yields the devices that a label names, each with the port named right after it, if it has that."""
    words = _WORD.findall(label)
    for word, following in zip(words, [*words[1:], ""], strict=True):
        text, _, after = word.partition(":")
        name = names.of(text)
        if name and name != own:
            port = after or following
            yield name, port if port in campus.switches[name].ports else ""


def _on(campus: Campus, ref: PortRef) -> bool:
    return campus.switches[ref.switch].ports[ref.port].enabled


Strange = list[tuple[PortRef, Heard]]
"""Ports that heard a device which is not described, in natural order."""


def _heard(campus: Campus) -> tuple[dict[frozenset[PortRef], bool], dict[str, list[PortRef]], Strange]:
    """Returns the pairs of ports that discovery joins and whether surely; ports that heard unknown ports; and strange devices."""
    heard: dict[frozenset[PortRef], bool] = {}
    unknown: dict[str, list[PortRef]] = defaultdict(list)
    strange: Strange = []
    names = _Names(campus)
    for switch in campus.switches.values():
        for h in switch.heard:
            own = PortRef(switch.name, h.port)
            if h.port not in switch.ports:
                continue
            maybe, stranger = names.meant(h)
            sure = len(maybe) == 1 and not stranger
            if stranger:
                strange.append((own, h))
            for name in maybe:
                if h.far_port not in campus.switches[name].ports:
                    unknown[name].append(own)
                elif own != (far := PortRef(name, h.far_port)):
                    pair = frozenset((own, far))
                    heard[pair] = sure or heard.get(pair, False)
    return heard, unknown, sorted(strange, key=lambda e: e[0].order)


def _strangers(strange: Strange, taken: Container[str]) -> dict[str, list[PortRef]]:
    """Parts ports by the strange device that they may have heard: by address, or by name where one has no address."""
    boxes: list[Strange] = []
    for ref, h in sorted(strange, key=lambda e: (not e[1].chassis, e[0].order, e[1].system, e[1].chassis)):
        same = [box for box in boxes if _same_box(h, [o for _, o in box])]
        boxes = [*(b for b in boxes if b not in same), [(ref, h), *(e for b in same for e in b)]]
    titles = [min({h.system for _, h in b} - {""} or {h.chassis for _, h in b}, key=natural) for b in boxes]
    made: dict[str, list[PortRef]] = {}
    for title, box in zip(titles, boxes, strict=True):
        addresses = ", ".join(sorted({h.chassis for _, h in box} - {""}))
        alone = titles.count(title) == 1 and title not in taken
        made[title if alone else f"{title} ({addresses})"] = [ref for ref, _ in box]
    return made


def _same_box(h: Heard, others: list[Heard]) -> bool:
    theirs = {o.chassis for o in others} - {""}
    if h.chassis and theirs and (h.chassis in theirs or all(map(_is_mac, (h.chassis, *theirs)))):
        return h.chassis in theirs
    return any(h.system and o.system and _alike(h.system, o.system) for o in others)


def up(campus: Campus, made: Wiring, link: tuple[PortRef, PortRef]) -> bool:
    """Tells whether a link has a wire between enabled ports."""

    def on(ref: PortRef) -> bool:
        return campus.switches[ref.switch].ports[ref.port].enabled

    return on(link[0]) and on(link[1]) and any(on(a) and on(b) for a, b in made.links[link])


def unsure(campus: Campus, made: Wiring, link: tuple[PortRef, PortRef]) -> bool:
    """Tells whether files contradict each other about the ports of a link, or about those of each of its cables that is on."""

    def doubted(ref: PortRef) -> bool:
        return bool(campus.switches[ref.switch].ports[ref.port].doubt)

    live = [(a, b) for a, b in made.links[link] if _on(campus, a) and _on(campus, b)]
    return any(map(doubted, link)) or (bool(live) and all(doubted(a) or doubted(b) for a, b in live))


def lag_forms(campus: Campus, made: Wiring, link: tuple[PortRef, PortRef]) -> bool:
    """Tells whether the LAGs at the ends of a link surely form, as one each (IEEE 802.1AX-2020, 6.4.1)."""
    lags = [e for e in link if campus.switches[e.switch].ports[e.port].is_lag]
    modes = {campus.switches[e.switch].ports[e.port].lacp for e in lags}
    if any(sum(up(campus, made, k) for k in made.at[e]) > 1 for e in lags):
        return False  # its members end at several ports: each gets a part of the frames at best
    if len(lags) == 1:
        return modes == {Lacp.STATIC}
    return not lags or modes in ({Lacp.STATIC}, {Lacp.ACTIVE}, {Lacp.ACTIVE, Lacp.PASSIVE})


def station_ports(campus: Campus, made: Wiring, *, sure: bool) -> set[PortRef]:
    """Returns the ports stations are on: enabled and not cabled, or cabled to an unmanaged device; perhaps to a doubtful one."""
    known = ((link, wires) for link, wires in made.links.items() if sure or link not in made.doubtful)
    cabled = {end for link, wires in known for end in (*link, *(e for w in wires for e in w))}
    found = {
        ref
        for s in campus.switches.values()
        for p in s.ports.values()
        if p.enabled and p.lag is None and (ref := PortRef(s.name, p.name)) not in cabled and s.kind is Kind.SWITCH
    }
    for link in made.links:
        for own, other in (link, link[::-1]):
            kinds = [campus.switches[r.switch].kind for r in (own, other)]
            if kinds[0] is not Kind.UNMANAGED and kinds[1] is Kind.UNMANAGED and up(campus, made, link):
                found.add(own)
    return found


def _logical(campus: Campus, ref: PortRef) -> PortRef:
    ports = campus.switches[ref.switch].ports
    lag = ports[ref.port].lag
    return PortRef(ref.switch, lag) if lag and lag in ports else ref


class _Names:
    """Which device of the campus a neighbour may be, by what it tells of itself."""

    def __init__(self, campus: Campus) -> None:
        self.switches = campus.switches
        self.by_short: dict[str, list[str]] = defaultdict(list)
        self.by_address: dict[str, list[str]] = defaultdict(list)
        for s in campus.switches.values():
            self.by_short[_short(s.name)].append(s.name)
            self.by_address[s.mac].append(s.name)

    def of(self, name: str) -> str:
        """Returns the device that a name means; empty where it means none, or more than one."""
        fits = [name] if name in self.switches else self.by_short.get(_short(name), []) if name else []
        return fits[0] if len(fits) == 1 and _alike(fits[0], name) else ""

    def meant(self, h: Heard) -> tuple[list[str], bool]:
        """Returns the devices that it may be, and whether it may be one that is not described."""
        name = self.of(h.system)
        at = self.by_address[h.chassis] if h.chassis in self.by_address and h.chassis else []
        if at:
            return ([name] if name in at else sorted({*at, name} - {""})), False
        if not name:
            return [], True
        switch = self.switches[name]
        known = {switch.mac, *(i for p in switch.ports.values() for i in p.known_as)}
        if h.chassis in known or not (_is_mac(h.chassis) and _is_mac(switch.mac)):
            return [name], False
        return ([name] if name == h.system else []), True


def _is_mac(text: str) -> bool:
    parts = text.split(":")
    return len(parts) == 6 and all(len(p) == 2 and set(p) <= set("0123456789abcdef") for p in parts)


def _short(name: str) -> str:
    """Returns a name in lower case without its domain: what follows a dot, where every label of it is one of a domain."""
    labels = name.casefold().rstrip(".").split(".")
    for i, label in enumerate(labels):
        plain = all(part and all(c.isalnum() or c in "_-" for c in part) for part in labels[i:])
        if i and plain and "a" <= label[0] <= "z":
            return ".".join(labels[:i])
    return ".".join(labels)


def _alike(a: str, b: str) -> bool:
    one, other = a.casefold().rstrip("."), b.casefold().rstrip(".")
    return one == other or (bool(one and other) and (_short(one) == other or _short(other) == one))


def joined(campus: Campus, made: Wiring, switch: str) -> set[str]:
    """Returns the devices that cables join to a device, by whatever way, and itself."""
    near: dict[str, set[str]] = {}
    for a, b in (k for k in made.links if up(campus, made, k)):
        near.setdefault(a.switch, set()).add(b.switch)
        near.setdefault(b.switch, set()).add(a.switch)
    found, todo = {switch}, [switch]
    while todo:
        for name in near.get(todo.pop(), set()) - found:
            found.add(name)
            todo.append(name)
    return found


def registering(campus: Campus, made: Wiring) -> frozenset[PortRef]:
    """Returns the ports to which devices beyond them may bring VLANs by registration: they declare some, or may."""
    speak = {s.name for s in campus.switches.values() if s.kind is Kind.SWITCH and s.registration is not False}
    links = [*(k for k in made.links if up(campus, made, k)), *made.labelled] if speak else []
    found: set[PortRef] = set()
    for near, far in (pair for link in links for pair in (link, link[::-1])):
        seen, todo = {far.switch}, [far.switch]
        while todo:
            here = todo.pop()
            for a, b in links if campus.switches[here].kind is Kind.UNMANAGED else ():
                ends = {a.switch, b.switch}
                if here in ends and near not in {a, b} and not ends <= seen:
                    todo += ends - seen
                    seen |= ends
        if near.switch in speak and seen & speak:
            found.add(near)
    return frozenset(found)
