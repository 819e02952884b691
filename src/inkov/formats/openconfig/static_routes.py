"""Static routes of OpenConfig exports: next hops by address, by interface, and those that drop."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final

from inkov.formats.openconfig.filters import Place, kind_of, prefix
from inkov.formats.openconfig.tree import Node, child, entries, is_off, leaves_of, pick
from inkov.formats.reading import Reading
from inkov.model.routing import Ip, Route
from inkov.model.source import Touches

_HOPS: Final = "network-instances/network-instance/protocols/protocol/static-routes/static/next-hops/next-hop"
_DROP: Final = "DROP"
_SPAN: Final = 1 << 32


def static_routes(
    document: Node, instances: Sequence[Node], default: Node | None, at: Mapping[Place, str], reading: Reading
) -> Iterator[Route]:
    """Yields the static routes of a document, of all its instances and of the older container of its own.

    Args:
        document: the whole document.
        instances: its network instances.
        default: the usual one.
        at: the `key` of the gateway at each interface and subinterface that has one.
        reading: where next hops that are not followed are recorded.
    """
    older = child(child(document, "local-routes"), "static-routes")
    for entry in entries(older, "static", "prefix", reading, "/local-routes") if older else ():
        yield from _route(entry, "", at, reading)
    for instance in instances:
        vrf = "" if instance is default else str(pick(instance, "name"))
        protocols = child(instance, "protocols")
        for protocol in entries(protocols, "protocol", "name", reading, "/network-instances"):
            routes = None if is_off(protocol) else child(protocol, "static-routes")
            for entry in entries(routes, "static", "prefix", reading, "/network-instances") if routes else ():
                yield from _route(entry, vrf, at, reading)


def _route(entry: Node, vrf: str, at: Mapping[Place, str], reading: Reading) -> Iterator[Route]:
    text = leaves_of(entry).get("prefix", pick(entry, "prefix"))
    path = f"/{_HOPS.removesuffix('/next-hops/next-hop')}[prefix={text}]"
    target = prefix(text, reading, path)
    hops = list(entries(child(entry, "next-hops"), "next-hop", "index", reading, path))
    for hop, metric in zip(hops, _metrics(hops), strict=True):
        leaves = leaves_of(hop)
        via, out = _address(leaves.get("next-hop")), _out(hop, at)
        drops = kind_of(leaves.get("next-hop")) == _DROP
        if out is None or (via is None and not out and not drops):
            reading.touch(f"/{_HOPS}", Touches.PACKETS, f"{path}/next-hops/next-hop[index={pick(hop, 'index')}]")
        elif target is not None:
            yield Route(target, via, vrf, reading.source(path), "" if drops else out, metric)


def _out(hop: Node, at: Mapping[Place, str]) -> str | None:
    """Returns the `key` of the gateway that a next hop names; empty where it names no interface, None for one without an address."""
    ref = child(hop, "interface-ref")
    leaves = leaves_of(ref) if ref else {}
    name = leaves.get("interface")
    if name is None:
        return ""
    number = leaves.get("subinterface", 0)
    return at.get((str(name), int(number) if str(number).isdecimal() else 0))


def _address(value: Any) -> Ip | None:
    try:
        return ipaddress.ip_address(str(value))
    except ValueError:
        return None


def _metrics(hops: Sequence[Node]) -> list[int | None]:
    """Returns what each next hop is worth: its preference, then its metric; None where it states neither.

    Where they cannot be compared, as one states the one and another the other, the first counts as one that states neither.
    """
    told = [(leaves.get("preference"), leaves.get("metric")) for leaves in map(leaves_of, hops)]
    if all(pair == (None, None) for pair in told):
        return [None for _ in told]
    stated = {tuple(value is not None for value in pair) for pair in told}
    if len(stated) > 1 or not all(value is None or str(value).isdecimal() for pair in told for value in pair):
        return [None, *range(1, len(told))]
    return [int(first or 0) * _SPAN + int(second or 0) for first, second in told]
