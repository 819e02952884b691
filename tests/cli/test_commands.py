"""Each command, run as users run it: what it prints, in text and JSON, and its exit code."""

import json
import re
from pathlib import Path

import jsonschema
import pytest

from conftest import DATA, on_screen, run_inkov, write_files

EXPORTS = DATA / "realswitch" / "campus-9007"
TABLES = ["audit", "prove", "vlans", "links", "ports", "flood"]


@pytest.mark.few(3)
@pytest.mark.parametrize("command", TABLES)
def test_json_of_every_table_fits_its_schema(command, quillfin):
    ran = run_inkov(command, "as-found", "--format", "json", cwd=quillfin)
    assert ran.code in {0, 1}
    schema = json.loads(run_inkov("schema", command).out)
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(json.loads(ran.out), schema)
    assert ran.out.endswith("\n")


@pytest.mark.parametrize("command", TABLES)
def test_a_bare_folder_of_exports_is_enough(command):
    ran = run_inkov(command, EXPORTS)
    assert ran.code in {0, 1}
    assert "Traceback" not in ran.err


@pytest.mark.few(2)
@pytest.mark.parametrize("command", TABLES)
def test_same_bytes_whatever_the_hash_seed(command, quillfin):
    first, second = (run_inkov(command, "as-found", cwd=quillfin, PYTHONHASHSEED=seed) for seed in "17")
    assert first == second


def test_audit_text_says_what_seen_and_mend(quillfin):
    ran = run_inkov("audit", "as-found", cwd=quillfin)
    assert ran.code == 1
    assert ran.out.splitlines()[:2] == [
        "Quillfin Marine Station   28 switches   360 ports   29 links   20 VLANs",
        "1  breach    23  outages    20  risks    8  tidy",
    ]
    block = next(b for b in ran.out.split("\n\n") if b.startswith(" BREACH  native/mismatch"))
    assert ran.out.splitlines()[2].startswith(
        "7 claims are broken today (card data stays apart, visitors never reach the pumps and 5 more);"
    )
    assert "  Also  native/users (2), native/jump (2)" in block
    full = run_inkov("audit", "as-found", "--full", cwd=quillfin).out
    assert "  Also  native/users: kiosks (350) has 9 access ports" in full
    assert block.splitlines()[1:5] == [
        "  What  Frames of kiosks (350) leave visitor-pier untagged and arrive in tills (360) at watchtower-a; answers "
        "come back the same way. Both directions work: the two segments are one.",
        "  Seen  trunk, native 350  switches/visitor-pier.yaml:21",
        "        trunk, native 360  exports/watchtower-a.json a4: native-vlan",
        "  Hits  VLANs 350,360, 20 ports, 5 hosts (kiosk-1, rental-till and 3 more), 2 claims ('card data stays apart' and 'nothing else meets on the wire')",
    ]


def test_fail_on_sets_what_exits_one(quillfin):
    only_tidy = ["audit", "mended"]
    assert run_inkov(*only_tidy, "--fail-on", "tidy", cwd=quillfin).code == 0
    assert run_inkov("audit", "as-found", "--fail-on", "breach", cwd=quillfin).code == 1


def test_prove_draws_the_way_with_the_tag_of_every_hop(quillfin):
    ran = run_inkov("prove", "as-found", "--claim", "apart tills kiosks", cwd=quillfin)
    assert ran.code == 1
    assert (
        ran.out
        == """\
Quillfin Marine Station   1 claim
1  broken

 BROKEN      apart tills kiosks
  tills → kiosks   and back: both directions work
  ○  from kelp-hall-1:8   untagged
  │
  ●  kelp-hall-1   in 360              out u1   tag 360
  │     switches/kelp-hall-1.yaml:18
  │     switches/kelp-hall-1.yaml:23
  │
  ●  watchtower-a  in 360              out a4   untagged
  │     exports/watchtower-a.json a2: trunk-vlans
  │     exports/watchtower-a.json a4: native-vlan
  │
  ×  visitor-pier  in 350, was 360     out 1   untagged
  │     switches/visitor-pier.yaml:21
  │     switches/visitor-pier.yaml:15
  │
  ○  to visitor-pier:1   untagged
"""
    )


def test_prove_gives_the_reason_a_claim_holds(quillfin):
    ran = run_inkov("prove", "mended", "--claim", "apart 320 350", cwd=quillfin)
    assert ran.code == 0
    assert ran.out.splitlines()[3:] == [
        " PROVED      apart 320 350",
        "  Why       All frames were followed over 6 links and 7 switches; each segment stays in its own VLANs.",
        "            Trees, pruning and failures only take frame paths away, so the proof holds in every state of them.",
        "            Gateways that hear them: watchtower-b, ticket-office, visitor-pier. Routes and filters let no packet pass between "
        "them.",
        "            At layer 3 the proof holds for the gateways, routes and filters of today.",
        "  Rests on  1 assumption",
        "  Assumed   switches without a VLAN table relay every VLAN their ports allow: plankton-lab",
    ]


def test_what_all_proofs_say_alike_stands_once(quillfin):
    lines = run_inkov("prove", "mended", cwd=quillfin).out.splitlines()
    end = lines.index("For all proofs that segments are apart")
    assert lines[end + 1 :] == [
        "  Why      Trees, pruning and failures only take frame paths away, so the proof holds in every state of them.",
        "  Why      At layer 3 the proof holds for the gateways, routes and filters of today.",
        "  Assumed  switches without a VLAN table relay every VLAN their ports allow: plankton-lab",
    ]
    assert not any("Trees, pruning" in line or "plankton-lab" in line for line in lines[:end])


def test_links_shows_both_ends_and_why_the_rest_is_lost(quillfin):
    args = ["links", "as-found", "--switch", "boat-*", "--vlan", "360-380"]
    assert (
        run_inkov(*args, cwd=quillfin).out
        == """\
one end             other end        forms          native     carries  in use  state  lost
boat-store:u1  ───  watchtower-b:a4  trunk = trunk  990 = 990  none     0 of 2  up     360,380: not in the list of boat-store:u1
"""
    )
    shown = on_screen(*args, columns=100, cwd=quillfin)
    assert (
        "boat-store:u1 - watchtower-b:a4\n  360, 380 lost  not in the list of boat-store:u1  exports/boat-store.xml u1: trunk-vlans"
        in shown
    )
    assert "native: VLAN of untagged frames.  carries: VLANs that cross both ways." in shown


def test_vlans_shows_one_vlan_across_all_switches_with_islands(quillfin):
    args = ["vlans", "as-found", "--vlan", "330,430"]
    lines = [line.split() for line in on_screen(*args, columns=100, cwd=quillfin).splitlines()]
    assert lines[2][:4] == ["330", "vet-records", "11", "2"]
    assert "".join(lines[2][4:]).replace("·", "") == "Aa○Ba"
    assert "".join(lines[3][4:]).replace("·", "") == "×○"
    assert [line for line in lines if line[-2:-1] in (["A"], ["B"])] == [["330", "A", "archive"], ["B", "seal-ward"]]
    row = run_inkov(*args, cwd=quillfin).out.splitlines()[1]
    assert row.endswith("A archive | B seal-ward")


def test_ports_are_a_row_each_in_a_pipe_and_runs_on_a_screen(quillfin):
    args = ["ports", "mended", "--switch", "seal-ward"]
    piped = run_inkov(*args, cwd=quillfin).out.splitlines()
    assert piped[1].split() == ["seal-ward:1", "access", "310", "-", "-", "-", "on", "seal-tank", "seal", "pool"]
    rows = json.loads(run_inkov(*args, "--format", "json", cwd=quillfin).out)["rows"]
    assert [line.split("  ")[0] for line in piped[1:]] == [r["port"] for r in rows]
    shown = on_screen(*args, columns=100, cwd=quillfin)
    assert "seal-ward:1-8 " in shown
    assert "kelp-hall-2:u2" in shown


def test_flood_of_one_port_and_with_a_tag(quillfin):
    ran = run_inkov("flood", "mended", "seal-ward:9", "--format", "json", cwd=quillfin)
    (row,) = json.loads(ran.out)["rows"]
    assert row["from"] == ["seal-ward:9"]
    assert {h["at"] for h in row["heard"]} == {f"archive:p{n}" for n in range(1, 7)} | {
        f"seal-ward:{n}" for n in range(10, 14)
    }
    tagged = run_inkov("flood", "mended", "archive:p1", "--tag", "330", "--format", "json", cwd=quillfin)
    assert json.loads(tagged.out)["rows"] == [{"from": ["archive:p1"], "heard": [], "hosts": []}]


@pytest.mark.few(4)
@pytest.mark.parametrize(
    ("args", "message"),
    [
        (["flood", "mended", "seal-ward:99"], "port: seal-ward has no port '99'; did you mean '9'?"),
        (
            ["flood", "mended", "seal"],
            "port: 'seal' is no port and no host; expected switch:port or a host; did you mean 'seal-tank'?",
        ),
        (
            ["links", "mended", "--switch", "kelp-hall"],
            "--switch: no switch matches 'kelp-hall'; did you mean 'kelp-hall-2'?",
        ),
        (["vlans", "mended", "--vlan", "5000"], "--vlan: 5000 is not a VLAN number; expected 1 to 4094"),
        (["explain", "native/mismach"], "explain: there is no rule 'native/mismach'; did you mean 'native/mismatch'?"),
        (["map", "mended", "--segment", "tlls"], "segment: there is no segment 'tlls'; did you mean 'tills'?"),
        (
            ["map", "mended", "--claim", "card data stays"],
            "claim: there is no claim 'card data stays'; did you mean 'card data stays apart'?",
        ),
        (
            ["map", "mended", "--claim", "apart tills kiosk"],
            "claim: there is no segment 'kiosk'; did you mean 'kiosks'?",
        ),
        (
            ["audit", "mended", "-o", "no/such/folder.txt"],
            "no/such/folder.txt: cannot be written: No such file or directory",
        ),
    ],
)
def test_mistyped_arguments_are_answered_with_a_hint(args, message, quillfin):
    ran = run_inkov(*args, cwd=quillfin)
    assert (ran.code, ran.out, ran.err) == (2, "", message + "\n")


def test_output_file_is_whole_and_text_has_no_colour(quillfin, tmp_path):
    out = tmp_path / "audit.txt"
    ran = run_inkov("audit", "mended", "-o", out, cwd=quillfin)
    assert (ran.code, ran.out) == (0, "")
    assert "\x1b" not in out.read_text()
    assert [p.name for p in tmp_path.iterdir()] == ["audit.txt"]


def test_explain_lists_and_explains(inkov):
    listed = inkov("explain").out
    assert "Native VLANs: what untagged frames on a link become.\n  native/default " in listed
    assert "sibling/run" in inkov("explain", "sibling").out
    assert "native/" not in inkov("explain", "sibling").out
    told = inkov("explain", "access/default").out
    assert "Breaks it (found at kelp-hall:2-4)" in told
    assert "    ports: {1: {access: 310}, 2-4: {access: 1}}" in told


def test_version_and_help_have_examples(inkov):
    from inkov import __version__

    assert inkov("--version").out == f"inkov {__version__}\n"
    for command in [*TABLES, "demo", "explain", "schema"]:
        told = inkov(command, "--help").out
        assert f"Example: inkov {command}" in told
        assert ("--no-cache" in told) == (command in TABLES)


def test_ascii_terminals_get_plain_glyphs(quillfin):
    ran = run_inkov("gateways", "mended", "--vlan", "340", cwd=quillfin, PYTHONIOENCODING="ascii")
    assert ran.code == 0
    assert ran.out.isascii()
    assert "# up" in ran.out


def test_configuration_text_cannot_reach_the_terminal(site, inkov):
    evil = "\x1b]0;owned\x07"
    site(
        {
            "a.json": json.dumps(
                {
                    "openconfig-system:system": {"config": {"hostname": f"a{evil}"}},
                    "openconfig-interfaces:interfaces": {
                        "interface": [{"name": f"p{evil}", "config": {"description": f"[red]{evil}"}}]
                    },
                }
            )
        }
    )
    for command in ("ports", "audit", "vlans", "flood"):
        ran = inkov(command, ".")
        assert ran.code in {0, 1}
        assert "\x1b" not in ran.out + ran.err
        assert "\x07" not in ran.out + ran.err
    assert "[red]\\x1b]0;owned\\x07" in inkov("ports", ".").out.replace("\n", "").replace(" ", "")


def test_demo_is_idempotent_and_never_overwrites(inkov, tmp_path):
    assert inkov("demo", "d").code == 0
    assert inkov("demo", "d").code == 0
    changed = tmp_path / "d" / "mended" / "campus.yaml"
    changed.write_text("mine")
    ran = inkov("demo", "d")
    assert ran.code == 2
    assert ran.err == "d/mended/campus.yaml: is there already with other content; name another folder, or remove it\n"
    assert changed.read_text() == "mine"


def test_order_of_files_changes_nothing(quillfin, tmp_path):
    for i, path in enumerate(sorted((quillfin / "as-found").rglob("*.*"), reverse=True)):
        named = path.suffix == ".csv"
        if path.name.endswith("-lldp.json"):  # which device it is of, its name alone tells
            (tmp_path / path.name).write_bytes(path.read_bytes())
            continue
        if path.name != "campus.yaml":
            (tmp_path / (path.name if named else f"{i:02}{path.suffix}")).write_bytes(path.read_bytes())
    campus = (quillfin / "as-found" / "campus.yaml").read_text()
    listed = re.search(r"switches: (\[.*?\])", campus)[1]
    (tmp_path / "campus.yaml").write_text(campus.replace(listed, "['[0-9]*.*', '*-lldp.json']"))

    def places(folder):
        found = json.loads(run_inkov("audit", folder, "--format", "json").out)["findings"]
        return [(f["rule"], f["place"], f["what"]) for f in found]

    assert places(tmp_path) == places(quillfin / "as-found")


def test_api_is_what_the_readme_shows(quillfin):
    import inkov as api

    campus = api.load(Path(quillfin) / "as-found")
    assert api.audit(campus)[0].severity.value == "breach"
    assert isinstance(api.prove(campus, ["apart tills kiosks"])[0].outcome, api.Broken)
    assert [h.at for h in api.flood(campus, "kelp-hall-1:8")][:2] == ["ticket-office:5", "ticket-office:6"]


TICKETS = [
    (
        "a trunk that is none",
        "rearing-tank",
        "seal-tank",
        "stops at hatchery-1:u2: VLAN 310 becomes 990 between hatchery-2:u1 and hatchery-1:u2: hatchery-2:u1 is no trunk",
    ),
    (
        "missing on the way",
        "vet-desk",
        "records-desk",
        "stops at kelp-hall-2:u2: VLAN 330 is not defined on kelp-hall-2",
    ),
    (
        "list replaced",
        "rental-till",
        "ticket-till",
        "stops at boat-store:u1: VLAN 360 is not in the list of boat-store:u1",
    ),
    (
        "one way only",
        "till-1",
        "canteen-till",
        "canteen-till hears till-1, but the answer stops at visitor-pier:u1: VLAN 360 becomes 350 between watchtower-a:a4 and visitor-pier:u1, which has another untagged VLAN",
    ),
    (
        "off by one",
        "nursery-tank",
        "seal-tank",
        "different VLANs: kelp-hall-2:7 is in 340 and seal-ward:1 in 310; kelp-hall-2:8, right beside, is in the other's",
    ),
    (
        "isolated by design",
        "boat-anna",
        "boat-berta",
        "these are not meant to talk: isolated stations of 600 may not talk to each other: boat-dock:1 is in 601",
    ),
]


@pytest.mark.few(2)
@pytest.mark.parametrize(("a", "b", "cause"), [t[1:] for t in TICKETS], ids=[t[0] for t in TICKETS])
def test_trace_names_the_cause_of_each_ticket_in_its_first_line(a, b, cause, quillfin):
    ran = run_inkov("trace", "as-found", a, b, cwd=quillfin)
    assert ran.code == 1
    first = " ".join(ran.out.partition("\n\n")[0].split())
    assert first == f"{a} → {b} stopped {cause}"
    view = json.loads(run_inkov("trace", "as-found", a, b, "--format", "json", cwd=quillfin).out)
    assert (view["cause"], view["both"]) == (cause, False)
    jsonschema.validate(view, json.loads(run_inkov("schema", "trace").out))


def test_trace_of_a_healthy_pair_shows_the_way_there_and_back(quillfin):
    ran = run_inkov("trace", "mended", "vet-desk", "kelp-hall-2:99", cwd=quillfin)
    assert ran.code == 2
    ran = run_inkov("trace", "mended", "nursery-tank", "kelp-hall-1:9", cwd=quillfin)
    assert ran.code == 0
    assert (
        ran.out
        == """\
nursery-tank → kelp-hall-1:9    open  both ways are open

  there
  ○  nursery-tank at kelp-hall-2:7   untagged
  │
  ●  kelp-hall-2  in 310              out u1   tag 310
  │     switches/kelp-hall-2.yaml:17
  │     switches/kelp-hall-2.yaml:20
  │
  ●  kelp-hall-1  in 310              out 9   untagged
  │     switches/kelp-hall-1.yaml:24
  │     switches/kelp-hall-1.yaml:19
  │
  ○  kelp-hall-1:9   untagged

  back
  ○  kelp-hall-1:9   untagged
  │
  ●  kelp-hall-1  in 310              out u2   tag 310
  │     switches/kelp-hall-1.yaml:19
  │     switches/kelp-hall-1.yaml:24
  │
  ●  kelp-hall-2  in 310              out 7   untagged
  │     switches/kelp-hall-2.yaml:20
  │     switches/kelp-hall-2.yaml:17
  │
  ○  nursery-tank at kelp-hall-2:7   untagged
"""
    )


def test_relay_maps_in_the_terms_of_the_port_table(quillfin):
    args = ["ports", "mended", "--relay", "--switch", "boat-dock", "--switch", "pool-hub"]
    assert (
        run_inkov(*args, cwd=quillfin).out
        == """\
port             in untagged  in tagged         out untagged  out tagged
boat-dock:1-6    601          -                 600           -
boat-dock:7-10   602          -                 600,602       -
boat-dock:11-12  -            -                 -             -
boat-dock:up     990          600-602,990       990           600-602
pool-hub:1-5     as it is     any, kept inside  as it is      -
"""
    )
    rows = json.loads(run_inkov(*args, "--format", "json", cwd=quillfin).out)
    assert rows["rows"][0]["in_untagged"] == "601"
    jsonschema.validate(rows, json.loads(run_inkov("schema", "relay").out))


def test_ports_in_each_vlan_and_hosts_that_hear_a_broadcast(quillfin):
    told = run_inkov("vlans", "mended", "--ports", "--vlan", "360,350", cwd=quillfin)
    assert [line.split() for line in told.out.splitlines()] == [
        ["VLAN", "name", "switch", "there", "island", "ports", "in", "it"],
        ["350", "kiosks", "ticket-office", "active", "1", "5-8"],
        ["350", "kiosks", "visitor-pier", "active", "1", "1-6"],
        ["360", "tills", "boat-store", "active", "1", "1-2"],
        ["360", "tills", "kelp-hall-1", "active", "1", "8"],
        ["360", "tills", "ticket-office", "active", "1", "1-4"],
        ["360", "tills", "visitor-pier", "active", "1", "7-9"],
    ]
    heard = run_inkov("flood", "mended", "kelp-hall-1:8", "--columns", "hosts", "--no-heads", cwd=quillfin)
    assert heard.out.strip() == "rental-till, ticket-till, till-1"
    both = run_inkov("vlans", "mended", "--ports", "--converged", cwd=quillfin)
    assert both.code == 2
    assert "--ports, --groups and --converged are tables of their own; name one of them" in " ".join(
        both.err.replace("│", " ").split()
    )


def test_how_switches_come_to_their_vlans_is_shown_a_switch_in_one_row(quillfin, tmp_path):
    some = [part for name in ("harbour-core", "store-room", "crane") for part in ("--switch", name)]
    told = run_inkov("vlans", "as-found", "--groups", *some, cwd=quillfin)
    assert [" ".join(line.split()) for line in told.out.splitlines()] == [
        "switch group role generation takes over gets VLANs loses VLANs if joined loses then registration VLANs may come to pruned",
        "crane quillfin relay - - - - - - off - -",
        "harbour-core quillfin author 41 - - - store-room 370,380,390 off - -",
        "store-room quillfin follower 97 - - - - - off - -",
    ]
    plain = {"a.yaml": "vlans: {10: x, 20: y}\n", "b.yaml": "vlans: {10: x}\nsync: {group: g, generation: 2}\n"}
    more = {
        "a.yaml": "sync: {group: g, generation: 1}\nregistration: on\npruning: true\n",
        "b.yaml": "registration: on\npruning: true\n",
    }
    for name, text in plain.items():
        ports = "ports: {1: {access: 10}, u: {trunk: '10,20', native: none, registration: {forbidden: 30}}}\n"
        own, far = name[0], "b" if name[0] == "a" else "a"
        write_files(
            tmp_path, {name: f"inkov: switch\nname: {own}\n{text}{more[name]}{ports}neighbours: {{u: {far} u}}\n"}
        )
    a, b = json.loads(run_inkov("vlans", tmp_path, "--groups", "--format", "json").out)["rows"]
    assert (a["gets"], a["less"], a["registration"], a["comes"], b["gets"]) == ("b", "20", "on", ["u but 30"], "")
    assert a["pruned"] == ["u: 20"]
    wrong = run_inkov("vlans", tmp_path, "--groups", "--vlan", "10")
    assert (
        wrong.code,
        "--groups shows switches, not VLANs; leave --vlan out" in " ".join(wrong.err.replace("│", " ").split()),
    ) == (2, True)


def test_ports_tell_what_negotiation_made_of_them_and_a_campus_may_want_none(tmp_path):
    text = """inkov: switch
name: {}
vlans: {{310: tank}}
ports: {{1: {{access: 310}}, 2: {{mode: negotiated, stance: {}, access: 310}}, u1: {{mode: negotiated, stance: active, access: 310, trunk: 310}}}}
neighbours: {{u1: {} u1}}
"""
    write_files(tmp_path, {"a.yaml": text.format("a", "passive", "b"), "b.yaml": text.format("b", "silent", "a")})
    write_files(tmp_path, {"campus.yaml": "inkov: campus\nname: x\npolicy: {negotiation: never}\n"})
    rows = run_inkov("ports", ".", "--columns", "port,becomes,stance,native", cwd=tmp_path).out.splitlines()
    assert [r.split() for r in rows[1:]] == [
        ["a:1", "-", "-", "-"],
        ["a:2", *["access", "310", "or", "trunk", "all", "passive", "-"]],
        ["a:u1", "trunk", "310", "active", "-"],
        ["b:1", "-", "-", "-"],
        ["b:2", "access", "310", "silent", "-"],
        ["b:u1", "trunk", "310", "active", "-"],
    ]
    found = json.loads(run_inkov("audit", ".", "--format", "json", cwd=tmp_path).out)
    assert [f["place"] for f in found["findings"] if f["rule"] == "stance/policy"] == ["a:u1 <-> b:u1"]
    write_files(tmp_path, {"campus.yaml": "inkov: campus\nname: x\npolicy: {negotiation: nevr}\n"})
    ran = run_inkov("audit", ".", cwd=tmp_path)
    assert (ran.code, ran.err) == (2, "campus.yaml:3: policy/negotiation: 'nevr' is not allowed; expected 'never'\n")
