"""Damaged files of every source: read, or refused with a place; never a traceback, and never slow."""

import json
import os
import random
import time

import pytest

import inkov
import writers
from announcements import PIER, announced, capture
from conftest import write_files
from inkov.formats.ours import switch_writer
from test_fuzz import gentle, rough

ROUNDS = int(os.environ.get("INKOV_FUZZ", "150"))
WRITERS = {
    "walk": writers.walk,
    "snmprec": writers.record,
    "ieee.json": writers.ieee_json,
    "ieee.xml": writers.ieee_xml,
    "oc.xml": writers.netconf,
    "session.xml": lambda box: writers.netconf(box, chunk=60),
    "ovsdb.json": writers.ovsdb,
    "lldp.json": writers.lldp,
    "lldp.txt": lambda box: writers.lldp(box, "keyvalue"),
    "pcap": lambda _: capture((1, announced()), (2, announced(**PIER))),
}


@pytest.mark.parametrize("suffix", sorted(WRITERS))
def test_damage_is_read_or_refused(suffix, tmp_path):
    rng = random.Random(suffix)
    boxes = writers.random_boxes(rng, plain=True)
    made = WRITERS[suffix](boxes[0])
    whole = made if isinstance(made, bytes) else made.encode()
    (tmp_path / "other.yaml").write_text(writers.ours(boxes[1]))
    for _ in range(ROUNDS // 3):
        data = rng.choice([rough, gentle])(rng, whole)
        (tmp_path / f"s0.{suffix}").write_bytes(data)
        campus = inkov.load(tmp_path, strict=False)
        assert boxes[1].name in {n.partition(".")[0] for n in campus.switches}
        assert all(str(p.source.file) for p in campus.unread)
        inkov.audit(campus)
        for switch in campus.switches.values():
            switch_writer.text(switch)


MANY = 40_000
HOSTILE = {
    "deep.xml": '<data xmlns="urn:ietf:params:xml:ns:netconf:base:1.0" x="http://openconfig.net/yang/">'
    + "<a>" * MANY
    + "</a>" * MANY
    + "</data>",
    "wide.xml": '<interfaces xmlns="http://openconfig.net/yang/interfaces">' + "<interface/>" * MANY + "</interfaces>",
    "bomb.xml": '<!DOCTYPE a [<!ENTITY b "bbbbbbbbbb"><!ENTITY c "&b;&b;&b;&b;">]><data xmlns="urn:ietf:params:xml:ns:netconf:base:1.0">&c;</data>',
    "oids.walk": f'.1.3.6.1.2.1.1.5.0 = STRING: "x"\n.1.3.6.1.2.1.31.1.1.1.1{".4294967295" * MANY} = STRING: "y"\n',
    "quote.walk": '.1.3.6.1.2.1.1.5.0 = STRING: "x' + '\n.1.3.6.1.2.1.1.6.0 = STRING: \\"' * MANY,
    "endless.walk": '.1.3.6.1.2.1.1.5.0 = STRING: "x"\n'
    + ".1.3.6.1.2.1.17.7.1.4.3.1.2.10 = Hex-STRING: 00 \n" * MANY * 2,
    "bitmap.walk": f'.1.3.6.1.2.1.1.5.0 = STRING: "x"\n.1.3.6.1.2.1.17.7.1.4.3.1.2.10 = Hex-STRING: {"FF " * 1_000_000}\n',
    "ports.walk": '.1.3.6.1.2.1.1.5.0 = STRING: "x"\n'
    + "".join(f".1.3.6.1.2.1.17.1.4.1.2.{n} = INTEGER: {n}\n" for n in range(MANY)),
    "text.walk": '.1.3.6.1.2.1.1.5.0 = STRING: "x"\n.1.3.6.1.2.1.17.7.1.4.5.1.1.1 = STRING: "ten"\n',
    "rows.json": json.dumps(
        {"caption": "Port table", "headings": ["_uuid", "name"], "data": [[["uuid", str(n)], "p"] for n in range(MANY)]}
    )
    + json.dumps(
        {"caption": "Bridge table", "headings": ["name", "ports"], "data": [["b", ["set", [["uuid", "0"]] * MANY]]]}
    ),
    "sets.json": '{"caption": "Bridge table", "headings": ["name", "vlan_mode"], "data": [["b", '
    + '["set", [' * 500
    + "1"
    + "]]" * 500
    + "]]}",
    "vids.json": json.dumps(
        {
            "ieee802-dot1q-bridge:bridges": {
                "bridge": [
                    {
                        "name": "b",
                        "component": [
                            {
                                "name": "c",
                                "filtering-database": {
                                    "vlan-registration-entry": [{"vids": ",".join(["1-4094"] * MANY)}]
                                },
                            }
                        ],
                    }
                ]
            }
        }
    ),
    "many.json": json.dumps(
        {"lldp": [{"interface": [{"name": f"p{n}", "via": "LLDP", "rid": "1"} for n in range(MANY // 4)]}]}
    ),
    "chunks.xml": "<hello xmlns='urn:ietf:params:xml:ns:netconf:base:1.0'/>]]>]]>" + "\n#1\n<" * MANY,
}


@pytest.mark.parametrize("name", sorted(HOSTILE))
def test_hostile_files_take_bounded_time_and_cost_no_other_file(name, tmp_path):
    rng = random.Random(3)
    box = writers.random_boxes(rng, plain=True)[0]
    write_files(tmp_path, {"good.yaml": writers.ours(box), name: HOSTILE[name]})
    started = time.monotonic()
    campus = inkov.load(tmp_path, strict=False)
    assert box.name in campus.switches
    assert time.monotonic() - started < 10
