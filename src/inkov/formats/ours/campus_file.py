"""Our own campus file (YAML): intent around the switches."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from inkov.formats.ours import hosts
from inkov.formats.ours.campus_document import CampusDocument, ClaimEntry, PlanEntry, SegmentEntry
from inkov.formats.ours.fields import port_names
from inkov.formats.ours.platform_document import stated
from inkov.formats.ours.validated import validated
from inkov.formats.ours.yamltext import Lines
from inkov.formats.patterns import distinct, matching
from inkov.formats.reading import Reading
from inkov.model import facts
from inkov.model.campus import (
    BOTH,
    Apart,
    Cable,
    Campus,
    Claim,
    Common,
    Facing,
    Host,
    Planned,
    Registered,
    RuleSetting,
    Segment,
    Together,
    Waiver,
)
from inkov.model.errors import nearest
from inkov.model.identity import device_named, devices_matching, port_in
from inkov.model.names import PortRef, by_look, looks
from inkov.model.routing import Prefix
from inkov.model.source import Source
from inkov.model.switch import Port, Switch
from inkov.model.vlanset import ALL, NONE, Vid, VlanSet
from inkov.store.places import real


def _specific(pattern: str, switches: Mapping[str, Switch], fits: frozenset[str]) -> tuple[int, int]:
    """Returns how specific a pattern is: a name before patterns, these by how much they spell out, roles before `*` alone."""
    if device_named(pattern, switches) in switches:
        return 3, 0
    spelt = sum(c.isalnum() for c in pattern)
    return (2, spelt) if fits and spelt else (1, 0) if not fits else (0, 0)


_DASH = re.compile(r"\s+-\s+")


class CampusFile:
    """A campus file that was read: the document, and methods that need the switches to make sense of it."""

    def __init__(self, document: CampusDocument, lines: Lines, reading: Reading) -> None:
        self.document = document
        self.lines = lines
        self.reading = reading
        self.allow_outside = False

    @classmethod
    def read(cls, data: Any, lines: Lines, reading: Reading) -> CampusFile | None:
        """Reads a campus file; None after recording what is wrong."""
        document = validated(CampusDocument, data, lines, reading)
        return None if document is None else cls(document, lines, reading)

    def listed(self, home: Path, key: str, patterns: list[str]) -> list[Path]:
        """Returns the files that the patterns of a key match; records those that match none, and those that lie outside."""
        paths: dict[Path, None] = {}
        for i, pattern in enumerate(patterns):
            found = sorted(matching(home, pattern))
            if not found:
                self._wrong(f"no file matches {pattern!r}", key, i)
            for path in found:
                if self.allow_outside or inside(path, home):
                    paths[path] = None
                else:
                    name = os.path.relpath(path, home)
                    self._wrong(f"{name!r:.200} lies outside the campus file's folder; {_ALLOW}", key, i)
        return distinct(paths)

    def campus(self, common: Common, home: Path) -> Campus:
        """Returns the campus that the file is about; records what in it does not fit the switches.

        Args:
            common: what was read of switches.
            home: the folder that its lists are in.
        """
        switches = self._with_what_they_are(common["switches"])
        common["switches"] = switches
        self._stated_of_none(switches)
        self.reading.partly = bool(common["unread"])
        hosts = self.hosts(switches, home) if switches else {}
        segments = self.segments(switches, hosts)
        return Campus(
            name=self.document.name,
            cables=self.cables(switches) if switches else (),
            hosts=hosts,
            segments=segments,
            claims=self.claims(segments, hosts, switches),
            keep=self.document.keep.vlans,
            parking=self.document.parking,
            never_negotiates=self.document.policy.negotiation == "never",
            register=self.register(),
            plan=self.plan(switches, home) if switches else (),
            waivers=self.waivers(),
            settings=self.settings(),
            **common,
        )

    def _with_what_they_are(self, switches: Mapping[str, Switch]) -> dict[str, Switch]:
        """Returns the switches with what `switches-are` says of them: of several patterns that fit, the most specific first."""
        entries = self.document.switches_are
        fitting = {p: frozenset(devices_matching(p, switches)) for p in entries}
        ordered = sorted(entries, key=lambda p: _specific(p, switches, fitting[p]), reverse=True)
        return {n: self._as_stated(s, ordered, fitting) for n, s in switches.items()}

    def _as_stated(self, switch: Switch, patterns: Iterable[str], fitting: Mapping[str, frozenset[str]]) -> Switch:
        """Returns a switch with what patterns say of it; each adds, key by key, what its file and those before left out."""
        known = facts.stated_keys(switch)
        if own := self.document.assume.without_effect:
            switch = replace(switch, without_effect=(*switch.without_effect, *own))
        for pattern in patterns:
            if switch.name in fitting[pattern] or (switch.role and switch.role == pattern):
                entry, at = self.document.switches_are[pattern], partial(self._source, "switches-are", pattern)
                try:
                    switch = stated(switch, entry, known, at)
                except ValueError as exc:  # a pattern of ports
                    self._wrong(str(exc), "switches-are", pattern, "voice")
        return switch

    def _stated_of_none(self, switches: Mapping[str, Switch]) -> None:
        for pattern in self.document.switches_are:
            if not devices_matching(pattern, switches) and not any(s.role == pattern for s in switches.values()):
                hint = nearest(pattern, [*switches, *{s.role for s in switches.values() if s.role}])
                self._unknown(f"no switch is called {pattern!r:.60} or has that role{hint}", "switches-are", pattern)

    def _source(self, *path: str | int) -> Source:
        return Source(self.reading.file, self.lines.near(path), "/".join(map(str, path)))

    def _wrong(self, what: str, *path: str | int) -> None:
        self.reading.wrong(what, "/".join(map(str, path)), self.lines.near(path))

    def _unknown(self, what: str, *path: str | int) -> None:
        self.reading.unknown(what, "/".join(map(str, path)), self.lines.near(path))

    def cables(self, switches: Mapping[str, Switch]) -> tuple[Cable, ...]:
        """Returns the cables whose both ends exist; records the others."""
        made: list[Cable] = []
        taken: dict[PortRef, int] = {}
        ports = {n: s.ports for n, s in switches.items()}
        for i, text in enumerate(self.document.cables):
            sides = _sides(text.strip(), ports)
            if sides is None:
                self._wrong(f"{text!r:.60} is not a cable; expected 'watchtower a1 - kelp-hall u1'", "cables", i)
                continue
            a, b = (self._end(side, ports, i) for side in sides)
            if a is None or b is None:
                continue
            for end in (a, b):
                if end in taken:
                    self._wrong(f"{end} has two cables; the first is in line {taken[end]}", "cables", i)
                taken[end] = self.lines.near(("cables", i))
            first, second = sorted((a, b), key=lambda e: e.order)
            made.append(Cable(first, second, self._source("cables", i)))
        return tuple(made)

    def _end(self, text: str, known: Mapping[str, Mapping[str, Port]], i: int) -> PortRef | None:
        parts = text.strip().split(maxsplit=1)
        end = port_in(text, known) or (PortRef(*parts) if len(parts) == 2 else PortRef.parse(text))
        end = end and PortRef(device_named(end.switch, known), end.port)
        if end is None:
            self._wrong(f"{text!r:.60} is not an end of a cable; expected 'switch port'", "cables", i)
        elif end.switch not in known:
            self._unknown(f"there is no switch {end.switch!r}{nearest(end.switch, known)}", "cables", i)
        elif end.port not in (ports := known[end.switch]):
            self._wrong(f"{end.switch} has no port {end.port!r}{nearest(end.port, ports)}", "cables", i)
        else:
            return end
        return None

    def hosts(self, switches: Mapping[str, Switch], base: Path) -> dict[str, Host]:
        """Returns the hosts whose port exists, by name; records the others."""
        listed = self.document.hosts
        if not isinstance(listed, str):
            entries = [(entry, self._source("hosts", i)) for i, entry in enumerate(listed)]
            return hosts.placed(entries, switches, self.reading)
        reading = replace(self.reading, file=listed)
        text = self._list_text(base, listed, "hosts")
        if text is None:
            return {}
        return hosts.placed(hosts.from_csv(text, reading), switches, reading)

    def segments(self, switches: Mapping[str, Switch], hosts: Mapping[str, Host]) -> dict[str, Segment]:
        """Returns the segments by name, in the order of the file; records ports and hosts that do not exist."""
        seen = by_look(self.document.segments)
        for name in self.document.segments:
            if (twin := seen[looks(name)]) != name:
                self._wrong(
                    f"the segment {name!a:.60} looks like {twin!a:.60}; one needs another name", "segments", name
                )
        return {name: self._segment(name, entry, switches, hosts) for name, entry in self.document.segments.items()}

    def _segment(
        self, name: str, entry: SegmentEntry, switches: Mapping[str, Switch], hosts: Mapping[str, Host]
    ) -> Segment:
        if entry.outside:
            return Segment(name, NONE, self._source("segments", name), frozenset(), outside=True)
        ports = {ref for text in entry.ports for ref in self._ports(text, switches, name)}
        for host in (h for h in entry.hosts if h not in hosts):
            self._unknown(f"there is no host {host!r}{nearest(host, hosts)}", "segments", name, "hosts")
        named = {n for n in entry.hosts if n in hosts and hosts[n].port not in ports}
        only_ports = bool(entry.ports or entry.hosts)
        vlans = entry.vlan.vlans if entry.vlan else ALL
        if entry.vlan is None and not only_ports:
            vlans = in_subnets(entry.subnet, switches)
            if not vlans:
                named = {n for n, h in hosts.items() if h.address and any(h.address in p for p in entry.subnet)}
                only_ports, vlans = True, ALL
            if only_ports and not named and switches:
                shown = ", ".join(map(str, entry.subnet))
                self._unknown(f"no gateway and no host is in {shown}; say its VLAN too", "segments", name, "subnet")
        source = self._source("segments", name)
        ports |= {hosts[n].port for n in named}
        some = (frozenset(ports), frozenset(named)) if only_ports else (None, frozenset[str]())
        return Segment(name, vlans, source, some[0], tuple(entry.subnet), entry.closed, hosts=some[1])

    def _ports(self, text: str, switches: Mapping[str, Switch], segment: str) -> Iterator[PortRef]:
        """Yields the ports of a pattern such as `kelp-*:1-12`; records what does not exist."""
        pattern, colon, names = text.partition(":")
        if colon:
            source = self._source("segments", segment, "ports")
            yield from self._pattern(pattern, names, switches, source, self.reading)
        else:
            what = f"{text!r:.60} is not a list of ports; expected switch:ports, such as kelp-hall:1-12"
            self._wrong(what, "segments", segment, "ports")

    @staticmethod
    def _pattern(
        pattern: str, names: str, switches: Mapping[str, Switch], source: Source, reading: Reading
    ) -> Iterator[PortRef]:
        """Yields the ports with some names of the switches that match a pattern."""
        found = devices_matching(pattern.strip(), switches)
        if not found:
            reading.unknown(f"no switch matches {pattern!r:.60}{nearest(pattern, switches)}", source.path, source.line)
        try:
            wanted = port_names(names.lstrip())
        except ValueError as exc:
            reading.wrong(str(exc), source.path, source.line)
            return
        for switch in found:
            for port in wanted:
                if port in switches[switch].ports:
                    yield PortRef(switch, port)
                else:
                    hint = nearest(port, switches[switch].ports)
                    reading.wrong(f"{switch} has no port {port!r}{hint}", source.path, source.line)

    def register(self) -> dict[Vid, Registered]:
        """Returns the register of VLANs."""
        return {
            v: Registered(e.name, e.purpose, tuple(e.where), e.everywhere, self._source("register", str(v)))
            for v, e in sorted(self.document.register_.items())
        }

    def plan(self, switches: Mapping[str, Switch], base: Path) -> tuple[Planned, ...]:
        """Returns the port plan, a row a port; records switches and ports that do not exist, and ports planned twice."""
        listed = self.document.plan
        reading, entries = self.reading, []
        if isinstance(listed, str):
            reading = replace(self.reading, file=listed)
            text = self._list_text(base, listed, "plan")
            entries = list(hosts.rows(text, reading, PlanEntry, ("switch", "ports"))) if text is not None else []
        else:
            entries = [(e, self._source("plan", i)) for i, e in enumerate(listed)]
        made: dict[PortRef, Planned] = {}
        for entry, source in entries:
            for ref in self._pattern(entry.switch, entry.ports, switches, source, reading):
                if ref in made:
                    reading.wrong(
                        f"{ref} is planned twice; the first time in line {made[ref].source.line}",
                        source.path,
                        source.line,
                    )
                made[ref] = Planned(ref, entry.vlan, entry.voice, entry.label, source)
        return tuple(made.values())

    def _list_text(self, base: Path, name: str, key: str) -> str | None:
        path = base / name
        if not inside(path, base) and not self.allow_outside:
            self._wrong(f"{name!r:.200} lies outside the campus file's folder; {_ALLOW}", key)
            return None
        try:
            if not path.is_file() or path.stat().st_size > _MAX_LIST:
                raise OSError
            return path.read_text("utf-8-sig")
        except (OSError, UnicodeDecodeError, ValueError):
            self._wrong(f"{name!r:.200} cannot be read as a list of {'hosts' if key == 'hosts' else 'ports'}", key)
            return None

    def waivers(self) -> tuple[Waiver, ...]:
        """Returns the waivers, in the order of the file."""
        return tuple(
            Waiver(w.rule, w.at, w.why, w.until, w.owner, self._source("waive", i))
            for i, w in enumerate(self.document.waive)
        )

    def settings(self) -> tuple[RuleSetting, ...]:
        """Returns what the file wants of rules, in its order."""
        return tuple(
            RuleSetting(name, entry.severity or "", entry.model_extra or {}, self._source("rules", name))
            for name, entry in self.document.rules.items()
        )

    def claims(
        self, known: Mapping[str, Segment], hosts: Mapping[str, Host], devices: Iterable[str]
    ) -> tuple[Claim, ...]:
        """Returns the claims whose segments, hosts and devices exist; records the others."""
        return tuple(
            c
            for i, entry in enumerate(self.document.claims)
            if (c := self._claim(entry, i, known, hosts, set(devices)))
        )

    def _claim(
        self, entry: ClaimEntry, i: int, known: Mapping[str, Segment], hosts: Mapping[str, Host], devices: set[str]
    ) -> Claim | None:
        names = [*(entry.apart or entry.only or entry.together or ()), *entry.from_]
        names = [n for n, s in known.items() if not s.outside] if names == ["all"] else names
        may_name = {**known, **hosts} if entry.kind == "together" else known
        excepted = [n for pair in entry.except_ for n in pair]
        unknown = [n for n in (*names, *excepted) if n not in may_name]
        for name in unknown:
            self._wrong(f"there is no segment {name!r}{nearest(name, may_name)}", "claims", i, entry.kind)
        through = tuple(device_named(name, devices) for name in entry.through)
        for name in set(through) - devices:
            self._unknown(f"there is no device {name!r}{nearest(name, devices)}", "claims", i, "through")
        if unknown or set(through) - devices:
            return None
        source = self._source("claims", i)
        layers = BOTH if entry.layer is None else frozenset({int(entry.layer)})
        shown = "all segments" if entry.apart == ["all"] else ", ".join(names)
        if entry.together is not None:
            return Together(entry.name or f"{shown} together", tuple(names), int(entry.surviving), layers, source)
        by_default = f"{shown} only through {', '.join(through)}" if through else f"{shown} apart"
        claim = Apart(
            entry.name or by_default,
            tuple(names),
            frozenset(frozenset(pair) for pair in entry.except_),
            Facing(entry.facing),
            layers,
            through,
            one_against=bool(entry.from_),
            source=source,
        )
        if not claim.pairs:
            self._wrong("this claims nothing: every pair of its segments is excepted", "claims", i, "except")
        return claim if claim.pairs else None


_MAX_LIST = 16 * 1024 * 1024
_ALLOW = "--allow-outside reads it all the same"


def inside(path: Path, folder: Path) -> bool:
    """Tells whether a file lies in a folder or below it, wherever links lead."""
    try:
        return real(path).is_relative_to(real(folder))
    except (OSError, RuntimeError, ValueError):
        return False


def _sides(text: str, ports: Mapping[str, Mapping[str, Port]]) -> tuple[str, str] | None:
    """Returns the two ends of a cable as text: parted where both are known ports, else at the first dash."""
    parted = [(text[: m.start()], text[m.end() :]) for m in _DASH.finditer(text)]
    parted = [(a, b) for a, b in parted if a.strip() and b.strip()]
    known = (p for p in parted if all(port_in(side, ports) for side in p))
    return next(known, parted[0] if parted else None)


def in_subnets(subnets: Iterable[Prefix], switches: Mapping[str, Switch]) -> VlanSet:
    """Returns the VLANs of all gateways that have an address in some subnets."""
    wanted = list(subnets)
    return VlanSet(
        g.vid
        for s in switches.values()
        for g in s.gateways
        if g.vid is not None and any(a in p for a in g.addresses for p in wanted)
    )
