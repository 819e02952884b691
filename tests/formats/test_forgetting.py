"""Forgetting proves nothing: without one line of a walk, or one leaf of an export, no verdict is proved or broken that was not.

No more does a value that cannot stand where it does, or one that is told twice, differently.

A file that tells less stands for more campuses, the one of the whole file among them. Left alone are leaves whose absence states
something: by the default of their model, or because the list they stand in is whole without them.
"""

import os
import random
from collections import Counter

import pytest

import inkov
import spoiling
from conftest import write_files
from inkov.proof.outcome import Broken, Proved

TAKEN = Counter()


@pytest.fixture(scope="module", autouse=True)
def counted():
    yield
    print("\nChanged:", ", ".join(f"{n} of {what}" for what, n in sorted(TAKEN.items())))


def verdicts(site, claims):
    return {c: v.outcome for c, v in zip(claims, inkov.prove(inkov.load(site, strict=False), claims), strict=True)}


@pytest.mark.few(45)
@pytest.mark.parametrize("how", spoiling.WAYS)
@pytest.mark.parametrize("suffix", spoiling.FORMATS)
@pytest.mark.parametrize("seed", range(int(os.environ.get("SEEDS", "6"))))
def test_forgetting_proves_nothing(tmp_path, suffix, seed, how):
    rng = random.Random(seed)
    boxes, whole, claims = spoiling.site(rng, suffix)
    before = verdicts(write_files(tmp_path / "whole", whole), claims)
    for n in range(8):
        box = rng.choice(boxes)
        text, said = spoiling.changed(suffix, how, rng, box)
        try:
            after = verdicts(write_files(tmp_path / str(n), {**whole, f"{box.name}.{suffix}": text}), claims)
        except inkov.BadInput:
            continue
        TAKEN[f"{suffix} {how}"] += 1
        nameless = "interface" in said and "name is" in said  # without a name it is no port, and its neighbour an edge
        for claim, outcome in after.items():
            nobody = "no port of" in str(before[claim])  # planned there
            if isinstance(outcome, Proved | Broken) and not nobody and not (nameless and isinstance(outcome, Broken)):
                assert isinstance(outcome, type(before[claim])), (claim, said)
