"""Which device a neighbour is: prover and checker have rules of their own, and agree on every campus."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
from inkov.forwarding.cabling import cabling
from inkov.forwarding.labels import by_labels
from inkov.model.identity import device_named, same_name
from inkov.model.names import PortRef
from inkov.recheck.wiring import _alike, wiring
from strategies import announced, often


def logical(campus, ref):
    """The port, or the LAG that it is a member of."""
    ports = campus.switches[ref.switch].ports
    return PortRef(ref.switch, ports[ref.port].lag) if ports[ref.port].lag in ports else ref


@settings(max_examples=often(100))
@given(announced())
def test_prover_and_checker_join_the_same_ports(campus):
    found, made = cabling(campus), wiring(campus)
    assert {(k.a, k.b): bool(k.doubt) for k in found.links} == {k: k in made.doubtful for k in made.links}
    joined = {
        n: sorted({logical(campus, r) for r in refs if campus.switches[r.switch].ports[r.port].enabled})
        for n, refs in found.strangers().items()
    }
    several = {
        n: len({r for r in found.strangers()[n] if campus.switches[r.switch].ports[r.port].enabled}) for n in joined
    }
    assert {n: r for n, r in joined.items() if several[n] > 1 or (r and n in campus.switches)} == made.strangers
    assert sorted(by_labels(campus.switches, found)) == sorted(made.labelled)


@settings(max_examples=often(200))
@given(st.text("aB.-17", min_size=1, max_size=9), st.text("aB.-17", min_size=1, max_size=9))
def test_both_tell_alike_which_names_are_of_one_device(a, b):
    assert same_name(a, b) == _alike(a, b)


@pytest.mark.parametrize(
    ("name", "known", "meant"),
    [
        ("hall.7", ["hall.1", "hall.2"], "hall.7"),
        ("sw1.site-b.example", ["sw1.site-a.example"], "sw1.site-b.example"),
        ("sw1", ["sw1.site-a.example"], "sw1.site-a.example"),
        ("sw1", ["sw1.site-a.example", "sw1.site-b.example"], "sw1"),
        ("SW1.site-a.example.", ["sw1"], "sw1"),
    ],
)
def test_a_name_means_the_one_device_that_fits(name, known, meant):
    assert device_named(name, known) == meant


HALL = "inkov: switch\nname: {}\nmac: 00:00:5e:00:53:{}\nvlans: {{10: a, 20: b}}\nports: {{1: {{access: {}}}, u: {{access: {}}}}}\n"
HEARS = (
    '{"lldp": [{"interface": [{"name": "u", "via": "LLDP", "chassis": [{"id": [{"type": "mac", "value": '
    '"00:00:5e:00:53:%s"}], "name": [{"value": "%s"}]}], "port": [{"id": [{"type": "ifname", "value": "u"}]}]}]}]}'
)


@pytest.mark.parametrize(
    ("address", "name", "outcome"),
    [
        ("02", "b", inkov.Broken),  # it is b
        ("02", "c", inkov.CannotTell),  # the name is c's, the address b's
        ("09", "c", inkov.CannotTell),  # a third box that calls itself c may join anything once it was heard twice
        ("02", "x", inkov.Broken),  # an address outweighs a name that nobody has
    ],
)
def test_a_chassis_address_outweighs_a_name(site, address, name, outcome):
    folder = site(
        {
            "a.yaml": HALL.format("a", "01", 10, 10),
            "b.yaml": HALL.format("b", "02", 20, 20),
            "c.yaml": HALL.format("c", "03", 20 if address == "09" else 10, 20 if address == "09" else 10),
            "a-lldp.json": HEARS % (address, name),
        }
    )
    (verdict,) = inkov.prove(inkov.load(folder), ["apart 10 20 layer 2"])
    assert isinstance(verdict.outcome, outcome)
