"""The campus file as a document type. `docs/language.md` explains every key."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, ConfigDict, Field, WithJsonSchema, model_validator

from inkov.formats.ours.fields import (
    Document,
    Flag,
    HostAddress,
    IpField,
    Label,
    ListField,
    Name,
    Number,
    PrefixField,
    VidField,
    VlanList,
    one_or_more,
    wrong,
)
from inkov.formats.ours.platform_document import SwitchesAre
from inkov.formats.ours.switch_document import Assume
from inkov.model.vlanset import NONE


def _nothing(value: Any) -> Any:
    return [] if value is None else value


def _nothing_map(value: Any) -> Any:
    return {} if value is None else value


Names = Annotated[list[Label], BeforeValidator(one_or_more, json_schema_input_type=list[Label] | Label)]


class HostEntry(Document):
    """One host; the same names are the columns of a CSV list."""

    name: Name
    port: Label = Field(description="switch:port")
    address: HostAddress = Field(None, description="With prefix length.")
    gateway: IpField = None
    mac: Label = ""
    tag: VidField | None = Field(None, description="The VID that it puts on its frames; without it, it does not tag.")


class SegmentEntry(Document):
    """One segment: at least one of its keys says which stations belong to it."""

    vlan: ListField | None = Field(None, description="The VLANs of the segment.")
    ports: Names = Field([], description="Its ports, as switch:pattern; without it, all in its VLANs.")
    hosts: Names = Field([], description="Its hosts by name; of their ports these hosts alone belong to it.")
    subnet: Annotated[
        list[PrefixField], BeforeValidator(one_or_more, json_schema_input_type=list[PrefixField] | PrefixField)
    ] = Field([], description="The addresses of its stations; alone, it stands for the VLANs of the gateways in it.")
    closed: Flag = Field(False, description="It is meant to have no gateway.")
    outside: Flag = Field(
        False,
        description="It is all that lies behind routes and routed ports that lead out of the campus; stands alone.",
    )

    @model_validator(mode="after")
    def _some_key(self) -> SegmentEntry:
        if self.outside:
            if self.model_fields_set != {"outside"}:
                raise wrong("a segment that is 'outside' has no other key")
            return self
        if self.vlan is None and not (self.ports or self.hosts or self.subnet):
            raise wrong("a segment needs 'vlan', 'ports', 'hosts', 'subnet' or 'outside: true'")
        return self


class ClaimEntry(Document):
    """One claim."""

    name: Label = Field("", description="What the claim is called in results.")
    apart: Names | None = Field(None, description="Segments that may never exchange a frame or packet, or all.")
    from_: Names = Field([], description="With one segment in 'apart': those it must be apart from.")
    except_: list[Names] = Field([], description="Pairs that may meet all the same.")
    only: Names | None = Field(None, description="Segments that may meet through the gateways of some devices alone.")
    through: Names = Field([], description="With 'only': those devices.")
    together: Names | None = Field(None, description="Segments or hosts that must reach each other.")
    layer: Annotated[Literal["2", "3"] | None, WithJsonSchema({"enum": [2, 3]})] = Field(
        None, description="2: frames alone; 3: packets by way of gateways alone; both when left out."
    )
    facing: Literal["honest", "hostile"] = Field("honest", description="What stations are taken to send.")
    surviving: Annotated[Literal["0", "1", "2"], WithJsonSchema({"type": "integer", "minimum": 0, "maximum": 2})] = (
        Field("0", description="Failures of cables or switches that must not part it.")
    )

    @property
    def kind(self) -> str:
        """Which of the three it is."""
        return "apart" if self.apart is not None else "only" if self.only is not None else "together"

    @model_validator(mode="after")
    def _one_kind(self) -> ClaimEntry:
        if sum(k is not None for k in (self.apart, self.only, self.together)) != 1:
            raise wrong("a claim has one of 'apart', 'only' and 'together'")
        belongs = {"apart": {"from_", "except_", "facing", "layer"}, "only": {"through", "facing"}}
        mine = belongs.get(self.kind, {"surviving", "layer"})
        for key in sorted((belongs["apart"] | belongs["only"] | {"surviving"}) - mine):
            if key in self.model_fields_set and getattr(self, key) not in ("honest", "0"):
                why = "; 'apart' holds under every failure" if (key, self.kind) == ("surviving", "apart") else ""
                raise wrong(f"{key.rstrip('_')!r} does not belong to {self.kind!r}{why}")
        names = self.apart or self.only or self.together or []
        if self.kind != "together" and names != ["all"] and len({*names, *self.from_}) < 2:
            raise wrong(f"{self.kind!r} needs two segments or more{', or all' if self.apart else ''}")
        if self.from_ and len(names) != 1:
            raise wrong("'from' goes with one segment in 'apart'")
        if self.only is not None and not self.through:
            raise wrong("'only' needs 'through', the devices whose gateways may join them")
        if any(len(pair) != 2 for pair in self.except_):
            raise wrong("'except' holds pairs such as [research, archive]")
        return self


def _of_name(value: Any) -> Any:
    return {"name": value} if isinstance(value, str) else value


class RegisterEntry(Document):
    """A VLAN of the register."""

    name: Label
    purpose: Label = ""
    where: Names = Field([], description="Switches or roles it may exist on, or patterns; anywhere when left out.")
    everywhere: Flag = Field(False, description="It must exist on all of them.")


class PlanEntry(Document):
    """What some ports are to be; the same names are the columns of a CSV list."""

    switch: Label = Field(description="A switch, or a pattern.")
    ports: Label = Field(description="Ports, as a pattern.")
    vlan: VidField | None = Field(None, description="Their VLAN.")
    voice: VidField | None = Field(None, description="The VLAN of phones in front of them.")
    label: Label = Field("", description="What is written on them.")


def _to_date(value: Any) -> Any:
    try:
        return date.fromisoformat(value)
    except (TypeError, ValueError):
        raise wrong(f"{value!r:.40} is not a date; expected one such as 2027-03-31") from None


Level = Annotated[
    Literal["breach", "outage", "risk", "tidy", "off"],
    WithJsonSchema({"enum": ["breach", "outage", "risk", "tidy", "off", False]}),  # as editors read a plain off
]


class RuleEntry(Document):
    """What the campus wants of a rule; keys besides the severity are options of the rule."""

    model_config = ConfigDict(extra="allow")
    __pydantic_extra__: dict[str, Number]

    severity: Level | None = None


def _of_severity(value: Any) -> Any:
    return {"severity": value} if isinstance(value, str) else value


class WaiverEntry(Document):
    """Findings that are not to be reported."""

    rule: Label = Field(description="Name of a rule, or a pattern such as native/*.")
    at: Label = Field("*", description="The place, or a pattern; either end of a link will do.")
    why: Label
    until: Annotated[date | None, BeforeValidator(_to_date)] = Field(None, description="The last day it holds.")
    owner: Label = ""


class Policy(Document):
    """What the campus wants of its switches, whether it works without or not."""

    negotiation: Literal["never"] | None = Field(None, description="No trunk is to form by negotiation.")


class CampusDocument(Document):
    """One campus."""

    inkov: Literal["campus"]
    name: Label
    switches: Names | None = Field(
        None, description="Files or patterns, relative to this file; without it, all files below its folder."
    )
    saved: Names = Field(
        [], description="Files or patterns that hold what switches have saved, where other files say what they run."
    )
    cables: Annotated[list[Label], BeforeValidator(_nothing, json_schema_input_type=list[Label] | None)] = Field(
        [], description="Cables: 'watchtower a1 - kelp-hall u1'."
    )
    hosts: Annotated[
        list[HostEntry] | str, BeforeValidator(_nothing, json_schema_input_type=list[HostEntry] | str | None)
    ] = Field([], description="Hosts, or the name of a CSV file that lists them.")
    keep: ListField = Field(
        default_factory=lambda: VlanList(NONE, "none"), description="VLANs that are never trimmed off a trunk."
    )
    parking: VidField | None = Field(None, description="The VLAN of ports nobody uses.")
    policy: Policy = Field(
        Policy(), description="What this campus wants of its switches, whether it works without or not."
    )
    register_: dict[
        VidField,
        Annotated[RegisterEntry, BeforeValidator(_of_name, json_schema_input_type=RegisterEntry | str)],
    ] = Field({}, description="The VLANs there are to be: number to name.")
    plan: list[PlanEntry] | str = Field(
        [], description="What ports are to be, or the name of a CSV file that lists it."
    )
    waive: list[WaiverEntry] = Field([], description="Findings that are not to be reported, with the reason.")
    rules: dict[str, Annotated[RuleEntry, BeforeValidator(_of_severity, json_schema_input_type=RuleEntry | Level)]] = (
        Field({}, description="Rule, or a pattern of rules, to the severity it has here, or off; or to its options.")
    )
    switches_are: dict[Label, SwitchesAre] = Field(
        {}, description="A switch, a role or a pattern, to what is true of these and their files do not say."
    )
    assume: Assume = Field(Assume(), description="Habits of platforms, where a switch says nothing of its own.")
    segments: Annotated[
        dict[Name, SegmentEntry],
        BeforeValidator(_nothing_map, json_schema_input_type=dict[Name, SegmentEntry] | None),
    ] = {}
    claims: Annotated[list[ClaimEntry], BeforeValidator(_nothing, json_schema_input_type=list[ClaimEntry] | None)] = []
