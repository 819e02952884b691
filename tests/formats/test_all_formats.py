"""One campus in every format gives the same relay maps, links and verdicts; so do its files in any order and mixture."""

import itertools
import random

import pytest

import inkov
import writers
from conftest import write_files
from inkov.forwarding.network import Network
from inkov.kinds.relay import View
from inkov.model.names import PortRef

EXACT = {
    "walk.txt": writers.walk,
    "rec": writers.record,
    "ieee.json": writers.ieee_json,
    "ieee.xml": writers.ieee_xml,
    "yaml": writers.ours,
}
"""Formats that say everything of a general port."""

PLAIN = {
    "oc.json": writers.openconfig_json,
    "oc.xml": writers.netconf,
    "session.xml": lambda box: writers.netconf(box, chunk=97),
    "ovsdb.json": writers.ovsdb,
}
"""Formats that say access ports and trunks."""


def relays(campus, views=(View.MUST, View.MAY)):
    """Returns what each port does with frames of VLANs its switch has, in both readings."""
    network = Network(campus)
    found = {}
    for switch in campus.switches.values():
        listed = sum(1 << v for v in (10, 20, 30, 40))
        for port in switch.ports:
            maps = [network.relay(PortRef(switch.name, port), view).limited(listed, listed) for view in views]
            found[switch.name, port] = [(m.in_untagged, m.in_tagged, m.out_untagged, m.out_tagged) for m in maps]
    return found


def links(campus):
    return [str(k) for k in Network(campus).links]


def bare(found):
    """Without the domain that names may have."""
    return {(name.partition(".")[0], port): maps for (name, port), maps in found.items()}


def heard_beside(box, suffix):
    """Returns the file with what a box heard, for formats that do not say it."""
    says = suffix in {"walk.txt", "rec", "yaml"} or suffix.startswith(("oc", "session"))
    return {} if says or not box.heard else {f"{box.name}.lldp.json": writers.lldp(box)}


def written(tmp_path, boxes, choose):
    files = {"campus.yaml": "inkov: campus\nname: x\nswitches-are: {'*': {registration: off}}\n"}
    for box in boxes:
        suffix, write = choose(box)
        files |= {f"{box.name}.{suffix}": write(box), **heard_beside(box, suffix)}
    return write_files(tmp_path, files)


@pytest.mark.parametrize("suffix", sorted(EXACT))
def test_a_campus_of_general_ports_is_the_same_in_every_format(tmp_path, suffix):
    rng = random.Random(1801)
    for n in range(12):
        boxes = writers.random_boxes(rng, plain=False)
        site = written(tmp_path / f"{n}", boxes, lambda _: (suffix, EXACT[suffix]))
        campus = inkov.load(site)
        assert campus.unread == ()
        expected = inkov.load(written(tmp_path / f"{n} ours", boxes, lambda _: ("yaml", writers.ours)))
        assert bare(relays(campus)) == relays(expected), (n, suffix)
        assert [k.replace(".lab.example", "") for k in links(campus)] == links(expected), (n, suffix)
        assert [{v: e.name for v, e in s.vlans.items() if v != 1} for s in campus.switches.values()] == [
            box.vlans for box in boxes
        ]


@pytest.mark.parametrize("suffix", sorted(PLAIN))
def test_access_ports_and_trunks_are_the_same_in_every_format(tmp_path, suffix):
    rng = random.Random(1802)
    for n in range(8):
        boxes = writers.random_boxes(rng, plain=True)
        site = written(tmp_path / f"{n}", boxes, lambda _: (suffix, PLAIN[suffix]))
        expected = inkov.load(written(tmp_path / f"{n} ours", boxes, lambda _: ("yaml", writers.ours)))
        own = inkov.load(site)
        usual = (View.USUAL,)
        if suffix == "ovsdb.json":  # its access ports drop their own tag, and there is no VLAN table
            strict = {k: [(a, b & ~c | (b & d), c, d) for a, b, c, d in m] for k, m in relays(expected, usual).items()}
            got = {k: [(a, b & ~c | (b & d), c, d) for a, b, c, d in m] for k, m in relays(own, usual).items()}
            assert {k: v for k, v in got.items() if k[1] != "br0"} == strict
        else:
            got, wanted = relays(own, usual), relays(expected, usual)
            assert {k: [(m[0], m[2], m[3]) for m in v] for k, v in got.items()} == {
                k: [(m[0], m[2], m[3]) for m in v] for k, v in wanted.items()
            }
        assert links(own) == links(expected)


@pytest.mark.parametrize("shape", ["json", "json0", "keyvalue"])
def test_what_a_daemon_heard_is_the_same_in_every_shape(tmp_path, shape):
    rng = random.Random(1803)
    boxes = writers.random_boxes(rng, plain=True)
    files = {}
    for box in boxes:
        files[f"{box.name}.xml"] = writers.ieee_xml(box)
        files[f"{box.name}_lldp.{shape}"] = writers.lldp(box, shape)
    campus = inkov.load(write_files(tmp_path, files))
    expected = inkov.load(written(tmp_path / "ours", boxes, lambda _: ("yaml", writers.ours)))
    assert links(campus) == links(expected)
    assert len(links(campus)) == len(boxes) - 1


def test_a_hundred_mixtures_in_any_order_give_the_same_campus(tmp_path):
    rng = random.Random(1804)
    formats = [*EXACT.items(), *PLAIN.items()]
    for n in range(10):
        boxes = writers.random_boxes(rng, plain=True)
        chosen = {box.name: rng.choice(formats) for box in boxes}
        files = {}
        for box in boxes:
            suffix, write = chosen[box.name]
            files |= {f"{box.name}.{suffix}": write(box), **heard_beside(box, suffix)}
            if suffix != "yaml":
                files[f"{box.name}-adds.yaml"] = (
                    f"inkov: switch\nname: {box.name}\nrole: edge\nports: {{p1: {{stance: silent}}}}\n"
                )
        seen = []
        for k, names in enumerate(itertools.islice(itertools.permutations(files), 0, 40, 9)):
            folder = {f"{i}/{name}": files[name] for i, name in enumerate(names)}
            campus = inkov.load(write_files(tmp_path / f"{n}-{k}", folder))
            assert {s.role for s in campus.switches.values() if s.name in chosen and chosen[s.name][0] != "yaml"} <= {
                "edge"
            }
            seen.append((bare(relays(campus)), [k.replace(".lab.example", "") for k in links(campus)]))
        assert all(s == seen[0] for s in seen)
