"""The port table (docs/frames.md, section 1), a case a row; and what habits do that nobody states."""

from dataclasses import fields, replace
from functools import reduce
from itertools import product
from operator import and_, or_

import pytest
from hypothesis import given

from inkov.kinds.relay import NOTHING, RelayMap, View
from inkov.kinds.table import relay_map
from inkov.model.switch import ALL_HABITS, Access, Habits, Port, Routed, Switch, Trunk, Unstated
from inkov.model.vlanset import ALL, VlanSet
from strategies import opened, origin, switches

ACTIVE = VlanSet([10, 20, 30]).mask
SWITCH = Switch(name="s", vlans=None, ports={}, unstated_habits=frozenset(), origin=origin)


FORMATS = {"802.1Q": 0}


def mask(*vids):
    return VlanSet(vids).mask


@pytest.mark.parametrize(
    ("switching", "must", "may"),
    [
        (Access(10), RelayMap(mask(10), 0, mask(10), 0), None),
        (Access(99), NOTHING, None),
        (Access(None), NOTHING, RelayMap(ACTIVE, 0, ACTIVE, 0)),
        (Trunk(10, VlanSet([10, 20])), RelayMap(mask(10), mask(10, 20), mask(10), mask(20)), None),
        (Trunk(30, VlanSet([10, 20])), RelayMap(0, mask(10, 20), 0, mask(10, 20)), None),
        (Trunk(99, ALL), RelayMap(0, ACTIVE, 0, ACTIVE), None),
        (Trunk(None, VlanSet([10, 99])), RelayMap(0, mask(10), 0, mask(10)), None),
        (Routed(), NOTHING, None),
        (Unstated(), NOTHING, RelayMap(ACTIVE, ACTIVE, ACTIVE, ACTIVE)),
    ],
    ids=str,
)
def test_each_kind_of_port(switching, must, may):
    port = Port(name="p", switching=switching, origin=origin)
    assert relay_map(port, SWITCH, ACTIVE, View.MUST, FORMATS) == must
    assert relay_map(port, SWITCH, ACTIVE, View.MAY, FORMATS) == (must if may is None else may)
    off = Port(name="p", switching=switching, enabled=False, origin=origin)
    assert relay_map(off, SWITCH, ACTIVE, View.MAY, FORMATS) == NOTHING


def test_priority_tagged_counts_as_untagged_and_inner_tags_stay():
    trunk = RelayMap(mask(10), mask(10, 20), mask(10), mask(20))
    assert trunk.accept(()) == [(10, ())]
    assert trunk.accept((0,)) == [(10, ())]
    assert trunk.accept((20, 30)) == [(20, (30,))]
    assert trunk.accept((30,)) == []
    assert trunk.send(10, (30,)) == [(30,)]
    assert trunk.send(20, (30,)) == [(20, 30)]
    assert trunk.send(30) == []


EVERY = [Habits(*values) for values in product((False, True), repeat=len(fields(Habits)))]


@given(switches("s").flatmap(lambda s: opened(next(iter(s.ports.values())))))
def test_habits_that_nobody_states_are_read_as_all_of_them_together(port):
    silent = replace(SWITCH, unstated_habits=ALL_HABITS)
    stated = [relay_map(port, replace(SWITCH, habits=h), ACTIVE, View.USUAL, FORMATS) for h in EVERY]
    for view, joined in ((View.MAY, or_), (View.MUST, and_)):
        each = [relay_map(port, replace(SWITCH, habits=h), ACTIVE, view, FORMATS) for h in EVERY]
        assert relay_map(port, silent, ACTIVE, view, FORMATS) == reduce(joined, each)
    assert relay_map(port, silent, ACTIVE, View.USUAL, FORMATS) == stated[EVERY.index(Habits())]
