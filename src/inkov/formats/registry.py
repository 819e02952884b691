"""Every format that is read, in the order in which a file is tried; what sentences say of formats comes from here."""

from __future__ import annotations

from inkov.formats.format import MEGABYTE, Content, Format, Given
from inkov.formats.ieee import bridges as ieee8021q
from inkov.formats.lldp import daemon as lldp
from inkov.formats.openconfig import exports, netconf
from inkov.formats.ours import reader as ours
from inkov.formats.ovsdb import database as ovsdb
from inkov.formats.reading import Reading
from inkov.formats.snmp import text as snmp_text
from inkov.formats.text import utf8
from inkov.formats.xmltext import unframed
from inkov.model.sources import Topic


def _walk(data: bytes, reading: Reading, given: Given) -> Content:
    from inkov.formats.snmp import walk as snmp_walk

    return snmp_walk.read(data, reading, given)


_OURS = {
    Topic.VLANS: "write `vlans` into its switch file",
    Topic.PORTS: "write `ports` into its switch file",
    Topic.MODES: "write what the port is (`access`, `trunk`, `general`) into its switch file",
    Topic.STANCES: "write `stance` into a switch file, or under `switches-are` of the campus file",
    Topic.TREE: "write `tree` into a switch file, or under `switches-are` of the campus file",
    Topic.NEIGHBOURS: "write `neighbours` into its switch file, or `cables` into the campus file",
    Topic.GATEWAYS: "write `gateways`, or `routing: false`, into its switch file",
}
_OPENCONFIG = {
    Topic.VLANS: "/network-instances/network-instance/vlans",
    Topic.PORTS: "/interfaces",
    Topic.MODES: "/interfaces/interface/ethernet/switched-vlan",
    Topic.TREE: "/stp",
    Topic.NEIGHBOURS: "/lldp",
    Topic.GATEWAYS: "/interfaces/interface/routed-vlan",
}
_IEEE = {
    Topic.VLANS: "/bridges",
    Topic.PORTS: "/interfaces",
    Topic.MODES: "/interfaces and /bridges with their state",
    Topic.NEIGHBOURS: "/lldp",
}

_LLDP = {Topic.NEIGHBOURS: "lldpcli show neighbors details -f json0"}

FORMATS = (
    Format(
        "Inkov switch files",
        frozenset({".yaml", ".yml"}),
        4 * MEGABYTE,
        ours.recognise,
        ours.read,
        ours.edit,
        _OURS,
        whole=True,
        typed=True,
    ),
    Format(
        "OVSDB dumps",
        frozenset({".json"}),
        64 * MEGABYTE,
        ovsdb.recognise,
        ovsdb.read,
        None,
        dict.fromkeys(
            (Topic.PORTS, Topic.MODES, Topic.TREE), "ovsdb-client dump -f json unix:/run/openvswitch/db.sock"
        ),
    ),
    Format("LLDP of a daemon", frozenset({".json"}), 16 * MEGABYTE, lldp.recognise, lldp.read, None, _LLDP),
    Format(
        "IEEE 802.1Q data",
        frozenset({".json", ".xml"}),
        64 * MEGABYTE,
        ieee8021q.recognise,
        ieee8021q.read,
        None,
        _IEEE,
    ),
    Format(
        "OpenConfig JSON",
        frozenset({".json"}),
        64 * MEGABYTE,
        exports.recognise,
        exports.read,
        exports.edit,
        _OPENCONFIG,
        whole=True,
        joins=True,
    ),
    Format(
        "NETCONF XML",
        frozenset({".xml"}),
        64 * MEGABYTE,
        netconf.recognise,
        exports.read,
        None,
        _OPENCONFIG,
        whole=True,
        joins=True,
    ),
    Format(
        "SNMP walks",
        frozenset({".snmpwalk", ".walk", ".snmprec"}),
        512 * MEGABYTE,
        lambda data: snmp_text.looks_like_walk(data[:8192]),
        _walk,
        None,
        {
            Topic.VLANS: "walk .1.3.6.1.2.1.17",
            Topic.PORTS: "walk .1.3.6.1.2.1.31 and .1.3.6.1.2.1.2",
            Topic.MODES: "walk .1.3.6.1.2.1.17",
            Topic.TREE: "walk .1.3.6.1.2.1.17",
            Topic.NEIGHBOURS: "walk .1.0.8802",
            Topic.GATEWAYS: "walk .1.3.6.1.2.1.4",
        },
    ),
    Format(
        "LLDP captures",
        frozenset({".pcap", ".pcapng"}),
        64 * MEGABYTE,
        lldp.recognise_capture,
        lldp.read_capture,
        None,
        _LLDP,
        binary=True,
    ),
)
ENDINGS = frozenset[str]().union(*(f.endings for f in FORMATS))
MOST = 64 * MEGABYTE
EXPECTED = f"{', '.join(f.name for f in FORMATS[:-1])} or {FORMATS[-1].name}"
"""The names of all formats, as a sentence lists them."""


def most(head: bytes) -> int:
    """Returns the size that a file may have which begins like this: walks of large devices are longer than all else."""
    return max(MOST, *(f.most for f in FORMATS if f.most > MOST and f.recognise(head)), MOST)


def binary(data: bytes) -> Format | None:
    """Returns the format of a file that is no text; None for text, and for what is of no format."""
    return next((f for f in FORMATS if f.binary and f.recognise(data)), None)


def format_of(data: bytes) -> Format | None:
    """Returns the format of a file by its content; None when it is none of them."""
    content = utf8(data)
    found = next((f for f in FORMATS if f.recognise(content)), None)
    if found is None and (plain := unframed(content)):
        found = next((f for f in FORMATS if f.recognise(plain)), None)
    return found
