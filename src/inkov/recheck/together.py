"""Checks the trees of a certificate of `together`: they surely pass, and get to every member."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import cached_property
from graphlib import CycleError, TopologicalSorter
from itertools import permutations
from typing import Any

from inkov.model.campus import Campus
from inkov.model.names import PortRef
from inkov.model.switch import Kind, Unstated
from inkov.model.touching import telling_vlans
from inkov.model.tree import Protocol
from inkov.recheck.frames import Frames
from inkov.recheck.ports import Inside, Ports
from inkov.recheck.stations import Edges, Stations
from inkov.recheck.wiring import Wiring, up, wiring

_DEEP = 3
"""Frames of more tags than these are not followed in circles."""


class Together:
    """Checks trees of hops from every place with stations to all others, as things are and after each failure."""

    def __init__(self, campus: Campus, claim: Any, failed: frozenset[PortRef] = frozenset()) -> None:
        """Takes a campus of which some ports have failed: nobody expects their stations to be heard."""
        self.campus, self.claim, self.failed = campus, claim, failed

    def check(self, node: Any, failures: int, rests_on: list[str]) -> str:
        """Says why the claim does not follow; empty when it does.

        Args:
            node: the trees, and those after each further failure.
            failures: how many more may come.
            rests_on: takes what the check takes for granted.
        """
        made = wiring(self.campus)
        sure = Ports(self.campus, made, sure=True)
        frames = Frames(self.campus, made, sure)
        edges = Edges(self.campus, made, sure)
        groups = [Stations(self.campus, made, n, sure, edges, whole=False) for n in self.claim["segments"]]
        maybe = Ports(self.campus, made, sure=False)
        around = Edges(self.campus, made, maybe)
        mays = [Stations(self.campus, made, n, maybe, around, whole=False) for n in self.claim["segments"]]
        places = [_places(m) for m in mays]
        if reason := self._no_member(groups, mays, places):
            return reason
        if 3 in self.claim["layers"] and (strange := _no_neighbours(groups)):
            return strange
        trees = {tree["from"]: tree["hops"] for tree in node["trees"]}
        used: set[tuple[PortRef, PortRef]] = set()
        everywhere: set[tuple[str, Inside]] = set()
        for switch, (domain, _) in {p for g in mays for p in g.starts if not p[1][1]}:
            if f"{switch} {domain}" not in trees:
                return f"there is no tree from {domain} on {switch}"
            walked, reason = self._walk(frames, (switch, domain), trees[f"{switch} {domain}"], used)
            everywhere |= walked
            reached = {(s, f[0]) for s, f in walked}
            heard = {r for g in groups for place, refs in g.hearers.items() if place in reached for r in refs}
            for g, perhaps in zip(
                groups, places, strict=True
            ):  # what is in one of several places hears in each of them
                heard |= {r for r, some in perhaps.items() if r not in g.ports and some <= reached}
            senders = {r for m in mays for r in m.ports if r.switch == switch}
            deaf = {r for m in mays for r in m.ports} - heard - (senders if len(senders) == 1 else set())
            if reason or deaf:
                return reason or f"the tree from {domain} on {switch} does not get to {min(deaf)}"
        if loop := self._loop(maybe, made, everywhere):
            return loop
        return self._open(made, used, node, rests_on) or (
            self._failures(made, used, node, failures, rests_on) if failures else ""
        )

    def _no_member(
        self, groups: list[Stations], mays: list[Stations], places: list[dict[PortRef, set[tuple[str, int]]]]
    ) -> str:
        """Says which port is, or may be, a member that does not surely take part; empty when there is none."""
        if nobody := [g.segment.name for g in groups if not g.known and not self.failed]:
            return f"no port of {nobody[0]} is known"
        if dead := sorted({r for g in groups for r in g.named - g.ports} - self.failed):
            return f"{dead[0]} is a member and passes nothing"
        if mute := sorted({r for g in groups for r in g.mute} - self.failed):
            return f"{mute[0]} hears the segment, and takes no frame of its station in"
        for g, m, perhaps in zip(groups, mays, places, strict=True):
            maybe = m.ports - g.ports - self.failed
            if unsure := {r for r in maybe if r in g.set_in or not perhaps.get(r)}:
                return f"{min(unsure)} may pass nothing"
            if silent := {r for r in maybe if self._of_any_kind(r)}:
                return f"{min(silent)} may hear and not send"
        return ""

    def _of_any_kind(self, ref: PortRef) -> bool:
        """Tells whether nothing states what a port is, and it may have sets of its own."""
        port = self.campus.switches[ref.switch].ports.get(ref.port)
        return port is not None and isinstance(port.switching, Unstated) and port.switching.general

    def _walk(
        self, frames: Frames, start: tuple[str, int], hops: Any, used: set[tuple[PortRef, PortRef]]
    ) -> tuple[set[tuple[str, Inside]], str]:
        states: list[tuple[str, str, Inside]] = [(start[0], "", (start[1], ()))]
        for before, port, *end, domain in hops:
            switch, by, frame = states[before]
            near, far = PortRef(switch, port), PortRef(*(end if len(end) > 1 else end[0].split(":", 1)))
            arrived = (
                [f for f in frames.cross(near, far, frame) if f[0] == domain]
                if (near, far) in frames.edges[switch]
                else []
            )
            if not arrived or port == by:
                return set(), f"no frame of {frame[0]} surely passes from {near} to {far} into {domain}"
            used.add((near, far))
            states.append((far.switch, far.port, arrived[0]))
        return {(s, f) for s, _, f in states}, ""

    def _open(self, made: Wiring, used: set[tuple[PortRef, PortRef]], node: Any, rests_on: list[str]) -> str:
        """Sees to it that ports which a tree or pruning might shut are named as an assumption."""
        for near, far in sorted(used):
            if self._on_a_ring(made, near, far) or self.campus.switches[near.switch].prunes:
                if str(near) not in node["open"]:
                    return f"{near} is on a ring or pruned, and is not named as open"
                rests_on.append(f"the tree and pruning leave {near} open")
        return ""

    def _loop(self, maybe: Ports, made: Wiring, places: set[tuple[str, Inside]]) -> str:
        """Says where frames of some places may go round in a ring, none of whose devices is known to run a tree."""
        bare = {
            s.name
            for s in self.campus.switches.values()
            if s.kind is Kind.UNMANAGED or s.tree.protocol in {None, Protocol.OFF}
        }
        todo: list[tuple[str, str, Inside]] = [(s, "", f) for s, f in sorted(places) if s in bare]
        if not todo:
            return ""
        frames = Frames(self.campus, made, maybe)
        onward: dict[tuple[str, str, Inside], list[tuple[str, str, Inside]]] = {}
        while todo:
            state = todo.pop()
            if state in onward:
                continue
            switch, by, frame = state
            onward[state] = [
                (far.switch, far.port, arrived)
                for near, far in frames.edges[switch]
                if near.port != by and far.switch in bare and len(frame[1]) < _DEEP
                if (near, far) in made.links or (far, near) in made.links
                for arrived in (*frames.cross(near, far, frame), *self._pushed(frames, near, far, frame))
            ]
            todo += onward[state]
        try:
            TopologicalSorter(onward).prepare()
        except CycleError as exc:
            switch, by, _ = exc.args[1][0]
            return f"frames go round at {PortRef(switch, by)}, where no tree is known to run"
        return ""

    def _pushed(self, frames: Frames, near: PortRef, far: PortRef, frame: Inside) -> Iterator[Inside]:
        """Yields what a far port of which nothing is known makes of a frame if it is a tunnel: its tag stays inside, in any VLAN."""
        untold = isinstance(self.campus.switches[far.switch].ports[far.port].switching, Unstated)
        for wire in frames.ports.leaves(near, frame) if untold and not frame[1] else ():
            if wire:
                yield from ((d, wire) for d in self._any_vlan if frames.ports.relays(far.switch, d))

    @cached_property
    def _any_vlan(self) -> list[int]:
        """VLANs that stand for all."""
        return list(telling_vlans(self.campus))

    def _on_a_ring(self, made: Wiring, near: PortRef, far: PortRef) -> bool:
        seen, todo = {near.switch}, [near.switch]
        while todo:
            here = todo.pop()
            for k in made.beside[here]:
                if set(k) != {near, far} and up(self.campus, made, k):
                    other = k[1].switch if k[0].switch == here else k[0].switch
                    if other not in seen:
                        seen.add(other)
                        todo.append(other)
        return far.switch in seen

    def _failures(self, made: Wiring, used: Any, node: Any, failures: int, rests_on: list[str]) -> str:
        after = {n["failed"]: n for n in node["when"]}
        wires = {f"cable {a} - {b}": [a, b] for k in made.links for a, b in made.links[k]}
        switches = {f"switch {s.name}": [PortRef(s.name, p) for p in s.ports] for s in self.campus.switches.values()}
        selves = {
            f"switch {s.name}": {PortRef(s.name, f"VLAN {g.vid}") for g in s.gateways}
            for s in self.campus.switches.values()
        }
        for failed, dead in {**wires, **switches}.items():
            less = _disabled(self.campus, dead)
            touched = any(not up(less, made, k) for k in made.links if k in used or k[::-1] in used)
            if touched and failed not in after:
                return f"what happens when {failed} fails is left out"
            if failed in after and (
                why := Together(less, self.claim, self.failed | set(dead) | selves.get(failed, set())).check(
                    after[failed], failures - 1, rests_on
                )
            ):
                return f"when {failed} fails: {why}"
        return ""


def _places(stations: Stations) -> dict[PortRef, set[tuple[str, int]]]:
    """Returns the places in which each port of some stations hears."""
    found: dict[PortRef, set[tuple[str, int]]] = {}
    for place, refs in stations.hearers.items():
        for ref in refs:
            found.setdefault(ref, set()).add(place)
    return found


def _no_neighbours(groups: list[Stations]) -> str:
    """Says which two hosts send each other no packet in frames of their own: by its mask one takes the other for far away."""
    own = [g.alone.address for g in groups if g.alone is not None and g.alone.address is not None]
    for a, b in permutations(own, 2):
        known = a.version == b.version and a.network.prefixlen < a.max_prefixlen
        if a.ip == b.ip or (known and b.ip not in a.network):
            return f"{a} sends no packet to {b} in a frame of its own"
    return ""


def _disabled(campus: Campus, dead: list[PortRef]) -> Campus:
    switches = dict(campus.switches)
    for ref in dead:
        s = switches[ref.switch]
        switches[ref.switch] = replace(s, ports={**s.ports, ref.port: replace(s.ports[ref.port], enabled=False)})
    return replace(campus, switches=switches)
