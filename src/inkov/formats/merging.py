"""What several files tell of one device, made one switch by the table of facts (`model.facts`).

Each fact is taken from the file that counts most of those that state it: our own where it overrides, then what is configured,
then what is in force. Where two that count alike contradict each other, neither is believed: the fact is not known then.
Nothing is taken from a file that does not state it, but for what nobody states.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from functools import reduce
from typing import Any, Final, NamedTuple

from inkov.formats.contradictions import Contradictions, shown
from inkov.formats.entry import OVER, PART, WHOLE
from inkov.formats.grouping import Piece, devices
from inkov.formats.identities import followed
from inkov.formats.merging_layer3 import layer3
from inkov.kinds.accounts import as_phone, is_stated, refined
from inkov.kinds.kind import Box
from inkov.kinds.relay import View
from inkov.kinds.table import MODES, kind, setting_words
from inkov.model import facts
from inkov.model.facts import DOUBT, Fact, Merge
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.source import Origin, Place
from inkov.model.sources import Contradiction, Told, Twins
from inkov.model.switch import ALL_HABITS, Habits, Heard, Port, Switch, Unstated, Vlan
from inkov.model.tree import BridgeTree, PortTree, Sync
from inkov.model.vlanset import FULL_MASK, Vid


class Merged(NamedTuple):
    """All devices of a site, and what was found on the way."""

    switches: dict[str, Switch]
    told: tuple[Told, ...]
    contradictions: tuple[Contradiction, ...]
    twins: tuple[Twins, ...]


def merged(pieces: Iterable[Piece]) -> Merged:
    """Makes one switch of all that is told of each device; the order of the pieces does not matter."""
    switches: dict[str, Switch] = {}
    told: list[Told] = []
    contradictions: list[Contradiction] = []
    for group in devices(pieces):
        switch = group[0].switch
        if len(group) > 1:
            merging = Merging(group)
            switch = merging.switch()
            contradictions += merging.told.found
        switches[switch.name] = switch
        told += [Told(switch.name, p.file, p.format, p.switch, p.entry.short, p.entry.saved) for p in group]
    switches = followed(switches)
    return Merged(switches, tuple(told), tuple(contradictions), tuple(_twins(switches.values())))


def _twins(switches: Iterable[Switch]) -> Iterable[Twins]:
    first: dict[str, Switch] = {}
    for switch in sorted(switches, key=lambda s: natural(s.name)):
        if switch.mac and (other := first.setdefault(switch.mac, switch)) is not switch:
            yield Twins(other.name, switch.name, switch.mac, (other.origin.here, switch.origin.here))


_SWITCHING: Final = (*MODES, Setting.VOICE)
_MODE_KEYS: Final = frozenset(s.key for s in _SWITCHING)


class Telling(NamedTuple):
    """An object as one file has it: the file's piece, the object, and where it was written."""

    piece: Piece
    holder: Any
    origin: Origin


class Merging:
    """One device of several files.

    Attributes:
        told: the files, and what two of them say that cannot both be.
    """

    def __init__(self, group: Sequence[Piece]) -> None:
        self.group = group
        self.base = next((p for p in group if p.entry.standing == WHOLE and p.switch.ports), group[0])
        named = [(p.weight, p.rank, p.switch.name) for p in group if p.entry.named]
        self.name = min(named)[2] if named else self.base.switch.name
        self.told = Contradictions(self.name, group)
        self.trees_doubted = False

    def switch(self) -> Switch:
        """Returns the switch."""
        base = self.base.switch
        own = [Telling(p, p.switch, p.switch.origin) for p in self.group]
        values, places = self.of(facts.SWITCH, own)
        tables, vlan_places = self._tables()
        self.table = tables[0] if tables else None
        self.active = FULL_MASK if self.table is None else sum(1 << v for v, e in self.table.items() if e.active)
        self.habits, unstated = self._habits()
        tree, tree_places = self._tree(own)
        sync, sync_places, unknown_table = self._sync()
        holders = [p for p in self.group if p.switch.vlans is not None]
        whole = [p for p in self.group if p.entry.standing != PART]
        kinds = [p.switch.kind for p in whole if p.counts_as(whole[0])]
        limits = dict(pair for p in reversed(self.group) for pair in p.switch.limits.items())
        values |= layer3(self.told)
        ports = self._ports()
        if self.trees_doubted:
            tree = replace(tree, protocol=None)
        doubt = unknown_table or (self.told.why(Setting.VLANS) if len(tables) > 1 else "")
        if unknown_table and self.table is not None:
            tables = [self.table, _EVERY_VLAN, {}]
        return replace(
            base,
            **values,
            name=self.name,
            vlans=self.table,
            other_tables=tuple(tables[1:]),
            doubt=doubt,
            ports=ports,
            heard=self._heard(),
            kind=min(kinds, key=lambda k: k.value) if kinds else base.kind,
            habits=self.habits,
            unstated_habits=unstated,
            tree=tree,
            sync=sync,
            gateways_stated=bool(values["gateways"])
            or any(p.switch.gateways_stated for p in self.group if p.entry.standing != PART),
            default_vlan_listed=any(p.switch.default_vlan_listed for p in holders),
            limits=limits,
            origin=_moved(base.origin, {**vlan_places, **sync_places, **tree_places, **places}),
        )

    # -- by the table of facts -------------------------------------------------------------------------

    def of(
        self, rows: Iterable[Fact], told: Sequence[Telling], port: str = ""
    ) -> tuple[dict[str, Any], dict[str, Place]]:
        """Returns the facts of an object that files state, by name, with the places of those that another file than the base gave.

        Args:
            rows: the rows of the object in the table of facts.
            told: the object in each file that has it, in the order of the files.
            port: the port that the object is of; empty for the device.
        """
        values: dict[str, Any] = {}
        places: dict[str, Place] = {}
        for fact in rows:
            stating = [t for t in told if fact.stated(t.holder, t.origin)]
            if fact.merge is Merge.OWN or not stating:
                continue
            if len(stating) > 1:  # names of files decide nothing
                stating.sort(key=lambda t: (t.piece.weight, t.piece.rank, repr(getattr(t.holder, fact.field))))
            first = stating[0]
            value = getattr(first.holder, fact.field)
            if fact.merge is Merge.SET:
                value = tuple(dict.fromkeys(x for t in stating for x in getattr(t.holder, fact.field)))
            elif fact.merge is Merge.ONE and self._contradicts(fact, stating, port):
                value = fact.unknown
            values[fact.field] = value
            if first.piece is not self.base:
                places[fact.setting.key] = _place(first.origin, fact.setting)
        return values, places

    def _contradicts(self, fact: Fact, stating: Sequence[Telling], port: str) -> bool:
        """Records what contradicts; tells whether the fact is not known for that."""
        first, *others = stating
        own = getattr(first.holder, fact.field)
        differ = [t for t in others if getattr(t.holder, fact.field) != own and first.piece.entry.standing != OVER]
        for t in differ:
            words = shown(own), shown(getattr(t.holder, fact.field))
            self.told.differ((first.piece, t.piece), words, fact.setting, port=port)
        return any(t.piece.weight == first.piece.weight for t in differ)

    # -- what the device is ----------------------------------------------------------------------------

    def _habits(self) -> tuple[Habits, frozenset[str]]:
        stated: dict[str, bool] = {}
        doubted: set[str] = set()
        for p in self.group:
            for name in ALL_HABITS - p.switch.unstated_habits:
                own = getattr(p.switch.habits, name)
                first = next(q for q in self.group if name not in q.switch.unstated_habits)
                if stated.setdefault(name, own) != own and first.entry.standing != OVER:
                    words = [f"{name.replace('_', '-')} {shown(v)}" for v in (stated[name], own)]
                    self.told.differ((first, p), (words[0], words[1]), Setting.HABITS)
                    doubted.add(name)
        known = {name: value for name, value in stated.items() if name not in doubted}
        return Habits(**known), ALL_HABITS - frozenset(known)

    def _tree(self, own: Sequence[Telling]) -> tuple[BridgeTree, dict[str, Place]]:
        """Returns how it takes part in trees: which tree runs is not known where anything of it is not."""
        told = [Telling(t.piece, t.holder.tree, t.origin) for t in own]
        values, places = self.of(facts.TREE, told)
        if DOUBT in values.values():
            values = {n: v for n, v in values.items() if v is not DOUBT} | {"protocol": None}
        return replace(BridgeTree(), **values), places

    def _sync(self) -> tuple[Sync | None, dict[str, Place], str]:
        """Returns the sync group, its places, and why it is not known which VLAN table the switch has."""
        told = [Telling(p, p.switch.sync, p.switch.origin) for p in self.group if p.switch.sync is not None]
        if not told:
            return None, {}, ""
        told.sort(key=lambda t: (t.piece.weight, t.piece.rank, repr(t.holder)))
        values, places = self.of(facts.SYNC, told)
        known = {n: v for n, v in values.items() if v is not DOUBT}
        why = self.told.why(*(f.setting for f in facts.SYNC)) if len(known) < len(values) else ""
        return replace(told[0].holder, **known), places, why

    def _tables(self) -> tuple[list[Mapping[Vid, Vlan]], dict[str, Place]]:
        """Returns the VLAN tables that it may have, the likeliest first: what either has of files that count alike; none if none."""
        holders = [p for p in self.group if p.switch.vlans is not None]
        if not holders:
            return [], {}
        if len(holders) > 1:
            holders.sort(key=lambda p: (p.weight, p.rank, repr(sorted((p.switch.vlans or {}).items()))))
        first = holders[0]
        table = dict(first.switch.vlans or {})
        places: dict[str, Place] = {} if first is self.base else _vlan_places(first.switch.origin)
        others: list[Mapping[Vid, Vlan]] = []
        for p in holders[1:]:
            differs = first.entry.standing != OVER and self._compare_tables(first, p)
            if p.weight != first.weight:
                continue
            if differs:
                others += [t for t in (first.switch.vlans, p.switch.vlans) if t is not None and t not in others]
            for v, entry in (p.switch.vlans or {}).items():
                have = table.get(v)
                if have is None or (entry.active and not have.active):
                    table[v] = entry
                    places[f"{Setting.VLANS.key}/{v}"] = p.switch.origin.of(Setting.VLANS, v)
                elif entry.name and not have.name:
                    table[v] = replace(have, name=entry.name)
        return [{v: table[v] for v in sorted(table)}, *others], places

    def _compare_tables(self, first: Piece, other: Piece) -> bool:
        """Records what differs between two tables; tells whether it is more than names."""
        a, b = first.switch.vlans or {}, other.switch.vlans or {}
        matters = False
        for v in sorted((a.keys() | b.keys()) - {1}):
            says, but = _vlan_words(a.get(v)), _vlan_words(b.get(v))
            both = v in a and v in b
            like = both and replace(a[v], name="") == replace(b[v], name="")
            matters |= not like
            if says != but and not (like and not (a[v].name and b[v].name)):
                self.told.differ((first, other), (f"{v}: {says}", f"{v}: {but}"), Setting.VLANS, entry=v)
        return matters

    # -- ports -----------------------------------------------------------------------------------------

    def _ports(self) -> dict[str, Port]:
        names = {n for p in self.group for n in p.switch.ports}
        found = {n: self._port(n) for n in sorted(names, key=natural)}
        members: dict[str, list[str]] = defaultdict(list)
        for name, port in found.items():
            if port.lag is not None and port.lag in found:
                members[port.lag].append(name)
        for name, port in found.items():
            if port.is_lag and tuple(members[name]) != port.members and members[name]:
                found[name] = replace(port, members=tuple(members[name]))
        return found

    def _port(self, name: str) -> Port:
        holders = [p for p in self.group if name in p.switch.ports]
        ports = [p.switch.ports[name] for p in holders]
        base = next((q for p, q in zip(holders, ports, strict=True) if p is self.base), ports[0])
        if len(holders) == 1:
            return base
        told = [Telling(p, q, q.origin) for p, q in zip(holders, ports, strict=True)]
        values, places = self.of(facts.PORT, told, name)
        values["known_as"] = tuple(a for a in values.get("known_as", ()) if a != name)
        values["switching"], mode_places = self._switching(name, holders, base)
        values["tree"], tree_places = self._port_tree(told, base.tree, name)
        values["doubt"] = ""
        if values.get("enabled") is DOUBT:  # it may be on, and nothing surely passes
            values |= {"enabled": True, "doubt": self.told.why(Setting.ENABLED, port=name)}
        if values.get("lag") is DOUBT:  # whatever it is a member of, or by itself
            values |= {"lag": None, "switching": Unstated(), "doubt": self.told.why(Setting.LAG, port=name)}
        kept = {k: v for k, v in base.origin.places.items() if k not in _MODE_KEYS or not mode_places}
        return replace(
            base,
            **values,
            is_lag=any(q.is_lag for q in ports),
            members=next((q.members for q in ports if q.members), ()),
            origin=_moved(base.origin, {**mode_places, **tree_places, **places}, kept),
        )

    def _port_tree(self, told: Sequence[Telling], base: PortTree, name: str) -> tuple[PortTree, dict[str, Place]]:
        """Returns how a port takes part in trees; where that is not known, it is not known which ports a tree shuts."""
        values, places = self.of(facts.PORT_TREE, [Telling(t.piece, t.holder.tree, t.origin) for t in told], name)
        first = min(told, key=lambda t: (t.piece.weight, t.piece.rank, repr(t.holder.tree))).holder.tree
        self.trees_doubted |= DOUBT in values.values()
        return replace(base, **{n: getattr(first, n) if v is DOUBT else v for n, v in values.items()}), places

    def _switching(self, name: str, holders: Sequence[Piece], base: Port) -> tuple[Any, dict[str, Place]]:
        """Returns what a port does: as the first file says, with what others add; not stated where two contradict."""
        stating = [p for p in holders if is_stated(p.switch.ports[name].switching)]
        if not stating:
            return base.switching, {}
        stating.sort(key=lambda p: (p.weight, p.rank, *_wider_first(p.switch.ports[name].switching)))
        first = stating[0]
        told = [p.switch.ports[name].switching for p in stating]
        chosen = as_phone(told) or reduce(refined, told)
        if first.entry.standing != OVER and as_phone(told) is None:
            for p in stating[1:]:
                other = refined(p.switch.ports[name].switching, chosen)
                if not self._alike(chosen, other):
                    self._differ_in_mode(first, p, name)
                    if first.weight == p.weight:
                        return Unstated(), {}
        own = first.switch.ports[name]
        return chosen, {} if own is base else _mode_places(own.origin)

    def _differ_in_mode(self, first: Piece, other: Piece, name: str) -> None:
        own, others = first.switch.ports[name], other.switch.ports[name]
        setting = next((s for s in _SWITCHING if own.origin.states(s)), Setting.MODE)
        self.told.differ((first, other), (setting_words(own), setting_words(others)), setting, port=name)

    def _alike(self, a: Any, b: Any) -> bool:
        """Tells whether two settings do the same with every frame on this switch, or one may become the other."""
        if a == b:
            return True
        box = Box((self.table,), self.active, self.habits, View.USUAL)
        outcomes = [a, *(kind(a).becomes(a) or ())]
        target = kind(b).relay(b, box)
        return any(kind(o).relay(o, box) == target for o in outcomes)

    def _heard(self) -> tuple[Heard, ...]:
        """Returns what was heard, once each; of a neighbour that several files tell of, what is told most fully."""
        found: dict[tuple[str, str, str], Heard] = {}
        for p in self.group:
            for heard in p.switch.heard:
                key = (heard.port, heard.chassis or heard.system, heard.far_port)
                have = found.setdefault(key, heard)
                if have is not heard:
                    found[key] = replace(
                        have,
                        system=have.system or heard.system,
                        also=have.also or heard.also,
                        pvid=have.pvid if have.pvid is not None else heard.pvid,
                        names=have.names or heard.names,
                        voice=have.voice if have.voice is not None else heard.voice,
                        kind=have.kind if have.kind.value else heard.kind,
                    )
        return tuple(sorted(found.values(), key=lambda h: (natural(h.port), h.system, h.far_port, h.chassis)))


def _wider_first(switching: Any) -> tuple[bool, str]:
    """The order of accounts that count alike, whatever their files are called: what may become another comes first."""
    return kind(switching).becomes(switching) is None, repr(switching)


_EVERY_VLAN: Final = {v: Vlan(v) for v in range(1, 4095)}
"""A table of which nothing is known may have all VLANs, or none."""


def _moved(origin: Origin, more: Mapping[str, Place], kept: Mapping[str, Place] | None = None) -> Origin:
    """Returns an origin with places in other files; the very same where there are none."""
    if not more and kept is None:
        return origin
    return Origin(origin.file, origin.base, {**(origin.places if kept is None else kept), **more}, origin.defaults)


def _place(origin: Origin, setting: Setting) -> Place:
    return origin.of(setting) if origin.states(setting) else origin.here


def _mode_places(origin: Origin) -> dict[str, Place]:
    return {s.key: origin.of(s) for s in _SWITCHING if origin.states(s)}


def _vlan_places(origin: Origin) -> dict[str, Place]:
    """Returns the places of a VLAN table and its entries, so that another origin can tell of them."""
    key = Setting.VLANS.key
    return {
        name: origin.of(Setting.VLANS, name.removeprefix(f"{key}/") if name != key else None)
        for name in origin.places
        if name == key or name.startswith(f"{key}/")
    }


def _vlan_words(entry: Vlan | None) -> str:
    if entry is None:
        return "none"
    return (entry.name or "no name") + ("" if entry.active else ", suspended")
