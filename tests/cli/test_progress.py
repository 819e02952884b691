"""The line on a terminal that says what a run does while it prints nothing, and how its time is bounded."""

import pytest

from conftest import on_screen, run_inkov

CLEAR = "\r\x1b[K"


@pytest.mark.few(1)
@pytest.mark.parametrize(
    ("command", "words"),
    [
        (("failures", "--cuts", "--budget", "2"), " of 30 failures"),
        (("map", "-o", "{tmp}/map.svg"), "map: working, "),
    ],
)
def test_a_long_run_tells_what_it_does_and_takes_it_away(quillfin, tmp_path, command, words):
    args = [a.format(tmp=tmp_path) for a in command]
    seen = on_screen(args[0], quillfin / "mended", *args[1:], columns=100, errors=True)
    shown, _, left = seen.rpartition(CLEAR)
    assert words in shown
    assert "working" not in left


def test_failures_stop_when_their_time_is_over_and_say_how_many_were_tried(quillfin):
    ran = run_inkov("failures", quillfin / "mended", "--budget", "0")
    assert ran.code == 1
    assert ran.err.endswith("0 of 142 failures were tried in 0 s; --budget SECONDS gives more time\n")


def test_nothing_of_it_goes_into_a_pipe(quillfin):
    ran = run_inkov("failures", quillfin / "mended", "--cuts", "--budget", "1")
    assert CLEAR not in ran.out + ran.err
