"""Text of SNMP walks to rows: one object, the number of its row, its value, its line.

Walkers guess what octets are: the same column comes as text, as hex, or as nothing, and text may hold line breaks and lines
that look like rows. So all is read as bytes, quotes first, and the object says what its value is.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from functools import lru_cache
from itertools import accumulate, count, repeat
from typing import Final, NamedTuple

from inkov.formats.snmp.objects import LABELS, OPER_LABELS, PORT_LABELS, PROTO_LABELS, ROUTE_LABELS, Form, Thing
from inkov.formats.snmp.oids import Finder, Run, Trouble, Value, index_of
from inkov.formats.snmp.record import RECORD
from inkov.model.source import Touches

_STARTS: Final = re.compile(
    rb"(?:\.?(?:iso|1)(?:\.\d+){3,}|(?:[A-Za-z][\w-]*::|[\w.-]*\.)?[a-z][A-Za-z]\w*(?:\.\d+|\[[^\]]*\])+) ?= ?"
)
_QUICK: Final = re.compile(rb"(?m)^\.?(?:iso|1)(?:\.\d+){4,} ")
_REFUSED: Final = re.compile(rb"(?:Timeout: No Response|snmp\w*: |No Response)")
_TYPED: Final = re.compile(
    rb"(Hex-STRING|STRING|INTEGER|Gauge32|Unsigned32|Counter32|Counter64|Timeticks|OID|IpAddress|Network Address|BITS|"
    rb"OPAQUE|Opaque|UInteger32|NULL): ?"
)
_NEXT: Final = frozenset({b".1", b"is"})
"""How a line starts that is one of a value, and does not go on with the one before."""
_NOT_DATA: Final = (
    b"No Such Object", b"No Such Instance", b"No more variables", b"NULL"
)  # fmt: skip
_ENDS: Final = {
    b"Timeout:": "the device stopped answering here",
    b"Error: OID not increasing": "the walk stopped here, at an object that does not increase",
    b"Error in packet": "the device answered with an error here",
    b"End of MIB": "",
}
_WRONG_TYPE: Final = re.compile(rb"Wrong Type \([^)]*\): ")
_HEX: Final = re.compile(rb"(?:[0-9A-Fa-f]{2}[ :]?)*\s*\Z")
_PAIRS: Final = re.compile(rb"(?:[0-9A-F]{2} )+\Z")
_IN_BRACKETS: Final = re.compile(rb"\((\d+)\)")
_NUMBER: Final = re.compile(rb"-?\d+")


def looks_like_walk(head: bytes) -> bool:
    """Tells whether the first kilobytes of a file are those of a walk or a simulator record."""
    if head.lstrip()[:1] in {b"{", b"[", b"<", b""}:
        return False
    for line in head.splitlines()[:40]:
        text = line.strip()
        if RECORD.match(text) or _STARTS.match(text) or _QUICK.match(text) or _REFUSED.match(text):
            return True
        if text and not text.startswith((b"#", b"$ ", b"Created", b"MIB search")):
            return False
    return False


def walk_rows(data: bytes, trouble: list[Trouble], touched: dict[str, Touches]) -> Iterator[Run]:
    """Yields the values of a walk that are of use, in their order.

    Args:
        data: the file.
        trouble: takes what shows that the walk is not whole.
        touched: takes what is there, is not followed, and may change something.
    """
    lines = _Lines(data, trouble)
    finder = Finder(touched)
    while lines.at < len(lines.all):
        yield from lines.plain_rows(finder)
        if lines.at < len(lines.all):
            run = _any_row(lines, finder, trouble)
            if run is not None:
                yield run
    if lines.cut:
        trouble.append(Trouble("the last line has no end; the walk is cut there", len(lines.all)))


class _Plain(NamedTuple):
    """The commonest way in which values of a form are written, in one line each.

    Attributes:
        start: what a value begins with, as a pattern.
        body: what is of use in it.
        end: what it ends with.
        made: makes values of many bodies at once.
        may_go_on: the value may go on in the next line.
    """

    start: bytes
    body: bytes
    end: bytes
    made: Callable[[Iterable[bytes]], Iterable[Value]]
    may_go_on: bool = False


def _numbers(bodies: Iterable[bytes]) -> Iterable[int]:
    return map(int, bodies)


def _texts(bodies: Iterable[bytes]) -> Iterable[str]:
    return map(str, bodies, repeat("utf-8"), repeat("replace"))


def _octets_of_hex(bodies: Iterable[bytes]) -> Iterable[bytes]:
    return map(bytes.fromhex, map(str, bodies, repeat("ascii")))


_QUOTED: Final = (b'STRING: "', rb"[^\\\n]*", b'"')
_PLAIN: Final = {
    Form.NUMBER: (_Plain(b"(?:INTEGER|Gauge32): ", rb"\d{1,19}", b"", _numbers),),
    Form.TEXT: (_Plain(*_QUOTED, _texts),),
    Form.OCTETS: (
        _Plain(b"Hex-STRING: ", rb"(?:[0-9A-Fa-f]{2} ?){0,16}", b"", _octets_of_hex, may_go_on=True),
        _Plain(*_QUOTED, iter),
    ),
}


@lru_cache(maxsize=512)
def _lines_of(prefix: bytes, start: bytes, body: bytes, end: bytes) -> tuple[re.Pattern[bytes], re.Pattern[bytes]]:
    """Returns what matches lines of a column that follow one another, and what finds the parts of each."""
    line = rb"%s%s = %s%s%s\n"
    own = re.escape(prefix)
    whole = re.compile(rb"(?:%s)++" % (line % (own, rb"\d{1,10}", start, body, end)))
    return whole, re.compile(line % (own, rb"(\d{1,10})", start, b"(%s)" % body, end))


@lru_cache(maxsize=512)
def _passed_over(prefix: bytes) -> re.Pattern[bytes]:
    """Returns what matches lines of objects that are of no use, each with a value in one line."""
    return re.compile(rb"(?:%s[^ \n]* = (?:Counter|INTEGER|Gauge32|OID: |Timetic)[^\n]*\n)+" % re.escape(prefix))


def _any_row(lines: _Lines, finder: Finder, trouble: list[Trouble]) -> Run | None:
    """Takes one value in whatever form; None for what is of no use, or is none."""
    number = lines.at + 1
    oid, text = lines.next()
    if not oid:
        _note_end(text, number, trouble)
        return None
    found = finder.of(oid)
    typed, body = lines.value(text)
    if found is None or body is None:
        return None
    if body.startswith(_NOT_DATA) and typed != b"STRING":
        if body.startswith(b"No Such Object"):
            trouble.append(Trouble(f"the device has no {found[0].name}", number))
        return None
    if lines.cut and lines.at >= len(lines.all):
        return None
    index, value = index_of(found[1]), _value(found[0], typed, body)
    if index is None or value is None:
        trouble.append(Trouble(f"the value of {found[0].name} makes no sense", number))
        return None
    return Run(found[0], [(index, (value, number))])


class _Lines:
    """The lines of a walk, taken value by value: a value may have several.

    Attributes:
        all: the lines.
        at: the next one.
        cut: the last line has no end, and may be less than a value.
    """

    def __init__(self, data: bytes, trouble: list[Trouble]) -> None:
        self.trouble = trouble
        self.all = data.split(b"\n")
        self.cut = b" = " in self.all[-1] and b" = No more variables" not in self.all[-1]
        if self.all[-1] == b"":
            self.all.pop()
        if len(self.all) > 1 and all(line.endswith(b"\r") for line in self.all[:50]):  # an editor's doing
            self.all = [line.removesuffix(b"\r") for line in self.all]
            data = b"\n".join(self.all)
        self.at = 0
        self._data = data
        self._starts = list(accumulate(map((1).__add__, map(len, self.all)), initial=0))

    def plain_rows(self, finder: Finder) -> Iterator[Run]:
        """Takes rows of the column at hand that are written in the commonest way, and passes over what is of no use."""
        before = -1
        while before != self.at < len(self.all):
            before = self.at
            start = self._starts[before]
            if passed := _passed_over(finder.passed).match(self._data, start):
                self.at += self._data.count(b"\n", start, passed.end())
            elif finder.thing is not None:
                for plain in _PLAIN.get(finder.thing.form, ()):
                    yield from self._column(finder.thing, finder.own, plain)

    def _column(self, thing: Thing, prefix: bytes, plain: _Plain) -> Iterator[Run]:
        whole, one = _lines_of(prefix, plain.start, plain.body, plain.end)
        start = self._starts[min(self.at, len(self.all))]
        match = whole.match(self._data, start)
        if match is None:
            return
        parts = one.findall(self._data, start, match.end())
        if plain.may_go_on and self._data[match.end() : match.end() + 2] not in _NEXT:
            parts.pop()
        if parts:
            numbers, bodies = zip(*parts, strict=True)
            lines = count(self.at + 1)
            self.at += len(parts)
            yield Run(thing, zip(zip(map(int, numbers)), zip(plain.made(bodies), lines, strict=False), strict=True))

    def next(self) -> tuple[bytes, bytes]:
        """Takes a line: its OID and what is written after it; no OID for a line that is none of a value."""
        line = self.all[self.at]
        self.at += 1
        oid, equals, text = line.partition(b" = ")
        if equals:
            return oid, text
        if line.endswith(b" ="):
            return line[:-2], b""
        if _QUICK.match(line):
            oid, _, text = line.partition(b" ")
            return oid, text
        return b"", line

    def value(self, text: bytes) -> tuple[bytes, bytes | None]:
        """Takes the other lines of a value that begins with some text.

        Returns:
            The name of its type, empty without one, and the whole of it; None when it breaks off.
        """
        if text.startswith(b"Wrong Type"):
            text = _WRONG_TYPE.sub(b"", text)
        match = _TYPED.match(text) if text[:1] != b'"' else None
        typed, body = (match[1], text[match.end() :]) if match else (b"", text)
        first = self.at
        if body[:1] == b'"' and typed in {b"", b"STRING", b"Hex-STRING"}:
            if not self._to_the_quote(body):
                self.trouble.append(Trouble("a text has no end; the walk is cut there", first))
                self.cut = False
                return typed, None
            return typed, b"\n".join([body, *self.all[first : self.at]])
        if typed not in {b"Hex-STRING", b"STRING"}:
            return typed, body
        while self.at < len(self.all) and self._goes_on(typed):
            self.at += 1
        return typed, (b"" if typed == b"Hex-STRING" else b"\n").join([body, *self.all[first : self.at]])

    def _goes_on(self, typed: bytes) -> bool:
        line = self.all[self.at]
        if _STARTS.match(line) or line.lstrip().startswith(tuple(_ENDS)):
            return False
        return typed == b"STRING" or _HEX.match(line) is not None

    def _to_the_quote(self, text: bytes) -> bool:
        """Takes lines up to the one that ends a quoted text; tells whether there is one."""
        start = 1
        while True:
            tail = text.rstrip(b"\r ") if self.at >= len(self.all) else text
            if len(tail) > start and tail.endswith(b'"') and (len(tail) - len(tail[:-1].rstrip(b"\\"))) % 2 == 1:
                return True
            if self.at >= len(self.all):
                return False
            text, start = self.all[self.at], 0
            self.at += 1


def _note_end(line: bytes, number: int, trouble: list[Trouble]) -> bool:
    for start, what in _ENDS.items():
        if line.lstrip().startswith(start):
            if what:
                trouble.append(Trouble(what, number))
            return True
    return False


_ESCAPED: Final = re.compile(rb'\\(["\\])')


def _value(thing: Thing, typed: bytes, body: bytes) -> int | str | bytes | None:
    """Returns a value as its object has it; None when it is not one."""
    form = thing.form
    if form is Form.NUMBER:
        return None if typed in {b"STRING", b"Hex-STRING"} else _number(thing.name, body)
    if typed in {b"INTEGER", b"Gauge32", b"Counter32", b"Counter64", b"Unsigned32", b"OID", b"Timeticks"}:
        return None
    if typed == b"IpAddress" or (form is Form.ADDRESS and not typed and body.count(b".") == 3):
        return body.strip().decode("ascii", "replace")
    octets = _octets(form, typed, body)
    if octets is None or form is Form.OCTETS:
        return octets
    if form is Form.ADDRESS:
        return octets.hex(":")
    return octets.decode("utf-8", "replace")


_OWN_LABELS: Final = {
    "PortIdSubtype": PORT_LABELS,
    "OperStatus": OPER_LABELS,
    "RouteType": ROUTE_LABELS,
    "RouteProto": PROTO_LABELS,
}


def _number(name: str, body: bytes) -> int | None:
    match = _IN_BRACKETS.search(body) or _NUMBER.match(body.strip())
    if match is None:
        label = body.strip().decode("ascii", "replace")
        own = next((labels for end, labels in _OWN_LABELS.items() if name.endswith(end)), {})
        return own.get(label, LABELS.get(label))
    text = match[match.lastindex or 0]
    return int(text) if len(text) < 20 else None


def _octets(form: Form, typed: bytes, body: bytes) -> bytes | None:
    if typed == b"Hex-STRING":
        digits = body.replace(b" ", b"").replace(b":", b"").strip()
        return bytes.fromhex(digits.decode("ascii")) if _HEX.match(body) and len(digits) % 2 == 0 else None
    if typed == b"BITS":
        pairs = re.match(rb"(?:[0-9A-F]{2}(?: |\Z))*", body)
        return bytes.fromhex(pairs[0].decode()) if pairs else None
    quoted = body[:1] == b'"' and len(body) > 1
    text = _ESCAPED.sub(rb"\1", body.rstrip(b"\r")[1:-1]) if quoted else body
    if not typed and form is not Form.TEXT and _PAIRS.match(text):  # without types, hex is quoted like text
        return bytes.fromhex(text.decode("ascii"))
    if form is Form.ADDRESS or (not quoted and form is Form.OCTETS and b":" in text):
        return _colons(text) if b":" in text else text
    return text


def _colons(text: bytes) -> bytes | None:
    """Returns an address as display hints write it, without leading zeros."""
    parts = text.strip().split(b":")
    if all(re.fullmatch(rb"[0-9a-fA-F]{1,2}", p) for p in parts):
        return bytes(int(p, 16) for p in parts)
    return text
