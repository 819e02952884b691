"""An SNMP walk of the standard bridge MIBs to a switch.

Ports become general ports exactly as IEEE 802.1Q has them, and access ports or trunks where that is the same. What a walk
did not reach, or the device refused, is not stated; it is never an empty table.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any, Final
from weakref import proxy

from inkov.formats.entry import Entry
from inkov.formats.format import Content, Given
from inkov.formats.reading import Reading
from inkov.formats.snmp import neighbours as snmp_neighbours
from inkov.formats.snmp import routing as snmp_routing
from inkov.formats.snmp.tables import Tables
from inkov.formats.snmp.vlans import VlanTables
from inkov.kinds.accounts import is_stated
from inkov.kinds.general import plainest
from inkov.kinds.table import subinterfaces
from inkov.model.names import natural
from inkov.model.routing import SUBNET_UNTOLD, Gateway
from inkov.model.settings import Setting
from inkov.model.source import Origin, Source, Touches
from inkov.model.switch import (
    FrameTypes,
    General,
    Habits,
    Lacp,
    Port,
    Routed,
    Switch,
    Switching,
    Unstated,
)
from inkov.model.tree import ANY_REGISTRATION, NO_PORT_TREE, BridgeTree, PortTree, Protocol, Registration
from inkov.model.vlanset import ALL, VID_MAX, VID_MIN, Vid, VlanSet

BY_THE_STANDARD: Final = Habits(own_tag=True, native_outside_list=False, tagged_native=True)
"""A bridge that has these tables is described by them, so that its trunks and access ports have no habits of their own."""

_ETHERNET: Final = frozenset({6, 62, 69, 117, 209})
_LAG, _LOOPBACK = 161, 24
_TUNNELS: Final = frozenset({131, 150, 166, 246})
"""Tunnels, MPLS and pseudowires: where what enters comes out is not told."""
_PROTOCOLS: Final = {0: Protocol.STP, 2: Protocol.RSTP}
_ACTIVITY, _SYNCHRONISED, _DEFAULTED = 0x80, 0x10, 0x02
_HEX_DIGITS: Final = frozenset(b"0123456789abcdefABCDEF")
_MOST_PORTS = 20_000
_MOST_TROUBLES = 6
_SATURATED = 65_535
_DOWN: Final = frozenset({2, 6, 7})


def read(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads a walk.

    Returns:
        What it tells of one device; what it does not is not stated.
    """
    walk = Walk(data, reading)
    if not any(walk.tables.values()):
        for trouble in walk.trouble[:1]:
            reading.wrong(f"this walk holds nothing that is of use: {trouble.what}", line=trouble.line)
        if not walk.trouble:
            reading.wrong("this walk holds nothing that is of use; walk from .1, or the subtrees of bridges and LLDP")
        return None
    switch = walk.switch(given.name)
    short = tuple(walk.short())
    return (Entry(switch, named=walk.name != "", observed=_in_force_only(walk), short=short),)


def _in_force_only(walk: Walk) -> bool:
    """Tells whether all that it says of VLANs is what is in force now."""
    return not walk.tables.get("dot1qVlanStaticEgressPorts") and bool(walk.tables.get("dot1qVlanCurrentEgressPorts"))


class Walk(Tables):
    """A walk, and the switch that it is of."""

    def __init__(self, data: bytes, reading: Reading) -> None:
        super().__init__(data, reading)
        self.vlans = VlanTables(proxy(self))  # without a circle, as nobody looks for any while files are read

    def short(self) -> Iterator[str]:
        """Yields what is missing because the walk was cut, or is not as it should be."""
        seen: dict[str, int] = {}
        for trouble in self.trouble:
            seen.setdefault(trouble.what, trouble.line)
        yield from (f"line {line}: {what}" for what, line in list(seen.items())[:_MOST_TROUBLES])
        yield from (f"does not tell {what}" for what in dict.fromkeys(self.untold))

    # -- the switch ------------------------------------------------------------------------------------

    def switch(self, fallback_name: str) -> Switch:
        """Reads the switch.

        Args:
            fallback_name: its name if the walk does not hold one.
        """
        vlans = self.vlans.vlans()
        ports = self.ports()
        gateways, stated = self.gateways(ports)
        routes, learns = snmp_routing.routes(self)
        forwards = self.number("ipForwarding")
        chassis = self.octets("lldpLocChassisId") if self.number("lldpLocChassisIdSubtype") == 4 else None
        bridge = self.text("dot1dBaseBridgeAddress")
        places: dict[str, Any] = {"": 1, **{f"{Setting.VLANS.key}/{v}": n for v, n in self.vlans.lines.items()}}
        if self.vlans.lines:
            places[Setting.VLANS.key] = min(self.vlans.lines.values())
        if (line := self.line("dot1qGvrpStatus")) is not None:
            places[Setting.DYNAMIC.key] = line
        tree = self.tree(places)
        self._unfollowed()
        return Switch(
            name=self.name or fallback_name,
            vlans=vlans,
            ports=ports,
            heard=tuple(snmp_neighbours.heard(self)),
            mac=chassis.hex(":") if chassis else bridge,
            registration={1: True, 2: False}.get(self.number("dot1qGvrpStatus") or 0),
            habits=BY_THE_STANDARD,
            unstated_habits=frozenset({"uneven_link"}),
            tree=tree,
            gateways=gateways,
            routes=routes,
            learns=learns if gateways else "",
            routing={1: True, 2: False}.get(forwards or 0),
            gateways_stated=stated or forwards == 2,
            touches=self.reading.touched(),
            origin=Origin(self.reading.file, "", places),
        )

    def _unfollowed(self) -> None:
        """Records copies of frames (RFC 2613), source routing, logins (IEEE 802.1X), and tunnels among the ports."""
        if self.number("dot1dBaseType") in {3, 4}:
            self.reading.touch("/dot1dBaseType", Touches.FRAMES, "dot1dBaseType", self.line("dot1dBaseType"))
        for i, p in ((i, p) for p, i in self.ifindex_of.items() if i in self.names):
            name, control = self.names[i], self.number("dot1xAuthAuthControlledPortControl", (i,))
            if control in {1, 2}:
                touches = Touches.STOPS if control == 1 else Touches.GUARDS
                line = self.line("dot1xAuthAuthControlledPortControl", (i,))
                path = "dot1xAuthAuthControlledPortControl"
                self.reading.touch(f"/{path}", touches, path, line, port=name if control == 1 else "")
            if self.number("ifType", (i,)) in _TUNNELS:
                line = self.line("ifType", (i,))
                self.reading.touch("/ifType", Touches.FRAMES, f"ifType of bridge port {p}", line)
        for i, name in self.names.items():
            if self.number("ifOperStatus", (i,)) in _DOWN and self.number("ifAdminStatus", (i,)) != 2:
                self.reading.down_today("/ifOperStatus", name, f"ifOperStatus.{i}", self.line("ifOperStatus", (i,)))
        copies = [line for value, line in self.tables["portCopyStatus"].values() if value == 1]
        if copies:
            self.reading.touch("/portCopyTable", Touches.FRAMES, "portCopyTable", copies[0])

    # -- ports -----------------------------------------------------------------------------------------

    def ports(self) -> dict[str, Port]:
        """Returns the ports and LAGs: what bridges frames, and what bundles or routes them."""
        bridged = self._bridge_ports()
        lags = self._lags()
        found: dict[str, Port] = {}
        for i, name in self.names.items():
            kind = self.number("ifType", (i,))
            is_lag = kind == _LAG or i in lags.values()
            if i not in bridged and not is_lag and i not in lags and (kind not in _ETHERNET or kind is None):
                continue
            if len(found) >= _MOST_PORTS:
                self.reading.wrong(f"more than {_MOST_PORTS} ports; this is no switch")
                break
            found[name] = self._port(i, name, bridged, lags.get(i), is_lag=is_lag)
        if not self.names and bridged:
            self.untold.append("the names of ports; they go by the number of their interface")
        for lag in {n for n in lags.values() if n not in self.names}:
            self.reading.note(f"interface {lag} bundles ports and has no name; they count as single ports")
        members: dict[str, list[str]] = defaultdict(list)
        for name, port in found.items():
            if port.lag is not None:
                members[port.lag].append(name)
        for lag_name, names in members.items():
            found[lag_name] = self._bundled(found[lag_name], sorted(names, key=natural), found)
        return {n: found[n] for n in sorted(found, key=natural)}

    def _bundled(self, lag: Port, names: list[str], ports: Mapping[str, Port]) -> Port:
        changes: dict[str, Any] = {"members": tuple(names), "lacp": self._lacp(names)}
        own = {ports[n].switching for n in names}
        if not is_stated(lag.switching) and len(own) == 1:  # agents that list only the members
            first = ports[names[0]]
            changes |= {"switching": first.switching, "tree": first.tree, "origin": first.origin}
        return Port(**{**_fields(lag), **changes})

    def _lacp(self, names: list[str]) -> Lacp | None:
        """Returns how a LAG forms, where what its members tell each other shows it (IEEE 802.1AX-2020, 6.4.2.3)."""
        by_name = {n: i for i, n in self.names.items()}
        for name in names:
            state = self.octets("dot3adAggPortActorOperState", (by_name[name],))
            if state and state[0] & _SYNCHRONISED and not state[0] & _DEFAULTED:
                return Lacp.ACTIVE if state[0] & _ACTIVITY else Lacp.PASSIVE
        return None

    def _bridge_ports(self) -> dict[int, int]:
        """Returns the bridge port of each interface that has one; interfaces without a name get their number for one."""
        for i in self.ifindex_of.values():
            self.names.setdefault(i, f"interface {i}")
        if not self.ifindex_of and (self.tables["dot1qPvid"] or self.tables["dot1qVlanStaticEgressPorts"]):
            self.untold.append(
                "which interface a bridge port is (dot1dBasePortIfIndex); no port's VLANs are known without it"
            )
        return {i: p for p, i in self.ifindex_of.items()}

    def _lags(self) -> dict[int, int]:
        """Returns the LAG of each interface that is a member of one, by interface numbers."""
        found: dict[int, int] = {}
        for table in ("dot3adAggPortAttachedAggID", "dot3adAggPortSelectedAggID"):
            for (i, *_), (lag, _) in self.tables[table].items():
                if lag and lag != i and self.number("ifType", (int(lag),)) in {_LAG, None}:
                    found[i] = int(lag)
        for index in self.tables["ifStackStatus"]:
            if len(index) == 2 and self.number("ifType", (index[0],)) == _LAG and index[1]:
                found.setdefault(index[1], index[0])
        return {i: lag for i, lag in found.items() if i in self.names and lag in self.names}

    def _port(self, i: int, name: str, bridged: Mapping[int, int], lag: int | None, *, is_lag: bool) -> Port:
        p = bridged.get(i)
        places: dict[str, int | str | Source] = {}
        if p is not None:
            switching = self._switching(p, places)
        elif lag is not None:
            switching = Unstated()
        elif is_lag or self.cut or not bridged or self.unplaced:
            switching = Unstated(general=True)
        else:
            switching = Routed()  # an interface that is no port of the bridge relays nothing (RFC 4188, 3)
        for setting, table, index in (
            (Setting.ENABLED, "ifAdminStatus", i),
            (Setting.LABEL, "ifAlias", i),
            (Setting.SPEED, "ifHighSpeed", i),
            (Setting.EDGE, "dot1dStpPortAdminEdgePort", p),
            (Setting.PORT_TREE, "dot1dStpPortPriority", p),
        ):
            if index is not None and (line := self.line(table, (index,))) is not None:
                places[setting.key] = line
        if lag is not None:
            places[Setting.LAG.key] = self.line("dot3adAggPortAttachedAggID", (i,)) or 1
        first = self.line("ifName", (i,)) or self.line("ifDescr", (i,)) or self.line("dot1dBasePortIfIndex", (p or 0,))
        return Port(
            name=name,
            switching=switching,
            enabled=self.number("ifAdminStatus", (i,)) != 2,
            label=self.text("ifAlias", (i,)),
            lag=self.names[lag] if lag is not None and not is_lag else None,
            is_lag=is_lag,
            speed=self.number("ifHighSpeed", (i,)) or 0,
            tree=self._port_tree(p) if p is not None else NO_PORT_TREE,
            registration=self._registration(p),
            known_as=self._known_as(i, p, name),
            origin=Origin(self.reading.file, f"interface {name}", {"": first or 1, **places}),
        )

    def _registration(self, p: int | None) -> Registration:
        """Returns which VLANs may come to a bridge port by registration (RFC 4363, `dot1qPortVlanTable`)."""
        if p is None or self.number("dot1qGvrpStatus") == 2:
            return ANY_REGISTRATION
        forbidden = self.vlans.forbidden.get(p, 0)
        if self.number("dot1qPortGvrpStatus", (p,)) == 2:
            return _registration(0, forbidden)
        restricted = self.number("dot1qPortRestrictedVlanRegistration", (p,)) == 1
        return _registration(sum(1 << v for v in self.vlans.lines) if restricted else ALL.mask, forbidden)

    def _known_as(self, i: int, p: int | None, name: str) -> tuple[str, ...]:
        """Returns what a neighbour may hear this port called, besides its name."""
        mac = self.text("ifPhysAddress", (i,))
        also = [self.text("ifDescr", (i,)), self.text("ifAlias", (i,)), mac, str(i), str(p) if p else ""]
        return tuple(dict.fromkeys(a for a in also if a and a != name))

    def _switching(self, p: int, places: dict[str, int | str | Source]) -> Switching:
        """Returns what a bridge port does with frames (IEEE 802.1Q-2022, 6.9, 8.6.2, 8.8.2)."""
        tagged, untagged, doubtful, known = self.vlans.members
        pvid = self.number("dot1qPvid", (p,))
        if not known or p in doubtful:
            return Unstated(general=True)
        frames = {1: FrameTypes.ALL, 2: FrameTypes.TAGGED}.get(self.number("dot1qPortAcceptableFrameTypes", (p,)) or 0)
        filtering = {1: True, 2: False}.get(self.number("dot1qPortIngressFiltering", (p,)) or 0)
        if pvid is None and frames is not FrameTypes.TAGGED:
            return Unstated(general=True)
        if pvid is not None and not VID_MIN <= pvid <= VID_MAX:
            pvid = None
        line = self.line("dot1qPvid", (p,)) or self.line("dot1dBasePortIfIndex", (p,)) or 1
        for setting in (Setting.MODE, Setting.ACCESS, Setting.NATIVE, Setting.GENERAL):
            places[setting.key] = line
        mask = untagged.get(p, 0) | tagged.get(p, 0)
        first = (mask & -mask).bit_length() - 1  # the lowest VLAN, -1 without any
        places[Setting.ALLOWED.key] = self.line("dot1qVlanStaticEgressPorts", (first,)) or line
        return _made(pvid, untagged.get(p, 0), tagged.get(p, 0), frames, filtering)

    # -- spanning tree and addresses -------------------------------------------------------------------

    def tree(self, places: dict[str, Any]) -> BridgeTree:
        """Returns how the switch takes part in the spanning tree; what kind of tree runs is known of STP and RSTP only."""
        version = self.number("dot1dStpVersion")
        priority = self.number("dot1dStpPriority")
        protocol = _PROTOCOLS.get(-1 if version is None else version)
        if protocol is not None:
            places[Setting.TREE_PROTOCOL.key] = self.line("dot1dStpVersion")
        if priority is None or not 0 <= priority <= 61440:
            return BridgeTree(protocol)
        places[Setting.TREE_PRIORITY.key] = self.line("dot1dStpPriority")
        return BridgeTree(protocol, priority)

    def _port_tree(self, p: int) -> PortTree:
        cost = self.number("dot1dStpPortPathCost32", (p,)) or self.number("dot1dStpPortPathCost", (p,))
        wide = self.number("dot1dStpPortPathCost32", (p,)) is not None
        priority = self.number("dot1dStpPortPriority", (p,))
        edge = self.number("dot1dStpPortAdminEdgePort", (p,)) == 1 or None
        if cost is None and priority is None and edge is None:
            return NO_PORT_TREE
        known = cost if cost and (wide or cost < _SATURATED) else None
        return _port_tree(edge, known, 128 if priority is None else priority, p)

    def gateways(self, ports: Mapping[str, Port]) -> tuple[tuple[Gateway, ...], bool]:
        """Returns the addresses of routed ports, and whether that is all there is to know of gateways.

        The MIBs do not say which VLAN an address is in; a device with one address is no gateway all the same.
        """
        found: list[Gateway] = []
        loose: set[str] = set()
        for address, i, line in snmp_routing.addresses(self):
            name = self.names.get(i, "")
            source = Source(self.reading.file, line)
            if name in ports and subinterfaces(ports[name].switching) is not None:
                untold = snmp_routing.untold_of(self, i, address)
                doubt = SUBNET_UNTOLD if "subnet" in untold else ""
                found.append(Gateway(None, (address,), port=name, source=source, untold=untold, doubt=doubt))
            elif self.number("ifType", (i,)) != _LOOPBACK and not address.ip.is_loopback:
                loose.add(str(address.ip))
        if loose:
            shown = ", ".join(sorted(loose)[:4])
            self.reading.note(f"the VLAN of {shown} is not stated; a walk does not tell")
        told = bool(self.tables["ipAdEntIfIndex"] or self.tables["ipAddressIfIndex"])
        if not told and self.number("ipForwarding") != 2:
            self.untold.append("which addresses it has")
        return tuple(found), told and len(loose) < 2


def _fields(port: Port) -> dict[str, Any]:
    return {name: getattr(port, name) for name in Port.__dataclass_fields__}


@lru_cache(maxsize=8192)
def _made(pvid: Vid | None, untagged: int, tagged: int, frames: FrameTypes | None, filtering: bool | None) -> Switching:
    out = VlanSet.from_mask(untagged)
    general = General(pvid, out, VlanSet.from_mask(tagged & ~untagged), frames, filtering)
    return plainest(general, BY_THE_STANDARD.own_tag)


@lru_cache(maxsize=1024)
def _registration(normal: int, forbidden: int) -> Registration:
    return Registration(VlanSet.from_mask(normal), VlanSet.from_mask(forbidden))


_port_tree = lru_cache(maxsize=65536)(
    lambda edge, cost, priority, number: PortTree(edge=edge, cost=cost, priority=priority, number=number)
)
