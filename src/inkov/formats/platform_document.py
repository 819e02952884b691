"""Keys about what a box can do, and what the campus file states of boxes that cannot say it themselves."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Literal

from pydantic import Field

from inkov.formats.fields import Document, Edge, Flag, Label, VidField, port_names
from inkov.formats.switch_document import Assume, Lacks, LimitsEntry
from inkov.formats.switch_file import habits
from inkov.formats.tree_document import BridgeTreeEntry
from inkov.kinds.table import with_voice, without_native
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Port, Stance, Switch


class SwitchesAre(Document):
    """What is true of some switches and their files cannot say, or do not."""

    role: Label = Field("", description="What they are for; switches of one role are alike.")
    tree: BridgeTreeEntry | None = Field(None, description="How they take part in the spanning tree.")
    stance: Literal["silent", "passive", "active"] | None = Field(None, description="How their ports negotiate.")
    routing: Flag | None = Field(None, description="Whether they route between their VLANs, where nothing says so.")
    edge: Edge = Field(None, description="Whether their access ports are edge ports.")
    voice: dict[Label, VidField] = Field({}, description="Ports, as a pattern, to the VLAN of phones in front of them.")
    lacks: Lacks = Field([], description="Features that the boxes do not have.")
    limits: LimitsEntry | None = Field(None, description="How much the boxes can hold.")
    assume: Assume | None = Field(None, description="Habits of their platform.")


def stated(switch: Switch, entry: SwitchesAre, places: Mapping[str, Source]) -> Switch:
    """Returns a switch with what the campus file states of it; what its own file says stays as it is.

    Args:
        switch: as its file has it.
        entry: what the campus file says.
        places: where it says so, by key.
    """
    origin = switch.origin
    if entry.role and not switch.role:
        switch, origin = replace(switch, role=entry.role), origin.also({Setting.ROLE: places["role"]})
    if entry.tree is not None and switch.tree.protocol is None:
        switch = replace(switch, tree=entry.tree.model())
        origin = origin.also({Setting.TREE_PROTOCOL: places["tree"], Setting.TREE_PRIORITY: places["tree"]})
    if entry.routing is not None and switch.routing is None:
        switch, origin = replace(switch, routing=entry.routing), origin.also({Setting.ROUTING: places["routing"]})
    if entry.assume is not None:
        own, unstated = habits(entry.assume)
        kept = {n: getattr(switch.habits if n not in switch.unstated_habits else own, n) for n in own.__slots__}
        switch = replace(switch, habits=replace(own, **kept), unstated_habits=switch.unstated_habits & unstated)
        if entry.assume.unstated_native == "none" and not origin.tells(Setting.NATIVE):
            switch = replace(switch, ports={n: without_native(p) for n, p in switch.ports.items()})
    phones = {name: vid for pattern, vid in entry.voice.items() for name in port_names(pattern)}
    ports = {n: _port(p, entry, phones.get(n), places) for n, p in switch.ports.items()}
    return replace(
        switch,
        ports=ports if any(ports[n] is not p for n, p in switch.ports.items()) else switch.ports,
        lacks=tuple(dict.fromkeys((*switch.lacks, *entry.lacks))),
        limits={**(entry.limits.model() if entry.limits else {}), **switch.limits},
        origin=origin.also({Setting.LACKS: places["lacks"]} if entry.lacks and not switch.lacks else {}).also(
            {Setting.LIMITS: places["limits"]} if entry.limits and not switch.limits else {}
        ),
    )


def _port(port: Port, entry: SwitchesAre, voice: int | None, places: Mapping[str, Source]) -> Port:
    if entry.stance is not None and port.stance is None:
        port = replace(port, stance=Stance(entry.stance), origin=port.origin.also({Setting.STANCE: places["stance"]}))
    if entry.edge is not None and port.tree.edge is None:
        port = replace(
            port, tree=replace(port.tree, edge=entry.edge), origin=port.origin.also({Setting.EDGE: places["edge"]})
        )
    if voice is not None and (made := with_voice(port, voice)) is not port:
        port = replace(made, origin=made.origin.also({Setting.VOICE: places["voice"]}))
    return port
