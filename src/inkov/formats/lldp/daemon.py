"""What a discovery daemon tells: its JSON in all its shapes, and its key-value lines, to what ports heard.

The JSON changes shape with what there is to tell: lists of one become their element, names become keys, and values without
anything beside them become plain text. `_all` and `_text` undo that.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Final

from inkov.formats import jsontext
from inkov.formats.discovery import identifier, kind_of
from inkov.formats.entry import PART, Entry
from inkov.formats.format import Content, Given
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.formats.text import utf8
from inkov.model.names import natural
from inkov.model.source import Origin, Source
from inkov.model.switch import ALL_HABITS, Heard, Port, Switch, Unstated
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

_JSON: Final = re.compile(
    rb"\s*\{\s*\"(?:lldp\"\s*:\s*(?:\[|\{\s*(?:\}|\"(?:interface|chassis)\"\s*:))|local-chassis\"\s*:)"
)
_LINES: Final = re.compile(rb"lldp\.[^\s=]+\.(?:via|rid|age|chassis|port|ttl|vlan|status)[^=\n]*=")
_NUMBERS: Final = {
    "Repeater": 1,
    "Bridge": 2,
    "Wlan": 3,
    "Router": 4,
    "Tel": 5,
    "Telephone": 5,
    "Docsis": 6,
    "Station": 7,
}
_HEX: Final = re.compile(r"[0-9A-Fa-f]{2}(?: [0-9A-Fa-f]{2})*\Z")


def recognise(data: bytes) -> bool:
    """Tells whether a file is what a discovery daemon prints as JSON or as key-value lines."""
    return _JSON.match(data) is not None or _LINES.match(data.lstrip()[:4096]) is not None


def read(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads what a daemon tells of its own chassis, of its own ports, or of neighbours.

    Raises:
        BadInput: it is no JSON.
    """
    text = utf8(data)
    if text.lstrip()[:1] == b"{":
        values = jsontext.values(text, reading)
    else:
        values = [_of_lines(text.decode("utf-8", "replace"))]
    told = Announced(reading, given.name)
    for value in values:
        told.take(value)
    return (told.entry(),)


class Announced:
    """What was announced to and by one device."""

    def __init__(self, reading: Reading, fallback_name: str) -> None:
        self.reading = reading
        self.fallback_name = fallback_name
        self.name, self.mac = "", ""
        self.heard: list[Heard] = []
        self.ports: dict[str, tuple[str, ...]] = {}
        self.short: list[str] = []

    def take(self, value: Any) -> None:
        """Takes a document of the daemon."""
        if not isinstance(value, dict):
            return
        for chassis in _all(value.get("local-chassis")):
            self._own(_named(chassis.get("chassis") if isinstance(chassis, dict) else None))
        for lldp in _all(value.get("lldp")):
            if isinstance(lldp, dict):
                for name, entry in _interfaces(lldp.get("interface")):
                    self._interface(name, entry)

    def _own(self, chassis: Mapping[str, Any]) -> None:
        self.name = self.name or _text(chassis.get("name"))
        kind, text = _identity(chassis.get("id"))
        self.mac = self.mac or (text.lower() if kind == "mac" else "")

    def _interface(self, name: str, entry: Mapping[str, Any]) -> None:
        name = name[:MAX_TEXT]
        chassis = _named(entry.get("chassis"))
        port = next((p for p in _all(entry.get("port")) if isinstance(p, dict)), {})
        _, port_id = _identity(port.get("id"))
        described = _text(port.get("descr"))
        if "status" in entry or (
            "rid" not in entry and "age" not in entry and "via" not in entry
        ):  # its own announcement
            self._own(chassis)
            self.ports[name] = tuple(dict.fromkeys(a for a in (port_id, described) if a and a != name))
            return
        self.ports.setdefault(name, ())
        if entry.get("via", "LLDP") != "LLDP":
            return
        pvid, names = _vlans(entry.get("vlan"))
        _, chassis_id = _identity(chassis.get("id"))
        capabilities = (c for c in _all(chassis.get("capability")) if isinstance(c, dict) and c.get("enabled") is True)
        self.heard.append(
            Heard(
                name,
                _text(chassis.get("name")).strip(),
                port_id,
                chassis_id.lower(),
                Source(self.reading.file, None, f"/lldp/interface[name={name}]"),
                also=described,
                kind=kind_of(_NUMBERS.get(str(c.get("type")), 0) for c in capabilities),
                pvid=pvid,
                names=names,
            )
        )

    def entry(self) -> Entry:
        """Returns what is told of the device."""
        heard = tuple(sorted(self.heard, key=lambda h: (natural(h.port), h.system, h.far_port, h.chassis)))
        ports = {
            n: Port(
                name=n,
                switching=Unstated(),
                known_as=self.ports[n],
                origin=Origin(self.reading.file, f"/lldp/interface[name={n}]", {"": ""}),
            )
            for n in sorted(self.ports, key=natural)
        }
        switch = Switch(
            name=self.name or self.fallback_name,
            vlans=None,
            ports=ports,
            heard=heard,
            mac=self.mac,
            unstated_habits=ALL_HABITS,
            gateways_stated=False,
            origin=Origin(self.reading.file, "", {"": ""}),
        )
        return Entry(switch, named=self.name != "", standing=PART, observed=True, short=tuple(self.short))


# -- shapes ------------------------------------------------------------------------------------------


def _all(value: Any) -> list[Any]:
    if value is None:
        return []
    return value if isinstance(value, list) else [value]


def _text(value: Any) -> str:
    """Returns a text, plain or as `{"value": text}`, alone or as the first of a list."""
    for item in _all(value):
        found = item.get("value") if isinstance(item, dict) else item
        if isinstance(found, str):
            return found[:MAX_TEXT]
    return ""


def _interfaces(value: Any) -> Iterator[tuple[str, Mapping[str, Any]]]:
    """Yields (own port, neighbour); an entry has its name inside, or is wrapped by it."""
    for item in _all(value):
        if not isinstance(item, dict):
            continue
        if isinstance(item.get("name"), str):
            yield item["name"], item
        else:
            yield from ((n, e) for n, inner in item.items() for e in _all(inner) if isinstance(e, dict))


def _named(value: Any) -> Mapping[str, Any]:
    """Returns a chassis with its name inside; it may be wrapped by its name, which is any text, `id` included."""
    for item in _all(value):
        if not isinstance(item, dict):
            continue
        own = item.get("id")
        if isinstance(item.get("name"), str | list):
            return item
        if "id" in item and any(isinstance(i, dict) and "type" in i for i in _all(own)):
            return item
        for name, inner in item.items():
            if isinstance(inner, dict):
                return {"name": name, **inner}
    return {}


def _identity(value: Any) -> tuple[str, str]:
    """Returns the kind of an identifier and its text; one that the daemon does not know comes as octets."""
    for item in _all(value):
        if isinstance(item, dict):
            kind, text = str(item.get("type", "")), item.get("value")
            if isinstance(text, str):
                unknown = kind == "unhandled" and _HEX.match(text)
                return kind, (identifier(bytes.fromhex(text), "") if unknown else text)[:MAX_TEXT]
    return "", ""


def _vlans(value: Any) -> tuple[Vid | None, tuple[tuple[Vid, str], ...]]:
    """Returns the PVID that is announced, None for none, and the names of VLANs."""
    pvid: Vid | None = None
    names: list[tuple[Vid, str]] = []
    for item in _all(value):
        number = str(item.get("vlan-id", "")) if isinstance(item, dict) else ""
        if not (number.isascii() and number.isdecimal() and len(number) < 6 and VID_MIN <= int(number) <= VID_MAX):
            continue
        if item.get("pvid") is True or item.get("pvid") == "yes":
            pvid = int(number)
        if isinstance(item.get("value"), str):
            names.append((int(number), item["value"][:MAX_TEXT]))
    return pvid, tuple(sorted(names))


# -- key-value lines ---------------------------------------------------------------------------------


def _of_lines(text: str) -> dict[str, Any]:
    """Returns key-value lines as the JSON has it. Keys repeat in order: a `via` begins a neighbour, a `vlan-id` a VLAN.

    A port's name may have dots in it; it is what all keys begin with, up to the first that is known.
    """
    found: list[dict[str, Any]] = []
    entry: dict[str, Any] = {}
    for line in text.splitlines():
        key, equals, value = line.partition("=")
        match = _KEY.match(key) if equals else None
        if match is None:
            continue
        name, path = match[1], match[2].split(".")
        if path == ["via"] or not entry or entry["name"] != name:
            entry = {"name": name}
            found.append(entry)
        _put(entry, path, value)
    return {"lldp": [{"interface": found}]}


_KEY: Final = re.compile(
    r"lldp\.(.+?)\.((?:via|rid|age|status|chassis|port|vlan|ppvid|pi|lldp-med|unknown-tlvs|ttl)(?:\..*)?)\Z"
)


def _put(entry: dict[str, Any], path: Iterable[str], value: str) -> None:
    match list(path):
        case ["via" | "rid" | "age" | "status" as key]:
            entry[key] = value
        case ["chassis" | "port" as part, "mac" | "ifname" | "local" | "ip" | "ifalias" | "unhandled" as kind]:
            entry.setdefault(part, {})["id"] = {"type": kind, "value": value}
        case ["chassis" | "port" as part, "name" | "descr" as key]:
            entry.setdefault(part, {})[key] = value
        case ["chassis", capability, "enabled"]:
            row = {"type": capability, "enabled": value == "on"}
            entry.setdefault("chassis", {}).setdefault("capability", []).append(row)
        case ["vlan", "vlan-id"]:
            entry.setdefault("vlan", []).append({"vlan-id": value})
        case ["vlan", "pvid"] if entry.get("vlan"):
            entry["vlan"][-1]["pvid"] = value == "yes"
        case ["vlan"] if entry.get("vlan"):
            entry["vlan"][-1]["value"] = value
        case _:
            return


def recognise_capture(data: bytes) -> bool:
    """Tells whether a file is a packet capture."""
    return data[:4] in _CAPTURES


def read_capture(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads the announcements in a packet capture."""
    from inkov.formats.lldp import frames as lldp_frames

    return lldp_frames.read(data, reading, given)


_CAPTURES: Final = frozenset(
    {b"\xd4\xc3\xb2\xa1", b"\xa1\xb2\xc3\xd4", b"\x4d\x3c\xb2\xa1", b"\xa1\xb2\x3c\x4d", b"\x0a\x0d\x0d\x0a"}
)
