"""Steps as a change file that is read back before anybody gets it."""

from __future__ import annotations

from collections.abc import Iterable
from enum import Enum
from typing import Any, assert_never

from inkov.formats.ours.change_file import of_text
from inkov.formats.ours.fields import port_pattern
from inkov.formats.ours.switch_writer import entry_keys, gateway_keys, registration_keys, route_keys, sync_keys
from inkov.formats.reading import Reading
from inkov.kinds.spell import step_keys
from inkov.kinds.table import kind
from inkov.model.errors import BadInput
from inkov.model.routing import of_key
from inkov.model.switch import Vlan, VlanType
from inkov.model.tree import Registration, Sync
from inkov.model.vlanset import ALL, VlanSet
from inkov.model.yamltext import dumped
from inkov.steps.settings import KEEP, PortChange, TreeChange
from inkov.steps.steps import Arrival, Cut, Fail, SetPorts, SetSwitch, Step


class CannotWrite(ValueError):
    """A change file has no words for a step; the message says for what."""


def written(steps: Iterable[Step], name: str) -> str:
    """Returns steps as a change file that was read back.

    Args:
        steps: those of ports and switches.
        name: what the change is called.

    Raises:
        CannotWrite: a change file has no words for one.
        BadInput: a change file cannot hold them.
    """
    entries = [f"  - {dumped(entry, flow=True, width=100_000)}" for step in steps for entry in _entries(step)]
    made = dumped({"inkov": "change", "name": name}) + "steps:\n" + "".join(entries)
    of_text(made, Reading("the change"))
    return made


def can_be_written(step: Step) -> bool:
    """Tells whether a change file has words for a step."""
    try:
        written([step], "")
    except (CannotWrite, BadInput):
        return False
    return True


def _entries(step: Step) -> Iterable[dict[str, Any]]:
    match step:
        case SetPorts(ports=ports, settings=settings):
            where = [f"{r.switch}:{port_pattern(r.port)}" for r in ports]
            yield {"at": where if len(where) > 1 else where[0], **_of_ports(settings)}
        case SetSwitch():
            yield from _of_switch(step)
        case Cut() | Fail() | Arrival():
            raise CannotWrite(f"{step.what}: this only happens")
        case _:
            assert_never(step)


def _of_ports(settings: PortChange) -> dict[str, Any]:
    made = {k.replace("_", "-"): _plain(v) for k, v in settings.items() if k != "switching"}
    if settings.switching is KEEP:
        return made
    if (whole := step_keys(settings.switching)) is None:
        raise CannotWrite(f"{kind(settings.switching).words(settings.switching)}: no step makes a port that")
    return whole | made


def _of_switch(step: SetSwitch) -> Iterable[dict[str, Any]]:
    made: dict[str, Any] = {k: _plain(v) for k, v in step.settings.items()}
    made |= {k: "not stated" for k in ("routing", "registration") if made.get(k) == "none"}
    gateways: dict[str, dict[Any, Any]] = {}
    for key, gateway in step.gateways.items():
        port, vid = of_key(key)
        own = "none" if gateway is None else dict(gateway_keys(gateway))
        gateways.setdefault(port, {})["untagged" if vid is None else vid] = own
    routes = [
        dict(route_keys(route))
        for some in step.routes.values()
        for route in some
    ]  # fmt: skip
    routes += [
        {"to": str(prefix), "via": "none", **({"vrf": vrf} if vrf else {})}
        for (vrf, prefix), some in step.routes.items()
        if not some
    ]
    filters = {n: "none" if f is None else [dict(entry_keys(e)) for e in f.entries] for n, f in step.filters.items()}
    tables = {
        "vlans": {v: _spelt(e) for v, e in step.vlans.items()},
        "gateways": gateways.pop("", {}),
        "routes": routes,
        "filters": filters,
    }
    if made := made | {k: v for k, v in tables.items() if v}:
        yield {"at": step.switch, **made}
    for port, own in gateways.items():
        yield {"at": f"{step.switch}:{port_pattern(port)}", "subinterfaces": own}


def _plain(value: Any) -> Any:
    match value:
        case TreeChange():
            made = {k: _plain(v) for k, v in value.items()}
            made |= {"edge": "auto"} if made.get("edge") == "none" else {}
            return made | ({"protocol": "not stated"} if made.get("protocol") == "none" else {})
        case Sync():
            return dict(sync_keys(value))
        case Registration():
            return dict(registration_keys(value))
        case Enum():
            return value.value
        case tuple():
            return dict(value)
        case VlanSet() if value == ALL:
            return "all"
        case None:
            return "none"
        case _:
            return value if isinstance(value, bool | int) else str(value)


def _spelt(entry: Vlan | None) -> Any:
    if entry is None:
        return "none"
    state = {} if entry.active else {"state": "suspended"}
    if entry.type is VlanType.PLAIN:
        return entry.name if entry.active and entry.name != "none" else {"name": entry.name, **state}
    primary = {"primary": entry.primary} if entry.primary else {}
    return {"name": entry.name, **state, "type": entry.type.value, **primary}
