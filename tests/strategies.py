"""Random VLAN sets and small campuses, loops included."""

import dataclasses

from hypothesis import settings
from hypothesis import strategies as st

from inkov.model.campus import Cable, Campus, Segment
from inkov.model.names import PortRef
from inkov.model.source import Origin, Source
from inkov.model.switch import (
    ALL_HABITS,
    Access,
    Bridged,
    FrameTypes,
    General,
    Habits,
    Heard,
    Kind,
    Lacp,
    Negotiated,
    Plain,
    Port,
    PrivateHost,
    Promiscuous,
    Stance,
    Switch,
    Trunk,
    Tunnel,
    Unstated,
    Vlan,
    VlanType,
)
from inkov.model.tree import BridgeTree, PortTree, Protocol, Sync, SyncRole
from inkov.model.vlanset import ALL, VlanSet


def often(n):
    """How many examples a property tries: few where tests must be quick, and at least as many as the profile says elsewhere."""
    usual = settings.default.max_examples
    return n if settings.get_current_profile_name() in {"quick", "first"} else max(n, usual)


vids = st.integers(1, 4094)
vlan_frozensets = st.frozensets(vids, max_size=40) | st.tuples(vids, vids).map(
    lambda p: frozenset(range(min(p), max(p) + 1))
)

VLANS = (1, 10, 20, 30)
"""The few VLANs of random campuses; few, so that they meet."""

few_vids = st.sampled_from(VLANS)
origin = Origin("test.yaml", "", {})
source = Source("test.yaml")


NO_TREE = BridgeTree(Protocol.OFF)
"""Nothing breaks the loops of random campuses, so that every link carries what it can."""

few_sets = st.sets(few_vids).map(VlanSet)
accesses = st.builds(Access, few_vids)


@st.composite
def trunks(draw):
    allowed = draw(st.one_of(st.just(ALL), few_sets))
    tags = draw(st.permutations([*VLANS, 99]))
    translate = tuple(zip(tags[:1], draw(st.permutations(VLANS)), strict=False)) if draw(st.integers(0, 4)) == 0 else ()
    native = draw(st.none() | few_vids)
    if native in {v for pair in translate for v in pair}:
        native = None
    return Trunk(native, allowed, draw(st.integers(0, 4)) == 0, tuple(p for p in translate if p[0] != p[1]))


@st.composite
def generals(draw):
    untagged = draw(few_sets)
    return General(
        draw(st.none() | few_vids),
        untagged,
        draw(few_sets) - untagged,
        draw(st.sampled_from(FrameTypes)),
        draw(st.booleans()),
    )


@st.composite
def bridged(draw):
    domains = draw(st.permutations(VLANS))
    tags = draw(st.permutations([*VLANS, 99]))
    count = draw(st.integers(0, 2))
    return Bridged(draw(st.none() | st.just(domains[3])), tuple(zip(tags[:count], domains[:count], strict=True)))


@st.composite
def privates(draw):
    primary, secondary = draw(st.permutations(VLANS))[:2]
    return PrivateHost(primary, secondary)


KINDS = st.one_of(
    accesses,
    st.builds(Access, few_vids, few_vids).filter(lambda a: a.vid != a.voice),
    trunks(),
    trunks(),
    st.builds(Negotiated, accesses, trunks()),
    generals(),
    privates(),
    st.builds(Promiscuous, few_vids, few_sets),
    st.builds(Tunnel, few_vids),
    bridged(),
)
HABITS = st.builds(Habits, st.booleans(), st.booleans(), st.booleans())


@st.composite
def ports(draw, name, kinds):
    is_lag = draw(st.integers(0, 6)) == 0
    return Port(
        name=name,
        switching=draw(kinds),
        enabled=draw(st.integers(0, 7)) > 0,
        stance=draw(st.sampled_from(Stance)),
        tag_format=draw(st.sampled_from(["802.1Q"] * 6 + ["other"])),
        is_lag=is_lag,
        lacp=draw(st.sampled_from(Lacp)) if is_lag else None,
        origin=origin,
    )


@st.composite
def switches(draw, name, kinds=KINDS):
    kind = Kind.UNMANAGED if draw(st.integers(0, 6)) == 0 else Kind.SWITCH
    own = st.just(Plain()) if kind is Kind.UNMANAGED else kinds
    table = {}
    for v in draw(st.sets(few_vids, min_size=2)):
        table[v] = Vlan(
            v, f"v{v}", draw(st.integers(0, 5)) > 0, draw(st.sampled_from([VlanType.ISOLATED, VlanType.COMMUNITY]))
        )
    keeps_none = kind is Kind.UNMANAGED or draw(st.integers(0, 4)) == 0
    made = {f"p{i}": draw(ports(f"p{i}", own)) for i in range(draw(st.integers(2, 4)))}
    if keeps_none:
        made = {
            n: dataclasses.replace(p, switching=Access(p.switching.secondary))
            if isinstance(p.switching, PrivateHost)
            else p
            for n, p in made.items()
        }
    return Switch(
        name=name,
        kind=kind,
        vlans=None if keeps_none else table,
        ports=made,
        habits=draw(HABITS),
        unstated_habits=frozenset(),
        tree=NO_TREE,
        sync=draw(st.sampled_from([None, None, Sync("a", SyncRole.RELAY), Sync("b", SyncRole.RELAY)])),
        origin=origin,
    )


@st.composite
def campuses(draw, kinds=KINDS):
    """Two to four devices of every kind and some cables between random ports of different ones; loops happen."""
    made = {f"s{i}": draw(switches(f"s{i}", kinds)) for i in range(draw(st.integers(2, 4)))}
    free = [PortRef(s.name, p) for s in made.values() for p in s.ports]
    order = draw(st.permutations(free))
    cables = []
    for a, b in zip(order[::2], order[1::2], strict=False):
        if a.switch != b.switch and len(cables) < 5:
            first, second = sorted((a, b), key=lambda e: e.order)
            cables.append(Cable(first, second, source))
    segments = {f"v{v}": Segment(f"v{v}", VlanSet([v]), source) for v in VLANS}
    return Campus(name="random", switches=made, cables=tuple(cables), segments=segments)


@st.composite
def open_campuses(draw):
    """Campuses of switches in which any fact may be left open."""
    campus = draw(managed())
    switches = {}
    for name, switch in campus.switches.items():
        unstated = draw(st.sets(st.sampled_from(sorted(ALL_HABITS))))
        sync = draw(st.sampled_from([None, None, Sync("a"), Sync("a", generation=3), Sync("a", generation=7)]))
        made = {n: draw(opened(p)) for n, p in switch.ports.items()}
        switches[name] = dataclasses.replace(switch, unstated_habits=frozenset(unstated), sync=sync, ports=made)
    return dataclasses.replace(campus, switches=switches)


@st.composite
def opened(draw, port):
    """A port of which one fact is left open, or none."""
    switching, changes = port.switching, {}
    what = draw(st.sampled_from(["", "", "", "mode", "vlan", "stance", "format", "lacp"]))
    if what == "mode" and not isinstance(switching, General):
        changes["switching"] = Unstated()
    elif what == "vlan" and isinstance(switching, Access):
        changes["switching"] = dataclasses.replace(switching, vid=None)
    elif what == "vlan" and isinstance(switching, Trunk) and not switching.translate:
        changes["switching"] = dataclasses.replace(switching, native=None, native_tagged=False, native_stated=False)
    elif what in {"vlan", "mode"} and isinstance(switching, General):
        changes["switching"] = dataclasses.replace(switching, frames=None, filtering=None)
    elif what == "stance":
        changes["stance"] = None
    elif what == "format":
        changes["tag_format"] = "negotiated"
    elif what == "lacp" and port.is_lag:
        changes["lacp"] = None
    return dataclasses.replace(port, **changes)


def managed():
    """Campuses without unmanaged devices."""
    return campuses().filter(lambda c: all(s.kind is Kind.SWITCH for s in c.switches.values()))


MEMBERS = (10, 20, 30, 40)
"""The VLANs of campuses that are all trunks."""


@st.composite
def trunked(draw):
    """Three to seven switches, joined by any trunks with any lists, rings and parallel links among them."""
    count = draw(st.integers(3, 7))
    ends = {i: {} for i in range(count)}
    pairs = [(draw(st.integers(0, i - 1)), i) for i in range(1, count)]
    pairs += [
        (a, b)
        for a, b in draw(st.lists(st.tuples(st.integers(0, count - 1), st.integers(0, count - 1)), max_size=3))
        if a != b
    ]
    cables = []
    lists = st.sets(st.sampled_from(MEMBERS), min_size=1).map(VlanSet) | st.just(ALL)
    for n, (a, b) in enumerate(pairs):
        same = draw(lists)
        other = same if draw(st.integers(0, 3)) else draw(lists)
        for i, some in ((a, same), (b, other)):
            of_tree = PortTree(cost=draw(st.sampled_from([None, None, 5000, 50_000])))
            ends[i][f"u{n}"] = Port(name=f"u{n}", switching=Trunk(None, some), tree=of_tree, origin=origin)
        first, second = sorted((PortRef(f"s{a}", f"u{n}"), PortRef(f"s{b}", f"u{n}")), key=lambda e: e.order)
        cables.append(Cable(first, second, source))
    switches = {}
    usual, mixed = (
        draw(st.sampled_from([Protocol.RSTP, Protocol.RSTP, Protocol.PER_VLAN])),
        draw(st.integers(0, 5)) == 0,
    )
    for i in range(count):
        members = draw(st.lists(st.sampled_from(MEMBERS), max_size=2))
        ports = {f"p{k}": Port(name=f"p{k}", switching=Access(v), origin=origin) for k, v in enumerate(members)}
        table = {v: Vlan(v) for v in MEMBERS if v in members or draw(st.integers(0, 5))}
        protocol = draw(st.sampled_from(list(Protocol)[:4])) if mixed else usual
        tree = BridgeTree(protocol, draw(st.sampled_from([32768, 32768, 4096, 61440])))
        switches[f"s{i}"] = Switch(
            name=f"s{i}",
            vlans=table,
            ports={**ports, **ends[i]},
            mac=f"00:00:5e:00:53:{i:02x}",
            tree=tree,
            origin=origin,
        )
    return Campus(name="random", switches=switches, cables=tuple(cables))


CONFUSABLE = (
    "core",
    "CORE",
    "core.site-a.example",
    "core.site-b.example",
    "hall.1",
    "hall.7",
    "hall",
    "Hall.example",
    "tor",
)
ADDRESSES = ("", "00:00:5e:00:53:01", "00:00:5e:00:53:02", "00:00:5e:00:53:03", "eth0")


@st.composite
def announced(draw):
    """Campuses whose switches have confusable names and addresses, and hear neighbours that call themselves like them."""
    campus = draw(campuses())
    names = dict(zip(campus.switches, draw(st.permutations(CONFUSABLE)), strict=False))
    listed = list(names.values())
    switches = {}
    for old, switch in campus.switches.items():
        heard = tuple(
            Heard(
                port,
                draw(st.sampled_from(("", *CONFUSABLE))),
                draw(st.sampled_from(("p0", "p1", "p9"))),
                chassis=chassis,
            )
            for port in draw(st.lists(st.sampled_from(sorted(switch.ports)), max_size=3))
            for chassis in draw(st.lists(st.sampled_from(ADDRESSES), min_size=1, max_size=1))
        )
        labels = {
            p: draw(st.sampled_from(("", f"to {draw(st.sampled_from(CONFUSABLE))} p1", "desk"))) for p in switch.ports
        }
        ports = {
            n: dataclasses.replace(p, label=labels[n], known_as=draw(st.sampled_from(((), (ADDRESSES[3],)))))
            for n, p in switch.ports.items()
        }
        switches[names[old]] = dataclasses.replace(
            switch,
            name=names[old],
            ports=ports,
            heard=tuple(h for h in heard if h.system or h.chassis),
            mac=draw(st.sampled_from(ADDRESSES[:4])),
        )
    cables = tuple(
        Cable(*sorted((PortRef(names[e.switch], e.port) for e in (c.a, c.b)), key=lambda e: e.order), source)
        for c in campus.cables
    )
    assert len(listed) == len(switches)
    return dataclasses.replace(campus, switches=switches, cables=cables if draw(st.booleans()) else ())
