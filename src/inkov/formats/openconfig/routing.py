"""Layer 3 of OpenConfig data: addresses of routed VLANs and subinterfaces, static routes, address filters.

The models have no leaf that turns routing on: an instance that lists its address families routes them, and of
one that does not it is not stated. What an address filter does at its end is not in the model either.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any, NamedTuple

from inkov.formats.openconfig.filters import Filters, Place, kind_of
from inkov.formats.openconfig.static_routes import static_routes
from inkov.formats.openconfig.switched import DOWN
from inkov.formats.openconfig.tree import Node, child, entries, flag, is_off, leaves_of, pick, short
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.model.routing import SUBNET_UNTOLD, Address, Gateway, Ip
from inkov.model.source import Touches
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

_STATIC = "network-instances/network-instance/protocols/protocol/static-routes"
_OUTER = ("vlan-id", "outer-vlan-id")
_OWN_ROUTES = frozenset({"STATIC", "DIRECTLY_CONNECTED", "LOCAL_AGGREGATE"})


class Subinterface(NamedTuple):
    """A subinterface with addresses, its own and shared.

    Attributes:
        number: its index.
        tag: the VLAN its frames are in; None for untagged.
        addresses: its own.
        enabled: not shut down.
        virtual: those it shares.
        doubt: why its tag is not sure; empty where it is.
        label: its description.
    """

    number: int
    tag: Vid | None
    addresses: tuple[Address, ...]
    enabled: bool
    virtual: tuple[Ip, ...]
    doubt: str = ""
    label: str = ""


def subinterfaces(entry: Node, path: str, reading: Reading) -> Iterator[Subinterface]:
    """Yields the subinterfaces of an interface that have addresses."""
    holder = child(entry, "subinterfaces")
    for sub in (
        entries(holder, "subinterface", "index", reading, f"{path}/subinterfaces/subinterface") if holder else ()
    ):
        leaves = leaves_of(sub)
        index = leaves.get("index", pick(sub, "index"))
        here = f"{path}/subinterfaces/subinterface[index={index}]"
        addresses = tuple(_addresses(sub, here, reading))
        if addresses or any(child(child(sub, family), "addresses") for family in ("ipv4", "ipv6")):
            on = flag(leaves.get("enabled"), True, reading, f"{here}/config/enabled")
            tag, doubt = _tag(sub, here, reading)
            number = index if isinstance(index, int) else 0
            label = short(leaves.get("description"))
            doubt = doubt or _down(leaves, f"subinterface {number} of {pick(entry, 'name')}") or _by_hand(sub)
            yield Subinterface(number, tag, addresses, on, tuple(_shared(sub, here, reading)), doubt, label)


def _down(leaves: Node, name: str) -> str:
    """Says that nothing passes an interface today, where its state says so."""
    down = local(str(leaves.get("oper-status", ""))) in DOWN
    return f"whether {name} is up: it is on, and today nothing passes it" if down else ""


def _by_hand(node: Node) -> str:
    """Says that somebody wrote down which station has an address: whether it does, is not known."""
    for family, held in _families_of(node):
        for entry in entries(child(held, "neighbors"), "neighbor", "ip", Reading(""), ""):
            if "link-layer-address" in {local(leaf) for leaf in child(entry, "config")}:
                ip = short(pick(entry, "ip") or leaves_of(entry).get("ip"))
                return f"whether {ip} has the address that {family}/neighbors gives it by hand"
    return ""


def _tag(sub: Node, path: str, reading: Reading) -> tuple[Vid | None, str]:
    """Returns the outer tag of a subinterface, and why it is not sure; `match` is the newer form and wins."""
    vlan = child(sub, "vlan")
    found: list[Vid] = []
    doubt = ""
    for kind, container in child(vlan, "match").items():
        leaves = leaves_of(container) if isinstance(container, dict) else {}
        outer = next((leaves[k] for k in _OUTER if k in leaves), None)
        if outer is None:
            reading.note(f"{path}/vlan/match/{local(kind)}: several tags; the subinterface is taken to be untagged")
        elif (tag := _number(outer)) is not None:
            found.append(tag)
        if outer is None or "inner-vlan-id" in leaves:
            doubt = f"which tags it takes: {path}/vlan/match/{local(kind)} is not followed"
    first, _, inner = str(leaves_of(vlan).get("vlan-id", "")).partition(".")
    older = _number(first)
    if older is not None and found and older not in found:
        reading.note(f"{path}/vlan: vlan-id {older} and match {found[0]} differ; match is taken")
    if inner and not found:
        doubt = f"which tags it takes: {path}/vlan/vlan-id has two, and the inner one is not followed"
    return (found[0] if found else older), doubt


def _number(value: Any) -> Vid | None:
    text = str(value)
    return int(text) if text.isascii() and text.isdecimal() and VID_MIN <= int(text[:9]) <= VID_MAX else None


def _shared(node: Node, path: str, reading: Reading) -> Iterator[Ip]:
    """Yields the virtual addresses of the redundancy groups under the addresses of an interface (`openconfig-if-ip`)."""
    for family, held in _families_of(node):
        holder = child(held, "addresses")
        for entry in entries(holder, "address", "ip", reading, f"{path}/{family}/addresses/address") if holder else ():
            groups = child(entry, "vrrp")
            where = f"{path}/{family}/addresses/address/vrrp/vrrp-group"
            for group in entries(groups, "vrrp-group", "virtual-router-id", reading, where) if groups else ():
                said = leaves_of(group).get("virtual-address")
                for ip in said if isinstance(said, list) else [said] if said is not None else []:
                    try:
                        yield ipaddress.ip_address(str(ip))
                    except ValueError:
                        reading.wrong(f"{ip!s:.40} is not an address", f"{where}/config/virtual-address")


def _families_of(node: Node) -> Iterator[tuple[str, Node]]:
    """Yields the containers of the families that are on (`enabled`, whose default is true)."""
    for family in ("ipv4", "ipv6"):
        held = child(node, family)
        if held and not is_off(held):
            yield family, held


def _addresses(node: Node, path: str, reading: Reading) -> Iterator[Address]:
    for family, held in _families_of(node):
        holder = child(held, "addresses")
        for entry in entries(holder, "address", "ip", reading, f"{path}/{family}/addresses/address") if holder else ():
            leaves = leaves_of(entry)
            ip, length = leaves.get("ip", pick(entry, "ip")), leaves.get("prefix-length")
            where = f"{path}/{family}/addresses/address[ip={ip!s:.40}]"
            if length is None:
                reading.note(f"{where}: no prefix length; taken to be alone in its subnet")
            try:
                yield ipaddress.ip_interface(str(ip) if length is None else f"{ip}/{length}")
            except ValueError:
                reading.wrong(f"{ip!s:.40}/{length!s:.9} is not an address with prefix length", where)


class Layer3:
    """Reads layer 3 of one document."""

    def __init__(self, document: Node, routed: Sequence[Node], names: Mapping[str, Vid], reading: Reading) -> None:
        """Takes the document, its interfaces that may have addresses, and VLAN names to their numbers, for those that give one."""
        self.document = document
        self.routed = routed
        self.names = names
        self.reading = reading
        self._at: dict[Place, str] = {}
        """The `key` of the gateway at each place that has one."""
        self.instances = list(
            entries(child(document, "network-instances"), "network-instance", "name", reading, "/network-instances")
        )

    @cached_property
    def interfaces(self) -> frozenset[str]:
        """The names of all interfaces; few documents name one by an identifier alone, and need them."""
        listed = entries(child(self.document, "interfaces"), "interface", "name", Reading(self.reading.file), "")
        return frozenset(str(pick(e, "name") or leaves_of(e).get("name")) for e in listed)

    def attributes(self, default: Node | None) -> dict[str, Any]:
        """Returns the attributes of a switch that are about layer 3; `default` is its usual network instance."""
        for instance in self.instances:
            families = leaves_of(instance).get("enabled-address-families")
            if not (families is None or (isinstance(families, list) and all(isinstance(f, str) for f in families))):
                path = f"/network-instances/network-instance[name={pick(instance, 'name')!s:.40}]"
                self.reading.wrong(
                    f"{families!r:.40} is no list of families", f"{path}/config/enabled-address-families"
                )
        reader = Filters(self.document, self.reading, self._place)
        filters = reader.sets() if pick(self.document, "acl") is not None else {}
        bound = reader.bound(filters)
        homes = self._homes()
        gateways = tuple(g for e in self.routed for g in self._gateways(e, bound, homes, default))
        self._filters_of_ports(bound, gateways)
        return {
            "gateways": gateways,
            "filters": filters,
            "routing": _routes(default),
            "learns": ", ".join(sorted(set(self._protocols()) - _OWN_ROUTES)),
            "routes": tuple(static_routes(self.document, self.instances, default, self._at, self.reading)),
        }

    def _gateways(
        self, entry: Node, bound: Mapping[Place, Mapping[str, Any]], homes: Mapping[Place, Node], default: Node | None
    ) -> Iterator[Gateway]:
        for place, gateway in self._own(entry):
            home = homes.get(place, default)
            vrf = "" if home is default or home is None else str(pick(home, "name"))
            taken = _families(home)
            own = tuple(a for a in gateway.addresses if a.version in taken)
            virtual = tuple(ip for ip in gateway.virtual if ip.version in taken)
            if not (own or virtual):
                continue
            untold = self._unmeasured(entry, place)
            self._at[place] = gateway.key
            yield replace(
                gateway,
                doubt=gateway.doubt or (SUBNET_UNTOLD if untold else ""),
                untold=("subnet",) if untold else (),
                addresses=own,
                virtual=virtual,
                enabled=gateway.enabled and not is_off(home or {}),
                vrf=vrf,
                **bound.get(place, {}),
            )

    @staticmethod
    def _unmeasured(entry: Node, place: Place) -> bool:
        """Tells whether an address of an interface has no prefix length, so that what is in its subnet is not known."""
        quiet = Reading("")
        subs = entries(child(entry, "subinterfaces"), "subinterface", "index", quiet, "")
        held = [s for s in subs if leaves_of(s).get("index", pick(s, "index")) == place[1]]
        held += [routed] if (routed := child(entry, "routed-vlan")) else []
        for node in held:
            for _, family in _families_of(node):
                holder = child(family, "addresses")
                listed = entries(holder, "address", "ip", quiet, "") if holder else ()
                if any(leaves_of(a).get("prefix-length") is None for a in listed):
                    return True
        return False

    def _own(self, entry: Node) -> Iterator[tuple[Place, Gateway]]:
        """Yields the gateways of an interface, whatever instance and filters they have."""
        leaves = leaves_of(entry)
        name = str(pick(entry, "name") or leaves.get("name"))
        path = f"/interfaces/interface[name={name}]"
        enabled = flag(leaves.get("enabled"), True, self.reading, f"{path}/config/enabled")
        subs = list(subinterfaces(entry, path, Reading(self.reading.file)))
        routed = child(entry, "routed-vlan")
        if routed:
            own = [*_addresses(routed, f"{path}/routed-vlan", self.reading), *(a for s in subs for a in s.addresses)]
            vid = self._vid(leaves_of(routed).get("vlan"), f"{path}/routed-vlan/config/vlan")
            shared = [*_shared(routed, f"{path}/routed-vlan", self.reading), *(ip for s in subs for ip in s.virtual)]
            if vid is not None and own:
                source = self.reading.source(f"{path}/routed-vlan")
                virtual = tuple(dict.fromkeys(shared))
                label = f"{name} {short(leaves.get('description'))}".strip()[:MAX_TEXT]
                made = Gateway(vid, tuple(own), enabled=enabled, source=source, virtual=virtual, label=label)
                yield (name, 0), replace(made, doubt=_down(leaves, name) or _by_hand(routed))
            return
        for sub in (s for s in subs if s.addresses):
            source = self.reading.source(f"{path}/subinterfaces/subinterface[index={sub.number}]")
            up = enabled and sub.enabled
            made = Gateway(sub.tag, sub.addresses, name, up, source=source, virtual=sub.virtual, doubt=sub.doubt)
            yield (name, sub.number), replace(made, label=sub.label)

    def _vid(self, value: Any, path: str) -> Vid | None:
        vid = self.names.get(value) if isinstance(value, str) else None
        if vid is None and (vid := _number(value)) is None:
            self.reading.wrong(f"{value!r:.40} is neither a VLAN number nor the name of one", path)
        return vid

    def _homes(self) -> dict[Place, Node]:
        """Returns the instance of each interface that one lists."""
        path = "network-instances/network-instance/interfaces/interface"
        return {
            self._place(leaves_of(entry), entry, path): instance
            for instance in self.instances
            for entry in entries(child(instance, "interfaces"), "interface", "id", self.reading, f"/{path}")
        }

    def _place(self, named: Node, entry: Node, path: str) -> Place:
        """Returns which interface and subinterface is meant: by its two leaves, or by an identifier such as `irb.20`.

        An identifier that names no interface is not followed.
        """
        name = named.get("interface")
        if isinstance(name, str):
            return name, int(_number(named.get("subinterface")) or 0)
        whole = str(leaves_of(entry).get("id", pick(entry, "id")))
        first, _, index = whole.rpartition(".")
        if whole not in self.interfaces and first in self.interfaces and index.isdecimal():
            return first, int(index[:9])
        if whole not in self.interfaces:
            self.reading.touch(f"/{path}/id", Touches.PACKETS, f"/{path}[id={whole:.60}]/id")
        return whole, 0

    def _filters_of_ports(self, bound: Mapping[Place, Mapping[str, str]], gateways: Sequence[Gateway]) -> None:
        """Records filters on ports that switch frames: they may stop some."""
        routed = {str(pick(e, "name") or leaves_of(e).get("name")) for e in self.routed if child(e, "routed-vlan")}
        routed |= {g.port for g in gateways}
        for name in dict.fromkeys(n for n, _ in bound if n not in routed):
            self.reading.touch(
                "/acl/interfaces/interface", Touches.STOPS, f"/acl/interfaces/interface[id={name}]", port=name
            )

    # -- routes --------------------------------------------------------------------------------------

    def _protocols(self) -> Iterator[str]:
        for instance in self.instances:
            for entry in entries(child(instance, "protocols"), "protocol", "name", self.reading, "/network-instances"):
                identifier = leaves_of(entry).get("identifier", pick(entry, "identifier"))
                if isinstance(identifier, str):
                    yield local(identifier)


def may_route(entry: Node) -> bool:
    """Tells whether an interface has a container that addresses are in."""
    return any(key.endswith(("subinterfaces", "routed-vlan")) for key in entry)


def _routes(instance: Node | None) -> bool | None:
    """Tells whether an instance routes: where it lists its address families, IPv4 or IPv6 is among them."""
    if instance and is_off(instance):
        return False
    listed = _listed(instance)
    return bool(listed & {"IPV4", "IPV6"}) if listed else None


def _families(instance: Node | None) -> frozenset[int]:
    """Returns the families of addresses that an instance routes: those that it lists, or both."""
    listed = _listed(instance)
    return frozenset(f for f in (4, 6) if not listed or f"IPV{f}" in listed)


def _listed(instance: Node | None) -> set[str]:
    families = leaves_of(instance).get("enabled-address-families") if instance else None
    return {kind_of(f) for f in families if isinstance(f, str)} if isinstance(families, list) else set()
