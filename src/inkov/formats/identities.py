"""Whose port a neighbour names: by its name, or by whatever else the port is called (IEEE 802.1AB-2016, 8.5.2 and 8.5.3)."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import replace

from inkov.model.identity import Devices, same_name
from inkov.model.remembered import remembered
from inkov.model.switch import Heard, Switch


def followed(switches: dict[str, Switch]) -> dict[str, Switch]:
    """Returns the switches with what they heard told by the names that ports and switches have here, where that is certain.

    An identifier that several ports have, such as the one address of a whole box, names none of them.
    """
    book = _Book(switches)
    return {name: book.switch(switch) for name, switch in switches.items()}


class _Book:
    def __init__(self, switches: Mapping[str, Switch]) -> None:
        self.switches = switches
        self.devices = Devices(switches)

    def switch(self, switch: Switch) -> Switch:
        """Returns a switch with what it heard as `followed` has it; the very same where nothing changes."""
        made = tuple(self._heard(switch, h) for h in switch.heard)
        return switch if all(a is b for a, b in zip(made, switch.heard, strict=True)) else replace(switch, heard=made)

    def _heard(self, switch: Switch, heard: Heard) -> Heard:
        own = heard.port
        if own not in switch.ports:
            own = self.ports(switch.name).get(own, own)
        meant = self.devices.heard(heard)
        far = meant.devices[0] if len(meant.devices) == 1 and not meant.doubt else None
        port = heard.far_port
        if far is not None and port not in self.switches[far].ports:
            known = self.ports(far)
            port = next((known[i] for i in (port, port.lower(), heard.also) if i in known), port)
            if port == heard.far_port and heard.also in self.switches[far].ports:
                port = heard.also
        system = heard.system
        if far is not None and not same_name(system, far):
            system = far
        same = (own, port, system) == (heard.port, heard.far_port, heard.system)
        return heard if same else replace(heard, port=own, far_port=port, system=system)

    @remembered
    def ports(self, name: str) -> Mapping[str, str]:
        """Returns the name of the port that each further identifier of a switch stands for, where it stands for one."""
        ports = self.switches[name].ports.values()
        often = Counter(i for p in ports for i in {*p.known_as, *([p.label] if p.label else [])})
        return {
            i: p.name
            for p in ports
            for i in (*p.known_as, p.label)
            if often[i] == 1 and i not in self.switches[name].ports
        }
