"""Gateways in the network: which are up and why not, what frames reach them, and where their own frames set out.

A gateway of a switch sits in a domain of that switch; one on a routed port sits behind the far end of the
port's link. Either way it is one more listener and one more sender of layer 2.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

from inkov.forwarding.bridging import Bridging
from inkov.kinds.relay import Domain, Mask, Tags, View, tag_of
from inkov.kinds.table import carries_tags, is_up, setting_words, subinterfaces, trunk_of
from inkov.model.names import PortRef
from inkov.model.remembered import remembered
from inkov.model.routing import Gateway
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Kind, VlanType
from inkov.model.vlanset import Vid, bits


@dataclass(frozen=True, slots=True)
class Interface:
    """A gateway of a device: what packets come in and go out by.

    Attributes:
        device: the switch or router.
        gateway: its addresses and filters there.
        port: the routed port or LAG it is on; None when it is in a VLAN of the switch itself.
        format: the number of the tag format of that port.
    """

    device: str
    gateway: Gateway
    port: PortRef | None
    format: int = 0

    def __str__(self) -> str:
        return f"{self.device} {self.gateway.shown}"

    @property
    def ref(self) -> PortRef:
        """Its port; the device with the VLAN for a port, when it is on none."""
        return self.port or PortRef(self.device, f"VLAN {self.gateway.vid}")

    @property
    def tags(self) -> Tags:
        """The tags of its frames on the wire, for one on a routed port."""
        return () if self.gateway.vid is None else (tag_of(self.gateway.vid, self.format),)


class State(NamedTuple):
    """Whether a gateway is up, None when the input does not say; why it is not, and the setting to blame."""

    up: bool | None
    why: str = ""
    source: Source = Source("")


class Deaf(NamedTuple):
    """Why nothing of its VLAN reaches a gateway on a routed port whose cable is well: the port in front of it, and its setting."""

    far: PortRef
    why: str
    setting: Setting


class Sets(NamedTuple):
    """Where frames start: domains by switch, and single places with tags inside."""

    masks: Mapping[str, Mask]
    tagged: tuple[tuple[str, Domain, Tags], ...] = ()


class Gateways:
    """All gateways of a campus."""

    def __init__(self, plant: Bridging) -> None:
        self.plant = plant

    @cached_property
    def all(self) -> list[Interface]:
        """Every gateway, by device, then in the order of its file."""
        return [i for device in self.plant.switches for i in self.of(device)]

    def of(self, device: str) -> list[Interface]:
        """Returns the gateways of a device."""
        return [Interface(device, g, *self._port(device, g)) for g in self.plant.switches[device].gateways]

    def _port(self, device: str, gateway: Gateway) -> tuple[PortRef | None, int]:
        if not gateway.port:
            return None, 0
        port = self.plant.switches[device].ports.get(gateway.port)
        number = self.plant.formats.get(port.tag_format, 0) if port is not None else 0
        return PortRef(device, (port.lag if port else None) or gateway.port), number

    @cached_property
    def by_vlan(self) -> Mapping[Vid, list[Interface]]:
        """The gateways that serve each VLAN: in it, or behind a port whose far end puts their frames into it."""
        found: dict[Vid, list[Interface]] = defaultdict(list)
        for interface in self.all:
            for vid in self.vlans(interface):
                found[vid].append(interface)
        return found

    @cached_property
    def managing(self) -> Mapping[Vid, list[Interface]]:
        """The addresses in each VLAN of switches that are there for managing them: these are stations of the VLAN."""
        found: dict[Vid, list[Interface]] = defaultdict(list)
        for interface in self.all:
            if interface.port is None and interface.gateway.vid is not None and not self.serves(interface):
                found[interface.gateway.vid].append(interface)
        return found

    def serves(self, interface: Interface) -> bool:
        """Tells whether stations may use an address as their gateway; else it is there for managing the device.

        A device with addresses in one VLAN only has nowhere to pass packets on to, unless it says that it routes, or shares an
        address with others, as a pair of gateways does, and does not say that it routes nothing.
        """
        switch = self.plant.switches[interface.device]
        shares = bool(interface.gateway.virtual) and switch.routing is not False
        if switch.kind is Kind.ROUTER or switch.routing or shares:
            return True
        vids = {v for i in self.of(interface.device) for v in self.vlans(i)}
        return len(vids) > 1

    def serving(self, vid: Vid) -> list[Interface]:
        """Returns the gateways that stations of a VLAN may use; where only one device has an address in it, that one."""
        found = self.by_vlan.get(vid, [])
        return [i for i in found if self.serves(i)] or (found if len({i.device for i in found}) == 1 else [])

    def vlans(self, interface: Interface) -> list[Vid]:
        """Returns the VLANs a gateway serves."""
        if interface.port is None:
            return [] if interface.gateway.vid is None else [interface.gateway.vid]
        masks = self.starts(interface, View.USUAL).masks.values()
        found = sorted({v for mask in masks for v in range(1, mask.bit_length()) if mask >> v & 1})
        return found or ([] if interface.gateway.vid is None else [interface.gateway.vid])

    # -- up or down ----------------------------------------------------------------------------------

    @remembered
    def state(self, interface: Interface) -> State:
        """Tells whether a gateway is up."""
        found = self._of_vlan(interface) if interface.port is None else self._of_port(interface)
        doubt = interface.gateway.doubt
        return State(None, doubt, interface.gateway.source) if doubt and found.up else found

    def up(self, interface: Interface, view: View) -> bool:
        """Tells whether a gateway is up surely, or may be."""
        up = self.state(interface).up
        return up is True if view is View.MUST else up is not False

    def _of_vlan(self, interface: Interface) -> State:
        gateway, name = interface.gateway, interface.device
        switch, vid = self.plant.switches[name], gateway.vid or 0
        if not gateway.enabled:
            return State(False, "it is shut down", gateway.source)
        if not self.plant.active(name, View.MAY) >> vid & 1:
            state = "suspended" if self.plant.defined(name) >> vid & 1 else "not defined"
            return State(False, f"VLAN {vid} is {state} on {name}", switch.origin.of(Setting.VLANS))
        for view, up in ((View.MUST, True), (View.MAY, None)):
            ports = [PortRef(name, p.name) for p in switch.ports.values() if p.lag is None or p.lag not in switch.ports]
            if self.plant.active(name, view) >> vid & 1 and any(
                self.plant.relay(ref, view).sends >> vid & 1 and self._plugged(ref) for ref in ports
            ):
                return State(up, "" if up else f"whether a port of {name} carries VLAN {vid} is not stated")
        return State(False, f"no port of {name} that is up carries VLAN {vid}", gateway.source)

    def _plugged(self, ref: PortRef) -> bool:
        """Tells whether a port may have something on it: it is cabled to an enabled port, or not cabled at all."""
        links = [k for k in self.plant.links_at.get(ref.switch, ()) if ref in {k.a, k.b}]
        return any(k.up for k in links) or not links

    def _of_port(self, interface: Interface) -> State:
        gateway, ref = interface.gateway, interface.port
        if ref is None or not self.plant.has(ref):
            return State(None, f"port {gateway.port} of {interface.device} is not in the input", gateway.source)
        port = self.plant.port(ref)
        if not (gateway.enabled and is_up(port, self.plant.switches[ref.switch])):
            what = f"{ref} is disabled" if not (gateway.enabled and port.enabled) else f"no member of {ref} is enabled"
            return State(False, what, port.origin.of(Setting.ENABLED))
        links = [k for k in self.plant.links_at.get(ref.switch, ()) if ref in {k.a, k.b}]
        if not links:
            return State(None, f"what {ref} is cabled to is not known", port.origin.here)
        if not any(k.up for k in links):
            far = links[0].b if links[0].a == ref else links[0].a
            return State(
                False, f"{far}, the far end of {ref}, is disabled", self.plant.port(far).origin.of(Setting.ENABLED)
            )
        if doubt := next((k.doubt for k in links if k.doubt), ""):
            return State(None, doubt)
        return State(True)

    @remembered
    def deaf(self, interface: Interface) -> Deaf | None:
        """Tells why no frame reaches a gateway on a routed port, whatever is not stated; None where one may."""
        if interface.port is None or self.state(interface).up is False:
            return None
        fars = self.far_ends(interface, View.MAY)
        if not fars or any(self.hears_in(interface, View.MAY).values()) or self.beside(interface, View.MAY):
            return None
        far = fars[0]
        return Deaf(far, *self._unsent(far, interface))

    def _unsent(self, far: PortRef, interface: Interface) -> tuple[str, Setting]:
        """Says why a port sends none of the frames that a gateway at its other end takes, and which setting decides it."""
        vid, port, trunk = interface.gateway.vid, self.plant.settled(far), trunk_of(self.plant.settled(far).switching)
        if vid is None:
            return f"{far} sends no VLAN untagged", Setting.NATIVE
        if not carries_tags(port):
            return f"{far} sends no tags ({setting_words(port)})", Setting.MODE
        if not self.plant.active(far.switch, View.USUAL) >> vid & 1:
            state = "suspends" if self.plant.defined(far.switch) >> vid & 1 else "does not define"
            return f"{far.switch} {state} VLAN {vid}", Setting.VLANS
        if trunk is not None and vid not in trunk.allowed:
            return f"the list of {far} leaves out VLAN {vid}", Setting.ALLOWED
        if trunk is not None and trunk.native == vid:
            return f"{far} sends VLAN {vid} untagged, as its native VLAN", Setting.NATIVE
        if self.plant.formats.get(port.tag_format, 0) != interface.format:
            return f"{far} tags in another format", Setting.TAGS
        return f"{far} sends no tag {vid}", Setting.MODE

    # -- frames to and from it -----------------------------------------------------------------------

    def far_ends(self, interface: Interface, view: View) -> list[PortRef]:
        """Returns the ports that a routed port is cabled to."""
        ref = interface.port
        return [
            k.b if k.a == ref else k.a
            for k in self.plant.links_at.get(interface.device, ())
            if ref in {k.a, k.b} and k.up and (view is View.MAY or not (k.doubt or self.plant.lag_failure(k)))
        ]

    @remembered
    def starts(self, interface: Interface, view: View) -> Sets:
        """Returns where the frames a gateway sends set out."""
        vid = interface.gateway.vid
        if interface.port is None:
            return Sets({interface.device: 0 if vid is None else 1 << vid & self.plant.active(interface.device, view)})
        masks: dict[str, Mask] = defaultdict(int)
        tagged: list[tuple[str, Domain, Tags]] = []
        for far in self.far_ends(interface, view):
            for domain, inner in self.plant.relay(far, view).accept(interface.tags):
                if inner:
                    tagged.append((far.switch, domain, inner))
                else:
                    masks[far.switch] |= 1 << domain
        return Sets(masks, tuple(tagged))

    @remembered
    def hears_in(self, interface: Interface, view: View) -> Mapping[str, Mask]:
        """Returns the domains by switch whose frames reach a gateway: its own, or those a routed port's far end sends."""
        name = interface.device
        if interface.port is None:
            vid = interface.gateway.vid or 0
            heard = 1 << vid
            if view is View.MAY:  # a primary's gateway may serve its secondaries (RFC 5517, 3)
                table = self.plant.switches[name].vlans or {}
                heard |= sum(1 << v for v, e in table.items() if e.primary == vid and e.type is not VlanType.PLAIN)
            return {name: heard & self.plant.active(name, view)}
        found: dict[str, Mask] = defaultdict(int)
        for far in self.far_ends(interface, view):
            relay = self.plant.relay(far, view)
            if self.plant.switches[far.switch].kind is Kind.UNMANAGED:
                found[far.switch] |= relay.sends if view is View.MAY or not interface.tags else 0
                continue
            found[far.switch] |= sum(1 << d for d in bits(relay.sends) if interface.tags in relay.send(d))
        return found

    def beside(self, interface: Interface, view: View) -> list[Interface]:
        """Returns the gateways right at the other end of a cable between two routed ports."""
        if interface.port is None:
            return []
        fars = set(self.far_ends(interface, view))
        routed = {f for f in fars if subinterfaces(self.plant.port(f).switching) is not None}
        return [i for f in routed for i in self.of(f.switch) if i.port == f and i.tags == interface.tags]
