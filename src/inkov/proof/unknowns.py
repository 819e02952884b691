"""What a verdict rests on that the input does not state: facts that are missing, and what is taken for granted."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from itertools import chain
from typing import Final

from inkov.forwarding.cabling import Link
from inkov.forwarding.graph import Reach, State, Step
from inkov.forwarding.network import Network
from inkov.kinds.accounts import is_stated
from inkov.kinds.relay import RelayMap, View, vid_of
from inkov.kinds.table import carries_tags, kind, relay_map, unknown
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN, NEGOTIATED_FORMAT, Kind
from inkov.model.touching import assumption
from inkov.proof import settle
from inkov.proof.outcome import Fact, Passage, Turn
from inkov.proof.stations import Stations

MORE_TAGS: Final = "a way that needs more tags inside each other than are followed here"
"""What is missing where frames gather tags round a loop, so that no search ends."""


def unknowns(network: Network, reach: Reach, end: State) -> tuple[str, ...]:
    """Names what is not known on a way that only may be open."""
    found: dict[str, None] = {}
    for state, step in reach.path(end):
        if step is None:
            continue
        sure = network.graph(View.MUST).edges.get(step.before.switch, ())
        if any(
            e.near == step.out
            and e.far == state.by
            and any(c.domain == state.domain for c in e.hop.cross(step.before.domain, step.before.inner))
            for e in sure
        ):
            continue
        found.update(dict.fromkeys(_missing_facts(network, step, state)))
    return tuple(found)


Does = Callable[[RelayMap], object]
"""What a port does with the frame in question."""


def at_ports(network: Network, refs: Iterable[PortRef | None]) -> tuple[str, ...]:
    """Names what is not known of some ports themselves, whatever frame it is about."""
    return tuple(
        dict.fromkeys(f for ref in refs if ref and network.has(ref) for f in of_port(network, ref, lambda r: r))
    )


def at_ends(network: Network, way: Sequence[Passage | Turn]) -> tuple[str, ...]:
    """Names what is not known of the ports at both ends of a way, for the frame that comes in and goes out there."""
    found: list[str] = []
    first, last = way[0], way[-1]
    if isinstance(first, Passage) and first.by and first.arrived is not None:
        wire = first.arrived
        found += of_port(network, first.by, lambda relay: relay.accept(wire))
        if len(wire) > 1 and not vid_of(wire[0]):
            silent = "own_tag" in network.switches[first.switch].unstated_habits
            why = ": `assume: own-tag` does not say" if silent else ""
            text = f"what {first.switch} does with frames tagged 0 that have another tag inside{why}"
            found.append(Fact(text, settle.habit("own_tag", first.switch) if silent else {}))
    if isinstance(last, Passage) and last.out:
        domain = last.domain
        found += of_port(network, last.out, lambda relay: relay.send(domain))
    return tuple(dict.fromkeys(found))


def all_open(network: Network, ways: Sequence[Passage | Turn]) -> tuple[str, ...]:
    """Names everything that is not known of the ports and switches on a way, whatever frame it is about.

    For ways that are only open when several facts fall together, none of which makes a difference alone.
    """
    passed = [p for p in ways if isinstance(p, Passage)]
    refs = [ref for p in passed for ref in (p.by, p.out) if ref is not None and network.has(ref)]
    found = [*declared(network, ways), *at_ports(network, refs)]
    for name in dict.fromkeys([p.switch for p in passed] + [ref.switch for ref in refs]):
        switch = network.switches.get(name)
        used = {h for ref in refs if ref.switch == name for h in kind(network.port(ref).switching).habits}
        found += [habit_fact(h, name) for h in sorted(used & (switch.unstated_habits if switch else frozenset()))]
        if network.syncing.candidates(name):
            found.append(_which_table(network, name))
        if switch is not None and switch.vlans is None and switch.kind is Kind.SWITCH:
            found.append(f"which VLANs {name} has: nothing lists them")
    ends = set(refs)
    for link in _links_at(network, refs):
        if {link.a, link.b} <= ends:
            found += _of_links(network, {link.a, link.b})
    return tuple(dict.fromkeys(found))


HABITS: Final = {
    "own_tag": "what {0} does with frames that carry an access port's own VID as a tag",
    "native_outside_list": "whether {0} passes untagged frames of a native VLAN that is not in the list",
    "tagged_native": "what {0} does with frames that carry the native VLAN as a tag",
    "uneven_link": "whether {0} lets a link run whose natives differ or whose ends are of different kinds",
}


def habit_fact(name: str, switch: str) -> Fact:
    """Names a habit that nothing states, as a fact that would decide."""
    text = f"{HABITS[name].format(switch)}: `assume: {name.replace('_', '-')}` does not say"
    return Fact(text, settle.habit(name, switch))


def open_habits(network: Network, ref: PortRef, does: Does) -> list[str]:
    """Returns the habits that nothing states and that make a difference to what a port does."""
    switch = network.switches[ref.switch]
    found = []
    for port in network.formed(ref).outcomes:
        for name in kind(port.switching).habits:
            if name in switch.unstated_habits:
                ways = [
                    relay_map(
                        port,
                        replace(switch, habits=replace(switch.habits, **{name: way}), unstated_habits=frozenset()),
                        network.active(ref.switch),
                        View.USUAL,
                        network.formats,
                    )
                    for way in (False, True)
                ]
                found += [name] if does(ways[0]) != does(ways[1]) else []
    return found


def assumed(network: Network, stations: Callable[[str], Stations], names: Iterable[str]) -> tuple[str, ...]:
    """Lists what a proof takes for granted: what is behind ports whose far side the input does not describe."""
    ports = ((ref, network.port(ref)) for ref in network.wide_ports)
    trunks = {ref for ref, port in ports if carries_tags(port) or not is_stated(port.switching)}
    often = Counter(chain.from_iterable(stations(name).ports & trunks for name in names if trunks))
    open_ends = [str(ref) for ref in sorted(often, key=lambda r: r.order) if often[ref] > 1]
    found: list[str] = []
    if open_ends:
        found.append(f"the station behind each of these trunks keeps its VLANs apart: {some(open_ends)}")
    strange = sorted((o for o in network.cabling.outside if not o.known_switch), key=lambda o: o.port.order)
    outside = [f"{o.port} ({o.heard.system or o.heard.chassis})" for o in strange]
    if outside:
        found.append(f"no device that is not in the campus joins VLANs by itself: {some(outside)}")
    if unheard := _unheard(network):
        found.append(
            f"no cable but those that are stated ends at {some(unheard)}, where nothing was heard of neighbours"
        )
    tableless = [s.name for s in network.switches.values() if s.vlans is None and s.kind is Kind.SWITCH]
    if tableless:
        found.append(f"switches without a VLAN table relay every VLAN their ports allow: {some(tableless)}")
    if idle := assumption(network.switches):
        found.append(idle)
    return tuple(found)


def _unheard(network: Network) -> list[str]:
    """Returns the switches of several that no cable reaches and that heard nobody: what they are cabled to is not known."""
    switches = [s for s in network.switches.values() if s.kind is Kind.SWITCH]
    cabled = {ref.switch for ref in network.cabled}
    awake = [s for s in switches if any(p.enabled for p in s.ports.values())]
    return [s.name for s in awake if s.name not in cabled and not s.heard] if len(awake) > 1 else []


def some(names: list[str]) -> str:
    """Returns the first few of some names, and how many more there are."""
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def _missing_facts(network: Network, step: Step, state: State) -> list[str]:
    found: list[str] = []
    out, into, before, wire = step.out, state.by, step.before, step.wire

    def sends(relay: RelayMap) -> object:
        return relay.send(before.domain, before.inner)

    def takes(relay: RelayMap) -> object:
        return None if wire is None else relay.accept(wire)

    for ref in (out, into):
        if ref is None:
            continue
        if not network.has(ref):
            found.append(f"what {ref.switch} does is not known: its file, or the cable, is missing")
            continue
        whole = network.switches[ref.switch].doubt
        if whole and network.port(ref).doubt == whole:
            found.append(f"{ref.switch}: {whole}")
            continue
        own = list(of_port(network, ref, sends if ref == out else takes))
        if kept_off := _kept_off(network, ref, sending=ref == out):
            own.append(kept_off)
        if not own and not network.switches[ref.switch].default_vlan_listed and state.domain == DEFAULT_VLAN:
            own.append(f"whether {ref.switch} has the default VLAN, which its export does not list")
        found += own
        if network.syncing.candidates(ref.switch):
            found.append(_which_table(network, ref.switch))
    found += _of_links(network, {out, into})
    known = [ref for ref in (out, into) if ref is not None]
    crossed = [Passage(ref.switch, before.domain, None, None, ref, None) for ref in known]
    return list(dict.fromkeys(found)) or [*all_open(network, crossed)] or [f"whether frames pass from {out} to {into}"]


def _which_table(network: Network, name: str) -> str:
    why = network.switches[name].doubt or "its sync group may replace it"
    return f"which VLAN table {name} has: {why}"


def by_label(a: PortRef, b: PortRef) -> str:
    """Names a cable that only labels name, as a fact that would decide."""
    return f"whether {a} and {b} are cabled: only their labels say so"


def _links_at(network: Network, refs: Iterable[PortRef]) -> Iterable[Link]:
    """Returns the links of the switches that some ports are on."""
    return dict.fromkeys(link for name in sorted({r.switch for r in refs}) for link in network.links_at.get(name, ()))


def _of_links(network: Network, ends: set[PortRef | None]) -> Iterator[str]:
    """Yields what is not known of the links that a frame crosses between two ports."""
    yield from (by_label(a, b) for a, b in network.labelled if ends == {a, b})
    for link in _links_at(network, (e for e in ends if e is not None)):
        if ends != {link.a, link.b} and ends.isdisjoint(e for w in link.wires for e in (w.a, w.b)):
            continue
        if link.doubt:
            yield link.doubt
        if network.lag_forms(link) is not True:
            reason = network.lag_failure(link) or _lag_doubt(network, link)
            yield f"whether ports of {link} pass frames one by one, as its LAG may not form: {reason}"


def _lag_doubt(network: Network, link: Link) -> str:
    for end in (link.a, link.b):
        if network.port(end).is_lag and network.port(end).lacp is None:
            return f"how {end} forms is not stated"
    return "its members end at several ports"


def of_port(network: Network, ref: PortRef, does: Does) -> Iterator[str]:
    """Yields what is not known of one port, as far as it makes a difference to what it does."""
    port, formed = network.port(ref), network.formed(ref)
    if port.doubt:
        yield f"{ref}: {port.doubt}"
        if not is_stated(port.switching):  # for that very reason
            return
    if not formed.sure:
        yield Fact(f"{ref}: {unknown(port)} ({port.origin.here})", settle.at_port(port, ref))
    for outcome in formed.outcomes:
        if why := unknown(outcome):
            yield Fact(f"{ref}: {why} ({port.origin.here})", settle.at_port(port, ref))
    if port.tag_format == NEGOTIATED_FORMAT:
        text = f"{ref}: its tag format is left to negotiation ({port.origin.of(Setting.TAGS)})"
        yield Fact(text, settle.tag_format(port, ref))
    if ref in network.registering and does(network.relay(ref, View.MAY)) != does(network.relay(ref, View.MUST)):
        yield _registration(network, ref)
    for name in open_habits(network, ref, does):
        yield habit_fact(name, ref.switch)


def _registration(network: Network, ref: PortRef) -> Fact:
    told = network.switches[ref.switch].registration
    text = f"whether VLANs come to {ref} by registration (GVRP, MVRP)"
    return Fact(text, {} if told else {ref.switch: {"registration": False}})


def declared(network: Network, ways: Sequence[Passage | Turn]) -> tuple[str, ...]:
    """Names the ports on a way at which a hostile station may declare VLANs, as nothing tells whether registration runs."""
    refs = dict.fromkeys(r for p in ways if isinstance(p, Passage) for r in (p.by, p.out) if r is not None)
    silent = (r for r in refs if network.has(r) and network.switches[r.switch].registration is None)
    return tuple(_registration(network, r) for r in silent if r not in network.cabled)


def _kept_off(network: Network, ref: PortRef, *, sending: bool) -> str:
    """Says what keeps frames off a port today and may let them through tomorrow; empty when nothing does."""
    if doubt := network.sure_trees.doubt(ref):
        return f"whether the tree blocks {ref}: {doubt}"
    if network.sure_trees.allows(ref) != -1:
        return f"the tree blocks {ref} today, and opens it when a link fails"
    return (
        f"pruning keeps VLANs off {ref} today, and may let them through tomorrow"
        if sending and network.pruning.pruned(ref)
        else ""
    )
