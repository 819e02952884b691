"""Sets ports and VLANs in the text of a switch file."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from itertools import groupby
from typing import Final

import yaml

from inkov.formats.edits import CannotEdit, Cut, Edits, apply
from inkov.formats.ours.fields import port_names, port_patterns
from inkov.formats.ours.switch_writer import vlan_entry
from inkov.model.names import natural
from inkov.model.switch import Vlan, VlanType
from inkov.model.vlanset import Vid
from inkov.model.yamltext import inline

Keys = Mapping[str, str | None]


def in_switch_file(text: str, edits: Edits) -> str:
    """Returns a switch file with some settings set; an entry for several ports is split where they come to differ.

    Raises:
        CannotEdit: a port, or the VLAN table, is not in the file.
    """
    root = yaml.compose(text, Loader=yaml.SafeLoader)
    cuts: list[Cut] = []
    found: set[str] = set()
    own: dict[str, yaml.Node] = {}
    for key, value in root.value if root is not None else ():
        if key.value in {"ports", "lags"} and isinstance(value, yaml.MappingNode):
            for name, entry in value.value:
                names = port_names(name.value) if key.value == "ports" else [name.value]
                mine = {n: edits.ports[n] for n in names if n in edits.ports}
                found |= mine.keys()
                if mine:
                    cuts += _entry_cuts(text, name, entry, names, mine, in_flow=bool(value.flow_style))
        own[key.value] = value
    if lost := edits.ports.keys() - found:
        raise CannotEdit(f"port {min(lost, key=natural)!r} is not written in this file")
    if edits.vlans:
        cuts += _vlan_cuts(own.get("vlans"), edits.vlans)
    text = apply(text, cuts)
    for path, value in edits.keys.items():  # each on what the one before left
        text = apply(text, _path_cuts(text, path, value))
    return text


def _path_cuts(text: str, path: tuple[str, ...], value: object) -> Iterator[Cut]:
    """Yields what sets the key at a path of a switch file to a value, or takes it away where that is None."""
    node = yaml.compose(text, Loader=yaml.SafeLoader) or yaml.MappingNode("", [])
    for depth, part in enumerate(path):
        pairs = node.value if isinstance(node, yaml.MappingNode) else []
        at = next((i for i, (key, _) in enumerate(pairs) if key.value == part), None)
        if at is None:
            if path[0] == "ports" and depth < 2:
                raise CannotEdit(f"{' '.join(path[:2])} is not written in this file by itself")
            if value is not None:
                yield _inserted(text, node, path[depth:], value, at_top=not depth)
            return
        inner = pairs[at][1]
        if depth == len(path) - 1 and value is None and len(pairs) == 1:
            yield Cut(node.start_mark.index, _end(node), "{}")
        elif depth == len(path) - 1 and value is None:
            yield from _without(pairs, {part: None}, 0)
        elif depth == len(path) - 1:
            start = inner.start_mark.index
            yield Cut(start, _end(inner), " " * (text[start - 1] == ":") + inline(value))
        node = inner


def _inserted(text: str, node: yaml.Node, path: tuple[str, ...], value: object, *, at_top: bool) -> Cut:
    """Returns what puts a key that is not there yet into a mapping."""
    held = value
    for part in reversed(path[1:]):
        held = {int(part) if part.isdecimal() else part: held}
    said = f"{path[0] if path[0].isdecimal() else _scalar(path[0])}: {inline(held)}"
    if not isinstance(node, yaml.MappingNode):  # the key above has no value yet
        start = node.start_mark.index
        return Cut(start, _end(node), " " * (text[start - 1] == ":") + f"{{{said}}}")
    if node.flow_style:
        inside = node.end_mark.index - 1
        return Cut(inside, inside, (", " if node.value else "") + said)
    if at_top:
        return Cut(len(text), len(text), ("" if text.endswith("\n") else "\n") + said + "\n")
    at = _end(node)
    return Cut(at, at, "\n" + " " * node.start_mark.column + said)


def _entry_cuts(
    text: str, name: yaml.Node, entry: yaml.Node, names: list[str], keys: Mapping[str, Keys], *, in_flow: bool
) -> Iterator[Cut]:
    """Sets the keys of the ports of one entry; where they come to differ, there is a copy of it for each way."""
    alike: dict[tuple[tuple[str, str | None], ...], list[str]] = {}
    for port in names:
        alike.setdefault(tuple(keys.get(port, {}).items()), []).append(port)
    if len(alike) == 1:
        yield from _key_cuts(entry, 0, keys[names[0]])
        return
    start, end = name.start_mark.index, _end(entry)
    copies = []
    for said, ports in alike.items():
        body = apply(text[name.end_mark.index : end], _key_cuts(entry, name.end_mark.index, dict(said)))
        copies += [_key(pattern, in_flow=in_flow) + body for pattern in port_patterns(ports)]
    yield Cut(start, end, (", " if in_flow else "\n" + " " * name.start_mark.column).join(copies))


def _key(pattern: str, *, in_flow: bool) -> str:
    return _quoted(pattern, in_flow=in_flow) if _USUAL.match(pattern) else _scalar(pattern)


_USUAL: Final = re.compile(r"[\w/.,-]+\Z")
"""Names of ports, and lists of them, that YAML takes for text or for numbers, which are read as text."""


def _quoted(text: str, *, in_flow: bool) -> str:
    return f'"{text}"' if "," in text and in_flow and not text.startswith("{") else text


def _scalar(text: str) -> str:
    """Returns free text as YAML has it inside of braces."""
    return inline(text)


def _end(node: yaml.Node) -> int:
    """Returns where a node's text ends; a block mapping claims the blank lines after it otherwise."""
    if isinstance(node, yaml.CollectionNode) and not node.flow_style and node.value:
        last = node.value[-1]
        return _end(last[1] if isinstance(last, tuple) else last)
    return int(node.end_mark.index)


def _key_cuts(entry: yaml.Node, base: int, keys: Keys) -> Iterator[Cut]:
    """Yields what sets some keys of one entry, and takes others away, in offsets from `base`."""
    if not keys:
        return
    pairs = entry.value if isinstance(entry, yaml.MappingNode) else []
    there = {key.value for key, _ in pairs}
    new = {k: _quoted(v, in_flow=True) for k, v in keys.items() if v is not None and k not in there}
    kept = [key for key, _ in pairs if keys.get(key.value, "") is not None]
    start = entry.start_mark.index - base
    if not kept:  # nothing is set there, or nothing stays
        yield Cut(
            start, (_end(entry) if pairs else entry.end_mark.index) - base, f"{'' if pairs else ' '}{{{_listed(new)}}}"
        )
        return
    yield from _without(pairs, keys, base)
    for key, value in pairs:
        if said := keys.get(key.value):
            yield Cut(value.start_mark.index - base, value.end_mark.index - base, _quoted(said, in_flow=True))
    if new and isinstance(entry, yaml.MappingNode) and entry.flow_style:
        yield Cut(start + 1, start + 1, _listed(new) + ", ")
    elif new:
        yield Cut(start, start, "".join(f"{k}: {v}\n" + " " * entry.start_mark.column for k, v in new.items()))


def _listed(keys: Mapping[str, str]) -> str:
    return ", ".join(f"{k}: {v}" for k, v in keys.items())


def _without(pairs: list[tuple[yaml.Node, yaml.Node]], keys: Keys, base: int) -> Iterator[Cut]:
    """Takes keys away: each run of them up to the next one that stays, the last run from the end of the one before."""
    for goes, run in groupby(range(len(pairs)), lambda i: keys.get(pairs[i][0].value, "") is None):
        some = list(run)
        first, last = some[0], some[-1]
        if goes and last + 1 < len(pairs):
            yield Cut(pairs[first][0].start_mark.index - base, pairs[last + 1][0].start_mark.index - base, "")
        elif goes:
            yield Cut(_end(pairs[first - 1][1]) - base, _end(pairs[last][1]) - base, "")


def _entry_of_vlan(entry: yaml.Node, wanted: Vlan) -> Iterator[Cut]:
    """Yields what names a VLAN that is in the table, makes it active, and says its type."""
    keys = {k.value: v for k, v in entry.value} if isinstance(entry, yaml.MappingNode) else {"name": entry}
    if not wanted.active or (wanted.type is VlanType.PLAIN and "type" in keys):
        yield Cut(entry.start_mark.index, _end(entry), ("" if entry.value else " ") + inline(vlan_entry(wanted)))
        return
    said = {"name": wanted.name, **({"state": "active"} if "state" in keys else {})}
    typed = _typed(wanted)
    if typed.keys() - keys.keys():
        if not isinstance(entry, yaml.MappingNode):
            yield Cut(entry.start_mark.index, _end(entry), f"{{name: {_scalar(wanted.name)}, {_listed(typed)}}}")
            return
        yield from _key_cuts(entry, 0, typed)
        return
    said |= typed
    changed = {k: v for k, v in said.items() if k in keys and keys[k].value != v}
    if not changed:
        raise CannotEdit(f"VLAN {wanted.vid} is in the table already")
    for key, value in changed.items():
        yield Cut(keys[key].start_mark.index, keys[key].end_mark.index, _scalar(value))


def _typed(wanted: Vlan) -> dict[str, str]:
    """Returns the keys that say of what type a VLAN is; none of an ordinary one."""
    if wanted.type is VlanType.PLAIN:
        return {}
    return {"type": wanted.type.value} | ({"primary": str(wanted.primary)} if wanted.primary else {})


def _new_vlan(wanted: Vlan) -> str:
    typed = _typed(wanted)
    if not wanted.active:
        return inline(vlan_entry(wanted))
    if typed:
        return f"{{{_listed({'name': _scalar(wanted.name), **typed} if wanted.name else typed)}}}"
    return _scalar(wanted.name) if wanted.name else ""


def _vlan_cuts(table: yaml.Node | None, vlans: Mapping[Vid, Vlan | None]) -> Iterator[Cut]:
    """Yields what defines some VLANs in a table, or makes them active."""
    if not isinstance(table, yaml.MappingNode):
        raise CannotEdit("the VLAN table is not written in this file")
    there = {key.value: value for key, value in table.value}
    if lost := [v for v, entry in vlans.items() if entry is None and str(v) not in there]:
        raise CannotEdit(f"VLAN {lost[0]} is not in the table")
    gone = {str(v): None for v, entry in vlans.items() if entry is None}
    if gone and len(gone) == len(there):
        raise CannotEdit("a table from which every VLAN goes is not written")
    yield from _without(table.value, gone, 0) if gone else ()
    new = {v: entry for v, entry in vlans.items() if entry is not None and str(v) not in there}
    for vid, entry in vlans.items():
        if entry is not None and vid not in new:
            yield from _entry_of_vlan(there[str(vid)], entry)
    if not new:
        return
    said = [f"{v}: {_new_vlan(entry)}".rstrip() for v, entry in sorted(new.items())]
    at = _end(table)
    if table.flow_style:
        inside = at - 1
        yield Cut(
            inside, inside, (", " if table.value else "") + ", ".join(s if ": " in s else f"{s} ''" for s in said)
        )
    else:
        between = "\n" + " " * table.start_mark.column
        yield Cut(at, at, between + between.join(said))
