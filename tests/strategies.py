"""Random VLAN sets and small campuses, loops included."""

from hypothesis import strategies as st

from inkov.model.campus import Cable, Campus, Segment
from inkov.model.names import PortRef
from inkov.model.source import Origin, Source
from inkov.model.switch import Access, Port, Switch, Trunk, Vlan
from inkov.model.vlanset import ALL, VlanSet

vids = st.integers(1, 4094)
vlan_frozensets = st.frozensets(vids, max_size=40) | st.tuples(vids, vids).map(
    lambda p: frozenset(range(min(p), max(p) + 1))
)

VLANS = (1, 10, 20, 30)
"""The few VLANs of random campuses; few, so that they meet."""

few_vids = st.sampled_from(VLANS)
origin = Origin("test.yaml", "", {})
source = Source("test.yaml")


@st.composite
def switchings(draw):
    if draw(st.booleans()):
        return Access(draw(few_vids))
    allowed = draw(st.one_of(st.just(ALL), st.sets(few_vids).map(VlanSet)))
    return Trunk(draw(st.none() | few_vids), allowed)


@st.composite
def switches(draw, name):
    table = {v: Vlan(v, f"v{v}", draw(st.integers(0, 5)) > 0) for v in draw(st.sets(few_vids, min_size=2))}
    ports = {}
    for i in range(draw(st.integers(2, 4))):
        ports[f"p{i}"] = Port(
            name=f"p{i}", switching=draw(switchings()), enabled=draw(st.integers(0, 7)) > 0, origin=origin
        )
    return Switch(name=name, vlans=draw(st.sampled_from([table, table, table, None])), ports=ports, origin=origin)


@st.composite
def campuses(draw):
    """Two to four switches and some cables between random ports of different switches."""
    made = {f"s{i}": draw(switches(f"s{i}")) for i in range(draw(st.integers(2, 4)))}
    free = [PortRef(s.name, p) for s in made.values() for p in s.ports]
    order = draw(st.permutations(free))
    cables = []
    for a, b in zip(order[::2], order[1::2], strict=False):
        if a.switch != b.switch and len(cables) < 5:
            first, second = sorted((a, b), key=lambda e: e.order)
            cables.append(Cable(first, second, source))
    segments = {f"v{v}": Segment(f"v{v}", VlanSet([v]), source) for v in VLANS}
    return Campus(name="random", switches=made, cables=tuple(cables), segments=segments)
