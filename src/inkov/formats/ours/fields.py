"""Field types of our own documents: text in, checked values out, and what an editor's schema says of them."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable
from typing import Annotated, Any, NamedTuple

from pydantic import BaseModel, BeforeValidator, ConfigDict, WithJsonSchema
from pydantic_core import PydanticCustomError

from inkov.model.names import natural, ports_text
from inkov.model.routing import Address, Ip, Prefix
from inkov.model.vlanset import VID_MAX, VID_MIN, VlanSet, VlanTextError, vid

_NAME = re.compile(r"[^\s:]+\Z")
_MAC = re.compile(r"[0-9a-f]{2}(:[0-9a-f]{2}){5}\Z")
_RANGE = re.compile(r"(.*?)(\d+)\s*-\s*(\D*)(\d+)\Z", re.ASCII)
_SPEED = re.compile(r"(\d{1,4}(?:\.\d)?)([MGT])\Z", re.ASCII)
_MAX_PORTS = 4096
_MAX_LABEL = 1000


class Document(BaseModel):
    """Base of all documents: unknown keys are errors, keys are written with hyphens."""

    model_config = ConfigDict(
        extra="forbid",
        frozen=True,
        arbitrary_types_allowed=True,
        alias_generator=lambda name: name.rstrip("_").replace("_", "-"),
    )


class VlanList(NamedTuple):
    """A VLAN list and how it was written."""

    vlans: VlanSet
    spelling: str


def wrong(message: str) -> PydanticCustomError:
    """Returns the error that a validator raises; the message is shown as it is."""
    return PydanticCustomError("inkov", "{message}", {"message": message})


def one_or_more(value: Any) -> Any:
    """Returns a list where a single text stands for a list of one."""
    return [value] if isinstance(value, str) else value


def _text(value: Any, expected: str) -> str:
    if not isinstance(value, str):
        kind = {dict: "a mapping", list: "a list", type(None): "nothing"}.get(type(value), "no text")
        raise wrong(f"found {kind}; expected {expected}")
    return value


def _to_vid(value: Any) -> int:
    text = _text(value, f"a VLAN number, {VID_MIN} to {VID_MAX}")
    if not (text.isascii() and text.isdecimal()) or len(text) > 9:
        raise wrong(f"{text[:40]!r} is not a VLAN number; expected {VID_MIN} to {VID_MAX}")
    try:
        return vid(int(text))
    except VlanTextError as exc:
        raise wrong(str(exc)) from None


def _to_vid_or_none(value: Any) -> int | None:
    return None if value == "none" else _to_vid(value)


def _to_vid_or_zero(value: Any) -> int | None:
    return 0 if str(value) == "0" else _to_vid_or_none(value)


def _to_vid_or_untagged(value: Any) -> int:
    return 0 if value == "untagged" else _to_vid(value)


def _to_list(value: Any) -> VlanList:
    text = _text(value, "a VLAN list such as 310-330,305")
    try:
        return VlanList(VlanSet.parse(text), text)
    except VlanTextError as exc:
        raise wrong(str(exc)) from None


def _to_on_off(value: Any) -> bool:
    if value not in ("on", "off", "true", "false"):
        raise wrong(f"{value!r:.40} is neither on nor off")
    return value in ("on", "true")


def _to_flag(value: Any) -> bool:
    if value not in ("true", "false"):
        raise wrong(f"{value!r:.40} is neither true nor false")
    return bool(value == "true")


def _to_name(value: Any) -> str:
    text = _text(value, "a name")
    if not _NAME.match(text) or len(text) > 255:
        raise wrong(f"{text[:40]!r} is not a name; expected text without blanks and colons")
    return text


def _to_title(value: Any) -> str:
    text = _text(value, "a name")
    if not text.strip() or len(text) > _MAX_LABEL:
        raise wrong(f"{text[:40]!r} is not a name; expected text")
    return text


def _to_label(value: Any) -> str:
    text = "" if value is None else _text(value, "text")
    if len(text) > _MAX_LABEL:
        raise wrong(f"text of {len(text)} characters; expected {_MAX_LABEL} at most")
    return text


def _to_mac(value: Any) -> str:
    text = _text(value, "an address such as 00:00:5e:00:53:21").lower()
    if not _MAC.match(text):
        raise wrong(f"{text[:40]!r} is not a MAC address; expected one such as 00:00:5e:00:53:21")
    return text


def _to_address(value: Any) -> Address:
    text = _text(value, "an address such as 192.0.2.1/27")
    try:
        return ipaddress.ip_interface(text)
    except ValueError:
        raise wrong(f"{text[:60]!r} is not an address; expected one such as 192.0.2.1/27") from None


def _to_own_address(value: Any) -> Address:
    address = _to_address(value)
    if "/" not in value:
        raise wrong(f"{value!r:.60} has no prefix length; expected one such as {address.ip}/27")
    return address


def _to_ip(value: Any) -> Ip:
    text = _text(value, "an address such as 192.0.2.1")
    try:
        return ipaddress.ip_address(text)
    except ValueError:
        raise wrong(f"{text[:60]!r} is not an address; expected one such as 192.0.2.1, without prefix length") from None


def _to_prefix(value: Any) -> Prefix:
    text = _text(value, "a prefix such as 192.0.2.0/27")
    try:
        return ipaddress.ip_network(text)
    except ValueError as exc:
        if "host bits" in str(exc):
            raise wrong(f"{text[:60]!r} is no prefix; {ipaddress.ip_interface(text).network} was meant?") from None
        raise wrong(f"{text[:60]!r} is not a prefix; expected one such as 192.0.2.0/27") from None


def _to_prefix_or_any(value: Any) -> Prefix | None:
    return None if value == "any" else _to_prefix(value)


def _unless_empty(check: Callable[[Any], Any]) -> Callable[[Any], Any]:
    """Returns a check that takes an empty text, as a cell of a table has it, for nothing."""
    return lambda value: check(value) if value else None


def _to_number(value: Any) -> int:
    text = _text(value, "a number")
    if not (text.isascii() and text.isdecimal()) or len(text) > 10:
        raise wrong(f"{text[:40]!r} is not a number; expected 0 or more")
    return int(text)


def _to_tree_number(value: Any) -> int:
    try:
        return _to_vid(value)
    except PydanticCustomError:
        raise wrong(f"{value!r:.40} is neither a VLAN nor an instance; expected {VID_MIN} to {VID_MAX}") from None


def _to_speed(value: Any) -> int:
    text = _text(value, "a speed such as 1G")
    found = _SPEED.match(text)
    if found is None:
        raise wrong(f"{text[:40]!r} is not a speed; expected one such as 100M, 1G or 10G")
    return int(float(found[1]) * {"M": 1, "G": 1000, "T": 1_000_000}[found[2]])


def _to_edge(value: Any) -> bool | None:
    if value not in ("true", "false", "auto"):
        raise wrong(f"{value!r:.40} is none of true, false and auto")
    return {"true": True, "false": False}.get(value)


_VID_SCHEMA = {"type": "integer", "minimum": VID_MIN, "maximum": VID_MAX}
_LIST_SCHEMA = {
    "description": "VLAN list: 310, 310-330,305, all, none, all but 320",
    "anyOf": [_VID_SCHEMA, {"type": "string"}],
}

VidField = Annotated[int, BeforeValidator(_to_vid), WithJsonSchema(_VID_SCHEMA)]
VidOrNone = Annotated[
    int | None, BeforeValidator(_to_vid_or_none), WithJsonSchema({"anyOf": [_VID_SCHEMA, {"const": "none"}]})
]
VidOrZero = Annotated[
    int | None,
    BeforeValidator(_to_vid_or_zero),
    WithJsonSchema({"anyOf": [_VID_SCHEMA, {"const": 0}, {"const": "none"}]}),
]
VidOrUntagged = Annotated[
    int, BeforeValidator(_to_vid_or_untagged), WithJsonSchema({"anyOf": [_VID_SCHEMA, {"const": "untagged"}]})
]
"""A VID, or 0 for `untagged`."""
ListField = Annotated[VlanList, BeforeValidator(_to_list), WithJsonSchema(_LIST_SCHEMA)]
Flag = Annotated[bool, BeforeValidator(_to_flag), WithJsonSchema({"type": "boolean"})]
OnOff = Annotated[
    bool, BeforeValidator(_to_on_off), WithJsonSchema({"anyOf": [{"type": "boolean"}, {"enum": ["on", "off"]}]})
]
Name = Annotated[str, BeforeValidator(_to_name), WithJsonSchema({"type": "string", "pattern": "^[^\\s:]+$"})]
Title = Annotated[str, BeforeValidator(_to_title), WithJsonSchema({"type": "string", "minLength": 1})]
"""What devices call things of theirs: any text; unlike a `Name`, which we give, it may have blanks."""
Edge = Annotated[bool | None, BeforeValidator(_to_edge), WithJsonSchema({"enum": [True, False, "auto"]})]
Number = Annotated[int, BeforeValidator(_to_number), WithJsonSchema({"type": "integer", "minimum": 0})]
TreeNumber = Annotated[int, BeforeValidator(_to_tree_number), WithJsonSchema(_VID_SCHEMA)]
"""A VLAN where there is a tree a VLAN, an instance where there is one an instance."""
Speed = Annotated[
    int, BeforeValidator(_to_speed), WithJsonSchema({"type": "string", "pattern": _SPEED.pattern[:-2] + "$"})
]
"""Text such as `1G` as Mb/s."""
Label = Annotated[str, BeforeValidator(_to_label), WithJsonSchema({"type": ["string", "number", "null"]})]
Mac = Annotated[str, BeforeValidator(_to_mac), WithJsonSchema({"type": "string"})]

_TEXT = WithJsonSchema({"type": "string"})
OwnAddress = Annotated[Any, BeforeValidator(_to_own_address), _TEXT]
"""An `Address` with its prefix length stated."""
HostAddress = Annotated[Any, BeforeValidator(_unless_empty(_to_address)), _TEXT]
"""An `Address`, or None."""
IpField = Annotated[Any, BeforeValidator(_unless_empty(_to_ip)), _TEXT]
"""An `Ip`, or None."""
PrefixField = Annotated[Any, BeforeValidator(_to_prefix), _TEXT]
PrefixOrAny = Annotated[Any, BeforeValidator(_to_prefix_or_any), _TEXT]
"""A `Prefix`, or None for any."""


def port_names(pattern: str) -> list[str]:
    """Expands a port pattern: `7`, `1-12`, `u2-u3`, `1,4,9-12`; after `=` stands one name as it is.

    Raises:
        ValueError: a range runs backwards or is too long; the message says so.
    """
    if pattern.startswith("=") and len(pattern) > 1:
        return [pattern[1:]]
    names: list[str] = []
    for item in (part.strip() for part in pattern.split(",")):
        found = _RANGE.match(item)
        if found is None or found[3] not in {"", found[1]}:
            names.append(item)
            continue
        low, high = int(found[2]), int(found[4])
        if low > high:
            raise ValueError(f"port range {item!r} runs backwards; expected {found[1]}{high}-{found[1]}{low}")
        if high - low >= _MAX_PORTS:
            raise ValueError(f"port range {item!r} is longer than {_MAX_PORTS} ports")
        names += [f"{found[1]}{n}" for n in range(low, high + 1)]
    if not all(names):
        raise ValueError(f"{pattern!r} is not a list of ports; expected 7, 1-12 or 1,4,9-12")
    return names


def port_patterns(names: list[str]) -> list[str]:
    """Returns ports as a pattern, or each alone where their names would not survive it."""
    pattern = ports_text(names)
    try:
        if port_names(pattern) == sorted(names, key=natural):
            return [pattern]
    except ValueError:
        pass
    return [port_pattern(n) for n in names]


def port_pattern(name: str) -> str:
    """Returns the pattern of one port."""
    try:
        plain = port_names(name) == [name] and not name.startswith("=")
    except ValueError:
        plain = False
    return name if plain else f"={name}"
