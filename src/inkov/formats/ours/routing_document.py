"""Keys of switch files about layer 3: gateways, static routes and address filters."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import BeforeValidator, Field, model_validator

from inkov.formats.ours.fields import (
    Document,
    Flag,
    IpField,
    Label,
    Number,
    OwnAddress,
    PrefixField,
    PrefixOrAny,
    Title,
    one_or_more,
    wrong,
)
from inkov.model.routing import SUBNET_UNTOLD, Entry, Gateway, Route, gateway_key
from inkov.model.source import Source
from inkov.model.vlanset import Vid

NotTold: TypeAlias = Literal["IPv4", "IPv6", "filters", "subnet"]


def _of_address(value: Any) -> Any:
    return {"address": value} if isinstance(value, (str, list)) else value


class GatewayEntry(Document):
    """One gateway."""

    address: Annotated[
        list[OwnAddress], BeforeValidator(one_or_more, json_schema_input_type=list[OwnAddress] | OwnAddress)
    ]
    in_: Title | None = Field(None, description="The filter for packets that come in.")
    out: Title | None = Field(None, description="The filter for packets that go out.")
    enabled: Flag = True
    vrf: Label = Field("", description="The routing table it belongs to; without it, the usual one.")
    virtual: Annotated[list[IpField], BeforeValidator(one_or_more, json_schema_input_type=list[IpField] | IpField)] = (
        Field([], description="Addresses that it shares with the gateways of other devices, as a redundant pair does.")
    )
    not_told: Annotated[list[NotTold], BeforeValidator(one_or_more, json_schema_input_type=list[NotTold] | NotTold)] = (
        Field(
            [],
            description="What is not known of it: whether it has addresses of IPv4 or IPv6, its filters, its subnet. A walk does not tell.",
        )
    )

    label: Label = Field("", description="What its interface is called or labelled.")

    def model(self, vid: Vid | None, port: str, source: Source) -> Gateway:
        """Returns the gateway in a VLAN, or behind a port with a tag."""
        filters = (self.in_ or "", self.out or "")
        own = Gateway(vid, tuple(self.address), port, self.enabled, *filters, self.vrf, source, tuple(self.virtual))
        doubt = SUBNET_UNTOLD if "subnet" in self.not_told else ""
        said = bool(self.not_told or self.label)
        return replace(own, untold=tuple(self.not_told), doubt=doubt, label=self.label) if said else own


GatewayField = Annotated[
    GatewayEntry, BeforeValidator(_of_address, json_schema_input_type=GatewayEntry | list[str] | str)
]
"""A gateway, or no more than its address."""


class FilterEntry(Document):
    """One entry of an address filter; the first that matches a packet decides."""

    action: Literal["accept", "drop"]
    from_: PrefixOrAny = Field(None, description="Where packets come from; any when left out.")
    to: PrefixOrAny = Field(None, description="Where packets go; any when left out.")
    only: Label = Field("", description="What else must match, in words, such as 'tcp to 443'.")

    def model(self, source: Source) -> Entry:
        """Returns the entry."""
        return Entry(self.action == "accept", self.from_, self.to, self.only, source)


class RouteEntry(Document):
    """One static route."""

    to: PrefixField
    via: IpField | Literal["drop"] = Field(
        None, description="The next device's address; drop: packets end here; left out where 'onto' is all there is."
    )
    onto: Label = Field(
        "",
        description="The gateway that packets go out by: its VLAN, or its routed port, with the tag if there is one.",
    )
    metric: Number | None = Field(None, description="Of two routes to one prefix the lower counts.")
    vrf: Label = ""

    @model_validator(mode="after")
    def _leads(self) -> RouteEntry:
        if self.via is None and not self.onto:
            raise wrong("a route needs 'via': the next device's address, or drop")
        if self.via == "drop" and self.onto:
            raise wrong("a route that drops packets leads onto nothing")
        return self

    @property
    def out(self) -> str:
        """The `key` of the gateway that it leads out by; empty where none is named."""
        if not self.onto:
            return ""
        port, _, tag = self.onto.rpartition(" ")
        if not port and self.onto.isdecimal():
            return gateway_key("", int(self.onto))
        return gateway_key(port, int(tag)) if port and tag.isdecimal() else gateway_key(self.onto, None)

    def model(self, source: Source) -> Route:
        """Returns the route."""
        via = None if self.via == "drop" else self.via
        return Route(self.to, via, self.vrf, source, self.out, self.metric)
