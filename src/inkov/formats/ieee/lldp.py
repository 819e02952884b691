"""Discovery in the IEEE 802.1AB model (ieee802-dot1ab-lldp) to what ports heard."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from inkov.formats.ieee.tree import all_of, text_of
from inkov.formats.reading import Reading
from inkov.model.names import natural
from inkov.model.source import Source
from inkov.model.switch import Heard


def own(containers: Iterable[Mapping[str, Any]]) -> tuple[str, str]:
    """Returns the name and the chassis address that a device announces; empty where it does not say."""
    for container in containers:
        local = container.get("local-system-data")
        if isinstance(local, dict):
            mac = text_of(local, "chassis-id") if text_of(local, "chassis-id-subtype") == "mac-address" else ""
            return text_of(local, "system-name").strip(), mac.replace("-", ":").lower()
    return "", ""


def heard(containers: Iterable[Mapping[str, Any]], reading: Reading) -> tuple[Heard, ...]:
    """Returns what ports heard; a port is listed once for each destination address, and a neighbour counts once."""
    found: dict[tuple[str, str, str], Heard] = {}
    for container in containers:
        for port, remote in _remotes(container):
            chassis = text_of(remote, "chassis-id").replace("-", ":" if _by_mac(remote, "chassis") else "-").lower()
            far = text_of(remote, "port-id")
            far = far.replace("-", ":").lower() if _by_mac(remote, "port") else far
            path = f"/lldp/port[name={port}]/remote-systems-data"
            found[port, chassis, far] = Heard(
                port,
                text_of(remote, "system-name").strip(),
                far,
                chassis,
                Source(reading.file, None, path),
                also=text_of(remote, "port-desc"),
            )
    return tuple(sorted(found.values(), key=lambda h: (natural(h.port), h.system, h.far_port, h.chassis)))


def _remotes(container: Mapping[str, Any]) -> Iterator[tuple[str, Mapping[str, Any]]]:
    for port in all_of(container.get("port")):
        if isinstance(port, dict) and isinstance(port.get("name"), str):
            for remote in all_of(port.get("remote-systems-data")):
                if isinstance(remote, dict):
                    yield port["name"], remote


def _by_mac(remote: Mapping[str, Any], part: str) -> bool:
    return text_of(remote, f"{part}-id-subtype") == "mac-address"
