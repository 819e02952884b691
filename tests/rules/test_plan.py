"""The register and the port plan: what slips look like, and what is said of them."""

import pytest

import inkov
from conftest import write_files

SWITCH = "inkov: switch\nname: archive\nrole: edge\nvlans: {340: research, 350: kiosks}\nports: "


def found(tmp_path, ports, campus):
    files = {"a.yaml": f"{SWITCH}{ports}\n", "campus.yaml": f"inkov: campus\nname: x\n{campus}\n"}
    return [f for f in inkov.audit(inkov.load(write_files(tmp_path, files))) if f.rule.startswith("plan/")]


PLAN = "plan: [{switch: 'arch*', ports: 1-6, vlan: 340}, {switch: archive, ports: 7-8, vlan: 350, voice: 340}]"


@pytest.mark.parametrize(
    ("ports", "place", "says"),
    [
        (
            "{1-7: {access: 340, voice: 340}, 8: {access: 350, voice: 340}}",
            "archive:7",
            "it has what port 6 beside it is to have, so the range looks one off",
        ),
        ("{1-6: {access: 350}, 7-8: {access: 340, voice: 340}}", "archive:1-8", "340 and 350 look swapped"),
        (
            "{1-6: {access: 340}, 7-8: {access: 350}}",
            "archive:7-8",
            "2 ports of archive (7-8) have no voice VLAN, and the plan says 340.",
        ),
        (
            "{1-5: {access: 340}, 6: {access: 350}, 7: {access: 340, voice: 340}, 8: {access: 350, voice: 340}}",
            "archive:6-7",
            "340 and 350 look swapped",
        ),
        (
            "{1-2: {access: 350}, 3-6: {access: 340}, 7-8: {access: 350, voice: 340}}",
            "archive:1-2",
            "and the plan says 340.",
        ),
    ],
)
def test_ports_off_plan_say_what_the_slip_was(tmp_path, ports, place, says):
    (finding,) = found(tmp_path, ports, PLAN)
    assert (finding.rule, finding.place) == ("plan/port", place)
    assert says in finding.what


def test_ranges_one_off_are_seen_as_such(tmp_path):
    plan = "plan: [{switch: archive, ports: '1-2,5-6', vlan: 340}, {switch: archive, ports: 3-4, vlan: 350}]"
    (finding,) = found(tmp_path, "{1-3: {access: 340}, 4-5: {access: 350}, 6: {access: 340}}", plan)
    assert finding.place == "archive:3,5"
    assert finding.what.endswith("; each has what a port beside it is to have, so the ranges look one off.")


def test_labels_off_plan(tmp_path):
    plan = "plan: [{switch: archive, ports: 1-3, label: Desk}]"
    assert found(tmp_path, "{1-3: {access: 340, label: ' desk '}}", plan) == []
    (finding,) = found(
        tmp_path, "{1: {access: 340, label: desk}, 2: {access: 340}, 3: {access: 340, label: lab}}", plan
    )
    assert finding.what == "archive:2-3 are labelled nothing and 'lab', and the plan says 'Desk'."


def test_a_plan_from_a_csv_list(tmp_path):
    write_files(tmp_path, {"plan.csv": "switch,ports,vlan,voice\narchive,1-6,340,\narchive,7-8,350,\n"})
    assert found(tmp_path, "{1-6: {access: 340}, 7-8: {access: 350}}", "plan: plan.csv") == []
    (finding,) = found(tmp_path, "{1-5: {access: 340}, 6-8: {access: 350}}", "plan: plan.csv")
    assert str(finding.evidence[-1].source) == "plan.csv:2"
    write_files(
        tmp_path, {"plan.csv": "switch,ports,vlan\narchive,1-6,340\narchive,6,x\nnobody,1,340\narchive,99,340\n"}
    )
    with pytest.raises(inkov.BadInput) as caught:
        found(tmp_path, "{1-6: {access: 340}}", "plan: plan.csv")
    assert str(caught.value).splitlines() == [
        "plan.csv:3: vlan: 'x' is not a VLAN number; expected 1 to 4094",
        "plan.csv:4: no switch matches 'nobody'; expected one of: archive",
        "plan.csv:5: archive has no port '99'; expected one of: 1, 2, 3, 4, 5, 6",
    ]
    with pytest.raises(inkov.BadInput, match=r"'gone.csv' cannot be read as a list of ports"):
        found(tmp_path, "{1-6: {access: 340}}", "plan: gone.csv")


def test_a_mistyped_number_names_the_one_that_was_meant(tmp_path):
    rows = found(tmp_path, "{1: {access: 340}, 2: {access: 350}}", "register: {430: research, 350: kiosks}")
    assert [(f.rule, f.place) for f in rows] == [("plan/unregistered", "VLAN 340")]
    assert "430 (research) may be meant" in rows[0].what
    assert found(tmp_path, "{1: {access: 340}, 2: {access: 350}}", "register: {}") == []


def test_where_a_vlan_may_and_must_be(tmp_path):
    register = "register: {340: {name: research, where: core}, 350: {name: lab, where: edge}, 360: {name: tills, where: 'arch*', everywhere: true}}"
    rows = {f.rule: f for f in found(tmp_path, "{1: {access: 340}, 2: {access: 350}}", register)}
    assert rows["plan/stray"].what == "research (340) is to exist on core only, and archive has it."
    assert rows["plan/missing"].what == "tills (360) is to exist on arch*, and archive lacks it."
    assert rows["plan/name"].what == "The register calls VLAN 350 lab, and it is called kiosks on archive."
