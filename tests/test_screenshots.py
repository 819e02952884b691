"""Pictures in docs/screenshots show what the program prints today, and the README links each of them."""

import runpy
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
SHOTS = runpy.run_path(str(ROOT / "scripts" / "screenshots.py"))


@pytest.mark.few(8)
@pytest.mark.parametrize("name", SHOTS["COMMANDS"])
def test_a_picture_shows_what_the_program_prints(name, quillfin, tmp_path):
    """A stale one is taken again with `make screenshots`."""
    command = SHOTS["COMMANDS"][name].replace("--certificate proofs", f"--certificate {tmp_path}/proofs")
    command = command.replace("recheck proofs/", f"recheck {tmp_path}/proofs/")
    printed = SHOTS["printed"](command, quillfin).replace(f"{tmp_path}/", "")
    assert (SHOTS["TEXTS"] / f"{name}.txt").read_text("utf-8") == printed


def test_every_picture_has_its_text_and_is_linked():
    pictures = {p.stem for p in SHOTS["SHOTS"].glob("*.png")}
    assert pictures == {*SHOTS["COMMANDS"], *SHOTS["DRAWN"]}
    assert {p.stem for p in SHOTS["TEXTS"].glob("*.txt")} == set(SHOTS["COMMANDS"])
    readme = (ROOT / "README.md").read_text("utf-8")
    assert [n for n in sorted(pictures) if f"docs/screenshots/{n}.png" not in readme] == []
