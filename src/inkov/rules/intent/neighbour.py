"""Discovery and cabling: does what the switches hear agree, with each other and with the campus file."""

from __future__ import annotations

from collections.abc import Iterator

from inkov.forwarding.cabling import Wire
from inkov.kinds.table import untagged_vlan
from inkov.model.names import PortRef
from inkov.model.settings import Setting
from inkov.model.switch import DEFAULT_VLAN, Heard, Kind
from inkov.model.vlanset import VlanSet
from inkov.rules.finding import Cause, Evidence, Fault, Severity
from inkov.rules.pairs import PLACE, pair
from inkov.rules.registry import Example, Facts, rule, switch_text
from inkov.rules.wording import at, cause, joined, named

_TRUNK = "{trunk: '310,330'}"
_BOTH = pair(_TRUNK, _TRUNK)
_ONE = {
    "archive.yaml": _BOTH["archive.yaml"].replace("neighbours: {u1: seal-ward u1}", "neighbours: {}"),
    "pump-loft.yaml": switch_text(
        "pump-loft", "{310: tank-sensors}", f"{{u1: {_TRUNK}, u2: {_TRUNK}}}", neighbours="{u1: archive u2}"
    ),
    "seal-ward.yaml": _BOTH["seal-ward.yaml"],
}
_ONE["archive.yaml"] = (
    _ONE["archive.yaml"].replace("u1: {trunk", "u2: {trunk: '310'}, u1: {trunk").replace("{}", "{u2: pump-loft u1}")
)
_LABELLED = {
    name: text.replace(f"neighbours: {{u1: {far} u1}}", "neighbours: {}").replace(
        _TRUNK, f"{_TRUNK[:-1]}, label: to {far} u1}}"
    )
    for name, text, far in (
        ("archive.yaml", _BOTH["archive.yaml"], "seal-ward"),
        ("seal-ward.yaml", _BOTH["seal-ward.yaml"], "archive"),
    )
}
_HEARD = """{"lldp": [{"interface": [{"name": "%s", "via": "LLDP", "rid": "1", "age": "0 day, 00:00:11",
 "chassis": [{"id": [{"type": "mac", "value": "00:00:5e:00:53:b8"}], "name": [{"value": "%s"}],
   "capability": [{"type": "%s", "enabled": true}]}],
 "port": [{"id": [{"type": "ifname", "value": "24"}]}], "vlan": [%s]}]}]}
"""
_ALONE = switch_text("archive", "{310: tanks, 340: research}", "{u1: {trunk: '310,340', native: 310}}")


def _hears(vlans: str) -> Example:
    return Example(
        {"archive.yaml": _ALONE, "archive-lldp.json": _HEARD % ("u1", "tower", "Bridge", vlans)}, place="archive:u1"
    )


_CAMPUS = "inkov: campus\nname: Quillfin\nswitches: [archive.yaml, seal-ward.yaml]\ncables: [{}]\n"


@rule(
    "neighbour/one-sided",
    Severity.TIDY,
    faults=(22,),
    looks_for="A link that one end's discovery hears, while the other end hears nothing on that port though it hears others.",
    why="Discovery goes one way at a time. If only one end hears, the other end's is off on that port, filtered, or the "
    "cable carries frames one way only.",
    mend="Let discovery run on both ends.",
    breaks=Example(_ONE, place=PLACE),
    passes=Example(_BOTH),
)
def one_sided(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a cable."""
    switches = facts.network.switches
    for link in facts.network.links:
        for wire in link.wires:
            if link.doubt or (wire.heard_a is None) == (wire.heard_b is None):
                continue
            deaf = wire.a if wire.heard_a is None else wire.b
            if not switches[deaf.switch].heard or any(h.port == deaf.port for h in switches[deaf.switch].heard):
                continue
            heard = wire.heard_a or wire.heard_b
            yield Fault(
                place=_wire(wire),
                what=f"{wire.b if deaf == wire.a else wire.a} hears {deaf}, but {deaf} hears nothing.",
                mend=f"Let discovery run on {deaf}, and check the cable if it does.",
                evidence=(Evidence(f"hears {deaf}", heard.source),) if heard else (),
                causes=(cause(deaf, Setting.NEIGHBOUR),),
            )


@rule(
    "neighbour/by-label",
    Severity.RISK,
    faults=(22,),
    looks_for="Two ports whose labels name each other, while neither discovery nor the campus file says that they are cabled.",
    why="Audits and traces follow such a cable and say so. A label proves nothing: for proofs it may be there or not, and where "
    "that decides they cannot tell.",
    mend="Let discovery run there, or write the cable into the campus file.",
    breaks=Example(_LABELLED, place="archive:u1 <-> seal-ward:u1"),
    passes=Example(_BOTH),
)
def by_label(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for all such cables."""
    network = facts.network
    pairs = facts.labelled
    if pairs:
        shown = joined((f"{a} <-> {b}" for a, b in pairs), 4)
        lines = "; ".join(f"{a.switch} {a.port} - {b.switch} {b.port}" for a, b in pairs[:4])
        yield Fault(
            place=shown,
            what=f"By their labels {'these are' if len(pairs) > 1 else 'this is'} cabled, and nothing else says so: {shown}; "
            f"audits and traces follow {'them' if len(pairs) > 1 else 'it'}, and no proof rests on {'them' if len(pairs) > 1 else 'it'}.",
            mend=f"Let discovery run there, or write under `cables` of the campus file: {lines}{' …' if pairs[4:] else ''}.",
            evidence=tuple(
                at(network, e, f"label '{network.port(e).label}'", Setting.LABEL) for pair in pairs[:4] for e in pair
            ),
            causes=tuple(cause(e, Setting.CABLE) for pair in pairs for e in pair),
        )


def _wire(wire: Wire) -> str:
    return f"{wire.a} <-> {wire.b}"


@rule(
    "neighbour/contradicts",
    Severity.RISK,
    faults=(22,),
    looks_for="A port whose discovery hears another neighbour than the campus file or the far end says, or one that does not exist.",
    why="Somebody moved a cable and did not write it down, or wrote it down wrong. Every answer about that link is then "
    "about a link that is not there.",
    mend="Look at the cable; correct the plan or the patching.",
    breaks=Example(
        {**_BOTH, "campus.yaml": _CAMPUS.format("archive u1 - seal-ward 1")},
        place="archive:u1",
    ),
    passes=Example({**_BOTH, "campus.yaml": _CAMPUS.format("archive u1 - seal-ward u1")}),
)
def contradicts(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    for found in facts.network.cabling.disagreements:
        said = "the campus file says" if found.stated else "discovery hears"
        heard = "discovery hears" if found.stated else "and also"
        effect = (
            "Inkov follows the campus file." if found.stated else "no frame surely passes here, and anything might."
        )
        yield Fault(
            place=str(found.port),
            what=f"At {found.port} {said} {found.says[0]}, {heard} {found.but[0]}; {effect}",
            mend="Look at the cable, then correct the plan or the patching.",
            evidence=(Evidence(found.says[0], found.says[1]), Evidence(found.but[0], found.but[1])),
            causes=(cause(found.port, Setting.CABLE),),
        )
    for stray in facts.network.cabling.outside:
        if stray.known_switch is None:
            continue
        yield Fault(
            place=str(stray.port),
            what=f"{stray.port} hears port {stray.heard.far_port!r} of {stray.known_switch}, which has no such port: "
            "the link cannot be followed.",
            mend=f"Check the port's name in the file of {stray.known_switch}, or state the cable in the campus file.",
            evidence=(Evidence(f"hears {stray.known_switch} {stray.heard.far_port}", stray.heard.source),),
            causes=(cause(stray.port, Setting.CABLE),),
        )


@rule(
    "neighbour/identity",
    Severity.RISK,
    faults=(22,),
    looks_for="A neighbour whose name is that of one device and whose chassis address is that of another, or of none.",
    why="A name is what somebody typed, an address is the box. Where they differ, a box was replaced, renamed, or given the "
    "name of another, and it is not known which device is at the other end of the cable.",
    mend="Look which box it is; give each device a name of its own, or state the cable in the campus file.",
    breaks=Example(
        {
            "archive.yaml": _ALONE,
            "seal-ward.yaml": _BOTH["seal-ward.yaml"].replace(
                "name: seal-ward", "name: seal-ward\nmac: 00:00:5e:00:53:01"
            ),
            "archive-lldp.json": _HEARD
            % ("u1", "seal-ward", "Bridge", '{"vlan-id": "310", "pvid": true, "value": "tanks"}'),
        },
        place="archive:u1",
    ),
    passes=Example(_BOTH),
)
def identity(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    for port, heard, doubt in facts.network.cabling.doubted:
        yield Fault(
            place=str(port),
            what=f"At {port} {doubt}; it is not known which device this is, so no frame surely passes here, and anything might.",
            mend=f"Look which box is at the other end of {port}, and correct the name or the file that is wrong.",
            evidence=(Evidence(f"hears {heard.system or heard.chassis} {heard.far_port}".rstrip(), heard.source),),
            causes=(cause(port, Setting.CABLE),),
        )


@rule(
    "neighbour/pvid",
    Severity.RISK,
    faults=(1,),
    looks_for="A neighbour that announces another VLAN for untagged frames than the port that hears it has.",
    why="Untagged frames leave in one VLAN and arrive in another: two segments meet, whatever the tables say.",
    mend="Set one VLAN for untagged frames at both ends.",
    breaks=_hears('{"vlan-id": "340", "pvid": true, "value": "research"}'),
    passes=_hears('{"vlan-id": "310", "pvid": true, "value": "tanks"}'),
)
def pvid(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port; a link whose both ends are configured so is found by their settings."""
    network = facts.network
    for ref, heard in _all_heard(facts):
        if heard.pvid is None or not network.port(ref).enabled:
            continue
        own = untagged_vlan(network.settled(ref).switching)
        far = _far_end(facts, heard)
        known = untagged_vlan(network.settled(far).switching) if far else None
        if not own or heard.pvid in {own, known}:
            continue
        who = heard.system or heard.chassis or "its neighbour"
        yield Fault(
            place=str(ref),
            what=f"{who} announces to {ref} that its untagged frames are in {named(network, heard.pvid)}; those of {ref} are "
            f"in {named(network, own)}.",
            mend=f"Set the same VLAN for untagged frames at {ref} and at {who} {heard.far_port}.".replace(" .", "."),
            evidence=(
                Evidence(f"hears {heard.pvid}", heard.source),
                at(network, ref, f"untagged {own}", Setting.NATIVE),
            ),
            causes=(cause(ref, Setting.NATIVE),),
            vlans=VlanSet([own, heard.pvid]),
        )


@rule(
    "neighbour/vlan-name",
    Severity.TIDY,
    faults=(18,),
    looks_for="A neighbour outside of the campus that announces a VLAN by another name than the switch that hears it has for it.",
    why="A number that means two things on two sides of a cable joins two segments the day the list lets it through.",
    mend="Agree on what the number means, or keep it off the link.",
    breaks=_hears('{"vlan-id": "340", "pvid": false, "value": "guests"}'),
    passes=_hears('{"vlan-id": "340", "pvid": false, "value": "research"}'),
)
def vlan_name(facts: Facts) -> Iterator[Fault]:
    """Yields one finding a port."""
    network = facts.network
    for ref, heard in _all_heard(facts):
        if _far_end(facts, heard) is not None:
            continue
        table = network.switches[ref.switch].vlans or {}
        odd = [
            (v, name, table[v].name)
            for v, name in heard.names
            if v in table
            and name
            and table[v].name
            and name.casefold() != table[v].name.casefold()
            and v != DEFAULT_VLAN
        ]
        if odd:
            who = heard.system or heard.chassis or "a neighbour"
            said = joined(f"{v} {name!a:.40}, here {own!a:.40}" for v, name, own in odd)
            yield Fault(
                place=str(ref),
                what=f"{who} at {ref} calls VLAN {said}.",
                evidence=(Evidence(f"hears {odd[0][0]} {odd[0][1]}", heard.source),),
                causes=(cause(ref, Setting.NEIGHBOUR),),
                vlans=VlanSet(v for v, *_ in odd),
            )


def _all_heard(facts: Facts) -> Iterator[tuple[PortRef, Heard]]:
    """Yields what each port heard, by the logical port that it belongs to."""
    for switch in facts.network.switches.values():
        for heard in switch.heard:
            port = switch.ports.get(heard.port)
            if port is not None:
                own = port.lag if port.lag and port.lag in switch.ports else port.name
                yield PortRef(switch.name, own), heard


def _far_end(facts: Facts, heard: Heard) -> PortRef | None:
    """Returns the port of the campus that was heard; None for one that is not in it."""
    switch = facts.network.switches.get(heard.system)
    if switch is None or heard.far_port not in switch.ports:
        return None
    port = switch.ports[heard.far_port]
    return PortRef(switch.name, port.lag if port.lag and port.lag in switch.ports else port.name)


@rule(
    "neighbour/none",
    Severity.RISK,
    faults=(22,),
    looks_for="Several switches, and no cable between any two of them is known.",
    why="Most faults are at the links between switches. Without cables nothing there is judged, and no VLAN is known to be whole.",
    mend="Hand in what LLDP heard, or write `cables` into a campus file; `inkov draft` begins one.",
    breaks=Example(
        {
            f"{n}.yaml": switch_text(n, "{310: tanks}", "{1: {access: 310}, u1: {trunk: '310'}}")
            for n in ("cove", "hall")
        },
        place="cove and hall",
    ),
    passes=Example(
        {
            f"{n}.yaml": switch_text(n, "{310: tanks}", "{1: {access: 310}, u1: {trunk: '310'}}", neighbours=far)
            for n, far in (("cove", "{}"), ("hall", "{u1: cove u1}"))
        }
    ),
)
def none(facts: Facts) -> Iterator[Fault]:
    """Yields one finding for the campus."""
    network = facts.network
    names = [n for n, s in network.switches.items() if s.kind is Kind.SWITCH]
    if network.uncabled:
        yield Fault(
            place=joined(names),
            what=f"No cable between the {len(names)} switches is known, so nothing between them was judged.",
            evidence=(
                Evidence(
                    "no neighbour heard, and no cable stated", network.switches[names[0]].origin.of(Setting.NEIGHBOUR)
                ),
            ),
            causes=(Cause("", Setting.CABLE),),
        )
