"""Bytes to text: UTF-8, or what a byte order mark says; everything else is refused by name and line."""

from __future__ import annotations

import codecs

from inkov.formats.reading import Reading

_MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)


def encoding(data: bytes) -> tuple[str, bytes]:
    """Returns the encoding that a text is certainly in, and the mark that says so; UTF-8 without one."""
    return next(((name, mark) for mark, name in _MARKS if data.startswith(mark)), ("utf-8", b""))


def utf8(data: bytes) -> bytes:
    """Returns a text in UTF-8 without a mark; what is in no certain encoding comes back as it is."""
    name, mark = encoding(data)
    if name == "utf-8":
        return data.removeprefix(mark)
    return data.removeprefix(mark).decode(name, "surrogatepass").encode("utf-8", "surrogatepass")


def decoded(data: bytes, reading: Reading) -> str:
    """Returns the text of a file.

    Raises:
        BadInput: it is not in UTF-8; with the line.
    """
    try:
        return utf8(data).decode("utf-8")
    except UnicodeDecodeError as exc:
        line = data.count(b"\n", 0, exc.start) + 1
        raise reading.fail("this is not UTF-8 text; save it as UTF-8", line) from None
