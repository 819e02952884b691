"""What is known of a switch, by topic."""

from __future__ import annotations

from inkov.kinds.table import unknown
from inkov.model.names import ports_text
from inkov.model.sources import Topic
from inkov.model.switch import Kind, Switch, Unstated


def gave(switch: Switch) -> dict[Topic, str]:
    """Returns what is known of a switch, by topic, with how much in words."""
    ports = [p for p in switch.ports.values() if not p.is_lag]
    found: dict[Topic, str] = {}
    if switch.vlans is not None:
        found[Topic.VLANS] = f"{len(switch.vlans)} VLAN{'s' if len(switch.vlans) != 1 else ''}"
    if switch.ports:
        lags = len(switch.ports) - len(ports)
        found[Topic.PORTS] = f"{len(ports)} port{'s' if len(ports) != 1 else ''}" + (
            f", {lags} LAG{'s' if lags > 1 else ''}" if lags else ""
        )
    logical = [p for p in switch.ports.values() if p.lag is None]
    stated = sum(not isinstance(p.switching, Unstated) for p in logical)
    if stated:
        found[Topic.MODES] = f"{stated} of {len(logical)}"
    stances = sum(p.stance is not None for p in logical)
    if stances:
        found[Topic.STANCES] = f"{stances} of {len(logical)}"
    if switch.tree.protocol is not None:
        found[Topic.TREE] = switch.tree.protocol.value
    if switch.heard:
        found[Topic.NEIGHBOURS] = str(len(switch.heard))
    if switch.gateways or switch.routing is not None:
        found[Topic.GATEWAYS] = str(len(switch.gateways))
    return found


def open_questions(switch: Switch) -> list[str]:
    """Returns what is not known of a switch, a sentence part each, with the ports it is about."""
    logical = [p for p in switch.ports.values() if p.lag is None]
    found: dict[str, list[str]] = {}
    for port in logical:
        fact = unknown(port)
        if fact:
            found.setdefault(fact, []).append(port.name)
        if port.stance is None and switch.kind is Kind.SWITCH:
            found.setdefault("how the port negotiates", []).append(port.name)
    said = [f"{fact}: {ports_text(names)}" for fact, names in found.items()]
    if switch.vlans is None and switch.kind is Kind.SWITCH:
        said.append("its VLAN table; a VLAN is taken to exist where a port is a member")
    if switch.tree.protocol is None and switch.kind is Kind.SWITCH:
        said.append("what spanning tree it runs")
    if not switch.gateways_stated:
        said.append("which addresses it has in VLANs")
    if switch.routing is None and switch.gateways:
        said.append("whether it routes")
    return said
