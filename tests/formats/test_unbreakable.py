"""People who mean harm, or are in a hurry: names that play tricks, files that are not to be written over, paths that leave."""

import json
import os
import shutil
import signal
import stat
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import pytest

import inkov
from conftest import run_inkov, write_files
from inkov.rules.catalogue import RULES, audited

INKOV = Path(sys.executable).with_name("inkov")
SWITCH = "inkov: switch\nname: {0}\nvlans: {{310: tills}}\nports: {{1: {{access: 310}}, u: {{trunk: '310'}}}}\n"
NASTY = [
    "x\nrules: {'*': off}",
    "x\u2028rules: 1",
    "a # b",
    "null",
    "~",
    "- x",
    "\x1b[2J\x07",
    "a b:c",
    "é 数",
    "{x: y}",
    "'\"",
    "*a",
    "&b",
]


def export(name, heard=("pier", "u")):
    port = {"interface-mode": "TRUNK", "trunk-vlans": [310]}
    desk = {"interface-mode": "ACCESS", "access-vlan": 310}
    return json.dumps(
        {
            "openconfig-system:system": {"config": {"hostname": name}},
            "openconfig-vlan:vlans": {"vlan": [{"vlan-id": 310, "config": {"vlan-id": 310, "name": name}}]},
            "openconfig-interfaces:interfaces": {
                "interface": [
                    {"name": n, "config": {"name": n}, "ethernet": {"switched-vlan": {"config": c}}}
                    for n, c in (("u", port), ("1", desk))
                ]
            },
            "openconfig-lldp:lldp": {
                "interfaces": {
                    "interface": [
                        {
                            "name": "u",
                            "neighbors": {
                                "neighbor": [
                                    {
                                        "id": "1",
                                        "state": {"id": "1", "system-name": heard[0], "port-id": heard[1]},
                                    }
                                ]
                            },
                        }
                    ]
                }
            },
        }
    )


@pytest.mark.few(4)
@pytest.mark.parametrize("name", NASTY)
def test_a_draft_holds_names_as_data(tmp_path, name):
    write_files(tmp_path, {"a.json": export(name), "pier.yaml": SWITCH.format("pier")})
    ran = run_inkov("draft", ".", "--no-cache", cwd=tmp_path)
    assert ran.code == 0, ran.err
    assert all(c.isprintable() or c == "\n" for c in ran.out)
    (tmp_path / "campus.yaml").write_text(ran.out, "utf-8")
    campus = inkov.load(tmp_path)
    assert (campus.settings, campus.waivers) == ((), ())
    (cable,) = campus.cables
    assert {(cable.a.switch, cable.a.port), (cable.b.switch, cable.b.port)} == {(name, "u"), ("pier", "u")}


@pytest.mark.few(4)
@pytest.mark.parametrize("name", NASTY)
def test_a_neighbours_name_stays_in_its_comment(tmp_path, name):
    write_files(tmp_path, {"a.json": export("kelp", (name, "9"))})
    ran = run_inkov("draft", ".", "--no-cache", cwd=tmp_path)
    assert ran.code == 0, ran.err
    (tmp_path / "campus.yaml").write_text(ran.out, "utf-8")
    campus = inkov.load(tmp_path)
    assert (campus.settings, campus.cables) == ((), ())


def test_names_with_colons_and_blanks_are_found_everywhere(tmp_path):
    files = {"a.json": export("hall a:1"), "pier.yaml": SWITCH.format("pier")}
    write_files(tmp_path, {**files, "campus.yaml": "inkov: campus\nname: x\ncables: ['hall a:1:u - pier u']\n"})
    ran = run_inkov("trace", ".", "hall a:1:1", "pier:1", cwd=tmp_path)
    assert (ran.code, ran.err) == (0, "")
    assert "both ways are open" in ran.out


@pytest.mark.parametrize("command", [["audit"], ["vlans", "--format", "json"], ["draft"]])
def test_an_input_is_not_written_over(tmp_path, command):
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier")})
    before = (tmp_path / "pier.yaml").read_bytes()
    ran = run_inkov(*command, ".", "-o", "pier.yaml", cwd=tmp_path)
    assert ran.code == 2
    assert "pier.yaml: was read by this run, which would write over it; name another file" in ran.err
    assert (tmp_path / "pier.yaml").read_bytes() == before


def test_a_draft_leaves_what_is_there_alone(tmp_path):
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier"), "notes.txt": "mine"})
    ran = run_inkov("draft", ".", "-o", "notes.txt", cwd=tmp_path)
    assert (ran.code, ran.err) == (
        2,
        "notes.txt: is there already, and Inkov did not write it or somebody has changed it since; name another file\n",
    )
    assert (tmp_path / "notes.txt").read_text() == "mine"


def test_an_output_keeps_its_mode_and_a_link_or_device_stays_one(tmp_path):
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier"), "out.txt": "", "real.txt": ""})
    (tmp_path / "out.txt").chmod(0o640)
    (tmp_path / "link.txt").symlink_to("real.txt")
    for name in ("out.txt", "link.txt", "new.txt"):
        assert run_inkov("vlans", ".", "-o", name, cwd=tmp_path).code == 0
    assert stat.S_IMODE((tmp_path / "out.txt").stat().st_mode) == 0o640
    assert (tmp_path / "link.txt").is_symlink()
    assert "tills" in (tmp_path / "real.txt").read_text()
    mask = os.umask(0)
    os.umask(mask)
    assert stat.S_IMODE((tmp_path / "new.txt").stat().st_mode) == 0o666 & ~mask
    for name, take in (("vlans", "-o"), ("audit", "--write-baseline"), ("draft", "-o"), ("schema", "-o")):
        pipe = tmp_path / f"{name}.pipe"
        os.mkfifo(pipe)
        with subprocess.Popen(["cat", pipe], stdout=subprocess.PIPE) as reader:
            ran = run_inkov(name, "switch" if name == "schema" else ".", take, pipe, cwd=tmp_path)
            told = reader.communicate(timeout=60)[0]
        assert (ran.code, bool(told), pipe.is_fifo()) == (0, True, True), name
    assert run_inkov("vlans", ".", "-o", ".", cwd=tmp_path).code == 2
    assert not [p.name for p in tmp_path.iterdir() if p.name.startswith(".")]


@pytest.mark.few(3)
@pytest.mark.parametrize("key", ["hosts", "plan"])
@pytest.mark.parametrize("path", ["../secret.csv", "/etc/passwd", "out/secret.csv", "/dev/zero"])
def test_lists_stay_in_the_folder_of_the_campus_file(tmp_path, key, path):
    write_files(tmp_path, {"secret.csv": "root:x:0:0\n", "site/pier.yaml": SWITCH.format("pier")})
    (tmp_path / "site" / "out").symlink_to(tmp_path, target_is_directory=True)
    write_files(tmp_path, {"site/campus.yaml": f"inkov: campus\nname: x\n{key}: {path}\n"})
    ran = run_inkov("audit", "site", cwd=tmp_path)
    assert ran.code == 2
    assert "root" not in ran.err
    assert "campus.yaml:3:" in ran.err
    assert "lies outside the campus file's folder" in ran.err


def test_switch_files_outside_the_folder_are_refused(tmp_path):
    write_files(tmp_path, {"pier.yaml": SWITCH.format("pier")})
    write_files(tmp_path, {"site/campus.yaml": "inkov: campus\nname: x\nswitches: ['../*.yaml']\n"})
    ran = run_inkov("audit", "site", cwd=tmp_path)
    assert (ran.code, ran.out) == (2, "")
    assert "'../pier.yaml' lies outside the campus file's folder; --allow-outside reads it all the same" in ran.err
    assert run_inkov("audit", "site", "--allow-outside", cwd=tmp_path).code in {0, 1}


DUPLICATES = {
    "one VLAN twice": (
        "vlans: {350: a, 0350: b}\nports: {}\n",
        "a.yaml:3: vlans/0350: 350 comes twice; the first is in line 3",
    ),
    "one port in two patterns": (
        "vlans: {350: a}\nports:\n  1-4: {access: 350}\n  3-5: {access: 350}\n",
        "a.yaml:6: ports: port '3' is configured twice; the first time in line 5",
    ),
}


@pytest.mark.parametrize("name", DUPLICATES)
def test_duplicates_never_win_silently(tmp_path, name):
    text, message = DUPLICATES[name]
    write_files(tmp_path, {"a.yaml": f"inkov: switch\nname: a\n{text}"})
    ran = run_inkov("audit", "a.yaml", cwd=tmp_path)
    assert ran.code == 2
    assert message in ran.err.splitlines()


def test_members_that_come_twice_in_an_export_are_an_error(tmp_path):
    text = export("kelp").replace('"hostname": "kelp"', '"hostname": "kelp", "hostname": "boat"')
    write_files(tmp_path, {"a.json": text})
    ran = run_inkov("audit", ".", cwd=tmp_path)
    assert ran.code == 2
    assert ran.err == "a.json: member 'hostname' comes twice in one object\n"


UNSHOWN = SWITCH.format("kelp").replace("tills", "'数'").replace("access: 310", "access: 310, label: '数'")


@pytest.mark.parametrize("command", [["audit"], ["vlans"], ["ports"], ["draft"], ["audit", "--format", "csv"]])
def test_a_screen_that_cannot_show_a_name_gets_its_numbers(tmp_path, command):
    write_files(tmp_path, {"a.yaml": UNSHOWN})
    ran = run_inkov(*command, ".", cwd=tmp_path, PYTHONIOENCODING="ascii")
    assert ran.code in {0, 1}, ran.err
    assert "\\u6570" in ran.out or command == ["audit"] or command[-1] == "csv"


def test_closed_streams_are_no_error(tmp_path):
    write_files(tmp_path, {"a.yaml": SWITCH.format("kelp")})
    for closed in (">&-", "2>&-"):
        done = subprocess.run(
            ["/bin/sh", "-c", f"exec {INKOV} vlans . {closed}"],
            cwd=tmp_path,
            capture_output=True,
            text=True,
            check=False,
        )
        assert (done.returncode, done.stderr) == (0, "")
    done = subprocess.run(["/bin/sh", "-c", f"exec {INKOV} vlans nowhere 2>&-"], cwd=tmp_path, check=False)
    assert done.returncode == 2


def test_an_interrupt_ends_the_run_without_a_word_and_leaves_nothing(tmp_path):
    rows = "".join(f"  {n}: {{access: 310}}\n" for n in range(1, 4000))
    many = {f"{i}.yaml": f"inkov: switch\nname: s{i}\nvlans: {{310: x}}\nports:\n{rows}" for i in range(30)}
    write_files(tmp_path, many)
    command = [INKOV, "audit", ".", "--no-cache", "-o", "out.txt"]
    running = subprocess.Popen(command, cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    time.sleep(1.5)
    running.send_signal(signal.SIGINT)
    out, err = running.communicate(timeout=30)
    assert (running.returncode, out, err) == (130, "", "")
    assert not [p.name for p in tmp_path.iterdir() if p.suffix != ".yaml"]


def test_a_rule_that_fails_is_named_and_the_others_run(tmp_path, monkeypatch):
    write_files(tmp_path, {"a.yaml": SWITCH.format("kelp").replace("{310: tills}", "{320: tills}")})

    def broken(_facts):
        raise KeyError("oops")
        yield

    rule = RULES["vlan/unnamed"]
    monkeypatch.setitem(RULES, "vlan/unnamed", replace(rule, check=broken))
    network = inkov.api.network(inkov.load(tmp_path))
    found = audited(network, catches=True)
    assert found.failed == (("vlan/unnamed", "KeyError: 'oops'"),)
    assert "access/undefined" in {f.rule for f in found.findings}
    with pytest.raises(KeyError):
        audited(network)


def test_what_was_accepted_does_not_hide_that_others_meet_there(tmp_path):
    def pair(native):
        ports = "{{1: {{access: 310}}, 2: {{access: 330}}, u: {{trunk: '310,330,990', native: {}}}}}"
        table = "vlans: {310: tills, 330: kiosks, 990: none}\n"
        heads = (("a", native, "neighbours: {u: b u}\n"), ("b", 330, ""))
        return {
            f"{n}.yaml": f"inkov: switch\nname: {n}\n{table}ports: {ports.format(v)}\n{more}" for n, v, more in heads
        }

    write_files(tmp_path, pair(990))
    assert run_inkov("audit", ".", "--write-baseline", "../base.json", cwd=tmp_path).code in {0, 1}
    assert run_inkov("audit", ".", "--baseline", "../base.json", cwd=tmp_path).code == 0
    write_files(tmp_path, pair(310))
    ran = run_inkov("audit", ".", "--baseline", "../base.json", cwd=tmp_path)
    assert ran.code == 1
    assert "BREACH  native/mismatch" in ran.out


def test_errors_of_one_kind_are_cut_and_counted(tmp_path):
    write_files(tmp_path, {f"s{n}.yaml": SWITCH.format(f"s{n}") for n in range(3)})
    plan = "inkov: campus\nname: x\nplan: [{switch: 's*', ports: 1-400, vlan: 310}]\nsegments: {a: {hosts: nobody}}\n"
    write_files(tmp_path, {"campus.yaml": plan})
    ran = run_inkov("audit", ".", cwd=tmp_path)
    lines = ran.err.splitlines()
    assert (ran.code, len(lines)) == (2, 102)
    assert lines[-1] == "campus.yaml: and 1097 more errors like these"
    assert any("there is no host 'nobody'" in line for line in lines)


def test_a_demo_that_cannot_be_written_whole_is_not_there_at_all(tmp_path):
    (tmp_path / "q").mkdir()
    (tmp_path / "q" / "mended").write_text("a file of mine", "utf-8")
    ran = run_inkov("demo", "q", cwd=tmp_path)
    assert (ran.code, ran.out) == (2, "")
    assert ran.err.startswith("q/mended/campus.yaml: cannot be written: ")
    assert [p.name for p in (tmp_path / "q").rglob("*")] == ["mended"]


def test_certificates_appear_all_or_none(quillfin, tmp_path):
    proofs = tmp_path / "proofs"
    (proofs / "card-data-stays-apart.json").mkdir(parents=True)
    ran = run_inkov("prove", "mended", "--certificate", proofs, cwd=quillfin)
    assert (ran.code, ran.err) == (
        2,
        f"{proofs.as_posix()}/card-data-stays-apart.json: cannot be written: Is a directory\n",
    )
    assert [p.name for p in proofs.rglob("*")] == ["card-data-stays-apart.json"]


def test_a_trimmed_copy_keeps_who_may_read_each_file(quillfin, tmp_path):
    site = shutil.copytree(quillfin / "mended", tmp_path / "mended")
    secret = site / "switches" / "net-loft.yaml"
    secret.chmod(0o600)
    assert run_inkov("trim", site, "--apply", tmp_path / "trimmed").code in {0, 1}
    assert stat.S_IMODE((tmp_path / "trimmed" / "switches" / "net-loft.yaml").stat().st_mode) == 0o600


def test_text_of_configurations_makes_no_links_and_no_placeholders_in_sarif(tmp_path):
    """SARIF 2.1.0, 3.11.5 and 3.11.6: braces are doubled, brackets and backslashes escaped."""
    text = (
        SWITCH.format("ward").replace("310: tills", "310: '[x](http://192.0.2.1) {0}'").replace("{u: ", "{")
        + "lags: {}\n"
    )
    text = text.replace("u: {trunk: '310'}", "u: {trunk: '310-311', native: 310}")
    write_files(tmp_path, {"ward.yaml": text})
    said = json.loads(run_inkov("audit", ".", "--format", "sarif", cwd=tmp_path).out)["runs"][0]["results"]
    facts = [
        p["message"]["text"] for r in said for p in [*r["locations"], *r.get("relatedLocations", ())] if "message" in p
    ]
    whole = " ".join([r["message"]["text"] for r in said] + facts)
    assert "[x](" not in whole.replace("\\[x\\](", "")
    assert "\\[x\\](http://192.0.2.1) {{0}}" in whole


def test_hosts_that_a_reader_cannot_tell_apart_are_refused(tmp_path):
    campus = "inkov: campus\nname: c\nswitches: [ward.yaml]\nhosts:\n"
    campus += "  - {name: till-1, port: 'ward:1'}\n  - {name: t\u0456ll-1, port: 'ward:1'}\n  - {name: TILL-1, port: 'ward:1'}\n"
    write_files(tmp_path, {"ward.yaml": SWITCH.format("ward"), "campus.yaml": campus})
    ran = run_inkov("audit", ".", cwd=tmp_path)
    assert ran.code == 2
    assert ran.err == (
        "campus.yaml:6: hosts/1: the host 't\\u0456ll-1' looks like 'till-1' in line 5; one needs another name\n"
    )


def test_half_a_character_is_an_error_with_its_line_and_a_whole_one_is_none(tmp_path):
    whole = export("kelp").replace('"hostname": "kelp"', '"hostname": "kelp",\n"domain-name": "\\ud83d\\ude00"')
    write_files(tmp_path, {"a.json": whole})
    assert run_inkov("audit", ".", "--format", "json", cwd=tmp_path).code == 0
    write_files(tmp_path, {"a.json": whole.replace("\\ude00", "\\ude00\\ude00")})
    ran = run_inkov("audit", ".", "--format", "json", cwd=tmp_path)
    line = whole[: whole.index("\\ude00")].count("\n") + 1
    assert ran.code == 2
    assert ran.err == f"a.json:{line}: a text in this JSON has half of a character, \\ude00\n"
