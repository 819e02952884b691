"""Where a named host is, and whether frames of two hosts carry packets (docs/members.md)."""

import pytest

import inkov
from conftest import run_inkov
from inkov.forwarding.network import Network
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Broken, CannotTell, Proved
from inkov.proof.prove import Prover
from inkov.recheck.check import check

SWITCH = """inkov: switch
name: a
vlans: {10: cameras, 20: phones, 30: desks}
ports:
  1: {access: 10, voice: 20}
  2: {access: 10}
  3: {access: 30}
  5: {access: 10}
  4: {trunk: "10,20", native: none}
  9: {lag: bundle}
lags: {bundle: {trunk: "30", native: 30, lacp: static}}
assume: {own-tag: drop, native-outside-list: drop, tagged-native: drop, uneven-link: block}
gateways: {10: {address: 192.0.2.1/26, in: cameras}, 20: {address: 192.0.2.65/26, in: phones}}
routing: true
filters:
  cameras: [{action: drop, from: 192.0.2.0/26, to: 192.0.2.64/26}, {action: accept}]
  phones: [{action: drop, from: 192.0.2.64/26, to: 192.0.2.0/26}, {action: accept}]
"""
CAMPUS = """inkov: campus
name: c
hosts:
  - {name: desk, port: "a:1", address: 192.0.2.2/26, gateway: 192.0.2.1}
  - {name: phone, port: "a:1", tag: 20, address: 192.0.2.66/26}
  - {name: camera, port: "a:2", address: 192.0.2.3/26}
  - {name: narrow, port: "a:5", address: 192.0.2.4/31}
  - {name: twin, port: "a:2", address: 192.0.2.2/26}
  - {name: guest, port: "a:4", tag: 20}
  - {name: box, port: "a:4"}
  - {name: pair, port: "a:9"}
segments:
  phones: {vlan: 20, subnet: 192.0.2.64/26}
  cameras: {vlan: 10, subnet: 192.0.2.0/26}
  watched: {hosts: [desk]}
  handsets: {hosts: [phone]}
"""


@pytest.fixture
def campus(site):
    return inkov.load(site({"a.yaml": SWITCH, "campus.yaml": CAMPUS}))


def outcome(campus, claim):
    (verdict,) = inkov.prove(campus, [claim])
    return verdict.outcome


@pytest.mark.parametrize(
    ("claim", "kind"),
    [
        ("apart phones cameras", Proved),  # a desk behind a phone is not in the phone's VLAN, nor is its address
        ("apart desk phones", Proved),
        ("apart watched phones", Proved),  # a segment of the host by name is the host, not all of its port
        ("apart watched handsets", Proved),  # two hosts of one port
        ("apart handsets cameras", Proved),
        ("apart handsets phones", Broken),
        ("apart watched cameras", Broken),
        ("apart guest cameras", Proved),  # its tag says which VLAN of the trunk it is in
        ("apart box cameras", Broken),  # nothing says whether it tags: it may be in any, and so is the port
        ("apart a:1 phones", Broken),  # a port is all that stands at it
        ("apart pair cameras", Proved),  # a member of a LAG is the LAG
        ("apart pair 30", Broken),
    ],
)
def test_a_host_is_in_the_vlan_it_sends_in(campus, claim, kind):
    assert isinstance(outcome(campus, claim), kind)


@pytest.mark.parametrize(
    ("claim", "why"),
    [
        ("together desk camera", ""),
        ("together desk camera layer 3", ""),
        (
            "together narrow camera",
            "192.0.2.3 of camera is not in the subnet of narrow, 192.0.2.4/31, and narrow has no gateway",
        ),
        ("together narrow camera layer 2", ""),
        ("together desk twin", "desk and twin have the same address 192.0.2.2"),
    ],
)
def test_two_hosts_of_one_vlan_exchange_packets_only_where_their_masks_let_them(campus, claim, why):
    found = outcome(campus, claim)
    if not why:
        assert isinstance(found, Proved)
    else:
        assert isinstance(found, Broken)
        assert found.stop.why == f"frames pass between them, and no packet does: {why}"


def test_trace_says_that_frames_pass_and_packets_do_not(site):
    folder = site({"a.yaml": SWITCH, "campus.yaml": CAMPUS})
    ran = run_inkov("trace", folder, "narrow", "camera")
    assert ran.code == 1
    assert ran.out.splitlines()[0] == (
        "narrow → camera    stopped  frames pass between them, and no packet does: "
        "192.0.2.3 of camera is not in the subnet of narrow, 192.0.2.4/31"
    )
    assert run_inkov("trace", folder, "desk", "camera").code == 0


def certified(campus, claim):
    (verdict,) = inkov.prove(campus, [claim])
    return certificate(Prover(Network(campus)), verdict, {})


def test_a_certificate_of_hosts_is_refused_where_a_mask_is_another(site):
    files = {"a.yaml": SWITCH, "campus.yaml": CAMPUS}
    before = inkov.load(site(files))
    made = certified(before, "together desk camera")
    assert check(before, made).reasons == []
    after = inkov.load(site({**files, "campus.yaml": CAMPUS.replace("192.0.2.2/26, gateway", "192.0.2.2/32, gateway")}))
    assert check(after, made).reasons == []  # what a host without a mask takes for near is not known
    after = inkov.load(site({**files, "campus.yaml": CAMPUS.replace("192.0.2.3/26", "192.0.2.9/31")}))
    assert check(after, made).reasons == ["192.0.2.9/31 sends no packet to 192.0.2.2/26 in a frame of its own"]


MUTE = """inkov: switch
name: a
vlans: {10: , 20: , 30: }
assume: {own-tag: drop, native-outside-list: drop, tagged-native: drop, uneven-link: block}
routing: false
ports:
  1: {access: 10}
  2: {general: {%s}}
"""


@pytest.mark.parametrize(
    ("settings", "claim", "why"),
    [
        ("pvid: 40, untagged: 10", "together 10", "VLAN 40 is not defined on a"),
        ("pvid: none, untagged: 10", "together 10", "general pvid none, untagged 10, tagged none"),
        (
            "pvid: 10, untagged: 10, frames: tagged",
            "together 10",
            "general pvid 10, untagged 10, tagged none, only tagged",
        ),
        (
            "pvid: 20, untagged: 20, tagged: 10, frames: untagged",
            "together 10",
            "general pvid 20, untagged 20, tagged 10, only untagged",
        ),
        ("pvid: 10, untagged: 10", "together 10", ""),
        ("pvid: 20, untagged: 20, tagged: 10", "together 10", ""),
    ],
)
def test_a_port_that_hears_and_cannot_send_breaks_together(site, settings, claim, why):
    campus = inkov.load(site({"a.yaml": MUTE % settings}))
    found = outcome(campus, claim)
    if why:
        assert isinstance(found, Broken)
        assert found.stop.why == f"a:2 sends what it hears to its station, and takes no frame of it in: {why}"
    else:
        assert isinstance(found, Proved)


def test_a_certificate_is_refused_where_a_port_no_longer_takes_frames_in(site):
    before = inkov.load(site({"a.yaml": MUTE % "pvid: 10, untagged: 10"}))
    made = certified(before, "together 10")
    assert check(before, made).reasons == []
    after = inkov.load(site({"a.yaml": MUTE % "pvid: 10, untagged: 10, frames: tagged"}))
    assert check(after, made).reasons == ["a:2 hears the segment, and takes no frame of its station in"]


def test_a_segment_of_which_nobody_is_sure_is_not_together(site):
    """A port of which nothing is stated may be in the segment or not: nobody is in it for certain."""
    text = "inkov: switch\nname: a\nvlans: {10: , 20: }\nrouting: false\nports: {1: {access: 20}, 2: {label: x}}\n"
    found = outcome(inkov.load(site({"a.yaml": text})), "together 10")
    assert isinstance(found, CannotTell)
