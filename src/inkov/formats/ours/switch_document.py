"""The switch file as a document type. `docs/language.md` explains every key."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, model_validator

from inkov.formats.ours.fields import (
    Document,
    Edge,
    Flag,
    Label,
    ListField,
    Mac,
    Name,
    Number,
    OnOff,
    Speed,
    Title,
    VidField,
    VidOrNone,
    VidOrUntagged,
    VidOrZero,
    VlanList,
    one_or_more,
    wrong,
)
from inkov.formats.ours.routing_document import FilterEntry, GatewayField, RouteEntry
from inkov.formats.ours.tree_document import BridgeTreeEntry, PortTreeEntry, RegistrationEntry, SyncEntry
from inkov.model.vlanset import NONE


class VlanEntry(Document):
    """One VLAN of the table."""

    name: Label = ""
    state: Literal["active", "suspended", "absent"] = Field(
        "active", description="absent: the switch does not have it, as may be said of VLAN 1."
    )
    type: Literal["plain", "primary", "isolated", "community"] = Field(
        "plain", description="What it is to private VLANs (RFC 5517)."
    )
    primary: VidField | None = Field(None, description="The primary an isolated or community VLAN is tied to.")


class GeneralEntry(Document):
    """A port with sets of its own."""

    pvid: VidOrZero = Field(
        None, description="VLAN of untagged frames that arrive; 0: they stay in no VLAN, as in software switches."
    )
    untagged: ListField = Field(
        default_factory=lambda: VlanList(NONE, "none"), description="VLANs that leave untagged."
    )
    tagged: ListField = Field(default_factory=lambda: VlanList(NONE, "none"), description="VLANs that leave tagged.")
    frames: Literal["all", "tagged", "untagged", "not stated"] = Field("all", description="Frames that are admitted.")
    filtering: Flag | Literal["not stated"] = Field(True, description="Only VLANs the port is a member of may enter.")
    plain: Flag = Field(
        False, description="Frames in no VLAN leave here, too, as of software switches; pvid 0 lets them in."
    )

    @model_validator(mode="after")
    def _apart(self) -> GeneralEntry:
        both = self.untagged.vlans & self.tagged.vlans
        if both:
            raise wrong(f"VLAN {both} both tagged and untagged; a VLAN leaves one way")
        return self


class PrivateEntry(Document):
    """A station's port in a private VLAN."""

    primary: VidField
    secondary: VidField


class PromiscuousEntry(Document):
    """A port that all stations of a private VLAN reach."""

    primary: VidField
    secondaries: ListField


class TunnelEntry(Document):
    """A tunnel that looks at the tags inside."""

    vlan: VidField
    inside: ListField = Field(..., description="VLANs of frames inside that it takes and gives.")


def _tunnel(value: Any) -> Any:
    return value if isinstance(value, dict) else {"vlan": value, "inside": "all"}


TunnelField = Annotated[TunnelEntry, BeforeValidator(_tunnel, json_schema_input_type=TunnelEntry | VidField)]


KINDS = ("access", "trunk", "general", "private", "promiscuous", "tunnel")
"""Keys that say what kind of port it is; one of them, but for a negotiated port, which may have the first two."""


class OneKey(Document):
    """Keys of which one alone says all that a port is, in a switch file and in a change."""

    general: GeneralEntry | Literal["not stated"] | None = None
    private: PrivateEntry | None = None
    promiscuous: PromiscuousEntry | None = None
    tunnel: TunnelField | None = Field(None, description="Puts everything into this VLAN, tags and all.")


class Switched(OneKey):
    """What ports and LAGs have in common."""

    mode: Literal["access", "trunk", "negotiated", "routed"] | None = Field(
        None,
        description="negotiated: becomes a trunk or an access port; routed: relays nothing; else it follows from the keys.",
    )
    access: VidField | None = Field(None, description="An access port in this VLAN.")
    voice: VidField | None = Field(None, description="On an access port, the tagged VLAN of a phone.")
    trunk: ListField | None = Field(None, description="A trunk with this allowed list.")
    native: VidOrNone = Field(None, description="VLAN of untagged frames on a trunk, or none.")
    native_tagged: Flag = Field(False, description="The native VLAN leaves tagged; untagged frames are dropped.")
    translate: dict[VidField, VidField] = Field({}, description="On a trunk, tag on the wire to VLAN inside.")
    stance: Literal["silent", "passive", "active"] | None = Field(None, description="How it negotiates.")
    tags: Label = Field("802.1Q", description="Tag format: 802.1Q, another's name, or negotiated.")
    enabled: Flag | None = Field(None, description="false: shut down by the administrator.")
    label: Label = Field("", description="What an engineer wrote on the port.")
    edge: Edge = Field(
        None, description="An edge port forwards at once and must face a station; auto: it finds out by itself."
    )
    tree: PortTreeEntry | None = Field(None, description="How it takes part in the spanning tree.")
    registration: RegistrationEntry | None = Field(None, description="What dynamic pruning may take off it.")

    @model_validator(mode="after")
    def _one_kind(self) -> Switched:
        given = [k for k in KINDS if getattr(self, k) is not None]
        if len(given) > 1 and not (self.mode == "negotiated" and set(given) == {"access", "trunk"}):
            raise wrong(f"both {given[0]!r} and {given[1]!r}; a port is one of them")
        if len(set(self.translate.values())) < len(self.translate):
            raise wrong("two tags for one VLAN; 'translate' is one to one")
        return self


class PortEntry(Switched):
    """One port, or all ports of a pattern."""

    lag: Title | None = Field(None, description="Name of the LAG it is a member of.")
    speed: Speed | None = Field(None, description="100M, 1G, 10G and so on; the path cost follows from it.")
    subinterfaces: dict[VidOrUntagged, GatewayField] = Field(
        {}, description="On a router: tag, or untagged, to address with prefix length, or to a gateway's keys."
    )


class LagEntry(Switched):
    """One LAG; its members name it."""

    lacp: Literal["static", "passive", "active"] | None = Field(None, description="How it forms.")


class StartsAs(Document):
    """What a port of this switch is before anyone configures it."""

    mode: Literal["access", "trunk", "negotiated"] = "access"
    access: VidField = 1
    native: VidOrNone = None
    allowed: ListField | None = None
    stance: Literal["silent", "passive", "active"] = "silent"
    enabled: Flag = True
    edge: Edge = None


class Assume(Document):
    """What the platform does and its configuration does not say."""

    own_tag: Literal["accept", "drop"] | None = Field(None, description="An access port and its own VID as a tag.")
    native_outside_list: Literal["pass", "drop"] | None = Field(None, description="Untagged frames there.")
    tagged_native: Literal["accept", "drop"] | None = Field(None, description="A trunk and its native VLAN tagged.")
    uneven_link: Literal["run", "block"] | None = Field(
        None, description="A tree per VLAN, and a link whose natives differ or whose ends are of different kinds."
    )
    unstated_native: Literal["none"] | None = Field(
        None, description="none: a trunk whose native VLAN an export does not state has none."
    )
    without_effect: Annotated[list[Label], BeforeValidator(one_or_more, json_schema_input_type=list[Label] | Label)] = (
        Field([], description="Paths that Inkov does not follow and that have no effect here; * stands for any part.")
    )


Feature = Literal[
    "private-vlans", "tag-formats", "tunnels", "general-ports", "voice-vlans", "lacp", "trees-per-vlan", "mstp"
]
Lacks = Annotated[list[Feature], BeforeValidator(one_or_more, json_schema_input_type=list[Feature] | Feature)]


class LimitsEntry(Document):
    """How much a box can hold."""

    vid: VidField | None = Field(None, description="The highest VLAN number.")
    vlans: Number | None = Field(None, description="VLANs in its table.")
    lags: Number | None = Field(None, description="LAGs.")

    def model(self) -> dict[str, int]:
        """Returns what the model keeps: those that are stated."""
        return {k: v for k, v in (("vid", self.vid), ("vlans", self.vlans), ("lags", self.lags)) if v is not None}


class DomainEntry(Document):
    """A bridge of its own for one VLAN: the ports in it untagged, and those by a tag."""

    name: Label = ""
    untagged: Label = Field("", description="Ports, as a pattern.")
    tagged: dict[str, VidField] = Field({}, description="Port to the tag of its subinterface.")


def _vlan_entry(value: Any) -> Any:
    return {"name": value} if value is None or isinstance(value, str) else value


def _entry(value: Any) -> Any:
    return {} if value is None else value


def _table(value: Any) -> Any:
    return None if value == "as used" else _entry(value)


VlanTable = dict[
    VidField,
    Annotated[VlanEntry, BeforeValidator(_vlan_entry, json_schema_input_type=VlanEntry | str | int | float | None)],
]
PortTable = dict[str, Annotated[PortEntry, BeforeValidator(_entry, json_schema_input_type=PortEntry | None)]]
LagTable = dict[Title, Annotated[LagEntry, BeforeValidator(_entry, json_schema_input_type=LagEntry | None)]]


class SwitchDocument(Document):
    """One switch, router or unmanaged device."""

    inkov: Literal["switch"]
    name: Name
    kind: Literal["switch", "router", "unmanaged"] = "switch"
    mac: Mac | None = None
    rest: Literal["usual", "unknown"] = Field(
        "usual", description="What is left out is as usual, or not known, as of a device that was not asked for it."
    )
    overrides: Flag = Field(False, description="What this file states counts over what other files of the switch say.")
    saved: Flag = Field(
        False, description="This is what the switch has saved; another file of its name says what runs."
    )
    role: Label = Field("", description="What it is for, such as core or edge; switches of one role are alike.")
    starts_as: StartsAs = StartsAs()
    assume: Assume = Assume()
    lacks: Lacks = Field([], description="Features that the box does not have.")
    limits: LimitsEntry | None = Field(None, description="How much the box can hold.")
    not_followed: dict[Literal["frames", "packets", "addresses", "stops", "guards"], list[Label]] = Field(
        {},
        description="What else it is set to, in a file that Inkov does not follow there: what it may change, to paths.",
    )
    tree: BridgeTreeEntry = BridgeTreeEntry()
    pruning: Flag = Field(False, description="It announces which VLANs it wants, and prunes what nobody wants.")
    registration: OnOff | None = Field(
        None,
        description="VLANs come to its ports when devices beyond them declare some (GVRP, MVRP); else they do not.",
    )
    sync: SyncEntry | None = None
    domains: dict[VidField, DomainEntry] = Field(
        {}, description="Where each VLAN is a bridge of its own: VLAN to its ports; instead of a VLAN table."
    )
    gateways: dict[VidField, GatewayField] = Field(
        {}, description="VLAN to the switch's address in it, or to a gateway's keys."
    )
    routing: Flag | None = Field(None, description="It routes between its gateways; a router does without saying so.")
    learns_routes: Flag = Field(False, description="Routing protocols add routes that this file does not list.")
    routes: list[RouteEntry] = Field([], description="Static routes.")
    filters: dict[Title, list[FilterEntry]] = Field({}, description="Address filters by name: entries, first match.")
    vlans: Annotated[
        VlanTable | None,
        BeforeValidator(_table, json_schema_input_type=VlanTable | Literal["as used"] | None),
        Field(description="The VLAN table: number to name. 'as used': the box keeps no table."),
    ] = None
    ports: Annotated[PortTable, BeforeValidator(_entry, json_schema_input_type=PortTable | None)] = {}
    lags: Annotated[LagTable, BeforeValidator(_entry, json_schema_input_type=LagTable | None)] = {}
    neighbours: Annotated[dict[str, Label], BeforeValidator(_entry, json_schema_input_type=dict[str, Label] | None)] = (
        Field({}, description="What discovery heard: own port to 'switch port'.")
    )

    @model_validator(mode="after")
    def _table_stated(self) -> SwitchDocument:
        if self.domains and self.vlans is not None:
            raise wrong("both 'vlans' and 'domains'; a box has a table or bridges of their own")
        return self

    @property
    def adds(self) -> bool:
        """It adds to what other files say of the switch: it says nothing of the VLAN table, which every switch has."""
        return self.kind == "switch" and not self.domains and "vlans" not in self.model_fields_set
