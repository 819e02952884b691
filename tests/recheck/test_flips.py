"""A certificate is for one site: where a fact of the site is another, and `prove` no longer says proved, it is refused."""

import random
from collections import Counter
from dataclasses import replace
from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from flips import flip
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Facing, Segment, Together
from inkov.model.vlanset import VlanSet
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Proved, Verdict
from inkov.proof.prove import Prover
from inkov.recheck.check import check
from routed import routed_campuses
from strategies import MEMBERS, announced, campuses, often, open_campuses, source, trunked

COUNTS = Counter()


@pytest.fixture(scope="module", autouse=True)
def counted():
    yield
    print("\nFlips:", ", ".join(f"{n} {what}" for what, n in sorted(COUNTS.items())))


def named(campus):
    """The campus with a segment for each of its VLANs."""
    return replace(campus, segments={f"v{v}": Segment(f"v{v}", VlanSet([v]), source) for v in MEMBERS})


def claims(campus):
    names = [*campus.segments][:4]
    for a, b in combinations(names, 2):
        for layers in ({2}, {3}):
            yield Apart("x", (a, b), layers=frozenset(layers))
    yield Apart("x", tuple(names[:2]), facing=Facing.HOSTILE)
    for name in names:
        yield from (Together("x", (name,), n) for n in (0, 1))


@pytest.mark.long
@settings(max_examples=often(10))
@given(
    st.one_of(campuses(), open_campuses(), routed_campuses(), trunked().map(named), announced()),
    st.integers(0, 2**32),
)
def test_a_certificate_is_refused_where_the_claim_is_no_longer_proved(campus, seed):
    rng = random.Random(seed)
    prover = Prover(Network(campus))
    made = []
    for claim in claims(campus):
        outcome = prover.decide(claim)
        if isinstance(outcome, Proved) and (document := certificate(prover, Verdict(claim, outcome), {})):
            assert not check(campus, document).reasons, claim
            made.append((claim, document))
    for _ in range(6 if made else 0):
        changed, what = flip(campus, rng)
        again = Prover(Network(changed))
        for claim, document in made:
            checked = check(changed, document)
            accepted = not checked.reasons
            COUNTS["accepted" if accepted else "refused"] += 1
            if accepted and not any("the tree and pruning leave" in fact for fact in checked.rests_on):
                outcome = again.decide(claim)
                assert isinstance(outcome, Proved), (what, claim, outcome)


@pytest.mark.long
def test_some_certificates_were_accepted_and_some_refused():
    """Runs after the property above, which a prover that proves nothing would pass."""
    assert COUNTS["accepted"]
    assert COUNTS["refused"]


@settings(max_examples=often(10))
@given(st.one_of(campuses(), open_campuses(), trunked().map(named)), st.integers(0, 2**32))
def test_certificates_are_accepted_whatever_formats_ports_tag_in(campus, seed):
    rng = random.Random(seed)
    formats = ["802.1Q"] * 7 + ["other", "negotiated", "negotiated"]
    switches = {
        n: replace(s, ports={k: replace(p, tag_format=rng.choice(formats)) for k, p in s.ports.items()})
        for n, s in campus.switches.items()
    }
    campus = replace(campus, switches=switches)
    prover = Prover(Network(campus))
    for claim in claims(campus):
        if getattr(claim, "facing", None) is Facing.HOSTILE:
            continue  # stacks of tags in several formats take their time
        outcome = prover.decide(claim)
        if isinstance(outcome, Proved) and (document := certificate(prover, Verdict(claim, outcome), {})):
            assert not check(campus, document).reasons, claim
