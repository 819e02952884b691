"""One campus of bridges, written in every format that is read: by these writers, which share nothing with the readers."""

import itertools
import json
from dataclasses import dataclass, field
from xml.sax.saxutils import escape

from inkov.model.switch import FrameTypes, General
from inkov.model.vlanset import VlanSet

IF_BASE = 10_100
"""Interface numbers are no bridge ports: they begin here."""


@dataclass
class Box:
    """A bridge: VLANs by number with names, ports by name, and what each port hears as (system, port, chassis)."""

    name: str
    mac: str
    vlans: dict
    ports: dict
    heard: dict = field(default_factory=dict)


def random_boxes(rng, plain):
    """Returns bridges in a chain; `plain` ports are access ports and trunks, as every format can say them."""
    boxes = []
    for n in range(rng.randint(2, 4)):
        vids = sorted(rng.sample((10, 20, 30, 40), rng.randint(2, 4)))
        ports = {f"p{i}": (plain_port if plain else any_port)(rng, vids) for i in range(1, rng.randint(4, 6))}
        boxes.append(Box(f"s{n}", f"00:00:5e:00:53:{n:02x}", {v: f"net-{v}" for v in vids}, ports))
    for a, b in itertools.pairwise(boxes):
        left, right = list(a.ports)[-1], next(iter(b.ports))
        a.heard[left], b.heard[right] = (b.name, right, b.mac), (a.name, left, a.mac)
    return boxes


def plain_port(rng, vids):
    if rng.random() < 0.5:
        own = rng.choice(vids)
        return General(own, VlanSet([own]), VlanSet())
    native = rng.choice(vids)
    return General(native, VlanSet([native]), VlanSet(rng.sample(vids, rng.randint(1, len(vids)))) - VlanSet([native]))


def any_port(rng, vids):
    untagged = VlanSet(rng.sample(vids, rng.randint(0, 2)))
    tagged = VlanSet(rng.sample(vids, rng.randint(0, len(vids)))) - untagged
    frames = rng.choice([FrameTypes.ALL, FrameTypes.TAGGED])
    return General(rng.choice([1, *vids]), untagged, tagged, frames, rng.random() < 0.6)


def members(box, of):
    """Yields (VID, numbers of its member ports) by `of`, a function of a port."""
    for v in box.vlans:
        yield v, [n for n, p in enumerate(box.ports.values(), 1) if v in of(p)]


def bitmap(numbers, octets=2):
    made = bytearray(octets)
    for n in numbers:
        made[(n - 1) // 8] |= 0x80 >> (n - 1) % 8
    return bytes(made)


# -- SNMP --------------------------------------------------------------------------------------------

MIB2, LLDP = (1, 3, 6, 1, 2, 1), (1, 0, 8802, 1, 1, 2, 1)


def objects(box):
    """Returns (OID, kind, value) of what an agent of the box serves, in the order of a walk."""
    rows = [
        ((*MIB2, 1, 5, 0), "text", f"{box.name}.lab.example"),
        ((*MIB2, 17, 1, 1, 0), "octets", bytes.fromhex(box.mac.replace(":", ""))),
        ((*MIB2, 4, 1, 0), "int", 2),
        ((*MIB2, 17, 2, 16, 0), "int", 2),
        ((*MIB2, 17, 2, 2, 0), "int", 32768),
        ((*LLDP, 3, 1, 0), "int", 4),
        ((*LLDP, 3, 2, 0), "octets", bytes.fromhex(box.mac.replace(":", ""))),
    ]
    for p, (name, port) in enumerate(box.ports.items(), 1):
        i = IF_BASE + p
        rows += [
            ((*MIB2, 2, 2, 1, 2, i), "text", f"Ethernet {p}"),
            ((*MIB2, 2, 2, 1, 3, i), "int", 6),
            ((*MIB2, 2, 2, 1, 7, i), "int", 1),
            ((*MIB2, 31, 1, 1, 1, 1, i), "text", name),
            ((*MIB2, 17, 1, 4, 1, 2, p), "int", i),
            ((*MIB2, 17, 7, 1, 4, 5, 1, 1, p), "gauge", port.pvid),
            ((*MIB2, 17, 7, 1, 4, 5, 1, 2, p), "int", 2 if port.frames is FrameTypes.TAGGED else 1),
            ((*MIB2, 17, 7, 1, 4, 5, 1, 3, p), "int", 1 if port.filtering else 2),
            ((*LLDP, 3, 7, 1, 2, 200 + p), "int", 5),
            ((*LLDP, 3, 7, 1, 3, 200 + p), "text", name),
        ]
        if name in box.heard:
            system, far, mac = box.heard[name]
            row = (77 + p, 200 + p, 1)
            rows += [
                ((*LLDP, 4, 1, 1, 4, *row), "int", 4),
                ((*LLDP, 4, 1, 1, 5, *row), "octets", bytes.fromhex(mac.replace(":", ""))),
                ((*LLDP, 4, 1, 1, 6, *row), "int", 5),
                ((*LLDP, 4, 1, 1, 7, *row), "text", far),
                ((*LLDP, 4, 1, 1, 9, *row), "text", f"{system}.lab.example"),
            ]
    untagged = dict(members(box, lambda p: p.untagged))
    for v, egress in members(box, lambda p: p.untagged | p.tagged):
        table = (*MIB2, 17, 7, 1, 4, 3, 1)
        rows += [
            ((*table, 1, v), "text", box.vlans[v]),
            ((*table, 2, v), "octets", bitmap(egress)),
            ((*table, 3, v), "octets", b""),
            ((*table, 4, v), "octets", bitmap(untagged[v])),
            ((*table, 5, v), "int", 1),
        ]
    return sorted(rows)


def walk(box):
    """Writes a walk as `-Onx` prints it, but for names."""
    lines = []
    for oid, kind, value in objects(box):
        dotted = "." + ".".join(map(str, oid))
        if kind == "text":
            lines.append(f'{dotted} = STRING: "{value}"')
        elif kind == "octets":
            lines.append(f"{dotted} = Hex-STRING: {value.hex(' ').upper()} " if value else f'{dotted} = ""')
        else:
            lines.append(f"{dotted} = {'Gauge32' if kind == 'gauge' else 'INTEGER'}: {value}")
    return "\n".join(lines) + "\n"


def record(box):
    """Writes a simulator record."""
    lines = []
    for oid, kind, value in objects(box):
        dotted = ".".join(map(str, oid))
        tag, text = {"int": ("2", value), "gauge": ("66", value)}.get(kind, ("4", value))
        if kind == "octets":
            tag, text = "4x", value.hex()
        lines.append(f"{dotted}|{tag}|{text}")
    return "\n".join(lines) + "\n"


# -- the standard's model ------------------------------------------------------------------------------


def ieee(box):
    """Returns the IEEE 802.1Q data of a box."""
    bridge = {"name": box.name, "address": box.mac.replace(":", "-").upper(), "bridge-type": "customer-vlan-bridge"}
    entries = []
    for v in box.vlans:
        rows = [
            {
                "port-ref": n,
                "static-vlan-registration-entries": {
                    "registrar-admin-control": "fixed-new-ignored",
                    "vlan-transmitted": "untagged" if v in p.untagged else "tagged",
                },
            }
            for n, p in enumerate(box.ports.values(), 11)
            if v in p.untagged | p.tagged
        ]
        entries.append({"database-id": 0, "vids": str(v), "entry-type": "static", "port-map": rows})
    vlans = [{"vid": v, "name": name} for v, name in box.vlans.items()]
    component = {
        "name": "c0",
        "type": "c-vlan-component",
        "filtering-database": {"vlan-registration-entry": entries},
        "bridge-vlan": {"vlan": vlans},
    }
    interfaces = [
        {
            "name": name,
            "type": "iana-if-type:ethernetCsmacd",
            "ieee802-dot1q-bridge:bridge-port": {
                "bridge-name": box.name,
                "component-name": "c0",
                "port-number": n,
                "pvid": p.pvid,
                "acceptable-frame": "admit-only-VLAN-tagged-frames"
                if p.frames is FrameTypes.TAGGED
                else "admit-all-frames",
                "enable-ingress-filtering": p.filtering,
            },
        }
        for n, (name, p) in enumerate(box.ports.items(), 11)
    ]
    return {
        "ieee802-dot1q-bridge:bridges": {"bridge": [{**bridge, "component": [component]}]},
        "ietf-interfaces:interfaces": {"interface": interfaces},
    }


SPACES = {
    "bridges": "urn:ieee:std:802.1Q:yang:ieee802-dot1q-bridge",
    "bridge-port": "urn:ieee:std:802.1Q:yang:ieee802-dot1q-bridge",
    "interfaces": "urn:ietf:params:xml:ns:yang:ietf-interfaces",
}


def ieee_json(box):
    return json.dumps(ieee(box), indent=1)


def ieee_xml(box):
    body = "".join(xml(name.partition(":")[2], value, SPACES) for name, value in ieee(box).items())
    return f'<data xmlns="urn:ietf:params:xml:ns:netconf:base:1.0">{body}</data>\n'


def xml(name, value, spaces, prefix=""):
    """Writes a JSON value as elements (RFC 7950); lists become siblings."""
    name = name.rpartition(":")[2]
    if isinstance(value, list):
        return "".join(xml(name, v, spaces, prefix) for v in value)
    space = f' xmlns="{spaces[name]}"' if name in spaces else ""
    if isinstance(value, dict):
        return f"<{name}{space}>{''.join(xml(k, v, spaces) for k, v in value.items())}</{name}>"
    text = {True: "true", False: "false"}.get(value, value) if isinstance(value, bool) else value
    if name == "type" and ":" in str(text):
        module, _, local = text.partition(":")
        return f'<type xmlns:t="urn:x:{module}">t:{local}</type>'
    return f"<{name}{space}>{escape(str(text))}</{name}>"


# -- OpenConfig ----------------------------------------------------------------------------------------


def openconfig(box):
    """Returns the OpenConfig data of a box of access ports and trunks."""
    interfaces = []
    for name, p in box.ports.items():
        if p.tagged:
            own = {"interface-mode": "TRUNK", "native-vlan": p.pvid, "trunk-vlans": sorted(p.tagged | p.untagged)}
        else:
            own = {"interface-mode": "ACCESS", "access-vlan": p.pvid}
        interfaces.append(
            {
                "name": name,
                "config": {"name": name, "type": "iana-if-type:ethernetCsmacd"},
                "openconfig-if-ethernet:ethernet": {"openconfig-vlan:switched-vlan": {"config": own}},
            }
        )
    vlans = [{"vlan-id": v, "config": {"vlan-id": v, "name": name}} for v, name in box.vlans.items()]
    heard = [
        {
            "name": port,
            "neighbors": {
                "neighbor": [
                    {"id": "1", "state": {"id": "1", "system-name": system, "port-id": far, "chassis-id": mac}}
                ]
            },
        }
        for port, (system, far, mac) in box.heard.items()
    ]
    return {
        "openconfig-system:system": {"config": {"hostname": box.name}},
        "openconfig-interfaces:interfaces": {"interface": interfaces},
        "openconfig-network-instance:network-instances": {
            "network-instance": [{"name": "default", "config": {"name": "default"}, "vlans": {"vlan": vlans}}]
        },
        "openconfig-lldp:lldp": {"config": {"chassis-id": box.mac}, "interfaces": {"interface": heard}},
    }


OC = "http://openconfig.net/yang/"
OC_SPACES = {
    "system": f"{OC}system",
    "interfaces": f"{OC}interfaces",
    "ethernet": f"{OC}interfaces/ethernet",
    "switched-vlan": f"{OC}vlan",
    "network-instances": f"{OC}network-instance",
    "lldp": f"{OC}lldp",
}


def openconfig_json(box):
    return json.dumps(openconfig(box))


def netconf(box, chunk=0):
    """Writes a NETCONF answer; with `chunk`, as a session was recorded in chunks of so many octets (RFC 6242)."""
    roots = {k.partition(":")[2]: v for k, v in openconfig(box).items()}
    body = []
    for name, value in roots.items():
        spaces = {k: v for k, v in OC_SPACES.items() if k == name or k not in roots}
        body.append(xml(name, value, spaces))
    reply = f'<rpc-reply xmlns="urn:ietf:params:xml:ns:netconf:base:1.0" message-id="1"><data>{"".join(body)}</data></rpc-reply>'
    if not chunk:
        return reply
    hello = '<hello xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><capabilities/></hello>]]>]]>'
    octets = reply.encode()
    parts = [octets[at : at + chunk] for at in range(0, len(octets), chunk)]
    return hello + "".join(f"\n#{len(p)}\n{p.decode()}" for p in parts) + "\n##\n"


# -- our own, OVSDB and LLDP -----------------------------------------------------------------------------


def ours(box):
    """Writes a switch file of general ports."""
    lines = ["inkov: switch", f"name: {box.name}", f"mac: '{box.mac}'", "routing: false"]
    lines += ["assume: {own-tag: accept, tagged-native: accept, native-outside-list: drop}"]
    lines += ["tree: {protocol: rstp}", "vlans:", *(f"  {v}: {name}" for v, name in box.vlans.items()), "ports:"]
    for name, p in box.ports.items():
        sets = f"pvid: {p.pvid}, untagged: '{p.untagged}', tagged: '{p.tagged}', frames: {p.frames.value}"
        lines.append(f"  {name}: {{general: {{{sets}, filtering: {str(p.filtering).lower()}}}}}")
    lines += ["neighbours:"] if box.heard else []
    lines += [f"  {port}: {system} {far}" for port, (system, far, _) in box.heard.items()]
    return "\n".join(lines) + "\n"


def ovsdb(box):
    """Writes a dump, a table a line; ports are access ports and trunks with a native VLAN."""

    def table(name, rows):
        heads = list(rows[0])
        data = [[r[h] for h in heads] for r in rows]
        return json.dumps({"caption": f"{name} table", "headings": heads, "data": data})

    ports, interfaces = [], []
    for n, (name, p) in enumerate(box.ports.items()):
        listed = sorted(p.tagged)
        ports.append(
            {
                "_uuid": ["uuid", f"p{n}"],
                "name": name,
                "interfaces": ["uuid", f"i{n}"],
                "vlan_mode": "native-untagged" if listed else "access",
                "tag": p.pvid,
                "trunks": ["set", listed] if len(listed) != 1 else listed[0],
            }
        )
        interfaces.append({"_uuid": ["uuid", f"i{n}"], "name": name, "type": "", "ofport": n + 1, "error": ["set", []]})
    bridge = {"_uuid": ["uuid", "b"], "name": "br0", "ports": ["set", [p["_uuid"] for p in ports]], "stp_enable": False}
    bridge |= {"rstp_enable": True, "controller": ["set", []], "fail_mode": ["set", []], "mirrors": ["set", []]}
    root = {"bridges": ["uuid", "b"], "external_ids": ["map", [["hostname", box.name]]]}
    tables = (("Bridge", [bridge]), ("Interface", interfaces), ("Open_vSwitch", [root]), ("Port", ports))
    return "\n".join(table(*t) for t in tables) + "\n"


def lldp(box, shape="json0"):
    """Writes what a discovery daemon prints, in one of its shapes."""
    entries = [(port, *far) for port, far in box.heard.items()]
    if shape == "keyvalue":
        lines = []
        for port, system, far, mac in entries:
            key = f"lldp.{port}"
            lines += [f"{key}.via=LLDP", f"{key}.rid=1", f"{key}.age=0 day, 00:00:11", f"{key}.chassis.mac={mac}"]
            lines += [f"{key}.chassis.name={system}.lab.example", f"{key}.port.ifname={far}"]
        return "\n".join(lines) + "\n"
    if shape == "json0":
        found = [
            {
                "name": port,
                "via": "LLDP",
                "rid": "1",
                "chassis": [{"id": [{"type": "mac", "value": mac}], "name": [{"value": f"{system}.lab.example"}]}],
                "port": [{"id": [{"type": "ifname", "value": far}]}],
            }
            for port, system, far, mac in entries
        ]
        return json.dumps({"lldp": [{"interface": found}] if found else [{}]})
    found = [
        {
            port: {
                "via": "LLDP",
                "rid": "1",
                "chassis": {f"{system}.lab.example": {"id": {"type": "mac", "value": mac}}},
                "port": {"id": {"type": "ifname", "value": far}},
            }
        }
        for port, system, far, mac in entries
    ]
    return json.dumps({"lldp": {} if not found else {"interface": found[0] if len(found) == 1 else found}})


JUNK = {str: ({}, [], True, None, [5]), int: ("junk", -1, 99999, {}, 1.5, None), bool: ("junk", 5, [])}
"""For a value of a type, others that cannot stand in its place."""


def junk(value, rng):
    if isinstance(value, dict) or (isinstance(value, list) and value and isinstance(value[0], dict)):
        return rng.choice((5, "junk", True, ["junk"], {"a": 1}, None))
    return rng.choice(JUNK.get(type(value), ({}, [{}], [["junk"]])))
