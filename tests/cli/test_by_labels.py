"""A campus of which nothing but labels says how it is cabled: followed as if it were stated, changed by nobody."""

import json

import pytest

from conftest import run_inkov, write_files

RING = ("edge-1", "edge-2", "edge-3")
CABLES = "inkov: campus\nname: ring\ncables: [edge-1 u1 - edge-2 u2, edge-2 u1 - edge-3 u2, edge-3 u1 - edge-1 u2]\n"


def edge(n):
    """The files of a switch in a ring: VLAN 320 is missing in the list of its second uplink."""
    after, before = RING[(n + 1) % 3], RING[n - 1]
    return (
        f"inkov: switch\nname: {RING[n]}\nmac: 02:00:00:00:00:0{n + 1}\ntree: {{protocol: rstp}}\n"
        "vlans: {310: desks, 320: phones}\n"
        f"gateways: {{310: 192.0.2.{n + 1}/24}}\nports:\n"
        f"  u1: {{trunk: '310,320', label: {after} u2, speed: 10G}}\n"
        f"  u2: {{trunk: '310', label: {before} u1, speed: 10G}}\n"
        "  p1: {access: 310}\n  p2: {access: 320}\n"
    )


@pytest.fixture(scope="module")
def sites(tmp_path_factory):
    """The campus as it is, and the same with its cables stated."""
    folder = tmp_path_factory.mktemp("ring")
    for name, campus in (("labels", CABLES.partition("cables")[0]), ("stated", CABLES)):
        files = {f"{RING[n]}.yaml": edge(n) for n in range(3)}
        write_files(folder / name, {**files, "campus.yaml": campus})
    return folder


def facts(told):
    """What was told, without what says that labels alone say so."""
    if isinstance(told, dict):
        return {k: facts(v) for k, v in told.items() if k not in {"evidence", "doubt"}}
    if isinstance(told, list):
        return [facts(v) for v in told if not (isinstance(v, dict) and v.get("rule") == "neighbour/by-label")]
    return told.removesuffix(" (by labels)").replace("labels", "stated") if isinstance(told, str) else told


@pytest.mark.few(3)
@pytest.mark.parametrize(
    "question",
    [
        "links",
        "ports",
        "vlans",
        "gateways",
        "tree",
        "flood",
        "flood edge-1:p1",
        "failures --fails",
        "failures --cuts",
        "rehearse --cut edge-1:u1",
        "rehearse --fail edge-2",
    ],
)
def test_what_labels_say_is_followed_as_if_it_were_stated(sites, question):
    command, *rest = question.split()

    def told(site):
        ran = run_inkov(command, site, *rest, "--format", "json", cwd=sites)
        assert not ran.err
        return json.loads(ran.out)

    assert "edge-3" in str(told("labels"))
    assert facts(told("labels")) == facts(told("stated"))


def test_a_label_that_is_taken_off_takes_its_cable_away_and_a_port_that_is_shut_does_not(sites, tmp_path):
    for name, was, now in (("shut", "10G}", "10G, enabled: false}"), ("bare", "label: edge-2 u2", "label: printer")):
        files = {f"{RING[n]}.yaml": edge(n) for n in range(3)}
        files["edge-1.yaml"] = files["edge-1.yaml"].replace(was, now, 1)
        write_files(tmp_path / name, {**files, "campus.yaml": CABLES.partition("cables")[0]})

    def gone(name):
        ran = run_inkov("drift", sites / "labels", name, "--format", "json", cwd=tmp_path)
        told = json.loads(ran.out)
        return told["ports"], [s["what"] for s in told["states"]], told["gained_by"]

    assert gone("shut") == ({"new": [], "gone": []}, ["blocked edge-3:u2"], [])
    ends, by = ["edge-1:u1", "edge-2:u2"], ["edge-1:u1: label: edge-2 u2 → printer"]
    assert gone("bare") == ({"new": ends, "gone": []}, ["blocked edge-3:u2"], by)


def test_links_and_proofs_say_what_rests_on_labels(sites):
    rows = run_inkov("links", "labels", "--no-heads", cwd=sites).out
    assert "edge-2:u1  ───  edge-3:u2" in rows
    assert "blocked by the tree, by labels alone" in rows
    assert "over 3 links and 3 switches" in run_inkov("prove", "labels", cwd=sites).out


def test_nobody_changes_a_list_by_a_label_alone(sites):
    trimmed = run_inkov("trim", "labels", cwd=sites)
    assert [line.strip() for line in trimmed.out.splitlines() if "<->" in line or "───" in line] == [
        f"{a} ─── {b}  only the labels at both ends say that it is cabled"
        for a, b in (("edge-1:u1", "edge-2:u2"), ("edge-1:u2", "edge-3:u1"), ("edge-2:u1", "edge-3:u2"))
    ]
    mended = json.loads(run_inkov("mend", "labels", "--only", "list/differs", "--format", "json", cwd=sites).out)
    assert mended["cures"] == []
    assert [left["why"] for left in mended["left"]] == ["only the labels at both ends say that it is cabled"] * 3


@pytest.mark.few(1)
@pytest.mark.parametrize(
    "over", ["", "--vlan 310", "--segment 320", "--tree", "--claim together=310", "--around edge-1"]
)
def test_the_map_draws_such_cables(sites, over):
    ran = run_inkov("map", "labels", "-o", "ring.svg", *over.replace("=", " ").split(maxsplit=1), cwd=sites)
    assert (ran.code, ran.err) == (0, "")
    assert ran.out.endswith("3 devices, 3 links\n")


def test_the_report_follows_such_cables(sites):
    ran = run_inkov("report", "labels", "-o", "ring.html", cwd=sites)
    assert (ran.code, ran.err) == (0, "")
    assert ran.out.endswith("Looked at were 3 devices with 12 ports and 3 links.\n")
    told = (sites / "ring.html").read_text("utf-8")
    assert "both ends are at cost 2000, and edge-2 has the lower bridge identifier" in told
