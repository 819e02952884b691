"""Files that are large, deep, endless or not ours: bounded time and memory, a clear answer, nothing odd on the screen."""

import json
import os

import pytest

from conftest import run_inkov, write_files

GOOD = "inkov: switch\nname: archive\nvlans: {310: tanks}\nports: {1: {access: 310}, 2: {access: 330}}\n"
MEGABYTE = 1_000_000
ROOM = 1_500 * MEGABYTE
"""Address space that is enough for any of these; what needs more has lost its bounds."""


def audit(folder, *args):
    """Runs the program in bounded memory and time."""
    return run_inkov("audit", "--no-cache", *args, cwd=folder, memory=ROOM)


def export(name, label):
    """A small export whose host name and port description are given."""
    port = {"name": "p1", "config": {"description": label}}
    port["ethernet"] = {"switched-vlan": {"config": {"interface-mode": "ACCESS", "access-vlan": 330}}}
    table = {"vlan": [{"vlan-id": 310, "config": {"vlan-id": 310, "name": label}}]}
    return {
        "system": {"config": {"hostname": name}},
        "interfaces": {"interface": [port]},
        "network-instances": {"network-instance": [{"name": "default", "vlans": table}]},
    }


@pytest.mark.parametrize("output", ["text", "json", "csv", "md", "sarif", "junit"])
def test_names_of_a_megabyte_are_read_and_shown_short(tmp_path, output):
    endless = "k" * MEGABYTE
    write_files(tmp_path, {"a.json": json.dumps(export(endless, endless))})
    ran = audit(tmp_path, "--format", output)
    assert ran.code == 1
    assert "Traceback" not in ran.err
    assert len(ran.out) < 200_000


@pytest.mark.parametrize("what", ["archive", "tanks", "310: ", "ports", "1: {"])
def test_a_megabyte_in_our_own_files_is_an_error_that_fits_a_screen(tmp_path, what):
    write_files(tmp_path, {"b.yaml": GOOD.replace(what, what[:1] + "k" * MEGABYTE + what[1:])})
    ran = audit(tmp_path)
    assert (ran.code, ran.out) == (2, "")
    assert ran.err.startswith("b.yaml:")
    assert len(ran.err) < 2000


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.json", "[" * MEGABYTE),
        ("a.json", '{"a":' * 200_000),
        ("a.yaml", "inkov: switch\nports: " + "[" * MEGABYTE),
        ("a.yaml", "inkov: switch\nname: " + "{a: " * 100_000),
        ("a.yaml", "inkov: switch\n" + "".join("\n" + " " * n + "a:" for n in range(1500))),
    ],
    ids=["json lists", "json objects", "yaml lists", "yaml objects", "yaml blocks"],
)
def test_nesting_without_end_is_an_error_of_that_file(tmp_path, name, text):
    write_files(tmp_path, {name: text, "b.yaml": GOOD})
    ran = audit(tmp_path)
    assert ran.code == 2
    assert ran.err.startswith(name)
    assert f"Not read, so nothing is said of what is in it: {name}" in ran.out
    assert "access/undefined" in ran.out  # the other file's fault
    assert audit(tmp_path, "--all-files").out == ""


def test_an_alias_bomb_is_refused_at_its_first_alias(tmp_path):
    bomb = "inkov: switch\nname: &a [x, x]\n" + "".join(
        f"k{n}: &{chr(98 + n)} [*{chr(97 + n)}, *{chr(97 + n)}]\n" for n in range(24)
    )
    write_files(tmp_path, {"a.yaml": bomb})
    assert "a.yaml:3: aliases (*name) are not part of the language" in audit(tmp_path).err


def test_links_that_lead_in_circles_are_not_followed(tmp_path):
    write_files(tmp_path, {"site/a.yaml": GOOD})
    (tmp_path / "site" / "round").symlink_to(tmp_path / "site", target_is_directory=True)
    (tmp_path / "site" / "self.yaml").symlink_to("self.yaml")
    (tmp_path / "site" / "gone.json").symlink_to("nowhere.json")
    ran = audit(tmp_path, "site")
    assert (ran.code, ran.err) == (
        2,
        "note: round: passed over; it is a link to a folder\n"
        "gone.json: cannot be read: it is a link that leads nowhere\n"
        "self.yaml: cannot be read: it is a link that leads nowhere\n",
    )
    assert "   1 switch   " in ran.out
    for name in ("self.yaml", "gone.json"):
        ran = audit(tmp_path, f"site/{name}")
        assert ran.code == 2
        assert name in ran.err
    (tmp_path / "out").symlink_to("nowhere")
    ran = run_inkov("convert", "site", "-o", "out", cwd=tmp_path)
    assert (ran.code, "out: this link leads nowhere; nothing was written\n" in ran.err) == (2, True)


@pytest.mark.few(3)
@pytest.mark.parametrize("name", ["a.json", "a.yaml"])
@pytest.mark.parametrize(
    "data", [bytes(range(256)) * 400, b"\x7fELF" + bytes(5000), b"\xff\xfe{\x00}\x00", b"\x1f\x8b" + b"\x00" * 99]
)
def test_binary_files_are_passed_over_in_a_folder_and_an_error_when_named(tmp_path, name, data):
    write_files(tmp_path, {"b.yaml": GOOD})
    (tmp_path / name).write_bytes(data)
    inside, named = audit(tmp_path), audit(tmp_path, name)
    assert named.code == 2
    assert named.err.startswith(name)
    empty_json = data.startswith(b"\xff\xfe")
    assert inside.code == (1 if name != "a.json" or empty_json else 2)
    assert all(c.isprintable() or c == "\n" for c in inside.err + named.err)


@pytest.mark.parametrize("name", ["a.json", "a.yaml"])
def test_a_file_of_200_megabytes_that_is_not_ours_is_passed_over_unread(tmp_path, name):
    write_files(tmp_path, {"b.yaml": GOOD})
    with (tmp_path / name).open("wb") as file:
        file.write(b'{"logs": [')
        file.seek(200 * MEGABYTE)
        file.write(b"]}")
    ran = audit(tmp_path)
    assert ran.code == 1
    assert f"note: {name}: passed over; larger than" in ran.err
    named = audit(tmp_path, name)
    assert named.code == 2
    assert f"{name}: larger than" in named.err


def test_a_large_foreign_file_below_the_limit_costs_bounded_memory(tmp_path):
    rows = ",".join('{"inkov": %d, "text": "x"}' % n for n in range(600_000))  # noqa: UP031 - braces
    write_files(tmp_path, {"b.yaml": GOOD, "a.json": f"[{rows}]", "c.yaml": "- inkov: x\n" * 1_200_000})
    ran = audit(tmp_path)
    assert ran.code == 1
    assert "a.json: passed over" in ran.err
    assert "c.yaml: passed over" in ran.err


def test_pipes_and_devices_are_not_read(tmp_path):
    write_files(tmp_path, {"b.yaml": GOOD})
    os.mkfifo(tmp_path / "a.json")
    assert audit(tmp_path).code == 1
    named = audit(tmp_path, "a.json")
    assert named.code == 2
    assert "a.json" in named.err
