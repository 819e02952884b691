"""Steps of a change: settings of ports, VLANs and trees, cables cut and devices that fail; each gives another campus."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from inkov.kinds.edit import edited
from inkov.model.campus import Campus
from inkov.model.names import PortRef
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
        switch: the switch whose VLANs or tree change, or that fails.
        vlans: VLANs to define, with their entries, or to remove where None.
        tree: fields of its tree that change.
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
            CannotChange: a port has no such setting.
        """
        switches = dict(campus.switches)
        settings = {"enabled": False} if self.cut or self.fails else self.settings
        ports = self.ports
        if self.fails:
            ports = tuple(PortRef(self.switch, name) for name in switches[self.switch].ports)
        for ref in ports:
            switch = switches[ref.switch]
            changed = edited(switch.ports[ref.port], settings)
            switches[ref.switch] = replace(switch, ports={**switch.ports, ref.port: changed})
        if self.switch and not self.fails:
            switches[self.switch] = self._of_switch(switches[self.switch])
        return replace(campus, switches=switches)

    def _of_switch(self, switch: Switch) -> Switch:
        if self.vlans:
            table = dict(switch.vlans or {})
            for vid, entry in self.vlans.items():
                if entry is None:
                    table.pop(vid, None)
                else:
                    table[vid] = entry
            switch = replace(switch, vlans=dict(sorted(table.items())))
        return replace(switch, tree=replace(switch.tree, **self.tree)) if self.tree else switch
