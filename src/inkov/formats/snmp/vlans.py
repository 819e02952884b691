"""The VLAN tables of an SNMP walk: which VLANs there are, and which bridge ports are members (RFC 4363)."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Final, NamedTuple

from inkov.formats.snmp.oids import Index, Trouble
from inkov.formats.snmp.tables import Tables
from inkov.model.source import Touches
from inkov.model.switch import Vlan
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

_KINDS: Final = ("EgressPorts", "UntaggedPorts")
_MOST_LISTED: Final = 4096
_HEX_DIGITS: Final = frozenset(b"0123456789abcdefABCDEF")


class Members(NamedTuple):
    """Who is a member of what.

    Attributes:
        tagged: VLANs that leave tagged, as a mask, by bridge port.
        untagged: VLANs that leave untagged.
        doubtful: bridge ports of which that is not known.
        known: it is known of all others.
    """

    tagged: dict[int, int]
    untagged: dict[int, int]
    doubtful: set[int]
    known: bool


class VlanTables:
    """The VLANs of a walk.

    Attributes:
        lines: where each VLAN stands; filled by `vlans`.
    """

    def __init__(self, tables: Tables) -> None:
        self.walk = tables
        self.lines: dict[Vid, int] = {}
        self._lists: dict[bytes, frozenset[int]] = {}

    def vlans(self) -> dict[Vid, Vlan] | None:
        """Returns the VLAN table: what is configured, and what is in force besides; None when the walk holds none."""
        static = ("dot1qVlanStaticName", "dot1qVlanStaticEgressPorts", "dot1qVlanStaticRowStatus")
        found: dict[Vid, Vlan] = {}
        for table in static:
            for (v, *_), (_, line) in self.walk.tables[table].items():
                if VID_MIN <= v <= VID_MAX and v not in found:
                    active = self.walk.number("dot1qVlanStaticRowStatus", (v,)) in {1, None}
                    found[v] = _vlan(v, self.walk.text("dot1qVlanStaticName", (v,)), active)
                    self.lines[v] = line
        for v, mark in self.current().items():
            if v not in found:
                found[v] = _vlan(v, "", True)
                self.lines[v] = self.walk.line("dot1qVlanCurrentEgressPorts", (mark, v)) or 1
        if not found:
            self.walk.untold.append("which VLANs there are")
            return None
        said = self.walk.number("dot1qNumVlans")
        told_on = self.walk.tables["dot1qPvid"]  # which a walk comes to after the table
        if self.walk.cut and not told_on and (said is None or len(found) < said):
            self.walk.untold.append("which VLANs there are, as it was cut in the table")
            return None
        return {v: found[v] for v in sorted(found)}

    def current(self) -> dict[Vid, int]:
        """Returns the newest time mark of each VLAN that is in force."""
        newest: dict[Vid, int] = {}
        for index in self.walk.tables["dot1qVlanCurrentEgressPorts"]:
            if len(index) == 2 and VID_MIN <= index[1] <= VID_MAX:
                newest[index[1]] = max(index[0], newest.get(index[1], 0))
        return newest

    @cached_property
    def _highest(self) -> int:
        return max(self.walk.ifindex_of, default=0)

    def port_list(self, name: str, index: Index) -> frozenset[int] | None:
        """Returns the bridge ports of a bitmap; None when it is not there, or no bitmap (RFC 4363, PortList)."""
        octets = self.walk.octets(name, index)
        if octets is None:
            return None
        if octets not in self._lists:
            self._lists[octets] = frozenset(_ports_of(octets))
        ports = self._lists[octets]
        odd = _instead(octets) if self._highest and max(ports, default=0) > self._highest else ""
        if odd:
            line = self.walk.line(name, index) or 1
            self.walk.trouble.append(Trouble(f"{name} holds {odd} where a bitmap should be", line))
            self.walk.cut = True
            return None
        return ports

    @cached_property
    def members(self) -> Members:
        """Who is a member of what: as configured, and what is in force besides."""
        found = Members(defaultdict(int), defaultdict(int), set(), known=True)
        static, current = self.walk.tables["dot1qVlanStaticEgressPorts"], self.current()
        columns = (
            self.walk.tables[f"dot1qVlanStatic{t}"] for t in ("Name", "EgressPorts", "UntaggedPorts", "RowStatus")
        )
        rows = {index[0] for column in columns for index in column if VID_MIN <= index[0] <= VID_MAX}
        known = bool(static or current)
        for v in sorted(rows | current.keys()):
            sides: list[tuple[str, Index]] = [("dot1qVlanStatic", (v,))] if v in rows else []
            sides += [("dot1qVlanCurrent", (current[v], v))] if v in current else []
            told = [self._take(v, *side, found) for side in sides]
            if all(told) and len(sides) > 1:
                self._compare(v, sides)
            if static and not any(told):  # a column that is there, but not for this VLAN: the walk did not get so far
                known = False
        found.doubtful.update(p for p in found.tagged.keys() & found.untagged if found.tagged[p] & found.untagged[p])
        if not known:
            self.walk.untold.append("which VLANs ports are members of")
        return found._replace(known=known)

    @cached_property
    def forbidden(self) -> dict[int, int]:
        """The VLANs that never come to a bridge port, as a mask, by bridge port."""
        found: dict[int, int] = defaultdict(int)
        for index in self.walk.tables["dot1qVlanForbiddenEgressPorts"]:
            for p in self.port_list("dot1qVlanForbiddenEgressPorts", index) or ():
                found[p] |= 1 << index[0]
        return found

    def _compare(self, vid: Vid, sides: list[tuple[str, Index]]) -> None:
        """Records the ports that are members as configured and not in force, or the other way round, or with another tag."""
        ways = [[self.port_list(f"{side}{what}", index) for what in _KINDS] for side, index in sides]
        egress = [way[0] or frozenset() for way in ways]
        plain = [(way[1] or frozenset()) & own for way, own in zip(ways, egress, strict=True)]
        for p in (egress[0] ^ egress[1]) | (plain[0] ^ plain[1]):
            name = self.walk.names.get(self.walk.ifindex_of.get(p, 0))
            words = [
                "untagged" if p in u else "tagged" if p in e else "no member"
                for e, u in zip(egress, plain, strict=True)
            ]
            if name:
                why = f"{name} is configured as {words[0]} in VLAN {vid}, and today it is {words[1]}"
                line = self.walk.line("dot1qVlanCurrentEgressPorts", sides[1][1])
                where = "dot1qVlanCurrentEgressPorts"
                self.walk.reading.touch(f"/{where}", Touches.STOPS, where, line, port=name, why=why)

    def _take(self, vid: Vid, side: str, index: Index, found: Members) -> bool:
        """Takes the members of a VLAN from one of the tables; tells whether it has them."""
        egress = self.port_list(f"{side}EgressPorts", index)
        if egress is None:
            return False
        plain = self.port_list(f"{side}UntaggedPorts", index)
        if plain is None:
            found.doubtful.update(egress)
            return True
        for p in egress:
            (found.untagged if p in plain else found.tagged)[p] |= 1 << vid
        return True


def _instead(octets: bytes) -> str:
    """Says what octets that name ports beyond the last one seem to be, as some agents have it; empty for a bitmap."""
    if len(octets) > 1 and _HEX_DIGITS.issuperset(octets):
        return "digits"
    numbers = [n for n in (int.from_bytes(octets[k : k + 2]) for k in range(0, len(octets), 2)) if n]
    listed = len(octets) % 2 == 0 and len(numbers) > 1 and all(a < b for a, b in pairwise(numbers))
    return "numbers" if listed and numbers[-1] <= _MOST_LISTED else ""


def _ports_of(octets: bytes) -> Iterator[int]:
    for k, octet in enumerate(octets):
        if octet:
            yield from (8 * k + j + 1 for j in range(8) if octet & 0x80 >> j)


_vlan = lru_cache(maxsize=65536)(Vlan)
