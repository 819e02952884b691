"""Negotiation: the whole result table, and the words for how each end came to be what it is."""

import pytest

from inkov.forwarding.negotiation import RESULT, form
from inkov.kinds.kind import Side
from inkov.model.switch import Access, Negotiated, Port, Stance, Trunk
from inkov.model.vlanset import ALL
from simulator import BECOMES
from strategies import origin

ACCESS, TRUNK = Access(10), Trunk(None, ALL)
NAMES = {
    Side.ACCESS: "access",
    Side.TRUNK_SILENT: "silent",
    Side.TRUNK_ANNOUNCING: "announcing",
    Side.PASSIVE: "passive",
    Side.ACTIVE: "active",
}


def test_the_whole_table_is_the_documented_one():
    assert len(RESULT) == 25
    for (mine, theirs), (near, far) in RESULT.items():
        assert "AT"[near] == BECOMES[NAMES[mine], NAMES[theirs]]
        assert "AT"[far] == BECOMES[NAMES[theirs], NAMES[mine]]


def port(switching, stance=Stance.SILENT):
    return Port(name="p", switching=switching, stance=stance, origin=origin)


ASKS, WAITS, MUTE = (port(Negotiated(ACCESS, TRUNK), s) for s in (Stance.ACTIVE, Stance.PASSIVE, Stance.SILENT))


@pytest.mark.parametrize(
    ("mine", "far", "became", "how"),
    [
        (ASKS, WAITS, TRUNK, "asks, was answered"),
        (WAITS, ASKS, TRUNK, "waits, was asked"),
        (WAITS, WAITS, ACCESS, "waits, nobody asked"),
        (WAITS, port(TRUNK), ACCESS, "waits, nobody asked"),
        (ASKS, port(TRUNK), ACCESS, "asks, nobody answered"),
        (ASKS, port(ACCESS), ACCESS, "asks, nobody answered"),
        (WAITS, port(TRUNK, Stance.PASSIVE), TRUNK, "waits, was asked"),
        (MUTE, ASKS, ACCESS, "told to stay silent, so it never asks"),
        (port(TRUNK), ASKS, TRUNK, ""),
        (port(ACCESS), ASKS, ACCESS, ""),
    ],
)
def test_what_an_end_becomes_and_how(mine, far, became, how):
    formed = form(mine, far)
    assert (formed.usual.switching, formed.sure, formed.how) == (became, True, how)


def test_what_is_not_known_is_access_for_sure_and_either_perhaps():
    for far, how in ((None, "waits"), (port(TRUNK, None), "not known whether the far end announces itself")):
        formed = form(WAITS, far)
        assert ([p.switching for p in formed.outcomes], formed.how) == ([ACCESS, TRUNK], how)


def test_different_groups_refuse_each_other():
    formed = form(ASKS, WAITS, same_group=False)
    assert (formed.usual.switching, formed.how) == (ACCESS, "refused: the ends are in different sync groups")
