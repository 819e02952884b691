"""Cures: what is offered cures, harms nothing, never spreads the fault, and goes into `rehearse` as it is."""

import json

import pytest

import inkov
from conftest import run_inkov, write_files
from inkov.change import side as sides
from inkov.change.mending import mended
from inkov.changes import cured
from inkov.demo.station import as_found, faults
from inkov.formats.ours.change_file import read
from inkov.formats.ours.change_file import steps as read_steps
from inkov.formats.ours.change_writer import written
from inkov.formats.rewrite import edited, edits_of
from inkov.model.names import PortRef
from inkov.rules.catalogue import RULES
from inkov.rules.choice import identity
from inkov.steps.settings import PortChange
from inkov.steps.steps import SetPorts

ORDER = ["breach", "outage", "risk", "tidy"]
ranks = {"Proved": 0, "CannotTell": 1, "Broken": 2}


@pytest.mark.few(4)
@pytest.mark.parametrize("name", sorted(f["name"] for f in faults())[::2])
def test_a_cure_that_is_offered_cures_and_harms_nothing(name, tmp_path):
    """Every other planted fault of the demo alone: judged by an audit and by proofs of the campus after the cure."""
    campus = inkov.load(write_files(tmp_path, as_found([name])))
    before = inkov.audit(campus)
    view, steps, after = mended(campus)
    found = inkov.audit(after)
    known, still = {identity(f) for f in before}, {identity(f) for f in found}
    cured = {(c.rule, c.place) for c in view.cures}
    assert not {(f.rule, f.place) for f in before if identity(f) in still} & cured
    worst = min((ORDER.index(c.severity) for c in view.cures), default=9)
    assert not [f for f in found if identity(f) not in known and ORDER.index(f.severity.value) <= worst]
    was, now = (inkov.prove(c) for c in (campus, after))
    for one, other in zip(was, now, strict=True):
        assert ranks[type(other.outcome).__name__] <= ranks[type(one.outcome).__name__]
    assert bool(steps) == bool(view.cures)


@pytest.mark.long
def test_faults_with_one_right_answer_have_a_certain_cure(tmp_path):
    campus = inkov.load(write_files(tmp_path, as_found()))
    wanted = (
        *("native/mismatch", "list/differs", "stance/both-wait", "trunk/one-sided", "vlan/missing", "lag/unformed"),
        *(
            "tags/differ",
            "vlan/aliases",
            "native/users",
            "voice/same",
            "edge/on-link",
            "plan/port",
            "stance/contradicts",
        ),
    )
    view, _, _ = mended(campus, wanted)
    assert {c.rule for c in view.cures} == set(wanted)


@pytest.mark.long
def test_mend_of_the_demo_goes_into_rehearse(quillfin, tmp_path):
    change = tmp_path / "cure.yaml"
    some = ["--only", "native/mismatch", "--only", "access/undefined", "--only", "list"]
    ran = run_inkov("mend", "as-found", *some, "-o", change, cwd=quillfin)
    assert ran.code == 1
    assert (
        " BREACH  native/mismatch        visitor-pier:u1 <-> watchtower-a:a4\n  Do  visitor-pier:u1: native 990\n"
        in ran.out
    )
    assert "Do  dive-shed: define VLAN 430" not in ran.out  # a slip of one port is not spread
    document = json.loads(run_inkov("mend", "as-found", *some, "--format", "json", cwd=quillfin).out)
    assert document["inkov"] == "mend"
    whole = json.loads(run_inkov("rehearse", "as-found", change, "--format", "json", cwd=quillfin).out)["whole"]
    gone = {(f["rule"], f["place"]) for f in whole["findings"]["gone"]}
    assert {(c["rule"], c["place"]) for c in document["cures"]} <= gone
    assert all(c["after"] != "broken" for c in whole["claims"])


def test_only_some_findings_are_mended_when_asked(quillfin):
    ran = run_inkov("mend", "as-found", "--only", "native/*", "--at", "visitor-pier", cwd=quillfin)
    assert ran.out.count("native/mismatch") == 1
    assert "list/differs" not in ran.out
    assert run_inkov("mend", "mended", cwd=quillfin).code == 0


def test_cures_are_written_into_copies_and_read_back(quillfin, tmp_path):
    """What is left of the copy is what was tried; files that no cure touches are the same bytes, dumps of devices too."""
    fixed = tmp_path / "fixed"
    ran = run_inkov("mend", "as-found", "--apply", fixed, "--diff", cwd=quillfin)
    assert ran.code == 1
    assert ran.err == f"wrote {fixed.as_posix()}: 13 files changed; read back, it is what was tried\n"
    assert '-  up:    {trunk: "600-602,990", native: 990, lacp: passive}\n' in ran.out
    assert '+  up:    {trunk: "600-602,990", native: 990, lacp: active}\n' in ran.out
    assert "walks/hatchery-2.walk: SNMP walks tell what a device has; they cannot be edited" in ran.out
    same = [p for p in (quillfin / "as-found").rglob("*") if p.is_file()]
    differ = [p for p in same if p.read_bytes() != (fixed / p.relative_to(quillfin / "as-found")).read_bytes()]
    assert len(differ) == 13
    assert all(p.suffix in {".yaml", ".json"} for p in differ)
    _, _, after = mended(inkov.load(quillfin / "as-found"), ("native/mismatch",))
    assert "native/mismatch" not in {f.rule for f in inkov.audit(inkov.load(fixed))} | {
        f.rule for f in inkov.audit(after)
    }
    assert run_inkov("prove", fixed, "--claim", "apart tills kiosks").code == 0
    assert run_inkov("prove", quillfin / "as-found", "--claim", "apart tills kiosks").code == 1


@pytest.mark.few(1)
@pytest.mark.parametrize(
    ("folder", "message"),
    [
        ("as-found/copy", "lies in the site's own folder; name one elsewhere"),
        ("mended", "is there already; name a new folder"),
    ],
)
def test_a_folder_that_is_none_of_ours_is_left_alone(quillfin, folder, message):
    before = sorted(quillfin.rglob("*"))
    ran = run_inkov("mend", "as-found", "--only", "lag/unformed", "--apply", folder, cwd=quillfin)
    assert ran.code == 2
    assert message in ran.err
    assert sorted(quillfin.rglob("*")) == before


@pytest.mark.long
def test_python_says_the_same(quillfin):
    campus = inkov.load(quillfin / "as-found")
    view = inkov.mend(campus, ["lag/unformed"])
    assert [c.steps for c in view.cures] == [("boat-dock:up: lacp active",)]
    document = json.loads(run_inkov("mend", "as-found", "--only", "lag/*", "--format", "json", cwd=quillfin).out)
    left = next(r for r in document["left"] if r["rule"] == "lag/scattered")
    assert (left["decide"], left["why"]) == (True, "somebody has to decide")


@pytest.mark.parametrize("rule", sorted(n for n, r in RULES.items() if r.cure))
def test_the_example_of_each_rule_that_can_be_cured(rule, tmp_path):
    """Cured in the copy of its files as well: its finding is gone there, and nothing as bad is new."""
    site = write_files(tmp_path / "site", RULES[rule].breaks.files)
    view, _, copies = cured(site, [rule])
    if rule in UNCURED:
        assert view.cures == ()
        return
    copies.write(tmp_path / "fixed")
    before, after = inkov.audit(inkov.load(site)), inkov.audit(inkov.load(tmp_path / "fixed"))
    assert rule not in {f.rule for f in after}
    severity = ORDER.index(view.cures[0].severity)
    known = {identity(f) for f in before}
    assert [f for f in after if identity(f) not in known and ORDER.index(f.severity.value) <= severity] == []


UNCURED = {
    "gateway/down",  # no switch has the VLAN: whether it is meant to be is not known
    "lag/one-ended",  # no member of it ends in a LAG
    "native/default",  # no trunk of these two has another native VLAN
    "native/jump",  # another rule tells of it here
    "native/users",  # as native/default
    "trunk/absent",  # as native/default
    "tree/edge-root",  # no other switch has a priority that would make it root
    "voice/same",  # no other port has a voice VLAN
    "voice/undefined",  # as voice/same
}
"""Rules whose own examples show nothing that is right elsewhere."""


def star(folder, leaves, more="", core="1: {access: 10}"):
    """A core and switches around it, the lists of which leave out a VLAN that both sides use."""
    own = "inkov: switch\nname: {}\nvlans: {{10: users, 20: guests}}\nports: {{{}, 2: {{access: 20}}, {}}}\n"
    ends = ", ".join(f"d{n}: {{trunk: '10,20', native: none}}" for n in range(leaves))
    files = {
        f"hall{n}.yaml": own.format(f"hall{n}", "1: {access: 10}", "u: {trunk: '20', native: none}")
        for n in range(leaves)
    }
    cables = ", ".join(f"core d{n} - hall{n} u" for n in range(leaves))
    files |= {
        "core.yaml": own.format("core", core, ends),
        "campus.yaml": f"inkov: campus\nname: c\ncables: [{cables}]\n{more}",
    }
    return inkov.load(write_files(folder, files))


BOX = (
    "inkov: switch\nname: {}\nvlans: {{10: x}}\ntree: {{protocol: rstp{}}}\nports: {{1: {{access: 10}}, u1: {{lag: up}}, u2: {{lag: up{}}}}}\n"
    "lags: {{up: {{trunk: '10', native: none, lacp: active}}}}\n"
)
PAIR = {
    "quay.yaml": BOX.format("quay", ", priority: 5000", ", enabled: false") + "neighbours: {u1: pier u1}\n",
    "pier.yaml": BOX.format("pier", "", ""),
}


@pytest.mark.parametrize(("cables", "steps"), [("[quay u2 - pier u2]", ["quay:u2: enabled on"]), ("[]", [])])
def test_a_member_that_is_off_is_turned_on_where_its_cable_ends_in_the_same_lag(tmp_path, cables, steps):
    files = PAIR | {"campus.yaml": f"inkov: campus\nname: c\ncables: {cables}\n"}
    view = inkov.mend(inkov.load(write_files(tmp_path, files)), ["lag/uneven"])
    assert [s for c in view.cures for s in c.steps] == steps


@pytest.mark.parametrize(("priority", "nearest"), [(5000, 4096), (7000, 8192), (61000, 61440), (65000, 61440)])
def test_a_priority_between_the_steps_becomes_the_nearest(tmp_path, priority, nearest):
    files = {name: text.replace("5000", str(priority)) for name, text in PAIR.items()}
    view = inkov.mend(inkov.load(write_files(tmp_path, files)), ["tree/priority"])
    assert [c.steps for c in view.cures] == [(f"quay: tree priority {nearest}",)]


@pytest.fixture
def audits(monkeypatch):
    """How often a campus is audited."""
    seen = []
    monkeypatch.setattr(sides, "audit", lambda *a, old=sides.audit, **k: seen.append(a) or old(*a, **k))
    return seen


def test_many_faults_of_one_kind_are_cured_at_once(tmp_path, audits):
    view, steps, _ = mended(star(tmp_path, 12), ["list/differs"])
    assert [c.steps for c in view.cures] == [(f"hall{n}:u: allow 10",) for n in range(12)]
    assert len(steps) == 12
    assert len(audits) == 2


def test_links_at_a_switch_without_members_are_one_outage_and_mended_together(tmp_path):
    campus = star(tmp_path, 4, core="1: {access: 20}")
    view, _, after = mended(campus, ["list/differs"])
    assert [c.severity for c in view.cures] == ["outage"]
    assert [c.steps for c in view.cures] == [tuple(f"hall{n}:u: allow 10" for n in range(4))]
    assert not [f for f in inkov.audit(after) if f.rule == "list/differs"]


def test_a_cure_that_would_harm_spoils_none_of_the_others(tmp_path, audits):
    claim = "segments: {lone: {ports: [hall5:1]}, rest: {ports: [core:1]}}\nclaims: [{apart: [lone, rest]}]\n"
    view, _, after = mended(star(tmp_path, 12, claim), ["list/differs"])
    assert [c.place for c in view.cures] == [f"core:d{n} <-> hall{n}:u" for n in range(12) if n != 5]
    assert [(row.place, row.why) for row in view.left] == [
        ("core:d5 <-> hall5:u", "no change was found that harms nothing")
    ]
    (verdict,) = inkov.prove(after)
    assert type(verdict.outcome).__name__ == "Proved"
    assert len(audits) < 15  # once without a look at claims, and once more with it


def test_a_fault_is_never_spread(tmp_path):
    """Most winch desks have the wrong voice VLAN, and the counter's is no VLAN at all: it is not given theirs."""
    site = write_files(
        tmp_path,
        {
            "a.yaml": "inkov: switch\nname: a\nvlans: {10: desks, 20: phones}\n"
            "ports: {1-4: {access: 10, voice: 10}, 5: {access: 10, voice: 30}, 6-7: {access: 10, voice: 20}}\n"
        },
    )
    view, _, after = mended(inkov.load(site))
    assert {p: s.switching.voice for p, s in after.switches["a"].ports.items()} == dict.fromkeys("1234567", 20)
    assert ("a:1-4: voice 20",) in [c.steps for c in view.cures]


def test_a_slip_is_mended_only_where_one_vlan_can_have_been_meant(tmp_path):
    """310 and 330 are both a digit away from 320 and 130; with one too many, or two that changed places, 310 alone is."""
    text = "inkov: switch\nname: a\nvlans: {{310: tills, 330: tanks}}\nports: {{1: {{access: 310}}, 2: {{access: {0}}}, 3: {{access: 310}}, 4: {{access: 330}}}}\n"
    for typed, cures in ((320, []), (3110, [("a:2: access 310",)]), (130, []), (301, [("a:2: access 310",)])):
        view, _, _ = mended(inkov.load(write_files(tmp_path, {"a.yaml": text.format(typed)})), ["access/undefined"])
        assert [c.steps for c in view.cures] == cures, typed


PRIVATE = {
    "a.yaml": "inkov: switch\nname: dock\nvlans: {600: {type: primary}, 601: {type: isolated, primary: 600}, 602: {type: community, primary: 600, name: crew}}\n"
    "ports: {3: {promiscuous: {primary: 600, secondaries: '601'}}, u: {trunk: all}}\nneighbours: {u: pier u}\n",
    "b.yaml": "inkov: switch\nname: pier\nvlans:\n  600: {type: primary}\n  601: {name: bilge, type: isolated}\nports: {1: {private: {primary: 600, secondary: 601}}, u: {trunk: all}}\n",
}


def test_private_vlans_are_tied_defined_and_mapped_as_elsewhere(tmp_path):
    """In the change file, read again, and in the files themselves."""
    site = write_files(tmp_path / "site", PRIVATE)
    campus = inkov.load(site)
    view, steps, after = mended(campus, ["private/*"])
    said = [s for c in view.cures for s in c.steps]
    assert sorted(said) == [
        "dock:3: secondaries 601-602",
        "pier: VLAN 601 isolated of 600",
        "pier: VLAN 602 community of 600",
    ]
    (tmp_path / "cure.yaml").write_text(written(steps, "cure"), "utf-8")
    document, lines, reading = read(tmp_path / "cure.yaml")
    again = campus
    for step in read_steps(document, lines, campus, reading):
        again = step.done(again)
    assert again.switches == after.switches
    cured(site, ["private/*"])[2].write(tmp_path / "fixed")
    fixed = inkov.load(tmp_path / "fixed")
    assert {n: s.vlans for n, s in fixed.switches.items()} == {n: s.vlans for n, s in after.switches.items()}
    assert fixed.switches["dock"].ports["3"].switching == after.switches["dock"].ports["3"].switching


def test_a_step_that_takes_a_setting_away_can_be_written_and_read_again(tmp_path):
    """As a cure may have it: no phone any more, and no native VLAN; in a change file, and in the switch file."""
    text = "inkov: switch\nname: a\nvlans: {10: x, 20: y}\nports: {1: {access: 10, voice: 20}, u: {trunk: all, native: 20}}\n"
    campus = inkov.load(write_files(tmp_path, {"a.yaml": text}))
    steps = [
        SetPorts(what="a:1: voice none", ports=(PortRef("a", "1"),), settings=PortChange(voice=None)),
        SetPorts(what="a:u: native none", ports=(PortRef("a", "u"),), settings=PortChange(native=None)),
    ]
    (tmp_path / "change.txt").write_text(written(steps, "less"))
    view = json.loads(run_inkov("rehearse", tmp_path, tmp_path / "change.txt", "--format", "json").out)
    assert [s["what"] for s in view["steps"]] == ["a:1: voice none", "a:u: native none"]
    edits = [edits_of(step, campus, step.done(campus)) for step in steps]
    (made,) = edited({"a.yaml": tmp_path / "a.yaml"}, edits).values()
    assert made.decode() == text.replace(", voice: 20", "").replace("native: 20", "native: none")


def test_a_cure_that_a_port_cannot_take_is_left_and_nothing_is_written_of_none(tmp_path):
    """Ports of walks have sets of their own; a list is not added to what is none."""
    ports = "ports: {{1: {{access: 10}}, 2: {{access: 20}}, u: {}}}\n"
    general, trunk = "{general: {tagged: '10'}}", "{trunk: '10,20', native: none}"
    text = "inkov: switch\nname: {}\nvlans: {{10: x, 20: y}}\n"
    names = {"a": general, "b": trunk, "c": general, "d": trunk}
    site = write_files(tmp_path / "site", {f"{n}.yaml": text.format(n) + ports.format(u) for n, u in names.items()})
    write_files(site, {"campus.yaml": "inkov: campus\nname: c\ncables: [a u - b u, c u - d u]\n"})
    ran = run_inkov("mend", site, "--apply", tmp_path / "fixed", "-o", tmp_path / "cure.yaml")
    assert ran.code == 1
    assert ran.out.splitlines()[0] == "c   0 certain cures   4 findings above tidy left to decide"
    assert ran.out.count("list/differs") == 2
    assert ran.err.splitlines()[0] == f"no cure is certain; {tmp_path / 'cure.yaml'} is not written"
    assert not (tmp_path / "cure.yaml").exists()
