import pytest
from hypothesis import given

from inkov.model.vlanset import ALL, NONE, VlanSet, VlanTextError
from strategies import vlan_frozensets

EVERY = frozenset(range(1, 4095))


@given(vlan_frozensets, vlan_frozensets)
def test_algebra_is_that_of_frozenset(a, b):
    x, y = VlanSet(a), VlanSet(b)
    for mine, theirs in (
        (x | y, a | b),
        (x & y, a & b),
        (x - y, a - b),
        (x ^ y, a ^ b),
        (~x, EVERY - a),
    ):
        assert list(mine) == sorted(theirs)
        assert len(mine) == len(theirs)
    assert (x <= y) == (a <= b)
    assert (x == y) == (a == b)
    assert bool(x) == bool(a)
    assert all(v in x for v in a)


@given(vlan_frozensets)
def test_text_reads_back(a):
    x = VlanSet(a)
    assert VlanSet.parse(str(x)) == x
    assert hash(VlanSet.parse(str(x))) == hash(x)
    assert VlanSet.parse(str(~x)) == ~x


@pytest.mark.parametrize(
    ("text", "printed"),
    [
        ("310", "310"),
        ("310-330,305", "305,310-330"),
        (" 1 , 3-4,2 ", "1-4"),
        ("7-7", "7"),
        ("all", "all"),
        ("1-4094", "all"),
        ("none", "none"),
        ("all but 320,340", "all but 320,340"),
        ("all but none", "all"),
        ("all but all", "none"),
    ],
)
def test_prints_in_one_way(text, printed):
    assert str(VlanSet.parse(text)) == printed


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("0", "0 is not a VLAN number; expected 1 to 4094"),
        ("4095", "4095 is not a VLAN number; expected 1 to 4094"),
        ("70000", "70000 is not a VLAN number; expected 1 to 4094"),
        ("30-10", "range 30-10 runs backwards; expected 10-30"),
        (
            "tills",
            "'tills' is not a VLAN list; expected numbers and ranges such as 310-330,305, or all, none, all but 320",
        ),
        (
            "310,,320",
            "'' is not a VLAN list; expected numbers and ranges such as 310-330,305, or all, none, all but 320",
        ),
    ],
)
def test_refuses_with_a_reason(text, message):
    with pytest.raises(VlanTextError) as caught:
        VlanSet.parse(text)
    assert str(caught.value) == message


def test_is_a_value():
    assert len({VlanSet([1, 2]), VlanSet([2, 1]), ALL, ~NONE}) == 2
    with pytest.raises(AttributeError):
        ALL._mask = 0
    assert 0 not in ALL
    assert "310" not in ALL
    assert VlanSet([5]) != {5}
