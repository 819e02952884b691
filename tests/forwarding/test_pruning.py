"""Dynamic pruning and sync groups on small rows of switches."""

import inkov
from conftest import on_screen
from inkov.forwarding.network import Network
from inkov.forwarding.sync import Syncing
from inkov.kinds.relay import View
from inkov.model.names import PortRef
from inkov.model.vlanset import VlanSet

ROW = ("s0", "s1", "s2")


def row(*more, members=("1: {access: 10}", "", "1: {access: 20}"), links=None):
    """Three switches in a row that carry all; `more` is further text of each switch file."""
    files = {}
    for i, (name, text) in enumerate(zip(ROW, more, strict=True)):
        ports = [members[i]] if members[i] else []
        heard = []
        if i:
            ports.append((links or {}).get(f"{name}:a", "a: {trunk: all}"))
        if i < 2:
            ports.append((links or {}).get(f"{name}:b", "b: {trunk: all}"))
            heard.append(f"b: {ROW[i + 1]} a")
        files[f"{name}.yaml"] = (
            f"inkov: switch\nname: {name}\nvlans: {{10: , 20: }}\nports: {{{', '.join(ports)}}}\n"
            f"neighbours: {{{', '.join(heard)}}}\n{text}"
        )
    return files


def carried(network):
    return [str(network.ladder(k).carried & VlanSet([1, 10, 20])) for k in network.links]


def test_nothing_is_sent_that_nobody_behind_wants(site):
    members = ("1: {access: 10}", "", "1: {access: 20}, 2: {access: 10}")
    network = Network(inkov.load(site(row(*["pruning: true\n"] * 3, members=members))))
    assert carried(network) == ["1,10", "1,10"]
    assert str(VlanSet.from_mask(network.pruning.pruned(PortRef("s0", "b"))) & VlanSet([1, 10, 20])) == "none"
    assert str(VlanSet.from_mask(network.pruning.pruned(PortRef("s2", "a"))) & VlanSet([1, 10, 20])) == "20"


def test_a_silent_switch_loses_what_it_needs(site):
    files = row("pruning: true\n", "", "", members=("1: {access: 10}", "", "1: {access: 10}"))
    folder = site(files)
    assert carried(Network(inkov.load(folder)))[0] == "1"
    found = inkov.audit(inkov.load(folder))
    assert (found[0].rule, found[0].place) == ("prune/silent", "s0:b <-> s1:a")
    fixed = row("pruning: true\n", "", "", members=("1: {access: 10}", "", "1: {access: 10}"),
                links={"s0:b": "b: {trunk: all, registration: {fixed: 10}}"})  # fmt: skip
    assert carried(Network(inkov.load(site(fixed))))[0] == "1,10"


def test_forbidden_is_never_sent(site):
    members = ("1: {access: 10}", "", "1: {access: 10}")
    links = {"s1:b": "b: {trunk: all, registration: {forbidden: 10}}"}
    network = Network(inkov.load(site(row(*["pruning: true\n"] * 3, members=members, links=links))))
    assert "10" not in carried(network)[1].split(",")


def test_interest_does_not_travel_over_a_port_that_the_tree_shuts(site):
    """s2 hears of s1's members over a link that is shut, so it wants nothing for them from s0."""
    files = {}
    for i, (name, members) in enumerate((("s0", "1: {access: 10}, "), ("s1", "1: {access: 10}, "), ("s2", ""))):
        files[f"{name}.yaml"] = (
            f"inkov: switch\nname: {name}\nmac: 00:00:5e:00:53:0{i}\nvlans: {{10: }}\npruning: true\n"
            f"tree: {{protocol: rstp, priority: {4096 * (i + 1)}}}\nports: {{{members}a: {{trunk: all}}, b: {{trunk: all}}}}\n"
        )
    files["campus.yaml"] = "inkov: campus\nname: x\ncables: [s0 a - s1 a, s0 b - s2 a, s1 b - s2 b]\n"
    network = Network(inkov.load(site(files)))
    assert network.trees.blocks(PortRef("s2", "b")) >> 10 & 1
    assert network.pruning.pruned(PortRef("s0", "b")) >> 10 & 1
    assert not network.pruning.pruned(PortRef("s0", "a")) >> 10 & 1


def test_the_default_vlan_is_announced_as_it_is_never_pruned(site):
    network = Network(inkov.load(site(row(*["pruning: true\n"] * 3))))
    assert network.pruning.announced(View.USUAL)[PortRef("s0", "b")] >> 1 & 1


def sync(role, generation, secret="kelp", more=""):
    return f"sync: {{group: g, role: {role}, generation: {generation}, secret: {secret}{more}}}\n"


def tables(network):
    return {n: str(VlanSet(s.vlans)) for n, s in Syncing(network).converged().switches.items()}


def test_the_newest_table_wins_through_a_relay_that_keeps_its_own(site):
    files = row(sync("author", 5), sync("relay", 1), sync("follower", 9))
    files["s2.yaml"] = files["s2.yaml"].replace("{10: , 20: }", "{20: , 30: new}")
    network = Network(inkov.load(site(files)))
    assert tables(network) == {"s0": "1,20,30", "s1": "1,10,20", "s2": "1,20,30"}


def test_other_secrets_and_switches_that_are_off_part_a_group(site):
    for middle in (sync("relay", 1, secret="help"), sync("off", 1)):
        files = row(sync("author", 5), middle, sync("follower", 9))
        files["s2.yaml"] = files["s2.yaml"].replace("{10: , 20: }", "{20: }")
        assert tables(Network(inkov.load(site(files))))["s0"] == "1,10,20"


def test_what_the_group_does_not_spread_stays_local(site):
    files = row(*[sync("follower", g, more=", spread: 1-15") for g in (9, 1, 1)])
    files["s0.yaml"] = files["s0.yaml"].replace("{10: , 20: }", "{11: }")
    assert tables(Network(inkov.load(site(files)))) == {"s0": "1,11", "s1": "1,11,20", "s2": "1,11,20"}


def test_equal_generations_with_other_tables_are_not_guessed(site):
    files = row(*[sync("follower", 5)] * 3)
    files["s0.yaml"] = files["s0.yaml"].replace("{10: , 20: }", "{11: }")
    (circle,) = Syncing(Network(inkov.load(site(files)))).circles
    assert (circle.newest, circle.unknown) == (None, "s0 and s1 have generation 5 and different tables")


def test_a_secret_is_never_shown(inkov, site):
    folder = site(row(sync("author", 5, "XYZZY"), sync("author", 5, "PLUGH"), sync("follower", 9, "XYZZY")))
    for args in (("audit", "."), ("audit", ".", "--format", "json"), ("vlans", ".", "--converged"), ("prove", ".")):
        ran = inkov(*args)
        assert "XYZZY" not in ran.out + ran.err
        assert "PLUGH" not in ran.out + ran.err
    assert "XYZZY" not in repr(__import__("inkov").load(folder))


def test_vlans_converged_says_what_vanishes(site):
    files = row(sync("author", 5), sync("follower", 5), sync("follower", 9))
    files["s2.yaml"] = files["s2.yaml"].replace("{10: , 20: }", "{20: }")
    folder = site(files)
    shown = on_screen("vlans", ".", "--converged", columns=100, cwd=folder)
    lines = [line.split() for line in shown.splitlines()]
    assert ["s0", "g", "s2", "-", "10"] in lines
    assert ["s2", "g", "s2", "-", "-"] in lines
