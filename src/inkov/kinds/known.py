"""What is known of a switch, by topic."""

from __future__ import annotations

from inkov.model.sources import Topic
from inkov.model.switch import Switch, Unstated


def gave(switch: Switch) -> dict[Topic, str]:
    """Returns what is known of a switch, by topic, with how much in words."""
    ports = [p for p in switch.ports.values() if not p.is_lag]
    found: dict[Topic, str] = {}
    if switch.vlans is not None:
        found[Topic.VLANS] = f"{len(switch.vlans)} VLANs"
    if switch.ports:
        lags = len(switch.ports) - len(ports)
        found[Topic.PORTS] = f"{len(ports)} ports" + (f", {lags} LAGs" if lags else "")
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
