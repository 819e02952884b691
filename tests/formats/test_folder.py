"""What a folder holds: files told apart by content, read as far as they can be, and joined where they are one device's."""

import json
import os
import re
import shutil

import pytest

import inkov
from conftest import write_files

SWITCH = "inkov: switch\nname: {0}\nvlans: {{310: tills}}\nports:\n  1: {{access: 310}}\n  2: {{access: 310}}\n"
CAMPUS = "name: pier\nsegments: {tills: {vlan: 310}}\nclaims:\n- together: [tills]\n"
SPELT = {
    "plain": ("campus.yaml", f"inkov: campus\n{CAMPUS}"),
    "quoted": ("campus.yaml", f"'inkov': \"campus\"\n{CAMPUS}"),
    "late": ("campus.yml", f"{CAMPUS}inkov: campus\n"),
    "another ending": ("pier.YAML", f"inkov: campus\n{CAMPUS}"),
    "no ending": ("pier", f"inkov: campus\n{CAMPUS}"),
    "a long comment first": ("campus.yaml", "# about this campus\n" * 900 + f"--- # here\ninkov : campus\n{CAMPUS}"),
    "explicit": ("campus.yaml", f"%YAML 1.1\n---\n? inkov\n: !!str campus\n{CAMPUS}"),
    "flow": ("a.yaml", "{name: pier, segments: {tills: {vlan: 310}}, claims: [{together: [tills]}], inkov: campus}"),
    "JSON": (
        "z.json",
        '{\n\t"name": "pier", "claims": [{"together": ["tills"]}],\n'
        '\t"segments": {"tills": {"vlan": 310}}, "inkov": "campus"}',
    ),
    "UTF-16": ("campus.yaml", f"inkov: campus\n{CAMPUS}".encode("utf-16")),
}


@pytest.mark.few(4)
@pytest.mark.parametrize("spelt", SPELT)
def test_a_campus_file_is_known_in_every_spelling(tmp_path, inkov, spelt):
    name, text = SPELT[spelt]
    write_files(tmp_path, {"boat.yaml": SWITCH.format("boat")})
    (tmp_path / name).write_bytes(text if isinstance(text, bytes) else text.encode())
    ran = inkov("prove", ".")
    assert (ran.code, ran.err) == (0, "")
    assert "tills together" in ran.out


@pytest.mark.parametrize("second", ["b.json", "below/b.yaml"])
def test_two_campus_files_are_an_error(tmp_path, inkov, second):
    write_files(tmp_path, {"a.yaml": f"inkov: campus\n{CAMPUS}", second: '{"inkov": "campus", "name": "x"}'})
    ran = inkov("audit", ".")
    assert (ran.code, ran.err) == (2, f".: several campus files (a.yaml, {second}); name the one that is meant\n")


BROKEN = {
    "Latin-1": (SWITCH.format("kelp\xe4").encode("latin-1"), "boat.yaml:2: this is not UTF-8 text; save it as UTF-8"),
    "UTF-16 without a mark": (
        SWITCH.format("kelp").encode("utf-16-le"),
        "boat.yaml: this is not UTF-8 text; save it as UTF-8",
    ),
    "cut short": (b'inkov: switch\nname: "kelp', "boat.yaml:2: this is not YAML: found unexpected end of stream"),
}


@pytest.mark.parametrize("how", BROKEN)
def test_a_switch_that_cannot_be_read_does_not_vanish(tmp_path, inkov, how):
    data, message = BROKEN[how]
    write_files(
        tmp_path,
        {
            "campus.yaml": f"inkov: campus\n{CAMPUS}- apart: [tills, boats]\ncables: [pier 1 - kelp 1]\n".replace(
                "segments: {", "segments: {boats: {vlan: 350}, "
            ),
            "pier.yaml": SWITCH.format("pier"),
        },
    )
    (tmp_path / "boat.yaml").write_bytes(data)
    ran = inkov("prove", ".")
    assert (ran.code, ran.err) == (2, f"{message}\n")
    assert "what boat.yaml says: it could not be read" in ran.out
    assert "PROVED" not in ran.out
    stopped = inkov("prove", ".", "--all-files")
    assert (stopped.code, stopped.out) == (2, "")


def test_an_export_that_is_cut_short_does_not_vanish_wherever_it_is_cut(tmp_path, inkov, quillfin):
    export = next((quillfin / "as-found").rglob("*.json")).read_bytes()
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier")})
    for length in (1, 9, 40, 700, len(export) - 3):
        (tmp_path / "kelp.json").write_bytes(export[:length])
        ran = inkov("audit", ".")
        assert ran.code == 2, length
        assert ran.err.startswith("kelp.json:")
        assert "Not read, so nothing is said of what is in it: kelp.json" in ran.out


def test_what_a_broken_file_would_decide_is_not_trimmed(tmp_path, inkov):
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier"), "kelp.yaml": "inkov: switch\nname: [\n"})
    ran = inkov("trim", ".", "--apply", "new")
    assert (ran.code, ran.out) == (2, "")
    assert not (tmp_path / "new").exists()


def test_a_name_that_is_no_text_is_shown_and_read(tmp_path, inkov):
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier")})
    (tmp_path / os.fsdecode(b"k\xe9lp.yaml")).write_text(SWITCH.format("kelp").replace("310:", "x:"))
    ran = inkov("audit", ".")
    assert ran.code == 2
    assert ran.err.startswith("k\\xe9lp.yaml:3:")


def containers(name):
    return {
        "interfaces": {
            "openconfig-interfaces:interfaces": {
                "interface": [
                    {
                        "name": "1",
                        "config": {"name": "1", "type": "ethernetCsmacd"},
                        "ethernet": {"switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": 310}}},
                    }
                ]
            }
        },
        "vlans": {"openconfig-vlan:vlans": {"vlan": [{"vlan-id": 320, "config": {"vlan-id": 320, "name": "boats"}}]}},
        "system": {"openconfig-system:system": {"config": {"hostname": name}}},
    }


@pytest.mark.parametrize("place", ["{name}-{part}.json", "{name}/openconfig-{part}.json", "{name}.{part}.json"])
def test_files_of_one_device_are_read_together(tmp_path, inkov, place):
    made = {
        place.format(name=name, part=part): json.dumps(value)
        for name in ("kelp", "boat")
        for part, value in containers(name.upper()).items()
    }
    write_files(tmp_path, made)
    ran = inkov("audit", ".", "--format", "json")
    assert ran.err == ""
    found = json.loads(ran.out)
    assert found["size"]["switches"] == 2
    undefined = next(f for f in found["findings"] if f["rule"] == "access/undefined" and f["place"] == "KELP:1")
    assert [e["file"] for e in undefined["evidence"]] == [
        place.format(name="kelp", part="interfaces"),
        place.format(name="kelp", part="vlans"),
    ]


def test_a_part_whose_device_is_nowhere_does_not_vanish(tmp_path, inkov):
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier"), "kelp.json": json.dumps(containers("kelp")["vlans"])})
    ran = inkov("prove", ".", "--claim", "together 310")
    assert (ran.code, ran.err) == (
        2,
        "kelp.json: this export holds no interfaces, and no file here holds those of its device\n",
    )
    assert "what kelp.json says: it could not be read" in ran.out


def test_patterns_follow_no_links_to_folders(tmp_path):
    switch = "inkov: switch\nname: {0}\nvlans: {{10: }}\nports: {{1: {{access: 10}}}}\n"
    write_files(tmp_path / "elsewhere", {"b.yaml": switch.format("b")})
    files = {"sw/a.yaml": switch.format("a"), "campus.yaml": "inkov: campus\nname: x\nswitches: ['*/*.yaml']\n"}
    folder = write_files(tmp_path / "site", files)
    (folder / "linked").symlink_to(tmp_path / "elsewhere")
    assert list(inkov.load(folder, allow_outside=True).switches) == ["a"]


@pytest.mark.parametrize("listed", ["", "switches: ['*.json', sw/a.json]\n"])
def test_a_file_under_several_names_is_one_file(tmp_path, listed):
    port = {"name": "1", "config": {"name": "1", "type": "iana-if-type:ethernetCsmacd", "enabled": True}}
    about = {"openconfig-system:system": {"config": {"hostname": "quay"}}}
    export = json.dumps({**about, "openconfig-interfaces:interfaces": {"interface": [port]}})
    site = write_files(tmp_path, {"sw/a.json": export, "campus.yaml": f"inkov: campus\nname: x\n{listed}"})
    for name in ("0.json", "z.json"):
        (site / name).symlink_to("sw/a.json")
    (site / "hard.json").hardlink_to(site / "sw" / "a.json")
    campus = inkov.load(site)
    assert sorted(campus.files) == ["campus.yaml", "hard.json"]
    assert [*campus.switches] == ["quay"]


def test_of_an_export_with_a_wrong_value_the_rest_counts_and_that_value_is_not_known(tmp_path, inkov, quillfin):
    shutil.copytree(quillfin / "mended", tmp_path, dirs_exist_ok=True)
    path = tmp_path / "exports" / "archive.json"
    text = path.read_text("utf-8")
    spoilt = text.replace('"access-vlan": 330', '"access-vlan": "three"', 1).replace(
        '"access-vlan":330', '"access-vlan":"three"', 1
    )
    assert spoilt != text
    path.write_text(spoilt, "utf-8")
    error = (
        "exports/archive.json: /interfaces/interface[name=p1]/ethernet/switched-vlan/config/access-vlan: "
        "'three' is not a VLAN number; expected 1 to 4094\n"
    )
    ran = inkov("audit", ".")
    assert (ran.code, ran.err) == (2, error)
    assert "Read in part, as some values are wrong: exports/archive.json" in ran.out
    assert "Not read" not in ran.out
    ran = inkov("prove", ".")
    assert (ran.code, ran.err) == (2, error)
    assert "archive:p1: /interfaces/interface/ethernet/switched-vlan/access-vlan cannot be read" in ran.out
    assert re.search(r"2  cannot tell +9  proved", ran.out)
    for form, said in (
        ("junit", 'message="this file could only in part be read"'),
        ("sarif", "This file could only in part be read."),
        ("md", "Read in part: exports/archive.json"),
    ):
        assert said in inkov("audit", ".", "--format", form).out, form
    assert inkov("trim", ".", "--apply", "new").code == 2
