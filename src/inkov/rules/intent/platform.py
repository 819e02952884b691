"""What a box can do: features it lacks, and how much it can hold."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from inkov.kinds.accounts import station_voice
from inkov.kinds.table import is_tunnel, mode_setting
from inkov.model.names import ports_text
from inkov.model.settings import Setting
from inkov.model.switch import DOT1Q, Lacp, Port, Switch, VlanType
from inkov.model.tree import Protocol
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import joined

_PRIVATE = "{500: {name: p, type: primary}, 501: {name: i, type: isolated, primary: 500}}"
_NEGOTIATING = {Lacp.ACTIVE, Lacp.PASSIVE}
_USES: Mapping[str, tuple[str, Callable[[Port], bool]]] = {
    "private-vlans": ("private VLANs", lambda p: mode_setting(p) in {Setting.PRIVATE, Setting.PROMISCUOUS}),
    "tag-formats": ("another tag format than 802.1Q", lambda p: p.tag_format != DOT1Q),
    "tunnels": ("tunnels", lambda p: is_tunnel(p.switching)),
    "general-ports": ("general ports", lambda p: mode_setting(p) is Setting.GENERAL),
    "voice-vlans": ("voice VLANs", lambda p: station_voice(p.switching) is not None),
    "lacp": ("LAGs that negotiate", lambda p: p.lacp in _NEGOTIATING),
}
"""Features, each in words and with what tells whether a port uses it."""

_TREES = {"trees-per-vlan": ("a tree per VLAN", Protocol.PER_VLAN), "mstp": ("MSTP", Protocol.MSTP)}


@rule(
    "platform/lacks",
    Severity.OUTAGE,
    looks_for="A switch whose configuration needs a feature that its box does not have, as `lacks` says.",
    why="The box refuses such a line, or takes it and does nothing. It shows on the day the configuration is loaded.",
    mend="Do without the feature there, or put a box that has it in its place.",
    breaks=Example(
        {
            "a.yaml": switch_text(
                "archive", _PRIVATE, "{1: {private: {primary: 500, secondary: 501}}}", lacks="private-vlans"
            )
        },
        place="archive",
    ),
    passes=Example({"a.yaml": switch_text("archive", "{500: p}", "{1: {access: 500}}", lacks="private-vlans")}),
)
def lacks(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and feature."""
    for switch in facts.network.switches.values():
        for feature in switch.lacks:
            used = _used(switch, feature)
            if used is None:
                continue
            words, where = used
            yield Fault(
                place=switch.name,
                what=f"{switch.name} is to use {words}{where}, which its box does not have.",
                evidence=(Evidence(f"lacks {feature}", switch.origin.of(Setting.LACKS)),),
                causes=(Cause(switch.name, Setting.LACKS, entry=feature),),
            )


def _used(switch: Switch, feature: str) -> tuple[str, str] | None:
    """Returns a feature in words, and where a switch uses it; None where it does not."""
    if feature in _TREES:
        words, protocol = _TREES[feature]
        return (words, "") if switch.tree.protocol is protocol else None
    words, uses = _USES[feature]
    ports = [p.name for p in switch.ports.values() if p.enabled and uses(p)]
    private = [v for v, e in (switch.vlans or {}).items() if e.type is not VlanType.PLAIN]
    if feature == "private-vlans" and private and not ports:
        return words, f" ({joined(map(str, private))})"
    return (words, f" at {ports_text(ports)}") if ports else None


@rule(
    "platform/limits",
    Severity.OUTAGE,
    looks_for="A switch with more VLANs or LAGs, or higher VLAN numbers, than its box can hold, as `limits` says.",
    why="What is beyond the limit is refused when the configuration is loaded, one line among hundreds.",
    mend="Take out what the switch does not need, or put a larger box in its place.",
    breaks=Example(
        {"a.yaml": switch_text("archive", "{310: tanks, 1310: tills}", "{1: {access: 310}}", limits="{vid: 1000}")},
        place="archive",
    ),
    passes=Example(
        {"a.yaml": switch_text("archive", "{310: tanks}", "{1: {access: 310}}", limits="{vid: 1000, vlans: 64}")}
    ),
)
def limits(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a switch and limit."""
    for switch in facts.network.switches.values():
        table = switch.vlans or {}
        lags = [p.name for p in switch.ports.values() if p.is_lag]
        over = {
            "vid": [str(v) for v in table if v > switch.limits.get("vid", v)],
            "vlans": [str(len(table))] if len(table) > switch.limits.get("vlans", len(table)) else [],
            "lags": [str(len(lags))] if len(lags) > switch.limits.get("lags", len(lags)) else [],
        }
        words = {"vid": "VLAN {}, and its box knows none above {}", "vlans": "{} VLANs, and its box holds {}"}
        for what, found in over.items():
            if found:
                said = words.get(what, "{} LAGs, and its box holds {}").format(joined(found), switch.limits[what])
                yield Fault(
                    place=switch.name,
                    what=f"{switch.name} has {said}.",
                    evidence=(Evidence(f"limits: {what} {switch.limits[what]}", switch.origin.of(Setting.LIMITS)),),
                    causes=(Cause(switch.name, Setting.LIMITS, entry=what),),
                )
