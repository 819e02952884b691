"""Random changes of random campuses: steps on few ports and VLANs, so that they write over each other."""

from ipaddress import ip_interface

from hypothesis import strategies as st

from inkov.model.names import PortRef
from inkov.model.routing import Gateway, gateway_key
from inkov.model.switch import Vlan
from inkov.model.vlanset import VlanSet
from inkov.steps.settings import PortChange
from inkov.steps.steps import Cut, SetPorts, SetSwitch
from strategies import MEMBERS, trunked

vids = st.sampled_from(MEMBERS)
lists = st.sets(vids, min_size=1).map(VlanSet)
port_changes = st.one_of(
    st.builds(PortChange, trunk=lists),
    st.builds(PortChange, allow=lists),
    st.builds(PortChange, disallow=lists),
    st.builds(PortChange, native=st.none() | vids),
    st.builds(PortChange, access=vids),
    st.builds(PortChange, enabled=st.booleans()),
)


@st.composite
def changed(draw):
    """A campus and some steps on few ports and VLANs of it, so that they write over each other."""
    campus = draw(trunked())
    every = [PortRef(s.name, p) for s in campus.switches.values() for p in s.ports]
    few = draw(st.lists(st.sampled_from(every), min_size=1, max_size=3, unique=True))
    steps = []
    for n in range(draw(st.integers(2, 5))):
        ref = draw(st.sampled_from(few))
        match draw(st.sampled_from(["port"] * 6 + ["vlan", "vlan", "gateway", "cut", "cut"])):
            case "port":
                steps.append(SetPorts(what=f"{n}", ports=(ref,), settings=draw(port_changes)))
            case "vlan":
                vid = draw(vids)
                steps.append(
                    SetSwitch(what=f"{n}", switch=ref.switch, vlans={vid: draw(st.sampled_from([None, Vlan(vid)]))})
                )
            case "gateway":
                vid = draw(vids)
                own = Gateway(vid, (ip_interface(f"192.0.{vid}.{draw(st.integers(1, 3))}/24"),))
                new = draw(st.sampled_from([None, own]))
                steps.append(SetSwitch(what=f"{n}", switch=ref.switch, gateways={gateway_key("", vid): new}))
            case "cut":
                steps.append(Cut(what=f"{n}", ports=(ref,)))
    return campus, steps


def done(campus, steps):
    """The campuses after each of some steps, one after the other."""
    states = []
    for step in steps:
        campus = step.done(campus)
        states.append(campus)
    return states
