"""Values of the model as plain data, and back. Nothing but the model's own value types can come out of it.

A value is a JSON atom, or a list that begins with what it is: a tuple, a mapping, a set of VLANs, an address, a member of
an enumeration, an object of the model as the number of its shape with the fields that are not at their defaults, or one
that came before by its number. Shapes stand in front, by the name of the type and of its fields.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from enum import Enum
from functools import cache
from typing import Any

import orjson

from inkov.model import routing, settings, source, switch, tree, vlanset
from inkov.model.source import Origin
from inkov.model.vlanset import VlanSet

_TUPLE, _MAP, _VLANS, _IP, _ENUM, _SET, _SEEN, _SHAPES = range(8)
_IPS = {
    t.__name__: t
    for t in (
        *(ipaddress.IPv4Address, ipaddress.IPv6Address, ipaddress.IPv4Interface, ipaddress.IPv6Interface),
        *(ipaddress.IPv4Network, ipaddress.IPv6Network),
    )
}
_ATOMS = (str, int, bool, type(None))
_ORIGIN = ("file", "base", "places", "defaults")


class Damaged(ValueError):
    """This is no value of the model."""


@cache
def _types() -> Mapping[str, type]:
    """The value types of the model by name."""
    own = (
        value
        for module in (routing, settings, source, switch, tree, vlanset)
        for value in vars(module).values()
        if isinstance(value, type) and value.__module__ == module.__name__
    )
    return {t.__name__: t for t in own if t is Origin or is_dataclass(t) or issubclass(t, Enum)}


@cache
def _fields(kind: type) -> tuple[tuple[str, Any], ...]:
    return tuple((f.name, f.default) for f in fields(kind) if f.init)


class _Writer:
    def __init__(self) -> None:
        self.shapes: dict[tuple[str, ...], int] = {}
        self.seen: dict[int, tuple[int, Any]] = {}  # the value is held, so that its identity stays its own
        self.count = 0

    def data(self, value: Any) -> Any:
        kind = type(value)
        if kind in _ATOMS:
            return value
        known = self.seen.get(id(value))
        if known is not None:
            return [_SEEN, known[0]]
        made = self._made(value, kind)
        self.seen[id(value)] = self.count, value
        self.count += 1
        return made

    def _made(self, value: Any, kind: type) -> list[Any]:
        if kind is tuple:
            return [_TUPLE, *map(self.data, value)]
        if kind is VlanSet:
            return [_VLANS, format(value.mask, "x")]
        if isinstance(value, Enum):
            return [_ENUM, kind.__name__, value.name]
        if kind.__name__ in _IPS:
            return [_IP, kind.__name__, str(value)]
        if isinstance(value, frozenset):
            return [_SET, *map(self.data, sorted(value))]
        if isinstance(value, Mapping):
            return [_MAP, *(self.data(x) for item in value.items() for x in item)]
        if kind is Origin:
            held = [(name, getattr(value, name)) for name in _ORIGIN]
        else:
            held = [(name, v) for name, default in _fields(kind) if (v := getattr(value, name)) is not default]
        shape = (kind.__name__, *(name for name, _ in held))
        return [_SHAPES + self.shapes.setdefault(shape, len(self.shapes)), *(self.data(v) for _, v in held)]


class _Reader:
    def __init__(self, shapes: list[list[str]]) -> None:
        self.seen: list[Any] = []
        self.shapes: list[tuple[type, tuple[str, ...]]] = []
        for name, *names in shapes:
            kind = _types()[name]
            allowed = _ORIGIN if kind is Origin else tuple(n for n, _ in _fields(kind))
            if not set(names) <= set(allowed):
                raise Damaged(name)
            self.shapes.append((kind, tuple(names)))

    def value(self, data: Any) -> Any:
        if type(data) is not list:
            return data
        what = data[0]
        if what == _SEEN:
            return self.seen[data[1]]
        if what >= _SHAPES:
            kind, names = self.shapes[what - _SHAPES]
            value = self.value
            made: Any = kind(**dict(zip(names, [value(d) if type(d) is list else d for d in data[1:]], strict=True)))
        else:
            made = self._plain(what, data)
        self.seen.append(made)
        return made

    def _plain(self, what: int, data: list[Any]) -> Any:
        match what:
            case 0:
                return tuple([self.value(d) for d in data[1:]])
            case 1:
                held = [self.value(d) for d in data[1:]]
                return dict(zip(held[::2], held[1::2], strict=True))
            case 2:
                return VlanSet.from_mask(int(data[1], 16))
            case 3:
                return _IPS[data[1]](data[2])
            case 4:
                kind = _types()[data[1]]
                return kind[data[2]]  # type: ignore[index]  # an enumeration, or it is refused
            case 5:
                return frozenset(self.value(d) for d in data[1:])
            case _:
                raise Damaged(str(what))


def encoded(value: Any) -> bytes:
    """Returns a value of the model as bytes."""
    writer = _Writer()
    body = writer.data(value)
    return orjson.dumps([[list(s) for s in writer.shapes], body])


def decoded(data: bytes | memoryview) -> Any:
    """Returns the value that some bytes hold.

    Raises:
        Damaged: they are no value of the model.
    """
    try:
        shapes, body = orjson.loads(data)
        return _Reader(shapes).value(body)
    except (ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError) as exc:
        raise Damaged(str(exc)) from None
