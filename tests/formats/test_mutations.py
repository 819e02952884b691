"""The demo's files with random damage: answered, or refused with a reason; never a traceback."""

import contextlib
import random
import re

import pytest

import inkov
from conftest import write_files
from inkov.demo.station import as_found

WORDS = [
    "all",
    "none",
    "4095",
    "0",
    "-1",
    "70000",
    "null",
    "{}",
    "[]",
    "{a: b}",
    "true",
    "'",
    '"',
    "310",
    "u1",
    "boat-dock",
]
WORDS += ["\x1b[31m", "é", "switch", "unmanaged", "router", "negotiated", "active", ": ", "- ", "1-9999999", "9-1"]


def damaged(rng, text):
    """Cuts a piece, swaps a word, or doubles or drops a line."""
    lines = text.split("\n")
    match rng.randrange(4):
        case 0:
            at = rng.randrange(len(text))
            return text[:at] + text[at + rng.randint(1, 30) :]
        case 1:
            a, b = rng.choice([m.span() for m in re.finditer(r"[\w.\-]+", text)])
            return text[:a] + rng.choice(WORDS) + text[b:]
        case 2:
            lines.insert(rng.randrange(len(lines)), rng.choice(lines))
        case _:
            del lines[rng.randrange(len(lines))]
    return "\n".join(lines)


@pytest.mark.few(3)
@pytest.mark.parametrize("seed", range(8))
def test_damage_is_answered_or_refused(seed, tmp_path):
    rng = random.Random(seed)
    for round_ in range(6):
        files = as_found()
        for name in rng.sample(sorted(files), rng.randint(1, 3)):
            files[name] = damaged(rng, files[name])
        folder = write_files(tmp_path / str(round_), files)
        with contextlib.suppress(inkov.BadInput):
            campus = inkov.load(folder)
            inkov.audit(campus)
            inkov.prove(campus)
