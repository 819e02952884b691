"""A VLAN that is lost on the way, wherever and how often: one outage tells of all of it, and its cure brings it back."""

import json
import tempfile
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
from conftest import run_inkov, write_files
from inkov.change.mending import mended
from inkov.rules.finding import Severity

VID = 50


@st.composite
def lossy_trees(draw):
    """Switches in a tree, some with members of a VLAN; ends of links that leave it out; switches that do not define it.

    A router may be behind one, whose subinterface is the VLAN's gateway.
    """
    size = draw(st.integers(3, 6))
    up = {n: draw(st.integers(0, n - 1)) for n in range(1, size)}
    home = draw(st.sets(st.integers(0, size - 1), min_size=2))
    out = draw(st.sets(st.tuples(st.sampled_from(sorted(up)), st.booleans()), min_size=1))
    lacks = draw(st.sets(st.sampled_from(sorted({*range(size)} - home)), max_size=1)) if len(home) < size else set()
    if lacks:  # a link that nobody lists, at a switch that does not define it, is no fault but a design
        out = set({low: (low, end) for low, end in sorted(out)}.values())
    return size, up, home, out, lacks, draw(st.integers(0, size - 1))


def files(tree):
    size, up, home, out, lacks, router = tree
    made = {
        "fence.yaml": f"inkov: switch\nname: fence\nkind: router\nports: {{e: {{subinterfaces: {{{VID}: 192.0.2.1/24}}}}}}\n"
    }
    for n in range(size):
        ports, heard = [], []
        for low, high in up.items():
            if n in {low, high}:
                listed = "40" if (low, n == high) in out else f"40,{VID}"
                far = low if n == high else high
                ports.append(f"p{far}: {{trunk: '{listed}', native: none}}")
                heard.append(f"p{far}: s{far} p{n}")
        ports += ["1: {access: 40}"] + [f"2: {{access: {VID}}}"] * (n in home)
        if n == router:
            ports.append(f"r: {{trunk: '40{'' if (0, True) in out else f',{VID}'}', native: none}}")
            heard.append("r: fence e")
        table = "40: till" if n in lacks else f"40: till, {VID}: desk"
        text = f"name: s{n}\nvlans: {{{table}}}\nrouting: false\nports: {{{', '.join(ports)}}}\nneighbours: {{{', '.join(heard)}}}\n"
        made[f"s{n}.yaml"] = f"inkov: switch\n{text}"
    return made


def cut_or_unheard(campus, up, home, router):
    """Tells literally, from lists and tables alone, whether members or the gateway are cut off: joined by hand, switch by switch."""
    ports = {n: s.ports for n, s in campus.switches.items()}

    def lists(switch, port):
        return VID in ports[switch][port].switching.allowed

    relays = [VID in campus.switches[f"s{n}"].vlans for n in range(len(up) + 1)]
    joined = {n: n for n in range(len(up) + 1)}
    for low, high in up.items():
        if relays[low] and relays[high] and lists(f"s{low}", f"p{high}") and lists(f"s{high}", f"p{low}"):
            old, new = joined[low], joined[high]
            joined = {n: new if at == old else at for n, at in joined.items()}
    heard = relays[router] and lists(f"s{router}", "r")
    return not heard or len({joined[n] for n in {*home, router}}) > 1


@settings(max_examples=60)
@given(lossy_trees())
def test_whatever_loses_it_is_told_with_its_places_and_cured(tree):
    _, up, home, _, _, router = tree
    with tempfile.TemporaryDirectory() as folder:
        campus = inkov.load(write_files(Path(folder), files(tree)))
    found = inkov.audit(campus)
    assert all(f.place.strip() and f.mend for f in found)
    outages = [f for f in found if f.severity is Severity.OUTAGE and VID in f.vlans]
    assert bool(outages) == cut_or_unheard(campus, up, home, router)
    after = campus
    for _ in range(2):  # a cure that must wait for lists beyond a gap is found when they are there
        after = mended(after)[2]
    assert not cut_or_unheard(after, up, home, router)
    assert not [f for f in inkov.audit(after) if f.severity is Severity.OUTAGE]
    for name, switch in after.switches.items():
        for port, now in switch.ports.items():
            was = campus.switches[name].ports[port]
            assert type(now.switching) is type(was.switching)
            assert 1 not in getattr(now.switching, "allowed", ()), f"{name}:{port} carries VLAN 1 now"


MIDDLE = (
    "inkov: switch\nname: {}\nvlans: {{40: cameras, 50: tills}}\nrouting: false\nports: {{{}}}\nneighbours: {{{}}}\n"
)
GAPS = {
    "a.yaml": MIDDLE.format("a", "1: {access: 50}, u1: {trunk: '40,50', native: none}", "u1: b u1"),
    "b.yaml": MIDDLE.format(
        "b", "u1: {trunk: '40', native: none}, u2: {trunk: '40', native: none}", "u1: a u1, u2: c u1"
    ),
    "c.yaml": MIDDLE.format("c", "1: {access: 50}, u1: {trunk: '40,50', native: none}", "u1: b u2"),
}
PRIVATE = {
    "fence.yaml": "inkov: switch\nname: fence\nkind: router\nports: {e1: {subinterfaces: {120: 10.0.120.1/24}}}\n",
    "sw.yaml": "inkov: switch\nname: sw\nvlans: {120: {name: chalets, type: primary}, 121: {name: alone, type: isolated, primary: 120}}\n"
    "routing: false\nports: {1-2: {private: {primary: 120, secondary: 121}}, u1: {trunk: 120-121, native: none}}\n"
    "neighbours: {u1: fence e1}\n",
}
LONG = {
    "a.yaml": MIDDLE.format("a", "1: {access: 40}, u1: {trunk: '40', native: none}", "u1: b u1"),
    "b.yaml": MIDDLE.format("b", "1: {access: 40}, 2: {access: 50}, u1: {trunk: all, native: none}", "u1: a u1"),
}
PATCH = {
    "a.yaml": MIDDLE.format(
        "a", "1: {access: 40}, 2: {access: 40}, u1: {trunk: '40,50', native: none}", "u1: b u1, 2: b 2"
    ),
    "b.yaml": MIDDLE.format(
        "b", "1: {access: 50}, 2: {access: 50}, u1: {trunk: '40,50', native: none}", "u1: a u1, 2: a 2"
    ),
}


@pytest.mark.parametrize(
    ("site", "severity", "rule", "place", "mend", "steps"),
    [
        (
            GAPS,
            "outage",
            "list/differs",
            "a:u1 <-> b:u1 and b:u2 <-> c:u1",
            "Add 50 to the lists of b:u1 and b:u2.",
            ["b:u1-u2: allow 50"],
        ),
        (
            PRIVATE,
            "outage",
            "gateway/unheard",
            "fence:e1",
            "Make sw:u1 promiscuous for VLAN 120, mapped to its secondaries.",
            [],
        ),
        (
            LONG,
            "risk",
            "list/differs",
            "a:u1 <-> b:u1",
            "Take 1,50 off the list of b:u1, as nobody needs them there; or add them at the other end.",
            ["b:u1: trunk 40"],
        ),
        (
            PATCH,
            "breach",
            "trunk/absent",
            "a:2 <-> b:2",
            "If this is a patch cable between two sockets, pull it; else move the socket that is in the wrong VLAN: other links "
            "join the two switches already.",
            [],
        ),
    ],
)
def test_what_is_told_and_done(tmp_path, site, severity, rule, place, mend, steps):  # noqa: PLR0917 - a row a case
    write_files(tmp_path, site)
    (found,) = (
        f for f in json.loads(run_inkov("audit", tmp_path, "--format", "json").out)["findings"] if f["rule"] == rule
    )
    assert (found["severity"], found["place"], found["mend"]) == (severity, place, mend)
    cures = json.loads(run_inkov("mend", tmp_path, "--only", rule, "--format", "json").out)["cures"]
    assert [s for c in cures for s in c["steps"]] == steps
