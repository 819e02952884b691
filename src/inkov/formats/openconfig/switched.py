"""What a port of OpenConfig data does with VLANs (`openconfig-vlan`), as configured and as in force."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Final

from inkov.formats.openconfig.tree import Node, child, leaves_of, vlan_number
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import Reading
from inkov.kinds.table import setting_words
from inkov.model.source import Origin, Touches
from inkov.model.switch import Access, Port, Switching, Trunk, Unstated
from inkov.model.vlanset import ALL, VID_MAX, VID_MIN, Vid, VlanSet, VlanTextError


def record_today(entry: Node, name: str, path: str, reading: Reading) -> bool:
    """Records where a port is not in force as it is configured, by the leaves that have both.

    Returns:
        Whether there was anything.
    """
    found = False
    state = {local(k): v for k, v in child(entry, "state").items()}
    if local(str(state.get("oper-status", ""))) in DOWN and leaves_of(entry).get("enabled") not in (False, "false"):
        reading.down_today("/interfaces/interface/state/oper-status", name, f"{path}/state/oper-status")
        found = True
    for holder in ("", "ethernet", "aggregation"):
        node = child(entry, holder) if holder else entry
        where = f"/interfaces/interface{holder and '/'}{holder}"
        if (on := _both(node, "enabled")) and not holder:
            touches = Touches.STOPS if on[0] else Touches.FRAMES
            words = ["on" if side else "shut" for side in on]
            _differs(
                reading,
                f"{where}/state/enabled",
                touches,
                f"{path}/state/enabled",
                port=name,
                words=words,
                now=(("enabled", on[1] is True),),
            )
            found = True
        if lags := _both(node, "aggregate-id"):
            words = [f"a member of {lag}" for lag in lags]
            _differs(
                reading, f"{where}/state/aggregate-id", Touches.FRAMES, f"{path}/{holder}/state", port=name, words=words
            )
            found = True
        switched = child(node, "switched-vlan") if holder else {}
        if switched and (ways := _ways(switched, reading)):
            words = [setting_words(Port(name=name, switching=way, origin=Origin(reading.file, "", {}))) for way in ways]
            at = f"{path}/{holder}/switched-vlan/state"
            _differs(
                reading,
                f"{where}/switched-vlan/state",
                Touches.FRAMES,
                at,
                port=name,
                words=words,
                now=(("switching", ways[1]),),
            )
            found = True
    return found


DOWN: Final = frozenset({"DOWN", "LOWER_LAYER_DOWN", "NOT_PRESENT"})
"""States of an interface that nothing passes (`oper-status`)."""

_WRITTEN: Final = {"true": True, "false": False}
"""Booleans as XML writes them."""


def _both(node: Node, leaf: str) -> tuple[Any, Any] | None:
    """Returns a leaf as configured and as in force, where both are told and differ."""
    if not any(key.endswith("state") for key in node):
        return None
    told = ({local(k): v for k, v in child(node, side).items()}.get(leaf) for side in ("config", "state"))
    sides = [_WRITTEN.get(value, value) if isinstance(value, str) else value for value in told]
    return (sides[0], sides[1]) if None not in sides and sides[0] != sides[1] else None


def _ways(switched: Node, reading: Reading) -> tuple[Switching, Switching] | None:
    """Returns what a port is configured to do and what it does today, where these differ."""
    state = {local(k): v for k, v in child(switched, "state").items() if v is not None}
    if not state or not child(switched, "config"):
        return None
    own, quiet = leaves_of(switched), Reading(reading.file)
    ways = [switching_of(leaves, "", quiet) for leaves in (own, {**own, **state})]
    return (ways[0], ways[1]) if ways[0] != ways[1] else None


def _differs(
    reading: Reading,
    path: str,
    touches: Touches,
    at: str,
    *,
    port: str,
    words: list[str],
    now: tuple[tuple[str, Any], ...] = (),
) -> None:
    why = f"{port} is configured as {words[0]}, and today it is {words[1]}"
    reading.touch(path, touches, at, port=port, why=why, now=now)


def switching_of(leaves: Node, path: str, reading: Reading) -> Switching:
    """Reads the leaves of `switched-vlan`; a port without a mode is not stated."""
    mode = leaves.get("interface-mode")
    if mode == "ACCESS":
        access = leaves.get("access-vlan")
        return _access(None if access is None else vlan_number(access, reading, f"{path}/access-vlan"))
    if mode == "TRUNK":
        native = leaves.get("native-vlan")
        return _trunk(
            None if native is None else vlan_number(native, reading, f"{path}/native-vlan"),
            _trunk_vlans(leaves.get("trunk-vlans"), reading, f"{path}/trunk-vlans"),
            stated=native is not None,
        )
    if mode is not None:
        reading.wrong(f"{mode!r:.40} is not an interface mode; expected ACCESS or TRUNK", f"{path}/interface-mode")
    return Unstated()


@lru_cache(maxsize=8192)
def _access(vid: Vid | None) -> Access:
    return Access(vid)


@lru_cache(maxsize=8192)
def _trunk(native: Vid | None, allowed: VlanSet, *, stated: bool) -> Trunk:
    return Trunk(native, allowed, native_stated=stated)


def _trunk_vlans(value: Any, reading: Reading, path: str) -> VlanSet:
    """Reads `trunk-vlans`; absent and empty both mean all (the model's description of the leaf-list)."""
    if value is None:
        return ALL
    items = value if isinstance(value, list) else [value]
    try:
        return _plain_list(tuple(items)) if items else ALL
    except (TypeError, ValueError):  # something in it wants a complaint or a note
        return _odd_list(items, reading, path)


@lru_cache(maxsize=4096)
def _plain_list(items: tuple[int | str, ...]) -> VlanSet:
    """Reads a list in the standard form; many trunks of a campus have the same.

    Raises:
        ValueError: it is not in the standard form.
    """
    mask = 0
    for item in items:
        if type(item) is int and VID_MIN <= item <= VID_MAX:
            mask |= 1 << item
        elif isinstance(item, str):
            low, _, high = item.partition("..")
            first, last = int(low), int(high)
            if not (item == f"{first}..{last}" and VID_MIN <= first <= last <= VID_MAX):
                raise ValueError(item)
            mask |= (1 << (last + 1)) - (1 << first)
        else:
            raise ValueError(item)
    return VlanSet.from_mask(mask)


def _odd_list(items: list[Any], reading: Reading, path: str) -> VlanSet:
    made = VlanSet()
    for item in items:
        if isinstance(item, str):
            made |= _trunk_text(item, reading, path)
        elif (number := vlan_number(item, reading, path)) is not None:
            made |= VlanSet([number])
    return made


def _trunk_text(item: str, reading: Reading, path: str) -> VlanSet:
    low, dots, high = item.partition("..")
    if dots and low.isdecimal() and high.isdecimal():
        first, last = sorted((int(low), int(high)))
        if first >= VID_MIN and last <= VID_MAX:
            return VlanSet.span(first, last)
    try:
        made = VlanSet.parse(item)
    except VlanTextError:
        reading.wrong(f'{item!r:.40} is not a VLAN or a range; expected 310 or "310..330"', path)
        return VlanSet()
    reading.note(f'{path}: {item!r} is not the standard form; expected "310..330" for a range')
    return made
