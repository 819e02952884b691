"""Siblings: the odd one out is named, and nothing is said where there is no majority."""

import pytest

from conftest import write_files
from inkov import api
from inkov.rules.registry import switch_text

VLANS = "{310: tanks, 340: research, 350: kiosks, 990: unused}"
PLAIN = "{1-6: {access: 310}, 7: {access: 340}, 8: {access: 350}}"


def found(folder, ports, names="s0 s1 s2 s3 s4", **more):
    """Audits one switch a port map, and returns the (place, what) of findings on siblings."""
    named = zip(names.split(), ports, strict=False)
    files = {f"{n}.yaml": switch_text(n, VLANS, text, **more) for n, text in named}
    write_files(folder, files)
    findings = api.audit(api.load(folder))
    return [(f.place, f.what) for head in findings for f in (head, *head.also) if f.rule.startswith("sibling/")]


def test_a_port_one_off_is_named_with_how_many_disagree(tmp_path):
    ((place, what),) = found(tmp_path, [PLAIN] * 4 + ["{1-5: {access: 310}, 6-7: {access: 340}, 8: {access: 350}}"])
    assert place == "s4:6"
    assert "is access 340; on 4 of 4 siblings that port is access 310; 7 beside it is access 340 there" in what


def test_of_three_switches_two_agree(tmp_path):
    ((place, what),) = found(tmp_path, [PLAIN, PLAIN, "{1-5: {access: 310}, 6-7: {access: 340}, 8: {access: 350}}"])
    assert (place, what[:60]) == ("s2:6", "s2:6 is access 340; on 2 of 2 siblings that port is access 3")


@pytest.mark.parametrize(
    "ports",
    [
        [PLAIN, "{1-5: {access: 310}, 6-7: {access: 340}, 8: {access: 350}}"],  # too few
        [f"{{1-7: {{access: {v}}}, 8: {{access: 350}}}}" for v in (310, 310, 340, 340)],  # no majority
        [PLAIN] * 4 + ["{1-4: {access: 340}, 5-8: {access: 340}}"],  # a job of its own
        [PLAIN] * 4
        + ["{1-5: {access: 310}, 6: {access: 340, label: research bench}, 7: {access: 340}, 8: {access: 350}}"],
        [PLAIN] * 4 + ["{1-6: {access: 310}, 7: {access: 340, enabled: false}, 8: {access: 350}}"],
    ],
    ids=["few", "even", "other", "labelled", "shut"],
)
def test_quiet_without_a_majority_or_with_a_reason(tmp_path, ports):
    assert found(tmp_path, ports) == []


def test_a_stated_role_makes_siblings_of_unlike_switches(tmp_path):
    ports = [f"{{1-4: {{access: 310}}, {n}: {{access: 350}}}}" for n in (11, 12, 13)]
    ports.append("{1: {access: 340}, 2-4: {access: 310}, 15: {access: 350}}")
    unlike = "archive boat cove dock"
    assert found(tmp_path, ports, unlike) == []
    ((place, _),) = found(tmp_path, ports, unlike, role="edge")
    assert place == "dock:1"


def test_a_stem_of_the_name_makes_siblings(tmp_path):
    ports = [PLAIN] * 3 + ["{1-6: {access: 310}, 7: {access: 350}, 8: {access: 350}}"]
    assert found(tmp_path / "a", ports, "archive boat cove dock") == []
    ((place, _),) = found(tmp_path / "b", ports, "hall-1 hall-2 hall-3 hall-4")
    assert place == "hall-4:7"
    assert found(tmp_path / "c", ports, "hall-1 hall-2 cove-3 cove-4") == []


def test_a_port_that_siblings_use_and_that_is_shut_or_parked_is_named_by_its_label(tmp_path):
    used = "{1-6: {access: 310}, 7: {access: 340, label: desk 7}, 8: {access: 350}}"
    for odd, said in (("access: 340, enabled: false", "shut"), ("access: 999", "in the parking VLAN 999")):
        ports = [used] * 3 + [f"{{1-6: {{access: 310}}, 7: {{{odd}, label: desk 7}}, 8: {{access: 350}}}}"]
        folder = write_files(tmp_path / said[:4], {"campus.yaml": "inkov: campus\nname: x\nparking: 999\n"})
        ((place, what),) = found(folder, ports)
        assert (place, what) == ("s3:7", f"s3:7, labelled 'desk 7', is {said}; 3 of 3 siblings use that port.")


def test_natives_and_lists_of_uplinks_are_compared_by_themselves(tmp_path):
    trunks = [
        f"{{1-4: {{access: 310}}, u1: {{trunk: '{310 + i},340', native: {n}}}}}"
        for i, n in enumerate((990, 990, 990, 350))
    ]
    ((place, what),) = found(tmp_path, trunks)
    assert (place, "is native 350; on 3 of 3 siblings that port is native 990" in what) == ("s3:u1", True)


def test_a_lone_port_breaks_a_run_unless_its_label_differs(tmp_path):
    lone = "{1-4: {access: 310, label: tank}, 5: {access: 340, label: %s}, 6-9: {access: 310, label: tank}}"
    ((place, what),) = found(tmp_path, [lone % "tank"])
    assert (place, what) == ("s0:5", "s0:5 is access 340 in the middle of 2-4,6-8, which are access 310.")
    assert found(tmp_path, [lone % "scale"]) == []


def test_the_root_and_the_next_in_line_may_have_a_priority_of_their_own(tmp_path):
    ports = ["{1-4: {access: 310}}"] * 6
    tree = "{protocol: rstp, priority: %d}"
    files = {
        f"s{i}.yaml": switch_text(f"s{i}", VLANS, p, tree=tree % n)
        for i, (p, n) in enumerate(zip(ports, (4096, 8192, *[32768] * 4), strict=True))
    }
    assert not [f for f in api.audit(api.load(write_files(tmp_path, files))) if f.rule == "sibling/switch"]
    write_files(tmp_path, {"s5.yaml": switch_text("s5", VLANS, ports[0], tree=tree % 40960)})
    (found,) = [f for f in api.audit(api.load(tmp_path)) if f.rule == "sibling/switch"]
    assert found.what == "s5 has bridge priority 40960; 3 of its 3 siblings have the usual bridge priority."
