"""Turns of phrase that findings share, so that the same fact is always said in the same words."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache

from inkov.forwarding.cabling import Link
from inkov.forwarding.network import Network
from inkov.model.names import PortRef, ports_text
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN
from inkov.model.vlanset import Vid, VlanSet
from inkov.rules.finding import Cause, Evidence


def count(n: int, one: str, many: str = "") -> str:
    """Returns `1 port`, `2 ports`."""
    return f"{n} {one if n == 1 else many or one + 's'}"


def vlans(some: VlanSet) -> str:
    """Returns `VLAN 310` or `VLANs 310-312`."""
    return f"VLAN{'s' if len(some) > 1 else ''} {some}"


def joined(names: Iterable[str], limit: int = 4) -> str:
    """Returns `a, b and c`, or the first few and how many more."""
    listed = list(names)
    if len(listed) > limit:
        return f"{', '.join(listed[: limit - 1])} and {len(listed) - limit + 1} more"
    return " and ".join(filter(None, [", ".join(listed[:-1]), *listed[-1:]]))


def named(network: Network, vid: Vid) -> str:
    """Returns `tills (360)`, with the segment's name or else the commonest name in the tables; or `VLAN 360`."""
    segment = next((s.name for s in network.campus.segments.values() if vid in s.vlans and len(s.vlans) == 1), "")
    if segment:
        return f"{segment} ({vid})"
    name = network.names.get(vid)
    return f"{name} ({vid})" if name and vid != DEFAULT_VLAN else f"VLAN {vid}"


def at(network: Network, ref: PortRef, fact: str, of: Setting) -> Evidence:
    """Returns a fact about a setting of a port, with its place."""
    return Evidence(fact, network.port(ref).origin.of(of))


def cause(ref: PortRef, of: Setting) -> Cause:
    """Returns a setting of a port as a cause."""
    return Cause(ref.switch, of, ref.port)


def vlan_cause(switch: str, vid: Vid) -> Cause:
    """Returns the entry of a VLAN in a switch's table as a cause."""
    return Cause(switch, Setting.VLANS, entry=str(vid))


def members_of(network: Network, some: VlanSet) -> tuple[PortRef, ...]:
    """Returns the live member ports of some VLANs."""
    return network.live_members_of(some)


def place(links: Sequence[Link]) -> str:
    """Returns the place of a finding about one link or several."""
    return joined(map(str, links))


def by_switch(refs: Mapping[str, Sequence[PortRef]]) -> str:
    """Returns ports on several switches: `kelp-hall:3-5, archive:2`."""
    return ", ".join(f"{s}:{ports_text([r.port for r in found])}" for s, found in refs.items())


@lru_cache(4096)
def letters(label: str) -> str:
    """Returns the words of a label without its numbers: what ports of one kind have in common."""
    return " ".join(re.findall(r"[^\W\d_]+", label.lower()))


_UNUSED = re.compile(r"(?i)\b(?:unused|spare|free|empty|vacant|not (?:used|in use))\b")


def says_unused(label: str) -> bool:
    """Tells whether a label names no use: there is none, or it says that the port is free."""
    return not label or _UNUSED.search(label) is not None
