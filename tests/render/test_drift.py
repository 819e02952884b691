"""A comparison for a merge request and for a build: Markdown and JUnit."""

from xml.etree import ElementTree as ET

HEAD = "inkov: switch\nname: {name}\nvlans: {{10: , 20: {vlan}}}\nports:\n  1: {{access: 10{label}}}\n  2: {{access: 20}}\n"
UP = "  u: {{trunk: '{list}', native: none, stance: silent}}\n"
CAMPUS = "inkov: campus\nname: c\ncables: [a u - b u]\nsegments: {tens: {vlan: 10}}\nclaims:\n  - {together: tens, name: 'tens | one'}\n"


def sides(site, label=""):
    """A campus before and after VLAN 10 left a list, and a label of somebody's own came."""

    def files(listed, label=""):
        label = f', label: "{label}"' if label else ""
        names = {"a": (listed, label), "b": ("10,20", "")}
        made = {
            f"{n}.yaml": (HEAD + UP).format(name=n, vlan="", label=said, list=some) for n, (some, said) in names.items()
        }
        return {**made, "campus.yaml": CAMPUS}

    both = {"before": files("10,20"), "after": files("20", label)}
    return site({f"{side}/{name}": text for side, some in both.items() for name, text in some.items()})


def test_markdown_tells_claims_findings_reach_and_settings(inkov, site):
    sides(site, label="<b>x|y`")
    ran = inkov("drift", "before", "after", "--format", "md")
    assert ran.code == 1, ran.err
    lines = ran.out.splitlines()
    assert lines[0] == "# before → after"
    by = "a:u: list: without 10"
    assert f"| tens \\| one | proved | broken | {by} |" in lines
    assert f"| lost | 2 | 2 | {by} |" in lines
    assert "| parts of VLAN 10 | 1 | 2 |" in lines
    assert "| a:u | list: without 10 |" in lines
    (label,) = (line for line in lines if line.startswith("| a:1 |"))
    assert "<b>" not in label
    assert "&lt;b&gt;x\\|y\\`" in label
    tables = [line for line in lines if line.startswith("|")]
    assert {line.replace("\\|", "").count("|") for line in tables} == {3, 4, 5}


def test_junit_has_a_case_for_each_effect(inkov, site):
    sides(site)
    ran = inkov("drift", "before", "after", "--format", "junit", "-o", "drift.xml")
    assert (ran.code, ran.out) == (1, "")
    suite = ET.parse(site({}) / "drift.xml").getroot().find("testsuite")
    cases = {(c.get("classname"), c.get("name")): c.find("failure") for c in suite}
    assert cases["inkov.claims", "tens | one"].get("message") == "was proved"
    lost = cases["inkov.reach", "reach lost"]
    assert (lost.get("type"), lost.get("message"), lost.text) == (
        "lost",
        "2 pairs of ports, 2 senders",
        "a:u: list: without 10",
    )
    assert cases["inkov.reach", "reach gained"] is None
    failures = sum(f is not None for f in cases.values())
    assert (suite.get("tests"), suite.get("failures")) == (str(len(cases)), str(failures))


def test_nothing_that_differs_is_said_and_passes(inkov, site):
    sides(site)
    assert inkov("drift", "before", "before", "--format", "md").out.splitlines()[-1] == "Nothing that matters differs."
    suite = ET.fromstring(inkov("drift", "before", "before", "--format", "junit").out.encode()).find("testsuite")
    assert (suite.get("tests"), suite.get("failures")) == ("2", "0")
