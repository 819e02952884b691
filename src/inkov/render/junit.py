"""JUnit files: one test suite as pipelines read it."""

from __future__ import annotations

from xml.etree import ElementTree as ET


def junit(suite: ET.Element) -> str:
    """Returns the file of a test suite; the counts of tests and failures are set where they are missing."""
    for name, found in (("tests", len(suite)), ("failures", len(suite.findall(".//failure")))):
        if suite.get(name) is None:
            suite.set(name, str(found))
    suites = ET.Element("testsuites")
    suites.append(suite)
    ET.indent(suites)
    return f'<?xml version="1.0" encoding="UTF-8"?>\n{ET.tostring(suites, encoding="unicode")}\n'
