"""The report: valid, closed to the outside, useful without script, the same twice; and its workbook says what its JSON says."""

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import html5lib
import pandas as pd
import pytest

from browser import CHROMIUM, Browser
from conftest import run_inkov, write_files

AXE = next(
    (p for p in map(Path, os.environ.get("NODE_PATH", "node_modules").split(":")) if (p / "axe-core").exists()), None
)
EVIL = "<script>alert(1)</script>"
QUOTED = '"onerror="alert(1)'
BIDI = "\u202egnp.exe"


@pytest.fixture(scope="module")
def report(quillfin, tmp_path_factory):
    path = tmp_path_factory.mktemp("report") / "r.html"
    done = run_inkov("report", quillfin / "as-found", "-o", path)
    assert done.code == 0, done.err
    return path


@pytest.fixture(scope="module")
def hostile(tmp_path_factory):
    """A campus whose every name tries to be something else, one of them a megabyte long."""
    folder = tmp_path_factory.mktemp("hostile")
    text = json.dumps(
        {
            "inkov": "switch",
            "name": "a<b>&amp;'x",
            "vlans": {"10": EVIL, "20": QUOTED, "30": BIDI},
            "ports": {
                "1": {"access": 10, "label": EVIL},
                QUOTED: {"access": 40, "label": BIDI},
                "u1": {"trunk": "10,20"},
            },
            "neighbours": {"u1": f"</title><img/src=x {QUOTED}"},
        }
    )
    campus = json.dumps(
        {
            "inkov": "campus",
            "name": EVIL,
            "segments": {EVIL: {"vlan": 10}, "b": {"vlan": 20}},
            "claims": [{"name": EVIL, "apart": [EVIL, "b"]}],
        }
    )
    long = json.dumps(
        {"inkov": "switch", "name": "long", "vlans": {"10": "x"}, "ports": {"1": {"access": 10, "label": "<b>" * 80}}}
    )
    site = write_files(folder / "site", {"a.yaml": text, "b.yaml": long, "campus.yaml": campus})
    done = run_inkov("report", site, "-o", folder / "r.html")
    assert done.code == 0, done.err
    return folder / "r.html"


@pytest.fixture(scope="module")
def browser():
    if CHROMIUM is None:
        pytest.skip("no Chromium here: no page was opened")
    running = Browser()
    yield running
    running.close()


@pytest.mark.parametrize("which", ["report", "hostile"])
def test_the_page_is_valid_and_leads_nowhere(which, request):
    text = request.getfixturevalue(which).read_text("utf-8")
    html5lib.HTMLParser(strict=True).parse(text)
    assert not re.search(r"""(?:src|href)=["'](?!#)""", text)
    assert "url(" not in text
    assert "@import" not in text
    assert " style=" not in text
    assert not re.search(r"\son\w+=", re.sub(r">[^<]*<", "><", text))
    assert "default-src 'none'" in text
    assert len(text) < 1_000_000


def test_hostile_names_stay_text(hostile, browser):
    browser.open(hostile)
    assert (browser.said, len(browser.asked)) == ([], 1)
    assert browser.value("document.querySelectorAll('img,iframe,object,script[src]').length") == 0
    assert browser.value("document.querySelectorAll('script').length") == 2
    shown = browser.value("document.body.innerText")
    assert "\u202e" not in browser.value("document.documentElement.textContent")
    assert EVIL in browser.value("document.body.textContent") or "<script>" in shown


@pytest.mark.few(2)
@pytest.mark.parametrize("width", [360, 1280, 1600])
@pytest.mark.parametrize("dark", [False, True])
def test_it_opens_without_complaint_at_any_width(report, browser, width, dark):
    browser.open(report, width=width, dark=dark)
    assert browser.said == []
    assert browser.asked == [f"file://{report}"]
    assert browser.value("document.documentElement.scrollWidth <= innerWidth")


def test_filters_narrow_and_anchors_open_what_they_name(report, browser):
    browser.open(report)
    count = "[...document.querySelectorAll('article.f')].filter(e => !e.hidden).length"
    everything = browser.value(count)
    browser.value(
        "document.getElementById('find').value = 'kiosks'; document.getElementById('find').dispatchEvent(new Event('input'))"
    )
    assert 0 < browser.value(count) < everything
    browser.value("document.getElementById('find').value = ''; document.querySelector('input[value=outage]').click()")
    assert browser.value("[...document.querySelectorAll('article.outage')].every(e => e.hidden)")
    assert browser.value("document.getElementById('told').textContent").endswith(f"of {everything} findings")
    browser.open(report, "#s-watchtower-b")
    assert browser.value("document.getElementById('s-watchtower-b').querySelector('details').open")
    assert browser.value("document.querySelectorAll('#s-watchtower-b .panel li').length") == 13
    name = browser.value("document.querySelector('article.f').id")
    browser.open(report, f"#{name}")
    assert browser.value("document.querySelector('article.f details').open")


def test_tables_sort_by_a_click(report, browser):
    browser.open(report)
    column = (
        "[...document.querySelectorAll('section[aria-labelledby=vlans] tbody tr')].map(r => r.cells[2].textContent)"
    )
    browser.value("document.querySelectorAll('section[aria-labelledby=vlans] th button')[2].click()")
    rising = [int(v) for v in browser.value(column)]
    assert rising == sorted(rising)
    browser.value("document.querySelectorAll('section[aria-labelledby=vlans] th button')[2].click()")
    assert [int(v) for v in browser.value(column)] == rising[::-1]


def test_everything_is_there_without_script(report, browser):
    browser.open(report, script=False)
    browser.call("Emulation.setScriptExecutionDisabled", value=False)
    assert browser.value("getComputedStyle(document.querySelector('.filter')).display") == "none" or browser.value(
        "document.querySelector('.filter').hidden"
    )
    assert browser.value("document.querySelectorAll('article.f').length") > 40
    assert browser.value("document.querySelectorAll('.switch').length") == 28


def test_a_vlan_is_laid_over_the_map_without_script(report, browser):
    browser.open(report)
    stroke = "getComputedStyle(document.querySelector('.map path')).stroke"
    before = browser.value(stroke)
    browser.value("document.getElementById('o-vlan340').checked = true")
    assert browser.value(stroke) != before
    shown = "[...document.querySelectorAll('.g-vlan340 text')].filter(e => getComputedStyle(e.parentElement).display !== 'none').map(e => e.textContent)"
    assert {"A", "B"} <= set(browser.value(shown))


def test_the_tree_and_broken_claims_are_laid_over_the_map(report, browser, quillfin):
    links = json.loads(run_inkov("links", quillfin / "as-found", "--format", "json").out)["rows"]
    drawn = """[...document.querySelectorAll('.map path')].filter(e => getComputedStyle(e).strokeWidth === '%s'
        ).map(e => e.querySelector('title').textContent)"""
    browser.open(report)
    names = browser.value("[...document.querySelectorAll('.pick label')].map(e => e.textContent.trim())")
    assert names[:2] == ["as it is", "spanning tree"]
    browser.value("document.getElementById('o-tree').checked = true")
    assert 20 < len(browser.value(drawn % "2.2px")) <= len(links)
    number = next(n for n, name in enumerate(names[2:]) if name.startswith("card data stays apart: broken"))
    browser.value(f"document.getElementById('o-claim{number}').checked = true")
    assert any("visitor-pier" in title and "watchtower-a" in title for title in browser.value(drawn % "3px"))


def test_it_prints_pages_with_the_map(report, browser):
    browser.open(report)
    pdf = browser.printed()
    assert pdf.startswith(b"%PDF")
    assert len(re.findall(rb"/Type\s*/Page\b(?!s)", pdf)) > 5
    browser.call("Emulation.setEmulatedMedia", media="print")
    height = "document.querySelector('%s').getBoundingClientRect().height"
    assert browser.value(height % ".map svg") > 200
    assert [browser.value(height % part) for part in ("nav", ".filter", ".pick label")] == [0, 0, 0]
    browser.call("Emulation.setEmulatedMedia", media="")


@pytest.mark.parametrize("width", [360, 1280])
def test_no_barrier_of_level_a_or_aa(report, browser, width):
    if AXE is None:
        pytest.skip("axe-core is not under NODE_PATH: accessibility was not checked by it")
    for dark in (False, True):
        browser.open(report, width=width, dark=dark)
        browser.call("Page.setBypassCSP", enabled=True)
        browser.open(report, width=width, dark=dark)
        browser.value((AXE / "axe-core" / "axe.min.js").read_text("utf-8") + ";0")
        found = browser.value(
            "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(r => r.violations.map(v => v.id))"
        )
        assert found == []


def test_the_audit_is_inside_for_machines(report, quillfin):
    text = report.read_text("utf-8")
    inside = json.loads(re.search(r'<script type="application/json" id="audit">(.*?)</script>', text)[1])
    assert inside == json.loads(run_inkov("audit", quillfin / "as-found", "--format", "json").out)
    ids = {f["id"] for f in inside["findings"]}
    assert all(f'id="f-{i}"' in text for i in ids)


@pytest.mark.few(1)
@pytest.mark.parametrize("ending", ["html", "xlsx"])
def test_two_runs_and_two_seeds_give_the_same_bytes(quillfin, tmp_path, ending):
    made = []
    for seed in ("1", "2"):
        out = tmp_path / f"{seed}.{ending}"
        command = [sys.executable, "-m", "inkov", "report", str(quillfin / "mended"), "-o", str(out)]
        subprocess.run(command, env={**os.environ, "PYTHONHASHSEED": seed}, check=True, capture_output=True)
        made.append(out.read_bytes())
    assert made[0] == made[1]


def test_a_date_stands_there_only_when_asked(quillfin, tmp_path):
    for options, dated in (((), False), (("--dated",), True)):
        run_inkov("report", quillfin / "mended", "-o", tmp_path / "r.html", *options)
        assert (re.search(r"20\d\d-\d\d-\d\d", (tmp_path / "r.html").read_text("utf-8")) is not None) is dated


@pytest.mark.long
def test_what_changed_since_is_told(quillfin, tmp_path):
    done = run_inkov("report", quillfin / "as-found", "-o", tmp_path / "r.html", "--since", quillfin / "mended")
    assert done.code == 0, done.err
    text = (tmp_path / "r.html").read_text("utf-8")
    html5lib.HTMLParser(strict=True).parse(text)
    assert "What changed since" in text
    assert "card data stays apart: proved → broken" in text


def test_the_workbook_says_what_the_json_says_and_has_no_formula(quillfin, tmp_path):
    run_inkov("report", quillfin / "as-found", "-o", tmp_path / "c.xlsx")
    sheets = pd.read_excel(tmp_path / "c.xlsx", sheet_name=None, dtype=str, keep_default_na=False)
    assert list(sheets) == ["findings", "vlans", "ports", "links", "claims"]
    data = json.loads(run_inkov("audit", quillfin / "as-found", "--format", "json").out)["findings"]
    own = sheets["findings"]
    assert own[["id", "severity", "rule", "place", "what"]].values.tolist() == [
        [f[k] for k in ("id", "severity", "rule", "place", "what")] for f in data
    ]
    rows = json.loads(run_inkov("links", quillfin / "as-found", "--format", "json").out)["rows"]
    assert sheets["links"]["carries"].tolist() == [r["carried"] for r in rows]
    ports = json.loads(run_inkov("ports", quillfin / "as-found", "--format", "json").out)["rows"]
    assert (sheets["ports"]["device"] + ":" + sheets["ports"]["port"]).tolist() == [r["port"] for r in ports]


def test_cells_that_look_like_formulas_stay_text(tmp_path):
    import openpyxl

    text = "inkov: switch\nname: x\nvlans: {10: '=1+1'}\nports: {1: {access: 10, label: '=HYPERLINK(\"http://x\")'}, 2: {access: 10, label: '@SUM(1)'}}\n"
    write_files(tmp_path, {"x.yaml": text})
    run_inkov("report", tmp_path / "x.yaml", "-o", tmp_path / "c.xlsx")
    book = openpyxl.load_workbook(tmp_path / "c.xlsx")
    cells = [c for sheet in book for row in sheet.iter_rows() for c in row]
    assert {c.data_type for c in cells} <= {"s", "n"}
    assert '=HYPERLINK("http://x")' in {c.value for c in cells}
    assert all(c.hyperlink is None for c in cells)


@pytest.mark.parametrize(
    ("options", "said"),
    [
        (("-o", "r.doc"), "does not end in .html or .xlsx"),
        (("-o", "r.html", "--since", "nowhere"), "there is no such file, folder or revision"),
    ],
)
def test_what_cannot_be_written_is_said(quillfin, tmp_path, options, said):
    done = run_inkov("report", quillfin / "mended", *options, cwd=tmp_path)
    assert done.code == 2
    assert said in " ".join(done.err.split())
    assert not list(tmp_path.iterdir())
