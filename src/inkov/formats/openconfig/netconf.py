"""OpenConfig as NETCONF XML (RFC 7950, 7 to 9) to what the same data is in JSON, so that one reader serves both."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any, Final

from inkov.formats.openconfig.wrappers import ROOTS
from inkov.formats.reading import Reading
from inkov.formats.xmltext import below, contents, split

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

SPACE: Final = b"http://openconfig.net/yang/"
_LOOKS: Final = re.compile(
    rb"\A(?:\xef\xbb\xbf)?\s*(?:<\?xml[^>]*>|<!--.*?-->|<!DOCTYPE[^\[>]*(?:\[[^\]]*\])?[^>]*>|\s|#\d+\n)*<(?:[\w.-]+:)?"
    rb"(?:rpc-reply|data|config|hello|notification|rpc|%s)[\s>/]" % "|".join(sorted(ROOTS)).encode(),
    re.DOTALL,
)
_NETCONF: Final = re.compile(rb"urn:ietf:params:(?:xml:ns:netconf|netconf):")
_TEXTS: Final = frozenset(
    {
        *("name", "hostname", "description", "id", "system-name", "system-description", "port-id", "port-description"),
        *(
            "chassis-id",
            "aggregate-id",
            "member",
            "interface",
            "domain-name",
            "set-name",
            "login-banner",
            "motd-banner",
        ),
        *("ip", "ip-prefix", "next-hop", "prefix", "mac-address", "management-address", "subinterface", "input"),
    }
)
"""Leaves that are text whatever they look like; all others are numbers and booleans where they look so."""

_INTEGER: Final = re.compile(r"[+-]?\d{1,20}\Z")


def recognise(data: bytes) -> bool:
    """Tells whether a file is XML that a NETCONF client may have saved of OpenConfig data, or a refusal."""
    if data.lstrip()[:1] not in {b"<", b"#"} or not _LOOKS.match(data):
        return False
    return SPACE in data or _NETCONF.search(data) is not None


def values(data: bytes, reading: Reading) -> list[Any]:
    """Returns the OpenConfig roots of a file, each as a value of one member in local names.

    Raises:
        BadInput: it is no XML, or holds no data.
    """
    found: list[Any] = []
    for element in contents(data, reading):
        space, name = split(element.tag)
        if name in ROOTS and space.encode().startswith(SPACE):
            value = _value(element, reading, 0)
            found.append({f"openconfig-{space.rpartition('/')[2]}:{name}": value if isinstance(value, dict) else {}})
    return found


def _value(element: Element, reading: Reading, depth: int) -> Any:
    """Returns an element as JSON has it: lists of entries and leaf-lists where siblings have one name (RFC 7951, 5)."""
    made: dict[str, Any] = {}
    several: set[str] = set()
    for inner in below(element, reading, depth):
        space, name = split(inner.tag)
        if not space.encode().startswith(SPACE):
            continue
        value = _value(inner, reading, depth + 1)
        if name in several:
            made[name].append(value)
        elif name in made:
            made[name] = [made[name], value]
            several.add(name)
        else:
            made[name] = value
    if made or len(element):
        return made
    return _leaf(split(element.tag)[1], element.text)


def _leaf(name: str, text: str | None) -> Any:
    if text is None:
        return "" if name in _TEXTS else {}
    if name in _TEXTS:
        return text
    plain = text.strip()
    if plain in {"true", "false"}:
        return plain == "true"
    return int(plain) if _INTEGER.match(plain) else plain
