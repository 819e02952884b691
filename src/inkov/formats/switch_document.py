"""The switch file as a document type. `docs/language.md` explains every key."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, model_validator

from inkov.formats.fields import Document, Flag, Label, ListField, Mac, Name, VidField, VidOrNone, wrong


class VlanEntry(Document):
    """One VLAN of the table."""

    name: Label = ""
    state: Literal["active", "suspended"] = "active"


class Switched(Document):
    """What ports and LAGs have in common."""

    access: VidField | None = Field(None, description="An access port in this VLAN.")
    trunk: ListField | None = Field(None, description="A trunk with this allowed list.")
    native: VidOrNone = Field(None, description="VLAN of untagged frames on a trunk, or none.")
    enabled: Flag | None = Field(None, description="false: shut down by the administrator.")
    label: Label = Field("", description="What an engineer wrote on the port.")

    @model_validator(mode="after")
    def _one_mode(self) -> Switched:
        if self.access is not None and self.trunk is not None:
            raise wrong("both 'access' and 'trunk'; a port is one of them")
        return self


class PortEntry(Switched):
    """One port, or all ports of a pattern."""

    lag: Name | None = Field(None, description="Name of the LAG it is a member of.")


class LagEntry(Switched):
    """One LAG; its members name it."""


class StartsAs(Document):
    """What a port of this switch is before anyone configures it."""

    mode: Literal["access", "trunk"] = "access"
    access: VidField = 1
    native: VidOrNone = None
    allowed: ListField | None = None
    enabled: Flag = True


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
LagTable = dict[Name, Annotated[LagEntry, BeforeValidator(_entry, json_schema_input_type=LagEntry | None)]]


class SwitchDocument(Document):
    """One switch."""

    inkov: Literal["switch"]
    name: Name
    mac: Mac | None = None
    starts_as: StartsAs = StartsAs()
    vlans: Annotated[
        VlanTable | None,
        BeforeValidator(_table, json_schema_input_type=VlanTable | Literal["as used"] | None),
        Field(description="The VLAN table: number to name. 'as used': the box keeps no table."),
    ]
    ports: Annotated[PortTable, BeforeValidator(_entry, json_schema_input_type=PortTable | None)] = {}
    lags: Annotated[LagTable, BeforeValidator(_entry, json_schema_input_type=LagTable | None)] = {}
    neighbours: Annotated[dict[str, Label], BeforeValidator(_entry, json_schema_input_type=dict[str, Label] | None)] = (
        Field({}, description="What discovery heard: own port to 'switch port'.")
    )
