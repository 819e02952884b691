"""Whom trees may lead others through: no switch is left out that a tree of today, or after any one failure, leads others through.

The trees are elected anew for each failure; what must carry a VLAN then is what they open between its members.
"""

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from inkov.forwarding.cabling import components
from inkov.forwarding.network import Network
from inkov.model.campus import Cable, Campus
from inkov.model.names import PortRef
from inkov.model.switch import Access, Port, Switch, Trunk, Vlan
from inkov.model.tree import BridgeTree, PortTree, Protocol
from inkov.model.vlanset import ALL, VlanSet
from strategies import origin, source

VID = 10
PROTOCOLS = (Protocol.RSTP, Protocol.STP, Protocol.PER_VLAN)


@st.composite
def campuses(draw):
    """A ring with chords and tails: two ways almost everywhere; costs, priorities and addresses as they come."""
    n = draw(st.integers(3, 8))
    names = [f"s{i}" for i in range(n)]
    pairs = [(i, (i + 1) % n) for i in range(n)] if draw(st.booleans()) else [(i, max(0, i - 1)) for i in range(1, n)]
    pairs += draw(st.lists(st.tuples(st.integers(0, n - 1), st.integers(0, n - 1)), max_size=6))
    pairs = [(a, b) for a, b in pairs if a != b]
    macs = draw(st.permutations(range(n)))
    protocol = draw(st.sampled_from(PROTOCOLS))
    ports = {name: {} for name in names}
    cables = []
    for k, (a, b) in enumerate(pairs):
        for end in (a, b):
            cost = draw(st.sampled_from([0, 0, 2000, 20000, 50000]))
            port = Port(name=f"u{k}", switching=Trunk(None, ALL), tree=PortTree(cost=cost), origin=origin)
            ports[names[end]][port.name] = port
        cables.append(Cable(PortRef(names[a], f"u{k}"), PortRef(names[b], f"u{k}"), source))
    at_home = draw(st.sets(st.sampled_from(names), min_size=2))
    for name in at_home:
        ports[name]["p"] = Port(name="p", switching=Access(VID), origin=origin)
    switches = {}
    for i, name in enumerate(names):
        priority = draw(st.sampled_from([4096, 32768, 32768]))
        tree = BridgeTree(protocol, priority=priority)
        mac = f"02:00:00:00:00:{macs[i]:02x}"
        switches[name] = Switch(
            name=name, vlans={VID: Vlan(VID, "x")}, ports=ports[name], mac=mac, tree=tree, origin=origin
        )
    return Campus(name="ring", switches=switches, cables=tuple(cables)), at_home


def failures(campus):
    """Yields the campus as it is, and after each one cable or switch fails, with what failed."""
    yield campus, None
    for cable in campus.cables:
        switches = dict(campus.switches)
        for end in (cable.a, cable.b):
            own = switches[end.switch]
            dead = replace(own.ports[end.port], enabled=False)
            switches[end.switch] = replace(own, ports={**own.ports, end.port: dead})
        yield replace(campus, switches=switches), None
    for name in campus.switches:
        own = campus.switches[name]
        dead = {p: replace(port, enabled=False) for p, port in own.ports.items()}
        yield replace(campus, switches={**campus.switches, name: replace(own, ports=dead)}), name


@given(campuses())
def test_what_links_must_carry_is_what_any_tree_opens_between_members(drawn):
    campus, at_home = drawn
    today = Network(campus)
    needs = {(k.a, k.b): today.needs.needed(k) >> VID & 1 for k in today.links}
    for after, failed in failures(campus):
        network = Network(after)
        up = [k for k in network.links if k.up]
        open_ = [k for k in up if not (network.trees.blocks(k.a) | network.trees.blocks(k.b)) >> VID & 1]
        carrying = [k for k in open_ if needs[k.a, k.b]]
        left = at_home - {failed}
        whole = components(network.switches, up)
        parts = components(network.switches, carrying)
        for group in whole:
            homes = left & group
            assert any(homes <= part for part in parts) or not homes, (failed, homes)


def dual(cost=0, protocol=Protocol.RSTP, without=""):
    """Two cores, two switches below both and joined, and an edge switch on the two; `cost` is that of its uplinks.

    The lists on the link of `without` to the first core leave the VLAN out.
    """
    pairs = [
        ("c0", "c1"),
        ("d0", "c0"),
        ("d0", "c1"),
        ("d1", "c0"),
        ("d1", "c1"),
        ("d0", "d1"),
        ("e", "d0"),
        ("e", "d1"),
    ]
    ports = {name: {} for pair in pairs for name in pair}
    for a, b in pairs:
        for own, far in ((a, b), (b, a)):
            tree = PortTree(cost=cost if "e" in {own, far} else 0)
            listed = ALL - VlanSet([VID]) if {own, far} == {without, "c0"} else ALL
            ports[own][f"u-{far}"] = Port(name=f"u-{far}", switching=Trunk(None, listed), tree=tree, origin=origin)
    for name in ("c0", "d0", "d1"):
        ports[name]["p"] = Port(name="p", switching=Access(VID), origin=origin)
    switches = {
        name: Switch(
            name=name,
            vlans={VID: Vlan(VID, "x")},
            ports=held,
            mac=f"02:00:00:00:00:0{i}",
            tree=BridgeTree(protocol, priority={"c0": 4096, "c1": 8192}.get(name, 32768)),
            origin=origin,
        )
        for i, (name, held) in enumerate(ports.items())
    }
    cables = tuple(Cable(PortRef(a, f"u-{b}"), PortRef(b, f"u-{a}"), source) for a, b in pairs)
    return Network(Campus(name="dual", switches=switches, cables=cables))


def test_uplinks_of_a_switch_that_is_nobodys_way_carry_the_vlans_of_its_own_side_alone():
    network = dual()
    without = {str(k) for k in network.links if not network.needs.needed(k) >> VID & 1}
    assert without == {"e:u-d0 <-> d0:u-e", "e:u-d1 <-> d1:u-e"}


def test_a_switch_that_is_the_shortest_way_left_is_led_through():
    network = dual(cost=1)
    assert all(network.needs.needed(k) >> VID & 1 for k in network.links)


def test_a_tree_of_its_own_that_lacks_a_link_elsewhere_may_lead_through_any():
    """One tree does not look at lists; that of the VLAN has the links alone that carry it."""
    for protocol, expected in ((Protocol.RSTP, 0), (Protocol.PER_VLAN, 1)):
        network = dual(protocol=protocol, without="d0")
        (uplink,) = [k for k in network.links if str(k) == "e:u-d0 <-> d0:u-e"]
        assert network.needs.needed(uplink) >> VID & 1 == expected
