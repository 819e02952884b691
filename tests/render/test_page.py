"""Text for people: control characters, plain terminals, widths; and what the tables do when names are long."""

import pytest

from inkov.render.audit_text import audit_text
from inkov.render.page import clean, table, to_text, words
from inkov.render.table_text import flood_text, links_text, ports_text
from inkov.render.way_text import tags_text
from inkov.views.findings import AuditView, EvidenceView, FindingView, Size
from inkov.views.tables import HeardRow, LinkRow, LostRow, PortRow


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("plain é", "plain é"),
        ("\x1b[31mred\x07", "\\x1b[31mred\\x07"),
        ("two\nlines\tand", "two\\nlines\\tand"),
        ("right\u202eto left", "right\\u202eto left"),
    ],
)
def test_control_characters_are_shown_not_sent(text, shown):
    assert clean(text) == shown
    assert to_text(words(text)).rstrip("\n") == shown


def test_markup_in_a_name_is_text():
    assert (
        to_text(table(("[b]", "x"), [(words("[red]a[/red]"), words(":smile:"))]))
        == "[b]           x\n[red]a[/red]  :smile:\n"
    )


def test_plain_terminals_get_plain_glyphs():
    assert to_text(words("● ○ · × │ → …"), ascii_only=True) == "# o . x | > ~\n"


@pytest.mark.parametrize(
    ("tags", "text"),
    [((), "untagged"), ((310,), "tag 310"), ((500, 310), "tag 310 in tag 500"), (None, "tags unknown")],
)
def test_tags_in_words(tags, text):
    assert tags_text(tags) == text


def link(a, b, **changed):
    row = {
        "a": a,
        "b": b,
        "up": True,
        "form_a": "trunk",
        "form_b": "trunk",
        "how_a": "",
        "how_b": "",
        "native_a": 990,
        "native_b": None,
        "carried": "10-12,20",
        "carries": 4,
        "wanted": 5,
        "lost": (LostRow("30", "not defined on b", "b.yaml:3"),),
        "leaks": (),
        "kept_off": (),
        "doubt": "",
    }
    return LinkRow(**{**row, **changed})


def test_a_link_is_one_row_with_both_ends_around_the_middle():
    text = to_text(links_text([link("a:1", "b:2", how_a="asks, was answered"), link("b:3", "c:1", up=False, lost=())]))
    assert (
        text
        == """\
one end       other end  forms          native   carries
a:1      ───  b:2        trunk = trunk  990 | -  10-12, 20  4 of 5
b:3      ─ ─  c:1        trunk = trunk  990 | -  down       4 of 5

a:1 - b:2
  30 lost  not defined on b        b.yaml:3
  formed   a:1 asks, was answered

native: VLAN of untagged frames.  carries: VLANs that cross both ways, of those in use.
"""
    )


def test_long_names_put_a_link_on_two_lines_and_never_break():
    a, b = "distribution-east.campus.example:Ethernet1/1", "access-library-2.campus.example:Ethernet48"
    text = to_text(links_text([link(a, b, lost=())]))
    assert text.splitlines()[0] == f"{a} ─── {b}"
    assert text.splitlines()[1] == "    trunk = trunk   990 | -   10-12, 20   4 of 5"


def test_runs_of_like_ports_are_one_row_and_hearers_are_written_short():
    rows = [PortRow(f"a:{n}", "access", "10", None, n != 3, "", "", "a.yaml:1") for n in range(1, 5)]
    lines = to_text(ports_text(rows)).splitlines()
    assert [line.split()[0] for line in lines[1:]] == ["a:1-2", "a:3", "a:4"]
    heard = tuple(HeardRow(f"b:{n}", (10,) if n == 9 else ()) for n in (1, 2, 3, 9))
    assert "b:1-3, b:9 [10]" in to_text(flood_text([{"from": "a:1", "heard": heard}, {"from": "a:2", "heard": ()}]))
    assert "nobody" in to_text(flood_text([{"from": "a:2", "heard": ()}]))


def test_an_audit_shows_the_first_facts_and_how_many_more():
    evidence = tuple(EvidenceView(f"fact {n}", f"a.yaml:{n}", "a.yaml", n, "", default=False) for n in range(9))
    finding = FindingView("id", "x/y", "risk", "a:1", "It happens.", "Mend it.", evidence, "10,20", 3, ())
    view = AuditView("c", Size(1, 2, 3, 4), {"breach": 0, "outage": 0, "risk": 1, "tidy": 0}, (finding,))
    lines = to_text(audit_text(view)).splitlines()
    assert "fact 8" in to_text(audit_text(view, full=True))
    assert lines[0] == "c   1 switch   2 ports   3 links   4 VLANs"
    assert lines[1] == "1  risk"
    assert "        and 6 more" in lines
    assert "  Hits  VLANs 10,20, 3 ports" in lines
