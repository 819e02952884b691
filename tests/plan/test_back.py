"""The way back of a change restores the state before; and steps written into files are read back as they were tried."""

import tempfile
from collections import Counter
from ipaddress import ip_address, ip_interface, ip_network
from itertools import count
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import inkov
from conftest import run_inkov, write_files
from inkov import changes
from inkov.change.rehearsal import Rehearsal
from inkov.formats.ours.change_file import of_text, steps
from inkov.formats.ours.change_writer import written
from inkov.formats.reading import Reading
from inkov.model.names import PortRef
from inkov.model.routing import Entry, Filter, Gateway, Route, gateway_key
from inkov.model.switch import Vlan, VlanType
from inkov.model.tree import Protocol, Registration, Sync, SyncRole
from inkov.model.vlanset import VlanSet
from inkov.plan.change import changes as differences
from inkov.steps.between import between
from inkov.steps.edit import CannotChange
from inkov.steps.settings import PortChange, SwitchChange, TreeChange
from inkov.steps.steps import SetPorts, set_switch
from stepping import changed, done
from strategies import often

VIDS = (10, 20, 30)
PREFIXES = [ip_network(p) for p in ("0.0.0.0/0", "10.0.0.0/8", "2001:db8::/32")]
BOX = """inkov: switch  # kept
name: {name}
vlans:
  10: users
  20: {{name: guests, state: suspended}}
  # by hand

ports:
  1-4: {{access: 10}}  # desks
  5: {{access: 20}}
  u1: {{trunk: "10,20", native: none, registration: {{normal: "10-20", fixed: 20}}}}
  e1: {{mode: routed, subinterfaces: {{30: 192.0.2.65/29}}}}
{more}
"""
MORE = [
    "",
    "gateways: {10: 192.0.2.1/29}\nrouting: true\n",
    "gateways:\n  10: {address: 192.0.2.1/29, in: f}\nrouting: false\nfilters:\n  f:\n    - {action: accept}\n",
    "routes:\n  - {to: 0.0.0.0/0, via: 192.0.2.2}\n  - {to: 10.0.0.0/8, via: drop}\n",
    "routes: [{to: 10.0.0.0/8, onto: e1 30, metric: 5}]\nsync: {group: a, role: author}\npruning: true\n",
    "tree: {protocol: rstp, priority: 4096}\nregistration: on\nsync:\n  group: b\n",
    "tree:\n  protocol: mstp\ngateways:\n",
]

vids = st.sampled_from(VIDS)
entries = st.builds(
    Entry, st.booleans(), st.none() | st.sampled_from(PREFIXES), only=st.sampled_from(["", "tcp to 443"])
)
filters = st.lists(entries, min_size=1, max_size=2).map(lambda some: Filter("f", tuple(some)))
vlans = st.builds(Vlan, vids, st.sampled_from(["x", "a: b", "none", "7"]), st.booleans(), st.just(VlanType.PLAIN))
sync = st.builds(Sync, st.sampled_from(["a", "b"]), st.sampled_from(SyncRole), st.none() | st.integers(1, 9))
tree = st.builds(TreeChange, protocol=st.sampled_from(Protocol), priority=st.sampled_from([4096, 32768]))


@st.composite
def switch_steps(draw, name, *, routed="e1"):
    """A step that sets something of a switch as a whole."""
    vid = draw(vids)
    key, port = draw(
        st.sampled_from(
            [(gateway_key("", vid), ""), (gateway_key(routed, vid), routed)] if routed else [(gateway_key("", vid), "")]
        )
    )
    own = Gateway(
        vid, (ip_interface(f"198.51.100.{draw(st.integers(1, 9))}/24"),), port, inward=draw(st.sampled_from(["", "f"]))
    )
    to = draw(st.sampled_from(PREFIXES))
    via = ip_address("2001:db8::9" if to.version == 6 else "198.51.100.9")
    ways = st.builds(Route, st.just(to), st.none() | st.just(via), metric=st.none() | st.integers(1, 3))
    return set_switch(
        name,
        **draw(
            st.one_of(
                st.fixed_dictionaries({"vlans": st.dictionaries(vids, st.none() | vlans, min_size=1, max_size=2).map(lambda d: {v: e and Vlan(v, e.name, e.active) for v, e in d.items()})}),
                st.fixed_dictionaries({"filters": filters.map(lambda f: {"f": f})}),
                st.just({"filters": {"f": Filter("f", (Entry(True),))}, "gateways": {key: own}}),
                st.just({"gateways": {key: None}}),
                st.fixed_dictionaries({"routes": st.lists(ways, max_size=2, unique_by=str).map(lambda some: {("", to): tuple(some)})}),
                st.fixed_dictionaries(
                    {"settings": st.one_of(
                        st.builds(SwitchChange, routing=st.booleans(), pruning=st.booleans()),
                        st.builds(SwitchChange, registration=st.booleans()),
                        st.builds(SwitchChange, sync=st.none() | sync),
                        st.builds(SwitchChange, tree=tree),
                    )}
                ),
            )
        ),
    )  # fmt: skip


def restores(campus, some):
    """The way back of some steps as a change file: what is left after it, and whether it is all that is left."""
    plan = changes.Planned("x", "", some, [])
    end = campus
    for step in some:
        end = step.done(end)
    view = Rehearsal(campus, some).view()
    text, back = changes.back(campus, plan, view)
    if text:
        document, lines, reading = of_text(text, Reading("back.yaml"))
        for step in steps(document, lines, end, reading):
            end = step.done(end)
    left = [f"{c.at}: {c.what}".removeprefix(": ") for c in differences(campus, end)]
    assert sorted(left) == sorted(back.left)
    return left


def test_the_way_back_ends_where_the_change_began_but_for_what_it_names():
    tried = Counter()

    @settings(max_examples=often(60), suppress_health_check=list(HealthCheck))
    @given(changed(), st.data())
    def holds(case, data):
        campus, some = case
        name = data.draw(st.sampled_from(sorted(campus.switches)))
        some = [*some, *data.draw(st.lists(switch_steps(name, routed=""), max_size=2))]
        try:
            done(campus, some)
        except CannotChange:
            return
        tried["all is restored" if not restores(campus, some) else "something is left"] += 1

    holds()
    assert tried["all is restored"] > 9 * tried["something is left"], tried


def test_steps_of_a_switch_are_read_back_from_a_change_file_and_from_the_files_they_are_written_into(tmp_path):
    tried, numbers = Counter(), count()

    @settings(max_examples=often(80), suppress_health_check=list(HealthCheck))
    @given(st.sampled_from(MORE), st.lists(switch_steps("box"), min_size=1, max_size=3), st.booleans())
    def holds(more, some, crlf):
        with tempfile.TemporaryDirectory() as folder:
            site = Path(folder) / "site"
            text = BOX.format(name="box", more=more)
            write_files(site, {"box.yaml": text.replace("\n", "\r\n") if crlf else text})
            try:
                before = inkov.load(site)
                after = done(before, some)[-1]
            except (inkov.BadInput, CannotChange):
                return
            document, lines, reading = of_text(written(some, "x"), Reading("x.yaml"))
            assert differences(done(before, steps(document, lines, before, reading))[-1], after) == []
            why = ""
            try:
                changes.with_steps(site, some).write(Path(folder) / f"made-{next(numbers)}")
                tried["written"] += 1
            except inkov.BadInput as exc:
                why = str(exc)
                tried["refused"] += 1
            assert "would not be what was tried" not in why, text

    holds()
    assert tried["written"] > tried["refused"], tried


def test_a_change_and_its_way_back_leave_the_campus_byte_for_byte_as_it_was(tmp_path):
    """As `convert` writes it: text of people that was set and taken back is not the text that stood there."""
    site = write_files(tmp_path / "site", {"box.yaml": BOX.format(name="box", more=MORE[2])})
    change = "steps: [{at: 'box:1-2', access: 20}, {at: box, vlans: {20: guests, 40: new}}, {at: box, routing: true}]\n"
    write_files(tmp_path, {"change.yaml": "inkov: change\n" + change})
    ran = run_inkov(
        "rehearse", site, tmp_path / "change.yaml", "--back", tmp_path / "back.yaml", "--apply", tmp_path / "there"
    )
    assert "the way back   4 steps" in ran.out
    assert "1 file changed; read back, it is what was tried" in ran.err
    run_inkov("rehearse", tmp_path / "there", tmp_path / "back.yaml", "--apply", tmp_path / "again")
    for name in ("site", "there", "again"):
        assert run_inkov("convert", tmp_path / name, "-o", tmp_path / f"{name}-told").code == 0
    told = [(tmp_path / f"{name}-told" / "box.yaml").read_bytes() for name in ("site", "there", "again")]
    assert told[0] == told[2] != told[1]


@pytest.mark.parametrize("settings_", [PortChange(registration=Registration(VlanSet([10]), VlanSet([20])))])
def test_what_may_be_pruned_at_a_port_is_a_step(tmp_path, settings_):
    campus = inkov.load(write_files(tmp_path, {"box.yaml": BOX.format(name="box", more="")}))
    step = SetPorts(what="x", ports=(PortRef("box", "u1"),), settings=settings_)
    document, lines, reading = of_text(written([step], "x"), Reading("x.yaml"))
    (read,) = steps(document, lines, campus, reading)
    assert read.settings == settings_


PORTS = [
    "access: 10",
    "access: 20, voice: 30, enabled: false",
    "trunk: '10,20', native: none",
    "trunk: all, native: 10, label: 'up: b'",
    "trunk: none, native: 20, native-tagged: true",
    "trunk: '10,20', native: 10, translate: {99: 20}, stance: active",
    "mode: negotiated, stance: passive, access: 10, trunk: '10-20', native: 20",
    "mode: negotiated, stance: active, access: 20, voice: 30, trunk: '30', native: none",
    "general: {pvid: 10, untagged: '10,30', tagged: '20'}",
    "general: {pvid: 20, untagged: '20', tagged: none, frames: tagged}",
    "private: {primary: 10, secondary: 20}",
    "promiscuous: {primary: 10, secondaries: '20,30'}",
    "tunnel: 20",
    "tunnel: {vlan: 20, inside: '30'}",
]


def unlike(one, other):
    """What differs, but for keys that do nothing in the mode a port is in."""
    return [c for c in differences(one, other) if c.key[3] != "origin"]


@settings(max_examples=often(60), suppress_health_check=list(HealthCheck))
@given(st.lists(st.sampled_from(PORTS), min_size=4, max_size=4), st.booleans())
def test_whatever_a_port_is_steps_make_of_it_whatever_another_is(told, flow):
    """Said by steps, read back from a change file, and written into the file of the switch."""
    head = "inkov: switch\nname: box\nvlans: {10: , 20: , 30: }\nstarts-as: {native: 30, access: 30}\nports:"
    now, then = (
        f"{head} {{1-3: {{{a}}}, u: {{{b}}}}}\n" if flow else f"{head}\n  1-3: {{{a}}}  # kept\n  u: {{{b}}}\n"
        for a, b in (told[:2], told[2:])
    )
    with tempfile.TemporaryDirectory() as folder:
        before, after = (
            inkov.load(write_files(Path(folder) / name, {"box.yaml": text}))
            for name, text in (("now", now), ("then", then))
        )
        some = between(before, after)
        if not some:
            return
        document, lines, reading = of_text(written(some, "x"), Reading("x.yaml"))
        assert unlike(done(before, steps(document, lines, before, reading))[-1], after) == []
        changes.with_steps(Path(folder) / "now", some).write(Path(folder) / "made")
        assert unlike(inkov.load(Path(folder) / "made"), after) == []


@pytest.mark.parametrize(
    ("step", "message"),
    [
        ("box:u1 mode trunk", "'mode' is of a port that negotiates, and this port is none"),
        ("box:1 mode access", "'mode' is of a port that negotiates, and this port is none"),
        ("box:1 mode negotiated", "'mode: negotiated' needs 'trunk', too: this port is none"),
        ("box:u1 mode negotiated", "'mode: negotiated' needs 'access', too: this port is none"),
    ],
)
def test_a_mode_that_a_port_cannot_take_is_refused(tmp_path, step, message):
    site = write_files(tmp_path, {"box.yaml": BOX.format(name="box", more="")})
    ran = run_inkov("rehearse", site, "--set", step)
    what = step.replace(" mode", ": mode")
    assert (ran.code, ran.out, ran.err) == (2, "", f"--set: {what}: {message}\n")
