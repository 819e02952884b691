"""Runs a document type over plain data and turns every complaint into a problem with file, line and hint."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from types import NoneType, UnionType
from typing import Annotated, Any, NamedTuple, TypeVar, Union, get_args, get_origin

from pydantic import BaseModel, ValidationError

from inkov.formats.ours.yamltext import Lines, Path
from inkov.formats.reading import Reading
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
        for path, what in dict.fromkeys(_told(kind, exc.errors(include_url=False, include_input=True), data)):
            reading.wrong(what, "/".join(map(str, path)), lines.near(path))
        return None


def _unquoted(data: Any, path: Path) -> tuple[str, str] | None:
    """Returns the key of a list without quotes in braces, and the list, where a key is the rest of one to YAML; else None."""
    above = _follow(data, path[:-1])[1]
    keys = list(above) if isinstance(above, dict) else []
    if path[-1] not in keys or not _is_rest(above, path[-1]):
        return None
    first = last = keys.index(path[-1])
    while first and _is_rest(above, keys[first]):
        first -= 1
    while last < len(keys) and _is_rest(above, keys[last]):
        last += 1
    if above[keys[first]] is None or isinstance(above[keys[first]], dict | list):
        return None
    return keys[first], ",".join(map(str, (above[keys[first]], *keys[first + 1 : last])))


def _is_rest(above: dict[Any, Any], key: Any) -> bool:
    return above[key] is None and bool(_NUMBERS.match(str(key)))


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


class _Complaint(NamedTuple):
    """What is wrong at a place, and which kinds of value that are allowed on the way there it was taken for, by name."""

    path: Path
    forks: tuple[tuple[Path, str], ...]
    says: str


def _told(kind: type[BaseModel], errors: Iterable[Any], data: Any) -> Iterator[tuple[Path, str]]:
    """Yields what is wrong and where; of a value that may be of several kinds, only what is wrong with the kind that it is."""
    complaints: list[_Complaint] = []
    fitting: dict[Path, set[str]] = defaultdict(set)
    for complaint in (_complaint(kind, error, data) for error in errors):
        for at, branch in complaint.forks:
            if _fits(branch, _follow(data, at)[1]):
                fitting[at].add(branch)
        complaints.append(complaint._replace(path=_follow(data, complaint.path)[0]))
    meant = [c for c in complaints if all(branch in fitting[at] for at, branch in c.forks if fitting[at])]
    either: dict[Path, list[str]] = {}
    for complaint in meant:
        either.setdefault(complaint.path, []).append(complaint.says)
    for complaint in meant:
        if not complaint.forks:
            yield complaint.path, complaint.says
        elif complaint.path in either:
            yield complaint.path, _either(either.pop(complaint.path))


def _follow(data: Any, path: Path) -> tuple[Path, Any]:
    """Returns a path as far as the data goes, and what is there: a text that was made into something else has nothing below it."""
    for n, step in enumerate(path):
        match data, step:
            case dict(), str():
                data = data.get(step)
            case list(), int() if step < len(data):
                data = data[step]
            case _:
                return path[:n], data
    return path, data


def _complaint(kind: type[BaseModel], error: Any, data: Any) -> _Complaint:
    path: Path = ()
    forks: list[tuple[Path, str]] = []
    above: Any = None
    here: Any = kind
    for step in error["loc"]:
        if branches := _branches(here):
            forks.append((path, str(step)))
            here = next((b for b in branches if _name(b) == _label(str(step))[1]), None)
        elif step != "[key]":
            path, above, here = (*path, step), here, _below(here, step)
    if error["type"] == "extra_forbidden" and (slip := _unquoted(data, path)):
        says = f"a list with commas needs quotes inside of braces: {{{slip[0]}: '{slip[1]}'}}"
        return _Complaint((*path[:-1], slip[0]), tuple(forks), says)
    return _Complaint(path, tuple(forks), _sentence(error, path, _keys(above)))


def _branches(annotation: Any) -> list[Any]:
    """Returns the kinds of value that a union allows, where they are more than one beside nothing."""
    bare = _bare(annotation)
    return [a for a in get_args(bare) if a is not NoneType] if get_origin(bare) in {Union, UnionType} else []


def _bare(annotation: Any) -> Any:
    """Returns an annotation without what validates it, and without nothing beside it."""
    if get_origin(annotation) is Annotated:
        return _bare(get_args(annotation)[0])
    if get_origin(annotation) in {Union, UnionType}:
        kinds = [a for a in get_args(annotation) if a is not NoneType]
        return _bare(kinds[0]) if len(kinds) == 1 else annotation
    return annotation


def _name(annotation: Any) -> str:
    bare = _bare(annotation)
    return str(getattr(get_origin(bare) or bare, "__name__", "")).lower()


def _label(text: str) -> tuple[bool, str]:
    """Takes what pydantic calls a kind apart: whether other kinds are made into it, and its name."""
    made = text.startswith("function-")
    inner = text.rpartition(", ")[2].rstrip("]") if made else text
    return made, inner.partition("[")[0].lower()


def _fits(text: str, value: Any) -> bool:
    """Tells whether a value is of a kind, or of one that is made into it."""
    made, name = _label(text)
    scalar, listed = name in {"str", "int", "bool", "literal"}, name == "list"
    if isinstance(value, dict):
        return not scalar and not listed
    return listed or (made and not scalar) if isinstance(value, list) else scalar or made


_NUMBERS = re.compile(r"\d[\d-]*\Z", re.ASCII)


def _either(says: Sequence[str]) -> str:
    """Says once what several kinds of value that are allowed would have to be."""
    first, *others = sorted(dict.fromkeys(says), key=lambda text: " is not allowed; " in text)
    last = [text.rpartition("expected ")[2] for text in others]
    return (
        ", or ".join([first, *last]) if "expected " in first or not last else f"{first}; it may be {', or '.join(last)}"
    )


def _sentence(error: Any, path: Path, known: list[str]) -> str:
    match error["type"]:
        case "extra_forbidden":
            return f"unknown key {path[-1]!r}{nearest(str(path[-1]), known)}"
        case "missing":
            return f"key {path[-1]!r} is missing"
        case "literal_error":
            return f"{error['input']!r:.40} is not allowed; expected {error['ctx']['expected']}"
        case "model_type" | "dict_type" | "model_attributes_type":
            return "expected a mapping"
        case "list_type":
            return "expected a list"
        case "string_type":
            return "expected text"
        case _:
            return str(error["msg"])


def _below(annotation: Any, step: int | str) -> Any:
    """Returns the annotation of a key, or of the items of a container."""
    model = _model_in(annotation)
    if model is None:
        return next(iter(reversed(get_args(_bare(annotation)))), None)
    return {f.alias or name: f.annotation for name, f in model.model_fields.items()}.get(str(step))


def _keys(annotation: Any) -> list[str]:
    model = _model_in(annotation)
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
