"""Announcements in a packet capture (IEEE 802.1AB-2016, 8 and annexes D; TIA-1057) to what ports heard.

A capture shows one cable, or one hub: whoever announces itself there hears all others. What was last said counts, unless its
time was over before the capture ended.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Final

from inkov.formats.discovery import identifier, kind_of
from inkov.formats.entry import PART, Entry
from inkov.formats.format import Content, Given
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.model.identity import same_name
from inkov.model.source import Origin, Source
from inkov.model.switch import ALL_HABITS, Heard, Neighbour, Port, Switch, Unstated
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

_ETHERTYPE: Final = b"\x88\xcc"
_HEADERS: Final = {1: (12, 14), 113: (14, 16), 276: (0, 20)}
"""Link type to where the Ethertype stands and where the payload begins: Ethernet, and the two cooked forms."""

_CHASSIS_FORMS: Final = {4: "mac", 5: "address"}
_PORT_FORMS: Final = {3: "mac", 4: "address"}
_DOT1, _MED = b"\x00\x80\xc2", b"\x00\x12\xbb"
_PVID, _VLAN_NAME, _POLICY, _VOICE = 1, 3, 2, 1
_MOST_ANNOUNCERS = 4096


@dataclass(slots=True)
class Announcement:
    """What one port says of itself."""

    chassis: str = ""
    chassis_is_mac: bool = False
    port: str = ""
    ttl: int = 0
    also: str = ""
    system: str = ""
    kind: Neighbour = Neighbour.UNKNOWN
    pvid: Vid | None = None
    names: list[tuple[Vid, str]] = field(default_factory=list)
    voice: Vid | None = None


def read(data: bytes, reading: Reading, given: Given) -> Content:
    """Reads a capture: what each device that announces itself there hears of the others.

    Raises:
        BadInput: it is no capture, or of a link that carries no announcements.
    """
    seen = _last_words(data, reading)
    if not seen:
        reading.note("no announcement in this capture")
        return ()
    own = [a for a in seen if same_name(a.system, given.name)]
    if len(own) == 1:
        return (_entry(own[0], seen, reading),)
    entries = tuple(_entry(a, seen, reading) for a in seen if a.system and len(seen) > 1)
    device, _, port = given.name.rpartition("_")
    if device and port:
        listener = Announcement(port=port)
        return (*entries, _entry(listener, [listener, *seen], reading, device))
    if not entries:
        reading.note("which port this was captured on is not known; call the file DEVICE_PORT.pcap")
    return entries


def _entry(own: Announcement, seen: list[Announcement], reading: Reading, device: str = "") -> Entry:
    source = Source(reading.file, None, f"/{own.port}")
    heard = tuple(
        Heard(own.port, a.system, a.port, a.chassis, source, a.also, a.kind, a.pvid, tuple(sorted(a.names)), a.voice)
        for a in seen
        if a is not own
    )
    origin = Origin(reading.file, f"/{own.port}", {"": ""})
    known_as = (own.also,) if own.also and own.also != own.port else ()
    port = Port(name=own.port, switching=Unstated(), known_as=known_as, origin=origin)
    switch = Switch(
        name=own.system or device,
        vlans=None,
        ports={own.port: port},
        heard=heard,
        mac=own.chassis if own.chassis_is_mac else "",
        unstated_habits=ALL_HABITS,
        gateways_stated=False,
        origin=Origin(reading.file, "", {"": ""}),
    )
    return Entry(switch, named=own.system != "", standing=PART, observed=True)


def _last_words(data: bytes, reading: Reading) -> list[Announcement]:
    """Returns what each port last said, of those whose time was not over when the capture ended."""
    last: dict[tuple[str, str], tuple[float, Announcement]] = {}
    now = 0.0
    for time, frame in _frames(data, reading):
        now = max(now, time)
        made = announcement(frame)
        if made is None or len(last) >= _MOST_ANNOUNCERS:
            continue
        key = (made.chassis, made.port)
        last.pop(key, None)
        if made.ttl:
            last[key] = (time, made)
    return [a for time, a in last.values() if now - time <= a.ttl]


def _frames(data: bytes, reading: Reading) -> Iterator[tuple[float, bytes]]:
    """Yields (seconds, payload) of the frames that are announcements."""
    import dpkt

    file = io.BytesIO(data)
    try:
        reader = dpkt.pcapng.Reader(file) if data[:4] == b"\x0a\x0d\x0d\x0a" else dpkt.pcap.Reader(file)
        header = _HEADERS.get(reader.datalink())
        if header is None:
            raise reading.fail("this capture is of a link that is not Ethernet; capture on the port itself")
        kind, payload = header
        for time, frame in reader:
            if frame[kind : kind + 2] == _ETHERTYPE:
                yield float(time), frame[payload:]
    except (ValueError, dpkt.Error, OverflowError, MemoryError):
        raise reading.fail("this capture is damaged, or cut in its head") from None


def announcement(payload: bytes) -> Announcement | None:
    """Reads one announcement; None for what does not begin as one must, or breaks off (IEEE 802.1AB-2016, 8.2)."""
    made = Announcement()
    at, count = 0, 0
    while at + 2 <= len(payload):
        head = int.from_bytes(payload[at : at + 2], "big")
        kind, length = head >> 9, head & 0x1FF
        value = payload[at + 2 : at + 2 + length]
        at += 2 + length
        count += 1
        if count <= 3 and kind != count:
            return None
        if len(value) < length:
            return None
        if kind == 0:
            break
        _take(made, kind, value)
    return made if count >= 3 and made.chassis and made.port else None


def _take(made: Announcement, kind: int, value: bytes) -> None:
    match kind:
        case 1 if len(value) > 1:
            made.chassis_is_mac = value[0] == 4
            made.chassis = identifier(value[1:], _CHASSIS_FORMS.get(value[0], ""))[:MAX_TEXT].lower()
        case 2 if len(value) > 1:
            made.port = identifier(value[1:], _PORT_FORMS.get(value[0], ""))[:MAX_TEXT]
        case 3 if len(value) >= 2:
            made.ttl = int.from_bytes(value[:2], "big")
        case 4:
            made.also = value.decode("utf-8", "replace")[:MAX_TEXT]
        case 5:
            made.system = value.decode("utf-8", "replace")[:MAX_TEXT].strip()
        case 7 if len(value) >= 4:
            enabled = int.from_bytes(value[2:4], "big")
            made.kind = kind_of(n for n in range(16) if enabled >> n & 1)
        case 127 if value[:3] == _DOT1 and len(value) > 3:
            _dot1(made, value[3], value[4:])
        case 127 if value[:4] == bytes([*_MED, _POLICY]) and len(value) >= 8:
            _policy(made, value[4], int.from_bytes(value[5:8], "big"))
        case _:
            return


def _dot1(made: Announcement, subtype: int, value: bytes) -> None:
    vid = int.from_bytes(value[:2], "big")
    if len(value) < 2 or not VID_MIN <= vid <= VID_MAX:
        return
    if subtype == _PVID:
        made.pvid = vid
    elif subtype == _VLAN_NAME and len(value) >= 3:
        made.names.append((vid, value[3 : 3 + value[2]].decode("utf-8", "replace")))


def _policy(made: Announcement, application: int, bits: int) -> None:
    unknown, tagged, vid = bits >> 23 & 1, bits >> 22 & 1, bits >> 9 & 0xFFF
    if application == _VOICE and tagged and not unknown and VID_MIN <= vid <= VID_MAX:
        made.voice = vid
