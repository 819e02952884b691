"""What to write where a claim cannot be told: each line reads back, and the fact it states is missing no longer."""

import json
import tempfile
from collections import Counter
from pathlib import Path

import yaml
from hypothesis import HealthCheck, given, settings

import inkov
from inkov.formats.ours.switch_writer import text
from inkov.forwarding.network import Network
from inkov.model.names import PortRef
from inkov.proof.settle import lines
from inkov.proof.unknowns import at_ports
from strategies import often, open_campuses

UNTOLD = {
    "what it negotiates is not known",  # its far end is not
    "whether its secondary VLAN is isolated or a community is not stated",  # a table of VLANs would be the whole table
}
SOME = {
    "its mode is not stated",
    "its tag format is left to negotiation",
    "the VLAN of this access port is not stated",
    "the native VLAN of this trunk is not stated",
    "whether this port filters what comes in is not stated",
}
CAMPUS = "inkov: campus\nname: c\n"


def written(folder, campus):
    """Writes a campus as switch files in which what is left out is not known."""
    for switch in campus.switches.values():
        (folder / f"{switch.name}.yaml").write_text(text(switch), "utf-8")
    ends = [f"{c.a.switch} {c.a.port} - {c.b.switch} {c.b.port}" for c in campus.cables]
    (folder / "campus.yaml").write_text(CAMPUS + yaml.safe_dump({"cables": ends}), "utf-8")


def missing(folder):
    """Every fact that is not known of a port, whatever claim may wait for it."""
    network = Network(inkov.load(folder))
    return at_ports(network, [PortRef(s.name, p) for s in network.switches.values() for p in s.ports])


def test_a_line_that_is_written_states_its_fact():
    kinds = Counter()

    @settings(max_examples=often(80), suppress_health_check=list(HealthCheck))
    @given(open_campuses())
    def settles(campus):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            written(folder, campus)
            for fact in missing(folder):
                kinds[fact.rpartition(": ")[2].partition(" (")[0], bool(lines([fact]))] += 1
                for line in lines([fact]):
                    added = folder / "added.yaml"
                    added.write_text(line.replace("VLAN", "10"), "utf-8")
                    assert str(fact) not in missing(folder), line
                    added.unlink()

    settles()
    assert {what for what, told in kinds if not told} <= UNTOLD, kinds
    assert {what for what, told in kinds if told} > SOME, kinds


SAMPLE = {
    "s.yaml": "inkov: switch\nname: s\nrest: unknown\nvlans: {10: till, 20: desk}\nassume: {own-tag: drop}\n"
    "ports: {1: {access: 10}, 2: {access: 20}, u: {trunk: '10,20', tags: 802.1Q}}\n",
    "fence.yaml": "inkov: switch\nname: fence\nkind: router\n"
    "ports: {e: {subinterfaces: {10: 192.0.2.1/27, 20: 192.0.2.33/27}}}\n",
    "campus.yaml": "inkov: campus\nname: c\ncables: ['s u - fence e']\nsegments: {till: {vlan: 10}, desk: {vlan: 20}}\n"
    "hosts:\n- {name: a, port: 's:1', address: 192.0.2.2/27, gateway: 192.0.2.1}\n"
    "- {name: b, port: 's:2', address: 192.0.2.34/27, gateway: 192.0.2.33}\n",
}


def test_cannot_tell_shows_what_to_write(inkov, site):
    site(SAMPLE)
    line = "{inkov: switch, name: s, ports: {u: {trunk: '10,20', native: none}}}"
    assert inkov("prove", ".", "--claim", "together a b").out.splitlines()[3:] == [
        " CANNOT TELL together a b",
        "  Missing  whether all of b hear a",
        "  Missing  s:u: the native VLAN of this trunk is not stated (s.yaml:6)",
        f"  Write    {line}",
        "           each as a file of its own beside the others, with the value that is true",
    ]
    (verdict,) = json.loads(inkov("prove", ".", "--claim", "together a b", "--format", "json").out)["rows"]
    assert verdict["write"] == [line]
    traced = inkov("trace", ".", "a", "b").out
    assert f"  Write    {line}\n" in traced
    assert "out u   tag 10\n" in traced
    site({"added.yaml": line})
    assert inkov("prove", ".", "--claim", "together a b").out.splitlines()[3] == " PROVED      together a b"
