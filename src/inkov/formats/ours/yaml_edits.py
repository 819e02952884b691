"""Sets ports and VLANs in the text of a switch file."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from itertools import groupby
from typing import Final

import yaml

from inkov.formats.edits import CannotEdit, Cut, Edits, apply
from inkov.formats.ours.fields import port_names, port_patterns
from inkov.model.names import natural
from inkov.model.switch import Vlan, VlanType
from inkov.model.vlanset import Vid
from inkov.model.yamltext import dumped

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
    if edits.priority is not None:
        cuts += _priority_cuts(own.get("tree"), edits.priority)
    return apply(text, cuts)


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
    return dumped([text], flow=True)[1:-2]


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
    said = {"name": wanted.name, **({"state": "active"} if wanted.active and "state" in keys else {})}
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


def _priority_cuts(tree: yaml.Node | None, priority: int) -> Iterator[Cut]:
    if not isinstance(tree, yaml.MappingNode):
        raise CannotEdit("the tree is not written in this file")
    return _key_cuts(tree, 0, {"priority": str(priority)})


def _typed(wanted: Vlan) -> dict[str, str]:
    """Returns the keys that say of what type a VLAN is; none of an ordinary one."""
    if wanted.type is VlanType.PLAIN:
        return {}
    return {"type": wanted.type.value} | ({"primary": str(wanted.primary)} if wanted.primary else {})


def _new_vlan(wanted: Vlan) -> str:
    typed = _typed(wanted)
    if typed:
        return f"{{{_listed({'name': _scalar(wanted.name), **typed} if wanted.name else typed)}}}"
    return _scalar(wanted.name) if wanted.name else ""


def _vlan_cuts(table: yaml.Node | None, vlans: Mapping[Vid, Vlan]) -> Iterator[Cut]:
    """Yields what defines some VLANs in a table, or makes them active."""
    if not isinstance(table, yaml.MappingNode):
        raise CannotEdit("the VLAN table is not written in this file")
    there = {key.value: value for key, value in table.value}
    new = {v: entry for v, entry in vlans.items() if str(v) not in there}
    for vid in vlans.keys() - new.keys():
        yield from _entry_of_vlan(there[str(vid)], vlans[vid])
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
