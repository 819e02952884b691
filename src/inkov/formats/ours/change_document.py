"""The shape of a change file: its steps, and what each may say."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, WithJsonSchema, model_validator

from inkov.formats.ours.campus_document import Names
from inkov.formats.ours.fields import (
    Document,
    Edge,
    Flag,
    IpField,
    Label,
    ListField,
    Number,
    OnOff,
    Title,
    VidField,
    VidOrUntagged,
    wrong,
)
from inkov.formats.ours.routing_document import FilterEntry, GatewayField, RouteEntry
from inkov.formats.ours.switch_document import OneKey
from inkov.formats.ours.tree_document import RegistrationEntry, SyncEntry
from inkov.model.tree import Protocol
from inkov.steps.settings import PORT_KEYS, SWITCH_KEYS, TreeChange

ONE_KEY = tuple(OneKey.model_fields)

PORT_FIELDS = (*PORT_KEYS, *ONE_KEY)
"""What a step may set at a port."""

TABLES = ("vlans", "gateways", "routes", "filters")
"""What a step may set entry by entry at a switch."""


class TreeStep(Document):
    """What changes of the tree of a switch, or of a port."""

    protocol: Literal["off", "stp", "rstp", "per-vlan", "mstp", "not stated"] | None = Field(
        None, description="Which trees a switch takes part in."
    )
    priority: Number | None = Field(None, description="Bridge priority, or port priority.")
    cost: Number | Literal["none"] | None = Field(None, description="Path cost of a port; none leaves it to its speed.")
    edge: Edge | Flag = Field(None, description="The port is an edge port; auto lets it find out.")

    @property
    def change(self) -> TreeChange:
        """What is set."""
        asked = {k: getattr(self, k) for k in ("priority", "cost") if getattr(self, k) is not None}
        asked |= {"cost": None} if self.cost == "none" else {}
        asked |= {"edge": self.edge} if "edge" in self.model_fields_set else {}
        if self.protocol is not None:
            asked["protocol"] = None if self.protocol == "not stated" else Protocol(self.protocol)
        return TreeChange(**asked)


class VlanStep(Document):
    """A VLAN as it is to be defined."""

    name: Label = ""
    state: Literal["active", "suspended"] = "active"
    type: Literal["primary", "isolated", "community"] | None = None
    primary: VidField | None = Field(None, description="The primary of a secondary.")


class RouteStep(RouteEntry):
    """A static route as it is to be; all routes to one prefix are set together."""

    via: IpField | Literal["drop", "none"] = Field(
        None, description="As in a switch file; none: no route to that prefix is left."
    )


class StepEntry(OneKey):
    """One step: settings `at` a place, or something that happens."""

    at: Names = Field([], description="A switch, or switch:ports; both may be patterns.")
    access: VidField | None = None
    voice: VidField | Literal["none"] | None = Field(None, description="The VLAN of phones; none takes it away.")
    native: VidField | Literal["none"] | None = Field(
        None, description="The VLAN of untagged frames; none for no such."
    )
    trunk: ListField | None = Field(None, description="The whole allowed list.")
    allow: ListField | None = Field(None, description="VLANs to add to the list.")
    disallow: ListField | None = Field(None, description="VLANs to take off the list.")
    enabled: Flag | None = None
    stance: Literal["silent", "passive", "active"] | None = None
    lacp: Literal["static", "passive", "active"] | None = Field(None, description="How a LAG forms.")
    label: Label | None = None
    lag: Label | None = Field(None, description="The LAG that the port is a member of; none takes it out.")
    mode: Literal["access", "trunk", "negotiated"] | None = Field(
        None, description="What a port that negotiates is from now on; or that it negotiates."
    )
    tags: Label | None = Field(None, description="The tag format, such as 802.1Q.")
    secondaries: ListField | None = Field(None, description="All that a promiscuous port is mapped to.")
    native_tagged: Flag | None = Field(None, description="The native VLAN of a trunk leaves tagged.")
    translate: Annotated[dict[VidField, VidField] | None, WithJsonSchema({"type": "object"})] = Field(
        None, description="On a trunk, tag on the wire to VLAN inside: all of them."
    )
    vlans: Annotated[dict[VidField, VlanStep | Label | None], WithJsonSchema({"type": "object"})] = Field(
        {}, description="VLANs to define: number to name, or to name and state; none removes it."
    )
    tree: TreeStep | None = None
    gateways: Annotated[dict[VidField, GatewayField | Literal["none"]], WithJsonSchema({"type": "object"})] = Field(
        {}, description="Addresses that the switch is to have: VLAN to address, as in its file; none removes it."
    )
    subinterfaces: Annotated[
        dict[VidOrUntagged, GatewayField | Literal["none"]], WithJsonSchema({"type": "object"})
    ] = Field({}, description="On a routed port: tag, or untagged, to address, as in a switch file; none removes it.")
    routing: Flag | Literal["not stated"] | None = Field(None, description="The switch routes between its gateways.")
    routes: list[RouteStep] = Field([], description="Static routes that the switch is to have.")
    filters: dict[Title, list[FilterEntry] | Literal["none"]] = Field(
        {}, description="Address filters that the switch is to have, whole; none removes one."
    )
    pruning: Flag | None = Field(None, description="The switch announces which VLANs it wants, and prunes.")
    registration: OnOff | RegistrationEntry | Literal["not stated"] | None = Field(
        None, description="Of a switch: on or off; of a port: what dynamic pruning may take off it."
    )
    sync: SyncEntry | Literal["none"] | None = Field(
        None, description="The group that the switch shares its table with."
    )
    replace: Label = Field("", description="A switch that another takes the place of, under its name.")
    with_: Label = Field("", description="The file of the switch that replaces it, of any format that is read.")
    add: Names = Field([], description="Files of devices that come.")
    cables: Names = Field([], description="How they are cabled, as in a campus file.")
    plug: Names = Field([], description="A host's port into which somebody plugs a switch of their own.")
    cut: Label = Field("", description="A cable, as switch:port - switch:port; one end is enough.")
    fail: Label = Field("", description="A device that fails.")

    @model_validator(mode="after")
    def _one_thing(self) -> StepEntry:
        said = self.model_fields_set
        first = [k for k in _FIRST if getattr(self, k)]
        if len(first) != 1:
            raise wrong(f"a step has one of {', '.join(map(repr, _FIRST[:-1]))} and {_FIRST[-1]!r}")
        (what,) = first
        if more := sorted(said - {what} - _WITH[what]):
            raise wrong(f"a step with {what!r} has no {more[0].strip('_')!r}")
        if len(kinds := sorted(said & {"access", "trunk", *ONE_KEY})) > 1 and said & {*ONE_KEY}:
            raise wrong(f"a port is one of {', '.join(map(repr, kinds))}")
        if what == "at" and len(said) == 1:
            raise wrong("a step 'at' a place needs something to change there")
        if what == "replace" and not self.with_:
            raise wrong("a step with 'replace' needs 'with': the file of what comes instead")
        return self


_FIRST = ("at", "replace", "add", "plug", "cut", "fail")
_WITH = {
    "at": frozenset({*PORT_FIELDS, *SWITCH_KEYS, *TABLES, "tree", "subinterfaces"}),
    "replace": frozenset({"with_"}),
    "add": frozenset({"cables"}),
    **dict.fromkeys(("plug", "cut", "fail"), frozenset[str]()),
}
"""What a step may be, and the keys that each may have besides."""


class ChangeDocument(Document):
    """A change: who does it from where, and its steps in order."""

    inkov: Literal["change"]
    name: Label = ""
    meant: Names = Field(
        [], description="What is meant to stop, in the words of claims, such as 'apart guests printers'."
    )
    from_: Label = Field(
        "", description="The host whose user does it; switches to be touched must stay in reach of it."
    )
    steps: list[StepEntry] = Field(min_length=1)
