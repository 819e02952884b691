"""The examples in the docstrings of the Python interface, run on the demo as they stand."""

import doctest

import inkov


def test_examples_of_the_interface_say_what_happens(quillfin, monkeypatch):
    monkeypatch.chdir(quillfin.parent)
    names = ("load", "audit", "prove", "flood", "drift", "rehearse", "mend")
    finder, runner = doctest.DocTestFinder(), doctest.DocTestRunner()
    found = [t for n in names for t in finder.find(getattr(inkov, n), n, globs={"inkov": inkov})]
    assert [len(t.examples) > 0 for t in found] == [True] * len(names)
    for test in found:
        runner.run(test)
    assert runner.failures == 0
