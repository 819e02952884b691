"""Which object an OID is, and which row of it: numeric or by name, as walkers print it."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Final, NamedTuple, TypeAlias

from inkov.formats.snmp.accounts import ACCOUNTS, touching
from inkov.formats.snmp.objects import BY_NAME, BY_OID, Thing
from inkov.model.source import Touches

Index: TypeAlias = tuple[int, ...]
"""The numbers that stand for a row; (0,) for an object without rows."""

Value: TypeAlias = int | str | bytes
"""A number, text, or octets, as the object has it."""

Cell: TypeAlias = tuple[Value, int]
"""A value and its line, from 1."""


class Run(NamedTuple):
    """Values of one object that follow one another in a walk."""

    thing: Thing
    cells: Iterable[tuple[Index, Cell]]


class Trouble(NamedTuple):
    """Something in a walk that means that not all is there."""

    what: str
    line: int


_NUMERIC: Final = re.compile(rb"\.?(?:iso|1)((?:\.\d+)+)\Z")
_SYMBOLIC: Final = re.compile(rb"(?:.*(?:::|\.))?([a-zA-Z][\w-]*)((?:\.\d+|\[\d+\])+)\Z")
_INDEX_PARTS: Final = re.compile(rb"\d+")
_MOST_PARTS = 64


class Finder:
    """Finds the object of an OID; rows of one column stand together, so that the last answer fits the next line.

    Attributes:
        own: OID of the object at hand.
        thing: that object.
        passed: start of OIDs that are of no use.
        touched: what touches something and is not followed, by where it stands.
    """

    def __init__(self, touched: dict[str, Touches]) -> None:
        self.own = b"\0"
        self.thing: Thing | None = None
        self.passed = b"\0"
        self.touched = touched

    def of(self, oid: bytes) -> tuple[Thing, bytes] | None:
        """Returns the object and the text of the row's number; None for objects of no use."""
        if self.thing is not None and oid.startswith(self.own):
            return self.thing, oid[len(self.own) :]
        if oid.startswith(self.passed):
            return None
        found = _numeric(oid) or _symbolic(oid)
        if found is None:
            self.passed = _left(oid)
            if effect := touching(self.passed if self.passed != b"\0" else oid):
                self.touched.setdefault(*effect)
            return None
        self.thing, index = found
        self.own = oid[: len(oid) - len(index)]
        return found


def _numeric(oid: bytes) -> tuple[Thing, bytes] | None:
    match = _NUMERIC.match(oid)
    if match is None:
        return None
    parts = match[1].split(b".")[1 : _MOST_PARTS + 1]
    for length in range(5, min(len(parts), 18)):
        thing = BY_OID.get("1." + b".".join(parts[:length]).decode())
        if thing is not None:
            return thing, b".".join(match[1].split(b".")[length + 1 :])
    return None


_PREFIXES: Final = frozenset(
    known[:at]
    for known in (*BY_OID, *ACCOUNTS)
    for at in range(1, len(known) + 1)
    if (at == len(known) and known in BY_OID) or (at < len(known) and known[at] == ".")
)


def _left(oid: bytes) -> bytes:
    """Returns the start of an OID up to where it leaves the way to every object of use, so that its kin are passed over."""
    match = _NUMERIC.match(oid)
    if match is None:
        return oid.rpartition(b".")[0] + b"." if b"." in oid else b"\0"
    prefix, at = "1", match.start(1)
    for part in match[1].split(b".")[1 : _MOST_PARTS + 1]:
        prefix = f"{prefix}.{part.decode()}"
        at += len(part) + 1
        if prefix not in _PREFIXES:
            break
    return oid[:at] + b"." if at < len(oid) else oid.rpartition(b".")[0] + b"."


def _symbolic(oid: bytes) -> tuple[Thing, bytes] | None:
    match = _SYMBOLIC.match(oid)
    thing = BY_NAME.get(match[1].decode()) if match else None
    return (thing, match[2].lstrip(b".")) if match and thing else None


def index_of(text: bytes) -> Index | None:
    """Returns the numbers that stand for a row; None for what are none, or too many."""
    if text.isdigit() and len(text) < 11:
        return (int(text),)
    parts = _INDEX_PARTS.findall(text)
    if not parts or len(parts) > _MOST_PARTS or any(len(p) > 10 for p in parts):
        return None
    return tuple(map(int, parts))
