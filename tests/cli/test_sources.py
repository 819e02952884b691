"""`inkov sources`: what each file gave of which device, what is missing and how to get it, and what contradicts."""

import json
import random

import writers
from conftest import run_inkov, write_files

SWITCH = "inkov: switch\nname: {}\nvlans: {{10: x}}\ntree: {{protocol: rstp}}\nports: {{1: {{access: 10}}}}\n"


def mixture(folder):
    """Nine devices in six formats and more; each box once, the first also in our own language."""
    rng = random.Random(9)
    boxes = [b for _ in range(5) for b in writers.random_boxes(rng, plain=True)][:9]
    for n, box in enumerate(boxes):
        box.name, box.mac, box.heard = f"quay-{n}", f"00:00:5e:00:53:{n:02x}", {}
    kinds = [
        ("walk", writers.walk),
        ("snmprec", writers.record),
        ("json", writers.openconfig_json),
        ("xml", writers.netconf),
        ("ovsdb.json", writers.ovsdb),
        ("ieee.json", writers.ieee_json),
        ("ieee.xml", writers.ieee_xml),
        ("yaml", writers.ours),
        ("session", lambda box: writers.netconf(box, chunk=50)),
    ]
    files = {f"{box.name}.{ending}": write(box) for box, (ending, write) in zip(boxes, kinds, strict=True)}
    files["quay-0.yaml"] = "inkov: switch\nname: quay-0\nrole: core\nports: {p1: {access: 4000}}\n"
    return write_files(folder, files)


def test_a_folder_of_nine_devices_in_many_formats(tmp_path):
    site = mixture(tmp_path)
    done = run_inkov("sources", site, "--format", "json")
    assert done.code == 1  # something contradicts
    data = json.loads(done.out)
    assert [d["name"].partition(".")[0] for d in data["devices"]] == [f"quay-{n}" for n in range(9)]
    formats = [d["files"][-1]["format"] for d in data["devices"]]
    assert formats == [
        *("SNMP walks", "SNMP walks", "OpenConfig JSON", "NETCONF XML", "OVSDB dumps"),
        *("IEEE 802.1Q data", "IEEE 802.1Q data", "Inkov switch files", "NETCONF XML"),
    ]
    first = data["devices"][0]
    assert [c["says"] for c in first["contradictions"]] == ["access 4000"]
    assert first["contradictions"][0]["source"] == "quay-0.yaml:4"
    missing = {
        d["name"].partition(".")[0]: {m["topic"].partition(":")[0]: m["get"] for m in d["missing"]}
        for d in data["devices"]
    }
    assert missing["quay-2"]["spanning tree"] == "/stp"
    assert missing["quay-1"]["neighbours"] == "walk .1.0.8802"
    assert "negotiation" not in missing["quay-7"]
    for command in ("audit", "ports", "vlans", "links"):
        assert run_inkov(command, site).code in {0, 1}
    assert run_inkov("ports", site, "--relay").code == 0


def test_text_names_the_subtree_to_walk_and_cut_files(tmp_path):
    walk = writers.walk(writers.random_boxes(random.Random(1), plain=True)[0])
    lines = [line for line in walk.splitlines() if ".17.7.1.4.5." not in line and ".17.2." not in line]
    write_files(
        tmp_path,
        {"s0.walk": "\n".join(lines) + "\nTimeout: No Response from 192.0.2.1\n", "b.yaml": SWITCH.format("pier")},
    )
    done = run_inkov("sources", tmp_path)
    assert done.code == 0
    assert "the device stopped answering here" in done.out
    assert "walk .1.3.6.1.2.1.17" in done.out
    assert done.out.startswith(f"{tmp_path.name}   2 files   2 devices   0 told of in full\n")


def test_one_device_under_two_names_is_found_by_its_address(tmp_path):
    box = writers.random_boxes(random.Random(2), plain=True)[0]
    files = {"a.walk": writers.walk(box)}
    box.name = "renamed"
    files["b.json"] = writers.openconfig_json(box)
    write_files(tmp_path, files)
    done = run_inkov("audit", tmp_path, "--format", "json")
    found = [f for f in json.loads(done.out)["findings"] if f["rule"] == "source/twice"]
    assert [f["place"] for f in found] == ["renamed and s0.lab.example"]


def test_a_file_without_a_name_goes_to_the_device_with_its_address(tmp_path):
    box = writers.random_boxes(random.Random(2), plain=True)[0]
    walk = "\n".join(line for line in writers.walk(box).splitlines() if ".1.3.6.1.2.1.1.5.0 " not in line) + "\n"
    adds = f"inkov: switch\nname: quay\nmac: '{box.mac}'\nrole: core\n"
    write_files(tmp_path, {"x.walk": walk, "y.yaml": adds})
    data = json.loads(run_inkov("sources", tmp_path, "--format", "json").out)
    assert [(d["name"], [f["file"] for f in d["files"]]) for d in data["devices"]] == [("quay", ["y.yaml", "x.walk"])]
