"""A VLAN that is lost on the way, wherever and how often: one outage tells of all of it, and its cure brings it back."""

import tempfile
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

import inkov
from conftest import write_files
from inkov.change.mending import mended
from inkov.forwarding.network import Network
from inkov.rules.finding import Severity

VID = 50


@st.composite
def lossy_trees(draw):
    """Switches in a tree, some with members of a VLAN; ends of links that leave it out; switches that do not define it.

    A router may be behind one, whose subinterface is the VLAN's gateway.
    """
    size = draw(st.integers(3, 6))
    up = {n: draw(st.integers(0, n - 1)) for n in range(1, size)}
    home = draw(st.sets(st.integers(0, size - 1), min_size=2))
    out = draw(st.sets(st.tuples(st.sampled_from(sorted(up)), st.booleans()), min_size=1))
    lacks = draw(st.sets(st.sampled_from(sorted({*range(size)} - home)), max_size=1)) if len(home) < size else set()
    if lacks:  # a link that nobody lists, at a switch that does not define it, is no fault but a design
        out = set({low: (low, end) for low, end in sorted(out)}.values())
    return size, up, home, out, lacks, draw(st.integers(0, size - 1))


def files(tree):
    size, up, home, out, lacks, router = tree
    made = {
        "fence.yaml": f"inkov: switch\nname: fence\nkind: router\nports: {{e: {{subinterfaces: {{{VID}: 192.0.2.1/24}}}}}}\n"
    }
    for n in range(size):
        ports, heard = [], []
        for low, high in up.items():
            if n in {low, high}:
                listed = "40" if (low, n == high) in out else f"40,{VID}"
                far = low if n == high else high
                ports.append(f"p{far}: {{trunk: '{listed}', native: none}}")
                heard.append(f"p{far}: s{far} p{n}")
        ports += ["1: {access: 40}"] + [f"2: {{access: {VID}}}"] * (n in home)
        if n == router:
            ports.append(f"r: {{trunk: '40{'' if (0, True) in out else f',{VID}'}', native: none}}")
            heard.append("r: fence e")
        table = "40: till" if n in lacks else f"40: till, {VID}: desk"
        text = f"name: s{n}\nvlans: {{{table}}}\nrouting: false\nports: {{{', '.join(ports)}}}\nneighbours: {{{', '.join(heard)}}}\n"
        made[f"s{n}.yaml"] = f"inkov: switch\n{text}"
    return made


@settings(max_examples=60)
@given(lossy_trees())
def test_whatever_loses_it_is_told_with_its_places_and_cured(tree):
    with tempfile.TemporaryDirectory() as folder:
        campus = inkov.load(write_files(Path(folder), files(tree)))
    found = inkov.audit(campus)
    assert all(f.place.strip() and f.mend for f in found)
    network = Network(campus)
    outages = [f for f in found if f.severity is Severity.OUTAGE and VID in f.vlans]
    deaf = [i for i in network.gateways.all if network.gateways.deaf(i)]
    assert bool(outages) == bool(VID in network.islands.split or deaf)
    _, _, after = mended(campus)
    healed = Network(after)
    assert VID not in healed.islands.split
    assert not any(healed.gateways.deaf(i) for i in healed.gateways.all)
    assert not [f for f in inkov.audit(after) if f.severity is Severity.OUTAGE]
    for name, switch in after.switches.items():
        for port, now in switch.ports.items():
            was = campus.switches[name].ports[port]
            assert type(now.switching) is type(was.switching)
            assert 1 not in getattr(now.switching, "allowed", ()), f"{name}:{port} carries VLAN 1 now"
