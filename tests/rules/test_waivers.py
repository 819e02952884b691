"""Which findings a waiver is about: its rule, and the whole place, or one end of it; by name or by a pattern."""

import pytest

import inkov
from conftest import write_files

SWITCH = "inkov: switch\nname: {0}\nvlans: {{10: , 20: }}\nports: {{1: {{access: 10}}, 2: {{access: 20}}, u: {{trunk: {1}}}}}\n"
CAMPUS = "inkov: campus\nname: c\ncables: [a u - b u]\nwaive:\n  - {{rule: '{0}', at: '{1}', why: later}}\n"


@pytest.mark.parametrize(
    ("rule", "at", "covers"),
    [
        ("list/differs", "a:u <-> b:u", True),
        ("list/differs", "a:u", True),
        ("list/differs", "b:u", True),
        ("list/differs", "b:*", True),
        ("list/*", "[ab]:u", True),
        ("list/*", "* <-> b:?", True),
        ("list/differs", "a", False),
        ("list/differs", "A:u", False),
        ("list/differs", "[cd]:u", False),
        ("native/*", "a:u", False),
    ],
)
def test_a_waiver_covers_a_finding_at_its_place_or_at_an_end_of_it(tmp_path, rule, at, covers):
    files = {"a.yaml": SWITCH.format("a", "'10,20', native: 10"), "b.yaml": SWITCH.format("b", "'10', native: 10")}
    write_files(tmp_path, {**files, "campus.yaml": CAMPUS.format(rule, at)})
    found = {f.rule for f in inkov.audit(inkov.load(tmp_path))}
    assert ("list/differs" not in found) is covers
    assert ("waiver/unused" in found) is not covers
