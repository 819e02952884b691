"""XML of NETCONF: the answers of a device in a file, bare, or as a session was recorded with its framing (RFC 6241, RFC 6242)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING, Final
from xml.parsers import expat

from inkov.formats.reading import Reading
from inkov.model.errors import BadInput

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

BASE: Final = "urn:ietf:params:xml:ns:netconf:base:1.0"
_NMDA: Final = "urn:ietf:params:xml:ns:yang:ietf-netconf-nmda"
_MONITORING: Final = "urn:ietf:params:xml:ns:yang:ietf-netconf-monitoring"
_DEFAULTS: Final = "{urn:ietf:params:xml:ns:netconf:default:1.0}default"
_OPERATION: Final = f"{{{BASE}}}operation"
_SOMETHING: Final = re.compile(rb"\S")
_CHUNK: Final = re.compile(rb"\s*#([1-9]\d{0,9})\n")
_END_OF_CHUNKS: Final = re.compile(rb"\n?##\s*")
_MARK: Final = b"]]>]]>"
_DEEPEST = 100


def split(tag: object) -> tuple[str, str]:
    """Returns the namespace and the local name of an element."""
    text = tag if isinstance(tag, str) else ""
    space, brace, name = text.rpartition("}")
    return (space[1:], name) if brace else ("", text)


def contents(data: bytes, reading: Reading) -> list[Element]:
    """Returns the data elements that a file holds: roots of models, of all its answers.

    Raises:
        BadInput: it is no XML, is cut, is an edit, or holds nothing but refusals.
    """
    found: list[Element] = []
    refused: list[str] = []
    for message in _messages(data, reading):
        element = _parsed(message, reading)
        if element is not None:
            found += _data(element, refused, reading)
    if refused and not found:
        raise reading.fail(f"the device refused to answer: {refused[0]}; nothing is known from this")
    return found


def unframed(data: bytes) -> bytes:
    """Returns what a recorded session holds without its framing, by which it is recognised; nothing of other files.

    A frame may hold a single octet, so that no word of a message stands in one piece (RFC 6242, 4.2).
    """
    return b"".join(_messages(data, None)) if data.lstrip()[:1] in {b"<", b"#"} else b""


def _messages(data: bytes, reading: Reading | None) -> Iterator[bytes]:
    """Yields the messages of a file; lengths of chunks count octets, so nothing is searched for inside of them.

    Without a reading, a session that is cut ends with what is there.
    """
    at = 0
    while _SOMETHING.search(data, at):
        if _CHUNK.match(data, at):
            parts: list[bytes] = []
            while (chunk := _CHUNK.match(data, at)) is not None:
                at = chunk.end() + int(chunk[1])
                parts.append(data[chunk.end() : at])
            closing = None if at > len(data) else _END_OF_CHUNKS.match(data, at)
            if closing is None and reading is not None:
                raise reading.fail("the recorded session is cut; what is missing from this answer is not known")
            at = len(data) if closing is None else closing.end()
            yield b"".join(parts)
        else:
            end = data.find(_MARK, at)
            yield data[at:] if end < 0 else data[at:end]
            at = len(data) if end < 0 else end + len(_MARK)


def _parsed(message: bytes, reading: Reading) -> Element | None:
    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import ParseError, fromstring

    text = message.strip()
    if not text:
        return None
    try:
        return fromstring(text, forbid_dtd=True)
    except DefusedXmlException:
        raise reading.fail("a document type declaration is not allowed in such a file", 1) from None
    except ParseError as exc:
        line, _ = exc.position
        raise reading.fail(f"this is not well-formed XML: {expat.ErrorString(exc.code)}", line) from None
    except (LookupError, ValueError, RecursionError):
        raise reading.fail("this is not XML in an encoding that can be read") from None


def _data(element: Element, refused: list[str], reading: Reading) -> list[Element]:
    """Returns the roots of models below a message; nothing for greetings, requests and news."""
    space, name = split(element.tag)
    if _OPERATION in element.attrib or (space == BASE and name == "rpc" and _is_edit(element)):
        raise reading.fail("this is an edit of a configuration, not a configuration")
    if space == BASE and name == "rpc-reply":
        return [root for inner in element for root in _of_reply(inner, refused, reading)]
    if name in {"data", "config"} and space in {BASE, _NMDA, ""}:
        for inner in element.iter():
            if _OPERATION in inner.attrib:
                raise reading.fail("this is an edit of a configuration, not a configuration")
        return list(element)
    if name in {"hello", "notification", "rpc"}:
        return []
    return [element]


def _of_reply(inner: Element, refused: list[str], reading: Reading) -> list[Element]:
    space, name = split(inner.tag)
    if name == "rpc-error":
        _refusal(inner, refused, reading)
    elif name == "data" and space in {BASE, _NMDA}:
        if not len(inner):
            reading.note("this answer holds nothing: the filter matched nothing, or the user may not read it")
        return list(inner)
    elif name == "data" and space == _MONITORING:
        refused.append("the answer is the text of a module, not data")
    elif name == "ok":
        refused.append("the answer is that all is well, not data")
    return []


def _is_edit(element: Element) -> bool:
    return any(split(inner.tag)[1] in {"edit-config", "edit-data", "copy-config"} for inner in element)


def _refusal(error: Element, refused: list[str], reading: Reading) -> None:
    said = {split(e.tag)[1]: (e.text or "").strip() for e in error}
    words = said.get("error-message") or said.get("error-tag") or "no reason given"
    shown = "".join(c if c.isprintable() else " " for c in words)[:200]
    if said.get("error-severity") == "warning":
        reading.note(f"the device warns: {shown}")
    else:
        refused.append(shown)


def below(element: Element, reading: Reading, depth: int = 0) -> Iterator[Element]:
    """Yields the child elements; comments and what is at a default that nobody set are left out.

    Raises:
        BadInput: elements are nested deeper than any model has them.
    """
    if depth > _DEEPEST:
        raise too_deep(reading)
    for inner in element:
        if inner.attrib.get(_DEFAULTS) not in {"true", "1"}:
            yield inner


def too_deep(reading: Reading) -> BadInput:
    """Returns the exception for elements that are nested deeper than any model has them."""
    return reading.fail(f"elements are nested deeper than {_DEEPEST}; this is no configuration")
