"""Steps of a change: settings of ports and switches, cables cut, devices that fail or come; each gives another campus."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from inkov.kinds.edit import CannotChange, edited
from inkov.model.campus import Cable, Campus
from inkov.model.names import PortRef, natural
from inkov.model.routing import Gateway
from inkov.model.source import Source
from inkov.model.switch import Switch, Vlan
from inkov.model.vlanset import Vid


@dataclass(frozen=True)
class Step:
    """One step, as somebody does it at one place, or as it happens.

    Attributes:
        what: it in words.
        ports: the ports whose settings change; of a cable that is cut, its ends.
        settings: what changes at each of them; see `kinds.edit.edited`.
        switch: the switch whose VLANs, tree or gateways change, or that fails.
        vlans: VLANs to define, with their entries, or to remove where None.
        tree: fields of its tree that change.
        gateways: the gateways it is to have, by VLAN, or no longer where None.
        cut: a cable is cut.
        fails: the switch fails.
        source: where it is written.
    """

    what: str
    ports: tuple[PortRef, ...] = ()
    settings: Mapping[str, Any] = field(default_factory=dict)
    switch: str = ""
    vlans: Mapping[Vid, Vlan | None] = field(default_factory=dict)
    tree: Mapping[str, Any] = field(default_factory=dict)
    gateways: Mapping[Vid, Gateway | None] = field(default_factory=dict)
    cut: bool = False
    fails: bool = False
    source: Source = field(default_factory=lambda: Source(""))

    @property
    def touched(self) -> tuple[str, ...]:
        """The switches that somebody has to reach for it; none where it only happens."""
        if self.cut or self.fails:
            return ()
        return tuple(dict.fromkeys([*(r.switch for r in self.ports), *([self.switch] if self.switch else [])]))

    def done(self, campus: Campus) -> Campus:
        """Returns the campus after it.

        Raises:
            CannotChange: a port has no such setting, or what is to change is not there.
        """
        switches = dict(campus.switches)
        settings = {"enabled": False} if self.cut or self.fails else self.settings
        ports = self.ports
        if self.fails:
            ports = tuple(PortRef(self.switch, name) for name in _there(switches, self.switch).ports)
        for ref in ports:
            switch = _there(switches, ref.switch)
            if ref.port not in switch.ports:
                raise CannotChange(f"{ref.switch} has no port {ref.port}")
            lag = str(settings.get("lag") or "")
            if lag and not (lag in switch.ports and switch.ports[lag].is_lag):
                raise CannotChange(f"{ref.switch} has no LAG {lag}")
            changed = edited(switch.ports[ref.port], settings)
            switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: changed})
        if "lag" in settings:
            switches |= {ref.switch: regrouped(switches[ref.switch]) for ref in ports}
        if self.switch and not self.fails:
            switches[self.switch] = self._of_switch(_there(switches, self.switch))
        return replace(campus, switches=switches)

    def _of_switch(self, switch: Switch) -> Switch:
        if self.vlans:
            table = _with(switch.vlans or {}, self.vlans)
            switch = replace(switch, vlans=dict(sorted(table.items())))
        if self.gateways:
            others = tuple(g for g in switch.gateways if g.port or g.vid not in self.gateways)
            new = tuple(g for g in self.gateways.values() if g is not None)
            switch = replace(switch, gateways=(*others, *new))
        return replace(switch, tree=replace(switch.tree, **self.tree)) if self.tree else switch


@dataclass(frozen=True)
class Arrival(Step):
    """Devices come: new ones with their cables, or one in the place of another.

    Attributes:
        devices: what comes.
        cables: how it is cabled.
        plugged: the host's port that somebody plugged them into; None where they are meant to come.
    """

    devices: tuple[Switch, ...] = ()
    cables: tuple[Cable, ...] = ()
    plugged: PortRef | None = None

    @property
    def touched(self) -> tuple[str, ...]:
        """Whoever brings a device stands in front of it."""
        return ()

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


def _with(table: Mapping[Vid, Vlan], changed: Mapping[Vid, Vlan | None]) -> dict[Vid, Vlan]:
    made = dict(table)
    for vid, entry in changed.items():
        if entry is None:
            made.pop(vid, None)
        else:
            made[vid] = entry
    return made
