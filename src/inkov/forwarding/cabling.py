"""Which port is cabled to which: the campus file's cables and what discovery heard, made one.

A cable of the campus file is an engineer's statement and wins. Discovery (IEEE 802.1AB) is one-way, so
either end alone is enough for a link. What contradicts is kept aside for the rules to report, and links
that discovery contradicts itself about are doubtful: they may exist, and nothing surely passes them.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Hashable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import TypeVar

from inkov.model.campus import Cable, Campus
from inkov.model.identity import Devices, strangers
from inkov.model.names import PortRef
from inkov.model.source import Source
from inkov.model.switch import Heard, Switch


@dataclass(frozen=True, slots=True)
class Wire:
    """One cable between two ports.

    Attributes:
        a: one end, the lesser in natural order.
        b: the other end.
        cable: the campus file's cable, if it states one.
        heard_a: what `a` heard of `b`, if it did.
        heard_b: what `b` heard of `a`, if it did.
    """

    a: PortRef
    b: PortRef
    cable: Cable | None = None
    heard_a: Heard | None = None
    heard_b: Heard | None = None

    @property
    def source(self) -> Source:
        """Where the cable is stated, or else heard."""
        if self.cable is not None:
            return self.cable.source
        heard = self.heard_a or self.heard_b
        return heard.source if heard else Source("")


@dataclass(frozen=True, slots=True)
class Link:
    """Two logical ports (ports or LAGs) joined by one wire or several.

    Attributes:
        a: one end, the lesser in natural order.
        b: the other end.
        wires: its cables, in order.
        up: at least one wire has both its ports enabled, and so are the LAGs themselves.
        doubt: why it is not sure that this link exists; empty when it is.
    """

    a: PortRef
    b: PortRef
    wires: tuple[Wire, ...]
    up: bool
    doubt: str = ""

    def __str__(self) -> str:
        return f"{self.a} <-> {self.b}"

    @property
    def inferred(self) -> bool:
        """Nothing but the labels at both ends says that it is there."""
        return all(w.cable is not None and w.cable.inferred for w in self.wires)

    def end_at(self, switch: str) -> PortRef:
        """Returns the end on one of its two switches."""
        return self.a if self.a.switch == switch else self.b

    def far_switch(self, switch: str) -> str:
        """Returns the other of its two switches."""
        return self.b.switch if self.a.switch == switch else self.a.switch


@dataclass(frozen=True, slots=True)
class Disagreement:
    """Discovery says of a port something else than the campus file, or than discovery at another port.

    Attributes:
        port: the port in question.
        says: the far end according to one side, and where.
        but: the far end according to the other, and where.
        stated: the first is a cable of the campus file.
    """

    port: PortRef
    says: tuple[str, Source]
    but: tuple[str, Source]
    stated: bool


@dataclass(frozen=True, slots=True)
class Outside:
    """A port that heard a system which is not in the campus, or a port that its neighbour does not have.

    Attributes:
        port: the port that heard it.
        heard: what it heard.
        known_switch: the switch of the campus that has no such port; None for a system that is not in the campus.
        doubt: why it is not sure which device it is; empty when it is.
    """

    port: PortRef
    heard: Heard
    known_switch: str | None = None
    doubt: str = ""


@dataclass(slots=True)
class Cabling:
    """All links of a campus, and what did not fit.

    Attributes:
        links: the links, in natural order of their ends.
        outside: what heard a system that is not in the campus, or a port that its neighbour does not have.
        disagreements: where the campus file and discovery, or two neighbours, say different things.
        doubted: ports whose neighbour's name and address say different devices, with what it heard and the reason.
    """

    links: list[Link] = field(default_factory=list)
    outside: list[Outside] = field(default_factory=list)
    disagreements: list[Disagreement] = field(default_factory=list)
    doubted: list[tuple[PortRef, Heard, str]] = field(default_factory=list)

    def strangers(self) -> dict[str, list[PortRef]]:
        """Returns the ports that heard each device whose ports are not known, by a name of its own."""
        unknown = [(o.port, o.heard) for o in self.outside if o.known_switch is None]
        named: dict[str, list[PortRef]] = defaultdict(list)
        for o in self.outside:
            if o.known_switch is not None:
                named[o.known_switch].append(o.port)
        return {**named, **strangers(unknown, named)}

    @property
    def known(self) -> set[PortRef]:
        """Ports that are in a link, or hear a system which is not in the campus."""
        return {e for k in self.links for w in k.wires for e in (w.a, w.b)} | {o.port for o in self.outside}


def cabling(campus: Campus) -> Cabling:
    """Infers the links of a campus. Cost is linear in the number of cables and neighbour entries.

    Returns:
        Links in natural order of their ends.
    """
    return _Inference(campus).run()


def cabled_alike(a: Campus, b: Campus) -> bool:
    """Tells whether two campuses surely have the same links, up or not, and what is said of them is in the same places."""
    return (
        (a.cables is b.cables or [(c, c.source) for c in a.cables] == [(c, c.source) for c in b.cables])
        and list(a.switches) == list(b.switches)
        and all(
            s is t or _cabled(s) == _cabled(t) for s, t in zip(a.switches.values(), b.switches.values(), strict=True)
        )
    )


def _cabled(switch: Switch) -> tuple[object, ...]:
    """Returns all that the links of a campus hang on in a switch, but whether they are up."""
    heard = [(h, h.source) for h in switch.heard]
    ports = {name: (p.lag, p.is_lag) for name, p in switch.ports.items()}
    return switch.mac, heard, ports, switch.kind


def recabled(like: Cabling, switches: Mapping[str, Switch], others: Collection[str]) -> Cabling:
    """Returns the cabling of a campus that is cabled alike: the same links, but those of some switches up as they are here.

    Args:
        like: the cabling of a campus that is `cabled_alike`.
        switches: the switches of this one by name.
        others: those that are not the very switches of the other.
    """
    links = [
        replace(k, up=_up(switches, k.a, k.b, k.wires)) if k.a.switch in others or k.b.switch in others else k
        for k in like.links
    ]
    return Cabling(links, like.outside, like.disagreements, like.doubted)


def _up(switches: Mapping[str, Switch], a: PortRef, b: PortRef, wires: Iterable[Wire]) -> bool:
    def enabled(ref: PortRef) -> bool:
        return switches[ref.switch].ports[ref.port].enabled

    return enabled(a) and enabled(b) and any(enabled(w.a) and enabled(w.b) for w in wires)


class _Inference:
    def __init__(self, campus: Campus) -> None:
        self.switches = campus.switches
        self.cables = campus.cables
        self.result = Cabling()
        self.devices = Devices(campus.switches)
        self.uncertain: dict[tuple[PortRef, PortRef], str] = {}
        self.heard: dict[tuple[PortRef, PortRef], dict[PortRef, Heard]] = defaultdict(dict)

    def run(self) -> Cabling:
        for switch in self.switches.values():
            for heard in switch.heard:
                self._hear(switch.name, heard)
        stated = {frozenset((c.a, c.b)): c for c in self.cables}
        cable_of = {end: c for c in self.cables for end in (c.a, c.b)}
        wires: list[Wire] = []
        for (a, b), by in self.heard.items():
            cable = stated.pop(frozenset((a, b)), None)
            if cable is None and self._against_cable(a, b, by, cable_of):
                continue
            wires.append(Wire(a, b, cable, by.get(a), by.get(b)))
        wires += [Wire(c.a, c.b, c) for c in stated.values()]
        wires.sort(key=lambda w: (w.a.order, w.b.order))
        self.result.links = self._links(wires)
        self.result.disagreements.sort(key=lambda d: (d.port.order, d.says[0], d.but[0]))
        return self.result

    def _hear(self, name: str, heard: Heard) -> None:
        own = PortRef(name, heard.port)
        if heard.port not in self.switches[name].ports:
            return
        meant = self.devices.heard(heard)
        if meant.doubt:
            self.result.doubted.append((own, heard, meant.doubt))
        if meant.stranger:
            self.result.outside.append(Outside(own, heard, doubt=meant.doubt))
        for far in meant.devices:
            if heard.far_port not in self.switches[far].ports:
                self.result.outside.append(Outside(own, heard, far, meant.doubt))
            elif (end := PortRef(far, heard.far_port)) != own:
                pair = (own, end) if own.order < end.order else (end, own)
                self.heard[pair][own] = heard
                self.uncertain[pair] = meant.doubt and self.uncertain.get(pair, meant.doubt)

    def _against_cable(
        self, a: PortRef, b: PortRef, by: Mapping[PortRef, Heard], cable_of: Mapping[PortRef, Cable]
    ) -> bool:
        for end, far in ((a, b), (b, a)):
            if (cable := cable_of.get(end)) is not None:
                other = cable.b if cable.a == end else cable.a
                heard = next(iter(by.values()))
                self.result.disagreements.append(
                    Disagreement(end, (str(other), cable.source), (str(far), heard.source), stated=True)
                )
                return True
        return False

    def _links(self, wires: list[Wire]) -> list[Link]:
        doubts = self._doubts(wires)
        grouped: dict[tuple[PortRef, PortRef], list[Wire]] = {}
        for wire in wires:
            grouped.setdefault((self._logical(wire.a), self._logical(wire.b)), []).append(wire)
        made: list[Link] = []
        for (a, b), group in grouped.items():
            doubt = next((doubts[end] for w in group for end in (w.a, w.b) if end in doubts and not w.cable), "")
            if not doubt and not any(w.cable for w in group):
                doubt = next((d for w in group if (d := self.uncertain.get((w.a, w.b), ""))), "")
            made.append(Link(a, b, tuple(group), _up(self.switches, a, b, group), doubt))
        made.sort(key=lambda k: (k.a.order, k.b.order))
        return made

    def _doubts(self, wires: list[Wire]) -> dict[PortRef, str]:
        """Finds ports that discovery gives two far ends, and records each as a disagreement."""
        by_end: dict[PortRef, list[Wire]] = defaultdict(list)
        for wire in wires:
            by_end[wire.a].append(wire)
            by_end[wire.b].append(wire)
        doubts: dict[PortRef, str] = {}
        for end, several in by_end.items():
            if len(several) < 2:
                continue
            fars = [w.b if w.a == end else w.a for w in several]
            if unsure := next((d for w in several if (d := self.uncertain.get((w.a, w.b), ""))), ""):
                doubts[end] = unsure
                continue
            doubts[end] = f"discovery gives {end} more than one far end: {' and '.join(map(str, fars))}"
            self.result.disagreements.append(
                Disagreement(end, (str(fars[0]), several[0].source), (str(fars[1]), several[1].source), stated=False)
            )
        return doubts

    def _logical(self, ref: PortRef) -> PortRef:
        lag = self.switches[ref.switch].ports[ref.port].lag
        return PortRef(ref.switch, lag) if lag and lag in self.switches[ref.switch].ports else ref


def links_by_switch(links: Iterable[Link]) -> dict[str, list[Link]]:
    """Returns the links of each switch that has any, in their order."""
    found: dict[str, list[Link]] = defaultdict(list)
    for link in links:
        found[link.a.switch].append(link)
        if link.b.switch != link.a.switch:
            found[link.b.switch].append(link)
    return found


def components(nodes: Iterable[str], links: Iterable[Link]) -> list[frozenset[str]]:
    """Returns the connected parts of some switches under some links, in the order of their first switch."""
    parent = {n: n for n in nodes}
    find = finder(parent)
    for k in links:
        a, b = k.a.switch, k.b.switch
        if a in parent and b in parent:
            parent[find(b)] = find(a)
    return _parts(parent, find)


def merged(groups: Iterable[frozenset[str]]) -> list[frozenset[str]]:
    """Joins groups that share a member, in the order of their first member."""
    parent: dict[str, str] = {}
    find = finder(parent)
    for first, *others in map(sorted, groups):
        for n in (first, *others):
            parent.setdefault(n, n)
            parent[find(n)] = find(first)
    return _parts(parent, find)


def _parts(parent: Mapping[str, str], find: Callable[[str], str]) -> list[frozenset[str]]:
    parts: dict[str, list[str]] = defaultdict(list)
    for n in parent:
        parts[find(n)].append(n)
    return [frozenset(part) for part in parts.values()]


Item = TypeVar("Item", bound=Hashable)


def finder(parent: dict[Item, Item]) -> Callable[[Item], Item]:
    """Returns the find operation of a union-find forest, with path halving."""

    def find(n: Item) -> Item:
        while parent[n] != n:
            parent[n] = parent[parent[n]]
            n = parent[n]
        return n

    return find
