"""What other sources tell of the demo's switches is what their own files say: same relay maps, links, trees and labels."""

import inkov
from conftest import write_files
from inkov.demo import sources, station
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.names import PortRef


def said(campus):
    network = Network(campus)
    found = {}
    for switch in campus.switches.values():
        for port in switch.ports.values():
            relay = network.relay(PortRef(switch.name, port.name), View.USUAL)
            masks = [m & ~2 for m in (relay.in_untagged, relay.out_untagged, relay.out_tagged)]
            found[switch.name, port.name.removeprefix("=")] = (*masks, port.enabled, port.label)
    return found, [str(k) for k in network.links], {n: s.tree.protocol for n, s in campus.switches.items()}


def test_rewritten_files_say_the_same_of_every_port(tmp_path):
    truth = station._truth()
    plain = truth["campus.yaml"].replace(", exports/*.xml, walks/*.walk, hosts/*.json]", "]")
    written = inkov.load(write_files(tmp_path / "truth", {**truth, "campus.yaml": plain}))
    rewritten = inkov.load(write_files(tmp_path / "demo", sources.rewritten(truth)))
    mine, theirs = said(rewritten), said(written)
    assert mine[1:] == theirs[1:]
    ports = {k: v for k, v in mine[0].items() if k in theirs[0]}
    assert ports == theirs[0]
    assert rewritten.contradictions == ()


def test_a_quarter_of_the_switches_are_of_other_sources(quillfin):
    told = inkov.load(quillfin / "as-found").told
    formats = {f: len({t.device for t in told if t.format == f}) for f in {t.format for t in told}}
    assert formats == {
        "Inkov switch files": 18,
        "SNMP walks": 6,
        "OpenConfig JSON": 3,
        "NETCONF XML": 1,
        "IEEE 802.1Q data": 1,
        "OVSDB dumps": 1,
        "LLDP of a daemon": 1,
    }
