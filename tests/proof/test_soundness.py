"""Small campuses, each for a family of wrong verdicts that once were given: what must not be said, and what is said instead."""

import json
from dataclasses import replace

import pytest

import inkov
from conftest import DATA, write_files
from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Facing
from inkov.model.switch import Unstated
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Broken, CannotTell, Proved, Verdict
from inkov.proof.prove import Prover
from inkov.recheck.check import check

CASES = json.loads((DATA / "soundness" / "cases.json").read_text("utf-8"))
OUTCOMES = {Proved: "proved", Broken: "broken", CannotTell: "cannot tell"}


def verdict(site, claim, **options):
    (made,) = inkov.prove(inkov.load(site), [claim], **options)
    return made.outcome


@pytest.mark.parametrize("case", CASES, ids=lambda c: c["site"])
def test_no_verdict_that_would_be_wrong(case):
    outcome = verdict(DATA / "soundness" / "sites" / case["site"], case["claim"])
    assert OUTCOMES[type(outcome)] not in case["must_not_be"], case["why"]


def switch(name, ports, vlans="{10: a, 20: b}", **more):
    lines = [f"inkov: switch\nname: {name}\nvlans: {vlans}\nports: {ports}"]
    return "\n".join([*lines, *(f"{k.replace('_', '-')}: {v}" for k, v in more.items())]) + "\n"


CAMPUS = "inkov: campus\nname: x\ncables: [{}]\nsegments: {{a: {{vlan: 10}}, b: {{vlan: 20}}}}\n"


def test_a_tag_of_another_format_is_payload_and_falls_into_the_native_vlan(tmp_path):
    """VLAN 10 leaves tagged in a format the far end does not know: there it is untagged, in 20."""
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, u: {trunk: '10', native: none, tags: other}}"),
        "t.yaml": switch("T", "{1: {access: 20}, u: {trunk: '10,20', native: 20}}"),
        "campus.yaml": CAMPUS.format("S u - T u"),
    }
    assert isinstance(verdict(write_files(tmp_path, files), "apart a b"), Broken)


def test_what_a_port_with_a_negotiated_tag_format_takes_for_payload_is_not_known(tmp_path):
    """A tag of the far end's format is one here or is not: then the frame is untagged, and gets into 20."""
    port = "{1: {access: 20}, u: {access: 20, tags: negotiated}}"
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, u: {trunk: '10', native: none, tags: other}}"),
        "t.yaml": switch("T", port),
        "campus.yaml": CAMPUS.format("S u - T u"),
    }
    assert isinstance(verdict(write_files(tmp_path / "left", files), "apart a b layer 2"), CannotTell)
    files["t.yaml"] = switch("T", port.replace(", tags: negotiated", ""))
    assert isinstance(verdict(write_files(tmp_path / "stated", files), "apart a b layer 2"), Broken)


def test_a_tunnel_takes_tags_of_every_format(tmp_path):
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, u: {trunk: '10', native: none, tags: other}}"),
        "t.yaml": switch("T", "{1: {access: 20}, u: {tunnel: 20}}"),
        "campus.yaml": CAMPUS.format("S u - T u"),
    }
    assert isinstance(verdict(write_files(tmp_path, files), "apart a b"), Broken)


def test_a_box_of_bridges_passes_tags_it_has_no_subinterface_for(tmp_path):
    """Checked on Linux bridges: the bridge of untagged frames does not look at tags."""
    box = "inkov: switch\nname: B\nports: {x: , y: }\ndomains: {30: {untagged: 'x,y'}}\n"
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, u: {trunk: '10', native: none}}"),
        "b.yaml": box,
        "t.yaml": switch("T", "{1: {access: 10}, u: {trunk: '10', native: none}}"),
        "campus.yaml": "inkov: campus\nname: x\ncables: [S u - B x, B y - T u]\n"
        "segments: {one: {ports: 'S:1'}, two: {ports: 'T:1'}}\n",
    }
    assert isinstance(verdict(write_files(tmp_path, files), "apart one two"), Broken)


def test_an_unfiltered_port_with_a_dead_pvid_still_takes_tags(tmp_path):
    port = "{general: {pvid: 99, untagged: 99, filtering: false}}"
    files = {
        "s.yaml": switch("S", f"{{1: {port}, 2: {{access: 20}}}}"),
        "campus.yaml": "inkov: campus\nname: x\nsegments: {odd: {ports: 'S:1'}, b: {vlan: 20}}\n",
    }
    assert isinstance(verdict(write_files(tmp_path, files), "apart odd b facing hostile"), Broken)


def test_learned_routes_may_be_more_specific_than_what_is_in_sight(tmp_path):
    files = {
        "s.yaml": switch(
            "S",
            "{1: {access: 10}, 2: {access: 20}, u: {trunk: '30', native: none}}",
            vlans="{10: a, 20: b, 30: c}",
            routing="true",
            learns_routes="true",
            gateways="{10: 192.0.2.1/27, 30: 198.51.100.1/24}",
        ),
        "t.yaml": switch(
            "T",
            "{2: {access: 20}, u: {trunk: '30', native: none}}",
            vlans="{20: b, 30: c}",
            routing="true",
            gateways="{20: 203.0.113.1/27, 30: 198.51.100.2/24}",
        ),
        "campus.yaml": CAMPUS.format("S u - T u").replace("b: {vlan: 20}", "b: {vlan: 20, subnet: 203.0.113.0/27}"),
    }
    site = write_files(tmp_path, files)
    assert isinstance(verdict(site, "apart a b layer 3"), CannotTell)


def test_dead_ports_break_together_by_name_and_are_said_of_an_empty_apart(tmp_path):
    files = {
        "s.yaml": switch("S", "{1-2: {access: 10}, u: {trunk: '10', native: none}}"),
        "t.yaml": switch("T", "{1: {access: 10}, 2: {access: 20}, u: {trunk: '10', native: none}}", "{30: c}"),
        "campus.yaml": CAMPUS.format("S u - T u"),
    }
    site = write_files(tmp_path, files)
    broken = verdict(site, "together a")
    assert isinstance(broken, Broken)
    assert broken.stop.why == "1 of its 3 ports is dead: T does not define 10"
    proved = verdict(site, "apart a b")
    assert isinstance(proved, Proved)
    assert proved.why[-1] == "b is empty: its one port is dead: T does not define 20."


def test_a_switch_of_which_no_cable_is_known_is_an_assumption(tmp_path):
    """Two ports of different VLANs may be patched together where nobody was heard and nothing is stated."""
    ports = "{1: {access: 10}, 2: {access: 20}, 3: {access: 10}}"
    files = {f"{name}.yaml": switch(name, ports) for name in ("S", "T")}
    files["spare.yaml"] = switch("spare", "{1: {access: 10, enabled: false}}")
    proved = verdict(write_files(tmp_path / "apart", files), "apart 10 20 layer 2")
    said = "no cable but those that are stated ends at S, T, where nothing was heard of neighbours"
    assert proved.assumed == (said,)
    stated = verdict(write_files(tmp_path / "apart", files), "apart 10 20 layer 2", strict=True)
    assert stated == CannotTell((f"whether {said}",))
    files |= {f"{a}.yaml": switch(a, ports, neighbours=f"{{1: {b} 1}}") for a, b in (("S", "T"), ("T", "S"))}
    assert said not in verdict(write_files(tmp_path / "heard", files), "apart 10 20 layer 2").assumed


def test_strict_assumes_nothing(tmp_path):
    """A proof that rests on what is behind a trunk is none for whoever assumes nothing."""
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, 2: {trunk: '10,20', native: none}}", assume="{tagged-native: drop}")
    }
    site = write_files(tmp_path, files)
    proved = verdict(site, "apart 10 20 layer 2")
    assert proved.assumed == ("the station behind each of these trunks keeps its VLANs apart: S:2",)
    strict = verdict(site, "apart 10 20 layer 2", strict=True)
    assert strict == CannotTell(("whether the station behind each of these trunks keeps its VLANs apart: S:2",))


def test_a_loop_that_no_tree_opens_is_no_way(tmp_path):
    trunks = "u1: {trunk: '10', native: none}, u2: {trunk: '10', native: none}"
    files = {
        "s.yaml": switch("S", f"{{1: {{access: 10}}, {trunks}}}", tree="{protocol: 'off'}"),
        "t.yaml": switch("T", f"{{1: {{access: 10}}, {trunks}}}", tree="{protocol: 'off'}"),
        "campus.yaml": CAMPUS.format("S u1 - T u1, S u2 - T u2"),
    }
    broken = verdict(write_files(tmp_path, files), "together a")
    assert isinstance(broken, Broken)
    assert "no tree opens that ring" in broken.stop.why


def test_a_gateway_behind_a_dead_far_end_is_down(tmp_path):
    router = "inkov: switch\nname: R\nkind: router\nports: {e: {subinterfaces: {10: 192.0.2.1/27}}}\n"
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, u: {trunk: '10', native: none, enabled: false}}"),
        "r.yaml": router,
        "campus.yaml": CAMPUS.format("S u - R e"),
    }
    network = Network(inkov.load(write_files(tmp_path, files)))
    state = network.gateways.state(network.gateways.all[0])
    assert (state.up, state.why) == (False, "S:u, the far end of R:e, is disabled")


PRIVATE = "{600: {type: primary}, 601: {type: isolated, primary: 600}, 20: b}"


def test_the_gateway_of_a_primary_may_serve_its_secondaries(tmp_path):
    """RFC 5517, 3: what comes down in the primary, its secondaries hear; whether the gateway hears them is the platform's business."""
    ports = "{1: {private: {primary: 600, secondary: 601}}, 2: {access: 20}, u: {trunk: '600,601', native: none}}"
    gateways = "{600: 192.0.2.1/27, 20: 192.0.2.33/27}"
    files = {
        "s.yaml": switch("S", ports, PRIVATE, routing="true", gateways=gateways),
        "campus.yaml": "inkov: campus\nname: x\nsegments: {alone: {vlan: 601, subnet: 192.0.2.0/27}, b: {vlan: 20}}\n",
    }
    found = verdict(write_files(tmp_path, files), "apart alone b layer 3")
    assert isinstance(found, Broken)
    assert [(w.start, w.end, w.both) for w in found.witnesses] == [("b", "alone", None)]


def test_what_cannot_be_told_after_a_failure_is_not_survived(tmp_path):
    """The second way is a LAG that does not say how it forms: with the first cut, it hangs on that."""
    tree = "{protocol: rstp}"
    files = {
        name: switch(
            name[0].upper(),
            "{1: {access: 10}, u1: {trunk: '10', native: none}, m1: {lag: up}}",
            tree=tree,
            lags="{up: {trunk: '10', native: none}}",
            mac=f"00:00:5e:00:53:0{n}",
        )
        for n, name in enumerate(("s.yaml", "t.yaml"))
    }
    files["campus.yaml"] = CAMPUS.format("S u1 - T u1, S m1 - T m1")
    outcome = verdict(write_files(tmp_path, files), "together a surviving 1")
    assert isinstance(outcome, CannotTell)


def test_a_proof_names_devices_outside_the_campus(tmp_path):
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, 2: {access: 20}}", neighbours="{2: printer 1}"),
        "campus.yaml": "inkov: campus\nname: x\nsegments: {a: {vlan: 10}, b: {vlan: 20}}\n",
    }
    proved = verdict(write_files(tmp_path, files), "apart a b layer 2")
    assert proved.assumed == ("no device that is not in the campus joins VLANs by itself: S:2 (printer)",)


def test_the_checker_doubts_habits_by_itself(tmp_path):
    """A proof made where a habit was stated is none where nothing states it: a tag inside a frame tagged 0 may pass."""
    trunk = "u: {trunk: '10,20', native: 10}"
    stated = {
        "s.yaml": switch("S", f"{{1: {{access: 10}}, {trunk}}}", assume="{own-tag: drop, tagged-native: drop}"),
        "t.yaml": switch("T", f"{{2: {{access: 20}}, {trunk}}}", assume="{own-tag: drop, tagged-native: drop}"),
        "campus.yaml": CAMPUS.format("S u - T u"),
    }
    campus = inkov.load(write_files(tmp_path / "stated", stated))
    prover = Prover(Network(campus))
    claim = Apart("x", ("a", "b"), facing=Facing.HOSTILE, layers=frozenset({2}))
    document = json.loads(json.dumps(certificate(prover, Verdict(claim, prover.decide(claim)), {})))
    assert check(campus, document).reasons == []
    silent = {n: "\n".join(line for line in t.split("\n") if "own-tag" not in line) for n, t in stated.items()}
    (reason,) = check(inkov.load(write_files(tmp_path / "silent", silent)), document).reasons
    assert "has a hole" in reason


def test_the_habit_that_decides_about_frames_tagged_0_is_named(tmp_path):
    """A general port that takes no tags still takes a frame tagged 0 of a hostile station."""
    ports = "{1: {general: {pvid: 10, untagged: '10', frames: untagged}}, u: {trunk: '10,20,30', native: 10}}"
    dropped = "{tagged-native: drop, native-outside-list: drop, uneven-link: block}"
    files = {
        "s.yaml": switch("S", ports, assume=dropped),
        "t.yaml": switch("T", "{2: {access: 20}, u: {trunk: '10,20,30', native: 10}}", assume=dropped),
        "campus.yaml": CAMPUS.format("S u - T u"),
    }
    told = verdict(write_files(tmp_path, files), "apart a b facing hostile layer 2")
    assert told.missing == (
        "what S does with frames tagged 0 that have another tag inside: `assume: own-tag` does not say",
    )


def opened(campus, *refs):
    """The campus with ports of which nobody states what they are."""
    for switch, port in refs:
        own = campus.switches[switch]
        ports = {**own.ports, port: replace(own.ports[port], switching=Unstated())}
        campus = replace(campus, switches={**campus.switches, switch: replace(own, ports=ports)})
    return campus


def test_a_port_that_only_takes_frames_in_is_deaf(tmp_path):
    """A PVID without membership, and no ingress filter (IEEE 802.1Q-2022, 8.6.2 and 8.8.2): it sends in 10, and hears nothing."""
    general = "{general: {pvid: 10, untagged: none, tagged: none, filtering: false}}"
    files = {"s.yaml": switch("S", f"{{1: {{access: 10}}, 2: {general}}}"), "campus.yaml": CAMPUS.format("")}
    outcome = verdict(write_files(tmp_path, files), "together a")
    assert isinstance(outcome, Broken)
    assert (str(outcome.stop.sender), str(outcome.stop.hearer)) == ("S:1", "S:2")
    assert outcome.stop.why == "that port takes frames in, and sends out none of the segment"


def test_a_port_that_only_takes_frames_in_is_not_deaf_to_itself(tmp_path):
    """What might be a second member decides."""
    general = "{general: {pvid: 10, untagged: none, tagged: none, filtering: false}}"
    files = {"s.yaml": switch("S", f"{{1: {{access: 10}}, 2: {general}}}"), "campus.yaml": CAMPUS.format("")}
    campus = opened(inkov.load(write_files(tmp_path, files)), ("S", "1"))
    (made,) = inkov.prove(campus, ["together a"])
    assert isinstance(made.outcome, CannotTell)


def test_a_port_that_a_sync_group_may_leave_dead_is_not_whole(tmp_path):
    """Only the neighbour defines 20; whose table is newer nobody states."""
    sync = "{group: g, role: follower}"
    files = {
        "s.yaml": switch("S", "{2: {access: 20}, 3: {access: 20}, u: {trunk: all}}", "{10: a}", sync=sync),
        "t.yaml": switch("T", "{u: {trunk: all}}", "{20: b}", sync=sync),
        "campus.yaml": CAMPUS.format("S u - T u"),
    }
    outcome = verdict(write_files(tmp_path, files), "together b")
    assert isinstance(outcome, CannotTell)
    assert "S" in " ".join(outcome.missing)


@pytest.mark.parametrize("claim", ["apart a b", "together a", "apart a b facing hostile"])
def test_a_ring_in_which_frames_gather_tags_is_decided_in_time(tmp_path, claim):
    """Each round puts on another tag; a search that follows all of them does not end."""
    trunk = "{trunk: all, native: none}"
    files = {
        "s.yaml": switch("S", f"{{1: {{access: 10}}, x: {{tunnel: 10}}, y: {trunk}}}", tree="{protocol: off}"),
        "t.yaml": switch("T", f"{{1: {{access: 10}}, x: {trunk}, y: {{tunnel: 20}}}}", tree="{protocol: off}"),
        "campus.yaml": CAMPUS.format("S x - T x, S y - T y"),
    }
    assert not isinstance(verdict(write_files(tmp_path, files), claim), Proved)


def test_ports_of_which_nothing_is_known_beside_a_tunnel_are_decided_in_time(tmp_path):
    """Either end may be in any VLAN, and each of those may turn into any other."""
    files = {
        "s.yaml": switch("S", "{1: {access: 10}, t: {tunnel: 20}, x: {access: 10}, y: {access: 10}}"),
        "t.yaml": switch("T", "{1: {access: 20}, x: {access: 10}, y: {access: 10}}"),
        "campus.yaml": CAMPUS.format("S x - T x, S y - T y"),
    }
    campus = opened(inkov.load(write_files(tmp_path, files)), ("S", "x"), ("S", "y"), ("T", "x"), ("T", "y"))
    (made,) = inkov.prove(campus, ["apart a b"])
    assert isinstance(made.outcome, CannotTell)


def test_a_way_through_more_tunnels_than_are_followed_is_no_proof(tmp_path):
    """Five tunnels inside each other and out again; then an access port of 10 is cabled to one of 20."""
    trunk, tunnels = "trunk: all, native: none", ["tunnel: 20", "tunnel: 10"]
    files, cables = {}, []
    for i in range(12):
        enters = ("access: 10", *(tunnels[k % 2] for k in range(5)), *([trunk] * 5), "access: 20")[i]
        leaves = (*([trunk] * 5), *(tunnels[k % 2] for k in range(4, -1, -1)), "access: 10", "access: 20")[i]
        files[f"s{i}.yaml"] = switch(f"S{i}", f"{{x: {{{enters}}}, y: {{{leaves}}}}}", tree="{protocol: off}")
        cables += [f"S{i - 1} y - S{i} x"] if i else []
    files["campus.yaml"] = CAMPUS.format(", ".join(cables))
    outcome = verdict(write_files(tmp_path, files), "apart a b")
    assert isinstance(outcome, CannotTell)
    assert outcome.missing == ("a way that needs more tags inside each other than are followed here",)


def test_a_port_of_which_nothing_is_known_may_be_a_dead_one_that_negotiates(tmp_path):
    """Set as a dead access port of 10, it would become a trunk for whoever asks, and reach 20."""
    ports = {"1": "{access: 20}", "3": "{access: 20, stance: passive}"}
    files = {
        "s.yaml": switch("S", "{" + ", ".join(f"{n}: {p}" for n, p in ports.items()) + "}", "{20: b}"),
        "campus.yaml": CAMPUS.format(""),
    }
    campus = opened(inkov.load(write_files(tmp_path, files)), ("S", "3"))
    (made,) = inkov.prove(campus, ["apart a b facing hostile"])
    assert isinstance(made.outcome, CannotTell)
    assert made.outcome.missing == ("S:3: its mode is not stated (s.yaml:4)",)


def test_the_checker_doubts_ports_of_which_nothing_is_known(tmp_path):
    """A certificate made while the port was stated does not hold once it is not."""
    ports = "{1: {access: 20}, 2: {access: 10}, 3: {access: 20, stance: silent}}"
    other = switch("T", "{1: {access: 10}}", "{10: a}", assume="{own-tag: drop}")
    files = {
        "s.yaml": switch("S", ports, "{20: b}", assume="{own-tag: drop}"),
        "t.yaml": other,
        "campus.yaml": CAMPUS.format(""),
    }
    campus = inkov.load(write_files(tmp_path, files))
    prover = Prover(Network(campus))
    claim = Apart("x", ("a", "b"), facing=Facing.HOSTILE, layers=frozenset({2}))
    document = json.loads(json.dumps(certificate(prover, Verdict(claim, prover.decide(claim)), {})))
    assert check(campus, document).reasons == []
    assert check(opened(campus, ("S", "3")), document).reasons != []


def test_a_community_that_another_table_makes_isolated_is_not_proved_together(tmp_path):
    """Whether the station hears the other one hangs on which of two tables the sync group settles on."""
    table = "{{31: {{type: {0}}}}}"
    sync = "sync: {group: g, role: follower}\n"
    ports = "{1: {private: {primary: 30, secondary: 31}}, 2: {general: {pvid: 31, untagged: '31'}}, u: {trunk: '40', native: none}}"
    files = {
        "s.yaml": switch("S", ports, table.format("community")) + sync,
        "t.yaml": switch("T", "{u: {trunk: '40', native: none}}", table.format("isolated")) + sync,
        "campus.yaml": "inkov: campus\nname: c\nsegments: {crew: {vlan: 31}}\ncables: [S u - T u]\n",
    }
    made = verdict(write_files(tmp_path, files), "together crew")
    assert isinstance(made, CannotTell), made
