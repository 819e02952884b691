"""Steps that lead from one campus to another, as somebody would set them: the way back of a change."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping
from typing import Any, Final, TypeVar

from inkov.kinds.table import kind
from inkov.model.campus import Campus
from inkov.model.names import PortRef, ports_text
from inkov.model.routing import Prefix, Route
from inkov.model.switch import Access, Negotiated, Port, Switch, Switching, Trunk
from inkov.steps.settings import KEEP, PortChange, SwitchChange, TreeChange, words
from inkov.steps.steps import SetPorts, Step, set_switch

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")

_OF_PORT: Final = {
    "enabled": "enabled",
    "label": "label",
    "stance": "stance",
    "tags": "tag_format",
    "lag": "lag",
    "lacp": "lacp",
    "registration": "registration",
}
"""Settings of a step that are fields of a port, by the name of the setting."""

_OF_SWITCH: Final = {"routing": "routing", "pruning": "prunes", "registration": "registration", "sync": "sync"}


def between(now: Campus, then: Campus) -> list[Step]:
    """Returns steps of settings that bring one campus nearer to another, as near as steps can.

    Devices and ports that only one of them has, and cables, are left as they are.
    """
    both = [(switch, then.switches[name]) for name, switch in now.switches.items() if name in then.switches]
    return [step for a, b in both if a is not b for step in _of_switch(a, b)]


def _of_switch(now: Switch, then: Switch) -> Iterator[Step]:
    """Yields what is defined first, then what uses it; what goes, goes last."""
    vlans, gone = _parted(_changed(now.vlans or {}, then.vlans or {}) if then.vlans is not None else {})
    filters, no_filters = _parted(_changed(now.filters, then.filters))
    if vlans or filters:
        yield set_switch(now.name, vlans=vlans, filters=filters)
    alike: dict[PortChange, list[str]] = {}
    for name, port in now.ports.items():
        change = _of_port(port, then.ports.get(name, port))
        if change:
            alike.setdefault(change, []).append(name)
    for change, ports in alike.items():
        said = "" if change.switching is KEEP else kind(change.switching).words(change.switching)
        what = f"{now.name}:{ports_text(ports)}: {', '.join(filter(None, (said, words(change))))}"
        yield SetPorts(what=what, ports=tuple(PortRef(now.name, n) for n in ports), settings=change)
    gateways = _changed({g.key: g for g in now.gateways}, {g.key: g for g in then.gateways})
    routes = _changed(_by_prefix(now.routes), _by_prefix(then.routes))
    own = {k: getattr(then, f) for k, f in _OF_SWITCH.items() if getattr(now, f) != getattr(then, f)}
    settings = SwitchChange(**own, tree=_tree(now.tree, then.tree, ("protocol", "priority")))
    if gateways or routes or settings:
        whole = {key: some or () for key, some in routes.items()}
        yield set_switch(now.name, gateways=gateways, routes=whole, settings=settings)
    if gone or no_filters:
        yield set_switch(now.name, vlans=gone, filters=no_filters)


def _of_port(now: Port, then: Port) -> PortChange:
    if now is then:
        return PortChange()
    asked = {key: getattr(then, f) for key, f in _OF_PORT.items() if getattr(now, f) != getattr(then, f)}
    if isinstance(now.switching, Negotiated) and isinstance(then.switching, Access | Trunk):
        asked |= {"mode": "access" if isinstance(then.switching, Access) else "trunk", "stance": then.stance}
    return PortChange(
        **asked,
        **_switching(now.switching, then.switching),
        tree=_tree(now.tree, then.tree, ("cost", "priority", "edge")),
    )


def _switching(now: Switching, then: Switching) -> dict[str, Any]:
    """Returns what of a port's part in VLANs differs: of a trunk by its keys, of any other the whole."""
    if now == then:
        return {}
    if not (isinstance(now, Trunk) and isinstance(then, Trunk) and then.native_stated):
        return {"switching": then}
    keys = {"trunk": "allowed", "native": "native", "native_tagged": "native_tagged", "translate": "translate"}
    return {key: getattr(then, f) for key, f in keys.items() if getattr(now, f) != getattr(then, f)}


def _tree(now: object, then: object, names: tuple[str, ...]) -> Any:  # noqa: ANN401 - a change, or none
    asked = {name: getattr(then, name) for name in names if getattr(now, name) != getattr(then, name)}
    return TreeChange(**asked) if asked else KEEP


def _by_prefix(routes: tuple[Route, ...]) -> dict[tuple[str, Prefix], tuple[Route, ...]]:
    found: dict[tuple[str, Prefix], tuple[Route, ...]] = {}
    for route in routes:
        found[route.vrf, route.prefix] = (*found.get((route.vrf, route.prefix), ()), route)
    return found


def _changed(now: Mapping[K, V], then: Mapping[K, V]) -> dict[K, V | None]:
    return {key: then.get(key) for key in dict.fromkeys([*now, *then]) if now.get(key) != then.get(key)}


def _parted(changed: Mapping[K, V | None]) -> tuple[dict[K, V | None], dict[K, V | None]]:
    """Parts entries by whether they come, or go."""
    return {k: v for k, v in changed.items() if v is not None}, {k: v for k, v in changed.items() if v is None}
