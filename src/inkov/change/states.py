"""The state of VLANs, trees and gateways, where it differs between two campuses."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.kinds.relay import Mask
from inkov.model.names import natural
from inkov.model.vlanset import VlanSet, bits
from inkov.rules.wording import joined, named


@dataclass(frozen=True, slots=True)
class StateRow:
    """A VLAN's parts, a tree's root, a blocked port or a gateway that is in another state."""

    what: str
    before: str
    after: str


def states(before: Network, after: Network) -> Iterator[StateRow]:
    """Yields VLANs in more or fewer parts, roots, blocked ends of links, and gateways in another state."""
    for vid in VlanSet({*before.members, *after.members}):
        was, now = (n.islands.count(vid) for n in (before, after))
        if was != now:
            yield StateRow(f"parts of VLAN {vid}", str(was), str(now))
    yield from _of("root", _roots(before), _roots(after))
    shut, shut_now = _blocked(before), _blocked(after)
    for end in sorted({*shut, *shut_now}, key=natural):
        old, own = shut.get(end, 0), shut_now.get(end, 0)
        for gone, new in ((0, own & ~old), (old & ~own, 0)):
            if gone or new:
                words = [f"for {_who(before, after, mask)}" if mask else "-" for mask in (gone, new)]
                yield StateRow(f"blocked {end}", *words)
    yield from _of("gateway", _gateways(before), _gateways(after))


def _of(what: str, was: Mapping[str, str], now: Mapping[str, str]) -> Iterator[StateRow]:
    for one in sorted({*was, *now}, key=natural):
        if was.get(one) != now.get(one):
            yield StateRow(f"{what} {one}", was.get(one, "-"), now.get(one, "-"))


def _who(before: Network, after: Network, vlans: Mask) -> str:
    """Returns VLANs by name and number, as far as anybody is in them."""
    found = [named(after, v) for v in bits(vlans & (before.inhabited | after.inhabited))]
    return joined(found, 6) if found else "VLANs that nobody is in"


def _roots(network: Network) -> dict[str, str]:
    found: dict[str, str] = {}
    for part in network.trees.parts:
        for tree in part.trees:
            first = min(tree.election.root, key=natural, default="")
            label = (
                f"around {first}"
                if not tree.vlans or len(part.trees) == 1
                else f"of VLANs {VlanSet.from_mask(tree.vlans)} around {first}"
            )
            found[label] = str(tree.election.root.get(first, "-"))
    return found


def _blocked(network: Network) -> dict[str, Mask]:
    used = network.used
    masks = {str(e): network.trees.blocks(e) & used for k in network.links for e in (k.a, k.b)}
    return {end: mask for end, mask in masks.items() if mask}


def _gateways(network: Network) -> dict[str, str]:
    gateways = network.gateways
    return {str(i): {True: "up", False: "down", None: "not known"}[gateways.state(i).up] for i in gateways.all}
