"""A switch in our language. What is not known of it is left out, which the file says, and listed in comments at its top."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterator, Mapping
from typing import Any

from inkov.formats.ours.fields import port_patterns
from inkov.kinds.known import open_questions
from inkov.kinds.spell import domains, keys
from inkov.kinds.table import subinterfaces
from inkov.model.habits import habit_stated
from inkov.model.names import natural
from inkov.model.routing import Entry, Gateway, Route
from inkov.model.settings import Setting
from inkov.model.source import Touches
from inkov.model.switch import ALL_HABITS, DEFAULT_VLAN, DOT1Q, Kind, Port, Switch, Vlan, VlanType
from inkov.model.tree import (
    ANY_REGISTRATION,
    BRIDGE_PRIORITY,
    NO_PORT_TREE,
    PORT_PRIORITY,
    BridgeTree,
    PortTree,
    Registration,
    Sync,
)
from inkov.model.vlanset import ALL
from inkov.model.yamltext import Dumper, dumped


def text(switch: Switch) -> str:
    """Returns a switch file that reads back as the switch."""
    said = [f"# not known: {_plain(what)}" for what in open_questions(switch)]
    if switch.sync is not None and switch.sync.secret:
        said.append("# left out: the secret of its sync group, of which only a digest is kept")
    document = dict(_document(switch))
    body = dumped(document, width=116)
    return "\n".join([*said, body]) if said else body


def file_name(switch: Switch, taken: set[str]) -> str:
    """Returns a name for the file of a switch that is one part of a path and not taken; adds it to those taken."""
    stem = "".join(c if c.isalnum() or c in "-_." else "-" for c in switch.name).strip(".") or "switch"
    name, n = stem[:200], 2
    while name.casefold() in taken:
        name, n = f"{stem[:190]}-{n}", n + 1
    taken.add(name.casefold())
    return name


class Line(dict[Any, Any]):
    """A mapping in one line."""


Dumper.add_representer(
    Line, lambda dumper, data: dumper.represent_mapping("tag:yaml.org,2002:map", dict(data).items(), flow_style=True)
)


def _plain(text: str) -> str:
    return json.dumps(text, ensure_ascii=True)[1:-1] if not text.isprintable() else text


def _name(text: str) -> str:
    """Returns a name that the language can hold: without blanks and colons."""
    return "".join("-" if c.isspace() or c == ":" or not c.isprintable() else c for c in text) or "switch"


def _document(switch: Switch) -> Iterator[tuple[str, Any]]:
    yield "inkov", "switch"
    yield "name", _name(switch.name)
    if switch.kind is not Kind.SWITCH:
        yield "kind", switch.kind.value
    yield "rest", "unknown"
    if switch.registration is not None and switch.kind is Kind.SWITCH:
        yield "registration", switch.registration
    stated = sorted(ALL_HABITS - switch.unstated_habits)
    said: dict[str, Any] = {
        "mac": switch.mac,
        "role": switch.role,
        "assume": Line(
            {k: v for n in stated for k, v in habit_stated(n, getattr(switch.habits, n)).items()}
            | ({"without-effect": list(switch.without_effect)} if switch.without_effect else {})
        ),
        "not-followed": {
            what.value: list(dict.fromkeys(paths))
            for what in Touches
            if (paths := [t.path for t in switch.touches if t.touches is what])
        },
        "lacks": list(switch.lacks),
        "limits": Line(switch.limits),
        "tree": _tree(switch.tree),
        "pruning": switch.prunes,
        "sync": sync_keys(switch.sync) if switch.sync else {},
    }
    yield from ((key, value) for key, value in said.items() if value)
    yield from _layer3(switch)
    yield from _vlans(switch)
    yield from _ports(switch)
    heard = {
        h.port: f"{_name(h.system or h.chassis)} {h.far_port}".strip() for h in switch.heard if h.system or h.chassis
    }
    if heard:
        yield "neighbours", heard


def _tree(tree: BridgeTree) -> dict[str, Any]:
    found: dict[str, Any] = {} if tree.protocol is None else {"protocol": tree.protocol.value}
    if tree.priority != BRIDGE_PRIORITY:
        found["priority"] = tree.priority
    if tree.own:
        found["own"] = Line(tree.own)
    if tree.wide is not None:
        found["costs"] = "32-bit" if tree.wide else "16-bit"
    if tree.region is not None:
        region: dict[str, Any] = {"name": tree.region.name, "revision": tree.region.revision}
        found["region"] = region | {"instances": {n: str(some) for n, some in tree.region.instances}}
    return found


def sync_keys(sync: Sync) -> dict[str, Any]:
    """Returns a sync group as a switch file has it, but for its secret."""
    found: dict[str, Any] = {"group": sync.group, "role": sync.role.value}
    if sync.generation is not None:
        found["generation"] = sync.generation
    if sync.spread != ALL:
        found["spread"] = str(sync.spread)
    return Line(found if sync.private else {**found, "private": False})


def _layer3(switch: Switch) -> Iterator[tuple[str, Any]]:
    own = {g.vid: gateway_keys(g) for g in switch.gateways if not g.port and g.vid is not None}
    if own or switch.gateways_stated:
        yield "gateways", own
    if switch.routing is not None and not (switch.kind is Kind.ROUTER and switch.routing):
        yield "routing", switch.routing
    if switch.learns:
        yield "learns-routes", True
    if switch.routes:
        yield "routes", [Line(route_keys(r)) for r in switch.routes]
    if switch.filters:
        yield "filters", {name: [entry_keys(e) for e in f.entries] for name, f in switch.filters.items()}


def gateway_keys(gateway: Gateway) -> dict[str, Any]:
    """Returns a gateway as a switch file has it."""
    found: dict[str, Any] = {"address": [str(a) for a in gateway.addresses]}
    more = {"in": gateway.inward, "out": gateway.outward, "vrf": gateway.vrf}
    found |= {key: value for key, value in more.items() if value}
    if not gateway.enabled:
        found["enabled"] = False
    if gateway.virtual:
        found["virtual"] = [str(ip) for ip in gateway.virtual]
    if gateway.untold:
        found["not-told"] = list(gateway.untold)
    if gateway.label:
        found["label"] = gateway.label
    return Line(found)


def route_keys(route: Route) -> dict[str, Any]:
    """Returns a static route as a switch file has it."""
    port, vid = route.onto or ("", None)
    return {
        "to": str(route.prefix),
        **({"via": "drop"} if route.drops else {"via": str(route.via)} if route.via else {}),
        **({"onto": f"{port} {vid or ''}".strip()} if route.out else {}),
        **({} if route.metric is None else {"metric": route.metric}),
        **({"vrf": route.vrf} if route.vrf else {}),
    }


def entry_keys(entry: Entry) -> dict[str, Any]:
    """Returns an entry of an address filter as a switch file has it."""
    found: dict[str, Any] = {"action": "accept" if entry.accepts else "drop"}
    for key, value in (("from", entry.origin), ("to", entry.target), ("only", entry.only)):
        if value:
            found[key] = str(value)
    return Line(found)


def _vlans(switch: Switch) -> Iterator[tuple[str, Any]]:
    bridges: dict[int, dict[str, Any]] = {}
    for port in switch.ports.values():
        found = domains(port.switching)
        if found is not None:
            untagged, tagged = found
            if untagged is not None:
                bridges.setdefault(untagged, {}).setdefault("untagged", []).append(port.name)
            for tag, domain in tagged.items():
                bridges.setdefault(domain, {}).setdefault("tagged", {})[port.name] = tag
    if bridges:
        names = switch.vlans or {}
        yield (
            "domains",
            {v: {"name": names[v].name if v in names else "", **_bridge(b)} for v, b in sorted(bridges.items())},
        )
    elif switch.vlans is None:
        if switch.kind is Kind.SWITCH:
            yield "vlans", "as used"
    else:
        absent = switch.default_vlan_listed and DEFAULT_VLAN not in switch.vlans
        default = {DEFAULT_VLAN: Line(state="absent")} if absent else {}
        yield "vlans", default | {v: vlan_entry(entry) for v, entry in switch.vlans.items()}


def _bridge(bridge: Mapping[str, Any]) -> dict[str, Any]:
    return {**bridge, "untagged": ",".join(bridge["untagged"])} if "untagged" in bridge else dict(bridge)


def vlan_entry(entry: Vlan) -> Any:
    """Returns a VLAN of the table as a switch file has it."""
    if entry.active and entry.type is VlanType.PLAIN and entry.primary is None:
        return entry.name
    found: dict[str, Any] = {"name": entry.name}
    found |= {} if entry.active else {"state": "suspended"}
    found |= {} if entry.type is VlanType.PLAIN else {"type": entry.type.value}
    return Line(found if entry.primary is None else {**found, "primary": entry.primary})


# -- ports -------------------------------------------------------------------------------------------


def _ports(switch: Switch) -> Iterator[tuple[str, Any]]:
    ports: dict[str, list[str]] = defaultdict(list)
    entries: dict[str, dict[str, Any]] = {}
    lags: dict[str, Any] = {}
    behind: dict[str, list[Gateway]] = defaultdict(list)
    for gateway in switch.gateways:
        behind[gateway.port].append(gateway)
    for port in switch.ports.values():
        entry = _port(port, behind.get(port.name, []))
        if port.is_lag:
            lags[port.name] = Line(entry)
        else:
            shown = json.dumps(entry, sort_keys=True, default=str) + (port.name if behind.get(port.name) else "")
            ports[shown].append(port.name)
            entries[shown] = entry
    made: dict[str, Any] = {}
    for shown, names in sorted(ports.items(), key=lambda item: natural(item[1][0])):
        for pattern in port_patterns(names):
            made[pattern] = Line(entries[shown])
    if made:
        yield "ports", made
    if lags:
        yield "lags", lags


def _port(port: Port, gateways: list[Gateway]) -> dict[str, Any]:
    found = keys(port.switching)
    tags = subinterfaces(port.switching)
    if tags is not None:
        own = {g.vid: g for g in gateways}
        found["subinterfaces"] = {"untagged" if t is None else t: gateway_keys(own[t]) for t in tags if t in own}
        if not found["subinterfaces"]:
            found = {"mode": "routed"}
    for key, value, usual in (
        ("label", port.label, ""),
        ("lag", port.lag, None),
        ("enabled", port.enabled, True),
        ("stance", port.stance.value if port.stance else None, None),
        ("tags", port.tag_format, DOT1Q),
        ("lacp", port.lacp.value if port.lacp else None, None),
        ("speed", _speed(port.speed), None),
    ):
        if value != usual:
            found[key] = value
    if port.tree.edge is not None or port.origin.states(Setting.EDGE):
        found["edge"] = "auto" if port.tree.edge is None else port.tree.edge
    if tree := _port_tree(port.tree):
        found["tree"] = Line(tree)
    if port.registration != ANY_REGISTRATION:
        found["registration"] = registration_keys(port.registration)
    return found


def registration_keys(own: Registration) -> dict[str, Any]:
    """Returns what may be pruned at a port as a switch file has it."""
    fixed = ALL - own.normal - own.forbidden
    return Line(normal=str(own.normal), fixed=str(fixed), forbidden=str(own.forbidden))


def _speed(speed: int) -> str | None:
    if not speed:
        return None
    for unit, size in (("T", 1_000_000), ("G", 1000)):
        if speed >= size:
            whole, rest = divmod(speed, size)
            if rest * 10 % size == 0 and whole < 10_000:
                return f"{whole}{f'.{rest * 10 // size}' if rest else ''}{unit}"
    return f"{speed}M" if speed < 10_000 else None


def _port_tree(tree: PortTree) -> dict[str, Any]:
    if tree == PortTree(edge=tree.edge) or tree == NO_PORT_TREE:
        return {}
    found: dict[str, Any] = {}
    if tree.cost is not None:
        found["cost"] = tree.cost
    if tree.priority != PORT_PRIORITY:
        found["priority"] = tree.priority
    if tree.number is not None:
        found["number"] = tree.number
    if not tree.runs:
        found["run"] = False
    if tree.own:
        found["own"] = {
            n: {k: v for k, v in (("cost", cost), ("priority", priority)) if v is not None}
            for n, cost, priority in tree.own
        }
    return found
