"""The state of VLANs, trees and gateways, where it differs between two campuses."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from inkov.forwarding.network import Network
from inkov.model.names import natural
from inkov.model.vlanset import VlanSet


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
    for what, state in (("root", _roots), ("blocked", _blocked), ("gateway", _gateways)):
        was_, now_ = state(before), state(after)
        for one in sorted({*was_, *now_}, key=natural):
            if was_.get(one) != now_.get(one):
                yield StateRow(f"{what} {one}", was_.get(one, "-"), now_.get(one, "-"))


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


def _blocked(network: Network) -> dict[str, str]:
    used = network.used
    masks = {str(e): network.trees.blocks(e) & used for k in network.links for e in (k.a, k.b)}
    return {end: f"for {VlanSet.from_mask(mask)}" for end, mask in masks.items() if mask}


def _gateways(network: Network) -> dict[str, str]:
    gateways = network.gateways
    return {str(i): {True: "up", False: "down", None: "not known"}[gateways.state(i).up] for i in gateways.all}
