"""Which leaves of OpenConfig data the reader follows, which have no effect, and which may let something go elsewhere.

Paths are without modules, list keys, `config` and `state`. A leaf that no row names may do anything to what holds it; so does one
of a module that is not OpenConfig's own. What stands under roots that do not bear on forwarding (logins, clocks, telemetry) has no effect.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any, Final

from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import Reading
from inkov.model.source import Touches

LISTS: Final = frozenset(
    {"interface", "subinterface", "address", "network-instance", "vlan", "protocol", "static", "next-hop"}
)
"""Lists that some exporters write as objects by key."""

_OWN: Final = ("openconfig-", "oc-", "ietf-", "iana-")

_IP: Final = """
ipv4: enabled mtu gratuitous-arp-accepted counters/* neighbors/* proxy-arp/interval
ipv4/addresses/address: ip prefix-length origin type vrrp/*
ipv4/unnumbered/interface-ref: *
ipv6: enabled mtu dup-addr-detect-transmits learn-unsolicited counters/* neighbors/* router-advertisement/*
ipv6/addresses/address: ip prefix-length origin status type vrrp/*
ipv6/unnumbered/interface-ref: *
ipv6/autoconf: create-temporary-addresses temporary-preferred-lifetime temporary-valid-lifetime
"""

_SETTLED: Final = (
    """
interfaces/interface: name type enabled description tpid admin-status cpu ifindex last-change logical
interfaces/interface: management mtu oper-status counters/* hold-time/* rates/* penalty-based-aied/* hardware-port transceiver
interfaces/interface: physical-channel id
interfaces/interface/aggregation: lag-speed lag-type member min-links
interfaces/interface/aggregation/switched-vlan: access-vlan interface-mode native-vlan trunk-vlans
interfaces/interface/ethernet: aggregate-id auto-negotiate duplex-mode enable-flow-control fec-mode hw-mac-address mac-address
interfaces/interface/ethernet: negotiated-duplex-mode negotiated-port-speed port-speed standalone-link-training counters/*
interfaces/interface/ethernet: authenticated-sessions/* poe/*
interfaces/interface/ethernet/dot1x: host-mode max-requests reauthenticate-interval retransmit-interval
interfaces/interface/ethernet/dot1x: supplicant-timeout
interfaces/interface/ethernet/switched-vlan: access-vlan interface-mode native-vlan trunk-vlans
interfaces/interface/routed-vlan: vlan
interfaces/interface/subinterfaces/subinterface: index name enabled description admin-status cpu ifindex last-change logical
interfaces/interface/subinterfaces/subinterface: management oper-status counters/*
interfaces/interface/subinterfaces/subinterface/vlan: vlan-id
interfaces/interface/subinterfaces/subinterface/vlan/match/single-tagged: vlan-id
interfaces/interface/subinterfaces/subinterface/vlan/match/double-tagged: outer-vlan-id
interfaces/interface/tunnel: counters/*
network-instances/network-instance: name description enabled enabled-address-families mtu route-distinguisher router-id
network-instances/network-instance: afts/* tables/* table-connections/*
network-instances/network-instance/fdb: anycast-gateway-mac flood-unknown-unicast-supression mac-aging-time mac-learning
network-instances/network-instance/fdb: flood-unknown-unicast-suppression maximum-entries mac-table/*
network-instances/network-instance/interfaces/interface: id interface subinterface associated-address-families
network-instances/network-instance/interfaces/interface: irb-anycast-gateway mac-pinning
network-instances/network-instance/protocols/protocol: identifier name enabled default-metric local-aggregates/* bgp/* isis/*
network-instances/network-instance/protocols/protocol: ospfv2/* ospfv3/* rip/* igmp/* pim/*
network-instances/network-instance/vlans/vlan: vlan-id name status tpid members/*
vlans/vlan: vlan-id name status tpid members/*
acl: counter-capability
acl/acl-sets/acl-set: name type description acl-entries/*
acl/acl-sets/acl-set/acl-entries/acl-entry/actions: forwarding-action log-action
acl/interfaces/interface: id ingress-acl-sets/* egress-acl-sets/* interface-ref/*
lacp: system-priority
lacp/interfaces/interface: name interval lacp-mode system-id-mac system-priority members/*
lldp: chassis-id chassis-id-type enabled hello-timer suppress-tlv-advertisement system-description system-name counters/*
lldp: chassis-id-type port-id-type
lldp/interfaces/interface: name enabled counters/*
lldp/interfaces/interface/neighbors/neighbor: id age chassis-id chassis-id-type last-update management-address port-id
lldp/interfaces/interface/neighbors/neighbor: management-address-type port-description port-id-type system-description
lldp/interfaces/interface/neighbors/neighbor: system-name ttl capabilities/* custom-tlvs/*
stp/global: enabled-protocol bpduguard-timeout-recovery bpdu-filter
stp: rstp/* mstp/* rapid-pvst/*
stp/interfaces/interface: name edge-port link-type bpdu-filter
"""
    + "".join(
        f"{holder}/{row}\n"
        for holder in (
            f"interfaces/interface/{kind}" for kind in ("routed-vlan", "tunnel", "subinterfaces/subinterface")
        )
        for row in _IP.split("\n")
        if row
    )
    + "".join(
        f"{holder}/static: prefix set-tag\n{holder}/static/next-hops/next-hop: index metric next-hop recurse preference\n"
        f"{holder}/static/next-hops/next-hop/interface-ref: interface subinterface\n"
        for holder in (
            "local-routes/static-routes",
            "network-instances/network-instance/protocols/protocol/static-routes",
        )
    )
    + "local-routes/local-aggregates: *\n"
)
"""What is followed, has no effect, or only takes away; `/*` stands for everything below."""

_TYPE: Final = "network-instances/network-instance/type"

TOUCHING: Final[dict[str, tuple[Touches, tuple[Any, ...]]]] = {
    "interfaces": (Touches.FRAMES, ()),
    "interfaces/interface/loopback-mode": (Touches.FRAMES, (False, "NONE")),
    "interfaces/interface/forwarding-viable": (Touches.STOPS, (True,)),
    "interfaces/interface/ethernet/dot1x": (Touches.FRAMES, ()),
    "interfaces/interface/ethernet/dot1x/authenticate-port": (Touches.GUARDS, (False,)),
    "interfaces/interface/subinterfaces/subinterface/vlan/match/double-tagged/inner-vlan-id": (Touches.ADDRESSES, ()),
    "interfaces/interface/ethernet/switched-vlan/dot1x-vlan-map": (Touches.FRAMES, ()),
    "interfaces/interface/tunnel": (Touches.PACKETS, ()),
    "interfaces/interface/subinterfaces/subinterface/vlan": (Touches.FRAMES, ()),
    "interfaces/interface/subinterfaces/subinterface/vlan/match": (Touches.ADDRESSES, ()),
    **{
        f"interfaces/interface/{kind}/{leaf}": (touches, inert)
        for kind in ("routed-vlan", "tunnel", "subinterfaces/subinterface")
        for leaf, touches, inert in (
            ("ipv4", Touches.PACKETS, ()),
            ("ipv4/dhcp-client", Touches.ADDRESSES, (False,)),
            ("ipv4/unnumbered/enabled", Touches.ADDRESSES, (False,)),
            ("ipv4/proxy-arp/mode", Touches.PACKETS, ("DISABLE",)),
            ("ipv6", Touches.PACKETS, ()),
            ("ipv6/dhcp-client", Touches.ADDRESSES, (False,)),
            ("ipv6/unnumbered/enabled", Touches.ADDRESSES, (False,)),
            ("ipv6/autoconf/create-global-addresses", Touches.ADDRESSES, (False,)),
        )
    },
    "network-instances": (Touches.FRAMES, ()),
    _TYPE: (Touches.FRAMES, ("DEFAULT_INSTANCE", "L3VRF")),
    "network-instances/network-instance/fallback-network-instance": (Touches.PACKETS, ("",)),
    "network-instances/network-instance/inter-instance-policies": (Touches.PACKETS, ()),
    "network-instances/network-instance/connection-points": (Touches.FRAMES, ()),
    "network-instances/network-instance/encapsulation": (Touches.FRAMES, ()),
    "network-instances/network-instance/mpls": (Touches.PACKETS, ()),
    "network-instances/network-instance/segment-routing": (Touches.PACKETS, ()),
    "network-instances/network-instance/policy-forwarding": (Touches.PACKETS, ()),
    "network-instances/network-instance/protocols": (Touches.PACKETS, ()),
    "vlans": (Touches.FRAMES, ()),
    "stp": (Touches.FRAMES, ()),
    **{
        f"stp/{leaf}": (Touches.GUARDS, (False, "NONE"))
        for leaf in (
            *(
                "global/loop-guard",
                "global/etherchannel-misconfig-guard",
                "global/bridge-assurance",
                "global/bpdu-guard",
            ),
            *("interfaces/interface/guard", "interfaces/interface/bpdu-guard"),
        )
    },
    "lacp": (Touches.FRAMES, ()),
    "lacp/interfaces/interface/fallback": (Touches.FRAMES, (False,)),
    "lldp": (Touches.FRAMES, ()),
    "acl": (Touches.PACKETS, ()),
    "acl/acl-sets/acl-set/acl-entries/acl-entry/actions": (Touches.PACKETS, ()),
    "local-routes": (Touches.PACKETS, ()),
    "policy-forwarding": (Touches.PACKETS, ()),
}
"""What a leaf may change that is not settled, by the longest path that holds it, and the values that do nothing."""


def _settled_paths() -> tuple[frozenset[str], frozenset[str]]:
    leaves: set[str] = set()
    below: set[str] = set()
    for row in filter(None, _SETTLED.split("\n")):
        holder, _, names = row.partition(": ")
        for name in names.split():
            path = f"{holder}/{name}"
            (below if name.endswith("*") else leaves).add(path.removesuffix("/*"))
    return frozenset(leaves), frozenset(below)


LEAVES, BELOW = _settled_paths()


@lru_cache(maxsize=16384)
def touching(path: str) -> tuple[Touches, tuple[Any, ...]] | None:
    """Returns what a leaf at a path may change and the values with which it changes nothing; None where it has no such effect."""
    if path in LEAVES:
        return None
    steps = path.split("/")
    prefixes = ["/".join(steps[:n]) for n in range(len(steps), 0, -1)]
    for prefix in prefixes:
        if prefix in TOUCHING:
            return TOUCHING[prefix]
        if prefix in BELOW and ":" not in path:
            return None
    return None


def record(node: Any, path: str, at: str, reading: Reading, *, port: str = "", but: str = "") -> bool:
    """Records what a part of a document states and the reader does not follow.

    Args:
        node: the part.
        path: its path without keys.
        at: its path with keys.
        reading: where to record it.
        port: the port that it is of; empty for all of the device.
        but: a leaf that is followed here.

    Returns:
        Whether there was anything.
    """
    if not _touches(node, path):
        return False
    for leaf, place, value in _leaves(node, path, at):
        effect = touching(leaf)
        if effect is not None and leaf != but and _does(value, effect):
            reading.touch(f"/{leaf}", effect[0], place, port=port if effect[0] is Touches.STOPS else "")
    return True


def record_roots(document: Mapping[str, Any], reading: Reading, *, whole_bridge: bool = False) -> None:
    """Records what a document states and the reader does not follow, but for what interfaces hold: each is recorded as it is read.

    Args:
        document: its containers by name.
        reading: where to record it.
        whole_bridge: the instance that bridges is the bridge of the device, and its type says nothing more.
    """
    for root, held in document.items():
        own = held
        if root == "interfaces" and isinstance(held, dict):
            own = {k: v for k, v in held.items() if local(k) != "interface"}
        record(own, root, f"/{root}", reading, but=_TYPE if whole_bridge else "")


def _does(value: Any, effect: tuple[Touches, tuple[Any, ...]] | None) -> bool:
    """Tells whether a leaf with this value and this effect changes anything."""
    if effect is None or value is None:
        return False
    if isinstance(value, str):
        return not (local(value) in effect[1] or (value in {"false", "true"} and (value == "true") in effect[1]))
    return not any(value is i for i in effect[1])


def _touches(node: Any, path: str) -> bool:
    """Tells whether anything is to be recorded; of nearly all data there is nothing, and it is large."""
    kind = type(node)
    if kind is dict:
        for key, inner in _open(path, tuple(node)):
            value = node[key]
            if value is not None and _touches(
                _keyed(local(key), value) if type(value) is dict and local(key) in LISTS else value, inner
            ):
                return True
        return False
    if kind is list:
        return any(_touches(item, path) for item in node)
    return _does(node, touching(path))


@lru_cache(maxsize=16384)
def _open(path: str, keys: tuple[str, ...]) -> tuple[tuple[str, str], ...]:
    """Returns the members of a container that are not settled, whatever they hold, each with its path."""
    found = ((key, _below(path, key)) for key in keys)
    return tuple((key, inner) for key, inner in found if inner not in LEAVES and not _is_count(inner))


def _below(path: str, key: str) -> str:
    module, _, name = key.rpartition(":")
    if name in {"config", "state"}:
        return path
    return f"{path}/{name if not module or module.startswith(_OWN) else key}"


def _is_count(path: str) -> bool:
    return path in BELOW and path.endswith("/counters")


def _leaves(node: Any, path: str, at: str) -> Iterator[tuple[str, str, Any]]:
    """Yields the path, the place and the value of each leaf, but for counts: there are many."""
    if isinstance(node, list):
        for item in node:
            yield from _leaves(item, path, at + _key(item) if isinstance(item, dict) else at)
    elif isinstance(node, dict):
        for key, inner in _open(path, tuple(node)):
            value = _keyed(local(key), node[key]) if local(key) in LISTS and isinstance(node[key], dict) else node[key]
            yield from _leaves(value, inner, f"{at}/{key}")
    elif node is not None:
        yield path, at, node


def _keyed(name: str, value: dict[str, Any]) -> Any:
    """Returns the entries of a list that was written as an object by key; any other object as it is."""
    if value.keys() & {"config", "state"} or not all(isinstance(v, dict) for v in value.values()):
        return value
    if name == "vlan" and not all(map(str.isdecimal, value)):  # the container of a subinterface
        return value
    return [{"name": k, **v} for k, v in value.items()]


def _key(item: dict[str, Any]) -> str:
    for name in ("name", "index", "id", "vlan-id", "prefix", "sequence-id"):
        if isinstance(value := item.get(name), str | int):
            return f"[{name}={value!s:.60}]"
    return ""
