"""What discovery heard, in OpenConfig data (`openconfig-lldp`)."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.formats.openconfig.tree import Node, child, entries, leaves_of, pick, short
from inkov.formats.reading import Reading
from inkov.model.names import natural
from inkov.model.switch import Heard

_NAMES_A_PORT = frozenset({"", "INTERFACE_NAME", "LOCAL", "INTERFACE_ALIAS", "PORT_COMPONENT"})


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
                )
            )
    yield from sorted(found, key=lambda h: (natural(h.port), h.system, h.far_port, h.chassis))
