"""Each kind of step: what the campus is after it, and what `rehearse` says of it, driven as an engineer would."""

import json
import tempfile
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
from conftest import run_inkov, write_files
from inkov.change.failures import trials
from inkov.formats.ours.change_file import Typed, every_cut, on_the_spot, read, steps
from inkov.formats.ours.change_writer import written
from inkov.formats.reading import Reading
from inkov.formats.rewrite import edited, edits_of
from inkov.forwarding.network import Network
from inkov.model.names import PortRef
from inkov.model.switch import Access, FrameTypes, General, PrivateHost, Promiscuous, Trunk, Tunnel
from inkov.model.vlanset import VlanSet
from inkov.model.yamltext import dumped
from inkov.steps.edit import CannotChange
from inkov.steps.settings import PortChange
from inkov.steps.steps import SetPorts
from proof_sides import edge_ports
from simulator import listeners
from strategies import campuses

VLANS = "{5: management, 10: users, 20: guests}"
HALL = (
    f"inkov: switch\nname: hall\nvlans: {VLANS}\nports:\n  1: {{access: 10}}\n  2: {{access: 20}}\n"
    "  3: {mode: negotiated, stance: passive, access: 20, trunk: all}\n  u1: {trunk: all, native: none}\n"
    "  m1: {lag: up}\n  m2: {}\nlags: {up: {trunk: '10,20', native: none, lacp: static}}\n"
)
CORE = (
    f"inkov: switch\nname: core\nvlans: {VLANS}\nports: {{1: {{access: 10}}, 2: {{access: 20}}, d1: {{trunk: all, native: none}},"
    " d2: {trunk: all, native: none}}\n"
)
CAMPUS = (
    "inkov: campus\nname: c\ncables: [core d1 - hall u1]\nsegments: {users: {vlan: 10}, guests: {vlan: 20}}\n"
    "claims: [{apart: [users, guests]}, {together: users}]\n"
)


@pytest.fixture
def site(tmp_path):
    return write_files(tmp_path / "campus", {"hall.yaml": HALL, "core.yaml": CORE, "campus.yaml": CAMPUS})


def after(site, **typed):
    campus = inkov.load(site)
    for step in on_the_spot(Typed(**typed), campus):
        campus = step.done(campus)
    return campus


def test_a_port_joins_and_leaves_a_lag(site):
    joined = after(site, sets=["hall:m2 lag up"]).switches["hall"]
    assert (joined.ports["up"].members, joined.ports["m2"].lag) == (("m1", "m2"), "up")
    left = after(site, sets=["hall:m2 lag up", "hall:m1 lag none"]).switches["hall"]
    assert (left.ports["up"].members, left.ports["m1"].lag) == (("m2",), None)


KINDS = {
    "general: {pvid: 10, untagged: '10', tagged: '20', frames: tagged}": General(
        10, VlanSet([10]), VlanSet([20]), FrameTypes.TAGGED, True
    ),
    "private: {primary: 10, secondary: 20}": PrivateHost(10, 20),
    "promiscuous: {primary: 10, secondaries: '20'}": Promiscuous(10, VlanSet([20])),
    "tunnel: 20": Tunnel(20),
    "tunnel: {vlan: 20, inside: 10-12}": Tunnel(20, VlanSet([10, 11, 12])),
    "trunk: '10,20', native: 10, native-tagged: true, translate: {99: 20}": Trunk(
        10, VlanSet([10, 20]), native_tagged=True, translate=((99, 20),)
    ),
}


@pytest.mark.parametrize("keys", KINDS)
def test_a_port_becomes_what_a_key_of_its_file_says(site, tmp_path, keys):
    write_files(tmp_path, {"change.yaml": f"inkov: change\nsteps:\n  - {{at: 'hall:2', {keys}}}\n"})
    campus = inkov.load(site)
    (step,) = steps(*read(tmp_path / "change.yaml")[:2], campus, Reading("change.yaml"))
    assert step.done(campus).switches["hall"].ports["2"].switching == KINDS[keys]


@pytest.mark.parametrize(
    ("keys", "message"),
    [
        ("tunnel: 20, access: 10", "change.yaml:3: steps/0: a port is one of 'access', 'tunnel'"),
        ("private: {primary: 10}", "change.yaml:3: steps/0/private/secondary: key 'secondary' is missing"),
        (
            "native-tagged: true",
            "change.yaml:3: steps/0: hall:2: native-tagged on: 'native-tagged' is of a trunk, and this port is none",
        ),
        ("translate: {0: 20}", "change.yaml:3: steps/0/translate/0: 0 is not a VLAN number; expected 1 to 4094"),
    ],
)
def test_what_a_port_cannot_become_is_an_error(site, keys, message):
    (site / "change.yaml").write_text(f"inkov: change\nsteps:\n  - {{at: 'hall:2', {keys}}}\n")
    ran = run_inkov("rehearse", ".", "change.yaml", cwd=site)
    assert (ran.code, ran.out, ran.err) == (2, "", message + "\n")


def test_a_gateway_comes_and_goes(site):
    made = after(site, sets=["core gateways.10 192.0.2.1/27"])
    assert [(g.vid, g.shown) for g in made.switches["core"].gateways] == [(10, "192.0.2.1/27")]
    gone = after(site, sets=["core gateways.10 192.0.2.1/27", "core gateways.10 none"])
    assert gone.switches["core"].gateways == ()


def test_one_cost_moves_the_opening_of_a_ring(tmp_path):
    switch = (
        "inkov: switch\nname: {}\nmac: 02:00:00:00:00:0{}\nvlans: {{10: a}}\ntree: {{protocol: rstp, priority: {}}}\n"
        "ports: {{1: {{access: 10}}, x: {{trunk: all, native: none, speed: 1G}}, y: {{trunk: all, native: none, speed: 1G}}}}\n"
    )
    files = {f"{n}.yaml": switch.format(n, i, 4096 * (1 + i)) for i, n in enumerate("abc")}
    files["campus.yaml"] = "inkov: campus\nname: r\ncables: [a x - b x, b y - c y, a y - c x]\n"
    site = write_files(tmp_path, files)
    ran = run_inkov("rehearse", site, "--set", "b:x tree.cost 2000000")
    assert ran.code == 0, ran.err
    assert ran.out.splitlines()[2] == "1  b:x: tree cost 2000000   --set"
    assert "State  blocked b:x: - → for a (10)" in ran.out
    assert "State  blocked c:y: for a (10) → -" in ran.out


@pytest.mark.few(4)
@pytest.mark.parametrize(
    ("typed", "said"),
    [
        (["--set", ""], "--set: '' is not a step; expected PLACE KEY VALUE, such as 'hall:u1 native 990'"),
        (["--set", "hall:1"], "--set: 'hall:1' is not a step; expected PLACE KEY VALUE, such as 'hall:u1 native 990'"),
        (["--set", "hall:1 access 5000"], "--set: access: 5000 is not a VLAN number; expected 1 to 4094"),
        (["--set", "hal:1 access 10"], "--set: no switch matches 'hal'; did you mean 'hall'?"),
        (["--replace", "hall"], "--replace: 'hall' is not a step; expected SWITCH FILE, such as 'hall new/hall.yaml'"),
        (["--replace", "hal x.yaml"], "--replace: there is no switch 'hal'; did you mean 'hall'?"),
        (["--add", "x.yaml"], "--add: there is no file 'x.yaml'"),
        (["--cut", ""], "--cut: is empty; expected switch:port, or switch:port - switch:port"),
        (
            ["--set", "hall:1 label x", "--cut", "x"],
            "--cut: 'x' is not a cable; expected switch:port, or switch:port - switch:port",
        ),
        (["--fail", "hal"], "--fail: there is no switch 'hal'; did you mean 'hall'?"),
    ],
)
def test_what_is_wrong_with_a_typed_step_is_said_of_its_option(site, typed, said):
    ran = run_inkov("rehearse", site, *typed)
    assert (ran.code, ran.out, ran.err) == (2, "", said + "\n")


def test_a_switch_is_replaced_by_a_file_and_keeps_its_cables(site):
    (site.parent / "new").mkdir()
    (site.parent / "new" / "candidate.txt").write_text(
        HALL.replace("name: hall", "name: hall-new").replace("access: 10", "access: 20")
    )
    (site.parent / "change.txt").write_text("inkov: change\nsteps:\n  - {replace: hall, with: new/candidate.txt}\n")
    view = json.loads(run_inkov("rehearse", site, site.parent / "change.txt", "--format", "json").out)
    assert view["steps"][0]["what"] == "hall is replaced by new/candidate.txt"
    assert {"at": "hall:1", "what": "access 10 → access 20", "ports": 1, "silent": False} in view["whole"]["changes"]
    made = after(site, replaced=[f"hall {site.parent / 'new' / 'candidate.txt'}"])
    assert [str(k) for k in Network(made).links] == ["core:d1 <-> hall:u1"]


def test_a_device_comes_with_its_cable_and_later_steps_may_set_it(site):
    (site.parent / "new").mkdir()
    (site.parent / "new" / "pier.txt").write_text(HALL.replace("name: hall", "name: pier"))
    steps = "  - {add: new/pier.txt, cables: [core d2 - pier u1]}\n  - {at: 'pier:2', label: kiosk}\n"
    (site.parent / "change.txt").write_text("inkov: change\nsteps:\n" + steps)
    view = json.loads(run_inkov("rehearse", site, site.parent / "change.txt", "--format", "json").out)
    assert [s["what"] for s in view["steps"]] == ["pier added", "pier:2: label kiosk"]
    assert (view["verdict"], view["order"]) == ("safe", [1, 2])
    assert {"from": "core:1", "at": ["pier:1", "pier:up"]} in view["whole"]["reach"]["gained"]
    (site.parent / "change.txt").write_text("inkov: change\nsteps:\n" + "".join(steps.splitlines(keepends=True)[::-1]))
    ran = run_inkov("rehearse", site, site.parent / "change.txt")
    assert (ran.code, ran.out) == (2, "")
    assert "no switch matches 'pier'" in ran.err


@pytest.mark.parametrize(
    ("cable", "message"),
    [
        ("core d1 - pier u1", "core:d1 is cabled already"),
        ("core d9 - pier u1", "'core d9 - pier u1' is not a cable between two ports that are there"),
    ],
)
def test_a_cable_needs_a_free_port_at_both_ends(site, cable, message):
    (site.parent / "pier.txt").write_text(HALL.replace("name: hall", "name: pier"))
    ran = run_inkov("rehearse", site, "--add", "pier.txt", "--cable", cable, cwd=site.parent)
    assert (ran.code, ran.out) == (2, "")
    assert message in ran.err


def test_a_switch_plugged_into_a_willing_port_joins_what_it_gets(site):
    """It makes a trunk of it: users and guests, on one hub; into a plain port it gets no more than its host had."""
    ran = run_inkov("rehearse", site, "--plug", "hall:3")
    assert ran.code == 1
    assert ran.out.splitlines()[0] == "c   1 step    NOT SAFE AS IT ENDS"
    assert "Claim  users, guests apart: proved → broken" in ran.out
    assert run_inkov("rehearse", site, "--plug", "hall:1").out.splitlines()[0] == "c   1 step    SAFE"


def test_every_socket_is_tried_worst_first(site):
    ran = run_inkov("failures", site, "--plugs", "--format", "json")
    rows = json.loads(ran.out)["rows"]
    assert ran.code == 1
    sockets = [r["what"].removeprefix("somebody's switch in ") for r in rows]
    assert sockets[:3] == ["core:d2", "hall:3", "hall:up"]  # a trunk that faces nobody, a willing port, a LAG of trunks
    assert [(r["claims"], r["gained"] > 0) for r in rows[:3]] == [(["users, guests apart"], True)] * 3
    assert [(r["claims"], r["gained"], r["lost"]) for r in rows[3:]] == [([], 0, 0)]


def test_sockets_of_an_unmanaged_device_are_tried_and_its_cables_are_none(site):
    hub = "inkov: switch\nname: hub\nkind: unmanaged\nports: {1-3: }\n"
    write_files(site, {"hub.yaml": hub, "campus.yaml": CAMPUS.replace("[core d1", "[hall 1 - hub 1, core d1")})
    ran = run_inkov("failures", site, "--plugs", "--format", "json")
    assert (ran.code, ran.err) == (1, "")
    tried = {text for row in json.loads(ran.out)["rows"] for text in (row["what"], *row["alike"])}
    assert "somebody's switch in hub:2-3" in tried
    assert not {text for text in tried if text.endswith(("hall:1", "hub:1"))}


def test_a_step_on_what_is_not_there_cannot_be_done(site):
    campus = inkov.load(site)
    (step,) = on_the_spot(Typed(sets=["hall:1 access 20"]), campus)
    with pytest.raises(CannotChange, match="there is no switch hall"):
        step.done(inkov.load(site / "core.yaml"))


def pairs(campus):
    """Who hears an untagged broadcast of whom, by the simulator."""
    return {(ref, at) for ref in edge_ports(campus) for at, _, _ in listeners(campus, ref, ()) if at != ref}


@given(campuses())
def test_what_a_cut_does_is_what_the_simulator_sees(campus):
    """Counted over all links at once, and from what one campus has in common with the other."""
    cuts = every_cut(campus, [(c.a, c.b) for c in campus.cables])
    before = pairs(campus)
    wanted = {}
    for step in cuts:
        ends = [replace(campus.switches[r.switch].ports[r.port], enabled=False) for r in step.ports]
        switches = dict(campus.switches)
        for ref, port in zip(step.ports, ends, strict=True):
            own = switches[ref.switch]
            switches[ref.switch] = replace(own, ports={**own.ports, ref.port: port})
        after = pairs(replace(campus, switches=switches))
        wanted[step.what] = len(before - after), len(after - before)
    for row in trials(campus, cuts):
        for what in (row.what, *row.alike):
            assert (row.lost, row.gained) == wanted[what], what


ODD = (
    "1-4",
    "4-1",
    "a,b",
    "p:1",
    "none",
    "a b",
    " a",
    "b ",
    "{x}",
    "2,",
    "-",
    "all",
    "x:y:z",
    "#",
    "true",
    "~",
    "'q",
    "=1",
    "?*[a]",
    "01",
    "1",
    "2",
)


@settings(max_examples=40)
@given(st.lists(st.sampled_from(ODD), min_size=1, unique=True), st.booleans(), st.booleans(), st.booleans())
def test_what_is_written_of_a_change_means_the_ports_it_was_made_for(names, together, listed, braces):
    """An export may call its ports anything; `=` stands before a name that would be a list or a range."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.yaml"
        odd = {f"={n}": {"access": 10} for n in ODD if n not in {"1", "2"}}
        ports = odd | ({"1,2": {"access": 10}} if listed else {"1": {"access": 10}, "2": {"access": 10}})
        document = {"inkov": "switch", "name": "a", "vlans": {10: "x", 20: "y"}, "ports": ports}
        path.write_text(dumped(document, flow=braces or None), "utf-8")
        campus = inkov.load(folder)
        refs = tuple(PortRef("a", n) for n in names)
        change = PortChange(access=20)
        made = [SetPorts(what="", ports=p, settings=change) for p in ([refs] if together else [(r,) for r in refs])]
        (Path(folder) / "change").write_text(written(made, "x"), "utf-8")
        document, lines, reading = read(Path(folder) / "change")
        edits, now = [], campus
        for step in steps(document, lines, campus, reading):
            edits.append(edits_of(step, now, step.done(now)))
            now = step.done(now)
        assert {n for n, p in now.switches["a"].ports.items() if p.switching == Access(20)} == set(names)
        path.write_bytes(edited({"a.yaml": path}, edits)["a.yaml"])
        assert inkov.load(folder).switches == now.switches
