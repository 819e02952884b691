"""Changes tried out: steps, reach from where one sits, orders against brute force, failures, and what a file may not say."""

import json
from itertools import permutations

import pytest

import inkov
from conftest import run_inkov, write_files
from inkov.change.rehearsal import Rehearsal
from inkov.formats.ours.change_file import Typed, on_the_spot

CORE = (
    "inkov: switch\nname: core\nvlans: {5: management, 10: users, 99: unused}\n"
    "ports: {1: {access: 5}, 2: {access: 10}, hall: {trunk: '5,10,99', native: 5}}\n"
)
HALL = (
    "inkov: switch\nname: hall\nvlans: {5: management, 10: users, 99: unused}\n"
    "ports: {1: {access: 10}, core: {trunk: '5,10,99', native: 5}}\ngateways: {5: 192.0.2.2/27}\nneighbours: {core: core hall}\n"
)
CAMPUS = (
    "inkov: campus\nname: c\nhosts: [{name: desk, port: 'core:1', address: 192.0.2.9/27}]\nclaims: [{together: '10'}]\n"
)
CHANGE = "inkov: change\nname: natives off management\nfrom: desk\nsteps:\n"
NEAR = "  - {at: 'core:hall', native: 99}\n"
FAR = "  - {at: 'hall:core', native: 99}\n"


@pytest.fixture
def campus(tmp_path):
    claim = CAMPUS.replace("claims: [{together: '10'}]", "segments: {users: {vlan: 10}}\nclaims: [{together: users}]")
    return write_files(tmp_path, {"core.yaml": CORE, "hall.yaml": HALL, "campus.yaml": claim})


def rehearsed(folder, text, *more):
    (folder / "change.txt").write_text(text, "utf-8")
    return run_inkov("rehearse", folder, folder / "change.txt", *more)


def test_the_near_end_first_saws_off_the_branch_and_the_far_end_first_does_not(campus):
    ran = rehearsed(campus, CHANGE + NEAR + FAR)
    assert ran.code == 1, ran.err
    lines = ran.out.splitlines()
    assert lines[0] == "natives off management   2 steps    SAFE IN ANOTHER ORDER"
    assert lines[2:5] == ["do it in this order", "  1.  hall:core: native 99", "  2.  core:hall: native 99"]
    assert any(line.startswith("   Out of reach  hall: ") and line.endswith("; it needs a console") for line in lines)
    assert rehearsed(campus, CHANGE + FAR + NEAR).code == 0


def test_json_says_the_same_and_fits_its_schema(campus):
    jsonschema = pytest.importorskip("jsonschema")
    document = json.loads(rehearsed(campus, CHANGE + NEAR + FAR, "--format", "json").out)
    jsonschema.validate(document, json.loads(run_inkov("schema", "rehearse").out))
    assert (document["verdict"], document["order"], document["exact"]) == ("safe in another order", [2, 1], True)
    assert [s["out_of_reach"] != [] for s in document["steps"]] == [True, True]


def test_a_list_that_lacks_a_vlan_must_grow_before_the_port_moves(campus):
    parted = "  - {at: 'core:2', access: 20}\n  - {at: 'hall:1', access: 20}\n"
    wide = "  - {at: core, vlans: {20: new}}\n  - {at: hall, vlans: {20: new}}\n  - {at: 'core:hall', allow: 20}\n  - {at: 'hall:core', allow: 20}\n"
    view = json.loads(rehearsed(campus, CHANGE + wide + parted, "--format", "json").out)
    assert [s["what"] for s in view["steps"]][:3] == [
        "core: define VLAN 20",
        "hall: define VLAN 20",
        "core:hall: allow 20",
    ]
    assert (
        view["verdict"] == "not safe as it ends"
    )  # nobody is among the users any more; and whichever of the two ports moves first, it no longer hears the other
    assert "core:2 and hall:1 lose each other in between" in view["steps"][4]["breaks"]


def test_orders_are_what_trying_all_of_them_gives(campus):
    texts = [
        "core:hall native 99",
        "hall:core native 99",
        "core:hall disallow 10",
        "core:hall allow 10",
        "hall:1 enabled false",
    ]
    made = inkov.load(campus)
    for some in permutations(texts, 3):
        rehearsal = Rehearsal(made, on_the_spot(Typed(list(some)), made), "desk")
        every = [plan for plan in permutations([(0,), (1,), (2,)]) if rehearsal.ordering.safe(plan)]
        found = rehearsal.ordering.plan()
        assert (found in every) if every else (found == () or max(map(len, found)) == 2)


def test_failures_are_tried_one_by_one_worst_first(campus):
    ran = run_inkov("failures", campus, "--cuts", "--fails")
    assert ran.code == 1
    rows = ran.out.splitlines()
    assert rows[0].split("  ")[0] == "what happens"
    assert rows[1].startswith("cut core:hall - hall:core")
    assert rows[1].endswith("users together")
    one = run_inkov("rehearse", campus, "--cut", "core:hall")
    assert "Claim  users together: proved → broken" in one.out
    assert run_inkov("rehearse", campus, "--set", "hall:1 label desk").out.splitlines()[0] == "c   1 step    SAFE"


@pytest.mark.few(8)
@pytest.mark.parametrize(
    ("text", "message"),
    [
        (CHANGE, "steps: expected a list"),
        (CHANGE + "  - {at: 'core:9', native: 5}\n", "core has no port '9'; expected one of: 1, 2, hall"),
        (CHANGE + "  - {at: 'cores:1', native: 5}\n", "no switch matches 'cores'; did you mean 'core'?"),
        (CHANGE + "  - {at: 'core:1', native: 5}\n", "core:1: native 5: 'native' is of a trunk, and this port is none"),
        (CHANGE + "  - {at: 'core:1', natif: 5}\n", "unknown key 'natif'; did you mean 'native'?"),
        (CHANGE + "  - {at: 'core:1'}\n", "a step 'at' a place needs something to change there"),
        (
            CHANGE + "  - {fail: core, cut: 'core:1'}\n",
            "a step has one of 'at', 'replace', 'add', 'plug', 'cut' and 'fail'",
        ),
        (CHANGE + "  - {fail: core, label: x}\n", "a step with 'fail' has no 'label'"),
        (CHANGE + "  - {replace: core}\n", "a step with 'replace' needs 'with': the file of what comes instead"),
        (CHANGE + "  - {replace: cor, with: x.yaml}\n", "there is no switch 'cor'; did you mean 'core'?"),
        (CHANGE + "  - {replace: core, with: x.yaml}\n", "there is no file 'x.yaml' beside the change file"),
        (CHANGE + "  - {add: hall.yaml}\n", "hall added: hall is there already"),
        (CHANGE + "  - {plug: core}\n", "'core' is no port; say switch:port"),
        (CHANGE + "  - {at: core, tree: {cost: 18}}\n", "'tree.cost' is of a port; say switch:port"),
        (CHANGE + "  - {at: 'core:1', vlans: {7: x}}\n", "'vlans' and 'gateways' are of a switch, not of its ports"),
        (CHANGE + "  - {at: 'core:1', lag: L}\n", "core:1: lag L: core has no LAG L"),
        (
            CHANGE + "  - {cut: nowhere}\n",
            "'nowhere' is not a cable; expected switch:port, or switch:port - switch:port",
        ),
        (
            CHANGE + "  - {at: core, gateways: {10: x}}\n",
            "steps/0/gateways/10: 'x' is not an address; expected one such as 192.0.2.1/27, or 'none'\n",
        ),
        (
            CHANGE + "  - {at: 'core:1', voice: [5]}\n",
            "steps/0/voice: found a list; expected a VLAN number, 1 to 4094, or 'none'\n",
        ),
        (
            CHANGE + "  - {at: core, vlans: {7: {nmae: x}}}\n",
            "steps/0/vlans/7/nmae: unknown key 'nmae'; did you mean 'name'?\n",
        ),
        (CHANGE + "  - {fail: hal}\n", "there is no switch 'hal'; did you mean 'hall'?"),
        ("{", ""),
    ],
)
def test_what_a_change_may_not_say_is_told_with_its_place(campus, text, message):
    ran = rehearsed(campus, text)
    assert (ran.code, ran.out) == (2, "")
    assert message in ran.err
    assert "Traceback" not in ran.err


def test_a_cable_that_nobody_misses_turns_no_claim(quillfin):
    """A claim that is to survive a failure is judged as things are after it, not by whether it survives one more."""
    ran = run_inkov("failures", "mended", "--cuts", cwd=quillfin)
    rows = [line for line in ran.out.splitlines() if line.startswith("cut")]
    assert rows[0].startswith("cut kelp-hall-1:u1 - watchtower-a:a2")
    assert "the cove works on" not in ran.out
    assert "cut gull-roost:u2 - reef-gate:u2" not in ran.out
