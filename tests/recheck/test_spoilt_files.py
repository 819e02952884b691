"""A certificate of a site holds of no site whose files say less, something that cannot be, or two things at once, unless `prove` says so."""

import random

import pytest

import inkov
import spoiling
from conftest import write_files
from inkov.forwarding.network import Network
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Proved
from inkov.proof.prove import Prover
from inkov.recheck.check import check


@pytest.mark.few(3)
@pytest.mark.parametrize("suffix", spoiling.FORMATS)
@pytest.mark.parametrize("seed", range(8))
def test_no_certificate_outlives_what_it_rests_on(tmp_path, suffix, seed):
    rng = random.Random(seed)
    boxes, whole, claims = spoiling.site(rng, suffix)
    campus = inkov.load(write_files(tmp_path / "whole", whole))
    prover = Prover(Network(campus))
    proved = [v for v in inkov.prove(campus, claims) if isinstance(v.outcome, Proved)]
    certificates = {v.claim.name: certificate(prover, v, {}) for v in proved}
    for n in range(6):
        box, how = rng.choice(boxes), rng.choice(list(spoiling.WAYS))
        text, said = spoiling.changed(suffix, how, rng, box)
        try:
            now = inkov.load(write_files(tmp_path / str(n), {**whole, f"{box.name}.{suffix}": text}), strict=False)
        except inkov.BadInput:
            continue
        if any(not p.partly for p in now.unread):
            continue  # `recheck` takes no such site
        for verdict in inkov.prove(now, [v.claim for v in proved]):
            accepted = not check(now, certificates[verdict.claim.name]).reasons
            assert isinstance(verdict.outcome, Proved) or not accepted, (verdict, how, said)
