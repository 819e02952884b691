"""What several files tell of one device, made one switch.

Each setting is taken from the file that counts most of those that state it: our own where it overrides, then what is
configured, then what is in force. Where two that count alike contradict each other, neither is believed: what the port
does is not stated then. Nothing is taken from a file that does not state it, but for what nobody states.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from functools import reduce
from typing import Any, Final, NamedTuple

from inkov.formats.grouping import Piece, devices
from inkov.formats.identities import followed
from inkov.kinds.kind import Box
from inkov.kinds.relay import View
from inkov.kinds.table import MODES, is_stated, kind, refined, setting_words
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.source import Origin, Place
from inkov.model.sources import Contradiction, Told, Twins
from inkov.model.switch import ALL_HABITS, Habits, Heard, Port, Switch, Unstated, Vlan
from inkov.model.vlanset import FULL_MASK, Vid
from inkov.store.parsed import OVER, PART, WHOLE


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
            made = _Merging(group)
            switch = made.switch()
            contradictions += made.contradictions
        switches[switch.name] = switch
        told += [Told(switch.name, p.file, p.format, p.switch, p.entry.short, p.entry.saved) for p in group]
    switches = followed(switches)
    return Merged(switches, tuple(told), tuple(contradictions), tuple(_twins(switches.values())))


def _twins(switches: Iterable[Switch]) -> Iterable[Twins]:
    first: dict[str, Switch] = {}
    for switch in sorted(switches, key=lambda s: natural(s.name)):
        if switch.mac and (other := first.setdefault(switch.mac, switch)) is not switch:
            yield Twins(other.name, switch.name, switch.mac, (other.origin.here, switch.origin.here))


# -- one device --------------------------------------------------------------------------------------

_SWITCHING: Final = (*MODES, Setting.VOICE)
_PORT: Final[Mapping[str, Setting]] = {
    "enabled": Setting.ENABLED,
    "label": Setting.LABEL,
    "stance": Setting.STANCE,
    "tag_format": Setting.TAGS,
    "lag": Setting.LAG,
    "lacp": Setting.LACP,
    "speed": Setting.SPEED,
    "registration": Setting.REGISTRATION,
}
_MATTERS: Final = frozenset({"enabled", "lag", "stance", "tag_format", "lacp"})
"""Attributes in which a difference is one; speeds and labels of what is in force differ without harm."""

_MODE_KEYS: Final = frozenset(s.key for s in _SWITCHING)


class _Merging:
    def __init__(self, group: Sequence[Piece]) -> None:
        self.group = group
        self.base = next((p for p in group if p.entry.standing == WHOLE and p.switch.ports), group[0])
        self.name = next((p.switch.name for p in group if p.entry.named), self.base.switch.name)
        self.contradictions: list[Contradiction] = []
        self.table: Mapping[Vid, Vlan] | None = None
        self.active = FULL_MASK
        self.habits, self.unstated_habits = self._habits()

    def switch(self) -> Switch:
        """Returns the switch."""
        base = self.base.switch
        origin = base.origin
        self.table, origin = self._vlans(origin)
        if self.table is not None:
            self.active = sum(1 << v for v, entry in self.table.items() if entry.active)
        role, origin = self._first(origin, Setting.ROLE, lambda s: s.role)
        tree, origin = self._first(origin, Setting.TREE_PROTOCOL, lambda s: s.tree if s.tree.protocol else None)
        if tree is None:
            tree = next((p.switch.tree for p in self.group if p.switch.tree != base.tree), base.tree)
        sync, origin = self._first(origin, Setting.SYNC_GROUP, lambda s: s.sync)
        prunes, origin = self._first(origin, Setting.PRUNING, lambda s: s.prunes or None)
        lacks, origin = self._first(origin, Setting.LACKS, lambda s: s.lacks)
        limits, origin = self._first(origin, Setting.LIMITS, lambda s: s.limits)
        routing, origin = self._first(origin, Setting.ROUTING, lambda s: s.routing)
        gateways, origin = self._first(origin, Setting.GATEWAYS, lambda s: s.gateways)
        has_gateways = next((p.switch for p in self.group if p.switch.gateways), base)
        kinds = [p.switch.kind for p in self.group if p.entry.standing != PART]
        ports = self._ports()
        return replace(
            base,
            name=self.name,
            vlans=self.table,
            ports=ports,
            heard=self._heard(),
            mac=next((p.switch.mac for p in self.group if p.switch.mac), ""),
            kind=kinds[0] if kinds else base.kind,
            habits=self.habits,
            unstated_habits=self.unstated_habits,
            role=role or "",
            tree=tree,
            sync=sync,
            prunes=bool(prunes),
            gateways=gateways or (),
            gateways_stated=bool(gateways)
            or any(p.switch.gateways_stated for p in self.group if p.entry.standing != PART),
            routing=routing,
            learns=has_gateways.learns,
            routes=next((p.switch.routes for p in self.group if p.switch.routes), ()),
            filters=next((p.switch.filters for p in self.group if p.switch.filters), {}),
            default_vlan_listed=any(p.switch.default_vlan_listed for p in self.group if p.switch.vlans is not None),
            lacks=lacks or (),
            limits=limits or {},
            origin=origin,
        )

    def _first(self, origin: Origin, setting: Setting, of: Callable[[Switch], Any]) -> tuple[Any, Origin]:
        """Returns what the first file says that says something, and the origin with its place."""
        for p in self.group:
            value = of(p.switch)
            if value or value is False:
                if p is self.base:
                    return value, origin
                return value, origin.also(
                    {setting: p.switch.origin.of(setting) if p.switch.origin.states(setting) else p.switch.origin.here}
                )
        return None, origin

    def _habits(self) -> tuple[Habits, frozenset[str]]:
        stated: dict[str, bool] = {}
        for p in self.group:
            for name in ALL_HABITS - p.switch.unstated_habits:
                stated.setdefault(name, getattr(p.switch.habits, name))
        return Habits(**stated), ALL_HABITS - frozenset(stated)

    def _vlans(self, origin: Origin) -> tuple[Mapping[Vid, Vlan] | None, Origin]:
        """Returns the VLAN table: of the file that counts most; of those that count alike, all that one of them has."""
        holders = [p for p in self.group if p.switch.vlans is not None]
        if not holders:
            return None, origin
        first = holders[0]
        table = dict(first.switch.vlans or {})
        places: dict[str, Place] = {} if first is self.base else _vlan_places(first.switch.origin)
        for p in holders[1:]:
            others = p.switch.vlans or {}
            if first.entry.standing != OVER:
                self._compare_tables(first, p)
            if p.weight == first.weight:
                for v, entry in others.items():
                    have = table.get(v)
                    if have is None or (entry.active and not have.active):
                        table[v] = entry
                        places[f"{Setting.VLANS.key}/{v}"] = p.switch.origin.of(Setting.VLANS, v)
                    elif entry.name and not have.name:
                        table[v] = replace(have, name=entry.name)
        made = {v: table[v] for v in sorted(table)}
        return made, Origin(
            origin.file, origin.base, {**origin.places, **places}, origin.defaults
        ) if places else origin

    def _compare_tables(self, first: Piece, other: Piece) -> None:
        a, b = first.switch.vlans or {}, other.switch.vlans or {}
        for v in sorted((a.keys() | b.keys()) - {1}):
            says, but = _vlan_words(a.get(v)), _vlan_words(b.get(v))
            one_name = v in a and v in b and a[v].active == b[v].active and not (a[v].name and b[v].name)
            if says != but and not one_name:
                self._differ((first, other), (f"{v}: {says}", f"{v}: {but}"), Setting.VLANS, entry=v)

    def _differ(
        self,
        pieces: tuple[Piece, Piece],
        words: tuple[str, str],
        setting: Setting,
        *,
        port: str = "",
        entry: object = None,
    ) -> None:
        places = [(p.switch.ports[port].origin if port else p.switch.origin).of(setting, entry) for p in pieces]
        settled = pieces[0].weight != pieces[1].weight
        self.contradictions.append(
            Contradiction(self.name, port, setting, (words[0], places[0]), (words[1], places[1]), settled=settled)
        )

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
        changes: dict[str, Any] = {}
        places: dict[str, Place] = {}
        for attribute, setting in _PORT.items():
            stating = [
                (p, q)
                for p, q in zip(holders, ports, strict=True)
                if q.origin.states(setting) or (attribute == "lag" and q.lag)
            ]
            if not stating:
                continue
            first, chosen = stating[0]
            changes[attribute] = getattr(chosen, attribute)
            if chosen is not base:
                places[setting.key] = chosen.origin.of(setting)
            if attribute in _MATTERS and first.entry.standing != OVER:
                for p, q in stating[1:]:
                    if getattr(q, attribute) != getattr(chosen, attribute):
                        words = (_shown(getattr(chosen, attribute)), _shown(getattr(q, attribute)))
                        self._differ((first, p), words, setting, port=name)
        switching, mode_places = self._switching(name, holders, base)
        changes["switching"] = switching
        kept = {k: v for k, v in base.origin.places.items() if k not in _MODE_KEYS or not mode_places}
        changes["tree"], tree_places = _trees(ports, base)
        changes["is_lag"] = any(q.is_lag for q in ports)
        changes["members"] = next((q.members for q in ports if q.members), ())
        changes["known_as"] = tuple(dict.fromkeys(a for q in ports for a in q.known_as if a != name))
        changes["origin"] = Origin(
            base.origin.file,
            base.origin.base,
            {**kept, **mode_places, **tree_places, **places},
            base.origin.defaults,
        )
        return replace(base, **changes)

    def _switching(self, name: str, holders: Sequence[Piece], base: Port) -> tuple[Any, dict[str, Place]]:
        """Returns what a port does: as the first file says, with what others add; not stated where two contradict."""
        stating = [p for p in holders if is_stated(p.switch.ports[name].switching)]
        if not stating:
            return base.switching, {}
        first = stating[0]
        chosen = reduce(refined, (p.switch.ports[name].switching for p in stating))
        if first.entry.standing != OVER:
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
        self._differ((first, other), (setting_words(own), setting_words(others)), setting, port=name)

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
                have = found.get(key)
                if have is None:
                    found[key] = heard
                else:
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


def _mode_places(origin: Origin) -> dict[str, Place]:
    return {s.key: origin.of(s) for s in _SWITCHING if origin.states(s)}


def _vlan_places(origin: Origin) -> dict[str, Place]:
    """Returns the places of a VLAN table and its entries, so that another origin can tell of them."""
    key = Setting.VLANS.key
    found: dict[str, Place] = {}
    for name in origin.places:
        if name == key:
            found[name] = origin.of(Setting.VLANS)
        elif name.startswith(f"{key}/"):
            found[name] = origin.of(Setting.VLANS, name.removeprefix(f"{key}/"))
    return found


def _trees(ports: Sequence[Port], base: Port) -> tuple[Any, dict[str, Place]]:
    tree = base.tree
    places: dict[str, Place] = {}
    for port in ports:
        if port is base:
            continue
        if tree.edge is None and port.tree.edge is not None:
            tree = replace(tree, edge=port.tree.edge)
            places[Setting.EDGE.key] = port.origin.of(Setting.EDGE)
        if not base.origin.states(Setting.PORT_TREE) and port.origin.states(Setting.PORT_TREE):
            tree = replace(port.tree, edge=tree.edge)
            places[Setting.PORT_TREE.key] = port.origin.of(Setting.PORT_TREE)
    return tree, places


def _vlan_words(entry: Vlan | None) -> str:
    if entry is None:
        return "none"
    return (entry.name or "no name") + ("" if entry.active else ", suspended")


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return str(getattr(value, "value", value) or "none")
