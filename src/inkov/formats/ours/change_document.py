"""The shape of a change file: its steps, and what each may say."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, WithJsonSchema, model_validator

from inkov.formats.ours.campus_document import Names
from inkov.formats.ours.fields import Document, Flag, Label, ListField, Number, VidField, wrong
from inkov.formats.ours.routing_document import GatewayField
from inkov.formats.ours.switch_document import OneKey
from inkov.steps.settings import PORT_KEYS, TreeChange

ONE_KEY = tuple(OneKey.model_fields)

PORT_FIELDS = (*PORT_KEYS, *ONE_KEY)
"""What a step may set at a port."""


class TreeStep(Document):
    """What changes of the tree of a switch, or of a port."""

    priority: Number | None = Field(None, description="Bridge priority, or port priority.")
    cost: Number | None = Field(None, description="Path cost of a port.")
    edge: Flag | None = Field(None, description="The port is an edge port.")

    @property
    def change(self) -> TreeChange:
        """What is set."""
        set_ = ((k, getattr(self, k)) for k in ("priority", "cost", "edge"))
        return TreeChange(**{k: v for k, v in set_ if v is not None})


class VlanStep(Document):
    """A VLAN as it is to be defined."""

    name: Label = ""
    state: Literal["active", "suspended"] = "active"
    type: Literal["primary", "isolated", "community"] | None = None
    primary: VidField | None = Field(None, description="The primary of a secondary.")


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
    mode: Literal["access", "trunk"] | None = Field(None, description="What a port that negotiates is from now on.")
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
    "at": frozenset({*PORT_FIELDS, "vlans", "tree", "gateways"}),
    "replace": frozenset({"with_"}),
    "add": frozenset({"cables"}),
    **dict.fromkeys(("plug", "cut", "fail"), frozenset[str]()),
}
"""What a step may be, and the keys that each may have besides."""


class ChangeDocument(Document):
    """A change: who does it from where, and its steps in order."""

    inkov: Literal["change"]
    name: Label = ""
    from_: Label = Field(
        "", description="The host whose user does it; switches to be touched must stay in reach of it."
    )
    steps: list[StepEntry] = Field(min_length=1)
