"""Layer 3 of OpenConfig data: addresses of routed VLANs and subinterfaces, static routes, address filters.

The models have no leaf that turns routing on: an instance that lists its address families routes them, and of
one that does not it is not stated. What an address filter does at its end is not in the model either.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from inkov.formats.openconfig.tree import Node, child, entries, flag, leaves_of, pick
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import Reading
from inkov.model.routing import Address, Entry, Filter, Gateway, Ip, Prefix, Route
from inkov.model.source import Touches
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

_FAMILIES = {"ACL_IPV4": ("0.0.0.0/0",), "ACL_IPV6": ("::/0",)}
_OF_ENTRIES = frozenset({"sequence-id", "description", "matched-packets", "matched-octets"})
_STATIC = "network-instances/network-instance/protocols/protocol/static-routes"
_OUTER = ("vlan-id", "outer-vlan-id")
_OWN_ROUTES = frozenset({"STATIC", "DIRECTLY_CONNECTED", "LOCAL_AGGREGATE"})


class Subinterface(NamedTuple):
    """A subinterface with addresses, its own and shared: its number, its tag or None for untagged, whether it is on."""

    number: int
    tag: Vid | None
    addresses: tuple[Address, ...]
    enabled: bool
    virtual: tuple[Ip, ...]


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
        if addresses:
            on = flag(leaves.get("enabled"), True, reading, f"{here}/config/enabled")
            yield Subinterface(
                index if isinstance(index, int) else 0,
                _tag(sub, here, reading),
                addresses,
                on,
                tuple(_shared(sub, here, reading)),
            )


def _tag(sub: Node, path: str, reading: Reading) -> Vid | None:
    """Returns the outer tag of a subinterface; `match` is the newer form and wins."""
    vlan = child(sub, "vlan")
    found: list[Vid] = []
    for kind, container in child(vlan, "match").items():
        leaves = leaves_of(container) if isinstance(container, dict) else {}
        outer = next((leaves[k] for k in _OUTER if k in leaves), None)
        if outer is None:
            reading.note(f"{path}/vlan/match/{local(kind)}: several tags; the subinterface is taken to be untagged")
        elif (tag := _number(outer)) is not None:
            found.append(tag)
    older = _number(str(leaves_of(vlan).get("vlan-id", "")).partition(".")[0])
    if older is not None and found and older not in found:
        reading.note(f"{path}/vlan: vlan-id {older} and match {found[0]} differ; match is taken")
    return found[0] if found else older


def _number(value: Any) -> Vid | None:
    text = str(value)
    return int(text) if text.isascii() and text.isdecimal() and VID_MIN <= int(text[:9]) <= VID_MAX else None


def _shared(node: Node, path: str, reading: Reading) -> Iterator[Ip]:
    """Yields the virtual addresses of the redundancy groups under the addresses of an interface (`openconfig-if-ip`)."""
    for family in ("ipv4", "ipv6"):
        holder = child(child(node, family), "addresses")
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


def _addresses(node: Node, path: str, reading: Reading) -> Iterator[Address]:
    for family in ("ipv4", "ipv6"):
        holder = child(child(node, family), "addresses")
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
        self.instances = list(
            entries(child(document, "network-instances"), "network-instance", "name", reading, "/network-instances")
        )

    def attributes(self, default: Node | None) -> dict[str, Any]:
        """Returns the attributes of a switch that are about layer 3; `default` is its usual network instance."""
        filters = self._filters() if pick(self.document, "acl") is not None else {}
        bound = self._bound(filters) if filters else {}
        vrfs = self._vrfs(default)
        return {
            "gateways": tuple(g for e in self.routed for g in self._gateways(e, bound, vrfs)),
            "filters": filters,
            "routing": _routes(default),
            "learns": ", ".join(sorted(set(self._protocols()) - _OWN_ROUTES)),
            "routes": tuple(self._static(default)),
        }

    def _gateways(
        self, entry: Node, bound: Mapping[tuple[str, int], Mapping[str, Any]], vrfs: Mapping[tuple[str, int], str]
    ) -> Iterator[Gateway]:
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
                yield Gateway(
                    vid,
                    tuple(own),
                    enabled=enabled,
                    vrf=vrfs.get((name, 0), ""),
                    source=self.reading.source(f"{path}/routed-vlan"),
                    virtual=tuple(dict.fromkeys(shared)),
                    **bound.get((name, 0), {}),
                )
            return
        for sub in subs:
            key, here = (name, sub.number), f"{path}/subinterfaces/subinterface[index={sub.number}]"
            source = self.reading.source(here)
            up = enabled and sub.enabled
            more: dict[str, Any] = {
                "vrf": vrfs.get(key, ""),
                "source": source,
                "virtual": sub.virtual,
                **bound.get(key, {}),
            }
            yield Gateway(sub.tag, sub.addresses, name, up, **more)

    def _vid(self, value: Any, path: str) -> Vid | None:
        vid = self.names.get(value) if isinstance(value, str) else None
        if vid is None and (vid := _number(value)) is None:
            self.reading.wrong(f"{value!r:.40} is neither a VLAN number nor the name of one", path)
        return vid

    def _vrfs(self, default: Node | None) -> dict[tuple[str, int], str]:
        found: dict[tuple[str, int], str] = {}
        for instance in self.instances:
            if instance is default:
                continue
            holder = child(instance, "interfaces")
            for entry in entries(
                holder, "interface", "id", self.reading, "/network-instances/network-instance/interfaces"
            ):
                leaves = leaves_of(entry)
                name = leaves.get("interface") or pick(entry, "id")
                found[str(name), int(_number(leaves.get("subinterface")) or 0)] = str(pick(instance, "name"))
        return found

    # -- routes --------------------------------------------------------------------------------------

    def _protocols(self) -> Iterator[str]:
        for instance in self.instances:
            for entry in entries(child(instance, "protocols"), "protocol", "name", self.reading, "/network-instances"):
                identifier = leaves_of(entry).get("identifier", pick(entry, "identifier"))
                if isinstance(identifier, str):
                    yield local(identifier)

    def _static(self, default: Node | None) -> Iterator[Route]:
        older = child(child(self.document, "local-routes"), "static-routes")
        for entry in entries(older, "static", "prefix", self.reading, "/local-routes") if older else ():
            yield from self._route(entry, "")
        for instance in self.instances:
            vrf = "" if instance is default else str(pick(instance, "name"))
            for protocol in entries(
                child(instance, "protocols"), "protocol", "name", self.reading, "/network-instances"
            ):
                routes = child(protocol, "static-routes")
                for entry in entries(routes, "static", "prefix", self.reading, "/network-instances") if routes else ():
                    yield from self._route(entry, vrf)

    def _route(self, entry: Node, vrf: str) -> Iterator[Route]:
        text = leaves_of(entry).get("prefix", pick(entry, "prefix"))
        path = f"/{_STATIC}/static[prefix={text}]"
        prefix = self._prefix(text, path)
        for hop in entries(child(entry, "next-hops"), "next-hop", "index", self.reading, path):
            via = leaves_of(hop).get("next-hop")
            try:
                address = ipaddress.ip_address(str(via))
            except ValueError:
                at = f"{path}/next-hops/next-hop[index={pick(hop, 'index')}]"
                self.reading.touch(f"/{_STATIC}/static/next-hops/next-hop", Touches.PACKETS, at)
                continue
            if prefix is not None:
                yield Route(prefix, address, vrf, self.reading.source(path))

    def _prefix(self, text: Any, path: str) -> Prefix | None:
        try:
            return ipaddress.ip_network(str(text), strict=False)
        except ValueError:
            self.reading.wrong(f"{text!r:.60} is not a prefix", path)
            return None

    # -- filters -------------------------------------------------------------------------------------

    def _filters(self) -> dict[str, Filter]:
        """Returns the address filters; one name may stand for a filter of each type."""
        found: dict[str, Filter] = {}
        holder = child(child(self.document, "acl"), "acl-sets")
        for entry in entries(holder, "acl-set", "name", self.reading, "/acl/acl-sets/acl-set"):
            leaves = leaves_of(entry)
            name, kind = str(leaves.get("name", pick(entry, "name"))), _kind(leaves.get("type", pick(entry, "type")))
            path = f"/acl/acl-sets/acl-set[type={kind}][name={name}]"
            rows = entries(child(entry, "acl-entries"), "acl-entry", "sequence-id", self.reading, f"{path}/acl-entries")
            numbered = sorted(((_sequence(row), n, row) for n, row in enumerate(rows)), key=lambda r: r[:2])
            made = [
                e
                for number, _, row in numbered
                for e in self._entry(row, kind, f"{path}/acl-entries/acl-entry[sequence-id={number}]")
            ]
            found[f"{name} {kind}"] = Filter(name, tuple(made), self.reading.source(path))
        return found

    def _entry(self, row: Node, kind: str, path: str) -> Iterator[Entry]:
        action = _kind(leaves_of(child(row, "actions")).get("forwarding-action"))
        if action not in {"ACCEPT", "DROP", "REJECT"}:
            self.reading.wrong(f"{action!r:.40} is not an action; expected ACCEPT, DROP or REJECT", f"{path}/actions")
            return
        ends: list[Prefix | None] = [None, None]
        more: list[str] = []
        for leaf, value in _conditions(row):
            if leaf in {"source-address", "destination-address"}:
                ends[leaf == "destination-address"] = self._prefix(value, f"{path}/{leaf}")
            else:
                more.append(f"{leaf} {_kind(value) if str(value).startswith('openconfig-') else value}")
        source = self.reading.source(path)
        whole = [ipaddress.ip_network(p) for p in _FAMILIES.get(kind, ())]
        origin = ends[0] if ends[0] or ends[1] or not whole else whole[0]
        yield Entry(action == "ACCEPT", origin, ends[1], ", ".join(more), source, _sequence(row))

    def _bound(self, filters: dict[str, Filter]) -> dict[tuple[str, int], dict[str, str]]:
        """Returns the names of the filters bound to each (interface, subinterface), inward and outward."""
        found: dict[tuple[str, int], dict[str, str]] = {}
        holder = child(child(self.document, "acl"), "interfaces")
        for entry in entries(holder, "interface", "id", self.reading, "/acl/interfaces/interface"):
            ref = leaves_of(child(entry, "interface-ref"))
            name = str(ref.get("interface") or pick(entry, "id"))
            key = (name, int(_number(ref.get("subinterface")) or 0))
            for side, direction in (("ingress", "inward"), ("egress", "outward")):
                sets = child(entry, f"{side}-acl-sets")
                rows = entries(sets, f"{side}-acl-set", "set-name", self.reading, "/acl/interfaces/interface")
                wanted = [
                    f"{leaves.get('set-name', pick(row, 'set-name'))} {_kind(leaves.get('type', pick(row, 'type')))}"
                    for row in rows
                    for leaves in [leaves_of(row)]
                ]
                if wanted:
                    found.setdefault(key, {})[direction] = _as_one(wanted, filters)
        return found


def _conditions(node: Node) -> Iterator[tuple[str, Any]]:
    """Yields what an entry asks of a packet: each leaf of its containers, of whatever depth, but for its actions."""
    for leaf, value in leaves_of(node).items():
        if leaf not in _OF_ENTRIES and value != [] and _kind(value) != "ANY":
            yield leaf, value
    for key, held in node.items():
        if isinstance(held, dict) and local(key) not in {"actions", "config", "state"}:
            yield from _conditions(held)


def _as_one(names: list[str], filters: dict[str, Filter]) -> str:
    """Adds the filter that several bound sets make together, and returns its name.

    Each set decides for packets of its own family; a family without a set is not filtered.
    """
    missing = next((n for n in names if n not in filters), None)
    if missing is not None:
        return missing
    covered = {n.rpartition(" ")[2] for n in names}
    rest: list[Entry] = []
    if "ACL_MIXED" not in covered:
        rest = [Entry(True, ipaddress.ip_network(p)) for k, some in _FAMILIES.items() if k not in covered for p in some]
    first = filters[names[0]]
    made = Filter(first.name, tuple(e for n in names for e in filters[n].entries) + tuple(rest), first.source)
    name = " and ".join(n.rpartition(" ")[0] for n in names)
    filters[name] = made
    return name


def _kind(value: Any) -> str:
    return local(value) if isinstance(value, str) else str(value)


def _sequence(row: Node) -> int:
    value = leaves_of(row).get("sequence-id", pick(row, "sequence-id"))
    return int(value) if str(value).isdecimal() else 0


def may_route(entry: Node) -> bool:
    """Tells whether an interface has a container that addresses are in."""
    return any(key.endswith(("subinterfaces", "routed-vlan")) for key in entry)


def _routes(instance: Node | None) -> bool | None:
    """Tells whether an instance routes: where it lists its address families, IPv4 or IPv6 is among them."""
    if instance and leaves_of(instance).get("enabled") is False:
        return False
    families = leaves_of(instance).get("enabled-address-families") if instance else None
    if not isinstance(families, list) or not families:
        return None
    return bool({_kind(f) for f in families} & {"IPV4", "IPV6"})
