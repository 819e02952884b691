"""The port table (docs/frames.md, section 1), read literally, one frame at a time; what nothing states is taken at its worst."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Final, TypeAlias, assert_never

from inkov.model.campus import Campus
from inkov.model.names import PortRef
from inkov.model.switch import (
    DOT1Q,
    NEGOTIATED_FORMAT,
    Access,
    Bridged,
    FrameTypes,
    General,
    Kind,
    Negotiated,
    Plain,
    PrivateHost,
    Promiscuous,
    Routed,
    Stance,
    Switch,
    Switching,
    Trunk,
    Tunnel,
    Unstated,
    Vlan,
    VlanType,
)
from inkov.model.touching import telling_vlans
from inkov.model.vlanset import ALL, NONE, VlanSet
from inkov.recheck.traits import traits
from inkov.recheck.wiring import Wiring, joined, registering

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


def vid(tag: int) -> int:
    """Returns the VID of a tag; above its twelve bits stands the number of the tag's format."""
    return tag % 4096


@dataclass(frozen=True)
class Own:
    """One thing that a port may be: its kind, its tag formats then, and whether it is so for what is registered alone."""

    kind: Switching
    formats: tuple[int, ...]
    registered: bool = False


class Ports:
    """What every port does: `sure` for what surely happens, else all that may.

    Attributes:
        formats: the number of each tag format in the campus; 0 is IEEE 802.1Q.
    """

    def __init__(self, campus: Campus, made: Wiring, *, sure: bool) -> None:
        self.campus, self.switches, self.made, self.sure = campus, campus.switches, made, sure
        names = {p.tag_format for s in self.switches.values() for p in s.ports.values()} - {DOT1Q, NEGOTIATED_FORMAT}
        self.formats = {name: i for i, name in enumerate([DOT1Q, *sorted(names)])}
        self._kinds: dict[PortRef, list[Own]] = {}
        self._entered: dict[tuple[PortRef, Tags], set[Inside]] = {}
        self._held: dict[PortRef, VlanSet] = {}
        self._relays: dict[tuple[str, int], bool] = {}
        self._tables: dict[str, list[Mapping[int, Vlan] | None]] = {}
        self.registering = registering(campus, made)
        self.telling = telling_vlans(campus) if {s.registration for s in campus.switches.values()} - {False} else {}

    # -- VLAN tables ---------------------------------------------------------------------------------

    def relays(self, switch: str, domain: int) -> bool:
        """Tells whether a switch relays a domain: by each of the tables it may have, or by one at least."""
        if (switch, domain) not in self._relays:
            self._relays[switch, domain] = self._relayed(switch, domain)
        return self._relays[switch, domain]

    def _relayed(self, switch: str, domain: int) -> bool:
        s = self.switches[switch]
        if s.kind is Kind.UNMANAGED:
            return domain == 0
        if domain == 1 and not self.sure and not s.default_vlan_listed:
            return True
        said = (table is None or (domain in table and table[domain].active) for table in self.tables(switch))
        return all(said) if self.sure else any(said)

    def tables(self, switch: str) -> list[Mapping[int, Vlan] | None]:
        """Returns the VLAN tables that a switch may have: its own, and those that its sync group may give it."""
        if switch not in self._tables:
            own = self.switches[switch]
            found: list[Mapping[int, Vlan] | None] = [own.vlans]
            if own.sync is not None and own.sync.shares and own.vlans is not None:
                for name in joined(self.campus, self.made, switch) - {switch}:
                    other = self.switches[name]
                    mine, theirs = own.sync, other.sync
                    of_one = theirs is not None and (mine.group, mine.secret) == (theirs.group, theirs.secret)
                    if theirs is None or not theirs.shares or not of_one:
                        continue
                    ages = theirs.generation, mine.generation
                    if None in ages or (ages[0] or 0) >= (ages[1] or 0):
                        kept = {v: e for v, e in own.vlans.items() if not _spreads(other, e)}
                        theirs_all = (other.vlans or {}, *other.other_tables)
                        found += [{v: e for v, e in t.items() if _spreads(other, e)} | kept for t in theirs_all]
            dynamic = own.registration is not False and not self.sure
            self._tables[switch] = [*found, *own.other_tables, *([self.telling] if dynamic else [])]
        return self._tables[switch]

    # -- frames --------------------------------------------------------------------------------------

    def enters(self, ref: PortRef, tags: Tags, kinds: list[Own] | None = None) -> set[Inside]:
        """Returns where a frame that arrives at a port may be inside the switch; in `sure`, where it surely is.

        Args:
            ref: the port.
            tags: on the frame, outermost first.
            kinds: what the port is taken to be; all that it may be when left out.
        """
        if kinds is not None:
            return self._inside(ref, tags, kinds)
        if (ref, tags) not in self._entered:
            self._entered[ref, tags] = self._inside(ref, tags, self.kinds(ref))
        return self._entered[ref, tags]

    def _inside(self, ref: PortRef, tags: Tags, kinds: list[Own]) -> set[Inside]:
        found: set[Inside] = set()
        wires = [tags] if tags[:1] != (ANY,) else [tags, *((t, ANY) for t in self.tags(ref))]
        for own in kinds:
            for wire in wires:
                found.update((d, (ANY,) if ANY in inner else inner) for d, inner in self._arrives(ref, own, wire))
        return {(d, inner) for d, inner in found if self.relays(ref.switch, d) and len(inner) <= DEEPEST}

    def tags(self, ref: PortRef) -> set[int]:
        """Returns all tags that may lead anywhere at a port: those of VLANs the switch may relay, and those it renames."""
        vids: set[int] = set()
        for table in self.tables(ref.switch):
            vids |= set(ALL) if table is None else {1, *table}
        for own in self.kinds(ref):
            if isinstance(own.kind, Trunk):
                vids |= {t for t, _ in own.kind.translate}
            elif isinstance(own.kind, Bridged):
                vids |= {t for t, _ in own.kind.tagged}
        return {v + 4096 * number for v in vids for number in self.formats.values()}

    def leaves(self, ref: PortRef, frame: Inside, kinds: list[Own] | None = None) -> set[Tags]:
        """Returns the tags a frame may leave a port with; empty when it does not leave there."""
        if not self.relays(ref.switch, frame[0]):
            return set()
        domain, inner = frame
        found: set[Tags] = set()
        for own in self.kinds(ref) if kinds is None else kinds:
            for tag in self._leaves(ref.switch, own.kind, domain):
                found.update([inner] if tag is None else [(tag + 4096 * number, *inner) for number in own.formats])
        return found

    def holds_back(self, ref: PortRef) -> VlanSet:
        """Returns VLANs of which no frame leaves a port: of a trunk all that are neither in its list nor its native VLAN."""
        if ref not in self._held:
            sent = NONE
            for own in self.kinds(ref):
                known = own.kind if isinstance(own.kind, Trunk) and own.kind.native_stated else None
                sent |= known.allowed | VlanSet([known.native] if known.native else []) if known else ALL
            self._held[ref] = ~sent
        return self._held[ref]

    def _arrives(self, ref: PortRef, own: Own, tags: Tags) -> Iterator[Inside]:
        """Yields where a frame enters by one reading of a port; a tag of another format than its own is payload."""
        if not tags or tags[0] == ANY:
            yield from self._enters(ref.switch, own.kind, None, tags)
            return
        known = tags[0] // 4096 in own.formats
        whole = not known or (len(own.formats) > 1 and not self.sure)
        if known:
            tag, inner = vid(tags[0]), tags[1:]
            entered = list(self._enters(ref.switch, own.kind, tag or None, inner))
            yield from entered
            whole = whole or (not entered and tag != 0 and traits(own.kind).whole)
        if whole:
            yield from self._enters(ref.switch, own.kind, None, tags)

    # -- what a port is ------------------------------------------------------------------------------

    def honest(self, ref: PortRef) -> list[Own]:
        """Returns what a port may be for honest stations, which do not negotiate: alone with them it forms no trunk."""
        port = self.switches[ref.switch].ports[ref.port]
        if isinstance(port.switching, Negotiated) and ref not in self.made.far:
            return self.kinds_of(ref, [port.switching.access])
        return self.kinds(ref)

    def kinds(self, ref: PortRef) -> list[Own]:
        """Returns all that a port may be after negotiation; in `sure`, nothing where that is more than one thing."""
        if ref not in self._kinds:
            self._kinds[ref] = self.kinds_of(ref, self._negotiated(ref))
        return self._kinds[ref]

    def kinds_of(self, ref: PortRef, became: list[Switching]) -> list[Own]:
        """Returns all that a port may be that became one of some kinds."""
        return list(self._readings(ref, became))

    def _readings(self, ref: PortRef, became: list[Switching]) -> Iterator[Own]:
        port = self.switches[ref.switch].ports[ref.port]
        ports = self.switches[ref.switch].ports
        members = [ports[m] for m in port.members if m in ports]
        if not port.enabled or (members and not any(m.enabled for m in members)) or (self.sure and port.doubt):
            return
        left_open = port.tag_format == NEGOTIATED_FORMAT
        formats = tuple(self.formats.values()) if left_open else (self.formats[port.tag_format],)
        told = len(became) == 1 and not (left_open and isinstance(port.switching, Trunk))
        for kind in became if told or not self.sure else ():
            yield Own(kind, () if left_open and self.sure else formats)
        if not self.sure and ref in self.registering:
            yield self.registered(ref)
        if not self.sure and left_open and isinstance(port.switching, Trunk):  # or it is none, in any VLAN
            yield Own(Access(None), formats)

    def registered(self, ref: PortRef) -> Own:
        """Returns what a port is for VLANs that come to it by registration."""
        port = self.switches[ref.switch].ports[ref.port]
        own, limits, formats = port.switching, port.registration, (self.formats.get(port.tag_format, 0),)
        vlans = (limits.normal - limits.forbidden) & VlanSet(self.telling)
        pvid = own.pvid if isinstance(own, General) and own.frames is not FrameTypes.TAGGED else None
        return Own(General(pvid, NONE, vlans, FrameTypes.ALL if pvid else FrameTypes.TAGGED), formats, registered=True)

    def _negotiated(self, ref: PortRef) -> list[Switching]:
        """Returns what negotiation may make of a port."""
        port = self.switches[ref.switch].ports[ref.port]
        kind, far = port.switching, self.made.far.get(ref)
        if not isinstance(kind, Negotiated):
            return [kind]
        either: list[Switching] = [kind.access, kind.trunk]
        if port.stance is Stance.SILENT:
            return [kind.access]
        if far is None or self.switches[far.switch].kind is Kind.UNMANAGED:
            return either
        if any(self.switches[r.switch].ports[r.port].members for r in (ref, far)):  # of a LAG each may negotiate
            return either
        if len({self.switches[r.switch].sync_group for r in (ref, far)} - {""}) > 1:
            return [kind.access]
        becomes = {_TRUNK_ANSWERS[a][b] for a in _sides(self.switches, ref) for b in _sides(self.switches, far)}
        return either if len(becomes) > 1 else [kind.trunk if becomes == {1} else kind.access]

    def _has(self, switch: str, habit: str) -> bool:
        """Tells whether a platform passes more: as stated, else the worse of the two for what is to be shown."""
        s = self.switches[switch]
        return not self.sure if habit in s.unstated_habits else bool(getattr(s.habits, habit))

    # -- the port table ------------------------------------------------------------------------------

    def _enters(self, switch: str, kind: Switching, tag: int | None, inner: Tags) -> Iterator[Inside]:  # noqa: C901, PLR0912 - a row a case
        """Yields where a frame enters; `tag` is None for an untagged or priority-tagged one."""
        match kind:
            case Trunk():
                yield from ((v, inner) for v in self._trunk_takes(switch, kind, tag))
            case Plain():
                if tag is None:
                    yield 0, inner
            case Tunnel(vid=v):
                if tag is None and not (self.sure and kind.inner is not None):
                    yield v, inner
            case Unstated():
                if not self.sure:
                    yield from ((v, inner) for v in (ALL if tag is None else [tag]))
            case Access(vid=v, voice=w):
                if tag is None:
                    yield from ((d, inner) for d in (ALL if v is None and not self.sure else [] if v is None else [v]))
                elif tag == w or ((tag == v or (v is None and not self.sure)) and self._has(switch, "own_tag")):
                    yield tag, inner
            case General(pvid=p, untagged=u, tagged=t, frames=frames, filtering=filtering):
                v = p if tag is None else tag
                barred = FrameTypes.TAGGED if tag is None else FrameTypes.UNTAGGED
                admitted = not self.sure if frames is None else frames is not barred
                filters = self.sure if filtering is None else filtering
                if v is not None and admitted and (v == 0 or not filters or v in u | t):
                    yield v, inner
            case PrivateHost(secondary=v) | Promiscuous(primary=v):
                if tag is None:
                    yield v, inner
            case Bridged(untagged=d, tagged=pairs):
                if tag is None and d is not None:
                    yield d, inner
                yield from ((v, inner) for t, v in pairs if t == tag)
            case Routed() | Negotiated():  # what was negotiated is one of the others
                return
            case _:
                assert_never(kind)

    def _trunk_takes(self, switch: str, trunk: Trunk, tag: int | None) -> Iterable[int]:
        outside = self._has(switch, "native_outside_list")
        if tag is None:
            if not trunk.native_stated:
                return [] if self.sure else ALL if outside else trunk.allowed
            n = trunk.native
            return [n] if n is not None and not trunk.native_tagged and (n in trunk.allowed or outside) else []
        wire = dict(trunk.translate)
        if tag not in wire and tag in wire.values():
            return []
        v = wire.get(tag, tag)
        untouched = v != trunk.native and trunk.native_stated
        passes = untouched or trunk.native_tagged or self._has(switch, "tagged_native")
        return [v] if v in trunk.allowed and passes else []

    def _leaves(self, switch: str, kind: Switching, d: int) -> Iterator[int | None]:  # noqa: C901, PLR0912 - a row a case
        """Yields the tags a frame leaves with, None for untagged."""
        match kind:
            case Trunk():
                yield from self._trunk_sends(switch, kind, d)
            case Plain():
                yield None
            case Tunnel(vid=v):
                if v == d and not (self.sure and kind.inner is not None):
                    yield None
            case Access(vid=None, voice=w):
                if not self.sure:
                    yield None
                if d == w:
                    yield d
            case Unstated():
                if not self.sure:
                    yield from (None, d)
            case Access(vid=v, voice=w):
                if d in {v, w}:
                    yield None if d == v else d
            case General(untagged=u, tagged=t, plain=plain):
                if d in u | t:
                    yield None if d in u else d
                elif d == 0 and plain:
                    yield None
            case PrivateHost(primary=p, secondary=v):
                if d == p or (d == v and self._is_community(switch, v)):
                    yield None
            case Promiscuous(primary=p, secondaries=some):
                yield from (None,) if d == p or d in some else ()
            case Bridged(untagged=u_, tagged=pairs):
                if d == u_:
                    yield None
                yield from (t for t, v in pairs if v == d)
            case Routed() | Negotiated():  # what was negotiated is one of the others
                return
            case _:
                assert_never(kind)

    def _is_community(self, switch: str, secondary: int) -> bool:
        """Tells whether ports of a secondary VLAN hear each other; not known for one that has no type."""
        entries = [(table or {}).get(secondary) for table in self.tables(switch)]
        types = {entry.type if entry else VlanType.PLAIN for entry in entries}
        return types == {VlanType.COMMUNITY} if self.sure else bool(types & {VlanType.COMMUNITY, VlanType.PLAIN})

    def _trunk_sends(self, switch: str, trunk: Trunk, d: int) -> Iterator[int | None]:
        wire = {v: t for t, v in trunk.translate}
        tagged = d in trunk.allowed and (d in wire or not any(t == d for t, _ in trunk.translate))
        if trunk.native_stated and (d != trunk.native or trunk.native_tagged):
            if tagged:
                yield wire.get(d, d)
            return
        untagged = d in trunk.allowed or self._has(switch, "native_outside_list")
        if not trunk.native_stated:
            if not self.sure:
                yield from [None] if untagged else []
                yield from [wire.get(d, d)] if tagged else []
        elif untagged:
            yield None
        elif tagged:
            yield wire.get(d, d)


def _spreads(newest: Switch, entry: Vlan) -> bool:
    sync = newest.sync
    return sync is not None and entry.vid in sync.spread and (sync.private or entry.type is VlanType.PLAIN)


def _sides(switches: Mapping[str, Switch], ref: PortRef) -> list[str]:
    """Returns the rows of the negotiation table a port may stand for."""
    port = switches[ref.switch].ports[ref.port]
    match port.switching:
        case Unstated():
            return ["access", "silent", "announcing", "passive", "active"]
        case Negotiated():
            if port.stance is None:
                return ["access", "passive", "active"]
            return ["access" if port.stance is Stance.SILENT else port.stance.value]
        case Trunk():
            return {None: ["silent", "announcing"], Stance.SILENT: ["silent"]}.get(port.stance, ["announcing"])
        case Access() | General() | PrivateHost() | Promiscuous() | Tunnel() | Bridged() | Routed() | Plain():
            return ["access"]
        case _:
            assert_never(port.switching)
