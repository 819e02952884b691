"""A certain cure harms nobody: on random campuses nobody loses anyone, no two networks are joined, nothing is sent that nobody needs."""

import dataclasses
from collections import Counter

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from inkov.change.mending import mended
from inkov.change.side import Side
from inkov.model.switch import Access, Port, Trunk, Vlan
from inkov.model.vlanset import VlanSet
from strategies import MEMBERS, often, origin, trunked

PARKING = 999


@st.composite
def faulty(draw):
    """Campuses of trunks with natives that may differ, access ports between switches, and stations in VLAN 1 and in the parking VLAN."""
    campus = draw(trunked())
    ends = {e for c in campus.cables for e in (c.a, c.b)}
    switches = {}
    for name, switch in campus.switches.items():
        ports = dict(switch.ports)
        for ref in sorted((e for e in ends if e.switch == name), key=lambda e: e.order):
            match draw(st.integers(0, 9)):
                case 0:
                    ports[ref.port] = dataclasses.replace(
                        ports[ref.port], switching=Access(draw(st.sampled_from(MEMBERS)))
                    )
                case 1 | 2:
                    own = ports[ref.port].switching
                    native = draw(st.sampled_from((1, *MEMBERS)))
                    ports[ref.port] = dataclasses.replace(
                        ports[ref.port], switching=dataclasses.replace(own, native=native)
                    )
        for n, vid in enumerate(draw(st.lists(st.sampled_from((1, PARKING, *MEMBERS)), max_size=3))):
            ports[f"q{n}"] = Port(name=f"q{n}", switching=Access(vid), origin=origin)
        table = {**switch.vlans, 1: Vlan(1), PARKING: Vlan(PARKING)}
        switches[name] = dataclasses.replace(switch, ports=ports, vlans=table)
    return dataclasses.replace(campus, switches=switches, parking=PARKING)


def home(campus, ref):
    """The VLAN of the untagged frames of a station."""
    kind = campus.switches[ref.switch].ports[ref.port].switching
    return kind.vid if isinstance(kind, Access) else getattr(kind, "native", None)


def heard(campus):
    side = Side(campus)
    return {ref: side.hearing.of(ref) - {ref} for ref in side.hearing.edges()}


def harm(before, after, steps):
    """What some cures did that none may: by hearing, port by port, and by lists."""
    moved = {ref for step in steps for ref in getattr(step, "ports", ())}
    was, now = heard(before), heard(after)
    found = []
    for ref in was.keys() - moved:
        lost = {o for o in was[ref] - now.get(ref, set()) - moved if home(before, o) == home(before, ref)}
        joined = {o for o in now.get(ref, set()) - was[ref] - moved if home(after, o) != home(after, ref)}
        found += [f"{ref} loses {o}" for o in lost] + [f"{ref} is joined to {o}" for o in joined]
    for name, switch in after.switches.items():
        for port in switch.ports.values():
            own, old = port.switching, before.switches[name].ports[port.name].switching
            new = (
                own.allowed - (old.allowed if isinstance(old, Trunk) else VlanSet())
                if isinstance(own, Trunk)
                else VlanSet()
            )
            found += [f"{name}:{port.name} sends {v}" for v in (1, PARKING) if v in new]
    return found


def test_a_certain_cure_harms_nobody():
    tried = Counter()

    @settings(max_examples=often(50), suppress_health_check=list(HealthCheck))
    @given(faulty())
    def holds(campus):
        view, steps, after = mended(campus)
        tried["cured" if view.cures else "not"] += len(view.cures) or 1
        assert harm(campus, after, steps) == []

    holds()
    assert tried["cured"] > 50, tried
