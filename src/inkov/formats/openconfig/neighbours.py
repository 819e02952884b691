"""What discovery heard, in OpenConfig data (`openconfig-lldp`)."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.formats.discovery import kind_of
from inkov.formats.openconfig.tree import Node, child, entries, leaves_of, pick, short
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import Reading
from inkov.model.names import natural
from inkov.model.switch import Heard

_NAMES_A_PORT = frozenset({"", "INTERFACE_NAME", "LOCAL", "INTERFACE_ALIAS", "PORT_COMPONENT"})


_CAPABILITIES = {"MAC_BRIDGE": 2, "WLAN_ACCESS_POINT": 3, "ROUTER": 4, "TELEPHONE": 5, "STATION_ONLY": 7}
"""The bits of capabilities by their identities (IEEE 802.1AB-2016, 8.5.8)."""


def _enabled(neighbour: Node) -> Iterator[int]:
    """Yields the bits of the capabilities that a neighbour has enabled."""
    for one in entries(child(neighbour, "capabilities"), "capability", "name", Reading(""), ""):
        leaves = leaves_of(one)
        if leaves.get("enabled") in (True, "true"):  # a tuple: it may be a list
            yield _CAPABILITIES.get(local(short(leaves.get("name", pick(one, "name")))), 0)


def heard(lldp: Node, reading: Reading) -> Iterator[Heard]:
    """Yields what each port heard, in the order of ports."""
    found: list[Heard] = []
    interfaces = child(lldp, "interfaces")
    for entry in entries(interfaces, "interface", "name", reading, "/lldp/interfaces/interface"):
        neighbours = pick(entry, "neighbors")
        port = pick(entry, "name") or leaves_of(entry).get("name")
        if not isinstance(neighbours, dict) or not isinstance(port, str):
            continue
        path = f"/lldp/interfaces/interface[name={port}]/neighbors/neighbor"
        for neighbour in entries(neighbours, "neighbor", "id", reading, path):
            leaves = leaves_of(neighbour)
            system, far, chassis = leaves.get("system-name"), leaves.get("port-id"), leaves.get("chassis-id")
            if str(leaves.get("port-id-type", "")) not in _NAMES_A_PORT:
                far = leaves.get("port-description") or far
            found.append(
                Heard(
                    port,
                    short(system),
                    short(far),
                    short(chassis).lower(),
                    reading.source(path),
                    kind=kind_of(_enabled(neighbour)),
                )
            )
    yield from sorted(found, key=lambda h: (natural(h.port), h.system, h.far_port, h.chassis))
