"""The claims of a first campus file: what an engineer would write, and what holds."""

import json

import inkov
from conftest import run_inkov, write_files

NAMES = {10: "desks", 20: "phones", 30: "cameras", 40: "guests", 50: "tills"}
CORE = {
    "core.yaml": "inkov: switch\nname: core\nvlans: {10: desks, 20: phones, 30: cameras, 40: guests, 50: tills, 60: link, 70: old}\n"
    "tree: {protocol: rstp}\nassume: {own-tag: drop}\nrouting: true\nports:\n"
    + "".join(f"  {v}: {{access: {v}}}\n  {v + 1}: {{access: {v}}}\n" for v in (*NAMES, 60))
    + "gateways:\n"
    + "".join(f"  {v}: {{address: 10.0.{v}.1/24{', in: f' if v in {40, 50} else ''}}}\n" for v in (*NAMES, 60))
    + "routes: [{to: 0.0.0.0/0, via: 10.0.60.9}]\n"
    "filters: {f: [{action: drop, to: 10.0.50.0/24}, {action: drop, to: 10.0.40.0/24}, {action: accept}]}\n",
    "b.yaml": "inkov: switch\nname: b\nvlans: {10: desks, 80: spare}\ntree: {protocol: rstp}\nassume: {own-tag: drop}\nrouting: false\n"
    "ports: {1: {access: 10}}\n",
    "c.yaml": "inkov: switch\nname: c\nvlans: {10: desks}\ntree: {protocol: rstp}\nassume: {own-tag: drop}\nrouting: false\n"
    "ports: {1: {trunk: '10'}}\n",
}


def test_where_most_packets_pass_the_draft_claims_the_walls_there_are(tmp_path):
    write_files(tmp_path, CORE)
    assert run_inkov("draft", "-o", "campus.yaml", cwd=tmp_path).code == 0
    lines = (tmp_path / "campus.yaml").read_text().splitlines()
    assert lines[lines.index("register:") : lines.index("cables: []") - 1] == [
        "register:",
        *(f"  {v}: {n}" for v, n in NAMES.items()),
        "  60: link",
        "  70: old  # ? one switch alone defines it, and nobody is in it",
        "  80: spare  # ? one switch alone defines it, and nobody is in it",
    ]
    assert "  outside: {outside: true}" in lines
    claims = lines[lines.index("claims:") :]
    assert claims[1].startswith("  - name: frames stay in their segments")
    assert claims[2:5] == ["    apart: all", "    layer: 2", "  - {apart: guests, from: [tills]}"]
    assert "  # - {together: desks}  ? it is not whole today" in claims
    verdicts = inkov.prove(inkov.load(tmp_path))
    assert {type(v.outcome).__name__ for v in verdicts} == {"Proved"}


def test_phones_and_access_points_that_are_heard_are_one_line_a_kind(tmp_path):
    def heard(port, name, capability):
        told = {"system-name": name, "port-id": "1", "chassis-id": f"02:00:00:00:00:0{port}"}
        enabled = {"capability": [{"name": capability, "state": {"name": capability, "enabled": True}}]}
        return {"name": f"p{port}", "neighbors": {"neighbor": [{"id": "1", "state": told, "capabilities": enabled}]}}

    kinds = ["TELEPHONE"] * 4 + ["WLAN_ACCESS_POINT"] * 2 + ["ROUTER"]
    ports = [{"name": f"p{n}", "config": {"name": f"p{n}"}} for n in range(1, 8)]
    lldp = [heard(n, f"x{n}", f"openconfig-lldp-types:{kind}") for n, kind in enumerate(kinds, 1)]
    made = {"interfaces": {"interface": ports}, "lldp": {"interfaces": {"interface": lldp}}}
    document = {"openconfig-system:system": {"config": {"hostname": "hall"}}}
    document |= {f"openconfig-{name}:{name}": held for name, held in made.items()}
    write_files(tmp_path, {"hall.json": json.dumps(document)})
    said = [
        line.strip()
        for line in run_inkov("draft", tmp_path).out.splitlines()
        if "heard, at" in line or "not here" in line
    ]
    assert said == [
        "# hall:p7 hears x7, which is not here",
        "# 2 access points are heard, at hall:p5, hall:p6",
        "# 4 phones are heard, at hall:p1, hall:p2, hall:p3 and 1 more",
    ]
