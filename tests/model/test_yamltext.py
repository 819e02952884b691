"""YAML that Inkov writes: it reads back as it was, and holds no character that hides or turns text."""

import yaml
from hypothesis import given
from hypothesis import strategies as st

from conftest import run_inkov, write_files
from inkov.model.yamltext import dumped

TEXTS = st.text(st.sampled_from("aä:#{}[],'\"\\ -?\n\t\u202e\u200b\ufeff\u2028\x85\x1b\xa0é中"), max_size=12)
VALUES = st.recursive(
    TEXTS | st.integers() | st.booleans(), lambda v: st.lists(v, max_size=3) | st.dictionaries(TEXTS, v, max_size=3)
)


@given(VALUES, st.sampled_from([False, True, None]), st.sampled_from([None, '"']))
def test_any_value_reads_back_and_shows_all_it_holds(value, flow, style):
    text = dumped(value, flow=flow, style=style)
    assert yaml.safe_load(text) == value
    assert text.replace("\n", "").isprintable()


HIDDEN = "\u202e\u200b\u2066"


def test_whatever_writes_configurations_spells_out_what_hides_text(tmp_path):
    name = HIDDEN.encode("unicode_escape").decode()
    one = (
        f'inkov: switch\nname: one\nvlans: {{10: "desks{name}", 20: ""}}\nrouting: false\n'
        f'ports: {{1: {{access: 10, label: "a{name}b"}}, 2: {{trunk: 10, native: 20}}, 3: {{access: 30}}}}\n'
        "neighbours: {2: two 2}\n"
    )
    two = "inkov: switch\nname: two\nvlans: {10: desks}\nrouting: false\nports: {2: {trunk: 10, native: none}, 1: {access: 10}}\n"
    site = write_files(tmp_path, {"site/one.yaml": one, "site/two.yaml": two}) / "site"
    for command in (
        ["draft", site, "-o", "draft.yaml"],
        ["mend", site, "-o", "change.yaml"],
        ["convert", site, "-o", "new"],
    ):
        ran = run_inkov(*command, cwd=tmp_path)
        assert ran.code in {0, 1}, ran.err
    written = [tmp_path / "draft.yaml", tmp_path / "change.yaml", *(tmp_path / "new").iterdir()]
    for path in written:
        assert path.read_text("utf-8").replace("\n", "").isprintable(), path.name
    assert name in (tmp_path / "new" / "one.yaml").read_text("utf-8").lower()
