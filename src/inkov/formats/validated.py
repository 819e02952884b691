"""Runs a document type over plain data and turns every complaint into a problem with file, line and hint."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, TypeVar, get_args

from pydantic import BaseModel, ValidationError

from inkov.formats.reading import Reading
from inkov.formats.yamltext import Lines, Path
from inkov.model.errors import nearest

D = TypeVar("D", bound=BaseModel)


def validated(kind: type[D], data: Any, lines: Lines, reading: Reading) -> D | None:
    """Returns the document, or None after recording all that is wrong with it."""
    twins = list(_twins(data))
    for path, first in twins:
        number = int(str(path[-1]))
        what = f"{number} comes twice; the first is in line {lines.near((*path[:-1], first))}"
        reading.wrong(what, "/".join(map(str, path)), lines.near(path))
    try:
        made = kind.model_validate(data)
        return None if twins else made
    except ValidationError as exc:
        for error in exc.errors(include_url=False, include_input=True):
            path = tuple(p for p in error["loc"] if p != "[key]" and not str(p).startswith("function-"))
            reading.wrong(_sentence(kind, error, path), "/".join(map(str, path)), lines.near(path))
        return None


_NUMBERED = frozenset({"vlans", "domains", "gateways", "register", "own", "instances", "subinterfaces", "translate"})
"""Keys of mappings whose own keys are numbers, so that `350` and `0350` are one."""


def _twins(data: Any, path: Path = ()) -> Iterator[tuple[Path, str]]:
    """Yields the keys that are the same number as one before them, each with that one."""
    if isinstance(data, list):
        for i, item in enumerate(data):
            yield from _twins(item, (*path, i))
    if not isinstance(data, dict):
        return
    if path and path[-1] in _NUMBERED:
        seen: dict[int, str] = {}
        for key in data:
            if key.isascii() and key.isdecimal() and len(key) < 20 and seen.setdefault(int(key), key) != key:
                yield (*path, key), seen[int(key)]
    for key, value in data.items():
        yield from _twins(value, (*path, key))


def _sentence(kind: type[BaseModel], error: Any, path: Path) -> str:
    match error["type"]:
        case "extra_forbidden":
            return f"unknown key {path[-1]!r}{nearest(str(path[-1]), _known_keys(kind, path[:-1]))}"
        case "missing":
            return f"key {path[-1]!r} is missing"
        case "literal_error":
            return f"{error['input']!r:.40} is not allowed; expected {error['ctx']['expected']}"
        case "model_type" | "dict_type" | "model_attributes_type":
            return "expected a mapping"
        case "list_type":
            return "expected a list"
        case _:
            return str(error["msg"])


def _known_keys(kind: type[BaseModel], path: Path) -> list[str]:
    """Lists the keys allowed at a path, by walking the document types along it."""
    here: Any = kind
    for step in path:
        if (model := _model_in(here)) is not None:
            fields = {f.alias or name: f.annotation for name, f in model.model_fields.items()}
            here = fields.get(str(step))
        else:
            here = next(iter(reversed(get_args(here))), None)
    model = _model_in(here)
    return [f.alias or name for name, f in model.model_fields.items()] if model else []


def _model_in(annotation: Any) -> type[BaseModel] | None:
    return next((a for a in _flat(annotation) if isinstance(a, type) and issubclass(a, BaseModel)), None)


def _flat(annotation: Any) -> Iterator[Any]:
    """Yields an annotation and, of a union or an annotated type, its parts; not the items of containers."""
    yield annotation
    if getattr(annotation, "__origin__", None) in {dict, list}:
        return
    for part in get_args(annotation):
        yield from _flat(part)
