"""The VLAN table of OpenConfig data, in both places the models have put it, and how its VLANs are tagged."""

from __future__ import annotations

from collections import Counter
from functools import lru_cache
from typing import Any, Final

from inkov.formats.openconfig.tree import Node, child, entries, leaves_of, pick, short, vlan_number
from inkov.formats.openconfig.wrappers import local
from inkov.formats.reading import MAX_TEXT, Reading
from inkov.model.source import Touches
from inkov.model.switch import DEFAULT_VLAN, DOT1Q, NEGOTIATED_FORMAT, Vlan
from inkov.model.vlanset import VID_MAX, VID_MIN, Vid

TAG_PROTOCOLS: Final = {
    "TPID_0X8100": DOT1Q,
    "TPID_0X88A8": "802.1ad",
    "TPID_0X9100": "0x9100",
    "TPID_0X9200": "0x9200",
    "TPID_ANY": NEGOTIATED_FORMAT,
}
"""Tag formats by the identity of their EtherType; any of them is one that is not known."""
_MISSPELT: Final = {"TPID_0X8A88": "TPID_0X88A8"}
"""An identity as an older model spells it."""


def tag_format(value: Any, reading: Reading, path: str) -> str:
    """Returns a tag format by its identity; 802.1Q after recording that it is none."""
    name = local(value).upper() if isinstance(value, str) else ""
    found = TAG_PROTOCOLS.get(_MISSPELT.get(name, name))
    if found is None:
        reading.wrong(f"{value!r:.40} is not a tag protocol; expected one of: {', '.join(TAG_PROTOCOLS)}", path)
    return found or DOT1Q


def identity_of(name: str) -> str | None:
    """Returns the identity of a tag format; None where the models have none."""
    found = next((identity for identity, known in TAG_PROTOCOLS.items() if known == name), None)
    return found and f"openconfig-vlan-types:{found}"


def vlan_table(document: Node, reading: Reading) -> tuple[dict[Vid, Vlan] | None, str]:
    """Returns the VLAN table of a switch, None when the document holds none, and the format that all its VLANs are tagged in."""
    instances = list(
        entries(
            child(document, "network-instances"),
            "network-instance",
            "name",
            reading,
            "/network-instances/network-instance",
        )
    )
    chosen = default_instance(instances)
    for other in instances:
        if other is not chosen and pick(other, "vlans") is not None:
            reading.note(
                f"VLANs of network instance {pick(other, 'name')!r} are passed over; only the default one is read"
            )
    places = [
        (pick(chosen, "vlans") if chosen else None, "/network-instances/network-instance/vlans"),
        (pick(document, "vlans"), "/vlans"),
    ]
    for container, path in places:
        if not (container is None or isinstance(container, dict)):
            reading.wrong(f"{container!r:.40} is no object", path)
    places = [(c, path) for c, path in places if isinstance(c, dict) and pick(c, "vlan") is not None]
    if not places:
        return None, DOT1Q
    if len(held := [c for c, _ in places]) == 1 and (quick := _plain_table(held[0])) is not None:
        return quick, DOT1Q
    return _careful_table(places, reading)


_VLAN_LEAVES = frozenset({"vlan-id", "name", "status", "tpid"})


def _plain_table(container: Node) -> dict[Vid, Vlan] | None:
    """Reads a table in the strict form, as nearly all are; None when an entry wants a closer look."""
    entries_ = container.get("vlan")
    if not isinstance(entries_, list):
        return None
    try:
        configs = [e["config"] for e in entries_ if "state" not in e and e["config"].keys() <= _VLAN_LEAVES]
        if {local(c["tpid"]).upper() for c in configs if "tpid" in c} - {"TPID_0X8100"}:
            return None
        rows = tuple([(c["vlan-id"], c.get("name", ""), c.get("status", "ACTIVE")) for c in configs])
        return _checked_table(rows) if len(rows) == len(entries_) else None
    except (KeyError, TypeError, AttributeError):
        return None


def _careful_table(places: list[tuple[Any, str]], reading: Reading) -> tuple[dict[Vid, Vlan], str]:
    """Reads tables in any form, with complaints and notes."""
    rows: list[tuple[Vid, str, bool]] = []
    formats: dict[str, str] = {}
    for container, path in places:
        if isinstance(container, dict):
            for entry in entries(container, "vlan", "vlan-id", reading, f"{path}/vlan"):
                row = _vlan_entry(entry, path, reading)
                if row is None:
                    continue
                rows.append(row)
                where = f"{path}/vlan[vlan-id={row[0]}]/config/tpid"
                if row[0] != DEFAULT_VLAN or "tpid" in leaves_of(entry):
                    formats.setdefault(tag_format(leaves_of(entry).get("tpid", "TPID_0X8100"), reading, where), where)
    if len(formats) > 1:
        reading.wrong(
            f"VLANs of one switch are tagged in several formats, {' and '.join(sorted(formats))}: "
            "only one a switch, or one a port, can be followed",
            list(formats.values())[-1],
        )
    table = _table(tuple(rows))
    if len(table) != len(rows):
        for v in (v for v, ways in Counter(row[0] for row in dict.fromkeys(rows)).items() if ways > 1):
            reading.wrong("this VLAN is defined twice, differently", f"{path}/vlan[vlan-id={v}]")
    return table, next(iter(formats), DOT1Q)


@lru_cache(maxsize=4096)
def _checked_table(rows: tuple[tuple[Any, Any, Any], ...]) -> dict[Vid, Vlan] | None:
    """Makes a table of rows that are all in order and all different; None otherwise."""
    for v, name, status in rows:
        if type(v) is not int or not VID_MIN <= v <= VID_MAX or type(name) is not str or len(name) > MAX_TEXT:
            return None
        if status not in ("ACTIVE", "SUSPENDED"):
            return None
    table = _table(tuple((v, name, status == "ACTIVE") for v, name, status in rows))
    return table if len(table) == len(rows) else None


@lru_cache(maxsize=4096)
def _table(rows: tuple[tuple[Vid, str, bool], ...]) -> dict[Vid, Vlan]:
    """Makes a VLAN table; switches with equal tables share one, and so does all that is worked out from it."""
    return {v: _vlan(v, name, active) for v, name, active in rows}


_vlan = lru_cache(maxsize=65536)(Vlan)


def _vlan_entry(entry: Node, path: str, reading: Reading) -> tuple[Vid, str, bool] | None:
    leaves = leaves_of(entry)
    number, name, status = leaves.get("vlan-id"), leaves.get("name", ""), leaves.get("status", "ACTIVE")
    if type(number) is not int or not VID_MIN <= number <= VID_MAX:
        checked = vlan_number(pick(entry, "vlan-id") if number is None else number, reading, f"{path}/vlan/vlan-id")
        if checked is None:
            return None
        number = checked
    if status not in ("ACTIVE", "SUSPENDED"):
        where = f"{path}/vlan[vlan-id={number}]/config/status"
        reading.wrong(f"{status!r:.40} is not a VLAN status; expected ACTIVE or SUSPENDED", where)
    in_force = {local(k): v for k, v in child(entry, "state").items()}.get("status", status)
    if child(entry, "config") and in_force != status:
        why = f"VLAN {number} is configured as {status}, and today it is {in_force}"
        touches = Touches.STOPS if status == "ACTIVE" else Touches.FRAMES
        reading.touch("/vlans/vlan/state/status", touches, f"{path}/vlan[vlan-id={number}]/state/status", why=why)
    return number, short(name), status != "SUSPENDED"


def default_instance(instances: list[Node]) -> Node | None:
    """Returns the usual network instance: by its type, then its name, then because it is the only one, or the only one that bridges."""
    for instance in instances:
        if _type_of(instance) == "DEFAULT_INSTANCE":
            return instance
    for instance in instances:
        if pick(instance, "name") == "default":
            return instance
    bridging = [i for i in instances if _type_of(i) != "L3VRF"]
    return instances[0] if len(instances) == 1 else bridging[0] if len(bridging) == 1 else None


def is_whole_bridge(document: Node) -> bool:
    """Tells whether an instance that bridges (L2VSI, L2L3) is the only one that does, and has all ports that switch frames.

    Then it is the bridge of the device as any other; where there are several, each is a bridge of its own. One that has
    subinterfaces joins their VLANs into one, whatever their tags.
    """
    quiet = Reading("")
    instances = list(entries(child(document, "network-instances"), "network-instance", "name", quiet, ""))
    bridging = [i for i in instances if _type_of(i) != "L3VRF"]
    if len(bridging) != 1 or _type_of(bridging[0]) not in {"L2VSI", "L2L3"}:
        return False
    held = list(entries(child(bridging[0], "interfaces"), "interface", "id", quiet, ""))
    listed = {str(leaves_of(e).get("interface", pick(e, "id"))) for e in held}
    every = list(entries(child(document, "interfaces"), "interface", "name", quiet, ""))
    names = {str(pick(e, "name")) for e in every}
    if not listed <= names or any(str(leaves_of(e).get("subinterface", 0)) != "0" for e in held):
        return False
    if any(_tagged_parts(e) for e in every if str(pick(e, "name")) in listed):
        return False
    return all(
        str(pick(e, "name")) in listed
        for e in every
        if any(child(child(e, holder), "switched-vlan") for holder in ("ethernet", "aggregation"))
    )


def _tagged_parts(interface: Node) -> bool:
    parts = entries(child(interface, "subinterfaces"), "subinterface", "index", Reading(""), "")
    return any(child(part, "vlan") for part in parts)


def _type_of(instance: Node) -> str:
    kind = leaves_of(instance).get("type")
    return local(kind) if isinstance(kind, str) else ""
