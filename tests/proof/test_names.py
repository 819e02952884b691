"""Names are names: however ports are called, verdicts and certificates are the same (no name is a word of the program's own)."""

import dataclasses
import random
from itertools import combinations

from hypothesis import given, settings
from hypothesis import strategies as st

from inkov.forwarding.network import Network
from inkov.model.campus import Apart, Together
from inkov.model.names import PortRef, natural
from inkov.proof.certificate import certificate
from inkov.proof.outcome import Proved, Verdict
from inkov.proof.prove import Prover
from inkov.recheck.check import check
from routed import routed_campuses
from strategies import campuses, often

ODD = (
    "*",
    "vlan",
    "vlan 10",
    " vlan 10",
    "?",
    "? towards s0:p0",
    "any",
    "untagged",
    "0",
    "starts",
    "e",
    ":e 10",
    "??",
    "10",
)


def renamed(campus, rng):
    names = {
        name: dict(zip(switch.ports, rng.sample(ODD, len(switch.ports)), strict=True))
        for name, switch in campus.switches.items()
        if len(switch.ports) <= len(ODD)
    }

    def now(ref):
        return PortRef(ref.switch, names[ref.switch][ref.port])

    switches = {}
    for name, switch in campus.switches.items():
        own = names[name]
        made = (dataclasses.replace(p, name=own[p.name]) for p in switch.ports.values())
        ports = {p.name: p for p in sorted(made, key=lambda p: natural(p.name))}
        gateways = tuple(dataclasses.replace(g, port=own.get(g.port, "")) for g in switch.gateways)
        switches[name] = dataclasses.replace(switch, ports=ports, gateways=gateways)
    cables = tuple(dataclasses.replace(c, a=now(c.a), b=now(c.b)) for c in campus.cables)
    return dataclasses.replace(campus, switches=switches, cables=cables)


@settings(max_examples=often(25))
@given(st.one_of(campuses(), routed_campuses()), st.integers(0, 2**32))
def test_what_ports_are_called_changes_no_verdict(campus, seed):
    again = renamed(campus, random.Random(seed))
    one, other = Prover(Network(campus)), Prover(Network(again))
    names = list(campus.segments)[:3]
    for claim in (*(Apart("x", pair) for pair in combinations(names, 2)), *(Together("x", (n,)) for n in names)):
        outcome, same = one.decide(claim), other.decide(claim)
        assert type(outcome) is type(same)
        if isinstance(same, Proved) and (document := certificate(other, Verdict(claim, same), {})):
            assert check(again, document).reasons == []
