"""Trees of whole campuses: per VLAN, MSTP, what is not known, and what follows for links and rules."""

import json

import pytest

import inkov
from conftest import write_files
from inkov.forwarding.election import Basis, BridgeId, Port, Role, elect
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.names import PortRef
from inkov.model.tree import default_cost
from inkov.rules.triangle import triangle

RING = ("archive:u1", "archive:u2", "pump-loft:u1", "pump-loft:u2", "seal-ward:u1", "seal-ward:u2")


@pytest.fixture
def ring(tmp_path):
    """A ring of three: archive u1 - seal-ward u1, archive u2 - pump-loft u1, pump-loft u2 - seal-ward u2."""

    def build(*trees, lists=("310,330",) * 3, edits=()):
        files = triangle(trees, lists)
        for name, old, new in edits:
            assert old in files[name]
            files[name] = files[name].replace(old, new)
        return Network(inkov.load(write_files(tmp_path, files)))

    return build


def blocked(network, vid):
    refs = [PortRef.parse(r) for r in RING]
    return {str(r) for r in refs if network.trees.blocks(r) >> vid & 1}


def test_one_tree_blocks_one_link_for_all(ring):
    network = ring("{protocol: rstp, priority: 4096}", "{protocol: rstp}", "{protocol: rstp}")
    assert blocked(network, 310) == blocked(network, 330) == {"pump-loft:u2"}
    (beaten,) = [t.election.beaten for t in network.trees.parts[0].trees]
    assert beaten[PortRef("pump-loft", "u2")].basis is Basis.SENDER


def test_one_tree_ignores_allowed_lists(ring):
    network = ring(*["{protocol: rstp}"] * 3, lists=("330", "310,330", "310,330"))
    assert blocked(network, 310) == {"pump-loft:u2"}


def test_a_tree_per_vlan_has_roots_and_costs_of_its_own(ring):
    """Worked by hand: 310 has root archive; 330 has root seal-ward, and pump-loft reaches it through archive (8 < 100)."""
    network = ring(
        "{protocol: per-vlan, own: {310: 4096}, costs: 16-bit}",
        "{protocol: per-vlan, own: {330: 4096}, costs: 16-bit}",
        "{protocol: per-vlan, costs: 16-bit}",
        edits=[("pump-loft.yaml", "u2: {trunk: '310,330'}", "u2: {trunk: '310,330', tree: {own: {330: {cost: 100}}}}")],
    )
    assert blocked(network, 310) == {"pump-loft:u2"}
    tree = network.trees.tree_for("pump-loft", 330)
    assert (tree.election.root["pump-loft"], tree.election.cost["pump-loft"]) == ("seal-ward", 8)
    assert blocked(network, 330) == {"pump-loft:u2"}
    network_plain = ring(*["{protocol: per-vlan, own: {330: 4096}}", "{protocol: per-vlan}", "{protocol: per-vlan}"])
    assert blocked(network_plain, 330) == {"pump-loft:u2"}


def test_a_tree_per_vlan_runs_over_the_links_that_carry_it(ring):
    network = ring(*["{protocol: per-vlan}"] * 3, lists=("330", "310,330", "310,330"))
    assert blocked(network, 310) == set()
    assert blocked(network, 330) == {"pump-loft:u2"}


MSTP = "{{protocol: mstp, priority: {}, own: {}, region: {{name: reef, revision: {}, instances: {{1: 310, 2: 330}}}}}}"


def test_instances_of_a_region_block_different_links(ring):
    """Instance 1 has root archive, instance 2 root pump-loft; each blocks the link opposite to its root."""
    network = ring(MSTP.format(32768, "{1: 4096}", 1), MSTP.format(32768, "{}", 1), MSTP.format(32768, "{2: 4096}", 1))
    assert blocked(network, 310) == {"pump-loft:u2"}
    assert blocked(network, 330) == {"seal-ward:u1"}
    assert blocked(network, 999) == {"pump-loft:u2"}


def test_between_regions_one_tree_decides_and_instances_follow_it(ring):
    """seal-ward has another revision, so it is a region of its own. The common root is archive. Inside its region
    pump-loft reaches archive at no outer cost, so it keeps the LAN to seal-ward, which loses that link for all VLANs."""
    network = ring(MSTP.format(4096, "{}", 1), MSTP.format(32768, "{}", 2), MSTP.format(32768, "{2: 4096}", 1))
    common = network.trees.parts[0].trees[0].election
    assert common.cost == {"archive": 0, "seal-ward": 20000, "pump-loft": 20000}
    assert common.role[PortRef("seal-ward", "u1")] is Role.ROOT
    assert common.role[PortRef("pump-loft", "u2")] is Role.DESIGNATED
    for vid in (310, 330, 999):
        assert blocked(network, vid) == {"seal-ward:u2"}
    other = network.trees.tree_for("seal-ward", 330).election
    assert other.role[PortRef("seal-ward", "u1")] is Role.MASTER


@pytest.mark.parametrize(
    ("trees", "why"),
    [
        (("{protocol: rstp}", "{}", "{protocol: rstp}"), "which tree seal-ward runs is not stated"),
        (("{protocol: rstp}", "{protocol: per-vlan}", "{protocol: rstp}"), "runs a tree per VLAN and archive does not"),
    ],
)
def test_an_unknown_tree_lets_only_surely_pass_what_every_link_carries(ring, trees, why):
    network = ring(*trees, lists=("310,330", "310,330", "330"))
    ref = PortRef("archive", "u1")
    assert why in network.trees.doubt(ref)
    assert network.trees.allows(ref) >> 330 & 1
    assert not network.trees.allows(ref) >> 310 & 1
    assert not network.trees.blocks(ref)
    reached = network.graph(View.MUST).spread({"archive": 1 << 310 | 1 << 330})
    assert reached["seal-ward"] == 1 << 330


def test_unknown_addresses_decide_nothing(ring):
    edits = [("archive.yaml", "mac: 00:00:5e:00:53:01\n", ""), ("seal-ward.yaml", "mac: 00:00:5e:00:53:02\n", "")]
    network = ring(*["{protocol: rstp}"] * 3, edits=edits)
    assert "hangs on their bridge addresses" in network.trees.parts[0].unknown
    sure = ring("{protocol: rstp, priority: 4096}", "{protocol: rstp, priority: 8192}", "{protocol: rstp}", edits=edits)
    assert blocked(sure, 310) == {"pump-loft:u2"}


def test_habit_blocks_a_link_whose_natives_differ(ring):
    edits = [
        ("archive.yaml", "u1: {trunk: '310,330'}", "u1: {trunk: '310,330', native: 310}"),
        ("seal-ward.yaml", "u1: {trunk: '310,330'}", "u1: {trunk: '310,330', native: 330}"),
        ("archive.yaml", "vlans:", "assume: {uneven-link: block}\nvlans:"),
    ]
    network = ring(*["{protocol: per-vlan}"] * 3, edits=edits)
    assert {"archive:u1", "seal-ward:u1"} <= blocked(network, 310) & blocked(network, 330)


def test_habit_blocks_a_link_whose_ends_are_of_different_kinds(ring):
    edits = [
        ("archive.yaml", "u1: {trunk: '310,330'}", "u1: {access: 310}"),
        ("archive.yaml", "vlans:", "assume: {uneven-link: block}\nvlans:"),
    ]
    network = ring(*["{protocol: per-vlan}"] * 3, edits=edits)
    for ref in ("archive:u1", "seal-ward:u1"):
        assert network.trees.blocks(PortRef.parse(ref)) >> 330 & 1
    let = ring(*["{protocol: per-vlan}"] * 3, edits=edits[:1])
    assert not let.trees.allows(PortRef.parse("archive:u1"), View.MUST) >> 330 & 1  # nothing states the habit
    assert let.trees.allows(PortRef.parse("archive:u1")) >> 330 & 1


def test_a_port_that_lost_by_cost_is_told_so(ring):
    edits = [("seal-ward.yaml", "u1: {trunk: '310,330'}", "u1: {trunk: '310,330', tree: {cost: 4}}")]
    network = ring("{protocol: rstp, priority: 4096}", *["{protocol: rstp}"] * 2, edits=edits)
    (tree,) = network.trees.parts[0].trees
    lost = tree.election.beaten[PortRef("pump-loft", "u2")]
    assert (lost.basis, lost.own, lost.other) == (Basis.COST, 20_000, 4)


def test_backup_ports_and_hubs():
    """Two ports of one bridge on one LAN: the lower number stays designated, the other is its backup."""
    ids = {"a": BridgeId(4096, "00", "a"), "b": BridgeId(8192, "01", "b")}
    lan = (PortRef("a", "1"), PortRef("a", "2"), PortRef("b", "1"))
    found = elect(ids, [lan], {p: Port(128, int(p.port), 4) for p in lan})
    assert [found.role[p] for p in lan] == [Role.DESIGNATED, Role.BACKUP, Role.ROOT]


@pytest.mark.parametrize(
    ("speed", "wide", "members", "cost"),
    [(10, False, 1, 100), (100, False, 1, 19), (1000, False, 1, 4), (10_000, False, 1, 2), (1000, False, 2, 3),
     (1000, True, 1, 20_000), (10_000, True, 1, 2_000), (1000, True, 2, 10_000), (0, True, 1, 20_000)],
)  # fmt: skip
def test_costs_of_the_standard(speed, wide, members, cost):
    assert default_cost(speed, wide=wide, members=members) == cost


def test_exports_say_their_tree(tmp_path):
    document = {
        "openconfig-system:system": {"config": {"hostname": "archive"}},
        "openconfig-interfaces:interfaces": {
            "interface": [
                {"name": "1", "config": {"name": "1"},
                 "openconfig-if-ethernet:ethernet": {"config": {"port-speed": "openconfig-if-ethernet:SPEED_10GB"}}}
            ]
        },
        "openconfig-spanning-tree:stp": {
            "global": {"config": {"enabled-protocol": ["openconfig-spanning-tree-types:MSTP"]}},
            "interfaces": {"interface": [{"name": "1", "config": {"edge-port": "openconfig-spanning-tree-types:EDGE_ENABLE"}}]},
            "mstp": {
                "config": {"name": "reef", "revision": 3},
                "mst-instances": {"mst-instance": [
                    {"mst-id": 1, "config": {"mst-id": 1, "vlan": [310, "320..330"], "bridge-priority": 4096},
                     "interfaces": {"interface": [{"name": "1", "config": {"name": "1", "cost": 7, "port-priority": 64}}]}}
                ]},
            },
        },
    }  # fmt: skip
    (tmp_path / "a.json").write_text(json.dumps(document))
    switch = inkov.load(tmp_path).switches["archive"]
    assert (switch.tree.protocol.value, switch.tree.region.name, switch.tree.region.revision) == ("mstp", "reef", 3)
    assert str(switch.tree.region.vlans(1)) == "310,320-330"
    assert switch.tree.own == {1: 4096}
    port = switch.ports["1"]
    assert (port.speed, port.tree.edge, port.tree.own) == (10_000, True, ((1, 7, 64),))


def test_tree_command_shows_root_ways_and_reasons(inkov, quillfin):
    ran = inkov("tree", quillfin / "as-found")
    assert ran.code == 0
    assert "root  crane   priority 32768  nobody chose it: others have its priority" in ran.out
    text = " ".join(ran.out.split())
    assert (
        "× gull-roost:u2 to reef-gate:u2 alternate both ends are at cost 62000, and reef-gate has the lower bridge"
        in text
    )
    made = json.loads(inkov("tree", quillfin / "mended", "--format", "json").out)
    (tree,) = made["trees"]
    assert (tree["root"], tree["chosen"], tree["switches"]) == ("watchtower-a", True, 25)
    assert [b["port"] for b in tree["blocked"]] == ["gull-roost:u2"]


def test_links_show_what_the_tree_keeps_off(inkov, quillfin):
    ran = inkov("links", quillfin / "mended", "--switch", "gull-roost")
    assert "blocked by the tree at" in ran.out
    rows = json.loads(inkov("links", quillfin / "mended", "--switch", "gull-roost", "--format", "json").out)["rows"]
    assert [(r["carried"], [k["vlans"] for k in r["kept_off"]]) for r in rows] == [
        ("305,340,370,380,990", []),
        ("none", ["305,340,370,380,990"]),
    ]


def test_trace_follows_the_tree_round_the_ring(inkov, quillfin):
    ran = inkov("trace", quillfin / "mended", "reef-gate:1", "gull-roost:1")
    assert ran.code == 0
    assert "cove-lab" in ran.out
