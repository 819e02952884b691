"""Keys about what a box can do, and what the campus file states of boxes that cannot say it themselves."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

from pydantic import Field

from inkov.formats.ours.fields import Document, Edge, Flag, Label, OnOff, VidField, port_names
from inkov.formats.ours.switch_document import Assume, Lacks, LimitsEntry
from inkov.formats.ours.switch_file import habits
from inkov.formats.ours.tree_document import BridgeTreeEntry
from inkov.kinds.accounts import with_voice, without_native
from inkov.model import facts
from inkov.model.settings import Setting
from inkov.model.source import Source
from inkov.model.switch import Port, Stance, Switch


class SwitchesAre(Document):
    """What is true of some switches and their files cannot say, or do not."""

    role: Label = Field("", description="What they are for; switches of one role are alike.")
    tree: BridgeTreeEntry | None = Field(None, description="How they take part in the spanning tree.")
    stance: Literal["silent", "passive", "active"] | None = Field(None, description="How their ports negotiate.")
    routing: Flag | None = Field(None, description="Whether they route between their VLANs, where nothing says so.")
    registration: OnOff | None = Field(
        None, description="Whether VLANs come to their ports by registration (GVRP, MVRP), where nothing says so."
    )
    edge: Edge = Field(None, description="Whether their access ports are edge ports.")
    voice: dict[Label, VidField] = Field({}, description="Ports, as a pattern, to the VLAN of phones in front of them.")
    lacks: Lacks = Field([], description="Features that the boxes do not have.")
    limits: LimitsEntry | None = Field(None, description="How much the boxes can hold.")
    assume: Assume | None = Field(None, description="Habits of their platform.")


At = Callable[[str], Source]
"""Returns where the campus file states a key."""


def stated(switch: Switch, entry: SwitchesAre, known: set[str], at: At) -> Switch:
    """Returns a switch with what the campus file states of it; what is stated already stays as it is.

    Args:
        switch: as its file has it.
        entry: what the campus file says.
        known: the keys of the table of facts that are stated; those that this states are added to it.
        at: where it says so.
    """
    places: dict[Setting, Source] = {}
    values: dict[str, Any] = {}
    for fact in facts.SWITCH:
        if fact.field in _SAME and fact.setting.key not in known and fact.field in entry.model_fields_set:
            values[fact.field], places[fact.setting] = getattr(entry, fact.field), at(fact.field)
    if entry.tree is not None:
        model = entry.tree.model()
        for fact in facts.TREE:
            key = fact.setting.key
            if key not in known and key.rpartition("/")[2] in entry.tree.model_fields_set:
                values["tree"] = replace(values.get("tree", switch.tree), **{fact.field: getattr(model, fact.field)})
                places[fact.setting] = at("tree")
    known |= {s.key for s in places}
    if entry.lacks and not switch.lacks:
        places[Setting.LACKS] = at("lacks")
    if entry.limits and not switch.limits:
        places[Setting.LIMITS] = at("limits")
    if entry.assume is not None:
        own, unstated = habits(entry.assume)
        kept = {n: getattr(switch.habits if n not in switch.unstated_habits else own, n) for n in own.__slots__}
        values |= {"habits": replace(own, **kept), "unstated_habits": switch.unstated_habits & unstated}
        values["without_effect"] = (*switch.without_effect, *entry.assume.without_effect)
        if entry.assume.unstated_native == "none" and not switch.origin.tells(Setting.NATIVE):
            switch = replace(switch, ports={n: without_native(p) for n, p in switch.ports.items()})
    phones = {name: vid for pattern, vid in entry.voice.items() for name in port_names(pattern)}
    ports = {n: _port(p, entry, phones.get(n), at) for n, p in switch.ports.items()}
    return replace(
        switch,
        **values,
        ports=ports if any(ports[n] is not p for n, p in switch.ports.items()) else switch.ports,
        lacks=tuple(dict.fromkeys((*switch.lacks, *entry.lacks))),
        limits={**(entry.limits.model() if entry.limits else {}), **switch.limits},
        origin=switch.origin.also(places) if places else switch.origin,
    )


_SAME = frozenset({"role", "routing", "registration"})
"""Facts that a switch has one value of, and that the campus file states by the same name."""


def _port(port: Port, entry: SwitchesAre, voice: int | None, at: At) -> Port:
    if entry.stance is not None and port.stance is None:
        port = replace(port, stance=Stance(entry.stance), origin=port.origin.also({Setting.STANCE: at("stance")}))
    if entry.edge is not None and port.tree.edge is None and not port.origin.states(Setting.EDGE):
        tree = replace(port.tree, edge=entry.edge)
        port = replace(port, tree=tree, origin=port.origin.also({Setting.EDGE: at("edge")}))
    if voice is not None and (made := with_voice(port, voice)) is not port:
        port = replace(made, origin=made.origin.also({Setting.VOICE: at("voice")}))
    return port
