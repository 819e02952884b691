"""What a rogue switch gets on a host port."""

import json

from conftest import on_screen, run_inkov
from inkov.forwarding.network import Network
from inkov.model.vlanset import VlanSet
from inkov.proof.rogue import jumps, rogue

TEXT = (
    "inkov: switch\nname: a\nassume: {own-tag: drop}\nvlans: {310: , 330: , 340: }\nports:\n"
    "  1: {mode: negotiated, stance: passive, access: 310, trunk: '310,330'}\n  2-3: {access: 330}\n  4: {access: 340}\n"
)


def test_a_willing_port_is_worst_and_an_access_port_gives_nothing(site):
    import inkov

    gains = rogue(Network(inkov.load(site({"a.yaml": TEXT}))))
    assert [(str(g.ports[0]), str(g.own), str(g.sends), str(g.beyond), g.members) for g in gains] == [
        ("a:1", "310", "310,330", "330", 2),
        ("a:2", "330", "330", "none", 0),
        ("a:4", "340", "340", "none", 0),
    ]
    assert len(gains[1].ports) == 2


def test_a_native_vlan_with_users_is_jumped_out_of(site):
    import inkov

    ends = "vlans: {310: , 330: }\nports: {1: {access: 310}, 2: {access: 330}, u: {trunk: '310,330', native: 310}}\n"
    campus = inkov.load(
        site(
            {
                n: f"inkov: switch\nname: {n[0]}\n{ends}neighbours: {{u: {m} u}}\n"
                for n, m in (("a.yaml", "b"), ("b.yaml", "a"))
            }
        )
    )
    assert jumps(Network(campus), VlanSet([310])) == {310: VlanSet([330])}


def test_the_demo_shows_the_worst_ports_first(quillfin):
    ran = run_inkov("ports", "as-found", "--rogue", "--format", "json", cwd=quillfin)
    rows = json.loads(ran.out)["rows"]
    assert (rows[0]["switch"], rows[0]["ports"]) == ("slipway", "5-6")
    assert rows == sorted(rows, key=lambda r: -r["members"])
    said = on_screen("ports", "mended", "--rogue", columns=200, cwd=quillfin)
    assert said.startswith("217 host ports would give a rogue switch no more than their own VLANs")
