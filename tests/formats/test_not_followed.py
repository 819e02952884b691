"""What a file states and is not followed is not known: no proof rests on it, in any format, until somebody says that it has no effect."""

import csv
import json
import random
import runpy
from dataclasses import replace
from pathlib import Path

import pytest

import inkov
import writers
from conftest import run_inkov, write_files
from inkov.formats.openconfig import leaves
from inkov.formats.reading import Reading
from inkov.model import touching
from inkov.model.source import Touches
from inkov.model.switch import FrameTypes, General, Vlan
from inkov.model.touching import open_touches
from inkov.model.vlanset import VlanSet
from inkov.proof.outcome import CannotTell, Proved

PUBLISHED = (Path(__file__).parent / "data" / "openconfig-paths.txt").read_text("utf-8").split()
"""Leaves of published OpenConfig models, without modules, keys, `config` and `state`."""

CONTAINERS = sorted({path.rpartition("/")[0] for path in PUBLISHED})
CLAIM = "apart 10 20 layer 2"
BOX = writers.Box(
    "quay",
    "00:00:5e:00:53:01",
    {10: "guests", 20: "tills"},
    {f"p{v}": General(v, VlanSet([v]), VlanSet(), FrameTypes.ALL, True) for v in (10, 20)},
)


def below(path, value):
    """Writes a value at the end of a path: each step an object, or a list of one."""
    for step in reversed(path.split("/")):
        value = {step: [value] if step in leaves.LISTS else value}
    return value


def recorded(path, value):
    reading = Reading("x.json")
    leaves.record_roots(below(path, value), reading)
    for root, held in below(path, value).items():
        leaves.record(held, root, f"/{root}", reading)
    return reading.touched()


@pytest.mark.parametrize("path", PUBLISHED)
def test_every_published_leaf_has_a_row(path):
    steps = path.split("/")
    held = ["/".join(steps[:n]) for n in range(2, len(steps) + 1)]
    assert leaves.touching(path) is None or any(p in leaves.TOUCHING for p in held)


@pytest.mark.parametrize("container", CONTAINERS)
def test_a_leaf_of_a_strange_module_may_do_anything_wherever_it_stands(container):
    if "/counters" not in container:  # there are many, and a count is no setting
        (touch,) = recorded(container, {"strange-module:thing": 5})
        assert touch.path == f"/{container}/strange-module:thing"


@pytest.mark.parametrize(
    ("path", "value", "touches"),
    [
        ("network-instances/network-instance/type", "openconfig-network-instance-types:L2VSI", Touches.FRAMES),
        ("network-instances/network-instance/type", "openconfig-network-instance-types:L3VRF", None),
        ("lacp/interfaces/interface/fallback", True, Touches.FRAMES),
        ("lacp/interfaces/interface/fallback", False, None),
        ("interfaces/interface/ethernet/dot1x/auth-fail-vlan", 666, Touches.FRAMES),
        ("interfaces/interface/ethernet/dot1x/authenticate-port", True, Touches.GUARDS),
        ("interfaces/interface/forwarding-viable", False, Touches.STOPS),
        ("interfaces/interface/forwarding-viable", True, None),
        ("stp/global/loop-guard", True, Touches.GUARDS),
        ("stp/interfaces/interface/guard", "openconfig-spanning-tree-types:NONE", None),
        ("stp/interfaces/interface/guard", "ROOT", Touches.GUARDS),
        ("interfaces/interface/subinterfaces/subinterface/vlan/match/double-tagged/inner-vlan-id", 7, Touches.ADDRESSES),
        ("interfaces/interface/subinterfaces/subinterface/ipv4/dhcp-client", True, Touches.ADDRESSES),
        ("interfaces/interface/subinterfaces/subinterface/ipv4/dhcp-client", "false", None),
        ("interfaces/interface/subinterfaces/subinterface/vlan/match/single-tagged-list/vlan-ids", [10], Touches.ADDRESSES),
        ("network-instances/network-instance/policy-forwarding/policies/policy/policy-id", "out", Touches.PACKETS),
        ("policy-forwarding/global/strange", 1, Touches.PACKETS),
        ("system/clock/timezone-name", "Etc/UTC", None),
    ],
)  # fmt: skip
def test_a_leaf_touches_what_holds_it_unless_its_value_does_nothing(path, value, touches):
    assert [t.touches for t in recorded(path, value)] == ([touches] if touches else [])


def openconfig(path, value):
    made = {k.partition(":")[2]: v for k, v in writers.openconfig(BOX).items()}
    (root, held), rest = next(iter(below(path, value).items())), made
    return json.dumps({f"openconfig-{k}:{k}": v for k, v in {**rest, root: {**rest.get(root, {}), **held}}.items()})


def ovsdb(old, new):
    return writers.ovsdb(BOX).replace(old, new, 1)


def ieee(where, leaf, value):
    made = writers.ieee(BOX)
    bridge = made["ieee802-dot1q-bridge:bridges"]["bridge"][0]
    port = made["ietf-interfaces:interfaces"]["interface"][0]
    found = {"bridge": bridge, "component": bridge["component"][0], "interface": port}
    found |= {"port": port["ieee802-dot1q-bridge:bridge-port"]}
    found[where][leaf] = value
    return json.dumps(made)


def walk(*rows):
    return writers.walk(BOX) + "".join(f"{oid} = INTEGER: {value}\n" for oid, value in rows)


CASES = {
    "/acme:fabric": ("q.json", openconfig("interfaces", {"acme:fabric": True}), "/interfaces/acme:fabric"),
    "copies": ("q.db", ovsdb('["set", []]]]}', '["set", [["uuid", "m"]]]]]}'), "/Bridge/mirrors"),
    "overlay": ("q.db", ovsdb('"", 1,', '"vxlan", 1,'), "/Interface/type"),
    "flows": ("q.db", ovsdb('"controller"', '"flow_rules", "controller"').replace('true, ["set", []]', 'true, ["uuid", "c"], ["set", []]'), "/Bridge/flow_rules"),
    "translation": ("q.json", ieee("port", "vid-translations", [{"local-vid": 20, "relay-vid": 10}]), "/interfaces/interface/bridge-port/vid-translations"),
    "provider": ("q.json", ieee("component", "type", "s-vlan-component"), "/bridges/bridge/component/type"),
    "strange": ("q.json", ieee("interface", "shadow", 20), "/interfaces/interface/shadow"),
    "copies of an agent": ("q.walk", walk((".1.3.6.1.2.1.16.22.1.3.1.1.5.1.2", 1)), "/portCopyTable"),
}  # fmt: skip


BELOW_BRIDGES = [f".1.3.6.1.2.1.17.{n}" for n in (8, 9, 21, "7.1.9", "7.3", "1.9")]


@pytest.mark.parametrize(
    ("oid", "touched"),
    [
        *((f"{oid}.1.1.0", f"/dot1dBridge{oid.removeprefix('.1.3.6.1.2.1.17')}") for oid in BELOW_BRIDGES),
        (".1.3.6.1.2.1.17.3.1.1.2.1", "/dot1dSr"),
        (".1.3.6.1.2.1.17.1.3.0", "/dot1dBaseType"),
        (".1.3.6.1.2.1.17.7.1.5.2.1.2.1.1", "/dot1vProtocolPortTable"),
        (".1.3.111.2.802.1.1.4.1.6.1.1.5.1.1.9", "/ieee8021QBridgeVIDXTable"),
        (".1.3.111.2.802.1.1.77.1.0", "/ieee802dot1mibs.77"),
        (".1.3.6.1.2.1.10.131.1.1.1.1.2.5", "/tunnelIfTable"),
        ("Q-BRIDGE-MIB::dot1vProtocolPortGroupVid.1.1", "/dot1vProtocolPortGroupVid"),
        ("dot1vProtocolPortGroupVid[1][1]", "/dot1vProtocolPortGroupVid"),
        ("BRIDGE-MIB::dot1dBaseType.0", "/dot1dBaseType"),
        (f".1.3.6.1.2.1.2.2.1.3.{writers.IF_BASE + 1}", "/ifType"),
        (".1.3.6.1.2.1.17.4.4.1.3.1", None),
        (".1.3.6.1.2.1.17.7.1.4.5.1.5.1", None),
        (".1.3.6.1.2.1.17.7.1.4.6.1.2.1", None),
        (".1.3.6.1.2.1.17.2.15.1.10.1", None),
        (".1.3.6.1.2.1.2.2.1.10.1", None),
        (".1.3.6.1.4.1.32473.1.1.0", None),
    ],
)
def test_an_object_of_a_bridge_that_is_in_no_table_may_do_anything(tmp_path, oid, touched):
    value = 131 if touched == "/ifType" else 3
    rest = "".join(line for line in writers.walk(BOX).splitlines(keepends=True) if not line.startswith(f"{oid} "))
    site = write_files(tmp_path, {"q.walk": f"{rest}{oid} = INTEGER: {value}\n"})
    (switch,) = inkov.load(site).switches.values()
    assert [t.path for t in switch.touches] == ([touched] if touched else [])


@pytest.mark.parametrize(("control", "touches"), [(1, Touches.STOPS), (2, Touches.GUARDS), (3, None)])
def test_a_port_that_wants_a_login_may_stop_its_station(tmp_path, control, touches):
    rows = [(f".1.0.8802.1.1.1.1.2.1.1.6.{writers.IF_BASE + 1}", control)]
    (switch,) = inkov.load(write_files(tmp_path, {"q.walk": walk(*rows)})).switches.values()
    assert [t.touches for t in switch.touches] == ([touches] if touches else [])


@pytest.mark.parametrize("case", CASES)
def test_no_proof_rests_on_it_until_it_is_said_to_have_no_effect(tmp_path, case):
    name, text, path = CASES[case]
    site = write_files(tmp_path, {name: text})
    (switch,) = inkov.load(site).switches.values()
    assert path in [t.path for t in open_touches(switch)]
    (verdict,) = inkov.prove(inkov.load(site), [CLAIM])
    assert isinstance(verdict.outcome, CannotTell)
    assert any(path in fact for fact in verdict.outcome.missing)
    paths = [t.path for t in open_touches(switch)]
    write_files(site, {"campus.yaml": f"inkov: campus\nname: x\nassume: {{without-effect: {json.dumps(paths)}}}\n"})
    (verdict,) = inkov.prove(inkov.load(site), [CLAIM])
    assert isinstance(verdict.outcome, Proved)
    taken = f"these have no effect, as it is assumed: {paths[0]} of {switch.name}"
    assert any(said.startswith(taken) for said in verdict.outcome.assumed)


@pytest.mark.parametrize(
    "text",
    [
        ("q.json", json.dumps(writers.openconfig(BOX))),
        ("q.xml", writers.netconf(BOX)),
        ("q.json", json.dumps(writers.ieee(BOX))),
        ("q.xml", writers.ieee_xml(BOX)),
        ("q.db", writers.ovsdb(BOX)),
        ("q.walk", writers.walk(BOX)),
        ("q.walk", walk((".1.3.6.1.2.1.17.7.1.1.5.0", 2))),
    ],
)
def test_plain_files_touch_nothing(tmp_path, text):
    (switch,) = inkov.load(write_files(tmp_path, dict([text]))).switches.values()
    assert switch.touches == ()


def test_the_audit_lists_it_once_a_device_and_strict_proofs_do_not_take_it(tmp_path):
    name, text, path = CASES["provider"]
    site = write_files(tmp_path, {name: text})
    said = run_inkov("audit", site, "--only", "source/not-followed", "--format", "csv").out
    assert f"Inkov does not follow {path} of quay; no proof rests on what it may change." in said
    assert f"states {path}, not followed" in " ".join(run_inkov("sources", site).out.split())
    write_files(site, {"campus.yaml": f"inkov: campus\nname: x\nassume: {{without-effect: ['{path}']}}\n"})
    assert "source/not-followed" not in run_inkov("audit", site, "--format", "csv").out
    assert run_inkov("prove", site, "--claim", CLAIM).code == 0
    strict = run_inkov("prove", site, "--strict", "--claim", CLAIM)
    assert strict.code == 1
    assert f"these have no effect, as it is assumed: {path} of quay" in strict.out


@pytest.mark.few(3)
@pytest.mark.parametrize("case", CASES)
def test_a_converted_file_does_not_forget_it(tmp_path, case):
    name, text, _ = CASES[case]
    site = write_files(tmp_path / "site", {name: text})
    assert run_inkov("convert", site, "-o", tmp_path / "made").code == 0
    ((was,), (made,)) = (inkov.load(s).switches.values() for s in (site, tmp_path / "made"))
    assert sorted((t.path, t.touches) for t in made.touches) == sorted((t.path, t.touches) for t in was.touches) != []
    ran = run_inkov("convert", site, "--to", "openconfig", "-o", tmp_path / "export")
    assert "what its files state and Inkov does not follow" in " ".join(ran.err.split())


def instances(made, *told):
    """The document with its VLAN table in the first of some network instances, each with a type and the ports it lists."""
    (key,) = (k for k in made if k.endswith("network-instances"))
    (first,) = made[key]["network-instance"]
    rows = [
        {"name": f"n{n}", "config": {"type": kind}, "interfaces": {"interface": [{"id": p} for p in ports]}}
        for n, (kind, ports) in enumerate(told)
    ]
    rows[0] |= {k: v for k, v in first.items() if k.endswith("vlans")}
    return made | {key: {"network-instance": rows}}


@pytest.mark.parametrize(
    ("told", "followed"),
    [
        ([("L2L3", ("p10", "p20"))], True),
        ([("oc-ni:L2VSI", ("p10", "p20")), ("oc-ni:L3VRF", ())], True),
        ([("L2VSI", ("p10",))], False),
        ([("L2VSI", ("p10",)), ("L2VSI", ("p20",))], False),
        ([("L2VSI", ("p10", "p20")), ("DEFAULT_INSTANCE", ())], False),
    ],
)
def test_the_one_instance_that_bridges_is_the_bridge_if_it_has_all_ports(tmp_path, told, followed):
    made = instances(writers.openconfig(BOX), *told)
    (switch,) = inkov.load(write_files(tmp_path, {"box.json": json.dumps(made)})).switches.values()
    assert [t.path.rpartition("/")[2] for t in switch.touches[:1]] == ([] if followed else ["type"])
    assert not followed or {10, 20} <= switch.vlans.keys()


@pytest.mark.parametrize("member", [{"subinterface": 10}, {"interface": "p10.10"}])
def test_an_instance_that_bridges_subinterfaces_joins_what_their_tags_part(tmp_path, member):
    made = instances(writers.openconfig(BOX), ("L2VSI", ("p10", "p20")))
    (row,) = made["openconfig-network-instance:network-instances"]["network-instance"]
    row["interfaces"]["interface"].append({"id": "p10.10", "config": {"id": "p10.10", "interface": "p10"} | member})
    (switch,) = inkov.load(write_files(tmp_path, {"box.json": json.dumps(made)})).switches.values()
    assert [t.path.rpartition("/")[2] for t in switch.touches[:1]] == ["type"]


@pytest.mark.parametrize(
    ("claim", "today", "outcome"),
    [
        ("apart desk tills layer 2", {"access-vlan": 20}, CannotTell),
        ("apart desk tills layer 2", {"access-vlan": 10, "interface-mode": "ACCESS"}, Proved),
        ("apart desk tills layer 2", {"interface-mode": "TRUNK"}, CannotTell),
        ("together desk", {"access-vlan": 30}, CannotTell),
    ],
)
def test_a_proof_holds_for_what_is_configured_and_for_what_is_in_force(tmp_path, claim, today, outcome):
    made = writers.openconfig(BOX)
    ports = made["openconfig-interfaces:interfaces"]["interface"]
    first = next(p for p in ports if p["name"] == "p10")
    (switched,) = (v for k, v in first["openconfig-if-ethernet:ethernet"].items() if k.endswith("switched-vlan"))
    switched["state"] = today
    campus = "inkov: campus\nname: x\nsegments: {desk: {ports: ['quay:p10']}, tills: {vlan: 20}}\n"
    site = write_files(tmp_path, {"q.json": json.dumps(made), "campus.yaml": campus})
    (verdict,) = inkov.prove(inkov.load(site), [claim])
    assert isinstance(verdict.outcome, outcome), verdict
    if outcome is CannotTell:
        assert "p10 is configured as access 10, and today it is" in str(verdict.outcome.missing)
        assert run_inkov("audit", site, "--only", "saved/today", "--format", "csv").out.count("p10 is configured") > 0


STATIC, CURRENT = ".1.3.6.1.2.1.17.7.1.4.3.1", ".1.3.6.1.2.1.17.7.1.4.2.1"


def in_force(vid, egress, untagged):
    rows = f"{CURRENT}.4.0.{vid} = Hex-STRING: {egress} \n{CURRENT}.5.0.{vid} = Hex-STRING: {untagged} \n"
    return {"q.walk": writers.walk(BOX) + rows}


def aggregate(links):
    def member(name):
        held = {"aggregate-id": "lag"}
        return {"name": name, "config": {"name": name, "enabled": True}, "ethernet": {"config": held}}

    switched = {"config": {"interface-mode": "TRUNK"}}
    whole = {"config": {"min-links": links, "lag-type": "STATIC"}, "switched-vlan": switched}
    lag = {"name": "lag", "config": {"name": "lag", "type": "ieee8023adLag"}, "aggregation": whole}
    return {"q.json": json.dumps({"openconfig-interfaces:interfaces": {"interface": [member("1"), member("2"), lag]}})}


def with_vlan(status, today):
    made = writers.openconfig(BOX)
    (vlan, *_) = made["openconfig-network-instance:network-instances"]["network-instance"][0]["vlans"]["vlan"]
    vlan["config"]["status"], vlan["state"] = status, {"status": today}
    return {"q.json": json.dumps(made)}


@pytest.mark.parametrize(
    ("files", "touched"),
    [
        (in_force(10, "80", "80"), []),
        (in_force(10, "c0", "c0"), [("/dot1qVlanCurrentEgressPorts", Touches.STOPS, "p20")]),
        (in_force(10, "00", "00"), [("/dot1qVlanCurrentEgressPorts", Touches.STOPS, "p10")]),
        (in_force(10, "80", "00"), [("/dot1qVlanCurrentEgressPorts", Touches.STOPS, "p10")]),
        (aggregate(2), []),
        (aggregate(3), [("/interfaces/interface/aggregation/min-links", Touches.STOPS, "lag")]),
        (with_vlan("ACTIVE", "ACTIVE"), []),
        (with_vlan("ACTIVE", "SUSPENDED"), [("/vlans/vlan/state/status", Touches.STOPS, "")]),
        (with_vlan("SUSPENDED", "ACTIVE"), [("/vlans/vlan/state/status", Touches.FRAMES, "")]),
    ],
)
def test_what_is_not_in_force_as_it_is_configured_is_told(tmp_path, files, touched):
    (switch,) = inkov.load(write_files(tmp_path, files)).switches.values()
    assert [(t.path, t.touches, t.port) for t in switch.touches] == touched


@pytest.mark.parametrize("several", [True, False])
def test_protected_ports_hear_each_other_no_more_and_join_nothing(tmp_path, several):
    box = replace(BOX, ports={n: General(10, VlanSet([10]), VlanSet(), FrameTypes.ALL, True) for n in ("a", "b", "c")})
    text = "".join(
        json.dumps(
            {
                **(held := json.loads(line)),
                "headings": [*held["headings"], "protected"],
                "data": [[*row, n < 1 + several] for n, row in enumerate(held["data"])],
            }
        )
        + "\n"
        if line.startswith('{"caption": "Port')
        else line + "\n"
        for line in writers.ovsdb(box).splitlines()
    )
    campus = inkov.load(write_files(tmp_path, {"q.db": text}))
    (switch,) = campus.switches.values()
    assert [t.port for t in switch.touches] == (["a", "b"] if several else [])
    (together,) = inkov.prove(campus, ["together 10"])
    assert isinstance(together.outcome, CannotTell if several else Proved)


@pytest.mark.parametrize("seed", range(6))
def test_what_only_takes_away_joins_nothing_and_leaves_nothing_surely_together(tmp_path, seed):
    """Any port of a random campus may stop frames: what was apart stays so, and whoever is at that port is not surely heard."""
    rng = random.Random(seed)
    boxes = writers.random_boxes(rng, plain=True)
    chosen = rng.choice(boxes)
    name = rng.choice(list(chosen.ports))
    verdicts = []
    for odd in (False, True):
        files = {}
        for box in boxes:
            made = writers.openconfig(box)
            if odd and box is chosen:
                (entry,) = (i for i in made["openconfig-interfaces:interfaces"]["interface"] if i["name"] == name)
                entry["config"]["forwarding-viable"] = False
            files[f"{box.name}.json"] = json.dumps(made)
        campus = inkov.load(write_files(tmp_path / str(odd), files))
        vids = sorted({v for b in boxes for v in b.vlans})
        claims = [*(f"apart {a} {b} layer 2" for a in vids for b in vids if a < b), *(f"together {v}" for v in vids)]
        verdicts.append({c: v.outcome for c, v in zip(claims, inkov.prove(campus, claims), strict=True)})
    before, after = verdicts
    for claim, outcome in before.items():
        if claim.startswith("apart") and isinstance(outcome, Proved):
            assert isinstance(after[claim], Proved)
        if isinstance(after[claim], Proved):
            assert isinstance(outcome, Proved)
        port = chosen.ports[name]
        if claim.startswith("together") and claim.split()[1] == str(port.pvid) and not port.tagged:
            assert not isinstance(after[claim], Proved)


def test_a_trace_names_what_may_stop_frames_on_its_way(tmp_path):
    box = replace(BOX, ports={n: General(10, VlanSet([10]), VlanSet(), FrameTypes.ALL, True) for n in ("a", "b", "c")})
    made = writers.openconfig(box)
    made["openconfig-interfaces:interfaces"]["interface"][0]["config"]["forwarding-viable"] = False
    site = write_files(tmp_path, {"q.json": json.dumps(made)})
    told = run_inkov("trace", site, "quay:a", "quay:b")
    assert "cannot tell" in told.out
    assert "/interfaces/interface/forwarding-viable is not followed" in " ".join(told.out.split())
    assert "cannot tell" not in run_inkov("trace", site, "quay:b", "quay:c").out


@pytest.mark.parametrize("seed", range(4))
def test_vlans_that_nothing_tells_apart_need_only_one_of_them(tmp_path, monkeypatch, seed):
    """Beside a device that may do anything: more VLANs than those that stand for all change no verdict."""
    rng = random.Random(seed)
    boxes = writers.random_boxes(rng, plain=True)
    odd = rng.choice(boxes)
    files = {f"{b.name}.json": writers.openconfig_json(b) for b in boxes if b is not odd}
    files["odd.json"] = json.dumps({**writers.openconfig(odd), "openconfig-vlan:vlans": {"strange-module:thing": 5}})
    campus = inkov.load(write_files(tmp_path, files))
    vids = sorted({v for b in boxes for v in b.vlans})
    facing = rng.choice(["", " facing hostile"])
    claims = [
        *(f"apart {a} {b} layer 2{facing}" for a in vids for b in vids if a < b),
        *(f"together {v}" for v in vids),
    ]
    few = touching.telling_vlans(campus)
    more = {v: Vlan(v) for v in sorted({*few, *rng.sample(range(1, 4095), 40)})}
    told = [type(v.outcome) for v in inkov.prove(campus, claims)]
    monkeypatch.setattr(touching, "telling_vlans", lambda _: more)
    assert len(few) < 12
    assert [type(v.outcome) for v in inkov.prove(inkov.load(tmp_path), claims)] == told
    assert CannotTell in told


@pytest.mark.parametrize(("option", "code"), [(None, 1), ("--configured", 0), ("--today", 1)])
def test_one_side_alone_is_decided_when_asked_for(tmp_path, option, code):
    made = writers.openconfig(BOX)
    first = next(p for p in made["openconfig-interfaces:interfaces"]["interface"] if p["name"] == "p10")
    (switched,) = (v for k, v in first["openconfig-if-ethernet:ethernet"].items() if k.endswith("switched-vlan"))
    switched["state"] = {"access-vlan": 20}
    campus = "inkov: campus\nname: x\nsegments: {desk: {ports: ['quay:p10']}, tills: {vlan: 20}}\n"
    site = write_files(tmp_path, {"q.json": json.dumps(made), "campus.yaml": campus})
    told = run_inkov("prove", site, "--claim", "apart desk tills layer 2", *([option] if option else []))
    assert told.code == code
    assert ("CANNOT TELL" in told.out, "BROKEN" in told.out) == (option is None, option == "--today")
    followed = run_inkov("trace", site, "quay:p10", "quay:p20", *([option] if option else []))
    assert ("cannot tell" in followed.out, followed.code) == (option is None, 0 if option == "--today" else 1)


def test_one_side_is_one_and_has_no_certificate(tmp_path):
    site = write_files(tmp_path, {"q.json": json.dumps(writers.openconfig(BOX))})
    both = run_inkov("prove", site, "--configured", "--today")
    assert both.code == 2
    assert "leave both out to decide for both" in " ".join(both.err.replace("│", " ").split())
    kept = run_inkov("prove", site, "--today", "--certificate", tmp_path / "proofs")
    assert kept.code == 2
    assert not (tmp_path / "proofs").exists()


@pytest.mark.parametrize(
    ("configured", "today", "touches"),
    [
        (False, True, Touches.FRAMES),
        ("false", "true", Touches.FRAMES),
        (True, False, Touches.STOPS),
        ("true", "false", Touches.STOPS),
        (True, "true", None),
    ],
)
def test_a_port_that_is_shut_and_runs_may_pass_anything(tmp_path, configured, today, touches):
    made = writers.openconfig(BOX)
    first = made["openconfig-interfaces:interfaces"]["interface"][0]
    first["config"]["enabled"], first["state"] = configured, {"enabled": today}
    (switch,) = inkov.load(write_files(tmp_path, {"q.json": json.dumps(made)})).switches.values()
    assert [(t.touches, t.port) for t in switch.touches] == ([(touches, first["name"])] if touches else [])


def test_the_audit_names_the_device_of_a_vlan_that_is_out_of_force(tmp_path):
    site = write_files(tmp_path, with_vlan("ACTIVE", "SUSPENDED"))
    (row,) = csv.DictReader(run_inkov("audit", site, "--only", "saved/today", "--format", "csv").out.splitlines())
    told = "On quay, VLAN 10 is configured as ACTIVE, and today it is SUSPENDED."
    assert (row["severity"], row["place"], row["what"]) == ("risk", "quay", told)


def test_the_page_of_formats_lists_what_the_tables_of_the_readers_hold():
    made = runpy.run_path(str(Path(__file__).parents[2] / "scripts" / "formats_page.py"))
    assert made["PAGE"].read_text("utf-8").endswith(made["account"]())


def test_a_filter_of_messages_is_followed_as_a_boolean_and_as_text(tmp_path):
    made = writers.openconfig(BOX)
    made["stp"] = {"interfaces": {"interface": [{"name": "p10", "config": {"name": "p10", "bpdu-filter": "true"}}]}}
    (switch,) = inkov.load(write_files(tmp_path, {"box.json": json.dumps(made)})).switches.values()
    assert [switch.ports[p].tree.runs for p in ("p10", "p20")] == [False, True]


def test_a_box_that_may_do_anything_may_be_the_root_of_any_tree(tmp_path):
    """Only the link between two of three switches leaves VLAN 10 out; with another root it is not that link that is blocked."""
    switch = "inkov: switch\nname: {0}\nvlans: {{10: x, 20: y}}\nrouting: false\nmac: 02:00:00:00:00:0{1}\ntree: {{protocol: rstp, priority: {2}}}\nports: {{1: {{access: 10}}, {3}}}\nneighbours: {4}\n"
    files = {
        "a.yaml": switch.format("a", 1, 4096, "b: {trunk: '10,20'}, c: {trunk: '10,20'}", "{b: b a, c: c a}"),
        "b.yaml": switch.format(
            "b", 2, 8192, "a: {trunk: '10,20'}, c: {trunk: '20'}, q: {trunk: '20'}", "{a: a b, c: c b, q: quay p1}"
        ),
        "c.yaml": switch.format("c", 3, 8192, "a: {trunk: '10,20'}, b: {trunk: '20'}", "{a: a c, b: b c}"),
        "campus.yaml": "inkov: campus\nname: x\nswitches-are: {'*': {registration: off}}\n",
    }
    box = writers.Box(
        "quay",
        "00:00:5e:00:53:01",
        {20: "tills"},
        {"p1": General(None, VlanSet(), VlanSet([20]), FrameTypes.TAGGED, True)},
        {"p1": ("b", "q", "02:00:00:00:00:02")},
    )
    made = writers.openconfig(box)
    for leaf, outcome in ((None, Proved), ("acme:primary-root", CannotTell)):
        tree = {"global": {"config": {"enabled-protocol": ["RSTP"]}}, "rstp": {leaf: True} if leaf else {}}
        quay = json.dumps({**made, "openconfig-spanning-tree:stp": tree})
        (verdict,) = inkov.prove(inkov.load(write_files(tmp_path, {**files, "quay.json": quay})), ["together 10"])
        assert isinstance(verdict.outcome, outcome), verdict
    assert "acme:primary-root is not followed" in verdict.outcome.missing[0]
