"""Values of the command line: taken plainly, they are what the library makes of them, and its errors stay its own."""

import os

import pytest
import typer.main

from inkov.cli.app import COMMANDS, app

TYPED = ["", "text", "310-330", "-", ".", "no/such/file", "json", "JSON", "0", "7", "4095", "-1", "0.5", "risk", "true"]


@pytest.fixture
def parameters():
    """All parameters of all commands, each with the context that it is asked in."""
    group = typer.main.get_command(app)
    context = group.make_context("inkov", [], resilient_parsing=True)
    return [(param, context) for name in COMMANDS for param in group.commands[name].get_params(context)]


def made(converts, value, param, context):
    """Returns what a value becomes, with its type; or what is said to be wrong with it."""
    try:
        found = converts.coerce(value, param=param, ctx=context)
    except typer.BadParameter as exc:
        return str(exc.format_message())
    return type(found), found


def test_every_parameter_makes_of_a_value_what_the_library_makes_of_it(parameters, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "text").write_text("")
    kinds, refused = set(), set()
    for param, context in parameters:
        kind = str(param.type_descriptor.annotation)
        library = type(param).get_runtime_param(param)
        many = param.multiple or param.nargs == -1
        for value in (None, param.default, *([[], ["a", ""], ["."]] if many else TYPED)):
            expected = made(library, value, param, context)
            assert made(param.get_runtime_param(), value, param, context) == expected, (param.name, value)
            refused |= {kind} if isinstance(expected, str) else set()
        kinds.add(kind)
    assert len(kinds) > 10
    assert refused >= {"<class 'int'>", "<class 'float'>", "<enum 'TableFormat'>"}


def test_a_path_that_may_not_be_read_is_refused_by_the_library(parameters, tmp_path, monkeypatch):
    (tmp_path / "locked").write_text("")
    monkeypatch.setattr(os, "access", lambda *_: False)
    param, context = next((p, c) for p, c in parameters if p.name == "site")
    said = made(param.get_runtime_param(), str(tmp_path / "locked"), param, context)
    assert said == f"Invalid value for 'SITE': path '{tmp_path / 'locked'}' is not readable."
