"""The standard's own model of a bridge (IEEE 802.1Qcp, with RFC 8343), as JSON (RFC 7951) or XML (RFC 7950), to switches.

It says what ports do exactly. What it leaves out is at the model's defaults, which are the leaky ones: VLAN 1, all frames,
no filtering. Members may be spelt in several ways; what is not understood is told by name.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Mapping
from typing import Any, Final

from inkov.formats.entry import PART, WHOLE, Entry
from inkov.formats.format import Content, Given
from inkov.formats.ieee import lldp as ieee_lldp
from inkov.formats.ieee import shapes, unfollowed
from inkov.formats.ieee.tree import (
    SPACES,
    Node,
    all_of,
    mac_of,
    node_of,
    nodes_of,
    number_of,
    roots_of,
    text_of,
    vids_of,
)
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.kinds.general import plainest
from inkov.model.names import natural
from inkov.model.settings import Setting
from inkov.model.source import Origin, Source
from inkov.model.switch import FrameTypes, General, Habits, Port, Routed, Switch, Switching, Unstated, Vlan
from inkov.model.tree import Registration
from inkov.model.vlanset import ALL, VID_MAX, VID_MIN, Vid, VlanSet

_JSON: Final = re.compile(rb'"(?:ieee802-dot1q-bridge:(?:bridges|bridge-port)|ieee802-dot1ab-lldp:lldp)"')
_HABITS: Final = Habits(own_tag=True, native_outside_list=False, tagged_native=True)
_FRAMES: Final = {
    "admit-all-frames": FrameTypes.ALL,
    "admit-only-vlan-tagged-frames": FrameTypes.TAGGED,
    "admit-only-untagged-and-priority-tagged": FrameTypes.UNTAGGED,
    "admit-only-untagged-and-priority-tagged-frames": FrameTypes.UNTAGGED,
}
_PORT_TYPES: Final = frozenset({"ethernetCsmacd", "ieee8023adLag", "bridge", "ilan"})
_LAG: Final = "ieee8023adLag"


def recognise(data: bytes) -> bool:
    """Tells whether a file is data of the IEEE 802.1Q or 802.1AB models, as JSON or XML."""
    first = data.lstrip()[:1]
    if first in {b"{", b"["}:
        return b"ieee802-dot1" in data and _JSON.search(data) is not None
    return first in {b"<", b"#"} and any(space in data for space in SPACES[:2])


def read(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads the bridges of a document, or what discovery heard.

    Raises:
        BadInput: it is neither JSON nor XML, or holds no data.
    """
    document = _Document(roots_of(data, reading), reading)
    return tuple(document.entries(given.name))


class _Document:
    def __init__(self, roots: Mapping[str, list[Any]], reading: Reading) -> None:
        self.reading = reading
        for root, held in roots.items():
            for container in held:
                shapes.checked(container, f"/{root.removesuffix('-state')}", reading)
        self.interfaces: dict[str, dict[str, Any]] = {}
        for root in ("interfaces-state", "interfaces"):  # what is configured comes after what is
            told: set[str] = set()
            for container in roots.get(root, ()):
                for entry in nodes_of(container, "interface"):
                    name = text_of(entry, "name")
                    if name:
                        known = self.interfaces.get(name, {}) if name in told else {}
                        for leaf in (n for n in known if n in entry and known[n] != entry[n]):
                            reading.wrong("it is told twice, differently", f"/interfaces/interface[name={name}]/{leaf}")
                        told.add(name)
                        self.interfaces[name] = {**self.interfaces.get(name, {}), **entry}
        self.bridges = [b for container in roots.get("bridges", ()) for b in nodes_of(container, "bridge")]
        self.lldp = [c for c in roots.get("lldp", ()) if isinstance(c, dict)]

    def entries(self, fallback_name: str) -> Iterator[Entry]:
        """Yields a switch a component, as VIDs of two components are different VLANs; a document without bridges is a part."""
        components = [(b, c) for b in self.bridges for c in nodes_of(b, "component") or [{}]]
        heard = ieee_lldp.heard(self.lldp, self.reading)
        name, chassis = ieee_lldp.own(self.lldp)
        if not components:
            component = _Component({}, {}, self, only=True)
            switch = component.switch(name or fallback_name, heard, chassis)
            yield Entry(
                switch, named=bool(name), standing=PART if not self.interfaces else WHOLE, short=("holds no bridge",)
            )
            return
        for bridge, c in components:
            component = _Component(bridge, c, self, only=len(components) == 1)
            own = text_of(bridge, "name") or name or fallback_name
            if len(nodes_of(bridge, "component")) > 1:
                own = f"{own}.{text_of(c, 'name')}"
            switch = component.switch(own, heard, chassis)
            yield Entry(
                switch, named=bool(text_of(bridge, "name")), observed=component.observed, short=tuple(component.short)
            )


class _Component:
    """One component of a bridge: what relays, and the ports that belong to it."""

    def __init__(self, bridge: Node, component: Node, document: _Document, *, only: bool) -> None:
        self.bridge, self.component, self.document = bridge, component, document
        self.reading = document.reading
        self.short: list[str] = []
        self.path = f"/bridges/bridge[name={text_of(bridge, 'name')}]/component[name={text_of(component, 'name')}]"
        self.vlan_path = f"{self.path}/bridge-vlan/vlan"
        self.names = self._own_interfaces(only=only)
        self.table = {
            v: e
            for e in nodes_of(component.get("bridge-vlan"), "vlan")
            for v in [number_of(e.get("vid"))]
            if v is not None and VID_MIN <= v <= VID_MAX
        }
        self.by_number: dict[int, str] = {}
        for name in self.names:
            number = number_of(self._bridge_port(name).get("port-number"))
            if number is not None:
                self.by_number[number] = name
        self.tagged: dict[str, int] = defaultdict(int)
        self.untagged: dict[str, int] = defaultdict(int)
        self.forbidden: dict[str, int] = defaultdict(int)
        self.doubtful: set[str] = set()
        self.registered: int = 0
        self.all_doubtful = False
        entries = nodes_of(component.get("filtering-database"), "vlan-registration-entry")
        self.observed = not entries
        self._membership(entries)

    def _own_interfaces(self, *, only: bool) -> list[str]:
        listed = {str(n) for n in all_of(self.component.get("bridge-port"))}
        bridge, component = text_of(self.bridge, "name"), text_of(self.component, "name")
        found: list[str] = []
        for name, entry in self.document.interfaces.items():
            port = entry.get("bridge-port")
            own = port if isinstance(port, dict) else {}
            said = (text_of(own, "bridge-name"), text_of(own, "component-name"))
            if (
                name in listed
                or (said[0] == bridge and said[0] and said[1] in {component, ""})
                or (only and not said[0] and said[1] in {component, ""} and (isinstance(port, dict) or not listed))
                or (only and said == ("", "") and local(text_of(entry, "type")) in _PORT_TYPES)
            ):
                found.append(name)
        return found

    def _bridge_port(self, name: str) -> Node:
        return node_of(self.document.interfaces[name], "bridge-port")

    # -- membership ------------------------------------------------------------------------------------

    def _membership(self, entries: list[Node]) -> None:
        for entry in entries:
            vids = vids_of(entry.get("vids"), self.reading, self.path)
            self.registered |= vids
            for port in nodes_of(entry, "port-map"):
                self._register(port, vids)
        observed = self._in_force()
        if not entries and not observed:
            self.all_doubtful = True
            self.short.append("does not tell which VLANs ports are members of")
        elif self.all_doubtful and not observed:
            self.short.append(
                "does not tell which interface a port-ref is: port-number is state, and not in this document"
            )
        self.all_doubtful = self.all_doubtful and not observed
        self.doubtful |= {n for n in self.names if self.tagged[n] & self.untagged[n]}

    def _register(self, port: Node, vids: int) -> None:
        """Takes what registration says of a port: fixed and registered ones are members, normal ones may be."""
        name = self._port_named(port.get("port-ref"))
        static, dynamic = (node_of(port, f"{side}-vlan-registration-entries") for side in ("static", "dynamic"))
        control = text_of(static, "registrar-admin-control")
        member = control.startswith("fixed") or "registered" in text_of(dynamic, "control-element")
        if name is None and (member or control == "normal"):
            unnumbered = set(self.names) - set(self.by_number.values())
            self.doubtful |= unnumbered
            self.all_doubtful = self.all_doubtful or bool(unnumbered)
        elif name is not None and member:
            (self.untagged if text_of(static, "vlan-transmitted") == "untagged" else self.tagged)[name] |= vids
        elif name is not None and control == "normal":
            self.doubtful.add(name)
        elif name is not None and control == "forbidden":
            self.forbidden[name] |= vids

    def _in_force(self) -> bool:
        """Takes the member sets that are in force; tells whether there are any."""
        observed = [(v, e) for v, e in self.table.items() if "egress-ports" in e]
        for v, e in observed:
            bare = {str(n) for n in all_of(e.get("untagged-ports"))}
            for name in {str(n) for n in all_of(e.get("egress-ports"))} & set(self.names):
                if not (self.tagged[name] | self.untagged[name]) >> v & 1:
                    (self.untagged if name in bare else self.tagged)[name] |= 1 << v
        return bool(observed)

    def _port_named(self, ref: Any) -> str | None:
        """Returns the interface of a port reference, which is the number of a bridge port."""
        number = number_of(ref)
        if number is not None and number in self.by_number:
            return self.by_number[number]
        if isinstance(ref, str) and ref in self.document.interfaces:
            self.reading.note(f"port-ref {ref!r:.60} is the name of an interface, where its number should be")
            return ref
        if number is None:
            path = f"{self.path}/filtering-database/vlan-registration-entry/port-map/port-ref"
            self.reading.wrong(f"{ref!r:.40} is no bridge port of this component", path)
        return None

    # -- the switch ------------------------------------------------------------------------------------

    def switch(self, name: str, heard: tuple[Any, ...], chassis: str) -> Switch:
        """Returns the component as a switch."""
        ports = self._ports()
        vlans = self._vlans()
        address = mac_of(text_of(self.bridge, "address"))
        unfollowed.record(self.bridge, self.component, [self.document.interfaces[n] for n in self.names], self.reading)
        return Switch(
            name=name[:MAX_TEXT],
            vlans=vlans,
            ports=ports,
            heard=heard,
            mac=address or chassis,
            registration=None,
            habits=_HABITS,
            unstated_habits=frozenset({"uneven_link"}),
            gateways_stated=False,
            touches=self.reading.touched(),
            origin=Origin(self.reading.file, "", {"": self.path, Setting.VLANS.key: self.vlan_path}),
        )

    def _vlans(self) -> dict[Vid, Vlan] | None:
        vids = self.table.keys() | VlanSet.from_mask(self.registered)
        if not vids:
            self.short.append("does not tell which VLANs there are")
            return None
        return {v: Vlan(v, text_of(self.table.get(v, {}), "name")) for v in sorted(vids)}

    def _ports(self) -> dict[str, Port]:
        lags: dict[str, str] = {}
        for name in self.document.interfaces:
            entry = self.document.interfaces[name]
            if local(text_of(entry, "type")) == _LAG:
                lags |= dict.fromkeys(map(str, all_of(entry.get("lower-layer-if"))), name)
            for upper in map(str, all_of(entry.get("higher-layer-if"))):
                if local(text_of(self.document.interfaces.get(upper, {}), "type")) == _LAG:
                    lags[name] = upper
        members: dict[str, list[str]] = defaultdict(list)
        names = dict.fromkeys([*self.names, *(m for m, lag in lags.items() if lag in self.names)])
        found: dict[str, Port] = {}
        for name in names:
            entry = self.document.interfaces.get(name, {})
            kind = local(text_of(entry, "type"))
            if kind and kind not in _PORT_TYPES:
                continue
            lag = lags.get(name)
            if lag is not None:
                members[lag].append(name)
            found[name] = self._port(name, entry, lag, is_lag=kind == _LAG)
        for lag, held in members.items():
            if lag in found:
                fields = {f: getattr(found[lag], f) for f in Port.__dataclass_fields__}
                found[lag] = Port(**{**fields, "members": tuple(sorted(held, key=natural))})
        return {n: found[n] for n in sorted(found, key=natural)}

    def _port(self, name: str, entry: Node, lag: str | None, *, is_lag: bool) -> Port:
        path = f"/interfaces/interface[name={name}]"
        places: dict[str, int | str | Source] = {"": path}
        if "description" in entry:
            places[Setting.LABEL.key] = f"{path}/description"
        if "enabled" in entry:
            places[Setting.ENABLED.key] = f"{path}/enabled"
        speed = str(entry.get("speed", ""))
        enabled = self._flag(entry, "enabled", path, missing=True) and text_of(entry, "admin-status") != "down"
        if enabled and text_of(entry, "oper-status") in {"down", "lower-layer-down", "not-present"}:
            self.reading.down_today("/interfaces/interface/oper-status", name, f"{path}/oper-status")
        return Port(
            name=name[:MAX_TEXT],
            switching=Unstated() if lag is not None else self._switching(name, path, places),
            enabled=enabled,
            label=text_of(entry, "description"),
            lag=lag,
            is_lag=is_lag,
            registration=self._registration(name, node_of(entry, "bridge-port"), path),
            speed=int(speed) // 1_000_000 if speed.isdecimal() and len(speed) < 16 else 0,
            known_as=tuple(filter(None, (text_of(entry, "phys-address").lower(), text_of(entry, "if-index")))),
            origin=Origin(self.reading.file, "", places),
        )

    def _registration(self, name: str, port: Node, path: str) -> Registration:
        """Returns which VLANs may come to a port by registration (IEEE 802.1Q-2022, 11.2.3.2.3): with a restriction, those of the table."""
        restricted = self._flag(port, "enable-restricted-vlan-registration", f"{path}/bridge-port")
        return Registration(VlanSet(self.table) if restricted else ALL, VlanSet.from_mask(self.forbidden[name]))

    def _flag(self, entry: Node, leaf: str, path: str, *, missing: bool = False) -> bool:
        """Returns a leaf that is true or false; records a value that is neither."""
        value = entry.get(leaf, missing)
        if isinstance(value, bool) or (isinstance(value, str) and value in {"true", "false"}):
            return value is True or value == "true"
        self.reading.wrong(f"{value!r:.40} is neither true nor false", f"{path}/{leaf}")
        return missing

    def _switching(self, name: str, path: str, places: dict[str, int | str | Source]) -> Switching:
        port = self._bridge_port(name)
        if not isinstance(self.document.interfaces[name].get("bridge-port"), dict):
            bridged = {str(n) for n in all_of(self.component.get("bridge-port"))}
            return Routed() if bridged and name not in bridged else Unstated(general=True)
        for setting, leaf in (
            (Setting.MODE, "pvid"),
            (Setting.ACCESS, "pvid"),
            (Setting.NATIVE, "pvid"),
            (Setting.GENERAL, "pvid"),
        ):
            places[setting.key] = f"{path}/bridge-port/{leaf}"
        places[Setting.ALLOWED.key] = f"{self.path}/filtering-database/vlan-registration-entry"
        if self._beyond(port, name) or name in self.doubtful or self.all_doubtful:
            return Unstated(general=True)
        pvid = number_of(port.get("pvid", 1))
        frames = _FRAMES.get(local(str(port.get("acceptable-frame", "admit-all-frames"))).lower())
        if pvid is None or frames is None:
            self.reading.wrong("the PVID or the frame types of this port make no sense", f"{path}/bridge-port")
            return Unstated(general=True)
        filtering = self._flag(port, "enable-ingress-filtering", f"{path}/bridge-port")
        untagged = VlanSet.from_mask(self.untagged[name])
        tagged = VlanSet.from_mask(self.tagged[name])
        own = pvid if VID_MIN <= pvid <= VID_MAX else None
        return plainest(General(own, untagged, tagged - untagged, frames, filtering), _HABITS.own_tag)

    def _beyond(self, port: Node, name: str) -> bool:
        """Tells whether a port does what the relay map here does not cover: it may do anything then."""
        odd = [
            leaf
            for leaf in ("enable-vid-translation-table", "enable-egress-vid-translation-table")
            if port.get(leaf) is True or port.get(leaf) == "true"
        ]
        odd += ["protocol-group-vid-set"] if nodes_of(port, "protocol-group-vid-set") else []
        kind = local(text_of(port, "port-type"))
        odd += [kind] if kind and kind not in {"c-vlan-bridge-port", "d-bridge-port"} else []
        if odd:
            self.reading.note(f"{name}: {', '.join(odd)} is not followed; what this port does is not stated")
        return bool(odd)
