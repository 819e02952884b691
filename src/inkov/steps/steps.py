"""Steps of a change: settings of ports and switches, cables cut, devices that fail or come; each gives another campus."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeAlias, TypeVar

from inkov.model.campus import Cable, Campus
from inkov.model.names import PortRef, natural
from inkov.model.routing import Filter, Gateway, Prefix, Route, of_key
from inkov.model.source import Source
from inkov.model.switch import Routed, Switch, Vlan
from inkov.model.vlanset import Vid
from inkov.steps.edit import CannotChange, edited
from inkov.steps.settings import KEEP, PortChange, SwitchChange, TreeChange, words

_NOWHERE = Source("")

K = TypeVar("K")
V = TypeVar("V")

Written: TypeAlias = tuple[str, str | None, str | None]
"""What a step writes: a device, what of it (a port, a table), and which setting of that; None for all of them."""

OF_FRAMES = frozenset(
    [
        "switching",
        "mode",
        "access",
        "voice",
        "native",
        "trunk",
        "allow",
        "disallow",
        "secondaries",
        "native_tagged",
        "translate",
    ]
)
"""Settings of a port that decide together what it does with frames: each leaves the port as the one before left it."""


@dataclass(frozen=True, kw_only=True)
class SetPorts:
    """Settings of ports of one switch change.

    Attributes:
        what: the step in words.
        ports: the ports.
        settings: what changes at each of them.
        source: where it is written.
    """

    what: str
    ports: tuple[PortRef, ...]
    settings: PortChange
    source: Source = _NOWHERE

    @property
    def touched(self) -> tuple[str, ...]:
        """The switches that somebody has to reach for it."""
        return tuple(dict.fromkeys(r.switch for r in self.ports))

    @property
    def writes(self) -> frozenset[Written]:
        """What it writes."""
        names = {"switching" if name in OF_FRAMES else name for name, _ in self.settings.items() if name != "tree"}
        names |= {"stance"} if self.settings.mode is not KEEP else set()
        tree = self.settings.tree
        names |= {f"tree {name}" for name, _ in tree.items()} if isinstance(tree, TreeChange) else set()
        return frozenset((ref.switch, ref.port, name) for ref in self.ports for name in names)

    def done(self, campus: Campus) -> Campus:
        """Returns the campus after it.

        Raises:
            CannotChange: a port is not there, or has no such setting.
        """
        return _with_ports(campus, self.ports, self.settings)


@dataclass(frozen=True, kw_only=True)
class SetSwitch:
    """Settings of a switch itself change.

    Attributes:
        what: the step in words.
        switch: the switch.
        vlans: VLANs to define, with their entries, or to remove where None.
        settings: what changes of the switch as a whole.
        gateways: the gateways it is to have, by their `key`, or no longer where None.
        routes: all static routes that it is to have, by routing table and prefix; none takes them away.
        filters: the address filters it is to have, or no longer where None.
        source: where it is written.
    """

    what: str
    switch: str
    vlans: Mapping[Vid, Vlan | None] = field(default_factory=dict)
    settings: SwitchChange = SwitchChange()  # noqa: RUF009 - it is frozen
    gateways: Mapping[str, Gateway | None] = field(default_factory=dict)
    routes: Mapping[tuple[str, Prefix], tuple[Route, ...]] = field(default_factory=dict)
    filters: Mapping[str, Filter | None] = field(default_factory=dict)
    source: Source = _NOWHERE

    @property
    def touched(self) -> tuple[str, ...]:
        """The switch that somebody has to reach for it."""
        return (self.switch,)

    @property
    def writes(self) -> frozenset[Written]:
        """What it writes."""
        entries = [*(f"VLAN {v}" for v in self.vlans), *(f"gateway {key}" for key in self.gateways)]
        entries += [*(f"route {vrf} {prefix}" for vrf, prefix in self.routes), *(f"filter {n}" for n in self.filters)]
        for name, value in self.settings.items():
            entries += [f"tree {n}" for n, _ in value.items()] if isinstance(value, TreeChange) else [name]
        ports = {port for key in self.gateways if (port := of_key(key)[0])}
        return frozenset({*((self.switch, "", e) for e in entries), *((self.switch, p, "switching") for p in ports)})

    def done(self, campus: Campus) -> Campus:
        """Returns the campus after it.

        Raises:
            CannotChange: the switch is not there, or has no port that switches no frames for a gateway.
        """
        switch = _there(campus.switches, self.switch)
        if self.vlans:
            switch = replace(switch, vlans=dict(sorted(_with(switch.vlans or {}, self.vlans).items())))
        if self.filters:
            switch = replace(switch, filters=dict(sorted(_with(switch.filters, self.filters).items())))
        if self.gateways:
            switch = _with_gateways(switch, self.gateways)
        if self.routes:
            kept = [r for r in switch.routes if (r.vrf, r.prefix) not in self.routes]
            every = (*kept, *(r for some in self.routes.values() for r in some))
            ordered = sorted(every, key=lambda r: (r.vrf, r.prefix.version, r.prefix))  # whichever step comes first
            switch = replace(switch, routes=tuple(ordered))
        asked = dict(self.settings.items())
        if isinstance(tree := asked.pop("tree", None), TreeChange):
            asked["tree"] = replace(switch.tree, **dict(tree.items()))
        if "pruning" in asked:
            asked["prunes"] = asked.pop("pruning")
        switch = replace(switch, **asked) if asked else switch
        return replace(campus, switches={**campus.switches, self.switch: switch})


def set_switch(switch: str, source: Source = _NOWHERE, **asked: Any) -> SetSwitch:  # noqa: ANN401 - fields of the step
    """Returns a step of settings of a switch, in words made of them."""
    step = SetSwitch(what="", switch=switch, source=source, **asked)
    parts = [f"{'define' if e else 'remove'} VLAN {v}" for v, e in step.vlans.items()]
    parts += [words(step.settings)] if step.settings else []
    for key, gateway in step.gateways.items():
        port, vid = of_key(key)
        where = f"{port} {vid or 'untagged'}" if port else f"VLAN {vid}"
        parts.append(f"gateway of {where} {gateway.shown if gateway else 'none'}")
    parts += [
        f"route {prefix} {' and '.join(r.way for r in some) or 'none'}" for (_, prefix), some in step.routes.items()
    ]
    parts += [f"filter {n} {f'of {len(f.entries)} entries' if f else 'none'}" for n, f in step.filters.items()]
    return replace(step, what=f"{switch}: {', '.join(parts)}")


@dataclass(frozen=True, kw_only=True)
class Cut:
    """A cable is cut.

    Attributes:
        what: the step in words.
        ports: its ends that are known.
        source: where it is written.
    """

    what: str
    ports: tuple[PortRef, ...]
    source: Source = _NOWHERE

    @property
    def touched(self) -> tuple[str, ...]:
        """Nobody has to reach a switch for what only happens."""
        return ()

    @property
    def writes(self) -> frozenset[Written]:
        """What it writes: ends that are off."""
        return frozenset((ref.switch, ref.port, "enabled") for ref in self.ports)

    def done(self, campus: Campus) -> Campus:
        """Returns the campus after it.

        Raises:
            CannotChange: an end is not there.
        """
        return _with_ports(campus, self.ports, _OFF)


@dataclass(frozen=True, kw_only=True)
class Fail:
    """A device fails.

    Attributes:
        what: the step in words.
        switch: the device.
        source: where it is written.
    """

    what: str
    switch: str
    source: Source = _NOWHERE

    @property
    def touched(self) -> tuple[str, ...]:
        """Nobody has to reach a switch for what only happens."""
        return ()

    @property
    def writes(self) -> frozenset[Written]:
        """What it writes: all its ports are off."""
        return frozenset({(self.switch, None, "enabled")})

    def done(self, campus: Campus) -> Campus:
        """Returns the campus after it.

        Raises:
            CannotChange: the device is not there.
        """
        ports = _there(campus.switches, self.switch).ports
        return _with_ports(campus, (PortRef(self.switch, name) for name in ports), _OFF)


_OFF = PortChange(enabled=False)


@dataclass(frozen=True, kw_only=True)
class Arrival:
    """Devices come: new ones with their cables, or one in the place of another.

    Attributes:
        what: the step in words.
        devices: what comes.
        cables: how it is cabled.
        switch: the device that one of them takes the place of; empty where nothing is replaced.
        plugged: the host's port that somebody plugged them into; None where they are meant to come.
        loaded: it is no new box: the device that is there takes on other settings.
        source: where it is written.
    """

    what: str
    devices: tuple[Switch, ...]
    cables: tuple[Cable, ...] = ()
    switch: str = ""
    plugged: PortRef | None = None
    loaded: bool = False
    source: Source = _NOWHERE

    @property
    def touched(self) -> tuple[str, ...]:
        """Whoever brings a device stands in front of it; one that takes on settings has to be reached."""
        return (self.switch,) if self.loaded else ()

    @property
    def writes(self) -> frozenset[Written]:
        """What it writes: devices as a whole, and the cables of ports."""
        ends = (end for c in self.cables for end in (c.a, c.b))
        return frozenset({(d.name, None, None) for d in self.devices} | {(e.switch, e.port, "cable") for e in ends})

    def done(self, campus: Campus) -> Campus:
        """Returns the campus with the devices; a replaced one keeps the cables whose ports the new one has, too.

        Raises:
            CannotChange: a device is there already, or a cable ends where no port is, or at one that is cabled.
        """
        switches = dict(campus.switches)
        for device in self.devices:
            if device.name == self.switch:
                was = _there(switches, self.switch)
                heard = device.heard or tuple(h for h in was.heard if h.port in device.ports)
                switches[device.name] = replace(device, heard=heard)
            elif device.name in switches:
                raise CannotChange(f"{device.name} is there already")
            else:
                switches[device.name] = device
        known = {PortRef(s.name, port) for s in switches.values() for port in s.ports}
        kept = tuple(c for c in campus.cables if {c.a, c.b} <= known)
        taken = {end for c in kept for end in (c.a, c.b)}
        for end in (end for c in self.cables for end in (c.a, c.b)):
            if end not in known:
                raise CannotChange(f"there is no port {end} for a cable")
            if end in taken:
                raise CannotChange(f"{end} is cabled already")
            taken.add(end)
        ordered = {name: switches[name] for name in sorted(switches, key=natural)}
        return replace(campus, switches=ordered, cables=(*kept, *self.cables))


Step: TypeAlias = SetPorts | SetSwitch | Cut | Fail | Arrival
"""One step, as somebody does it at one place, or as it happens."""


def conflict(one: Step, other: Step) -> bool:
    """Tells whether two steps write the same thing, so that it matters which of them comes last."""
    theirs: dict[str, list[Written]] = {}
    for written in other.writes:
        theirs.setdefault(written[0], []).append(written)
    return any(
        (of is None or its is None or of == its) and (name is None or key is None or name == key)
        for device, of, name in one.writes
        for _, its, key in theirs.get(device, ())
    )


def _with_ports(campus: Campus, refs: Iterable[PortRef], settings: PortChange) -> Campus:
    """Returns a campus with some settings of ports changed; its LAGs have the members that their ports say."""
    switches = dict(campus.switches)
    changed: set[str] = set()
    for ref in refs:
        switch = _there(switches, ref.switch)
        if ref.port not in switch.ports:
            raise CannotChange(f"{ref.switch} has no port {ref.port}")
        lag = settings.lag
        if isinstance(lag, str) and not (lag in switch.ports and switch.ports[lag].is_lag):
            raise CannotChange(f"{ref.switch} has no LAG {lag}")
        port = edited(switch.ports[ref.port], settings)
        switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: port})
        changed.add(ref.switch)
    if settings.lag is not KEEP:
        switches |= {name: regrouped(switches[name]) for name in changed}
    return replace(campus, switches=switches)


def regrouped(switch: Switch) -> Switch:
    """Returns a switch whose LAGs have as members the ports that say so."""
    ports = dict(switch.ports)
    for lag in [p for p in ports.values() if p.is_lag]:
        apart = [m for m in lag.members if m not in ports]  # members that the source has no port for
        own = [p.name for p in ports.values() if p.lag == lag.name]
        ports[lag.name] = replace(lag, members=tuple(sorted([*apart, *own], key=natural)))
    return replace(switch, ports=ports)


def _there(switches: Mapping[str, Switch], name: str) -> Switch:
    if name not in switches:
        raise CannotChange(f"there is no switch {name}")
    return switches[name]


def _with(table: Mapping[K, V], changed: Mapping[K, V | None]) -> dict[K, V]:
    made = dict(table)
    for key, entry in changed.items():
        if entry is None:
            made.pop(key, None)
        else:
            made[key] = entry
    return made


def _with_gateways(switch: Switch, changed: Mapping[str, Gateway | None]) -> Switch:
    """Returns a switch with other gateways; its routed ports have the tags that theirs stand behind."""
    made = _with({g.key: g for g in switch.gateways}, changed).values()
    ports = dict(switch.ports)
    for name in {port for key in changed if (port := of_key(key)[0])}:
        if name not in ports:
            raise CannotChange(f"{switch.name} has no port {name}")
        if not isinstance(ports[name].switching, Routed):
            raise CannotChange(f"{switch.name}:{name} switches frames; a gateway stands on a routed port")
        tags = sorted((g.vid for g in made if g.port == name), key=lambda v: v or 0)
        ports[name] = replace(ports[name], switching=Routed(tuple(tags)))
    ordered = sorted(made, key=lambda g: (g.port, g.vid or 0))  # whichever step comes first
    return replace(switch, ports=ports, gateways=tuple(ordered))
