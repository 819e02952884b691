"""The files of some switches as other sources have them: walks, a database dump, XML, the IEEE model; made from the same truth.

What these sources cannot say (labels of a database, the kind of tree of the IEEE model) stands in a file beside them that adds it.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from typing import Any
from xml.sax.saxutils import escape

from inkov.formats.format import Given
from inkov.formats.openconfig.exports import read as read_export
from inkov.formats.ours.reader import read as read_ours
from inkov.formats.reading import Reading
from inkov.kinds.table import access_of, trunk_of, untagged_vlan
from inkov.model.switch import Port, Switch
from inkov.model.vlanset import VlanSet

_INTERFACE = 100
_MIB2, _LLDP = "1.3.6.1.2.1", "1.0.8802.1.1.2.1"


def rewritten(content: Mapping[str, str]) -> dict[str, str]:
    """Returns the files of the station with those of some switches as other sources have them."""
    made = dict(content)
    for name, write in _REWRITTEN.items():
        text = made.pop(name)
        made |= write(text, _switch(name, text))
    return made


def _switch(name: str, text: str) -> Switch:
    read = read_export if name.endswith(".json") else read_ours
    found = read(text.encode(), Reading(name), Given(name))
    if not isinstance(found, tuple) or not found or not hasattr(found[0], "switch"):
        raise ValueError(f"{name} is no switch")
    return found[0].switch


def _members(switch: Switch, port: Port) -> tuple[VlanSet, VlanSet]:
    """Returns the VLANs that leave a port untagged, and those that leave tagged."""
    defined = VlanSet(switch.vlans or ())
    access, trunk = access_of(port.switching), trunk_of(port.switching)
    if access is not None and access.vid is not None:
        return VlanSet([access.vid]) & defined, VlanSet()
    if trunk is None:
        return VlanSet(), VlanSet()
    native = VlanSet([trunk.native]) & trunk.allowed & defined if trunk.native else VlanSet()
    return native, (trunk.allowed & defined) - native


# -- SNMP --------------------------------------------------------------------------------------------


def _walk(_: str, switch: Switch) -> dict[str, str]:
    rows = sorted(_objects(switch), key=lambda row: [int(n) for n in row[0].split(".")])
    return {f"walks/{switch.name}.walk": "".join(f".{oid} = {value}\n" for oid, value in rows)}


def _objects(switch: Switch) -> Iterator[tuple[str, str]]:
    mac = f"Hex-STRING: {switch.mac.upper().replace(':', ' ')} "
    yield f"{_MIB2}.1.5.0", _text(switch.name)
    yield f"{_MIB2}.4.1.0", "INTEGER: 2"
    yield f"{_MIB2}.17.1.1.0", mac
    yield f"{_MIB2}.17.2.2.0", f"INTEGER: {switch.tree.priority}"
    yield f"{_MIB2}.17.2.16.0", "INTEGER: 2"
    yield f"{_LLDP}.3.1.0", "INTEGER: 4"
    yield f"{_LLDP}.3.2.0", mac
    sets = {p.name: _members(switch, p) for p in switch.ports.values()}
    numbers = {name: n for n, name in enumerate(switch.ports, 1)}
    for v, entry in (switch.vlans or {}).items():
        table = f"{_MIB2}.17.7.1.4.3.1"
        egress = [numbers[n] for n, (plain, tagged) in sets.items() if v in plain | tagged]
        yield f"{table}.1.{v}", _text(entry.name)
        yield f"{table}.2.{v}", _bitmap(egress, len(numbers))
        yield f"{table}.3.{v}", _bitmap([], len(numbers))
        yield f"{table}.4.{v}", _bitmap([numbers[n] for n, (plain, _) in sets.items() if v in plain], len(numbers))
        yield f"{table}.5.{v}", f"INTEGER: {1 if entry.active else 2}"
    for port in switch.ports.values():
        yield from _of_port(switch, port, numbers[port.name])


def _of_port(switch: Switch, port: Port, p: int) -> Iterator[tuple[str, str]]:
    i, pvid = _INTERFACE + p, untagged_vlan(port.switching)
    yield f"{_MIB2}.2.2.1.2.{i}", _text(f"Ethernet {p}")
    yield f"{_MIB2}.2.2.1.3.{i}", "INTEGER: 6"
    yield f"{_MIB2}.2.2.1.7.{i}", f"INTEGER: {1 if port.enabled else 2}"
    yield f"{_MIB2}.31.1.1.1.1.{i}", _text(port.name)
    yield f"{_MIB2}.31.1.1.1.15.{i}", f"Gauge32: {port.speed}"
    yield f"{_MIB2}.31.1.1.1.18.{i}", _text(port.label)
    yield f"{_MIB2}.17.1.4.1.2.{p}", f"INTEGER: {i}"
    yield f"{_MIB2}.17.7.1.4.5.1.1.{p}", f"Gauge32: {pvid or 1}"
    yield f"{_MIB2}.17.7.1.4.5.1.2.{p}", f"INTEGER: {1 if pvid else 2}"
    yield f"{_MIB2}.17.7.1.4.5.1.3.{p}", "INTEGER: 1"
    yield f"{_MIB2}.17.2.19.1.2.{p}", f"INTEGER: {1 if port.tree.edge else 2}"
    yield f"{_LLDP}.3.7.1.2.{i}", "INTEGER: 5"
    yield f"{_LLDP}.3.7.1.3.{i}", _text(port.name)
    for n, heard in enumerate((h for h in switch.heard if h.port == port.name), 1):
        row = f"{4000 + p}.{i}.{n}"
        yield f"{_LLDP}.4.1.1.6.{row}", "INTEGER: 5"
        yield f"{_LLDP}.4.1.1.7.{row}", _text(heard.far_port)
        yield f"{_LLDP}.4.1.1.9.{row}", _text(f"{heard.system}.quillfin.example")


def _text(text: str) -> str:
    return f'STRING: "{text}"' if text else '""'


def _bitmap(numbers: list[int], most: int) -> str:
    octets = bytearray(-(-most // 8))
    for n in numbers:
        octets[(n - 1) // 8] |= 0x80 >> (n - 1) % 8
    return f"Hex-STRING: {bytes(octets).hex(' ').upper()} "


# -- NETCONF -----------------------------------------------------------------------------------------

_SPACES = {
    "system": "system",
    "interfaces": "interfaces",
    "network-instances": "network-instance",
    "lldp": "lldp",
    "stp": "spanning-tree",
    "lacp": "lacp",
    "ethernet": "interfaces/ethernet",
    "aggregation": "interfaces/aggregate",
    "switched-vlan": "vlan",
    "routed-vlan": "vlan",
}


def _xml(text: str, switch: Switch) -> dict[str, str]:
    body = "".join(_element(name, value, top=True) for name, value in json.loads(text).items())
    reply = f'<rpc-reply xmlns="urn:ietf:params:xml:ns:netconf:base:1.0" message-id="1">\n<data>{body}</data>\n</rpc-reply>\n'
    return {f"exports/{switch.name}.xml": reply}


def _element(name: str, value: object, *, top: bool = False) -> str:
    module, _, own = name.rpartition(":")
    if isinstance(value, list):
        return "".join(_element(name, v) for v in value)
    space = f' xmlns="http://openconfig.net/yang/{_SPACES[own]}"' if (top or module) and own in _SPACES else ""
    if isinstance(value, dict):
        inner = "".join(_element(k, v) for k, v in value.items())
        return f"\n<{own}{space}>{inner}</{own}>"
    plain = str(value).lower() if isinstance(value, bool) else str(value)
    prefix, colon, identity = plain.partition(":")
    if own in {"type", "enabled-protocol"} and colon:
        return f'<{own} xmlns:t="{_module(prefix)}">t:{identity}</{own}>'
    return f"<{own}{space}>{escape(plain)}</{own}>"


def _module(prefix: str) -> str:
    if prefix == "iana-if-type":
        return "urn:ietf:params:xml:ns:yang:iana-if-type"
    return f"http://openconfig.net/yang/{prefix.removeprefix('openconfig-')}"


# -- the IEEE model ----------------------------------------------------------------------------------


def _ieee(_: str, switch: Switch) -> dict[str, str]:
    numbers = {name: n for n, name in enumerate(switch.ports, 1)}
    sets = {p.name: _members(switch, p) for p in switch.ports.values()}
    entries = [
        {
            "database-id": 0,
            "vids": str(v),
            "entry-type": "static",
            "port-map": [
                {
                    "port-ref": numbers[n],
                    "static-vlan-registration-entries": {
                        "registrar-admin-control": "fixed-new-ignored",
                        "vlan-transmitted": "untagged" if v in plain else "tagged",
                    },
                }
                for n, (plain, tagged) in sets.items()
                if v in plain | tagged
            ],
        }
        for v in switch.vlans or ()
    ]
    component = {
        "name": "c0",
        "filtering-database": {"vlan-registration-entry": entries},
        "bridge-vlan": {"vlan": [{"vid": v, "name": e.name} for v, e in (switch.vlans or {}).items()]},
    }
    bridge = {"name": switch.name, "address": switch.mac.replace(":", "-").upper(), "component": [component]}
    lldp = [
        {
            "name": h.port,
            "dest-mac-address": "01-80-C2-00-00-0E",
            "remote-systems-data": [
                {"system-name": h.system, "port-id": h.far_port, "port-id-subtype": "interface-name"}
            ],
        }
        for h in switch.heard
    ]
    document = {
        "ieee802-dot1q-bridge:bridges": {"bridge": [bridge]},
        "ietf-interfaces:interfaces": {"interface": [_interface(p, numbers[p.name]) for p in switch.ports.values()]},
        "ieee802-dot1ab-lldp:lldp": {"port": lldp},
    }
    return {f"exports/{switch.name}.json": json.dumps(document, indent=1) + "\n", **_adds(switch)}


def _interface(port: Port, number: int) -> dict[str, Any]:
    pvid = untagged_vlan(port.switching)
    return {
        "name": port.name,
        "type": "iana-if-type:ethernetCsmacd",
        "description": port.label,
        "enabled": port.enabled,
        "ieee802-dot1q-bridge:bridge-port": {
            "port-number": number,
            "pvid": pvid or 1,
            "acceptable-frame": "admit-all-frames" if pvid else "admit-only-VLAN-tagged-frames",
            "enable-ingress-filtering": True,
        },
    }


def _adds(switch: Switch, **ports: object) -> dict[str, str]:
    """Returns the file that adds what a source cannot say: the tree, that it does not route, and labels."""
    lines = ["inkov: switch", f"name: {switch.name}", "routing: false", "tree: {protocol: rstp}"]
    if ports:
        lines += ["ports:", *(f"  {name}: {entry}" for name, entry in ports.items())]
    return {f"switches/{switch.name}.yaml": "\n".join(lines) + "\n"}


# -- a database of a software switch -------------------------------------------------------------------


def _ovsdb(_: str, switch: Switch) -> dict[str, str]:
    ports, interfaces = [], []
    for n, port in enumerate(switch.ports.values()):
        plain, tagged = _members(switch, port)
        access = access_of(port.switching) is not None
        tag = untagged_vlan(port.switching)
        listed = sorted(tagged)
        mode = "access" if access else "native-untagged" if plain else "trunk"
        ports.append([["uuid", f"p{n}"], port.name, ["uuid", f"i{n}"], mode, tag or ["set", []], ["set", listed]])
        state = "up" if port.enabled else "down"
        interfaces.append([["uuid", f"i{n}"], port.name, "", n + 1, state, ["set", []]])
    references: list[object] = [p[0] for p in ports]
    tables = {
        "Bridge": (["_uuid", "name", "ports", "fail_mode", "controller", "mirrors", "rstp_enable", "stp_enable", "other_config"], [
            [["uuid", "b"], "bench", ["set", references], ["set", []], ["set", []], ["set", []], True, False, ["map", [["hwaddr", switch.mac]]]]
        ]),
        "Interface": (["_uuid", "name", "type", "ofport", "admin_state", "error"], interfaces),
        "Open_vSwitch": (["bridges", "external_ids"], [[["uuid", "b"], ["map", [["hostname", switch.name]]]]]),
        "Port": (["_uuid", "name", "interfaces", "vlan_mode", "tag", "trunks"], ports),
    }  # fmt: skip
    dump = [json.dumps({"caption": f"{t} table", "headings": h, "data": rows}) for t, (h, rows) in tables.items()]
    heard = [
        {
            "name": h.port,
            "via": "LLDP",
            "rid": "1",
            "chassis": [{"name": [{"value": f"{h.system}.quillfin.example"}]}],
            "port": [{"id": [{"type": "ifname", "value": h.far_port}]}],
        }
        for h in switch.heard
    ]
    labels = {f'"={p.name}"': f"{{label: {p.label}}}" for p in switch.ports.values() if p.label}
    return {
        f"hosts/{switch.name}.json": "\n".join(dump) + "\n",
        f"hosts/{switch.name}-lldp.json": json.dumps({"lldp": [{"interface": heard}]}, indent=1) + "\n",
        **_adds(switch, **labels),
    }


_REWRITTEN: Mapping[str, Callable[[str, Switch], dict[str, str]]] = {
    "exports/hatchery-1.json": _walk,
    "exports/hatchery-2.json": _walk,
    "exports/pump-loft.json": _walk,
    "switches/gull-roost.yaml": _walk,
    "switches/reef-gate.yaml": _walk,
    "switches/cove-lab.yaml": _walk,
    "exports/boat-store.json": _xml,
    "exports/seal-ward.json": _ieee,
    "switches/plankton-lab.yaml": _ovsdb,
}
"""Which files are rewritten, and as what."""
