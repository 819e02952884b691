"""Keys of switch files about spanning tree, dynamic pruning and table sync, and what they make of the model."""

from __future__ import annotations

import hashlib
from typing import Literal

from pydantic import Field, model_validator

from inkov.formats.ours.fields import Document, Flag, Label, ListField, Name, Number, TreeNumber, VlanList, wrong
from inkov.model.tree import (
    ANY_REGISTRATION,
    BRIDGE_PRIORITY,
    PORT_PRIORITY,
    BridgeTree,
    PortTree,
    Protocol,
    Region,
    Registration,
    Sync,
    SyncRole,
)
from inkov.model.vlanset import ALL, NONE


class RegionEntry(Document):
    """The region of an MSTP switch."""

    name: Label
    revision: Number = 0
    instances: dict[TreeNumber, ListField] = Field({}, description="Instance to its VLANs; the rest are in instance 0.")

    @model_validator(mode="after")
    def _disjoint(self) -> RegionEntry:
        seen = NONE
        for entry in self.instances.values():
            if both := seen & entry.vlans:
                raise wrong(f"VLAN {both} in two instances; a VLAN is in one")
            seen |= entry.vlans
        return self


class BridgeTreeEntry(Document):
    """How the switch takes part in the spanning tree."""

    protocol: Literal["off", "stp", "rstp", "per-vlan", "mstp"] | None = Field(
        None, description="off; one tree for all VLANs (stp, rstp); one a VLAN; or one an instance (mstp)."
    )
    priority: Number = Field(
        BRIDGE_PRIORITY, description="Bridge priority, a multiple of 4096; the lowest is the root."
    )
    own: dict[TreeNumber, Number] = Field({}, description="Priority by VLAN or instance, where it differs.")
    costs: Literal["16-bit", "32-bit"] | None = Field(None, description="Scale of the path costs by speed.")
    region: RegionEntry | None = Field(None, description="With mstp: the region it belongs to.")

    @model_validator(mode="after")
    def _fits(self) -> BridgeTreeEntry:
        if self.region is not None and self.protocol != "mstp":
            raise wrong("'region' belongs to protocol mstp")
        for priority in (self.priority, *self.own.values()):
            if priority > 65535:
                raise wrong(f"{priority} is no bridge priority; expected 0 to 61440 in steps of 4096")
        return self

    def model(self) -> BridgeTree:
        """Returns what the model keeps."""
        region = None
        if (r := self.region) is not None:
            region = Region(r.name, r.revision, tuple((i, r.instances[i].vlans) for i in sorted(r.instances)))
        return BridgeTree(
            protocol=None if self.protocol is None else Protocol(self.protocol),
            priority=self.priority,
            own=self.own,
            wide=None if self.costs is None else self.costs == "32-bit",
            region=region,
        )


class OwnEntry(Document):
    """What a port says for one VLAN or instance."""

    cost: Number | None = None
    priority: Number | None = None


class PortTreeEntry(Document):
    """How a port takes part in the spanning tree."""

    cost: Number | None = Field(None, description="Path cost; by speed when left out.")
    priority: Number = Field(PORT_PRIORITY, description="Port priority.")
    number: Number | None = Field(None, description="Port number in the tree, which decides between equal ports.")
    run: Flag = Field(True, description="false: it neither sends nor heeds the tree's frames.")
    own: dict[TreeNumber, OwnEntry] = Field({}, description="Cost and priority by VLAN or instance.")

    @model_validator(mode="after")
    def _fits(self) -> PortTreeEntry:
        for cost in (self.cost, *(e.cost for e in self.own.values())):
            if cost is not None and not 1 <= cost <= 200_000_000:
                raise wrong(f"{cost} is no path cost; expected 1 to 200000000")
        for priority in (self.priority, *(e.priority for e in self.own.values())):
            if priority is not None and priority > 255:
                raise wrong(f"{priority} is no port priority; expected 0 to 240 in steps of 16")
        return self


def port_tree(entry: PortTreeEntry | None, edge: bool | None) -> PortTree:
    """Returns what the model keeps of a port's `tree` and `edge`."""
    if entry is None:
        return _PORT_TREES[edge]
    own = tuple((n, e.cost, e.priority) for n, e in sorted(entry.own.items()))
    return PortTree(edge, entry.cost, entry.priority, entry.number, entry.run, own)


_PORT_TREES = {edge: PortTree(edge) for edge in (None, True, False)}


class RegistrationEntry(Document):
    """What dynamic pruning may take off a port (802.1Q registration)."""

    normal: ListField = Field(
        default_factory=lambda: VlanList(ALL, "all"), description="May be pruned; the default VLAN never is."
    )
    fixed: ListField = Field(default_factory=lambda: VlanList(NONE, "none"), description="Always sent.")
    forbidden: ListField = Field(default_factory=lambda: VlanList(NONE, "none"), description="Never sent.")

    @model_validator(mode="after")
    def _one_way(self) -> RegistrationEntry:
        if both := self.fixed.vlans & self.forbidden.vlans:
            raise wrong(f"VLAN {both} both fixed and forbidden")
        return self


def registration(entry: RegistrationEntry | None) -> Registration:
    """Returns what the model keeps of `registration`."""
    return (
        ANY_REGISTRATION
        if entry is None
        else Registration(entry.normal.vlans - entry.fixed.vlans, entry.forbidden.vlans)
    )


class SyncEntry(Document):
    """The group a switch shares its VLAN table with."""

    group: Name
    role: Literal["author", "follower", "relay", "off"] = Field("follower", description="What it does with the table.")
    generation: Number | None = Field(None, description="Edit counter of its table; the highest wins.")
    secret: Label = Field("", description="Only its digest is kept and compared; it is never shown.")
    spread: ListField = Field(
        default_factory=lambda: VlanList(ALL, "all"), description="VLANs the group shares; others stay local."
    )
    private: Flag = Field(True, description="false: private VLANs are not shared.")

    def model(self) -> Sync:
        """Returns what the model keeps."""
        digest = hashlib.sha256(self.secret.encode("utf-8", "surrogatepass")).hexdigest() if self.secret else ""
        return Sync(self.group, SyncRole(self.role), self.generation, digest, self.spread.vlans, self.private)
