"""What is kept between runs: it never changes an answer, and no file in it can do harm."""

import random
import re
from hashlib import blake2b
from pathlib import Path

import pytest

import writers
from conftest import REALSWITCH, run_inkov, write_files
from inkov.formats import parsed
from inkov.formats.site import load, load_files
from inkov.model.settings import Setting

SWITCH = "inkov: switch\nname: {}\nvlans: {{310: tanks}}\nports: {{1: {{access: {}}}, u1: {{trunk: '310-320', native: 1}}}}\n"


@pytest.fixture
def folders(site, tmp_path):
    site({f"in/{n}.yaml": SWITCH.format(n, 310) for n in ("archive", "boat", "cove")})
    return tmp_path / "in", tmp_path / "cache"


def packs(cache):
    return sorted(cache.rglob("*.pack"))


@pytest.mark.parametrize("side", ["as-found", "mended"])
def test_a_kept_campus_is_the_campus(quillfin, tmp_path, side):
    plain = load(quillfin / side)
    for _ in range(2):
        kept, files = load_files(quillfin / side, cache=tmp_path)
        assert (kept.switches, kept.notes, kept.saved) == (plain.switches, plain.notes, plain.saved)
        assert list(files) == list(plain.files)
    for name, switch in plain.switches.items():
        ports = kept.switches[name].ports
        assert [p.origin.of(Setting.ACCESS) for p in ports.values()] == [
            p.origin.of(Setting.ACCESS) for p in switch.ports.values()
        ]


def test_kept_walks_and_exports_in_xml_are_what_they_were(tmp_path):
    boxes = writers.random_boxes(random.Random(3), plain=False)
    written = {f"{n}.xml": writers.netconf(box) for n, box in enumerate(boxes)}
    site = write_files(tmp_path / "in", written | {f"w{n}.walk": writers.walk(box) for n, box in enumerate(boxes)})
    first, second = (load_files(site, cache=tmp_path / "cache")[0] for _ in range(2))
    assert len(packs(tmp_path / "cache")) == 1
    assert first == second == load(site)


def test_json_is_not_kept_as_it_is_read_anew_as_quickly(tmp_path):
    load_files(REALSWITCH[0], cache=tmp_path)
    assert not packs(tmp_path)


def test_only_what_changed_is_read_again(folders, monkeypatch):
    site, cache = folders
    load_files(site, cache=cache)
    (site / "boat.yaml").write_text(SWITCH.format("boat", 777))
    from inkov.formats.ours import switch_file

    read = []
    monkeypatch.setattr(switch_file, "read", lambda *a, old=switch_file.read: read.append(a[2].file) or old(*a))
    campus, _ = load_files(site, cache=cache)
    assert read == ["boat.yaml"]
    assert campus.switches["boat"].ports["1"].switching.vid == 777
    assert len(packs(cache)) == 2


def test_a_habit_in_the_campus_file_counts_for_kept_switches(folders):
    site, cache = folders
    load_files(site, cache=cache)
    (site / "campus.yaml").write_text("inkov: campus\nname: c\nassume: {own-tag: drop}\n")
    assert load_files(site, cache=cache)[0] == load(site)


@pytest.mark.parametrize(
    "damage", [lambda d: d[:-1], lambda d: d[:60] + b"?" + d[61:], lambda _: b"", lambda d: b"x" + d]
)
def test_a_damaged_pack_is_ignored(folders, damage):
    site, cache = folders
    expected, _ = load_files(site, cache=cache)
    (pack,) = packs(cache)
    pack.write_bytes(damage(pack.read_bytes()))
    assert load_files(site, cache=cache)[0] == expected


EVIL = (
    b"cos\nsystem\n(S'touch victim'\ntR.",  # a pickle
    b'[[["Path","x"]],[7,"victim"]]',  # a type that is none of the model
    b'[[["Switch","__class__"]],[7,"victim"]]',  # a field that is none
    b'[[["Origin","file","base","places","defaults","__annotations__"]],[7,1,2,3,4,5]]',
    b'[[],[4,"Switch","mkdir"]]',  # no enumeration
    b"[[],[6,9]]",  # before anything
    b'[[["Port","name"]],[0,[0,"00",[7,"x"],false,[0]]]]',  # no switch
    b"[" * 5000,
)


@pytest.mark.parametrize("body", EVIL)
def test_a_planted_pack_runs_nothing_and_changes_nothing(tmp_path, folders, body, monkeypatch):
    site, cache = folders
    monkeypatch.chdir(tmp_path)
    load_files(site, cache=cache)
    (pack,) = packs(cache)
    pack.write_bytes(parsed._stamp() + blake2b(body, digest_size=32).digest() + body)
    with pytest.raises(parsed.Damaged):
        parsed._unpacked(pack.read_bytes())
    assert load_files(site, cache=cache)[0] == load(site)
    assert not (tmp_path / "victim").exists()


@pytest.mark.parametrize("place", ["pack", "site", "cache"])
def test_what_others_may_write_to_is_passed_over_with_one_note(folders, place):
    site, cache = folders
    load_files(site, cache=cache)
    (pack,) = packs(cache)
    strange = {"pack": pack, "site": pack.parent, "cache": cache}[place]
    strange.chmod(strange.stat().st_mode | 0o020)
    campus, _ = load_files(site, cache=cache)
    (note,) = campus.notes
    assert note.startswith(f"{strange.as_posix()}: passed over, as others may write")
    assert campus.switches == load(site).switches


def test_nothing_in_the_program_unpickles():
    source = Path(parsed.__file__).parents[1]
    named = [
        p.name
        for p in source.rglob("*.py")
        if re.search(r"\b(pickle|marshal|shelve|eval\(|exec\()", p.read_text("utf-8"))
    ]
    assert named == []


def test_packs_become_one_when_they_are_many(folders):
    site, cache = folders
    for vid in range(300, 330):
        (site / "boat.yaml").write_text(SWITCH.format("boat", vid))
        assert load_files(site, cache=cache)[0].switches["boat"].ports["1"].switching.vid == vid
        assert len(packs(cache)) <= 9
    assert load_files(site, cache=cache)[0] == load(site)


def test_a_file_with_a_problem_is_never_kept(folders, inkov):
    site, cache = folders
    (site / "boat.yaml").write_text(SWITCH.format("boat", "many"))
    for _ in range(2):
        ran = inkov("audit", site, XDG_CACHE_HOME=str(cache))
        assert ran.code == 2
        assert "boat.yaml:4" in ran.err


def test_the_program_keeps_what_it_reads_unless_told_not_to(folders, tmp_path):
    site, cache = folders
    without = run_inkov("audit", "--no-cache", site, XDG_CACHE_HOME=str(cache))
    assert not packs(cache)
    first, second = (run_inkov("audit", site, XDG_CACHE_HOME=str(cache)) for _ in range(2))
    assert without == first == second
    assert len(packs(cache)) == 1
    blocked = tmp_path / "file"
    blocked.write_text("")
    assert run_inkov("audit", site, XDG_CACHE_HOME=str(blocked)) == first
