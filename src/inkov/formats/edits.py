"""Sets allowed lists in the text of switch files and exports, and leaves every other character as it was."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

import yaml

from inkov.formats.fields import port_names
from inkov.formats.openconfig_wrappers import local
from inkov.model.names import natural, ports_text
from inkov.model.vlanset import ALL, VlanSet


class CannotEdit(ValueError):
    """A list has no place in the text that could be written to; the message says why."""


class Cut(NamedTuple):
    """Text to put in place of a part of a file."""

    start: int
    end: int
    text: str


def apply(text: str, cuts: list[Cut]) -> str:
    """Returns a text with parts replaced; the parts do not overlap."""
    for cut in sorted(cuts, reverse=True):
        text = text[: cut.start] + cut.text + text[cut.end :]
    return text


# -- our own switch files ------------------------------------------------------------------------------


def in_switch_file(text: str, lists: Mapping[str, str]) -> str:
    """Sets the lists of some ports and LAGs of a switch file.

    Args:
        text: the file, known to be a valid switch file.
        lists: port or LAG to its list as text. An entry for several ports is split where their lists differ.

    Raises:
        CannotEdit: a port is not in the file.
    """
    root = yaml.compose(text, Loader=yaml.SafeLoader)
    cuts: list[Cut] = []
    found: set[str] = set()
    for key, value in root.value if root is not None else ():
        if key.value in {"ports", "lags"} and isinstance(value, yaml.MappingNode):
            for name, entry in value.value:
                names = port_names(name.value) if key.value == "ports" else [name.value]
                mine = {n: lists[n] for n in names if n in lists}
                found |= mine.keys()
                if mine:
                    cuts.append(_entry_cut(text, name, entry, names, mine, in_flow=bool(value.flow_style)))
    if lost := lists.keys() - found:
        raise CannotEdit(f"port {min(lost, key=natural)!r} is not written in this file")
    return apply(text, cuts)


def _entry_cut(
    text: str, name: yaml.Node, entry: yaml.Node, names: list[str], lists: Mapping[str, str], *, in_flow: bool
) -> Cut:
    """Sets the lists of the ports of one entry; where they come to differ, there is a copy of it for each list."""
    by_list: dict[str | None, list[str]] = {}
    for port in names:
        by_list.setdefault(lists.get(port), []).append(port)
    if len(by_list) == 1:
        return _list_cut(entry, 0, lists[names[0]])
    start, end = name.start_mark.index, _end(entry)
    copies = []
    for said, ports in by_list.items():
        body = text[name.end_mark.index : end]
        if said is not None:
            body = apply(body, [_list_cut(entry, name.end_mark.index, said)])
        copies.append(_quoted(ports_text(ports), in_flow=in_flow) + body)
    return Cut(start, end, (", " if in_flow else "\n" + " " * name.start_mark.column).join(copies))


def _quoted(ports: str, *, in_flow: bool) -> str:
    return f'"{ports}"' if "," in ports and in_flow else ports


def _end(node: yaml.Node) -> int:
    """Returns where a node's text ends; a block mapping claims the blank lines after it otherwise."""
    if isinstance(node, yaml.CollectionNode) and not node.flow_style and node.value:
        last = node.value[-1]
        return _end(last[1] if isinstance(last, tuple) else last)
    return int(node.end_mark.index)


def _list_cut(entry: yaml.Node, base: int, said: str) -> Cut:
    """Returns the replacement of the list of one entry, in offsets from `base`."""
    written = f'"{said}"' if "," in said else said
    if not isinstance(entry, yaml.MappingNode):  # nothing is set there
        at = entry.start_mark.index - base
        return Cut(at, entry.end_mark.index - base, f" {{trunk: {written}}}")
    for key, value in entry.value:
        if key.value == "trunk":
            return Cut(value.start_mark.index - base, value.end_mark.index - base, written)
    at = entry.start_mark.index - base
    if entry.flow_style:
        return Cut(at + 1, at + 1, f"trunk: {written}" + (", " if entry.value else ""))
    return Cut(at, at, f"trunk: {written}\n" + " " * entry.start_mark.column)


# -- OpenConfig exports --------------------------------------------------------------------------------


def in_export(text: str, lists: Mapping[str, str]) -> str:
    """Sets `trunk-vlans` of some ports and aggregates of an OpenConfig export.

    Raises:
        CannotEdit: a port's `switched-vlan` is not in the file as one object, as in answers of gNMI.
    """
    cuts: list[Cut] = []
    found: set[str] = set()
    for name, config in _switched(_Spans(text).value()[0]):
        if name in lists:
            found.add(name)
            cuts.append(_export_cut(config, lists[name]))
    if lost := lists.keys() - found:
        raise CannotEdit(f"the list of port {min(lost, key=natural)!r} is not written in a form that can be edited")
    return apply(text, cuts)


def _switched(node: Spanned) -> Iterator[tuple[str, Spanned]]:
    """Yields every interface's name and the object that holds its list, wherever the interfaces are."""
    if isinstance(node.value, list):
        for item in node.value:
            yield from _switched(item)
    if not isinstance(node.value, dict):
        return
    members = {local(k): v for k, v in node.value.items()}
    name = members.get("name") or _within(node, "config", "name") or _within(node, "state", "name")
    for holder in ("ethernet", "aggregation"):
        config = _within(node, holder, "switched-vlan", "config")
        if config is not None and name is not None and isinstance(name.value, str):
            yield name.value, config
            return
    for item in node.value.values():
        yield from _switched(item)


def _within(node: Spanned, *names: str) -> Spanned | None:
    at: Spanned | None = node
    for wanted in names:
        if at is None or not isinstance(at.value, dict):
            return None
        at = next((v for k, v in at.value.items() if local(k) == wanted), None)
    return at


def _export_cut(config: Spanned, said: str) -> Cut:
    vlans = VlanSet.parse(said)
    if not vlans:
        raise CannotEdit(
            "an empty list in an export means all VLANs, so it cannot say that a trunk carries none; shut the port"
        )
    items: list[int | str] = [] if vlans == ALL else [a if a == b else f"{a}..{b}" for a, b in vlans.ranges()]
    written = json.dumps(items)
    for key, value in config.value.items():
        if local(key) == "trunk-vlans":
            return Cut(value.start, value.end, written)
    if not config.value:
        return Cut(config.start, config.end, f'{{"trunk-vlans": {written}}}')
    last = list(config.value.values())[-1]
    return Cut(last.end, last.end, f', "trunk-vlans": {written}')


class Spanned(NamedTuple):
    """A JSON value and where its text is; members and items are spanned, too."""

    value: Any
    start: int
    end: int


_BLANK = re.compile(r"[ \t\r\n]*")
_SCALAR = re.compile(r'"(?:[^"\\]|\\.)*"|[^\s,\]}]+')


def spanned(text: str) -> Spanned:
    """Returns the value of a JSON text with where everything in it stands; the text is known to be valid."""
    return _Spans(text).value()[0]


class _Spans:
    """Reads JSON that is known to be valid."""

    def __init__(self, text: str) -> None:
        self.text = text

    def _skip(self, at: int) -> int:
        found = _BLANK.match(self.text, at)
        return found.end() if found else at

    def value(self, at: int = 0) -> tuple[Spanned, int]:
        at = self._skip(at)
        opening = self.text[at]
        if opening not in "[{":
            found = _SCALAR.match(self.text, at)
            end = found.end() if found else at
            return Spanned(json.loads(self.text[at:end]), at, end), end
        members: dict[str, Spanned] = {}
        items: list[Spanned] = []
        start, at = at, self._skip(at + 1)
        while self.text[at] not in "]}":
            item, at = self.value(at)
            at = self._skip(at)
            if opening == "{":
                key = item.value
                item, at = self.value(at + 1)
                members[key] = item
                at = self._skip(at)
            else:
                items.append(item)
            at = self._skip(at + 1) if self.text[at] == "," else at
        return Spanned(members if opening == "{" else items, start, at + 1), at + 1
