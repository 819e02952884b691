"""What goes wrong with the VLANs of a campus, numbered; each rule says which of these it finds."""

from __future__ import annotations

from typing import Final

FAULTS: Final[tuple[tuple[str, str], ...]] = (
    ("A link between switches is left as an access port, or both ends wait for the other to ask", ""),
    ("One end is a fixed, silent trunk and the other waits to be asked", ""),
    ("The ends use different native VLANs", ""),
    ("The native VLAN is the default VLAN, carries users, is not defined, or is not in the list", ""),
    ("A VLAN is missing on a switch", ""),
    ("A list that was to be extended was replaced", ""),
    ("A VLAN was trimmed off a trunk, and a switch behind needs it", "`trim`"),
    (
        "A port off by one, a range over its neighbour's, two VLANs swapped, a number mistyped",
        "`trace` names the port beside",
    ),
    ("Untouched ports stay in the default VLAN, enabled and willing to become a trunk", "`ports --rogue`"),
    ("One number with different names, one name with different numbers, no name", ""),
    ("Tag formats differ, or are left to negotiation", ""),
    (
        "A gateway is down, routing is off, a tag or a subnet is wrong; a host has no gateway, a wrong one, a wrong mask, an address twice or of another VLAN",
        "`gateways`",
    ),
    ("Two uplinks and no tree: a loop; or one tree, and the blocked link alone allowed a VLAN", ""),
    ("Nobody chose the root", ""),
    ("Host ports wait before they forward, or an uplink is an edge port", ""),
    ("Members of a LAG set differently, one end aggregated, both ends waiting", ""),
    (
        "A replacement switch with a newer table; names, secrets or spread ranges of a sync group that differ",
        "`vlans --converged`",
    ),
    ("Pruning cuts a VLAN towards a switch that has members and announces nothing", ""),
    ("A secondary not tied to its primary, one missing on the way, a promiscuous port that lacks one", ""),
    ("What runs differs from what is saved", ""),
    ("A trunk taken for a LAG, or the other way round", ""),
    ("The cabling plan, the label and what discovery hears disagree", ""),
)
"""What goes wrong, and what besides rules finds it (a claim, a table); the first is number 1."""
