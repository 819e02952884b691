"""YAML text to plain data in which every scalar stays text, with the line of every key and value.

Keeping scalars as text is what stops `no`, `on`, `12:30` or `0x1F` from turning into something else; the
documents convert each field themselves. Aliases are refused: nothing in our language needs them, and they
let a small file unfold into a huge one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, TypeAlias

import yaml

from inkov.formats.reading import Reading

Path: TypeAlias = tuple[str | int, ...]
_MAX_DEPTH = 20
_MAX_OPEN = 1000
_BRACKET = re.compile(r"[\[\]{}]")
_PLAIN_NULL = frozenset({"", "~", "null"})


class Lines(dict[Path, int]):
    """Line numbers, from 1, by data path."""

    def near(self, path: Path) -> int:
        """Returns the line of a path, or of the closest place above it that is written."""
        while path and path not in self:
            path = path[:-1]
        return self.get(path, 1)


def load(text: str, reading: Reading) -> tuple[Any, Lines]:
    """Reads one YAML document.

    Returns:
        Nested dicts and lists of `str` and `None`, and the lines of all paths.

    Raises:
        BadInput: not YAML, more than one document, aliases, keys that are no plain text or come twice.
    """
    lines = Lines()
    _check_depth(text, reading)
    try:
        events = iter(list(_events(text)))
    except yaml.MarkedYAMLError as exc:
        line = exc.problem_mark.line + 1 if exc.problem_mark else None
        raise reading.fail(_why(text, line, exc), line) from None
    except yaml.YAMLError:
        raise reading.fail("this is not YAML; it holds characters that YAML does not allow") from None
    composer = _Composer(events, lines, reading)
    return composer.document(), lines


def _events(text: str) -> Iterator[yaml.Event]:
    return yaml.parse(text, Loader=getattr(yaml, "CSafeLoader", yaml.SafeLoader))


def top(text: str, key: str) -> str | None:
    """Returns the value of a key at the top of a document, empty where it is no plain text; None without such a key.

    No more of the text is looked at than it takes.

    Raises:
        BadInput: what comes before the key is not YAML.
    """
    reading = Reading("")
    _check_depth(text, reading)
    depth, at_key, found = 0, False, False
    try:
        for event in _events(text):
            if found:
                return event.value if isinstance(event, yaml.ScalarEvent) else ""
            opens, closes = isinstance(event, yaml.CollectionStartEvent), isinstance(event, yaml.CollectionEndEvent)
            depth -= closes
            if depth == 1 and not opens:
                found = at_key and isinstance(event, yaml.ScalarEvent) and event.value == key
                at_key = not at_key
            elif depth == 0 and isinstance(event, yaml.NodeEvent):
                at_key = isinstance(event, yaml.MappingStartEvent)
                if not at_key:
                    return None
            depth += opens
    except yaml.YAMLError:
        raise reading.fail("this is not YAML") from None
    return None


def _check_depth(text: str, reading: Reading) -> None:
    """Refuses brackets without end before the parser sees them: its time grows with the square of their depth."""
    if text.count("[") + text.count("{") <= _MAX_OPEN:
        return
    depth = 0
    for found in _BRACKET.finditer(text):
        depth += 1 if found[0] in "[{" else -1
        if depth > _MAX_OPEN:
            raise reading.fail("nested too deeply", text.count("\n", 0, found.start()) + 1)


def _why(text: str, line: int | None, exc: yaml.MarkedYAMLError) -> str:
    all_lines = text.splitlines()
    if line and line <= len(all_lines) and "\t" in all_lines[line - 1][:80]:
        return "a tab stands where YAML wants blanks; indent with blanks only"
    return f"this is not YAML: {exc.problem or 'unreadable'}"


def _line(event: yaml.Event) -> int:
    return event.start_mark.line + 1 if event.start_mark else 1


class _Composer:
    def __init__(self, events: Any, lines: Lines, reading: Reading) -> None:
        self.events = events
        self.lines = lines
        self.reading = reading

    def document(self) -> Any:
        value: Any = None
        seen = 0
        for event in self.events:
            if isinstance(event, yaml.DocumentStartEvent):
                seen += 1
                if seen > 1:
                    raise self.reading.fail("more than one document; expected one a file", _line(event))
                value = self.node(next(self.events), ())
        return value

    def node(self, event: Any, path: Path) -> Any:
        line = _line(event)
        self.lines.setdefault(path, line)
        if isinstance(event, yaml.AliasEvent):
            raise self.reading.fail("aliases (*name) are not part of the language; write the value out", line)
        if len(path) > _MAX_DEPTH:
            raise self.reading.fail("nested too deeply", line)
        if isinstance(event, yaml.ScalarEvent):
            plain = event.implicit[0] and not event.style  # one parser says None, the other an empty text
            return None if plain and event.value in _PLAIN_NULL else event.value
        if isinstance(event, yaml.SequenceStartEvent):
            return self.sequence(path)
        return self.mapping(path)

    def sequence(self, path: Path) -> list[Any]:
        items: list[Any] = []
        while not isinstance(event := next(self.events), yaml.SequenceEndEvent):
            items.append(self.node(event, (*path, len(items))))
        return items

    def mapping(self, path: Path) -> dict[str, Any]:
        made: dict[str, Any] = {}
        while not isinstance(event := next(self.events), yaml.MappingEndEvent):
            line = _line(event)
            if not isinstance(event, yaml.ScalarEvent):
                raise self.reading.fail("a key must be plain text", line)
            key = event.value
            if key in made:
                first = self.lines[*path, key]
                shown = "/".join(map(str, path))
                self.reading.wrong(f"key {key!r} comes twice; the first is in line {first}", shown, line)
            else:
                self.lines[*path, key] = line
            made[key] = self.node(next(self.events), (*path, key))
        return made
