"""Simulator records (`OID|TAG|VALUE`) to rows."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Final

from inkov.formats.snmp.objects import Form
from inkov.formats.snmp.oids import Finder, Run, Trouble, index_of
from inkov.model.source import Touches

RECORD: Final = re.compile(rb"1(?:\.\d+){4,}\|\d+(?::?[a-z]+)?\|")
"""How such a line begins."""

_UNESCAPE: Final = {b"n": b"\n", b"r": b"\r", b"t": b"\t"}
_NUMBERS_TAGGED: Final = frozenset({2, 65, 66, 67, 70})
_NO_VALUE: Final = (128, 129, 130)
_IP_TAG: Final = 64


def record_rows(data: bytes, trouble: list[Trouble], touched: dict[str, Touches]) -> Iterator[Run]:
    """Yields the values of a record that are of use, in their order.

    Args:
        data: the file.
        trouble: takes what shows that the record is not whole.
        touched: takes what is there, is not followed, and may change something.
    """
    lines = data.split(b"\n")
    finder = Finder(touched)
    for number, line in enumerate(lines, 1):
        oid, _, rest = line.partition(b"|")
        tag, second, body = rest.partition(b"|")
        body = body.removesuffix(b"\r")
        found = finder.of(oid) if second else None
        if found is None:
            if line.strip() and not second and not line.startswith(b"#"):
                trouble.append(Trouble("this line is no record; the file is cut or damaged there", number))
            continue
        if number == len(lines) and tag[-1:] == b"x" and len(body) % 2:
            trouble.append(Trouble("the last line has no end; the record is cut there", number))
            return
        index, value = index_of(found[1]), _tagged(found[0].form, tag, body)
        if b":" in tag or index is None or value is None:
            what = "is computed, not constant" if b":" in tag else "makes no sense"
            trouble.append(Trouble(f"the value of {found[0].name} {what}", number))
            continue
        yield Run(found[0], [(index, (value, number))])


def _tagged(form: Form, tag: bytes, body: bytes) -> int | str | bytes | None:
    digits = tag.rstrip(b"xe")
    number = int(digits) if digits.isdigit() and len(digits) < 4 else _NO_VALUE[0]
    octets = _unpacked(tag, body)
    if number in _NO_VALUE or octets is None:
        return None
    if form is Form.NUMBER:
        return int(octets) if number in _NUMBERS_TAGGED and re.fullmatch(rb"-?\d{1,19}", octets) else None
    if number in _NUMBERS_TAGGED:
        return None
    if form is Form.ADDRESS and number == _IP_TAG:
        return ".".join(map(str, octets)) if tag.endswith(b"x") else octets.decode("ascii", "replace")
    if form is Form.ADDRESS:
        return octets.hex(":")
    return octets if form is Form.OCTETS else octets.decode("utf-8", "replace")


def _unpacked(tag: bytes, body: bytes) -> bytes | None:
    """Returns the octets of a value: in hex, with escapes, or plain."""
    if tag.endswith(b"x"):
        return bytes.fromhex(body.decode("ascii")) if re.fullmatch(rb"(?:[0-9a-fA-F]{2})*", body) else None
    return re.sub(rb"\\(.)", lambda m: _UNESCAPE.get(m[1], m[1]), body) if tag.endswith(b"e") else body


def is_record(data: bytes) -> bool:
    """Tells whether a file is a simulator record (`OID|TAG|VALUE`)."""
    first = next((line for line in data[:8192].splitlines() if line.strip() and not line.startswith(b"#")), b"")
    return RECORD.match(first) is not None
