"""Text for people: control characters, plain terminals, widths; and what the tables do when names are long."""

import pytest

from inkov.model.errors import BadInput
from inkov.render.page import clean, table, to_text, words
from inkov.render.rows import Column, Page, Wish, separated, text
from inkov.render.screens.audit_text import audit_text
from inkov.render.screens.table_text import flood_page, links_page, ports_page
from inkov.render.screens.way_text import tags_text
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
        "blocked": "none",
        "doubt": "",
    }
    return LinkRow(**{**row, **changed})


def shown(page, width, wish=None):
    return "\n".join(text(page, wish or Wish(), width)) + "\n"


def test_a_link_is_one_row_with_both_ends_around_the_middle():
    page = links_page([link("a:1", "b:2", how_a="asks, was answered"), link("b:3", "c:1", up=False, lost=())])
    assert (
        shown(page, 100)
        == """\
one end       other end  forms          native   carries    in use  state
─────────────────────────────────────────────────────────────────────────
a:1      ───  b:2        trunk = trunk  990 | -  10-12, 20  4 of 5  up
b:3      ─ ─  c:1        trunk = trunk  990 | -  -          4 of 5  down

a:1 - b:2
  30 lost  not defined on b        b.yaml:3
  formed   a:1 asks, was answered

native: VLAN of untagged frames.  carries: VLANs that cross both ways.  in use: how many of those
that the campus uses.
"""
    )
    assert (
        shown(page, None)
        == """\
one end       other end  forms          native   carries   in use  state  lost
a:1      ───  b:2        trunk = trunk  990 | -  10-12,20  4 of 5  up     30: not defined on b
b:3      ─ ─  c:1        trunk = trunk  990 | -  -         4 of 5  down   -
"""
    )


def test_a_link_that_the_tree_blocks_says_so_in_its_row():
    blocked = link("a:1", "b:2", lost=(), blocked="10-12,20", carried="none", carries=0, wanted=0)
    row = shown(links_page([blocked]), None).splitlines()[1]
    assert "  -       blocked by the tree" in row


def test_long_names_never_break_and_rows_become_blocks_where_there_is_no_room():
    a, b = "distribution-east.campus.example:Ethernet1/1", "access-library-2.campus.example:Ethernet48"
    lines = shown(links_page([link(a, b, lost=())]), 60).splitlines()
    assert lines[:7] == [
        f"{a} ───",
        b,
        "  forms    trunk = trunk",
        "  native   990 | -",
        "  carries  10-12, 20",
        "  in use   4 of 5",
        "  state    up",
    ]


def test_runs_of_like_ports_are_one_row_on_a_screen_and_hearers_are_written_short():
    rows = [
        PortRow(f"a:{n}", "access", "10", "", "", None, n != 3, "", ("desk",) * (n == 2), "", "a.yaml:1")
        for n in range(1, 5)
    ]
    lines = shown(ports_page(rows), 100).splitlines()
    assert lines[2].split()[:6] == ["a:1-2", "access", "10", "-", "on", "desk"]
    assert [line.split()[0] for line in lines[2:]] == ["a:1-2", "a:3", "a:4"]
    assert [line.split()[0] for line in shown(ports_page(rows), None).splitlines()[1:]] == ["a:1", "a:2", "a:3", "a:4"]
    heard = tuple(HeardRow(f"b:{n}", (10,) if n == 9 else ()) for n in (1, 2, 3, 9))
    page = flood_page(
        [{"from": ("a:1", "a:2"), "heard": heard, "hosts": ("till",)}, {"from": ("a:3",), "heard": (), "hosts": ()}]
    )
    assert shown(page, None).splitlines()[1:] == [
        "a:1-2         4  b:1-3, b:9 [10]                         till",
        "a:3           0  nobody                                  -",
    ]


PAGE = Page(
    (Column("port", "port"), Column("members", "members", right=True)),
    [("a:2", "10"), ("a:10", "9"), ("=1+1", "-")],
)


@pytest.mark.parametrize(
    ("wish", "rows"),
    [
        (Wish(), ["port  members", "a:2        10", "a:10        9", "=1+1        -"]),
        (Wish(sort="port"), ["port  members", "=1+1        -", "a:2        10", "a:10        9"]),
        (Wish(sort="-members"), ["port  members", "a:2        10", "a:10        9", "=1+1        -"]),
        (Wish(columns=("members",), heads=False), ["10", " 9", " -"]),
    ],
)
def test_rows_are_sorted_and_cut_as_wished(wish, rows):
    assert shown(PAGE, None, wish).splitlines() == rows


def test_a_column_that_is_not_there_is_answered_with_a_hint():
    with pytest.raises(BadInput) as caught:
        shown(PAGE, None, Wish(sort="membres"))
    assert str(caught.value) == (
        "--sort: there is no column 'membres'; did you mean 'members'?; there are port, members"
    )


def test_separated_values_hold_no_formula():
    assert separated(PAGE, Wish(), ",") == "port,members\na:2,10\na:10,9\n'=1+1,-\n"


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
