"""The campus file as a document type. `docs/language.md` explains every key."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, WithJsonSchema, model_validator

from inkov.formats.fields import Document, Label, ListField, Name, VidField, VlanList, wrong
from inkov.formats.switch_document import Assume
from inkov.model.vlanset import NONE


def _one_or_more(value: Any) -> Any:
    return [value] if isinstance(value, str) else value


def _nothing(value: Any) -> Any:
    return [] if value is None else value


def _nothing_map(value: Any) -> Any:
    return {} if value is None else value


Names = Annotated[list[Label], BeforeValidator(_one_or_more, json_schema_input_type=list[Label] | Label)]


class HostEntry(Document):
    """One host; the same names are the columns of a CSV list."""

    name: Name
    port: Label = Field(description="switch:port")
    address: Label = Field("", description="With prefix length.")
    gateway: Label = ""
    mac: Label = ""


class SegmentEntry(Document):
    """One segment."""

    vlan: ListField = Field(description="The VLANs of the segment.")


class ClaimEntry(Document):
    """One claim."""

    name: Label = Field("", description="What the claim is called in results.")
    apart: Names | None = Field(None, description="Segments that may never exchange a frame, or all.")
    except_: list[Names] = Field([], description="Pairs that may meet all the same.")
    together: Label | None = Field(None, description="Segment whose ports must reach each other.")

    facing: Literal["honest", "hostile"] = Field("honest", description="What stations are taken to send.")
    surviving: Annotated[Literal["0", "1", "2"], WithJsonSchema({"type": "integer", "minimum": 0, "maximum": 2})] = (
        Field("0", description="Failures of cables or switches that must not part it.")
    )

    @model_validator(mode="after")
    def _one_kind(self) -> ClaimEntry:
        if self.facing != "honest" and self.apart is None:
            raise wrong("'facing' belongs to 'apart'")
        if self.surviving != "0" and self.together is None:
            raise wrong("'surviving' belongs to 'together'; 'apart' holds under every failure")
        if (self.apart is None) == (self.together is None):
            raise wrong("a claim has either 'apart' or 'together'")
        if self.except_ and self.apart is None:
            raise wrong("'except' belongs to 'apart'")
        if self.apart is not None and self.apart != ["all"] and len(set(self.apart)) < 2:
            raise wrong("'apart' needs two segments or more, or all")
        if any(len(pair) != 2 for pair in self.except_):
            raise wrong("'except' holds pairs such as [research, archive]")
        return self


class CampusDocument(Document):
    """One campus."""

    inkov: Literal["campus"]
    name: Label
    switches: Names | None = Field(
        None, description="Files or patterns, relative to this file; without it, all files below its folder."
    )
    cables: Annotated[list[Label], BeforeValidator(_nothing, json_schema_input_type=list[Label] | None)] = Field(
        [], description="Cables: 'watchtower a1 - kelp-hall u1'."
    )
    hosts: Annotated[
        list[HostEntry] | str, BeforeValidator(_nothing, json_schema_input_type=list[HostEntry] | str | None)
    ] = Field([], description="Hosts, or the name of a CSV file that lists them.")
    keep: ListField = Field(VlanList(NONE, "none"), description="VLANs that are never trimmed off a trunk.")
    parking: VidField | None = Field(None, description="The VLAN of ports nobody uses.")
    assume: Assume = Field(Assume(), description="Habits of platforms, where a switch says nothing of its own.")
    segments: Annotated[
        dict[Name, SegmentEntry],
        BeforeValidator(_nothing_map, json_schema_input_type=dict[Name, SegmentEntry] | None),
    ] = {}
    claims: Annotated[list[ClaimEntry], BeforeValidator(_nothing, json_schema_input_type=list[ClaimEntry] | None)] = []
