"""What goes wrong with the VLANs of a campus, and which rules, claims or tables find it."""

from __future__ import annotations

from typing import NamedTuple


class Fault(NamedTuple):
    """One thing that goes wrong.

    Attributes:
        what: in one sentence.
        rules: the rules that find it.
        besides: what else does: a claim, a table.
    """

    what: str
    rules: tuple[str, ...]
    besides: str = ""


FAULTS = (
    Fault(
        "A link between switches is left as an access port, or both ends wait for the other to ask",
        ("trunk/absent", "stance/both-wait", "stance/groups"),
    ),
    Fault("One end is a fixed, silent trunk and the other waits to be asked", ("stance/one-sided", "trunk/one-sided")),
    Fault("The ends use different native VLANs", ("native/mismatch",)),
    Fault(
        "The native VLAN is the default VLAN, carries users, is not defined, or is not in the list",
        ("native/default", "native/users", "native/jump", "native/undefined", "native/unlisted"),
    ),
    Fault("A VLAN is missing on a switch", ("access/undefined", "vlan/missing", "voice/undefined", "vlan/islands")),
    Fault("A list that was to be extended was replaced", ("list/differs",)),
    Fault(
        "A VLAN was trimmed off a trunk, and a switch behind needs it",
        ("list/differs", "vlan/islands", "ring/cut", "ring/gap"),
        "`trim`",
    ),
    Fault(
        "A port off by one, a range over its neighbour's, two VLANs swapped, a number mistyped",
        (
            "access/undefined",
            "vlan/namesakes",
            "host/subnet",
            "vlan/islands",
            "plan/port",
            "plan/unregistered",
            "sibling/port",
            "sibling/run",
        ),
        "`trace` names the port beside",
    ),
    Fault(
        "Untouched ports stay in the default VLAN, enabled and willing to become a trunk",
        ("access/default", "stance/invites", "spare/open", "spare/trunk", "general/unfiltered"),
        "`ports --rogue`",
    ),
    Fault(
        "One number with different names, one name with different numbers, no name",
        ("vlan/aliases", "vlan/namesakes", "vlan/unnamed"),
    ),
    Fault("Tag formats differ, or are left to negotiation", ("tags/differ", "tags/negotiated")),
    Fault(
        "A gateway is down, routing is off, a tag or a subnet is wrong; a host has no gateway, a wrong one, a wrong mask, an "
        "address twice or of another VLAN",
        (
            *("gateway/down", "gateway/idle", "gateway/subnet", "gateway/overlap", "segment/gateless"),
            *("host/unrouted", "host/gateway", "host/mask", "host/subnet", "address/twice"),
        ),
        "`gateways`",
    ),
    Fault(
        "Two uplinks and no tree: a loop; or one tree, and the blocked link alone allowed a VLAN",
        ("ring/loop", "ring/cut", "ring/unknown"),
    ),
    Fault("Nobody chose the root", ("tree/root", "tree/edge-root", "tree/priority")),
    Fault("Host ports wait before they forward, or an uplink is an edge port", ("edge/waiting", "edge/on-link")),
    Fault(
        "Members of a LAG set differently, one end aggregated, both ends waiting",
        ("lag/uneven", "lag/member", "lag/one-ended", "lag/scattered", "lag/unformed"),
    ),
    Fault(
        "A replacement switch with a newer table; names, secrets or spread ranges of a sync group that differ",
        ("sync/wipe", "sync/differs", "sync/unspread", "sync/private", "sync/own", "sync/secret", "sync/authors"),
        "`vlans --converged`",
    ),
    Fault(
        "Pruning cuts a VLAN towards a switch that has members and announces nothing",
        ("prune/silent", "prune/one-sided", "prune/twice"),
    ),
    Fault(
        "A secondary not tied to its primary, one missing on the way, a promiscuous port that lacks one",
        ("private/untied", "private/missing", "private/promiscuous", "private/pair", "private/two-isolated"),
    ),
    Fault("What runs differs from what is saved", ("saved/differs",)),
    Fault("A trunk taken for a LAG, or the other way round", ("lag/one-ended", "lag/unformed", "trunk/one-sided")),
    Fault(
        "The cabling plan, the label and what discovery hears disagree",
        ("neighbour/contradicts", "neighbour/one-sided", "label/contradicts", "plan/label"),
    ),
)
"""All of them."""
