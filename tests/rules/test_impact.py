"""Which claims a finding is said to hit: those that it breaks, by frames, by packets and by cuts, and no others."""

import inkov
from conftest import write_files
from inkov.rules import blame

SWITCH = "inkov: switch\nname: {0}\nvlans: {1}\nports: {{1: {{access: 10}}, 2: {{access: 20}}, u: {{trunk: {2}}}}}\n{3}"
CAMPUS = (
    "inkov: campus\nname: c\nsegments: {tills: {vlan: 10}, kiosks: {vlan: 20}}\n"
    "claims:\n  - {name: no meeting, apart: [tills, kiosks], layer: 2}\n"
    "  - {name: tills whole, together: [tills]}\n  - {name: kiosks whole, together: [kiosks]}\n"
)


def claims_of(folder):
    """Returns the claims that findings hit, by rule."""
    found = [f for top in inkov.audit(inkov.load(folder)) for f in (top, *top.also)]
    return {f.rule: f.claims for f in found if f.claims}


def site(tmp_path, far="{10: , 20: }", trunk="'10,20', native: 10", more=""):
    files = {
        "a.yaml": SWITCH.format("a", "{10: , 20: }", "'10,20', native: 10", "neighbours: {u: b u}\n"),
        "b.yaml": SWITCH.format("b", far, trunk, more),
    }
    return write_files(tmp_path, {**files, "campus.yaml": CAMPUS})


def test_each_claim_is_put_down_to_what_breaks_it(tmp_path):
    joined = claims_of(site(tmp_path, trunk="'10,20', native: 20"))
    assert set(joined["native/mismatch"]) == {"no meeting", "tills whole", "kiosks whole"}
    cut = claims_of(site(tmp_path, far="{10: }"))
    assert {c for rule, some in cut.items() if rule in {"access/undefined", "vlan/missing"} for c in some} == {
        "kiosks whole"
    }
    left_out = claims_of(site(tmp_path, trunk="10, native: 10"))
    assert left_out["list/differs"] == ("kiosks whole",)
    assert claims_of(site(tmp_path)) == {}


def test_of_too_many_claims_none_is_decided(tmp_path, monkeypatch):
    monkeypatch.setattr(blame, "_MOST_DECIDED", 2)
    monkeypatch.setattr(blame.Prover, "decide", None)
    assert claims_of(site(tmp_path, trunk="10, native: 10")) == {"list/differs": ("kiosks whole",)}


PORTS = (
    "inkov: campus\nname: c\n"
    "segments: {across: {ports: 'a:2', hosts: [far]}, near: {ports: 'a:2'}, tills: {ports: 'a:1,2'}, other: {vlan: 20}}\n"
    "hosts: [{name: far, port: 'b:2'}]\n"
    "claims:\n  - {name: across whole, together: [across]}\n  - {name: near whole, together: [near]}\n"
    "  - {name: other whole, together: [other]}\n  - {name: no meeting, apart: [tills, other], layer: 2}\n"
    "  - {name: no packets, apart: [tills, other], layer: 3}\n"
)


def test_segments_of_ports_are_at_stake_where_some_of_their_ports_are_cut_off_or_joined(tmp_path, monkeypatch):
    monkeypatch.setattr(blame, "_MOST_DECIDED", 0)
    write_files(site(tmp_path / "cut", trunk="10, native: 10"), {"campus.yaml": PORTS})
    assert claims_of(tmp_path / "cut")["list/differs"] == ("across whole", "other whole")
    write_files(site(tmp_path / "joined", trunk="'10,20', native: 20"), {"campus.yaml": PORTS})
    assert claims_of(tmp_path / "joined")["native/mismatch"] == ("other whole", "no meeting")
