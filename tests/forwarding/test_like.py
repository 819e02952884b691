"""A network that is made like another one is what it would be alone: after any change, also of which switches there are, links, graph, trees and who hears whom."""

from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
from conftest import write_files
from inkov.forwarding.flood import Flooding
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.names import PortRef
from inkov.model.switch import Kind, Stance
from inkov.model.tree import BridgeTree, Protocol, Sync
from strategies import VLANS, announced, campuses, often, open_campuses, trunked


@st.composite
def changed(draw, campus):
    """The campus with something else on one switch or two: a port down, up, or set as another one, a table, a tree, pruning."""
    made = dict(campus.switches)
    for name in draw(st.lists(st.sampled_from(sorted(made)), min_size=1, max_size=2, unique=True)):
        switch = made[name]
        what = draw(
            st.sampled_from(
                ["enabled", "enabled", "switching", "stance", "table", "tree", "prunes", "sync", "registration"]
            )
        )
        port = switch.ports[draw(st.sampled_from(sorted(switch.ports)))]
        other = switch.ports[draw(st.sampled_from(sorted(switch.ports)))]
        fresh = {
            "enabled": replace(port, enabled=not port.enabled),
            "switching": replace(port, switching=other.switching),
            "stance": replace(port, stance=draw(st.sampled_from(Stance))),
        }.get(what, port)
        made[name] = replace(switch, ports={**switch.ports, port.name: fresh})
        if what == "table" and switch.vlans:
            gone = draw(st.sampled_from(sorted(switch.vlans)))
            made[name] = replace(switch, vlans={v: entry for v, entry in switch.vlans.items() if v != gone})
        elif what == "tree" and switch.kind is Kind.SWITCH:
            protocol = draw(st.sampled_from([None, Protocol.OFF, Protocol.RSTP, Protocol.PER_VLAN]))
            made[name] = replace(switch, tree=BridgeTree(protocol, 4096))
        elif what == "prunes":
            made[name] = replace(switch, prunes=not switch.prunes)
        elif what == "sync":
            made[name] = replace(switch, sync=draw(st.sampled_from([None, Sync("a", generation=5), Sync("a")])))
        elif what == "registration":
            made[name] = replace(switch, registration=draw(st.sampled_from([None, True, False])))
    return replace(campus, switches=made)


def without(campus, name):
    """The campus without one of its switches, and the cables of that."""
    cables = tuple(c for c in campus.cables if name not in {c.a.switch, c.b.switch})
    hosts = {n: h for n, h in campus.hosts.items() if h.port.switch != name}
    return replace(campus, switches={n: s for n, s in campus.switches.items() if n != name}, cables=cables, hosts=hosts)


def edges(network):
    return {name: some for name, some in network.graph(View.USUAL).edges.items() if some}


def views(network):
    """What passes and who is where in every reading, however it is ordered."""
    edges = {v: {n: sorted(map(repr, some)) for n, some in network.graph(v).edges.items() if some} for v in View}
    return edges, {v: network.uncommon_domains(v) for v in View}, network.parted, network.members


@settings(max_examples=often(150))
@given(st.one_of(campuses(), open_campuses(), trunked(), announced()), st.data())
def test_a_network_like_another_is_what_it_is_alone(campus, data):
    campus = data.draw(changed(campus))  # so that switches that stay the same may register VLANs, too
    after = data.draw(changed(campus))
    gone = data.draw(st.sampled_from([None, None, *campus.switches]))
    if gone is not None and len(campus.switches) > 1:
        if data.draw(st.booleans()):
            after = without(after, gone)
        else:
            campus = without(campus, gone)
    before = Network(campus)
    first = Flooding(before)
    for ref in first.sources():
        first.ports(ref)
    alone, like = Network(after), Network(after, like=before)
    assert like.links == alone.links
    assert like.links_of == alone.links_of
    assert (like.cabled, like.edge_ports) == (alone.cabled, alone.edge_ports)
    assert edges(like) == edges(alone)
    assert views(like) == views(alone)
    graphs = like.graph(View.USUAL), alone.graph(View.USUAL)
    assert graphs[0].stacked == graphs[1].stacked
    assert [like.passes(k) for k in like.links] == [alone.passes(k) for k in alone.links]
    floods = Flooding(like, like=first), Flooding(alone)
    for ref in floods[1].sources():
        assert floods[0].ports(ref) == floods[1].ports(ref)
    both = {*floods[1].sources()} & {*first.sources()}
    for vid in VLANS:
        some = Flooding(like, like=first).elsewhere(vid)
        for ref in both if some is not None else ():
            if floods[1].domains(ref) == first.domains(ref) == 1 << vid and ref.switch not in some:
                assert floods[1].ports(ref) == first.ports(ref)
    for vid in VLANS:
        for name in after.switches:
            assert graphs[0].joined(name, vid) == graphs[1].joined(name, vid)


def after(site, switch, **changes):
    """A campus, and it with something else on port 1 of a switch."""
    campus = inkov.load(site)
    own = campus.switches[switch]
    ports = {**own.ports, "1": replace(own.ports["1"], **changes)}
    return Network(campus), replace(campus, switches={**campus.switches, switch: replace(own, ports=ports)})


def test_a_port_that_negotiates_with_one_behind_a_hub_becomes_what_that_makes_of_it(tmp_path):
    """Neither end of the link that differs is on the switch that was changed."""
    end = "inkov: switch\nname: {}\nvlans: {{10: users, 20: guests}}\nports:\n  1: {}\n  2: {{access: 20}}\n"
    files = {
        "hall.yaml": end.format("hall", "{mode: negotiated, stance: active, access: 20, trunk: all}"),
        "east.yaml": end.format("east", "{mode: negotiated, stance: passive, access: 10, trunk: all}"),
        "hub.yaml": "inkov: switch\nname: hub\nkind: unmanaged\nports: {1: {}, 2: {}}\n",
        "campus.yaml": "inkov: campus\nname: c\ncables: [hall 1 - hub 1, east 1 - hub 2]\n",
    }
    before, campus = after(write_files(tmp_path, files), "east", stance=Stance.SILENT)
    assert edges(Network(campus, like=before)) == edges(Network(campus)) != edges(before)


def test_what_is_pruned_far_from_the_change_is_pruned(tmp_path):
    own = "inkov: switch\nname: {}\nvlans: {{10: users}}\npruning: true\nports: {{{}}}\n"
    up, down, desk = "a: {trunk: all}", "b: {trunk: all}", "1: {access: 10}"
    ports = {"s1": (desk, down), "s2": (up, down), "s3": (desk, up)}
    files = {f"{n}.yaml": own.format(n, ", ".join(some)) for n, some in ports.items()}
    files["campus.yaml"] = "inkov: campus\nname: c\ncables: [s1 b - s2 a, s2 b - s3 a]\n"
    before, campus = after(write_files(tmp_path, files), "s3", enabled=False)
    assert edges(Network(campus, like=before))["s1"] == edges(Network(campus))["s1"] != edges(before)["s1"]


def test_who_sends_one_way_hears_of_a_change_far_from_where_he_is(tmp_path):
    """Frames of VLAN 10 get from hall through pier to loft, and none gets back to hall."""
    own = "inkov: switch\nname: {}\nvlans: {{10: users}}\nports: {{{}}}\n"
    desk, deaf = "1: {access: 10}", "a: {general: {pvid: 1, untagged: 1, frames: all, filtering: false}}"
    ports = {"hall": (desk, "b: {trunk: '10', native: none}"), "pier": (deaf, "b: {trunk: '10', native: none}")}
    ports["loft"] = (desk, "a: {trunk: '10', native: none}")
    files = {f"{n}.yaml": own.format(n, ", ".join(some)) for n, some in ports.items()}
    files["campus.yaml"] = "inkov: campus\nname: c\ncables: [hall b - pier a, pier b - loft a]\n"
    before, campus = after(write_files(tmp_path, files), "loft", enabled=False)
    first, now = Flooding(before), Network(campus, like=before)
    assert first.reached("hall", 10) == {"hall", "pier", "loft"}
    assert first.reached("loft", 10) == {"pier", "loft"}
    assert Flooding(now, like=first).elsewhere(10) == {"hall", "pier", "loft"}


def told_anew(tmp_path, files, name, text):
    """The networks of a campus in which one file is another: made like the one before, whose other switches it has, and alone."""
    campus = inkov.load(write_files(tmp_path / "before", files))
    after = inkov.load(write_files(tmp_path / "after", {**files, f"{name}.yaml": text}))
    after = replace(after, switches={n: s if n == name else campus.switches[n] for n, s in after.switches.items()})
    before = Network(campus)
    views(before)  # all is worked out
    return Network(after, like=before), Network(after)


def test_a_port_before_a_hub_registers_what_a_switch_behind_it_begins_to_declare(tmp_path):
    own = (
        "inkov: switch\nname: {}\nvlans: {{10: a}}\nregistration: {}\nports: {{1: {{access: 10}}, u: {{access: 10}}}}\n"
    )
    files = {
        "east.yaml": own.format("east", "on"),
        "west.yaml": own.format("west", "off"),
        "hub.yaml": "inkov: switch\nname: hub\nkind: unmanaged\nports: {1: {}, 2: {}}\n",
        "campus.yaml": "inkov: campus\nname: c\ncables: [east u - hub 1, west u - hub 2]\n",
    }
    like, alone = told_anew(tmp_path, files, "west", own.format("west", "on"))
    assert like.parted == alone.parted
    assert alone.parted["east"][1] == [PortRef("east", "u")]  # more than an access port now


def test_a_follower_may_get_the_table_that_its_author_has_now(tmp_path):
    """What may come is of the same numbers, and of other kinds: isolated stations may become a community."""
    own = (
        "inkov: switch\nname: {0}\nvlans: {{600: {{type: primary}}, 601: {{type: {1}, primary: 600}}}}\n"
        "sync: {{group: g, role: {2}, generation: {3}, secret: x}}\n"
        "ports: {{1: {{private: {{primary: 600, secondary: 601}}}}, u: {{trunk: 600-601, native: none}}}}\n"
        "neighbours: {{u: {4} u}}\n"
    )
    files = {
        "a.yaml": own.format("a", "isolated", "author", 9, "b"),
        "b.yaml": own.format("b", "isolated", "follower", 2, "a"),
    }
    like, alone = told_anew(tmp_path, files, "a", own.format("a", "community", "author", 9, "b"))
    station = PortRef("b", "1")
    assert (
        like.relay(station, View.MAY)
        == alone.relay(station, View.MAY)
        != Network(inkov.load(tmp_path / "before")).relay(station, View.MAY)
    )
