"""What the demo has of change: last night's edits, and two changes that are safe in another order only."""

import pytest

import inkov
from conftest import run_inkov
from inkov.demo.station import faults


def test_last_night_is_told_by_effect_and_by_edit(quillfin):
    ran = run_inkov("drift", "before", "as-found", cwd=quillfin)
    assert ran.code == 1
    lines = ran.out.splitlines()
    assert lines[0].startswith("before → as-found   5 changes   2 claims turned   4 findings new, 0 gone")
    at = lines.index(" BROKEN       patient records are one   was proved")
    assert lines[at + 1] == "  By   kelp-hall-2: VLAN 330 is no longer defined"
    at = next(i for i, line in enumerate(lines) if line.startswith(" OUTAGE  list/differs"))
    assert lines[at + 1] == "  By    boat-store:u1: list: without 360,380,390"
    assert sum(bool(f.get("night")) for f in faults()) == 4


def test_natives_are_safe_from_the_far_end_first(quillfin):
    ran = run_inkov("rehearse", "as-found", "changes/natives.yaml", cwd=quillfin)
    assert ran.code == 1
    lines = ran.out.splitlines()
    assert lines[0] == "natives off the users   4 steps    SAFE IN ANOTHER ORDER"
    assert lines[3:5] == ["  1.  kelp-hall-1:u1: native 990", "  2.  watchtower-a:a2: native 990"]
    why = "VLAN 305 becomes 990 between kelp-hall-1:u1 and watchtower-a:a2, which has another untagged VLAN"
    assert f"   Out of reach  kelp-hall-1: {why}; it needs a console" in lines
    view = inkov.rehearse(inkov.load(quillfin / "as-found"), quillfin / "changes" / "natives.yaml")
    assert (view.verdict, view.order) == ("safe in another order", (2, 1, 3, 4))


def test_the_list_must_come_before_the_phones(quillfin):
    ran = run_inkov("rehearse", "mended", "changes/new-pier.yaml", cwd=quillfin)
    assert ran.code == 1
    lines = ran.out.splitlines()
    assert lines[0] == "a second pier   3 steps    SAFE IN ANOTHER ORDER"
    order = ["pier-2 added", "ticket-office:u2: native 990, trunk 305,390,990, enabled on", "pier-2:1-4: enabled on"]
    assert lines[3:6] == [f"  {n}.  {what}" for n, what in enumerate(order, 1)]
    assert "   Breaks        the claim 'phones ring everywhere' does not hold in between" in lines


@pytest.mark.long
def test_the_worst_socket_comes_first(quillfin):
    lines = run_inkov("failures", "as-found", "--plugs", cwd=quillfin).out.splitlines()
    assert lines[1].startswith("somebody's switch in slipway:5-6 ")
    assert "one door to management" in lines[1]
