"""For each VLAN that a link loses, the first rung that fails, at the end where it fails."""

import pytest

import inkov
from inkov.api import network


def switch(name, vlans, port, heard=""):
    return f"inkov: switch\nname: {name}\nvlans: {{{vlans}}}\nports: {{u: {{{port}}}, 1: {{access: 10}}, 2: {{access: 20}}}}\nneighbours: {{{heard}}}\n"


BOTH = "10: , 20: "


@pytest.mark.parametrize(
    ("a", "b", "carried", "lost"),
    [
        (("trunk: '10,20'", BOTH), ("trunk: '10,20'", BOTH), "10,20", []),
        (("trunk: '10'", BOTH), ("trunk: '10,20'", BOTH), "10", ["20: not in the list of a:u"]),
        (("trunk: '10,20'", BOTH), ("trunk: '20'", BOTH), "20", ["10: not in the list of b:u"]),
        (("trunk: all", BOTH), ("trunk: all", "10: "), "1,10", ["20: not defined on b"]),
        (("trunk: '10,20'", BOTH), ("trunk: '10,20'", "10: , 20: {state: suspended}"), "10", ["20: suspended on b"]),
        (("trunk: '10,20', native: 20", BOTH), ("trunk: '10,20', native: 20", BOTH), "10,20", []),
        (
            ("trunk: '10,20', native: 20", BOTH),
            ("trunk: '10,20'", BOTH),
            "10",
            ["20: untagged at a:u, another VLAN at the far end"],
        ),
        (("access: 10", BOTH), ("trunk: '10,20', native: 10", BOTH), "10", ["20: a:u is no trunk"]),
        (("access: 10", BOTH), ("access: 10", BOTH), "10", ["20: a:u is no trunk"]),
        (("trunk: '10,20', enabled: false", BOTH), ("trunk: '10,20'", BOTH), "none", ["10,20: a:u is disabled"]),
    ],
)
def test_first_rung_that_fails(site, a, b, carried, lost):
    folder = site({"a.yaml": switch("a", a[1], a[0], "u: b u"), "b.yaml": switch("b", b[1], b[0])})
    net = network(inkov.load(folder))
    climbed = net.ladder(net.links[0])
    assert str(climbed.carried) == carried
    assert [f"{x.vlans}: {x}" for x in climbed.lost] == lost
