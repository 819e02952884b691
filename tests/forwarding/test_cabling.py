"""Links from cables and discovery: either end is enough, cables win, contradictions are doubtful."""

import pytest

import inkov
from inkov.api import draft, network
from inkov.forwarding.labels import by_labels
from inkov.forwarding.network import Network

PORTS = "ports: {1-4: {trunk: '10'}}\n"


def switch(name, heard, more=""):
    return f"inkov: switch\nname: {name}\nvlans: {{10: }}\n{PORTS}neighbours: {{{heard}}}\n{more}"


def links(folder):
    return [(str(k), k.up, bool(k.doubt)) for k in network(inkov.load(folder)).links]


def test_either_end_alone_is_enough(site):
    assert links(site({"a.yaml": switch("a", "1: b 2"), "b.yaml": switch("b", "")})) == [("a:1 <-> b:2", True, False)]
    assert links(site({"a.yaml": switch("a", ""), "b.yaml": switch("b", "2: a 1")})) == [("a:1 <-> b:2", True, False)]


def test_a_cable_wins_over_discovery(site):
    folder = site(
        {
            "a.yaml": switch("a", "1: b 2"),
            "b.yaml": switch("b", "2: a 1"),
            "campus.yaml": "inkov: campus\nname: c\ncables: ['a:1 - b:3']\n",
        }
    )
    assert links(folder) == [("a:1 <-> b:3", True, False)]
    (found,) = network(inkov.load(folder)).cabling.disagreements
    assert (str(found.port), found.says[0], found.but[0], found.stated) == ("a:1", "b:3", "b:2", True)


def test_discovery_that_contradicts_itself_is_doubted(site):
    folder = site({"a.yaml": switch("a", "1: b 2"), "b.yaml": switch("b", "2: c 1"), "c.yaml": switch("c", "")})
    assert links(folder) == [("a:1 <-> b:2", True, True), ("b:2 <-> c:1", True, True)]
    (verdict,) = inkov.prove(inkov.load(folder), ["together 10"])
    assert isinstance(verdict.outcome, inkov.CannotTell)


def test_a_disabled_end_takes_the_link_down(site):
    off = switch("b", "").replace("1-4: {trunk: '10'}", "1-4: {trunk: '10', enabled: false}")
    assert links(site({"a.yaml": switch("a", "1: b 2"), "b.yaml": off})) == [("a:1 <-> b:2", False, False)]


def test_lag_is_one_link_and_up_while_one_cable_is(site):
    lag = "ports: {1: {lag: up, enabled: false}, 2: {lag: up}}\nlags: {up: {trunk: '10'}}\n"
    files = {n: switch(n, "").replace(PORTS, lag) for n in "ab"}
    files["a"] = files["a"].replace("neighbours: {}", "neighbours: {1: b 1, 2: b 2}")
    folder = site({f"{n}.yaml": text for n, text in files.items()})
    assert links(folder) == [("a:up <-> b:up", True, False)]
    (link,) = network(inkov.load(folder)).links
    assert [str(w.a) for w in link.wires] == ["a:1", "a:2"]


@pytest.mark.parametrize(
    ("hall", "ward", "cables"),
    [
        ({"u1": "to ward u1"}, {"u1": "to hall u1"}, ["hall:u1 - ward:u1"]),
        (
            {"u1": "to ward u2", "u2": "ward:u1"},
            {"u1": "hall u2", "u2": "hall"},
            ["hall:u1 - ward:u2", "hall:u2 - ward:u1"],
        ),
        ({"u1": "uplink ward"}, {"u2": "from hall"}, ["hall:u1 - ward:u2"]),
        ({"u1": "ward", "u2": "ward"}, {"u1": "hall", "u2": "hall"}, []),  # which to which is not said
        ({"u1": "ward u2"}, {"u1": "hall u1"}, []),  # they name different ports
        ({"u1": "ward u1"}, {"u1": "hall u2"}, []),
        ({"u1": "ward u1"}, {"u1": "printer"}, []),  # one end alone proves nothing
    ],
)
def test_labels_at_both_ends_name_a_cable(site, hall, ward, cables):
    def switch(name, labels):
        ports = ", ".join(f"{p}: {{trunk: '310', label: '{labels.get(p, '')}'}}" for p in ("u1", "u2"))
        return f"inkov: switch\nname: {name}\nvlans: {{310: tanks}}\nports: {{1: {{access: 310}}, {ports}}}\n"

    made = Network(inkov.load(site({"hall.yaml": switch("hall", hall), "ward.yaml": switch("ward", ward)})))
    assert [f"{a} - {b}" for a, b in by_labels(made.switches, made.cabling)] == cables
    drafted = draft(made)
    assert [line.split("  #")[0] for line in drafted.splitlines() if line.endswith("labels at both ends alone")] == [
        f"  - {c.replace(':', ' ')}" for c in cables
    ]
    uncabled = any(f.rule == "neighbour/none" for f in inkov.audit(made.campus))
    assert uncabled is not bool(cables)
