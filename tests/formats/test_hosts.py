"""Hosts: a list in the campus file or a CSV file, and every way it can be wrong."""

import pytest

import inkov
from conftest import run_inkov
from inkov.model.campus import Host
from inkov.model.errors import BadInput
from inkov.model.names import PortRef

SWITCH = "inkov: switch\nname: a\nvlans: {10: }\nports: {1-2: {access: 10}}\n"
CAMPUS = "inkov: campus\nname: c\nswitches: [a.yaml]\nhosts: hosts.csv\n"


def load(site, csv):
    return inkov.load(site({"a.yaml": SWITCH, "campus.yaml": CAMPUS, "hosts.csv": csv}))


def test_a_csv_list_with_any_columns_in_any_order(site):
    campus = load(site, "port,name,mac\na:1,till,00:00:5E:00:53:A1\n\na:2, kiosk ,\n")
    assert campus.hosts == {
        "till": Host("till", PortRef("a", "1"), mac="00:00:5e:00:53:a1"),
        "kiosk": Host("kiosk", PortRef("a", "2")),
    }
    assert [h.at for h in inkov.flood(campus, "till")] == ["a:2"]


@pytest.mark.parametrize(
    ("csv", "message"),
    [
        (
            "name,prot\n",
            "hosts.csv:1: the first line must name the columns, name and port among them\nhosts.csv:1: unknown column 'prot'; did you mean 'port'?",
        ),
        ("name,port\ntill,a:9\n", "hosts.csv:2: a has no port '9'; expected one of: 1, 2"),
        ("name,port\ntill,b:1\n", "hosts.csv:2: there is no switch 'b'; expected one of: a"),
        ("name,port\ntill,a1\n", "hosts.csv:2: 'a1' is not a port; expected switch:port"),
        ("name,port\ntill,a:1\ntill,a:2\n", "hosts.csv:3: a second host named 'till'; the first is in line 2"),
        ("name,port\ntill,a:1,x\n", "hosts.csv:2: 3 cells under 2 columns"),
        ("name,port\na b,a:1\n", "hosts.csv:2: name: 'a b' is not a name; expected text without blanks and colons"),
    ],
)
def test_rows_that_make_no_host(site, csv, message):
    with pytest.raises(inkov.BadInput) as caught:
        load(site, csv)
    assert str(caught.value) == message


def test_a_list_that_is_not_there(site):
    with pytest.raises(inkov.BadInput) as caught:
        inkov.load(site({"a.yaml": SWITCH, "campus.yaml": CAMPUS}))
    assert str(caught.value) == "campus.yaml:4: hosts: 'hosts.csv' cannot be read as a list of hosts"


_NAMED = {
    "a.yaml": "inkov: switch\nname: Core.example.net\nvlans: {10: , 20: }\nports: {1: {access: 10}, 2: {access: 20}, u1: {trunk: '10'}}\n",
    "b.yaml": "inkov: switch\nname: hall\nvlans: {10: }\nports: {1: {access: 10}, u1: {trunk: '10'}}\n",
    "campus.yaml": """inkov: campus
name: c
switches-are: {core: {role: core}}
cables: [core u1 - hall.example.net u1]
hosts: [{name: till, port: "core:1"}]
plan: [{switch: core, ports: '2', vlan: 20}]
segments: {tills: {vlan: 10}, rest: {ports: ["CORE:2"]}}
claims: [{only: [tills, rest], through: [core]}]
""",
}


def test_devices_go_by_the_names_people_use_everywhere(site, tmp_path):
    campus = inkov.load(site(_NAMED))
    core, (cable,), (claim,) = "Core.example.net", campus.cables, campus.claims
    assert campus.switches[core].role == "core"
    assert (cable.a, cable.b) == (PortRef(core, "u1"), PortRef("hall", "u1"))
    assert campus.hosts["till"].port == PortRef(core, "1")
    assert campus.segments["rest"].ports == {PortRef(core, "2")}
    assert [p.port for p in campus.plan] == [PortRef(core, "2")]
    assert claim.through == (core,)
    for args in (
        ("flood", "core:1"),
        ("trace", "core:1", "hall:1"),
        ("ports", "--switch", "core"),
        ("rehearse", "--fail", "core"),
        ("rehearse", "--cut", "core:u1"),
        ("rehearse", "--set", "core:2 label spare"),
        ("prove", "--claim", "apart core:2 hall:1"),
    ):
        ran = run_inkov(args[0], str(tmp_path), *args[1:])
        assert ran.err == ""
        assert core in ran.out or args[0] in {"trace", "rehearse"}


def test_a_name_that_two_devices_have_but_for_the_domain_names_neither(site):
    other = _NAMED["b.yaml"].replace("hall", "core.west.example")
    with pytest.raises(BadInput) as wrong:
        inkov.load(site({**_NAMED, "b.yaml": other, "campus.yaml": _HOST}))
    assert str(wrong.value) == (
        "campus.yaml:3: hosts/0: there is no switch 'core'; expected one of: Core.example.net, core.west.example"
    )


_HOST = "inkov: campus\nname: c\nhosts: [{name: till, port: 'core:1'}]\n"
