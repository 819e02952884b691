"""Announcements and captures of them, written by hand (IEEE 802.1AB-2016, 8; the classic capture format)."""

import struct

DOT1, MED = b"\x00\x80\xc2", b"\x00\x12\xbb"


def tlv(kind, value):
    return struct.pack("!H", kind << 9 | len(value)) + value


def announced(chassis=b"\x04\x00\x00\x5e\x00\x53\x01", port=b"\x05u1", ttl=120, system=b"quay", more=b""):
    parts = tlv(1, chassis) + tlv(2, port) + tlv(3, struct.pack("!H", ttl)) + (tlv(5, system) if system else b"") + more
    return parts + tlv(0, b"")


def capture(*frames, link=1, order="<"):
    """Writes a capture of (seconds, payload of an announcement)."""
    made = struct.pack(f"{order}IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, link)
    for at, payload in frames:
        head = (
            b"\x01\x80\xc2\x00\x00\x0e" + b"\x00\x00\x5e\x00\x53\x01" + b"\x88\xcc"
            if link == 1
            else b"\0" * 14 + b"\x88\xcc"
        )
        frame = head + payload + b"\0" * 20
        made += struct.pack(f"{order}IIII", at, 0, len(frame), len(frame)) + frame
    return made


PIER = {"chassis": b"\x04\x00\x00\x5e\x00\x53\x02", "port": b"\x05d7", "system": b"pier"}
