"""The campus as a drawing: its boxes by the spanning tree, both ends of every link, and one question laid over it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from inkov.drawing.layout import Box, Route, Thing, Wire, placed
from inkov.drawing.picture import (
    ISLAND,
    LABEL_SIZE,
    LOUD,
    PAD,
    TEXT_SIZE,
    TITLE_SIZE,
    Drawn,
    Label,
    Line,
    Picture,
    Tone,
    height_of,
    shortened,
    width_of,
)
from inkov.forwarding.cabling import Link, Outside
from inkov.forwarding.network import Network
from inkov.model.names import PortRef, natural
from inkov.model.switch import Kind

MOST: Final = 60
"""Larger campuses fold leaves that hang alike into bundles."""

_NAME, _LABEL, _LINE = 30, 26, 34
_FEWEST = 3
_FAR_TOO_MANY = 150


@dataclass(slots=True)
class End:
    """What is said at an end of a link."""

    text: str
    tone: Tone = Tone.PLAIN


@dataclass(slots=True)
class Overlay:
    """A question laid over the map: what it makes of each box and each link.

    Attributes:
        name: what it asks, for the line below the title.
        boxes: what boxes are to say; others are as usual.
        islands: letters of parts, by box.
        links: what links are to say, by their two ends.
        ends: words added at ends.
        others: what all other boxes and links are to say.
        legend: what its signs mean.
        parts: letters with what they stand for.
    """

    name: str = ""
    boxes: dict[str, Tone] = field(default_factory=dict)
    islands: dict[str, str] = field(default_factory=dict)
    links: dict[tuple[PortRef, PortRef], Tone] = field(default_factory=dict)
    ends: dict[PortRef, End] = field(default_factory=dict)
    others: Tone = Tone.PLAIN
    legend: list[tuple[Tone, str]] = field(default_factory=list)
    parts: list[tuple[str, str]] = field(default_factory=list)


@dataclass(slots=True)
class _Group:
    """A box: one device, or a bundle of some that hang alike."""

    name: str
    members: list[str]


def map_of(
    network: Network, overlay: Overlay, only: frozenset[str] | None = None, most: int = MOST, *, heard: bool = False
) -> Picture:
    """Draws a campus.

    Args:
        network: the campus with its forwarding.
        overlay: what is laid over it.
        only: switches to draw; all when None.
        most: boxes from which on leaves that hang alike are folded.
        heard: show each system that was only heard by its name, not how many of a kind there are.
    """
    network = network.followed
    names = [n for n in network.switches if only is None or n in only]
    shown = frozenset(names)
    links = [k for k in network.links if k.a.switch in shown and k.b.switch in shown]
    groups = _folded(names, links, most, overlay)
    return _Drawing(network, overlay, groups, links, heard=heard).picture()


def around(network: Network, centre: str, hops: int) -> frozenset[str]:
    """Returns the switches that are no more than some links away from one."""
    network = network.followed
    found, edge = {centre}, {centre}
    for _ in range(hops):
        edge = {k.far_switch(n) for n in edge for k in network.links_at.get(n, ())} - found
        found |= edge
    return frozenset(found)


def _folded(names: Sequence[str], links: Sequence[Link], most: int, overlay: Overlay) -> list[_Group]:
    """Returns the boxes: while there are too many, those that hang alike become one, then what hangs below one joins it.

    What the overlay is about stays as it is, unless that is far too many boxes, too; what it says something else of never
    becomes one.
    """
    looks = {n: (overlay.boxes.get(n), overlay.islands.get(n)) for n in names}
    kept = frozenset(overlay.boxes) if overlay.others is Tone.FAINT else frozenset()
    folding = _Folding(names, links, looks, kept)
    if len(folding.groups) > most:
        folding.join_alike()
    if len(folding.groups) > most:
        folding.take_in()
    for folding.keep in (kept, frozenset()):
        while len(folding.groups) > max(most, _FAR_TOO_MANY) and (folding.join_alike() or folding.take_in()):
            pass
    return sorted(folding.groups.values(), key=lambda g: natural(g.name))


class _Folding:
    """Boxes that become fewer."""

    def __init__(
        self, names: Sequence[str], links: Sequence[Link], looks: Mapping[str, object], keep: frozenset[str]
    ) -> None:
        self.groups = {n: _Group(n, [n]) for n in names}
        self.home = {n: n for n in names}
        self.links, self.looks, self.keep = links, looks, keep

    def _near(self) -> dict[str, set[str]]:
        near: dict[str, set[str]] = {n: set() for n in self.groups}
        for link in self.links:
            a, b = self.home[link.a.switch], self.home[link.b.switch]
            if a != b:
                near[a].add(b)
                near[b].add(a)
        return near

    def _merge(self, first: str, others: Iterable[str]) -> None:
        members = [m for n in (first, *others) for m in self.groups[n].members]
        for n in others:
            del self.groups[n]
        self.groups[first] = _Group(first, members)
        self.home |= dict.fromkeys(members, first)

    def join_alike(self) -> bool:
        """Makes one box of leaves that hang on the same one or two others and look alike; tells whether there were any."""
        near = self._near()
        alike: dict[tuple[frozenset[str], object], list[str]] = defaultdict(list)
        for n in self.groups:
            if len(near[n]) in {1, 2} and all(len(near[o]) > len(near[n]) for o in near[n]) and n not in self.keep:
                alike[frozenset(near[n]), self.looks[n]].append(n)
        folds = [some for some in alike.values() if len(some) >= _FEWEST]
        for some in folds:
            self._merge(some[0], some[1:])
        return bool(folds)

    def take_in(self) -> bool:
        """Makes one box of each that has but leaves below it, with those that look as it does; tells whether there were any."""
        near = self._near()
        leaves = {n for n in self.groups if len(near[n]) == 1 and n not in self.keep}
        folds = {
            n: below
            for n in self.groups
            if n not in leaves and len(near[n] - leaves) in {1, 2}
            if (below := sorted((o for o in near[n] & leaves if self.looks[o] == self.looks[n]), key=natural))
        }
        for n, below in folds.items():
            self._merge(n, below)
        return bool(folds)


class _Drawing:
    def __init__(
        self, network: Network, overlay: Overlay, groups: list[_Group], links: Sequence[Link], *, heard: bool
    ) -> None:
        self.network, self.overlay, self.groups = network, overlay, groups
        self.home = {m: g.name for g in groups for m in g.members}
        self.links = links
        self.stubs = [self._stub(*row) for row in (self._each_heard() if heard else self._kinds_heard())]

    def picture(self) -> Picture:
        """Returns the drawing."""
        texts = {g.name: self._lines(g) for g in self.groups}
        things = [Thing(g.name, *self._size(g, texts[g.name])) for g in self.groups]
        rows = [*self._wires(), *self.stubs]
        layout = placed(things, [w for w, _ in rows], self._tops())
        boxes = tuple(self._drawn(g, texts[g.name], layout.boxes[g.name]) for g in self.groups)
        lines = tuple(made(route) for (_, made), route in zip(rows, layout.routes, strict=True))
        used = (
            {line.tone for line in lines}
            | {e.tone for line in lines for e in (line.a, line.b)}
            | {b.tone for b in boxes}
        )
        legend = [*_USUAL, *self.overlay.legend]
        known = dict(self.overlay.legend)
        shown = tuple((tone, known.get(tone, words)) for tone, words in dict(legend).items() if tone in used)
        campus = self.network.campus
        drawn = sum(len(g.members) for g in self.groups)
        count = (
            f"{drawn} device{'s' if drawn != 1 else ''}, {len(self.links)} link{'s' if len(self.links) != 1 else ''}"
        )
        folded = sum(len(g.members) for g in self.groups if len(g.members) > 1)
        more = f", {folded} folded" if folded else ""
        subtitle = f"{self.overlay.name} · {count}{more}" if self.overlay.name else f"{count}{more}"
        return Picture(
            shortened(campus.name, 80),
            subtitle,
            boxes,
            lines,
            shown,
            tuple(self.overlay.parts),
            layout.width,
            layout.height,
        )

    def _tops(self) -> list[str]:
        """Returns the roots of the spanning trees, those of the larger parts first; then what has the most links."""
        roots = [
            (len(part.switches), root)
            for part in self.network.trees.parts
            for tree in part.trees[:1]
            for root in dict.fromkeys(tree.election.root.values())
            if root in self.home
        ]
        return list(dict.fromkeys(self.home[root] for _, root in sorted(roots, key=lambda r: -r[0])))

    # -- boxes -----------------------------------------------------------------------------------------

    def _lines(self, group: _Group) -> tuple[str, ...]:
        network = self.network
        if len(group.members) > 1:
            names = sorted(group.members, key=natural)
            count = sum(len(network.switches[m].ports) for m in names)
            return (shortened(f"{names[0]} … {names[-1]}", _LINE), f"{count} ports")
        switch = network.switches[group.name]
        if switch.kind is Kind.UNMANAGED:
            return ("passes frames as they are",)
        ports = [p for p in switch.ports.values() if not p.is_lag]
        used = sum(p.enabled for p in ports)
        first = [switch.role] if switch.role else []
        first += ["router"] if switch.kind is Kind.ROUTER else []
        vlans = network.active(switch.name).bit_count() if switch.vlans is not None else 0
        first += [f"{used} of {len(ports)} ports on", *([f"{vlans} VLANs"] if vlans else [])]
        lines = [", ".join(first)]
        own = [i for i in network.gateways.of(switch.name) if i.gateway.enabled and i.gateway.vid is not None]
        for what, some in (
            ("gateway of", {i.gateway.vid for i in own if network.gateways.serves(i)}),
            ("managed in", {i.gateway.vid for i in own if not network.gateways.serves(i)}),
        ):
            if some:
                lines.append(shortened(f"{what} {', '.join(map(str, sorted(filter(None, some))))}", _LINE))
        return tuple(lines)

    def _shown_name(self, group: _Group) -> str:
        if len(group.members) > 1:
            return f"{len(group.members)} switches"
        return shortened(group.name, _NAME)

    def _size(self, group: _Group, lines: tuple[str, ...]) -> tuple[float, float]:
        lettered = any(m in self.overlay.islands for m in group.members)
        name = width_of(self._shown_name(group), TITLE_SIZE, bold=True)
        wide = max(name, *(width_of(line, TEXT_SIZE) for line in lines)) + 2 * PAD + (ISLAND if lettered else 0)
        return wide, height_of(len(lines))

    def _drawn(self, group: _Group, lines: tuple[str, ...], box: Box) -> Drawn:
        overlay = self.overlay
        tones = [overlay.boxes.get(m, overlay.others) for m in group.members]
        tone = next((t for t in tones if t is not overlay.others), overlay.others)
        kind = "bundle" if len(group.members) > 1 else self.network.switches[group.name].kind.value
        letters = dict.fromkeys(overlay.islands[m] for m in group.members if m in overlay.islands)
        titles = [", ".join(sorted(group.members, key=natural)[:40])] if kind == "bundle" else [group.name]
        title = "\n".join([*titles, *lines])
        return Drawn(self._shown_name(group), box, kind, lines, tone, ",".join(letters), title)

    # -- wires -----------------------------------------------------------------------------------------

    def _wires(self) -> list[tuple[Wire, Callable[[Route], Line]]]:
        found: list[tuple[Wire, Callable[[Route], Line]]] = []
        bundled: dict[tuple[str, str], list[Link]] = defaultdict(list)
        folded = {g.name for g in self.groups if len(g.members) > 1}
        for link in self.links:
            a, b = self.home[link.a.switch], self.home[link.b.switch]
            if a == b and set(self.home.values()) and a in folded:
                continue
            if a in folded or b in folded:
                bundled[a, b].append(link)
            else:
                found.append(self._wire(a, b, [link]))
        found += [self._wire(a, b, some) for (a, b), some in bundled.items()]
        return found

    def _wire(self, a: str, b: str, links: list[Link]) -> tuple[Wire, Callable[[Route], Line]]:
        first = links[0]
        ends = (self._label(links, first.a), self._label(links, first.b))
        tones = [self._tone(k) for k in links]
        tone = next((t for t in _WORST if t in tones), tones[0])
        count = sum(max(len(k.wires), 1) for k in links)
        title = "\n".join(f"{k}{f' ({len(k.wires)} cables)' if len(k.wires) > 1 else ''}" for k in links[:12])

        def made(route: Route) -> Line:
            return Line(route, *ends, tone, count, title)

        return Wire(a, b, *map(_length, ends)), made

    def _label(self, links: list[Link], end: PortRef) -> Label:
        if len(links) > 1:
            return Label(f"{len(links)} links")
        link = links[0]
        words = shortened(end.port, _LABEL) + (f" ×{len(link.wires)}" if len(link.wires) > 1 else "")
        said = self.overlay.ends.get(end)
        return Label(f"{words}  {shortened(said.text, _LABEL)}", said.tone) if said else Label(words)

    def _tone(self, link: Link) -> Tone:
        said = self.overlay.links.get((link.a, link.b))
        if said is not None:
            return said
        if not link.up or link.doubt or link.inferred:
            return Tone.UNKNOWN if link.doubt or link.inferred else Tone.FAINT
        return self.overlay.others

    def _outside(self) -> Mapping[str, list[Outside]]:
        """Returns what ports hear and the campus does not know, by box."""
        by_box: dict[str, list[Outside]] = defaultdict(list)
        for outside in self.network.cabling.outside:
            if outside.port.switch in self.home:
                by_box[self.home[outside.port.switch]].append(outside)
        return by_box

    def _kinds_heard(self) -> Iterator[tuple[str, str, str]]:
        """Yields a box, a label and a title for each kind of system that it hears: one by its name, several by their number."""
        for name, several in self._outside().items():
            kinds: dict[str, list[Outside]] = defaultdict(list)
            for one in several:
                kinds[one.heard.kind.value or "system"].append(one)
            for kind, some in kinds.items():
                if len(some) == 1:
                    yield _one_heard(name, some[0])
                else:
                    more = "es" if kind.endswith("s") else "s"
                    yield name, f"{len(some)} {kind}{more} heard", "\n".join(_says(o) for o in some[:40])

    def _each_heard(self) -> Iterator[tuple[str, str, str]]:
        """Yields a box, a label and a title for each system that it hears."""
        yield from (_one_heard(name, one) for name, several in self._outside().items() for one in several)

    @staticmethod
    def _stub(name: str, text: str, title: str) -> tuple[Wire, Callable[[Route], Line]]:
        """Returns a short end at a box."""

        def made(route: Route) -> Line:
            return Line(route, Label(text, Tone.UNKNOWN), Label(""), Tone.UNKNOWN, 1, title)

        return Wire(name, "", _length(Label(text)), 0.0), made


def _one_heard(name: str, one: Outside) -> tuple[str, str, str]:
    return name, f"{shortened(one.port.port, 12)} → {shortened(_who(one), 16)}", _says(one)


def _who(one: Outside) -> str:
    return one.heard.system or one.heard.chassis or "somebody"


def _says(one: Outside) -> str:
    return f"{one.port} hears {_who(one)}, not in this campus"


def _length(label: Label) -> float:
    return width_of(label.text, LABEL_SIZE, bold=label.tone in LOUD)


_USUAL: Final = (
    (Tone.PLAIN, "a link, with the port at each end"),
    (Tone.BLOCKED, "blocked by the spanning tree"),
    (Tone.UNKNOWN, "heard, and not in this campus or not certain"),
    (Tone.FAINT, "not concerned, or shut down"),
    (Tone.LOST, "carries less than it should"),
)
_WORST: Final = (Tone.WAY, Tone.LOST, Tone.TOUCHED, Tone.UNKNOWN, Tone.BLOCKED, Tone.CARRIES)


def letters(islands: Iterable[Iterable[str]]) -> Mapping[str, str]:
    """Returns a letter for each island, by the devices on it: A for the largest."""
    ordered = sorted((sorted(i, key=natural) for i in islands), key=lambda i: (-len(i), natural(i[0]) if i else ()))
    return {n: _letter(k) for k, island in enumerate(ordered) for n in island}


def _letter(k: int) -> str:
    return chr(ord("A") + k) if k < 26 else f"A{k - 25}"
