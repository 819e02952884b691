"""Every setting once: what it is called in our files and in the open models, what findings blame it as, and what its absence means.

Places of settings are kept under the key of our language, whatever file they were read from, so that one name finds
the line of a switch file and the data path of an export alike.
"""

from __future__ import annotations

from enum import Enum


class Setting(Enum):
    """A setting of a port or LAG, of a switch, or of the campus file; or a fact that findings blame like one.

    Attributes:
        holder: what has the setting: `port`, `switch`, `campus`; or `fact` for what nobody writes as such.
        key: its key in our files, from the object that has it; empty for a fact.
        path: its path in the open models (OpenConfig), from the interface or from the root; empty where they have none.
        unstated: what it means that it is not written.
        cause: what a finding that blames it is known by from run to run.
    """

    def __init__(self, holder: str, key: str, path: str, unstated: str, cause: str = "") -> None:
        self.holder = holder
        self.key = key
        self.path = path
        self.unstated = unstated
        self.cause = cause or key

    # -- ports and LAGs ------------------------------------------------------------------------------
    ENABLED = ("port", "enabled", "config/enabled", "the port is on")
    LABEL = ("port", "label", "config/description", "nobody labelled the port")
    MODE = ("port", "mode", "switched-vlan/config/interface-mode", "the port may be in any mode")
    ACCESS = ("port", "access", "switched-vlan/config/access-vlan", "the access VLAN may be any")
    VOICE = ("port", "voice", "", "no voice VLAN in our files; not known of exports, which cannot say")
    ALLOWED = ("port", "trunk", "switched-vlan/config/trunk-vlans", "all VLANs are allowed", "allowed")
    NATIVE = (
        "port",
        "native",
        "switched-vlan/config/native-vlan",
        "no native VLAN in our files; may be any in exports",
    )
    NATIVE_TAGGED = ("port", "native-tagged", "", "the native VLAN leaves untagged")
    TRANSLATE = ("port", "translate", "", "tags stand for the VLAN of their number")
    GENERAL = ("port", "general", "", "the port has no sets of its own")
    PRIVATE = ("port", "private", "", "no station of a private VLAN")
    PROMISCUOUS = ("port", "promiscuous", "", "no promiscuous port")
    TUNNEL = ("port", "tunnel", "", "no tunnel")
    BRIDGED = ("switch", "domains", "", "the box keeps one table for all ports", "bridged")
    SUBINTERFACES = ("port", "subinterfaces", "subinterfaces", "no routed port")
    STANCE = ("port", "stance", "", "silent in our files; not known of exports")
    TAGS = ("port", "tags", "config/tpid", "802.1Q")
    EDGE = ("port", "edge", "/stp/interfaces/interface/config/edge-port", "found out by itself, or not known")
    LAG = ("port", "lag", "ethernet/config/aggregate-id", "no member of a LAG")
    LACP = ("port", "lacp", "/lacp/interfaces/interface/config/lacp-mode", "how the LAG forms is not known")
    SPEED = ("port", "speed", "ethernet/config/port-speed", "not known; counts as 1 Gb/s for path costs")
    PORT_TREE = ("port", "tree", "/stp", "cost by speed, priority 128", "tree")
    REGISTRATION = ("port", "registration", "", "normal for all VLANs: any may be pruned")

    # -- switches ------------------------------------------------------------------------------------
    ROLE = ("switch", "role", "", "not known")
    VLANS = ("switch", "vlans", "network-instances/network-instance/vlans", "a VLAN exists where a port is a member")
    TREE_PROTOCOL = (
        "switch",
        "tree/protocol",
        "stp/global/config/enabled-protocol",
        "any kind of tree, or none, may run",
    )
    TREE_PRIORITY = ("switch", "tree/priority", "stp", "32768")
    TREE_OWN = ("switch", "tree/own", "stp", "the priority of all trees", "tree/priority")
    TREE_COSTS = ("switch", "tree/costs", "stp", "32 bits, and 16 for STP", "tree/priority")
    TREE_REGION = ("switch", "tree/region", "stp/mstp/config", "a region of its own")
    DYNAMIC = ("switch", "registration", "", "off; not known of walks and IEEE models that do not tell", "dynamic")
    PRUNING = ("switch", "pruning", "", "no part in dynamic pruning; not known of exports")
    SYNC_GROUP = ("switch", "sync/group", "", "no sync group; not known of exports")
    SYNC_ROLE = ("switch", "sync/role", "", "follower")
    SYNC_GENERATION = ("switch", "sync/generation", "", "not known")
    SYNC_SECRET = ("switch", "sync/secret", "", "none")
    SYNC_SPREAD = ("switch", "sync/spread", "", "all VLANs")
    SYNC_PRIVATE = ("switch", "sync/private", "", "private VLANs are shared")
    GATEWAYS = ("switch", "gateways", "interfaces", "no gateway")
    ROUTING = ("switch", "routing", "network-instances/network-instance", "whether the device routes is not known")
    ROUTES = ("switch", "routes", "network-instances/network-instance", "no static route")
    FILTERS = ("switch", "filters", "acl", "no address filter")
    KIND = ("switch", "kind", "", "a switch")
    HABITS = ("switch", "assume", "", "not known: either way is possible")
    LACKS = ("switch", "lacks", "", "the box has every feature")
    LIMITS = ("switch", "limits", "", "the box holds any number")
    SAVED = ("switch", "saved", "", "what is saved is not known")

    # -- the campus file -----------------------------------------------------------------------------
    HOST_ADDRESS = ("campus", "hosts/address", "", "not known", "host/address")
    HOST_GATEWAY = ("campus", "hosts/gateway", "", "the host sends to its own subnet only", "host/gateway")
    CLOSED = ("campus", "segments/closed", "", "the segment is meant to have a gateway", "segment/closed")
    WAIVE = ("campus", "waive", "", "nothing is waived")

    # -- facts that are blamed like settings ---------------------------------------------------------
    CABLE = ("fact", "", "", "what is cabled to what", "cable")
    NEIGHBOUR = ("fact", "", "", "what discovery hears", "neighbour")
    MEMBERS = ("fact", "", "", "which ports a LAG bundles", "members")
    MEMBER = ("fact", "", "", "settings of a LAG's member", "member")
    UNUSED = ("fact", "", "", "nobody uses the port", "unused")
    PARKING = ("fact", "", "", "a trunk carries the parking VLAN", "parking")
    OPEN_LIST = ("fact", "", "", "a list that leaves nothing out", "open-list")
    NOT_FOLLOWED = ("fact", "", "", "what files state and the model does not follow", "not-followed")
    NEVER_PRUNED = ("fact", "", "", "VLANs that registration keeps on a port", "registration/normal")
    PRIORITY_STEP = ("fact", "", "", "a priority between the steps", "tree/priority-step")
    NO_TREE = ("fact", "", "", "a tree that is not stated", "tree/unstated")
    VLAN_NAME = ("fact", "", "", "the name of a VLAN, on all switches", "vlan-name")
    VLAN_NAMES = ("fact", "", "", "names in a switch's table", "vlan-names")
    VLAN_TYPE = ("fact", "", "", "what a VLAN is to private VLANs", "vlan-type")
    OWN_VLANS = ("fact", "", "", "VLANs a follower made itself", "sync/own")
