"""Each planted fault is named by its finding; nothing that is not in the key is above tidy."""

import json

import pytest

import inkov
from conftest import run_inkov, write_files
from inkov.demo.station import as_found, faults, mended

KEY = {
    "kiosks-meet-tills": ("native/mismatch", "visitor-pier:u1 <-> watchtower-a:a4"),
    "boat-store-list-replaced": ("list/differs", "boat-store:u1 <-> watchtower-b:a4"),
    "vets-cut-at-kelp-hall": ("vlan/missing", "kelp-hall-2"),
    "compressor-number-mistyped": ("access/undefined", "dive-shed:7"),
    "plankton-ports-untouched": ("access/default", "plankton-lab:13-16"),
    "hatchery-switch-replaced": ("trunk/one-sided", "hatchery-1:u2 <-> hatchery-2:u1"),
    "pump-loft-uplink-is-access": ("trunk/absent", "pump-loft:u1 <-> watchtower-b:a2"),
    "doors-called-gates": ("vlan/aliases", "VLAN 380"),
    "management-mistyped": ("vlan/namesakes", "management"),
    "phones-without-a-name": ("vlan/unnamed", "ticket-office"),
    "plankton-native-is-default": ("native/default", "plankton-lab:u1 <-> watchtower-b:a5"),
    "management-is-native": ("native/users", "VLAN 305"),
    "archive-takes-everything": ("list/everything", "archive:u1"),
    "ward-is-deaf": ("neighbour/one-sided", "kelp-hall-2:u2 <-> seal-ward:u1"),
    "dive-shed-patched-elsewhere": ("neighbour/contradicts", "watchtower-b:a3"),
    "ticket-office-trimmed": ("vlan/islands", "VLAN 390"),
}


def test_key_covers_every_planted_fault():
    assert KEY.keys() == {f["name"] for f in faults()}
    assert all(f["story"] for f in faults())


def test_as_found_names_every_fault_and_nothing_else_above_tidy(quillfin):
    ran = run_inkov("audit", "as-found", "--format", "json", cwd=quillfin)
    assert ran.code == 1
    found = json.loads(ran.out)["findings"]
    named = {(f["rule"], f["place"]) for f in found}
    assert set(KEY.values()) <= named
    assert {(f["rule"], f["place"]) for f in found if f["severity"] != "tidy"} <= set(KEY.values())


def test_mended_has_no_finding_and_every_claim_is_proved(quillfin):
    ran = run_inkov("audit", "mended", cwd=quillfin)
    assert (ran.code, ran.out) == (
        0,
        "Quillfin Marine Station   14 switches   238 ports   13 links   13 VLANs\nno findings\n",
    )
    assert run_inkov("prove", "mended", cwd=quillfin).code == 0


@pytest.mark.parametrize("name", sorted(KEY))
def test_each_fault_alone_is_found_alone(name, tmp_path):
    """Faults do not lean on each other: with one planted, its finding leads and no other is above tidy."""
    found = inkov.audit(inkov.load(write_files(tmp_path, as_found([name]))))
    rule, place = KEY[name]
    assert (found[0].rule, found[0].place) == (rule, place)
    assert [f.rule for f in found if f.severity.value != "tidy"] in ([], [rule])


def test_the_station_is_big_and_mixed_enough():
    files = mended()
    exports = [n for n in files if n.endswith(".json")]
    switches = [n for n in files if n.startswith("switches/")] + exports
    assert len(switches) >= 12
    assert len(exports) * 3 >= len(switches)
