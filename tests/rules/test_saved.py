"""What is saved against what runs."""

import json

import pytest

import inkov
from conftest import write_files

HEAD = "inkov: switch\nname: {0}\nvlans: {{310: tanks, 330: vets}}\n"
RUNS = HEAD + "ports: {{1: {{access: 310}}, 2: {{access: 330}}, u: {{trunk: '310,330'}}}}\n"


def found(tmp_path, saved):
    files = {
        "a.yaml": RUNS.format("a") + "neighbours: {u: b u}\n",
        "b.yaml": RUNS.format("b"),
        "saved.yaml": saved.format("a") + "saved: true\n",
    }
    return [f for f in inkov.audit(inkov.load(write_files(tmp_path, files))) if f.rule == "saved/differs"]


@pytest.mark.parametrize(
    ("saved", "severity", "says"),
    [
        (RUNS.replace("'310,330'", "'310'"), "outage", "ports u. A restart would cut stations of VLAN 330 off."),
        (
            RUNS.replace("2: {{access: 330}}", "2: {{access: 310}}"),
            "outage",
            "A restart would change which ports are in VLANs 310,330.",
        ),
        (
            RUNS.replace("vets", "animals"),
            "tidy",
            "the table's VLAN 330. A restart would change nothing that stations notice.",
        ),
    ],
)
def test_a_restart_is_foretold(tmp_path, saved, severity, says):
    (finding,) = found(tmp_path, saved)
    assert (finding.place, finding.severity.value) == ("a", severity)
    assert says in finding.what


@pytest.mark.parametrize("listed", ["", "switches: ['*.yaml', '*.json']\n"])
def test_the_campus_file_says_which_files_are_what_is_saved(tmp_path, listed):
    def export(vid):
        switched = {"config": {"interface-mode": "ACCESS", "access-vlan": vid}}
        port = {"name": "p1", "ethernet": {"switched-vlan": switched}}
        return json.dumps({"system": {"config": {"hostname": "a"}}, "interfaces": {"interface": [port]}})

    campus = f"inkov: campus\nname: x\nsaved: ['*saved*.json']\n{listed}"
    files = {"campus.yaml": campus, "a.json": export(310), "a-saved.json": export(330)}
    (finding,) = [f for f in inkov.audit(inkov.load(write_files(tmp_path, files))) if f.rule == "saved/differs"]
    assert {e.source.file for e in finding.evidence} == {"a.json", "a-saved.json"}
    (tmp_path / "a.json").unlink()
    write_files(tmp_path, {"campus.yaml": campus})
    with pytest.raises(inkov.BadInput, match=r"a-saved.json: this is what a has saved; no file says what it runs"):
        inkov.load(tmp_path)
    write_files(tmp_path, {"campus.yaml": campus.replace("*saved*", "kept-*")})
    with pytest.raises(inkov.BadInput, match=r"campus.yaml:3: saved/0: no file matches 'kept-\*.json'"):
        inkov.load(tmp_path)


def test_the_same_is_silent_and_half_is_an_error(tmp_path):
    assert found(tmp_path, RUNS) == []
    (tmp_path / "a.yaml").unlink()
    with pytest.raises(inkov.BadInput, match=r"saved.yaml: this is what a has saved; no file says what it runs"):
        inkov.load(tmp_path)
