"""What a device says passes nothing today is not surely up; a socket that nobody uses is no news."""

import json

import pytest

import inkov
import writers
from conftest import write_files
from inkov.model.switch import FrameTypes, General
from inkov.model.vlanset import VlanSet
from inkov.proof.outcome import CannotTell, Proved


def down(form, port):
    """Two boxes of one VLAN, cabled to each other, of which one says that nothing passes a port."""
    ports = {p: General(10, VlanSet([10]), VlanSet(), FrameTypes.ALL, True) for p in ("p1", "p2")}
    one = writers.Box("quay", "00:00:5e:00:53:01", {10: "guests"}, ports, {"p1": ("pier", "p1", "00:00:5e:00:53:02")})
    other = writers.Box("pier", "00:00:5e:00:53:02", {10: "guests"}, ports, {"p1": ("quay", "p1", "00:00:5e:00:53:01")})
    if form == "walk":
        row = f".1.3.6.1.2.1.2.2.1.8.{writers.IF_BASE + int(port[1:])} = INTEGER: 7\n"
        return {"quay.walk": writers.walk(one) + row, "pier.walk": writers.walk(other)}
    made, listed = (
        (writers.openconfig(one), "openconfig-interfaces:interfaces")
        if form == "oc"
        else (writers.ieee(one), "ietf-interfaces:interfaces")
    )
    (entry,) = [e for e in made[listed]["interface"] if e["name"] == port]
    if form == "oc":
        entry["state"] = {"oper-status": "openconfig-interfaces:DOWN"}
        return {"quay.json": json.dumps(made), "pier.json": json.dumps(writers.openconfig(other))}
    entry["oper-status"] = "lower-layer-down"
    heard = {f"{box.name}.lldp.json": writers.lldp(box) for box in (one, other)}
    return {"quay.json": json.dumps(made), "pier.json": json.dumps(writers.ieee(other)), **heard}


@pytest.mark.parametrize("form", ["oc", "ieee", "walk"])
def test_a_cable_that_passes_nothing_today_is_not_sure_and_a_socket_that_nobody_uses_is_no_news(tmp_path, form):
    told = {
        "campus.yaml": "inkov: campus\nname: x\nswitches-are: {'*': {registration: off, routing: false, assume: {own-tag: drop}}}\n"
    }
    for port, outcome, found in (("p1", CannotTell, ["quay:p1"]), ("p2", Proved, [])):
        campus = inkov.load(write_files(tmp_path / port, {**down(form, port), **told}))
        (verdict,) = inkov.prove(campus, ["together 10"])
        assert isinstance(verdict.outcome, outcome), verdict.outcome
        assert [f.place.replace(".lab.example", "") for f in inkov.audit(campus) if f.rule == "saved/today"] == found
        if found:
            assert "p1 is on, and today nothing passes it" in str(verdict.outcome.missing)
