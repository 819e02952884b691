"""Closed sets of frames: whether any frame of a set can get out of it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from functools import reduce
from operator import and_
from typing import Any, Final, TypeAlias

from inkov.model.campus import Campus
from inkov.model.names import PortRef, unknown_port
from inkov.model.switch import Unstated
from inkov.model.vlanset import ALL, NONE, VID_MAX, VlanSet
from inkov.recheck.ports import ANY, DEEPEST, Inside, Ports
from inkov.recheck.wiring import Wiring, lag_forms, unsure, up

Set: TypeAlias = dict[str, dict[str, set[Inside]]]
"""Switch to port of arrival, or `*` for frames that start there, to frames."""

_MANY = 500_000  # frames of a set that are worth reading


STARTS: Final = ""
"""The port of arrival of frames that start on a switch: no port has an empty name."""


class Malformed(Exception):
    """A certificate that is not in the form; the message says what is wrong."""


class Frames:
    """Links as a frame finds them, in one reading of the port table."""

    def __init__(self, campus: Campus, made: Wiring, ports: Ports) -> None:  # noqa: C901 - what joins ports, one after the other
        self.campus, self.ports = campus, ports
        self._acts: dict[PortRef, list[PortRef]] = {}
        self._held: dict[PortRef, VlanSet] = {}
        self.edges: dict[str, list[tuple[PortRef, PortRef]]] = defaultdict(list)
        self._unknown: set[PortRef] = set()
        hubs: dict[PortRef, list[PortRef]] = defaultdict(list)
        for a, b in made.links:
            doubtful = (a, b) in made.doubtful
            sure = not doubtful and lag_forms(campus, made, (a, b)) and not unsure(campus, made, (a, b))
            if up(campus, made, (a, b)) and (sure or not ports.sure):
                self._join(a, b)
                if not lag_forms(campus, made, (a, b)):
                    self._join_loose(made, a, b)
            if doubtful and not ports.sure:
                hubs[a].append(b)
                hubs[b].append(a)
        for a, b in () if ports.sure else made.labelled:
            self._join(a, b)
        for ends in hubs.values():
            for i, a in enumerate(ends):
                for b in ends[i + 1 :]:
                    self._join(a, b)
        known = self.campus.switches
        for name, heard_by in ({} if ports.sure else made.strangers).items():
            for ref in heard_by:
                end = PortRef(name, unknown_port(ref, known[name].ports if name in known else ()))
                self._unknown.add(end)
                self._join(ref, end)

    def read(self, data: Any) -> Set:
        """Reads a closed set as a certificate writes it.

        Raises:
            Malformed: it is none, or names frames that no switch of the campus can have.
        """
        made: Set = {}
        count = 0
        try:
            for switch, ports in data.items():
                for port, by_inside in ports.items():
                    own = STARTS if port == "*" else port.removeprefix("\\")
                    frames = made.setdefault(switch, {}).setdefault(own, set())
                    for inside, spans in by_inside.items():
                        tags = (ANY,) if inside == "any" else tuple(map(int, filter(None, inside.split("."))))
                        for span in spans.split(","):
                            low, _, high = span.partition("-")
                            some = range(int(low), min(int(high or low), 4094) + 1)
                            count += len(some)
                            if count > _MANY:
                                raise Malformed(f"a closed set names more than {_MANY} frames")
                            if not self._relays(switch, some) or len(tags) > DEEPEST:
                                raise Malformed(
                                    f"a closed set names {span} on {switch!a:.60}, which relays no such frames"
                                )
                            frames.update((d, tags) for d in some)
        except (AttributeError, ValueError, TypeError):
            raise Malformed("a closed set is not in the form") from None
        return made

    def _relays(self, switch: str, domains: range) -> bool:
        """Tells whether a device may have frames in some domains: one that is known by name only in any."""
        known = switch in self.campus.switches
        return all(self.ports.relays(switch, d) if known else 0 <= d <= VID_MAX for d in domains)

    def _join_loose(self, made: Wiring, a: PortRef, b: PortRef) -> None:
        """Joins the cables of a LAG that may not form one by one."""
        for x, y in made.links[a, b]:
            if all(self.campus.switches[r.switch].ports[r.port].enabled for r in (x, y)):
                for pair in {(p, q) for p in (x, a) for q in (y, b)} - {(a, b)}:
                    self._join(*pair)

    def _as(self, ref: PortRef) -> list[PortRef]:
        """Returns the ports as which a port may act: a member of a LAG as the LAG, too."""
        if ref not in self._acts:
            self._acts[ref] = self._acting(ref)
        return self._acts[ref]

    def _acting(self, ref: PortRef) -> list[PortRef]:
        ports = self.campus.switches[ref.switch].ports
        lag = ports[ref.port].lag
        if not lag or lag not in ports:
            return [ref]
        return [PortRef(ref.switch, lag), *([] if isinstance(ports[ref.port].switching, Unstated) else [ref])]

    def _join(self, a: PortRef, b: PortRef) -> None:
        self.edges[a.switch].append((a, b))
        self.edges[b.switch].append((b, a))

    def cross(self, near: PortRef, far: PortRef, frame: Inside) -> set[Inside]:
        """Returns where a frame that leaves by one end may be behind the other."""
        inner = (ANY,) if ANY in frame[1] else ()
        if far in self._unknown:
            if not self.ports.leaves(near, frame):
                return set()
            known = far.switch in self.campus.switches
            return {(d, inner) for d in (ALL if known else [0]) if not known or self.ports.relays(far.switch, d)}
        if near in self._unknown:
            return {(d, inner) for d, _ in self.ports.enters(far, (ANY,))}
        found: set[Inside] = set()
        for own in self._as(near):
            for wire in self.ports.leaves(own, frame):
                for other in self._as(far):
                    found |= self.ports.enters(other, wire)
        return found

    def _holds_back(self, near: PortRef) -> VlanSet:
        """Returns VLANs of which no frame leaves by one end of a link, whatever it acts as."""
        if near not in self._held:
            self._held[near] = reduce(and_, map(self.ports.holds_back, self._as(near)))
        return self._held[near]

    def hole(self, frames: Set, starts: Iterable[tuple[str, Inside]]) -> str:
        """Says how a frame that starts in one of some places gets out of a set; empty when none does."""
        for switch, frame in starts:
            if not _covers(frames.get(switch, {}).get(STARTS, set()), frame):
                return f"frames start in {frame[0]} on {switch}, which the set leaves out"
        for switch, by_port in frames.items():
            came = _came_by(by_port)
            for near, far in self.edges.get(switch, ()):
                there = frames.get(far.switch, {})
                strange = near in self._unknown or far in self._unknown
                held = NONE if strange else self._holds_back(near)
                for frame, ports in came.items():
                    if frame[0] in held or ports == {near.port}:  # nor does it leave by the port that it came by
                        continue
                    for new in self.cross(near, far, frame):
                        if not (_covers(there.get(far.port, set()), new) or _leaves_by_all(there, new)):
                            return f"frames of {frame[0]} leave {near} and arrive in {new[0]} at {far}, which the set leaves out"
        return ""


def _came_by(by_port: Mapping[str, set[Inside]]) -> Mapping[Inside, set[str]]:
    """Maps the frames of a switch to the ports that they came by."""
    found: dict[Inside, set[str]] = defaultdict(set)
    for port, some in by_port.items():
        for frame in some:
            found[frame].add(port)
    return found


def _leaves_by_all(by_port: Mapping[str, set[Inside]], frame: Inside) -> bool:
    """Tells whether a frame is in a set in such a way that it leaves by every port: started there, or came by two."""
    return _covers(by_port.get(STARTS, set()), frame) or sum(_covers(some, frame) for some in by_port.values()) > 1


def _covers(some: set[Inside], frame: Inside) -> bool:
    """Tells whether a frame is among some; whatever tags are inside is among `any`."""
    return frame in some or (frame[0], (ANY,)) in some


def places(frames: Set) -> Iterator[tuple[str, Inside]]:
    """Yields each switch and frame of a set."""
    for switch, by_port in frames.items():
        for some in by_port.values():
            yield from ((switch, f) for f in some)
