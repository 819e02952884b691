"""Which changes bring an effect about: what alone does it and without which it is gone, where there is such a set; tried on all sets."""

from collections import Counter
from itertools import combinations

import pytest
from hypothesis import given, settings

from inkov.change.causes import Causes, places
from inkov.change.side import Side
from inkov.model.campus import Apart, Facing, Together
from inkov.plan.change import changes, with_some
from plan.test_change import edited
from strategies import often

seen = Counter()


@pytest.fixture(scope="module", autouse=True)
def counted():
    yield
    assert min(seen["alone"], seen["together"]) > 0


def claims_of(campus):
    names = sorted(campus.segments)
    for a, b in combinations(names, 2):
        yield Apart(f"{a} {b}", (a, b))
        yield Apart(f"{a} {b} hostile", (a, b), facing=Facing.HOSTILE)
    yield from (Together(f"{n} whole", (n,)) for n in names)


@settings(max_examples=often(60))
@given(edited())
def test_a_cause_does_it_alone_and_without_it_the_effect_is_gone(pair):
    one, other = pair
    before = Side(one)
    after = Side(other, like=before)
    found = changes(one, other)
    if not 1 < len(found) <= 6:
        return
    causes, keys = Causes(before, after, found), [c.key for c in found]
    every = [frozenset(some) for size in range(len(keys) + 1) for some in combinations(keys, size)]
    alone = {some: Side(with_some(one, other, some)) for some in every}
    for claim in (c for c in claims_of(one) if before.word(c) != after.word(c)):
        now = after.word(claim)
        shown = {some for some in every if alone[some].word(claim) == now}
        lawful = {some for some in shown if frozenset(keys) - some not in shown}
        got = frozenset(
            causes.of(
                lambda side, claim=claim, now=now: side.word(claim) == now,
                list(places(after.outcome(claim))),
                lambda side, claim=claim: places(side.outcome(claim)),
            )
        )
        smaller = {some for some in lawful if some < got}
        seen["alone" if len(got) == 1 else "together"] += 1
        assert (got in lawful, smaller) == (True, set())
