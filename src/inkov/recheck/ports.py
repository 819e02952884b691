"""The handbook's port table, read literally, one frame at a time."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Final, TypeAlias

from inkov.model.campus import Campus
from inkov.model.names import PortRef
from inkov.model.switch import (
    Access,
    Bridged,
    FrameTypes,
    General,
    Kind,
    Negotiated,
    Plain,
    PrivateHost,
    Promiscuous,
    Stance,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
    VlanType,
)
from inkov.model.vlanset import ALL

Tags: TypeAlias = tuple[int, ...]
"""The VIDs on a frame, outermost first; `ANY` at the end stands for whatever a hostile station put there."""

Inside: TypeAlias = tuple[int, Tags]
"""A frame inside a switch: its domain, and the tags left inside."""

ANY: Final = -1
DEEPEST: Final = 4
_TRUNK_ANSWERS = {  # rows: this end, columns: the other; whether this end becomes a trunk
    "passive": {"access": 0, "silent": 0, "announcing": 1, "passive": 0, "active": 1},
    "active": {"access": 0, "silent": 0, "announcing": 1, "passive": 1, "active": 1},
}


class Ports:
    """What every port does: `sure` for what surely happens, else all that may; `worst` with the worse unstated habits."""

    def __init__(self, campus: Campus, far: Mapping[PortRef, PortRef | None], *, sure: bool, worst: bool) -> None:
        self.switches, self.far, self.sure, self.worst = campus.switches, far, sure, worst
        self._kinds: dict[PortRef, list[Switching]] = {}

    def relays(self, switch: str, domain: int) -> bool:
        """Tells whether a switch relays a domain."""
        s = self.switches[switch]
        if s.kind is Kind.UNMANAGED:
            return domain == 0
        if s.vlans is None or (domain == 1 and not self.sure and not s.default_vlan_listed):
            return True
        return domain in s.vlans and s.vlans[domain].active

    def enters(self, ref: PortRef, tags: Tags) -> set[Inside]:
        """Returns where a frame that arrives at a port may be inside the switch."""
        found: set[Inside] = set()
        wires = [tags] if tags[:1] != (ANY,) else [tags, *((t, ANY) for t in self.tags(ref))]
        for kind in self.kinds(ref):
            for wire in wires:
                found.update(
                    (d, (ANY,) if ANY in inner else inner) for d, inner in self._enters(ref.switch, kind, wire)
                )
        return {(d, inner) for d, inner in found if self.relays(ref.switch, d) and len(inner) <= DEEPEST}

    def tags(self, ref: PortRef) -> set[int]:
        """Returns all tags that may lead anywhere at a port: those of VLANs the switch may relay, and those it renames."""
        table = self.switches[ref.switch].vlans
        renamed = {
            t
            for kind in self.kinds(ref)
            for t, _ in (
                kind.translate if isinstance(kind, Trunk) else kind.tagged if isinstance(kind, Bridged) else ()
            )
        }
        return renamed | (set(ALL) if table is None else {1, *table})

    def leaves(self, ref: PortRef, frame: Inside) -> set[Tags]:
        """Returns the tags a frame may leave a port with; empty when it does not leave there."""
        if not self.relays(ref.switch, frame[0]):
            return set()
        return {tags for kind in self.kinds(ref) for tags in self._leaves(ref.switch, kind, *frame)}

    def kinds(self, ref: PortRef) -> list[Switching]:
        """Returns what a port is after negotiation: one kind, or several where that is not known."""
        if ref not in self._kinds:
            self._kinds[ref] = self._negotiated(ref)
        return self._kinds[ref]

    def _negotiated(self, ref: PortRef) -> list[Switching]:
        port = self.switches[ref.switch].ports[ref.port]
        kind, far = port.switching, self.far.get(ref)
        if not port.enabled:
            return []
        if not isinstance(kind, Negotiated):
            return [kind]
        if port.stance is Stance.SILENT:
            return [kind.access]
        if far is None:
            return [kind.access] if self.sure else [kind.access, kind.trunk]
        if len({self.switches[r.switch].sync_group for r in (ref, far)} - {""}) > 1:
            return [kind.access]
        becomes = {_TRUNK_ANSWERS[a][b] for a in _sides(self.switches, ref) for b in _sides(self.switches, far)}
        if len(becomes) > 1:
            return [kind.access] if self.sure else [kind.access, kind.trunk]
        return [kind.trunk if becomes == {1} else kind.access]

    def _enters(self, switch: str, kind: Switching, tags: Tags) -> Iterator[Inside]:  # noqa: C901, PLR0912 - a row a case
        habits = self.switches[switch].worst if self.worst else self.switches[switch].habits
        plain = not tags or tags[0] in {0, ANY}
        tag, inner = (0, tags if tags[:1] == (ANY,) else tags[1:]) if plain else (tags[0], tags[1:])
        match kind:
            case Plain():
                yield 0, inner if plain else tags
            case Tunnel(vid=v):
                yield v, inner if plain else tags
            case Access(vid=None) | Unstated():
                if not self.sure and (plain or isinstance(kind, Unstated) or habits.own_tag):
                    yield from ((v, inner) for v in (ALL if plain else [tag]))
            case Access(vid=v, voice=w):
                if v is not None and (plain or tag == w or (tag == v and habits.own_tag)):
                    yield v if plain else tag, inner
            case Trunk(native=n, allowed=allowed, native_tagged=native_tagged, translate=translate):
                if plain:
                    if n is not None and not native_tagged and (n in allowed or habits.native_outside_list):
                        yield n, inner
                    return
                wire = dict(translate)
                if tag not in wire and tag in wire.values():
                    return
                v = wire.get(tag, tag)
                if v in allowed and (v != n or native_tagged or habits.tagged_native):
                    yield v, inner
            case General(pvid=p, untagged=u, tagged=t, frames=frames, filtering=filtering):
                v = p if plain else tag
                barred = FrameTypes.TAGGED if plain else FrameTypes.UNTAGGED
                if v is not None and frames is not barred and (not filtering or v in u | t):
                    yield v, inner
            case PrivateHost(secondary=v) | Promiscuous(primary=v) if plain:
                yield v, inner
            case Bridged(untagged=d, tagged=pairs):
                if plain and d is not None:
                    yield d, inner
                yield from ((v, inner) for t, v in pairs if not plain and t == tag)
            case _:
                pass

    def _leaves(self, switch: str, kind: Switching, d: int, inner: Tags) -> Iterator[Tags]:  # noqa: C901, PLR0912 - a row a case
        s = self.switches[switch]
        match kind:
            case Plain():
                yield inner
            case Tunnel(vid=v) if v == d:
                yield inner
            case Access(vid=None) if not self.sure:
                yield inner
            case Unstated() if not self.sure:
                yield from (inner, (d, *inner))
            case Access(vid=v, voice=w) if d in {v, w}:
                yield inner if d == v else (d, *inner)
            case Trunk(native=n, allowed=allowed, native_tagged=native_tagged, translate=translate):
                passes = (s.worst if self.worst else s.habits).native_outside_list
                wire = {v: t for t, v in translate}
                if d == n and not native_tagged and (d in allowed or passes):
                    yield inner
                elif d in allowed and (d in wire or d not in dict(translate)):
                    yield (wire.get(d, d), *inner)
            case General(untagged=u, tagged=t) if d in u | t:
                yield inner if d in u else (d, *inner)
            case PrivateHost(primary=p, secondary=v):
                entry = (s.vlans or {}).get(v)
                type_ = entry.type if entry else VlanType.PLAIN
                if d == p or (d == v and (type_ is VlanType.COMMUNITY or (type_ is VlanType.PLAIN and not self.sure))):
                    yield inner
            case Promiscuous(primary=p, secondaries=some) if d == p or d in some:
                yield inner
            case Bridged(untagged=u_, tagged=pairs):
                if d == u_:
                    yield inner
                yield from ((t, *inner) for t, v in pairs if v == d)
            case _:
                pass


def _sides(switches: Mapping[str, object], ref: PortRef) -> list[str]:
    """Returns the rows of the negotiation table a port may stand for."""
    port = switches[ref.switch].ports[ref.port]  # type: ignore[attr-defined]
    if isinstance(port.switching, Negotiated):
        return (
            ["access"]
            if port.stance is Stance.SILENT
            else [port.stance.value]
            if port.stance
            else ["passive", "active"]
        )
    if isinstance(port.switching, Trunk):
        return {None: ["silent", "announcing"], Stance.SILENT: ["silent"]}.get(port.stance, ["announcing"])
    return ["access"]
