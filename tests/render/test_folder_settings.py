"""A folder that somebody else wrote has no say in how figures are drawn, and text of it hides nothing in JSON."""

import json

import pytest

from conftest import run_inkov, write_files

SWITCH = 'inkov: switch\nname: "{0}"\nvlans: {{10: "x\\u202ey\\u200b"}}\nrouting: false\nports: {{1: {{access: 10}}}}\n'


@pytest.mark.few(1)
@pytest.mark.parametrize("settings", ["text.usetex: True\n", "\x00\xff: [", "backend: module://evil\n"])
def test_settings_of_the_drawing_library_in_the_folder_are_not_read(tmp_path, settings):
    pytest.importorskip("matplotlib", reason="Matplotlib is not installed here: nothing was drawn")
    write_files(tmp_path, {"a.yaml": SWITCH.format("a"), "matplotlibrc": settings})
    (tmp_path / "evil.py").write_text("open('started', 'w')")
    ran = run_inkov("map", ".", "-o", "map.png", cwd=tmp_path)
    assert (ran.code, ran.err) == (0, "")
    assert (tmp_path / "map.png").read_bytes()[:4] == b"\x89PNG"
    assert not (tmp_path / "started").exists()


def test_marks_that_turn_or_hide_text_are_spelt_out_in_json(tmp_path):
    write_files(tmp_path, {"a.yaml": SWITCH.format("a")})
    ran = run_inkov("vlans", ".", "--format", "json", cwd=tmp_path)
    assert ran.code == 0
    assert "\\u202e" in ran.out
    assert "\u202e" not in ran.out
    assert "\u200b" not in ran.out
    assert any("x\u202ey\u200b" in str(row) or "x\\u202ey" in str(row) for row in json.loads(ran.out)["rows"])
